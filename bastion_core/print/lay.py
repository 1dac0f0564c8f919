"""A part as it is printed: how it lies, and what it takes on each printer that can take it."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from bastion_core.cut.beds import hull_points
from bastion_core.errors import RecipeProblem
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.solid import Solid
from bastion_core.print.estimate import Estimate, Shape, estimate, shape_of
from bastion_core.print.orient import Way, best_lying, laid_matrix, way_of, ways_to_lie
from bastion_core.print.profile import LAYER_HEIGHTS_MM, Profile
from bastion_core.shop import Printer

MOST_OTHERS = 4
"""Ways to lie that are told beside the one taken."""


@dataclass(frozen=True, eq=False)
class LaidPart:
    """A part lying, with its estimates by printer."""

    name: str
    solid: Solid
    """Lying, foot at z = 0."""
    matrix: Floats
    """4x4 from the scaled upright piece to the lying part."""
    estimates: dict[str, Estimate]
    by_layer_height: dict[float, dict[str, tuple[float, float]]]
    """Layer height -> printer -> (hours, grams)."""
    shape: Shape
    way: Way
    """As it lies."""
    others: tuple[tuple[Way, bool], ...]
    """Other ways to lie, the best first, and whether any printer takes it so."""

    @property
    def best_printer(self) -> str | None:
        """The printer that takes the fewest hours, None where no printer can take the part."""
        return min(self.estimates, key=lambda p: self.estimates[p].hours) if self.estimates else None


def lay_part(
    name: str,
    solid: Solid,
    cut_normals: Sequence[Floats],
    printers: Sequence[Printer],
    profile: Profile,
    down: Floats | None = None,
    spared: Sequence[tuple[Floats, float]] = (),
) -> LaidPart:
    """Lay one part and estimate it on every printer that can take it.

    One way to lie is chosen for all printers: the one that is best where it fits, or the side ``down`` that the maker chose. A part that
    fits nowhere is laid the best way regardless and has no estimates. ``spared`` are places of the standing part without support.
    """
    hull = hull_points(solid.mesh().vertices)
    possible = ways_to_lie(solid, [np.asarray(n, dtype=np.float64) for n in cut_normals], profile)
    if down is None:
        ways = possible
    else:
        # The maker's way may be one of those that were looked at, with a name; else it is judged by itself.
        near = [w for w in possible if float(np.dot(w.down, down)) > 0.9995]
        ways = near[:1] or [way_of(solid, down, cut_normals, profile)]
    lying_on = [chosen for p in printers if (chosen := best_lying(hull, ways, p))]
    if lying_on:
        way, lying = min(lying_on, key=lambda wl: wl[0].cost_min)
    else:
        anywhere = best_lying(hull, ways, Printer("any", 4000, 4000, 4000, 0.0))
        if anywhere is None:
            raise RecipeProblem(f"{name} is larger than four metres. Look at its unit and scale.")
        way, lying = anywhere
    matrix = laid_matrix(solid, lying)
    laid = solid.transformed(matrix)
    shape = shape_of(laid, profile.layer_mm, profile, [(matrix[:3, :3] @ at + matrix[:3, 3], reach) for at, reach in spared])
    able = [p for p in printers if best_lying(hull, [way], p)]
    estimates = {p.name: estimate(shape, profile, p) for p in able}
    sweep: dict[float, dict[str, tuple[float, float]]] = {}
    for height in LAYER_HEIGHTS_MM:
        other = profile.with_layer(height)
        sweep[height] = {p.name: (e.hours, e.filament_g) for p in able for e in (estimate(shape, other, p),)}
    others = [(w, any(best_lying(hull, [w], p) for p in printers)) for w in possible if w is not way and w.down != way.down]
    return LaidPart(name, laid, matrix, estimates, sweep, shape, way, tuple(others[:MOST_OTHERS]))
