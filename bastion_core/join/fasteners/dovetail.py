"""A dovetail across a thick flat seam: it slides in from one edge."""

import numpy as np
import shapely
from shapely import LineString, Polygon
from shapely.affinity import rotate, translate

from bastion_core.cut.bowed import Bowed
from bastion_core.findings import NOTHING, Said, mm, say
from bastion_core.geometry.arrays import three
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.solid import Solid, hull_solid
from bastion_core.join.ask import Ask
from bastion_core.join.fasteners.key import END_MM, Body, Key

_DOVETAIL_DEG = 15.0
"""Flank of a printed dovetail; common practice, no source."""
_DOVETAIL_HEIGHTS_MM = (8.0, 6.0, 4.0)


def place_dovetail(ask: Ask) -> tuple[tuple[Key, ...], Said]:
    """A tail across the seam that slides in from one edge. Its axis is the way it slides."""
    face = ask.seam.face
    if isinstance(ask.seam.surface, Bowed):
        return (), say("A dovetail slides along a flat seam: this one is bowed. Take a tongue or pins.")
    box = shapely.minimum_rotated_rectangle(max(getattr(face, "geoms", [face]), key=lambda p: p.area))
    ring = shapely.get_coordinates(box.exterior)
    edges = ring[1:3] - ring[:2]
    for edge in sorted(edges, key=lambda e: float(np.linalg.norm(e))):
        length = float(np.linalg.norm(edge))
        if length < 1e-6:
            continue
        turn = float(np.degrees(np.arctan2(edge[1], edge[0])))
        for height in _DOVETAIL_HEIGHTS_MM:
            found = _tail(ask, turn, height)
            if found is not None:
                return (found,), NOTHING
    least = 2 * _DOVETAIL_HEIGHTS_MM[-1] + 2 * (ask.gap_mm + ask.wall_mm)
    return (), say(
        "No room for a dovetail: it wants a flat seam of about {} across, as deep as {}.", mm(least), mm(_DOVETAIL_HEIGHTS_MM[-1])
    )


def _tail(ask: Ask, turn_deg: float, height: float) -> Key | None:
    """The longest tail of one height along one direction, or None."""
    room, gap, wall_mm, side = ask.room, ask.gap_mm, ask.wall_mm, ask.side
    neck = 1.2 * height
    wide = neck + 2 * height * float(np.tan(np.radians(_DOVETAIL_DEG)))
    solid = ask.seam.face
    for step in (0.25, 0.5, 0.75, 1.0):
        solid = solid.intersection(room.section(-side, (height + END_MM) * step))
    solid = solid.difference(room.blocked(ask.others, height + wall_mm, wall_mm))
    lying = rotate(solid, -turn_deg, origin=(0, 0))
    clear = rotate(ask.seam.face.buffer(1e-6), -turn_deg, origin=(0, 0))
    if lying.is_empty:
        return None
    low_x, low_y, high_x, high_y = lying.bounds
    best: tuple[float, float, float, float] | None = None
    half = wide / 2 + gap + wall_mm
    for y in np.arange(low_y + half, high_y - half + 1e-9, 2.0):
        row = lying.intersection(Polygon([(low_x, y - half), (high_x, y - half), (high_x, y + half), (low_x, y + half)]))
        for part in getattr(row, "geoms", [row]):
            if part.geom_type != "Polygon" or part.area < 4 * height * half:
                continue
            x0, _, x1, _ = part.bounds
            # It comes in at the low end, and stops before the other edge.
            stop = x1 - wall_mm - gap - height / 2
            strip = Polygon([(x0 + height / 2, y - half), (stop, y - half), (stop, y + half), (x0 + height / 2, y + half)])
            if stop - x0 < 2 * height or not part.buffer(1e-6).contains(strip):
                continue
            if best is None or stop - x0 > best[0]:
                best = (stop - x0, x0, stop, float(y))
    if best is None:
        return None
    _, x0, stop, y = best
    tail = _trapezoid(neck, wide, height, side, -0.01)
    flank = np.radians(_DOVETAIL_DEG)
    wider = 2 * gap / np.cos(flank)
    hole = _trapezoid(neck + wider, wide + wider + 2 * END_MM * np.tan(flank), height + END_MM, side, -0.01)
    # It begins where the face does along its whole width, so that it never stands out of it.
    entry = clear.intersection(Polygon([(x0 - 1, y - wide / 2), (stop, y - wide / 2), (stop, y + wide / 2), (x0 - 1, y + wide / 2)]))
    rows = [lying.intersection(LineString([(x0 - 1, v), (stop, v)])) for v in np.linspace(y - wide / 2, y + wide / 2, 7)]
    begin = max((max(g.bounds[0] for g in getattr(r, "geoms", [r]) if not g.is_empty) for r in rows if not r.is_empty), default=stop) + 0.4
    if stop - begin < 2 * height:
        return None
    grown = _bar(tail, begin, stop, y, turn_deg)
    carved = _bar(hole, entry.bounds[0] - 5, stop + gap, y, turn_deg)
    flat = rotate(
        translate(Polygon([(begin, -wide / 2), (stop, -wide / 2), (stop, wide / 2), (begin, wide / 2)]), 0, y), turn_deg, origin=(0, 0)
    )
    way = ask.seam.surface.to_space(np.array([[0.0, 0.0], [np.cos(np.radians(turn_deg)), np.sin(np.radians(turn_deg))]]))
    return Body(side, wide, height, stop - begin, flat, grown, carved).on(ask, "dovetail", three((way[1] - way[0]) * side))


def _trapezoid(neck: float, wide: float, height: float, side: int, low: float) -> Floats:
    """(4, 2): a tail's section (across, up), standing up for the part below and hanging down for the one above."""
    section = np.array([[-neck / 2, low], [neck / 2, low], [wide / 2, height], [-wide / 2, height]])
    return section if side < 0 else section * [1.0, -1.0]


def _bar(section: Floats, start: float, stop: float, y: float, turn_deg: float) -> Solid:
    points = np.array([[x, y + across, up] for x in (start, stop) for across, up in section])
    c, s = np.cos(np.radians(turn_deg)), np.sin(np.radians(turn_deg))
    return hull_solid(points @ np.array([[c, s, 0.0], [-s, c, 0.0], [0.0, 0.0, 1.0]]))
