"""Whether a part fits a printer: lying on any of its six sides and turned on the bed."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.cluster.hierarchy import DisjointSet
from scipy.spatial import ConvexHull, QhullError

from bastion_core.cut.parting import Cut, Parting
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.place import turn_to_down
from bastion_core.geometry.solid import Solid
from bastion_core.shop import Printer

_TURN_STEP_DEG = 1.0
_SLACK_MM = 1e-3
_EXACT_HULL_POINTS = 4000
_ANGLES = np.arange(800) * np.pi * (3.0 - 5.0**0.5)
_HEIGHTS = 1.0 - (np.arange(800) + 0.5) / 400.0
_SPREAD_DIRECTIONS = np.column_stack([np.sqrt(1 - _HEIGHTS**2) * np.cos(_ANGLES), np.sqrt(1 - _HEIGHTS**2) * np.sin(_ANGLES), _HEIGHTS])
"""A Fibonacci sphere: no direction is more than 4 degrees from one of these."""
_HULL_ALLOWANCE = 1.0015


@dataclass(frozen=True)
class Bed:
    """What of a printer the cut depends on."""

    name: str
    usable_mm: tuple[float, float, float]
    bed_moves: bool
    speed_mm_s: float
    acceleration_mm_s2: float

    @classmethod
    def of(cls, printer: Printer) -> "Bed":
        return cls(printer.name, printer.usable_mm, printer.bed_moves, printer.speed_mm_s, printer.acceleration_mm_s2)

    def printer(self) -> Printer:
        """A printer of that usable volume and speed."""
        return Printer(self.name, *self.usable_mm, 0.0, self.bed_moves, self.speed_mm_s, self.acceleration_mm_s2)


@dataclass(frozen=True)
class Lying:
    """A way to lie on a bed: the side that is down (unit vector in the part's frame) and the turn about z."""

    down: tuple[float, float, float]
    turn_deg: float
    size_mm: tuple[float, float, float]


SIX_SIDES: tuple[tuple[float, float, float], ...] = (
    (0.0, 0.0, -1.0),
    (0.0, 0.0, 1.0),
    (0.0, -1.0, 0.0),
    (0.0, 1.0, 0.0),
    (-1.0, 0.0, 0.0),
    (1.0, 0.0, 0.0),
)


def hull_points(points: Floats) -> Floats:
    """Few points (k, 3) that reach as far as ``points`` (n, 3) in every direction: the corners of the convex hull.

    Of many points only the outermost along evenly spread directions are kept, pushed out by more than what
    lies between them can stand out, so that nothing is ever told to fit that does not.
    """
    if len(points) < 5:
        return points
    if len(points) > _EXACT_HULL_POINTS:
        reach = np.zeros(len(points), dtype=np.bool_)
        columns = np.ascontiguousarray(points.T, dtype=np.float32)
        for some in np.array_split(_SPREAD_DIRECTIONS.astype(np.float32), 32):
            reach[(some @ columns).argmax(axis=1)] = True
        outer = points[reach]
        middle = (outer.min(axis=0) + outer.max(axis=0)) / 2
        return np.asarray(middle + (outer - middle) * _HULL_ALLOWANCE)
    try:
        return np.asarray(points[ConvexHull(points).vertices])
    except QhullError:
        return points


def lie_on(hull: Floats, down: tuple[float, float, float], printer: Printer) -> Lying | None:
    """How ``hull`` (n, 3) lies on the printer with ``down`` below, the least turn that fits; None when none does."""
    lying = hull @ turn_to_down(np.array(down))[:3, :3].T
    width, depth, height = printer.usable_mm
    tall = float(np.ptp(lying[:, 2]))
    if tall > height + _SLACK_MM:
        return None
    angles = np.radians(np.arange(0.0, 180.0, _TURN_STEP_DEG))
    x = np.ptp(lying[:, 0, None] * np.cos(angles) - lying[:, 1, None] * np.sin(angles), axis=0)
    y = np.roll(x, -int(90 / _TURN_STEP_DEG))  # the extent along y is the one along x a quarter turn on
    # x at angle+90 measures -y: extents do not care about the sign.
    fitting = np.flatnonzero((x <= width + _SLACK_MM) & (y <= depth + _SLACK_MM))
    if not len(fitting):
        return None
    best = int(fitting[0])
    return Lying(down, float(np.degrees(angles[best])), (float(x[best]), float(y[best]), tall))


def fits(hull: Floats, printer: Printer) -> Lying | None:
    """The first of the six sides on which ``hull`` (n, 3) lies within the printer's usable volume, or None."""
    for down in SIX_SIDES[::2]:  # opposite sides need the same room
        lying = lie_on(hull, down, printer)
        if lying:
            return lying
    return None


def fits_any(solid: Solid, printers: Sequence[Printer]) -> bool:
    """Whether one of the printers takes a solid."""
    hull = hull_points(solid.mesh().vertices)
    return any(fits(hull, p) for p in printers)


def unneeded(parting: Parting, cuts: Sequence[Cut], printers: Sequence[Printer]) -> tuple[str, ...]:
    """Ids of the cuts without which every part would still fit a printer."""
    hulls = {p.name: hull_points(p.solid.mesh().vertices) for p in parting.parts}
    found = []
    for cut in cuts:
        together = DisjointSet(hulls)
        seams = [s for s in parting.seams if s.cut_id == cut.id]
        for seam in seams:
            together.merge(seam.above, seam.below)
        groups = [np.concatenate([hulls[name] for name in group]) for group in together.subsets() if len(group) > 1]
        if seams and all(any(fits(points, p) for p in printers) for points in groups):
            found.append(cut.id)
    return tuple(found)
