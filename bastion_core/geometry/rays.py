"""Rays against a surface: first hits and all hits."""

import numpy as np
import trimesh
from numpy.typing import NDArray
from trimesh.ray.ray_pyembree import RayMeshIntersector

from bastion_core.geometry.arrays import Floats, Ints


class Rays:
    """A surface made ready for many rays (a tree is built once): vertices (n, 3), faces (m, 3), the faces' area vectors (m, 3)."""

    def __init__(self, vertices: Floats, faces: Ints, area_vectors: Floats) -> None:
        self._caster = RayMeshIntersector(trimesh.Trimesh(vertices, faces, process=False, validate=False))
        self._vertices, self._faces, self._area_vectors = vertices, faces, area_vectors

    def first_hits(self, origins: Floats, directions: Floats) -> tuple[Floats, Ints]:
        """Distance (n,) to the first face along unit ``directions`` (n, 3), inf where none; the face (n,), -1 where none."""
        face = np.asarray(self._caster.intersects_first(origins, directions), dtype=np.int64)
        distance = np.full(len(origins), np.inf)
        hit = face >= 0
        if hit.any():
            vectors = self._area_vectors[face[hit]]
            corner = self._vertices[self._faces[face[hit], 0]]
            top = np.einsum("ij,ij->i", corner - origins[hit], vectors)
            bottom = np.einsum("ij,ij->i", directions[hit], vectors)
            with np.errstate(divide="ignore", invalid="ignore"):
                distance[hit] = np.abs(top / bottom)
        return distance, face

    def all_hits(self, origins: Floats, directions: Floats) -> tuple[Ints, Floats, NDArray[np.bool_]]:
        """Every crossing: ray number (k,), distance (k,), and whether the ray enters there (k,), sorted by ray and distance."""
        ray, distance, face = self.all_faces(origins, directions)
        return ray, distance, np.einsum("ij,ij->i", self._area_vectors[face], directions[ray]) < 0

    def all_faces(self, origins: Floats, directions: Floats) -> tuple[Ints, Floats, Ints]:
        """Every crossing: ray number (k,), distance (k,), and the face (k,), sorted by ray and distance."""
        points, ray, face = self._caster.intersects_location(origins, directions, multiple_hits=True)
        if not len(ray):
            return np.zeros(0, np.int64), np.zeros(0), np.zeros(0, np.int64)
        distance = np.einsum("ij,ij->i", points - origins[ray], directions[ray])
        order = np.lexsort((distance, ray))
        return ray[order].astype(np.int64), distance[order], face[order].astype(np.int64)
