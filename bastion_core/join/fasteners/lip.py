"""A stepped lip: the inner half of a thin wall stands up on one part, behind the outer half of the other. It follows a wall that leans."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import shapely
from shapely import Polygon, unary_union
from shapely.geometry.base import BaseGeometry

from bastion_core.findings import NOTHING, Said, mm, say
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.solid import Solid, slab, united
from bastion_core.join.ask import Ask
from bastion_core.join.edges import Rims, both, clean, less, near, rims_of, simple, thin_places
from bastion_core.join.fasteners.key import END_MM, LEAST_RUN_MM, Body, Key

LIP_WALL_MM = 0.9
"""Two lines: the least that stays of a lip and of the skin outside it; common practice, no source."""
_LIP_HEIGHTS_MM = (4.0, 3.0, 2.0)
_SLAB_MM = 0.5
_CAVITY_MM = 5.0
_STEP_MM = 0.25
_ROOT_MM = 0.4
_LEAST_MM3 = 15.0
_THIN_MM2 = 0.15
_ROUNDS = 5
_SIMPLE_MM = 0.03
_ENOUGH_LIP = 0.5
"""A lip along less of the inside than this is none."""


def place_lip(ask: Ask, rims: Rims, wall_mm: float) -> tuple[Key | None, Said]:
    """The inner half of a wall so thick stands up on one part behind the outer half of the other. It follows a wall that leans, and narrows as it
    rises."""
    needs = 2 * LIP_WALL_MM + ask.gap_mm
    if wall_mm < needs:
        return None, say("The wall is too thin for a stepped lip: {}, and it wants {}.", mm(wall_mm, digits=1), mm(needs, digits=1))
    best: Body | None = None
    inside_mm = ask.inside_mm
    # The part from which the wall draws in is the one that gets the lip: the other slides over it. Told by trying both.
    for side in (ask.side, -ask.side):
        for height in _LIP_HEIGHTS_MM:
            found = _lip_on(ask, rims, (wall_mm - ask.gap_mm) / 2, side, height)
            if found is None:
                continue
            if found.length_mm >= _ENOUGH_LIP * inside_mm and (best is None or found.length_mm > 1.15 * best.length_mm):
                best = found
            if found.length_mm >= 0.9 * inside_mm:
                break
        if best is not None and (ask.turned or best.length_mm >= 0.85 * inside_mm):
            break
    if best is None:
        words = "No stepped lip: the wall of {} leans or thins so much within {} of the seam that no two lines stay of it on either side."
        return None, say(words, mm(wall_mm, digits=1), mm(_LIP_HEIGHTS_MM[-1]))
    return best.on(ask, "lip"), NOTHING


@dataclass(frozen=True, eq=False)
class _Levels:
    """What of the other part a lip may fill, level upon level, as it rises; and what has to be clear for it."""

    stands: list[BaseGeometry]
    clear: list[BaseGeometry]
    thin: BaseGeometry
    """Where fewer than two lines would stay of the lip, or of the skin outside it."""


def _lip_on(ask: Ask, rims: Rims, lip: float, side: int, height: float) -> Body | None:
    """The lip of one side (-1: the part below has it and it stands up into the part above), so thick and so high."""
    room, gap, into = ask.room, ask.gap_mm, -side
    inner, outer = rims.lines(inside=True), rims.lines(inside=False)
    far = rims_of(room.section(into, height).intersection(inner.buffer(4 * lip + height)), into * height, ask.seam.surface, ask.whole)
    if far is None or not far.inside.any():
        return None
    shifts = shapely.distance(shapely.points(far.points[far.inside]), inner)
    # Along an upright wall two levels tell all; the further it leans, the finer the steps by which the lip follows it.
    count = int(np.clip(np.ceil(float(np.percentile(shifts, 90)) / _STEP_MM), 2, round(height / _SLAB_MM)))
    kept = room.blocked(ask.others, height + END_MM, LIP_WALL_MM).union(near(outer, lip + gap))
    band, cavity = near(inner, lip), near(inner, _CAVITY_MM).difference(room.face.buffer(0.03))
    for _ in range(_ROUNDS):
        face = clean(band.difference(kept).intersection(room.face), 0.7 * LEAST_RUN_MM * lip)
        if face.is_empty:
            return None
        # Runs are kept as wide as the face they stand on.
        start = band.intersection(face.buffer(2 * lip)).union(cavity).difference(kept)
        levels = _levels(ask, start, lip, into, [(k + 1) * height / count for k in range(count)])
        if levels is None:
            return None
        if levels.thin.is_empty:
            break
        kept = kept.union(levels.thin.buffer(lip, join_style="mitre"))
    else:
        return None
    within, ends = face.buffer(_CAVITY_MM), _ends(inner, face)
    stands = [s.intersection(within) for s in levels.stands]
    grown = _grown(room.half(into), stands, ends, face, height, into)
    if grown is None:
        return None
    skin = near(far.lines(inside=False), lip + gap)
    carved = _recess([c.intersection(within) for c in levels.clear], stands[-1], skin, lip, gap, height, into)
    lean = float(np.degrees(np.arctan2(np.median(shifts), height)))
    return Body(side, lip, height, face.area / lip, face, grown, carved, lean)


def _levels(ask: Ask, start: BaseGeometry, lip: float, into: int, heights: Sequence[float]) -> _Levels | None:
    """The levels of a lip that begins on ``start``; None where the wall has no inside any more."""
    gap, allowed = ask.gap_mm, start
    reach = simple(start, 0.2).buffer(4 * lip + gap, quad_segs=2)
    stands, clears, bad = list[BaseGeometry](), list[BaseGeometry](), list[BaseGeometry]()
    for z in heights:
        section = simple(both(ask.room.section(into, z), reach), _SIMPLE_MM)
        mine = rims_of(section, into * z, ask.seam.surface, ask.whole)
        if mine is None or not mine.inside.any():
            return None
        lines, skin = mine.lines(inside=True), near(mine.lines(inside=False), lip + gap)
        own = both(less(both(section, near(lines, lip)), skin), allowed)
        around = less(less(near(lines, _CAVITY_MM), section), skin)
        # What slides over it on the way has to pass: it never gets wider as it rises.
        allowed = simple(both(allowed, unary_union([own, around]).buffer(0.05, quad_segs=1)), _SIMPLE_MM)
        clear = allowed.buffer(gap, quad_segs=4)
        left = both(less(section, clear), clear.buffer(lip, quad_segs=2))
        bad += [thin_places(own, LIP_WALL_MM), thin_places(left, LIP_WALL_MM)]
        stands.append(allowed)
        clears.append(clear)
    return _Levels(stands, clears, clean(unary_union(bad), _THIN_MM2))


def _grown(
    other: Solid,
    stands: Sequence[BaseGeometry],
    ends: Sequence[Callable[[float], list[Floats]]],
    face: BaseGeometry,
    height: float,
    into: int,
) -> Solid | None:
    """The lip itself: its inner side is the shell's own, the other part's material within reach. None where nothing worth it stays."""
    standing, step = list[Solid](), height / len(stands)
    for k, area in enumerate(stands):
        low, high = (k * step if k else -0.01), (k + 1) * step
        # Its ends rise at 45 degrees: where a seam stands upright as it is printed, nothing has to be put under them.
        for below, above in pairwise(np.linspace(low, high, max(round((high - low) / _SLAB_MM), 1) + 1)):
            cut = unary_union([Polygon(end(above)) for end in ends])
            standing.append(slab(simple(area.difference(cut), _SIMPLE_MM), below, above, into))
    body = other.common(united(s for s in standing if not s.is_empty))
    # It is rooted a little below the seam: faces that merely touch would not hold as one.
    foot = face.intersection(stands[0]).buffer(0.02, join_style="mitre", mitre_limit=2.0)
    runs = [b for b in united((body, slab(foot, -_ROOT_MM, 0.05, into))).bodies() if b.volume >= _LEAST_MM3]
    return united(runs) if runs else None


def _recess(
    clear: Sequence[BaseGeometry], last: BaseGeometry, skin: BaseGeometry, lip: float, gap: float, height: float, into: int
) -> Solid:
    """What is carved for it. Over the lip's end it draws in by steps, so that it prints without anything under it."""
    step, count = height / len(clear), len(clear)
    carved = [
        slab(simple(area, _SIMPLE_MM), k * step if k else -0.01, (k + 1) * step + (gap if k < count - 1 else END_MM), into)
        for k, area in enumerate(clear)
    ]
    over, z = gap, height + END_MM
    while over < lip + gap:
        carved.append(slab(simple(last.difference(skin.buffer(over)), _SIMPLE_MM), z, z + _SLAB_MM / 2, into))
        over, z = over + _SLAB_MM / 2, z + _SLAB_MM / 2
    return united(s for s in carved if not s.is_empty)


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
