"""What each part says on its inside: its letter and the piece, which way is up, left or right; and at each seam which one it is."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cache

import numpy as np
import shapely
from HersheyFonts import HersheyFonts
from scipy.spatial import cKDTree
from shapely import LineString, unary_union
from shapely.affinity import scale as stretched
from shapely.geometry.base import BaseGeometry

from bastion_core.cut.parting import Part, Seam
from bastion_core.cut.visible import bystanders
from bastion_core.geometry.arrays import Floats, Ints, three
from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.solid import Solid, prism

LINE_MM = 0.7
"""Width of an engraved line: a printed one and a half; common practice, no source."""
DEEP_MM = 0.4
"""Two ordinary layers; common practice, no source."""
SMALL_MM, LARGE_MM = 5.0, 8.0
"""Heights of letters that can still be read when printed; common practice, no source."""
_WALL_MM = 1.0
"""What stays of the wall under an engraved line, at the least."""
_FLAT_MM = 0.6
"""So far the wall may be off the flat under a mark."""
_OFF_SEAM_MM = 2.0
_HIDDEN = 0.12
"""A face is hidden where bystanders see less of it than this; on plates, less than a third of what is seen of its other side."""
_TRIED = 160
_LOOKS = 40


@dataclass(frozen=True, eq=False)
class Mark:
    """A text on the inside of a part."""

    part: str
    text: str
    at_mm: tuple[float, float, float]
    height_mm: float
    tool: Solid = field(repr=False)


@cache
def _font() -> HersheyFonts:
    font = HersheyFonts()
    font.load_default_font("futural")
    return font


_CAP = 21.0
"""Height of the font's capitals."""


def letters_drawn(text: str, height_mm: float) -> BaseGeometry:
    """A text as lines of one width, its lower left corner at the origin. ``^`` is an arrow up."""
    lines: list[BaseGeometry] = []
    x = 0.0
    for letter in text:
        if letter == "^":
            strokes = [[(6, 0), (6, _CAP)], [(0, _CAP - 8), (6, _CAP), (12, _CAP - 8)]]
            lines += [LineString([(x + a, b) for a, b in s]) for s in strokes]
            x += 18
            continue
        strokes = [[(a, 9 - b) for a, b in s] for s in _font().strokes_for_text(letter)]
        lines += [LineString([(x + a, b) for a, b in s]) for s in strokes if len(s) > 1]
        x += max([a for s in strokes for a, _ in s], default=10) + 5
    if not lines:
        return shapely.Polygon()
    drawn = unary_union(lines)
    low_x, low_y, _, _ = drawn.bounds
    size = (height_mm - LINE_MM) / _CAP
    placed = stretched(shapely.affinity.translate(drawn, -low_x, -min(low_y, 0.0)), size, size, origin=(0, 0))
    return placed.buffer(LINE_MM / 2, quad_segs=2)


@dataclass(frozen=True, eq=False)
class Inside:
    """Places on the inside of a part where something may be written."""

    points: Floats
    """(n, 3)."""
    normals: Floats
    """(n, 3)."""


def inside_of(part: Mesh, whole: Mesh, seed: int = 3) -> Inside:
    """Points of a part's surface that nobody sees when the piece is whole, evenly spread."""
    areas = np.linalg.norm(part.area_vectors, axis=1)
    rng = np.random.default_rng(seed)
    face = rng.choice(len(areas), 12 * _TRIED, p=areas / areas.sum())
    a, b = np.sqrt(rng.random(len(face))), rng.random(len(face))
    corner = part.triangles[face]
    points = corner[:, 0] * (1 - a)[:, None] + corner[:, 1] * (a * (1 - b))[:, None] + corner[:, 2] * (a * b)[:, None]
    normals = part.area_vectors[face] / areas[face][:, None]
    # What lies on a cut is not on the whole piece's surface: a short way off it lies in the material.
    starts = points + normals * 0.25
    seen, other = _seen(starts, normals, whole), None
    depth, _ = part.rays.first_hits(points - normals * 1e-3, -normals)
    known = np.isfinite(depth)
    behind = np.where(known[:, None], points - normals * (np.where(known, depth, 0.0) + 0.25)[:, None], starts)
    other = _seen(behind, -normals, whole)
    inward, _ = whole.rays.first_hits(starts, normals)
    glued = _inside_material(starts, whole)
    hidden = ((seen < _HIDDEN) | (seen < other / 3)) & (other > seen) & known & ~glued & (inward > 6.0)
    return Inside(points[hidden], normals[hidden])


def _seen(starts: Floats, normals: Floats, whole: Mesh) -> Floats:
    directions, weights = bystanders(_LOOKS)
    seen = np.zeros(len(starts))
    for direction, weight in zip(directions, weights, strict=True):
        looked = np.flatnonzero(normals @ direction > 0.05)
        seen[looked] += weight * (whole.rays.first_hits(starts[looked], np.tile(direction, (len(looked), 1)))[1] < 0)
    return seen


def _inside_material(points: Floats, whole: Mesh) -> Ints:
    """(n,) mask: points from which the next face is met from behind."""
    way = np.tile([0.3015, 0.3015, 0.9045], (len(points), 1))
    _, face = whole.rays.first_hits(points, way)
    met = np.flatnonzero(face >= 0)
    within = np.zeros(len(points), bool)
    within[met] = np.einsum("ij,ij->i", whole.area_vectors[face[met]], way[met]) > 0
    return within


def marks_for(
    parts: Sequence[tuple[Part, Mesh]], seams: Sequence[Seam], whole: Mesh, title: str, taken: Floats, raised: bool
) -> tuple[Mark, ...]:
    """A name for each part, and a small letter on either side of each seam. ``taken`` (n, 3) are places of what holds the seams."""
    found: list[Mark] = []
    up = np.array([0.0, 0.0, 1.0])
    for part, mesh in parts:
        inside = inside_of(mesh, whole)
        if not len(inside.points):
            continue
        mine = [s for s in seams if part.name in (s.above, s.below)]
        rims = [_rim(s) for s in mine]
        edges = np.concatenate([np.zeros((0, 3)), *rims])
        used = [taken] if len(taken) else []
        letter = part.name.rsplit("-", 1)[-1]
        for text, height in ((f"{letter}^ {title}".strip(), LARGE_MM), (f"{letter}^ {title}".strip(), SMALL_MM), (f"{letter}^", SMALL_MM)):
            middle = mesh.bounds.mean(axis=0)
            order = np.argsort(np.linalg.norm(inside.points - middle, axis=1))
            mark = _first(part.name, text, height, inside, order, mesh, edges, used, up, raised)
            if mark is not None:
                found.append(mark)
                used.append(_round(mark))
                break
        for k, seam in enumerate(mine):
            number = str(seams.index(seam) + 1)
            near = cKDTree(rims[k]).query(inside.points)[0]
            order = np.argsort(near)
            order = order[near[order] < 30.0]
            mark = _first(part.name, number, SMALL_MM, inside, order, mesh, edges, used, up, raised)
            if mark is not None:
                found.append(mark)
                used.append(_round(mark))
    return tuple(found)


def _rim(seam: Seam) -> Floats:
    flat = shapely.get_coordinates(shapely.segmentize(seam.face.boundary, 2.0))
    return seam.surface.to_space(flat)


def _round(mark: Mark) -> Floats:
    """(n, 3): points over all of a mark, so that the next one is not written into it."""
    low, high = mark.tool.bounds
    return np.stack(np.meshgrid(*(np.linspace(a, b, 4) for a, b in zip(low, high, strict=True))), axis=-1).reshape(-1, 3)


def _first(
    part: str,
    text: str,
    height: float,
    inside: Inside,
    order: Ints,
    mesh: Mesh,
    edges: Floats,
    used: Sequence[Floats],
    up: Floats,
    raised: bool,
) -> Mark | None:
    """The first of the places that takes a text whole."""
    area = letters_drawn(text, height)
    low_x, low_y, high_x, high_y = area.bounds
    half = np.array([high_x - low_x, high_y - low_y]) / 2 + 0.8
    area = shapely.affinity.translate(area, -(low_x + high_x) / 2, -(low_y + high_y) / 2)
    steps = [np.linspace(-h, h, max(int(h / 1.2), 3)) for h in half]
    grid = np.stack(np.meshgrid(*steps), axis=-1).reshape(-1, 2)
    near_edges = cKDTree(edges) if len(edges) else None
    near_used = cKDTree(np.concatenate(used)) if used else None
    for k in order[:_TRIED]:
        at, normal = inside.points[k], inside.normals[k]
        y = up - normal * (up @ normal)
        if np.linalg.norm(y) < 0.2:
            y = np.array([0.0, 1.0, 0.0]) - normal * normal[1]
        y /= np.linalg.norm(y)
        frame = np.column_stack([np.cross(y, normal), y, normal])
        places = grid @ frame[:, :2].T + at
        if near_edges is not None and float(near_edges.query(places)[0].min()) < _OFF_SEAM_MM:
            continue
        if near_used is not None and float(near_used.query(places)[0].min()) < 2.0:
            continue
        distance, _ = mesh.rays.first_hits(places + normal * 3.0, np.tile(-normal, (len(places), 1)))
        off = 3.0 - distance
        if not np.isfinite(distance).all() or np.abs(off).max() > _FLAT_MM:
            continue
        wall, _ = mesh.rays.first_hits(places - normal * (distance - 3.0 + 0.01)[:, None], np.tile(-normal, (len(places), 1)))
        if raised:
            low, high = float(off.min()) - 0.3, float(off.max()) + DEEP_MM
        else:
            low, high = float(off.min()) - DEEP_MM, float(off.max()) + 0.5
            if not np.isfinite(wall).all() or float(wall.min()) < DEEP_MM + float(off.max() - off.min()) + _WALL_MM:
                continue
        matrix = np.eye(4)
        matrix[:3, :3], matrix[:3, 3] = frame, at
        return Mark(part, text, three(at, 3), height, prism(area, low, high).transformed(matrix))
    return None
