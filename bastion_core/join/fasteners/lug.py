"""Lugs on the inside of a thin shell: a boss on either part that carries a pin or a screw. The outside stays as it is."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from math import ceil, floor
from typing import ClassVar, Literal

import numpy as np
from scipy.spatial import cKDTree
from shapely import Point, Polygon
from shapely.geometry.base import BaseGeometry

from bastion_core.cut.parting import Seam
from bastion_core.findings import Said, mm, say
from bastion_core.geometry.arrays import three
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.solid import Solid
from bastion_core.join.fasteners.base import At, Drawn, Hardware, disc_sizes, discs_to_buy, drawn
from bastion_core.join.fasteners.boss import FROM_MM, OVER_MM, SEGMENTS, boss, frame_at, free_over, of_side, rod, wall_at
from bastion_core.join.fasteners.pin import END_GAP_MM, FILAMENT_MM
from bastion_core.join.held import Held
from bastion_core.join.room import InsideRoom
from bastion_core.statics.magnets import Disc
from bastion_core.threads import DRIVER_MM, INSERT_FREE_MM, Thread, screw_length, thread

_PIN_MM = 3.0
_PIN_DEPTH_MM = 6.0
_OFF_WALL_MM = 0.4
_HEAD_FREE_MM = 0.4
_TILTS_DEG = (0.0, 10.0, 20.0)
"""How far askew a hexagon key with a ball end still turns; common practice (25 at the most), no source."""
_FLANGE = 1.0
"""A screw's head presses on so many times its thickness, at least 3 mm; common practice, no source."""


@dataclass(frozen=True)
class Load:
    """What a lug carries: radius of the boss, how high it is on either side, how far its axis has to stay off the wall."""

    kind: str
    radius_mm: float
    above_mm: float
    below_mm: float
    off_mm: float
    hole_above_mm: float
    """Radius of the hole in the part above."""
    hole_below_mm: float
    depth_above_mm: float | None
    """None right through."""
    depth_below_mm: float | None
    screw: Thread | None = None
    head_above_mm: float = 0.0
    """Radius and room for a head on the lug above, for a driver beyond it."""
    nut_below_mm: float = 0.0
    """Radius kept free under the lug below, for a nut."""
    screw_mm: float = 0.0
    clearance_mm: float = 0.0
    pin_mm: float = 0.0
    thick_mm: float = 0.0
    """Of a snap's tongue."""
    discs: tuple[Disc, Disc] | None = None
    """Magnets, above and below."""


def load_of(
    held: Held, pins_mm: Sequence[float], pin_gap_mm: float, wall_mm: float, insert_wider_mm: float = 0.0, screw_wider_mm: float = 0.0
) -> Load:
    """The lug for what a seam is to be held by: pins of the thicknesses to try, the wall round a hole, and by how much holes are wider than in the
    table, as a coupon told."""
    if held.kind == "lug":
        pin = next((d for d in sorted(pins_mm, reverse=True) if d <= _PIN_MM), FILAMENT_MM)
        hole, high = pin / 2 + pin_gap_mm, _PIN_DEPTH_MM + wall_mm
        return Load(
            "lug", hole + wall_mm, above_mm=high, below_mm=high, off_mm=hole + _OFF_WALL_MM, hole_above_mm=hole, hole_below_mm=hole,
            depth_above_mm=_PIN_DEPTH_MM, depth_below_mm=_PIN_DEPTH_MM, clearance_mm=pin_gap_mm, pin_mm=pin,
        )  # fmt: skip
    screw = thread(held.thread)
    flange, head = max(3.0, _FLANGE * screw.nominal_mm), screw.head_mm / 2 + _HEAD_FREE_MM
    through = (screw.clearance_hole_mm + screw_wider_mm) / 2
    clear = round(through - screw.nominal_mm / 2, 3)
    if held.kind == "insert":
        hole, deep = (screw.insert_hole_mm + insert_wider_mm) / 2, screw.insert_mm + INSERT_FREE_MM
        length = screw_length(flange + 0.7 * screw.insert_mm, flange + deep - 0.3) or flange + screw.insert_mm
        return Load(
            "insert", max(hole + screw.insert_wall_mm, head), above_mm=flange, below_mm=deep + wall_mm, off_mm=head + _OFF_WALL_MM,
            hole_above_mm=through, hole_below_mm=hole, depth_above_mm=None, depth_below_mm=deep, screw=screw, head_above_mm=head,
            screw_mm=length, clearance_mm=clear,
        )  # fmt: skip
    wing = held.kind == "wing"
    nut_high = screw.wing_height_mm if wing else screw.nut_height_mm
    nut = float(screw.wing_mm if wing else screw.nut_mm / np.cos(np.pi / 6)) / 2 + 0.5
    length = screw_length(2 * flange + 0.7 * nut_high, 2 * flange + nut_high + 8) or 2 * flange + nut_high
    return Load(
        str(held.kind), max(head, through + wall_mm + 0.6), above_mm=flange, below_mm=flange, off_mm=max(head, nut) + _OFF_WALL_MM,
        hole_above_mm=through, hole_below_mm=through, depth_above_mm=None, depth_below_mm=None, screw=screw, head_above_mm=head,
        nut_below_mm=nut, screw_mm=length, clearance_mm=clear,
    )  # fmt: skip


@dataclass(frozen=True, eq=False)
class Lug(At):
    """Two bosses that meet at the seam, with the hole through both."""

    movable: ClassVar[bool] = True
    carries: Load
    stands_mm: float
    """How far it stands into the inside."""
    bosses: dict[int, Solid] = field(repr=False)
    holes: dict[int, tuple[Solid, ...]] = field(repr=False)
    face: BaseGeometry = field(repr=False)
    points: Floats = field(repr=False)
    strain: float = 0.0
    pole: int = 1
    """Of a magnet: what looks up out of the part below."""
    number: int = 1

    @property
    def discs(self) -> tuple[Disc, ...]:
        """Its magnets."""
        return self.carries.discs or ()

    @property
    def kind(self) -> str:
        """What it carries: lug (a pin), insert, bolt, wing, snap or magnet."""
        return self.carries.kind

    def taken(self) -> tuple[Floats, float]:
        """All round it."""
        return self.points, 1.5

    def adds(self, side: int) -> tuple[Solid, ...]:
        """The boss of that part."""
        return (self.bosses[side],) if side in self.bosses else ()

    def tools(self, side: int) -> tuple[Solid, ...]:
        """Its holes."""
        return self.holes.get(side, ())

    def drawing(self) -> tuple[Drawn, ...]:
        """The boss where it meets the seam, and its hole."""
        shapes = [drawn(self.face, "grown")]
        if self.carries.hole_below_mm:
            shapes.append(drawn(Point(*self.flat_mm).buffer(self.carries.hole_below_mm), "hole"))
        return tuple(shapes)

    def hardware(self) -> tuple[Hardware, ...]:
        """Pin, or screw with insert or nut."""
        load = self.carries
        if load.discs is not None:
            return discs_to_buy(load.discs)
        if load.screw is None:
            if not load.pin_mm:
                return ()
            return (Hardware("pin", load.pin_mm, round(2 * (_PIN_DEPTH_MM - END_GAP_MM), 1), 1),)
        m, screw = load.screw.nominal_mm, load.screw
        lines = [Hardware("screw", m, load.screw_mm, 1, f"{screw.name} × {load.screw_mm:g}, cylinder head, hexagon socket (ISO 4762)")]
        if load.kind == "insert":
            lines.append(Hardware("insert", m, screw.insert_mm, 1, f"{screw.name} heat-set insert, hole {screw.insert_hole_mm:g} mm"))
        else:
            lines.append(
                Hardware("nut", m, screw.nut_height_mm, 1, f"{screw.name} wing nut")
                if load.kind == "wing"
                else Hardware("nut", m, screw.nut_height_mm, 1, f"{screw.name} hexagon nut (ISO 4032)")
            )
        return tuple(lines)

    def sizes(self) -> dict[str, float]:
        """What it stands into the inside, and what its holes are."""
        load = self.carries
        told = {"stands_mm": round(self.stands_mm, 2)}
        if self.strain:
            return told | {"strain": round(self.strain, 4), "length_mm": round(load.above_mm, 2), "thick_mm": load.thick_mm}
        if load.discs is not None:
            return told | disc_sizes(*load.discs, self.pole, self.number)
        told |= {"hole_above_mm": round(2 * load.hole_above_mm, 2), "hole_below_mm": round(2 * load.hole_below_mm, 2)}
        if load.screw:
            return told | {"thread_mm": load.screw.nominal_mm, "screw_mm": load.screw_mm}
        return told | {"diameter_mm": load.pin_mm, "depth_mm": _PIN_DEPTH_MM}


@dataclass(frozen=True, eq=False)
class Round:
    """What is round a seam, that its lugs have to mind."""

    seam: Seam
    whole: Mesh
    """The piece before any cut."""
    inside: InsideRoom
    taken: cKDTree | None
    """Points that are taken by what was made elsewhere."""
    reach_mm: float
    """How far round each nothing else may be made."""
    material: str
    turned: bool

    def refuses(self, points: Floats) -> "Refused | None":
        """Why nothing may stand at points (n, 3); None where it may."""
        what = self.inside.taken_by(points)
        if what is not None:
            return Refused("taken", say("The {} goes there.", what))
        if self.taken is not None and float(self.taken.query(points)[0].min()) < self.reach_mm + 1.0:
            return Refused("taken", say("Another seam runs too near."))
        return None

    def presses(self, at: Floats, stands_mm: float, what: str) -> "Refused | None":
        """By how much something that stands so far off the wall at a place (3,) would press the wearer; None where there is room."""
        room = self.inside.at(at)
        if room is None or stands_mm <= room:
            return None
        words = f"A {what} there would press the wearer by {{}}: it stands {{}} off the wall and there is room for {{}}."
        # As the figures stand in the sentence they add up.
        stands, there = ceil(10 * stands_mm) / 10, floor(10 * max(room, 0.0)) / 10
        return Refused("press", say(words, mm(stands - there, digits=1), mm(stands, digits=1), mm(there, digits=1)))


@dataclass(frozen=True)
class Refused:
    """Why nothing can stand at a place of the inside."""

    code: Literal["edge", "press", "reach", "taken", "thin", "none"]
    said: Said


EDGE = Refused("edge", say("The wall ends too near the seam there."))
_FURTHER_MM = (0.0, 2.0, 4.0)
"""How much further off the wall a screw is tried that cannot be reached close to it: curved walls come into its way."""


def make_lug(about: Round, at: Floats, out: Floats, load: Load) -> Lug | Refused:
    """The lug at a place (2,) of the inside rim whose way into the cavity is ``out`` (2,); or why there is none."""
    found: Lug | Refused = EDGE
    for further in _FURTHER_MM:
        one = _lug_off(about, frame_at(about.seam, at, out), load, further)
        # What keeps it from standing further off is not what was wrong with it.
        found = one if further == 0 or isinstance(one, Lug) else found
        if not isinstance(one, Refused) or one.code != "reach":
            break
    return found


def _lug_off(about: Round, frame: Floats, load: Load, further_mm: float) -> Lug | Refused:
    seam, whole = about.seam, about.whole
    up = -1 if about.turned else 1
    high, low = load.above_mm, load.below_mm
    # The axis stays off the wall all along the lug, however that leans.
    ys, zs = np.meshgrid(
        np.linspace(-load.radius_mm, load.radius_mm, 3), np.linspace(-(low if up > 0 else high), high if up > 0 else low, 7)
    )
    x, _ = wall_at(frame, ys.ravel(), zs.ravel(), whole)
    if not np.isfinite(x).all():
        return EDGE
    off = float(x.max()) + load.off_mm + further_mm
    # Of a bowed seam the bosses meet where it lies at their axis, not at the rim.
    lift = -float(seam.surface.heights((frame[:3, :3] @ [off, 0.0, 0.0] + frame[:3, 3])[None])[0])
    frame[:3, 3] += lift * frame[:3, 2]
    if abs(lift) > 0.01:
        x, _ = wall_at(frame, ys.ravel(), zs.ravel(), whole, -lift)
        if not np.isfinite(x).all():
            return EDGE
        off = float(x.max()) + load.off_mm + further_mm
    stands = off + load.radius_mm
    if stands > FROM_MM - 4:
        return Refused("edge", say("The wall leans so much there that a lug would stand {} into the inside.", mm(stands)))
    pressing = about.presses(frame[:3, 3], stands, "lug")
    if pressing is not None:
        return pressing
    bosses: dict[int, Solid] = {}
    holes: dict[int, tuple[Solid, ...]] = {}
    points = []
    for side in (1, -1):
        grown, feet = boss(frame, side, high if side == up else low, load.radius_mm, off, whole, -lift)
        if grown is None:
            return EDGE
        points.append(feet)
        bosses[side] = of_side(grown, side, seam)
    spots = np.concatenate(points)
    refused = about.refuses(spots)
    if refused is not None:
        return refused
    axis_at = frame[:3, :3] @ [off, 0.0, 0.0] + frame[:3, 3]
    if load.screw is not None:
        why = _unreachable(frame, off, stands, load, up, whole)
        if why is not None:
            return Refused("reach", why)
    for side, radius, depth in ((up, load.hole_above_mm, load.depth_above_mm), (-up, load.hole_below_mm, load.depth_below_mm)):
        tall = load.above_mm if side == up else load.below_mm
        tools = [rod(frame, off, radius, -OVER_MM * side, side * (depth if depth is not None else tall + stands + 2))]
        wide = load.head_above_mm if side == up else load.nut_below_mm
        if wide:
            shape = 6 if side != up and load.kind == "bolt" else SEGMENTS
            size = (load.screw.nut_mm / 2 + 0.15) / np.cos(np.pi / 6) if shape == 6 and load.screw else wide
            seat = tall - (load.screw.nut_height_mm * 0.6 if shape == 6 and load.screw else 0.0)
            tools.append(rod(frame, off, size, side * seat, side * (tall + stands + 3), shape))
        holes[side] = tuple(tools)
    flat = np.asarray((seam.surface.to_flat()[:3, :3] @ axis_at + seam.surface.to_flat()[:3, 3])[:2])
    face = bosses[1].transformed(seam.surface.to_flat()).outline() if not bosses[1].is_empty else Polygon()
    return Lug(
        load, stands, bosses, holes, face.intersection(Point(*flat).buffer(2.5 * stands)), spots, position_mm=three(axis_at), axis=seam.surface.normal,
        flat_mm=(float(flat[0]), float(flat[1])), seams=(seam.id,), clearance_mm=load.clearance_mm,
    )  # fmt: skip


def _unreachable(frame: Floats, off: float, stands: float, load: Load, up: int, whole: Mesh) -> Said | None:
    """Why a lug's screw cannot be put in and turned; None where it can: the screw goes in straight, a key with a ball end works a little askew."""
    screw = load.screw
    assert screw is not None
    over = up * (load.above_mm + 0.3)
    straight = free_over(frame, off, load.head_above_mm, over, up, whole)
    if straight < max(load.screw_mm + 2.0, stands + 3.0):
        words = "No way in for the screw there: {} of straight room over its head, and it is {} long. Turn the seam round, or take a smaller screw."
        return say(words, mm(straight), mm(load.screw_mm))
    key = max(free_over(frame, off, screw.key_mm / 2 + 0.5, over, up, whole, tilt) for tilt in _TILTS_DEG)
    if key < DRIVER_MM:
        words = "No way for the key to the screw there: {} of room, and it wants {}. Turn the seam round, or put it elsewhere."
        return say(words, mm(key), mm(DRIVER_MM))
    if load.nut_below_mm and free_over(frame, off, load.nut_below_mm, -up * (load.below_mm + 0.3), -up, whole) < screw.wing_height_mm:
        return say("No room for the nut there. Turn the seam round, or put it elsewhere.")
    return None
