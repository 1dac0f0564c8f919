"""Which printer prints what, and when all of it is done: one part after another, beds changed only by someone awake."""

import random
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from bastion_core.errors import RecipeProblem
from bastion_core.findings import Verdict

PLANNING_FACTOR = 2.0
"""Everything takes about twice as long as planned; common practice, no source."""
CLOSE_DAYS = 3
"""Done less than this before the due date is close; common practice, no source."""
_ROUNDS, _MOST_IMPROVED = 60, 90
_MOST_STARTS, _STARTS_WORK = 24, 2000
"""Few tasks are tried from many orders, many tasks from one: the time stays about the same."""


@dataclass(frozen=True)
class Waking:
    """Hours of the day between which a bed can be changed."""

    from_h: float = 8.0
    to_h: float = 22.0

    def __post_init__(self) -> None:
        if not 0 <= self.from_h < self.to_h <= 24:
            raise RecipeProblem("The waking hours have to begin before they end, between 0 and 24.")

    def next_start(self, moment: datetime) -> datetime:
        """The moment itself when someone is awake, else the next morning."""
        day = moment.replace(hour=0, minute=0, second=0, microsecond=0)
        hour = (moment - day).total_seconds() / 3600
        if hour < self.from_h:
            return day + timedelta(hours=self.from_h)
        if hour >= self.to_h:
            return day + timedelta(days=1, hours=self.from_h)
        return moment


@dataclass(frozen=True)
class Task:
    """A print: its name and its hours on each printer that can take it."""

    name: str
    hours: Mapping[str, float]


@dataclass(frozen=True)
class Slot:
    """A print on a printer, from start to end (planning factor included)."""

    task: str
    printer: str
    start: datetime
    end: datetime


def schedule(tasks: Sequence[Task], begin: datetime, waking: Waking = Waking(), factor: float = PLANNING_FACTOR) -> list[Slot]:
    """Every task on a printer, so that the last one ends early. Longest first (and a few other orders), then moves and swaps while they help.

    Raises RecipeProblem when a task fits no printer.
    """
    for task in tasks:
        if not task.hours:
            raise RecipeProblem(f"{task.name} fits no printer. Cut it further, or add a larger printer.")
    if not tasks:
        return []
    orders = [sorted(tasks, key=lambda t: (-min(t.hours.values()), t.name))]
    rng = random.Random(len(tasks))
    orders += [rng.sample(orders[0], len(tasks)) for _ in range(min(_MOST_STARTS, _STARTS_WORK // len(tasks) ** 2))]

    def lane_end(printer: str, lane: Sequence[Task]) -> datetime:
        moment = begin
        for t in lane:
            moment = waking.next_start(moment) + timedelta(hours=t.hours[printer] * factor)
        return moment

    best: tuple[datetime, dict[str, list[Task]]] | None = None
    for order in orders:
        lanes: dict[str, list[Task]] = {p: [] for p in sorted({p for t in tasks for p in t.hours})}
        free = dict.fromkeys(lanes, begin)
        for task in order:
            ends = {p: waking.next_start(free[p]) + timedelta(hours=hours * factor) for p, hours in task.hours.items()}
            first = min(ends, key=lambda p: (ends[p], p))
            lanes[first].append(task)
            free[first] = ends[first]
        # Of very many tasks the longest-first order leaves little to gain, and looking for it would take minutes.
        for _ in range(_ROUNDS if len(tasks) <= _MOST_IMPROVED else 0):
            if not _improve(lanes, lane_end):
                break
        end = max(lane_end(p, lane) for p, lane in lanes.items())
        if best is None or end < best[0]:
            best = end, lanes
    assert best is not None
    slots = []
    for printer, lane in best[1].items():
        moment = begin
        for task in lane:
            start = waking.next_start(moment)
            moment = start + timedelta(hours=task.hours[printer] * factor)
            slots.append(Slot(task.name, printer, start, moment))
    return sorted(slots, key=lambda s: (s.start, s.printer))


def _improve(lanes: dict[str, list[Task]], lane_end: Callable[[str, Sequence[Task]], datetime]) -> bool:
    """One move or swap off the printer that ends last; False when none makes the end earlier."""
    ends = {p: lane_end(p, lane) for p, lane in lanes.items()}
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
                if max(lane_end(last, here), lane_end(other, there)) < ends[last]:
                    lanes[last], lanes[other] = here, there
                    return True
    # Beds are not changed at night, so the order counts too: a long print begun in the evening costs no idle hours.
    for at, task in enumerate(lanes[last]):
        for to in range(len(lanes[last])):
            moved = [t for t in lanes[last] if t is not task]
            moved.insert(to, task)
            if to != at and lane_end(last, moved) < ends[last]:
                lanes[last] = moved
                return True
    return False


def done_by(slots: Sequence[Slot], begin: datetime) -> datetime:
    """When the last print ends; ``begin`` when there is nothing to print."""
    return max((s.end for s in slots), default=begin)


def in_time(days_late: int) -> Verdict:
    """What it says about a due date to be done so many days after it (negative: before it)."""
    if days_late > 0:
        return Verdict.STOPS
    return Verdict.TIGHT if days_late > -CLOSE_DAYS else Verdict.HOLDS


def without_nights_h(tasks: Sequence[Task]) -> float:
    """When all of them are done on empty printers with somebody always there (h), nothing taking longer than it should."""
    begin = datetime(2000, 1, 1)
    slots = schedule(tasks, begin, Waking(0.0, 24.0), 1.0)
    return (done_by(slots, begin) - begin).total_seconds() / 3600
