"""Hours, grams and support of boxes cut out of a piece, lying on any of their six sides, in about a millisecond: for searches through thousands.

The piece is shot through once along each axis, on a grid: that leaves intervals of matter. A part bounded by axis planes is those
intervals, clipped; volume, foot, overhangs and the space under them are plain sums over them. What walls take follows from the upright
faces, which are summed from the triangles by the cell of space they lie in. Lines are laid at an average speed.
"""

from collections.abc import Sequence
from copy import copy
from dataclasses import dataclass
from functools import cache
from importlib import import_module
from types import ModuleType

import numpy as np
from numpy.typing import NDArray

from bastion_core.geometry.arrays import three
from bastion_core.geometry.mesh import Floats, Ints, Mesh
from bastion_core.print.profile import SKIN_SPEED, Profile, material
from bastion_core.print.sanding import steps_mm
from bastion_core.print.supports import TWIG_MM, held_mm3
from bastion_core.shop import Printer

PITCH_MM = 2.5
_NEAR_BED_MM, _LEAST_GAP_MM = 0.3, 1.0
"""What is no higher over the bed lies on it; what has less under it is not held."""
_AVERAGE = {"outer": 1.0, "inner": 0.97, "skins": 0.72, "infill": 0.75, "support": 0.75}
"""What lines come to of their speed with all their starts and stops: read off the full estimate."""
_ISLAND_S = 0.6
"""Travel and seams of a layer: read off the full estimate."""


@dataclass(frozen=True)
class Quick:
    """About what a part takes as it lies."""

    hours: float
    filament_g: float
    support_g: float
    volume_mm3: float
    height_mm: float
    foot_mm2: float
    held_mm2: float
    """Level area that is held."""


@dataclass(frozen=True)
class Raw:
    """What a part is made of as it lies, before a printer is chosen for it."""

    axis: int
    downward: bool
    mm3: dict[str, float]
    """Of each kind of line."""
    size_mm: tuple[float, float, float]
    """Across (the two other axes in order), and upright."""
    volume_mm3: float
    foot_mm2: float
    held_mm2: float
    scars_cm2: float
    """Of faces that show, where they are held."""
    steps_mm_cm2: float
    """Of faces that show: how deep their steps are, by their area."""

    def on(self, profile: Profile, printer: Printer) -> Quick:
        """On a printer."""
        hours, grams = _laid(self.mm3, self.size_mm[2], profile, printer)
        support = self.mm3["support"] / 1000 * material(profile.material).density_g_cm3
        return Quick(hours, grams, support, self.volume_mm3, self.size_mm[2], self.foot_mm2, self.held_mm2)


@dataclass(frozen=True, eq=False)
class _Shot:
    """A piece shot through along one axis: intervals of matter, sorted by their column and height."""

    across: Floats
    """(k, 2): where their columns stand, on the two other axes in order."""
    column: Ints
    low: Floats
    high: Floats
    slopes: Floats
    """(2, k): how far the face at the lower end looks down, that at the upper end up (0 to 1), 1 where it is level."""
    shows: NDArray[np.bool_]
    """(2, k): whether the faces at either end are seen."""

    def chosen(self, which: NDArray[np.bool_]) -> "_Shot":
        """Only some of its intervals."""
        slopes, shows = np.ascontiguousarray(self.slopes[:, which]), np.ascontiguousarray(self.shows[:, which])
        return _Shot(self.across[which], self.column[which], self.low[which], self.high[which], slopes, shows)


@dataclass(frozen=True, eq=False)
class _Faces:
    """Faces of a piece."""

    middles: Floats
    """(m, 3)"""
    areas: Floats
    lean: Floats
    """(m, 3): how level each is when that axis is upright."""
    aside: Floats
    """(m, 3): how upright."""
    stepped: Floats
    """(m, 3): of what shows, how deep the steps of layers of 1 mm are, by area."""

    def within(self, low: Floats, high: Floats) -> Ints:
        """Which have their middle between two corners (3,)."""
        x, y, z = self.middles.T
        return np.flatnonzero((x > low[0]) & (x < high[0]) & (y > low[1]) & (y < high[1]) & (z > low[2]) & (z < high[2]))

    def chosen(self, which: Ints) -> "_Faces":
        """Only some of them."""
        return _Faces(*(a[which] for a in (self.middles, self.areas, self.lean, self.aside, self.stepped)))


@cache
def _sums() -> ModuleType:
    """Brings a compiler along: half a second at the start that only those pay who search."""
    return import_module("bastion_core.print.sums")


class Probe:
    """A piece made ready to be judged in parts. ``shows`` (m,) says which of its faces are seen when it is worn; all of them where not given."""

    def __init__(self, mesh: Mesh, pitch_mm: float = PITCH_MM, shows: NDArray[np.bool_] | None = None) -> None:
        self.pitch_mm = pitch_mm
        self.bounds = mesh.bounds
        seen = np.ones(len(mesh.faces), np.bool_) if shows is None else shows
        self._shots = tuple(self._shot(mesh, axis, seen) for axis in range(3))
        areas = np.linalg.norm(mesh.area_vectors, axis=1)
        lean = np.abs(mesh.area_vectors) / np.maximum(areas, 1e-12)[:, None]
        aside = np.sqrt(np.maximum(1 - lean**2, 0.0))
        stepped = areas[:, None] * steps_mm(lean, 1.0) * seen[:, None] / 100
        self._faces = _Faces(*(np.ascontiguousarray(a) for a in (mesh.triangles.mean(axis=1), areas, lean, aside, stepped)))

    def part(self, low: Floats, high: Floats) -> "Probe":
        """The same for what is between two corners (3,): boxes within it are judged alike, and sooner."""
        part = copy(self)
        part._faces = self._faces.chosen(self._faces.within(low, high))
        part._shots = tuple(shot.chosen(self._within(low, high, axis)) for axis, shot in enumerate(self._shots))
        return part

    def _shot(self, mesh: Mesh, axis: int, seen: NDArray[np.bool_]) -> _Shot:
        a, b = (k for k in range(3) if k != axis)
        low, high = mesh.bounds
        at = [np.arange(low[k] + self.pitch_mm / 2, high[k], self.pitch_mm) for k in (a, b)]
        grid = np.stack(np.meshgrid(*at, indexing="ij"), axis=-1).reshape(-1, 2)
        starts = np.zeros((len(grid), 3))
        # Off the grid by a hair: rays along edges of a mesh are counted twice.
        starts[:, [a, b]] = grid + np.array([0.0137, 0.0071])
        starts[:, axis] = low[axis] - 1.0
        up = np.zeros(3)
        up[axis] = 1.0
        ray, distance, face = mesh.rays.all_faces(starts, np.tile(up, (len(starts), 1)))
        height = distance - 1.0 + low[axis]
        slope = mesh.area_vectors[face, axis] / np.maximum(np.linalg.norm(mesh.area_vectors[face], axis=1), 1e-12)
        # Within how many bodies each hit lies: matter begins where none was before, ends where none is after.
        step = np.where(slope < 0, 1, -1)
        within = np.cumsum(step)
        first = np.searchsorted(ray, ray, side="left")
        within = within - np.where(first > 0, within[first - 1], 0)
        begin, end = np.flatnonzero((step > 0) & (within == 1)), np.flatnonzero((step < 0) & (within == 0))
        # A ray along an edge does not come out even.
        even = np.bincount(ray, step, minlength=len(starts)) == 0
        begin, end = begin[even[ray[begin]]], end[even[ray[end]]]
        count = min(len(begin), len(end))
        begin, end = begin[:count], end[:count]
        slopes, shows = np.stack([-slope[begin], slope[end]]), np.stack([seen[face[begin]], seen[face[end]]])
        return _Shot(grid[ray[begin]], ray[begin], height[begin], height[end], slopes, shows)

    def judge(self, low: Floats, high: Floats, axis: int, downward: bool, profile: Profile, printer: Printer) -> Quick | None:
        """The part between two corners (3,), lying with ``axis`` upright (or upside down); None where there is nothing of it."""
        found = next((r for r in self.lyings(low, high, profile, (axis,)) if r.downward == downward), None)
        return None if found is None else found.on(profile, printer)

    def lyings(self, low: Floats, high: Floats, profile: Profile, axes: Sequence[int] = (0, 1, 2)) -> list[Raw]:
        """The part between two corners (3,) with each of ``axes`` upright and upside down; nothing where there is nothing of it."""
        sizes = self.sizes_mm(low, high)
        if sizes is None:
            return []
        f, cell, line, skin = self._faces, self.pitch_mm**2, profile.line_width_mm, profile.skin_layers * profile.layer_mm
        walls = _sums().walls(f.middles, f.areas, f.lean, f.aside, f.stepped, low, high, profile.walls * line, skin)
        crossed = self._crossed(low, high)
        # Matter is the same whichever way it lies, but the grid sees it a little differently along each axis.
        told = {axis: self._matter(low, high, axis, profile) for axis in axes}
        # Less than two lines between the walls are filled; a wall that leans is as much thicker across.
        thick = [2 * told[axis][0] * cell / max(walls[axis, 0], 1e-9) if axis in told else np.inf for axis in range(3)]
        thin = _sums().thin(f.middles, f.areas, f.aside, low, high, np.array(thick) / (2 * (profile.walls + 1) * line))
        found = []
        for axis, (length, cut, lyings) in told.items():
            volume, upright = length * cell, float(walls[axis, 1])
            # Walls: upright area of its faces, and of the cut faces that stand. The outer one first, the others as far as there is room.
            standing = upright + sum(n for other, n in enumerate(crossed) if other != axis) * cell
            outer = min(standing * line, volume)
            inner = min((profile.walls - 1) * standing * line, volume - outer)
            rest = volume - outer - inner
            skins = min((float(walls[axis, 2]) + cell * cut) * skin, rest)
            skins += (rest - skins) * float(thin[axis]) / max(upright, 1e-9)
            mm3 = {"outer": outer, "inner": inner, "skins": skins, "infill": (rest - skins) * profile.infill}
            across = [sizes[k] for k in range(3) if k != axis]
            steps = float(walls[axis, 3]) * profile.layer_mm
            for downward, (feet, hung, gaps, short, scars, bed, top) in zip((False, True), lyings.tolist(), strict=True):
                support = held_mm3(hung * cell, gaps * cell, short * cell, profile.support)
                scars_cm2 = 0.0 if profile.support == "none" else cell / 100 * scars
                size = (across[0], across[1], top - bed)
                held = hung * cell
                found.append(Raw(axis, downward, mm3 | {"support": support}, size, volume, feet * cell, held, scars_cm2, steps))
        return found

    def sizes_mm(self, low: Floats, high: Floats) -> tuple[float, float, float] | None:
        """How large the part between two corners (3,) is; None where there is nothing of it."""
        ends = [_sums().reach(shot.across, shot.low, shot.high, low, high, axis) for axis, shot in enumerate(self._shots)]
        return three([last - first for first, last in ends]) if all(last > first for first, last in ends) else None

    def lopsided(self) -> float:
        """How far the piece is from its own mirror image, left to right: 0 where they are the same, 1 where all of it is on one side."""
        shot, middle = self._shots[0], float(self.bounds[:, 0].mean())
        thick = shot.high - shot.low
        off = np.bincount(shot.column, thick * ((shot.low + shot.high) / 2 - middle))
        return float(np.abs(off).sum() / max((thick * np.abs((shot.low + shot.high) / 2 - middle)).sum(), 1e-9))

    def _within(self, low: Floats, high: Floats, axis: int) -> NDArray[np.bool_]:
        shot = self._shots[axis]
        a, b = (k for k in range(3) if k != axis)
        return np.asarray(
            (shot.across[:, 0] > low[a]) & (shot.across[:, 0] < high[a]) & (shot.across[:, 1] > low[b]) & (shot.across[:, 1] < high[b])
            & (shot.low < high[axis]) & (shot.high > low[axis])
        )  # fmt: skip

    def _matter(self, low: Floats, high: Floats, axis: int, profile: Profile) -> tuple[float, int, Floats]:
        shot, hangs_from = self._shots[axis], float(np.sin(np.radians(profile.support_from_deg)))
        return _sums().matter(
            shot.across, shot.column, shot.low, shot.high, shot.slopes, shot.shows, low, high,
            axis, hangs_from, profile.support_bed_only, _NEAR_BED_MM, _LEAST_GAP_MM, TWIG_MM,
        )  # fmt: skip

    def _crossed(self, low: Floats, high: Floats) -> list[int]:
        """By axis: how many rays along it the faces meet that cutting leaves across it."""
        return [
            sum(_sums().crossed(shot.across, shot.low, shot.high, low, high, axis, at)
                for at in (low[axis], high[axis]) if self.bounds[0, axis] < at < self.bounds[1, axis])
            for axis, shot in enumerate(self._shots)
        ]  # fmt: skip


def _laid(mm3: dict[str, float], tall_mm: float, profile: Profile, printer: Printer) -> tuple[float, float]:
    """Hours and grams of so much of each kind of line."""
    stuff = material(profile.material)
    line = profile.line_width_mm * profile.layer_mm
    share = {"outer": profile.outer_wall_speed, "skins": SKIN_SPEED}
    seconds = sum(
        v / line / (_AVERAGE[kind] * min(printer.speed_mm_s * share.get(kind, 1.0), profile.most_speed_mm_s)) for kind, v in mm3.items()
    )
    layers = tall_mm / profile.layer_mm
    each = max(seconds / max(layers, 1.0) + _ISLAND_S, profile.least_layer_s) + profile.layer_change_s
    return layers * each / 3600 + printer.warm_up_h, sum(mm3.values()) / 1000 * stuff.density_g_cm3
