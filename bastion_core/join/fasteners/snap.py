"""Snaps: a tongue on one part reaches over the seam along the inside of the other and hooks into a pocket there."""

import numpy as np
from shapely import Polygon

from bastion_core.findings import mm, say
from bastion_core.geometry.arrays import three
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.solid import Solid, hull_solid, united
from bastion_core.join.fasteners.boss import boss, frame_at, of_side, wall_at
from bastion_core.join.fasteners.lug import EDGE, Load, Lug, Refused, Round
from bastion_core.statics.hinges import MOST_STRAIN

_SNAP_WIDE_MM, _SNAP_THICK_MM, _SNAP_HOLDS_MM = 8.0, 1.6, 0.8
"""A snap's tongue, and how deep its hook reaches into the wall; common practice, no source."""
_POCKET_WALL_MM = 0.8
_MOST_BEND_MM = 3.0


def make_snap(about: Round, at: Floats, out: Floats, load: Load) -> Lug | Refused:
    """The snap at a place (2,) of the inside rim whose way into the cavity is ``out`` (2,); or why there is none."""
    seam, whole, frame = about.seam, about.whole, frame_at(about.seam, at, out)
    most, gap = MOST_STRAIN.get(about.material, min(MOST_STRAIN.values())), load.clearance_mm
    way = -1 if about.turned else 1
    y = np.linspace(-_SNAP_WIDE_MM / 2, _SNAP_WIDE_MM / 2, 3)
    bend, long = _SNAP_HOLDS_MM + gap, 0.0
    for _ in range(5):
        # Straight cantilever under a load at its end: strain at its root = 3 t y / (2 L^2). Source: any handbook of beams.
        long = float(np.ceil(np.sqrt(1.5 * _SNAP_THICK_MM * bend / most) * 2) / 2) + 1.0
        zs = np.concatenate([[-4.5, -2.0], np.linspace(0.4, long + 1.5, 6)])
        x, wall = wall_at(frame, np.tile(y * 1.15, len(zs)), np.repeat(way * zs, 3), whole)
        if not np.isfinite(x).all() or not np.isfinite(wall).all():
            return EDGE
        x, wall, zs = x[6:], wall[6:], zs[2:]
        off = float(x.max()) + gap
        hook = float(x[np.repeat(zs, 3) > long - 2.5].min())
        bend = max(_SNAP_HOLDS_MM + gap, float(x.max()) - hook + _SNAP_HOLDS_MM + 0.1)
    wants = _SNAP_HOLDS_MM + gap + _POCKET_WALL_MM
    if float(wall.min()) < wants:
        words = "The wall is too thin for a snap's pocket: {}, and it wants {}."
        return Refused("thin", say(words, mm(float(wall.min()), digits=1), mm(wants, digits=1)))
    if bend > _MOST_BEND_MM:
        return Refused("edge", say("The wall leans too much there for a snap to spring past it."))
    strain = 1.5 * _SNAP_THICK_MM * bend / (long - 1.0) ** 2
    stands = off + _SNAP_THICK_MM
    pressing = about.presses(frame[:3, 3], stands + bend, "snap")
    if pressing is not None:
        return pressing
    root, feet = boss(frame, -way, 4.0, _SNAP_THICK_MM / 2 + 0.4, off + _SNAP_THICK_MM / 2 - 0.2, whole)
    if root is None:
        return EDGE
    half, tip = _SNAP_WIDE_MM / 2, hook - _SNAP_HOLDS_MM

    def bar(section: list[tuple[float, float]], wider: float = 0.0) -> Solid:
        points = [[px, side * (half + wider), way * pz] for px, pz in section for side in (-1, 1)]
        return hull_solid(np.array(points) @ frame[:3, :3].T + frame[:3, 3])

    foot = bar([(off, -4.0), (off + _SNAP_THICK_MM, -4.0), (off, 2.0), (off + _SNAP_THICK_MM, 2.0)])
    tongue = bar([(off, -3.0), (off + _SNAP_THICK_MM, -3.0), (off, long), (off + _SNAP_THICK_MM, long)])
    catch = bar([(off + 0.2, long - 3.0), (tip, long - 2.0), (tip, long - 1.4), (off + 0.2, long)])
    pocket = bar(
        [(off + 0.2, long - 3.0 - 2 * gap), (tip - gap, long - 2.0 - gap), (tip - gap, long - 1.4 + gap), (off + 0.2, long + 2 * gap)], gap
    )
    grown = united((of_side(united((root, foot)), -way, seam), tongue, catch))
    points = np.concatenate([feet, np.array([[off, v, way * long] for v in (-half, half)]) @ frame[:3, :3].T + frame[:3, 3]])
    refused = about.refuses(points)
    if refused is not None:
        return refused
    middle = frame[:3, :3] @ [off + _SNAP_THICK_MM / 2, 0.0, 0.0] + frame[:3, 3]
    flat = np.asarray((seam.surface.to_flat()[:3, :3] @ middle + seam.surface.to_flat()[:3, 3])[:2])
    out = np.asarray((seam.surface.to_flat()[:3, :3] @ frame[:3, 0])[:2])
    across = np.array([-out[1], out[0]])
    box = Polygon([flat + out * a * _SNAP_THICK_MM / 2 + across * b * half for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1))])
    told = Load("snap", half, long, 4.0, off, 0.0, 0.0, None, None, clearance_mm=gap, thick_mm=_SNAP_THICK_MM)
    return Lug(
        told, stands + bend, {-way: grown}, {way: (pocket,)}, box, points, position_mm=three(middle), axis=seam.surface.normal,
        flat_mm=(float(flat[0]), float(flat[1])), seams=(seam.id,), clearance_mm=gap, strain=strain,
    )  # fmt: skip
