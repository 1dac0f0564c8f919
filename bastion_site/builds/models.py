"""What a build keeps: the decisions about each piece and how they came about, what is tried, the files, and what was computed from them."""

import copy
from functools import cached_property
from typing import Self

from django.conf import settings
from django.db import models

from bastion_core.engine.recipe import Recipe, read, written
from bastion_core.pieces.recipe import PiecesRecipe
from bastion_core.pieces.sets import SetFile, called
from bastion_core.recipes import VERSION, change_all, read_all, write_all
from bastion_core.stations import BUILD_RECIPES


class Build(models.Model):
    """A suit or prop for a date."""

    name = models.CharField(max_length=120)
    due = models.DateField(null=True, blank=True)
    wearer = models.ForeignKey("wearers.Wearer", null=True, blank=True, on_delete=models.SET_NULL, related_name="builds")
    note = models.TextField(blank=True)
    archived = models.BooleanField(default=False)
    recipe = models.JSONField(default=dict)
    """The decisions about its plates: read and written by ``decided`` and ``decide`` only."""
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["archived", "-id"]

    @property
    def decided(self) -> tuple[Recipe, ...]:
        """The decisions about the build as a whole; RecipeProblem when one cannot be."""
        return tuple(read(kind, self.recipe) for kind in BUILD_RECIPES)

    def of(self, kind):
        """The decisions of one station of the build."""
        return next(r for r in self.decided if isinstance(r, kind))

    def decide(self, **changes) -> None:
        """Change decisions (values as JSON has them). Saves nothing; RecipeProblem when one cannot be."""
        self.recipe = written(change_all(self.decided, changes))


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
    """The file it came with."""
    more_files = models.ManyToManyField(MeshFile, related_name="sets", blank=True)
    """Other files that its decisions may name, now or after undoing."""
    picture = models.CharField(max_length=80, blank=True)
    """File name under the media folder's photos: what it is to look like."""
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
    draft: "Draft | None" = None
    """The draft that this, which is not saved, stands for."""

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

    def as_if(self, change: dict) -> Self:
        """The piece as it would be with some decisions (and perhaps another wearer) changed: not saved, nor to be. RecipeProblem when it cannot be."""
        other = copy.copy(self)
        other.decide(**{k: v for k, v in change.items() if k != "wearer"})
        if "wearer" in change:
            other.wearer_id = change["wearer"]
        return other

    @property
    def made_of(self) -> tuple[SetFile, ...]:
        """The files as its decision about them names them; the one it came with where none is decided."""
        return self.of(PiecesRecipe).files or (SetFile(self.mesh.sha256, called(self.file_name)),)

    @property
    def sources(self) -> list[MeshFile]:
        """Every file it may be made of."""
        return [self.mesh, *self.more_files.all()]

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


class Draft(models.Model):
    """A change that is tried: what would be decided otherwise, over whatever is kept. Computed like any piece, under the hash of it all."""

    piece = models.ForeignKey(Piece, on_delete=models.CASCADE, related_name="drafts")
    change = models.JSONField(default=dict)
    """Decisions (and ``wearer``) as a change names them."""
    because = models.JSONField(null=True)
    """The sentence of the remedy it came from; None where the maker changed something."""
    version = models.PositiveIntegerField(default=1)
    recipe_version = models.PositiveIntegerField(default=VERSION)
    shown = models.JSONField(default=dict)
    """As a piece's."""
    totals = models.JSONField(null=True)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]

    def as_piece(self) -> Piece:
        """The piece as it would be, not saved; what is shown of it until it is computed is what was shown last, of it or of what is kept."""
        piece = self.piece.as_if(self.change)
        piece.draft, piece.shown, piece.totals, piece.before, piece.because = self, self.piece.shown | self.shown, self.totals, None, ""
        return piece


class Step(models.Model):
    """A kept change of decisions about a build or some of its pieces; the way back and forth leads over these."""

    class State(models.TextChoices):
        KEPT = "kept"
        UNDONE = "undone"
        PASSED = "passed"
        """Undone, and then something else was decided about the same."""

    build = models.ForeignKey(Build, on_delete=models.CASCADE, related_name="steps")
    because = models.JSONField()
    """Why, as a sentence."""
    by = models.CharField(max_length=60, blank=True)
    at = models.DateTimeField(auto_now_add=True)
    state = models.CharField(max_length=6, choices=State, default=State.KEPT)
    undone_at = models.DateTimeField(null=True)
    recipe_version = models.PositiveIntegerField(default=VERSION)
    """Values of an older version of the recipes are history only."""

    class Meta:
        ordering = ["-id"]


class StepPart(models.Model):
    """What a step changed on one piece, or on the build itself."""

    step = models.ForeignKey(Step, on_delete=models.CASCADE, related_name="parts")
    piece = models.ForeignKey(Piece, null=True, on_delete=models.CASCADE, related_name="step_parts")
    """None for the build."""
    before = models.JSONField()
    after = models.JSONField()

    class Meta:
        ordering = ["id"]


class FrozenPart(models.Model):
    """A part whose print has begun: it keeps its geometry and its id, whatever is decided later. A change that would alter it is told."""

    piece = models.ForeignKey(Piece, on_delete=models.CASCADE, related_name="frozen_parts")
    part = models.CharField(max_length=24)
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
