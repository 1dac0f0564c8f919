"""The demo's sets: a helm that came in three files, laid for print and with pockets of its own; a breast and a back that straps hold together."""

from functools import cache

import numpy as np
from manifold3d import Manifold, OpType

from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.place import Plane
from bastion_core.geometry.sheet import closed_sheet
from bastion_core.geometry.solid import Solid
from bastion_core.pieces.sets import SetFile

SEAM_MM, SIDES_MM = 176.0, 6.0
"""Where the helm is parted: level, and front from back."""
MAGNET_MM, SCREW_MM = (6.2, 3.2), 3.4
LAID = {
    "beacon-helm-dome": SetFile("0" * 64, "dome"),
    "beacon-helm-face": SetFile("0" * 64, "face", turn_deg=(-90.0, 0.0, 0.0), move_mm=(0.0, -176.0, 6.0)),
    "beacon-helm-nape": SetFile("0" * 64, "nape", turn_deg=(90.0, 0.0, 25.0), move_mm=(40.0, 20.0, -6.0)),
    "gauntlet-finger-root": SetFile("0" * 64, "root"),
    "gauntlet-finger-tip": SetFile("0" * 64, "tip"),
    "harbour-breast": SetFile("0" * 64, "breast"),
    "harbour-back": SetFile("0" * 64, "back"),
}
"""Where each file belongs in its set; the first of a set lies where it belongs."""


@cache
def _beacon(detail: float) -> dict[str, Solid]:
    """The helm of the beacon keepers, in its three parts, each where it belongs."""
    wall = 3.4

    def inside(u: Floats, v: Floats) -> tuple[Floats, Floats]:
        angle = 2 * np.pi * u - np.pi / 2
        round_up = np.minimum(v / 0.5, 1.0) * np.pi / 2
        lift = np.sin(round_up)
        z = np.where(v < 0.5, 150 + 132 * np.cos(round_up), 150 * (1 - (v - 0.5) / 0.5))
        draw = np.where(v < 0.5, 1.0, 1 - 0.09 * ((v - 0.5) / 0.5) ** 2)
        return np.column_stack([96.0 * lift * draw * np.cos(angle), 118.0 * lift * draw * np.sin(angle) + 4, z]), angle

    def inner(u: Floats, v: Floats) -> Floats:
        return inside(u, v)[0]

    def outer(u: Floats, v: Floats) -> Floats:
        points, angle = inside(u, v)
        x, y, z = points.T
        normal = np.column_stack([x / 96.0**2, (y - 4) / 118.0**2, np.where(z > 150, (z - 150) / 132.0**2, 0.0)])
        normal /= np.maximum(np.linalg.norm(normal, axis=1), 1e-9)[:, None]
        louvres = 2.2 * np.clip(np.cos(14 * angle), 0, 1) ** 2 * np.clip((z - 190) / 18, 0, 1) * np.clip((268 - z) / 20, 0, 1)
        gallery = 3.0 * np.clip(1 - ((z - 184) / 7) ** 2, 0, None)
        courses = 0.9 * np.clip(np.sin(z / 5.2), 0, 1) * (z < 120)
        rim = 3.0 * np.clip((14 - z) / 6, 0, 1)
        return points + normal * (wall + np.maximum.reduce([louvres, gallery, courses, rim]))[:, None]

    body = closed_sheet(outer, inner, int(300 * detail**0.5), int(150 * detail**0.5), True, True).manifold
    lamp = Manifold.hull(
        Manifold.cylinder(90, 10, 10, 40).rotate([90, 0, 0]).translate([-58, -40, 146])
        + Manifold.cylinder(90, 10, 10, 40).rotate([90, 0, 0]).translate([58, -40, 146])
    )
    body = body - lamp
    drills = []
    for degrees in (35.0, 145.0, 221.0, 319.0):
        turn = np.radians(degrees)
        at = np.array([(96.0 - 4.2) * np.cos(turn), (118.0 - 4.2) * np.sin(turn) + 4])
        body = body + Manifold.cylinder(18, 5.6, 5.6, 48, True).translate([*at, SEAM_MM])
        wide, deep = MAGNET_MM
        drills.append(Manifold.cylinder(2 * deep, wide / 2, wide / 2, 64, True).translate([*at, SEAM_MM]))
    for side in (-1, 1):
        for x, z in ((88.0, 40.0), (90.5, 110.0)):
            at = [side * x, SIDES_MM, z]
            body = body + Manifold.cylinder(20, 6.5, 6.5, 48, True).rotate([90, 0, 0]).translate(at)
            drills.append(Manifold.cylinder(30, SCREW_MM / 2, SCREW_MM / 2, 40, True).rotate([90, 0, 0]).translate(at))
    dome, lower = Solid(body - Manifold.batch_boolean(drills, OpType.Add)).split(Plane((0.0, 0.0, 1.0), SEAM_MM))
    nape, face = lower.split(Plane((0.0, 1.0, 0.0), SIDES_MM))
    return {"beacon-helm-dome": dome, "beacon-helm-face": face, "beacon-helm-nape": nape}


def _laid(name: str, detail: float) -> Mesh:
    """A file of the helm as its designer laid it."""
    return _beacon(detail)[name].transformed(np.linalg.inv(LAID[name].matrix)).mesh()


def beacon_dome(detail: float = 1.0) -> Mesh:
    """The top of the beacon helm, where it belongs."""
    return _laid("beacon-helm-dome", detail)


def beacon_face(detail: float = 1.0) -> Mesh:
    """Its face, laid for print."""
    return _laid("beacon-helm-face", detail)


def beacon_nape(detail: float = 1.0) -> Mesh:
    """Its nape, laid for print."""
    return _laid("beacon-helm-nape", detail)


_TORSO = (
    (132.8, 24.7, -15.7, -3.3, -2.7, 0.8),
    (-7.9, -23.2, 5.6, -0.4, -16.7, -11.6),
    (114.8, 45.6, -49.8, 24.3, 28.7, 7.2),
    (-84.0, -46.0, 31.8, -21.5, -20.3, 3.3),
)
"""Way (mm) from the middle to the skin of a man of 183 cm below the arms: rows are powers of the height's share, columns cosines of multiples of
the angle from the front. Fitted to the stand-in body once."""
_HIGH_MM, _OFF_MM, _PLATE_WALL_MM = 226.0, 9.0, 3.0


def _half_cuirass(middle_deg: float, detail: float) -> Mesh:
    """A plate round one side of the torso, 76° to either side of its middle."""

    def form(u: Floats, v: Floats) -> Floats:
        up = np.clip(1 - v, 0, 1)
        angle = np.radians(middle_deg + 76 * (1 - 2 * u))
        way = sum(np.polyval([row[k] for row in reversed(_TORSO)], up) * np.cos(k * angle) for k in range(6)) + _OFF_MM
        return np.column_stack([way * np.sin(angle), -way * np.cos(angle), _HIGH_MM * up])

    def outer(u: Floats, v: Floats) -> Floats:
        points = form(u, v)
        h = 1e-4
        along = form(np.clip(u + h, 0, 1), v) - form(np.clip(u - h, 0, 1), v)
        down = form(u, np.clip(v + h, 0, 1)) - form(u, np.clip(v - h, 0, 1))
        normal = np.cross(along, down)
        normal /= np.linalg.norm(normal, axis=1)[:, None]
        away = np.column_stack([points[:, :2], np.zeros(len(points))])
        normal *= np.sign(np.einsum("ij,ij->i", normal, away))[:, None]
        waves = 1.8 * np.clip(np.sin(26 * v + 2.0 * np.sin(9 * u)), 0, 1) * np.clip(np.minimum(u, 1 - u) / 0.06, 0, 1)
        edge = 2.4 * np.clip(1 - np.minimum.reduce([u, 1 - u, v, 1 - v]) / 0.035, 0, 1)
        return points + normal * (_PLATE_WALL_MM + np.maximum(waves, edge))[:, None]

    return closed_sheet(outer, form, int(230 * detail**0.5), int(150 * detail**0.5), False, False).mesh()


FINGER_MM = 36.0
"""Along the finger: the line its two plates turn about, through its middle."""


def finger_root(detail: float = 1.0) -> Mesh:
    """The knuckle's plate of a gauntlet finger: open below, its far end over the next plate."""
    return _finger_plate(12.8, 0.0, 42.0, 0.0, detail).mesh()


def finger_tip(detail: float = 1.0) -> Mesh:
    """The plate before it, a little narrower, cut away where the first would meet it as the finger bends down to 65 degrees."""
    plate = _finger_plate(10.4, 25.0, 74.0, 19.0, detail).manifold
    first = _finger_plate(12.4, -1.0, 42.4, 0.0, 0.3).manifold.translate((0.0, -FINGER_MM, 0.0))
    swept = [first.rotate((float(bent), 0.0, 0.0)).translate((0.0, FINGER_MM, 0.0)) for bent in range(0, 68, 3)]
    return Solid(Manifold.batch_boolean([plate, *swept], OpType.Subtract)).bodies()[0].mesh()


def _finger_plate(inner: float, start: float, stop: float, bare: float, detail: float) -> Solid:
    """A half round plate of 1.6 mm along y, its back up, with a ridge but for a bare end."""
    sides, wall, long = max(48, int(140 * detail**0.5)), 1.6, stop - start
    ring = Manifold.cylinder(long, inner + wall, inner + wall - 0.2, sides)
    ridge = Manifold.cube((3.0, 4.0, long - 6.0 - bare)).translate((-1.5, -inner - wall - 1.2, 3.0 + bare))
    ring = (ring + ridge) - Manifold.cylinder(long + 2.0, inner, inner, sides).translate((0.0, 0.0, -1.0))
    return Solid(ring.trim_by_plane((0.0, -1.0, 0.0), -5.0).rotate((-90.0, 0.0, 0.0)).translate((0.0, start, 0.0)))


def harbour_breast(detail: float = 1.0) -> Mesh:
    """The breast of the harbour half-cuirass."""
    return _half_cuirass(0.0, detail)


def harbour_back(detail: float = 1.0) -> Mesh:
    """Its back."""
    return _half_cuirass(180.0, detail)
