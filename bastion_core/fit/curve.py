"""What other scales and paddings bring: curves computed once with an answer, and read off at once."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

CURVE = tuple(round(0.85 + 0.05 * k, 2) for k in range(12))
"""Scales at which the curve is known, as multiples of the file's size: from 85 to 140 %."""
PADDING_STEPS_MM, PADDING_SIZES = (-6.0, 6.0), (0.85, 0.95, 1.05, 1.15, 1.4)
"""Other paddings of a helmet for which the curve is known, and at which scales."""


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


def lifted(curve: Sequence[CurvePoint], by_mm: float) -> tuple[CurvePoint, ...]:
    """The curve with so much more room all along."""
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
