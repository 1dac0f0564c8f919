"""How a part lies on the bed: a cut face or a large flat side down, with the least support, where it fits."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import ConvexHull, QhullError

from bastion_core.cut.beds import SIX_SIDES, Lying, lie_on
from bastion_core.formats.glb import simplified
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.place import shifting, turn_to_down
from bastion_core.geometry.solid import Solid
from bastion_core.print.estimate import hanging_faces, support_mm3
from bastion_core.shop import Printer

_JUDGED_TRIANGLES = 20_000
# What counts against a way to lie, in minutes of print: common practice, no source.
_MIN_PER_SUPPORT_CM3 = 0.3
_MIN_PER_SCARRED_CM2 = 8.0
"""Sanding where support touched a face that shows; inside a shell nobody looks."""
_MIN_PER_HEIGHT_MM = 0.25
_MIN_FOR_NO_FOOT = 90.0
_MIN_FOR_TIPPING = 120.0
_STEADY = 4.0
"""Height over least width of the foot from which a part on a moving bed gets knocked off."""


@dataclass(frozen=True)
class Way:
    """A way to lie: which side is down, and what counts against it in minutes."""

    down: tuple[float, float, float]
    cost_min: float


def ways_to_lie(solid: Solid, cut_faces: Sequence[Floats] = ()) -> list[Way]:
    """The sides worth trying, best first. ``cut_faces`` are the outward normals of the part's cut faces."""
    mesh = simplified(solid.mesh(), _JUDGED_TRIANGLES)
    downs: list[Floats] = [np.asarray(n, dtype=np.float64) for n in cut_faces]
    downs += [np.array(s) for s in SIX_SIDES]
    downs += _flat_sides(mesh)
    kept: list[Floats] = []
    for down in downs:
        if not any(float(down @ other) > 0.9995 for other in kept):
            kept.append(down / np.linalg.norm(down))
    shows = _faces_that_show(mesh)
    return sorted((_judge(mesh, shows, down) for down in kept), key=lambda w: w.cost_min)


def _flat_sides(mesh: Mesh) -> list[Floats]:
    """Outward normals of the largest flat sides of the convex hull: what the part can rest on."""
    try:
        hull = ConvexHull(mesh.vertices)
    except QhullError:
        return []
    corners = mesh.vertices[hull.simplices]
    areas = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2
    normals, inverse = np.unique(np.round(hull.equations[:, :3], 2), axis=0, return_inverse=True)
    totals = np.bincount(inverse.ravel(), weights=areas)
    largest = np.argsort(-totals)[:5]
    return [normals[i] / np.linalg.norm(normals[i]) for i in largest if totals[i] > 0.02 * areas.sum()]


def _faces_that_show(mesh: Mesh) -> NDArray[np.bool_]:
    """(m,): faces that see only open air, straight ahead and to the sides: the outside of a shell, not its inside."""
    normals = mesh.area_vectors / np.maximum(np.linalg.norm(mesh.area_vectors, axis=1), 1e-12)[:, None]
    start = mesh.triangles.mean(axis=1) + normals * 1e-2
    shows = np.ones(len(normals), dtype=np.bool_)
    for lean in np.vstack([np.zeros(3), np.eye(3), -np.eye(3)]):
        # Leaned by up to 45 degrees: from under a dome one looks straight out of its opening.
        ahead = normals + lean * (1 - np.abs(normals @ lean))[:, None]
        ahead /= np.maximum(np.linalg.norm(ahead, axis=1), 1e-12)[:, None]
        distance, _ = mesh.rays.first_hits(start, ahead)
        shows &= ~np.isfinite(distance)
    return shows


def _judge(mesh: Mesh, shows: NDArray[np.bool_], down: Floats) -> Way:
    turned = mesh.vertices @ turn_to_down(down)[:3, :3].T
    size = np.ptp(turned, axis=0)
    support = support_mm3(mesh, down)
    scarred = float(np.linalg.norm(mesh.area_vectors[hanging_faces(mesh, down) & shows], axis=1).sum())
    low = turned[:, 2][mesh.faces].max(axis=1) < turned[:, 2].min() + 0.2
    foot = float(np.abs(mesh.area_vectors[low] @ down).sum())
    wanted = 0.06 * float(size[0] * size[1])
    cost = _MIN_PER_SUPPORT_CM3 * support / 1000 + _MIN_PER_SCARRED_CM2 * scarred / 100 + _MIN_PER_HEIGHT_MM * float(size[2])
    cost += _MIN_FOR_NO_FOOT * (1 - min(foot / max(wanted, 1e-9), 1.0))
    return Way((float(down[0]), float(down[1]), float(down[2])), cost)


def best_lying(hull: Floats, ways: Sequence[Way], printer: Printer) -> tuple[Way, Lying] | None:
    """The best of ``ways`` that fits the printer, or None."""
    found: tuple[float, Way, Lying] | None = None
    for way in ways:
        lying = lie_on(hull, way.down, printer)
        if lying is None:
            continue
        cost = way.cost_min
        if printer.bed_moves and lying.size_mm[2] > _STEADY * min(lying.size_mm[:2]):
            cost += _MIN_FOR_TIPPING
        if found is None or cost < found[0]:
            found = (cost, way, lying)
    return (found[1], found[2]) if found else None


def laid_matrix(solid: Solid, lying: Lying) -> Floats:
    """4x4 matrix that lays a part: turned, its foot at z = 0, the corner of its box at x = y = 0."""
    angle = np.radians(lying.turn_deg)
    turn = np.eye(4)
    turn[:2, :2] = [[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]]
    matrix = turn @ turn_to_down(np.array(lying.down))
    moved = solid.mesh().vertices @ matrix[:3, :3].T
    return shifting(-moved.min(axis=0)) @ matrix
