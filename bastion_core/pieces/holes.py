"""What a maker chooses from where a piece has holes, pockets and slots: which are alike, how wide they are now, and what they are for."""

from collections.abc import Sequence
from dataclasses import dataclass

from bastion_core.findings import Verdict
from bastion_core.geometry.mesh import Floats
from bastion_core.pieces.features import HOLLOW, Feature
from bastion_core.pieces.recipe import FeatureUse
from bastion_core.pieces.shaped import Fitted, Placed, features_at

ALIKE_MM, AS_DEEP_MM = 0.06, 0.3
"""Features of one kind whose widths and depths differ by no more than these were made for the same thing; common practice, no source."""


@dataclass(frozen=True)
class Hole:
    """Something of a fixed size in a piece, as it lies in its file and as it is at this scale."""

    feature: Feature
    hollow: bool
    """Whether anything can go into it."""
    likely: tuple[str, ...]
    """What it was most likely made for."""
    alike: int
    """Number of the first that is of the same kind and size."""
    seat: tuple[int, ...]
    """Numbers of those that are decided about together: itself, and the pocket that faces it across a seam."""
    width_mm: float
    depth_mm: float
    use: FeatureUse | None = None
    """What is decided about it."""
    verdict: Verdict | None = None
    """How that came out; None while it is not made."""


def holes_of(
    features: Sequence[Feature], likely: Sequence[tuple[str, ...]], uses: Sequence[FeatureUse], matrix: Floats, fitted: Sequence[Fitted]
) -> tuple[Hole, ...]:
    """All features, with what is decided, where they stand by a 4x4 ``matrix`` from the file; ``fitted`` is what became of those decisions."""
    decided: dict[int, FeatureUse] = {}
    for use in uses:
        for number in features_at(features, use.at_mm):
            decided.setdefault(number, use)
    found: list[Hole] = []
    for k, feature in enumerate(features):
        placed, own = Placed(feature, matrix), decided.get(k)
        width, depth, verdict = placed.width_mm, placed.depth_mm, None
        told = next((f for f in fitted if own and (f.feature, f.at_mm, f.use) == (k, own.at_mm, own.use)), None)
        if told is not None:
            width, depth, verdict = told.width_mm, told.depth_mm, told.verdict
        hollow = feature.kind in HOLLOW
        seat = tuple(features_at(features, feature.at_mm)) if hollow else (k,)
        first = next((h.alike for h in found if _alike(h.feature, feature)), k)
        found.append(Hole(feature, hollow, tuple(likely[k]), first, seat, round(width, 3), round(depth, 3), own, verdict))
    return tuple(found)


def _alike(one: Feature, other: Feature) -> bool:
    return (
        (one.kind, one.through) == (other.kind, other.through)
        and abs(one.width_mm - other.width_mm) < ALIKE_MM
        and abs(one.depth_mm - other.depth_mm) < AS_DEEP_MM
    )
