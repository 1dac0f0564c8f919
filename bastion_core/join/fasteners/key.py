"""Keys are printed with the parts: grown on one, carved out of the other."""

from dataclasses import dataclass, field
from typing import ClassVar

from shapely.geometry.base import BaseGeometry

from bastion_core.cut.parting import rim_in_space
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.solid import Solid
from bastion_core.join.ask import Ask
from bastion_core.join.fasteners.base import At, Drawn, Hardware, drawn

END_MM = 0.4
"""Free over a key's end, so that the seam closes before it; common practice, no source."""
LEAST_RUN_MM = 8.0
"""A shorter piece of lip or tongue guides nothing; common practice, no source."""


@dataclass(frozen=True, eq=False)
class Key(At):
    """A key along a seam: grown on one part, carved out of the other. ``side`` is the part that has it: -1 below, 1 above."""

    kind: ClassVar[str] = "key"
    movable: ClassVar[bool] = False
    what: str
    """tongue, lip or dovetail."""
    side: int
    thick_mm: float
    height_mm: float
    length_mm: float
    grown: Solid = field(repr=False)
    carved: Solid = field(repr=False)
    face: BaseGeometry = field(repr=False)
    points: Floats = field(repr=False)
    """(n, 3): along it."""
    lean_deg: float = 0.0
    """How far it leans off the seam's axis, with the wall it follows."""

    def taken(self) -> tuple[Floats, float]:
        """All along it."""
        return self.points, self.thick_mm / 2 + self.clearance_mm

    def adds(self, side: int) -> tuple[Solid, ...]:
        """The key on the part that has it."""
        return (self.grown,) if side == self.side else ()

    def tools(self, side: int) -> tuple[Solid, ...]:
        """The groove in the other."""
        return () if side == self.side else (self.carved,)

    def drawing(self) -> tuple[Drawn, ...]:
        """Where it runs."""
        return (drawn(self.face, "grown"),)

    def hardware(self) -> tuple[Hardware, ...]:
        """Nothing to buy."""
        return ()

    def sizes(self) -> dict[str, float]:
        """Thickness, height, length along the seam."""
        return {"thick_mm": round(self.thick_mm, 2), "height_mm": self.height_mm, "length_mm": round(self.length_mm, 1)}


@dataclass(frozen=True, eq=False)
class Body:
    """A key in its seam's frame: what is grown on one part, what is carved out of the other, its face on the seam."""

    side: int
    thick_mm: float
    height_mm: float
    length_mm: float
    face: BaseGeometry
    grown: Solid
    carved: Solid
    lean_deg: float = 0.0

    def on(self, ask: Ask, what: str, axis: tuple[float, float, float] | None = None) -> Key:
        """The key on its seam; ``axis`` where it does not go together along the seam's own."""
        surface = ask.seam.surface
        at = max(getattr(self.face, "geoms", [self.face]), key=lambda p: p.area).representative_point()
        return Key(
            what, self.side, self.thick_mm, self.height_mm, self.length_mm, surface.unflatten(self.grown), surface.unflatten(self.carved), self.face,
            rim_in_space(self.face, surface, 3.0), self.lean_deg, position_mm=ask.room.in_space(at.x, at.y), axis=axis or surface.normal,
            flat_mm=(float(at.x), float(at.y)), seams=(ask.seam.id,), clearance_mm=ask.gap_mm,
        )  # fmt: skip
