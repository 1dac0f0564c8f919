"""Seams, what holds them and what is written beside them, as they are kept and told."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from bastion_core.findings import Said
from bastion_core.geometry.arrays import three
from bastion_core.geometry.mesh import Floats
from bastion_core.join.fasteners.base import Drawn, Fastener
from bastion_core.join.fasteners.key import Key
from bastion_core.join.fasteners.rod import RodIn
from bastion_core.join.glue import GlueNeeds, glue_needs
from bastion_core.join.held import Held, letters_of
from bastion_core.join.joining import ClosedBy, Joint
from bastion_core.join.order import JoinStep
from bastion_core.join.table import Kind
from bastion_core.pieces.silhouette import svg_path
from bastion_core.statics.closing import others_for
from bastion_core.statics.poses import ENOUGH, Pose


@dataclass(frozen=True)
class FastenerRecord:
    """One fastener; its place on the seam in the scaled piece's millimetres, and in the seam's drawing (y downward)."""

    kind: str
    position_mm: tuple[float, float, float]
    axis: tuple[float, float, float]
    clearance_mm: float
    sizes: dict[str, float]
    flat_mm: tuple[float, float]
    drawn: tuple[Drawn, ...]
    movable: bool
    what: str = ""
    """Of a key: tongue, lip or dovetail."""


@dataclass(frozen=True)
class OtherClosure:
    """Another way to keep the same on: how many of what it takes."""

    name: str
    count: int
    unit: str
    caution: str


@dataclass(frozen=True)
class ClosingRecord:
    """What comes off at a seam, and how surely it stays on."""

    parts: tuple[str, ...]
    """What comes off."""
    side: int
    """1 where that is the part above, -1 below."""
    mass_g: float
    lever_mm: float
    """How far its balance point stands off the face."""
    pairs: int
    comes: str
    """The disc in what comes off: 6x3."""
    stays: str
    force_n: float
    """Of one pair, warm."""
    needed_n: float
    """Of all together, so that it just stays."""
    safety: float
    wanted: float
    pose: str
    """In which it would go first, in words."""
    way: str
    """How: pull, peel or shear."""
    keyed: bool
    """Pins keep it from sliding."""
    others: tuple[OtherClosure, ...]


@dataclass(frozen=True)
class SeamRecord:
    """A seam: its parts, its cut, what holds it, and its face drawn flat (SVG path and box, mm)."""

    id: str
    number: int
    """As it is engraved on either side."""
    letters: str
    """Its parts: A-B."""
    parts: tuple[str, str]
    cut: str
    area_mm2: float
    kind: Kind
    """How it is held in the end."""
    asked: Held
    """How it was to be held."""
    named: bool
    """Whether the maker said so of this seam."""
    advice: Said
    code: str
    """What became of it otherwise than wanted; see Joint."""
    joints: tuple[FastenerRecord, ...]
    face: str
    box: tuple[float, float, float, float]
    outline_mm: tuple[tuple[float, float, float], ...]
    """Its longest rim in the scaled piece, for the stage."""
    to_space: tuple[tuple[float, float, float], ...]
    """Rows of the 3x4 that brings its drawing (x, y downward, 1) to the scaled piece."""
    inside_mm: float
    needs: GlueNeeds
    own: int = 0
    """What the files of a set came with to hold it."""
    closing: ClosingRecord | None = None
    """Where it comes off."""


@dataclass(frozen=True)
class MarkRecord:
    """A text on the inside of a part, in the scaled piece's mm."""

    part: str
    text: str
    at_mm: tuple[float, float, float]
    height_mm: float


def fastener_record(fastener: Fastener) -> FastenerRecord:
    """A fastener as it is kept and told."""
    u, v = fastener.flat_mm
    return FastenerRecord(
        fastener.kind, three(fastener.position_mm, 4), three(fastener.axis, 6), fastener.clearance_mm, fastener.sizes(), (round(u, 3), round(-v, 3)),
        fastener.drawing(), fastener.movable, fastener.what if isinstance(fastener, Key) else "",
    )  # fmt: skip


def _records(joint: Joint, rods: Sequence[RodIn]) -> tuple[FastenerRecord, ...]:
    # The pins beside magnets follow them.
    own = [replace(fastener_record(f), movable=f.movable and (joint.closing is None or f.kind == "magnet")) for f in joint.fasteners]
    return (*own, *(fastener_record(rod.on(joint.seam)) for rod in rods if rod.crosses(joint.seam)))


def closing_record(by: ClosedBy, poses: Sequence[Pose]) -> ClosingRecord:
    """A seam that comes off as it is told."""
    hang, stays, pair = by.hangs.hang, by.stays, by.pair
    named = next((p.name for p in poses if p.key == stays.pose), "")
    others = tuple(OtherClosure(c.name, count, c.unit, c.caution) for c, count in others_for(stays))
    return ClosingRecord(
        by.hangs.parts, by.hangs.side, round(hang.mass_g, 1), round(hang.at_mm[2], 1), by.count, pair.comes.code, pair.stays.code,
        round(pair.pull_n, 2), round(stays.needed_n, 2), round(stays.safety, 2), ENOUGH, named, stays.way, by.keyed, others,
    )  # fmt: skip


def seam_record(
    joint: Joint, number: int, volumes: Mapping[str, float], step: JoinStep | None, poses: Sequence[Pose] = (), rods: Sequence[RodIn] = ()
) -> SeamRecord:
    """A seam as it is kept and told."""
    seam = joint.seam
    low_u, low_v, high_u, high_v = seam.face.bounds
    rings = [r for p in getattr(seam.face, "geoms", [seam.face]) for r in (p.exterior, *p.interiors)]
    longest = max(rings, key=lambda r: r.length)
    outline: Floats = seam.surface.to_space(np.array(longest.simplify(0.3).coords))
    # Of the drawing y points down.
    corner = seam.surface.to_space(np.array([[0.0, 0.0], [1.0, 0.0], [0.0, -1.0]]))
    rows = np.column_stack([corner[1] - corner[0], corner[2] - corner[0], corner[0]])
    sides = (step.above, step.below) if step else ((seam.above,), (seam.below,))
    lighter = min(sum(volumes[name] for name in side) for side in sides)
    return SeamRecord(
        seam.id, number, letters_of(seam), (seam.above, seam.below), seam.cut_id, round(seam.area_mm2, 2), joint.kind, joint.asked, bool(joint.asked.seam),
        joint.advice, joint.code, _records(joint, rods), svg_path(seam.face),
        (low_u, -high_v, high_u - low_u, high_v - low_v), tuple(three(p, 2) for p in outline), tuple(three(r, 6) for r in rows),
        round(joint.inside_mm, 1), glue_needs(joint, lighter), seam.own, closing_record(joint.closing, poses) if joint.closing else None,
    )  # fmt: skip


def axis_of(seam: SeamRecord) -> tuple[float, float, float]:
    """The unit direction in which the part above comes off: along what slides where something does, else square to the seam."""
    slides = next((f.axis for f in seam.joints if f.what == "dovetail"), None)
    if slides is not None:
        return slides
    rows = np.array(seam.to_space)
    # Of the drawing y points down.
    up = -np.cross(rows[:, 0], rows[:, 1])
    return three(up / np.linalg.norm(up), 6)
