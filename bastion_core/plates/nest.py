"""Outlines nested onto beds, each free to turn: which lie together, and where.

On a grid of millimetres: a bed is a picture of what is taken, every outline a picture in each of its turns, and one correlation (by the fast
Fourier transform) tells all places at which they do not meet. ``overlaps`` checks what is laid once more, by the exact outlines.
"""

from collections.abc import Callable, Mapping, Sequence
from copy import copy
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy import fft
from scipy.ndimage import binary_dilation
from shapely import affinity
from shapely.geometry.base import BaseGeometry

from bastion_core.geometry.mesh import Floats
from bastion_core.progress import Progress, silent

TURNS = 16
GAP_MM = 4.0
"""Between two parts on a bed, so that a blade gets in; common practice (3 to 6 mm), no source."""
_LEAST_CELL_MM, _CELLS = 1.0, 105
"""Coarser than a millimetre on large beds: what is lost at the edges is less than what more tries find in the same time."""
_TRIES, _TRIED_PARTS = 14, 30
"""Each bed is filled so often, in other orders, and the fullest is taken; for more parts less often."""
_NEAR = 3
"""Cells round an outline that are looked at for what it would touch."""
_LARGE = 0.2
"""Of a bed: smaller outlines are not asked whether they could share one."""


@dataclass(frozen=True, eq=False)
class Outline:
    """What is to be laid: a name and the ground it takes (mm, any place); ``alike`` parts go onto one bed."""

    name: str
    ground: BaseGeometry
    alike: str = ""


@dataclass(frozen=True)
class Spot:
    """Where an outline lies: turned about its own origin, then moved (mm)."""

    turn_deg: float
    x_mm: float
    y_mm: float

    def matrix(self) -> Floats:
        """4x4 from the part's file to the bed."""
        c, s = np.cos(np.radians(self.turn_deg)), np.sin(np.radians(self.turn_deg))
        return np.array([[c, -s, 0, self.x_mm], [s, c, 0, self.y_mm], [0, 0, 1, 0], [0, 0, 0, 1.0]])

    def place(self, ground: BaseGeometry) -> BaseGeometry:
        """The ground as it lies."""
        return affinity.translate(affinity.rotate(ground, self.turn_deg, origin=(0, 0)), self.x_mm, self.y_mm)


@dataclass(frozen=True, eq=False)
class Laid:
    """A bed and what lies on it, by name."""

    spots: Mapping[str, Spot]
    alike: str
    beyond: bool = False
    """Its one part reaches over the margin with its supports or brim: the bed has that room, but look at it."""


@dataclass(frozen=True, eq=False)
class _Shape:
    """An outline as pictures: in each turn, the ground and its picture (half a gap wider)."""

    outline: Outline
    turned: tuple[tuple[float, BaseGeometry], ...]
    grids: tuple[Floats, ...]
    area_mm2: float


class _Grid:
    """A bed as a grid of cells."""

    def __init__(self, bed: BaseGeometry, gap_mm: float) -> None:
        self.bed, self.gap_mm = bed, gap_mm
        low_x, low_y, high_x, high_y = bed.bounds
        self.low = np.array([low_x, low_y]) - gap_mm / 2
        size = np.array([high_x - low_x, high_y - low_y]) + gap_mm
        self.cell = max(_LEAST_CELL_MM, float(size.max()) / _CELLS)
        self.shape = tuple(int(np.floor(v / self.cell)) for v in size[::-1])
        self.fast = tuple(fft.next_fast_len(n + 2 * _NEAR, real=True) for n in self.shape)
        grown = bed.buffer(gap_mm / 2, join_style="mitre")
        rows, columns = self.shape
        self.closed = ~_covered(grown, self.low, self.cell, rows, columns, whole=True)

    @cached_property
    def free_mm2(self) -> float:
        return float(self.bed.buffer(self.gap_mm / 2, join_style="mitre").area)

    def wide(self, ground: BaseGeometry) -> BaseGeometry:
        """A ground half a gap wider."""
        # Round it, not inside it: the chords of a buffer would come too near, and its input is thinned by a hundredth of it.
        return ground.buffer(self.gap_mm / 2 / np.cos(np.pi / 16) * 1.01 + 0.01, quad_segs=4)

    def picture(self, ground: BaseGeometry) -> Floats:
        """(rows, columns) of 0 and 1: every cell that the ground, half a gap wider, touches."""
        wide = self.wide(ground)
        low_x, low_y, high_x, high_y = wide.bounds
        rows, columns = (max(1, int(np.ceil((b - a) / self.cell))) for a, b in ((low_y, high_y), (low_x, high_x)))
        return _covered(wide, np.array([low_x, low_y]), self.cell, rows, columns, whole=False).astype(np.float32)

    def at(self, ground: BaseGeometry, row: int, column: int) -> tuple[float, float]:
        """The move (mm) that brings a turned ground to where its picture begins in this cell."""
        low_x, low_y, *_ = self.wide(ground).bounds
        corner = self.low + np.array([column, row]) * self.cell
        return float(corner[0] - low_x), float(corner[1] - low_y)


def _covered(shape: BaseGeometry, low: Floats, cell: float, rows: int, columns: int, whole: bool) -> NDArray[np.bool_]:
    """(rows, columns) of bool: cells that lie wholly in a shape, or touch it."""
    x = low[0] + np.arange(columns + 1) * cell
    y = low[1] + np.arange(rows + 1) * cell
    shapely.prepare(shape)
    if whole:
        boxes = shapely.box(*(v.ravel() for v in np.broadcast_arrays(x[None, :-1], y[:-1, None], x[None, 1:], y[1:, None])))
        return np.asarray(shapely.covers(shape, boxes)).reshape(rows, columns)
    inside = np.asarray(shapely.contains_xy(shape, *(v.ravel() for v in np.meshgrid(x, y)))).reshape(rows + 1, columns + 1)
    touched = inside[:-1, :-1] | inside[1:, :-1] | inside[:-1, 1:] | inside[1:, 1:]
    # What slips between corners: the outline itself, walked in steps of a third of a cell.
    ring = shapely.segmentize(shape.boundary, cell / 3)
    points = shapely.get_coordinates(ring)
    column = np.clip(((points[:, 0] - low[0]) / cell).astype(np.int64), 0, columns - 1)
    row = np.clip(((points[:, 1] - low[1]) / cell).astype(np.int64), 0, rows - 1)
    touched[row, column] = True
    return touched


Together = Callable[[Sequence[str], str], bool]
"""Whether a part may go onto a bed beside those there."""


class _Bed:
    """A bed being filled."""

    def __init__(self, grid: _Grid, alike: str) -> None:
        self.grid, self.alike = grid, alike
        self.taken = grid.closed.astype(np.float32)
        self.spots: dict[str, Spot] = {}
        self.used_mm2 = 0.0

    def place(self, shape: _Shape, spectra: Sequence["_Spectra"]) -> tuple[int, int, int] | None:
        """Turn, row and column where a shape meets nothing and touches most of what is there or of the edge; None where there is no place."""
        # The edge counts as taken: beds fill from their rims inward, and what is left stays in one piece.
        round_it = fft.rfft2(np.pad(np.minimum(self.taken, 1.0), _NEAR, constant_values=1.0), self.grid.fast)
        best: tuple[float, int, int, int] | None = None
        rows, columns = self.grid.shape
        for number, (picture, known) in enumerate(zip(shape.grids, spectra, strict=True)):
            if known is None:
                continue
            high, wide = picture.shape
            places = slice(_NEAR, _NEAR + rows - high + 1), slice(_NEAR, _NEAR + columns - wide + 1)
            free = fft.irfft2(round_it * known.inside, self.grid.fast)[places] < 0.5
            if not free.any():
                continue
            touched = fft.irfft2(round_it * known.rim, self.grid.fast)[: rows - high + 1, : columns - wide + 1] / known.rim_cells
            touched[~free] = -1.0
            row, column = divmod(int(np.argmax(touched)), touched.shape[1])
            if best is None or touched[row, column] > best[0] + 1e-6:
                best = float(touched[row, column]), number, row, column
        return None if best is None else best[1:]

    def take(self, shape: _Shape, spectra: Sequence["_Spectra"]) -> bool:
        """Lay a shape, where there is a place for it."""
        place = self.place(shape, spectra) if self.used_mm2 + shape.area_mm2 <= self.grid.free_mm2 else None
        if place is None:
            return False
        number, row, column = place
        picture = shape.grids[number]
        self.taken[row : row + picture.shape[0], column : column + picture.shape[1]] += picture
        turn, ground = shape.turned[number]
        self.spots[shape.outline.name] = Spot(turn, *self.grid.at(ground, row, column))
        self.used_mm2 += shape.area_mm2
        return True

    def copy(self) -> "_Bed":
        """The same, to be filled otherwise."""
        other = copy(self)
        other.taken, other.spots = self.taken.copy(), dict(self.spots)
        return other


@dataclass(frozen=True, eq=False)
class _Known:
    """The transforms of a picture and of the rim round it, turned round, so that a product with a bed's is their correlation."""

    inside: np.ndarray
    rim: np.ndarray
    rim_cells: float


_Spectra = _Known | None
"""None where the picture is larger than the bed."""


def _turned(outline: Outline) -> tuple[tuple[float, BaseGeometry], ...]:
    """An outline as it lies, and in its turns, the first of them along the smallest box round it."""
    box = shapely.oriented_envelope(outline.ground)
    corners = shapely.get_coordinates(box)[:2] if box.geom_type == "Polygon" else np.array([[0.0, 0.0], [1.0, 0.0]])
    along = float(np.degrees(np.arctan2(*(corners[1] - corners[0])[::-1])))
    turns = [0.0, *(-along + k * 360.0 / TURNS for k in range(TURNS))]
    return tuple((t, affinity.rotate(outline.ground, t, origin=(0, 0))) for t in turns)


class Nesting:
    """Everything that is laid on one sort of bed: ``bed`` is its usable area (shapely polygon, mm)."""

    def __init__(self, bed: BaseGeometry, outlines: Sequence[Outline], gap_mm: float = GAP_MM) -> None:
        self.grid = _Grid(bed, gap_mm)
        self.shapes = [self._shape(o) for o in outlines]
        self._spectra: dict[str, list[_Spectra]] = {}

    def _shape(self, outline: Outline) -> _Shape:
        turned = _turned(outline)
        grids = tuple(self.grid.picture(g) for _, g in turned)
        return _Shape(outline, turned, grids, float(self.grid.wide(outline.ground).area))

    def spectra(self, shape: _Shape) -> list[_Spectra]:
        """What is known of a shape's pictures; told again as it was drawn once."""
        name = shape.outline.name
        if name not in self._spectra:
            self._spectra[name] = [self._spectrum(p) for p in shape.grids]
        return self._spectra[name]

    def _spectrum(self, picture: Floats) -> _Spectra:
        if any(a > b for a, b in zip(picture.shape, self.grid.shape, strict=True)):
            return None
        wide = np.pad(picture, _NEAR) > 0
        rim = (binary_dilation(wide, iterations=_NEAR) & ~wide).astype(np.float32)
        inside, round_it = (np.conj(fft.rfft2(p, self.grid.fast)) for p in (picture, rim))
        return _Known(inside, round_it, float(rim.sum()))

    def packed(
        self,
        together: Together = lambda there, more: True,
        fixed: Sequence[Mapping[str, Spot]] = (),
        progress: Progress = silent,
    ) -> list[Laid]:
        """As few beds as were found. ``together`` says whether a part may go onto a bed beside those there; ``fixed`` beds keep what lies there.

        Bed after bed: each is begun with the largest part that is left, filled in many orders, and the fullest is taken. The same outlines give
        the same beds.
        """
        known = {s.outline.name: s for s in self.shapes}
        rng = np.random.default_rng(len(self.shapes))
        held = [self._held(bed, known) for bed in fixed]
        there = {name for bed in held for name in bed.spots}
        beds: list[_Bed] = []
        alone: list[Laid] = []
        tries = max(2, _TRIES * _TRIED_PARTS // max(len(self.shapes), _TRIED_PARTS))
        for alike in sorted({s.outline.alike for s in self.shapes}):
            left = sorted(
                (s for s in self.shapes if s.outline.alike == alike and s.outline.name not in there),
                key=lambda s: (-s.area_mm2, s.outline.name),
            )
            for bed in (b for b in held if b.alike == alike):
                beds.append(self._fullest(bed, left, together, rng, tries))
                left = [s for s in left if s.outline.name not in beds[-1].spots]
            while left:
                progress(1 - len(left) / len(self.shapes), "nesting parts on beds")
                begun = _Bed(self.grid, alike)
                if not begun.take(left[0], self.spectra(left[0])):
                    alone.append(Laid({left[0].outline.name: self._in_the_middle(left[0])}, alike, beyond=True))
                    left = left[1:]
                    continue
                beds.append(self._fullest(begun, left[1:], together, rng, tries))
                left = [s for s in left if s.outline.name not in beds[-1].spots]
        return [Laid(b.spots, b.alike) for b in beds] + alone

    def _fullest(self, begun: _Bed, left: Sequence[_Shape], together: Together, rng: np.random.Generator, tries: int) -> _Bed:
        """A bed with as much of what is left as was found in so many tries."""
        best: _Bed | None = None
        for number in range(tries if left else 1):
            # Large ones first, more or less.
            weigh = {s.outline.name: s.area_mm2**0.5 * (rng.uniform(0.3, 1.7) if number else 1.0) for s in left}
            bed, all_there = begun.copy(), True
            for shape in sorted(left, key=lambda s: -weigh[s.outline.name]):
                taken = together(list(bed.spots), shape.outline.name) and bed.take(shape, self.spectra(shape))
                all_there = all_there and taken
            if best is None or bed.used_mm2 > best.used_mm2 + 1e-6:
                best = bed
            if all_there:
                break
        assert best is not None
        return best

    def _held(self, spots: Mapping[str, Spot], known: Mapping[str, _Shape]) -> "_Bed":
        """A bed with what is held on it, wherever that lies."""
        bed, grid = _Bed(self.grid, known[next(iter(spots))].outline.alike), self.grid
        rows, columns = grid.shape
        for name, spot in spots.items():
            wide = grid.wide(spot.place(known[name].outline.ground))
            bed.taken += _covered(wide, grid.low, grid.cell, rows, columns, whole=False)
            bed.used_mm2 += known[name].area_mm2
        bed.spots = dict(spots)
        return bed

    def _in_the_middle(self, shape: _Shape) -> Spot:
        low, high = np.array(self.grid.bed.bounds).reshape(2, 2)
        ground = shape.turned[0][1]
        a, b = np.array(ground.bounds).reshape(2, 2)
        x, y = (low + high) / 2 - (a + b) / 2
        return Spot(0.0, float(x), float(y))

    def bound(self) -> int:
        """Beds that are needed at least: by area, and by pairs that found no place beside each other in any of their turns."""
        needed = 0
        for alike in {s.outline.alike for s in self.shapes}:
            shapes = [s for s in self.shapes if s.outline.alike == alike]
            needed += max(_by_area(shapes, self.grid.free_mm2), len(self._apart(shapes)))
        return needed

    def _apart(self, shapes: Sequence[_Shape]) -> list[_Shape]:
        """Shapes no two of which share a bed, the largest first."""
        chosen: list[_Shape] = []
        for shape in sorted(shapes, key=lambda s: (-s.area_mm2, s.outline.name)):
            if shape.area_mm2 > _LARGE * self.grid.free_mm2 and not any(self.share(shape, other) for other in chosen):
                chosen.append(shape)
        return chosen

    def share(self, one: _Shape, other: _Shape) -> bool:
        """Whether two outlines found places on one bed, either laid first in any of its turns."""
        if one.area_mm2 + other.area_mm2 > self.grid.free_mm2:
            return False
        for first, second in ((one, other), (other, one)):
            for number, known in enumerate(self.spectra(first)):
                bed = _Bed(self.grid, "")
                only: list[_Spectra] = [known if k == number else None for k in range(len(first.grids))]
                if bed.take(first, only) and bed.place(second, self.spectra(second)) is not None:
                    return True
        return False


def _by_area(shapes: Sequence[_Shape], free_mm2: float) -> int:
    return int(np.ceil(sum(s.area_mm2 for s in shapes) / free_mm2 - 1e-9))


def overlaps(bed: Mapping[str, Spot], grounds: Mapping[str, BaseGeometry], area: BaseGeometry) -> tuple[str, ...]:
    """Names of parts that meet another, or lie over the edge of the usable area, by their exact outlines."""
    placed = {name: spot.place(grounds[name]) for name, spot in bed.items()}
    wrong = {name for name, shape in placed.items() if not area.buffer(1e-6).covers(shape)}
    names = sorted(placed, key=lambda n: placed[n].bounds[0])
    for number, one in enumerate(names):
        for other in names[number + 1 :]:
            if placed[other].bounds[0] > placed[one].bounds[2]:
                break
            if placed[one].intersection(placed[other]).area > 1e-6:
                wrong |= {one, other}
    return tuple(sorted(wrong))


__all__ = ["GAP_MM", "Laid", "Nesting", "Outline", "Spot", "overlaps"]
