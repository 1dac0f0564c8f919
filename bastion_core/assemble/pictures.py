"""Line drawings of a step, from the meshes, in one fixed manner: what is new in ink and hatched light, what stands already pale, an arrow for the
way it comes. Black on white, so that they print.

A grid of rays tells for each cell which body is seen, how far off and how it is turned; lines are drawn where that changes. What is hidden is not
drawn, whatever the shape.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy import ndimage
from shapely import line_merge
from shapely.geometry.base import BaseGeometry

from bastion_core.geometry.mesh import Floats, Mesh

Tone = Literal["new", "stands", "spot"]
_CELLS = 210
"""Rays along the longer side of a picture."""
_STEP, _FOLD = 2.5, 0.72
"""A line is drawn where the surface jumps back by so many cells, or folds by more than the angle of that cosine."""
_SMOOTH = 1.8
"""Cells over which lines are evened."""
_LEAST_LINE, _SPECK = 8.0, 6.0
GAP = 0.22
"""How far what is new is drawn off its place, by the size of the whole."""
VIEWS: dict[str, tuple[float, float]] = {
    "front left": (-35.0, 22.0), "front right": (35.0, 22.0), "back left": (-145.0, 22.0), "back right": (145.0, 22.0),
    "above left": (-35.0, 58.0), "below left": (-35.0, -28.0), "below right": (35.0, -28.0), "below, back": (-145.0, -28.0), "from below": (-35.0, -60.0),
}  # fmt: skip
"""Turn about the upright and height of who looks, in degrees; the front is at -y."""


@dataclass(frozen=True)
class Stroke:
    """A line or a filled shape of a picture (SVG path, y downward)."""

    tone: Tone
    path: str
    filled: bool


@dataclass(frozen=True)
class StepDrawing:
    """A step's picture: its box (x, y, width, height in mm, y downward), what is drawn, the arrow's ends, and from where it is seen."""

    box: tuple[float, float, float, float]
    strokes: tuple[Stroke, ...]
    arrow: tuple[float, float, float, float] | None
    seen_from: str


@dataclass(frozen=True, eq=False)
class Shown:
    """A body in a picture, moved by ``off_mm`` (3,)."""

    mesh: Mesh
    tone: Tone
    off_mm: Floats


def frame_of(view: str) -> Floats:
    """(3, 3): columns right, up, toward who looks."""
    turn, height = np.radians(VIEWS[view])
    toward = np.array([np.sin(turn) * np.cos(height), -np.cos(turn) * np.cos(height), np.sin(height)])
    right = np.cross([0.0, 0.0, 1.0], toward)
    right /= np.linalg.norm(right)
    return np.column_stack([right, np.cross(toward, right), toward])


def best_view(way: Floats, new: Sequence[Mesh], rest: Sequence[Mesh], inside: Floats | None = None) -> str:
    """From where a step is seen best: the way it comes lies across, and most of what is new (of ``inside``, places (n, 3)) shows."""
    low = np.min([m.bounds[0] for m in (*new, *rest)], axis=0)
    size = float(np.max(np.max([m.bounds[1] for m in (*new, *rest)], axis=0) - low))
    shown = inside is not None and len(inside) > 0
    at = inside if shown else np.vstack([m.triangles[:: max(len(m.faces) // 120, 1)].mean(axis=1) for m in new])
    assert at is not None
    off = np.zeros(3) if shown else way * GAP * size
    scores = []
    for view in VIEWS:
        frame = frame_of(view)
        across = float(np.linalg.norm((way @ frame)[:2])) if way.any() else 1.0
        hidden = np.zeros(len(at), np.bool_)
        for mesh in (*new, *rest) if shown else rest:
            starts = at + off + 0.5 * frame[:, 2]
            hidden |= mesh.rays.first_hits(starts, np.tile(frame[:, 2], (len(at), 1)))[1] >= 0
        liked = 0.05 if view.startswith("front") else 0.0
        scores.append(float(1 - hidden.mean()) + 0.5 * min(across, 0.7) + liked)
    return list(VIEWS)[int(np.argmax(scores))]


def picture(shown: Sequence[Shown], view: str, way: Floats | None = None, spots: Sequence[Floats] = ()) -> StepDrawing:
    """The drawing of bodies as they are shown; ``way`` (3,) is how the new ones come off, ``spots`` (n, 3) what is pointed at."""
    frame = frame_of(view)
    flat = [((s.mesh.vertices + s.off_mm) @ frame) for s in shown]
    low = np.min([f.min(axis=0) for f in flat], axis=0)
    high = np.max([f.max(axis=0) for f in flat], axis=0)
    cell = float(max(high[0] - low[0], high[1] - low[1])) / _CELLS
    owner, depth, normal = _seen(shown, frame, low - cell, high + cell, cell)
    strokes = list[Stroke]()
    origin = low[:2] - cell
    for tone in ("stands", "new"):
        strokes += _body_strokes(owner, depth, normal, [k for k, s in enumerate(shown) if s.tone == tone], tone, origin, cell, frame[:, 2])  # type: ignore[arg-type]
    for spot in spots:
        u, v = (spot @ frame)[:2]
        strokes.append(Stroke("spot", _ring(u, v, 4 * cell), False))
    arrow = _arrow(shown, frame, way) if way is not None and way.any() else None
    border = 3 * cell
    left, top = float(low[0]) - border, float(-high[1]) - border
    wide, tall = float(high[0] - low[0]) + 2 * border, float(high[1] - low[1]) + 2 * border
    return StepDrawing(tuple(round(v, 1) for v in (left, top, wide, tall)), tuple(strokes), arrow, view)  # type: ignore[arg-type]


def _seen(shown: Sequence[Shown], frame: Floats, low: Floats, high: Floats, cell: float) -> tuple[NDArray[np.int64], Floats, Floats]:
    """Of each cell (columns, rows): which body is seen (-1: none), how near, and its normal."""
    u, v = (np.arange(low[k] + cell / 2, high[k], cell) for k in (0, 1))
    shape = len(u), len(v)
    owner, nearest, normal = np.full(shape, -1), np.full(shape, np.inf), np.zeros((*shape, 3))
    for k, s in enumerate(shown):
        flat = (s.mesh.vertices + s.off_mm) @ frame
        i, j = (np.flatnonzero((at >= flat[:, n].min() - cell) & (at <= flat[:, n].max() + cell)) for n, at in ((0, u), (1, v)))
        grid = np.stack(np.meshgrid(u[i], v[j], indexing="ij"), axis=-1).reshape(-1, 2)
        starts = np.column_stack([grid, np.full(len(grid), high[2] + 1.0)]) @ frame.T - s.off_mm
        distance, face = s.mesh.rays.first_hits(starts, np.tile(-frame[:, 2], (len(grid), 1)))
        x, y = (n.ravel() for n in np.meshgrid(i, j, indexing="ij"))
        closer = (face >= 0) & (distance < nearest[x, y])
        x, y = x[closer], y[closer]
        owner[x, y], nearest[x, y] = k, distance[closer]
        vectors = s.mesh.area_vectors[face[closer]]
        normal[x, y] = vectors / np.maximum(np.linalg.norm(vectors, axis=1), 1e-12)[:, None]
    return owner, nearest, normal


def _body_strokes(
    owner: NDArray[np.int64],
    depth: Floats,
    normal: Floats,
    bodies: Sequence[int],
    tone: Tone,
    origin: Floats,
    cell: float,
    toward: Floats,
) -> list[Stroke]:
    """What is seen of some bodies: their areas, the outline of each, and its inner lines."""
    outlines = [_smooth(r, True) for k in bodies for r in _rings(owner == k)]
    if not outlines:
        return []
    inner = [_smooth(np.array(line.coords), False) for line in _folds(owner, depth, normal, np.isin(owner, bodies), cell, toward)]
    rings = [_line(at * cell + origin) + "Z" for at in outlines if len(at) > 3]
    return [
        Stroke(tone, " ".join(rings), True),
        Stroke(tone, " ".join([*rings, *(_line(at * cell + origin) for at in inner)]), False),
    ]


def _folds(
    owner: NDArray[np.int64], depth: Floats, normal: Floats, mine: NDArray[np.bool_], cell: float, toward: Floats
) -> list[BaseGeometry]:
    """Where the surface of one body jumps back or folds, as lines in cells."""
    segments = []
    for axis in (0, 1):
        a = tuple(slice(None, -1) if k == axis else slice(None) for k in (0, 1))
        b = tuple(slice(1, None) if k == axis else slice(None) for k in (0, 1))
        both = (owner[a] == owner[b]) & mine[a]
        # What slopes away from who looks recedes by itself.
        facing = np.clip(np.maximum(normal[a] @ toward, normal[b] @ toward), 0.05, 1.0)
        with np.errstate(invalid="ignore"):
            jump = np.abs(depth[a] - depth[b]) > cell * (_STEP + 1.6 * np.sqrt(1 - facing**2) / facing)
        fold = np.einsum("ijk,ijk->ij", normal[a], normal[b]) < _FOLD
        at = np.argwhere((jump | fold) & both)
        begin = at + ([1, 0] if axis == 0 else [0, 1])
        segments.append(np.stack([begin, at + 1], axis=1))
    edges = np.concatenate(segments).astype(np.float64)
    if not len(edges):
        return []
    merged = line_merge(shapely.multilinestrings(shapely.linestrings(edges)))
    return [line for line in getattr(merged, "geoms", [merged]) if line.length >= _LEAST_LINE]


def _rings(mask: NDArray[np.bool_]) -> list[Floats]:
    """The outlines (n, 2) of an area of cells, holes included, without its specks: its edges, each with the area on its left, one after another."""
    framed = np.pad(mask, 1)
    follows: dict[tuple[int, int], list[tuple[int, int]]] = {}
    for (di, dj), begin, end in (
        ((-1, 0), (0, 1), (0, 0)), ((1, 0), (1, 0), (1, 1)), ((0, -1), (0, 0), (1, 0)), ((0, 1), (1, 1), (0, 1)),
    ):  # fmt: skip
        beside = np.roll(framed, (-di, -dj), axis=(0, 1))
        for i, j in (np.argwhere(framed & ~beside) - 1).tolist():
            follows.setdefault((i + begin[0], j + begin[1]), []).append((i + end[0], j + end[1]))
    rings = []
    while follows:
        start = next(iter(follows))
        ring, at, came = [start], start, (0, 0)
        while True:
            ends = follows[at]
            # Where two corners touch, turn left: what only touches stays apart.
            to = ends[0] if len(ends) == 1 else max(ends, key=lambda e: came[0] * (e[1] - at[1]) - came[1] * (e[0] - at[0]))
            ends.remove(to)
            if not ends:
                del follows[at]
            came, at = (to[0] - at[0], to[1] - at[1]), to
            if at == start:
                break
            ring.append(at)
        rings.append(np.array(ring, dtype=np.float64))
    return [r for r in rings if abs(float(np.dot(r[:, 0], np.roll(r[:, 1], -1)) - np.dot(r[:, 1], np.roll(r[:, 0], -1)))) / 2 >= _SPECK]


def _smooth(at: Floats, closed: bool) -> Floats:
    """Steps of the grid evened out: places (n, 2) averaged with their neighbours; of a closed one each a cell apart already."""
    dense = at if closed else np.array(shapely.segmentize(shapely.LineString(at), 1.0).coords)
    if len(dense) < 5:
        return dense
    even = ndimage.gaussian_filter1d(dense, _SMOOTH, axis=0, mode="wrap" if closed else "nearest")
    if not closed:
        even[0], even[-1] = dense[0], dense[-1]
    thin = shapely.LineString(np.vstack([even, even[:1]]) if closed else even).simplify(0.22)
    found = np.array(thin.coords)
    return found[:-1] if closed else found


def _line(at: Floats) -> str:
    return "M" + "L".join(f"{x:.1f},{-y:.1f}" for x, y in at)


def _ring(u: float, v: float, r: float) -> str:
    return f"M{u - r:.1f},{-v:.1f}a{r:.1f},{r:.1f} 0 1 0 {2 * r:.1f},0a{r:.1f},{r:.1f} 0 1 0 {-2 * r:.1f},0Z"


def _arrow(shown: Sequence[Shown], frame: Floats, way: Floats) -> tuple[float, float, float, float] | None:
    """From where what is new is drawn toward its place; None where it comes straight at who looks."""
    new = [s for s in shown if s.tone == "new"]
    middle = np.mean([s.mesh.bounds.mean(axis=0) + s.off_mm for s in new], axis=0) @ frame
    off = np.mean([s.off_mm for s in new], axis=0) @ frame
    if np.linalg.norm(off[:2]) < 1.0:
        return None
    (x, y), (dx, dy) = middle[:2], off[:2]
    return round(float(x), 1), round(float(-y), 1), round(float(x - dx), 1), round(float(-(y - dy)), 1)


def step_picture(new: Sequence[Mesh], stands: Sequence[Mesh], way: Floats, inside: Floats | None = None) -> StepDrawing:
    """What comes on (``new``) to what stands, drawn off its place along ``way`` (3,); with ``inside`` (n, 3) it is seen from where that shows."""
    size = float(np.max([m.size.max() for m in (*new, *stands)]))
    off = way * GAP * size
    view = best_view(way, new, stands, inside)
    shown = [Shown(m, "stands", np.zeros(3)) for m in stands] + [Shown(m, "new", off) for m in new]
    return picture(shown, view, way)


__all__ = ["VIEWS", "Shown", "StepDrawing", "Stroke", "best_view", "frame_of", "picture", "step_picture"]
