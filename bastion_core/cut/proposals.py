"""What is proposed for a piece: found once for its shape, scale and printers, kept, and asked for again by every change of a plane."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from bastion_core.cut.aims import Aim
from bastion_core.cut.beds import Bed, fits_any
from bastion_core.cut.parting import Cut
from bastion_core.cut.plans import Alternative, Instead, find_instead, find_plans, surface_of
from bastion_core.cut.recipe import KeepOut
from bastion_core.cut.supplied import Supplied, too_large
from bastion_core.cut.visible import Sight
from bastion_core.engine.station import Place
from bastion_core.engine.store import Ref
from bastion_core.fit.clear import Clear
from bastion_core.fit.scale import Scale
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.solid import Solid
from bastion_core.pieces.shaped import Shaped
from bastion_core.progress import Progress, span
from bastion_core.shop import Weights

EDITION = 4
"""Raised when plans are found otherwise than before."""


@dataclass(frozen=True)
class SightKey:
    """What the surface that is looked at depends on: it stays while planes move."""

    shaped: Shaped
    scale: Scale
    clear: tuple[Clear, ...] = ()

    def sight(self, solid: Solid, place: Place) -> Sight:
        """How much is seen of it, alive from before or made again."""
        return place.live(self, lambda: surface_of(solid, boxes_of(self.clear, self.scale)))


@dataclass(frozen=True)
class PlansKey:
    """What the proposed plans depend on: not on the maker's planes, nor on the plan that is chosen."""

    shaped: Shaped
    scale: Scale
    beds: tuple[Bed, ...]
    keep_out: tuple[KeepOut, ...]
    weights: Weights
    lengthwise: bool
    clear: tuple[Clear, ...] = ()
    edition: int = EDITION

    def sight(self, solid: Solid, place: Place) -> Sight:
        """How much is seen of it: that hangs on its shape alone, and on what is to be kept clear."""
        return SightKey(self.shaped, self.scale, self.clear).sight(solid, place)


@dataclass(frozen=True)
class Plans:
    """The plans that were found."""

    found: tuple[Alternative, ...] = ()
    instead: Instead | None = None
    """Of a piece that fits a printer whole: whole, and in parts where that costs clearly less."""

    @property
    def most_parts(self) -> int:
        """Of all of them: so many are worth their seams to somebody."""
        return max((a.parts for a in (*self.found, *([self.instead.parted] if self.instead else []))), default=1)

    def mirrored(self) -> "Plans":
        """The same for the other side of a pair."""
        return Plans(tuple(a.mirrored() for a in self.found), self.instead and self.instead.mirrored())


def proposed(key: PlansKey, place: Place, progress: Progress) -> tuple[Plans, Ref]:
    """The plans for a piece (no set). Both sides of a pair are planned as one, so that their seams are mirror images."""
    standing = key.shaped.standing
    if standing.mirrored:
        keep_out = tuple(replace(k, at_mm=(-k.at_mm[0], *k.at_mm[1:])) for k in key.keep_out)
        twin = replace(key, shaped=replace(key.shaped, standing=replace(standing, mirrored=False)), keep_out=keep_out)
        twin = replace(twin, clear=tuple(c.mirrored() for c in key.clear))
        plans, ref = proposed(twin, place, progress)
        return plans.mirrored(), ref
    ref, plans = place.kept("plans", key, Plans, lambda: _found(key, place, progress))
    return plans, ref


@dataclass(frozen=True)
class FileKey:
    """What the plans of one part of a set depend on."""

    part: str
    as_one: tuple[str, ...]
    of: PlansKey


def proposed_of_set(
    supplied: Supplied, as_one: tuple[str, ...], aim: Aim, key: PlansKey, place: Place, progress: Progress
) -> tuple[dict[str, Sequence[Cut]], list[Ref]]:
    """The planes for each part of a set that fits no printer as it is, by its id: those of the plan that is best for ``aim``."""
    printers, keep_out, boxes = [b.printer() for b in key.beds], places_of(key.keep_out, key.scale), boxes_of(key.clear, key.scale)
    planes: dict[str, Sequence[Cut]] = {}
    refs: list[Ref] = []
    large = too_large(supplied, printers)
    for k, part in enumerate(large):
        step = span(progress, k / len(large), (k + 1) / len(large))

        def found(solid: Solid = part.solid, step: Progress = step) -> Plans:
            return Plans(find_plans(solid, printers, key.scale, key.weights, surface_of(solid, boxes), keep_out, step))

        ref, plans = place.kept("plans", FileKey(part.id, as_one, key), Plans, found)
        refs.append(ref)
        best = next((a for a in plans.found if aim in a.aims), None)
        if best is not None:
            planes[part.id] = best.cuts
    return planes, refs


def _found(key: PlansKey, place: Place, progress: Progress) -> Plans:
    solid, printers = key.shaped.scaled(place, key.scale), [b.printer() for b in key.beds]
    sight, keep_out = key.sight(solid, place), places_of(key.keep_out, key.scale)
    if fits_any(solid, printers) and not key.lengthwise:
        return Plans(instead=find_instead(solid, printers, key.scale, key.weights, sight, keep_out, progress))
    return Plans(find_plans(solid, printers, key.scale, key.weights, sight, keep_out, progress, key.lengthwise))


def places_of(keep_out: Sequence[KeepOut], scale: Scale) -> list[tuple[Floats, float]]:
    """Where no seam may run at a scale, and how far round."""
    return [(np.array(k.at_mm) * np.array(scale), k.radius_mm * max(scale)) for k in keep_out]


def boxes_of(clear: Sequence[Clear], scale: Scale) -> list[tuple[Floats, Floats]]:
    """Least and greatest corners, at a scale, of what is to be kept clear."""
    return [(np.array(c.low_mm) * scale, np.array(c.high_mm) * scale) for c in clear]
