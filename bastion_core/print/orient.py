"""How a part lies on the bed: a cut face or a large flat side down, with the least support, where it fits."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

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
from bastion_core.print.hands import SCAR_MIN_PER_CM2, STEP_MIN_PER_MM_CM2
from bastion_core.print.profile import Profile, material
from bastion_core.print.sanding import steps_mm
from bastion_core.print.shows import faces_that_show
from bastion_core.print.supports import about_mm3, hanging
from bastion_core.shop import HANDS_WEIGH, Printer

_JUDGED_TRIANGLES = 20_000
# What counts against a way to lie, in minutes of print: common practice, no source.
_MIN_PER_SUPPORT_G = 2.0
_MIN_PER_HEIGHT_MM = 0.25
_MIN_FOR_NO_FOOT, _MIN_FOR_HARDLY_A_FOOT, _LEAST_FOOT_MM2, _LEAST_FOOT_SHARE = 90.0, 10_000.0, 50.0, 0.003
"""A part that stands on less than the third and that share of what it covers comes off the bed."""
_FIRST_LAYER_MM = 0.25
_MIN_FOR_TIPPING = 120.0
_GRAVITY_MM_S2 = 9810.0
_MIN_FOR_WEAK, _SLIM, _THIN_MM = 600.0, 4.0, 40.0
"""A rod, lug or pin stood upright breaks between its layers: of parts so many times as long as they are thick, and no thicker than this."""
_MIN_PER_WARPED_MM, _LONG_FLAT_MM = 0.8, 120.0
"""A flat foot longer than this curls up at its ends, by how much the material shrinks."""


@dataclass(frozen=True)
class Term:
    """One thing that counts against a way to lie: what it is called, its minutes, and what they come from."""

    name: str
    minutes: float
    text: Said


@dataclass(frozen=True, eq=False)
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
    footless: bool = False
    """Whether it stands on hardly anything, and comes off the bed."""
    foot: Floats = field(default_factory=lambda: np.zeros((0, 2)))
    """(k, 2): round what touches the bed, turned so that it lies."""
    centre_mm: Floats = field(default_factory=lambda: np.zeros(3))
    """Where its weight acts, in the same frame, its foot at height 0."""


def ways_to_lie(solid: Solid, cut_faces: Sequence[Floats] = (), profile: Profile | None = None, by_hand: Floats | None = None) -> list[Way]:
    """The sides worth trying, best first, and the one that the maker chose ``by_hand``. ``cut_faces`` are outward normals of cut faces."""
    mesh = simplified(solid.mesh(), _JUDGED_TRIANGLES)
    cut = [np.asarray(n, dtype=np.float64) for n in cut_faces]
    named: list[tuple[Floats, str]] = [(n, "on its cut face") for n in cut]
    named += [(np.array(s), name) for s, name in zip(SIX_SIDES, _SIX_NAMES, strict=True)]
    named += [(n, "on a flat side") for n in _flat_sides(mesh)]
    named += [] if by_hand is None else [(by_hand, "as laid by hand")]
    kept: list[tuple[Floats, str]] = []
    for given, name in named:
        down = given / np.linalg.norm(given)
        if not any(float(down @ other) > 0.9995 for other, _ in kept):
            kept.append((down, name))
    shows = faces_that_show(mesh, cut)
    used = profile or Profile()
    return sorted((judge_way(mesh, shows, down, used, name) for down, name in kept), key=lambda w: w.cost_min)


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


def judge_way(mesh: Mesh, shows: NDArray[np.bool_], down: Floats, profile: Profile, called: str = "") -> Way:
    """What counts against one way to lie, term by term."""
    turned = mesh.transformed(turn_to_down(down))
    stuff, size = material(profile.material), turned.size
    bottom = float(turned.bounds[0, 2])
    lengths = np.linalg.norm(turned.area_vectors, axis=1)
    contacts = hanging(turned, profile.holding())
    grams = about_mm3(contacts.area_mm2, contacts.drop_mm, profile.support) / 1000 * stuff.density_g_cm3
    upright = turned.area_vectors[:, 2] / np.maximum(lengths, 1e-12)
    scarred_cm2 = float(lengths[contacts.faces][shows[contacts.faces]].sum()) / 100
    steps_mm_cm2 = float((steps_mm(upright, profile.layer_mm) * lengths)[shows].sum()) / 100
    low = turned.vertices[:, 2][turned.faces].max(axis=1) < bottom + 0.2
    # What of it the first layer lays down: an uneven underside is laid flat so far.
    foot = float(sections_at(turned, np.array([bottom + _FIRST_LAYER_MM]))[0][0])
    bed = float(size[0] * size[1])
    hardly = hardly_a_foot(foot, bed)
    footless = _MIN_FOR_NO_FOOT * (1 - min(foot / max(0.06 * bed, 1e-9), 1.0)) + (_MIN_FOR_HARDLY_A_FOOT if hardly else 0.0)
    thick = float(np.sort(size[:2])[1])
    weak = _MIN_FOR_WEAK if size[2] > _SLIM * thick and thick < _THIN_MM else 0.0
    long_foot = float(np.ptp(turned.vertices[np.unique(turned.faces[low])][:, :2], axis=0).max()) if low.any() else 0.0
    warped = _MIN_PER_WARPED_MM * stuff.shrinks * max(long_foot - _LONG_FLAT_MM, 0.0)
    scars = "{} of faces that show hang over air" if profile.support == "none" else "{} of scars on faces that show"
    terms = (
        Term("height", _MIN_PER_HEIGHT_MM * float(size[2]), say("{} high", mm(float(size[2])))),
        Term(
            "support",
            _MIN_PER_SUPPORT_G * grams,
            say("about {} of support", Quantity((grams,), "g")) if grams >= 0.5 else say("no support"),
        ),
        Term("scars", HANDS_WEIGH * SCAR_MIN_PER_CM2 * scarred_cm2, say(scars, Quantity((100 * scarred_cm2,), "mm2"))),
        Term("steps", HANDS_WEIGH * STEP_MIN_PER_MM_CM2 * steps_mm_cm2, say("stair-steps on faces that show")),
        Term("foot", footless, say("hardly a foot to stand on" if hardly else "a small foot")),
        Term("strength", weak, say("its layers lie across its length: it breaks there")),
        Term("warping", warped, say("a flat foot of {} may curl", mm(long_foot))),
    )
    x, y, z = (float(v) for v in down)
    counted = tuple(t for t in terms if t.minutes >= 0.5)
    return Way(
        (x, y, z), sum(t.minutes for t in terms), counted, grams, float(size[2]), say(called), hardly,
        _round_the_foot(turned, bottom + _FIRST_LAYER_MM), _centre(turned) - np.array([0.0, 0.0, bottom]),
    )  # fmt: skip


def hardly_a_foot(foot_mm2: float, covered_mm2: float) -> bool:
    """Whether a part stands on so little of what it covers that it comes off the bed."""
    return foot_mm2 < _LEAST_FOOT_MM2 + _LEAST_FOOT_SHARE * covered_mm2


def pushed_mm(height_mm: float, printer: Printer) -> float:
    """How far aside of itself a weight so high up acts when the bed starts and stops (mm); 0 where the bed does not move."""
    return height_mm * printer.acceleration_mm_s2 / _GRAVITY_MM_S2 if printer.bed_moves else 0.0


def _round_the_foot(mesh: Mesh, up_to_mm: float) -> Floats:
    """(k, 2): corners of a mesh below a height, and where its edges cross it."""
    ends = mesh.vertices[mesh.faces[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)]
    over = ends[:, :, 2] - up_to_mm
    crossing = over[:, 0] * over[:, 1] < 0
    share = over[crossing, 0] / (over[crossing, 0] - over[crossing, 1])
    crossed = ends[crossing, 0] + share[:, None] * (ends[crossing, 1] - ends[crossing, 0])
    return np.concatenate([mesh.vertices[mesh.vertices[:, 2] <= up_to_mm][:, :2], crossed[:, :2]])


def _centre(mesh: Mesh) -> Floats:
    """(3,): the middle of the volume."""
    corners = mesh.triangles
    volumes = np.einsum("ij,ij->i", corners[:, 0], np.cross(corners[:, 1], corners[:, 2]))
    return np.asarray((volumes[:, None] * corners.sum(axis=1)).sum(axis=0) / 4 / (float(volumes.sum()) or 1.0))


def tips_over(way: Way, lying: Lying, printer: Printer, brim_mm: float = 0.0) -> bool:
    """Whether a part that lies loose would tip over its foot when the bed starts and stops.

    Statics: its weight and the force of the bed's acceleration, both at its middle, meet the bed outside of what it stands on. What it sticks
    by comes on top, but that is what gives way.
    """
    if not printer.bed_moves:
        return False
    try:
        sides = ConvexHull(way.foot).equations
    except (QhullError, ValueError):
        return True
    turn = np.radians(lying.turn_deg)
    along = np.array([np.sin(turn), np.cos(turn)])  # the bed's y in the frame of the way
    reach = pushed_mm(float(way.centre_mm[2]), printer)
    pushed = way.centre_mm[:2] + np.array([[reach], [-reach]]) * along
    return bool((pushed @ sides[:, :2].T + sides[:, 2] - brim_mm).max() > 0)


def best_lying(hull: Floats, ways: Sequence[Way], printer: Printer, brim_mm: float = 0.0) -> tuple[Way, Lying] | None:
    """The best of ``ways`` that fits the printer, with what counts against it there, or None."""
    found: tuple[Way, Lying] | None = None
    for way in ways:
        lying = lie_on(hull, way.down, printer)
        if lying is None:
            continue
        if tips_over(way, lying, printer, brim_mm):
            tips = Term("tipping", _MIN_FOR_TIPPING, say("on the moving bed of {} it may tip over", printer.name))
            way = replace(way, cost_min=way.cost_min + tips.minutes, terms=(*way.terms, tips))
        if found is None or way.cost_min < found[0].cost_min:
            found = way, lying
    return found


def laid_matrix(solid: Solid, lying: Lying) -> Floats:
    """4x4 matrix that lays a part: turned, its foot at z = 0, the corner of its box at x = y = 0."""
    angle = np.radians(lying.turn_deg)
    turn = np.eye(4)
    turn[:2, :2] = [[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]]
    matrix = turn @ turn_to_down(np.array(lying.down))
    moved = solid.mesh().vertices @ matrix[:3, :3].T
    return shifting(-moved.min(axis=0)) @ matrix
