"""The station Join: what holds each seam, made at true size."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from scipy.spatial.transform import Rotation

from bastion_core.case import Case
from bastion_core.cut.parting import OF_FILE, Part, Parting, glued_normals
from bastion_core.cut.recipe import CutRecipe
from bastion_core.cut.station import CutData, PartingKey, shaped_of
from bastion_core.cut.supplied import files_of
from bastion_core.engine.keeping import plain
from bastion_core.engine.station import Known, Made, Place, Station
from bastion_core.engine.store import Ref
from bastion_core.findings import Fact, Finding, Note, Remedy, Said, Verdict, counted, mm, say
from bastion_core.fit.clear import Clear
from bastion_core.fit.scale import Scale
from bastion_core.fit.station import INSIDE as INSIDE_FILE
from bastion_core.formats.glb import simplified, write_glb
from bastion_core.geometry.arrays import three
from bastion_core.geometry.mesh import Mesh
from bastion_core.join.ballast import WeightRecord
from bastion_core.join.compass import beside_compass
from bastion_core.join.fasteners.base import Hardware
from bastion_core.join.fasteners.key import Key
from bastion_core.join.fasteners.lug import Lug
from bastion_core.join.fasteners.magnet import Magnet
from bastion_core.join.held import Held
from bastion_core.join.joining import JoinRule, Joint, hardware, join
from bastion_core.join.long import LongFacts, LongRecord, long_facts, long_record
from bastion_core.join.marks import Mark, marks_for
from bastion_core.join.moving import MovedRecord, moved_record, told_of
from bastion_core.join.order import JoinStep
from bastion_core.join.recipe import JoinRecipe
from bastion_core.join.records import MarkRecord, SeamRecord, seam_record
from bastion_core.join.room import InsideRoom
from bastion_core.join.table import INSIDE, SCREWED
from bastion_core.join.told import ToldSeam, breaks, carried_as, firmer, heavy, held_otherwise, printed_as, smaller_screw
from bastion_core.pieces.recipe import PiecesRecipe
from bastion_core.pieces.shaped import Shaped
from bastion_core.pieces.standing import save_mesh
from bastion_core.print.profile import material
from bastion_core.print.recipe import PrintRecipe
from bastion_core.progress import Progress, span
from bastion_core.takeaway import part_name

_SHOWN_TRIANGLES = 60_000
_TITLE = 14


@dataclass(frozen=True)
class JoinInputs:
    """All that the joints depend on."""

    cut: Ref
    shaped: Shaped
    scale: Scale
    as_one: tuple[str, ...]
    name: str
    rule: JoinRule
    marks: str
    title: str
    """What its parts say beside their letters."""
    turns: tuple[tuple[float, float, float], ...] = ()
    """How each file of a set is turned in it, in degrees."""
    fit: Ref | None = None
    """Where the room inside it is known, and something may stand into that."""
    clear: tuple[Clear, ...] = ()
    """What goes inside."""


@dataclass(frozen=True)
class JoinResult:
    """How many of what."""

    counts: dict[str, int]
    """Of each kind of fastener."""
    seams: int
    glued_only: int
    own: int
    """Seams held by what the files of a set came with."""
    warnings: tuple[Said, ...]
    hardware: tuple[Hardware, ...]
    told: tuple[ToldSeam, ...] = ()
    grown_mm3: float = 0.0
    carved_mm3: float = 0.0
    marked: int = 0
    """Parts that carry their letter."""
    parts: int = 0
    least_safety: float | None = None
    """Of what comes off; None where nothing does."""
    long: LongFacts | None = None
    """Of what is held in the hand, or has rods."""
    weight: WeightRecord | None = None
    """Of what is held in the hand, or has ballast."""
    moves: int = 0
    unmoved: tuple[Said, ...] = ()
    """What was to move and does not, or gapes."""
    beside: tuple[Said, ...] = ()
    """What lies too near to a compass."""


@dataclass(frozen=True)
class JoinedPart:
    """A part as joined: its name, its id, and the outward normals of its cut faces."""

    name: str
    id: str
    cut_normals: tuple[tuple[float, float, float], ...]
    supplied_down: tuple[float, float, float] | None = None
    """Which side of it lay down in the file it came in, whole; None for what was cut or printed as one."""


@dataclass(frozen=True)
class JoinData:
    """Every seam and every part; in which order they come together; what is written inside."""

    seams: tuple[SeamRecord, ...]
    parts: tuple[JoinedPart, ...]
    steps: tuple[JoinStep, ...] = ()
    marks: tuple[MarkRecord, ...] = ()
    pin_gap_mm: float = 0.0
    key_gap_mm: float = 0.0
    long: LongRecord | None = None
    """Of what is held in the hand, or has rods: how it bears being swung."""
    weight: WeightRecord | None = None
    """Of the same, and of what has ballast."""
    moves: tuple[MovedRecord, ...] = ()


class JoinStation(Station[Case, JoinInputs, JoinResult]):
    """How it holds."""

    key, title, after, weight, edition = "join", "Join", ("pieces", "fit", "cut"), 0.15, 4
    recipe, result, data = JoinRecipe, JoinResult, JoinData

    def inputs(self, case: Case, known: Mapping[str, Known[Any]]) -> JoinInputs:
        """The parting, how its seams are to be held, and the room inside where something may stand into it."""
        r, pieces, numbers = case.of(JoinRecipe), case.of(PiecesRecipe), case.of(CutRecipe).printer_ids
        plastic = case.of(PrintRecipe).material
        insert, screw = (case.shop.fitted(gap, numbers, plastic) or 0.0 for gap in ("insert", "thread"))
        comes_off = any(h.kind == "magnet" for h in r.joints)
        stands = comes_off or any(h.kind in INSIDE for h in r.joints)
        screwed = any(h.kind in SCREWED for h in r.joints)
        snaps = any(h.kind == "snap" for h in r.joints)
        rule = JoinRule(
            r.rule(case.shop, numbers, plastic), r.joints, r.gap(case.shop, numbers, plastic, key=True), insert if screwed else 0.0,
            screw if screwed else 0.0, plastic if snaps else "",
        )  # fmt: skip
        fit = known["fit"]
        if comes_off:
            gap = case.shop.fitted("magnet", numbers, plastic)
            rule = replace(
                rule,
                magnet_gap_mm=case.shop.pin_clearance_mm if gap is None else gap,
                printed=printed_as(case.of(PrintRecipe), bool(fit.result.judged)),
            )
        worn = (stands or bool(r.rods)) and fit.result.judged
        side = {"left": " L", "right": " R"}.get(pieces.side, "")
        if r.rods or pieces.site == "hand_held":
            rule = replace(rule, carried=carried_as(r, case.of(PrintRecipe)))
        if r.moves:
            rule = replace(rule, moves=r.moves)
        if r.ballast:
            rule = replace(rule, ballast=r.ballast, material=plastic, printed=printed_as(case.of(PrintRecipe), bool(fit.result.judged)))
        return JoinInputs(
            known["cut"].ref, shaped_of(case, known), fit.result.scale, case.of(CutRecipe).as_one, part_name(case.name), rule, r.marks,
            part_name(case.name).upper()[:_TITLE] + side if r.marks != "none" else "", tuple(f.turn_deg for f in pieces.files),
            fit.ref if worn else None, fit.result.clear if worn else (),
        )  # fmt: skip

    def run(self, inputs: JoinInputs, place: Place, progress: Progress) -> Made[JoinResult]:
        """The joints; each part with what was made of it as ``NAME.npz``, all of them for the stage (``joined.glb``)."""
        parting, cuts = parting_of(inputs, place)
        whole = inputs.shaped.scaled(place, inputs.scale)
        inside = inside_of_piece(inputs, place)
        joined = join(parting, inputs.rule, span(progress, 0.0, 0.8), whole, inside, inputs.scale, cuts)
        progress(0.8, "marking")
        parts, marks = _marked(joined.parts, parting, joined.joints, inputs, whole.mesh() if inputs.marks != "none" else None)
        lettered = sum(p.solid.volume for p in parts) - sum(p.solid.volume for p in joined.parts)
        normals = {name: tuple(three(n) for n in found) for name, found in glued_normals(parting).items()}
        for part in parts:
            save_mesh(part.solid.mesh(), place.folder / f"{part.name}.npz")
        write_glb({p.name: simplified(p.solid.mesh(), _SHOWN_TRIANGLES) for p in parts}, place.folder / "joined.glb")
        volumes = {p.name: p.solid.volume for p in parting.parts}
        closing = {s: step for step in joined.steps for s in step.seams}
        rods = joined.load.rods if joined.load else ()
        poses = inputs.rule.printed.poses if inputs.rule.printed else ()
        seams = tuple(seam_record(j, k, volumes, closing.get(j.seam.id), poses, rods) for k, j in enumerate(joined.joints, 1))
        counts: dict[str, int] = {}
        for joint in joined.joints:
            for fastener in joint.fasteners:
                what = fastener.what if isinstance(fastener, Key) else fastener.kind
                counts[what] = counts.get(what, 0) + 1
        if rods:
            counts["rod"] = len(rods)
        if joined.moves:
            counts["rivet"] = sum(m.rivets for m in joined.moves)
        glued = sum(not s.joints and not s.own and s.code != "moves" for s in seams)
        result = JoinResult(
            counts, len(seams), glued, sum(s.own > 0 for s in seams), joined.warnings, hardware(joined.joints, (*rods, *joined.moves)), _told(seams),
            round(joined.grown_mm3 + max(lettered, 0.0), 1), round(joined.carved_mm3 + max(-lettered, 0.0), 1),
            len({m.part for m in marks}), len(parts), min((s.closing.safety for s in seams if s.closing), default=None),
            long_facts(joined.load) if joined.load else None, joined.weight, len(joined.moves),
            (*joined.unmoved, *(t for m in joined.moves if (t := told_of(m)) is not None)),
            beside_compass([f for j in joined.joints for f in j.fasteners if isinstance(f, Magnet | Lug) and f.discs], rods, inside),
        )  # fmt: skip
        data = JoinData(
            seams, tuple(JoinedPart(p.name, p.id, normals[p.name], _supplied_down(p, inputs)) for p in parts), joined.steps,
            tuple(MarkRecord(m.part, m.text, m.at_mm, m.height_mm) for m in marks), inputs.rule.pins.clearance_mm, inputs.rule.key_gap_mm,
            long_record(joined.load) if joined.load else None, joined.weight,
            tuple(moved_record(m, k) for k, m in enumerate(joined.moves)),
        )  # fmt: skip
        return Made(result, data)

    def findings(self, case: Case, result: JoinResult) -> tuple[Finding | Note, ...]:
        """Seams that could not be held as wanted or by anything, parts that came out wrong, clearances nobody tried."""
        recipe = case.of(JoinRecipe)
        said: list[Finding | Note] = []
        for told in result.told:
            if told.code in ("glued", "moves"):
                continue
            remedies = list[Remedy]()
            if told.code in ("weak", "stuck"):
                remedies += firmer(recipe, told)
            if told.code in ("failed", "presses"):
                smaller = smaller_screw(recipe, told) if told.code == "presses" else None
                remedies += [Remedy(say("Screws of {}", smaller.thread), held_otherwise(recipe, told, smaller))] if smaller else []
                remedies.append(Remedy(say("Hold it as suits the wall"), held_otherwise(recipe, told, Held(told.id, "auto"))))
            sentence = say("{}: {}", told.letters.replace("-", " to "), told.said)
            said.append(Finding(f"seam-{told.code}", Verdict.TIGHT, sentence, told.at_mm, tuple(remedies)))
        bare = [t for t in result.told if t.code == "glued"]
        if bare:
            words = f"{len(bare)} of {result.seams} seams {'has' if len(bare) == 1 else 'have'} no room for pins or a lip: glue with an inside fillet."
            inside = [t for t in bare if t.has_inside]
            remedies = []
            if inside:
                kept = [plain(h) for h in recipe.joints if h.seam not in {s for t in inside for s in (t.id, t.letters)}]
                change = {"joints": kept + [plain(Held(t.id, "lug")) for t in inside]}
                remedies.append(Remedy(say("Lugs inside, with pins"), change))
            said.append(Finding("glued-only", Verdict.TIGHT, say(words), bare[0].at_mm, tuple(remedies)))
        plastic = case.of(PrintRecipe).material
        if result.counts and recipe.pin_clearance_mm is None and case.shop.fitted("pin", case.of(CutRecipe).printer_ids, plastic) is None:
            words = "Clearance {} per side is the shop's usual one. Print a clearance coupon and enter what fitted."
            said.append(Note("coupon", say(words, mm(case.shop.pin_clearance_mm, digits=2))))
        if recipe.marks != "none" and result.parts > 1 and result.marked < result.parts:
            words = (
                f"{counted(result.parts - result.marked, 'part')} found no hidden flat place for its letter: write it on by hand, inside."
            )
            said.append(Note("unmarked", say(words)))
        if result.long is not None:
            said += breaks(recipe, result.long)
        if result.weight is not None:
            said += heavy(result.weight, material(plastic))
        said += [Finding("moves", Verdict.TIGHT, words) for words in result.unmoved]
        said += [Finding("compass", Verdict.TIGHT, words) for words in result.beside]
        return (*said, *(Finding("broken-through", Verdict.TIGHT, w) for w in result.warnings))

    def fact(self, result: JoinResult) -> Fact:
        """What there is most of; what is only glued."""
        if not result.seams and not result.counts:
            return Fact(say("no seams"))
        screws = sum(h.count for h in result.hardware if h.kind == "screw")
        known = [v for v in (result.least_safety, result.long.safety if result.long else None) if v is not None]
        below = (
            f"safety {min(known):.1f}" if known else f"{result.glued_only} glued only" if result.glued_only else f"{result.own} hold as made" if result.own
            else counted(screws, "screw") if screws
            else counted(result.moves, "place moves", "places move") if result.moves and not result.seams else counted(result.seams, "seam")
        )  # fmt: skip
        most = sorted(result.counts.items(), key=lambda c: -c[1])
        if not most:
            supplied = result.own == result.seams
            return Fact(say("as supplied" if supplied else "glue"), say(counted(result.seams, "seam") if supplied else below))
        words = [counted(n, _ONE[k]) for k, n in most]
        main = words[0]
        if len(words) > 1 and len(f"{main}, {words[1]}") <= 14:
            main = f"{main}, {words[1]}"
        return Fact(say(main), say(below))


_ONE = {k: k for k in ("pin", "tongue", "lip", "dovetail", "lug", "snap", "magnet", "rod", "rivet")} | {
    "insert": "lug",
    "bolt": "lug",
    "wing": "lug",
}


def parting_of(inputs: JoinInputs, place: Place) -> tuple[Parting, tuple[str, ...]]:
    """The parting that is joined, alive or made again; and its cuts' ids in their order."""
    cuts = place.data(inputs.cut, CutData).cuts
    return PartingKey(inputs.shaped, inputs.scale, cuts, inputs.as_one, inputs.name).parting(place), tuple(c.id for c in cuts)


def inside_of_piece(inputs: JoinInputs, place: Place) -> InsideRoom:
    """The room inside the piece, as the fit found it."""
    if inputs.fit is None:
        return InsideRoom.none()
    s = np.array(inputs.scale)
    kept = tuple((c.what, np.array(c.low_mm) * s, np.array(c.high_mm) * s) for c in inputs.clear)
    return InsideRoom.read(place.file(inputs.fit, INSIDE_FILE), kept)


def _told(seams: Sequence[SeamRecord]) -> tuple[ToldSeam, ...]:
    """What is to be said of seams: none where all is as wanted."""
    return tuple(
        ToldSeam(s.id, s.letters, s.code, s.advice, s.inside_mm > 0, s.outline_mm[0] if s.outline_mm else (0.0, 0.0, 0.0))
        for s in seams
        if s.code
    )


def _marked(
    parts: Sequence[Part], parting: Parting, joints: Sequence[Joint], inputs: JoinInputs, whole: Mesh | None
) -> tuple[tuple[Part, ...], tuple[Mark, ...]]:
    """The parts with their letters, where there is more than one."""
    if whole is None or len(parts) < 2:
        return tuple(parts), ()
    taken = [f.taken()[0] for j in joints for f in j.fasteners]
    seams = [j.seam for j in joints]
    marks = marks_for(
        [(p, p.solid.mesh()) for p in parts],
        seams,
        whole,
        inputs.title,
        np.concatenate(taken) if taken else np.zeros((0, 3)),
        inputs.marks == "raised",
    )
    done = []
    for part in parts:
        tools = [m.tool for m in marks if m.part == part.name]
        solid = part.solid.plus(tools) if inputs.marks == "raised" else part.solid.minus(tools)
        done.append(replace(part, solid=solid))
    return tuple(done), marks


def _supplied_down(part: Part, inputs: JoinInputs) -> tuple[float, float, float] | None:
    """The direction that was down in the file a part came in: in the scaled standing piece; None for a part that is no whole file."""
    files = files_of(part)
    if len(files) > 1 or any(not side.startswith(OF_FILE) for side in part.sides):
        return None
    turn = Rotation.from_euler("xyz", inputs.turns[files[0]], degrees=True).as_matrix() if files else np.eye(3)
    down = inputs.shaped.standing.matrix[:3, :3] @ turn @ np.array([0.0, 0.0, -1.0]) / np.array(inputs.scale)
    return three(down / np.linalg.norm(down), 6)
