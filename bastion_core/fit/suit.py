"""All pieces of a suit beside each other: their scales, whether neighbours keep their proportion, how far joints bend."""

from collections.abc import Sequence
from dataclasses import dataclass

from bastion_core.fit.movement import least_angle_deg
from bastion_core.fit.scale import LINE_WIDTH_MM

NEIGHBOURS = {
    ("head", "neck"), ("neck", "chest"), ("neck", "shoulder"), ("chest", "back"), ("chest", "shoulder"), ("back", "shoulder"), ("chest", "belt"),
    ("belt", "hip"), ("hip", "thigh"), ("thigh", "knee"), ("thigh", "shin"), ("knee", "shin"), ("shin", "foot"), ("shoulder", "upper_arm"),
    ("shoulder", "forearm"), ("upper_arm", "elbow"), ("upper_arm", "forearm"), ("elbow", "forearm"), ("forearm", "hand"), ("hand", "finger"),
}  # fmt: skip
OUT_OF_PROPORTION = 0.04
"""Neighbours scaled further apart than this look as if they came from two suits; common practice, no source."""
SIT_DEG, REACH_DEG = 95.0, 75.0
"""Least angle a knee has to reach for sitting, an elbow for touching the face; common practice, no source."""
_JOINTS = {("upper_arm", "forearm"): ("elbow", REACH_DEG), ("thigh", "shin"): ("knee", SIT_DEG)}


@dataclass(frozen=True)
class SuitPiece:
    """What the table needs of a piece. ``span_mm`` are its lower and upper end from the joint between the two halves of the limb."""

    id: int
    name: str
    site: str
    side: str
    chosen: float
    wanted: float | None
    """The least scale that does; None where nothing rules."""
    wall_mm: float | None
    walls: int
    span_mm: tuple[float, float] | None = None
    radius_mm: float | None = None


@dataclass(frozen=True)
class SuitRow:
    """A piece's line of the table."""

    id: int
    ratio: float | None
    """Scale against the mean of its neighbours'; None without any."""
    complaints: tuple[str, ...]


def suit_table(pieces: Sequence[SuitPiece]) -> list[SuitRow]:
    """A row for each piece, with what it complains of at the scales chosen."""
    return [_row(p, pieces) for p in pieces]


def _near(a: SuitPiece, b: SuitPiece) -> bool:
    paired = (a.site, b.site) in NEIGHBOURS or (b.site, a.site) in NEIGHBOURS
    twins = a.site == b.site and {a.side, b.side} == {"left", "right"}
    return a.id != b.id and (paired or twins) and (twins or not a.side or not b.side or a.side == b.side)


def _row(piece: SuitPiece, pieces: Sequence[SuitPiece]) -> SuitRow:
    told = []
    near = [p for p in pieces if _near(piece, p)]
    ratio = piece.chosen / (sum(p.chosen for p in near) / len(near)) if near else None
    if piece.wanted is not None and piece.chosen < piece.wanted - 5e-4:
        told.append(f"needs {100 * piece.wanted:.1f} %")
    if ratio is not None and abs(ratio - 1) > OUT_OF_PROPORTION:
        told.append(f"{100 * abs(ratio - 1):.0f} % {'larger' if ratio > 1 else 'smaller'} than its neighbours")
    if piece.wall_mm is not None:
        if piece.wall_mm < 2 * LINE_WIDTH_MM:
            told.append(f"wall {piece.wall_mm:.2f} mm, under two lines")
        elif piece.wall_mm < piece.walls * LINE_WIDTH_MM:
            told.append(f"wall {piece.wall_mm:.2f} mm, under {piece.walls} walls")
    for other in near:
        angle = bend_deg(piece, other)
        if angle is not None:
            joint, least = _JOINTS[_pair(piece, other)]
            if angle > least:
                told.append(f"the {joint} bends to {angle:.0f}° only before it meets {other.name}")
    return SuitRow(piece.id, ratio, tuple(told))


def _pair(a: SuitPiece, b: SuitPiece) -> tuple[str, str]:
    return (a.site, b.site) if (a.site, b.site) in _JOINTS else (b.site, a.site)


def bend_deg(a: SuitPiece, b: SuitPiece) -> float | None:
    """Least angle of the joint between two pieces of a limb, None where there is none between them."""
    if _pair(a, b) not in _JOINTS:
        return None
    upper, lower = (a, b) if a.site == _pair(a, b)[0] else (b, a)
    if upper.span_mm is None or lower.span_mm is None or upper.radius_mm is None or lower.radius_mm is None:
        return None
    return least_angle_deg(max(upper.span_mm[0], 0.0), upper.radius_mm, max(-lower.span_mm[1], 0.0), lower.radius_mm)
