import json
import tempfile
import unittest
from pathlib import Path

import numpy as np
from scipy.integrate import quad

from bastion_core.errors import MeasureProblem
from bastion_core.measure.doubts import doubts, ellipse_perimeter_mm, possible_circumferences_mm
from bastion_core.measure.wearer import check_possible, read_wearer, wearer_from_dict
from bastion_core.units import parse_length_mm


class Typing(unittest.TestCase):
    def test_as_makers_type(self):
        for text, mm in (
            ("15.4 cm", 154.0), ("15,4cm", 154.0), ("154", 154.0), ("154 mm", 154.0), ("6 1/16 in", 153.9875), ('6 1/16"', 153.9875),
            ("1.78 m", 1780.0), ("5' 9\"", 1752.6), ("5 ft 9 1/2 in", 1765.3), ("3/4 in", 19.05),
        ):  # fmt: skip
            with self.subTest(text):
                self.assertAlmostEqual(parse_length_mm(text), mm, delta=1e-3)
        self.assertAlmostEqual(parse_length_mm("6.0625", "in"), 153.9875, delta=1e-3)

    def test_what_is_no_length(self):
        for text in ("", "wide", "15.4.1", "12 parsec", "1/0 in", "-5", "1e3"):
            with self.subTest(text), self.assertRaises(MeasureProblem):
                parse_length_mm(text)


class Plausible(unittest.TestCase):
    def test_perimeter_against_the_integral(self):
        # independent: arc length integrated numerically by scipy
        for breadth, length in ((154, 199), (120, 240), (170, 170.0)):
            a, b = length / 2, breadth / 2
            arc, _ = quad(lambda t, a=a, b=b: np.hypot(a * np.sin(t), b * np.cos(t)), 0, 2 * np.pi)
            self.assertAlmostEqual(ellipse_perimeter_mm(breadth, length), arc, delta=1e-6)

    def test_headforms_and_survey_means_raise_no_doubt(self):
        # EN 960 headforms A, E, J, M, O by circumference (from memory, high confidence)
        for circumference in (500, 540, 570, 600, 620):
            self.assertEqual(doubts({"head_circumference_mm": circumference}), {})
        # 2012 US Army survey means, men and women (from memory, medium confidence)
        for stature, breadth, length, circumference in ((1756, 154, 199, 574), (1629, 147, 190, 561)):
            measured = {"stature_mm": stature, "head_breadth_mm": breadth, "head_length_mm": length, "head_circumference_mm": circumference}
            self.assertEqual(doubts(measured), {})
            low, high = possible_circumferences_mm(breadth, length)
            self.assertTrue(low + 3 < circumference < high - 3)

    def test_impossible_is_refused_with_the_likely_slip(self):
        with self.assertRaisesRegex(MeasureProblem, "cm.*154 mm"):
            check_possible("head_breadth_mm", 15.4)
        with self.assertRaisesRegex(MeasureProblem, "inches"):
            check_possible("head_circumference_mm", 22.5)
        with self.assertRaisesRegex(MeasureProblem, "outside"):
            check_possible("stature_mm", 9000)

    def test_unlikely_is_asked_about(self):
        self.assertIn("wider than it is long", str(doubts({"head_breadth_mm": 199, "head_length_mm": 160})["head_breadth_mm"]))
        round_off = doubts({"head_breadth_mm": 154, "head_length_mm": 199, "head_circumference_mm": 640})
        self.assertIn("No oval", str(round_off["head_circumference_mm"]))
        self.assertIn("chin_to_crown_mm", doubts({"stature_mm": 1800, "chin_to_crown_mm": 160.0}))


class WearerFile(unittest.TestCase):
    def test_round_trip_keeps_what_it_does_not_know(self):
        data = {
            "name": "A",
            "sex": "male",
            "mass_kg": 80,
            "measurements": {"stature_mm": 1800, "wrist_girth_mm": 176, "knee_girth_mm": None},
        }
        wearer = wearer_from_dict(data)
        self.assertEqual(wearer.as_dict()["measurements"], {"stature_mm": 1800.0, "wrist_girth_mm": 176.0})
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "w.json"
            path.write_text(json.dumps(wearer.as_dict()))
            self.assertEqual(read_wearer(path), wearer)

    def test_what_is_no_wearer(self):
        bad = (
            [],
            {"measurements": []},
            {"measurements": {"stature_mm": "tall"}},
            {"sex": "other"},
            {"mass_kg": -4},
            {"measurements": {"stature_mm": 3}},
        )
        for data in bad:
            with self.subTest(data), self.assertRaises(MeasureProblem):
                wearer_from_dict(data)
