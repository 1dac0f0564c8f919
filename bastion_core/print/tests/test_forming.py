"""Plates laid flat: bent sheets by hand, domes by what cannot be, formers by their size."""

import math
import unittest

import numpy as np
from manifold3d import CrossSection, Manifold

from bastion_core.geometry.solid import Solid
from bastion_core.print.estimate import estimate
from bastion_core.print.forming import formed
from bastion_core.print.lay import lay_part
from bastion_core.print.profile import Profile
from bastion_core.print.shape import shape_of
from bastion_core.shop import Printer
from bastion_core.tests.shapes import box


def bent(outer_mm: float, wall_mm: float, high_mm: float, deg: float) -> Solid:
    """A piece of a tube that reaches so far round."""
    across = CrossSection([np.array([[outer_mm - wall_mm, 0.0], [outer_mm, 0.0], [outer_mm, high_mm], [outer_mm - wall_mm, high_mm]])])
    return Solid(Manifold.revolve(across, 240, deg))


class Plates(unittest.TestCase):
    def test_a_bent_sheet_is_as_long_as_its_middle(self):
        """By hand: 150 degrees of a tube of 60 mm, 3 mm thick: its middle is 58.5 · 150° = 153.2 mm long; bending stretches nothing."""
        for deg in (90, 150):
            with self.subTest(deg):
                told = formed(bent(60, 3, 120, deg))
                size = np.sort(told.flat.size)
                arc = 58.5 * math.radians(deg)
                self.assertAlmostEqual(told.thickness_mm, 3, delta=0.05)
                for found, by_hand in zip(size, sorted((3, arc, 120)), strict=True):
                    self.assertAlmostEqual(found / by_hand, 1, delta=0.02)
                self.assertLess(told.stretch, 0.01)
                self.assertAlmostEqual(told.flat.volume / (3 * arc * 120), 1, delta=0.03)

    def test_its_former_fills_its_inside(self):
        # A sector of 150 degrees of a circle of 57 mm, closed by its chord: r²/2 (θ - sin θ).
        told = formed(bent(60, 3, 120, 150))
        angle = math.radians(150)
        self.assertAlmostEqual(told.former.volume / (57**2 / 2 * (angle - math.sin(angle)) * 120), 1, delta=0.03)
        self.assertLess(told.off_mm, 0.1)

    def test_a_shallow_dish_is_stretched_a_little_and_a_deep_one_too_much(self):
        """A cap of a ball of radius R that reaches to the angle θ cannot be laid flat without changing lengths by about θ²/12 to θ²/6 at its rim."""

        def cap(deg):
            shell = Manifold.sphere(100, 200) - Manifold.sphere(97, 200)
            return Solid(shell.trim_by_plane([0, 0, 1], 100 * math.cos(math.radians(deg))))

        told = formed(cap(25))
        angle = math.radians(25)
        self.assertTrue(angle**2 / 20 < told.stretch < angle**2 / 4, told.stretch)
        self.assertIsNone(formed(cap(70)))

    def test_what_is_no_plate(self):
        self.assertIsNone(formed(box(60, 40, 30)))
        self.assertIsNone(formed(Solid(Manifold.sphere(30, 96))))
        self.assertIsNone(formed(bent(60, 9, 100, 120)))

    def test_made_so(self):
        """The flat one and its former take the time that each of them takes alone; only stiff plastics that soften low are formed."""
        machine = Printer("m", 300, 300, 400, 5, False, 100.0, 3000.0)
        plate = bent(60, 3, 120, 150)
        told = lay_part("plate", plate, [], [machine], Profile())
        self.assertFalse(told.flat)
        alone = estimate(shape_of(told.plate.formed.flat), Profile(), machine).hours
        self.assertAlmostEqual(told.plate.flat.estimates["m"].hours / alone, 1, delta=0.02)
        self.assertAlmostEqual(told.plate.hours, told.plate.flat.estimates["m"].hours + told.plate.former.estimates["m"].hours)
        self.assertLess(told.plate.flat.estimates["m"].hours, told.estimates["m"].hours)
        made = lay_part("plate", plate, [], [machine], Profile(), flat=True)
        self.assertTrue(made.flat)
        self.assertAlmostEqual(made.solid.size[2], 3, delta=0.05)
        self.assertIsNone(lay_part("plate", plate, [], [machine], Profile(material="abs")).plate)


if __name__ == "__main__":
    unittest.main()
