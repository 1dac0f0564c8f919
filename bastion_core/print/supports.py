"""What holds up a lying part where it hangs over air: columns of a sparse grid, or branches that merge on their way down, or nothing.

Branches: every so many square millimetres of overhang gets a tip. From the top down, level by level, each branch leans toward its nearest
neighbour by no more than a printable angle, keeps clear of the part, merges where it meets another, grows with what it carries, and ends
on the bed, or on the part where there is no other way. What is printed of it is summed from the branches themselves.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import distance_transform_edt
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from bastion_core.geometry.mesh import Floats, Ints, Mesh
from bastion_core.geometry.walls import points_on

Style = Literal["branching", "grid", "none"]
STYLES: tuple[Style, ...] = ("branching", "grid", "none")
LEAN_DEG = 40.0
"""How far a branch leans from the upright; common practice, no source."""
TIP_MM2, TIP_MM, TRUNK_MM = 22.0, 0.8, 6.0
"""Overhang that one tip holds (about a tip every 4.7 mm), radius of a branch under its tip, and of a trunk at most; common practice, no source."""
GROWS, TAPER_DEG, MOST_CARRIED = 0.3, 1.7, 50
"""A branch that carries n tips is n to this power thicker than one, and so many degrees wider on its way down; a trunk carries no more tips than
the last. Common practice, no source."""
GAP_MM = 0.8
"""Between a branch and the part beside it; common practice, no source."""
DENSITY = 0.15
"""Of a grid; common practice, no source."""
LINE_MM = 0.45
TRUNK_LINES = 2
"""A branch is printed as so many walls, empty inside; common practice, no source."""
INTERFACE_MM, INTERFACE_DENSITY = 0.5, 0.7
"""A roof under what is held, so thick and so dense, on branches and grids alike; common practice, no source."""
_PITCH_MM, _CELLS_ACROSS, _STEP_MM = (1.0, 2.0), 100, 1.0
"""Cells of a level: so many across the part, within bounds."""
_LEAST_DROP_MM = 1.0
TWIG_MM, _TO_A_TRUNK = 14.0, 22.0
"""How far down branches mostly go by themselves, and how many tips then share one: read off ``support_of`` on domes, helmets and plates."""
_MERGES = 1.2


@dataclass(frozen=True, eq=False)
class Contacts:
    """Where a lying part hangs over air: which faces, their level areas mm², how far down to what is below, whether that is the part."""

    faces: Ints
    """(n,) their numbers in the mesh."""
    triangles: Floats
    """(n, 3, 3)"""
    area_mm2: Floats
    drop_mm: Floats
    on_part: NDArray[np.bool_]

    @property
    def points(self) -> Floats:
        """(n, 3): their middles."""
        return np.asarray(self.triangles.mean(axis=1))

    def take(self, keep: NDArray[np.bool_]) -> "Contacts":
        """Some of them."""
        return Contacts(self.faces[keep], self.triangles[keep], self.area_mm2[keep], self.drop_mm[keep], self.on_part[keep])


@dataclass(frozen=True, eq=False)
class Support:
    """What is printed to hold a part up: its area in each level (mm², levels of ``step_mm`` from the bed)."""

    style: Style
    step_mm: float
    area_mm2: Floats
    stands_on_part: int
    """Branches, or columns under a face each, that begin on the part itself, and leave scars there."""
    held_mm2: float
    """Level area of all that hangs."""
    segments: Floats
    """(k, 8): branches as cones from a place (x, y, z, radius) to another; empty for a grid."""

    @property
    def volume_mm3(self) -> float:
        """All of it."""
        return float(self.area_mm2.sum()) * self.step_mm


Spots = Sequence[tuple[Floats, float]]
"""Places (3,) and how far they reach round (mm)."""


@dataclass(frozen=True, eq=False)
class Holding:
    """What is to be held of a lying part: all that hangs further out than so many degrees from the upright, but for what the maker said."""

    from_deg: float = 45.0
    bed_only: bool = False
    """Nothing that hangs over the part itself."""
    spared: Spots = ()
    """Nothing is held there."""
    held: Spots = ()
    """All that looks down is held there, however steep."""

    def lying(self, matrix: Floats) -> "Holding":
        """The same in another frame: 4x4, a turn and a move."""
        there = lambda spots: [(matrix[:3, :3] @ at + matrix[:3, 3], reach) for at, reach in spots]  # noqa: E731
        return replace(self, spared=there(self.spared), held=there(self.held))


def _within(points: Floats, spots: Spots) -> NDArray[np.bool_]:
    """(n,): which points lie within any of the balls."""
    inside = np.zeros(len(points), np.bool_)
    for at, reach in spots:
        inside |= np.linalg.norm(points - at, axis=1) <= reach
    return inside


_HARDLY_DOWN = 0.05


def hanging(mesh: Mesh, holding: Holding) -> Contacts:
    """Where a lying mesh (foot at its lowest z) hangs over air and is to be held."""
    bed_mm = float(mesh.bounds[0, 2])
    lengths = np.linalg.norm(mesh.area_vectors, axis=1)
    level = -mesh.area_vectors[:, 2]
    middles = mesh.triangles.mean(axis=1)
    out = level > np.sin(np.radians(holding.from_deg)) * lengths
    if holding.held:
        out |= (level > _HARDLY_DOWN * lengths) & _within(middles, holding.held)
    out &= (lengths > 1e-9) & (middles[:, 2] - bed_mm > 0.3) & ~_within(middles, holding.spared)
    triangles, points = mesh.triangles[out], middles[out]
    if not len(points):
        return Contacts(np.zeros(0, np.int64), np.zeros((0, 3, 3)), np.zeros(0), np.zeros(0), np.zeros(0, bool))
    distance, _ = mesh.rays.first_hits(points - np.array([0.0, 0.0, 1e-3]), np.tile([0.0, 0.0, -1.0], (len(points), 1)))
    drop = np.minimum(distance, points[:, 2] - bed_mm)
    found = Contacts(np.flatnonzero(out), triangles, level[out], drop, distance < points[:, 2] - bed_mm)
    return found.take((drop > _LEAST_DROP_MM) & ~(holding.bed_only & found.on_part))


def support_of(mesh: Mesh, style: Style, holding: Holding = Holding()) -> Support:
    """The support of a lying mesh, under all that ``hanging`` finds to be held."""
    contacts = hanging(mesh, holding)
    held = float(contacts.area_mm2.sum())
    if style == "none" or not len(contacts.triangles):
        return Support("none", _STEP_MM, np.zeros(0), 0, held, np.zeros((0, 8)))
    return _grid(mesh, contacts, held) if style == "grid" else _branching(mesh, contacts, held)


def _grid(mesh: Mesh, contacts: Contacts, held: float) -> Support:
    """Columns under all that hangs, down to what is below, sparse but for their last layers."""
    bottom = float(mesh.bounds[0, 2])
    top = (contacts.points[:, 2] - bottom) / _STEP_MM
    foot = top - contacts.drop_mm / _STEP_MM
    count = int(np.ceil(top.max())) + 1
    area = np.zeros(count)
    # A column fills a share of its first and last level.
    for edges, sign in ((foot, 1.0), (top, -1.0)):
        whole = np.floor(edges).astype(np.int64)
        share = edges - whole
        area += np.bincount(whole, contacts.area_mm2 * sign * (1 - share), minlength=count)
        area += np.bincount(np.minimum(whole + 1, count - 1), contacts.area_mm2 * sign * share, minlength=count)
    columns = np.maximum(np.cumsum(area), 0.0)
    printed = columns * DENSITY + _roofs(contacts, bottom, count)
    return Support("grid", _STEP_MM, printed, int(contacts.on_part.sum()), held, np.zeros((0, 8)))


def _roofs(contacts: Contacts, bottom: float, count: int) -> Floats:
    """(count,): the dense roof just under what is held, in its levels."""
    level = np.clip(((contacts.points[:, 2] - bottom) / _STEP_MM).astype(np.int64), 0, count - 1)
    return np.asarray(
        np.bincount(level, contacts.area_mm2 * INTERFACE_DENSITY * INTERFACE_MM / _STEP_MM, minlength=count), dtype=np.float64
    )


def about_mm3(area_mm2: Floats, drop_mm: Floats, style: Style) -> float:
    """About what ``support_of`` comes to, from the level areas that hang and how far: for comparing ways to lie, a thousandth of its time.

    Of branches: a roof, a twig to every tip until it meets others, a trunk to every so many.
    """
    short = np.minimum(drop_mm, TWIG_MM)
    return held_mm3(float(area_mm2.sum()), float(area_mm2 @ drop_mm), float(area_mm2 @ short), style)


def held_mm3(area_mm2: float, drop_mm3: float, short_mm3: float, style: Style) -> float:
    """The same from sums: level area that hangs, the space under it, and that no further than ``TWIG_MM`` under it."""
    if style == "none":
        return 0.0
    roof = area_mm2 * INTERFACE_DENSITY * INTERFACE_MM
    if style == "grid":
        return roof + DENSITY * drop_mm3
    return roof + (_TWIG_MM2 * short_mm3 + _TRUNK_MM2 * (drop_mm3 - short_mm3) / _TO_A_TRUNK) / TIP_MM2


def tips_of(contacts: Contacts) -> Floats:
    """(n, 3): places on what hangs, one for each so many mm² of it, spread over it."""
    share = np.cumsum(contacts.area_mm2)
    count = max(int(np.ceil(share[-1] / TIP_MM2)), 1)
    # Many more than are wanted, thinned so that none is near another: spread evenly whatever the mesh.
    rng = np.random.default_rng(11)
    corners = contacts.triangles[np.searchsorted(share, rng.random(12 * count) * share[-1]).clip(0, len(share) - 1)]
    drawn = points_on(corners, rng)
    apart = 0.8 * float(np.sqrt(TIP_MM2))
    tree = cKDTree(drawn)
    taken = np.zeros(len(drawn), bool)
    blocked = np.zeros(len(drawn), bool)
    for k, near in enumerate(tree.query_ball_point(drawn, apart)):
        if not blocked[k]:
            taken[k] = True
            blocked[near] = True
    return np.asarray(drawn[taken])


@dataclass(frozen=True, eq=False)
class _Room:
    """Levels of a part seen from above: at each, how far every cell is from the part (mm, 0 inside)."""

    filled: NDArray[np.bool_]
    """(levels, rows, columns)"""
    low: Floats
    pitch_mm: float

    @classmethod
    def of(cls, mesh: Mesh, margin_mm: float = 6.0) -> "_Room":
        margin = np.array([margin_mm, margin_mm, 0.0])
        low, size = mesh.bounds[0] - margin, mesh.size + 2 * margin
        pitch = float(np.clip(size[:2].max() / _CELLS_ACROSS, *_PITCH_MM))
        columns, rows = (int(np.ceil(size[k] / pitch)) for k in (0, 1))
        levels = int(np.ceil(size[2] / _STEP_MM)) + 1
        x, y = (low[k] + (np.arange(n) + 0.5) * pitch for k, n in ((0, columns), (1, rows)))
        grid_x, grid_y = np.meshgrid(x, y)
        starts = np.column_stack([grid_x.ravel(), grid_y.ravel(), np.full(grid_x.size, low[2] - 1.0)])
        ray, distance, entering = mesh.rays.all_hits(starts, np.tile([0.0, 0.0, 1.0], (len(starts), 1)))
        at = np.clip(np.round((distance - 1.0) / _STEP_MM).astype(np.int64), 0, levels)
        change = np.zeros((levels + 1) * len(starts), np.int32)
        np.add.at(change, at * len(starts) + ray, np.where(entering, 1, -1).astype(np.int32))
        filled = np.cumsum(change.reshape(levels + 1, -1), axis=0)[:levels] > 0
        return cls(filled.reshape(levels, rows, columns), low, pitch)

    def free_mm(self, level: int) -> Floats:
        """(rows, columns): how far from the part each cell of a level is."""
        here = self.filled[level]
        if not here.any():
            return np.full(here.shape, 1e3)
        return np.asarray(distance_transform_edt(~here)) * self.pitch_mm

    def cells(self, places: Floats) -> tuple[Ints, Ints]:
        """Rows and columns of places (n, 2)."""
        _, rows, columns = self.filled.shape
        at = ((places - self.low[:2]) / self.pitch_mm).astype(np.int64)
        return np.clip(at[:, 1], 0, rows - 1), np.clip(at[:, 0], 0, columns - 1)


def radius_of(carried: Floats, down_mm: Floats) -> Floats:
    """(n,): how thick a branch is that carries so many tips, so far below the highest of them (mm)."""
    return np.asarray(np.minimum(TIP_MM * carried**GROWS + down_mm * np.tan(np.radians(TAPER_DEG)), TRUNK_MM))


def ring_mm2(radius: Floats) -> Floats:
    """(n,): what is printed of a round branch: its walls."""
    inner = np.maximum(radius - TRUNK_LINES * LINE_MM, 0.0)
    return np.asarray(np.pi * (radius**2 - inner**2))


_TWIG_MM2, _TRUNK_MM2 = ring_mm2(np.array([1.1 * TIP_MM, 0.8 * TRUNK_MM])).tolist()
"""Of a usual twig and trunk, where branches are only estimated."""


def _branching(mesh: Mesh, contacts: Contacts, held: float) -> Support:
    room = _Room.of(mesh)
    tips = tips_of(contacts)
    levels = room.filled.shape[0]
    born = np.clip(((tips[:, 2] - room.low[2]) / _STEP_MM).astype(np.int64), 0, levels - 1)
    order = np.argsort(-born, kind="stable")
    tips, born = tips[order], born[order]
    area = np.zeros(levels)
    reach = float(np.tan(np.radians(LEAN_DEG))) * _STEP_MM
    place, carried, clear, begun = np.zeros((0, 2)), np.zeros(0), np.zeros(0), np.zeros(0)
    segments: list[Floats] = []
    next_tip, on_part = 0, 0
    for level in range(levels - 1, -1, -1):
        z = room.low[2] + level * _STEP_MM
        last = next_tip
        while next_tip < len(tips) and born[next_tip] >= level:
            next_tip += 1
        if next_tip > last:
            fresh = tips[last:next_tip]
            place = np.concatenate([place, fresh[:, :2]])
            carried = np.concatenate([carried, np.ones(len(fresh))])
            # A tip begins right under the part: the gap it keeps grows from there on.
            clear = np.concatenate([clear, np.zeros(len(fresh))])
            begun = np.concatenate([begun, fresh[:, 2]])
        if not len(place):
            continue
        radius = radius_of(carried, np.maximum(begun - z, 0.0))
        area[level] += float(ring_mm2(radius).sum())
        if level == 0:
            break
        below = room.free_mm(level - 1)
        wanted = np.minimum(clear + 0.5 * _STEP_MM, GAP_MM + radius)
        moved = place + _toward(place, carried, z - room.low[2], reach)
        moved = _kept_clear(room, below, place, moved, wanted, reach)
        row, column = room.cells(moved)
        stuck = below[row, column] <= 0.0
        on_part += int(stuck.sum())
        segments.append(np.column_stack([place, np.full(len(place), z), radius, moved, np.full(len(place), z - _STEP_MM), radius]))
        place, carried, clear, begun, radius = moved[~stuck], carried[~stuck], wanted[~stuck], begun[~stuck], radius[~stuck]
        place, carried, clear, begun = _merged(place, carried, clear, begun, radius)
    lines = np.concatenate(segments) if segments else np.zeros((0, 8))
    area += _roofs(contacts, float(room.low[2]), levels)
    return Support("branching", _STEP_MM, area, on_part, held, lines)


def _toward(place: Floats, carried: Floats, height_mm: float, reach: float) -> Floats:
    """(n, 2): how each branch leans in one level: toward its nearest neighbour where they can still meet over the bed."""
    if len(place) < 2:
        return np.zeros_like(place)
    distance, neighbour = cKDTree(place).query(place, k=2)
    way = place[neighbour[:, 1]] - place
    far = distance[:, 1]
    meets = (far / 2 < height_mm / _STEP_MM * reach) & (carried + carried[neighbour[:, 1]] <= MOST_CARRIED)
    # The lighter one comes to the heavier.
    other = carried[neighbour[:, 1]]
    share = np.clip(other / (other + carried), 0.25, 0.75)
    step = np.minimum(reach, far * share)
    return np.where(meets[:, None], way / np.maximum(far, 1e-9)[:, None] * step[:, None], 0.0)


def _kept_clear(room: _Room, below: Floats, place: Floats, moved: Floats, wanted: Floats, reach: float) -> Floats:
    """The places of the next level, pushed away from the part where they would come too near."""
    row, column = room.cells(moved)
    near = below[row, column] < wanted
    if not near.any():
        return moved
    out = moved.copy()
    angles = np.arange(16) * (2 * np.pi / 16)
    ring = np.column_stack([np.cos(angles), np.sin(angles)])
    tried = np.concatenate(
        [place[near][:, None, :], place[near][:, None, :] + ring[None] * reach, place[near][:, None, :] + ring[None] * reach / 2], axis=1
    )
    r, c = room.cells(tried.reshape(-1, 2))
    free = below[r, c].reshape(tried.shape[:2])
    # As near as can be to where it was going, among those that are clear; else the clearest.
    off = np.linalg.norm(tried - moved[near][:, None, :], axis=2)
    good = free >= wanted[near][:, None]
    cost = np.where(good, off, 1e3 - free)
    out[near] = tried[np.arange(len(tried)), np.argmin(cost, axis=1)]
    return out


def _merged(place: Floats, carried: Floats, clear: Floats, begun: Floats, radius: Floats) -> tuple[Floats, Floats, Floats, Floats]:
    """Branches that have met as one."""
    same = place, carried, clear, begun
    if len(place) < 2:
        return same
    pairs = cKDTree(place).query_pairs(float(_MERGES * radius.max()), output_type="ndarray")
    if not len(pairs):
        return same
    apart = np.linalg.norm(place[pairs[:, 0]] - place[pairs[:, 1]], axis=1)
    pairs = pairs[(apart < _MERGES * radius[pairs].max(axis=1)) & (carried[pairs].sum(axis=1) <= MOST_CARRIED)]
    if not len(pairs):
        return same
    count = len(place)
    joined, label = connected_components(coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), (count, count)), directed=False)
    total = np.asarray(np.bincount(label, carried, minlength=joined), dtype=np.float64)
    middle = np.column_stack([np.bincount(label, place[:, k] * carried, minlength=joined) / total for k in (0, 1)])
    cleared, highest = np.full(joined, np.inf), np.zeros(joined)
    np.minimum.at(cleared, label, clear)
    np.maximum.at(highest, label, begun)
    return middle, total, cleared, highest


def mesh_of(support: Support) -> Mesh:
    """Branches as bodies to look at: a four-sided stick for each level of each."""
    ends = support.segments
    turn = np.arange(4) * (np.pi / 2)
    ring = np.column_stack([np.cos(turn), np.sin(turn), np.zeros(4)])
    upper = ends[:, None, :3] + ring[None] * ends[:, None, 3:4]
    lower = ends[:, None, 4:7] + ring[None] * ends[:, None, 7:8]
    corners = np.concatenate([upper, lower], axis=1).reshape(-1, 3)
    k = np.arange(4)
    sides = np.concatenate([np.column_stack([k, (k + 1) % 4, k + 4]), np.column_stack([(k + 1) % 4, (k + 1) % 4 + 4, k + 4])])
    faces = (sides[None] + 8 * np.arange(len(ends))[:, None, None]).reshape(-1, 3)
    return Mesh(corners, np.ascontiguousarray(faces[:, ::-1]).astype(np.int64))
