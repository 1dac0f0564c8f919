"""Loose alignment pins: a round rod in a hole of either part, at true size whatever the scale of the piece."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar

import numpy as np
import shapely
from shapely import Point
from shapely.ops import nearest_points

from bastion_core.cut.parting import Seam
from bastion_core.errors import RecipeProblem
from bastion_core.findings import NOTHING, Said, joined, mm, say
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.place import plane_frame
from bastion_core.geometry.solid import Solid
from bastion_core.join.fasteners.base import At, Drawn, Hardware, drawn
from bastion_core.join.places import Carved, Footprint, SeamRoom, spread
from bastion_core.shop import LEAST_GAP_MM, PIN_CLEARANCE_MM, PIN_WALL_MM

FILAMENT_MM = 1.75
END_GAP_MM = 0.5
"""Room for glue at the bottom of each hole; common practice, no source."""
DEPTHS_MM = (12.0, 8.0, 6.0, 4.0)
LEAST_DEPTH_PER_DIAMETER = 1.3
"""A shorter pin wobbles in its hole; common practice, no source."""
_MM_PER_EXTRA_PIN = 90.0
"""One pin more for so much outline of the seam; common practice, no source."""
_MOST_PINS = 8
_ENOUGH_PINS = 4
"""A thinner pin is tried only while a thicker one finds fewer places than this."""
_NEAR_ENOUGH_MM = 0.05


@dataclass(frozen=True)
class PinRule:
    """What is decided about pins: diameters to try, thickest first, clearance per side, wall that stays, in mm."""

    diameters_mm: tuple[float, ...] = (4.0, 3.0, FILAMENT_MM)
    clearance_mm: float = PIN_CLEARANCE_MM
    least_wall_mm: float = PIN_WALL_MM

    def __post_init__(self) -> None:
        if not self.diameters_mm or not all(0.5 <= d <= 30 for d in self.diameters_mm):
            raise RecipeProblem("A pin has to be between 0.5 and 30 mm thick.", "pin_diameters_mm")
        if not LEAST_GAP_MM <= self.clearance_mm <= 2:
            raise RecipeProblem(
                f"The clearance has to be between {LEAST_GAP_MM:g} and 2 mm per side: with less, parts never go together. Print a clearance coupon.",
                "pin_clearance_mm",
            )
        if not 0.4 <= self.least_wall_mm <= 20:
            raise RecipeProblem("The wall round a pin hole has to be between 0.4 and 20 mm.", "pin_wall_mm")

    @property
    def thinnest_mm(self) -> float:
        """The wall that the thinnest pin wants, square to it."""
        return min(self.diameters_mm) + 2 * (self.clearance_mm + self.least_wall_mm)


@dataclass(frozen=True)
class Pin(At):
    """One loose pin across a seam. ``position_mm`` lies on the seam; ``depth_mm`` is the hole's in either part."""

    kind: ClassVar[str] = "pin"
    movable: ClassVar[bool] = True
    diameter_mm: float
    depth_mm: float

    @property
    def hole_radius_mm(self) -> float:
        return self.diameter_mm / 2 + self.clearance_mm

    @property
    def length_mm(self) -> float:
        """Length to cut: both holes less the room for glue at their ends."""
        return 2 * (self.depth_mm - END_GAP_MM)

    def taken(self) -> tuple[Floats, float]:
        """Both holes."""
        return along(self, self.depth_mm), self.hole_radius_mm

    def adds(self, side: int) -> tuple[Solid, ...]:
        """Nothing."""
        return ()

    def tools(self, side: int) -> tuple[Solid, ...]:
        """The hole through both parts: each side of the seam takes its half."""
        return (bore(self, self.hole_radius_mm, -self.depth_mm, self.depth_mm),)

    def drawing(self) -> tuple[Drawn, ...]:
        """The hole seen flat."""
        middle = Point(*self.flat_mm)
        return (drawn(middle.buffer(self.hole_radius_mm), "hole"),)

    def hardware(self) -> tuple[Hardware, ...]:
        """The pin to cut."""
        return (Hardware(self.kind, self.diameter_mm, round(self.length_mm, 1), 1),)

    def sizes(self) -> dict[str, float]:
        """Thickness, depth of its hole."""
        return {"diameter_mm": self.diameter_mm, "depth_mm": self.depth_mm}


def along(at: At, depth_mm: float) -> Floats:
    """(9, 3): points along a fastener's axis, so far to either side."""
    return np.asarray(np.linspace(-depth_mm, depth_mm, 9)[:, None] * np.array(at.axis) + np.array(at.position_mm))


def bore(at: At, radius_mm: float, low_mm: float, high_mm: float) -> Solid:
    """A round tool about a fastener's axis between two heights over its seam."""
    matrix = np.eye(4)
    matrix[:3, :3] = plane_frame(np.array(at.axis))
    matrix[:3, 3] = np.array(at.position_mm) + np.array(at.axis) * (low_mm + high_mm) / 2
    return Solid.cylinder(radius_mm, high_mm - low_mm).transformed(matrix)


def place_pins(
    seam: Seam, room: SeamRoom, rule: PinRule, others: Sequence[Carved] = (), at_mm: Floats | None = None
) -> tuple[tuple[Pin, ...], Said]:
    """Pins for a seam, as thick and deep as enough places allow, and what to do where there are too few.

    ``at_mm`` (n, 3) are the maker's places: a pin that has no wall there goes to the nearest place that has, which is told.
    """
    wanted = int(np.clip(2 + seam.face.length / 2 / _MM_PER_EXTRA_PIN, 2, _MOST_PINS)) if at_mm is None else len(at_mm)
    best: tuple[list[Floats], float, float, tuple[float, ...]] = ([], 0.0, 0.0, ())
    for diameter in sorted(rule.diameters_mm, reverse=True):
        radius = diameter / 2 + rule.clearance_mm
        for depth in DEPTHS_MM:
            if depth < LEAST_DEPTH_PER_DIAMETER * diameter:
                continue
            places = room.places(Footprint(radius, depth), rule.least_wall_mm, others)
            apart = 2 * radius + rule.least_wall_mm
            if at_mm is None:
                spots, moved = spread(places, wanted, 3 * radius + rule.least_wall_mm), tuple[float, ...]()
            else:
                spots, moved = set_at(room.in_frame(at_mm), places, apart)
            if len(spots) > len(best[0]) or (at_mm is not None and len(spots) == len(best[0]) and sum(moved) < sum(best[3]) - 1.0):
                best = (spots, diameter, depth, moved)
            if len(spots) >= min(wanted, _ENOUGH_PINS) and not any(moved):
                break
        if len(best[0]) >= min(wanted, _ENOUGH_PINS) and not any(best[3]):
            break
    spots, diameter, depth, moved = best
    pins = tuple(
        Pin(
            diameter, depth, position_mm=room.in_space(u, v), axis=seam.surface.normal, flat_mm=(float(u), float(v)), seams=(seam.id,),
            clearance_mm=rule.clearance_mm,
        )
        for u, v in spots
    )  # fmt: skip
    told = [
        say("Pin {} has no wall where it was set: it went {} to the nearest place that holds it.", str(k), mm(off, digits=1))
        for k, off in enumerate(moved, 1)
        if off > _NEAR_ENOUGH_MM
    ]
    if at_mm is not None and len(pins) < len(at_mm):
        told.append(
            say(
                f"{len(at_mm) - len(pins)} of {len(at_mm)} pins found no place that holds them: take thinner ones, or hold the seam another way."
            )
        )
    if len(pins) == 1 and len(at_mm if at_mm is not None else ()) != 1:
        told.append(
            say("Room for one pin only: it sets the place, not the turn. Hold the seam by tape while an inside fillet of glue sets.")
        )
    if told or pins:
        return pins, joined(told, " ") if told else NOTHING
    words = (
        "The wall is too thin for any pin (the thinnest needs {} through the seam). Sand both faces flat, glue, "
        "and lay an inside fillet; mind the glue's own sheet, gloves and fresh air."
    )
    return (), say(words, mm(rule.thinnest_mm, digits=1))


def set_at(wanted: Floats, places: shapely.Geometry, apart_mm: float) -> tuple[list[Floats], tuple[float, ...]]:
    """The places nearest to those wanted (n, 2) of the flat frame, none nearer to another than ``apart_mm``, and how far each is off."""
    spots, off = list[Floats](), list[float]()
    for u, v in wanted:
        if places.is_empty:
            break
        there, _ = nearest_points(places, Point(u, v))
        spots.append(np.array([there.x, there.y]))
        off.append(float(np.hypot(there.x - u, there.y - v)))
        places = places.difference(there.buffer(apart_mm))
    return spots, tuple(o if o > _NEAR_ENOUGH_MM else 0.0 for o in off)
