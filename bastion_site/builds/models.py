"""What a build keeps: the decisions about each piece, the files they came from, and what was computed from them."""

from functools import cached_property

from django.conf import settings
from django.db import models

from bastion_core.engine.recipe import Recipe
from bastion_core.pieces.recipe import PiecesRecipe
from bastion_core.recipes import change_all, read_all, write_all


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

    build = models.ForeignKey(Build, on_delete=models.CASCADE, related_name="pieces")
    name = models.CharField(max_length=80)
    note = models.TextField(blank=True)
    mirror_of = models.ForeignKey("self", null=True, blank=True, on_delete=models.SET_NULL, related_name="mirrors")
    mesh = models.ForeignKey(MeshFile, on_delete=models.PROTECT, related_name="pieces")
    file_name = models.CharField(max_length=255)
    wearer = models.ForeignKey("wearers.Wearer", null=True, blank=True, on_delete=models.SET_NULL, related_name="pieces")
    recipe = models.JSONField(default=dict)
    """Every station's decisions in one object, with a version: read and written by ``decided`` and ``decide`` only."""
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

    @cached_property
    def decided(self) -> tuple[Recipe, ...]:
        """The decisions as the stations know them; RecipeProblem when one cannot be."""
        return read_all(self.recipe)

    def refresh_from_db(self, *args, **kwargs):
        super().refresh_from_db(*args, **kwargs)
        self.__dict__.pop("decided", None)

    def of(self, kind):
        """The decisions of one station."""
        return next(r for r in self.decided if isinstance(r, kind))

    def decide(self, **changes) -> None:
        """Change decisions (values as JSON has them). Saves nothing; RecipeProblem when one cannot be."""
        decided = change_all(self.decided, changes)
        self.recipe = write_all(decided)
        self.__dict__["decided"] = decided

    @property
    def site(self) -> str:
        """Where it is worn."""
        return self.of(PiecesRecipe).site

    @property
    def side(self) -> str:
        """left, right or nothing."""
        return self.of(PiecesRecipe).side

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

    kind = models.CharField(max_length=12)
    hash = models.CharField(max_length=64)
    result = models.JSONField(default=dict)
    """The small part: what the Wall and later stations read."""
    data = models.JSONField(default=dict)
    """The bulky part, for the station's own page."""
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["kind", "hash"], name="one_result_per_recipe")]


class FrozenPart(models.Model):
    """A part whose print has begun: it keeps its geometry and its id, whatever is decided later.

    Nothing freezes yet, as prints are not logged; a change that would alter such a part is to become a finding.
    """

    piece = models.ForeignKey(Piece, on_delete=models.CASCADE, related_name="frozen_parts")
    part = models.CharField(max_length=16)
    """The part's id, which stays while the cuts that bound it stay."""
    print_hash = models.CharField(max_length=64)
    """The result of Print in which its files lie; it is not swept."""
    since = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["piece", "part"], name="a_part_freezes_once")]


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
