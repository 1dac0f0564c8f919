"""Plans to part a piece, for several aims: found by the quick search, the best of them carried out and reckoned in full as the parts will lie."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from bastion_core.cut.aims import AIMS, Aim
from bastion_core.cut.beds import fits_any
from bastion_core.cut.cost import Costs, risk_h, seam_h
from bastion_core.cut.field import Field, Tree, costs_of, cuts_of, leaves_of
from bastion_core.cut.parting import Cut, Parting, Seam, glued_normals, part_solid
from bastion_core.cut.search import Search
from bastion_core.cut.visible import SHOWS, Sight
from bastion_core.errors import RecipeProblem
from bastion_core.formats.glb import simplified
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.place import shifting
from bastion_core.geometry.solid import Solid
from bastion_core.pieces.silhouette import silhouette
from bastion_core.print.lay import LaidPart, lie
from bastion_core.print.orient import tips_over
from bastion_core.print.profile import Profile, material
from bastion_core.print.queue import Task, without_nights_h
from bastion_core.progress import Progress, silent, span
from bastion_core.shop import Printer, Weights

PROFILE = Profile()
"""Plans are compared as printed the usual way, so that a change of layers or infill does not part a piece anew."""
SURFACE_TRIANGLES = 12_000
_PROXY_MM = 0.35
_STEP_MM = 2.0
_CONFIRMED = 3
_ALIKE = 0.02
"""Plans of as many parts whose hours and costs differ by less than this share are one."""
_APART = 0.22
"""How far parts are drawn apart, of the way to the middle of all."""
_DRAWN_MM = 1.5


@dataclass(frozen=True)
class Alternative:
    """A plan, the aims it is best for, and what it costs."""

    aims: tuple[Aim, ...]
    cuts: tuple[Cut, ...]
    parts: int
    hours: float
    filament_g: float
    support_g: float
    hand_h: float
    supports_h: float
    """Of the hands: taking supports off."""
    scars_h: float
    steps_h: float
    seams_h: float
    seam_cm: float
    seen_cm: float
    """Of the seams' length, by how much each bit is seen."""
    risk_h: float
    done_h: float
    """All parts on empty printers."""
    cost_h: float
    """All of it, in hours of the printer."""
    confirmed: bool
    """Whether its parts were made and reckoned in full; else judged quickly."""
    pictures: tuple[str, ...] = ()
    """Its parts pulled apart, seen from the front: SVG paths (mm)."""


@dataclass(frozen=True)
class _Known:
    """A plan, judged quickly or carried out."""

    cuts: tuple[Cut, ...]
    costs: Costs
    done_h: float
    confirmed: bool
    pictures: tuple[str, ...] = ()


def surface_of(solid: Solid) -> Sight:
    """The surface that is looked at, and searched."""
    return Sight.of(simplified(solid.mesh(), SURFACE_TRIANGLES))


def find_plans(
    solid: Solid,
    printers: Sequence[Printer],
    scale: tuple[float, float, float],
    weights: Weights,
    sight: Sight,
    keep_out: Sequence[tuple[Floats, float]] = (),
    progress: Progress = silent,
    lengthwise: bool = False,
) -> tuple[Alternative, ...]:
    """The best plan for each aim, the least cost first; equal ones are one. Empty where no plan of axis planes fits the printers.

    RecipeProblem when there is no printer. ``keep_out`` are places (at scale) and how far round them no seam may run. ``lengthwise``: each
    begins with a plane along the middle of its length, so that it opens.
    """
    if not printers:
        raise RecipeProblem("There is no printer to cut for. Add one in the shop.")
    price = material(PROFILE.material).price_per_kg
    field = Field(sight.mesh, sight, printers, PROFILE, weights, price, keep_out)
    search = Search(field, span(progress, 0.0, 0.6))
    # What is best for an aim is looked for among all that were found.
    quick = {tree: costs_of(tree) for aim in AIMS if (tree := search.best(aim, lengthwise)) is not None}
    by_cost: list[Tree] = []
    for tree in sorted(quick, key=lambda t: quick[t].weighed(weights, price)):
        if not any(_alike(quick[tree], quick[other], weights, price) for other in by_cost):
            by_cost.append(tree)
    proxy = Solid(solid.manifold.simplify(_PROXY_MM))
    known: list[_Known] = []
    for index, tree in enumerate(by_cost):
        cuts, part_of = cuts_of(tree, scale), 0.4 / _CONFIRMED
        parting = part_solid(proxy, cuts, scale, "p")
        if parting.findings or not all(fits_any(p.solid, printers) for p in parting.parts):
            continue
        full = None
        if index < _CONFIRMED:
            full = reckoned(parting, printers, sight, span(progress, 0.6 + part_of * index, 0.6 + part_of * (index + 1)))
        costs, end = full or (quick[tree], without_nights_h([Task(str(k), dict(leaf.hours_on)) for k, leaf in enumerate(leaves_of(tree))]))
        known.append(_Known(cuts, costs, end, full is not None, exploded(parting)))
    return _told(known, weights, price)


def _alike(a: Costs, b: Costs, weights: Weights, price: float) -> bool:
    """Whether nobody would tell two plans apart by what they cost."""
    figures = ((a.hours, b.hours), (a.seen_cm, b.seen_cm), (a.weighed(weights, price), b.weighed(weights, price)))
    return a.parts == b.parts and all(abs(x - y) <= _ALIKE * max(x, y) for x, y in figures)


@dataclass(frozen=True)
class Whole:
    """The piece in one, on a printer of the shop that was not chosen for it."""

    printer: str
    hours: float
    filament_g: float
    support_g: float
    hand_h: float
    risk_h: float
    cost_h: float


def whole_on(solid: Solid, printers: Sequence[Printer], weights: Weights) -> Whole | None:
    """What the piece takes whole on the best of these printers; None where none takes it."""
    able = [p for p in printers if fits_any(solid, (p,))]
    if not able:
        return None
    laid = lie("whole", Solid(solid.manifold.simplify(_PROXY_MM)), [], able, PROFILE)
    if laid.best_printer is None:
        return None
    c = _printed(laid, able)
    cost = c.weighed(weights, material(PROFILE.material).price_per_kg)
    figures = (round(v, 2) for v in (c.hours, c.filament_g, c.support_g, c.hand_h, c.risk_h, cost))
    return Whole(laid.best_printer, *figures)


def _told(known: Sequence[_Known], weights: Weights, price: float) -> tuple[Alternative, ...]:
    """For each aim the best of all plans; those that are best for none are left out."""
    if not known:
        return ()
    cost = [k.costs.weighed(weights, price) for k in known]
    marks: dict[Aim, list[float]] = {
        # Least cost is told of plans that were carried out, where there are such.
        "least": [0.0 if k.confirmed else 1.0 for k in known],
        "hours": [round(k.costs.hours, 1) for k in known],
        "parts": [k.costs.parts for k in known],
        "clean": [round(k.costs.seen_cm) for k in known],
        "soon": [round(k.done_h, 1) for k in known],
    }
    best_for: dict[int, list[Aim]] = {}
    for aim, values in marks.items():
        best_for.setdefault(min(range(len(known)), key=lambda k: (values[k], cost[k])), []).append(aim)
    found = []
    for index, aims in best_for.items():
        plan = known[index]
        c, h = plan.costs, plan.costs.hands
        found.append(
            Alternative(
                aims=tuple(aims), cuts=plan.cuts, parts=c.parts, hours=round(c.hours, 2), filament_g=round(c.filament_g, 1),
                support_g=round(c.support_g, 1), hand_h=round(c.hand_h, 2), supports_h=round(h.supports_h, 2), scars_h=round(h.scars_h, 2),
                steps_h=round(h.steps_h, 2), seams_h=round(c.seams_h, 2), seam_cm=round(c.seam_cm, 1), seen_cm=round(c.seen_cm, 1),
                risk_h=round(c.risk_h, 2), done_h=round(plan.done_h, 2), cost_h=round(cost[index], 2), confirmed=plan.confirmed,
                pictures=plan.pictures,
            )
        )  # fmt: skip
    return tuple(sorted(found, key=lambda a: ("least" not in a.aims, a.cost_h)))


def exploded(parting: Parting) -> tuple[str, ...]:
    """Parts pulled apart from their middle, as drawings from the front."""
    middle = np.mean([p.solid.bounds.mean(axis=0) for p in parting.parts], axis=0)
    found = []
    for part in parting.parts:
        off = 2 * _APART * (part.solid.bounds.mean(axis=0) - middle)
        found.append(silhouette(Solid(part.solid.manifold.simplify(_DRAWN_MM)).transformed(shifting(off))))
    return tuple(found)


def seen_of(seam: Seam, sight: Sight) -> tuple[float, float]:
    """Length of a seam on the surface that shows, and how much of it is seen (cm)."""
    back = np.linalg.inv(seam.surface.to_flat())
    length = seen = 0.0
    for polygon in getattr(seam.face, "geoms", [seam.face]):
        for ring in (polygon.exterior, *polygon.interiors):
            count = max(int(ring.length / _STEP_MM), 3)
            flat = np.array([ring.interpolate((k + 0.5) / count, normalized=True).coords[0] for k in range(count)])
            points = np.column_stack([flat, np.zeros(count), np.ones(count)]) @ back[:3].T
            share = sight.at(points)
            length += ring.length * float((share > SHOWS).mean()) / 10
            seen += ring.length * float(share.mean()) / 10
    return length, seen


def reckoned(parting: Parting, printers: Sequence[Printer], sight: Sight, progress: Progress = silent) -> tuple[Costs, float] | None:
    """What a plan costs with its parts made and laid, and when they are done (h); None where a part fits no printer."""
    total, tasks, glued = Costs(), [], glued_normals(parting)
    for index, part in enumerate(parting.parts):
        progress(index / len(parting.parts), f"laying {part.name or 'a part'}")
        laid = lie(part.name, part.solid, glued[part.name], printers, PROFILE)
        if laid.best_printer is None:
            return None
        total += _printed(laid, printers)
        tasks.append(Task(part.name, {name: e.hours for name, e in laid.estimates.items()}))
    for seam in parting.seams:
        cm, seen = seen_of(seam, sight)
        total += Costs(seams_h=seam_h(cm, seen), seam_cm=cm, seen_cm=seen)
    return total, without_nights_h(tasks)


def _printed(laid: LaidPart, printers: Sequence[Printer]) -> Costs:
    """A laid part on its quickest printer."""
    printer = next(p for p in printers if p.name == laid.best_printer)
    one, hands = laid.estimates[printer.name], laid.hands(PROFILE)
    tipping = laid.lying is not None and tips_over(laid.way, laid.lying, printer)
    return Costs(1, one.hours, one.filament_g, one.support_g, hands, risk_h=risk_h(one.hours, laid.way.footless, tipping))
