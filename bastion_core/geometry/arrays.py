"""Names for the arrays that everything is made of."""

from itertools import product
from typing import Any

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


def three(values: Any, digits: int | None = None) -> tuple[float, float, float]:
    """Three numbers as a tuple that can be kept, rounded where that is said."""
    x, y, z = (float(v) for v in values)
    return (x, y, z) if digits is None else (round(x, digits) + 0.0, round(y, digits) + 0.0, round(z, digits) + 0.0)


def directions(count: int, within_deg: float = 180.0) -> Floats:
    """(n, 3): unit directions spread evenly about +z, none further from it than that: a spiral by the golden angle."""
    k = np.arange(count)
    z = 1 - (1 - np.cos(np.radians(within_deg))) * (k + 0.5) / count
    turn = k * np.pi * (3 - np.sqrt(5))
    flat = np.sqrt(1 - z**2)
    return np.column_stack([flat * np.cos(turn), flat * np.sin(turn), z])


def corners(low: Floats, high: Floats) -> Floats:
    """(8, 3): of a block between its least and greatest corner (3,)."""
    return np.array(list(product(*zip(low, high, strict=True))), dtype=np.float64)
