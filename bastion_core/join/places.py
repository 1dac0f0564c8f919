"""Where a seam has room: places whose neighbourhood is full of material in both parts, deep enough, with a wall all round.

The section of either part at several depths from the seam is shrunk by what is to be carved and the wall that has to stay, and all
of them intersected: what is left are the places. It holds for any footprint, and for any surface that lies flat in its own frame.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np
import shapely
from shapely import Polygon, unary_union
from shapely.geometry.base import BaseGeometry

from bastion_core.cut.parting import Seam
from bastion_core.geometry.arrays import three
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.solid import Solid

_DEPTH_STEPS = 4
_SIMPLE_MM = 0.02
_UNDER_MM = 0.2
"""How much of the wall beside it has to stay under the bottom, too."""


@dataclass(frozen=True)
class Footprint:
    """What is carved about a place: a round hole so wide and so deep in either part (mm)."""

    radius_mm: float
    depth_mm: float


class Carved(Protocol):
    """Something made about a place elsewhere in the same parts."""

    def taken(self) -> tuple[Floats, float]:
        """Points (n, 3) along it, and how far (mm) round each nothing else may be made."""


@dataclass(frozen=True, eq=False)
class KeptOff:
    """Where nothing is to be made."""

    points: Floats
    """(n, 3)."""
    reach_mm: float

    def taken(self) -> tuple[Floats, float]:
        """Itself."""
        return self.points, self.reach_mm


def outline_of(seam: Seam, reach_mm: float) -> KeptOff:
    """The rims of another seam, so that what holds this one ends before it."""
    return KeptOff(seam.rim(), reach_mm)


class SeamRoom:
    """The room that one seam's two parts have about it."""

    def __init__(self, seam: Seam, above: Solid, below: Solid) -> None:
        self.seam = seam
        self.flat = seam.surface.to_flat()
        self.face = shapely.simplify(seam.face, _SIMPLE_MM)
        self._halves = {1: seam.surface.flatten(above), -1: seam.surface.flatten(below)}
        self._sections: dict[float, BaseGeometry] = {}
        self._of_side: dict[tuple[int, float], BaseGeometry] = {}

    def half(self, side: int) -> Solid:
        """The part above (1) or below (-1) in the seam's frame."""
        return self._halves[side]

    def section(self, side: int, depth_mm: float) -> BaseGeometry:
        """The section of the part above (1) or below (-1) so deep from the seam, in its frame."""
        key = (side, round(depth_mm, 3))
        if key not in self._of_side:
            self._of_side[key] = shapely.simplify(self._halves[side].section(side * key[1]), _SIMPLE_MM)
        return self._of_side[key]

    def shared(self, depth_mm: float) -> BaseGeometry:
        """What of the seam both parts still fill so deep from it, either way."""
        key = round(depth_mm, 3)
        if key not in self._sections:
            self._sections[key] = self.section(1, key).intersection(self.section(-1, key))
        return self._sections[key]

    def places(self, footprint: Footprint, wall_mm: float, others: Sequence[Carved] = ()) -> BaseGeometry:
        """Middles in the seam's frame about which a footprint keeps its wall, clear of what other seams carve."""
        about = footprint.radius_mm + wall_mm
        room = self.face.buffer(-about)
        for step in range(1, _DEPTH_STEPS + 1):
            if room.is_empty:
                return room
            room = room.intersection(self.shared(footprint.depth_mm * step / _DEPTH_STEPS).buffer(-about))
        if not room.is_empty:
            # Under the bottom of the hole a wall has to stay as well.
            room = room.intersection(self.shared(footprint.depth_mm + wall_mm).buffer(-(footprint.radius_mm + _UNDER_MM)))
        return self._clear_of(room, others, footprint, wall_mm)

    def _clear_of(self, room: BaseGeometry, others: Sequence[Carved], footprint: Footprint, wall_mm: float) -> BaseGeometry:
        if room.is_empty or not others:
            return room
        return room.difference(self.blocked(others, footprint.depth_mm + wall_mm, footprint.radius_mm + wall_mm))

    def blocked(self, others: Sequence[Carved], height_mm: float, wall_mm: float) -> BaseGeometry:
        """What of the seam's frame is taken, within so much of the seam, by what was made elsewhere."""
        discs = []
        for other in others:
            points, reach = other.taken()
            if not len(points):
                continue
            local = points @ self.flat[:3, :3].T + self.flat[:3, 3]
            high = self.seam.surface.heights(points)
            near = local[np.abs(high) < height_mm + reach, :2]
            if len(near):
                discs.append(shapely.buffer(shapely.multipoints(near), reach + wall_mm, quad_segs=4))
        return unary_union(discs) if discs else Polygon()

    def in_space(self, u: float, v: float) -> tuple[float, float, float]:
        """A place of the seam's frame in the piece's millimetres."""
        return three(self.seam.surface.to_space(np.array([[u, v]]))[0])

    def in_frame(self, at_mm: Floats) -> Floats:
        """(n, 2): places (n, 3) of the piece, seen along the seam's normal."""
        return np.asarray((at_mm @ self.flat[:3, :3].T + self.flat[:3, 3])[:, :2])


def spread(room: BaseGeometry, wanted: int, least_apart_mm: float) -> list[Floats]:
    """Up to ``wanted`` points (2,) of ``room``, each as far from the others as can be, none nearer than ``least_apart_mm``."""
    candidates = _points_in(room)
    if not len(candidates):
        return []
    # The two farthest apart first, then always the one farthest from those taken.
    far = candidates[int(np.argmax(np.linalg.norm(candidates - candidates.mean(axis=0), axis=1)))]
    first = candidates[int(np.argmax(np.linalg.norm(candidates - far, axis=1)))]
    taken = [first]
    distance = np.linalg.norm(candidates - first, axis=1)
    while len(taken) < wanted:
        at = int(np.argmax(distance))
        if distance[at] < least_apart_mm:
            break
        taken.append(candidates[at])
        distance = np.minimum(distance, np.linalg.norm(candidates - candidates[at], axis=1))
    return taken


def _points_in(room: BaseGeometry) -> Floats:
    """(n, 2): points along the rims of ``room`` and one within each of its islands."""
    found: list[Floats] = []
    for island in getattr(room, "geoms", [room]):
        if island.geom_type != "Polygon" or island.is_empty or island.area < 1e-6:
            continue
        inner = island.representative_point()
        found.append(np.array([[inner.x, inner.y]]))
        rim = island.exterior
        steps = max(int(rim.length / 2.0), 4)
        found.append(np.array([rim.interpolate(i / steps, normalized=True).coords[0] for i in range(steps)]))
    return np.concatenate(found) if found else np.zeros((0, 2))
