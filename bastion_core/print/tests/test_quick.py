"""The quick judge against the full estimate, against figures by hand, and against the volume manifold3d tells."""

import math
import unittest

import numpy as np
from scipy.stats import spearmanr

from bastion_core.print import sums
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


class Sums(unittest.TestCase):
    """The compiled sums against the same written out with whole arrays, on intervals and boxes drawn at random."""

    def setUp(self):
        rng = np.random.default_rng(5)
        self.column = np.repeat(np.arange(60), 3)
        self.across = np.repeat(rng.uniform(0, 10, (60, 2)), 3, axis=0)
        ends = np.sort(rng.uniform(0, 10, (60, 6)), axis=1)
        self.low, self.high = ends[:, ::2].ravel(), ends[:, 1::2].ravel()
        self.slopes, self.shows = rng.uniform(-1, 1, (2, 180)), rng.random((2, 180)) < 0.5
        self.boxes = [np.sort(rng.uniform(-1, 11, (2, 3)), axis=0) for _ in range(40)]

    def inside(self, low, high, axis):
        a, b = (k for k in range(3) if k != axis)
        across = self.across
        held = (across[:, 0] > low[a]) & (across[:, 0] < high[a]) & (across[:, 1] > low[b]) & (across[:, 1] < high[b])
        return held & (self.low < high[axis]) & (self.high > low[axis])

    def test_matter_both_ways_up(self):
        for low, high in self.boxes:
            for axis, bed_only in ((0, False), (1, True), (2, False)):
                length, cut, told = sums.matter(
                    self.across, self.column, self.low, self.high, self.slopes, self.shows, low, high, axis, 0.3, bed_only, 0.2, 0.5, 1.5
                )
                there = self.inside(low, high, axis)
                begin, end = np.maximum(self.low[there], low[axis]), np.minimum(self.high[there], high[axis])
                self.assertAlmostEqual(length, float((end - begin).sum()))
                self.assertEqual(cut, int((self.low[there] < low[axis]).sum() + (self.high[there] > high[axis]).sum()))
                reach = sums.reach(self.across, self.low, self.high, low, high, axis)
                self.assertEqual(reach[0] < reach[1], bool(there.any()))
                if not there.any():
                    continue
                self.assertEqual(reach, (begin.min(), end.max()))
                ways = ((begin, end, self.low[there] < low[axis]), (-end[::-1], -begin[::-1], (self.high[there] > high[axis])[::-1]))
                for side, (foot, head, off) in enumerate(ways):
                    turn = slice(None, None, -1) if side else slice(None)
                    column = self.column[there][turn]
                    down = np.where(off, 1.0, self.slopes[side][there][turn])
                    same = np.r_[False, column[1:] == column[:-1]]
                    gap = foot - np.where(same, np.r_[0.0, head[:-1]], foot.min())
                    hangs = (down > 0.3) & (gap > 0.5) & ~(same & bed_only)
                    seen = hangs & self.shows[side][there][turn] & ~off
                    wanted = [
                        (~same & (gap < 0.2)).sum(), hangs.sum(), gap[hangs].sum(), np.minimum(gap[hangs], 1.5).sum(),
                        (1 / np.maximum(down[seen], 0.5)).sum(), foot.min(), head.max(),
                    ]  # fmt: skip
                    np.testing.assert_allclose(told[side], wanted, atol=1e-9)

    def test_what_a_plane_crosses_and_the_walls(self):
        rng = np.random.default_rng(6)
        middles, areas = rng.uniform(0, 10, (200, 3)), rng.uniform(0, 2, 200)
        lean = rng.uniform(0, 1, (200, 3))
        aside, stepped = np.sqrt(1 - lean**2), rng.uniform(0, 1, (200, 3))
        for low, high in self.boxes:
            within = self.inside(np.array([*low[:2], -99.0]), np.array([*high[:2], 99.0]), 2)
            met = within & (self.low < 5.0) & (self.high > 5.0)
            self.assertEqual(sums.crossed(self.across, self.low, self.high, low, high, 2, 5.0), int(met.sum()))
            within = ((middles > low) & (middles < high)).all(axis=1)
            area, level, upright = areas[within, None], lean[within], aside[within]
            shown = np.clip(1 - 1.2 * upright / np.maximum(0.8 * level, 1e-12), 0, 1)
            wanted = np.stack([area * np.ones(3), area * upright, area * level * shown, stepped[within]]).sum(axis=1).T
            np.testing.assert_allclose(sums.walls(middles, areas, lean, aside, stepped, low, high, 1.2, 0.8), wanted, atol=1e-9)
            steep = np.array([0.2, 0.5, 0.8])
            np.testing.assert_allclose(
                sums.thin(middles, areas, aside, low, high, steep), (area * upright * (upright > steep)).sum(axis=0), atol=1e-9
            )


if __name__ == "__main__":
    unittest.main()
