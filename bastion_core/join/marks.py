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
from bastion_core.cut.visible import looked_at
from bastion_core.geometry.arrays import Floats, Ints, three
from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.solid import Solid, prism
from bastion_core.geometry.walls import SurfaceSample, surface_sample
from bastion_core.join.held import letter_of

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
_TRIED, _SPREAD = 160, 2000
_BY_SEAM_MM = 30.0
_OFF_MM = 0.25
_CAVITY_MM = 6.0
"""An inside faces at least so much air."""
_UP = np.array([0.0, 0.0, 1.0])
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


def inside_of(part: Mesh, whole: Mesh) -> SurfaceSample:
    """Points of a part's surface that nobody sees when the piece is whole, evenly spread."""
    sample = surface_sample(part, _SPREAD, seed=3)
    points, normals = sample.points, sample.normals
    # What lies on a cut is not on the whole piece's surface: a short way off it lies in the material.
    starts = points + normals * _OFF_MM
    depth, _ = part.rays.first_hits(points - normals * 1e-3, -normals)
    known = np.isfinite(depth)
    behind = np.where(known[:, None], points - normals * (np.where(known, depth, 0.0) + _OFF_MM)[:, None], starts)
    seen, other = (looked_at(at, way, whole, _LOOKS)[0] for at, way in ((starts, normals), (behind, -normals)))
    inward, _ = whole.rays.first_hits(starts, normals)
    glued = _inside_material(starts, whole)
    hidden = ((seen < _HIDDEN) | (seen < other / 3)) & (other > seen) & known & ~glued & (inward > _CAVITY_MM)
    return SurfaceSample(points[hidden], normals[hidden])


def _inside_material(points: Floats, whole: Mesh) -> Ints:
    """(n,) mask: points from which the next face is met from behind."""
    way = np.tile([0.3015, 0.3015, 0.9045], (len(points), 1))
    _, face = whole.rays.first_hits(points, way)
    met = np.flatnonzero(face >= 0)
    within = np.zeros(len(points), bool)
    within[met] = np.einsum("ij,ij->i", whole.area_vectors[face[met]], way[met]) > 0
    return within


@dataclass(frozen=True, eq=False)
class _Page:
    """The inside of one part, to be written on."""

    part: str
    mesh: Mesh
    inside: SurfaceSample
    edges: Floats
    """(n, 3): the rims of its seams."""
    raised: bool
    used: list[Floats]
    """What is taken already, (n, 3) each; grows with each mark."""

    def write(self, text: str, height_mm: float, order: Ints) -> Mark | None:
        """A text on the first of the places that takes it whole; None where none does."""
        mark = _first(self, text, height_mm, order)
        if mark is not None:
            self.used.append(_round(mark))
        return mark


def marks_for(
    parts: Sequence[tuple[Part, Mesh]], seams: Sequence[Seam], whole: Mesh, title: str, taken: Floats, raised: bool
) -> tuple[Mark, ...]:
    """A name for each part, and a small number on either side of each seam. ``taken`` (n, 3) are places of what holds the seams."""
    found: list[Mark | None] = []
    for part, mesh in parts:
        inside = inside_of(mesh, whole)
        if not len(inside.points):
            continue
        rims = {k: s.rim() for k, s in enumerate(seams, 1) if part.name in (s.above, s.below)}
        page = _Page(part.name, mesh, inside, np.concatenate([np.zeros((0, 3)), *rims.values()]), raised, [taken] if len(taken) else [])
        letter = letter_of(part.name)
        order = np.argsort(np.linalg.norm(inside.points - mesh.bounds.mean(axis=0), axis=1))
        whole_name = f"{letter}^ {title}".strip()
        sizes = ((whole_name, LARGE_MM), (whole_name, SMALL_MM), (f"{letter}^", SMALL_MM))
        found.append(next((m for text, height in sizes if (m := page.write(text, height, order))), None))
        for number, rim in rims.items():
            away = cKDTree(rim).query(inside.points)[0]
            order = np.argsort(away)
            found.append(page.write(str(number), SMALL_MM, order[away[order] < _BY_SEAM_MM]))
    return tuple(m for m in found if m is not None)


def _round(mark: Mark) -> Floats:
    """(n, 3): points over all of a mark, so that the next one is not written into it."""
    low, high = mark.tool.bounds
    return np.stack(np.meshgrid(*(np.linspace(a, b, 4) for a, b in zip(low, high, strict=True))), axis=-1).reshape(-1, 3)


def _first(page: _Page, text: str, height: float, order: Ints) -> Mark | None:
    area = letters_drawn(text, height)
    low_x, low_y, high_x, high_y = area.bounds
    half = np.array([high_x - low_x, high_y - low_y]) / 2 + 0.8
    area = shapely.affinity.translate(area, -(low_x + high_x) / 2, -(low_y + high_y) / 2)
    steps = [np.linspace(-h, h, max(int(h / 1.2), 3)) for h in half]
    grid = np.stack(np.meshgrid(*steps), axis=-1).reshape(-1, 2)
    near_edges = cKDTree(page.edges) if len(page.edges) else None
    near_used = cKDTree(np.concatenate(page.used)) if page.used else None
    for k in order[:_TRIED]:
        at, normal = page.inside.points[k], page.inside.normals[k]
        y = _UP - normal * (_UP @ normal)
        if np.linalg.norm(y) < 0.2:
            y = np.array([0.0, 1.0, 0.0]) - normal * normal[1]
        y /= np.linalg.norm(y)
        frame = np.column_stack([np.cross(y, normal), y, normal])
        places = grid @ frame[:, :2].T + at
        if near_edges is not None and float(near_edges.query(places)[0].min()) < _OFF_SEAM_MM:
            continue
        if near_used is not None and float(near_used.query(places)[0].min()) < 2.0:
            continue
        distance, _ = page.mesh.rays.first_hits(places + normal * 3.0, np.tile(-normal, (len(places), 1)))
        off = 3.0 - distance
        if not np.isfinite(distance).all() or np.abs(off).max() > _FLAT_MM:
            continue
        wall, _ = page.mesh.rays.first_hits(places - normal * (distance - 3.0 + 0.01)[:, None], np.tile(-normal, (len(places), 1)))
        if page.raised:
            low, high = float(off.min()) - 0.3, float(off.max()) + DEEP_MM
        else:
            low, high = float(off.min()) - DEEP_MM, float(off.max()) + 0.5
            if not np.isfinite(wall).all() or float(wall.min()) < DEEP_MM + float(off.max() - off.min()) + _WALL_MM:
                continue
        matrix = np.eye(4)
        matrix[:3, :3], matrix[:3, 3] = frame, at
        return Mark(page.part, text, three(at, 3), height, prism(area, low, high).transformed(matrix))
    return None
