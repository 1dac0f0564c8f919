"""Every seam of a parting gets its fasteners, carved out of both its parts."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from bastion_core.cut.parting import Part, Parting, Seam
from bastion_core.findings import Quantity, Said, counted, say
from bastion_core.geometry.solid import Solid
from bastion_core.join.fasteners.base import Fastener, Hardware
from bastion_core.join.fasteners.pin import PinRule, place_pins
from bastion_core.join.places import SeamRoom
from bastion_core.progress import Progress, silent


@dataclass(frozen=True)
class Joint:
    """A seam with its fasteners, or with the reason why it has none and what to do instead."""

    seam: Seam
    fasteners: tuple[Fastener, ...]
    advice: Said


@dataclass(frozen=True)
class Joined:
    """Parts with what was carved out of them, and the joints."""

    parts: tuple[Part, ...]
    joints: tuple[Joint, ...]
    warnings: tuple[Said, ...]


def join(parting: Parting, rule: PinRule, progress: Progress = silent) -> Joined:
    """Fasteners for every seam, carved into both sides of it."""
    by_name = {p.name: p for p in parting.parts}
    carved: dict[str, list[tuple[Fastener, int]]] = {name: [] for name in by_name}
    joints = []
    for index, seam in enumerate(parting.seams):
        progress(0.8 * index / len(parting.seams), f"pins between {seam.above} and {seam.below}")
        if seam.own:
            words = f"Held by what the set came with: {counted(seam.own, 'pocket, hole or peg', 'pockets, holes and pegs')} in this face."
            joints.append(Joint(seam, (), say(words)))
            continue
        room = SeamRoom(seam, by_name[seam.above].solid, by_name[seam.below].solid)
        pins, advice = place_pins(seam, room, rule, [f for f, _ in carved[seam.above] + carved[seam.below]])
        for name, side in ((seam.above, 1), (seam.below, -1)):
            carved[name] += [(pin, side) for pin in pins]
        joints.append(Joint(seam, pins, advice))
    progress(0.85, "drilling")
    parts, warnings = [], []
    for part in parting.parts:
        tools = [tool for fastener, side in carved[part.name] for tool in fastener.tools(side)]
        done = part.solid.minus(tools)
        parts.append(replace(part, solid=done))
        broken = _broken_through(part, done, tools)
        warnings += [broken] if broken else []
    return Joined(tuple(parts), tuple(joints), tuple(warnings))


def _broken_through(part: Part, done: Solid, tools: Sequence[Solid]) -> Said | None:
    """Whether more or less went than was meant: every hole is wanted whole, and half of each tool lies inside this part."""
    wanted = sum(tool.volume / 2 for tool in tools)
    gone = part.solid.volume - done.volume
    if not wanted or abs(gone - wanted) <= 0.03 * wanted + 0.5:
        return None
    words = "{}: the pin holes break through somewhere ({} went, {} were planned). Look at its seams."
    return say(words, part.name, Quantity((gone,), "mm3", 2), Quantity((wanted,), "mm3", 2))


def hardware(joints: Sequence[Joint]) -> tuple[Hardware, ...]:
    """What has to be bought or cut, like ones counted together, thickest and longest first."""
    counts: dict[tuple[str, float, float], int] = {}
    for joint in joints:
        for fastener in joint.fasteners:
            for line in fastener.hardware():
                key = (line.kind, line.diameter_mm, line.length_mm)
                counts[key] = counts.get(key, 0) + line.count
    ordered = sorted(counts.items(), key=lambda c: (c[0][1], c[0][2]), reverse=True)
    return tuple(Hardware(kind, d, length, n) for (kind, d, length), n in ordered)
