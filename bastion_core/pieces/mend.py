"""From the surface a file holds to a sound solid: what was wrong, what was done about it."""

from dataclasses import dataclass, field, replace

import igl
import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from bastion_core.errors import MeshProblem
from bastion_core.geometry.facets import bodies_of, welded
from bastion_core.geometry.mesh import Floats, Ints, Mesh
from bastion_core.geometry.rims import filled, half_edges, loops_of, open_half_edges
from bastion_core.geometry.solid import Solid, united
from bastion_core.progress import Progress, silent

_REMESH_POINTS = 3_000_000
MOST_BODIES = 600
"""More loose bodies than this are no piece of armor but crumbs, or mail that was not united; common practice, no source."""


@dataclass(frozen=True)
class Faults:
    """What was found wrong with the surface as it came."""

    open_edges: int = 0
    holes: int = 0
    crowded_edges: int = 0
    """Edges that more than two faces share."""
    turned_edges: int = 0
    """Edges whose two faces disagree about inside and outside."""
    duplicate_faces: int = 0
    flat_faces: int = 0
    touching_edges: int = 0
    """Edges of the sound solid along which it touches itself or another body: four faces share them."""
    inside_out: bool = False
    overlapping_bodies: bool = False

    @property
    def closed(self) -> bool:
        """Whether the surface was closed and consistent as it came."""
        return not (self.open_edges or self.crowded_edges or self.turned_edges)


@dataclass(frozen=True)
class Mended:
    """A sound solid, the faults of its source, and what was done in plain words."""

    solid: Solid
    bodies: int
    faults: Faults
    done: tuple[str, ...] = field(default=())


def make_sound(mesh: Mesh, progress: Progress = silent) -> Mended:
    """The solid that ``mesh`` (millimetres) bounds, mended where it must be.

    Raises MeshProblem when even the last resort gives no solid.
    """
    done: list[str] = []
    _refuse_crumbs(mesh)
    progress(0.1, "closing the surface")
    try:
        solid, faults = Solid.from_mesh(mesh), Faults()
    except MeshProblem:
        solid, faults = _mend_surface(mesh, done, progress)
    if solid.volume < 0:
        solid = solid.turned()
        faults = replace(faults, inside_out=True)
        done.append("turned inside out: the surface faced inward")
    progress(0.7, "looking for overlapping bodies")
    bodies = solid.bodies()
    if len(bodies) > 1:
        whole = united(bodies)
        if whole.volume < sum(b.volume for b in bodies) * (1 - 1e-6):
            faults = replace(faults, overlapping_bodies=True)
            done.append(f"united {len(bodies)} overlapping bodies, so that shared material counts once")
            solid = whole
            bodies = solid.bodies()
    if solid.is_empty or solid.volume <= 0:
        raise MeshProblem(
            "The surface encloses no volume: it is a sheet without thickness. Give it a wall in its source and export it again."
        )
    return Mended(solid, len(bodies), replace(faults, touching_edges=_edge_faults(welded(solid.mesh())[1])[1]), tuple(done))


def _refuse_crumbs(mesh: Mesh) -> None:
    """MeshProblem for a surface in so many pieces that nobody could part, join and glue them."""
    counts = np.bincount(bodies_of(welded(mesh)[1]))
    if len(counts) <= MOST_BODIES:
        return
    largest = int(counts.max())
    raise MeshProblem(
        f"This file holds {len(counts):,} loose bodies, the largest of {largest:,} of its {mesh.triangle_count:,} triangles; one piece may "
        f"have {MOST_BODIES}. "
        + (
            "Delete the crumbs round the largest in its source and export it again."
            if largest > mesh.triangle_count / 2
            else "Unite them into one surface in their source, or bring in a few hundred at a time."
        )
    )


def _mend_surface(mesh: Mesh, done: list[str], progress: Progress) -> tuple[Solid, Faults]:
    vertices, faces = welded(mesh)
    faces, duplicates, flat = _drop_useless(faces)
    open_edges, crowded, turned = _edge_faults(faces)
    found_open = open_edges
    if duplicates or flat:
        done.append(f"dropped {duplicates} doubled and {flat} collapsed faces")
    if open_edges:
        before = open_edges
        vertices, faces = _weld_cracks(vertices, faces, 2e-5 * float(np.linalg.norm(mesh.size)) + 1e-4)
        faces, _, _ = _drop_useless(faces)
        open_edges = _edge_faults(faces)[0]
        if open_edges < before:
            done.append(f"welded cracks along {before - open_edges} open edges")
    if len(faces) and _edge_faults(faces)[2]:
        faces = _orient(vertices, faces)
        done.append(f"turned faces round that faced the wrong way (at {turned} edges)")
    progress(0.35, "filling holes")
    loops = loops_of(open_half_edges(faces))
    faults = Faults(found_open, len(loops), crowded, turned, duplicates, flat)
    if loops:
        vertices, faces = filled(vertices, faces, loops)
        done.append(f"filled {len(loops)} hole{'s' if len(loops) > 1 else ''}")
    try:
        solid = Solid.from_mesh(Mesh(vertices, faces))
        if abs(solid.volume) > 1e-9:
            return solid, faults
    except MeshProblem:
        pass
    progress(0.45, "building the surface anew")
    solid, pitch = _remesh(Mesh(vertices, faces))
    done.append(f"built the whole surface anew on a {pitch:.1f} mm grid: detail finer than that is lost")
    return solid, faults


def _drop_useless(faces: Ints) -> tuple[Ints, int, int]:
    """Faces without those that name a corner twice and without repeats; the counts of both."""
    flat = (faces[:, 0] == faces[:, 1]) | (faces[:, 1] == faces[:, 2]) | (faces[:, 2] == faces[:, 0])
    kept = faces[~flat]
    _, first = np.unique(np.sort(kept, axis=1), axis=0, return_index=True)
    return kept[np.sort(first)], len(kept) - len(first), int(flat.sum())


def _edge_faults(faces: Ints) -> tuple[int, int, int]:
    """Open, crowded and turned edges."""
    half = half_edges(faces)
    _, inverse, counts = np.unique(np.sort(half, axis=1), axis=0, return_inverse=True, return_counts=True)
    forward = np.bincount(inverse.ravel(), weights=(half[:, 0] < half[:, 1]), minlength=len(counts))
    return int((counts == 1).sum()), int((counts > 2).sum()), int(((counts == 2) & (forward != 1)).sum())


def _weld_cracks(vertices: Floats, faces: Ints, reach_mm: float) -> tuple[Floats, Ints]:
    """Rim vertices nearer to each other than ``reach_mm`` become one."""
    rim = np.unique(open_half_edges(faces))
    pairs = cKDTree(vertices[rim]).query_pairs(reach_mm, output_type="ndarray")
    if not len(pairs):
        return vertices, faces
    a, b = rim[pairs[:, 0]], rim[pairs[:, 1]]
    count = len(vertices)
    _, label = connected_components(coo_matrix((np.ones(len(a)), (a, b)), shape=(count, count)), directed=False)
    _, first = np.unique(label, return_index=True)
    return vertices[first], label[faces].astype(np.int64)


def _orient(vertices: Floats, faces: Ints) -> Ints:
    consistent, patch = igl.bfs_orient(faces)
    outward, _ = igl.orient_outward(vertices, np.asarray(consistent, np.int64), np.asarray(patch, np.int64).reshape(-1, 1))
    return np.asarray(outward, dtype=np.int64)


def _remesh(mesh: Mesh) -> tuple[Solid, float]:
    """The last resort: what lies inside by winding number, contoured on a grid. Returns the solid and the grid's pitch in mm."""
    pitch = max(1.0, float(np.prod(mesh.size + 4.0) / _REMESH_POINTS) ** (1 / 3))
    low = mesh.bounds[0] - 2 * pitch
    counts = np.ceil((mesh.size + 4 * pitch) / pitch).astype(int) + 1
    x, y, z = (low[i] + pitch * np.arange(counts[i]) for i in range(3))
    # libigl counts x fastest
    grid = np.stack(np.meshgrid(z, y, x, indexing="ij"), axis=-1).reshape(-1, 3)[:, ::-1]
    grid = np.ascontiguousarray(grid)
    winding = np.asarray(igl.fast_winding_number(mesh.vertices, mesh.faces, grid))
    if np.count_nonzero(np.abs(winding) > 0.5) < 8:
        raise MeshProblem(
            "The surface encloses no volume that could be found. Close it and give it a wall in its source, then export it again."
        )
    surface = igl.marching_cubes(np.abs(winding), grid, int(counts[0]), int(counts[1]), int(counts[2]), 0.5)
    solid = Solid.from_mesh(Mesh(np.asarray(surface[0], np.float64), np.asarray(surface[1], np.int64)))
    return solid.turned() if solid.volume < 0 else solid, pitch
