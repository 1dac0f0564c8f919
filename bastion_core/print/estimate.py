"""Filament and hours of a lying part, from every layer of its real mesh.

No tool path is laid. Each layer's area and outline length are exact; what a slicer makes of
them follows from how slicers fill: walls along the outline, solid skins where air is near, a
sparse grid inside, supports under overhangs. A head gathers speed and loses it again at the
ends of lines and at sharp corners. Loops, corners and islands are counted on a sample of layers.
"""

from dataclasses import dataclass

import numpy as np

from bastion_core.geometry.layers import skin_areas
from bastion_core.geometry.mesh import Floats
from bastion_core.print.profile import OUTER_WALL_SPEED, SKIN_SPEED, Profile, grams_per_metre, material
from bastion_core.print.shape import Shape
from bastion_core.print.slope import SLAB_MM, adaptive_heights_mm
from bastion_core.print.supports import DENSITY as GRID_DENSITY
from bastion_core.shop import Printer

_TRAVEL_SPEED, _FIRST_LAYER_SPEED = 1.6, 0.4
"""Shares of a printer's ordinary speed, the last of what a layer further up is printed at; common practice, no source."""
_SPOOL_G, _SPOOL_CHANGE_H = 1000.0, 0.15
"""After every spool the printer waits for the next; common practice, no source."""
RAFT_LAYERS, RAFT_LAYER_MM, RAFT_MARGIN_MM, RAFT_DENSITY = 3, 0.3, 4.0, 0.8
"""Common practice, no source."""


@dataclass(frozen=True)
class Estimate:
    """What a part takes. Hours are the printer's own; no planning factor in them."""

    hours: float
    filament_g: float
    filament_m: float
    support_g: float
    layers: int
    hours_by: dict[str, float]
    """Walls, skins, infill, support, travel and the rest, in hours."""


@dataclass(frozen=True)
class _Printed:
    """Every layer at one layer height: its middle, seconds by what they go into, printed areas mm² in all and of supports."""

    z_mm: Floats
    height_mm: float
    seconds: dict[str, Floats]
    area_mm2: Floats
    support_mm2: Floats


def _waits(one_mm: Floats, speed: Floats, acceleration: float, corner: Floats | float = 0.0) -> Floats:
    """Seconds that a line of ``one_mm`` takes longer than at full speed, begun and ended at the speed ``corner`` (all mm, mm/s, mm/s²)."""
    one, slow = np.maximum(one_mm, 0.3), np.minimum(corner, speed)
    whole = (speed - slow) ** 2 / (acceleration * speed)
    # Too short to reach its speed: up to the middle and down again.
    short = 2 * (np.sqrt(slow**2 + acceleration * one) - slow) / acceleration - one / speed
    return np.asarray(np.where(one >= (speed**2 - slow**2) / acceleration, whole, short))


def _line_seconds(total_mm: Floats, one_mm: Floats, speed: Floats, acceleration: float) -> Floats:
    """Time for lines of length ``one_mm`` adding up to ``total_mm``, starting and stopping at each end."""
    one = np.maximum(one_mm, 0.3)
    return np.asarray(total_mm / one * (one / speed + _waits(one, speed, acceleration)))


def estimate(shape: Shape, profile: Profile, printer: Printer) -> Estimate:
    """Hours and filament of a part with a profile on a printer."""
    if profile.adaptive_layers:
        chosen = adaptive_heights_mm(shape.mesh, profile.layer_mm)
        runs = []
        for height in np.unique(chosen):
            printed = _printed(shape.resliced(float(height)), profile.with_layer(float(height)), printer)
            slab = np.minimum(((printed.z_mm - shape.bottom_mm) / SLAB_MM).astype(np.int64), len(chosen) - 1)
            runs.append((printed, (chosen[slab] == height).astype(np.float64)))
    else:
        printed = _printed(shape.resliced(profile.layer_mm), profile, printer)
        runs = [(printed, np.ones(len(printed.z_mm)))]
    stuff = material(profile.material)
    by: dict[str, float] = {}
    for printed, share in runs:
        for name, seconds in printed.seconds.items():
            by[name] = by.get(name, 0.0) + float(seconds @ share) / 3600
    brim, raft = _brim_mm3(shape, profile), _raft_mm3(shape, profile)
    lines_mm3_s = profile.line_width_mm * profile.layer_mm * min(printer.speed_mm_s * OUTER_WALL_SPEED, profile.most_speed_mm_s)
    by |= {"brim": brim / lines_mm3_s / 3600, "raft": raft / lines_mm3_s / 3600, "warm-up": printer.warm_up_h}
    volume = sum(float(p.area_mm2 @ share) * p.height_mm for p, share in runs) + brim + raft
    held = sum(float(p.support_mm2 @ share) * p.height_mm for p, share in runs)
    grams = volume / 1000 * stuff.density_g_cm3
    by["filament change"] = int(grams / _SPOOL_G) * _SPOOL_CHANGE_H
    return Estimate(
        hours=sum(by.values()),
        filament_g=grams,
        filament_m=grams / grams_per_metre(stuff.density_g_cm3),
        support_g=held / 1000 * stuff.density_g_cm3,
        layers=round(sum(float(share.sum()) for _, share in runs)),
        hours_by=by,
    )


def _printed(shape: Shape, profile: Profile, printer: Printer) -> _Printed:
    layers, width, height = shape.layers, profile.line_width_mm, profile.layer_mm
    area = layers.area_mm2
    # The k-th wall runs (k + 1/2) line widths inside the outline; round a closed loop that takes a full turn off its length.
    offsets = width * (np.arange(profile.walls) + 0.5)
    each_wall = np.maximum(layers.outline_mm[:, None] - 2 * np.pi * offsets * shape.islands_less_holes[:, None], 0.0)
    walls = np.minimum(np.cumsum(each_wall, axis=1), (area / width)[:, None])
    outer, inner = walls[:, 0], walls[:, -1] - walls[:, 0]
    inside = np.maximum(area - walls[:, -1] * width, 0.0)
    skin = np.minimum(skin_areas(shape.mesh, layers, profile.skin_layers, profile.walls * width), inside)
    # Less than two lines between the walls on either side is no room for infill: it is filled solid.
    narrow = np.interp(layers.z_mm, shape.sampled.z_mm, shape.sampled.narrow(profile.walls, width)) * inside
    skin = np.minimum(skin + narrow * (1 - skin / np.maximum(inside, 1e-9)), inside)
    sparse = (inside - skin) * profile.infill
    support, support_way = _support_per_layer(shape)

    pace = np.ones(layers.count)
    pace[0] = _FIRST_LAYER_SPEED
    at = lambda share: pace * min(printer.speed_mm_s * share, profile.most_speed_mm_s)  # noqa: E731
    fast, slow, skinned = at(1.0), at(profile.outer_wall_speed), at(SKIN_SPEED)
    a = printer.acceleration_mm_s2
    # Past a corner of turn φ the speed may be v with 2 v sin(φ/2) the jump that is allowed; the seam of each loop is a full stop.
    past = printer.corner_mm_s / np.maximum(2 * shape.bend, 1e-9)
    between = layers.outline_mm / np.maximum(shape.corners + shape.loops, 1.0)

    def wall_seconds(length: Floats, speed: Floats, times: float) -> Floats:
        stopped = shape.loops * _waits(between, speed, a) + shape.corners * _waits(between, speed, a, past)
        return np.asarray(length / speed + times * stopped)

    wall_s = wall_seconds(outer, slow, 1.0) + wall_seconds(inner, fast, profile.walls - 1.0)
    # Mean chord of a region is pi times area over outline (Cauchy), for the length of one filling line.
    chord = np.pi * inside / np.maximum(layers.outline_mm, 1e-9)
    seconds = {
        "walls": wall_s,
        "skins": _line_seconds(skin / width, chord, skinned, a),
        "infill": _line_seconds(sparse / width, chord, fast, a),
        "support": _line_seconds(support / width, support_way, fast, a),
    }
    hop = 0.35 * float(np.hypot(*shape.mesh.size[:2]))
    travel = np.full(layers.count, printer.speed_mm_s * _TRAVEL_SPEED)
    seconds["travel"] = shape.loops * (hop / travel + _waits(np.full(layers.count, hop), travel, a))
    busy = np.sum(list(seconds.values()), axis=0)
    seconds["cooling"] = np.where(area > 0, np.maximum(profile.least_layer_s - busy, 0.0), 0.0)
    seconds["layer change"] = np.full(layers.count, profile.layer_change_s)
    return _Printed(layers.z_mm, height, seconds, walls[:, -1] * width + skin + sparse + support, support)


def _support_per_layer(shape: Shape) -> tuple[Floats, Floats]:
    """(n,), (n,): printed area of support in each layer, and how long its lines are without a stop."""
    held, z = shape.support, shape.layers.z_mm - shape.bottom_mm
    if not len(held.area_mm2):
        return np.zeros(shape.layers.count), np.ones(shape.layers.count)
    levels = (z / held.step_mm).astype(np.int64)
    level = np.clip(levels, 0, len(held.area_mm2) - 1)
    area = np.where(levels < len(held.area_mm2), held.area_mm2[level], 0.0)
    # A branch is a ring, a column's line goes on to the next turn.
    long = 12.0 if held.style == "branching" else np.sqrt(np.maximum(area / GRID_DENSITY, 1.0))
    return area, np.broadcast_to(long, level.shape)


def _brim_mm3(shape: Shape, profile: Profile) -> float:
    """A brim of two layers."""
    return 2 * profile.layer_mm * profile.brim_mm * (shape.foot_mm + np.pi * profile.brim_mm) if profile.brim_mm else 0.0


def _raft_mm3(shape: Shape, profile: Profile) -> float:
    """A raft under the foot, and under all supports as they stand on the bed."""
    if not profile.raft:
        return 0.0
    held = float(shape.support.area_mm2[0]) / GRID_DENSITY if len(shape.support.area_mm2) else 0.0
    under = float(shape.layers.area_mm2[0]) + held + RAFT_MARGIN_MM * (shape.foot_mm + np.pi * RAFT_MARGIN_MM)
    return RAFT_LAYERS * RAFT_LAYER_MM * RAFT_DENSITY * under
