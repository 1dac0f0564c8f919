"""What has to be printed by when, on what, and who is awake: what the calendar is made from."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta

from bastion_core.errors import RecipeProblem
from bastion_core.findings import Verdict

PLANNING_FACTOR = 2.0
"""Everything takes about twice as long as planned; common practice, no source."""
CLOSE_DAYS = 3
"""Done less than this before the due date is close; common practice, no source."""


def in_time(days_late: int) -> Verdict:
    """What it says about a due date to be done so many days after it (negative: before it)."""
    if days_late > 0:
        return Verdict.STOPS
    return Verdict.TIGHT if days_late > -CLOSE_DAYS else Verdict.HOLDS


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
class Need:
    """A plate to be printed: its hours on each printer that takes it (as the printer would say, without any factor), and its filament."""

    id: str
    name: str
    hours: Mapping[str, float]
    stuff: str = ""
    """Material and colour: one spool is on one printer at a time."""
    grams: float = 0.0
    must: bool = False

    def __post_init__(self) -> None:
        if any(not 0 < h < 10_000 for h in self.hours.values()):
            raise RecipeProblem(f"{self.name}: hours have to be more than 0. Look at the speed of its printers.")


@dataclass(frozen=True)
class Busy:
    """What runs on a printer now, or keeps it: until when it is expected to."""

    printer: str
    until: datetime
    plate: str = ""


@dataclass(frozen=True)
class Times:
    """When a bed can be changed: the waking hours of every day that nobody is away."""

    begin: datetime
    waking: Waking = Waking()
    away: tuple[date, ...] = ()

    def awake(self, until: datetime) -> list[tuple[datetime, datetime]]:
        """The stretches in which somebody is there, from the beginning on."""
        day, found = self.begin.replace(hour=0, minute=0, second=0, microsecond=0), []
        while day <= until:
            low = max(day + timedelta(hours=self.waking.from_h), self.begin)
            high = day + timedelta(hours=self.waking.to_h)
            if low < high and day.date() not in self.away:
                found.append((low, high))
            day += timedelta(days=1)
        return found

    def next_awake(self, moment: datetime) -> datetime:
        """The moment itself where somebody is there, else when somebody is next. RecipeProblem where nobody is for a year."""
        moment = max(moment, self.begin)
        for _ in range(400):
            there = self.waking.next_start(moment)
            if there.date() not in self.away:
                return there
            moment = there.replace(hour=0, minute=0, second=0, microsecond=0) + timedelta(days=1)
        raise RecipeProblem("Nobody is there for more than a year: take days out of the days away.")


@dataclass(frozen=True)
class Slot:
    """A plate on a printer, from start to end."""

    plate: str
    printer: str
    start: datetime
    end: datetime


@dataclass(frozen=True)
class Plan:
    """The calendar: what runs when, and how far from the best possible it may be."""

    slots: tuple[Slot, ...]
    done: datetime
    best: datetime | None
    """Nothing can be done before; None where it was not sought."""
    within: float | None
    """Share of the time by which a better plan could still be shorter."""
    late: tuple[str, ...] = ()
    """Plates of what must be ready that end after the due date."""
    left_out: tuple[str, ...] = ()
    """Plates that fit no printer in use."""


@dataclass(frozen=True)
class Asked:
    """All that the calendar depends on. ``factor`` brings a printer's own hours to real ones: by printer and material, else by ``""``."""

    needs: tuple[Need, ...]
    printers: tuple[str, ...]
    times: Times
    busy: tuple[Busy, ...] = ()
    spools: Mapping[str, int] = field(default_factory=dict)
    """Of each material and colour how many spools there are; none said, no limit."""
    factor: Mapping[str, float] = field(default_factory=dict)
    due: datetime | None = None

    def real_h(self, need: Need, printer: str) -> float:
        """Hours a plate really takes on a printer."""
        stuff = need.stuff.split("|")[0]
        return need.hours[printer] * self.factor.get(f"{printer}|{stuff}", self.factor.get(printer, self.factor.get("", 1.0)))
