"""Plates as the calendar knows them, and the whole build with something changed; what is judged, and by whom: here, not on the page."""

import unittest
from dataclasses import replace
from datetime import datetime

from bastion_core.findings import Verdict
from bastion_core.plates.records import Plate, PlatePart, Taken
from bastion_core.schedule.model import Asked, Times
from bastion_core.schedule.odds import Odds
from bastion_core.schedule.plated import needs_of, scaled, with_another, without
from bastion_core.schedule.spools import Fed, SpoolLeft

BEGIN = datetime(2027, 3, 1, 9)


def part(piece: int, hours: float) -> PlatePart:
    return PlatePart(piece, f"c{piece}", "x-A", "x", "h", "", "", (1.0, 1.0, 1.0), 0.0, 0.0, 0.0, "POINT EMPTY", hours)


def plate(name: str, *parts: PlatePart, **more) -> Plate:
    hours = sum(p.hours for p in parts)
    on = {"a": Taken(hours, 30 * hours, 0.0), "b": Taken(2 * hours, 30 * hours, 0.0)}
    return Plate(name, name, "a", more.get("material", "pla"), "", 0.2, more.get("resin", False), parts, on, False, False, False, False)


class Changed(unittest.TestCase):
    def setUp(self):
        self.plates = (plate("one", part(1, 3.0), part(2, 1.0)), plate("two", part(2, 5.0)))
        needs = needs_of(self.plates)
        self.asked = Asked(needs, ("a", "b"), Times(BEGIN), spools={"pla|": 1}, factor={"a": 1.5, "a|petg": 2.0, "": 1.9})

    def test_needs(self):
        one = self.asked.needs[0]
        self.assertEqual((one.hours, one.grams, one.stuff), ({"a": 4.0, "b": 8.0}, 120.0, "pla|"))
        self.assertEqual(needs_of([plate("r", part(1, 2.0), resin=True)])[0].grams, 0.0, "resin is on no spool")

    def test_without_a_piece_its_share_goes_and_plates_of_it_alone_are_gone(self):
        left = without(self.asked, self.plates, {2})
        self.assertEqual([(n.id, n.hours["a"], n.grams) for n in left.needs], [("one", 3.0, 90.0)])
        self.assertEqual(without(self.asked, self.plates, set()), self.asked)

    def test_hours_and_grams_by_each_pieces_ratio(self):
        then = scaled(self.asked, self.plates, {1: (2.0, 1.1)})
        self.assertAlmostEqual(then.needs[0].hours["b"], 8.0 * (3 * 2 + 1) / 4)
        self.assertAlmostEqual(then.needs[0].grams, 120.0 * (3 * 1.1 + 1) / 4)
        self.assertEqual(then.needs[1], self.asked.needs[1])

    def test_a_printer_more_has_the_pace_of_the_one_it_is_like_and_filament_of_its_own(self):
        more = with_another(self.asked, "a")
        self.assertEqual(more.printers, ("a", "b", "another a"))
        self.assertEqual(more.needs[0].hours["another a"], 4.0)
        self.assertEqual(more.real_h(more.needs[0], "another a"), 6.0)
        self.assertEqual(more.real_h(replace(more.needs[0], stuff="petg|"), "another a"), 8.0)
        self.assertEqual(more.spools, {"pla|": 2})
        only_b = replace(self.asked, needs=(replace(self.asked.needs[0], hours={"b": 8.0}),))
        self.assertNotIn("another a", with_another(only_b, "a").needs[0].hours)


class Judged(unittest.TestCase):
    def test_filament(self):
        fed = Fed("p", 100.0, 5.0, 1, 400.0, 0.0, None, True)
        for change, verdict in (
            ({}, Verdict.HOLDS),
            ({"runs_out": 0.2}, Verdict.TIGHT),
            ({"runs_out": 0.9}, Verdict.TIGHT),
            ({"runs_out": 0.9, "awake": False}, Verdict.STOPS),
            ({"spool": None}, Verdict.STOPS),
        ):
            self.assertEqual(replace(fed, **change).verdict, verdict, change)

    def test_the_date(self):
        odds = Odds({}, 0.9, 0.0, (), {}, {})
        for chance, verdict in ((0.9, Verdict.HOLDS), (0.7, Verdict.TIGHT), (0.3, Verdict.STOPS), (None, Verdict.WAITS)):
            self.assertEqual(replace(odds, in_time=chance).verdict, verdict)

    def test_what_a_spool_feeds(self):
        spool = SpoolLeft(1, "s", "pla", "grey", 100.0)
        self.assertEqual([spool.feeds(s) for s in ("pla|", "pla|grey", "pla|blue", "petg|")], [True, True, False, False])
