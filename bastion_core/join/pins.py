"""How it holds: loose alignment pins in every seam, at true size whatever the scale of the piece.

For each seam the places where a hole keeps enough wall all round are found exactly: the section of either
part at several depths below the seam, shrunk by hole radius and wall, intersected. Inside that
region the pins are spread as wide as they go.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from shapely import Point, unary_union
from shapely.geometry.base import BaseGeometry

from bastion_core.cut.parting import Part, Parting, Seam
from bastion_core.errors import RecipeProblem
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.place import plane_frame
from bastion_core.geometry.solid import Solid
from bastion_core.progress import Progress, silent

FILAMENT_MM = 1.75
LEAST_WALL_MM = 1.2
"""Wall that stays round a hole; common practice, no source."""
CLEARANCE_MM = 0.15
"""Per side, between pin and hole; common practice (0.1 to 0.3 mm by printer), no source. A coupon tells better."""
_END_GAP_MM = 0.5
"""Room for glue at the bottom of each hole; common practice, no source."""
_DEPTHS_MM = (12.0, 8.0, 6.0, 4.0)
_DEPTH_STEPS = 4
_LEAST_DEPTH_PER_DIAMETER = 1.3
"""A shorter pin wobbles in its hole; common practice, no source."""
_MM_PER_EXTRA_PIN = 90.0
"""One pin more for so much outline of the seam; common practice, no source."""
_MOST_PINS = 8
_ENOUGH_PINS = 4
"""A thinner pin is tried only while a thicker one finds fewer places than this."""


@dataclass(frozen=True)
class PinRule:
    """What the maker decided: pin diameters to try, thickest first, and clearance per side, in mm."""

    diameters_mm: tuple[float, ...] = (4.0, 3.0, FILAMENT_MM)
    clearance_mm: float = CLEARANCE_MM
    least_wall_mm: float = LEAST_WALL_MM

    def __post_init__(self) -> None:
        if not self.diameters_mm or not all(0.5 <= d <= 30 for d in self.diameters_mm):
            raise RecipeProblem("A pin has to be between 0.5 and 30 mm thick.")
        if not 0 <= self.clearance_mm <= 2:
            raise RecipeProblem("The clearance has to be between 0 and 2 mm per side.")
        if not 0.4 <= self.least_wall_mm <= 20:
            raise RecipeProblem("The wall round a pin hole has to be between 0.4 and 20 mm.")


@dataclass(frozen=True)
class Pin:
    """One loose pin across a seam. ``position_mm`` lies on the seam; ``depth_mm`` is the hole's in either part."""

    diameter_mm: float
    depth_mm: float
    clearance_mm: float
    position_mm: tuple[float, float, float]
    axis: tuple[float, float, float]
    flat_mm: tuple[float, float]
    """The position in the seam's own frame, where its face is drawn."""

    @property
    def hole_radius_mm(self) -> float:
        return self.diameter_mm / 2 + self.clearance_mm

    @property
    def length_mm(self) -> float:
        """Length to cut: both holes less the room for glue at their ends."""
        return 2 * (self.depth_mm - _END_GAP_MM)


@dataclass(frozen=True)
class Joint:
    """A seam with its pins, or with the reason why it has none and what to do instead."""

    seam: Seam
    pins: tuple[Pin, ...]
    advice: str


@dataclass(frozen=True)
class Joined:
    """Parts with their holes, and the joints."""

    parts: tuple[Part, ...]
    joints: tuple[Joint, ...]
    warnings: tuple[str, ...]


@dataclass(frozen=True)
class Hardware:
    """A line of the shopping and cutting list."""

    kind: str
    diameter_mm: float
    length_mm: float
    count: int


def join(parting: Parting, rule: PinRule, progress: Progress = silent) -> Joined:
    """Pins for every seam, drilled into both sides of it."""
    by_name = {p.name: p for p in parting.parts}
    holes: dict[str, list[Pin]] = {name: [] for name in by_name}
    joints, warnings = [], []
    for index, seam in enumerate(parting.seams):
        progress(0.8 * index / len(parting.seams), f"pins between {seam.above} and {seam.below}")
        pins, advice = _pins_for(seam, by_name[seam.above].solid, by_name[seam.below].solid, rule, holes[seam.above] + holes[seam.below])
        for name in (seam.above, seam.below):
            holes[name] += pins
        joints.append(Joint(seam, tuple(pins), advice))
    progress(0.85, "drilling")
    parts = []
    for part in parting.parts:
        drilled = part.solid.minus([_hole(pin) for pin in holes[part.name]])
        # Every hole is wanted whole: half of each cylinder is inside this part.
        wanted = sum(_hole(pin).volume / 2 for pin in holes[part.name])
        gone = part.solid.volume - drilled.volume
        if wanted and abs(gone - wanted) > 0.03 * wanted + 0.5:
            warnings.append(
                f"{part.name}: the pin holes break through somewhere ({gone:.0f} mm³ went, {wanted:.0f} were planned). Look at its seams."
            )
        parts.append(replace(part, solid=drilled))
    return Joined(tuple(parts), tuple(joints), tuple(warnings))


def hardware(joints: Sequence[Joint]) -> tuple[Hardware, ...]:
    """The pins to cut, like ones counted together, thickest and longest first."""
    counted: dict[tuple[float, float], int] = {}
    for joint in joints:
        for pin in joint.pins:
            key = (pin.diameter_mm, round(pin.length_mm, 1))
            counted[key] = counted.get(key, 0) + 1
    return tuple(Hardware("pin", d, length, n) for (d, length), n in sorted(counted.items(), reverse=True))


def _hole(pin: Pin) -> Solid:
    matrix = np.eye(4)
    matrix[:3, :3] = plane_frame(np.array(pin.axis))
    matrix[:3, 3] = pin.position_mm
    return Solid.cylinder(pin.hole_radius_mm, 2 * pin.depth_mm).transformed(matrix)


def _pins_for(seam: Seam, above: Solid, below: Solid, rule: PinRule, others: Sequence[Pin]) -> tuple[list[Pin], str]:
    flat = seam.plane.to_flat()
    upper, lower = above.transformed(flat), below.transformed(flat)
    sections: dict[float, BaseGeometry] = {}

    def shared(depth: float) -> BaseGeometry:
        """What of the seam both parts still fill at ``depth`` from it, either way."""
        key = round(depth, 3)
        if key not in sections:
            sections[key] = upper.section(key).intersection(lower.section(-key))
        return sections[key]

    wanted = int(np.clip(2 + seam.face.length / 2 / _MM_PER_EXTRA_PIN, 2, _MOST_PINS))
    best: tuple[list[Floats], float, float] = ([], 0.0, 0.0)
    for diameter in sorted(rule.diameters_mm, reverse=True):
        radius = diameter / 2 + rule.clearance_mm
        for depth in _DEPTHS_MM:
            if depth < _LEAST_DEPTH_PER_DIAMETER * diameter:
                continue
            room = seam.face.buffer(-(radius + rule.least_wall_mm))
            for step in range(1, _DEPTH_STEPS + 1):
                if room.is_empty:
                    break
                room = room.intersection(shared(depth * step / _DEPTH_STEPS).buffer(-(radius + rule.least_wall_mm)))
            if not room.is_empty:
                # Under the bottom of the hole a wall has to stay as well.
                room = room.intersection(shared(depth + rule.least_wall_mm).buffer(-(radius + 0.2)))
            room = _clear_of(room, others, seam, flat, depth, radius, rule.least_wall_mm)
            spots = _spread(room, wanted, 3 * radius + rule.least_wall_mm)
            if len(spots) > len(best[0]):
                best = (spots, diameter, depth)
            if len(spots) >= min(wanted, _ENOUGH_PINS):
                break
        if len(best[0]) >= min(wanted, _ENOUGH_PINS):
            break
    spots, diameter, depth = best
    back = np.linalg.inv(flat)
    pins = [Pin(diameter, depth, rule.clearance_mm, _three(back @ [u, v, 0, 1]), seam.plane.normal, (float(u), float(v))) for u, v in spots]
    if len(pins) >= 2:
        return pins, ""
    thin = min(rule.diameters_mm) + 2 * (rule.clearance_mm + rule.least_wall_mm)
    if pins:
        return pins, "Room for one pin only: it sets the place, not the turn. Hold the seam by tape while an inside fillet of glue sets."
    return [], (
        f"The wall is too thin for any pin (the thinnest needs {thin:.1f} mm through the seam). Sand both faces flat, glue, "
        "and lay an inside fillet; mind the glue's own sheet, gloves and fresh air."
    )


def _three(v: Floats) -> tuple[float, float, float]:
    return float(v[0]), float(v[1]), float(v[2])


def _clear_of(
    room: BaseGeometry, others: Sequence[Pin], seam: Seam, flat: Floats, depth: float, radius: float, wall: float
) -> BaseGeometry:
    """``room`` without the neighbourhood of holes that other seams have drilled into the same parts."""
    if room.is_empty or not others:
        return room
    blocked = []
    for pin in others:
        along = np.linspace(-pin.depth_mm, pin.depth_mm, 9)[:, None] * np.array(pin.axis) + np.array(pin.position_mm)
        local = along @ flat[:3, :3].T + flat[:3, 3]
        near = local[np.abs(local[:, 2]) < depth + pin.hole_radius_mm + wall]
        blocked += [Point(x, y).buffer(radius + pin.hole_radius_mm + wall) for x, y in near[:, :2]]
    return room.difference(unary_union(blocked)) if blocked else room


def _spread(room: BaseGeometry, wanted: int, least_apart_mm: float) -> list[Floats]:
    """Up to ``wanted`` points of ``room``, each as far from the others as can be, none nearer than ``least_apart_mm``."""
    candidates = _points_in(room)
    if not len(candidates):
        return []
    # The two farthest apart first, then always the one farthest from those taken.
    far = candidates[int(np.argmax(np.linalg.norm(candidates - candidates.mean(axis=0), axis=1)))]
    first = candidates[int(np.argmax(np.linalg.norm(candidates - far, axis=1)))]
    taken = [first]
    distance = np.linalg.norm(candidates - first, axis=1)
    while len(taken) < wanted:
        at = int(np.argmax(distance))
        if distance[at] < least_apart_mm:
            break
        taken.append(candidates[at])
        distance = np.minimum(distance, np.linalg.norm(candidates - candidates[at], axis=1))
    return taken


def _points_in(room: BaseGeometry) -> Floats:
    """Points along the rims of ``room`` and one within each of its islands."""
    found: list[Floats] = []
    for island in getattr(room, "geoms", [room]):
        if island.geom_type != "Polygon" or island.is_empty or island.area < 1e-6:
            continue
        inner = island.representative_point()
        found.append(np.array([[inner.x, inner.y]]))
        rim = island.exterior
        steps = max(int(rim.length / 2.0), 4)
        found.append(np.array([rim.interpolate(i / steps, normalized=True).coords[0] for i in range(steps)]))
    return np.concatenate(found) if found else np.zeros((0, 2))
