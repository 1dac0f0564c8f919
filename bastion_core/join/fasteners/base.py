"""What every fastener answers: what it takes of the parts, how it is carved and drawn, what has to be bought or cut for it."""

from dataclasses import dataclass
from typing import ClassVar, Protocol

from bastion_core.geometry.solid import Solid
from bastion_core.join.places import Footprint


@dataclass(frozen=True)
class Spot:
    """A round place in a seam's drawing (mm, y downward as SVG has it)."""

    x: float
    y: float
    radius_mm: float


@dataclass(frozen=True)
class Hardware:
    """A line of the shopping and cutting list."""

    kind: str
    diameter_mm: float
    length_mm: float
    count: int


class Fastener(Protocol):
    """Holds two or more parts. ``seams`` are the ids of those it spans: mostly one, a rod through several more."""

    kind: ClassVar[str]

    @property
    def seams(self) -> tuple[str, ...]:
        """Ids of the seams it spans."""

    @property
    def position_mm(self) -> tuple[float, float, float]:
        """Its middle, on its first seam."""

    @property
    def axis(self) -> tuple[float, float, float]:
        """Its direction, from below to above."""

    def footprint(self) -> Footprint:
        """What it takes of the parts about its place."""

    def tools(self, side: int) -> tuple[Solid, ...]:
        """What is carved out of the part above (1) or below (-1)."""

    def drawing(self) -> tuple[Spot, ...]:
        """How it is drawn on the flat seam."""

    def hardware(self) -> tuple[Hardware, ...]:
        """What has to be there for it, true to size."""

    def sizes(self) -> dict[str, float]:
        """Its sizes as ``plan.json`` tells them."""
