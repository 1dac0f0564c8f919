"""Prints spread over printers so that all are done soonest, somebody always there: what a cut is judged by, thousands of times.

Longest first from a few orders, then moves and swaps. Measured against the calendar's own search without nights: as good on up to ten prints,
and a tenth of its time (schedule/starts.py is quicker from twenty on, and knows of nights).
"""

import random
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from bastion_core.errors import RecipeProblem

_ROUNDS, _MOST_IMPROVED = 60, 90
_MOST_STARTS, _STARTS_WORK = 24, 2000
"""Few prints are tried from many orders, many from one: the time stays about the same."""


@dataclass(frozen=True)
class Task:
    """A print: its name and its hours on each printer that can take it."""

    name: str
    hours: Mapping[str, float]


def spread(tasks: Sequence[Task]) -> dict[str, list[Task]]:
    """Prints by printer. RecipeProblem when one fits no printer."""
    for task in tasks:
        if not task.hours:
            raise RecipeProblem(f"{task.name} fits no printer. Cut it further, or add a larger printer.")
    if not tasks:
        return {}
    orders = [sorted(tasks, key=lambda t: (-min(t.hours.values()), t.name))]
    rng = random.Random(len(tasks))
    orders += [rng.sample(orders[0], len(tasks)) for _ in range(min(_MOST_STARTS, _STARTS_WORK // len(tasks) ** 2))]
    best: tuple[float, dict[str, list[Task]]] | None = None
    for order in orders:
        lanes: dict[str, list[Task]] = {p: [] for p in sorted({p for t in tasks for p in t.hours})}
        load = dict.fromkeys(lanes, 0.0)
        for task in order:
            ends = {p: load[p] + hours for p, hours in task.hours.items()}
            first = min(ends, key=lambda p: (ends[p], p))
            lanes[first].append(task)
            load[first] = ends[first]
        # Of very many the longest-first order leaves little to gain, and looking for it would take minutes.
        for _ in range(_ROUNDS if len(tasks) <= _MOST_IMPROVED else 0):
            if not _improve(lanes):
                break
        end = max(_load(p, lane) for p, lane in lanes.items())
        if best is None or end < best[0]:
            best = end, lanes
    assert best is not None
    return best[1]


def done_h(tasks: Sequence[Task]) -> float:
    """When all of them are done on empty printers (h)."""
    return max((_load(p, lane) for p, lane in spread(tasks).items()), default=0.0)


def _load(printer: str, lane: Sequence[Task]) -> float:
    return sum(t.hours[printer] for t in lane)


def _improve(lanes: dict[str, list[Task]]) -> bool:
    """One move or swap off the printer that ends last; False when none makes the end earlier."""
    ends = {p: _load(p, lane) for p, lane in lanes.items()}
    last = max(ends, key=lambda p: ends[p])
    for task in list(lanes[last]):
        without = [t for t in lanes[last] if t is not task]
        for other in lanes:
            if other == last or other not in task.hours:
                continue
            for swapped in (None, *lanes[other]):
                if swapped is not None and last not in swapped.hours:
                    continue
                there = [t for t in lanes[other] if t is not swapped] + [task]
                here = without + ([swapped] if swapped else [])
                if max(_load(last, here), _load(other, there)) < ends[last]:
                    lanes[last], lanes[other] = here, there
                    return True
    return False
