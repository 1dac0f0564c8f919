"""Sentences whose lengths stay numbers, verdicts in their order."""

import doctest
import itertools
import pickle
import unittest

from bastion_core import findings
from bastion_core.engine.keeping import plain, whole
from bastion_core.errors import RecipeProblem
from bastion_core.findings import Finding, Note, Quantity, Said, Verdict, joined, mm, say, span_mm, worst


def load_tests(loader, tests, pattern):
    tests.addTests(doctest.DocTestSuite(findings))
    return tests


class Verdicts(unittest.TestCase):
    def test_the_worst_is_the_greatest(self):
        order = ("holds", "waits", "tight", "stops")
        for a, b in itertools.product(order, order):
            self.assertEqual(Verdict(a) < Verdict(b), order.index(a) < order.index(b))
            self.assertEqual(Verdict(a) >= b, order.index(a) >= order.index(b))
        self.assertEqual(max(Verdict("tight"), Verdict("waits"), Verdict("stops")), "stops")

    def test_a_note_judges_nothing(self):
        found = (Note("care", say("mind it")), Finding("a", Verdict.TIGHT, say("x")), Finding("b", Verdict.WAITS, say("y")))
        self.assertEqual(worst(found), Verdict.TIGHT)
        self.assertEqual(worst(found[:1]), Verdict.HOLDS)


class Sentences(unittest.TestCase):
    def test_written_out(self):
        for said, words in (
            (say("{} room", mm(3.26, digits=1)), "3.3 mm room"),
            (say("{}", mm(20, 30.4)), "20 × 30 mm"),
            (say("between {}", span_mm(600, 640)), "between 600 to 640 mm"),
            (say("{} of it", Quantity((0.123,), "share", 1)), "12.3 % of it"),
            (say("{}", Quantity((12_345.0,), "g")), "12,345 g"),
            (say("{}", Quantity((2500.0,), "mm3", 1)), "2.5 cm³"),
        ):
            self.assertEqual(str(said), words)

    def test_sentences_taken_into_another_keep_their_own_numbers(self):
        parts = [say("{} by {}", mm(i), mm(i + 0.5, digits=1)) for i in range(1, 8)]
        told = say("{}: {}, then {}", say("at {}", mm(99)), joined(parts, "; "), mm(1000))
        self.assertEqual(str(told), "at 99 mm: " + "; ".join(f"{i} mm by {i + 0.5} mm" for i in range(1, 8)) + ", then 1,000 mm")

    def test_places_and_parts_have_to_agree(self):
        with self.assertRaises(ValueError):
            say("{} and {}", mm(1))

    def test_kept_and_read_again(self):
        told = say("needs {} more", mm(3.2, digits=1))
        self.assertEqual(whole(Said, plain(told)), told)

    def test_an_error_keeps_its_numbers_through_another_process(self):
        problem = RecipeProblem(say("{} is too long", mm(400)), "length")
        again = pickle.loads(pickle.dumps(problem))
        self.assertEqual((str(again), again.said, again.field), ("400 mm is too long", problem.said, "length"))
