"""A surface by its edges: how sharp they are, which way they turn, which faces hang together between sharp ones."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix, csr_matrix
from scipy.sparse.csgraph import connected_components

from bastion_core.geometry.facets import edges_of, welded
from bastion_core.geometry.mesh import Floats, Ints, Mesh

Bools = NDArray[np.bool_]
FLAT_DEG = 4.0
"""Faces that meet at less are one, whichever way they turn: rounding turns them by as much."""


@dataclass(frozen=True, eq=False)
class Surface:
    """A mesh with what its edges tell."""

    corners: Floats
    faces: Ints
    normals: Floats
    areas: Floats
    pairs: Ints
    """(e, 2): the two faces of every edge."""
    angle: Floats
    hollow: Bools
    lengths: Floats
    ends: Ints
    """(e, 2): the corners of every edge, the lower number first."""

    @classmethod
    def of(cls, mesh: Mesh) -> "Surface":
        """Of a closed mesh."""
        corners, faces = welded(mesh)
        triangles = corners[faces]
        vectors = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0]) / 2
        areas = np.linalg.norm(vectors, axis=1)
        normals = vectors / np.maximum(areas, 1e-12)[:, None]
        edges, of_face, starts, counts = edges_of(faces)
        two = starts[counts == 2]
        pairs = np.column_stack([of_face[two], of_face[two + 1]])
        angle = np.degrees(np.arccos(np.clip(np.einsum("ij,ij->i", normals[pairs[:, 0]], normals[pairs[:, 1]]), -1, 1)))
        # A face without area has no normal: it goes with whatever it lies in.
        angle[(areas[pairs] < 1e-9).any(axis=1)] = 0.0
        middle = triangles.mean(axis=1)
        hollow = np.einsum("ij,ij->i", normals[pairs[:, 0]], middle[pairs[:, 1]] - middle[pairs[:, 0]]) > 0
        a, b = edges[two].T
        return cls(corners, faces, normals, areas, pairs, angle, hollow, np.linalg.norm(corners[a] - corners[b], axis=1), edges[two])

    @cached_property
    def ways(self) -> csr_matrix:
        """(m, m): how far (mm) the middle of each face lies from those of all faces it shares a corner with: over its three sides alone a way over
        the surface would run in zigzag."""
        count, middles = len(self.faces), self.corners[self.faces].mean(axis=1)
        on = coo_matrix(
            (np.ones(3 * count, np.int8), (np.repeat(np.arange(count), 3), self.faces.ravel())), (count, len(self.corners))
        ).tocsr()
        a, b = (on @ on.T).nonzero()
        return coo_matrix((np.maximum(np.linalg.norm(middles[a] - middles[b], axis=1), 1e-9), (a, b)), (count, count)).tocsr()

    def regions(self, most_deg: float, hollow: bool | None = None, within: Bools | None = None) -> Ints:
        """(m,): a label for each face: faces that hang together over edges turned by at most so much, of one kind where that is given.

        Those outside of ``within`` (m,) hang together with none.
        """
        turned = self.angle <= most_deg
        goes_on = turned if hollow is None else (self.angle <= FLAT_DEG) | ((self.hollow == hollow) & turned)
        if within is not None:
            goes_on &= within[self.pairs].all(axis=1)
        a, b = self.pairs[goes_on].T
        count = len(self.faces)
        return np.asarray(connected_components(coo_matrix((np.ones(len(a), np.int8), (a, b)), (count, count)), directed=False)[1])
