"""Two states of a piece's file beside each other: what the exchange changed, which parts have to be printed again, and which files are nearly the same."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

from bastion_core.findings import Said, counted, joined, say
from bastion_core.pieces.station import PiecesResult

_SAME_SIZE, _SAME_SHADOW, _SAME_VOLUME = 0.004, 0.006, 0.002
"""Shares by which sizes, outlines and volumes of one design may differ; common practice, no source."""
_SAME_PART_MM, _SAME_PART = 0.02, 2e-4


@dataclass(frozen=True)
class Revision:
    """What the exchange of a file changed."""

    volume_mm3: tuple[float, float]
    """Before and after."""
    holes: tuple[int, int]
    features: tuple[int, int]
    size_mm: tuple[tuple[float, float, float], tuple[float, float, float]]
    same_outline: bool
    again: tuple[str, ...]
    """Parts that have to be printed again, or for the first time."""
    as_before: int
    """Parts that come out as before."""


class _Part(Protocol):
    @property
    def name(self) -> str: ...
    @property
    def size_mm(self) -> tuple[float, float, float]: ...
    @property
    def centre_mm(self) -> tuple[float, float, float]: ...
    @property
    def volume_mm3(self) -> float: ...


def revision(before: PiecesResult, after: PiecesResult, parts_before: Sequence[_Part], parts_after: Sequence[_Part]) -> Revision:
    """What changed from one state of the files to another; parts are those the cut gives (at the scale in force)."""
    again = tuple(p.name for p in parts_after if not any(_same_part(p, q) for q in parts_before))
    return Revision(
        (before.volume_mm3, after.volume_mm3), (before.holes, after.holes), (before.features, after.features), (before.size_mm, after.size_mm),
        same_outline(before, after), again, len(parts_after) - len(again),
    )  # fmt: skip


def _same_part(one: _Part, other: _Part) -> bool:
    lengths = zip((*one.size_mm, *one.centre_mm), (*other.size_mm, *other.centre_mm), strict=True)
    return all(abs(a - b) <= _SAME_PART_MM for a, b in lengths) and abs(one.volume_mm3 - other.volume_mm3) <= _SAME_PART * one.volume_mm3


def same_outline(one: PiecesResult, other: PiecesResult) -> bool:
    """Whether two files have the same size and throw the same shadows from the front, the side and above."""
    shadows = zip(one.shadows_mm2, other.shadows_mm2, strict=True)
    return as_large(one.size_mm, other.size_mm) and all(_alike(a, b, _SAME_SHADOW) for a, b in shadows)


def as_large(one_mm: Sequence[float], other_mm: Sequence[float]) -> bool:
    """Whether two sizes differ by no more than those of one design do."""
    return len(one_mm) == len(other_mm) and all(_alike(a, b, _SAME_SIZE) for a, b in zip(one_mm, other_mm, strict=True))


def nearly_the_same(one: PiecesResult, other: PiecesResult, name: str) -> Said | None:
    """What to say where another file (called ``name``) looks like this one but is not; None where they differ, or do not differ at all."""
    if not one.shadows_mm2 or not other.shadows_mm2 or not same_outline(one, other):
        return None
    parts = []
    for more, what in ((one.holes - other.holes, "hole"), (one.features - other.features, "pocket or slot")):
        if more:
            many = "pockets or slots" if " or " in what else f"{what}s"
            parts.append(say(f"{counted(abs(more), what, many)} {'more' if more > 0 else 'fewer'} here"))
    by = one.volume_mm3 / other.volume_mm3 - 1
    if abs(by) > _SAME_VOLUME:
        parts.append(say(f"{abs(100 * by):.1f} % {'more' if by > 0 else 'less'} material"))
    if not parts:
        return None
    return say("Nearly the same as {}: same outline, {}. Look which one you mean.", name, joined(parts, ", "))


def _alike(a: float, b: float, share: float) -> bool:
    return abs(a - b) <= share * max(abs(a), abs(b))
