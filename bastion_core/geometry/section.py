"""A plane through any mesh, sound or not: the loops it cuts, and how a tape would lie round them.

Scans have holes and doubled skins, so nothing here asks for a closed surface. A tape
bridges hollows, so its length is that of the convex hull.
"""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import ConvexHull, QhullError

from bastion_core.geometry.mesh import Floats, Ints, Mesh
from bastion_core.geometry.place import Plane, plane_frame


@dataclass(frozen=True, eq=False)
class Loop:
    """One connected run of a section: its segments in the plane's own coordinates (mm)."""

    flat: Floats
    """(k, 2, 2): segments, each two points (u, v)."""
    plane: Plane
    edges: Ints
    """(k, 2, 2): the mesh edge each of those points lies on, as two corners."""
    shares: Floats
    """(k, 2): how far along that edge, from its first corner."""

    @cached_property
    def points(self) -> Floats:
        """(2k, 2)."""
        return np.asarray(self.flat.reshape(-1, 2))

    @cached_property
    def hull(self) -> Floats:
        """(m, 2): corners of the convex hull, counter-clockwise."""
        return hull_of(self.points)

    @cached_property
    def girth_mm(self) -> float:
        """What a tape round it reads."""
        return perimeter(self.hull)

    @cached_property
    def centre(self) -> Floats:
        """(2,): middle of the hull, by area."""
        return polygon_centre(self.hull)

    @property
    def size(self) -> Floats:
        """(2,): extent along u and v."""
        return np.asarray(np.ptp(self.points, axis=0))

    def solid_points(self) -> Floats:
        """(m, 3): the hull back in space."""
        return unflatten(self.hull, self.plane)

    @property
    def centre_mm(self) -> Floats:
        """(3,): the centre back in space."""
        return np.asarray(unflatten(self.centre[None], self.plane)[0])


def perimeter(polygon: Floats) -> float:
    """Way round a closed polygon (m, 2) or (m, 3)."""
    return float(np.linalg.norm(np.roll(polygon, -1, axis=0) - polygon, axis=1).sum())


def hull_of(points: Floats) -> Floats:
    """(m, 2): the convex hull's corners, counter-clockwise; the points themselves when they are all on a line."""
    if len(points) < 3:
        return points
    try:
        return np.asarray(points[ConvexHull(points).vertices])
    except QhullError:
        return points[:2]


def polygon_centre(polygon: Floats) -> Floats:
    """(2,): centre of area; the mean of the corners when there is no area."""
    x, y = polygon.T
    nx, ny = np.roll(x, -1), np.roll(y, -1)
    cross = x * ny - nx * y
    area = cross.sum() / 2
    if abs(area) < 1e-9:
        return np.asarray(polygon.mean(axis=0))
    return np.array([((x + nx) * cross).sum(), ((y + ny) * cross).sum()]) / (6 * area)


def unflatten(points: Floats, plane: Plane) -> Floats:
    """(n, 3): plane coordinates (n, 2) back in space."""
    frame = plane_frame(np.array(plane.normal))
    return np.asarray(points @ frame[:, :2].T + frame[:, 2] * plane.offset_mm)


def loops(mesh: Mesh, plane: Plane) -> list[Loop]:
    """The connected runs ``plane`` cuts out of ``mesh``, longest tape first. Empty when it misses."""
    height = plane.heights(mesh.vertices)
    # A corner exactly on the plane would be met by many faces at once; lift it by a hair.
    height = np.where(np.abs(height) < 1e-9, 1e-9, height)
    above = height[mesh.faces] > 0
    crossed = np.flatnonzero(above.any(axis=1) & ~above.all(axis=1))
    if not len(crossed):
        return []
    faces, up = mesh.faces[crossed], above[crossed]
    # The corner that is alone on its side, and its two neighbours.
    alone = np.where(up.sum(axis=1) == 1, up.argmax(axis=1), (~up).argmax(axis=1))
    row = np.arange(len(faces))
    tip = faces[row, alone]
    ends = [faces[row, (alone + 1) % 3], faces[row, (alone + 2) % 3]]
    points, edges, corners, shares = [], [], [], []
    for end in ends:
        corners.append(np.stack([tip, end], axis=1))
        t = height[tip] / (height[tip] - height[end])
        shares.append(t)
        points.append(mesh.vertices[tip] + t[:, None] * (mesh.vertices[end] - mesh.vertices[tip]))
        low, high = np.minimum(tip, end), np.maximum(tip, end)
        edges.append(low * len(mesh.vertices) + high)
    _, node = np.unique(np.concatenate(edges), return_inverse=True)
    a, b = node[: len(row)], node[len(row) :]
    count = int(node.max()) + 1
    _, label = connected_components(coo_matrix((np.ones(len(a)), (a, b)), (count, count)), directed=False)
    frame = plane_frame(np.array(plane.normal))[:, :2]
    flat = np.stack([points[0] @ frame, points[1] @ frame], axis=1)
    of_segment = label[a]
    both_corners, both_shares = np.stack(corners, axis=1), np.stack(shares, axis=1)
    found = []
    for which in np.unique(of_segment):
        mine = of_segment == which
        found.append(Loop(flat[mine], plane, both_corners[mine], both_shares[mine]))
    return sorted(found, key=lambda run: -run.girth_mm)


def level_loops(mesh: Mesh, height_mm: float) -> list[Loop]:
    """Loops of the horizontal section; its u is x and its v is y."""
    return loops(mesh, Plane((0.0, 0.0, 1.0), height_mm))
