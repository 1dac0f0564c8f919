"""A thin plate printed flat and formed with heat over a printed former: its flat shape, how far it is stretched, the former, what that saves."""

import math
from dataclasses import dataclass

import igl
import numpy as np
from manifold3d import CrossSection, FillRule, Manifold
from scipy.spatial import ConvexHull, QhullError
from shapely.affinity import rotate
from shapely.geometry import Polygon

from bastion_core.formats.glb import simplified
from bastion_core.geometry.creases import Surface
from bastion_core.geometry.mesh import Floats, Ints, Mesh
from bastion_core.geometry.rims import loops_of, open_half_edges
from bastion_core.geometry.solid import Solid
from bastion_core.print.shows import faces_that_show

MOST_THICK_MM = 5.0
"""Thicker plates do not warm through; common practice, no source."""
_LEAST_BEND_MM = 8.0
"""A part that stands out of its plane by less than this, its thickness aside, is flat already."""
MOST_STRETCH = 0.06
"""Beyond this the plate has to be worked, not only bent; common practice, no source."""
FORMER_WALLS, FORMER_INFILL = 2, 0.05
"""Of a former, which is used a few times; common practice, no source."""
_TRIANGLES = 12_000
_OF_A_SHEET = (0.6, 1.35)
"""A sheet's volume is about its outer side times its thickness: by so much less or more."""
_MOST_OFF_MM = 4.0
_RIM_DEG = 60.0
_LEAST_HOLE_MM2 = 1.0


@dataclass(frozen=True, eq=False)
class Formed:
    """A plate laid flat: the flat body, what it is formed over, and how well."""

    flat: Solid
    former: Solid
    thickness_mm: float
    stretch: float
    """How much longer or shorter the worst twentieth of it becomes (share)."""
    off_mm: float
    """How far its inside lies off the former where it is hollowed."""


def formed(solid: Solid) -> Formed | None:
    """The plate laid flat, or None where the part is no thin sheet, is stretched too much, or would not lie on a simple former."""
    mesh = simplified(solid.mesh(), _TRIANGLES)
    outer, thickness = _outer_side(mesh)
    if not len(outer) or thickness > MOST_THICK_MM:
        return None
    used, faces = np.unique(mesh.faces[outer], return_inverse=True)
    centred = mesh.vertices[used] - mesh.vertices[used].mean(axis=0)
    if float(np.ptp(centred @ np.linalg.svd(centred, full_matrices=False)[2][2])) < _LEAST_BEND_MM:
        return None
    area = float(np.linalg.norm(mesh.area_vectors[outer], axis=1).sum())
    if not _OF_A_SHEET[0] < solid.volume / (area * thickness) < _OF_A_SHEET[1]:
        return None
    faces = faces.reshape(-1, 3).astype(np.int64)
    places, normals = mesh.vertices[used], _normals(mesh.vertices[used], faces)
    # Bending leaves the middle of the wall as long as it is.
    flat, stretch = _flattened(places - normals * thickness / 2, faces)
    if flat is None or stretch > MOST_STRETCH:
        return None
    outline = _outline(flat, faces)
    if outline is None:
        return None
    inside = places - normals * thickness
    try:
        hull = ConvexHull(inside)
    except QhullError:
        return None
    off = float(-(inside @ hull.equations[:, :3].T + hull.equations[:, 3]).max(axis=1).min())
    if off > _MOST_OFF_MM:
        return None
    rings = [np.asarray(r.coords[:-1]) for r in (outline.exterior, *outline.interiors)]
    body = Manifold.extrude(CrossSection(rings, FillRule.EvenOdd), thickness)
    return Formed(Solid(body), Solid(Manifold.hull_points(inside)), thickness, stretch, off)


def _outer_side(mesh: Mesh) -> tuple[Ints, float]:
    """The faces of the outer side of a sheet (k,), the largest that hangs together, and how thick the wall behind them is (mm)."""
    lengths = np.linalg.norm(mesh.area_vectors, axis=1)
    normals = mesh.area_vectors / np.maximum(lengths, 1e-12)[:, None]
    behind, _ = mesh.rays.first_hits(mesh.triangles.mean(axis=1) - normals * 1e-2, -normals)
    side = faces_that_show(mesh) & (behind < 2 * MOST_THICK_MM)
    if side.sum() < 8:
        return np.zeros(0, np.int64), np.inf
    # A rim turns away sharply: it is no part of the side.
    label = Surface.of(mesh).regions(_RIM_DEG, within=side)
    largest = np.flatnonzero(side & (label == np.argmax(np.bincount(label[side], lengths[side]))))
    order = np.argsort(behind[largest])
    share = np.cumsum(lengths[largest][order])
    return largest, float(behind[largest][order][np.searchsorted(share, share[-1] / 2)])


def _normals(places: Floats, faces: Ints) -> Floats:
    """(n, 3): of each corner, by the area of the faces round it."""
    corners = places[faces]
    vectors = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    summed = np.zeros_like(places)
    for k in range(3):
        np.add.at(summed, faces[:, k], vectors)
    return np.asarray(summed / np.maximum(np.linalg.norm(summed, axis=1), 1e-12)[:, None])


def _flattened(places: Floats, faces: Ints) -> tuple[Floats | None, float]:
    """(n, 2): a patch laid flat by least squares conformal maps, of the same area; and how much the worst twentieth of it changes length."""
    loop = np.array(max(loops_of(open_half_edges(faces)), key=len, default=[]), dtype=np.int64)
    if len(loop) < 4:
        return None, np.inf
    # Held at two ends of its rim that lie far from each other.
    first = loop[0]
    for _ in range(2):
        second = first
        first = loop[np.argmax(np.linalg.norm(places[loop] - places[second], axis=1))]
    apart = float(np.linalg.norm(places[first] - places[second]))
    fixed = np.array([first, second], dtype=np.int64)
    found = igl.lscm(places, faces, fixed, np.array([[0.0, 0.0], [apart, 0.0]]))
    flat = np.asarray(found[0] if isinstance(found, tuple) else found, dtype=np.float64)
    if flat.shape != (len(places), 2) or not np.isfinite(flat).all():
        return None, np.inf
    a, b, c = (places[faces[:, k]] for k in range(3))
    u, v = b - a, c - a
    along = u / np.maximum(np.linalg.norm(u, axis=1), 1e-12)[:, None]
    normal = np.cross(u, v)
    doubled = np.linalg.norm(normal, axis=1)
    across = np.cross(normal / np.maximum(doubled, 1e-12)[:, None], along)
    there = np.stack([np.stack([(u * along).sum(1), (v * along).sum(1)], -1), np.stack([(u * across).sum(1), (v * across).sum(1)], -1)], 1)
    p, q, r = (flat[faces[:, k]] for k in range(3))
    here = np.stack([q - p, r - p], axis=-1)
    sound = doubled > 1e-6
    area = np.linalg.det(here)[sound]
    if (area > 0).mean() < 0.5:
        flat, here, area = flat * np.array([1.0, -1.0]), here * np.array([[1.0], [-1.0]]), -area
    if (area <= 0).any():
        return None, np.inf  # it folds over itself
    scale = float(np.sqrt(doubled[sound].sum() / area.sum()))
    lengths = np.linalg.svd(scale * here[sound] @ np.linalg.inv(there[sound]), compute_uv=False)
    change = np.abs(lengths - 1).max(axis=1)
    order = np.argsort(change)
    share = np.cumsum(doubled[sound][order])
    return flat * scale, float(change[order][np.searchsorted(share, 0.95 * share[-1])])


def _outline(flat: Floats, faces: Ints) -> Polygon | None:
    """The rim of a flat patch, holes too, its longer side along x; None where it crosses itself."""
    rings = [Polygon(flat[loop]) for loop in loops_of(open_half_edges(faces)) if len(loop) >= 3]
    rings.sort(key=lambda ring: -ring.area)
    if not rings:
        return None
    outline = Polygon(rings[0].exterior, [r.exterior for r in rings[1:] if r.area > _LEAST_HOLE_MM2])
    if not outline.is_valid:
        return None
    corners = np.asarray(outline.minimum_rotated_rectangle.exterior.coords)
    sides = np.diff(corners, axis=0)[:2]
    longer = sides[np.argmax(np.linalg.norm(sides, axis=1))]
    return rotate(outline, -math.degrees(math.atan2(longer[1], longer[0])))
