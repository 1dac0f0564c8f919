"""What a build keeps: the recipe of each piece, the files they came from, and what was computed from them."""

from django.conf import settings
from django.db import models

from bastion_core.fit.head import PAD_MM
from bastion_core.fit.layers import GIVE_MM
from bastion_core.fit.scale import MADE_FOR_MM
from bastion_core.fit.sites import WAYS_IN
from bastion_core.measure.table import SITES
from bastion_core.units import MM_PER_UNIT

WAY_IN_CHOICES = [(w, w) for w in WAYS_IN]


def no_shift() -> list[float]:
    """A piece stays where it seats itself."""
    return [0.0, 0.0, 0.0]


class Build(models.Model):
    """A suit or prop for a date."""

    name = models.CharField(max_length=120)
    due = models.DateField(null=True, blank=True)
    wearer = models.ForeignKey("wearers.Wearer", null=True, blank=True, on_delete=models.SET_NULL, related_name="builds")
    note = models.TextField(blank=True)
    archived = models.BooleanField(default=False)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["archived", "-id"]


class MeshFile(models.Model):
    """A model file as it came, kept by the hash of its content."""

    sha256 = models.CharField(max_length=64, unique=True)
    name = models.CharField(max_length=255)
    bytes = models.BigIntegerField()

    @property
    def path(self):
        return settings.MEDIA_ROOT / "sources" / self.sha256


class Piece(models.Model):
    """One piece of a build: a file and the decisions about it. Nothing computed is kept here but the last totals."""

    SITES = [(name, name.replace("_", " ")) for name in SITES]

    class Side(models.TextChoices):
        NONE = ""
        LEFT = "left"
        RIGHT = "right"

    build = models.ForeignKey(Build, on_delete=models.CASCADE, related_name="pieces")
    name = models.CharField(max_length=80)
    note = models.TextField(blank=True)
    site = models.CharField(max_length=10, choices=SITES, default="other")
    side = models.CharField(max_length=5, choices=Side, default=Side.NONE, blank=True)
    mirror_of = models.ForeignKey("self", null=True, blank=True, on_delete=models.SET_NULL, related_name="mirrors")
    mesh = models.ForeignKey(MeshFile, on_delete=models.PROTECT, related_name="pieces")
    file_name = models.CharField(max_length=255)

    unit = models.CharField(max_length=2, choices=[(u, u) for u in MM_PER_UNIT], blank=True)
    turn_x = models.PositiveSmallIntegerField(default=0)
    turn_y = models.PositiveSmallIntegerField(default=0)
    turn_z = models.PositiveSmallIntegerField(default=0)
    mirrored = models.BooleanField(default=False)

    wearer = models.ForeignKey("wearers.Wearer", null=True, blank=True, on_delete=models.SET_NULL, related_name="pieces")
    pad_mm = models.FloatField(default=PAD_MM)
    made_for_mm = models.FloatField(default=MADE_FOR_MM)
    wanted_length_mm = models.FloatField(null=True, blank=True)
    way_in = models.CharField(max_length=6, choices=WAY_IN_CHOICES, blank=True)
    """How it goes on; blank for what is usual at its site."""
    layers = models.JSONField(default=list, blank=True)
    """[{name, thickness_mm, where}] between body and piece, beside a helmet's padding."""
    bays = models.JSONField(default=list, blank=True)
    """[{name, size_mm, place, at_mm}] of what goes inside."""
    shift_mm = models.JSONField(default=no_shift, blank=True)
    """[x, y, z] by which the maker moved it from where it seats itself."""
    turn_deg = models.JSONField(default=no_shift, blank=True)
    """[x, y, z] degrees by which the maker turned it in its seat."""
    give_mm = models.FloatField(default=GIVE_MM)
    """How far skin gives way when it is pulled over."""
    scale = models.JSONField(null=True, blank=True)
    """[x, y, z] set by the maker, or null for the suggested one."""

    printer_ids = models.JSONField(default=list, blank=True)
    """Printers to cut for; empty for all of the shop."""
    cuts = models.JSONField(null=True, blank=True)
    """Planes of the maker, or null for the proposal."""

    pin_diameters_mm = models.JSONField(null=True, blank=True)
    pin_clearance_mm = models.FloatField(null=True, blank=True)

    layer_mm = models.FloatField(default=0.2)
    walls = models.PositiveSmallIntegerField(default=3)
    infill = models.FloatField(default=0.15)
    material = models.CharField(max_length=20, default="pla")

    version = models.PositiveIntegerField(default=1)
    shown = models.JSONField(default=dict)
    """Station -> hash of the last result, so that something stale can still be shown."""
    totals = models.JSONField(null=True)
    before = models.JSONField(null=True)
    """Totals before the last change that moved them, with ``because``."""
    because = models.CharField(max_length=160, blank=True)
    """What was changed since the totals were computed."""

    class Meta:
        ordering = ["id"]

    @property
    def mirrored_seat(self) -> dict[str, list[float]]:
        """How the other side of the pair sits when this one sits as it does."""
        (x, y, z), (nod, lean, left) = self.shift_mm, self.turn_deg
        return {"shift_mm": [-x, y, z], "turn_deg": [nod, -lean, -left]}

    @property
    def twin(self):
        """The other side of the pair, where there is one."""
        return self.mirror_of or self.mirrors.first()

    @property
    def worn_by(self):
        """The piece's own wearer, else the build's."""
        return self.wearer or self.build.wearer


class Derived(models.Model):
    """Something computed, under the hash of all it depends on. May be deleted at any time and computed again."""

    kind = models.CharField(max_length=8)
    hash = models.CharField(max_length=64)
    summary = models.JSONField(default=dict)
    data = models.JSONField(default=dict)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["kind", "hash"], name="one_result_per_recipe")]

    @property
    def folder(self):
        return settings.MEDIA_ROOT / "derived" / self.kind / self.hash


class TestFit(models.Model):
    """A piece was tried on: what was felt where, and what was predicted then."""

    piece = models.ForeignKey(Piece, on_delete=models.CASCADE, related_name="test_fits")
    day = models.DateField()
    felt = models.CharField(max_length=10, choices=[("holds", "holds"), ("tight", "tight"), ("stops", "stops")])
    where = models.CharField(max_length=120, blank=True)
    action = models.TextField(blank=True)
    photo = models.CharField(max_length=80, blank=True)
    """File name under the media folder's photos."""
    predicted = models.JSONField(default=dict)
    """Verdict, room and chance as they were told on that day."""
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-day", "-id"]

    @property
    def photo_path(self):
        return settings.MEDIA_ROOT / "photos" / self.photo
