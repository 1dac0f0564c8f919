"""A part as it is printed: how it lies, and what it takes on each printer that can take it."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from bastion_core.cut.beds import Lying, hull_points
from bastion_core.errors import RecipeProblem
from bastion_core.findings import say
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.solid import Solid
from bastion_core.print.estimate import Estimate, estimate
from bastion_core.print.forming import FORMER_INFILL, FORMER_WALLS, Formed, formed
from bastion_core.print.hands import Hands
from bastion_core.print.orient import Way, best_lying, laid_matrix, ways_to_lie
from bastion_core.print.profile import LAYER_HEIGHTS_MM, Profile, material
from bastion_core.print.resin import InResin, in_resin
from bastion_core.print.sanding import Seen
from bastion_core.print.shape import Shape, shape_of
from bastion_core.print.supports import Holding
from bastion_core.shop import Printer

MOST_OTHERS = 4
"""Ways to lie that are told beside the one taken."""


@dataclass(frozen=True, eq=False)
class Plate:
    """A part printed flat, and what it is formed over."""

    formed: Formed
    flat: "LaidPart"
    former: "LaidPart"

    @property
    def hours(self) -> float:
        """Both, each on its quickest printer."""
        return sum(p.estimates[p.best_printer].hours for p in (self.flat, self.former) if p.best_printer)


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
    holding: Holding
    """What is held, in the lying part's frame."""
    seen: Seen
    way: Way
    """As it lies."""
    others: tuple[tuple[Way, bool], ...]
    """Other ways to lie, the best first, and whether any printer takes it so."""
    resin: InResin | None = None
    """What it would take in resin, where a resin printer takes it; what it takes where it is made so."""
    of_resin: bool = False
    turned: tuple["LaidPart", ...] = ()
    """The same part as it lies on printers that do not take it so."""
    plate: Plate | None = None
    """What it takes printed flat and formed, where it can be; it is made so where ``flat``."""
    flat: bool = False
    lying: Lying | None = None

    @property
    def best_printer(self) -> str | None:
        """The printer that takes the fewest hours, None where no printer can take the part."""
        return min(self.estimates, key=lambda p: self.estimates[p].hours) if self.estimates else None

    def hands(self, profile: Profile) -> Hands:
        """What it leaves for the hands, printed with a profile."""
        if self.of_resin and self.resin is not None:
            return self.resin.hands
        return self.seen.hands(profile, self.shape.support.held_mm2)


def lay_part(
    name: str,
    solid: Solid,
    cut_normals: Sequence[Floats],
    printers: Sequence[Printer],
    profile: Profile,
    down: Floats | None = None,
    holding: Holding | None = None,
    resin_printers: Sequence[Printer] = (),
    of_resin: bool = False,
    flat: bool = False,
) -> LaidPart:
    """Lay one part, estimate it on every printer that can take it, and tell what else could be done with it.

    It lies as ``lie`` says; for printers that do not take it so it is laid once more, the best way that fits them. ``of_resin``: it is made
    on one of the ``resin_printers``, where one takes it. ``flat``: it is printed flat and formed, where it can be.
    """
    plate = _plate(name, solid, printers, profile)
    if plate is not None and flat:
        return replace(plate.flat, plate=plate, flat=True)
    resin = in_resin(solid, cut_normals, resin_printers)
    if resin is not None and of_resin:
        return _of_resin(name, solid, cut_normals, *resin)
    place = _Place(name, solid, tuple(cut_normals), profile, holding or profile.holding(), down)
    laid = place.best(printers)
    sweep: dict[float, dict[str, tuple[float, float]]] = {}
    able = [p for p in printers if p.name in laid.estimates]
    for height in LAYER_HEIGHTS_MM:
        other = profile.with_layer(height)
        sweep[height] = {p.name: (e.hours, e.filament_g) for p in able for e in (estimate(laid.shape, other, p),)}
    return replace(
        laid, by_layer_height=sweep, others=place.others(laid.way, printers), resin=resin and resin[0],
        turned=place.turned([p for p in printers if p not in able]), plate=plate,
    )  # fmt: skip


def lie(name: str, solid: Solid, cut_normals: Sequence[Floats], printers: Sequence[Printer], profile: Profile) -> LaidPart:
    """Lay one part the way that is best where it fits, and estimate it on every printer that takes it so.

    A part that fits nowhere is laid the best way regardless and has no estimates. RecipeProblem where it is beyond any bed.
    """
    return _Place(name, solid, tuple(cut_normals), profile, profile.holding(), None).best(printers)


@dataclass(frozen=True, eq=False)
class _Place:
    """A part to be laid, on the side ``down`` where the maker chose it; ``holding`` is what to hold of it as it stands."""

    name: str
    solid: Solid
    cut_normals: tuple[Floats, ...]
    profile: Profile
    holding: Holding
    down: Floats | None

    @cached_property
    def hull(self) -> Floats:
        return hull_points(self.solid.mesh().vertices)

    @cached_property
    def possible(self) -> list[Way]:
        return ways_to_lie(self.solid, self.cut_normals, self.profile, self.down)

    @property
    def ways(self) -> list[Way]:
        down = self.down
        return self.possible if down is None else [max(self.possible, key=lambda w: float(np.dot(w.down, down)))]

    def on(self, printer: Printer) -> tuple[Way, Lying] | None:
        """The best way on a printer."""
        return best_lying(self.hull, self.ways, printer, self.profile.brim_mm)

    def best(self, printers: Sequence[Printer]) -> LaidPart:
        """The way that is best where it fits."""
        found = [chosen for p in printers if (chosen := self.on(p))]
        chosen = min(found, key=lambda wl: wl[0].cost_min) if found else self.on(Printer("any", 4000, 4000, 4000, 0.0))
        if chosen is None:
            raise RecipeProblem(f"{self.name} is larger than four metres. Look at its unit and scale.")
        return self.made(*chosen, [p for p in printers if best_lying(self.hull, [chosen[0]], p)])

    def turned(self, printers: Sequence[Printer]) -> tuple[LaidPart, ...]:
        """The same laid once more, for each way that is best on printers that did not take it otherwise."""
        by_side: dict[tuple[float, float, float], tuple[Way, Lying, list[Printer]]] = {}
        for printer in printers:
            chosen = self.on(printer)
            if chosen is not None:
                by_side.setdefault(chosen[0].down, (*chosen, []))[2].append(printer)
        return tuple(self.made(*t) for t in by_side.values())

    def others(self, taken: Way, printers: Sequence[Printer]) -> tuple[tuple[Way, bool], ...]:
        """Other ways, the best first, and whether any printer takes it so."""
        rest = [w for w in self.possible if w.down != taken.down][:MOST_OTHERS]
        return tuple((w, any(best_lying(self.hull, [w], p) for p in printers)) for w in rest)

    def made(self, way: Way, lying: Lying, able: Sequence[Printer]) -> LaidPart:
        """Lying one way, estimated on the printers that take it so."""
        matrix = laid_matrix(self.solid, lying)
        laid = self.solid.transformed(matrix)
        held = self.holding.lying(matrix)
        shape = shape_of(laid, self.profile, held)
        seen = Seen.of(shape.mesh, held, [matrix[:3, :3] @ n for n in self.cut_normals])
        estimates = {p.name: estimate(shape, self.profile, p) for p in able}
        return LaidPart(self.name, laid, matrix, estimates, {}, shape, held, seen, way, (), lying=lying)


def _plate(name: str, solid: Solid, printers: Sequence[Printer], profile: Profile) -> Plate | None:
    """What a thin plate takes printed flat and formed with heat; None where it cannot be, or neither fits a printer."""
    found = formed(solid) if material(profile.material).forms_with_heat else None
    if found is None:
        return None
    over = replace(profile, walls=FORMER_WALLS, infill=FORMER_INFILL)
    flat, former = lay_part(name, found.flat, [], printers, profile), lay_part(f"{name}-former", found.former, [], printers, over)
    return Plate(found, flat, former) if flat.best_printer and former.best_printer else None


def _of_resin(name: str, solid: Solid, cut_normals: Sequence[Floats], made: InResin, printer: Printer, lying: Lying) -> LaidPart:
    """A part as it stands in a resin printer, with thin supports that are not drawn."""
    matrix = laid_matrix(solid, lying)
    laid = solid.transformed(matrix)
    profile = Profile(layer_mm=printer.resin_layer_mm, support="none")
    shape = shape_of(laid, profile)
    seen = Seen.of(shape.mesh, profile.holding(), [matrix[:3, :3] @ n for n in cut_normals])
    way = Way(lying.down, 0.0, called=say("tilted, in resin"), height_mm=lying.size_mm[2])
    return LaidPart(name, laid, matrix, {printer.name: made.estimate(printer)}, {}, shape, profile.holding(), seen, way, (), made, True)
