"""How long this maker's hands take, learnt from steps that were ticked with their minutes."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import exp, log

from bastion_core.errors import RecipeProblem
from bastion_core.finish.table import FIRST_TIME, HAND_KINDS, HandKind, Pace

PRIOR_SD, STEP_SD = 0.5, 0.45
"""How far makers' paces lie apart, and one step of a maker from the next, both in logarithms; common practice, no source."""
_STEPS_OF = 0.05
LEAST_MIN, MOST_MIN = 0.1, 1440.0
"""That a step may take."""
TEACHES_FROM_MIN = 0.5
"""Shorter steps say nothing of a pace; common practice, no source."""


@dataclass(frozen=True)
class HandLog:
    """Ticked steps of a kind: how many had their minutes, and the mean logarithm of minutes by a practised maker's."""

    kind: HandKind
    steps: int
    mean_log: float


@dataclass(frozen=True)
class Ticked:
    """A step that was done: its kind, a practised maker's minutes, and those it took."""

    kind: HandKind
    usual_min: float
    took_min: float

    def __post_init__(self) -> None:
        if not LEAST_MIN <= self.took_min <= MOST_MIN:
            raise RecipeProblem(f"A step takes {LEAST_MIN:g} to {MOST_MIN:,.0f} minutes. Give its minutes, or none.", "took_min")


def logged(ticks: Sequence[Ticked]) -> tuple[HandLog, ...]:
    """What ticks say, by kind; their order does not matter. Steps of next to nothing say nothing."""
    found = list[HandLog]()
    for kind in HAND_KINDS:
        logs = [log(t.took_min / t.usual_min) for t in ticks if t.kind == kind and t.usual_min >= TEACHES_FROM_MIN]
        if logs:
            found.append(HandLog(kind, len(logs), round(sum(logs) / len(logs), 6)))
    return tuple(found)


def paces_of(log_: Sequence[HandLog], pace: Pace) -> dict[HandKind, float]:
    """How much slower these hands are than a practised maker's, by kind: the pace that was told, moved by what was ticked.

    A normal prior and normal steps in logarithms: the mean is weighed by how sure each is. In steps of a twentieth, so that not every tick makes
    every plan anew.
    """
    told = FIRST_TIME if pace == "first" else 1.0
    by = {entry.kind: entry for entry in log_}
    paces: dict[HandKind, float] = {}
    for kind in HAND_KINDS:
        mean = log(told)
        if kind in by:
            sure, n = 1 / PRIOR_SD**2, by[kind].steps / STEP_SD**2
            mean = (sure * mean + n * by[kind].mean_log) / (sure + n)
        paces[kind] = max(round(exp(mean) / _STEPS_OF) * _STEPS_OF, _STEPS_OF)
    return paces
