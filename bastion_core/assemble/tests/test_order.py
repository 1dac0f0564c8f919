"""One pair of hands: against every permutation of small puzzles, gates, nights, loops."""

import unittest
from itertools import permutations

import numpy as np

from bastion_core.assemble.order import Bench, Link, Puzzle, Work, meanwhile
from bastion_core.errors import RecipeProblem


def random_puzzle(count: int, seed: int) -> Puzzle:
    rng = np.random.default_rng(seed)
    works = tuple(
        Work(
            f"w{k}", round(float(rng.uniform(0.1, 1.2)), 2), round(float(rng.choice([0.0, 0.5, 3.0, 20.0])), 2),
            round(float(rng.uniform(0, 1)), 2), float(rng.choice([0.0, 0.0, 0.3])),
        )
        for k in range(count)
    )  # fmt: skip
    links = [Link(f"w{a}", f"w{b}") for a in range(count) for b in range(a + 1, count) if rng.random() < 0.25]
    return Puzzle(works, tuple(links), Bench(float(rng.choice([2.0, 3.0, 8.0]))))


def allowed(puzzle: Puzzle, order) -> bool:
    at = {f"w{k}": i for i, k in enumerate(order)}
    return all(at[link.before] < at[link.after] for link in puzzle.links)


def best_of_all(puzzle: Puzzle) -> float:
    orders = (o for o in permutations(range(len(puzzle.works))) if allowed(puzzle, o))
    return min(puzzle.timed(o).cost_h for o in orders)


class AgainstAllPermutations(unittest.TestCase):
    def test_exact_search_finds_the_best_of_all(self):
        for seed in range(25):
            puzzle = random_puzzle(6, seed)
            self.assertAlmostEqual(puzzle.best(exact=True).cost_h, best_of_all(puzzle), places=6, msg=f"seed {seed}")

    def test_moves_find_it_too(self):
        off = []
        for seed in range(30):
            puzzle = random_puzzle(7, 100 + seed)
            best, found = best_of_all(puzzle), puzzle.best(exact=False)
            self.assertTrue(allowed(puzzle, [int(k[1:]) for k in found.order]))
            self.assertGreaterEqual(found.cost_h, best - 1e-9)
            off.append(found.cost_h / best - 1)
        self.assertLess(float(np.mean(off)), 0.005)
        self.assertGreaterEqual(sum(v < 1e-6 for v in off), 26, f"{sum(v < 1e-6 for v in off)} of 30 are the best of all")

    def test_the_same_every_time(self):
        puzzle = random_puzzle(14, 3)
        self.assertEqual(puzzle.best().order, puzzle.best().order)


class Clock(unittest.TestCase):
    def test_gates_hold_and_hands_go_on_meanwhile(self):
        works = (Work("glue", 0.5, gate_h=2.0), Work("next", 0.5), Work("else", 1.0))
        timed = Puzzle(works, (Link("glue", "next"),), Bench(8.0)).best()
        start = dict(zip(timed.order, timed.start_h, strict=True))
        self.assertAlmostEqual(start["next"], 2.5, places=6)
        self.assertAlmostEqual(start["else"], 0.5, places=6)
        self.assertEqual(meanwhile(timed, {"glue": 2.0})["glue"], ("else",))

    def test_waits_are_those_of_the_chain_that_has_most(self):
        works = (Work("a", 5.0, gate_h=1.0), Work("b", 0.1, gate_h=2.0), Work("c", 0.1), Work("d", 9.0))
        links = (Link("a", "c"), Link("b", "c"), Link("c", "d", 24.0))
        self.assertAlmostEqual(Puzzle(works, links).waits_h(), 2.0 + 24.0)

    def test_a_lag_stands_for_the_gate_where_it_is_given(self):
        works = (Work("glue", 0.5, gate_h=1.0), Work("trial", 0.5))
        timed = Puzzle(works, (Link("glue", "trial", 24.0),), Bench(3.0)).best()
        self.assertAlmostEqual(timed.start_h[1], 24.5, places=6)

    def test_work_does_not_begin_where_the_evening_ends_before_it(self):
        bench = Bench(2.0)
        self.assertEqual(bench.placed(1.5, 1.0), (24.0, 25.0))
        self.assertEqual(bench.placed(0.5, 1.0), (0.5, 1.5))
        # Longer than an evening: it is spread over several.
        self.assertEqual(bench.placed(0.0, 5.0), (0.0, 49.0))
        self.assertEqual(bench.placed(7.0, 0.5), (24.0, 24.5))

    def test_trials_come_before_what_they_would_lose(self):
        works = (Work("paint", 1.0, lost_h=1.0), Work("dry fit", 0.3, fails=0.2), Work("glue", 0.5, lost_h=0.5))
        self.assertEqual(Puzzle(works, (), Bench(8.0)).best().order[0], "dry fit")
        timed = Puzzle(works, (Link("paint", "dry fit"),), Bench(8.0)).best()
        self.assertAlmostEqual(timed.risk_h, 0.2 * 1.0)

    def test_what_cannot_be_is_said(self):
        with self.assertRaisesRegex(RecipeProblem, "cannot be less than 0"):
            Work("glue", 0.5, gate_h=-1.0)
        with self.assertRaisesRegex(RecipeProblem, "cannot be less than 0"):
            Puzzle((Work("a", 0.1), Work("b", 0.1)), (Link("a", "b", -1.0),))
        works = tuple(Work(k, 0.1) for k in "abc")
        with self.assertRaisesRegex(RecipeProblem, "cannot be: a, then b, then c, then a again"):
            Puzzle(works, (Link("a", "b"), Link("b", "c"), Link("c", "a")))
        with self.assertRaisesRegex(RecipeProblem, "14 hours"):
            Bench(20.0)

    def test_nothing_to_do(self):
        self.assertEqual(Puzzle((), ()).best().elapsed_h, 0.0)
