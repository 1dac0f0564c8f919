"""What is decided about a file: where it is worn, its unit, how it stands, whether it is mirrored; which files it is, and what their holes are for."""

from collections.abc import Sequence
from dataclasses import dataclass

from bastion_core.engine.recipe import Flag, Recipe, decision
from bastion_core.engine.store import Ref
from bastion_core.errors import RecipeProblem
from bastion_core.findings import Said, counted, say
from bastion_core.measure.table import SITES
from bastion_core.pieces.hardware import seat_of
from bastion_core.pieces.sets import MOST_FILES, SetFile
from bastion_core.pieces.standing import Standing
from bastion_core.units import MM_PER_UNIT

MOST_USES = 200


@dataclass(frozen=True)
class FeatureUse:
    """What a hole, pocket or slot is for: the one nearest to a place in the files' own coordinates (mm at scale 1)."""

    at_mm: tuple[float, float, float]
    use: str

    def __post_init__(self) -> None:
        seat_of(self.use, 0.0)


def read_use(text: str) -> FeatureUse:
    """``X,Y,Z:magnet-6x3``; ValueError where it is no such thing."""
    place, _, use = text.partition(":")
    x, y, z = (float(v) for v in place.split(","))
    return FeatureUse((x, y, z), use)


def _shown_files(files: Sequence[SetFile]) -> Said:
    return say(", ".join(f.name for f in files) if len(files) <= 4 else counted(len(files), "file"))


def _shown_uses(uses: Sequence[FeatureUse]) -> Said:
    counts: dict[str, int] = {}
    for one in uses:
        label = seat_of(one.use, 0.0).label
        counts[label] = counts.get(label, 0) + 1
    return say(", ".join(f"{n} × {label}" if n > 1 else label for label, n in counts.items()))


@dataclass(frozen=True)
class PiecesRecipe(Recipe):
    """The decisions of the pieces' station."""

    site: str = decision("other", "Worn on", because="where it is worn", choices=SITES, flag=Flag("--site", "where it is worn"))
    side: str = decision("", "Side", because="the side", choices=("", "left", "right"), flag=Flag("--side", "left or right"))
    unit: str = decision(
        "",
        "Unit of the file",
        because="the unit",
        choices=("", *MM_PER_UNIT),
        nothing="as guessed",
        flag=Flag("--unit", "the file's unit; guessed when not given"),
    )
    turn_x: int = decision(0, "Quarter turns about x", because="the way it stands", least=0, most=3)
    turn_y: int = decision(0, "Quarter turns about y", because="the way it stands", least=0, most=3)
    turn_z: int = decision(0, "Quarter turns about z", because="the way it stands", least=0, most=3)
    mirrored: bool = decision(False, "Mirrored", because="its mirror image")
    files: tuple[SetFile, ...] = decision((), "Files", because="the files", empty="the file it came with", shown=_shown_files)
    """The files of a set, each in its place; empty for the one file the piece came with, as it lies."""
    worn_apart: bool = decision(False, "Straps hold the files together", because="what holds the files together")
    """They need not touch: breast and back, two halves on a hinge."""
    features: tuple[FeatureUse, ...] = decision(
        (), "Holes and slots", because="what holes are for", empty="as they came", shown=_shown_uses,
        flag=Flag("--feature", "X,Y,Z:USE, what the hole there is for: magnet-6x3, screw-M3, insert-M3, nut-M3, rod-4, led-3, slide, plug", read_use, True, hold="USE"),
    )  # fmt: skip

    def __post_init__(self) -> None:
        super().__post_init__()
        if len(self.files) > MOST_FILES:
            raise RecipeProblem(
                f"A set may have {MOST_FILES} files; these are {len(self.files)}. Take some as a piece of their own.", "files"
            )
        if len(self.features) > MOST_USES:
            raise RecipeProblem(f"More than {MOST_USES} holes are decided. Take some out.", "features")

    @property
    def is_set(self) -> bool:
        """Whether several files, or one put elsewhere than it lay, make the piece; a single other file is that file as it lies."""
        return len(self.files) > 1 or any(f.body is not None or any(f.turn_deg) or any(f.move_mm) for f in self.files)

    @property
    def set_files(self) -> int:
        """How many files make it a set; 0 where it is none."""
        return len(self.files) if self.is_set else 0

    def standing(self, piece: Ref) -> Standing:
        """How the piece stands, of which the mended solid is kept there."""
        return Standing(piece, self.turns, self.mirrored, self.set_files)

    @property
    def turns(self) -> tuple[int, int, int]:
        """Quarter turns about x, y and z."""
        return self.turn_x, self.turn_y, self.turn_z
