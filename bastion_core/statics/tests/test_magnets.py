"""Forces of discs against magpylib (numerical, independent of the closed form), and against the figures of common tables."""

import unittest
from itertools import product
from unittest.mock import patch

import magpylib
import numpy as np

from bastion_core.errors import RecipeProblem
from bastion_core.statics import magnets
from bastion_core.statics.magnets import (
    GRADES,
    STEEL,
    Disc,
    Grade,
    disc_of,
    field_ut,
    meets_wrongly,
    poles,
    poles_of,
    pull_n,
    turns_compass_deg,
)


def by_magpylib(one: Disc, other: Disc, gap_mm: float) -> float:
    """The pull in N by summing the force on 2000 cells of the upper disc."""
    low = magpylib.magnet.Cylinder(polarization=(0, 0, one.br_t()), dimension=(one.diameter_mm / 1000, one.thick_mm / 1000))
    high = magpylib.magnet.Cylinder(polarization=(0, 0, other.br_t()), dimension=(other.diameter_mm / 1000, other.thick_mm / 1000))
    high.position = (0, 0, (one.thick_mm / 2 + gap_mm + other.thick_mm / 2) / 1000)
    force, _ = magpylib.getFT(low, high, meshing=2000)
    return -float(np.asarray(force)[2])


class Forces(unittest.TestCase):
    def test_magpylib(self):
        pairs = (("6x3", "6x3"), ("8x3", "6x3"), ("10x2", "6x3"), ("10x5", "10x5"), ("3x1", "4x2"), ("12x3:N52", "8x3:N35"))
        for (one, other), gap in product(pairs, (0.3, 0.6, 1.0, 2.0, 4.0)):
            with self.subTest(one=one, other=other, gap=gap):
                ours = pull_n(disc_of(one), disc_of(other), gap)
                self.assertAlmostEqual(ours / by_magpylib(disc_of(one), disc_of(other), gap), 1, delta=0.03)
                self.assertAlmostEqual(ours, pull_n(disc_of(other), disc_of(one), gap), places=6)

    def test_two_six_by_three(self):
        """1.2 T: 6.3, 4.5 and 2.5 N at 0.5, 1 and 2 mm (seen with magpylib, and once more by scipy's own quadrature)."""
        with patch.dict(magnets.GRADES, {"one": Grade("one", 1.2, 80)}):
            disc = Disc(6, 3, "one")
            for gap, seen in ((0.5, 6.3), (1.0, 4.5), (2.0, 2.5)):
                self.assertAlmostEqual(pull_n(disc, disc, gap), seen, delta=0.05)

    def test_touching_is_pressed_by_its_field(self):
        """Long bars that touch pull with B²A / 2 mu0, the pressure of the field between them (Maxwell)."""
        bar = Disc(10, 40, "N35")
        long = 1.17**2 / (2 * 4e-7 * np.pi) * np.pi * 0.005**2
        self.assertLess(pull_n(bar, bar, 0.05), long)
        self.assertGreater(pull_n(bar, bar, 0.05), 0.75 * long)

    def test_steel_mirrors(self):
        """A plate of soft steel pulls like the magnet's mirror image, twice as far away (method of images)."""
        disc, plate = disc_of("8x3"), disc_of(f"30x5:{STEEL}")
        self.assertAlmostEqual(pull_n(disc, plate, 0.5) / by_magpylib(disc, disc, 1.0), 1, delta=0.03)
        self.assertLess(pull_n(disc, disc_of(f"8x0.5:{STEEL}"), 0.5), 0.5 * pull_n(disc, plate, 0.5))
        self.assertEqual(pull_n(plate, plate, 0.5), 0.0)

    def test_warm(self):
        """Both remanences lose 0.12 % per °C, the pull both of it."""
        disc = disc_of("6x3")
        self.assertAlmostEqual(pull_n(disc, disc, 0.5, 60) / pull_n(disc, disc, 0.5), (1 - 0.0012 * 40) ** 2, places=6)

    def test_far_field(self):
        """What a disc does to a compass, against magpylib's field of the same disc."""
        disc = disc_of("8x3")
        body = magpylib.magnet.Cylinder(polarization=(0, 0, disc.br_t()), dimension=(0.008, 0.003))
        for way in (60.0, 120.0, 250.0):
            there = np.linalg.norm(body.getB((0, 0, way / 1000))) * 1e6
            self.assertAlmostEqual(field_ut(disc, way) / there, 1, delta=0.02)
        self.assertAlmostEqual(turns_compass_deg(20.0), 45.0)
        self.assertEqual(field_ut(disc_of(f"8x3:{STEEL}"), 10), 0.0)

    def test_no_discs(self):
        for text in ("", "6", "6x", "100x3", "6x0.1", "6x3:N99", "axb"):
            with self.subTest(text=text), self.assertRaises(RecipeProblem) as failed:
                disc_of(text)
            self.assertTrue(str(failed.exception))
        for grade in GRADES:
            self.assertEqual(disc_of(Disc(6, 3, grade).code).grade, grade)


class Poles(unittest.TestCase):
    def test_goes_on_one_way_only(self):
        for count in range(2, 9):
            found = poles(count)
            self.assertGreaterEqual(meets_wrongly(found), 2, f"{count}: {found}")
            # No pattern does better: all of them tried.
            best = max(meets_wrongly(signs) for signs in product((1, -1), repeat=count))
            self.assertEqual(meets_wrongly(found), best)

    def test_order_round_the_face(self):
        square = np.array([[0.0, 0.0], [10.0, 10.0], [10.0, 0.0], [0.0, 10.0]])
        found = poles_of(square)
        ring = [found[k] for k in (0, 2, 1, 3)]
        self.assertGreaterEqual(meets_wrongly(ring), 2)
        self.assertEqual(poles_of(np.zeros((1, 2))), (1,))
