"""Which printer prints what, and when all of it is done: one part after another, beds changed only by someone awake."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from bastion_core.errors import RecipeProblem

PLANNING_FACTOR = 2.0
"""Everything takes about twice as long as planned; common practice, no source."""
_ROUNDS = 200


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
    """Every task on a printer, so that the last one ends early. Longest first, then moves and swaps while they help.

    Raises RecipeProblem when a task fits no printer.
    """
    for task in tasks:
        if not task.hours:
            raise RecipeProblem(f"{task.name} fits no printer. Cut it further, or add a larger printer.")
    if not tasks:
        return []
    printers = sorted({p for t in tasks for p in t.hours})
    lanes: dict[str, list[Task]] = {p: [] for p in printers}

    def lane_end(printer: str, lane: Sequence[Task]) -> datetime:
        moment = begin
        for t in lane:
            moment = waking.next_start(moment) + timedelta(hours=t.hours[printer] * factor)
        return moment

    for task in sorted(tasks, key=lambda t: (-min(t.hours.values()), t.name)):
        best = min(task.hours, key=lambda p: (lane_end(p, [*lanes[p], task]), p))
        lanes[best].append(task)
    for _ in range(_ROUNDS):
        if not _improve(lanes, lane_end):
            break
    slots = []
    for printer, lane in lanes.items():
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
    return False


def done_by(slots: Sequence[Slot], begin: datetime) -> datetime:
    """When the last print ends; ``begin`` when there is nothing to print."""
    return max((s.end for s in slots), default=begin)
