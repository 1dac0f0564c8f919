"""All pieces of a suit beside each other: their scales, and whether neighbours keep their proportion."""

from collections.abc import Sequence
from dataclasses import dataclass

from bastion_core.findings import Quantity, Said, say
from bastion_core.fit.scale import in_percent, thin_wall
from bastion_core.shop import MADE_FOR_MM

NEIGHBOURS = {
    ("neck", "chest"), ("chest", "back"), ("chest", "belt"), ("back", "belt"), ("belt", "hip"),
    ("shoulder", "upper_arm"), ("shoulder", "forearm"), ("upper_arm", "elbow"), ("upper_arm", "forearm"), ("elbow", "forearm"),
    ("forearm", "hand"), ("hand", "finger"),
    ("thigh", "knee"), ("thigh", "shin"), ("knee", "shin"), ("shin", "foot"),
}  # fmt: skip
"""Sites compared with each other: like with like, so within head, trunk, arm and leg. A head decides its helmet's scale whatever the trunk is."""
OUT_OF_PROPORTION = 0.04
"""Neighbours scaled further apart than this look as if they came from two suits; common practice, no source."""


@dataclass(frozen=True)
class SuitPiece:
    """What the table needs of a piece."""

    id: int
    name: str
    site: str
    side: str
    chosen: float
    wanted: float | None
    """The least scale that does; None where nothing rules."""
    wall_mm: float | None
    walls: int
    made_for_mm: float = MADE_FOR_MM

    @property
    def suits_mm(self) -> float:
        """The stature it was made for, as it is scaled: what pieces from different sets are compared by."""
        return self.chosen * self.made_for_mm


@dataclass(frozen=True)
class SuitRow:
    """A piece's line of the table."""

    id: int
    ratio: float | None
    """The stature it suits against the mean of its neighbours'; None without any."""
    issues: tuple[Said, ...]


def suit_table(pieces: Sequence[SuitPiece]) -> list[SuitRow]:
    """A row for each piece, with what it has as issues at the scales chosen."""
    return [_row(p, pieces) for p in pieces]


def _near(a: SuitPiece, b: SuitPiece) -> bool:
    paired = (a.site, b.site) in NEIGHBOURS or (b.site, a.site) in NEIGHBOURS
    twins = a.site == b.site and {a.side, b.side} == {"left", "right"}
    return a.id != b.id and (paired or twins) and (twins or not a.side or not b.side or a.side == b.side)


def _row(piece: SuitPiece, pieces: Sequence[SuitPiece]) -> SuitRow:
    said = []
    near = [p for p in pieces if _near(piece, p)]
    ratio = piece.suits_mm / (sum(p.suits_mm for p in near) / len(near)) if near else None
    if piece.wanted is not None and piece.chosen < piece.wanted - 5e-4:
        said.append(say("needs {}", in_percent(piece.wanted)))
    # Told where it can be mended: a piece that the body allows no smaller is not called too large.
    held = piece.wanted is not None and ratio is not None and piece.chosen / ratio < piece.wanted
    if ratio is not None and abs(ratio - 1) > OUT_OF_PROPORTION and not (ratio > 1 and held):
        apart = Quantity((abs(ratio - 1),), "share")
        said.append(say("{} {} than its neighbours", apart, "larger" if ratio > 1 else "smaller"))
    thin = thin_wall(piece.wall_mm, piece.walls)
    if thin is not None:
        said.append(thin[1].bare())
    return SuitRow(piece.id, ratio, tuple(said))
