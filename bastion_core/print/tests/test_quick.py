"""The quick judge against the full estimate, against figures by hand, and against the volume manifold3d tells."""

import math
import unittest

import numpy as np
from scipy.stats import spearmanr

from bastion_core.print.profile import Profile
from bastion_core.print.quick import Probe
from bastion_core.shop import Printer
from bastion_core.tests.judged import judged
from bastion_core.tests.shapes import box, dome

MACHINE = Printer("m", 300, 300, 400, 5, False, 100.0, 3000.0, warm_up_h=0.1)


class Judged(unittest.TestCase):
    def test_as_the_full_estimate(self):
        """Rank correlation of at least 0.95 over parts of five bodies, by hours, grams and support; about the same in size."""
        for profile in (Profile(), Profile(layer_mm=0.28, walls=2, support="grid")):
            pairs, _ = judged(4, 2, profile, MACHINE)
            self.assertGreater(len(pairs), 25)
            for name, bound in (("hours", 0.95), ("filament_g", 0.95), ("support_g", 0.9)):
                quick, full = np.array([[getattr(q, name), getattr(e, name)] for q, e in pairs]).T
                with self.subTest(name, support=profile.support):
                    self.assertGreater(float(spearmanr(quick, full).statistic), bound)
                    self.assertTrue(0.85 < quick.sum() / full.sum() < 1.2, quick.sum() / full.sum())

    def test_a_box_by_hand(self):
        """60 × 40 × 30 mm, cut to 40 × 40 × 30: volume, foot and height."""
        probe = Probe(box(60, 40, 30).mesh(), 1.0)
        told = probe.judge(np.array([-10.0, -99, -99]), np.array([99.0, 99, 99]), 2, False, Profile(), MACHINE)
        self.assertAlmostEqual(told.volume_mm3, 40 * 40 * 30, delta=1)
        self.assertAlmostEqual(told.foot_mm2, 40 * 40, delta=1)
        self.assertEqual((told.height_mm, told.support_g), (30, 0))
        on_side = probe.judge(np.array([-10.0, -99, -99]), np.array([99.0, 99, 99]), 0, True, Profile(), MACHINE)
        self.assertAlmostEqual(on_side.height_mm, 40, delta=1e-6)
        self.assertAlmostEqual(on_side.foot_mm2, 40 * 30, delta=1)

    def test_overhangs_of_a_dome_by_integral(self):
        """Half a ball's inside hangs where it is shallower than 45 degrees: π r²/2 of level area. Upside down nothing of it does but its rim."""
        shell = dome(120, 120, 60 / 0.3, 3).mesh()
        probe = Probe(shell, 1.5)
        whole = np.full(3, -999.0), np.full(3, 999.0)
        standing = probe.judge(*whole, 2, False, Profile(), MACHINE)
        self.assertAlmostEqual(standing.held_mm2 / (math.pi * 60**2 / 2), 1, delta=0.05)
        over = probe.judge(*whole, 2, True, Profile(support_bed_only=True), MACHINE)
        self.assertAlmostEqual(over.held_mm2 / (math.pi * 63**2 / 2), 1, delta=0.1)

    def test_nothing_there(self):
        self.assertIsNone(Probe(box(10, 10, 10).mesh()).judge(np.full(3, 50.0), np.full(3, 60.0), 2, False, Profile(), MACHINE))


if __name__ == "__main__":
    unittest.main()
