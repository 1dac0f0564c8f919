"""The table of measurements, what it asks about as one types, its drawings, and plausible people it must not doubt."""

import re
import unittest

from bastion_core.errors import MeasureProblem
from bastion_core.measure.doubts import doubts
from bastion_core.measure.figure import VIEWS, drawings
from bastion_core.measure.predict import predict
from bastion_core.measure.readings import WAYS, summarise, usual_sd_mm
from bastion_core.measure.table import ROWS, TABLE, bare_key, side_of
from bastion_core.measure.wearer import Wearer, check_possible, wearer_from_dict


class Table(unittest.TestCase):
    def test_every_row_can_be_read_and_taken(self):
        names = [row.name for row in TABLE]
        self.assertEqual(len(set(names)), len(names))
        for row in TABLE:
            with self.subTest(row.key):
                self.assertRegex(row.key, r"^[a-z_]+_mm$")
                self.assertTrue(row.how.endswith(".") and row.mistake.endswith("."))
                self.assertIn(row.tool, ("tape", "caliper", "board"))
                self.assertLess(row.least, row.usual_least)
                self.assertGreater(row.most, row.usual_most)
                self.assertTrue(row.source)

    def test_what_the_trade_measures_is_there(self):
        for key in (
            "neck_girth_mm", "chest_girth_mm", "waist_girth_mm", "hip_girth_mm", "shoulder_girth_mm", "upper_arm_girth_mm", "elbow_girth_mm",
            "forearm_girth_mm", "wrist_girth_mm", "thigh_girth_mm", "knee_girth_mm", "calf_girth_mm", "ankle_girth_mm", "stature_mm",
            "elbow_girth_bent_mm", "knee_girth_bent_mm", "upper_arm_girth_bent_mm", "thigh_girth_seated_mm", "heel_instep_girth_mm",
            "index_knuckle_girth_mm", "little_third_mm", "foot_length_mm", "face_height_mm", "ear_height_mm",
        ):  # fmt: skip
            self.assertIn(key, ROWS)

    def test_sides(self):
        self.assertEqual(ROWS["left_wrist_girth_mm"], ROWS["wrist_girth_mm"])
        self.assertNotIn("left_chest_girth_mm", ROWS)
        self.assertEqual((bare_key("right_calf_girth_mm"), side_of("right_calf_girth_mm")), ("calf_girth_mm", "right"))
        self.assertEqual((bare_key("chest_girth_mm"), side_of("chest_girth_mm")), ("chest_girth_mm", ""))
        wearer = Wearer(measurements={"left_calf_girth_mm": 380.0, "calf_girth_mm": 370.0, "right_wrist_girth_mm": 170.0})
        self.assertEqual([wearer.get("calf_girth_mm", s) for s in ("left", "right", "")], [380.0, 370.0, 370.0])
        self.assertEqual(wearer.get("wrist_girth_mm", "left"), 170.0)
        self.assertIsNone(wearer.sd_mm("hip_girth_mm"))

    def test_each_line_has_a_drawing_in_its_view(self):
        told = drawings()
        self.assertEqual(set(told.outlines), set(VIEWS))
        for row in TABLE:
            figure = told.figures[row.key]
            left, top, width, height = told.boxes[figure.view]
            with self.subTest(row.key):
                for x, y in (*figure.front, *figure.behind):
                    self.assertTrue(left - 1 <= x <= left + width + 1 and top - 1 <= y <= top + height + 1, (x, y))
                self.assertEqual(bool(figure.behind), "girth" in row.key or "circumference" in row.key)
        for view, path in told.outlines.items():
            self.assertTrue(re.match(r"^M-?\d", path), view)


class Asking(unittest.TestCase):
    BASE = {"stature_mm": 1756.0, "head_breadth_mm": 154.0, "head_length_mm": 199.0, "head_circumference_mm": 574.0}

    def asked(self, **more: float) -> dict[str, str]:
        return doubts(self.BASE | more)

    def test_plausible_people_are_not_doubted(self):
        self.assertEqual(self.asked(), {})
        # EN 960 headforms (from memory, high confidence): circumference of the sizes A, E, J, M and O.
        for round_mm in (500, 540, 570, 600, 620):
            told = predict(Wearer(measurements={"stature_mm": 1700.0, "head_circumference_mm": float(round_mm)}))
            taken = {
                "head_circumference_mm": float(round_mm),
                "head_breadth_mm": told["head_breadth_mm"].value,
                "head_length_mm": told["head_length_mm"].value,
            }
            self.assertEqual(doubts(taken), {}, round_mm)
        # 2012 US Army survey means of women (from memory, medium confidence).
        women = {"stature_mm": 1629.0, "thigh_girth_mm": 616.0, "calf_girth_mm": 373.0, "ankle_girth_mm": 216.0, "wrist_girth_mm": 155.0}
        self.assertEqual(doubts(women), {})

    def test_a_whole_predicted_person_raises_no_doubt(self):
        for stature in (1250.0, 1500.0, 1750.0, 2000.0):
            for sex in ("female", "male", None):
                taken = {k: g.value for k, g in predict(Wearer(sex=sex, measurements={"stature_mm": stature})).items()}
                with self.subTest(stature=stature, sex=sex):
                    told = doubts(taken | {"stature_mm": stature})
                    self.assertEqual({k: v for k, v in told.items() if "unusual" not in v}, {})

    def test_left_and_right(self):
        told = self.asked(left_calf_girth_mm=380.0, right_calf_girth_mm=410.0)
        self.assertIn("differ by 7 %", str(told["right_calf_girth_mm"]))
        self.assertNotIn("right_calf_girth_mm", self.asked(left_calf_girth_mm=380.0, right_calf_girth_mm=395.0))

    def test_a_ring_that_could_not_pass_its_neighbour(self):
        for small, large, sizes in (
            ("wrist_girth_mm", "forearm_girth_mm", (230.0, 200.0)),
            ("left_ankle_girth_mm", "left_calf_girth_mm", (330.0, 300.0)),
            ("elbow_girth_mm", "elbow_girth_bent_mm", (300.0, 280.0)),
        ):
            self.assertIn("could not pass", self.asked(**{small: sizes[0], large: sizes[1]})[small].words)

    def test_segments_against_the_stature(self):
        self.assertIn("out of proportion", self.asked(forearm_length_mm=345.0)["forearm_length_mm"].words)
        self.assertNotIn("forearm_length_mm", self.asked(forearm_length_mm=256.0))

    def test_slips_of_unit_and_what_nobody_has(self):
        for key, value, words in (
            ("chest_girth_mm", 96.0, "meant in cm"),
            ("wrist_girth_mm", 6.7, "meant in inches"),
            ("left_calf_girth_mm", 38.0, "meant in cm"),
        ):
            with self.assertRaisesRegex(MeasureProblem, words):
                check_possible(key, value)
        self.assertEqual(check_possible("something_else_mm", 5.0), 5.0)

    def test_the_file_keeps_doubts(self):
        data = {"name": "A", "sex": None, "mass_kg": None, "measurements": {"stature_mm": 1700}, "sds": {"stature_mm": 3.5}}
        wearer = wearer_from_dict(data)
        self.assertEqual(wearer.sd_mm("stature_mm"), 3.5)
        self.assertEqual(wearer.as_dict()["sds"], {"stature_mm": 3.5})
        for wrong in ({"stature_mm": -1}, {"stature_mm": "x"}, [1]):
            with self.assertRaisesRegex(MeasureProblem, "sds"):
                wearer_from_dict(data | {"sds": wrong})


class Readings(unittest.TestCase):
    def test_the_surer_way_is_believed_more(self):
        told = {way: usual_sd_mm("chest_girth_mm", 950.0, way) for way in WAYS}
        self.assertEqual(max(told, key=told.get), "guess")
        self.assertLess(told["caliper"], told["tape"])
        self.assertLess(told["tape"], told["customer"])
        with self.assertRaises(ValueError):
            summarise("chest_girth_mm", [])
