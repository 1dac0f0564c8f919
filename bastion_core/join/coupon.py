"""The clearance coupon: a small plate with ladders of holes, each a step wider, and what goes into them. What fits is entered once per printer and material."""

from dataclasses import dataclass

import numpy as np
from shapely import Point, box
from shapely.affinity import translate
from shapely.geometry.base import BaseGeometry

from bastion_core.geometry.solid import Solid, prism, united
from bastion_core.join.marks import DEEP_MM, letters_drawn
from bastion_core.pieces.hardware import GLUE_MM
from bastion_core.shop import Gap
from bastion_core.threads import INSERT_FREE_MM, thread

STEPS_MM = (0.05, 0.1, 0.15, 0.2, 0.25, 0.3, 0.4)
"""Clearance per side of pins, keys and magnets; common practice (0.1 to 0.3 is usual), no source."""
WIDER_MM = (-0.2, -0.1, 0.0, 0.1, 0.2, 0.3, 0.4)
"""Of holes for inserts and screws: so much wider than in the table."""
PIN_MM, TONGUE_MM, TONGUE_LONG_MM, DISC_MM, DISC_HIGH_MM, SCREW = 4.0, 2.0, 8.0, 6.0, 3.0, "M3"
_PITCH_MM, _ROW_MM, _RIM_MM, _FLOOR_MM = 12.0, 16.0, 4.0, 1.6
_LETTER_MM = 3.6
_APART_MM = 6.0
LADDERS: dict[Gap, tuple[str, tuple[float, ...]]] = {
    "pin": (f"printed pin {PIN_MM:g} mm", STEPS_MM),
    "key": (f"printed tongue {TONGUE_MM:g} mm", STEPS_MM),
    "magnet": (f"magnet {DISC_MM:g} × {DISC_HIGH_MM:g} mm", STEPS_MM),
    "insert": (f"{SCREW} heat-set insert", WIDER_MM),
    "thread": (f"{SCREW} screw passes", WIDER_MM),
}
"""What is tried in each row of the coupon, from the top, and its steps in mm."""


@dataclass(frozen=True, eq=False)
class Coupon:
    """The plate, and the pin and the tongue to try with; all standing as they are printed."""

    solid: Solid
    size_mm: tuple[float, float, float]


def coupon() -> Coupon:
    """The coupon as it lies on the bed. Rows are the ladders in their order, columns their steps, each with its figure beside it."""
    count = len(STEPS_MM)
    wide, deep = 2 * _RIM_MM + count * _PITCH_MM, 2 * _RIM_MM + len(LADDERS) * _ROW_MM
    screw = thread(SCREW)
    depths: dict[Gap, float] = {
        "pin": 8.0, "key": 5.0, "magnet": DISC_HIGH_MM + GLUE_MM, "insert": screw.insert_mm + INSERT_FREE_MM, "thread": 0.0,
    }  # fmt: skip
    high = max(depths.values()) + _FLOOR_MM
    plate = prism(box(0, 0, wide, deep), 0.0, high)
    tools: list[Solid] = []
    for row, (what, (_, steps)) in enumerate(LADDERS.items()):
        y = deep - _RIM_MM - (row + 0.5) * _ROW_MM + 2.5
        for column, step in enumerate(steps):
            x = _RIM_MM + (column + 0.5) * _PITCH_MM
            low = high - depths[what] if depths[what] else -1.0
            tools.append(prism(_hole(what, step, x, y), low, high + 1))
            figure = letters_drawn(f"{abs(step) * 100:.0f}" + ("-" if step < 0 else ""), _LETTER_MM)
            low_x, _, high_x, _ = figure.bounds
            tools.append(prism(translate(figure, x - (low_x + high_x) / 2, y - _ROW_MM / 2 - 0.6), high - DEEP_MM, high + 1))
    # What goes in stands beside it, on a foot to hold it by.
    pin = united([prism(Point(0, 0).buffer(PIN_MM / 2, quad_segs=16), 0.0, 14.0), prism(Point(0, 0).buffer(6.0), 0.0, 4.0)])
    tongue = united([
        prism(box(-TONGUE_LONG_MM / 2, -TONGUE_MM / 2, TONGUE_LONG_MM / 2, TONGUE_MM / 2), 0.0, 9.0), prism(box(-6, -4, 6, 4), 0.0, 4.0)
    ])  # fmt: skip
    away = wide + _APART_MM + 6.0
    beside = [pin.transformed(_moved(away, deep - 12.0)), tongue.transformed(_moved(away, deep - 34.0))]
    whole = Solid(united([plate.minus(tools), *beside]).manifold)
    x, y, z = (float(v) for v in whole.size)
    return Coupon(whole, (x, y, z))


def _hole(what: Gap, step: float, x: float, y: float) -> BaseGeometry:
    screw = thread(SCREW)
    if what == "key":
        return box(x - TONGUE_LONG_MM / 2 - step, y - TONGUE_MM / 2 - step, x + TONGUE_LONG_MM / 2 + step, y + TONGUE_MM / 2 + step)
    across = {
        "pin": PIN_MM + 2 * step, "magnet": DISC_MM + 2 * step, "insert": screw.insert_hole_mm + step, "thread": screw.clearance_hole_mm + step,
    }[what]  # fmt: skip
    segments = 16
    # Its flats are as wide as the hole is meant to be.
    return Point(x, y).buffer(across / 2 / np.cos(np.pi / (4 * segments)), quad_segs=segments)


def _moved(x: float, y: float) -> np.ndarray:
    matrix = np.eye(4)
    matrix[:2, 3] = x, y
    return matrix
