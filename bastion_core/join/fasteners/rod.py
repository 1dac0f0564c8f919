"""A rod in its bore through one or more parts."""

from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np
from shapely import Point

from bastion_core.cut.parting import Seam
from bastion_core.geometry.arrays import three
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.place import plane_frame
from bastion_core.geometry.solid import Solid
from bastion_core.join.fasteners.base import At, Drawn, Hardware, drawn
from bastion_core.statics.stock import Stock

END_MM = 0.5
"""Left free at either end of a rod for glue; common practice, no source."""


@dataclass(frozen=True, eq=False)
class RodIn(At):
    """A rod in its bore through one or more parts, glued in."""

    kind: ClassVar[str] = "rod"
    movable: ClassVar[bool] = False
    stock: Stock
    low: tuple[float, float, float]
    """Its ends in space."""
    high: tuple[float, float, float]

    @property
    def length_mm(self) -> float:
        return float(np.linalg.norm(np.subtract(self.high, self.low)))

    @property
    def radius_mm(self) -> float:
        return self.stock.diameter_mm / 2 + self.clearance_mm

    def taken(self) -> tuple[Floats, float]:
        """All along it."""
        steps = max(int(self.length_mm / 2), 2)
        return np.linspace(self.low, self.high, steps), self.radius_mm

    def adds(self, side: int) -> tuple[Solid, ...]:
        """Nothing."""
        return ()

    def tools(self, side: int) -> tuple[Solid, ...]:
        """The whole bore: every part gives what of it lies in it."""
        axis = np.array(self.axis)
        matrix = np.eye(4)
        matrix[:3, :3] = plane_frame(axis)
        matrix[:3, 3] = (np.array(self.low) + np.array(self.high)) / 2
        return (Solid.cylinder(self.radius_mm, self.length_mm + 2 * END_MM, 64).transformed(matrix),)

    def drawing(self) -> tuple[Drawn, ...]:
        """The bore where it crosses its first seam, taken as square to it."""
        return (drawn(Point(*self.flat_mm).buffer(self.radius_mm), "hole"),)

    def hardware(self) -> tuple[Hardware, ...]:
        """The rod to cut."""
        return (Hardware("rod", self.stock.diameter_mm, round(self.length_mm, 0), 1, self.stock.name[0].upper() + self.stock.name[1:]),)

    def sizes(self) -> dict[str, float]:
        """Thickness and length."""
        return {"diameter_mm": self.stock.diameter_mm, "length_mm": round(self.length_mm, 1)}

    def crosses(self, seam: Seam) -> bool:
        """Whether it passes through a seam's face or near it."""
        flat = seam.surface.to_flat()
        low, high = (flat[:3, :3] @ np.array(p) + flat[:3, 3] for p in (self.low, self.high))
        return bool(low[2] * high[2] < 0) and seam.face.distance(Point(*self.on(seam).flat_mm)) < self.radius_mm + 20

    def on(self, seam: Seam) -> "RodIn":
        """The same, told from one of the seams it crosses."""
        flat = seam.surface.to_flat()
        low, high = (flat[:3, :3] @ np.array(p) + flat[:3, 3] for p in (self.low, self.high))
        share = low[2] / (low[2] - high[2]) if abs(low[2] - high[2]) > 1e-9 else 0.5
        at = low + float(np.clip(share, 0, 1)) * (high - low)
        return replace(
            self, position_mm=three(seam.surface.to_space(at[None, :2])[0]), flat_mm=(float(at[0]), float(at[1])), seams=(seam.id,)
        )
