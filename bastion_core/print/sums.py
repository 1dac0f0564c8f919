"""Sums over what of a piece lies in a box, compiled: a search asks for them tens of thousands of times, and arrays of a thousand are too
short for NumPy to be quick on.

Shots are intervals of matter sorted by their column and height (see ``quick``): ``across`` (k, 2) where their columns stand, on the two other
axes in order, ``low`` and ``high`` (k,) their ends. Boxes are two corners (3,). All lengths in millimetres.

What lies in a box is asked in each loop anew: as a function that they share, inlined or not, the whole took four times as long (numba 0.68).
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from bastion_core.geometry.mesh import Floats, Ints

_FAR = 1e300


@njit(cache=True)
def reach(across: Floats, low: Floats, high: Floats, box_low: Floats, box_high: Floats, axis: int) -> tuple[float, float]:
    """From where to where along an axis the intervals within a box reach; where there are none, from far above to far below."""
    a, b = (1 if axis == 0 else 0), (1 if axis == 2 else 2)
    first, last = _FAR, -_FAR
    for k in range(len(low)):
        if not (box_low[a] < across[k, 0] < box_high[a] and box_low[b] < across[k, 1] < box_high[b]):
            continue
        if low[k] < box_high[axis] and high[k] > box_low[axis]:
            first, last = min(first, low[k]), max(last, high[k])
    return max(first, box_low[axis]), min(last, box_high[axis])


@njit(cache=True)
def crossed(across: Floats, low: Floats, high: Floats, box_low: Floats, box_high: Floats, axis: int, at_mm: float) -> int:
    """How many intervals along an axis a plane across it meets within a box."""
    a, b = (1 if axis == 0 else 0), (1 if axis == 2 else 2)
    count = 0
    for k in range(len(low)):
        if low[k] < at_mm < high[k] and box_low[a] < across[k, 0] < box_high[a] and box_low[b] < across[k, 1] < box_high[b]:
            count += 1
    return count


@njit(cache=True)
def matter(
    across: Floats, column: Ints, low: Floats, high: Floats, slopes: Floats, shows: NDArray[np.bool_], box_low: Floats, box_high: Floats,
    axis: int, hangs_from: float, bed_only: bool, near_bed_mm: float, least_gap_mm: float, twig_mm: float,
) -> tuple[float, int, Floats]:  # fmt: skip
    """Of the intervals within a box: their length, how many ends are cut by it, and (2, 7) as they lie and upside down.

    Of each lying: on how many there is a foot; how many hang, how far, how far up to ``twig_mm`` each, and how far they look down, summed as
    1/slope (0.5 at the least) of what shows; lowest and highest end. ``slopes`` (2, k): how far the faces at the lower ends look down and
    those at the upper ends up; ``shows`` (2, k): whether they are seen. What hangs is steeper than ``hangs_from`` and has more than
    ``least_gap_mm`` under it; with ``bed_only`` it has nothing but the bed under it.
    """  # fmt: skip
    a, b = (1 if axis == 0 else 0), (1 if axis == 2 else 2)
    bottom, top = box_low[axis], box_high[axis]
    inside = np.empty(len(low), np.int64)
    count, cut, length = 0, 0, 0.0
    first, last = _FAR, -_FAR
    for k in range(len(low)):
        if not (box_low[a] < across[k, 0] < box_high[a] and box_low[b] < across[k, 1] < box_high[b]):
            continue
        if low[k] < top and high[k] > bottom:
            inside[count] = k
            count += 1
            begin, end = max(low[k], bottom), min(high[k], top)
            cut += int(low[k] < bottom) + int(high[k] > top)
            length += end - begin
            first, last = min(first, begin), max(last, end)
    told = np.zeros((2, 7))
    told[0, 5], told[0, 6], told[1, 5], told[1, 6] = first, last, -last, -first
    for side in range(2):
        for n in range(count):
            k = inside[n]
            # What lies under an interval: the one before it in its column (after it, upside down), else the bed.
            other = n - 1 if side == 0 else n + 1
            alone = other < 0 or other >= count or column[inside[other]] != column[k]
            if side == 0:
                gap = max(low[k], bottom) - (first if alone else min(high[inside[other]], top))
                cut_off = low[k] < bottom
            else:
                gap = (last if alone else max(low[inside[other]], bottom)) - min(high[k], top)
                cut_off = high[k] > top
            if alone and gap < near_bed_mm:
                told[side, 0] += 1
            down = 1.0 if cut_off else slopes[side, k]
            if down > hangs_from and gap > least_gap_mm and (alone or not bed_only):
                told[side, 1] += 1
                told[side, 2] += gap
                told[side, 3] += min(gap, twig_mm)
                if shows[side, k] and not cut_off:
                    told[side, 4] += 1 / max(down, 0.5)
    return length, cut, told


@njit(cache=True)
def walls(
    middles: Floats,
    areas: Floats,
    lean: Floats,
    aside: Floats,
    stepped: Floats,
    box_low: Floats,
    box_high: Floats,
    wall_mm: float,
    skin_mm: float,
) -> Floats:
    """(3, 4) by the axis that is upright, of the faces with their middle in a box: area, upright area, area that shows skin, and steps.

    ``areas`` (m,), ``middles``, ``lean`` (how level), ``aside`` (how upright) and ``stepped`` (m, 3). A slope shows skin where it recedes by
    more than ``wall_mm`` within ``skin_mm``.
    """
    told = np.zeros((3, 4))
    for k in range(len(areas)):
        if (box_low[0] < middles[k, 0] < box_high[0] and box_low[1] < middles[k, 1] < box_high[1]
                and box_low[2] < middles[k, 2] < box_high[2]):  # fmt: skip
            for axis in range(3):
                shown = 1 - wall_mm * aside[k, axis] / max(skin_mm * lean[k, axis], 1e-12)
                told[axis, 0] += areas[k]
                told[axis, 1] += areas[k] * aside[k, axis]
                told[axis, 2] += areas[k] * lean[k, axis] * min(max(shown, 0.0), 1.0)
                told[axis, 3] += stepped[k, axis]
    return told


@njit(cache=True)
def thin(middles: Floats, areas: Floats, aside: Floats, box_low: Floats, box_high: Floats, from_aside: Floats) -> Floats:
    """(3,) by the axis that is upright: upright area of the faces in a box that are more upright than ``from_aside`` (3,)."""
    told = np.zeros(3)
    for k in range(len(areas)):
        if (box_low[0] < middles[k, 0] < box_high[0] and box_low[1] < middles[k, 1] < box_high[1]
                and box_low[2] < middles[k, 2] < box_high[2]):  # fmt: skip
            for axis in range(3):
                if aside[k, axis] > from_aside[axis]:
                    told[axis] += areas[k] * aside[k, axis]
    return told
