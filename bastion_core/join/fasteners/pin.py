"""Loose alignment pins: a round rod in a hole of either part, at true size whatever the scale of the piece."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from bastion_core.cut.parting import Seam
from bastion_core.errors import RecipeProblem
from bastion_core.findings import NOTHING, Said, mm, say
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.place import plane_frame
from bastion_core.geometry.solid import Solid
from bastion_core.join.fasteners.base import Hardware, Spot
from bastion_core.join.places import Carved, Footprint, SeamRoom, spread
from bastion_core.shop import PIN_CLEARANCE_MM, PIN_WALL_MM

FILAMENT_MM = 1.75
END_GAP_MM = 0.5
"""Room for glue at the bottom of each hole; common practice, no source."""
_DEPTHS_MM = (12.0, 8.0, 6.0, 4.0)
_LEAST_DEPTH_PER_DIAMETER = 1.3
"""A shorter pin wobbles in its hole; common practice, no source."""
_MM_PER_EXTRA_PIN = 90.0
"""One pin more for so much outline of the seam; common practice, no source."""
_MOST_PINS = 8
_ENOUGH_PINS = 4
"""A thinner pin is tried only while a thicker one finds fewer places than this."""


@dataclass(frozen=True)
class PinRule:
    """What is decided about pins: diameters to try, thickest first, clearance per side, wall that stays, in mm."""

    diameters_mm: tuple[float, ...] = (4.0, 3.0, FILAMENT_MM)
    clearance_mm: float = PIN_CLEARANCE_MM
    least_wall_mm: float = PIN_WALL_MM

    def __post_init__(self) -> None:
        if not self.diameters_mm or not all(0.5 <= d <= 30 for d in self.diameters_mm):
            raise RecipeProblem("A pin has to be between 0.5 and 30 mm thick.", "pin_diameters_mm")
        if not 0 <= self.clearance_mm <= 2:
            raise RecipeProblem("The clearance has to be between 0 and 2 mm per side.", "pin_clearance_mm")
        if not 0.4 <= self.least_wall_mm <= 20:
            raise RecipeProblem("The wall round a pin hole has to be between 0.4 and 20 mm.", "pin_wall_mm")


@dataclass(frozen=True)
class Pin:
    """One loose pin across a seam. ``position_mm`` lies on the seam; ``depth_mm`` is the hole's in either part."""

    kind: ClassVar[str] = "pin"
    diameter_mm: float
    depth_mm: float
    clearance_mm: float
    position_mm: tuple[float, float, float]
    axis: tuple[float, float, float]
    flat_mm: tuple[float, float]
    """The position in the seam's own frame, where its face is drawn."""
    seams: tuple[str, ...] = ()

    @property
    def hole_radius_mm(self) -> float:
        return self.diameter_mm / 2 + self.clearance_mm

    @property
    def length_mm(self) -> float:
        """Length to cut: both holes less the room for glue at their ends."""
        return 2 * (self.depth_mm - END_GAP_MM)

    def footprint(self) -> Footprint:
        """The hole in either part."""
        return Footprint(self.hole_radius_mm, self.depth_mm)

    def tools(self, side: int) -> tuple[Solid, ...]:
        """The hole through both parts: each side of the seam takes its half."""
        matrix = np.eye(4)
        matrix[:3, :3] = plane_frame(np.array(self.axis))
        matrix[:3, 3] = self.position_mm
        return (Solid.cylinder(self.hole_radius_mm, 2 * self.depth_mm).transformed(matrix),)

    def drawing(self) -> tuple[Spot, ...]:
        """The hole seen flat."""
        return (Spot(self.flat_mm[0], -self.flat_mm[1], self.hole_radius_mm),)

    def hardware(self) -> tuple[Hardware, ...]:
        """The pin to cut."""
        return (Hardware(self.kind, self.diameter_mm, round(self.length_mm, 1), 1),)

    def sizes(self) -> dict[str, float]:
        """Thickness, depth of its hole, clearance."""
        return {"diameter_mm": self.diameter_mm, "depth_mm": self.depth_mm, "clearance_mm": self.clearance_mm}


def place_pins(seam: Seam, room: SeamRoom, rule: PinRule, others: Sequence[Carved] = ()) -> tuple[tuple[Pin, ...], Said]:
    """Pins for a seam, as thick and deep as enough places allow, and what to do where there are too few."""
    wanted = int(np.clip(2 + seam.face.length / 2 / _MM_PER_EXTRA_PIN, 2, _MOST_PINS))
    best: tuple[list[Floats], float, float] = ([], 0.0, 0.0)
    for diameter in sorted(rule.diameters_mm, reverse=True):
        radius = diameter / 2 + rule.clearance_mm
        for depth in _DEPTHS_MM:
            if depth < _LEAST_DEPTH_PER_DIAMETER * diameter:
                continue
            places = room.places(Footprint(radius, depth), rule.least_wall_mm, others)
            spots = spread(places, wanted, 3 * radius + rule.least_wall_mm)
            if len(spots) > len(best[0]):
                best = (spots, diameter, depth)
            if len(spots) >= min(wanted, _ENOUGH_PINS):
                break
        if len(best[0]) >= min(wanted, _ENOUGH_PINS):
            break
    spots, diameter, depth = best
    pins = tuple(
        Pin(diameter, depth, rule.clearance_mm, room.in_space(u, v), seam.surface.normal, (float(u), float(v)), (seam.id,))
        for u, v in spots
    )
    if len(pins) >= 2:
        return pins, NOTHING
    if pins:
        return pins, say(
            "Room for one pin only: it sets the place, not the turn. Hold the seam by tape while an inside fillet of glue sets."
        )
    thin = min(rule.diameters_mm) + 2 * (rule.clearance_mm + rule.least_wall_mm)
    words = (
        "The wall is too thin for any pin (the thinnest needs {} through the seam). Sand both faces flat, glue, "
        "and lay an inside fillet; mind the glue's own sheet, gloves and fresh air."
    )
    return (), say(words, mm(thin, digits=1))
