"""A stepped lip: the inner half of a thin wall stands up on one part, behind the outer half of the other. It follows a wall that leans."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import shapely
from shapely import Polygon, unary_union
from shapely.geometry.base import BaseGeometry

from bastion_core.cut.parting import Seam
from bastion_core.findings import NOTHING, Said, mm, say
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.solid import Solid, prism, united
from bastion_core.join.edges import Rims, clean, near, rims_of, thin_places
from bastion_core.join.fasteners.key import END_MM, LEAST_RUN_MM, Key, middle_of, points_of
from bastion_core.join.places import Carved, SeamRoom

LIP_WALL_MM = 0.9
"""Two lines: the least that stays of a lip and of the skin outside it; common practice, no source."""
_LIP_HEIGHTS_MM = (4.0, 3.0, 2.0)
_SLAB_MM = 0.5
_CAVITY_MM = 5.0
_STEP_MM = 0.25
_ROOT_MM = 0.4
_LEAST_MM3 = 15.0
_SIMPLE_MM = 0.03
_ENOUGH_LIP = 0.5
"""A lip along less of the inside than this is none."""


def place_lip(
    seam: Seam, room: SeamRoom, whole: Mesh, rims: Rims, wall: float, gap: float, others: Sequence[Carved], turned: bool
) -> tuple[Key | None, Said]:
    """The inner half of the wall of one part stands up behind the outer half of the other. It follows a wall that leans, and narrows as it rises."""
    lip = (wall - gap) / 2
    needs = 2 * LIP_WALL_MM + gap
    if wall < needs:
        return None, say("The wall is too thin for a stepped lip: {}, and it wants {}.", mm(wall, digits=1), mm(needs, digits=1))
    best: tuple[float, _Lip] | None = None
    inside_mm = rims.lines(inside=True).length
    # The part from which the wall draws in is the one that gets the lip: the other slides over it. Told by trying both.
    for side in (1, -1) if turned else (-1, 1):
        for height in _LIP_HEIGHTS_MM:
            found = _lip_on(side, height, seam, room, whole, rims, lip, gap, others)
            length = 0.0 if found is None else found.face.area / lip
            if found is not None and length >= _ENOUGH_LIP * inside_mm and (best is None or length > 1.15 * best[0]):
                best = (length, found)
            if length >= 0.9 * inside_mm:
                break
        if best is not None and (turned or best[0] >= 0.85 * inside_mm):
            break
    if best is None:
        words = "No stepped lip: the wall of {} leans or thins so much within {} of the seam that no two lines stay of it on either side."
        return None, say(words, mm(wall, digits=1), mm(_LIP_HEIGHTS_MM[-1]))
    length, found = best
    at, flat = middle_of(room, found.face)
    surface = room.seam.surface
    key = Key(
        "lip", found.side, lip, found.height_mm, length, surface.unflatten(found.grown), surface.unflatten(found.carved), found.face,
        points_of(room, found.face), found.lean_deg, position_mm=at, axis=seam.surface.normal, flat_mm=flat, seams=(seam.id,), clearance_mm=gap,
    )  # fmt: skip
    return key, NOTHING


@dataclass(frozen=True, eq=False)
class _Lip:
    side: int
    height_mm: float
    face: BaseGeometry
    grown: Solid
    carved: Solid
    lean_deg: float


def _lip_on(
    side: int, height: float, seam: Seam, room: SeamRoom, whole: Mesh, rims: Rims, lip: float, gap: float, others: Sequence[Carved]
) -> _Lip | None:
    """The lip of one side (-1: the part below has it and it stands up into the part above), layer upon layer."""
    into = -side
    kept = room.blocked(others, height + END_MM, LIP_WALL_MM)
    inner, outer = rims.lines(inside=True), rims.lines(inside=False)
    far = rims_of(room.section(into, height).intersection(inner.buffer(4 * lip + height)), into * height, seam.surface, whole)
    if far is None or not far.inside.any():
        return None
    shifts = shapely.distance(shapely.points(far.points[far.inside]), inner)
    lean = float(np.degrees(np.arctan2(np.median(shifts), height)))
    # Along an upright wall two levels tell all; the further it leans, the finer the steps by which the lip follows it.
    levels = int(np.clip(np.ceil(float(np.percentile(shifts, 90)) / _STEP_MM), 2, round(height / _SLAB_MM)))
    step = height / levels
    band = near(inner, lip).difference(near(outer, lip + gap)).difference(kept)
    face = band.intersection(room.face)
    for _ in range(2):
        allowed = band.union(near(inner, _CAVITY_MM).difference(room.face.buffer(0.03)).difference(near(outer, lip + gap))).difference(kept)
        slabs: list[tuple[BaseGeometry, BaseGeometry]] = []
        bad: list[BaseGeometry] = []
        reach = shapely.simplify(allowed, 0.2).buffer(4 * lip + gap, quad_segs=2)
        for k in range(levels):
            z = (k + 1) * step
            section = shapely.simplify(room.section(into, z).intersection(reach), _SIMPLE_MM)
            mine = rims_of(section, into * z, seam.surface, whole)
            if mine is None or not mine.inside.any():
                return None
            lines, skin = mine.lines(inside=True), mine.lines(inside=False)
            own = section.intersection(near(lines, lip)).difference(near(skin, lip + gap)).intersection(allowed)
            around = near(lines, _CAVITY_MM).difference(section).difference(near(skin, lip + gap))
            # What slides over it on the way has to pass: it never gets wider as it rises.
            allowed = shapely.simplify(allowed.intersection(own.union(around).buffer(0.05, quad_segs=1)), _SIMPLE_MM)
            clear = allowed.buffer(gap, quad_segs=4)
            left = section.difference(clear).intersection(clear.buffer(lip, quad_segs=2))
            bad += [thin_places(own, LIP_WALL_MM), thin_places(left, LIP_WALL_MM)]
            slabs.append((allowed, clear))
        faults = clean(unary_union(bad), 0.15)
        if faults.is_empty:
            break
        band = band.difference(faults.buffer(lip, join_style="mitre"))
        face = clean(band.intersection(room.face), 0.7 * LEAST_RUN_MM * lip)
        # Runs are kept as wide as the face they stand on.
        band = band.intersection(face.buffer(2 * lip))
        if face.is_empty:
            return None
    face = clean(face, 0.7 * LEAST_RUN_MM * lip)
    if face.is_empty:
        return None
    within = face.buffer(_CAVITY_MM)
    standing, carved, ends = list[Solid](), list[Solid](), _ends(inner, face)
    for k, (allowed, clear) in enumerate(slabs):
        low, high = (k * step if k else -0.01), (k + 1) * step
        stands = allowed.intersection(within)
        # Its ends rise at 45 degrees: where a seam stands upright as it is printed, nothing has to be put under them.
        steps = max(round((high - low) / _SLAB_MM), 1)
        for low_end, high_end in pairwise(np.linspace(low, high, steps + 1)):
            cut = unary_union([Polygon(end(high_end)) for end in ends])
            standing.append(_slab(shapely.simplify(stands.difference(cut), 0.03), low_end, high_end, into))
        carved.append(_slab(shapely.simplify(clear.intersection(within), 0.03), low, high + (gap if k < levels - 1 else END_MM), into))
    # Its inner side is the shell's own: the other part's material within reach.
    body = room.half(into).common(united(s for s in standing if not s.is_empty))
    # It is rooted a little below the seam: faces that merely touch would not hold as one.
    foot = face.intersection(slabs[0][0]).buffer(0.02, join_style="mitre", mitre_limit=2.0)
    root = _slab(foot, -_ROOT_MM, 0.05, into)
    runs = [b for b in united((body, root)).bodies() if b.volume >= _LEAST_MM3]
    if not runs:
        return None
    grown = united(runs)
    # Over its end the recess draws in by steps, so that it prints without anything under it.
    last = slabs[-1][1].intersection(within)
    skin = near(far.lines(inside=False), lip + gap)
    over, z = gap, height + END_MM
    while over < lip + gap:
        narrowed = shapely.simplify(last.difference(skin.buffer(over)), 0.03)
        carved.append(_slab(narrowed, z, z + _SLAB_MM / 2, into))
        over, z = over + _SLAB_MM / 2, z + _SLAB_MM / 2
    return _Lip(side, height, face, grown, united(s for s in carved if not s.is_empty), lean)


def _ends(inner: BaseGeometry, face: BaseGeometry) -> list[Callable[[float], list[Floats]]]:
    """For each end of a lip's runs: the corners of what lies within a height of it."""
    runs = shapely.line_merge(inner.intersection(face.buffer(0.3)))
    found: list[Callable[[float], list[Floats]]] = []
    for run in getattr(runs, "geoms", [runs]):
        if run.geom_type != "LineString" or run.is_ring or run.is_empty:
            continue
        for start, inward in ((0.0, 2.0), (run.length, run.length - 2.0)):
            end, there = run.interpolate(start), run.interpolate(inward)
            along = np.array([there.x - end.x, there.y - end.y])
            along /= max(float(np.linalg.norm(along)), 1e-9)
            across, at = np.array([-along[1], along[0]]) * _CAVITY_MM * 1.6, np.array([end.x, end.y])

            def corners(height: float, at: Floats = at, along: Floats = along, across: Floats = across) -> list[Floats]:
                back, front = at - 2 * along, at + height * along
                return [back - across, front - across, front + across, back + across]

            found.append(corners)
    return found


def _slab(area: BaseGeometry, low: float, high: float, into: int) -> Solid:
    return prism(area, low, high) if into > 0 else prism(area, -high, -low)
