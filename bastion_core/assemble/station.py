"""The station Assemble: in which order it comes together, and until when what is done inside."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from bastion_core.assemble.bodies import MOST_BODIES, Assembly, Body, Contact
from bastion_core.assemble.facts import Facts, Fill, SeamFacts, Thing, Worn, seam_facts
from bastion_core.assemble.meeting import rod_in_parts
from bastion_core.assemble.planned import Shape, assembled
from bastion_core.assemble.recipe import AssembleRecipe, kind_of
from bastion_core.assemble.records import DRAWINGS, AssembleData, AssembleResult
from bastion_core.assemble.table import PADS_A_LAYER
from bastion_core.assemble.things import put_in
from bastion_core.case import Case
from bastion_core.cut.recipe import CutRecipe
from bastion_core.engine.keeping import json_of, plain
from bastion_core.engine.station import Known, Made, Place, Station
from bastion_core.engine.store import Ref
from bastion_core.errors import RecipeProblem
from bastion_core.findings import Fact, Finding, Note, Quantity, Remedy, Said, Verdict, counted, hours, mm, say
from bastion_core.fit.layers import usual_layers
from bastion_core.fit.recipe import FitRecipe
from bastion_core.fit.station import FitData, FitResult
from bastion_core.geometry.arrays import three
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.section import perimeter
from bastion_core.join.glue import glued
from bastion_core.join.held import Held, letter_of
from bastion_core.join.recipe import JoinRecipe
from bastion_core.join.records import SeamRecord, axis_of
from bastion_core.join.station import JoinData
from bastion_core.pieces.recipe import PiecesRecipe
from bastion_core.pieces.standing import load_mesh
from bastion_core.print.recipe import PrintRecipe
from bastion_core.progress import Progress, span
from bastion_core.statics.stock import stock_of

_WELDED_IN_MM = 3.0
_UNLIKELY = 0.9
"""A chance to fit under that is worth a dry fit that is meant."""
_ROD_GAP_MM = 0.15
_ALONG = 60


@dataclass(frozen=True)
class AssembleInputs:
    """All that the order depends on."""

    join: Ref
    fit: Ref | None
    recipe: AssembleRecipe
    glue: str
    material: str
    things: tuple[Thing, ...]
    """What the fit has placed, in the scaled standing piece."""
    print_h: tuple[tuple[str, float], ...]
    chance: float | None
    pads: int
    coupon: bool
    gap_mm: float
    scale: tuple[float, float, float]


class AssembleStation(Station[Case, AssembleInputs, AssembleResult]):
    """In which order it comes together."""

    key, title, after, weight = "assemble", "Assemble", ("fit", "cut", "join", "print"), 0.1
    sheet = "bench"
    recipe, result, data = AssembleRecipe, AssembleResult, AssembleData

    def inputs(self, case: Case, known: Mapping[str, Known[Any]]) -> AssembleInputs:
        """The joined parts, what goes inside, what printing a part again takes, how sure the fit is."""
        fit, printed = known["fit"], case.of(PrintRecipe)
        numbers = case.of(CutRecipe).printer_ids
        layers = case.of(FitRecipe).layers
        site = case.of(PiecesRecipe).site
        pads = [layer for layer in (usual_layers(site, case.shop.pad_mm) if layers is None else layers) if layer.name == "pad"]
        judged = fit.result.judged
        return AssembleInputs(
            known["join"].ref, fit.ref if judged else None, case.of(AssembleRecipe), case.of(JoinRecipe).glue, printed.material,
            bays_in(case.of(FitRecipe), fit.result) if judged else (),
            tuple((t.name, round(min(t.hours.values()), 2)) for t in known["print"].result.tasks if t.hours),
            (1.0 if fit.result.probability is None else fit.result.probability) if judged else None, PADS_A_LAYER * len(pads) if judged else 0,
            case.shop.fitted("pin", numbers, printed.material) is not None, case.of(JoinRecipe).gap(case.shop, numbers, printed.material),
            fit.result.scale,
        )  # fmt: skip

    def run(self, inputs: AssembleInputs, place: Place, progress: Progress) -> Made[AssembleResult]:
        """The order, with its drawings. What cannot be ordered says why: the prints before it stand all the same."""
        try:
            facts, rims_at = facts_of(inputs, place)
        except RecipeProblem as problem:
            return Made(refused(problem.said), AssembleData((), (), 0.0, inputs.recipe.bench_h))
        key = ("assembly", inputs.join.hash)
        shape = place.live(key, lambda: Shape.of(facts, span(progress, 0.0, 0.5)))
        result, data, drawings = assembled(
            facts, shape, rims_at, inputs.recipe.fixed, inputs.recipe.bench_h, span(progress, 0.5, 1.0), inputs.recipe.rim_mm
        )
        (place.folder / DRAWINGS).write_text(json_of(drawings), "utf-8")
        return Made(result, data)

    def findings(self, case: Case, result: AssembleResult) -> tuple[Finding | Note, ...]:
        """What goes in no way, what is reached no more, what the maker's order costs."""
        said: list[Finding | Note] = []
        if result.impossible:
            free = (Remedy(say("Free all steps"), {"fixed": []}),) if case.of(AssembleRecipe).fixed else ()
            said.append(Finding("order", Verdict.STOPS, result.impossible, remedies=free))
        for lock in result.locked:
            words = "{} goes onto the rest no straight way: {} is in front of it, {} from its place."
            at = say(words, letter_of(lock.moves), letter_of(lock.by), mm(lock.travel_mm, digits=1))
            said.append(Finding("locked", Verdict.STOPS, at, lock.at_mm))
        for thing in result.things:
            said += self._thing(case.of(JoinRecipe), thing)
        for inside in result.insides:
            if inside.share < 0.9:
                words = "The inside of {}: {} of it is reached, even before anything is glued. Brush it, or leave it."
                share = Quantity((inside.share,), "share")
                said.append(Finding("inside", Verdict.TIGHT, say(words, letter_of(inside.part), share)))
        early = [i for i in result.insides if i.share - i.share_whole > 0.05]
        if early:
            least = min(early, key=lambda i: i.share_whole)
            words = f"Once it is closed, {{}} of the inside of {letter_of(least.part)} is reached: it is covered before, in “{least.step}”."
            said.append(Note("inside-first", say(words, Quantity((least.share_whole,), "share"))))
        if result.costs_h > 0.05 or result.costs_days > 0:
            days = f", {counted(result.costs_days, 'day')} more" if result.costs_days > 0 else ""
            text = say(f"Your order costs {{}}{days}, against the best one.", hours(result.costs_h))
            verdict = Verdict.TIGHT if result.costs_days > 0 else Verdict.HOLDS
            said.append(Finding("fixed", verdict, text, remedies=(Remedy(say("Free all steps"), {"fixed": []}),)))
        if result.unknown:
            said.append(Note("unknown", say(f"Fixed, but there no more: {', '.join(result.unknown)}.")))
        if result.unwelded:
            words = f"No iron gets to the inside of {', '.join(result.unwelded)} once it is closed: glue alone holds there."
            said.append(Note("unwelded", say(words)))
        if result.chance is not None and result.chance < _UNLIKELY and result.parts > 1:
            words = "{} likely to fit: the dry fit on the wearer comes before any glue."
            said.append(Note("dry-fit", say(words, Quantity((result.chance,), "share"))))
        return tuple(said)

    def _thing(self, joined: JoinRecipe, thing: Any) -> list[Finding | Note]:
        if not thing.way:
            words = "{}: there is no way for it through the closed piece. Cut a channel, or give it another end, before anything is glued."
            return [Finding("no-way", Verdict.STOPS, say(words, thing.name).capital(), thing.at_mm)]
        if thing.fished:
            words = "{} has to be fished through what is glued. An opening along its way, or another seam, would let it be laid."
            return [Finding("fished", Verdict.TIGHT, say(words, thing.name).capital(), thing.at_mm)]
        if not thing.goes_in:
            words = "{} does not get to its place, not even before its part is glued: its opening is too narrow."
            return [Finding("no-room", Verdict.STOPS, say(words, thing.name).capital(), thing.at_mm)]
        if thing.again or thing.kind not in ("battery", "board"):
            return []
        remedies: tuple[Remedy, ...] = ()
        if thing.seam:
            kept = [plain(h) for h in joined.joints if h.seam not in (thing.seam, thing.seam_id)]
            change = {"joints": [*kept, plain(Held(thing.seam_id, "magnet"))]}
            remedies = (Remedy(say("Magnets at {}", thing.seam), change),)
        why = "a flat one is not changed" if thing.kind == "battery" else "it is not mended"
        words = "{} is reached no more once all is glued: {}. " + ("One seam has to come off." if thing.seam else "Give it a lid.")
        return [Finding("sealed", Verdict.TIGHT, say(words, thing.name, why).capital(), thing.at_mm, remedies)]

    def fact(self, result: AssembleResult) -> Fact:
        """How many steps, how long."""
        if result.locked or result.impossible:
            return Fact(say("cannot be"), say(counted(result.steps, "step")))
        if not result.steps:
            return Fact(say("nothing to do"))
        return Fact(say(f"{counted(result.steps, 'step')}"), say(f"{{}}, {counted(result.days, 'day')}", hours(result.hands_h)))


def bays_in(recipe: FitRecipe, fit: FitResult) -> tuple[Thing, ...]:
    """What the fit has placed, by its boxes."""
    found, left = list[Thing](), list(fit.clear)
    s = np.array(fit.scale)
    for bay in recipe.bays:
        box = next((c for c in left if c.what == bay.name), None)
        if box is not None:
            left.remove(box)
            middle = (np.array(box.low_mm) + np.array(box.high_mm)) / 2 * s
            name = bay.name if bay.name not in {t.name for t in found} else f"{bay.name} {len(found) + 1}"
            found.append(Thing(name, kind_of(bay.name), three(middle, 1), bay.size_mm))
    return tuple(found)


def refused(why: Said) -> AssembleResult:
    """Nothing to do, and why."""
    return AssembleResult(0, 0.0, 0.0, 0, 0.0, 0.0, (), (), (), why, (), 0.0, 0, (), None, 0)


def facts_of(inputs: AssembleInputs, place: Place) -> tuple[Facts, dict[str, Floats]]:
    """All that is known of a piece, and places on the inside along each seam."""
    join = place.data(inputs.join, JoinData)
    if len(join.parts) > MOST_BODIES:
        words = f"{len(join.parts)} parts: the order is looked for up to {MOST_BODIES}. Cut it into fewer, or make two pieces of it."
        raise RecipeProblem(words)
    bodies = [Body(p.name, load_mesh(place.file(inputs.join, f"{p.name}.npz"))) for p in join.parts]
    rods = join.long.rods if join.long else ()
    contacts, seams, rims_at = [], dict[str, SeamFacts](), dict[str, Floats]()
    middle = np.array([b.mesh.bounds for b in bodies])
    core = (middle[:, 0].min(axis=0) + middle[:, 1].max(axis=0)) / 2
    for s in join.seams:
        told = SeamFacts(
            s.id, s.letters, s.kind, round(s.area_mm2 / 100, 3), round(s.needs.rim_mm / 10, 2), own=s.own > 0,
            glue=glued(inputs.glue, inputs.material, s.needs),
        )  # fmt: skip
        seams[s.id] = seam_facts(told, s.code, [f.kind for f in s.joints], s.closing.pairs if s.closing else None, inputs.recipe.unglued)
        gives = tuple(f.position_mm for f in s.joints if f.kind == "snap")
        contacts.append(Contact(s.id, s.parts, axis_of(s), seams[s.id].kind, gives))
        rims_at[s.id] = _inner(s, core)
    for k, rod in enumerate(rods, 1):
        body, found = rod_in_parts(np.array(rod.ends_mm), stock_of(rod.stock), k, bodies)
        bodies.append(body)
        for contact, seam in found:
            contacts.append(contact)
            seams[contact.id] = seam
    fills = tuple(Fill(b.part, b.name, b.grams, b.litres, b.sets_h, b.caution) for b in (join.weight.ballast if join.weight else ()))
    assembly = Assembly(tuple(bodies), tuple(contacts))
    named = {key: p.name for p in join.parts for key in (p.id, p.name, letter_of(p.name))}
    facts = Facts(
        assembly, seams, inputs.material, (*inputs.things, *put_in(inputs.recipe.put_in, inputs.things, named, assembly, inputs.scale)), fills, dict(inputs.print_h),
        _worn(inputs, place), inputs.coupon, inputs.gap_mm, inputs.recipe.visor, inputs.recipe.inside,
    )  # fmt: skip
    return facts, rims_at


def _inner(seam: SeamRecord, core: Floats) -> Floats:
    """(n, 3): places just inside a shell along a seam's rim."""
    rim = np.array(seam.outline_mm)
    if len(rim) < 3:
        return np.zeros((0, 3))
    wall = 2 * seam.area_mm2 / max(seam.needs.rim_mm, 1.0)
    toward = core - rim
    toward /= np.maximum(np.linalg.norm(toward, axis=1), 1e-9)[:, None]
    return np.asarray(rim + (wall + _WELDED_IN_MM) * toward)


def _worn(inputs: AssembleInputs, place: Place) -> Worn | None:
    """What a trial on the wearer looks at."""
    if inputs.fit is None or inputs.chance is None:
        return None
    answer = place.data(inputs.fit, FitData).answer
    if answer is None:
        return Worn(inputs.chance, pads=inputs.pads)
    ring = answer.way_in.ring
    rim = None
    if ring is not None and len(ring.outline_mm) > 2:
        at = np.array(ring.outline_mm)
        rim = perimeter(at)
    room = answer.room.least_mm if answer.plate is None else None
    return Worn(inputs.chance, room, answer.room.where, answer.way_in.least_mm, rim, inputs.pads)
