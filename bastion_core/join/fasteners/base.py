"""What every fastener answers: what it takes of the parts, how it is made and drawn, what has to be bought or cut for it."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar, Literal, Protocol

import shapely
from shapely.geometry.base import BaseGeometry

from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.solid import Solid
from bastion_core.pieces.silhouette import svg_path
from bastion_core.statics.magnets import Disc

Tone = Literal["hole", "grown"]


@dataclass(frozen=True)
class Drawn:
    """A shape in a seam's drawing (SVG path, mm, y downward): what is carved, what is grown on."""

    path: str
    tone: Tone


def drawn(area: BaseGeometry, tone: Tone) -> Drawn:
    """A flat area of the seam's frame as it is drawn."""
    return Drawn(svg_path(shapely.simplify(area, 0.02), 2), tone)


@dataclass(frozen=True)
class Hardware:
    """A line of the shopping and cutting list."""

    kind: str
    diameter_mm: float
    length_mm: float
    count: int
    name: str = ""
    """What to ask for, where thickness and length do not say it."""


def discs_to_buy(discs: Sequence[Disc]) -> tuple[Hardware, ...]:
    """The discs of one pair as they are bought."""
    return tuple(
        Hardware("magnet", d.diameter_mm, d.thick_mm, 1, f"Disc magnet {d.diameter_mm:g} × {d.thick_mm:g} mm, {d.grade}") for d in discs
    )


def disc_sizes(above: Disc, below: Disc, pole: int, number: int) -> dict[str, float]:
    """What is told of a pair."""
    return {
        "diameter_above_mm": above.diameter_mm, "thick_above_mm": above.thick_mm, "diameter_below_mm": below.diameter_mm,
        "thick_below_mm": below.thick_mm, "pole": float(pole), "number": float(number),
    }  # fmt: skip


@dataclass(frozen=True, kw_only=True)
class At:
    """Where a fastener sits: on its (first) seam in space, and in that seam's own frame, where it is drawn; which way it goes together."""

    position_mm: tuple[float, float, float]
    axis: tuple[float, float, float]
    flat_mm: tuple[float, float]
    seams: tuple[str, ...] = ()
    clearance_mm: float = 0.0


class Fastener(Protocol):
    """Holds two or more parts. ``seams`` are the ids of those it spans: mostly one, a rod through several more."""

    movable: ClassVar[bool]
    """Whether the maker may put it elsewhere on its seam."""

    @property
    def kind(self) -> str:
        """What it is called by."""

    @property
    def seams(self) -> tuple[str, ...]:
        """Ids of the seams it spans."""

    @property
    def position_mm(self) -> tuple[float, float, float]:
        """Its middle, on its first seam."""

    @property
    def flat_mm(self) -> tuple[float, float]:
        """The same in the seam's own frame."""

    @property
    def axis(self) -> tuple[float, float, float]:
        """The direction in which it goes together, from below to above."""

    @property
    def clearance_mm(self) -> float:
        """Per side, between what slides."""

    def taken(self) -> tuple[Floats, float]:
        """Points (n, 3) along it, and how far round each nothing else may be made."""

    def adds(self, side: int) -> tuple[Solid, ...]:
        """What is grown on the part above (1) or below (-1), before anything is carved."""

    def tools(self, side: int) -> tuple[Solid, ...]:
        """What is carved out of the part above (1) or below (-1)."""

    def drawing(self) -> tuple[Drawn, ...]:
        """How it is drawn on the flat seam."""

    def hardware(self) -> tuple[Hardware, ...]:
        """What has to be there for it, true to size."""

    def sizes(self) -> dict[str, float]:
        """Its sizes as ``plan.json`` tells them."""
