"""How sure a fit is: the doubt of each measurement carried into the margin, and what measuring one more would do."""

from dataclasses import dataclass
from math import erf, hypot, sqrt

from bastion_core.findings import Quantity, Said, mm, say
from bastion_core.fit.sites import Site
from bastion_core.measure.readings import usual_sd_mm
from bastion_core.measure.table import ROWS, Measurement
from bastion_core.measure.wearer import Wearer

MAKING_SD_MM = 0.6
"""What printing, shrinking and seating add; common practice, no source."""
WORTH = 0.01


@dataclass(frozen=True)
class MeasurementGain:
    """A measurement that would make the answer surer."""

    key: str
    name: str
    tool: str
    from_probability: float
    to_probability: float
    guessed: bool
    reason: Said


def chance(margin_mm: float, sd_mm: float) -> float:
    """Probability that a margin with this doubt is not negative."""
    return 0.5 * (1 + erf(margin_mm / max(sd_mm, 1e-6) / sqrt(2)))


def margin_sd(gains: dict[str, float], wearer: Wearer, side: str, better: str = "") -> float:
    """Doubt (mm) of a margin that hangs on these measurements; ``better`` is taken as measured well."""
    total = MAKING_SD_MM
    for key, gain in gains.items():
        value = wearer.get(key, side)
        if value is None:
            continue
        sd = best_sd(key, value) if key == better else wearer.sd_mm(key, side) or 0.0
        total = hypot(total, gain * sd)
    return total


def best_sd(key: str, value: float) -> float:
    """Doubt after three good readings with the measurement's own tool."""
    return usual_sd_mm(key, value) / sqrt(3)


def probability(room_mm: float | None, passing_mm: float | None, worn_at: Site, wearer: Wearer, side: str, better: str = "") -> float:
    """Chance that it fits and goes on: the room's and the way in's, taken as apart."""
    sure = 1.0
    if room_mm is not None:
        sure *= chance(room_mm, margin_sd(worn_at.gains, wearer, side, better))
    if passing_mm is not None:
        sure *= chance(passing_mm, margin_sd(worn_at.passing, wearer, side, better))
    return sure


def next_measurements(
    room_mm: float | None, passing_mm: float | None, worn_at: Site, wearer: Wearer, side: str, guessed: set[str]
) -> list[MeasurementGain]:
    """Which measurement would settle the answer most, best first. ``wearer`` is the completed one.

    What brings the chance further from even is worth most: surer of a yes or surer of a no alike.
    """
    now = probability(room_mm, passing_mm, worn_at, wearer, side)
    worth = []
    for key in dict.fromkeys((*worn_at.gains, *worn_at.passing)):
        row: Measurement | None = ROWS.get(key)
        value = wearer.get(key, side)
        if row is None or value is None:
            continue
        after = probability(room_mm, passing_mm, worn_at, wearer, side, key)
        if abs(after - 0.5) - abs(now - 0.5) < WORTH:
            continue
        is_guess = key in guessed
        tool = {"caliper": "a caliper", "tape": "a tape", "board": "a board"}[row.tool]
        why = say(
            "{} is {} to ± {}; three readings by {} of the same would make it {} instead of {}.", row.name,
            "only guessed" if is_guess else "known", mm(wearer.sd_mm(key, side) or 0, digits=1), tool, *(Quantity((chance,), "share") for chance in (after, now)),
        )  # fmt: skip
        worth.append(MeasurementGain(key, row.name, row.tool, now, after, is_guess, why))
    return sorted(worth, key=lambda b: -abs(b.to_probability - 0.5))
