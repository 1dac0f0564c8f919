"""What a shop's log teaches: how fast its printers really are, how often prints fail, and what filament really goes.

Pace: the real hours over the printer's own. Its logarithm is taken as normal with a wide prior round the planning factor (what is not
taught counts everything that goes wrong), and each done print as one noisy reading of it. A printer's figure leans on the shop's.
Failures: prints under way fail at a steady rate, Gamma by hours; first layers by Beta. All conjugate, so a log in any order gives the same.
Source of the updates: Gelman et al., Bayesian Data Analysis, chapter 2 (normal with known variance, Gamma-Poisson, Beta-binomial); from memory.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from math import exp, log, sqrt

from scipy.stats import norm

from bastion_core.errors import RecipeProblem
from bastion_core.plates.beds import FAILS_PER_H, FIRST_LAYERS_FAIL

PACE_SD, PRINT_SD = 0.35, 0.08
"""How unsure an untaught pace is (a third either way), and how much one print strays from its printer's; common practice, no source."""
SHARED = 0.5
"""How much of an untaught printer's doubt it shares with the shop's others; common practice, no source."""
FAILS_AFTER_H, FIRST_AFTER = 250.0, 30.0
"""Hours and first layers that the priors weigh; common practice, no source."""
GRAMS_SD, GRAM_SD = 0.06, 0.04
"""The same for filament: an untaught printer's, and one print's (a few of a hundred); common practice, no source."""
FIRST_LAYER_H = 0.5
"""What fails sooner failed in its first layers; common practice, no source."""


@dataclass(frozen=True)
class Told:
    """A print of the log that is over: what was told and what it really took."""

    printer: str
    material: str
    told_h: float
    real_h: float
    """Until it was done, or failed."""
    failed: bool = False
    told_g: float = 0.0
    real_g: float | None = None
    counts: bool = True
    """False where it was the maker's doing (the wrong file, the wrong scale, stopped): it says nothing of the printer."""
    paced: bool = True
    """False where nobody saw when it ended."""

    def __post_init__(self) -> None:
        if self.told_h <= 0 or self.real_h < 0:
            raise RecipeProblem("A print takes some time: its hours have to be more than 0.")


@dataclass(frozen=True)
class Guess:
    """A figure with its doubt: the mean and standard deviation of its logarithm, and the prints it leans on."""

    log_mean: float
    log_sd: float
    prints: int

    @property
    def median(self) -> float:
        return exp(self.log_mean)

    def between(self, share: float = 0.8) -> tuple[float, float]:
        """The middle range that holds the true figure with this chance."""
        reach = float(norm.ppf(0.5 + share / 2)) * self.log_sd
        return exp(self.log_mean - reach), exp(self.log_mean + reach)


@dataclass(frozen=True)
class Fails:
    """How prints fail: Gamma for those under way (``a`` failures in ``b`` hours), Beta for first layers."""

    a: float
    b_h: float
    first_a: float
    first_b: float

    @property
    def per_h(self) -> float:
        return self.a / self.b_h

    @property
    def first(self) -> float:
        return self.first_a / (self.first_a + self.first_b)


@dataclass(frozen=True)
class Learnt:
    """What is known of each printer with each material; ``""`` is the shop as a whole."""

    pace: dict[str, Guess]
    grams: dict[str, Guess]
    fails: dict[str, Fails]
    prior: Guess

    def pace_of(self, printer: str, material: str) -> Guess:
        """By printer and material, else by printer, else as the shop."""
        return self.pace.get(f"{printer}|{material}") or self.pace.get(printer) or self.pace[""]

    def grams_of(self, printer: str, material: str) -> Guess:
        return self.grams.get(f"{printer}|{material}") or self.grams.get(printer) or self.grams[""]

    @property
    def mean_pace(self) -> float:
        """Of the printers that were taught; of the shop where none was."""
        taught = [g.log_mean for name, g in self.pace.items() if name and "|" not in name]
        return exp(sum(taught) / len(taught)) if taught else self.pace[""].median

    def fails_of(self, printer: str) -> Fails:
        return self.fails.get(printer) or self.fails[""]


_UNTAUGHT = Fails(FAILS_PER_H * FAILS_AFTER_H, FAILS_AFTER_H, FIRST_LAYERS_FAIL * FIRST_AFTER, (1 - FIRST_LAYERS_FAIL) * FIRST_AFTER)


def prior_pace(planning_factor: float) -> Guess:
    """What is thought of a pace before anything was logged: the planning factor, less what is reckoned apart.

    The factor is said to hold everything that goes wrong. Failures are drawn for themselves, so what they cost in the mean is taken off.
    """
    lost = 1.0 + FAILS_PER_H * 6.0 + FIRST_LAYERS_FAIL * 0.1
    return Guess(log(max(planning_factor / lost, 1.0)), PACE_SD, 0)


def learnt(told: Sequence[Told], planning_factor: float) -> Learnt:
    """What a log teaches; nothing logged, the priors."""
    prior = prior_pace(planning_factor)
    counted = [t for t in told if t.counts]
    timed = [t for t in counted if not t.failed and t.paced and t.real_h > 0]
    weighed = [t for t in counted if t.real_g is not None and t.real_g > 0 and t.told_g > 0 and not t.failed]
    pace = _guesses([(t.printer, t.material, log(t.real_h / t.told_h)) for t in timed], prior, PACE_SD, PRINT_SD)
    grams = _guesses(
        [(t.printer, t.material, log((t.real_g or 0) / t.told_g)) for t in weighed], Guess(0.0, GRAMS_SD, 0), GRAMS_SD, GRAM_SD
    )
    fails = {"": _fails(counted, _UNTAUGHT)}
    for printer in sorted({t.printer for t in counted}):
        # A printer's own record, on what the others' says at the prior's weight: no print counts twice.
        others = _fails([t for t in counted if t.printer != printer], _UNTAUGHT)
        lean = Fails(others.per_h * FAILS_AFTER_H, FAILS_AFTER_H, others.first * FIRST_AFTER, (1 - others.first) * FIRST_AFTER)
        fails[printer] = _fails([t for t in counted if t.printer == printer], lean)
    return Learnt(pace, grams, fails, prior)


def _guesses(readings: Sequence[tuple[str, str, float]], prior: Guess, sd: float, one_sd: float) -> dict[str, Guess]:
    """The shop's, each printer's, each printer's with a material: each leans on the one before."""
    shared, own = sd * sqrt(SHARED), sd * sqrt(1 - SHARED)
    printers = sorted({p for p, _, _ in readings})
    means = {p: [v for q, _, v in readings if q == p] for p in printers}
    shop = _updated(
        Guess(prior.log_mean, shared, 0), [(sum(v) / len(v), sqrt(own**2 + one_sd**2 / len(v)), len(v)) for v in means.values()]
    )
    # A printer nobody has taught yet: the shop's figure, and its own doubt on top.
    found = {"": Guess(shop.log_mean, sqrt(shop.log_sd**2 + own**2), shop.prints)}
    for p in printers:
        rest = [(sum(v) / len(v), sqrt(own**2 + one_sd**2 / len(v)), len(v)) for q, v in means.items() if q != p]
        base = _updated(Guess(prior.log_mean, shared, 0), rest)
        lean = Guess(base.log_mean, sqrt(base.log_sd**2 + own**2), 0)
        found[p] = _updated(lean, [(v, one_sd, 1) for v in means[p]])
        materials = {m for q, m, _ in readings if q == p}
        for m in sorted(materials) if len(materials) > 1 else ():
            mine = [v for q, n, v in readings if q == p and n == m]
            other = [v for q, n, v in readings if q == p and n != m]
            of_others = _updated(lean, [(v, one_sd, 1) for v in other])
            found[f"{p}|{m}"] = _updated(
                Guess(of_others.log_mean, sqrt(of_others.log_sd**2 + (own / 2) ** 2), 0), [(v, one_sd, 1) for v in mine]
            )
    return found


def _updated(prior: Guess, readings: Sequence[tuple[float, float, int]]) -> Guess:
    """Normal with known variances: each reading (value, sd, prints) weighs by its precision."""
    weight = 1 / prior.log_sd**2 + sum(1 / sd**2 for _, sd, _ in readings)
    mean = (prior.log_mean / prior.log_sd**2 + sum(v / sd**2 for v, sd, _ in readings)) / weight
    return Guess(mean, sqrt(1 / weight), prior.prints + sum(n for *_, n in readings))


def _fails(told: Sequence[Told], prior: Fails) -> Fails:
    first = [t for t in told if t.failed and t.real_h < FIRST_LAYER_H]
    under_way = sum(t.failed for t in told) - len(first)
    hours = sum(t.real_h for t in told)
    return Fails(prior.a + under_way, prior.b_h + hours, prior.first_a + len(first), prior.first_b + len(told) - len(first))
