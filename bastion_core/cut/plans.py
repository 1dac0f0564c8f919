"""Plans to part a piece, for several aims: found by the quick search, the best of them carried out and reckoned in full as the parts will lie."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from bastion_core.cut.aims import AIMS, Aim
from bastion_core.cut.beds import fits_any
from bastion_core.cut.cost import Costs, risk_h, seam_h
from bastion_core.cut.field import UNTURNED, Field, Node, Tree, costs_of, cuts_of, leaves_of
from bastion_core.cut.frames import frames
from bastion_core.cut.parting import Cut, Parting, Seam, glued_normals, part_solid
from bastion_core.cut.search import Search
from bastion_core.cut.visible import SHOWS, Sight
from bastion_core.errors import RecipeProblem
from bastion_core.findings import Said, grams, hours, joined, mm, say
from bastion_core.fit.scale import Scale
from bastion_core.formats.glb import simplified
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.place import shifting
from bastion_core.geometry.solid import Solid
from bastion_core.pieces.silhouette import mirrored_path, silhouette
from bastion_core.print.lay import LaidPart, lie
from bastion_core.print.orient import tips_over
from bastion_core.print.profile import Profile, material
from bastion_core.print.spread import Task, done_h
from bastion_core.progress import Progress, silent, span
from bastion_core.shop import Printer, Weights

PROFILE = Profile()
"""Plans are compared as printed the usual way, so that a change of layers or infill does not part a piece anew."""
SURFACE_TRIANGLES = 12_000
_EDGE_MM, _FILLED = 12.0, 0.2
_PROXY_MM = 0.35
_STEP_MM = 2.0
_CONFIRMED = 3
_TILTED_UP_TO = 10
"""What takes more parts at the least is not searched across other axes: the time would grow, and little is won."""
_CLEARLY = 0.88
"""A piece that fits whole is told to be cheaper in parts where they cost no more than this share of it."""
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
    care_cm: float
    """Of the seams' length, what runs through relief, thin webs, openings the wearer looks through or walls that carry something."""
    risk_h: float
    done_h: float
    """All parts on empty printers."""
    cost_h: float
    """All of it, in hours of the printer."""
    confirmed: bool
    """Whether its parts were made and reckoned in full; else judged quickly."""
    pictures: tuple[str, ...] = ()
    """Its parts pulled apart, seen from the front: SVG paths (mm)."""

    def mirrored(self) -> "Alternative":
        """The same for the other side of a pair."""
        return replace(self, cuts=tuple(c.mirrored() for c in self.cuts), pictures=tuple(mirrored_path(p) for p in self.pictures))


@dataclass(frozen=True)
class _Known:
    """A plan, judged quickly or carried out."""

    cuts: tuple[Cut, ...]
    costs: Costs
    done_h: float
    confirmed: bool
    pictures: tuple[str, ...] = ()


def surface_of(solid: Solid, clear: Sequence[tuple[Floats, Floats]] = ()) -> Sight:
    """The surface that is looked at, and searched. ``clear`` are boxes (least and greatest corner) seams are to keep out of."""
    mesh = solid.mesh()
    if len(mesh.faces) < SURFACE_TRIANGLES:
        # Faces are told by their middles: long ones of a plain shape are divided, as far as their number allows.
        area = float(np.linalg.norm(mesh.area_vectors, axis=1).sum())
        mesh = Solid(solid.manifold.refine_to_length(max(_EDGE_MM, (area / (_FILLED * SURFACE_TRIANGLES)) ** 0.5))).mesh()
    return Sight.of(simplified(mesh, SURFACE_TRIANGLES), clear)


@dataclass(frozen=True)
class Instead:
    """A piece whole, and parted where that costs clearly less."""

    whole: Alternative
    parted: Alternative

    @property
    def text(self) -> Said:
        """What parting it would buy, and what it would cost."""
        one, other = self.whole, self.parted
        kinds = (
            (hours, "of printing", other.hours, one.hours),
            (grams, "of support", other.support_g, one.support_g),
            (hours, "of hands", other.hand_h, one.hand_h),
        )
        # What stays as it is goes without saying.
        moved = [say(f"{{}} {what} instead of {{}}", unit(a), unit(b)) for unit, what, a, b in kinds if abs(a - b) > 0.03 * max(a, b, 1.0)]
        return say("In {} parts it would take {}; {} of seam are seen.", str(other.parts), joined(moved, ", "), mm(10 * other.seen_cm))

    def mirrored(self) -> "Instead":
        """Of the other side of a pair."""
        return Instead(self.whole.mirrored(), self.parted.mirrored())


class _Desk:
    """A piece with its field, where plans are carried out, and told."""

    def __init__(
        self, solid: Solid, printers: Sequence[Printer], scale: Scale, weights: Weights, sight: Sight, keep_out: Sequence[tuple[Floats, float]]
    ) -> None:  # fmt: skip
        if not printers:
            raise RecipeProblem("There is no printer to cut for. Add one in the shop.")
        self.solid, self.printers, self.scale, self.weights, self.sight = solid, printers, scale, weights, sight
        self.price = material(PROFILE.material).price_per_kg
        self.keep_out = keep_out
        self.field = self.turned(UNTURNED)

    def turned(self, turn: Floats) -> Field:
        """The piece made ready for planes across other axes (3, 3)."""
        return Field(self.sight.mesh, self.sight, self.printers, PROFILE, self.weights, self.price, self.keep_out, turn)

    @cached_property
    def _proxy(self) -> Solid:
        return Solid(self.solid.manifold.simplify(_PROXY_MM))

    def weighed(self, costs: Costs) -> float:
        """In hours of the printer."""
        return costs.weighed(self.weights, self.price)

    def known(self, tree: Tree, full: bool, progress: Progress, turn: Floats = UNTURNED) -> _Known | None:
        """A plan carried out, and reckoned in ``full`` where that is asked for; None where it is no plan."""
        cuts = cuts_of(tree, self.scale, turn)
        parting = part_solid(self._proxy, cuts, self.scale, "p")
        if parting.findings or not all(fits_any(p.solid, self.printers) for p in parting.parts):
            return None
        reckoning = reckoned(parting, self.printers, self.sight, progress) if full else None
        tasks = [Task(str(k), dict(leaf.hours_on)) for k, leaf in enumerate(leaves_of(tree))]
        costs, end = reckoning or (costs_of(tree), done_h(tasks))
        return _Known(cuts, costs, end, reckoning is not None, exploded(parting))

    def told(self, plan: _Known, aims: Sequence[Aim]) -> Alternative:
        """A plan as it is shown."""
        c, h = plan.costs, plan.costs.hands
        return Alternative(
            aims=tuple(aims), cuts=plan.cuts, parts=c.parts, hours=round(c.hours, 2), filament_g=round(c.filament_g, 1),
            support_g=round(c.support_g, 1), hand_h=round(c.hand_h, 2), supports_h=round(h.supports_h, 2), scars_h=round(h.scars_h, 2),
            steps_h=round(h.steps_h, 2), seams_h=round(c.seams_h, 2), seam_cm=round(c.seam_cm, 1), seen_cm=round(c.seen_cm, 1),
            care_cm=round(c.care_cm, 1), risk_h=round(c.risk_h, 2), done_h=round(plan.done_h, 2), cost_h=round(self.weighed(c), 2), confirmed=plan.confirmed,
            pictures=plan.pictures,
        )  # fmt: skip


def find_plans(
    solid: Solid,
    printers: Sequence[Printer],
    scale: Scale,
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
    desk = _Desk(solid, printers, scale, weights, sight, keep_out)
    search = Search(desk.field, span(progress, 0.0, 0.45))
    # What is best for an aim is looked for among all that were found.
    turns: dict[Tree, Floats] = {tree: UNTURNED for aim in AIMS if (tree := search.best(aim, lengthwise)) is not None}
    if not lengthwise and search.least <= _TILTED_UP_TO:
        for turn in frames(sight.mesh, desk.field.symmetric, search.least <= 2):
            tree = Search(desk.turned(turn), span(progress, 0.45, 0.6), broad=False).best("least")
            turns |= {tree: turn} if tree is not None else {}
    quick = {tree: costs_of(tree) for tree in turns}
    by_cost: list[Tree] = []
    for tree in sorted(quick, key=lambda t: desk.weighed(quick[t])):
        if not any(_alike(quick[tree], quick[other], desk) for other in by_cost):
            by_cost.append(tree)
    known: list[_Known] = []
    for index, tree in enumerate(by_cost):
        part_of = 0.4 / _CONFIRMED
        part = span(progress, 0.6 + part_of * min(index, _CONFIRMED - 1), 0.6 + part_of * min(index + 1, _CONFIRMED))
        plan = desk.known(tree, index < _CONFIRMED, part, turns[tree])
        known += [plan] if plan is not None else []
    return _told(known, desk)


def find_instead(
    solid: Solid,
    printers: Sequence[Printer],
    scale: Scale,
    weights: Weights,
    sight: Sight,
    keep_out: Sequence[tuple[Floats, float]] = (),
    progress: Progress = silent,
) -> Instead | None:
    """Of a piece that a printer takes whole: what it would cost in parts, where that is clearly less; None where it is not.

    It may be halves that lie flat, less height on a bed that moves, no support within: whatever weighs most.
    """
    desk = _Desk(solid, printers, scale, weights, sight, keep_out)
    whole = desk.field.leaf(desk.field.whole)
    if whole is None or not whole.fits:
        return None
    tree = Search(desk.field, span(progress, 0.0, 0.4)).best("least")
    if not isinstance(tree, Node) or desk.weighed(costs_of(tree)) > _CLEARLY * desk.weighed(whole.costs):
        return None
    parted = desk.known(tree, True, span(progress, 0.4, 0.7))
    one = desk.known(whole, True, span(progress, 0.7, 1.0))
    if parted is None or one is None or desk.weighed(parted.costs) > _CLEARLY * desk.weighed(one.costs):
        return None
    return Instead(desk.told(one, ("parts",)), desk.told(parted, ("least",)))


def _alike(a: Costs, b: Costs, desk: _Desk) -> bool:
    """Whether nobody would tell two plans apart by what they cost."""
    figures = ((a.hours, b.hours), (a.seen_cm, b.seen_cm), (desk.weighed(a), desk.weighed(b)))
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


def _told(known: Sequence[_Known], desk: _Desk) -> tuple[Alternative, ...]:
    """For each aim the best of all plans; those that are best for none are left out."""
    if not known:
        return ()
    cost = [desk.weighed(k.costs) for k in known]
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
    found = (desk.told(known[index], aims) for index, aims in best_for.items())
    return tuple(sorted(found, key=lambda a: ("least" not in a.aims, a.cost_h)))


def exploded(parting: Parting) -> tuple[str, ...]:
    """Parts pulled apart from their middle, as drawings from the front."""
    middle = np.mean([p.solid.bounds.mean(axis=0) for p in parting.parts], axis=0)
    found = []
    for part in parting.parts:
        off = 2 * _APART * (part.solid.bounds.mean(axis=0) - middle)
        found.append(silhouette(Solid(part.solid.manifold.simplify(_DRAWN_MM)).transformed(shifting(off))))
    return tuple(found)


def seen_of(seam: Seam, sight: Sight) -> Costs:
    """A seam: its length on the surface that shows, how much of it is seen, and how much takes more care."""
    length = seen = care = 0.0
    for polygon in getattr(seam.face, "geoms", [seam.face]):
        for ring in (polygon.exterior, *polygon.interiors):
            count = max(int(ring.length / _STEP_MM), 3)
            flat = np.array([ring.interpolate((k + 0.5) / count, normalized=True).coords[0] for k in range(count)])
            share, careful = sight.at(seam.surface.to_space(flat))
            length += ring.length * float((share > SHOWS).mean()) / 10
            seen += ring.length * float(share.mean()) / 10
            care += ring.length * float(careful.mean()) / 10
    return Costs(seams_h=seam_h(length, seen, care), seam_cm=length, seen_cm=seen, care_cm=care)


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
        total += seen_of(seam, sight)
    return total, done_h(tasks)


def _printed(laid: LaidPart, printers: Sequence[Printer]) -> Costs:
    """A laid part on its quickest printer."""
    printer = next(p for p in printers if p.name == laid.best_printer)
    one, hands = laid.estimates[printer.name], laid.hands(PROFILE)
    tipping = laid.lying is not None and tips_over(laid.way, laid.lying, printer)
    return Costs(1, one.hours, one.filament_g, one.support_g, hands, risk_h=risk_h(one.hours, laid.way.footless, tipping))
