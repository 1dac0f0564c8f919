"""Every way to cut a piece by planes of a grid, a given number deep, by the quick judge: what a search is measured against."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from bastion_core.cut.cost import Costs
from bastion_core.cut.field import Box, Field, costs_of
from bastion_core.cut.plans import PROFILE, surface_of
from bastion_core.cut.search import Search
from bastion_core.geometry.place import scaling
from bastion_core.geometry.solid import Solid
from bastion_core.shop import Printer, Weights
from bastion_core.tests.shapes import BUNNY, HINGE, box, dome, plain_bracer, plain_greave, plain_helm, reference, tube


def best_of_all(field: Field, step_mm: float, deep: int, weighs: Callable[[Costs], float]) -> float:
    """The least that ``weighs`` (hours, or any cost that adds up) comes to over all cuts ``step_mm`` apart, ``deep`` one after the other: no order
    and no shortcut but a memory of boxes; infinite where there is none."""
    low, high = (np.array(v) for v in field.whole)
    at = [np.arange(low[k] + step_mm, high[k], step_mm) for k in range(3)]
    known: dict[tuple[Box, int], float] = {}

    def best(bounds: Box, left: int) -> float:
        key = bounds, left
        if key not in known:
            known[key] = found(bounds, left)
        return known[key]

    def found(bounds: Box, left: int) -> float:
        leaf = field.leaf(bounds)
        if leaf is None:
            return math.inf
        least = weighs(leaf.costs) if leaf.fits else math.inf
        if left:
            for axis in range(3):
                for place in at[axis]:
                    if not bounds[0][axis] + 12 < place < bounds[1][axis] - 12:
                        continue
                    seam = field.seam(bounds, axis, float(place))
                    if seam is None:
                        continue
                    above, below = list(bounds[0]), list(bounds[1])
                    above[axis] = below[axis] = float(place)
                    halves: list[Box] = [(bounds[0], (below[0], below[1], below[2])), ((above[0], above[1], above[2]), bounds[1])]
                    if left == 1 and not all(field.takes(half) for half in halves):
                        continue
                    so_far = weighs(seam) + best(halves[0], left - 1)
                    if so_far < least:
                        least = min(least, so_far + best(halves[1], left - 1))
        return least

    return best(field.whole, deep)


@dataclass(frozen=True)
class Compared:
    """The hours of the proposal and of the best of all there is."""

    name: str
    parts: int
    hours: float
    best_h: float


def models() -> dict[str, tuple[Solid, tuple[Printer, ...], float, int]]:
    """Ten models that take 2 to 8 parts: solid, beds, step of the grid (mm), how many planes one after the other."""
    slow, quick = Printer("Slow", 210, 210, 240, 5, True, 70.0, 1000.0), Printer("Quick", 230, 200, 210, 5, False, 220.0, 8000.0)
    small, middling = Printer("Small", 130, 130, 130), Printer("Middling", 180, 180, 180)

    def blown(path: Path, by: float) -> Solid:
        return Solid.from_mesh(reference(path)).transformed(scaling(by, by, by))

    return {
        "helm with an open face, two beds": (Solid.from_mesh(plain_helm()), (slow, quick), 10.0, 2),
        "the same on a bed of 180": (Solid.from_mesh(plain_helm()), (middling,), 20.0, 3),
        "wide dome": (dome(300, 190, 200, 4), (slow, quick), 10.0, 2),
        "deep dome": (dome(180, 220, 280, 4), (slow, quick), 10.0, 2),
        "greave": (Solid.from_mesh(plain_greave()), (slow, quick), 10.0, 2),
        "bracer": (Solid.from_mesh(plain_bracer()), (middling,), 10.0, 2),
        "tube of 500": (tube(60, 3, 500), (slow, quick), 10.0, 2),
        "bar with a foot": (Solid(box(60, 40, 400).manifold + box(160, 160, 20).manifold), (slow, quick), 10.0, 2),
        "rabbit": (blown(BUNNY, 1.0), (small,), 10.0, 2),
        "hinge": (blown(HINGE, 4.0), (slow,), 10.0, 2),
    }


def compared(name: str, solid: Solid, beds: tuple[Printer, ...], step_mm: float, deep: int) -> Compared:
    """The plan for the fewest hours beside the best there is."""
    sight = surface_of(solid)
    field = Field(sight.mesh, sight, beds, PROFILE, Weights(), 22.0)
    tree = Search(field).best("hours")
    costs = Costs() if tree is None else costs_of(tree)
    return Compared(name, costs.parts, costs.hours, best_of_all(field, step_mm, deep, lambda c: c.hours))
