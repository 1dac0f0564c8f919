"""What rays tell of a mesh's walls: points spread over it, the thinnest wall, whether it overlaps itself."""

from dataclasses import dataclass

import numpy as np

from bastion_core.geometry.mesh import Floats, Mesh


@dataclass(frozen=True)
class SurfaceSample:
    """Points spread over a surface in proportion to area: positions (n, 3), outward normals (n, 3)."""

    points: Floats
    normals: Floats


def surface_sample(mesh: Mesh, count: int, seed: int = 1) -> SurfaceSample:
    """``count`` points on the surface, the same ones each time; on a mirrored mesh the mirrored ones."""
    rng = np.random.default_rng(seed)
    lengths = np.linalg.norm(mesh.area_vectors, axis=1)
    share = np.cumsum(lengths)
    face = np.minimum(np.searchsorted(share, rng.random(count) * share[-1]), len(share) - 1)
    # Which way round a triangle is wound must not move its points: its corners are taken from the lowest up.
    corners = mesh.triangles[face]
    order = np.lexsort((np.abs(corners[:, :, 0]), corners[:, :, 1], corners[:, :, 2]), axis=1)
    points = points_on(np.take_along_axis(corners, order[:, :, None], axis=1), rng)
    normals = mesh.area_vectors[face] / np.maximum(lengths[face], 1e-12)[:, None]
    return SurfaceSample(points, normals)


def points_on(triangles: Floats, rng: np.random.Generator) -> Floats:
    """(n, 3): a place anywhere on each triangle (n, 3, 3)."""
    u, v = rng.random(len(triangles)), rng.random(len(triangles))
    over = u + v > 1
    u[over], v[over] = 1 - u[over], 1 - v[over]
    a, b, c = (triangles[:, k] for k in range(3))
    return np.asarray(a + u[:, None] * (b - a) + v[:, None] * (c - a))


def thinnest_wall_mm(mesh: Mesh, samples: int = 4000) -> float | None:
    """A low percentile of the distance straight through the wall, from points spread over the surface.

    The first percentile rather than the least: at a sharp edge the distance goes to nothing, which is no thin wall.
    None when nothing could be measured.
    """
    sample = surface_sample(mesh, samples)
    start = sample.points - sample.normals * 1e-3
    distance, _ = mesh.rays.first_hits(start, -sample.normals)
    found = distance[np.isfinite(distance)]
    return float(np.percentile(found, 1.0)) if len(found) >= samples // 20 else None


def overlap_share(mesh: Mesh, count: int = 600) -> float:
    """Share of random rays that are inside the mesh twice at once, or come out before they went in.

    0 for a sound surface; above 0 it overlaps itself or parts of it are inside out.
    """
    rng = np.random.default_rng(2)
    direction = rng.normal(size=(count, 3))
    direction /= np.linalg.norm(direction, axis=1)[:, None]
    inside = mesh.bounds[0] + rng.random((count, 3)) * mesh.size
    reach = float(np.linalg.norm(mesh.size)) + 1.0
    ray, distance, entering = mesh.rays.all_hits(inside - direction * reach, direction)
    if not len(ray):
        return 0.0
    # Two crossings at one spot are one edge met twice, not an overlap.
    same = np.zeros(len(ray), bool)
    same[1:] = (ray[1:] == ray[:-1]) & (np.diff(distance) < 1e-4 * reach) & (entering[1:] == entering[:-1])
    doubtful = np.unique(ray[same])
    step = np.where(entering, 1, -1)
    total = np.cumsum(step)
    starts = np.r_[True, ray[1:] != ray[:-1]]
    before = np.repeat(total[starts] - step[starts], np.diff(np.r_[np.flatnonzero(starts), len(ray)]))
    depth = total - before
    ends = np.r_[starts[1:], True]
    # A ray that leaves at another depth than it came grazed an edge: it says nothing.
    doubtful = np.union1d(doubtful, ray[ends][depth[ends] != 0])
    wrong = np.unique(ray[(depth > 1) | (depth < 0)])
    return len(np.setdiff1d(wrong, doubtful)) / count
