"""A triangle mesh as plain arrays, and what can be read off it without making it a solid."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from bastion_core.geometry.arrays import Floats, Ints
from bastion_core.geometry.rays import Rays

__all__ = ["Floats", "Ints", "Mesh"]


@dataclass(frozen=True, eq=False)
class Mesh:
    """Vertices (n, 3) in millimetres unless said otherwise, faces (m, 3) as vertex indices."""

    vertices: Floats
    faces: Ints

    @property
    def triangle_count(self) -> int:
        return len(self.faces)

    @cached_property
    def bounds(self) -> Floats:
        """(2, 3): least and greatest corner."""
        return np.array([self.vertices.min(axis=0), self.vertices.max(axis=0)])

    @cached_property
    def size(self) -> Floats:
        """(3,): extent along x, y, z."""
        return np.asarray(self.bounds[1] - self.bounds[0])

    @cached_property
    def triangles(self) -> Floats:
        """(m, 3, 3): the corners of each face."""
        return np.asarray(self.vertices[self.faces], dtype=np.float64)

    @cached_property
    def area_vectors(self) -> Floats:
        """(m, 3): outward normal of each face, as long as the face's area."""
        a, b, c = (self.triangles[:, i] for i in range(3))
        return np.asarray(np.cross(b - a, c - a) / 2.0)

    @cached_property
    def volume(self) -> float:
        """Signed volume; negative when the mesh is inside out."""
        # Relative to the centre: far from the origin the terms would cancel badly.
        corner = self.triangles[:, 0] - self.bounds.mean(axis=0)
        return float(np.einsum("ij,ij->", corner, self.area_vectors) / 3.0)

    @cached_property
    def balance(self) -> Floats:
        """(3,): the middle of what it encloses."""
        about = self.bounds.mean(axis=0)
        corners = self.triangles - about
        parts = np.einsum("ij,ij->i", corners[:, 0], self.area_vectors) / 3.0
        return np.asarray((corners.sum(axis=1) / 4 * parts[:, None]).sum(axis=0) / parts.sum() + about)

    @cached_property
    def longest_edges(self) -> Floats:
        """(m,): length of each face's longest edge."""
        step = self.triangles - np.roll(self.triangles, -1, axis=1)
        return np.asarray(np.linalg.norm(step, axis=2).max(axis=1))

    @cached_property
    def edges(self) -> Ints:
        """(k, 2): corners of every edge, each edge once."""
        a, b = self.faces.ravel(), np.roll(self.faces, -1, axis=1).ravel()
        n = len(self.vertices)
        key = np.unique(np.minimum(a, b) * n + np.maximum(a, b))
        return np.column_stack([key // n, key % n])

    @cached_property
    def corner_tree(self) -> cKDTree:
        """The corners made ready for a search of the nearest; built once."""
        return cKDTree(self.vertices)

    @cached_property
    def rays(self) -> Rays:
        """The mesh made ready for rays; built once."""
        return Rays(self.vertices, self.faces, self.area_vectors)

    def transformed(self, matrix: Floats) -> "Mesh":
        """The mesh moved by a 4x4 matrix; faces are turned round when it mirrors."""
        vertices = self.vertices @ matrix[:3, :3].T + matrix[:3, 3]
        faces = self.faces[:, ::-1] if np.linalg.det(matrix[:3, :3]) < 0 else self.faces
        return Mesh(vertices, np.ascontiguousarray(faces))


def some_of(mesh: Mesh, faces: "NDArray[np.bool_] | Ints") -> Mesh:
    """Some of its faces (a mask (m,) or numbers), with the corners they use and no others, in their order."""
    used, at = np.unique(mesh.faces[faces], return_inverse=True)
    return Mesh(mesh.vertices[used], at.reshape(-1, 3).astype(np.int64))


def faceted(mesh: Mesh) -> Mesh:
    """The same with corners of its own for each face, in their order: what is told of a face is not smoothed into its neighbours."""
    corners = mesh.triangles.reshape(-1, 3)
    return Mesh(corners, np.arange(len(corners)).reshape(-1, 3))
