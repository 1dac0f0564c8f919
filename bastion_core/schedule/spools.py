"""Which spool for which plate, so that none runs out unless somebody is awake, and what has to be bought."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from math import exp, hypot

from scipy.stats import norm

from bastion_core.errors import RecipeProblem
from bastion_core.findings import Verdict
from bastion_core.schedule.learn import GRAM_SD, Learnt
from bastion_core.schedule.model import Asked, Need, Slot, Times
from bastion_core.schedule.solve import quick

WEIGHED_SD_G, TOLD_SD = 3.0, 0.05
"""How far a weighed spool may be off (scale and core), and one whose use was only reckoned (share of what was used): common practice, no source."""
RARELY = 0.05
"""Less of a chance to run out is let pass; common practice, no source."""
_NET_G = 1000.0
_WORTH_TELLING_H = 3.0


def left_sd_g(used_g: float) -> float:
    """How far what is left may be off, where so much was reckoned off since the spool was new or weighed."""
    return hypot(WEIGHED_SD_G, TOLD_SD * used_g)


@dataclass(frozen=True)
class SpoolLeft:
    """A spool and what is left on it, with its doubt."""

    id: int
    name: str
    material: str
    colour: str
    left_g: float
    sd_g: float = WEIGHED_SD_G
    price_per_kg: float = 0.0

    def __post_init__(self) -> None:
        if self.left_g < 0:
            raise RecipeProblem(f"Spool “{self.name}”: less than nothing cannot be left. Weigh it, or enter its core.")

    def feeds(self, stuff: str) -> bool:
        """Whether it is of a plate's material, and of its colour where that is decided (``material|colour``)."""
        material, _, colour = stuff.partition("|")
        return self.material == material and colour in ("", self.colour)


@dataclass(frozen=True)
class Fed:
    """A plate's filament: what it takes, from which spool, and whether that will do."""

    plate: str
    grams: float
    sd_g: float
    spool: int | None
    """None where there is none of this material and colour."""
    left_g: float
    runs_out: float
    """Chance."""
    near_h: float | None
    """About when, in hours of the print."""
    awake: bool
    """Whether somebody is there then."""

    @property
    def verdict(self) -> Verdict:
        """Stops where there is none, or it more likely than not runs out with nobody there."""
        if self.spool is None or (self.runs_out > 0.5 and not self.awake):
            return Verdict.STOPS
        return Verdict.TIGHT if self.runs_out > RARELY else Verdict.HOLDS


@dataclass(frozen=True)
class Bought:
    """To be bought: grams of a material and colour beyond what is there, and how many spools that is."""

    material: str
    colour: str
    grams: float
    spools: int
    price: float


@dataclass(frozen=True)
class OneMore:
    """Printers wait for one spool: what a second one of that material and colour would bring."""

    material: str
    colour: str
    hours: float
    """Sooner done."""


def one_more(asked: Asked) -> tuple[OneMore, ...]:
    """Where one more spool lets printers work at once, by quick plans of both."""
    now, found = quick(asked).done, []
    for stuff, count in asked.spools.items():
        if not 0 < count < len(asked.printers):
            continue
        then = quick(replace(asked, spools={**asked.spools, stuff: count + 1})).done
        hours = (now - then).total_seconds() / 3600
        if hours > _WORTH_TELLING_H:
            material, _, colour = stuff.partition("|")
            found.append(OneMore(material, colour, round(hours, 1)))
    return tuple(found)


def spools_for(
    slots: Sequence[Slot], needs: Mapping[str, Need], spools: Sequence[SpoolLeft], learnt: Learnt, times: Times
) -> tuple[list[Fed], list[SpoolLeft]]:
    """A spool for every plate, in the order of their starts, and what is left of each spool afterwards.

    The least full spool that surely does; else one that runs out while somebody is awake; else the fullest, and the chance is told.
    """
    left = {s.id: s for s in spools}
    fed, taken = [], dict[int, list[tuple[datetime, datetime, str]]]()
    for slot in sorted(slots, key=lambda s: (s.start, s.printer)):
        need = needs[slot.plate]
        guess = learnt.grams_of(slot.printer, need.stuff.partition("|")[0])
        grams = need.grams * exp(guess.log_mean)
        sd = grams * hypot(guess.log_sd, GRAM_SD)
        fits = [
            s for s in left.values()
            if s.feeds(need.stuff)
            and all(slot.end <= a or b <= slot.start or p == slot.printer for a, b, p in taken.get(s.id, ()))
        ]  # fmt: skip
        if not fits:
            fed.append(Fed(slot.plate, round(grams, 1), round(sd, 1), None, 0.0, 1.0, None, False))
            continue
        chances = {s.id: runs_out(s, grams, sd) for s in fits}
        where = {s.id: _when(s, grams, slot, times) for s in fits}
        sure = [s for s in fits if chances[s.id] <= RARELY]
        watched = [s for s in fits if where[s.id][1] and s.left_g > 0]
        # What is nearly empty goes first, so that full spools stay for long prints.
        chosen = min(sure, key=lambda s: (s.left_g, s.id)) if sure else max(watched or fits, key=lambda s: (s.left_g, -s.id))
        at, awake = where[chosen.id]
        chance = chances[chosen.id]
        near = (at - slot.start).total_seconds() / 3600 if at is not None and chance > RARELY else None
        fed.append(Fed(slot.plate, round(grams, 1), round(sd, 1), chosen.id, round(chosen.left_g, 1), round(chance, 4), near, awake))
        taken.setdefault(chosen.id, []).append((slot.start, slot.end, slot.printer))
        left[chosen.id] = replace(chosen, left_g=max(chosen.left_g - grams, 0.0), sd_g=hypot(chosen.sd_g, sd))
    return fed, list(left.values())


def runs_out(spool: SpoolLeft, grams: float, sd_g: float) -> float:
    """Chance that a spool does not do: both figures normal."""
    return float(norm.sf((spool.left_g - grams) / max(hypot(spool.sd_g, sd_g), 1e-9)))


def _when(spool: SpoolLeft, grams: float, slot: Slot, times: Times) -> tuple[datetime | None, bool]:
    """When a spool runs out in a print (at its end where it just does), and whether somebody is there then."""
    at = slot.start + timedelta(hours=(slot.end - slot.start).total_seconds() / 3600 * min(spool.left_g / max(grams, 1e-9), 1.0))
    return at, times.next_awake(at) == at


def shopping(fed: Sequence[Fed], needs: Mapping[str, Need], spools: Sequence[SpoolLeft], prices: Mapping[str, float]) -> list[Bought]:
    """What is missing by material and colour: all that is needed (two standard deviations more, to be sure) less what is there."""
    wanted: dict[str, list[Fed]] = {}
    for f in fed:
        wanted.setdefault(needs[f.plate].stuff, []).append(f)
    found = []
    for stuff, mine in sorted(wanted.items()):
        material, _, colour = stuff.partition("|")
        there = sum(s.left_g for s in spools if s.feeds(stuff))
        missing = sum(f.grams for f in mine) + 2 * sum(f.sd_g**2 for f in mine) ** 0.5 - there
        if missing > 0:
            count = int(-(-missing // _NET_G))
            found.append(Bought(material, colour, round(missing, 0), count, round(count * _NET_G / 1000 * prices.get(material, 0.0), 2)))
    return found
