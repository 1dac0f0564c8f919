"""Holes, pockets, slots, pegs and tongues that a designer left in a mesh: found, measured, and the body that would fill each.

What a drill or a cutter leaves are walls that all run one way. Faces that hang together over hollow edges and whose normals lie square to
one direction are such walls; their outline along it, a circle, a hexagon, a box or a box with round ends, tells what they are.
"""

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np
import shapely
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from shapely import MultiPoint
from shapely.geometry.base import BaseGeometry

from bastion_core.errors import MeshProblem
from bastion_core.geometry.arrays import three
from bastion_core.geometry.creases import Bools, Surface
from bastion_core.geometry.mesh import Floats, Ints, Mesh
from bastion_core.geometry.place import plane_frame
from bastion_core.geometry.rims import filled, loops_of, open_half_edges
from bastion_core.geometry.solid import Solid

Kind = Literal["round", "hexagon", "slot", "peg", "tongue"]
HOLLOW: tuple[Kind, ...] = ("round", "hexagon", "slot")

MOST_ACROSS_MM, MOST_LONG_MM, LEAST_ACROSS_MM = 40.0, 90.0, 1.0
"""What is wider or longer is a form of the piece and no fit; common practice, no source."""
MOST_SLOT_MM = 16.0
"""A wider slot is a window of the piece; common practice, no source."""
MOST_TONGUE_MM = (14.0, 30.0)
"""Thickness and height of a tongue at most; common practice, no source."""
MOST_FEATURES = 200
_ROUND_DEG, _SQUARE_DEG = 62.0, 100.0
"""Walls go on round up to the first, which a hexagon just reaches; boxes have corners up to the second."""
_ALONG, _SPREAD = 0.0035, 0.02
"""Mean square by which normals may leave the plane square to the axis, and by which they have to differ in it."""
_OFF_ROUND_MM, _OFF_ROUND_SHARE = 0.03, 0.015
_TRIES, _SEED = 80, 7
_ROOM_SHARE = 0.02


@dataclass(frozen=True)
class Feature:
    """Something of a fixed size in a piece, as it lies in its file (mm at scale 1)."""

    kind: Kind
    file: int
    """Number of its file in the set, from 0."""
    at_mm: tuple[float, float, float]
    """The middle of its mouth; of a peg or tongue, of its root."""
    axis: tuple[float, float, float]
    """Unit direction out of the material."""
    along: tuple[float, float, float]
    """Unit direction in which it is longest, square to the axis."""
    width_mm: float
    """Diameter through the corners, distance of the flats of a hexagon, breadth of a slot."""
    clear_mm: float
    """What passes between its flats; the width itself where it has none."""
    length_mm: float
    depth_mm: float
    through: bool
    flats: int
    """How many flats stand for its round; 0 where they are too many to count."""


@dataclass(frozen=True, eq=False)
class Found:
    """A feature and the body that would fill it flush with its surroundings; None for what stands out or cannot be told from its surroundings."""

    feature: Feature
    void: Mesh | None


def _small(surface: Surface, label: Ints) -> Iterator[Ints]:
    """The faces of each region that is small enough to be a feature, the largest first."""
    count = int(label.max()) + 1
    order = np.argsort(label, kind="stable")
    starts = np.searchsorted(label[order], np.arange(count + 1))
    spread = surface.corners[surface.faces[order]]
    low = np.minimum.reduceat(spread.min(axis=1), starts[:-1])
    high = np.maximum.reduceat(spread.max(axis=1), starts[:-1])
    reach = np.linalg.norm(high - low, axis=1)
    many, area = np.bincount(label, minlength=count), np.bincount(label, surface.areas, minlength=count)
    good = np.flatnonzero((reach > LEAST_ACROSS_MM) & (reach < MOST_LONG_MM + MOST_ACROSS_MM) & (many >= 4) & (area > 2.0))
    for region in good[np.argsort(-area[good])][:600]:
        yield order[starts[region] : starts[region + 1]]


@dataclass(frozen=True, eq=False)
class _Walls:
    """Faces that all run along one axis, and the outline they have along it."""

    faces: Ints
    axis: Floats
    frame: Floats
    flat: Floats
    """(k, 2): the corners of the walls seen along the axis."""
    low: float
    high: float


def find_features(mesh: Mesh, file: int = 0) -> list[Found]:
    """Everything of a fixed size in a closed mesh (mm, as it lies), from the widest hole on."""
    surface = Surface.of(mesh)
    found: list[Found] = []
    for hollow in (True, False):
        for faces in _small(surface, surface.regions(_ROUND_DEG, hollow)):
            walls = _walls(surface, faces)
            one = walls and _round(surface, walls, hollow, file)
            found += [one] if one else []
        for faces in _small(surface, surface.regions(_SQUARE_DEG, hollow)):
            one = _boxed(surface, faces, hollow, file)
            found += [one] if one else []
        if len(found) > MOST_FEATURES:
            break
    return _each_once(found)[:MOST_FEATURES]


def _each_once(found: list[Found]) -> list[Found]:
    """Without what was found twice in one place: a hexagon is six walls and three pairs of them."""
    kept: list[Found] = []
    for one in found:
        at = np.array(one.feature.at_mm)
        if all(np.linalg.norm(at - np.array(k.feature.at_mm)) > 0.3 * min(k.feature.width_mm, one.feature.width_mm) for k in kept):
            kept.append(one)
    return kept


def _walls(surface: Surface, faces: Ints) -> _Walls | None:
    """The walls among some faces; None where they run along no common axis. Fillets and bottoms that hang on are left out by trying axes."""
    normals, areas = surface.normals[faces], surface.areas[faces]
    axis = _common_axis(normals, areas)
    if axis is None:
        if len(faces) < 16:
            return None
        axis, keep = _tried_axis(normals, areas)
        if axis is None:
            return None
        faces = faces[keep]
    points = surface.corners[np.unique(surface.faces[faces])]
    frame = plane_frame(axis)
    local = points @ frame
    return _Walls(faces, axis, frame, local[:, :2], float(local[:, 2].min()), float(local[:, 2].max()))


def _common_axis(normals: Floats, areas: Floats) -> Floats | None:
    spread = np.einsum("i,ij,ik->jk", areas, normals, normals) / max(float(areas.sum()), 1e-12)
    values, vectors = np.linalg.eigh(spread)
    if values[0] > _ALONG or values[1] < _SPREAD:
        return None
    return np.asarray(vectors[:, 0])


def _tried_axis(normals: Floats, areas: Floats) -> tuple[Floats | None, Bools]:
    """The axis along which most area runs, of many drawn from pairs of faces (random sample consensus), and which faces run along it."""
    rng = np.random.default_rng(_SEED)
    share = areas / areas.sum()
    a, b = (normals[rng.choice(len(normals), _TRIES, p=share)] for _ in range(2))
    axes = np.cross(a, b)
    length = np.linalg.norm(axes, axis=1)
    axes = axes[length > 0.3] / length[length > 0.3][:, None]
    if not len(axes):
        return None, np.zeros(0, bool)
    along = np.abs(normals @ axes.T) < 0.06
    gain = share @ along
    best = along[:, int(np.argmax(gain))]
    if gain.max() < 0.5 or best.sum() < 6:
        return None, best
    return _common_axis(normals[best], areas[best]), best


def _circle(points: Floats) -> tuple[Floats, float, float]:
    """Middle, radius and the largest distance of points (n, 2) from their circle, by least squares; a few stray points are left out."""
    kept = points
    for _ in range(3):
        rows = np.column_stack([2 * kept, np.ones(len(kept))])
        (x, y, c), *_ = np.linalg.lstsq(rows, (kept**2).sum(axis=1), rcond=None)
        middle = np.array([x, y])
        radius = float(np.sqrt(max(c + x * x + y * y, 0.0)))
        off = np.abs(np.linalg.norm(points - middle, axis=1) - radius)
        near = points[off <= max(3 * float(np.median(off)), 0.01)]
        if len(near) == len(kept) or len(near) < 0.8 * len(points):
            break
        kept = near
    return middle, radius, float(np.percentile(off, 90))


def _round(surface: Surface, walls: _Walls, hollow: bool, file: int) -> Found | None:
    """A round hole, a hexagon, a slot with round ends, or a round peg."""
    hull = MultiPoint(walls.flat).convex_hull
    if hull.geom_type != "Polygon" or hull.area < 0.5:
        return None
    middle, radius, off = _circle(walls.flat)
    normals, areas = surface.normals[walls.faces], surface.areas[walls.faces]
    if off <= _OFF_ROUND_MM + _OFF_ROUND_SHARE * radius:
        if not LEAST_ACROSS_MM <= 2 * radius <= MOST_ACROSS_MM or not _all_round(walls.flat - middle):
            return None
        centroid = surface.corners[surface.faces[walls.faces]].mean(axis=1) @ walls.frame[:, :2] - middle
        facing = normals @ walls.frame[:, :2]
        reach = np.abs(np.einsum("ij,ij->i", centroid, facing))[areas > 1e-3 * areas.sum() / len(areas)]
        clear = 2 * float(reach.min()) if len(reach) else 2 * radius
        turn = np.round(np.degrees(np.arctan2(facing[:, 1], facing[:, 0])) / 2) % 180
        sides = len(np.unique(turn[areas > 1e-3 * areas.sum()]))
        flats = sides if sides <= 24 else 0
        kind: Kind = "peg" if not hollow else "hexagon" if flats == 6 and clear < 1.78 * radius else "round"
        width = clear if kind == "hexagon" else 2 * radius
        return _made(surface, walls, kind, hull, middle, width, clear, 2 * radius, np.array([1.0, 0.0]), flats, file)
    if not hollow:
        return None
    length, breadth, along = _box(hull)
    if not LEAST_ACROSS_MM <= breadth <= MOST_SLOT_MM or length > MOST_LONG_MM:
        return None
    rounded = breadth * (length - breadth) + np.pi * breadth**2 / 4
    if length < 1.1 * breadth or abs(hull.area - rounded) > 0.03 * rounded:
        return None
    x, y = hull.centroid.coords[0]
    return _made(surface, walls, "slot", hull, np.array([x, y]), breadth, breadth, length, along, 0, file)


def _all_round(spokes: Floats) -> bool:
    """Whether points (n, 2) about a middle leave no gap wider than a square's side."""
    angle = np.sort(np.arctan2(spokes[:, 1], spokes[:, 0]))
    return bool(np.diff(np.r_[angle, angle[0] + 2 * np.pi]).max() < np.radians(95))


def _box(hull: BaseGeometry) -> tuple[float, float, Floats]:
    """Length, breadth and direction (2,) of the length of the smallest box round an outline."""
    ring = np.array(hull.minimum_rotated_rectangle.exterior.coords)
    one, two = ring[1] - ring[0], ring[2] - ring[1]
    a, b = float(np.linalg.norm(one)), float(np.linalg.norm(two))
    return (a, b, one / max(a, 1e-12)) if a >= b else (b, a, two / max(b, 1e-12))


def _boxed(surface: Surface, faces: Ints, hollow: bool, file: int) -> Found | None:
    """A pocket, slot, groove or tongue of flat sides square to each other; None where it is none."""
    normals, areas = surface.normals[faces], surface.areas[faces]
    first = normals[int(np.argmax(areas))]
    sideways = np.abs(normals @ first) < 0.05
    if not sideways.any():
        return None
    second = normals[sideways][int(np.argmax(areas[sideways]))]
    axes = np.column_stack([first, second - first * (first @ second), np.cross(first, second)])
    axes /= np.linalg.norm(axes, axis=0)
    facing = normals @ axes
    which = np.argmax(np.abs(facing), axis=1)
    straight = np.abs(facing[np.arange(len(facing)), which]) > 0.998
    if float(areas[~straight].sum()) > 0.04 * float(areas.sum()):
        return None
    sides = {(int(k), int(np.sign(facing[i, k]))) for i, k in enumerate(which) if straight[i] and areas[i] > 1e-6}
    missing = [(k, s) for k in range(3) for s in (-1, 1) if (k, s) not in sides]
    points = surface.corners[np.unique(surface.faces[faces])] @ axes
    extent = np.ptp(points, axis=0)
    pairs = [k for k in range(3) if (k, -1) not in missing and (k, 1) not in missing]
    if not pairs or not 1 <= len(missing) <= 3:
        return None
    breadth_axis = min(pairs, key=lambda k: extent[k])
    open_axes = [k for k in range(3) if k != breadth_axis and any(m[0] == k for m in missing)]
    if not open_axes:
        return None
    # Walls face into a hollow: the side that is missing is the one that nothing faces from.
    deep = min(open_axes, key=lambda k: (sum(m[0] == k for m in missing) == 2 and len(open_axes) > 1, extent[k]))
    own = [s for k, s in missing if k == deep]
    through = len(own) == 2
    breadth, depth = float(extent[breadth_axis]), float(extent[deep])
    long_axis = 3 - breadth_axis - deep
    length = float(extent[long_axis])
    if not LEAST_ACROSS_MM <= breadth <= MOST_SLOT_MM or length > MOST_LONG_MM or depth < 0.5 or depth > MOST_LONG_MM:
        return None
    if not hollow and (through or breadth > MOST_TONGUE_MM[0] or depth > MOST_TONGUE_MM[1]):
        return None
    if not _set_off(surface, faces, hollow):
        return None
    axis = axes[:, deep] * (1 if through else -own[0])
    walls_only = faces[np.abs(normals @ axis) < 0.05]
    frame = plane_frame(axis)
    local = surface.corners[np.unique(surface.faces[faces])] @ frame
    walls = _Walls(walls_only, axis, frame, local[:, :2], float(local[:, 2].min()), float(local[:, 2].max()))
    hull = MultiPoint(local[:, :2]).convex_hull
    along = axes[:, long_axis] @ frame[:, :2]
    x, y = hull.centroid.coords[0]
    kind: Kind = "slot" if hollow else "tongue"
    return _made(surface, walls, kind, hull, np.array([x, y]), breadth, breadth, length, along, 0, file, closed=len(own) == len(missing))


def _set_off(surface: Surface, faces: Ints, hollow: bool) -> bool:
    """Whether most of the edge at which it ends turns the other way than its own: a mouth, or a root."""
    mine = np.zeros(len(surface.faces), bool)
    mine[faces] = True
    ends = mine[surface.pairs].sum(axis=1) == 1
    turned = ends & (surface.hollow != hollow) & (surface.angle > 40)
    total = float(surface.lengths[ends].sum())
    return total > 0 and float(surface.lengths[turned].sum()) >= 0.6 * total


def _made(
    surface: Surface, walls: _Walls, kind: Kind, hull: BaseGeometry, middle: Floats, width: float, clear: float, length: float,
    along: Floats, flats: int, file: int, closed: bool = True,
) -> Found | None:  # fmt: skip
    """The feature with its mouth and what would fill it; None where no end of it is to be found."""
    axis, frame, hollow = walls.axis, walls.frame, kind not in ("peg", "tongue")
    grown = _grown(surface, walls, hull)
    filling, mouths = _filling(surface, walls, grown) if closed else (None, [])
    if hollow and closed and len(mouths) not in (1, 2):
        return None
    through = len(mouths) == 2
    low, high = walls.low, walls.high
    if kind == "peg":
        if len(mouths) != 1 or not _set_off(surface, grown, False):
            return None
        base, filling = mouths[0], None
        tip = low if base - low > high - base else high
        axis, depth = axis * (1.0 if tip > base else -1.0), abs(tip - base)
    elif not closed or kind == "tongue":
        # A tongue's axis points out of it, a groove's out of its mouth: walls were given along it.
        base, depth = (low if kind == "tongue" else high), high - low
    elif through:
        base, depth = max(mouths), max(mouths) - min(mouths)
    else:
        base = mouths[0]
        bottom = low if base - low > high - base else high
        axis, depth = axis * (1.0 if base > bottom else -1.0), abs(base - bottom)
    if depth < 0.3:
        return None
    at = frame @ np.array([middle[0], middle[1], base])
    lengthwise = frame[:, :2] @ along
    feature = Feature(
        kind, file, three(at, 5), three(axis, 5), three(lengthwise, 5), round(width, 4), round(clear, 4), round(length, 4), round(depth, 4), through, flats
    )  # fmt: skip
    return Found(feature, filling)


def _grown(surface: Surface, walls: _Walls, hull: BaseGeometry) -> Ints:
    """The walls and every face that hangs on them within their own outline: bottoms, cones, caps."""
    room = hull.buffer(_ROOM_SHARE * float(np.sqrt(hull.area)) + 0.03)
    local = surface.corners @ walls.frame
    reach = 0.35 * float(np.sqrt(hull.area))
    near = (local[:, 2] > walls.low - reach) & (local[:, 2] < walls.high + reach)
    low_x, low_y, high_x, high_y = room.bounds
    near &= (local[:, 0] > low_x) & (local[:, 0] < high_x) & (local[:, 1] > low_y) & (local[:, 1] < high_y)
    inside = np.zeros(len(surface.corners), bool)
    at = np.flatnonzero(near)
    inside[at] = shapely.contains_xy(room, local[at, 0], local[at, 1])
    candidates = np.flatnonzero(inside[surface.faces].all(axis=1))
    mine = np.zeros(len(surface.faces), bool)
    mine[candidates] = True
    mine[walls.faces] = True
    both = mine[surface.pairs].all(axis=1)
    number = np.cumsum(mine) - 1
    a, b = (number[surface.pairs[both][:, k]] for k in range(2))
    count = int(mine.sum())
    label = connected_components(coo_matrix((np.ones(len(a), np.int8), (a, b)), (count, count)), directed=False)[1]
    wanted = np.unique(label[number[walls.faces]])
    return np.asarray(np.flatnonzero(mine)[np.isin(label, wanted)])


def _filling(surface: Surface, walls: _Walls, grown: Ints) -> tuple[Mesh | None, list[float]]:
    """The body that fills a hollow flush, and how far along the axis each of its mouths lies (one for a pocket, two for a hole)."""
    faces = surface.faces[grown]
    loops = loops_of(open_half_edges(faces))
    mouths = [float((surface.corners[loop] @ walls.frame)[:, 2].mean()) for loop in loops]
    if not 1 <= len(loops) <= 2:
        return None, mouths
    used, inverse = np.unique(faces, return_inverse=True)
    turned = np.ascontiguousarray(inverse.reshape(-1, 3)[:, ::-1])
    corners, closed = filled(surface.corners[used], turned, loops_of(open_half_edges(turned)))
    try:
        void = Solid.from_mesh(Mesh(corners, closed.astype(np.int64)))
    except MeshProblem:
        return None, mouths
    return (Mesh(corners, closed.astype(np.int64)) if void.volume > 0 else None), mouths
