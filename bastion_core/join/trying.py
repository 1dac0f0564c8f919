"""Trying a place for one fastener while the hand moves: where it would go, why not there, how far it stands into the inside."""

from dataclasses import dataclass, replace

import numpy as np
from shapely import Point
from shapely.ops import nearest_points

from bastion_core.cut.parting import Parting
from bastion_core.engine.station import Place
from bastion_core.errors import RecipeProblem
from bastion_core.findings import NOTHING, Said, mm, say
from bastion_core.geometry.arrays import three
from bastion_core.geometry.mesh import Mesh
from bastion_core.join.ask import Ask
from bastion_core.join.fasteners.base import Drawn
from bastion_core.join.fasteners.inside import place_inside
from bastion_core.join.fasteners.magnet import Pair, magnet_load
from bastion_core.join.fasteners.pin import Pin
from bastion_core.join.joining import INSIDE_OFF_MM, load_for
from bastion_core.join.places import Footprint, SeamRoom, outline_of
from bastion_core.join.records import SeamRecord
from bastion_core.join.station import JoinData, JoinInputs, inside_of_piece, parting_of
from bastion_core.pieces.hardware import GLUE_MM
from bastion_core.statics.magnets import disc_of

_THERE_MM = 0.05


@dataclass(frozen=True)
class Tried:
    """Where a fastener would go when it is put somewhere: on the seam's drawing (y downward) and in the scaled piece."""

    holds: bool
    """Whether it may sit just where it was put."""
    flat_mm: tuple[float, float]
    position_mm: tuple[float, float, float]
    drawn: tuple[Drawn, ...]
    stands_mm: float | None
    room_mm: float | None
    """Between the wearer and the wall there; None where it is not known."""
    said: Said


def try_place(inputs: JoinInputs, data: JoinData, place: Place, seam_id: str, index: int, at_mm: tuple[float, float, float]) -> Tried:
    """Where fastener ``index`` of a seam goes when it is put at ``at_mm`` (the piece's own mm). RecipeProblem where there is no such one."""
    record = next((s for s in data.seams if s.id == seam_id), None)
    if record is None or not 0 <= index < len(record.joints) or not record.joints[index].movable:
        raise RecipeProblem("There is nothing to move there any more. Look at the seam as it is now.", "joints")
    parting, _ = parting_of(inputs, place)
    seam = next(s for s in parting.seams if s.id == seam_id)
    room: SeamRoom = place.live(("seam", inputs.cut, seam_id), lambda: _room(parting, seam_id))
    scale = np.array(inputs.scale)
    wanted = room.in_frame(np.array(at_mm)[None] * scale)[0]
    own = record.joints[index]
    if own.kind == "pin" or (own.kind == "magnet" and "stands_mm" not in own.sizes):
        return _pin(inputs, record, room, index, (float(wanted[0]), float(wanted[1])), place)
    whole: Mesh = place.live(("whole mesh", inputs.shaped, inputs.scale), lambda: inputs.shaped.scaled(place, inputs.scale).mesh())
    inside, rule = inside_of_piece(inputs, place), inputs.rule
    held = replace(record.asked, kind=record.kind)
    apart = [outline_of(s, INSIDE_OFF_MM) for s in parting.seams if s.id != seam_id and {s.above, s.below} & {seam.above, seam.below}]
    ask = Ask(room, whole, rule.key_gap_mm, rule.pins.least_wall_mm, apart, held.turned)
    load = (
        load_for(held, rule)
        if own.kind != "magnet"
        else magnet_load(_pair(record), record.closing.side if record.closing else 1, rule.magnet_gap_mm, ask.wall_mm)
    )
    placed = place_inside(ask, held, load, inside, rule.material, wanted[None])
    said = placed.said
    if not placed.lugs:
        return _as_it_was(record, index, said)
    lug = placed.lugs[0]
    u, v = lug.flat_mm
    position = np.array(lug.position_mm)
    return Tried(
        not said, (round(u, 3), round(-v, 3)), three(position, 3), lug.drawing(), round(lug.stands_mm, 2),
        inside.at(position), said,
    )  # fmt: skip


def _pair(record: SeamRecord) -> Pair:
    assert record.closing is not None
    return Pair(disc_of(record.closing.comes), disc_of(record.closing.stays))


def _room(parting: Parting, seam_id: str) -> SeamRoom:
    by_name = {p.name: p for p in parting.parts}
    seam = next(s for s in parting.seams if s.id == seam_id)
    return SeamRoom(seam, by_name[seam.above].solid, by_name[seam.below].solid)


def _pin(inputs: JoinInputs, record: SeamRecord, room: SeamRoom, index: int, wanted: tuple[float, float], place: Place) -> Tried:
    """A pin, or a pair of discs, of the same thickness and depth at the nearest place that holds it."""
    own, rule = record.joints[index], inputs.rule.pins
    disc = own.kind == "magnet"
    wide = max(own.sizes["diameter_above_mm"], own.sizes["diameter_below_mm"]) if disc else own.sizes["diameter_mm"]
    depth = max(own.sizes["thick_above_mm"], own.sizes["thick_below_mm"]) + GLUE_MM if disc else own.sizes["depth_mm"]
    radius = wide / 2 + own.clearance_mm
    key = ("places", inputs.cut, record.id, radius, depth, rule.least_wall_mm)
    places = place.live(key, lambda: room.places(Footprint(radius, depth), rule.least_wall_mm))
    for k, other in enumerate(record.joints):
        if k != index:
            places = places.difference(Point(other.flat_mm[0], -other.flat_mm[1]).buffer(2 * radius + rule.least_wall_mm))
    if places.is_empty:
        return _as_it_was(record, index, say("No wall of this seam holds {} of {}.", "a disc" if disc else "a pin", mm(wide, digits=2)))
    there, _ = nearest_points(places, Point(wanted))
    off = float(np.hypot(there.x - wanted[0], there.y - wanted[1]))
    at = room.in_space(there.x, there.y)
    pin = Pin(
        wide,
        depth,
        position_mm=at,
        axis=own.axis,
        flat_mm=(float(there.x), float(there.y)),
        clearance_mm=own.clearance_mm,
    )
    said = NOTHING if off <= _THERE_MM else say("No wall there holds it: the nearest place that does is {} away.", mm(off, digits=1))
    return Tried(
        off <= _THERE_MM, (round(there.x, 3), round(-there.y, 3)), three(at, 3), pin.drawing(), None, None, said
    )  # fmt: skip


def _as_it_was(record: SeamRecord, index: int, said: Said) -> Tried:
    own = record.joints[index]
    return Tried(False, own.flat_mm, own.position_mm, own.drawn, own.sizes.get("stands_mm"), None, said)
