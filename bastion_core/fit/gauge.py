"""A gauge ring: a thin slice of a piece at its true size, to be tried on in minutes instead of days."""

from dataclasses import dataclass

import numpy as np

from bastion_core.errors import RecipeProblem
from bastion_core.fit.answer import AnswerRecord
from bastion_core.geometry.place import Plane, scaling, shifting
from bastion_core.geometry.solid import Solid
from bastion_core.print.estimate import estimate
from bastion_core.print.profile import Profile
from bastion_core.print.shape import shape_of
from bastion_core.shop import Printer

RING_MM = 10.0
"""Usual height of a gauge ring; common practice, no source."""


@dataclass(frozen=True, eq=False)
class GaugeRing:
    """The ring lying as it is printed, and what it takes."""

    solid: Solid
    at_mm: float
    minutes: float
    filament_g: float
    size_mm: tuple[float, float, float]


def gauge_ring(
    piece: Solid,
    scale: tuple[float, float, float],
    at_mm: float,
    height_mm: float = RING_MM,
    printer: Printer | None = None,
    profile: Profile | None = None,
) -> GaugeRing:
    """A slice of an upright piece (scale 1) at its scale, ``at_mm`` above the scaled piece's lower edge.

    RecipeProblem when there is nothing of the piece at that height.
    """
    if not 2 <= height_mm <= 60:
        raise RecipeProblem(f"A gauge ring of {height_mm:g} mm is out of bounds (2 to 60 mm).")
    solid = piece.transformed(scaling(*scale))
    low, high = float(solid.bounds[0, 2]), float(solid.bounds[1, 2])
    bottom = float(np.clip(low + at_mm - height_mm / 2, low, max(high - height_mm, low)))
    above, _ = solid.split(Plane((0.0, 0.0, 1.0), bottom))
    _, ring = above.split(Plane((0.0, 0.0, 1.0), bottom + height_mm))
    if ring.is_empty or ring.volume < 1:
        raise RecipeProblem(
            f"There is nothing of the piece {at_mm:.0f} mm above its lower edge. Choose another height (0 to {high - low:.0f} mm)."
        )
    laid = ring.transformed(shifting(np.array([0.0, 0.0, -bottom])))
    used = profile or Profile()
    taken = estimate(shape_of(laid, used), used, printer or Printer("ordinary", 220, 220, 250))
    size = laid.size
    return GaugeRing(
        laid, bottom - low + height_mm / 2, taken.hours * 60, taken.filament_g, (float(size[0]), float(size[1]), float(size[2]))
    )


def tight_height(answer: AnswerRecord | None, size_z_mm: float = 0.0) -> float:
    """Height of the tightest ring above the scaled piece's lower edge; the middle of a piece that was not judged."""
    if answer is None:
        return size_z_mm / 2
    ring = answer.way_in.ring
    if ring is not None and not answer.way_in.passes:
        return ring.at_mm
    return answer.room.at_mm[2] - answer.low_mm
