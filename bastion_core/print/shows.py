"""Which faces of a part are seen when it is worn: they are what has to be sanded."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import ConvexHull, QhullError

from bastion_core.geometry.mesh import Floats, Mesh

_SHELL_MM, _INWARD = 12.0, 0.25
"""A wall no thicker than this, that looks toward the middle by more than this cosine, is the inside of a shell."""


def faces_that_show(mesh: Mesh, cut_faces: Sequence[Floats] = ()) -> NDArray[np.bool_]:
    """(m,): faces that are seen when it is worn: not the inside of a shell or plate, not what is glued, not the bottom of a hollow."""
    normals = mesh.area_vectors / np.maximum(np.linalg.norm(mesh.area_vectors, axis=1), 1e-12)[:, None]
    middle = mesh.triangles.mean(axis=1)
    start = middle + normals * 1e-2
    shows = np.ones(len(normals), dtype=np.bool_)
    for lean in np.vstack([np.zeros(3), np.eye(3), -np.eye(3)]):
        # Leaned by up to 45 degrees: from under a dome one looks straight out of its opening.
        ahead = normals + lean * (1 - np.abs(normals @ lean))[:, None]
        ahead /= np.maximum(np.linalg.norm(ahead, axis=1), 1e-12)[:, None]
        distance, _ = mesh.rays.first_hits(start, ahead)
        shows &= ~np.isfinite(distance)
    # The inside of an open shell looks out of its opening; but it looks toward what the shell curves round, with a thin wall behind it.
    behind, _ = mesh.rays.first_hits(middle - normals * 1e-2, -normals)
    toward = hull_middle(mesh) - middle
    toward /= np.maximum(np.linalg.norm(toward, axis=1), 1e-9)[:, None]
    shows &= ~((behind < _SHELL_MM) & (np.einsum("ij,ij->i", toward, normals) > _INWARD))
    for normal in cut_faces:
        heights = mesh.vertices @ normal
        on_it = (heights[mesh.faces] > float(heights.max()) - 0.1).all(axis=1)
        shows &= ~(on_it & (normals @ normal > 0.99))
    return shows


def hull_middle(mesh: Mesh) -> Floats:
    """(3,): the middle of what the mesh would be if it were filled: of its convex hull."""
    try:
        hull = ConvexHull(mesh.vertices)
    except QhullError:
        return np.asarray(mesh.bounds.mean(axis=0))
    corners = mesh.vertices[hull.simplices]
    base = mesh.vertices.mean(axis=0)
    volumes = np.abs(np.einsum("ij,ij->i", corners[:, 0] - base, np.cross(corners[:, 1] - base, corners[:, 2] - base)))
    return np.asarray((volumes[:, None] * (corners.sum(axis=1) + base) / 4).sum(axis=0) / max(float(volumes.sum()), 1e-9))
