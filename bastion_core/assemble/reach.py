"""What is still reached when some of the bodies are together: by spray along rays from outside, by hands and tools through cells of air.

Both are made once for all bodies and then asked for any set of them. A ray remembers which bodies stand in its way; the distance to the nearest
body is the least of the distances to each.
"""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from bastion_core.assemble.bodies import Assembly, members
from bastion_core.assemble.tools import SPRAY_LEAN_DEG, Tool
from bastion_core.geometry.arrays import directions
from bastion_core.geometry.mesh import Floats, Ints, Mesh
from bastion_core.geometry.walls import surface_sample

_SPOTS = 160
"""Places looked at on the inside of each body."""
_LOOKS = 24
_TRIED, _AGAIN, _CLOSE, _CLOSE_DEG = 300, 6, 24, 7.0
"""Looks all round for a straight tool; of those that get out so many are tried again, each with so many close about it."""
_CELLS, _LEAST_CELL_MM = 400_000, 3.0
"""Of air in all, and the least size of one."""
_BORDER_MM = 52.0
"""Of air round a piece: more than the thickest hand takes."""
_BESIDE = 1.1
"""Cells: those nearer to one that a surface runs through are no air, so that cells on either side of it never touch."""
_OFF_MM, _TOUCHES_MM = 0.05, 0.6
_LEAST_MM2 = 400.0
_NEAR_CELLS, _INWARD_CELLS = 1.5, 2
"""Cells are coarse: a place counts as touched by what comes so near; one that lies in a wall is looked at from the core's side."""
NEAR_MM = 75.0


def _about(normals: Floats, looks: Floats) -> Floats:
    """(n, looks, 3): directions about +z, turned about each normal (n, 3)."""
    helper = np.where(np.abs(normals[:, :1]) < 0.9, [[1.0, 0.0, 0.0]], [[0.0, 1.0, 0.0]])
    v = np.cross(normals, helper)
    v /= np.linalg.norm(v, axis=1)[:, None]
    frames = np.stack([np.cross(v, normals), v, normals], axis=1)
    return np.asarray(np.einsum("lk,nkc->nlc", looks, frames))


@dataclass(frozen=True, eq=False)
class Spray:
    """Of places on the insides of all bodies: which bodies stand in the way of each look at them."""

    at: Floats
    """(n, 3)"""
    body: Ints
    """(n,): whose inside each is on."""
    blocked_by: NDArray[np.int64]
    """(n, looks): the set of bodies in the way."""
    areas_mm2: tuple[float, ...]
    """Of each body, its inside without what is glued; 0 where that is not worth painting."""

    def share(self, body: int, together: int) -> float:
        """How much of a body's inside is sprayed while a set of bodies is together; 1 for one without an inside."""
        mine = self.blocked_by[self.body == body]
        return float(((mine & together) == 0).any(axis=1).mean()) if len(mine) else 1.0


def blocked_by(assembly: Assembly, starts: Floats, toward: Floats) -> NDArray[np.int64]:
    """(n,): the set of bodies in the way of each look, from ``starts`` along ``toward`` (n, 3)."""
    found = np.zeros(len(starts), np.int64)
    for k, body in enumerate(assembly.bodies):
        found |= (body.mesh.rays.first_hits(starts, toward)[1] >= 0).astype(np.int64) << k
    return found


def inside_faces(assembly: Assembly) -> list[Floats]:
    """Of each body, how much each of its faces (m,) belongs to the inside of all: it looks toward what they stand round, with a wall behind it."""
    found = []
    for body in assembly.bodies:
        mesh = body.mesh
        if body.rod:
            found.append(np.zeros(len(mesh.faces)))
            continue
        areas = np.linalg.norm(mesh.area_vectors, axis=1)
        normals = mesh.area_vectors / np.maximum(areas, 1e-12)[:, None]
        at = mesh.triangles.mean(axis=1)
        toward = assembly.core(at) - at
        toward /= np.maximum(np.linalg.norm(toward, axis=1), 1e-9)[:, None]
        found.append(areas * (np.einsum("ij,ij->i", toward, normals) > 0.4))
    return found


def spray(assembly: Assembly, seed: int = 1) -> Spray:
    """The looks at every inside."""
    looks = directions(_LOOKS, SPRAY_LEAN_DEG)
    whole_inside = inside_faces(assembly)
    at, ways, whose, areas = [], [], [], [0.0] * len(assembly.bodies)
    for k, (body, weight) in enumerate(zip(assembly.bodies, whole_inside, strict=True)):
        chosen = np.flatnonzero(weight > 0)
        # A few square millimetres that happen to look inward are no inside.
        if weight.sum() < _LEAST_MM2 or weight.sum() < 0.05 * float(np.linalg.norm(body.mesh.area_vectors, axis=1).sum()):
            continue
        sample = surface_sample(Mesh(body.mesh.vertices, body.mesh.faces[chosen]), _SPOTS, seed)
        places = sample.points + _OFF_MM * sample.normals
        # Faces that lie on other bodies are glued, not covered.
        bare = np.ones(_SPOTS, np.bool_)
        for other in assembly.bodies:
            if other is not body:
                bare &= other.mesh.rays.first_hits(places, sample.normals)[0] > _TOUCHES_MM
        areas[k] = float(weight.sum()) * float(bare.mean())
        if areas[k] < _LEAST_MM2:
            areas[k] = 0.0
            continue
        at.append(places[bare])
        ways.append(_about(sample.normals[bare], looks))
        whose.append(np.full(int(bare.sum()), k))
    if not at:
        return Spray(np.zeros((0, 3)), np.zeros(0, np.int64), np.zeros((0, _LOOKS), np.int64), tuple(areas))
    spots, toward = np.vstack(at), np.vstack(ways)
    mask = blocked_by(assembly, np.repeat(spots, _LOOKS, axis=0), toward.reshape(-1, 3))
    return Spray(spots, np.concatenate(whose).astype(np.int64), mask.reshape(-1, _LOOKS), tuple(areas))


@dataclass(eq=False)
class Air:
    """Cells over a piece and round it: how far each is from every body."""

    assembly: Assembly
    cell_mm: float = field(init=False)
    origin: Floats = field(init=False)
    off: list[NDArray[np.float32]] = field(init=False)
    """Of each body, from every cell's middle to its surface."""
    beside: list[NDArray[np.bool_]] = field(init=False)
    """Of each body, cells that its surface runs through or beside."""
    _shape: Ints = field(init=False)

    def __post_init__(self) -> None:
        low, high = self.assembly.bounds()
        size = high - low + 2 * _BORDER_MM
        self.cell_mm = max(float(np.cbrt(size.prod() / _CELLS)), _LEAST_CELL_MM)
        self.origin = low - _BORDER_MM
        self._shape = np.ceil(size / self.cell_mm).astype(np.int64)
        made = [self._seen(body.mesh) for body in self.assembly.bodies]
        self.off, self.beside = [off for off, _ in made], [beside for _, beside in made]

    def _seen(self, mesh: Mesh) -> tuple[NDArray[np.float32], NDArray[np.bool_]]:
        # Two rays a cell each way: no surface slips through between them.
        at = np.vstack([_crossings(mesh, axis, self.cell_mm / 2) for axis in range(3)])
        cells = np.ravel_multi_index(tuple(self.cells(at).T), tuple(self._shape))
        where, inverse, count = np.unique(cells, return_inverse=True, return_counts=True)
        there = np.zeros(int(self._shape.prod()), np.bool_)
        there[where] = True
        steps, nearest = ndimage.distance_transform_edt(~there.reshape(tuple(self._shape)), return_indices=True)
        # To where the surface runs in the nearest cell that it runs through, not to the middle of that.
        middle = np.column_stack([np.bincount(inverse, at[:, k]) / count for k in range(3)]).astype(np.float32)
        number = np.searchsorted(where, np.ravel_multi_index(tuple(nearest), tuple(self._shape)))
        own = [self.origin[k] + (np.arange(self._shape[k]) + 0.5) * self.cell_mm for k in range(3)]
        off = np.zeros(tuple(self._shape), np.float32)
        for k in range(3):
            shape = [1, 1, 1]
            shape[k] = -1
            off += (middle[number, k] - own[k].reshape(shape).astype(np.float32)) ** 2
        return np.sqrt(off), np.asarray(steps < _BESIDE)

    def cells(self, points: Floats) -> Ints:
        """(n, 3): the cells that places (n, 3) lie in."""
        found = np.floor((points - self.origin) / self.cell_mm).astype(np.int64)
        return np.asarray(np.clip(found, 0, self._shape - 1))

    def middles(self, cells: Ints) -> Floats:
        """(n, 3): places in the middle of cells (n, 3)."""
        return np.asarray(self.origin + (cells + 0.5) * self.cell_mm)

    def distance(self, together: int) -> NDArray[np.float32]:
        """How far each cell is from the nearest of a set of bodies."""
        chosen = [self.off[k] for k in members(together)]
        return np.asarray(np.minimum.reduce(chosen), np.float32)

    def open(self, together: int) -> NDArray[np.bool_]:
        """The cells of air that are not beside any surface of a set of bodies."""
        return ~np.logical_or.reduce([self.beside[k] for k in members(together)])

    def reached(self, together: int, tool: Tool) -> NDArray[np.bool_]:
        """The cells that a tool's tip gets to from outside while a set of bodies is together."""
        off, free = self.distance(together), self.open(together)
        body = _outside((off >= tool.body_mm) & free)
        free &= off >= tool.tip_mm
        # From the middle of what stays; steps across corners are longer than a cell.
        steps = int((tool.body_mm + tool.reach_mm) / (1.1 * self.cell_mm)) if tool.reach_mm else 0
        grown = body & free
        for _ in range(steps):
            grown = _wider(grown) & free
        return grown | body

    def nearness(self, together: int, reached: NDArray[np.bool_]) -> NDArray[np.float32]:
        """How far each cell of air is, through air, from those that something gets to; not finite beyond NEAR_MM and in walls: nothing is near
        through a wall."""
        near = np.where(reached, np.float32(0), np.float32(np.inf))
        air, grown = self.open(together), reached
        for step in range(1, int(NEAR_MM / self.cell_mm) + 1):
            more = _wider(grown) & air | grown
            near[more & ~grown] = step * self.cell_mm
            grown = more
        return near

    def touches(self, near: NDArray[np.float32], points: Floats, within_mm: float) -> NDArray[np.bool_]:
        """(n,): whether something gets to within so much of each place (n, 3): of the cell of air it lies in, or the next toward the core."""
        core = self.assembly.core(points)
        toward = core - points
        toward *= self.cell_mm / np.maximum(np.linalg.norm(toward, axis=1), 1e-9)[:, None]
        found = np.zeros(len(points), np.bool_)
        for step in range(_INWARD_CELLS + 1):
            found |= near[tuple(self.cells(points + step * toward).T)] <= within_mm + (_NEAR_CELLS - step) * self.cell_mm
        return found

    def straight(self, together: int, tool: Tool, points: Floats) -> NDArray[np.bool_]:
        """(n,): whether a straight tool comes to each place (n, 3) from where what holds it has room, outside or as far in as it comes.

        First all round; where only thin looks get out, once more close about those.
        """
        off = self.distance(together)
        held = _outside((off >= tool.body_mm) & self.open(together))
        round_about = directions(_TRIED)
        looks = np.broadcast_to(round_about, (len(points), *round_about.shape))
        found, gets_out = self._along(together, tool, points, looks, off, held)
        left = np.flatnonzero(~found & gets_out.any(axis=1))
        if len(left):
            order = np.argsort(~gets_out[left], axis=1, kind="stable")[:, :_AGAIN]
            near = _about(round_about[order].reshape(-1, 3), directions(_CLOSE, _CLOSE_DEG)).reshape(len(left), -1, 3)
            found[left] = self._along(together, tool, points[left], near, off, held)[0]
        return found

    def _along(
        self, together: int, tool: Tool, points: Floats, looks: Floats, off: NDArray[np.float32], held: NDArray[np.bool_]
    ) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
        """(n,): whether a tool comes to places (n, 3) along any of its looks (n, m, 3); (n, m): which looks reach room for what holds it."""
        steps = np.arange(1.0, (tool.reach_mm + tool.body_mm) / self.cell_mm + 1) * self.cell_mm
        at = points[:, None, None] + looks[:, :, None] * steps[None, None, :, None]
        cells = tuple(np.moveaxis(self.cells(at.reshape(-1, 3)).reshape(*at.shape), -1, 0))
        starts, toward = np.repeat(points, looks.shape[1], axis=0), looks.reshape(-1, 3)
        hit = np.min([self.assembly.bodies[k].mesh.rays.first_hits(starts, toward)[0] for k in members(together)], axis=0)
        seen = steps < hit.reshape(len(points), -1, 1)
        # Beside the place itself the tip touches, but goes through nothing.
        free = seen & ((off[cells] >= tool.tip_mm) | (steps < tool.tip_mm + 1.5 * self.cell_mm))
        comes = np.logical_and.accumulate(free, axis=2) & held[cells]
        return np.asarray(comes.any(axis=(1, 2))), np.asarray((seen & held[cells]).any(axis=2))

    def way(self, together: int, start: Floats, end: Floats, thick_mm: float) -> Floats | None:
        """(n, 3): the shortest way through air, that wide, between two places (3,); None where there is none."""
        free = (self.distance(together) >= thick_mm / 2) & self.open(together)
        a, b = self._nearest(free, start), self._nearest(free, end)
        if a is None or b is None:
            return None
        arrived = np.full(free.shape, -1, np.int32)
        front = np.zeros(free.shape, np.bool_)
        front[a] = True
        arrived[a] = 0
        for step in range(1, 6 * max(free.shape)):
            front = _wider(front) & free & (arrived < 0)
            if not front.any():
                return None
            arrived[front] = step
            if arrived[b] >= 0:
                break
        return self._back(arrived, b)

    def _nearest(self, free: NDArray[np.bool_], point: Floats) -> tuple[int, ...] | None:
        where = np.argwhere(free)
        if not len(where):
            return None
        gap = np.linalg.norm(self.middles(where) - point, axis=1)
        k = int(np.argmin(gap))
        return tuple(int(v) for v in where[k]) if gap[k] < 20.0 + 2 * self.cell_mm else None

    def _back(self, arrived: NDArray[np.int32], end: tuple[int, ...]) -> Floats:
        path, at = [end], np.array(end)
        around = np.argwhere(np.ones((3, 3, 3))) - 1
        while arrived[tuple(at)] > 0:
            near = np.clip(at + around, 0, np.array(arrived.shape) - 1)
            step = arrived[tuple(near.T)]
            before = near[step == arrived[tuple(at)] - 1]
            # Straight on where several are as near.
            at = before[int(np.argmin(np.abs(before - at).sum(axis=1)))]
            path.append(tuple(int(v) for v in at))
        return self.middles(np.array(path[::-1]))


def _crossings(mesh: Mesh, axis: int, step_mm: float) -> Floats:
    """(n, 3): where rays along an axis, so far from each other, cross a surface."""
    low, high = mesh.bounds
    a, b = (k for k in range(3) if k != axis)
    # Off every round number, so that rays do not run within faces.
    at = [np.arange(low[k] + 0.31 * step_mm + 0.0137, high[k] + step_mm / 2, step_mm) for k in (a, b)]
    grid = np.stack(np.meshgrid(*at, indexing="ij"), axis=-1).reshape(-1, 2)
    starts = np.zeros((len(grid), 3))
    starts[:, [a, b]], starts[:, axis] = grid, low[axis] - 1.0
    ray, distance, _ = mesh.rays.all_faces(starts, np.tile(np.eye(3)[axis], (len(starts), 1)))
    found = starts[ray]
    found[:, axis] += distance
    return found


def _wider(cells: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Cells and all that touch them, by face, edge or corner: one axis after the other, ten times as quick as a general dilation."""
    wide = cells.copy()
    for axis in range(3):
        before = wide.copy()
        ahead, behind = ([slice(None)] * 3 for _ in (0, 1))
        ahead[axis], behind[axis] = slice(1, None), slice(None, -1)
        wide[tuple(ahead)] |= before[tuple(behind)]
        wide[tuple(behind)] |= before[tuple(ahead)]
    return wide


def _outside(free: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """What of free cells hangs together with the outermost ones."""
    labels, _ = ndimage.label(free, np.ones((3, 3, 3)))
    first = labels[0, 0, 0]
    return np.asarray(labels == first) if first else np.zeros_like(free)
