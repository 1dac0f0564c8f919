"""What a log teaches and what may come of a plan, against scipy, against theory, and on printers whose truth is known."""

import math
import unittest
from datetime import datetime, timedelta

import numpy as np
from scipy import integrate, stats

from bastion_core.errors import RecipeProblem
from bastion_core.plates.beds import FAILS_PER_H, FIRST_LAYERS_FAIL
from bastion_core.schedule.learn import (
    FAILS_AFTER_H,
    FIRST_AFTER,
    PACE_SD,
    PRINT_SD,
    SHARED,
    Fails,
    Guess,
    Learnt,
    Told,
    learnt,
    prior_pace,
)
from bastion_core.schedule.model import Need, Slot, Times, Waking
from bastion_core.schedule.odds import futures

BEGIN = datetime(2027, 3, 1, 8)
ALWAYS = Times(BEGIN, Waking(0, 24))
NEVER_FAILS = Fails(1e-9, 1e9, 1e-9, 1e9)


def sure(pace: float, sd: float = 1e-9, fails: Fails = NEVER_FAILS) -> Learnt:
    guess = Guess(math.log(pace), sd, 5)
    return Learnt({"": guess}, {"": Guess(0.0, 0.05, 5)}, {"": fails}, guess)


class Learning(unittest.TestCase):
    def test_failures_are_gamma_and_beta(self):
        told = [Told("p", "pla", 10, 11.0)] * 6 + [Told("p", "pla", 10, 4.0, True)] * 2 + [Told("p", "pla", 10, 0.2, True)]
        shop = learnt(told, 2.0).fails[""]
        hours = 6 * 11 + 2 * 4 + 0.2
        # Posterior by numbers: prior density times likelihood, integrated (scipy.integrate), against the closed form.
        prior = stats.gamma(FAILS_PER_H * FAILS_AFTER_H, scale=1 / FAILS_AFTER_H)
        weigh = lambda r: prior.pdf(r) * r**2 * math.exp(-r * hours)  # noqa: E731
        total = integrate.quad(weigh, 0, 0.5)[0]
        mean = integrate.quad(lambda r: r * weigh(r), 0, 0.5)[0] / total
        self.assertAlmostEqual(shop.per_h / mean, 1, delta=1e-4)
        begun = stats.beta(FIRST_LAYERS_FAIL * FIRST_AFTER, (1 - FIRST_LAYERS_FAIL) * FIRST_AFTER)
        like = lambda q: begun.pdf(q) * q * (1 - q) ** 8  # noqa: E731
        total = integrate.quad(like, 0, 1)[0]
        self.assertAlmostEqual(shop.first / (integrate.quad(lambda q: q * like(q), 0, 1)[0] / total), 1, delta=1e-4)

    def test_paces_are_the_joint_normal(self):
        # The hierarchy written out as one joint normal of the paces and all readings, conditioned by numpy.
        readings = {"a": [0.30, 0.36], "b": [0.10]}
        told = [Told(p, "pla", 1.0, math.exp(v)) for p, vs in readings.items() for v in vs]
        prior = prior_pace(2.0).log_mean
        names = ["a", "b", "c"]
        owner = [names.index(p) for p, vs in readings.items() for _ in vs]
        own, common = PACE_SD**2 * (1 - SHARED), PACE_SD**2 * SHARED
        between = np.full((3, 3), common) + own * np.eye(3)
        seen = between[np.ix_(owner, owner)] + PRINT_SD**2 * np.eye(3)
        gain = between[:, owner] @ np.linalg.inv(seen)
        values = np.array([v for vs in readings.values() for v in vs])
        means = prior + gain @ (values - prior)
        sds = np.sqrt(np.diag(between - gain @ between[owner, :]))
        found = learnt(told, 2.0)
        for k, name in enumerate(("a", "b", "")):
            self.assertAlmostEqual(found.pace[name].log_mean, means[k], places=9)
            self.assertAlmostEqual(found.pace[name].log_sd, sds[k], places=9)

    def test_eight_prints_on_a_printer_whose_truth_is_known(self):
        rng = np.random.default_rng(9)
        inside, off, count = 0, [], 300
        for _ in range(count):
            true = math.exp(rng.normal(prior_pace(2.0).log_mean, PACE_SD))
            told = [Told("p", "pla", h, h * true * math.exp(rng.normal(0, PRINT_SD))) for h in rng.uniform(2, 20, 8)]
            guess = learnt(told, 2.0).pace_of("p", "pla")
            low, high = guess.between(0.8)
            inside += low <= true <= high
            off.append(abs(guess.median / true - 1))
        # Normal theory: 0.08 over the root of 8 is 2.8 %; seven of eight come within 5 %.
        self.assertLess(float(np.quantile(off, 7 / 8)), 0.05, "within 5 % after eight prints")
        # 80 % of 300 within three standard errors: the doubt is honest.
        self.assertAlmostEqual(inside / count, 0.8, delta=3 * math.sqrt(0.16 / count))

    def test_what_was_the_makers_doing_says_nothing_of_the_printer(self):
        good = [Told("p", "pla", 10, 12.0)]
        self.assertEqual(learnt([*good, Told("p", "pla", 10, 3.0, True, counts=False)], 2.0), learnt(good, 2.0))
        self.assertEqual(learnt([*good, Told("p", "pla", 10, 90.0, paced=False)], 2.0).pace, learnt(good, 2.0).pace)

    def test_a_material_of_its_own(self):
        told = [Told("p", "pla", 10, 12.0)] * 5 + [Told("p", "petg", 10, 17.0)] * 5
        found = learnt(told, 2.0)
        self.assertAlmostEqual(found.pace_of("p", "petg").median, 1.7, delta=0.06)
        self.assertAlmostEqual(found.pace_of("p", "pla").median, 1.2, delta=0.05)
        self.assertTrue(1.2 < found.pace_of("p", "tpu").median < 1.7)

    def test_any_order_teaches_the_same(self):
        told = [Told("p", "pla", h, 1.3 * h) for h in (3.0, 9.0, 5.0)] + [Told("q", "pla", 8, 2.0, True)]
        one, other = learnt(told, 2.0), learnt(told[::-1], 2.0)
        self.assertAlmostEqual(one.pace["p"].log_mean, other.pace["p"].log_mean)
        self.assertEqual(one.fails, other.fails)

    def test_no_time_at_all(self):
        with self.assertRaisesRegex(RecipeProblem, "more than 0"):
            Told("p", "pla", 0.0, 1.0)


class Futures(unittest.TestCase):
    def one(self, hours: float) -> tuple[list[Slot], dict[str, Need]]:
        return [Slot("n", "p", BEGIN, BEGIN + timedelta(hours=hours))], {"n": Need("n", "x", {"p": hours}, "pla|")}

    def test_width_is_the_lognormal(self):
        # One print of 10 h, pace and print lognormal: their product is one, with the root of the summed squares (scipy.stats.lognorm).
        odds = futures(*self.one(10.0), sure(1.5, 0.2), ALWAYS, count=20_000)
        whole = stats.lognorm(math.hypot(0.2, PRINT_SD), scale=15.0)
        for chance in (0.5, 0.8, 0.95):
            hours = (odds.by[f"{100 * chance:.0f}"] - BEGIN).total_seconds() / 3600
            self.assertAlmostEqual(hours / whole.ppf(chance), 1, delta=0.015)

    def test_doubt_that_is_shared_does_not_average_out(self):
        slots = [Slot(f"n{k}", "p", BEGIN + timedelta(hours=10 * k), BEGIN + timedelta(hours=10 * k + 10)) for k in range(25)]
        needs = {s.plate: Need(s.plate, "x", {"p": 10.0}, "pla|") for s in slots}
        odds = futures(slots, needs, sure(1.0, 0.2), ALWAYS, count=8000)
        at = lambda c: (odds.by[c] - BEGIN).total_seconds() / 3600  # noqa: E731
        # Shared: the 95th percentile of a lognormal of 0.2 is 39 % beyond its median; with luck of their own it would be 7 %.
        self.assertAlmostEqual(at("95") / at("50"), math.exp(0.2 * 1.645), delta=0.04)

    def test_failures_in_the_mean(self):
        # At r per hour a print of h hours is tried until it holds: e^(rh) - 1 failures in the mean (geometric).
        rate, hours = 0.03, 12.0
        odds = futures(*self.one(hours), sure(1.0, 1e-9, Fails(rate * 1e7, 1e7, 1e-9, 1e9)), ALWAYS, count=20_000)
        self.assertAlmostEqual(odds.failures / (math.exp(rate * hours) - 1), 1, delta=0.05)

    def test_the_planning_factor_is_not_counted_twice(self):
        # Nothing taught: the mean of a long run of ordinary prints comes out near the factor itself, failures and all.
        slots = [Slot(f"n{k}", "p", BEGIN + timedelta(hours=8 * k), BEGIN + timedelta(hours=8 * k + 8)) for k in range(10)]
        needs = {s.plate: Need(s.plate, "x", {s.printer: 8.0}, "pla|") for s in slots}
        odds = futures(slots, needs, learnt([], 2.0), ALWAYS, count=4000)
        last = (odds.by["50"] - BEGIN).total_seconds() / 3600
        self.assertAlmostEqual(last / (2.0 * 80.0), 1, delta=0.08)

    def test_chance_of_the_date_and_what_matters(self):
        slots = [Slot("short", "p", BEGIN, BEGIN + timedelta(hours=2)), Slot("long", "q", BEGIN, BEGIN + timedelta(hours=40))]
        needs = {"short": Need("short", "x", {"p": 2.0}), "long": Need("long", "x", {"q": 40.0})}
        fails = Fails(0.01 * 1e6, 1e6, 1e-9, 1e9)
        odds = futures(slots, needs, sure(1.0, 0.05, fails), ALWAYS, due=BEGIN + timedelta(hours=41), count=4000)
        self.assertEqual([m.plate for m in odds.matters], ["long"], "the other printer has time to print its plate again")
        self.assertAlmostEqual(odds.matters[0].fails, 1 - math.exp(-0.4), delta=0.05)
        self.assertTrue(0.2 < odds.in_time < math.exp(-0.4))

    def test_nights_wait(self):
        odds = futures(*self.one(6.0), sure(1.0), Times(BEGIN + timedelta(hours=15)), count=500)
        self.assertGreater(odds.by["50"], datetime(2027, 3, 2, 13), "begun at 8 in the morning, not at 23 h")

    def test_the_same_plan_the_same_chances(self):
        args = (*self.one(10.0), sure(1.5, 0.2, Fails(2.0, 100.0, 1.0, 20.0)), ALWAYS)
        self.assertEqual(futures(*args), futures(*args))
