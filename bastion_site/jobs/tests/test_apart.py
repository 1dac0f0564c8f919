"""Work in a process of its own: results and errors come through, a crash is told and harms nobody."""

import os
import unittest

from bastion_core.errors import MeshProblem, RecipeProblem
from bastion_site.jobs.apart import run_apart


def double(value: int) -> tuple[int, int]:
    return value * 2, os.getpid()


def refuse() -> None:
    raise RecipeProblem("That plane has no direction.")


def die() -> None:
    os.abort()


class Apart(unittest.TestCase):
    def test_results_come_from_another_process(self):
        value, process = run_apart(double, 21)
        self.assertEqual(value, 42)
        self.assertNotEqual(process, os.getpid())

    def test_errors_keep_their_kind_and_words(self):
        with self.assertRaisesRegex(RecipeProblem, "no direction"):
            run_apart(refuse)

    def test_a_crash_is_told_and_the_next_work_goes_on(self):
        with self.assertRaisesRegex(MeshProblem, "ended before it was done"):
            run_apart(die)
        self.assertEqual(run_apart(double, 1)[0], 2)
