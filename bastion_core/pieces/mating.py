"""Which files of a set belong together, and where: faces that lie against each other, and faces whose rims match so that they could.

A face that was cut runs up to sharp edges, and its rim is the same curve on both parts. At each of its points the rim has a direction and the
face a normal: laid one on the other, two such frames tell the whole move. So one frame is tried on every point of the other rim, and the best
are settled by iterated closest points.
"""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

from bastion_core.geometry.arrays import three
from bastion_core.geometry.creases import Surface
from bastion_core.geometry.mesh import Floats, Ints, Mesh
from bastion_core.geometry.place import Plane
from bastion_core.geometry.rims import loops_of, open_half_edges
from bastion_core.geometry.solid import Solid
from bastion_core.geometry.walls import points_on
from bastion_core.progress import Progress, silent

CREASE_DEG = 25.0
"""An edge as sharp as this bounds a face that two parts can share; common practice, no source."""
LEAST_FACE_MM2, MOST_FACE_SHARE, MOST_FACES = 60.0, 0.35, 40
TOUCHES_MM = 2.0
"""Faces no further apart than this at the file's own size are meant to lie against each other; common practice, no source."""
SUNK_MM, MOST_SUNK_MM = 1.0, 0.6
"""A face is looked for so far inside the other file; on the whole faces that belong together stand in each other by no more than the second."""
LEAST_TOUCH_SHARE, LEAST_TOUCH_MM2 = 0.25, 40.0
MATCHES_MM = 0.35
"""Rims match that lie no further apart than this, and a 400th of their own reach; common practice, no source."""
MOST_SHARED = 0.03
"""Parts of which the smaller stands in the other by more than this share of itself do not go together so; common practice, no source."""
_FLAT_MM = 0.05
_RIM_POINTS, _FACE_POINTS = 400, 300
_BIG_LOOP, _ALIKE_LENGTH, _ALIKE_AREA = 0.15, 0.03, 1.7
_SETTLED, _STEPS, _LOOKED_AT = 4, 30, 4
_LONG_SHARE, _SMALL_SHARE, _AS_LONG = 0.25, 0.1, 0.4
"""Rims shorter, and faces smaller, beside the largest than this are joints of the set: a tongue has play in its slot."""
_PER_OPENING, _MOST_OPENINGS = 0.06, 5
_SAME_PLACE_MM = 2.0
_SOUGHT_MM3 = 1.0


@dataclass(frozen=True)
class Mate:
    """Two files of a set that lie against each other, as they are placed (mm at scale 1)."""

    files: tuple[int, int]
    flat: bool
    area_mm2: float
    gap_mm: float
    """The middle one; negative where one stands in the other."""
    gap_low_mm: float
    gap_high_mm: float
    """A twentieth of the face has less or more."""
    at_mm: tuple[float, float, float]
    normal: tuple[float, float, float]
    """Unit direction from the first to the second file."""
    overlap_mm3: float = 0.0
    """What both files fill."""

    @property
    def id(self) -> str:
        """Names it: its files, counted from 1."""
        return f"{self.files[0] + 1}-{self.files[1] + 1}"


@dataclass(frozen=True)
class Joint:
    """Two files whose faces match: where the second one belongs, and how well it does."""

    files: tuple[int, int]
    off_mm: float
    """Mean distance of their rims."""
    rim_mm: float
    area_mm2: float
    turns: int
    """In how many ways it goes on as well; more than 1 has to be looked at."""


@dataclass(frozen=True, eq=False)
class Assembly:
    """Files put together: a move for each (4x4 over the place it has), the joints found, and those that belong to nothing."""

    moves: tuple[Floats, ...]
    joints: tuple[Joint, ...]
    strays: tuple[int, ...]


@dataclass(frozen=True, eq=False)
class Rim:
    """Points along closed curves: positions, directions, the normals of the face they bound and of the faces beyond, each (n, 3)."""

    points: Floats
    along: Floats
    normals: Floats
    beyond: Floats
    lengths: tuple[float, ...]
    step_mm: float

    def moved(self, matrix: Floats) -> "Rim":
        """The rim moved by a 4x4 matrix."""
        turn = matrix[:3, :3].T
        return replace(
            self, points=self.points @ turn + matrix[:3, 3], along=self.along @ turn, normals=self.normals @ turn, beyond=self.beyond @ turn
        )

    @cached_property
    def tree(self) -> cKDTree:
        """Its points made ready for a search of the nearest."""
        return cKDTree(self.points)


@dataclass(frozen=True, eq=False)
class Face:
    """A face between sharp edges, that another part may lie against."""

    rim: Rim
    area_mm2: float
    flat: bool
    middle: Floats
    normal: Floats
    points: Floats
    """(n, 3) spread over it, and (n, 3) their normals."""
    normals: Floats
    openings: int
    """Rims within its outer one: pockets, pegs, the inside of a ring."""


@dataclass(eq=False)
class _Cluster:
    """Files that are together already."""

    files: list[int]
    faces: list[Face] = field(default_factory=list)


def faces_of(mesh: Mesh) -> list[Face]:
    """The faces of a closed mesh that another part may lie against, the largest first."""
    surface = Surface.of(mesh)
    label = surface.regions(CREASE_DEG)
    total = float(surface.areas.sum())
    area = np.bincount(label, surface.areas)
    found = []
    for region in np.argsort(-area)[: 4 * MOST_FACES]:
        if area[region] < LEAST_FACE_MM2:
            break
        if area[region] > MOST_FACE_SHARE * total and not _level(surface, label == region):
            continue
        face = _face(surface, np.flatnonzero(label == region), float(area[region]), total)
        if face is not None:
            found.append(face)
        if len(found) == MOST_FACES:
            break
    return found


def _level(surface: Surface, mine: np.ndarray) -> bool:
    vector = (surface.normals[mine] * surface.areas[mine, None]).sum(axis=0)
    return float(np.linalg.norm(vector)) > 0.999 * float(surface.areas[mine].sum())


def _face(surface: Surface, faces: Ints, area: float, total: float) -> Face | None:
    loops = loops_of(open_half_edges(surface.faces[faces]))
    rings = [np.array(loop) for loop in loops]
    lengths = [float(np.linalg.norm(np.diff(surface.corners[np.r_[r, r[:1]]], axis=0), axis=1).sum()) for r in rings]
    if not rings:
        return None
    big = [k for k, length in enumerate(lengths) if length >= _BIG_LOOP * max(lengths)]
    step = sum(lengths[k] for k in big) / _RIM_POINTS
    if step <= 0:
        return None
    beside = _beside(surface, faces)
    parts = [_sampled(surface, rings[k], beside, step) for k in big]
    points, along, normals, beyond = (np.concatenate([p[i] for p in parts]) for i in range(4))
    rim = Rim(points, along, normals, beyond, tuple(lengths[k] for k in big), step)
    triangles = surface.corners[surface.faces[faces]]
    weight = surface.areas[faces] / area
    middle = weight @ triangles.mean(axis=1)
    vector = weight @ surface.normals[faces]
    length = float(np.linalg.norm(vector))
    normal = vector / max(length, 1e-9)
    flat = length > 0.999 and float(np.abs((triangles.reshape(-1, 3) - middle) @ normal).max()) < _FLAT_MM + 2e-4 * float(np.sqrt(total))
    rng = np.random.default_rng(3)
    chosen = rng.choice(len(faces), _FACE_POINTS, p=weight / weight.sum())
    spread = points_on(triangles[chosen], rng)
    return Face(rim, area, flat, middle, normal, spread, surface.normals[faces[chosen]], len(loops) - 1)


def _beside(surface: Surface, faces: Ints) -> dict[tuple[int, int], tuple[int, int]]:
    """For each edge round some faces (its corners, the lower number first) the face within and the face beyond."""
    mine = np.zeros(len(surface.faces), bool)
    mine[faces] = True
    round_it = np.flatnonzero(mine[surface.pairs].sum(axis=1) == 1)
    pairs = surface.pairs[round_it]
    first = mine[pairs[:, 0]]
    within, beyond = np.where(first, pairs[:, 0], pairs[:, 1]), np.where(first, pairs[:, 1], pairs[:, 0])
    return dict(zip(map(tuple, surface.ends[round_it].tolist()), zip(within.tolist(), beyond.tolist(), strict=True), strict=True))


def _sampled(
    surface: Surface, ring: Ints, beside: dict[tuple[int, int], tuple[int, int]], step: float
) -> tuple[Floats, Floats, Floats, Floats]:
    """Points, directions, and the normals on either side, at even steps along a ring of corners."""
    corners = surface.corners[np.r_[ring, ring[:1]]]
    sides = np.diff(corners, axis=0)
    lengths = np.linalg.norm(sides, axis=1)
    way = np.r_[0, np.cumsum(lengths)]
    at = np.arange(0, way[-1], step)
    on = np.clip(np.searchsorted(way, at, side="right") - 1, 0, len(ring) - 1)
    points = corners[on] + sides[on] * ((at - way[on]) / np.maximum(lengths[on], 1e-12))[:, None]
    pairs = np.sort(np.column_stack([ring, np.roll(ring, -1)]), axis=1)
    sides_of = np.array([beside.get((a, b), (-1, -1)) for a, b in pairs.tolist()])
    inner, outer = (surface.normals[sides_of[:, k]] for k in range(2))
    return points, _unit(_smooth(sides)[on]), _unit(inner[on]), _unit(outer[on])


def _smooth(sides: Floats) -> Floats:
    """Directions of a ring's sides, each evened out with its neighbours."""
    return np.asarray(np.roll(sides, 1, axis=0) * 0.5 + sides + np.roll(sides, -1, axis=0) * 0.5)


def _unit(vectors: Floats) -> Floats:
    return np.asarray(vectors / np.maximum(np.linalg.norm(vectors, axis=1), 1e-12)[:, None])


def mates_of(meshes: Sequence[Mesh], faces: Sequence[Sequence[Face]], progress: Progress = silent) -> tuple[Mate, ...]:
    """Where the files of a set lie against each other as they are placed. ``faces`` are those of each (``faces_of``)."""
    found: list[Mate] = []
    solids = [Solid.from_mesh(m) for m in meshes]
    for i in range(len(meshes)):
        progress(i / len(meshes), "looking where the files meet")
        for j in range(i + 1, len(meshes)):
            if not _near(meshes[i], meshes[j]):
                continue
            kept = _one_each([[t for f in faces[a] if (t := _touch(f, meshes[b], (a, b)))] for a, b in ((i, j), (j, i))])
            shared = Solid(solids[i].manifold ^ solids[j].manifold).volume if kept else 0.0
            if shared > MOST_SUNK_MM * sum(m.area_mm2 for m in kept):
                # Files that were laid on one bed one after the other stand in each other anyhow.
                continue
            found += [replace(k, overlap_mm3=round(shared, 2) if n == 0 and shared > _SOUGHT_MM3 else 0.0) for n, k in enumerate(kept)]
    return tuple(found)


def _one_each(seen: Sequence[list[Mate]]) -> list[Mate]:
    """Each place once, though it is seen from either file; what lies in one plane is one place."""
    places: list[tuple[list[Mate], list[Mate]]] = []
    for side, touching in enumerate(seen):
        for one in touching:
            place = next((p for p in places if any(_one_place(one, k) for k in (*p[0], *p[1]))), None)
            if place is None:
                places.append(place := ([], []))
            place[side].append(one)
    found = [_whole(max(place, key=lambda mates: sum(m.area_mm2 for m in mates))) for place in places]
    largest = max((m.area_mm2 for m in found), default=0.0)
    return [m for m in found if m.area_mm2 >= _SMALL_SHARE * largest]


def _whole(mates: Sequence[Mate]) -> Mate:
    """What lies in one place as one."""
    area = sum(m.area_mm2 for m in mates)
    at = sum(np.array(m.at_mm) * m.area_mm2 for m in mates) / area
    largest = max(mates, key=lambda m: m.area_mm2)
    gaps = [g for m in mates for g in (m.gap_low_mm, m.gap_high_mm)]
    return replace(largest, area_mm2=round(area, 1), at_mm=three(np.asarray(at), 5), gap_low_mm=min(gaps), gap_high_mm=max(gaps))


def _one_place(one: Mate, other: Mate) -> bool:
    """Whether two are told of one place: both in one plane, or near each other."""
    apart = np.subtract(one.at_mm, other.at_mm)
    level = one.flat and other.flat and np.dot(one.normal, other.normal) > 0.999 and abs(float(apart @ np.array(one.normal))) < SUNK_MM
    return bool(level or np.linalg.norm(apart) < 10.0)


def _near(a: Mesh, b: Mesh) -> bool:
    return bool((a.bounds[0] - TOUCHES_MM <= b.bounds[1]).all() and (b.bounds[0] - TOUCHES_MM <= a.bounds[1]).all())


def _touch(face: Face, other: Mesh, files: tuple[int, int]) -> Mate | None:
    """Where a face lies against another file; None where too little of it does."""
    starts = face.points - face.normals * SUNK_MM
    ray, distance, entering = other.rays.all_hits(starts, face.normals)
    met = np.flatnonzero(entering & (distance <= SUNK_MM + TOUCHES_MM))
    if not len(met):
        return None
    first = met[np.unique(ray[met], return_index=True)[1]]
    share = len(first) / len(face.points)
    gaps = distance[first] - SUNK_MM
    near = np.abs(gaps - np.median(gaps)) < 1.0
    area = share * face.area_mm2
    if (share < LEAST_TOUCH_SHARE and area < 3 * LEAST_TOUCH_MM2) or area < LEAST_TOUCH_MM2 or near.mean() < 0.5:
        return None
    # What it meets has to lie against it, not to cross it.
    middle, normal = face.points[ray[first]].mean(axis=0), face.normals[ray[first]].mean(axis=0)
    a, b = files
    way = normal / max(float(np.linalg.norm(normal)), 1e-9) * (1.0 if a < b else -1.0)
    low, mid, high = (round(float(v), 3) for v in np.percentile(gaps[near], (5, 50, 95)))
    return Mate((min(a, b), max(a, b)), face.flat, round(area, 1), mid, low, high, three(middle, 5), three(way, 5))


def put_together(meshes: Sequence[Mesh], faces: Sequence[Sequence[Face]], mates: Sequence[Mate], progress: Progress = silent) -> Assembly:
    """Find for every file that touches none where it belongs, by faces that match; the largest file stays where it is."""
    moves = [np.eye(4) for _ in meshes]
    owner = list(range(len(meshes)))
    for mate in mates:
        one, other = (owner[f] for f in mate.files)
        owner = [one if o == other else o for o in owner]
    clusters = [_Cluster([f for f, o in enumerate(owner) if o == own]) for own in dict.fromkeys(owner)]
    for cluster in clusters:
        cluster.faces = [f for file in cluster.files for f in faces[file]]
    joints: list[Joint] = []
    while len(clusters) > 1:
        progress(1 - len(clusters) / len(meshes), "looking for faces that match")
        found = _best_pair(clusters, meshes, moves)
        if found is None:
            break
        a, b, matrix, joint = found
        for file in clusters[b].files:
            moves[file] = matrix @ moves[file]
        moved = [_moved_face(f, matrix) for f in clusters[b].faces]
        clusters[a] = _Cluster(clusters[a].files + clusters[b].files, _merged(clusters[a].faces + moved))
        del clusters[b]
        joints.append(joint)
    largest = max(range(len(clusters)), key=lambda k: sum(meshes[f].size.max() ** 3 for f in clusters[k].files)) if clusters else 0
    strays = tuple(f for k, c in enumerate(clusters) if k != largest for f in c.files)
    return Assembly(tuple(moves), tuple(joints), strays)


def _best_pair(clusters: Sequence[_Cluster], meshes: Sequence[Mesh], moves: Sequence[Floats]) -> tuple[int, int, Floats, Joint] | None:
    """The two clusters whose faces match best, and the move that brings the second to the first."""
    pairs = [(a, b, one, other) for a, b in _pairs(len(clusters)) for one in clusters[a].faces for other in clusters[b].faces]
    pairs.sort(key=lambda p: -_length(p[2], p[3]))
    found: list[tuple[float, int, int, Face, list[tuple[Floats, float, float]]]] = []
    longest = 0.0
    for a, b, one, other in pairs:
        length = _length(one, other)
        if found and length < _AS_LONG * longest:
            break
        ways = _ways(one, other)
        if not ways:
            continue
        # Of several ways the one in which the least stands in the other: pegs lie in their pockets then.
        free = []
        for matrix, off, unlike in ways:
            shared, room = _shared(clusters[a], clusters[b], meshes, moves, matrix)
            if shared <= MOST_SHARED * room:
                free.append((matrix, off, off + 0.5 * unlike + 3 * shared / one.area_mm2))
        if free:
            free.sort(key=lambda w: w[2])
            longest = max(longest, length)
            # A long rim that matches says more than a short one, and a face with pockets and pegs more than a plain one.
            says = 0.2 * float(np.log(length)) + _PER_OPENING * min(one.openings, other.openings, _MOST_OPENINGS)
            found.append((free[0][2] - says, a, b, one, free))
    if not found:
        return None
    _, a, b, one, free = min(found, key=lambda f: f[0])
    matrix, off, best = free[0]
    matrix = _together(clusters[a].faces, clusters[b].faces, matrix, _LONG_SHARE * sum(one.rim.lengths))
    alike = [w for w in free if w[2] < best + 0.1]
    files = (clusters[a].files[0], clusters[b].files[0])
    return a, b, matrix, Joint(files, round(off, 3), round(sum(one.rim.lengths), 1), round(one.area_mm2, 1), len(alike))


def _length(one: Face, other: Face) -> float:
    """Of the shorter of two rims."""
    return min(sum(one.rim.lengths), sum(other.rim.lengths))


def _together(ones: Sequence[Face], others: Sequence[Face], matrix: Floats, least_mm: float) -> Floats:
    """A move bettered by all rims of some length that come to lie along each other by it: a narrow face alone says little of the turn."""
    near: list[tuple[Rim, Rim]] = []
    for other in others:
        if sum(other.rim.lengths) < least_mm:
            continue
        rim = other.rim.moved(matrix)
        for one in ones:
            if float(one.normal @ (matrix[:3, :3] @ other.normal)) > -0.98 or one.flat != other.flat:
                continue
            if float(_apart(one.rim, rim.points).mean()) < 2 * MATCHES_MM + 0.01 * float(np.ptp(rim.points, axis=0).max()):
                near.append((one.rim, other.rim))
                break
    if len(near) < 2:
        return matrix
    return _settle(_all(n[0] for n in near), _all(n[1] for n in near), matrix)[0]


def _all(rims: Iterable[Rim]) -> Rim:
    parts = list(rims)
    points, along, normals, beyond = (
        np.concatenate([getattr(r, name) for r in parts]) for name in ("points", "along", "normals", "beyond")
    )
    return Rim(points, along, normals, beyond, tuple(v for r in parts for v in r.lengths), max(r.step_mm for r in parts))


def _pairs(count: int) -> Iterator[tuple[int, int]]:
    return ((a, b) for a in range(count) for b in range(a + 1, count))


def _ways(one: Face, other: Face) -> list[tuple[Floats, float, float]]:
    """Moves of the second face onto the first at which their rims match, the best first: (4x4, mean distance mm, how unlike what lies beyond is)."""
    length, theirs = sum(one.rim.lengths), sum(other.rim.lengths)
    if abs(length - theirs) > _ALIKE_LENGTH * max(length, theirs) or one.flat != other.flat:
        return []
    if max(one.area_mm2, other.area_mm2) > _ALIKE_AREA * min(one.area_mm2, other.area_mm2):
        return []
    reach = float(np.ptp(one.rim.points, axis=0).max())
    tolerance = MATCHES_MM + reach / 400
    begun = _begun(one.rim, other.rim)
    sample = other.rim.points[:: max(1, len(other.rim.points) // 60)]
    moved = np.einsum("kij,nj->kni", begun[:, :3, :3], sample) + begun[:, None, :3, 3]
    far = np.minimum(one.rim.tree.query(moved.reshape(-1, 3))[0].reshape(len(begun), -1), 0.05 * reach).mean(axis=1)
    settled: list[tuple[Floats, float, float]] = []
    tries = 0
    for k in np.argsort(far):
        if far[k] > 3 * tolerance + one.rim.step_mm or len(settled) >= _SETTLED or tries >= 2 * _SETTLED:
            break
        if any(_same(begun[k], m, sample) for m, _, _ in settled):
            continue
        tries += 1
        matrix, off = _settle(one.rim, other.rim, begun[k], 3 * tolerance)
        moved_rim = other.rim.moved(matrix)
        back = float(_apart(moved_rim, one.rim.points).mean())
        if max(off, back) > tolerance or any(_same(matrix, m, sample) for m, _, _ in settled):
            continue
        nearest = one.rim.tree.query(moved_rim.points)[1]
        unlike = float(1 - np.einsum("ij,ij->i", moved_rim.beyond, one.rim.beyond[nearest]).mean())
        settled.append((matrix, max(off, back), unlike))
    return sorted(settled, key=lambda s: s[1] + 0.5 * s[2])


def _begun(one: Rim, other: Rim) -> Floats:
    """(k, 4, 4): the moves that lay each frame of the second rim against one frame of the first."""
    bends = np.linalg.norm(np.roll(one.along, 1, axis=0) - np.roll(one.along, -1, axis=0), axis=1)
    base = int(np.argmin(bends))
    home = _frame(one.along[base], one.normals[base])
    frames = np.stack([_frame(-t, -n) for t, n in zip(other.along, other.normals, strict=True)])
    turns = home @ frames.transpose(0, 2, 1)
    moves = np.tile(np.eye(4), (len(frames), 1, 1))
    moves[:, :3, :3] = turns
    moves[:, :3, 3] = one.points[base] - np.einsum("kij,kj->ki", turns, other.points)
    return moves


def _frame(along: Floats, normal: Floats) -> Floats:
    n = normal - along * float(normal @ along)
    n /= max(float(np.linalg.norm(n)), 1e-9)
    return np.column_stack([along, n, np.cross(along, n)])


def _apart(rim: Rim, points: Floats) -> Floats:
    """(n,): distance of points from a rim's curve."""
    distance, nearest = rim.tree.query(points)
    off = points - rim.points[nearest]
    lengthwise = np.einsum("ij,ij->i", off, rim.along[nearest])
    inner = np.abs(lengthwise) <= rim.step_mm
    return np.where(inner, np.sqrt(np.maximum(distance**2 - lengthwise**2, 0.0)), distance)


def _settle(one: Rim, other: Rim, matrix: Floats, hopeless_mm: float = np.inf) -> tuple[Floats, float]:
    """The move near another one at which the second rim lies along the first, and their mean distance then."""
    for k in range(_STEPS):
        points = other.points @ matrix[:3, :3].T + matrix[:3, 3]
        distance, nearest = one.tree.query(points)
        target, along = one.points[nearest], one.along[nearest]
        lengthwise = np.clip(np.einsum("ij,ij->i", points - target, along), -one.step_mm, one.step_mm)
        target = target + along * lengthwise[:, None]
        good = distance <= max(3 * float(np.median(distance)), one.step_mm)
        step = _rigid(points[good], target[good])
        matrix = step @ matrix
        if k == _LOOKED_AT and float(np.median(distance)) > hopeless_mm:
            break
        if np.abs(step - np.eye(4)).max() < 1e-6:
            break
    return matrix, float(_apart(one, other.points @ matrix[:3, :3].T + matrix[:3, 3]).mean())


def _rigid(points: Floats, target: Floats) -> Floats:
    """The turn and move (4x4) that bring points (n, 3) nearest to others, by least squares (Kabsch)."""
    a, b = points.mean(axis=0), target.mean(axis=0)
    turn = Rotation.align_vectors(target - b, points - a)[0].as_matrix() if len(points) > 2 else np.eye(3)
    matrix = np.eye(4)
    matrix[:3, :3], matrix[:3, 3] = turn, b - turn @ a
    return matrix


def _same(one: Floats, other: Floats, points: Floats) -> bool:
    apart = points @ (one[:3, :3] - other[:3, :3]).T + (one[:3, 3] - other[:3, 3])
    return float(np.linalg.norm(apart, axis=1).mean()) < _SAME_PLACE_MM


def _shared(a: _Cluster, b: _Cluster, meshes: Sequence[Mesh], moves: Sequence[Floats], matrix: Floats) -> tuple[float, float]:
    """What two clusters both fill where the second is moved so, and what the smaller one fills (mm³)."""
    ones = [Solid.from_mesh(meshes[f]).transformed(moves[f]) for f in a.files]
    others = [Solid.from_mesh(meshes[f]).transformed(matrix @ moves[f]) for f in b.files]
    shared = sum(Solid(x.manifold ^ y.manifold).volume for x in ones for y in others)
    return shared, min(sum(s.volume for s in ones), sum(s.volume for s in others))


def _moved_face(face: Face, matrix: Floats) -> Face:
    turn = matrix[:3, :3].T
    return replace(
        face, rim=face.rim.moved(matrix), middle=face.middle @ turn + matrix[:3, 3], normal=face.normal @ turn,
        points=face.points @ turn + matrix[:3, 3], normals=face.normals @ turn,
    )  # fmt: skip


def _merged(faces: Sequence[Face]) -> list[Face]:
    """Faces of a cluster, and what flat ones of one plane make together: two halves of a rim match a whole one."""
    left = [f for f in faces if f.flat]
    made: list[Face] = []
    while left:
        whole, count = left.pop(0), 1
        plane = Plane.through(whole.middle, whole.normal)
        grows = True
        while grows:
            grows = False
            for f in left:
                level = float(f.normal @ whole.normal) > 0.9995 and abs(float(plane.heights(f.middle[None])[0])) < MATCHES_MM
                rim = _joined_rim(whole.rim, f.rim) if level else None
                if rim is not None:
                    whole, count, grows = _both(whole, f, rim), count + 1, True
                    left.remove(f)
                    break
        made += [whole] if count > 1 else []
    return [*faces, *made]


def _both(one: Face, other: Face, rim: Rim) -> Face:
    area = one.area_mm2 + other.area_mm2
    middle = (one.middle * one.area_mm2 + other.middle * other.area_mm2) / area
    points, normals = np.concatenate([one.points, other.points]), np.concatenate([one.normals, other.normals])
    return replace(one, rim=rim, openings=one.openings + other.openings, area_mm2=area, middle=middle, points=points, normals=normals)


def _joined_rim(one: Rim, other: Rim) -> Rim | None:
    """The rim round both faces: what lies along both of them is inside; None where they do not meet."""
    near = max(one.step_mm, other.step_mm)
    keep_one = _apart(other, one.points) > MATCHES_MM
    keep_other = _apart(one, other.points) > MATCHES_MM
    if (keep_one.all() and keep_other.all()) or not (keep_one.any() and keep_other.any()):
        return None
    length = float(keep_one.sum() * one.step_mm + keep_other.sum() * other.step_mm)
    # As dense on the one as on the other, so that neither outweighs it.
    for rim, keep in ((one, keep_one), (other, keep_other)):
        every = max(1, round(near / rim.step_mm))
        keep[np.arange(len(keep)) % every != 0] = False
    points, along, normals, beyond = (
        np.concatenate([getattr(one, name)[keep_one], getattr(other, name)[keep_other]])
        for name in ("points", "along", "normals", "beyond")
    )
    return Rim(points, along, normals, beyond, (length,), near)
