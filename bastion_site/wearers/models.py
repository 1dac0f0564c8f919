"""Who wears it. Measurements are personal data: kept here only, exported and deleted per wearer."""

import secrets
from datetime import timedelta

from django.conf import settings
from django.db import models
from django.utils import timezone

from bastion_core.engine.keeping import hash_of
from bastion_core.measure.readings import WAYS, Summary, summarise
from bastion_core.measure.wearer import Wearer as CoreWearer

LINK_DAYS = 14
SCAN_KINDS = [("head", "head"), ("body", "body")]


class Wearer(models.Model):
    """A person and their measurements in millimetres, keyed as in the wearer file.

    ``measurements`` is what holds today: the mean of the readings in force.
    """

    class Sex(models.TextChoices):
        FEMALE = "female"
        MALE = "male"

    name = models.CharField(max_length=80)
    sex = models.CharField(max_length=6, choices=Sex, null=True, blank=True)
    mass_kg = models.FloatField(null=True, blank=True)
    age_years = models.FloatField(null=True, blank=True)
    measurements = models.JSONField(default=dict)
    version = models.PositiveIntegerField(default=1)

    class Meta:
        ordering = ["name"]

    def core(self) -> CoreWearer:
        """The same person as the core knows them, with the doubt the readings show."""
        sds = {key: summary.sd_mm for key, summary in self.summaries().items()}
        return CoreWearer(self.name, self.sex, self.mass_kg, dict(self.measurements), sds, self.age_years)

    def summaries(self) -> dict[str, Summary]:
        """The readings in force, in one figure for each measurement."""
        found: dict[str, list[Reading]] = {}
        for reading in self.readings.filter(state=Reading.State.HOLDS):
            found.setdefault(reading.key, []).append(reading)
        return {key: summarise(key, [r.value_mm for r in rs], [r.way for r in rs if r.way]) for key, rs in found.items()}

    def take(self, key: str, value_mm: float, way: str = "", by: str = "", again: bool = False) -> "Reading":
        """Note a reading. ``again`` adds it to those in force; otherwise it takes their place and they become history."""
        if not again:
            self.readings.filter(key=key, state=Reading.State.HOLDS).update(state=Reading.State.PAST)
        reading = self.readings.create(key=key, value_mm=value_mm, way=way, by=by)
        self.take_mean(key)
        return reading

    def take_mean(self, key: str) -> None:
        """Bring ``measurements`` in line with the readings of one key, and save."""
        values = list(self.readings.filter(key=key, state=Reading.State.HOLDS).values_list("value_mm", "way"))
        if values:
            self.measurements[key] = round(summarise(key, [v for v, _ in values], [w for _, w in values if w]).mean_mm, 3)
        else:
            self.measurements.pop(key, None)
        self.version += 1
        self.save(update_fields=["measurements", "version"])

    def leave(self, key: str) -> None:
        """Take a measurement back; its readings stay as history."""
        self.readings.filter(key=key, state=Reading.State.HOLDS).update(state=Reading.State.PAST)


class Reading(models.Model):
    """One reading of one measurement: what, when, how and by whom."""

    class State(models.TextChoices):
        HOLDS = "holds"
        PAST = "past"
        WAITS = "waits"
        """Sent by a far-away wearer, not yet accepted."""
        REFUSED = "refused"

    wearer = models.ForeignKey(Wearer, on_delete=models.CASCADE, related_name="readings")
    key = models.CharField(max_length=60)
    value_mm = models.FloatField()
    way = models.CharField(max_length=10, choices=[(w, w) for w in WAYS], blank=True)
    by = models.CharField(max_length=60, blank=True)
    state = models.CharField(max_length=8, choices=State, default=State.HOLDS)
    taken = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-id"]
        indexes = [models.Index(fields=["wearer", "key", "state"])]


def _token() -> str:
    return secrets.token_urlsafe(24)


def _in_two_weeks():
    return timezone.now() + timedelta(days=LINK_DAYS)


class MeasureLink(models.Model):
    """A way for a far-away wearer to send measurements: opens their sheet and nothing else."""

    wearer = models.ForeignKey(Wearer, on_delete=models.CASCADE, related_name="links")
    token = models.CharField(max_length=48, unique=True, default=_token)
    keys = models.JSONField(default=list)
    """Measurements asked for; empty for the whole sheet."""
    created = models.DateTimeField(auto_now_add=True)
    expires = models.DateTimeField(default=_in_two_weeks)
    revoked = models.BooleanField(default=False)

    class Meta:
        ordering = ["-id"]

    @property
    def open(self) -> bool:
        return not self.revoked and self.expires > timezone.now()


class Scan(models.Model):
    """A scan of a wearer's head or body, stood up and measured."""

    wearer = models.ForeignKey(Wearer, on_delete=models.CASCADE, related_name="scans")
    mesh = models.ForeignKey("builds.MeshFile", null=True, on_delete=models.PROTECT, related_name="scans")
    """The file as it came; None until the simulated scanner has made one."""
    kind = models.CharField(max_length=4, choices=SCAN_KINDS)
    unit = models.CharField(max_length=4, blank=True)
    hair_mm = models.FloatField(default=0.0)
    points = models.JSONField(null=True, blank=True)
    found = models.JSONField(null=True)
    """What was found on it: unit, what was done, values with doubt, tapes. None until it was read."""
    used = models.BooleanField(default=False)
    """Whether fits use it as the head or the body."""
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-id"]

    @property
    def folder(self):
        """Everything computed of it."""
        return settings.MEDIA_ROOT / "derived" / "scan" / str(self.pk)

    @property
    def reading(self) -> str:
        """The name of what was found on it: another reading has another one, and files of its own."""
        return hash_of(self.found)

    @property
    def files(self):
        """What was computed with the reading in force."""
        return self.folder / self.reading
