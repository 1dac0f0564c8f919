"""What other choices for the whole print would buy and cost, each reckoned on the parts as they lie."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from bastion_core.findings import Said, mm, say
from bastion_core.print.estimate import estimate
from bastion_core.print.hands import Hands
from bastion_core.print.profile import MATERIALS, Profile
from bastion_core.print.sanding import Seen
from bastion_core.print.shape import Shape
from bastion_core.print.supports import Holding, support_of
from bastion_core.shop import Printer

ENOUGH_BRIM_MM = 6.0
"""A brim as wide as this holds what has hardly a foot; common practice, no source."""
_FEW, _SOLID = 0.05, 0.4
"""Infill of a few percent, and of parts that are knocked about; common practice, no source."""


@dataclass(frozen=True)
class Choice:
    """Another choice: what it is called, the decisions that make it, what it is good or bad for."""

    called: Said
    change: dict[str, Any]
    why: Said


@dataclass(frozen=True)
class Option:
    """Another choice and what it takes more than what is chosen now (less where below 0), all parts on their quickest printers."""

    called: Said
    change: dict[str, Any]
    why: Said
    more_h: float
    more_g: float
    more_hands_h: float


@dataclass(frozen=True)
class Taken:
    """What all parts take with a profile."""

    hours: float
    filament_g: float
    hands: Hands


def choices(now: Profile) -> list[Choice]:
    """What else there is to choose, one decision at a time."""

    def turned(name: str, on: str, off: str, why: str) -> Choice:
        wanted = not getattr(now, name)
        return Choice(say(on if wanted else off), {name: wanted}, say(why if wanted else ""))

    found = [
        turned(
            "adaptive_layers",
            "Layers that follow the slope",
            "The same layers throughout",
            "finer where it is shallow, coarser where upright",
        ),
        turned("slow_outer_wall", "Slow outer wall", "Outer wall at its usual speed", "its lines lie more evenly"),
    ]
    found += [
        Choice(say(f"{n} walls"), {"walls": n}, say("more to sand into" if n > now.walls else "less to sand into"))
        for n in (now.walls - 1, now.walls + 1) if 2 <= n <= 6
    ]  # fmt: skip
    fillings = ((_FEW, "light; roofs may sag between"), (0.15, "usual for shells and props"), (_SOLID, "stands knocks"))
    found += [Choice(say(f"{100 * f:.0f} % infill"), {"infill": f}, say(why)) for f, why in fillings if abs(f - now.infill) > 0.01]
    held = {
        "branching": ("Branching supports", "few touches"),
        "grid": ("A grid of supports", "firm under broad overhangs"),
        "none": ("No supports", "what hangs over air sags or falls"),
    }
    found += [Choice(say(name), {"support": style}, say(why)) for style, (name, why) in held.items() if style != now.support]
    if now.brim_mm:
        found.append(Choice(say("No brim"), {"brim_mm": 0.0}, say("nothing to cut off the edge")))
    else:
        found.append(Choice(say("A brim of {}", mm(ENOUGH_BRIM_MM)), {"brim_mm": ENOUGH_BRIM_MM}, say("holds small feet and corners down")))
    found.append(turned("raft", "A raft", "No raft", "holds a poor foot; leaves the underside rough"))
    bends = {"tpu": "bends: for straps and edges; wants flexible paint and more infill"}
    for key, stuff in MATERIALS.items():
        if key != now.material:
            why = bends.get(key) or ("curls off the bed" if stuff.shrinks > 0.5 else "")
            found.append(
                Choice(say(stuff.name), {"material": key}, say(f"softens near {stuff.softens_deg_c:.0f} °C" + (why and f"; {why}")))
            )
    return found


def options(now: Profile, parts: Sequence[tuple[Shape, Seen, Holding, Printer]]) -> tuple[Option, ...]:
    """Every other choice, carried out on all parts, each on its printer."""
    so_far = taken(now, now, parts)
    found = []
    for choice in choices(now):
        other = taken(replace(now, **choice.change), now, parts)
        found.append(
            Option(
                choice.called, choice.change, choice.why, round(other.hours - so_far.hours, 3),
                round(other.filament_g - so_far.filament_g, 2), round(other.hands.all_h - so_far.hands.all_h, 3),
            )
        )  # fmt: skip
    return tuple(found)


def taken(profile: Profile, now: Profile, parts: Sequence[tuple[Shape, Seen, Holding, Printer]]) -> Taken:
    """What all parts take with a profile, as they lie ``now``."""
    hours, grams, hands = 0.0, 0.0, Hands()
    for shape, seen, holding, printer in parts:
        if profile.support != now.support:
            shape = replace(shape, support=support_of(shape.mesh, profile.support, holding))
        one = estimate(shape, profile, printer)
        hours, grams = hours + one.hours, grams + one.filament_g
        hands += seen.hands(profile, shape.support.held_mm2)
    return Taken(hours, grams, hands)
