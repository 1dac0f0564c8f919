"""What is known of a piece before its order is looked for: its seams as they are held and glued, what goes inside, what it costs to print."""

from collections.abc import Container, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from bastion_core.assemble.bodies import Assembly
from bastion_core.engine.keeping import whole
from bastion_core.errors import RecipeProblem
from bastion_core.join.glue import GlueRecord
from bastion_core.join.table import SCREWED

OPENS = (*SCREWED, "snap", "magnet", "tape", "moves")
"""Held so, it comes apart again."""


@dataclass(frozen=True)
class SeamFacts:
    """A seam as it is closed."""

    id: str
    letters: str
    kind: str
    area_cm2: float
    rim_cm: float = 0.0
    """Of a rod, how much of its length lies in the part."""
    fasteners: int = 0
    inserts: int = 0
    own: bool = False
    """Held by what the files of a set came with."""
    glue: GlueRecord | None = None

    def __post_init__(self) -> None:
        g = self.glue
        if g is not None and not (g.sets_min >= 0 and 0 <= g.handle_h <= g.full_h):
            raise RecipeProblem(
                f"{self.letters}: {g.name} sets in {g.sets_min:g} min, is handled after {g.handle_h:g} h and strong after {g.full_h:g} h: "
                "that cannot be. Times are not under 0, and full strength comes last."
            )

    @property
    def opens(self) -> bool:
        """Whether it comes apart again."""
        return self.kind in OPENS or self.own


@dataclass(frozen=True)
class Thing:
    """Something that goes inside: where its middle comes to lie, how large it is (mm), what it is; of a wire both ends."""

    name: str
    kind: str
    at_mm: tuple[float, float, float]
    size_mm: tuple[float, float, float]
    to_mm: tuple[float, float, float] | None = None

    @property
    def called(self) -> str:
        """In a sentence: “wire to the lamp”."""
        return self.name if self.kind != "wire" or self.name.startswith("wire") else f"wire {self.name}"


@dataclass(frozen=True)
class Fill:
    """What is poured into a part."""

    part: str
    name: str
    grams: float
    litres: float
    sets_h: float
    caution: str


@dataclass(frozen=True)
class Worn:
    """What the fit says of it: the chance that it fits, the tightest room, how it passes on the way in."""

    chance: float
    room_mm: float | None = None
    where: str = ""
    passes_mm: float | None = None
    """Each side, on the way in; negative where it does not pass."""
    rim_mm: float | None = None
    """Round the piece's inside there."""
    pads: int = 0


@dataclass(frozen=True, eq=False)
class Facts:
    """All of it."""

    assembly: Assembly
    seams: Mapping[str, SeamFacts]
    """By the ids of contacts."""
    material: str = "pla"
    things: tuple[Thing, ...] = ()
    fills: tuple[Fill, ...] = ()
    print_h: Mapping[str, float] = field(default_factory=dict)
    """Of each part by its name, on its quickest printer."""
    worn: Worn | None = None
    coupon: bool = False
    gap_mm: float = 0.0
    """Between pins and their holes, each side."""
    visor: bool = False
    inside: str = ""

    def of(self, letters: str) -> SeamFacts | None:
        """The seam called so."""
        return next((s for s in self.seams.values() if s.letters == letters), None)


def seam_facts(told: SeamFacts, code: str, fasteners: Sequence[str], pairs: int | None = None, unglued: Container[str] = ()) -> SeamFacts:
    """A seam with what its kinds of fasteners come to: counted, without rods; of what comes off its pairs of discs. ``code`` is what became of it
    (see Join), ``unglued`` names seams that are only taped."""
    count = sum(kind != "rod" for kind in fasteners) if pairs is None else pairs
    if told.id in unglued or told.letters in unglued:
        return replace(told, kind="tape", fasteners=count, glue=None)
    return replace(told, kind="moves" if code == "moves" else told.kind, fasteners=count, inserts=count if told.kind == "insert" else 0)


def glue_from(told: Mapping[str, Any]) -> GlueRecord:
    """A glue out of plan.json; RecipeProblem for one whose times are missing or no numbers."""
    try:
        return whole(GlueRecord, {"key": "glue", "gap_mm": 0.1, "tapes": 0, "weld_cm": 0.0, "safety": 0.0, "caution": ""} | dict(told))
    except RecipeProblem as problem:
        raise RecipeProblem(
            f"A glue of the plan cannot be read ({str(problem).rstrip('.')}). It needs name, ml, sets_min, handle_h and full_h."
        ) from problem
