"""Where a seam has room: places whose neighbourhood is full of material in both parts, deep enough, with a wall all round.

The section of either part at several depths from the seam is shrunk by what is to be carved and the wall that has to stay, and all
of them intersected: what is left are the places. It holds for any footprint, and for any surface that lies flat in its own frame.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from shapely import Point, unary_union
from shapely.geometry.base import BaseGeometry

from bastion_core.cut.parting import Seam
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.solid import Solid

_DEPTH_STEPS = 4
_UNDER_MM = 0.2
"""How much of the wall beside it has to stay under the bottom, too."""


@dataclass(frozen=True)
class Footprint:
    """What is carved about a place: a round hole so wide and so deep in either part (mm)."""

    radius_mm: float
    depth_mm: float


class Carved(Protocol):
    """Something carved about a place elsewhere in the same parts."""

    def footprint(self) -> Footprint:
        """What it takes."""

    @property
    def position_mm(self) -> tuple[float, float, float]:
        """Its middle, on its seam."""

    @property
    def axis(self) -> tuple[float, float, float]:
        """Its direction, from below to above."""


class SeamRoom:
    """The room that one seam's two parts have about it."""

    def __init__(self, seam: Seam, above: Solid, below: Solid) -> None:
        self.seam = seam
        self.flat = seam.surface.to_flat()
        self._upper, self._lower = above.transformed(self.flat), below.transformed(self.flat)
        self._sections: dict[float, BaseGeometry] = {}

    def shared(self, depth_mm: float) -> BaseGeometry:
        """What of the seam both parts still fill so deep from it, either way."""
        key = round(depth_mm, 3)
        if key not in self._sections:
            self._sections[key] = self._upper.section(key).intersection(self._lower.section(-key))
        return self._sections[key]

    def places(self, footprint: Footprint, wall_mm: float, others: Sequence[Carved] = ()) -> BaseGeometry:
        """Middles in the seam's frame about which a footprint keeps its wall, clear of what other seams carve."""
        about = footprint.radius_mm + wall_mm
        room = self.seam.face.buffer(-about)
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
        blocked = []
        for other in others:
            theirs = other.footprint()
            along = np.linspace(-theirs.depth_mm, theirs.depth_mm, 9)[:, None] * np.array(other.axis) + np.array(other.position_mm)
            local = along @ self.flat[:3, :3].T + self.flat[:3, 3]
            near = local[np.abs(local[:, 2]) < footprint.depth_mm + theirs.radius_mm + wall_mm]
            blocked += [Point(x, y).buffer(footprint.radius_mm + theirs.radius_mm + wall_mm) for x, y in near[:, :2]]
        return room.difference(unary_union(blocked)) if blocked else room

    def in_space(self, u: float, v: float) -> tuple[float, float, float]:
        """A place of the seam's frame in the piece's millimetres."""
        x, y, z, _ = np.linalg.inv(self.flat) @ [u, v, 0.0, 1.0]
        return float(x), float(y), float(z)


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
