"""How a part lies on the bed: a cut face or a large flat side down, with the least support, where it fits."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import ConvexHull, QhullError

from bastion_core.cut.beds import SIX_SIDES, Lying, lie_on
from bastion_core.findings import NOTHING, Quantity, Said, mm, say
from bastion_core.formats.glb import simplified
from bastion_core.geometry.layers import sections_at
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.place import shifting, turn_to_down
from bastion_core.geometry.solid import Solid
from bastion_core.print.profile import Profile, material
from bastion_core.print.supports import about_mm3, hanging
from bastion_core.shop import Printer

_JUDGED_TRIANGLES = 20_000
# What counts against a way to lie, in minutes of print: common practice, no source.
_MIN_PER_SUPPORT_G = 2.0
_MIN_PER_SCARRED_CM2 = 8.0
"""Sanding where support touched a face that shows; inside a shell nobody looks."""
_MIN_PER_HEIGHT_MM = 0.25
_MIN_PER_STEP_CM2 = 4.0
"""Sanding of steps a millimetre deep on a face that shows: a tenth of it for steps of a tenth."""
_MIN_FOR_NO_FOOT, _MIN_FOR_HARDLY_A_FOOT, _LEAST_FOOT_MM2, _LEAST_FOOT_SHARE = 90.0, 10_000.0, 50.0, 0.003
"""A part that stands on less than the third and that share of what it covers comes off the bed."""
_FIRST_LAYER_MM = 0.25
_MIN_FOR_TIPPING = 120.0
_STEADY = 4.0
"""Height over least width of the foot from which a part on a moving bed gets knocked off."""
_MIN_FOR_WEAK, _SLIM, _THIN_MM = 600.0, 4.0, 40.0
"""A rod, lug or pin stood upright breaks between its layers: of parts so many times as long as they are thick, and no thicker than this."""
_MIN_PER_WARPED_MM, _LONG_FLAT_MM = 0.8, 120.0
"""A flat foot longer than this curls up at its ends, by how much the material shrinks."""
_SHELL_MM, _INWARD = 12.0, 0.25


@dataclass(frozen=True)
class Term:
    """One thing that counts against a way to lie: what it is called, its minutes, and what they come from."""

    name: str
    minutes: float
    text: Said


@dataclass(frozen=True)
class Way:
    """A way to lie: which side is down, and what counts against it in minutes."""

    down: tuple[float, float, float]
    cost_min: float
    terms: tuple[Term, ...] = ()
    support_g: float = 0.0
    """About."""
    height_mm: float = 0.0
    called: Said = NOTHING
    """Which side it is."""


def ways_to_lie(solid: Solid, cut_faces: Sequence[Floats] = (), profile: Profile | None = None) -> list[Way]:
    """The sides worth trying, best first. ``cut_faces`` are the outward normals of the part's cut faces."""
    mesh = simplified(solid.mesh(), _JUDGED_TRIANGLES)
    cut = [np.asarray(n, dtype=np.float64) for n in cut_faces]
    named: list[tuple[Floats, str]] = [(n, "on its cut face") for n in cut]
    named += [(np.array(s), name) for s, name in zip(SIX_SIDES, _SIX_NAMES, strict=True)]
    named += [(n, "on a flat side") for n in _flat_sides(mesh)]
    kept: list[tuple[Floats, str]] = []
    for down, name in named:
        if not any(float(down @ other) > 0.9995 for other, _ in kept):
            kept.append((down / np.linalg.norm(down), name))
    shows = faces_that_show(mesh, cut)
    used = profile or Profile()
    return sorted((judge_way(mesh, shows, down, used, name) for down, name in kept), key=lambda w: w.cost_min)


def way_of(solid: Solid, down: Floats, cut_faces: Sequence[Floats], profile: Profile) -> Way:
    """One way to lie that the maker chose."""
    mesh = simplified(solid.mesh(), _JUDGED_TRIANGLES)
    cut = [np.asarray(n, dtype=np.float64) for n in cut_faces]
    return judge_way(mesh, faces_that_show(mesh, cut), np.asarray(down, dtype=np.float64), profile, "as laid by hand")


_SIX_NAMES = ("as it is worn", "upside down", "on its front", "on its back", "on its right side", "on its left side")
"""What lies down: -z, +z, -y, +y, -x, +x of the standing piece; from -x one looks at the wearer's right."""


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
    toward = _hull_middle(mesh) - middle
    toward /= np.maximum(np.linalg.norm(toward, axis=1), 1e-9)[:, None]
    shows &= ~((behind < _SHELL_MM) & (np.einsum("ij,ij->i", toward, normals) > _INWARD))
    for normal in cut_faces:
        heights = mesh.vertices @ normal
        on_it = (heights[mesh.faces] > float(heights.max()) - 0.1).all(axis=1)
        shows &= ~(on_it & (normals @ normal > 0.99))
    return shows


def _hull_middle(mesh: Mesh) -> Floats:
    """(3,): the middle of what the mesh would be if it were filled: of its convex hull."""
    try:
        hull = ConvexHull(mesh.vertices)
    except QhullError:
        return np.asarray(mesh.bounds.mean(axis=0))
    corners = mesh.vertices[hull.simplices]
    base = mesh.vertices.mean(axis=0)
    volumes = np.abs(np.einsum("ij,ij->i", corners[:, 0] - base, np.cross(corners[:, 1] - base, corners[:, 2] - base)))
    return np.asarray((volumes[:, None] * (corners.sum(axis=1) + base) / 4).sum(axis=0) / max(float(volumes.sum()), 1e-9))


def judge_way(mesh: Mesh, shows: NDArray[np.bool_], down: Floats, profile: Profile, called: str = "") -> Way:
    """What counts against one way to lie, term by term."""
    turned = mesh.transformed(turn_to_down(down))
    stuff, size = material(profile.material), turned.size
    bottom = float(turned.bounds[0, 2])
    lengths = np.linalg.norm(turned.area_vectors, axis=1)
    contacts = hanging(turned, profile.support_from_deg, bottom)
    grams = about_mm3(contacts, profile.support) / 1000 * stuff.density_g_cm3
    upright = turned.area_vectors[:, 2] / np.maximum(lengths, 1e-12)
    hangs = (upright < -np.sin(np.radians(profile.support_from_deg))) & (turned.triangles[:, :, 2].mean(axis=1) > bottom + 0.3)
    scarred_cm2 = float(lengths[hangs & shows].sum()) / 100
    # A step is as deep as the layer times the cosine of the slope; level faces have none, upright ones hardly any.
    sloped = shows & (np.abs(upright) < 0.999)
    steps_mm_cm2 = float((profile.layer_mm * np.abs(upright[sloped]) * lengths[sloped]).sum()) / 100
    low = turned.vertices[:, 2][turned.faces].max(axis=1) < bottom + 0.2
    # What of it the first layer lays down: an uneven underside is laid flat so far.
    foot = float(sections_at(turned, np.array([bottom + _FIRST_LAYER_MM]))[0][0])
    bed = float(size[0] * size[1])
    hardly = foot < _LEAST_FOOT_MM2 + _LEAST_FOOT_SHARE * bed
    footless = _MIN_FOR_NO_FOOT * (1 - min(foot / max(0.06 * bed, 1e-9), 1.0)) + (_MIN_FOR_HARDLY_A_FOOT if hardly else 0.0)
    thick = float(np.sort(size[:2])[1])
    weak = _MIN_FOR_WEAK if size[2] > _SLIM * thick and thick < _THIN_MM else 0.0
    long_foot = float(np.ptp(turned.vertices[np.unique(turned.faces[low])][:, :2], axis=0).max()) if low.any() else 0.0
    warped = _MIN_PER_WARPED_MM * stuff.shrinks * max(long_foot - _LONG_FLAT_MM, 0.0)
    terms = (
        Term("height", _MIN_PER_HEIGHT_MM * float(size[2]), say("{} high", mm(float(size[2])))),
        Term(
            "support",
            _MIN_PER_SUPPORT_G * grams,
            say("about {} of support", Quantity((grams,), "g")) if grams >= 0.5 else say("no support"),
        ),
        Term("scars", _MIN_PER_SCARRED_CM2 * scarred_cm2, say("{} cm² of scars on faces that show", f"{scarred_cm2:.0f}")),
        Term("steps", _MIN_PER_STEP_CM2 * steps_mm_cm2, say("stair-steps on faces that show")),
        Term("foot", footless, say("hardly a foot to stand on" if hardly else "a small foot")),
        Term("strength", weak, say("its layers lie across its length: it breaks there")),
        Term("warping", warped, say("a flat foot of {} may curl", mm(long_foot))),
    )
    x, y, z = (float(v) for v in down)
    counted = tuple(t for t in terms if t.minutes >= 0.5)
    return Way((x, y, z), sum(t.minutes for t in terms), counted, grams, float(size[2]), say(called))


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
