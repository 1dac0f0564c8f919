"""Keys are printed with the parts: grown on one, carved out of the other."""

from dataclasses import dataclass, field
from typing import ClassVar

import shapely
from shapely.geometry.base import BaseGeometry

from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.solid import Solid
from bastion_core.join.fasteners.base import At, Drawn, Hardware, drawn
from bastion_core.join.places import SeamRoom

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


def middle_of(room: SeamRoom, face: BaseGeometry) -> tuple[tuple[float, float, float], tuple[float, float]]:
    """A place within a key's face, in space and in the seam's frame."""
    at = max(getattr(face, "geoms", [face]), key=lambda p: p.area).representative_point()
    return room.in_space(at.x, at.y), (float(at.x), float(at.y))


def points_of(room: SeamRoom, face: BaseGeometry) -> Floats:
    """(n, 3): along the rim of a key's face."""
    flat = shapely.get_coordinates(shapely.segmentize(face.boundary, 3.0))
    return room.seam.surface.to_space(flat)
