"""The surface of a piece as it was printed: of every face its steps, scars and seams, how it is bent, and whether it shows.

Depths and areas hang on how each part lay in the printer; what shows hangs on the whole piece, with its parts together.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from scipy.sparse import coo_matrix, identity
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from bastion_core.errors import MeshProblem
from bastion_core.finish.table import SEAM_BAND_MM
from bastion_core.formats.glb import simplified
from bastion_core.geometry.arrays import Floats, Ints, directions
from bastion_core.geometry.creases import Bools, Surface
from bastion_core.geometry.mesh import Mesh, some_of
from bastion_core.geometry.rims import open_half_edges
from bastion_core.geometry.section import perimeter
from bastion_core.geometry.solid import Solid
from bastion_core.print.sanding import LEVEL, SCALLOP, stairs_mm
from bastion_core.print.shows import hull_middle
from bastion_core.print.supports import Holding, hanging

MOST_FACES = 60_000
"""Looked at, of the whole piece: what is coarser than the hands feel is not told apart."""
_FACE_MM2, _LEAST_FACES = 2.0, 4_000
BENT_WITHIN_MM = 3.0
"""How far about a face its bend is read: a finger's pad, or the corner of a sanding block; common practice, no source."""
_SAME_SIDE = -0.5
_SHEET_MM, _INWARD, _BENT_SHEET = 12.0, 0.25, 1.0
"""The inside of a shell has a wall no thicker behind it, looks toward the middle, and is bent less than a rod of that thickness would be."""
_SMOOTH_DEG = 20.0
_LOOKS, _SHUT, _HOLLOW = 16, 0.08, 0.35
"""Looks from a doubtful face; in hollows less than the second share of them is free, and inside thick walls less than the third."""
_TOUCHES_MM = 0.8
"""Faces of two parts that are glued together lie nearer than this."""


@dataclass(frozen=True, eq=False)
class PartPrinted:
    """A part where it belongs in the piece, and how it was printed."""

    name: str
    mesh: Mesh
    lying: Floats
    """4x4 from the piece to how it lay in the printer, z upward."""
    layer_mm: float = 0.2
    material: str = "pla"
    scallop: float = SCALLOP
    """Depth of the backs of lines on upright walls, in layers."""
    holding: Holding | None = None
    """What was held up by supports, in the frame of the piece; None where nothing was."""
    resin: bool = False


@dataclass(frozen=True, eq=False)
class Skin:
    """A piece's faces, all parts together; arrays are (m,) over faces."""

    mesh: Mesh
    surface: Surface
    names: tuple[str, ...]
    part: Ints
    """The number of each face's part."""
    level: Floats
    """How nearly level each face lay: 1 flat on the bed, 0 upright."""
    layer_mm: Floats
    stairs_mm: Floats
    """Depth of the stair-steps, square to the surface; 0 where the face lay level or upright."""
    scallop_mm: Floats
    """Depth of the backs of lines on walls."""
    held: Bools
    outside: Bools
    glued: Bools
    """Faces that lie against another part."""
    bends: Floats
    """(m, 2): the two strongest bends per mm, outward ones above 0."""
    seam: Ints
    """The number of the seam that runs within reach, or -1."""
    seams: tuple[str, ...] = ()
    """Letters of the seams."""
    whole_mm2: float = 0.0
    """Area of all faces before any were simplified away."""
    closed_mm: tuple[float, ...] = ()
    """Length of each seam's rim."""
    materials: tuple[str, ...] = ()
    """Of each part."""
    resin: tuple[bool, ...] = ()

    @property
    def areas(self) -> Floats:
        return self.surface.areas

    @cached_property
    def middles(self) -> Floats:
        """(m, 3)"""
        return np.asarray(self.mesh.triangles.mean(axis=1))

    @cached_property
    def depth_mm(self) -> Floats:
        """What is to be levelled: steps, or the backs of lines where they are deeper."""
        return np.maximum(self.stairs_mm, self.scallop_mm)

    def relaid(self, part: int, lying: Floats, holding: Holding | None) -> "Skin":
        """The same with one part printed lying otherwise (4x4 from the piece)."""
        mine = self.part == part
        level, held = self.level.copy(), self.held.copy()
        level[mine], held[mine] = _laid(some_of(self.mesh, mine), self.surface.normals[mine], lying, holding)
        stairs = stairs_mm(level, self.layer_mm)
        deepest = float(self.scallop_mm[mine].max(initial=0.0))
        walls = np.where(mine, np.where(level > LEVEL, 0.0, deepest), self.scallop_mm)
        return replace(self, level=level, held=held, stairs_mm=stairs, scallop_mm=walls)

    def in_layers(self, before_mm: float, after_mm: float) -> "Skin":
        """The same printed in other layers: what is not of resin has steps and backs of lines as deep as its layers are high."""
        f = np.where(np.array(self.resin, np.bool_)[self.part], 1.0, after_mm / before_mm)
        return replace(self, layer_mm=f * self.layer_mm, stairs_mm=f * self.stairs_mm, scallop_mm=f * self.scallop_mm)

    def in_resin(self, part: int, layer_mm: float) -> "Skin":
        """The same with one part printed in resin: layers too fine to have backs of lines."""
        mine = self.part == part
        layer = np.where(mine, layer_mm, self.layer_mm)
        resin = tuple(k == part or r for k, r in enumerate(self.resin))
        return replace(
            self, layer_mm=layer, stairs_mm=stairs_mm(self.level, layer), scallop_mm=np.where(mine, 0.0, self.scallop_mm), resin=resin
        )

    @property
    def stair_mm3(self) -> float:
        """What would fill the steps of the outside: half a step deep on each, as they are triangles in section."""
        return float((0.5 * self.stairs_mm * self.areas)[self.outside].sum())


def skin_of(parts: Sequence[PartPrinted], seams: Mapping[str, Floats] | None = None) -> Skin:
    """The skin of a piece out of its printed parts; ``seams`` are rims (n, 3) by their letters. MeshProblem where a part is not closed."""
    whole = [float(np.linalg.norm(p.mesh.area_vectors, axis=1).sum()) for p in parts]
    meshes = [workable(p.mesh, MOST_FACES * a / sum(whole)) for p, a in zip(parts, whole, strict=True)]
    offsets = np.cumsum([0, *(len(m.vertices) for m in meshes)])
    mesh = Mesh(
        np.concatenate([m.vertices for m in meshes]), np.concatenate([m.faces + o for m, o in zip(meshes, offsets[:-1], strict=True)])
    )
    part = np.repeat(np.arange(len(parts)), [len(m.faces) for m in meshes])
    surface = _surface(meshes)
    level, layer, scallop = (np.zeros(len(part)) for _ in range(3))
    held = np.zeros(len(part), np.bool_)
    for k, (printed, own) in enumerate(zip(parts, meshes, strict=True)):
        mine = part == k
        level[mine], held[mine] = _laid(own, surface.normals[mine], printed.lying, printed.holding)
        layer[mine], scallop[mine] = printed.layer_mm, printed.scallop
    stairs = stairs_mm(level, layer)
    walls = np.where(level > LEVEL, 0.0, scallop * layer)
    bends = bends_of(surface, mesh)
    outside, glued = _looked_at(mesh, surface, part, bends, len(parts) == 1)
    rims = {letters: _spread(np.asarray(rim, dtype=np.float64)) for letters, rim in (seams or {}).items()}
    near = _near(mesh.triangles.mean(axis=1), list(rims.values()))
    return Skin(
        mesh, surface, tuple(p.name for p in parts), part, level, layer, stairs, walls, held, outside, glued, bends,
        np.where(outside, near, -1), tuple(rims), sum(whole), tuple(perimeter(r) if len(r) else 0.0 for r in rims.values()),
        tuple(p.material for p in parts), tuple(p.resin for p in parts),
    )  # fmt: skip


def _laid(mesh: Mesh, normals: Floats, lying: Floats, holding: Holding | None) -> tuple[Floats, Bools]:
    """(m,), (m,): of a part's faces how nearly level they lie, and which of them a support touches."""
    held = np.zeros(len(mesh.faces), np.bool_)
    if holding is not None:
        held[hanging(mesh.transformed(lying), holding.lying(lying)).faces] = True
    return np.abs(normals @ lying[2, :3]), held


def workable(mesh: Mesh, most_faces: float) -> Mesh:
    """The same surface in faces of about one size: fine ones taken together, long ones parted. MeshProblem where it is not closed."""
    area = float(np.linalg.norm(mesh.area_vectors, axis=1).sum())
    count = int(np.clip(area / _FACE_MM2, min(_LEAST_FACES, most_faces), most_faces))
    # A hole that goes with the triangles round it is a hole all the same.
    thin = mesh if len(open_half_edges(mesh.faces)) else simplified(mesh, count)
    try:
        solid = Solid.from_mesh(thin)
    except MeshProblem:  # taken together it may touch itself: then it is looked at as fine as it came, and refused where that is not closed
        solid = Solid.from_mesh(mesh)
    # An even triangle of that area has this edge.
    edge = float(np.sqrt(4 / np.sqrt(3) * 3 * area / max(count, 1)))
    return Solid(solid.manifold.refine_to_length(edge)).mesh()


def _surface(meshes: Sequence[Mesh]) -> Surface:
    """Edges of each part for itself: faces of two parts that touch share none."""
    made = [Surface.of(m) for m in meshes]
    faces, corners = (np.cumsum([0, *sizes]) for sizes in ([len(s.faces) for s in made], [len(s.corners) for s in made]))
    joined = lambda name: np.concatenate([getattr(s, name) for s in made])  # noqa: E731
    return Surface(
        joined("corners"), np.concatenate([s.faces + o for s, o in zip(made, corners, strict=False)]), joined("normals"), joined("areas"),
        np.concatenate([s.pairs + o for s, o in zip(made, faces, strict=False)]), joined("angle"), joined("hollow"), joined("lengths"),
        np.concatenate([s.ends + o for s, o in zip(made, corners, strict=False)]),
    )  # fmt: skip


def bends_of(surface: Surface, mesh: Mesh, within_mm: float = BENT_WITHIN_MM) -> Floats:
    """(m, 2): the two strongest bends of the surface about each face, per mm, the stronger first; outward ones above 0.

    The curvature of a surface of flats sits in its edges: over any patch it is the sum of each edge's angle by its length along its own direction,
    by the patch's area (Cohen-Steiner and Morvan, Restricted Delaunay triangulations and normal cycle, SoCG 2003).
    """
    count = len(surface.faces)
    along = surface.corners[surface.ends[:, 1]] - surface.corners[surface.ends[:, 0]]
    along /= np.maximum(np.linalg.norm(along, axis=1), 1e-12)[:, None]
    turned = np.radians(surface.angle) * np.where(surface.hollow, -1.0, 1.0) * surface.lengths
    tensor = (turned[:, None, None] / 2 * along[:, :, None] * along[:, None, :]).reshape(-1, 9)
    own = np.zeros((count, 9))
    for side in range(2):
        for k in range(9):
            own[:, k] += np.bincount(surface.pairs[:, side], tensor[:, k], minlength=count)
    middles = mesh.triangles.mean(axis=1)
    # Gathered twice over a smaller reach: once over the whole would come in steps, as edges lie within it or not.
    near = cKDTree(middles).query_pairs(within_mm / np.sqrt(2), output_type="ndarray")
    # Across a thin wall is another surface.
    same = np.einsum("ij,ij->i", surface.normals[near[:, 0]], surface.normals[near[:, 1]]) > _SAME_SIDE
    a, b = near[same].T
    gather = coo_matrix((np.ones(2 * len(a)), (np.concatenate([a, b]), np.concatenate([b, a]))), (count, count)).tocsr() + identity(count)
    reached = np.maximum(gather @ surface.areas, 1e-9)
    total = own
    for _ in range(2):
        # Each share goes out evenly by area, so that nothing of the whole bend is lost.
        total = surface.areas[:, None] * (gather @ (total / reached[:, None]))
    values: Floats = np.asarray(np.linalg.eigvalsh((total / np.maximum(surface.areas, 1e-9)[:, None]).reshape(-1, 3, 3)), dtype=np.float64)
    order = np.argsort(-np.abs(values), axis=1)[:, :2]
    return np.asarray(np.take_along_axis(values, order, axis=1), dtype=np.float64)


def _looked_at(mesh: Mesh, surface: Surface, part: Ints, bends: Floats, whole: bool) -> tuple[Bools, Bools]:
    """(m,), (m,): which faces are outside, and which lie against another part."""
    normals, middles = surface.normals, mesh.triangles.mean(axis=1)
    starts = middles + normals * 1e-2
    ahead, met = mesh.rays.first_hits(starts, normals)
    glued = np.zeros(len(part), np.bool_)
    if not whole:
        other = (met >= 0) & (part[met] != part)
        # Where two parts lie on each other without a gap, the look begins inside the other one and leaves it.
        leaves = np.einsum("ij,ij->i", normals[met], normals) > 0
        glued = other & ((ahead < _TOUCHES_MM) | leaves)
    behind, _ = mesh.rays.first_hits(middles - normals * 1e-2, -normals)
    toward = hull_middle(mesh) - middles
    toward /= np.maximum(np.linalg.norm(toward, axis=1), 1e-9)[:, None]
    inward = np.einsum("ij,ij->i", toward, normals) > _INWARD
    behind = np.minimum(behind, 1e6)
    sheet = (behind < _SHEET_MM) & (np.abs(bends).max(axis=1) * behind < _BENT_SHEET)
    doubtful = np.flatnonzero((ahead < np.inf) | inward)
    free = np.ones(len(part))
    if len(doubtful):
        free[doubtful] = _free_share(mesh, starts[doubtful], normals[doubtful])
    thin = inward & (behind < _SHEET_MM)
    inside = inward & (sheet & (free < 0.95) | (free < _HOLLOW))
    # Toward its rims a sheet bends as a rod does: they go with what they hang together with.
    smooth = (surface.angle < _SMOOTH_DEG) & thin[surface.pairs].all(axis=1)
    a, b = surface.pairs[smooth].T
    hang = connected_components(coo_matrix((np.ones(len(a), np.int8), (a, b)), (len(part), len(part))), directed=False)[1]
    of_it = np.bincount(hang, surface.areas * inside) > 0.3 * np.bincount(hang, surface.areas)
    inside |= thin & of_it[hang]
    outside = ~glued & ~inside & (free >= _SHUT)
    return _evened(surface, outside, glued), glued


def _free_share(mesh: Mesh, starts: Floats, normals: Floats) -> Floats:
    """(n,): of the looks away from each place, each by how square to the surface it is, the share that meets nothing."""
    ways = directions(2 * _LOOKS)
    seen, all_of = np.zeros(len(starts)), np.zeros(len(starts))
    for way in ways:
        square = normals @ way
        looks = np.flatnonzero(square > 0.1)
        free = mesh.rays.first_hits(starts[looks], np.tile(way, (len(looks), 1)))[1] < 0
        seen[looks] += square[looks] * free
        all_of[looks] += square[looks]
    return np.asarray(seen / np.maximum(all_of, 1e-9))


def _evened(surface: Surface, marked: Bools, fixed: Bools) -> Bools:
    """Faces go with most of their neighbours over edges that hardly fold, three times over: single ones are mistakes of a ray."""
    flat = surface.angle < 40
    a, b = surface.pairs[flat].T
    weight = surface.lengths[flat]
    now = marked
    for _ in range(3):
        votes = np.bincount(a, np.where(now[b], weight, -weight), minlength=len(now)) + np.bincount(
            b, np.where(now[a], weight, -weight), minlength=len(now)
        )
        own = np.where(now, 1.0, -1.0) * np.bincount(np.concatenate([a, b]), np.concatenate([weight, weight]), minlength=len(now)) / 3
        now = np.where(fixed, marked, votes + own > 0)
    return np.asarray(now, dtype=np.bool_)


def _spread(rim: Floats) -> Floats:
    """(n, 3): places about a millimetre from each other along a closed rim."""
    if len(rim) < 2:
        return rim.reshape(-1, 3)
    on = np.roll(rim, -1, axis=0)
    steps = np.maximum(np.linalg.norm(on - rim, axis=1).astype(np.int64), 1)
    return np.concatenate([a + (b - a) * np.arange(n)[:, None] / n for a, b, n in zip(rim, on, steps, strict=True)])


def _near(points: Floats, rims: Sequence[Floats]) -> Ints:
    """(m,): which rim runs within a band's reach of each place, the nearest; -1 where none does."""
    nearest, at = np.full(len(points), SEAM_BAND_MM), np.full(len(points), -1)
    for k, rim in enumerate(rims):
        if not len(rim):
            continue
        distance, _ = cKDTree(rim).query(points, distance_upper_bound=SEAM_BAND_MM)
        closer = distance < nearest
        nearest[closer], at[closer] = distance[closer], k
    return at
