"""Filament and hours of a lying part, from every layer of its real mesh.

No tool path is laid. Each layer's area and outline length are exact; what a slicer makes of
them follows from how slicers fill: walls along the outline, solid skins where air is near, a
sparse grid inside, sparse columns under overhangs. Loops, corners and islands are counted on
a sample of layers.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from manifold3d import CrossSection, JoinType
from shapely.geometry.base import BaseGeometry

from bastion_core.geometry.layers import Layers, layer_sections, skin_areas
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.solid import Solid
from bastion_core.print.profile import Profile, grams_per_metre, material
from bastion_core.print.supports import DENSITY as GRID_DENSITY
from bastion_core.print.supports import Support, support_of
from bastion_core.shop import Printer

_SAMPLED_LAYERS = 24
_SHARP_TURN_DEG = 25.0
_OUTER_WALL_SPEED, _SKIN_SPEED, _TRAVEL_SPEED = 0.5, 0.7, 1.6
"""Shares of a printer's ordinary speed; common practice, no source."""


@dataclass(frozen=True)
class Shape:
    """All that the estimate needs to know of a lying part; independent of profile and printer but for the slicing step."""

    mesh: Mesh
    layers: Layers
    loops: Floats
    """(n,) outlines per layer, holes included."""
    islands_less_holes: Floats
    """(n,) outer outlines minus holes: how many full turns an inner wall is shorter than the outline."""
    corners: Floats
    """(n,) sharp corners per layer."""
    support: Support
    sampled: tuple[tuple[float, CrossSection], ...]
    """Some of the layers (height, section), for what the walls leave between them."""
    foot_mm: float
    """Way round the foot, for a brim."""


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


def shape_of(solid: Solid, layer_mm: float, profile: Profile | None = None, spared: Sequence[tuple[Floats, float]] = ()) -> Shape:
    """Measure a lying part (foot at its lowest z) for the estimate; of the profile only how it is held up matters here.

    ``spared`` are places (lying, mm) with the reach round them where nothing is held.
    """
    held = profile or Profile()
    mesh = solid.mesh()
    layers = layer_sections(mesh, layer_mm)
    sampled = np.unique(np.linspace(0, layers.count - 1, min(_SAMPLED_LAYERS, layers.count)).round().astype(int))
    counts = np.array([_count(solid.section(float(layers.z_mm[i]) + 1e-7)) for i in sampled], dtype=np.float64)
    loops, euler, corners = (np.interp(np.arange(layers.count), sampled, counts[:, k]) for k in range(3))
    sections = tuple((float(layers.z_mm[i]), solid.manifold.slice(float(layers.z_mm[i]) + 1e-7)) for i in sampled)
    support = support_of(mesh, held.support, held.support_from_deg, held.support_bed_only, spared)
    return Shape(mesh, layers, loops, euler, corners, support, sections, float(layers.outline_mm[0]))


def _count(section: BaseGeometry) -> tuple[int, int, int]:
    """Loops, outer loops less holes, and sharp corners of a section."""
    loops = outer = corners = 0
    for polygon in getattr(section, "geoms", [section]):
        if polygon.geom_type != "Polygon" or polygon.is_empty:
            continue
        outer += 1
        for ring in (polygon.exterior, *polygon.interiors):
            loops += 1
            points = np.array(ring.simplify(0.1).coords[:-1])
            step = np.roll(points, -1, axis=0) - points
            heading = np.arctan2(step[:, 1], step[:, 0])
            turn = np.abs((np.roll(heading, -1) - heading + np.pi) % (2 * np.pi) - np.pi)
            corners += int((turn > np.radians(_SHARP_TURN_DEG)).sum())
    return loops, 2 * outer - loops, corners


def _resliced(shape: Shape, layer_mm: float) -> Shape:
    """The same part sliced at another height, read off the layers already cut (of the real mesh)."""
    old = shape.layers
    if abs(old.height_mm - layer_mm) < 1e-9:
        return shape
    total = old.count * old.height_mm
    count = max(1, int(np.ceil(total / layer_mm - 1e-6)))
    bottom = float(shape.mesh.bounds[0, 2])
    z: Floats = np.asarray(bottom + (np.arange(count) + 0.5) * layer_mm, dtype=np.float64)
    each = lambda values: np.interp(z, old.z_mm, values)  # noqa: E731
    layers = Layers(layer_mm, z, each(old.area_mm2), each(old.outline_mm))
    return replace(
        shape, layers=layers, loops=each(shape.loops), islands_less_holes=each(shape.islands_less_holes), corners=each(shape.corners)
    )


def _line_seconds(total_mm: Floats, one_mm: Floats, speed: float, acceleration: float) -> Floats:
    """Time for lines of length ``one_mm`` adding up to ``total_mm``, starting and stopping at each end."""
    one = np.maximum(one_mm, 0.3)
    reach = speed**2 / acceleration
    each = np.where(one >= reach, one / speed + speed / acceleration, 2 * np.sqrt(one / acceleration))
    return np.asarray(total_mm / one * each)


def estimate(shape: Shape, profile: Profile, printer: Printer) -> Estimate:
    """Hours and filament of a part with a profile on a printer."""
    shape = _resliced(shape, profile.layer_mm)
    layers, width, height = shape.layers, profile.line_width_mm, profile.layer_mm
    stuff = material(profile.material)
    area = layers.area_mm2
    # The k-th wall runs (k + 1/2) line widths inside the outline; round a closed loop that takes a full turn off its length.
    offsets = width * (np.arange(profile.walls) + 0.5)
    each_wall = np.maximum(layers.outline_mm[:, None] - 2 * np.pi * offsets * shape.islands_less_holes[:, None], 0.0)
    room = area / width
    walls = np.minimum(np.cumsum(each_wall, axis=1), room[:, None])
    outer, inner = walls[:, 0], walls[:, -1] - walls[:, 0]
    inside = np.maximum(area - walls[:, -1] * width, 0.0)
    skin = np.minimum(skin_areas(shape.mesh, layers, profile.skin_layers, profile.walls * width), inside)
    # Less than two lines between the walls on either side is no room for infill: it is filled solid.
    narrow = np.minimum(_narrow_share(shape, profile) * inside, inside)
    skin = np.minimum(skin + narrow * (1 - skin / np.maximum(inside, 1e-9)), inside)
    sparse = (inside - skin) * profile.infill
    support, support_way = _support_per_layer(shape)
    brim = _brim_mm2(shape, profile)

    most_speed = stuff.most_flow_mm3_s / (width * height)
    fast = min(printer.speed_mm_s, most_speed)
    slow = min(printer.speed_mm_s * _OUTER_WALL_SPEED, most_speed)
    skin_speed = min(printer.speed_mm_s * _SKIN_SPEED, most_speed)
    a = printer.acceleration_mm_s2
    # A corner stops one of the two directions: about one full stop and start.
    stops = shape.loops + shape.corners
    wall_s = outer / slow + stops * slow / a + inner / fast + stops * (profile.walls - 1) * fast / a
    # Mean chord of a region is pi times area over outline (Cauchy), for the length of one filling line.
    chord = np.pi * inside / np.maximum(layers.outline_mm, 1e-9)
    skin_s = _line_seconds(skin / width, chord, skin_speed, a)
    sparse_s = _line_seconds(sparse / width, chord, fast, a)
    support_s = _line_seconds(support / width, support_way, fast, a)
    brim_s = brim / width / slow
    hop = 0.35 * float(np.hypot(*shape.mesh.size[:2]))
    travel_s = shape.loops * (hop / (printer.speed_mm_s * _TRAVEL_SPEED) + printer.speed_mm_s * _TRAVEL_SPEED / a)
    busy = wall_s + skin_s + sparse_s + support_s + travel_s
    waited = np.where(area > 0, np.maximum(profile.least_layer_s - busy, 0.0), 0.0)
    by = {
        "walls": wall_s, "skins": skin_s, "infill": sparse_s, "support": support_s, "travel": travel_s,
        "brim": np.array([brim_s]), "cooling": waited, "layer change": np.full(layers.count, profile.layer_change_s),
    }  # fmt: skip
    hours_by = {name: float(s.sum()) / 3600 for name, s in by.items()} | {"warm-up": printer.warm_up_h}
    volume = float((walls[:, -1] * width + skin + sparse + support).sum()) * height + brim * height
    grams = volume / 1000 * stuff.density_g_cm3
    return Estimate(
        hours=sum(hours_by.values()),
        filament_g=grams,
        filament_m=grams / grams_per_metre(stuff.density_g_cm3),
        support_g=float(support.sum()) * height / 1000 * stuff.density_g_cm3,
        layers=layers.count,
        hours_by=hours_by,
    )


def _support_per_layer(shape: Shape) -> tuple[Floats, Floats]:
    """(n,), (n,): printed area of support in each layer, and how long its lines are without a stop."""
    held, z = shape.support, shape.layers.z_mm - shape.mesh.bounds[0, 2]
    if not len(held.area_mm2):
        return np.zeros(shape.layers.count), np.ones(shape.layers.count)
    levels = (z / held.step_mm).astype(np.int64)
    level = np.clip(levels, 0, len(held.area_mm2) - 1)
    area = np.where(levels < len(held.area_mm2), held.area_mm2[level], 0.0)
    # A branch is a ring, a column's line goes on to the next turn.
    long = 12.0 if held.style == "branching" else np.sqrt(np.maximum(area / GRID_DENSITY, 1.0))
    return area, np.broadcast_to(long, level.shape)


def _brim_mm2(shape: Shape, profile: Profile) -> float:
    """Printed area (mm²) of a brim of two layers, counted as one of their height."""
    return 2 * profile.brim_mm * (shape.foot_mm + np.pi * profile.brim_mm) if profile.brim_mm else 0.0


def _narrow_share(shape: Shape, profile: Profile) -> Floats:
    """(n,): share of what the walls leave inside in which less than two lines lie between them."""
    width = profile.line_width_mm
    heights, shares = [], []
    for z, section in shape.sampled:
        inside = section.offset(-profile.walls * width, JoinType.Miter)
        whole = inside.area()
        wide = inside.offset(-width, JoinType.Miter).offset(width, JoinType.Miter).area() if whole > 0 else 0.0
        heights.append(z)
        shares.append(1 - min(wide / whole, 1.0) if whole > 1e-6 else 0.0)
    return np.interp(shape.layers.z_mm, heights, shares)
