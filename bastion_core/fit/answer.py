"""The whole answer for one piece on one body: room, way in, bays, movement, the least scale that does, and how sure all that is."""

import copy
from collections.abc import Sequence
from dataclasses import asdict, dataclass, field, replace
from functools import cached_property
from typing import Any

import numpy as np

from bastion_core.errors import RecipeProblem
from bastion_core.fit.bays import Bay, BayFit, place_bays
from bastion_core.fit.doubt import Better, next_measurements, probability
from bastion_core.fit.joints import CREASES, TRIANGLES, Meeting, crease, crease_meshes, drawn
from bastion_core.fit.layers import Layer, checked, on_the_way, thickness
from bastion_core.fit.movement import Bend, Sight, sight, sight_verdict, swollen
from bastion_core.fit.onbody import OnBody, Skin, as_it_came, on_body
from bastion_core.fit.room import TIGHT_MM, Placed, Room, covered, gaps, room_of
from bastion_core.fit.scale import LEAST_SCALE, LINE_WIDTH_MM, MOST_SCALE, check_scale
from bastion_core.fit.seat import Scale, Seating, kind_of, seat, seat_turn
from bastion_core.fit.sites import Site, site
from bastion_core.fit.way_in import Opening, WayIn, judge_way_in, least_root, openings, scale_that_passes
from bastion_core.formats.glb import simplified
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.section import hull_of, level_loops
from bastion_core.measure.body import Body, stand_in
from bastion_core.measure.wearer import Wearer
from bastion_core.progress import Progress, silent, span

SKIN_POINTS = 10_000
_SPREAD_POINTS, _TIGHT_POINTS = 400, 800
"""Points of the skin by which a seat is found: spread over it, and about its tightest place."""
CURVE = tuple(round(0.85 + 0.05 * k, 2) for k in range(12))
"""Scales at which the curve is known, as multiples of the file's size: from 85 to 140 %."""
PADDING_STEPS_MM, PADDING_SIZES = (-6.0, 6.0), (0.85, 0.95, 1.05, 1.15, 1.4)
"""Other paddings of a helmet for which the curve is known, and at which scales."""
ENOUGH_MM = 0.0
FLARE_REACH_MM = 30.0
_EDGE_MM = 1.0
PLATE_SPREAD_MM = 60.0
"""A plate that stands off more than this somewhere needs filling with foam; common practice, no source."""
SOFTENS_LOW = ("pla", "pla_tough", "pla_sand", "petg")


@dataclass(frozen=True)
class Question:
    """What is asked. ``piece`` stands upright, front toward -y, in millimetres at scale 1."""

    site: str
    side: str = ""
    wearer: Wearer | None = None
    way_in: str | None = None
    layers: tuple[Layer, ...] = ()
    bays: tuple[Bay, ...] = ()
    scale: Scale = (1.0, 1.0, 1.0)
    shift_mm: tuple[float, float, float] = (0.0, 0.0, 0.0)
    turn_deg: tuple[float, float, float] = (0.0, 0.0, 0.0)
    """How the maker turned it in its seat: degrees about x, y and z."""
    give_mm: float = 0.0
    as_placed: bool = False
    thinnest_wall_mm: float | None = None
    walls: int = 3
    material: str = "pla"


@dataclass(frozen=True)
class Mark:
    """A scale at which a rule starts to hold."""

    rule: str
    scale: float


@dataclass(frozen=True)
class CurvePoint:
    """What one scale brings."""

    scale: float
    room_mm: float
    wall_mm: float | None
    volume_mm3: float


@dataclass(frozen=True)
class PaddingCurve:
    """The curve with so much more padding all round (mm, negative for less)."""

    more_mm: float
    points: tuple[CurvePoint, ...]


@dataclass(frozen=True)
class Remedy:
    """Something that would mend it, with its number. ``change`` names decisions of the piece that would do it, empty where hands must."""

    kind: str
    text: str
    change: dict[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, eq=False)
class Answer:
    """Everything known about a piece on a body."""

    site: str
    side: str
    placed: Placed
    room: Room
    where: str
    way_in: WayIn
    bays: tuple[BayFit, ...]
    bend: Bend | None
    crease: Meeting | None
    """How far the joint beside the piece bends until its rim presses into the limb across."""
    sight: Sight | None
    curve: tuple[CurvePoint, ...]
    padding: tuple[PaddingCurve, ...]
    marks: tuple[Mark, ...]
    least_scale: float | None
    probability: float | None
    """Chance that it fits and goes on; None for what is only laid on."""
    better: tuple[Better, ...]
    remedies: tuple[Remedy, ...]
    verdict: str
    reason: str
    warnings: tuple[str, ...]
    body: OnBody
    box: Floats
    """(2, 3): least and greatest corner of the placed piece, in the body's coordinates as the piece stands."""

    def as_dict(self) -> dict[str, Any]:
        """The answer as ``./bastion fit`` prints it."""
        return {
            "site": self.site,
            "side": self.side or None,
            "scale": list(self.placed.scale),
            "offset_mm": [round(v, 3) for v in self.placed.offset_mm],
            "middle_mm": [round(float(v), 3) for v in self.box.mean(axis=0)],
            "low_mm": round(float(self.box[0, 2]), 3),
            "verdict": self.verdict,
            "reason": self.reason,
            "room": {
                "least_mm": _number(self.room.least_mm),
                "where": self.where,
                "at_mm": [round(float(v), 2) for v in self.room.least_at],
                "p05_mm": _number(self.room.percentile(5)),
                "median_mm": _number(self.room.percentile(50)),
                "touching": round(self.room.touching, 4),
                "open": round(self.room.open_share, 4),
            },
            "way_in": asdict(self.way_in),
            "tight_mm": TIGHT_MM,
            "bays": [asdict(b) for b in self.bays],
            "bend": asdict(self.bend) if self.bend else None,
            "crease": self.crease.as_dict() if self.crease else None,
            "sight": asdict(self.sight) if self.sight else None,
            "curve": [asdict(p) for p in self.curve],
            "padding": [asdict(p) for p in self.padding],
            "marks": [asdict(m) for m in self.marks],
            "least_scale": None if self.least_scale is None else round(self.least_scale, 5),
            "probability": None if self.probability is None else round(self.probability, 4),
            "measure_next": [asdict(b) for b in self.better],
            "remedies": [asdict(r) for r in self.remedies],
            "warnings": list(self.warnings),
        }


def _number(value: float) -> float | None:
    return None if not np.isfinite(value) else round(value, 3)


class Fitting:
    """One piece on one body; what is slow is prepared once and kept."""

    def __init__(self, piece: Mesh, question: Question, body: Body | None = None, ready: OnBody | None = None) -> None:
        if any(question.turn_deg):
            piece = piece.transformed(seat_turn(piece.bounds, question.turn_deg, question.scale))
        self.piece, self.question = piece, question
        self.where: Site = site(question.site)
        for layer in question.layers:
            checked(layer)
        check_scale(question.scale)
        self.guessed: set[str] = set()
        self.shaped = body
        if ready is None:
            if body is None and question.wearer is None:
                raise RecipeProblem("There is nobody to fit it to. Choose a wearer, or give a scan of the body.")
            self.shaped = shaped = body or stand_in(question.wearer or Wearer())
            self.wearer, self.guessed = shaped.wearer, set(shaped.guesses)
            ready = as_it_came(shaped.mesh, self.where, piece.bounds) if question.as_placed else on_body(shaped, self.where, question.side)
        else:
            self.wearer = question.wearer or Wearer()
        self.body = ready
        self.skin = self._skin()
        self.seating: Seating = kind_of(piece, ready, self.where, question.shift_mm)
        self._seats: dict[tuple[Scale, bool], Placed] = {}
        self._least: dict[tuple[Scale, bool], float] = {}
        self._room_scale: list[float | None] = []

    @cached_property
    def openings(self) -> list[Opening]:
        """The piece's inside at many levels, at scale 1."""
        return openings(self.piece)

    def _skin(self) -> Skin:
        """Points of the stretch the piece can touch; of a body as it came, those near the piece."""
        mesh = self.body.mesh
        if self.body.whole:
            low, high = self.piece.bounds
            reach = 0.6 * self.piece.size.max()
            near = ((mesh.vertices > low - reach) & (mesh.vertices < high + reach)).all(axis=1)
            faces = mesh.faces[near[mesh.faces].any(axis=1)]
            if len(faces) and len(faces) < len(mesh.faces):
                # Depths still come from the whole body: a cut-out has no other side.
                skin = self.body.skin(2 * SKIN_POINTS)
                keep = ((skin.points > low - reach) & (skin.points < high + reach)).all(axis=1)
                return skin.take(keep)
        return self.body.skin(SKIN_POINTS)

    def placed(self, scale: Scale, fine: bool = True) -> Placed:
        """Where the piece rests at a scale. A piece that is already placed grows about its own middle.

        ``fine`` settles it by more points of the skin; the rough place is good enough for a curve.
        """
        key = (scale, fine)
        if key not in self._seats:
            if self.question.as_placed:
                middle = self.piece.bounds.mean(axis=0)
                offset = middle - middle * np.array(scale) + np.array(self.question.shift_mm)
                self._seats[key] = Placed(scale, (float(offset[0]), float(offset[1]), float(offset[2])))
            else:
                # The fine place must not depend on what was asked before: it begins anew each time.
                near = self._seated(scale, None, self._thinned(_SPREAD_POINTS)) if fine else self._nearest_seat(scale)
                near = near or self._seated(scale, None, self._thinned(_SPREAD_POINTS))
                self._seats[key] = self._seated(scale, near, self._tight_skin(near))
        return self._seats[key]

    def _seated(self, scale: Scale, near: Placed | None, skin: Skin) -> Placed:
        return seat(self.piece, self.body, self.seating, scale, self.question.layers, skin, near, self.skin)

    def _nearest_seat(self, scale: Scale) -> Placed | None:
        near = min(self._seats, key=lambda k: abs(k[0][0] - scale[0]), default=None)
        return self._seats[near] if near is not None and abs(near[0][0] - scale[0]) < 0.12 else None

    def _thinned(self, count: int) -> Skin:
        return self.skin.take(slice(None, None, max(1, len(self.skin.points) // count)))

    def _tight_skin(self, near: Placed) -> Skin:
        """The skin that decides a seat near ``near``: all of the tightest, and some spread over the rest.

        Spread points alone miss the tightest place by millimetres, and each side of the body by others.
        """
        # Where it seats itself, whatever the maker moved it by after that.
        x, y, z = (o - m for o, m in zip(near.offset_mm, self.question.shift_mm, strict=True))
        itself = Placed(near.scale, (x, y, z))
        out = gaps(self.piece, itself, self.skin) - self.skin.layers_mm(self.question.layers)
        out[~covered(self.piece, itself, self.skin)] = np.inf
        keep = np.zeros(len(out), bool)
        keep[:: max(1, len(out) // _SPREAD_POINTS)] = True
        keep[np.argsort(out, kind="stable")[:_TIGHT_POINTS]] = True
        return self.skin.take(keep)

    def room(self, scale: Scale, exact: bool = True) -> Room:
        """The room map at a scale."""
        resting = self.seating.rests_on_top and not self.question.as_placed
        return room_of(self.piece, self.placed(scale, exact), self.skin, self.question.layers, exact, resting)

    def least(self, factor: float, exact: bool = True) -> float:
        """Least room at a uniform multiple of the chosen scale's proportions; -inf when nothing is covered."""
        key = (self._scale(factor), exact)
        if key not in self._least:
            told = self.room(*key).least_mm
            self._least[key] = told if np.isfinite(told) else -np.inf
        return self._least[key]

    def _scale(self, size: float) -> Scale:
        """The chosen proportions brought to a size: the largest axis gets it."""
        chosen = np.array(self.question.scale)
        s = chosen / chosen.max() * size
        return float(s[0]), float(s[1]), float(s[2])

    def at_scale(self, scale: Scale) -> "Fitting":
        """The same fitting at another uniform scale; what was found for all scales is kept."""
        other = copy.copy(self)
        other.question = replace(self.question, scale=scale)
        return other

    def _with_layers(self, layers: tuple[Layer, ...]) -> "Fitting":
        """The same piece on the same body over other layers, to be seated anew."""
        other = copy.copy(self)
        other.question = replace(self.question, layers=layers)
        other._seats, other._least, other._room_scale = {}, {}, []
        return other

    def least_scale_for_room(self) -> float | None:
        """``_find_room_scale``, found once."""
        if not self._room_scale:
            self._room_scale.append(self._find_room_scale())
        return self._room_scale[0]

    def _find_room_scale(self) -> float | None:
        """The least size at which nothing presses; None when none does within bounds, or when the piece is a plate, which rests wherever it is put."""
        if not self.seating.goes_round and not self.question.as_placed:
            return None
        size = max(self.question.scale)
        low, high = size, size
        step = 1.15
        room = self.least(size)
        if room >= ENOUGH_MM:
            while self.least(low / step, False) >= ENOUGH_MM and low / step > LEAST_SCALE * 4:
                low /= step
            high, low = low, low / step
        else:
            while self.least(high * step, False) < ENOUGH_MM:
                high *= step
                if high > 4 * size or high > MOST_SCALE:
                    return None
            low, high = high, high * step
        # Rays alone narrow it down; the last steps look in every direction.
        rough = least_root(lambda f: max(self.least(f, False), -400.0), low, high, 2e-3) or high
        for reach in (1.006, 1.05):
            if self.least(rough / reach) < ENOUGH_MM <= self.least(rough * reach):
                return least_root(self.least, rough / reach, rough * reach)
        return rough

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
        for_room, way_in, for_passing, bays = self._bounds(placed, span(progress, 0.25, 0.7))
        progress(0.7, "moving and seeing")
        bent, creased = self._bent(), self._crease(placed)
        seen = None
        if self.where.part == "head" and self.body.crown_mm is not None:
            seen = sight(self.piece, placed, self.body, self.wearer.get("chin_to_crown_mm") or 226.0)
        curve = self._curve(span(progress, 0.75, 0.9))
        padding = self._padding(span(progress, 0.9, 0.98))
        # The curves come from roughly found seats: bring them to what was found exactly at the chosen scale.
        rough = from_curve(curve, max(q.scale))
        if rough is not None and np.isfinite(room.least_mm):
            off = room.least_mm - rough.room_mm
            curve = _lifted(curve, off)
            padding = tuple(replace(p, points=_lifted(p.points, off)) for p in padding)
        marks, least = self._marks(room.least_mm, for_room, for_passing, bays)
        passing = way_in.least_mm if way_in.passes or way_in.least_mm is not None else -np.inf
        margin = room.least_mm if self.seating.goes_round or q.as_placed else None
        # What goes inside has to fit too: the tightest of all decides.
        pressing = [-50.0 if b.meets else b.room_body_mm for b in bays]
        if pressing:
            margin = min(pressing if margin is None else [margin, *pressing])
        judged = margin is not None or passing is not None
        sure = probability(margin, passing, self.where, self.wearer, q.side) if judged else None
        better = tuple(next_measurements(margin, passing, self.where, self.wearer, q.side, self.guessed))[:3] if judged else ()
        where = self._where(room.least_at)
        warnings = self._warnings(seen, self._beyond(placed), creased)
        verdict, reason = self._verdict(room, where, way_in, bays, bent)
        remedies = self._remedies(room, way_in, bays, for_room, for_passing)
        progress(1.0, "done")
        return Answer(
            q.site, q.side, placed, room, where, way_in, bays, bent, creased, seen, curve, padding, tuple(marks), least, sure, better, remedies, verdict, reason,
            warnings, self.body, placed.to_body(self.piece.bounds),
        )  # fmt: skip

    def least_scale(self, progress: Progress = silent) -> float | None:
        """The least scale that satisfies room, bays and way in; None when none does, or nothing rules."""
        placed = self.placed(self.question.scale)
        room = self.room(self.question.scale)
        for_room, _, for_passing, bays = self._bounds(placed, progress)
        return self._marks(room.least_mm, for_room, for_passing, bays)[1]

    def _bounds(self, placed: Placed, progress: Progress) -> tuple[float | None, WayIn, float | None, tuple[BayFit, ...]]:
        """Least scale for the room, the way in and its least scale, and the bays."""
        q = self.question
        progress(0.0, "finding the least scale")
        for_room = self.least_scale_for_room()
        progress(0.5, "the way in")
        worn = on_the_way(q.layers)
        way_in = judge_way_in(self.piece, placed, self.body, self.where, q.way_in or self.where.way_in, worn, q.give_mm, self.openings)
        for_passing = scale_that_passes(self.piece, placed, self.body, self.where, way_in, worn, q.give_mm, self.openings)
        way_in = replace(way_in, needs_scale=None if way_in.passes else for_passing)
        progress(0.8, "placing what goes inside")
        return for_room, way_in, for_passing, tuple(place_bays(self.piece, placed, self.body, q.layers, q.bays))

    def _marks(
        self, room_mm: float, for_room: float | None, for_passing: float | None, bays: Sequence[BayFit]
    ) -> tuple[list[Mark], float | None]:
        """Where each rule starts to hold, and the scale at which all do."""
        marks = [Mark("room", for_room)] if for_room else []
        marks += [Mark("way in", for_passing)] if for_passing else []
        marks += [Mark(f"bay: {b.name}", b.needs_scale) for b in bays if b.needs_scale]
        never = (room_mm < 0 and for_room is None and self.seating.goes_round) or any(not b.fits and b.needs_scale is None for b in bays)
        return marks, None if never or not marks else max(m.scale for m in marks)

    def _curve(self, progress: Progress, sizes: Sequence[float] = CURVE) -> tuple[CurvePoint, ...]:
        told = []
        volume = abs(self.piece.volume)
        thin = self.question.thinnest_wall_mm
        for index, size in enumerate(sizes):
            progress(index / len(sizes), "the curve over scale")
            scale = self._scale(size)
            least = self.least(size, False)
            told.append(CurvePoint(size, least, thin * min(scale) if thin else None, volume * float(np.prod(scale))))
        return tuple(p for p in told if np.isfinite(p.room_mm))

    def _padding(self, progress: Progress) -> tuple[PaddingCurve, ...]:
        """The curve for other paddings of a helmet: more of it lifts the dome too, so it cannot be read off the one curve."""
        if not self.seating.rests_on_top or self.question.as_placed:
            return ()
        told = []
        for index, more in enumerate(PADDING_STEPS_MM):
            layers = (
                (*self.question.layers, Layer("pad", more))
                if more > 0
                else tuple(replace(x, thickness_mm=max(x.thickness_mm + more, 0.0)) if x.name == "pad" else x for x in self.question.layers)
            )
            points = self._with_layers(layers)._curve(span(progress, index / 2, (index + 1) / 2), PADDING_SIZES)
            told.append(PaddingCurve(more, points))
        return tuple(told)

    def worn_mesh(self, placed: Placed) -> Mesh:
        """The piece as it is worn, thinned for moving, in the body's own coordinates."""
        return Mesh(placed.to_body(self._thin.vertices), self._thin.faces).transformed(self.body.to_body)

    @cached_property
    def _thin(self) -> Mesh:
        return simplified(self.piece, TRIANGLES)

    def _bent(self) -> Bend | None:
        """The room with the limb bent, flexed or sat on; None where nothing swells, or the piece only lies on one side of it."""
        found = swollen(self.question.site, self.question.side, self.wearer)
        if found is None or self.body.whole or not self.seating.goes_round:
            return None
        wearer, what, girth = found
        there = Fitting(self.piece, replace(self.question, wearer=wearer, turn_deg=(0.0, 0.0, 0.0)), stand_in(wearer))
        room = there.room(self.question.scale)
        if not len(room.known):
            return None
        return Bend(what, girth, room.least_mm, there._where(room.least_at))

    def _crease(self, placed: Placed) -> Meeting | None:
        if self.shaped is None or self.body.whole or self.question.site not in CREASES:
            return None
        return crease(self.worn_mesh(placed), self.question.site, self.question.side, self.shaped)

    def crease_drawing(self, answer: Answer) -> dict[str, Any] | None:
        """The crease to be drawn, where there is one."""
        if answer.crease is None or self.shaped is None:
            return None
        pair = crease_meshes(self.worn_mesh(answer.placed), self.question.site, self.question.side, self.shaped)
        return pair and drawn(answer.crease, *pair, self.shaped)

    def _where(self, point: Floats) -> str:
        """The tight place in words."""
        middle = self.body.centre
        away = point - middle
        if self.body.crown_mm is not None:
            below = self.body.crown_mm - point[2]
            if below < 45:
                return "crown"
            side = (
                "brow"
                if -away[1] > abs(away[0])
                else "back of the head"
                if away[1] > abs(away[0])
                else "left temple"
                if away[0] > 0
                else "right temple"
            )
            if below > 120:
                side = {"brow": "face", "back of the head": "nape", "left temple": "left jaw", "right temple": "right jaw"}[side]
            return side
        level = (point[2] - self.body.low_mm) / max(self.body.high_mm - self.body.low_mm, 1e-6)
        height = (
            "upper edge"
            if level > 0.85
            else "lower edge"
            if level < 0.15
            else "upper part"
            if level > 0.6
            else "lower part"
            if level < 0.4
            else "middle"
        )
        side = ("front" if away[1] < 0 else "back") if abs(away[1]) > abs(away[0]) else ("left side" if away[0] > 0 else "right side")
        return f"{height}, {side}"

    def _beyond(self, placed: Placed) -> list[str]:
        """Where the piece's edges stand into what lies outside the stretch that counts: shoulders, foot, hand, the next limb."""
        if self.body.whole or self.question.as_placed:
            return []
        beyond = self.body.skin(2000, beyond=True)
        if not len(beyond.points):
            return []
        told = []
        (low, high), z = self.body.touch_mm, beyond.points[:, 2]
        bottom, top = placed.to_body(self.piece.bounds)[:, 2]
        remedy = "or thicken the crown's pad" if self.body.crown_mm is not None else "or move it in its seat"
        for edge, next_to, mask in zip(("lower", "upper"), self.where.next_to, (z < low, z > high), strict=True):
            room = room_of(self.piece, placed, beyond.take(mask), (), False).room_mm if mask.any() else np.zeros(0)
            into = z[mask][room < -_EDGE_MM]
            if len(into):
                short = float(into.max() - bottom if edge == "lower" else top - into.min())
                told.append(f"The {edge} {max(short, 1):.0f} mm meet the {next_to}: trim them off there, {remedy}.")
        return told

    def _warnings(self, seen: Sight | None, beyond: list[str], creased: Meeting | None) -> tuple[str, ...]:
        told = list(beyond)
        if creased is not None and creased.verdict != "holds":
            told.append(creased.text)
        thin, scale = self.question.thinnest_wall_mm, min(self.question.scale)
        if thin is not None and thin * scale < 2 * LINE_WIDTH_MM:
            told.append(f"The thinnest wall comes out at {thin * scale:.2f} mm, under two lines of {LINE_WIDTH_MM} mm.")
        elif thin is not None and thin * scale < self.question.walls * LINE_WIDTH_MM:
            told.append(f"The thinnest wall comes out at {thin * scale:.2f} mm, less than {self.question.walls} walls need once.")
        if max(self.question.scale) / min(self.question.scale) > 1.01:
            told.append(
                f"The axes are scaled apart by {100 * (max(self.question.scale) / min(self.question.scale) - 1):.1f} %: accepted for limbs, disliked for helmets."
            )
        if seen is not None:
            verdict, text = sight_verdict(seen)
            if verdict != "holds":
                told.append(text)
        if self.body.crown_mm is not None:
            told.append(
                "Costume only, never protective equipment. Keep breathing and hearing free and the way off quick; children never alone."
            )
        return tuple(told)

    def _verdict(self, room: Room, where: str, way_in: WayIn, bays: Sequence[BayFit], bent: Bend | None) -> tuple[str, str]:
        wanted = max((float(thickness(self.question.layers, np.eye(3)[i][None])[0]) for i in range(3)), default=0.0)
        ring = self.seating.goes_round or self.question.as_placed
        if ring and room.least_mm < 0:
            bare = room.least_mm + wanted
            words = "even without padding" if bare < 0 else f"the layers of {wanted:.0f} mm do not go in"
            return ("stops" if bare < 0 else "tight"), f"{-room.least_mm:.1f} mm too tight at the {where}: {words}."
        if not way_in.passes:
            return (
                "stops",
                f"It fits where it sits, but cannot be put on. {way_in.reason}" if not ring or room.least_mm >= 0 else way_in.reason,
            )
        pressed = [b for b in bays if not b.fits]
        if pressed:
            return "stops", pressed[0].text
        if bent is not None and bent.room_mm < 0:
            return "tight", f"Straight it fits, but {bent.what} needs {-bent.room_mm:.1f} mm more at the {bent.where}."
        if not ring:
            near, far = room.percentile(5), room.percentile(95)
            if far - near > PLATE_SPREAD_MM:
                return (
                    "tight",
                    f"Laid on, it touches at one place and stands {far:.0f} mm off at another: its curve is not the body's. Pad it, or scale it.",
                )
            return "holds", f"Laid on, it lies up to {far:.0f} mm off the layers."
        return "holds", f"{room.least_mm:.1f} mm left at the {where}, the tightest place; {way_in.reason[0].lower()}{way_in.reason[1:]}"

    def _remedies(
        self, room: Room, way_in: WayIn, bays: Sequence[BayFit], for_room: float | None, for_passing: float | None
    ) -> tuple[Remedy, ...]:
        told: list[Remedy] = []
        needed: list[tuple[float, str]] = []
        ring = self.seating.goes_round or self.question.as_placed
        if ring and room.least_mm < 0 and for_room:
            needed.append((for_room, "nothing presses"))
        if not way_in.passes and for_passing:
            needed.append((for_passing, f"the {way_in.ring.body if way_in.ring else 'body'} passes"))
        needed += [(b.needs_scale, f"{b.name} has its place") for b in bays if not b.fits and b.needs_scale]
        if needed:
            s = self._scale(np.ceil(max(size for size, _ in needed) * 1000) / 1000)
            told.append(
                Remedy("scale", f"Scale to {100 * max(s):.1f} %: then {' and '.join(why for _, why in needed)}.", {"scale": list(s)})
            )
        told += [
            Remedy("place", f"Move {b.name} to the {b.free_at}, where it lies free.", {"bay": index, "place": b.free_at})
            for index, b in enumerate(bays)
            if not b.fits and b.free_at
        ]
        if ring and room.least_mm < 0:
            pads = [x for x in self.question.layers if x.name == "pad" and x.thickness_mm + room.least_mm >= 2.0]
            for pad in pads[:1]:
                left = float(np.floor(2 * (pad.thickness_mm + room.least_mm)) / 2)
                told.append(Remedy("pad", f"Pads of {left:g} mm instead of {pad.thickness_mm:g}.", {"pad_mm": left}))
        if not way_in.passes and way_in.least_mm is not None:
            short = -way_in.least_mm
            if way_in.kind == "open":
                told.append(Remedy("open", f"Open the edge by {2 * short:.0f} mm more."))
            else:
                told.append(
                    Remedy("open", f"Cut it open at the back by {2 * np.pi * short:.0f} mm along the way round, and close it with straps.")
                )
            told.append(
                Remedy(
                    "split",
                    "Part it lengthwise where it is least seen, at the inner side or the back, and close it with magnets or a hinge.",
                    {"way_in": "split"},
                )
            )
            ring_at = way_in.ring.at_mm if way_in.ring else None
            height = float(self.piece.size[2]) * self.question.scale[2]
            if (
                ring_at is not None
                and min(ring_at, height - ring_at) < FLARE_REACH_MM + 8
                and short <= 8
                and self.question.material in SOFTENS_LOW
            ):
                told.append(
                    Remedy(
                        "flare",
                        f"Flare the last {FLARE_REACH_MM:.0f} mm by {np.ceil(short + 0.5):.0f} mm each side with gentle heat. Plastics that soften low only: try it on a failed print first, air the room, and mind burns; the spool maker's sheet and local rules come first.",
                    )
                )
        return tuple(told)

    def sections(self, placed: Placed, count: int = 6) -> list[dict[str, Any]]:
        """Body in piece along the stretch: at some heights both outlines (mm), for drawings."""
        low, high = (float(v) for v in placed.to_body(self.piece.bounds)[:, 2])
        told = []
        for z in np.linspace(low + 0.06 * (high - low), high - 0.06 * (high - low), count):
            in_piece = float((z - placed.offset_mm[2]) / placed.scale[2])
            shell = level_loops(self.piece, in_piece)
            skin = level_loops(self.body.mesh, float(z))
            if not shell:
                continue
            centre = skin[0].centre if skin else self.body.centre[:2]
            keep = [run for run in skin if np.linalg.norm(run.centre - self.body.centre[:2]) < 250][:1]
            told.append(
                {
                    "at_mm": float(z - low),
                    "shell": [
                        _rounded(run.flat * np.array(placed.scale[:2]) + np.array(placed.offset_mm[:2]) - centre) for run in shell[:6]
                    ],
                    "body": _ring(hull_of(keep[0].points) - centre) if keep else [],
                }
            )
        return told


def _rounded(segments: Floats) -> list[list[float]]:
    """Segments (k, 2, 2) as [x1, y1, x2, y2] rows."""
    return [[round(float(v), 1) for v in row] for row in segments.reshape(-1, 4)]


def _ring(points: Floats) -> list[list[float]]:
    return [[round(float(x), 1), round(float(y), 1)] for x, y in points]


def _lifted(curve: Sequence[CurvePoint], by_mm: float) -> tuple[CurvePoint, ...]:
    return tuple(replace(p, room_mm=p.room_mm + by_mm) for p in curve)


def from_curve(
    curve: Sequence[CurvePoint], scale: float, more_padding_mm: float = 0.0, padding: Sequence[PaddingCurve] = ()
) -> CurvePoint | None:
    """What another scale or padding brings, read off the curves at once; None outside them.

    Where no curve for other paddings is known, more of it all round costs its own thickness of room.
    """
    sizes = [p.scale for p in curve]
    if not sizes or not min(sizes) <= scale <= max(sizes):
        return None

    def room_at(points: Sequence[CurvePoint]) -> float:
        return float(np.interp(scale, [p.scale for p in points], [p.room_mm for p in points]))

    room = room_at(curve)
    known = sorted([(0.0, room), *((c.more_mm, room_at(c.points)) for c in padding if c.points)])
    if len(known) > 1:
        # Beyond the outermost curve each mm of padding costs a mm.
        beyond = more_padding_mm - float(np.clip(more_padding_mm, known[0][0], known[-1][0]))
        room = float(np.interp(more_padding_mm, [m for m, _ in known], [r for _, r in known])) - beyond
    else:
        room -= more_padding_mm
    walls = [p.wall_mm for p in curve if p.wall_mm is not None]
    wall = float(np.interp(scale, sizes, walls)) if len(walls) == len(sizes) else None
    return CurvePoint(scale, room, wall, float(np.interp(scale, sizes, [p.volume_mm3 for p in curve])))


def filament_at(now_g: float, now: CurvePoint, other: CurvePoint) -> float:
    """About what another scale takes (g): thin shells print nearly solid, so filament goes with their volume; common practice, no source."""
    return now_g * other.volume_mm3 / now.volume_mm3
