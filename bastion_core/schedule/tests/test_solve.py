"""The calendar against brute force, and every rule it has to keep."""

import itertools
import unittest
from datetime import date, datetime, timedelta

import numpy as np

from bastion_core.errors import RecipeProblem
from bastion_core.schedule.model import Asked, Busy, Need, Times, Waking
from bastion_core.schedule.solve import planned, quick

BEGIN = datetime(2027, 3, 1, 9)
SLOT = timedelta(minutes=15)


def needs_of(seed: int, count: int, printers=("a", "b", "c"), stuff: str = "", must: int = 0) -> tuple[Need, ...]:
    rng = np.random.default_rng(seed)
    speed = dict(zip(printers, (1.0, 1.3, 0.7), strict=False))
    hours = rng.uniform(2, 22, count)
    return tuple(
        Need(f"n{k}", f"Plate {k}", {p: round(float(h * f) * 4) / 4 for p, f in speed.items() if p == printers[0] or rng.random() > 0.25}, stuff, 100.0, k < must)
        for k, h in enumerate(hours)
    )  # fmt: skip


def best_by_brute_force(asked: Asked) -> datetime:
    """The soonest end of all orders on all printers, each begun as soon as somebody is there."""
    best = datetime.max
    for where in itertools.product(*(sorted(n.hours) for n in asked.needs)):
        ends = []
        for p in set(where):
            mine = [n for n, q in zip(asked.needs, where, strict=True) if q == p]
            end = datetime.max
            for order in itertools.permutations(mine):
                moment = max([b.until for b in asked.busy if b.printer == p], default=asked.times.begin)
                for n in order:
                    moment = asked.times.next_awake(moment) + timedelta(hours=asked.real_h(n, p))
                end = min(end, moment)
            ends.append(end)
        best = min(best, max(ends))
    return best


class Kept(unittest.TestCase):
    def checked(self, asked: Asked, plan) -> None:
        """All of it once; one print at a time; begun while somebody is there, after what runs; as long as it takes."""
        self.assertEqual(sorted(s.plate for s in plan.slots), sorted(n.id for n in asked.needs if n.id not in plan.left_out))
        needs = {n.id: n for n in asked.needs}
        for s in plan.slots:
            self.assertEqual(asked.times.next_awake(s.start), s.start, "a bed is changed by somebody awake")
            self.assertAlmostEqual((s.end - s.start).total_seconds() / 3600, asked.real_h(needs[s.plate], s.printer), places=5)
            for b in asked.busy:
                self.assertTrue(b.printer != s.printer or s.start >= b.until)
        for one, other in itertools.combinations(plan.slots, 2):
            if one.printer == other.printer:
                self.assertTrue(one.end <= other.start or other.end <= one.start)
        for stuff, count in asked.spools.items():
            mine = [s for s in plan.slots if needs[s.plate].stuff == stuff]
            for s in mine:
                self.assertLessEqual(sum(o.start <= s.start < o.end for o in mine), max(count, 1 if count else len(mine)))


class Calendar(Kept):
    def test_small_ones_against_brute_force(self):
        for seed in range(5):
            asked = Asked(
                needs_of(seed, 5, ("a", "b")), ("a", "b"), Times(BEGIN), (Busy("b", BEGIN + timedelta(hours=5)),) if seed % 2 else ()
            )
            with self.subTest(seed=seed):
                plan = planned(asked)
                self.checked(asked, plan)
                self.assertLessEqual(abs(plan.done - best_by_brute_force(asked)), 2 * SLOT, "to the quarter of an hour")
                self.assertLessEqual(plan.best, best_by_brute_force(asked) + SLOT, "nothing is better than the best possible")

    def test_two_printers_and_four_equal_plates_by_hand(self):
        # 10 h each from 9 h, awake 8 to 22: 9-19, 19-5 | next: two printers do two each, the second begun at 19 h: done at 5 h.
        needs = tuple(Need(f"n{k}", "x", {"a": 10.0, "b": 10.0}) for k in range(4))
        plan = planned(Asked(needs, ("a", "b"), Times(BEGIN)))
        self.assertEqual(plan.done, datetime(2027, 3, 2, 5))
        self.assertEqual(plan.within, 0.0)

    def test_a_night_is_filled_by_what_ends_in_the_morning(self):
        # 12 h and 1 h from 20 h on: the long one first would leave the short one to the morning (9 h); the short one first, 21 h to 9 h.
        needs = (Need("long", "x", {"a": 12.0}), Need("short", "x", {"a": 1.0}))
        plan = planned(Asked(needs, ("a",), Times(datetime(2027, 3, 1, 20))))
        self.assertEqual([s.plate for s in plan.slots], ["short", "long"])
        self.assertEqual(plan.done, datetime(2027, 3, 2, 9))

    def test_sixty_plates(self):
        asked = Asked(needs_of(3, 60, must=6), ("a", "b", "c"), Times(BEGIN))
        plan = planned(asked)
        self.checked(asked, plan)
        self.assertLessEqual(plan.within, 0.02)
        ends = {s.plate: s.end for s in plan.slots}
        self.assertLess(max(ends[f"n{k}"] for k in range(6)), BEGIN + 0.4 * (plan.done - BEGIN), "what must be ready is printed early")

    def test_away_days_and_spools(self):
        away = (date(2027, 3, 2), date(2027, 3, 3))
        asked = Asked(needs_of(8, 9, stuff="pla|grey"), ("a", "b", "c"), Times(BEGIN, away=away), spools={"pla|grey": 1})
        plan = planned(asked)
        self.checked(asked, plan)
        self.assertFalse({s.start.date() for s in plan.slots} & set(away))
        self.assertGreater(plan.done, planned(Asked(asked.needs, asked.printers, asked.times)).done, "one spool: no two printers at once")
        self.checked(asked, quick(asked))

    def test_a_factor_and_the_date(self):
        needs = (Need("n", "x", {"a": 10.0}, "petg|", must=True),)
        asked = Asked(needs, ("a",), Times(BEGIN), factor={"": 3.0, "a": 2.0, "a|petg": 1.5}, due=BEGIN + timedelta(hours=12))
        plan = planned(asked)
        self.assertEqual(plan.done, BEGIN + timedelta(hours=15))
        self.assertEqual(plan.late, ("n",))

    def test_the_same_question_the_same_answer(self):
        asked = Asked(needs_of(5, 24), ("a", "b", "c"), Times(BEGIN))
        self.assertEqual(planned(asked), planned(asked))
        self.assertEqual(quick(asked), quick(asked))

    def test_quick_is_near_and_what_fits_nothing_is_told(self):
        asked = Asked((*needs_of(6, 20), Need("huge", "x", {"z": 4.0})), ("a", "b", "c"), Times(BEGIN))
        best, fast = planned(asked), quick(asked)
        self.assertEqual((best.left_out, fast.left_out), (("huge",), ("huge",)))
        self.checked(asked, fast)
        self.assertLess((fast.done - BEGIN) / (best.done - BEGIN), 1.1)

    def test_nothing_and_what_cannot_be(self):
        self.assertEqual(planned(Asked((), ("a",), Times(BEGIN))).done, BEGIN)
        with self.assertRaisesRegex(RecipeProblem, "hours"):
            Need("n", "Plate", {"a": 0.0})
        with self.assertRaisesRegex(RecipeProblem, "waking"):
            Waking(22, 8)
        gone = Times(BEGIN, away=tuple(date(2027, 3, 1) + timedelta(days=k) for k in range(420)))
        with self.assertRaisesRegex(RecipeProblem, "Nobody is there"):
            gone.next_awake(BEGIN)
