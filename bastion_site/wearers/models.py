"""Who wears it. Measurements are personal data: kept here only, exported and deleted per wearer."""

from django.db import models

from bastion_core.measure.wearer import Wearer as CoreWearer


class Wearer(models.Model):
    """A person and their measurements in millimetres, keyed as in the wearer file."""

    class Sex(models.TextChoices):
        FEMALE = "female"
        MALE = "male"

    name = models.CharField(max_length=80)
    sex = models.CharField(max_length=6, choices=Sex, null=True, blank=True)
    mass_kg = models.FloatField(null=True, blank=True)
    measurements = models.JSONField(default=dict)
    version = models.PositiveIntegerField(default=1)

    class Meta:
        ordering = ["name"]

    def core(self) -> CoreWearer:
        """The same person as the core knows them."""
        return CoreWearer(self.name, self.sex, self.mass_kg, dict(self.measurements))
