"""A thousand futures of a calendar: slower or faster printers, prints that fail and go again, beds that wait for the morning.

Each future draws one pace for a printer and material and one rate of failures for a printer; only then each print's own noise. Long plans
looked falsely sure if every print had its own luck. Seeded: the same plan gives the same chances.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import groupby

import numpy as np

from bastion_core.findings import Verdict
from bastion_core.geometry.mesh import Floats
from bastion_core.schedule.clock import Clock
from bastion_core.schedule.learn import FIRST_LAYER_H, PRINT_SD, SHARED, Guess, Learnt
from bastion_core.schedule.model import Busy, Need, Slot, Times

FUTURES = 1000
CHANCES = (0.5, 0.8, 0.95)
_MOST_TRIES = 12
NOTICED_H = 1.0
"""Until somebody who is awake sees that a print failed; common practice, no source."""
_TELLS_H = 0.5


@dataclass(frozen=True)
class Matters:
    """A plate that matters: what its failing costs the date, and how often that happens."""

    plate: str
    fails: float
    """Chance that it fails at least once."""
    later_h: float
    """By how much the date is later in the mean where it does."""


LIKELY, SAFE = 0.5, 0.8
"""Less of a chance to be in time stops, and less than the second is tight; common practice, no source."""


@dataclass(frozen=True)
class Odds:
    """What may come of a plan."""

    by: dict[str, datetime]
    """Done by then with a chance of 50, 80, 95 % (as percent)."""
    in_time: float | None
    """Chance of all being done by the due date; None without one."""
    failures: float
    """Prints that fail, in the mean."""
    matters: tuple[Matters, ...]
    printers: dict[str, datetime]
    """When each printer is done, with 80 %."""
    plates: dict[str, tuple[datetime, datetime]]
    """When each plate is done, with 50 and with 80 %."""

    @property
    def verdict(self) -> Verdict:
        """Of the chance to be in time; it waits where there is no date."""
        if self.in_time is None:
            return Verdict.WAITS
        return Verdict.STOPS if self.in_time < LIKELY else Verdict.TIGHT if self.in_time < SAFE else Verdict.HOLDS


def futures(
    slots: Sequence[Slot],
    needs: Mapping[str, Need],
    learnt: Learnt,
    times: Times,
    busy: Sequence[Busy] = (),
    due: datetime | None = None,
    count: int = FUTURES,
    seed: int = 11,
) -> Odds:
    """Chances of a plan carried out in its order on each printer."""
    rng = np.random.default_rng(seed)
    clock = Clock(times)
    # One pace for the shop in each future, on which every printer's leans: what is not taught anywhere is wrong everywhere.
    shared = rng.standard_normal(count)
    ends: dict[str, Floats] = {}
    failed: dict[str, tuple[str, Floats, Floats]] = {}
    lanes: dict[str, Floats] = {}
    pace: dict[tuple[str, str], Floats] = {}
    by_printer = sorted(slots, key=lambda s: (s.printer, s.start))
    for printer, mine in groupby(by_printer, key=lambda s: s.printer):
        fails = learnt.fails_of(printer)
        rate = rng.gamma(fails.a, 1 / fails.b_h, count)
        first = rng.beta(fails.first_a, fails.first_b, count)
        now = np.zeros(count)
        for b in busy:
            if b.printer == printer:
                left = max((b.until - times.begin).total_seconds() / 3600, 0.0)
                now = np.maximum(now, left * np.exp(PRINT_SD * rng.standard_normal(count)))
        for slot in mine:
            need = needs[slot.plate]
            stuff = need.stuff.split("|")[0]
            if (printer, stuff) not in pace:
                pace[printer, stuff] = _drawn(learnt.pace_of(printer, stuff), shared, rng)
            long = need.hours[printer] * pace[printer, stuff]
            now, bad, lost = _printed(clock, now, long, rate, first, rng)
            ends[slot.plate], failed[slot.plate] = now, (printer, bad, lost)
        lanes[printer] = now
    if not ends:
        done = np.zeros(count)
    else:
        done = np.max(list(lanes.values()), axis=0)
    done = np.maximum(done, max([(b.until - times.begin).total_seconds() / 3600 for b in busy], default=0.0))
    at = lambda hours: times.begin + timedelta(hours=float(hours))  # noqa: E731
    return Odds(
        {f"{100 * c:.0f}": at(np.quantile(done, c)) for c in CHANCES},
        None if due is None else float(np.mean(done <= (due - times.begin).total_seconds() / 3600)),
        float(sum(f.mean() for _, f, _ in failed.values())),
        _matters(failed, lanes, done),
        {p: at(np.quantile(end, 0.8)) for p, end in lanes.items()},
        {plate: (at(np.quantile(end, 0.5)), at(np.quantile(end, 0.8))) for plate, end in ends.items()},
    )


def _drawn(guess: Guess, shared: Floats, rng: np.random.Generator) -> Floats:
    """(n,): a pace for each future; what was never taught shares its doubt with the other printers."""
    common = SHARED if guess.prints == 0 else 0.0
    own = rng.standard_normal(len(shared))
    return np.asarray(np.exp(guess.log_mean + guess.log_sd * (np.sqrt(common) * shared + np.sqrt(1 - common) * own)))


def _printed(
    clock: Clock, now: Floats, long: Floats, rate: Floats, first: Floats, rng: np.random.Generator
) -> tuple[Floats, Floats, Floats]:
    """When a plate is printed in each future, begun as soon as somebody is there; how often it failed before, and the hours that lost."""
    count = len(now)
    begun = clock.each_next_awake(now)
    took = long * np.exp(PRINT_SD * rng.standard_normal(count))
    fails, open_ = np.zeros(count), np.ones(count, dtype=bool)
    for tries in range(_MOST_TRIES):
        start = np.where(open_, clock.each_next_awake(now), now)
        bed = rng.random(count) < first
        hour = np.where(bed, FIRST_LAYER_H * rng.random(count), rng.exponential(1.0, count) / np.maximum(rate, 1e-12))
        bad = open_ & (hour < took) & (tries < _MOST_TRIES - 1)
        now = np.where(open_, np.where(bad, start + np.minimum(hour + NOTICED_H, took), start + took), now)
        fails += bad
        open_ = bad
        if not open_.any():
            break
    return now, fails, now - begun - took


def _matters(failed: Mapping[str, tuple[str, Floats, Floats]], lanes: Mapping[str, Floats], done: Floats) -> tuple[Matters, ...]:
    """Plates whose failing makes the whole later, the worst (chance times delay) first: each future against itself without that failure."""
    found = []
    for plate, (printer, times, lost) in failed.items():
        bad = times > 0
        if not bad.any():
            continue
        others = [end for name, end in lanes.items() if name != printer]
        without = np.max([lanes[printer] - lost, *others], axis=0)
        later = float((done - np.minimum(without, done))[bad].mean())
        if later > _TELLS_H:
            found.append(Matters(plate, float(bad.mean()), later))
    return tuple(sorted(found, key=lambda m: -m.fails * m.later_h))
