"""How much bystanders see of a piece as it is worn: of each face, and of a seam that runs over it.

They stand all round it, most of them in front and at eye level; from behind, above and below less is looked at. The inside is not seen.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import igl
import numpy as np
from scipy.spatial import cKDTree

from bastion_core.geometry.arrays import directions
from bastion_core.geometry.creases import Surface
from bastion_core.geometry.mesh import Floats, Mesh, faceted

DIRECTIONS = 64
_FRONT, _BACK, _ABOVE = 1.0, 0.25, 0.2
"""How much a look from in front, from behind, from above or below weighs; common practice, no source."""
_FOLDS_DEG, _IN_A_GROOVE = 35.0, 0.4
"""A seam along an edge that folds inward by more than this is seen so much less; common practice, no source."""
_RELIEF_DEG, _RELIEF_WITHIN_MM = 28.0, 8.0
_RELIEF_FROM, _RELIEF_FULL = 0.2, 0.35
"""Folding edges (mm of them on a mm²) near a place: two rims of a wall come to 0.16, a rim that bends or a rib on it to more. Read off shells made
for it."""
SHOWS = 0.05
"""Less than this is not seen."""


def bystanders(count: int = DIRECTIONS) -> tuple[Floats, Floats]:
    """(n, 3) unit directions from the piece to those who look at it (front at -y, up at +z), and how much each look weighs (n,), 1 in all."""
    ways = directions(count)
    ahead = (1 - ways[:, 1]) / 2
    level = np.exp(-((np.degrees(np.arcsin(ways[:, 2])) / 35) ** 2))
    weight = (_BACK + (_FRONT - _BACK) * ahead) * (_ABOVE + (1 - _ABOVE) * level)
    return ways, weight / weight.sum()


def seen_share(mesh: Mesh) -> Floats:
    """(m,): how much of each face is seen, 0 (never) to 1 (by everybody who could see a face that looks that way best)."""
    ways, weights = bystanders()
    normals = mesh.area_vectors / np.maximum(np.linalg.norm(mesh.area_vectors, axis=1), 1e-12)[:, None]
    starts = mesh.triangles.mean(axis=1) + normals * 1e-2
    seen = np.zeros(len(normals))
    for direction, weight in zip(ways, weights, strict=True):
        facing = normals @ direction
        looked = np.flatnonzero(facing > 0.05)
        free = mesh.rays.first_hits(starts[looked], np.tile(direction, (len(looked), 1)))[1] < 0
        # Nearly edge on little is seen; past some 30 degrees a seam is as plain as it gets.
        seen[looked] += weight * free * np.minimum(facing[looked] * 2, 1.0)
    best = float(np.max([weights @ np.minimum(np.maximum(ways @ d, 0) * 2, 1.0) for d in ways]))
    return np.asarray(np.minimum(_evened(mesh, seen / best), 1.0) * _grooves(mesh))


def looked_at(points: Floats, outward: Floats, mesh: Mesh, count: int = DIRECTIONS) -> tuple[Floats, Floats]:
    """Of places (n, 3) just off a surface, ``outward`` (n, 3) away from it: what bystanders see of each (n,), by how much each look weighs; and in
    what share of all directions nothing is in the way (n,)."""
    seen, free_ways = np.zeros(len(points)), np.zeros(len(points))
    for direction, weight in zip(*bystanders(count), strict=True):
        looked = np.flatnonzero(outward @ direction > 0)
        free = mesh.rays.first_hits(points[looked], np.tile(direction, (len(looked), 1)))[1] < 0
        seen[looked] += weight * free
        free_ways[looked] += free / count
    return seen, free_ways


def _evened(mesh: Mesh, share: Floats) -> Floats:
    """(m,): each face like those round it: single faces of a coarse surface lie turned anyhow."""
    areas = np.repeat(np.linalg.norm(mesh.area_vectors, axis=1), 3)
    corners = mesh.faces.ravel()
    total = np.bincount(corners, areas * np.repeat(share, 3), minlength=len(mesh.vertices))
    at_corner = total / np.maximum(np.bincount(corners, areas, minlength=len(mesh.vertices)), 1e-12)
    return np.asarray(at_corner[mesh.faces].mean(axis=1))


def _grooves(mesh: Mesh) -> Floats:
    """(m,): less than 1 for faces along an edge that folds inward: lines and grooves hide a seam."""
    surface = Surface.of(mesh)
    less = np.ones(len(mesh.faces))
    less[surface.pairs[surface.hollow & (surface.angle > _FOLDS_DEG)].ravel()] = _IN_A_GROOVE
    return less


def relief_share(mesh: Mesh) -> Floats:
    """(m,): how much of a face lies in fine relief or a thin web, 0 to 1: where edges that fold run close to each other."""
    surface = Surface.of(mesh)
    folds = surface.angle > _RELIEF_DEG
    middles = mesh.triangles.mean(axis=1)
    if not folds.any():
        return np.zeros(len(middles))
    a, b = surface.corners[surface.ends[folds, 0]], surface.corners[surface.ends[folds, 1]]
    steps = np.maximum(np.ceil(surface.lengths[folds] / 1.0).astype(np.int64), 1)
    which = np.repeat(np.arange(len(steps)), steps)
    t = (np.arange(len(which)) - np.repeat(np.cumsum(steps) - steps, steps) + 0.5) / steps[which]
    places = a[which] + (b - a)[which] * t[:, None]
    mm_each = (surface.lengths[folds] / steps)[which]
    near = cKDTree(places).query_ball_point(middles, _RELIEF_WITHIN_MM)
    length = np.array([mm_each[n].sum() for n in near])
    density = length / (np.pi * _RELIEF_WITHIN_MM**2)
    return np.asarray(np.clip((density - _RELIEF_FROM) / (_RELIEF_FULL - _RELIEF_FROM), 0.0, 1.0))


@dataclass(frozen=True, eq=False)
class Sight:
    """A piece's surface, how much of each face is seen, and where a seam would take more care."""

    mesh: Mesh
    share: Floats
    """(m,): how much of each face is seen."""
    care: Floats
    """(m,): 1 where a seam runs through relief, a thin web, an opening the wearer looks through, or the wall round what goes inside; 0 elsewhere."""

    @classmethod
    def of(cls, mesh: Mesh, clear: Sequence[tuple[Floats, Floats]] = ()) -> "Sight":
        """``clear`` are boxes (least and greatest corner) seams are to keep out of."""
        care, middles = relief_share(mesh), mesh.triangles.mean(axis=1)
        for low, high in clear:
            care[((middles > low) & (middles < high)).all(axis=1)] = 1.0
        return cls(mesh, seen_share(mesh), care)

    def at(self, points: Floats) -> tuple[Floats, Floats]:
        """(n,) each: how much is seen of places (n, 3) on the surface, and how much care a seam takes there: of the face each lies on."""
        _, face, _ = igl.point_mesh_squared_distance(points, self.mesh.vertices, self.mesh.faces)
        return np.asarray(self.share[np.asarray(face)]), np.asarray(self.care[np.asarray(face)])

    def to_look_at(self) -> tuple[Mesh, Floats]:
        """The surface with corners of its own for each face, and how much is seen at each."""
        return faceted(self.mesh), np.repeat(self.share, 3)
