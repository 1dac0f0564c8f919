"""How coarsely a mesh stands for the curve it was made from, and which faces hang together."""

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from bastion_core.geometry.mesh import Floats, Ints, Mesh

_CURVED_DEG = (1.5, 30.0)
"""Two faces that meet at less are one flat, at more an edge that is meant; common practice, no source."""
_SHOWN_SHARE = 0.05
"""What less of the surface than this has is not told."""


def chord_error_mm(mesh: Mesh) -> float:
    """How far (mm) the flats of a closed mesh leave the curve they stand for, over at least a twentieth of its surface; 0 for what has no curves.

    A chord of width w that turns by an angle a to the next stands w * tan(a / 4) / 2 off its arc.
    """
    corners, faces = welded(mesh)
    edges, of_face, starts, counts = edges_of(faces)
    two = starts[counts == 2]
    one, other = of_face[two], of_face[two + 1]
    double = np.linalg.norm(mesh.area_vectors, axis=1) * 2
    normals = mesh.area_vectors / np.maximum(double / 2, 1e-12)[:, None]
    angle = np.arccos(np.clip(np.einsum("ij,ij->i", normals[one], normals[other]), -1.0, 1.0))
    a, b = edges[two].T
    length = np.maximum(np.linalg.norm(corners[a] - corners[b], axis=1), 1e-9)
    width = (double[one] + double[other]) / 2 / length
    off = np.where((angle > np.radians(_CURVED_DEG[0])) & (angle < np.radians(_CURVED_DEG[1])), width * np.tan(angle / 4) / 2, 0.0)
    # A face is as coarse as the worst of its sides.
    worst = np.zeros(len(faces))
    np.maximum.at(worst, one, off)
    np.maximum.at(worst, other, off)
    order = np.argsort(-worst)
    covered = np.cumsum(double[order])
    return float(worst[order[min(int(np.searchsorted(covered, _SHOWN_SHARE * covered[-1])), len(order) - 1)]])


def bodies_of(faces: Ints) -> Ints:
    """(m,): for each face (m, 3) the number of the connected body it belongs to, from 0."""
    a, b = faces[:, [0, 1, 2]].ravel(), faces[:, [1, 2, 0]].ravel()
    used, at = np.unique(np.concatenate([a, b]), return_inverse=True)
    pairs = at.reshape(2, -1)
    _, label = connected_components(coo_matrix((np.ones(len(a), np.int8), (pairs[0], pairs[1])), (len(used), len(used))), directed=False)
    return np.asarray(label[pairs[0].reshape(-1, 3)[:, 0]])


def welded(mesh: Mesh) -> tuple[Floats, Ints]:
    """Corners and faces with equal points taken as one."""
    unique, inverse = np.unique(mesh.vertices, axis=0, return_inverse=True)
    return unique, np.asarray(inverse.ravel()[mesh.faces], dtype=np.int64)


def edges_of(faces: Ints) -> tuple[Ints, Ints, Ints, Ints]:
    """Half edges (3n, 2) in the order of their edges, the face of each, and where each edge begins and how many share it."""
    half = np.sort(np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]), axis=1)
    order = np.lexsort((half[:, 1], half[:, 0]))
    half, of_face = half[order], np.tile(np.arange(len(faces)), 3)[order]
    starts = np.flatnonzero(np.r_[True, (np.diff(half, axis=0) != 0).any(axis=1)]) if len(half) else np.zeros(0, np.int64)
    return half, of_face, starts, np.diff(np.r_[starts, len(half)])
