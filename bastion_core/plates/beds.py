"""The usable ground of a bed, and what a plate takes on a printer."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import log

import shapely
from shapely import affinity
from shapely.geometry.base import BaseGeometry

from bastion_core.errors import RecipeProblem
from bastion_core.print.estimate import Estimate
from bastion_core.shop import Printer

FIRST_LAYERS_FAIL = 0.03
"""Of first layers, before anything was logged; common practice (a few of a hundred), no source."""
FAILS_PER_H = 1 / 250
"""Of prints under way, before anything was logged; common practice (a suit of 500 hours loses a few), no source."""
WORTH_H = 1.5
"""Hours of a printer that a bed change less is worth: the change, and what it waits for somebody awake; common practice, no source."""
_HOP_MM, _TRAVEL = 90.0, 1.6


@dataclass(frozen=True)
class Gantry:
    """What a printer's bed and gantry leave: clips as polygons (mm from the front left corner of the bed), and room for one part after the other."""

    printer: str
    clips: tuple[tuple[tuple[float, float], ...], ...] = ()
    under_mm: float = 0.0
    """How high a finished part may stand when the gantry passes over it; 0 where one after the other is not possible."""
    head_mm: float = 40.0
    """How far the head reaches round its nozzle; common practice (35 to 60 mm), no source."""

    def __post_init__(self) -> None:
        if not (0 <= self.under_mm <= 1000 and 0 <= self.head_mm <= 300):
            raise RecipeProblem(f"{self.printer}: 0 to 1000 mm under the gantry and 0 to 300 mm round the nozzle are possible.")
        for clip in self.clips:
            if len(clip) < 3 or not shapely.Polygon(clip).is_valid:
                raise RecipeProblem(
                    f"{self.printer}: a clip needs at least three corners that do not cross. Give its corners once round.", "clips"
                )


def usable(printer: Printer, gantry: Gantry | None = None) -> BaseGeometry:
    """The ground of a bed that may be used: a shapely (multi)polygon, mm from its middle.

    RecipeProblem where the clips leave less than a hundredth of it.
    """
    wide, deep, _ = printer.usable_mm
    bed = shapely.box(-wide / 2, -deep / 2, wide / 2, deep / 2)
    clips = [affinity.translate(shapely.Polygon(c), -printer.x_mm / 2, -printer.y_mm / 2) for c in (gantry.clips if gantry else ())]
    free = bed.difference(shapely.union_all(clips)) if clips else bed
    if free.area < 0.01 * bed.area:
        raise RecipeProblem(f"{printer.name}: its clips cover the bed. Make them smaller in the shop.")
    return free


def plate_hours(parts: Sequence[tuple[Estimate, float]], printer: Printer, in_turn: bool = False) -> float:
    """Hours of parts (each its own estimate and its height in mm) on one plate of a printer; of one part, its own.

    Warming up counts once. At once, a layer that waits to set alone has others to be printed meanwhile, and the head hops between parts in each
    layer. Resin is cured in whole layers: the highest part decides.
    """
    if printer.kind == "resin":
        return max(e.hours for e, _ in parts)
    hours = sum(e.hours for e, _ in parts) - (len(parts) - 1) * printer.warm_up_h
    if len(parts) == 1 or in_turn:
        return hours
    saved = 0.0
    for number, (one, high) in enumerate(parts):
        beside = sum(
            (e.hours - e.hours_by.get("cooling", 0.0)) * min(high / max(h, 1e-9), 1.0) for k, (e, h) in enumerate(parts) if k != number
        )
        saved += min(one.hours_by.get("cooling", 0.0), beside)
    hops = sum(e.layers for e, _ in parts) * _HOP_MM / (_TRAVEL * printer.speed_mm_s) / 3600
    return hours - saved + hops


def risk_h(hours: float, more_h: float, fails_per_h: float = FAILS_PER_H) -> float:
    """Hours that are lost in the mean for laying two lots of so many hours on one plate instead of two.

    A plate of H hours that fails at a steady rate r loses r H²/2 (to first order): two on one, r (H + h)²/2, lose r H h more.
    """
    return fails_per_h * hours * more_h


def round_rate(per_h: float) -> float:
    """A rate of failures to the nearest of a row in steps of a half: plates are not laid anew for every print that is logged."""
    return float(FAILS_PER_H * 1.5 ** round(log(per_h / FAILS_PER_H) / log(1.5)))
