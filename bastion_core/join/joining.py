"""Every seam of a parting gets what holds it: grown on its parts and carved out of them."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal, Protocol

import numpy as np

from bastion_core.cut.parting import Part, Parting, Seam
from bastion_core.findings import NOTHING, Quantity, Said, counted, deg, joined, say
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.solid import Solid, united
from bastion_core.join.ask import Ask
from bastion_core.join.ballast import Ballast, Filled, WeightRecord, filled_part, hollowed, lifts, weighed
from bastion_core.join.fasteners.base import Fastener, Hardware
from bastion_core.join.fasteners.dovetail import place_dovetail
from bastion_core.join.fasteners.inside import place_inside
from bastion_core.join.fasteners.lug import Load, load_of
from bastion_core.join.fasteners.magnet import Closing, Pair
from bastion_core.join.fasteners.pin import PinRule, place_pins
from bastion_core.join.fasteners.rod import RodIn
from bastion_core.join.fasteners.tongue import place_key
from bastion_core.join.held import Held, held_of, letter_of, letters_of
from bastion_core.join.loads import HangsAt, Printed, Stuck, hangs_at
from bastion_core.join.moving import Moved, Moving, moved
from bastion_core.join.order import JoinStep, steps_of
from bastion_core.join.places import Carved, SeamRoom, outline_of
from bastion_core.join.rods import Carried, Loaded, loaded
from bastion_core.join.room import InsideRoom
from bastion_core.join.table import GLUES, KINDS, SCREWED, Kind
from bastion_core.progress import Progress, silent
from bastion_core.statics.closing import Stays
from bastion_core.statics.poses import ENOUGH

INSIDE_OFF_MM = 5.0
"""Keys and lugs end so far before another seam's rim: what holds that one stands about there."""
_LEANS_DEG = 40.0
"""A lip that leans further prints only over supports, which by itself nothing is worth; common practice, no source."""
_GLUE_MPA = GLUES["ca"].shear_mpa
"""Where nobody said what it is glued with."""
_LOST_MM3, _LOST_SHARE, _WASTE_MM3 = 0.5, 0.03, 30.0


Code = Literal["", "failed", "presses", "changed", "glued", "awry", "weak", "stuck", "moves"]


@dataclass(frozen=True)
class JoinRule:
    """What holds for all seams of a piece."""

    pins: PinRule
    held: tuple[Held, ...] = ()
    key_gap_mm: float = PinRule.clearance_mm
    insert_wider_mm: float = 0.0
    screw_wider_mm: float = 0.0
    material: str = "pla"
    magnet_gap_mm: float = PinRule.clearance_mm
    printed: Printed | None = None
    """Where something comes off: what it weighs, how it is worn."""
    carried: Carried | None = None
    """Of what is held in the hand, or has rods."""
    ballast: tuple[Ballast, ...] = ()
    moves: tuple[Moving, ...] = ()


@dataclass(frozen=True)
class Joint:
    """A seam with its fasteners, or with the reason why it has none and what to do instead."""

    seam: Seam
    fasteners: tuple[Fastener, ...]
    advice: Said
    kind: Kind = "auto"
    """How it is held in the end."""
    asked: Held = Held("")
    """How it was to be held."""
    inside_mm: float = 0.0
    """Of its rim, what lies on the inside of a shell."""
    code: Code = ""
    """What became of it otherwise than wanted: not as chosen, pressing the wearer, moved, glued for want of room, closing awry, too weak for
    what hangs, or held together elsewhere."""
    closing: "ClosedBy | None" = None


@dataclass(frozen=True)
class ClosedBy:
    """A seam that comes off: what hangs on it, the discs, and how surely it stays."""

    hangs: HangsAt
    pair: Pair
    count: int
    stays: Stays
    keyed: bool
    wanted: int
    """How many pairs would be enough, sitting as these do."""


@dataclass(frozen=True)
class Joined:
    """Parts with what was grown on and carved out of them, and the joints."""

    parts: tuple[Part, ...]
    joints: tuple[Joint, ...]
    warnings: tuple[Said, ...]
    steps: tuple[JoinStep, ...] = ()
    grown_mm3: float = 0.0
    carved_mm3: float = 0.0
    load: Loaded | None = None
    """Of what is held in the hand, or has rods."""
    weight: WeightRecord | None = None
    """Of the same, and of what has ballast."""
    moves: tuple[Moved, ...] = ()
    unmoved: tuple[Said, ...] = ()
    """What was to move and cannot."""


def join(
    parting: Parting, rule: JoinRule, progress: Progress = silent, whole: Solid | None = None, inside: InsideRoom | None = None,
    scale: tuple[float, float, float] = (1.0, 1.0, 1.0), cuts: Sequence[str] = (),
) -> Joined:  # fmt: skip
    """What holds every seam, made in both sides of it. ``whole`` is the piece before any cut (its parts united where it is not given), ``inside``
    the room in it; places of the rule are at scale 1."""
    inside = inside or InsideRoom.none()
    printed = rule.printed or (rule.carried.printed if rule.carried else Printed())
    fills, unfilled = _filled(parting, rule, printed)
    before = sum(p.solid.volume for p in parting.parts)
    parting = hollowed(parting, fills)
    by_name = {p.name: p for p in parting.parts}
    comes_off = {s.id for s in parting.seams if held_of(s, rule.held).kind == "magnet"}
    steps = steps_of(parting, cuts, comes_off)
    closing = {s: step for step in steps for s in step.seams}
    solid = whole if whole is not None else united(p.solid for p in parting.parts)
    body = solid.mesh() if parting.seams else None
    load = None
    if rule.carried is not None:
        progress(0.0, "bending it")
        load = loaded(solid, parting, rule.carried, rule.pins.least_wall_mm, rule.pins.clearance_mm, np.array(scale), fills)
    rods = load.rods if load is not None else ()
    made: dict[str, list[tuple[Fastener, int]]] = {name: [(rod, 1) for rod in rods] for name in by_name}
    turning = [moved(parting.parts, wanted, np.array(scale)) for wanted in rule.moves]
    moves = tuple(m for m in turning if isinstance(m, Moved))
    loose = {frozenset((m.fixed, m.moves)) for m in moves}
    joints = []
    for index, seam in enumerate(parting.seams):
        progress(0.7 * index / len(parting.seams), f"joints between {seam.above} and {seam.below}")
        others = list(dict.fromkeys(f for name in (seam.above, seam.below) for f, _ in made[name]))
        apart = [outline_of(s, INSIDE_OFF_MM) for s in parting.seams if s.id != seam.id and {s.above, s.below} & {seam.above, seam.below}]
        held = held_of(seam, rule.held)
        if frozenset((seam.above, seam.below)) in loose:
            still = say("These two move against each other: nothing holds them here.")
            joints.append(Joint(seam, (), still, "glue", held, code="moves"))
            continue
        assert body is not None
        room = SeamRoom(seam, by_name[seam.above].solid, by_name[seam.below].solid)
        ask = Ask(room, body, rule.key_gap_mm, rule.pins.least_wall_mm, [*others, *apart], held.turned)
        hangs = hangs_at(parting, seam, comes_off, rule.printed or Printed()) if seam.id in comes_off else None
        joint = _Joining(ask, rule, held, others, inside, closing.get(seam.id), np.array(scale), hangs).joint()
        for name, side in ((seam.above, 1), (seam.below, -1)):
            made[name] += [(f, side) for f in joint.fasteners]
        joints.append(joint)
    progress(0.75, "carving")
    parts, warnings = [], []
    grown_mm3 = carved_mm3 = 0.0
    for part in parting.parts:
        holes = [tool for m in moves for tool in m.tools.get(part.name, ())]
        done, grown, carved, said = _made_of(part, made[part.name], holes)
        parts.append(replace(part, solid=done))
        grown_mm3, carved_mm3 = grown_mm3 + grown, carved_mm3 + carved
        warnings += said
    carved_mm3 += before - sum(p.solid.volume for p in parting.parts)
    weight = None
    if rule.carried is not None or rule.ballast:
        glue = rule.carried.glue_mpa if rule.carried else _GLUE_MPA
        pulls = {j.seam.id: j.closing.pair.pull_n * j.closing.count for j in joints if j.closing is not None}
        screwed = {j.seam.id for j in joints if j.kind in (*SCREWED, "snap")}
        lifted = lifts(parting, printed, glue, rods, {f.part: f for f in fills}, pulls, screwed)
        weight = weighed(parting, printed, fills, lifted, (*unfilled, *_pierced(fills, rods)))
    return Joined(
        tuple(parts),
        tuple(joints),
        tuple(warnings),
        steps,
        grown_mm3,
        carved_mm3,
        load,
        weight,
        moves,
        tuple(m for m in turning if isinstance(m, Said)),
    )


def _filled(parting: Parting, rule: JoinRule, printed: Printed) -> tuple[tuple[Filled, ...], tuple[Said, ...]]:
    """The cavities of a piece's ballast, and what of it finds no room."""
    fills, said = list[Filled](), list[Said]()
    for wanted in rule.ballast:
        part = next((p for p in parting.parts if wanted.means(p)), None)
        if part is None:
            said.append(say("There is no part {} to fill any more. Choose the part anew.", wanted.part))
            continue
        found = filled_part(part, parting, wanted, printed, rule.material or "pla")
        if isinstance(found, Filled):
            fills.append(found)
            if wanted.grams is not None and wanted.grams > found.full_g + 1:
                words = "{} takes {} of {}, not {}: a heavier fill or a thinner wall would hold more."
                letter = letter_of(part.name)
                said.append(say(words, letter, Quantity((found.full_g,), "g", 0), found.fill.name, Quantity((wanted.grams,), "g", 0)))
        else:
            said.append(found)
    return tuple(fills), tuple(said)


def _pierced(fills: Sequence[Filled], rods: Sequence[RodIn]) -> tuple[Said, ...]:
    """Ballast that a rod's bore runs into."""
    words = "The rod runs through the ballast of {}: let it end before, or leave the ballast out there."
    return tuple(say(words, letter_of(f.part)) for f in fills if any(f.cavity.common(r.tools(1)[0]).volume > 1.0 for r in rods))


def _made_of(part: Part, held_by: Sequence[tuple[Fastener, int]], holes: Sequence[Solid] = ()) -> tuple[Solid, float, float, list[Said]]:
    """A part with what holds it: how much was grown on and carved out (mm³), and what came out otherwise than meant."""
    grown = part.solid.plus([s for f, side in held_by for s in f.adds(side)])
    pins = [t for f, side in held_by if f.kind == "pin" for t in f.tools(side)]
    drilled = grown.minus(pins)
    done = drilled.minus([t for f, side in held_by if f.kind != "pin" for t in f.tools(side)] + list(holes))
    said = list[Said]()
    # Every pin hole is wanted whole, and half of each tool lies inside this part.
    gone, wanted = grown.volume - drilled.volume, sum(tool.volume / 2 for tool in pins)
    if abs(gone - wanted) > _LOST_SHARE * wanted + _LOST_MM3:
        words = "{}: the pin holes break through somewhere ({} went, {} were planned). Look at its seams."
        said.append(say(words, part.name, Quantity((gone,), "mm3", 2), Quantity((wanted,), "mm3", 2)))
    bodies = done.bodies()
    # What a groove cuts loose is waste, as long as it is small.
    loose = sum(b.volume for b in bodies[1:])
    if loose > _WASTE_MM3:
        words = "{}: what holds its seams cuts {} of it loose. Hold one of its seams otherwise."
        said.append(say(words, part.name, Quantity((loose,), "mm3", 2)))
    return bodies[0], grown.volume - part.solid.volume, grown.volume - done.volume, said


@dataclass(frozen=True)
class _Found:
    """What was made for a seam, what is to be said of it, and a code of why nothing was."""

    fasteners: tuple[Fastener, ...]
    said: Said
    code: str = ""


@dataclass(frozen=True, eq=False)
class _Joining:
    """One seam on its way to being held."""

    ask: Ask
    rule: JoinRule
    held: Held
    others: Sequence[Carved]
    """What was made at other seams of the same parts: pins may come as near to their rims as the wall allows."""
    inside: InsideRoom
    step: JoinStep | None
    scale: Floats
    hangs: HangsAt | Stuck | None = None

    def joint(self) -> Joint:
        """What it gets: as the maker wants it, else the first of pins, keys and glue that its wall takes."""
        seam, held, step = self.ask.seam, self.held, self.step
        if seam.own and not held.seam:
            words = f"Held by what the set came with: {counted(seam.own, 'pocket, hole or peg', 'pockets, holes and pegs')} in this face."
            return Joint(seam, (), say(words), "auto", held)
        if step is not None and seam.id in step.awry and held.kind != "magnet":
            words = (
                "This seam closes together with another one that faces elsewhere: nothing can slide along both. Glue alone, sanded flat."
            )
            return self._held_by("glue", (), say(words), "awry")
        if held.kind == "glue":
            return self._held_by("glue", (), say("Glue alone, as chosen: sand both faces flat on a board."))
        if held.kind == "auto":
            return self._as_suits()
        if held.kind == "magnet":
            return self._comes_off()
        found = self._as_wanted()
        if found.fasteners:
            return self._held_by(held.kind, found.fasteners, found.said, "changed" if found.said else "")
        words = f"{{}} Until then it is glued alone ({KINDS[held.kind]} was chosen)."
        return self._held_by("glue", (), say(words, found.said), "presses" if found.code == "press" else "failed")

    def _held_by(self, kind: Kind, fasteners: tuple[Fastener, ...], said: Said, code: Code = "") -> Joint:
        return Joint(self.ask.seam, fasteners, said, kind, self.held, self.ask.inside_mm, code)

    def _comes_off(self) -> Joint:
        """Magnets for what hangs; or why it would not come off, or not stay on."""
        ask, rule, hangs = self.ask, self.rule, self.hangs
        if not isinstance(hangs, HangsAt):
            names = ", ".join(letters_of(s).replace("-", " to ") for s in hangs.by) if hangs else ""
            words = f"Nothing comes off here: {names or 'other seams'} hold both sides together for good. Hold those by magnets too."
            return self._held_by("glue", (), say(words), "stuck")
        at = None if self.held.at_mm is None else np.array(self.held.at_mm) * self.scale
        printed = rule.printed or Printed()
        asked = Closing(
            ask,
            hangs,
            printed.poses,
            self.held,
            rule.pins,
            rule.magnet_gap_mm,
            self.inside,
            rule.material,
            self.step is None or len(self.step.seams) == 1 or self.ask.seam.id not in self.step.awry,
        )
        found = asked.closed(at)
        if found.stays is None or found.pair is None:
            return self._held_by(
                "glue", (), say("{} Until then it is glued for good.", found.said), "presses" if found.code == "press" else "failed"
            )
        count = sum(f.kind == "magnet" for f in found.fasteners)
        by = ClosedBy(hangs, found.pair, count, found.stays, count < len(found.fasteners), asked.wanted(found.stays, found.pair))
        said, code = found.said, "changed" if found.said else ""
        if not found.stays.enough:
            words = "{} of {} hold {} times what they have to in {}, and {} is wanted: {} of them would be enough. Take larger discs, or more where there is room."
            weak = say(
                words, counted(count, "pair"), f"{found.pair.comes.code} mm", Quantity((found.stays.safety,), "count", 1), _pose(printed, found.stays.pose),
                Quantity((ENOUGH,), "count", 0), str(by.wanted),
            )  # fmt: skip
            said, code = joined([weak, said], " ") if said else weak, "weak"
        return replace(self._held_by("magnet", found.fasteners, said, code), closing=by)  # type: ignore[arg-type]

    def _as_suits(self) -> Joint:
        """Pins where the wall takes two or more, else a key that prints by itself, else one pin, else glue."""
        pins, said = place_pins(self.ask.seam, self.ask.room, self.rule.pins, self.others)
        if len(pins) >= 2:
            return self._held_by("pin", pins, said)
        keys, _ = place_key(self.ask)
        if keys and keys[0].lean_deg <= _LEANS_DEG:
            return self._held_by("key", keys, NOTHING)
        if pins:
            return self._held_by("pin", pins, said, "changed")
        if keys:
            words = "A lip would lean by {} with the wall and print only over supports: glue with an inside fillet, or choose the lip all the same."
            said = say(words, deg(keys[0].lean_deg))
        return self._held_by("glue", (), said, "glued")

    def _as_wanted(self) -> _Found:
        """What the maker chose, or why it cannot be."""
        held, ask, rule = self.held, self.ask, self.rule
        at = None if held.at_mm is None else np.array(held.at_mm) * self.scale
        if held.kind == "pin":
            return _Found(*place_pins(ask.seam, ask.room, rule.pins, self.others, at))
        if held.kind == "key":
            return _Found(*place_key(ask))
        if held.kind == "dovetail":
            if self.step is not None and len(self.step.seams) > 1:
                words = "A dovetail slides in sideways, and this seam closes together with another one: that cannot be. Take pins or a lip."
                return _Found((), say(words))
            return _Found(*place_dovetail(ask))
        places = None if at is None else ask.room.in_frame(at)
        found = place_inside(ask, held, load_for(held, rule), self.inside, rule.material, places)
        return _Found(found.lugs, found.said, found.code)


def _pose(printed: Printed, key: str) -> str:
    return next((p.name for p in printed.poses if p.key == key), key)


def load_for(held: Held, rule: JoinRule) -> Load:
    """What the lugs of a seam carry."""
    load = load_of(held, rule.pins.diameters_mm, rule.pins.clearance_mm, rule.pins.least_wall_mm, rule.insert_wider_mm, rule.screw_wider_mm)
    return replace(load, clearance_mm=rule.key_gap_mm) if held.kind == "snap" else load


class Bought(Protocol):
    """What takes hardware."""

    def hardware(self) -> tuple[Hardware, ...]: ...


def hardware(joints: Sequence[Joint], more: Sequence[Bought] = ()) -> tuple[Hardware, ...]:
    """What has to be bought or cut, like ones counted together, by kind, thickest and longest first."""
    counts: dict[tuple[str, float, float, str], int] = {}
    for fastener in (*more, *(f for joint in joints for f in joint.fasteners)):
        for line in fastener.hardware():
            key = (line.kind, line.diameter_mm, line.length_mm, line.name)
            counts[key] = counts.get(key, 0) + line.count
    ordered = sorted(counts.items(), key=lambda c: (c[0][0], -c[0][1], -c[0][2]))
    return tuple(Hardware(kind, d, length, n, name) for (kind, d, length, name), n in ordered)
