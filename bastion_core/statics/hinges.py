"""Hinges and strips: how far they let a plate slew, how hard they are bent, how long they are cut."""

from dataclasses import dataclass
from math import ceil, radians

MOST_STRAIN = {"pla": 0.018, "pla-sand": 0.012, "petg": 0.03, "abs": 0.03, "asa": 0.03, "tpu": 0.25}
"""A snap or a strip may bend so far now and then, printed along its length; common practice (about half the strain at yield), no source."""
STRIP_STRAIN = {"leather": 0.15, "tpu": MOST_STRAIN["tpu"], "elastic": 0.5, "foam": 0.5}
"""What strips are cut of and how hard they bend time and again; common practice, no source."""
SLEW_MM = 2.0
"""Sideways at a plate's far edge, at most; common practice, no source."""
KNUCKLE_MM = 8.0
"""A printed or bought hinge narrower than this does not guide; common practice, no source."""


def slew_mm(play_mm: float, arm_mm: float, width_mm: float) -> float:
    """How far the far edge of a plate goes aside: a pin of some play between guides so far apart turns by play / width."""
    return play_mm * arm_mm / max(width_mm, 1e-9)


def width_for(play_mm: float, arm_mm: float) -> float:
    """How far apart the ends of a hinge, or its two outer ones, have to be so that a plate slews no more than it may."""
    return max(play_mm * arm_mm / SLEW_MM, KNUCKLE_MM)


def fold_strain(thick_mm: float, degrees: float, long_mm: float) -> float:
    """The strain of a strip that is folded by an angle over a length: t / 2 r, with r = length / angle (plain bending)."""
    return thick_mm * radians(degrees) / (2 * max(long_mm, 1e-9))


def fold_length(thick_mm: float, degrees: float, material: str) -> float:
    """How long the bending part of a strip has to be at least (mm)."""
    return thick_mm * radians(degrees) / (2 * {**MOST_STRAIN, **STRIP_STRAIN}[material])


@dataclass(frozen=True)
class HingeNeeds:
    """What a hinge takes: how far apart its outer ends, how many, and the slew that leaves."""

    width_mm: float
    count: int
    slew_mm: float


def hinges_for(play_mm: float, arm_mm: float, line_mm: float) -> HingeNeeds | None:
    """Hinges along a line so long, for a plate that reaches so far from it; None where even hinges at both ends let it slew too far."""
    width = width_for(play_mm, arm_mm)
    if width > line_mm:
        return None
    count = 1 if width <= 40 else 1 + ceil(line_mm / 150)
    spread = width if count == 1 else line_mm
    return HingeNeeds(width, count, slew_mm(play_mm, arm_mm, spread))
