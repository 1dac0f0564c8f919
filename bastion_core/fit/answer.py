"""The whole answer for one piece on one body: room, way in, bays, movement, the least scale that does, and how sure all that is."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from bastion_core.engine.keeping import plain, whole
from bastion_core.errors import RecipeProblem
from bastion_core.findings import Said, Verdict, mm, say
from bastion_core.fit.bays import BayFit, place_bays
from bastion_core.fit.curve import CURVE, PADDING_SIZES, PADDING_STEPS_MM, CurvePoint, Mark, PaddingCurve, from_curve, lifted
from bastion_core.fit.doubt import MeasurementGain, next_measurements, probability
from bastion_core.fit.joints import CREASES, Contact, JointDrawing, crease, crease_meshes, drawn
from bastion_core.fit.layers import on_the_way, pad_of, with_pad
from bastion_core.fit.movement import Bend, Sight, sight, swollen
from bastion_core.fit.onbody import OnBody
from bastion_core.fit.plate import PlateFit
from bastion_core.fit.room import TIGHT_MM, Placed, Room
from bastion_core.fit.seated import Seated
from bastion_core.fit.verdict import FitRemedy, Warned, remedies_of, verdict_of, warnings_of
from bastion_core.fit.way_in import WayIn, judge_way_in, scale_that_passes
from bastion_core.geometry.mesh import Floats
from bastion_core.measure.body import stand_in
from bastion_core.progress import Progress, silent, span


@dataclass(frozen=True)
class RoomRecord:
    """The room in figures (mm); None where it is not known."""

    least_mm: float | None
    where: str
    at_mm: tuple[float, float, float]
    p05_mm: float | None
    median_mm: float | None
    touching: float
    open: float


@dataclass(frozen=True)
class AnswerRecord:
    """Everything known of a piece on its wearer, as it is kept and told."""

    site: str
    side: str | None
    scale: tuple[float, float, float]
    offset_mm: tuple[float, float, float]
    turn_deg: tuple[float, float, float]
    """How it is turned in its seat, about x, y and z: by itself and then by the maker."""
    middle_mm: tuple[float, float, float]
    low_mm: float
    """Height of the placed piece's lower edge."""
    verdict: Verdict
    reason: Said
    room: RoomRecord
    way_in: WayIn
    tight_mm: float
    bays: tuple[BayFit, ...]
    bend: Bend | None
    crease: Contact | None
    sight: Sight | None
    curve: tuple[CurvePoint, ...]
    padding: tuple[PaddingCurve, ...]
    marks: tuple[Mark, ...]
    least_scale: float | None
    probability: float | None
    measure_next: tuple[MeasurementGain, ...]
    remedies: tuple[FitRemedy, ...]
    warnings: tuple[Warned, ...]
    plate: PlateFit | None = None
    """How it follows the body, where it is laid on it."""
    crease_drawing: JointDrawing | None = None


@dataclass(frozen=True, eq=False)
class Answer:
    """Everything known about a piece on a body."""

    site: str
    side: str
    placed: Placed
    turn_deg: tuple[float, float, float]
    room: Room
    where: str
    way_in: WayIn
    bays: tuple[BayFit, ...]
    bend: Bend | None
    crease: Contact | None
    """How far the joint beside the piece bends until its rim presses into the limb across."""
    sight: Sight | None
    curve: tuple[CurvePoint, ...]
    padding: tuple[PaddingCurve, ...]
    marks: tuple[Mark, ...]
    least_scale: float | None
    probability: float | None
    """Chance that it fits and goes on; of a plate, that it does not press on the whole."""
    better: tuple[MeasurementGain, ...]
    remedies: tuple[FitRemedy, ...]
    verdict: Verdict
    reason: Said
    warnings: tuple[Warned, ...]
    body: OnBody
    plate: PlateFit | None
    box: Floats
    """(2, 3): least and greatest corner of the placed piece, in the body's coordinates as the piece stands."""

    def record(self) -> AnswerRecord:
        """The answer without its meshes."""
        room = RoomRecord(
            _number(self.room.least_mm), self.where, _three(self.room.least_at, 2), _number(self.room.percentile(5)),
            _number(self.room.percentile(50)), round(self.room.touching, 4), round(self.room.open_share, 4),
        )  # fmt: skip
        return AnswerRecord(
            self.site, self.side or None, self.placed.scale, _three(self.placed.offset_mm), _three(self.turn_deg), _three(self.box.mean(axis=0)),
            round(float(self.box[0, 2]), 3), self.verdict, self.reason, room, self.way_in, TIGHT_MM, self.bays, self.bend, self.crease,
            self.sight, self.curve, self.padding, self.marks, None if self.least_scale is None else round(self.least_scale, 5),
            None if self.probability is None else round(self.probability, 4), self.better, self.remedies, self.warnings,
            self.plate,
        )  # fmt: skip

    def as_dict(self) -> dict[str, Any]:
        """The answer as ``./bastion fit`` prints it: sentences in millimetres."""
        return told_of(self.record())


def told_of(record: AnswerRecord) -> dict[str, Any]:
    """An answer as ``./bastion fit`` prints it: sentences in millimetres, no drawings."""
    told_json: dict[str, Any] = in_words(plain(record))
    told_json.pop("crease_drawing")
    return told_json | {"warnings": [w["text"] for w in told_json["warnings"]]}


def in_words(value: Any) -> Any:
    """JSON with every sentence written out in millimetres."""
    if isinstance(value, dict):
        if set(value) == {"words", "values"}:
            return str(whole(Said, value))
        return {k: in_words(v) for k, v in value.items()}
    return [in_words(v) for v in value] if isinstance(value, list | tuple) else value


def _number(value: float) -> float | None:
    return None if not np.isfinite(value) else round(value, 3)


def _three(values: Any, digits: int = 3) -> tuple[float, float, float]:
    x, y, z = (round(float(v), digits) for v in values)
    return x, y, z


@dataclass(frozen=True)
class _Bounds:
    """What rules a piece's scale."""

    for_room: float | None
    way_in: WayIn
    for_passing: float | None
    bays: tuple[BayFit, ...]


class Fitting(Seated):
    """One piece on one body, with all that can be asked about it."""

    @property
    def chin_to_crown_mm(self) -> float:
        """The wearer's; an average head's where it is not known."""
        return self.wearer.get("chin_to_crown_mm") or 226.0

    def answer(self, progress: Progress = silent) -> Answer:
        """Everything. ``progress`` may stop it."""
        q = self.question
        progress(0.05, "seating the piece")
        placed = self.placed(q.scale)
        progress(0.12, "looking for room")
        room = self.room(q.scale)
        if not len(room.known):
            raise RecipeProblem(
                "The piece meets nothing of the body where it is worn. Look at its site, its side and which way it stands; or move it in the seat."
            )
        bounds = self._bounds(placed, span(progress, 0.25, 0.7))
        progress(0.7, "moving and seeing")
        bent, creased = self._bent(), self._crease(placed)
        seen = None
        if self.worn_at.part == "head" and self.body.crown_mm is not None:
            seen = sight(self.piece, placed, self.body, self.chin_to_crown_mm)
        curve, padding = self._curves(room, span(progress, 0.75, 0.98))
        marks, least = self._marks(room.least_mm, bounds)
        plate = self.plate_fit()
        sure, better = self._how_sure(room, bounds, plate)
        where = self.where_at(room.least_at)
        verdict, reason = verdict_of(self, room, where, bounds.way_in, bounds.bays, bent, plate)
        remedies = remedies_of(self, room, bounds.way_in, bounds.bays, bounds.for_room, bounds.for_passing, plate)
        warnings = warnings_of(self, placed, seen, creased)
        progress(1.0, "done")
        return Answer(
            q.site, q.side, placed, self.turn_deg, room, where, bounds.way_in, bounds.bays, bent, creased, seen, curve, padding, tuple(marks), least, sure,
            better, remedies, verdict, reason, warnings, self.body, plate, placed.to_body(self.piece.bounds),
        )  # fmt: skip

    def least_scale(self, progress: Progress = silent) -> float | None:
        """The least scale that satisfies room, bays and way in; None when none does, or nothing rules."""
        placed = self.placed(self.question.scale)
        room = self.room(self.question.scale)
        return self._marks(room.least_mm, self._bounds(placed, progress))[1]

    def _bounds(self, placed: Placed, progress: Progress) -> _Bounds:
        """Least scale for the room, the way in and its least scale, and the bays."""
        q = self.question
        progress(0.0, "finding the least scale")
        for_room = self.least_scale_for_room()
        progress(0.5, "the way in")
        worn = on_the_way(q.layers)
        passing = self.passing
        way_in = judge_way_in(passing, placed, self.body, self.worn_at, q.way_in or self.worn_at.way_in, worn, q.give_mm, self.openings)
        for_passing = scale_that_passes(passing, placed, self.body, self.worn_at, way_in, worn, q.give_mm, self.openings)
        pad = pad_of(q.layers)
        if way_in.passes and way_in.ring is not None and way_in.least_mm is not None and way_in.least_mm < pad:
            words = "{} Pads of {} are not counted on the way: soft ones give way, hard ones go in once it is on."
            way_in = replace(way_in, reason=say(words, way_in.reason, mm(pad, digits=1)))
        way_in = replace(way_in, needs_scale=None if way_in.passes else for_passing)
        progress(0.8, "placing what goes inside")
        return _Bounds(for_room, way_in, for_passing, tuple(place_bays(self.piece, placed, self.body, q.layers, q.bays)))

    def _marks(self, room_mm: float, bounds: _Bounds) -> tuple[list[Mark], float | None]:
        """Where each rule starts to hold, and the scale at which all do."""
        marks = [Mark("room", bounds.for_room)] if bounds.for_room else []
        marks += [Mark("way in", bounds.for_passing)] if bounds.for_passing else []
        marks += [Mark(f"bay: {b.name}", b.needs_scale) for b in bounds.bays if b.needs_scale]
        never = room_mm < 0 and bounds.for_room is None and self.seating.goes_round
        never = never or any(not b.fits and b.needs_scale is None for b in bounds.bays)
        return marks, None if never or not marks else max(m.scale for m in marks)

    def _how_sure(self, room: Room, bounds: _Bounds, plate: PlateFit | None) -> tuple[float | None, tuple[MeasurementGain, ...]]:
        """The chance that it fits and goes on, and the measurements that would settle it most."""
        q, way_in = self.question, bounds.way_in
        passing = way_in.least_mm if way_in.passes or way_in.least_mm is not None else -np.inf
        # What goes inside has to fit too: the tightest of all decides.
        pressing = [-50.0 if b.meets else b.room_body_mm for b in bounds.bays]
        # A plate has to lie off the layers on the whole.
        margins = [*([room.least_mm] if self.goes_round else []), *([plate.even_mm] if plate else []), *pressing]
        margin = min(margins) if margins else None
        if margin is None and passing is None:
            return None, ()
        sure = probability(margin, passing, self.worn_at, self.wearer, q.side)
        return sure, tuple(next_measurements(margin, passing, self.worn_at, self.wearer, q.side, self.guessed))[:3]

    def _curves(self, room: Room, progress: Progress) -> tuple[tuple[CurvePoint, ...], tuple[PaddingCurve, ...]]:
        """Room over scale, for today's padding and others, brought to what was found exactly at the chosen scale."""
        curve = self._curve(span(progress, 0.0, 0.65))
        padding = self._padding(span(progress, 0.65, 1.0))
        rough = from_curve(curve, max(self.question.scale))
        if rough is None or not np.isfinite(room.least_mm):
            return curve, padding
        off = room.least_mm - rough.room_mm
        return lifted(curve, off), tuple(replace(p, points=lifted(p.points, off)) for p in padding)

    def _curve(self, progress: Progress, sizes: Sequence[float] = CURVE) -> tuple[CurvePoint, ...]:
        curve = []
        volume = abs(self.piece.volume)
        thin = self.question.thinnest_wall_mm
        for index, size in enumerate(sizes):
            progress(index / len(sizes), "the curve over scale")
            scale = self.proportioned(size)
            least = self.least(size, False)
            curve.append(CurvePoint(size, least, thin * min(scale) if thin else None, volume * float(np.prod(scale))))
        return tuple(p for p in curve if np.isfinite(p.room_mm))

    def _padding(self, progress: Progress) -> tuple[PaddingCurve, ...]:
        """The curve for other paddings of a helmet: more of it lifts the dome too, so it cannot be read off the one curve."""
        if not self.seating.rests_on_top or self.question.as_placed:
            return ()
        pad = pad_of(self.question.layers)
        curves = []
        for index, more in enumerate(PADDING_STEPS_MM):
            other = self.with_layers(with_pad(self.question.layers, max(pad + more, 0.0)))
            points = other._curve(span(progress, index / 2, (index + 1) / 2), PADDING_SIZES)
            curves.append(PaddingCurve(more, points))
        return tuple(curves)

    def _bent(self) -> Bend | None:
        """The room with the limb bent, flexed or sat on; None where nothing swells, or the piece only lies on one side of it."""
        found = swollen(self.question.site, self.question.side, self.wearer)
        if found is None or self.body.whole or not self.seating.goes_round:
            return None
        wearer, what, girth = found
        there = Seated(self.piece, replace(self.question, wearer=wearer, turn_deg=(0.0, 0.0, 0.0)), stand_in(wearer))
        room = there.room(self.question.scale)
        if not len(room.known):
            return None
        verdict = Verdict.TIGHT if room.least_mm < 0 else Verdict.HOLDS
        return Bend(what, girth, room.least_mm, there.where_at(room.least_at), verdict)

    def _crease(self, placed: Placed) -> Contact | None:
        if self.shaped is None or self.body.whole or self.question.site not in CREASES:
            return None
        return crease(self.worn_mesh(placed), self.question.site, self.question.side, self.shaped)

    def crease_drawing(self, answer: Answer) -> JointDrawing | None:
        """The crease to be drawn, where there is one."""
        if answer.crease is None or self.shaped is None:
            return None
        pair = crease_meshes(self.worn_mesh(answer.placed), self.question.site, self.question.side, self.shaped)
        return pair and drawn(answer.crease, *pair, self.shaped)
