import unittest

import numpy as np

from bastion_core.errors import RecipeProblem
from bastion_core.fit.head import fit_head, upright_guess
from bastion_core.fit.scale import check_scale, distorted, scale_by_stature, scale_to_length, thin_wall
from bastion_core.geometry.place import quarter_turns, scaling
from bastion_core.measure.wearer import Wearer
from bastion_core.tests.shapes import box, dome, person


class Helmet(unittest.TestCase):
    """An oval dome over a straight skirt: the level of the widest place lies in the skirt, so the inside is known."""

    def setUp(self):
        self.mesh = dome(160, 204, 280).mesh()

    def test_inside_and_scale_by_hand(self):
        fit = fit_head(self.mesh, person(154, 199), pad_mm=8)
        self.assertAlmostEqual(fit.inside.breadth_mm, 160, delta=0.2)
        self.assertAlmostEqual(fit.inside.length_mm, 204, delta=0.2)
        # needed: (154 + 16) / 160 across, (199 + 16) / 204 lengthwise; the larger one counts
        self.assertAlmostEqual(fit.needed_scale, max(170 / 160, 215 / 204), delta=0.002)
        self.assertEqual(fit.verdict, "holds")
        self.assertAlmostEqual(min(fit.room_sides_mm, fit.room_front_back_mm), 8, delta=0.1)

    def test_verdicts_at_a_chosen_scale(self):
        for scale, verdict in ((0.9, "stops"), (0.98, "stops"), (1.03, "tight"), (1.07, "holds")):
            with self.subTest(scale):
                self.assertEqual(fit_head(self.mesh, person(), 8, (scale,) * 3).verdict, verdict)

    def test_axes_apart(self):
        fit = fit_head(self.mesh, person(154, 199), 8, (170 / 160, 215 / 204, 1.0))
        self.assertAlmostEqual(fit.room_sides_mm, 8, delta=0.2)
        self.assertAlmostEqual(fit.room_front_back_mm, 8, delta=0.2)

    def test_twice_the_helmet_needs_half_the_scale(self):
        once = fit_head(self.mesh, person()).needed_scale
        twice = fit_head(self.mesh.transformed(scaling(2, 2, 2)), person()).needed_scale
        self.assertAlmostEqual(twice * 2 / once, 1, delta=1e-3)

    def test_mirrored_is_the_same(self):
        a = fit_head(self.mesh, person()).needed_scale
        b = fit_head(self.mesh.transformed(scaling(-1, 1, 1)), person()).needed_scale
        self.assertAlmostEqual(a, b, delta=1e-3)

    def test_missing_measurement_is_named(self):
        with self.assertRaisesRegex(RecipeProblem, "head breadth and no head length"):
            fit_head(self.mesh, Wearer("A", None, None, {"stature_mm": 1800}))

    def test_a_lying_helmet_is_stood_up(self):
        self.assertIsNone(upright_guess(self.mesh))
        turns, reason = upright_guess(self.mesh.transformed(quarter_turns(1, 0, 0)))
        self.assertTrue(reason)
        stood = self.mesh.transformed(quarter_turns(1, 0, 0)).transformed(quarter_turns(*turns))
        self.assertAlmostEqual(fit_head(stood, person()).needed_scale, fit_head(self.mesh, person()).needed_scale, delta=2e-3)

    def test_something_solid_has_no_inside(self):
        with self.assertRaisesRegex(RecipeProblem, "No closed inside"):
            fit_head(box(200, 240, 300).mesh(), person(), scale=(1.0, 1.0, 1.0))


class Scales(unittest.TestCase):
    def test_by_stature_and_length(self):
        self.assertAlmostEqual(scale_by_stature(1684)[0], 1684 / 1830)
        self.assertAlmostEqual(scale_by_stature(1900, 1750)[0], 1900 / 1750)
        self.assertAlmostEqual(scale_to_length(432, 400)[0], 400 / 432)
        self.assertEqual(scale_by_stature(None)[0], 1.0)

    def test_distortion_and_thin_walls_are_told(self):
        self.assertIn("oval", str(distorted((1.0, 1.0, 1.2))))
        self.assertIsNone(distorted((1.0, 1.005, 1.0)))
        self.assertEqual(thin_wall(0.6, 3)[0], "stops")
        self.assertEqual(thin_wall(1.2, 3)[0], "tight")
        self.assertIsNone(thin_wall(1.35, 3))
        with self.assertRaises(RecipeProblem):
            check_scale((1, 1, 50))

    def test_quarter_turns_are_rotations(self):
        for turns in ((1, 0, 0), (0, 3, 2), (2, 1, 3)):
            matrix = quarter_turns(*turns)[:3, :3]
            np.testing.assert_allclose(matrix @ matrix.T, np.eye(3), atol=1e-12)
            self.assertAlmostEqual(np.linalg.det(matrix), 1)
