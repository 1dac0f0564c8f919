"""Filament and hours of a lying part, from every layer of its real mesh.

No tool path is laid. Each layer's area and outline length are exact; what a slicer makes of
them follows from how slicers fill: walls along the outline, solid skins where air is near, a
sparse grid inside, sparse columns under overhangs. Loops, corners and islands are counted on
a sample of layers.
"""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from shapely.geometry.base import BaseGeometry

from bastion_core.geometry.layers import Layers, layer_sections, skin_areas
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.solid import Solid
from bastion_core.print.profile import Profile, grams_per_metre, material
from bastion_core.shop import Printer

_SAMPLED_LAYERS = 24
_SHARP_TURN_DEG = 25.0
_OUTER_WALL_SPEED, _SKIN_SPEED, _TRAVEL_SPEED = 0.5, 0.7, 1.6
"""Shares of a printer's ordinary speed; common practice, no source."""
_FOOT_MM = 0.3
_DOWN = np.array([0.0, 0.0, -1.0])


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
    overhang_area_mm2: Floats
    """(k,) projected area of each overhanging face."""
    overhang_top_mm: Floats
    overhang_drop_mm: Floats
    """(k,) height of each such face, and how far it hangs above what is below it."""


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


def shape_of(solid: Solid, layer_mm: float, support_from_deg: float = 45.0) -> Shape:
    """Measure a lying part (foot at its lowest z) for the estimate."""
    mesh = solid.mesh()
    layers = layer_sections(mesh, layer_mm)
    sampled = np.unique(np.linspace(0, layers.count - 1, min(_SAMPLED_LAYERS, layers.count)).round().astype(int))
    counts = np.array([_count(solid.section(float(layers.z_mm[i]) + 1e-7)) for i in sampled], dtype=np.float64)
    loops, euler, corners = (np.interp(np.arange(layers.count), sampled, counts[:, k]) for k in range(3))
    area, top, drop = _overhangs(mesh, support_from_deg)
    return Shape(mesh, layers, loops, euler, corners, area, top, drop)


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


def _overhangs(mesh: Mesh, from_deg: float, down: Floats = _DOWN) -> tuple[Floats, Floats, Floats]:
    """Of each face that hangs too far out when ``down`` is below: its projected area, its height, the drop under it."""
    hanging = hanging_faces(mesh, down, from_deg)
    if not hanging.any():
        return np.zeros(0), np.zeros(0), np.zeros(0)
    spots = mesh.triangles[hanging].mean(axis=1)
    height = -(spots @ down) + float((mesh.vertices @ down).max())
    distance, _ = mesh.rays.first_hits(spots + down * 1e-3, np.tile(down, (len(spots), 1)))
    return (mesh.area_vectors @ down)[hanging], height, np.minimum(distance, height)


def support_mm3(mesh: Mesh, down: Floats, from_deg: float = 45.0) -> float:
    """Space under overhangs that a slicer would fill with support when ``down`` (unit vector) is below, before its density."""
    area, _, drop = _overhangs(mesh, from_deg, down)
    return float((area * np.where(drop > 1.0, drop, 0.0)).sum())


def hanging_faces(mesh: Mesh, down: Floats, from_deg: float = 45.0) -> NDArray[np.bool_]:
    """(m,): which faces hang too far out over air when ``down`` is below."""
    lengths = np.linalg.norm(mesh.area_vectors, axis=1)
    height = -(mesh.vertices @ down)
    above_foot = (height - height.min())[mesh.faces].mean(axis=1) > _FOOT_MM
    return np.asarray((mesh.area_vectors @ down > np.sin(np.radians(from_deg)) * lengths) & above_foot & (lengths > 1e-9))


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
    sparse = (inside - skin) * profile.infill
    support = _support_per_layer(shape, profile)

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
    support_s = _line_seconds(support / width, np.sqrt(np.maximum(support / profile.support_density, 1.0)), fast, a)
    hop = 0.35 * float(np.hypot(*shape.mesh.size[:2]))
    travel_s = shape.loops * (hop / (printer.speed_mm_s * _TRAVEL_SPEED) + printer.speed_mm_s * _TRAVEL_SPEED / a)
    busy = wall_s + skin_s + sparse_s + support_s + travel_s
    waited = np.where(area > 0, np.maximum(profile.least_layer_s - busy, 0.0), 0.0)
    by = {
        "walls": wall_s, "skins": skin_s, "infill": sparse_s, "support": support_s, "travel": travel_s,
        "cooling": waited, "layer change": np.full(layers.count, profile.layer_change_s),
    }  # fmt: skip
    hours_by = {name: float(s.sum()) / 3600 for name, s in by.items()} | {"warm-up": printer.warm_up_h}
    volume = float((walls[:, -1] * width + skin + sparse + support).sum()) * height
    grams = volume / 1000 * stuff.density_g_cm3
    return Estimate(
        hours=sum(hours_by.values()),
        filament_g=grams,
        filament_m=grams / grams_per_metre(stuff.density_g_cm3),
        support_g=float(support.sum()) * height / 1000 * stuff.density_g_cm3,
        layers=layers.count,
        hours_by=hours_by,
    )


def _support_per_layer(shape: Shape, profile: Profile) -> Floats:
    """(n,): printed area of support in each layer."""
    count, height = shape.layers.count, profile.layer_mm
    tall = shape.overhang_drop_mm > 1.0
    area = shape.overhang_area_mm2[tall] * profile.support_density
    top = np.clip((shape.overhang_top_mm[tall] / height).astype(np.int64), 0, count)
    foot = np.clip(((shape.overhang_top_mm - shape.overhang_drop_mm)[tall] / height).astype(np.int64), 0, count)
    change = np.bincount(foot, weights=area, minlength=count + 1) - np.bincount(top, weights=area, minlength=count + 1)
    return np.asarray(np.maximum(np.cumsum(change)[:count], 0.0))
