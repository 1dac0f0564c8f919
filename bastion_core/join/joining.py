"""Every seam of a parting gets what holds it: grown on its parts and carved out of them."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from bastion_core.cut.parting import Part, Parting, Seam
from bastion_core.findings import NOTHING, Quantity, Said, counted, deg, say
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.solid import Solid, united
from bastion_core.join.edges import rims_of
from bastion_core.join.fasteners.base import Fastener, Hardware
from bastion_core.join.fasteners.dovetail import place_dovetail
from bastion_core.join.fasteners.inside import place_inside
from bastion_core.join.fasteners.lug import Load, load_of
from bastion_core.join.fasteners.pin import PinRule, place_pins
from bastion_core.join.fasteners.tongue import place_key
from bastion_core.join.held import Held, held_of
from bastion_core.join.order import JoinStep, steps_of
from bastion_core.join.places import Carved, SeamRoom, outline_of
from bastion_core.join.room import InsideRoom
from bastion_core.join.table import KINDS, Kind
from bastion_core.progress import Progress, silent

INSIDE_OFF_MM = 5.0
"""Keys and lugs end so far before another seam's rim: what holds that one stands about there."""
_LEANS_DEG = 40.0
"""A lip that leans further prints only over supports, which by itself nothing is worth; common practice, no source."""
_LOST_MM3, _LOST_SHARE = 0.5, 0.03


@dataclass(frozen=True)
class JoinRule:
    """What holds for all seams of a piece."""

    pins: PinRule
    held: tuple[Held, ...] = ()
    key_gap_mm: float = PinRule.clearance_mm
    insert_wider_mm: float = 0.0
    screw_wider_mm: float = 0.0
    material: str = "pla"


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
    code: Literal["", "failed", "presses", "changed", "glued", "awry"] = ""
    """What became of it otherwise than wanted: not as chosen, pressing the wearer, moved, glued for want of room, or closing awry."""


@dataclass(frozen=True)
class Joined:
    """Parts with what was grown on and carved out of them, and the joints."""

    parts: tuple[Part, ...]
    joints: tuple[Joint, ...]
    warnings: tuple[Said, ...]
    steps: tuple[JoinStep, ...] = ()
    grown_mm3: float = 0.0
    carved_mm3: float = 0.0


def join(
    parting: Parting, rule: JoinRule | PinRule, progress: Progress = silent, whole: Solid | None = None, inside: InsideRoom | None = None,
    scale: tuple[float, float, float] = (1.0, 1.0, 1.0), cuts: Sequence[str] = (),
) -> Joined:  # fmt: skip
    """What holds every seam, made in both sides of it. ``whole`` is the piece before any cut (its parts united where it is not given), ``inside``
    the room in it; places of the rule are at scale 1."""
    rule = rule if isinstance(rule, JoinRule) else JoinRule(rule)
    inside = inside or InsideRoom.none()
    by_name = {p.name: p for p in parting.parts}
    steps = steps_of(parting, cuts)
    closing = {s: step for step in steps for s in step.seams}
    body = whole.mesh() if whole is not None else united(p.solid for p in parting.parts).mesh() if parting.seams else None
    made: dict[str, list[tuple[Fastener, int]]] = {name: [] for name in by_name}
    joints = []
    for index, seam in enumerate(parting.seams):
        progress(0.7 * index / len(parting.seams), f"joints between {seam.above} and {seam.below}")
        others = [f for name in (seam.above, seam.below) for f, _ in made[name]]
        assert body is not None
        joint = _joint(seam, by_name, others, parting.seams, rule, body, inside, np.array(scale), closing.get(seam.id))
        for name, side in ((seam.above, 1), (seam.below, -1)):
            made[name] += [(f, side) for f in joint.fasteners]
        joints.append(joint)
    progress(0.75, "carving")
    parts, warnings = [], []
    grown_mm3 = carved_mm3 = 0.0
    for part in parting.parts:
        adds = [s for f, side in made[part.name] for s in f.adds(side)]
        tools = [t for f, side in made[part.name] for t in f.tools(side)]
        whole_part = part.solid.plus(adds)
        done = whole_part.minus(tools)
        grown_mm3 += whole_part.volume - part.solid.volume
        carved_mm3 += whole_part.volume - done.volume
        crumbs = done.bodies()
        if len(crumbs) > 1:
            # What a groove cuts loose is waste, as long as it is small.
            loose = sum(b.volume for b in crumbs[1:])
            if loose > 30.0:
                warnings.append(
                    say(
                        "{}: what holds its seams cuts {} of it loose. Hold one of its seams otherwise.",
                        part.name,
                        Quantity((loose,), "mm3", 2),
                    )
                )
            done = crumbs[0]
        parts.append(replace(part, solid=done))
        broken = _broken_through(part, whole_part, [f for f, _ in made[part.name] if f.kind == "pin"])
        warnings += [broken] if broken else []
    return Joined(tuple(parts), tuple(joints), tuple(warnings), steps, grown_mm3, carved_mm3)


def _joint(
    seam: Seam, parts: dict[str, Part], others: Sequence[Carved], seams: Sequence[Seam], rule: JoinRule, whole: Mesh, inside: InsideRoom,
    scale: Floats, step: JoinStep | None,
) -> Joint:  # fmt: skip
    """What one seam gets: as the maker wants it, else the first of pins, keys and glue that its wall takes."""
    held = held_of(seam, rule.held)
    if seam.own and not held.seam:
        words = f"Held by what the set came with: {counted(seam.own, 'pocket, hole or peg', 'pockets, holes and pegs')} in this face."
        return Joint(seam, (), say(words), "auto", held)
    rims = rims_of(seam.face, 0.0, seam.surface, whole)
    inner = 0.0 if rims is None else float(rims.lines(inside=True).length)
    if step is not None and seam.id in step.awry:
        words = "This seam closes together with another one that faces elsewhere: nothing can slide along both. Glue alone, sanded flat."
        return Joint(seam, (), say(words), "glue", held, inner, "awry")
    if held.kind == "glue":
        return Joint(seam, (), say("Glue alone, as chosen: sand both faces flat on a board."), "glue", held, inner)
    room = SeamRoom(seam, parts[seam.above].solid, parts[seam.below].solid)
    at = None if held.at_mm is None else np.array(held.at_mm) * scale
    apart = [outline_of(s, INSIDE_OFF_MM) for s in seams if s.id != seam.id and {s.above, s.below} & {seam.above, seam.below}]
    if held.kind == "auto":
        return _as_suits(seam, room, whole, rule, others, apart, held, inner)
    if held.kind == "dovetail" and step is not None and len(step.seams) > 1:
        words = "A dovetail slides in sideways, and this seam closes together with another one: that cannot be. Take pins or a lip; until then it is glued."
        return Joint(seam, (), say(words), "glue", held, inner, "failed")
    found = _as_wanted(seam, room, whole, rule, others, apart, held, inside, at)
    if found.fasteners:
        return Joint(seam, found.fasteners, found.said, held.kind, held, inner, "changed" if found.said else "")
    words = f"{{}} Until then it is glued alone ({KINDS[held.kind]} was chosen)."
    return Joint(seam, (), say(words, found.said), "glue", held, inner, "presses" if found.code == "press" else "failed")


@dataclass(frozen=True)
class _Found:
    """What was made for a seam, what is to be said of it, and a code of why nothing was."""

    fasteners: tuple[Fastener, ...]
    said: Said
    code: str = ""


def _as_suits(
    seam: Seam, room: SeamRoom, whole: Mesh, rule: JoinRule, others: Sequence[Carved], apart: Sequence[Carved], held: Held, inner: float
) -> Joint:
    """Pins where the wall takes two or more, else a key that prints by itself, else one pin, else glue."""
    pins, said = place_pins(seam, room, rule.pins, others)
    if len(pins) >= 2:
        return Joint(seam, pins, said, "pin", held, inner)
    keys, _ = place_key(seam, room, whole, rule.key_gap_mm, rule.pins.least_wall_mm, [*others, *apart], held.turned)
    if keys and keys[0].lean_deg <= _LEANS_DEG:
        return Joint(seam, keys, NOTHING, "key", held, inner)
    if pins:
        return Joint(seam, pins, said, "pin", held, inner, "changed")
    if keys:
        words = (
            "A lip would lean by {} with the wall and print only over supports: glue with an inside fillet, or choose the lip all the same."
        )
        said = say(words, deg(keys[0].lean_deg))
    return Joint(seam, (), said, "glue", held, inner, "glued")


def _as_wanted(
    seam: Seam, room: SeamRoom, whole: Mesh, rule: JoinRule, others: Sequence[Carved], apart: Sequence[Carved], held: Held, inside: InsideRoom,
    at: Floats | None,
) -> _Found:  # fmt: skip
    """What the maker chose for a seam, or why it cannot be."""
    around = [*others, *apart]
    if held.kind == "pin":
        return _Found(*place_pins(seam, room, rule.pins, others, at))
    if held.kind == "key":
        return _Found(*place_key(seam, room, whole, rule.key_gap_mm, rule.pins.least_wall_mm, around, held.turned))
    if held.kind == "dovetail":
        return _Found(*place_dovetail(seam, room, rule.key_gap_mm, rule.pins.least_wall_mm, around, held.turned))
    load, places = load_for(held, rule), None if at is None else room.in_frame(at)
    first = place_inside(seam, held, load, whole, inside, around, rule.material, places)
    if first.lugs or (load.screw is None and held.kind != "snap"):
        return _Found(first.lugs, first.said, first.code)
    # From the other side there may be room for the screw, or wall for the hook.
    other = place_inside(seam, replace(held, turned=not held.turned), load, whole, inside, around, rule.material, places)
    best = other if other.lugs else first
    return _Found(best.lugs, best.said, best.code)


def load_for(held: Held, rule: JoinRule) -> Load:
    """What the lugs of a seam carry."""
    load = load_of(held, rule.pins.diameters_mm, rule.pins.clearance_mm, rule.pins.least_wall_mm, rule.insert_wider_mm, rule.screw_wider_mm)
    return replace(load, clearance_mm=rule.key_gap_mm) if held.kind == "snap" else load


def _broken_through(part: Part, whole: Solid, pins: Sequence[Fastener]) -> Said | None:
    """Whether more or less went than was meant: every hole is wanted whole, and half of each tool lies inside this part."""
    tools = [t for pin in pins for t in pin.tools(1)]
    wanted = sum(tool.volume / 2 for tool in tools)
    if not wanted:
        return None
    gone = whole.volume - whole.minus(tools).volume
    if abs(gone - wanted) <= _LOST_SHARE * wanted + _LOST_MM3:
        return None
    words = "{}: the pin holes break through somewhere ({} went, {} were planned). Look at its seams."
    return say(words, part.name, Quantity((gone,), "mm3", 2), Quantity((wanted,), "mm3", 2))


def hardware(joints: Sequence[Joint]) -> tuple[Hardware, ...]:
    """What has to be bought or cut, like ones counted together, by kind, thickest and longest first."""
    counts: dict[tuple[str, float, float, str], int] = {}
    for joint in joints:
        for fastener in joint.fasteners:
            for line in fastener.hardware():
                key = (line.kind, line.diameter_mm, line.length_mm, line.name)
                counts[key] = counts.get(key, 0) + line.count
    ordered = sorted(counts.items(), key=lambda c: (c[0][0], -c[0][1], -c[0][2]))
    return tuple(Hardware(kind, d, length, n, name) for (kind, d, length, name), n in ordered)
