"""What is said of a piece on a body: the verdict and its reason, what would mend it, what else to mind."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from scipy.spatial.transform import Rotation

from bastion_core.findings import Quantity, Said, Verdict, joined, mm, say
from bastion_core.fit.bays import BayFit
from bastion_core.fit.joints import Contact
from bastion_core.fit.layers import pad_of, thickness, with_pad
from bastion_core.fit.movement import Bend, Sight, sight_verdict
from bastion_core.fit.pair import MOST_OPEN_MM
from bastion_core.fit.plate import FLOATS_MM, PlateFit
from bastion_core.fit.room import Placed, Room, room_of
from bastion_core.fit.scale import distorted, in_percent
from bastion_core.fit.seated import Seated
from bastion_core.fit.way_in import WayIn

FLARE_REACH_MM = 30.0
LEAST_PAD_MM = 2.0
"""Thinner pads than this are not worth cutting; common practice, no source."""
PLATE_SPREAD_MM = 60.0
"""A plate that stands off more than this somewhere needs filling with foam; common practice, no source."""
PRESSES_MM = 2.0
"""A plate that would lie deeper in the body than this on the whole presses; common practice, no source."""
APART_GAINS_MM = 1.0
"""Girth apart from length is worth telling when it makes the gap so much more even; common practice, no source."""
MOST_APART, MOST_FORMED_MM = 1.2, 40.0
"""Axes scaled further apart than this spoil the design; a plate is not formed by more than this: common practice, no source."""
_EDGE_MM, _LEANS_DEG = 1.0, 3.0


@dataclass(frozen=True)
class FitRemedy:
    """Something that would mend it, with its number. ``change`` names decisions of the piece that would do it, empty where hands must."""

    kind: str
    text: Said
    change: dict[str, Any] = field(default_factory=dict)
    needs_heat: bool = False
    """Only for plastics that can be formed with gentle heat."""


@dataclass(frozen=True)
class Warned:
    """Something beside the verdict; ``caution`` where nothing is judged by it."""

    code: str
    text: Said
    caution: bool = False


def verdict_of(
    fitting: Seated, room: Room, where: str, way_in: WayIn, bays: Sequence[BayFit], bent: Bend | None, plate: PlateFit | None = None
) -> tuple[Verdict, Said]:
    """The worst of room, way in, bays and movement, and the sentence that says why."""
    ring = fitting.goes_round
    layers = fitting.question.layers
    if ring and room.least_mm < 0:
        wanted = max((float(thickness(layers, np.eye(3)[i][None])[0]) for i in range(3)), default=0.0)
        bare = room.least_mm + wanted
        why = say("even without padding") if bare < 0 else say("the layers of {} do not go in", mm(wanted))
        tight = say("{} too tight at the {}: {}.", mm(-room.least_mm, digits=1), where, why)
        return (Verdict.STOPS if bare < 0 else Verdict.TIGHT), tight
    if not way_in.passes:
        if ring and not room.least_mm >= 0:
            return Verdict.STOPS, way_in.reason
        return Verdict.STOPS, say("It fits where it sits, but cannot be put on. {}", way_in.reason)
    pressed = [b for b in bays if not b.fits]
    if pressed:
        return Verdict.STOPS, pressed[0].text
    if bent is not None and bent.verdict > Verdict.HOLDS:
        return Verdict.TIGHT, say("Straight it fits, but {} needs {} more at the {}.", bent.what, mm(-bent.room_mm, digits=1), bent.where)
    if plate is not None:
        return _of_plate(fitting, plate)
    if not ring:
        near, far = room.percentile(5), room.percentile(95)
        if far - near > PLATE_SPREAD_MM:
            words = "Laid on, it touches at one place and stands {} off at another: its curve is not the body's. Pad it, or scale it."
            return Verdict.TIGHT, say(words, mm(far))
        return Verdict.HOLDS, say("Laid on, it lies up to {} off the layers.", mm(far))
    return Verdict.HOLDS, say("{} left at the {}, the tightest place; {}", mm(room.least_mm, digits=1), where, way_in.reason.small())


def _of_plate(fitting: Seated, plate: PlateFit) -> tuple[Verdict, Said]:
    """How a plate follows the body: whether it presses all over, follows worse than it could, or floats."""
    size = max(fitting.question.scale)
    low, high = (Quantity((v,), "share", 1) for v in (plate.from_scale, plate.to_scale))
    if plate.even_mm < -PRESSES_MM:
        words = "Laid round the body it would lie {} in it on the whole: it is too small, and stands off in its middle."
        return Verdict.TIGHT, say(words, mm(-plate.even_mm, digits=1))
    where = fitting.where_at(np.array(plate.floats_at_mm))
    gap = say("laid on, it stands off up to {} at the {}: {} cm³ of foam fill that", mm(plate.off_mm[2]), where, f"{plate.foam_cm3:,.0f}")
    even = say("uneven by ± {}", mm(plate.uneven_mm, digits=1))
    meets = [o for o in plate.openings if o.least_mm < 0]
    if meets:
        words = "The halves meet at the {} before they lie on: one stands {} in the other. Scale it down, or trim that edge."
        return Verdict.STOPS, say(words, " and the ".join(o.side for o in meets), mm(-min(o.least_mm for o in meets)))
    gap = say("{}; {}", gap, _open_sides(plate)) if plate.openings else gap
    if any(o.most_mm > MOST_OPEN_MM for o in plate.openings) and plate.from_scale - 5e-4 <= size <= plate.to_scale + 5e-4:
        return Verdict.TIGHT, say("Its gap is {}; {}. That shows the side: scale it up, or add a side panel.", even, gap)
    if not plate.from_scale - 5e-4 <= size <= plate.to_scale + 5e-4:
        best = mm(plate.best_uneven_mm, digits=1)
        return Verdict.TIGHT, say("Its gap is {}; from {} to {} it would be ± {}; {}.", even, low, high, best, gap)
    if plate.off_mm[2] > FLOATS_MM:
        return Verdict.TIGHT, say("Its gap is {}; {}.", even, gap)
    return Verdict.HOLDS, say("It follows the body, its gap {}; {}.", even, gap)


def _open_sides(plate: PlateFit) -> Said:
    """How far straps have to reach between two halves."""
    sides = [say("{} on the {}", mm(o.least_mm, o.most_mm, between=" to "), o.side) for o in plate.openings]
    return say("between the halves {} stay open for straps, magnets or a hinge", joined(sides, " and "))


def remedies_of(
    fitting: Seated, room: Room, way_in: WayIn, bays: Sequence[BayFit], for_room: float | None, for_passing: float | None,
    plate: PlateFit | None = None,
) -> tuple[FitRemedy, ...]:  # fmt: skip
    """What would mend it, the surest first."""
    presses = fitting.goes_round and room.least_mm < 0
    said = _scale_remedy(fitting, presses, way_in, bays, for_room, for_passing)
    said += [
        FitRemedy("place", say("Move {} to the {}, where it lies free.", b.name, b.free_at), {"bays": _moved(fitting, index, b.free_at)})
        for index, b in enumerate(bays)
        if not b.fits and b.free_at
    ]
    layers = fitting.question.layers
    pad = pad_of(layers)
    if presses and pad + room.least_mm >= LEAST_PAD_MM:
        left = float(np.floor(2 * (pad + room.least_mm)) / 2)
        thinner = [{"name": x.name, "thickness_mm": x.thickness_mm, "where": x.where} for x in with_pad(layers, left)]
        said.append(FitRemedy("pad", say("Pads of {} instead of {}.", mm(left, digits=1), mm(pad, digits=1)), {"layers": thinner}))
    if not way_in.passes and way_in.least_mm is not None:
        said += _to_get_in(fitting, way_in, -way_in.least_mm)
    if plate is not None:
        said += _for_plate(fitting, plate)
    return tuple(said)


def _for_plate(fitting: Seated, plate: PlateFit) -> list[FitRemedy]:
    """What makes a plate follow the body better: its scale, its girth apart from its length, forming it, or foam."""
    said, size = [], max(fitting.question.scale)
    better = float(np.clip(size, plate.from_scale, plate.to_scale))
    if abs(better / size - 1) > 1e-3:
        s = fitting.proportioned(np.ceil(better * 1000) / 1000)
        words = say("Scale to {}: then its gap is uneven by ± {}.", in_percent(max(s)), mm(plate.best_uneven_mm, digits=1))
        said.append(FitRemedy("scale", words, {"scale": list(s)}))
    apart = max(plate.girth_scale, plate.length_scale) / min(plate.girth_scale, plate.length_scale)
    if plate.apart_uneven_mm < plate.best_uneven_mm - APART_GAINS_MM and apart < MOST_APART:
        girth, length = (float(np.round(v, 3)) for v in (plate.girth_scale, plate.length_scale))
        words = say("Girth to {} and length to {}: ± {}.", in_percent(girth), in_percent(length), mm(plate.apart_uneven_mm, digits=1))
        said.append(FitRemedy("axes", words, {"scale": [girth, girth, length]}))
    if FLOATS_MM < plate.off_mm[2] <= MOST_FORMED_MM:
        where = fitting.where_at(np.array(plate.floats_at_mm))
        form = (
            "Form the {} inward by up to {} with gentle heat. Plastics that soften low only: try it on a failed print first, air the room, and "
            "mind burns; the spool maker's sheet and local rules come first."
        )
        said.append(FitRemedy("form", say(form, where, mm(plate.off_mm[2])), needs_heat=True))
    return said


def _scale_remedy(
    fitting: Seated, presses: bool, way_in: WayIn, bays: Sequence[BayFit], for_room: float | None, for_passing: float | None
) -> list[FitRemedy]:
    needed: list[tuple[float, str]] = []
    if presses and for_room:
        needed.append((for_room, "nothing presses"))
    if not way_in.passes and for_passing:
        needed.append((for_passing, f"the {way_in.ring.body if way_in.ring else 'body'} passes"))
    needed += [(b.needs_scale, f"{b.name} has its place") for b in bays if not b.fits and b.needs_scale]
    if not needed:
        return []
    s = fitting.proportioned(np.ceil(max(size for size, _ in needed) * 1000) / 1000)
    words = say("Scale to {}: then {}.", in_percent(max(s)), " and ".join(why for _, why in needed))
    return [FitRemedy("scale", words, {"scale": list(s)})]


def _moved(fitting: Seated, which: int, place: str) -> list[dict[str, Any]]:
    """The bays with one of them at another named place."""
    return [
        {"name": b.name, "size_mm": list(b.size_mm), "place": b.place, "at_mm": b.at_mm and list(b.at_mm), "round": b.round}
        | ({"place": place, "at_mm": None} if index == which else {})
        for index, b in enumerate(fitting.question.bays)
    ]


def _to_get_in(fitting: Seated, way_in: WayIn, short_mm: float) -> list[FitRemedy]:
    """What lets a body in that does not pass, ``short_mm`` too tight each side."""
    if way_in.kind == "open":
        said = [FitRemedy("open", say("Open the edge by {} more.", mm(2 * short_mm)))]
    else:
        words = "Cut it open at the back by {} along the way round, and close it with straps."
        said = [FitRemedy("open", say(words, mm(2 * np.pi * short_mm)))]
    apart = "Part it lengthwise where it is least seen, at the inner side or the back, and close it with magnets or a hinge."
    said.append(FitRemedy("split", say(apart), {"way_in": "split"}))
    ring_at = way_in.ring.at_mm if way_in.ring else None
    height = float(fitting.piece.size[2]) * fitting.question.scale[2]
    if ring_at is not None and min(ring_at, height - ring_at) < FLARE_REACH_MM + 8 and short_mm <= 8:
        flare = (
            "Flare the last {} by {} each side with gentle heat. Plastics that soften low only: try it on a failed print first, air the "
            "room, and mind burns; the spool maker's sheet and local rules come first."
        )
        said.append(FitRemedy("flare", say(flare, mm(FLARE_REACH_MM), mm(np.ceil(short_mm + 0.5))), needs_heat=True))
    return said


def warnings_of(fitting: Seated, placed: Placed, seen: Sight | None, creased: Contact | None) -> tuple[Warned, ...]:
    """What to mind beside the verdict."""
    said = [Warned("beyond", text) for text in _beyond(fitting, placed)]
    if creased is not None and creased.verdict > Verdict.HOLDS:
        said.append(Warned("crease", creased.text))
    leans = float(np.degrees(Rotation.from_euler("xyz", fitting.settled_deg, degrees=True).magnitude()))
    if leans >= _LEANS_DEG:
        words = "Worn, it is tilted {}° from how it stands in its file, as the limb is; putting it on is judged untilted."
        said.append(Warned("leans", say(words, f"{leans:.0f}"), caution=True))
    apart = distorted(fitting.question.scale)
    if apart is not None:
        said.append(Warned("axes-apart", apart))
    if seen is not None:
        verdict, text = sight_verdict(seen)
        if verdict > Verdict.HOLDS:
            said.append(Warned("sight", text))
    if fitting.body.crown_mm is not None:
        words = "Costume only, never protective equipment. Keep breathing and hearing free and the way off quick; children never alone."
        said.append(Warned("costume-only", say(words), caution=True))
    return tuple(said)


def _beyond(fitting: Seated, placed: Placed) -> list[Said]:
    """Where the piece's edges stand into what lies outside the stretch that counts: shoulders, foot, hand, the next limb."""
    body = fitting.body
    if body.whole or fitting.question.as_placed:
        return []
    beyond = body.skin(2000, beyond=True)
    if not len(beyond.points):
        return []
    said = []
    (low, high), z = body.touch_mm, beyond.points[:, 2]
    bottom, top = placed.to_body(fitting.piece.bounds)[:, 2]
    remedy = "or thicken the crown's pad" if body.crown_mm is not None else "or move it in its seat"
    for edge, next_to, mask in zip(("lower", "upper"), fitting.worn_at.next_to, (z < low, z > high), strict=True):
        room = room_of(fitting.piece, placed, beyond.take(mask), (), False).room_mm if mask.any() else np.zeros(0)
        into = z[mask][room < -_EDGE_MM]
        if len(into):
            short = float(into.max() - bottom if edge == "lower" else top - into.min())
            said.append(say("The {} {} meet the {}: trim them off there, {}.", edge, mm(max(short, 1)), next_to, remedy))
    return said
