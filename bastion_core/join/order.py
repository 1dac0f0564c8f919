"""In which order parts come together: the cuts in reverse, each time two subassemblies along one direction; and what cannot be closed so."""

from collections.abc import Container, Sequence
from dataclasses import dataclass

import numpy as np

from bastion_core.cut.parting import Parting, Seam

_PARALLEL = 0.999


@dataclass(frozen=True)
class JoinStep:
    """Two subassemblies become one."""

    above: tuple[str, ...]
    """Names of the parts of the one that comes from above."""
    below: tuple[str, ...]
    seams: tuple[str, ...]
    """Ids of the seams that this closes."""
    axis: tuple[float, float, float]
    """The direction in which the one above comes off."""
    awry: tuple[str, ...] = ()
    """Of its seams, those that do not face along the axis: nothing that slides can be between them."""


def steps_of(parting: Parting, cuts: Sequence[str], comes_off: Container[str] = ()) -> tuple[JoinStep, ...]:
    """The steps, first things first. ``cuts`` are the ids of the planes in the order in which they parted the piece; seams (ids) at which
    something comes off are closed last."""
    group = {p.name: frozenset([p.name]) for p in parting.parts}
    rank = {cut: k for k, cut in enumerate(cuts)}
    # The last cut is closed first; faces between the files of a set after all planes, the largest first.
    waiting = sorted(parting.seams, key=lambda s: (s.id in comes_off, -rank.get(s.cut_id, -1), -s.area_mm2))
    done: set[str] = set()
    steps: list[JoinStep] = []
    for seam in waiting:
        if seam.id in done:
            continue
        one, other = group[seam.above], group[seam.below]
        if one is other:
            # Closed already by way of other parts.
            done.add(seam.id)
            continue
        between = [s for s in parting.seams if s.id not in done and {group[s.above], group[s.below]} == {one, other}]
        steps.append(_step(seam, between, one, other))
        done |= {s.id for s in between}
        both = one | other
        for name in both:
            group[name] = both
    return tuple(steps)


def _step(main: Seam, between: Sequence[Seam], above: frozenset[str], below: frozenset[str]) -> JoinStep:
    axis = np.array(main.surface.normal)
    awry = tuple(s.id for s in between if abs(float(axis @ np.array(s.surface.normal))) < _PARALLEL)
    return JoinStep(tuple(sorted(above)), tuple(sorted(below)), tuple(s.id for s in between), main.surface.normal, awry)
