"""Hours and grams worked out on paper, from outlines, areas and how a head gathers speed; nothing of the estimate's own is used for them."""

import math
import unittest
from dataclasses import replace

import numpy as np
from manifold3d import Manifold

from bastion_core.geometry.solid import Solid
from bastion_core.print.estimate import RAFT_DENSITY, estimate
from bastion_core.print.profile import Profile
from bastion_core.print.shape import shape_of
from bastion_core.print.slope import adaptive_heights_mm
from bastion_core.shop import Printer
from bastion_core.tests.shapes import box, dome, tube

MACHINE = Printer("m", 300, 300, 400, 5, False, 100.0, 3000.0, warm_up_h=0.1)
WIDE, HIGH, PLA, ACCELERATION = 0.45, 0.2, 1.24, 3000.0
OUTER, INNER, SKIN, TRAVEL, FIRST = 50.0, 100.0, 70.0, 160.0, 0.4
JUMP = 8.0


def corner_s(speed: float, turn_deg: float) -> float:
    """Lost by slowing down to a corner and on from it: v² = v0² - 2 a s, twice."""
    past = min(JUMP / (2 * math.sin(math.radians(turn_deg) / 2)), speed)
    way = (speed**2 - past**2) / (2 * ACCELERATION)
    return 2 * ((speed - past) / ACCELERATION - way / speed)


def lines_s(length: float, one: float, speed: float) -> float:
    """Lines that start and stop, each with a whole start and stop at half speed on the average."""
    return length / speed + length / one * speed / ACCELERATION


class Hours(unittest.TestCase):
    def test_box(self):
        # 40 × 30 × 20 mm, 100 layers: walls of 138.2, 134.6 and 131.0 mm, inside them 37.3 × 27.3 mm; 4 layers of skin below and above.
        inside, chord = 37.3 * 27.3, math.pi * 37.3 * 27.3 / 140

        def walls(pace):
            outer = 138.2 / (OUTER * pace) + 4 * corner_s(OUTER * pace, 90) + OUTER * pace / ACCELERATION
            inner = 265.6 / (INNER * pace) + 2 * (4 * corner_s(INNER * pace, 90) + INNER * pace / ACCELERATION)
            return outer + inner

        travel = 0.35 * 50 / TRAVEL + TRAVEL / ACCELERATION
        plain = walls(1) + lines_s(0.15 * inside / WIDE, chord, INNER) + travel + 1
        solid = walls(1) + lines_s(inside / WIDE, chord, SKIN) + travel + 1
        first = walls(FIRST) + lines_s(inside / WIDE, chord, SKIN * FIRST) + travel + 1
        by_hand = 92 * plain + 7 * solid + first + 360
        self.assertAlmostEqual(estimate(shape_of(box(40, 30, 20)), Profile(), MACHINE).hours * 3600 / by_hand, 1, delta=0.02)

    def test_cylinder(self):
        # Diameter 50, height 30: circles without corners, 150 layers.
        rings = [2 * math.pi * (25 - 0.225 - 0.45 * k) for k in range(3)]
        inside, chord = math.pi * 23.65**2, math.pi * 23.65**2 / (50 * math.pi) * math.pi

        def walls(pace):
            return (
                rings[0] / (OUTER * pace) + sum(rings[1:]) / (INNER * pace) + (OUTER + 2 * INNER) * pace / ACCELERATION
                + 0.35 * 50 * math.sqrt(2) / TRAVEL + TRAVEL / ACCELERATION + 1
            )  # fmt: skip

        by_hand = 149 * walls(1) + walls(FIRST) + 142 * lines_s(0.15 * inside / WIDE, chord, INNER)
        by_hand += 7 * lines_s(inside / WIDE, chord, SKIN) + lines_s(inside / WIDE, chord, SKIN * FIRST) + 360
        told = estimate(shape_of(Solid.cylinder(25, 30, 240)), Profile(), MACHINE)
        self.assertAlmostEqual(told.hours * 3600 / by_hand, 1, delta=0.03)

    def test_cone(self):
        # Radius 30 to 0 over 40 mm; a slope that shows no skin beyond its walls. Near its tip a layer waits until 8 s are over.
        by_hand = 360.0
        for layer in range(200):
            r, pace = 30 * (1 - (layer + 0.5) / 200), FIRST if layer == 0 else 1
            rings = [2 * math.pi * max(r - 0.225 - 0.45 * k, 0) for k in range(3)]
            inside = math.pi * max(r - 1.35, 0) ** 2
            busy = rings[0] / (OUTER * pace) + sum(rings[1:]) / (INNER * pace) + (OUTER + 2 * INNER) * pace / ACCELERATION
            busy += 0.35 * 60 * math.sqrt(2) / TRAVEL + TRAVEL / ACCELERATION
            filled = (inside, SKIN) if layer < 4 else (0.15 * inside, INNER)
            busy += lines_s(filled[0] / WIDE, max(math.pi * inside / (2 * math.pi * r), 0.3), filled[1] * pace)
            by_hand += max(busy, 8.0) + 1
        told = estimate(shape_of(Solid(Manifold.cylinder(40, 30, 0, 240))), Profile(), MACHINE)
        self.assertAlmostEqual(told.hours * 3600 / by_hand, 1, delta=0.05)

    def test_thin_tubes(self):
        """Walls of 1.2 and 1.8 mm are lines throughout: two outer ones, the rest of the area inner ones."""
        for wall in (1.2, 1.8):
            with self.subTest(wall):
                area = math.pi * (40**2 - (40 - wall) ** 2)
                outer = 2 * math.pi * (40 - 0.225) + 2 * math.pi * (40 - wall + 0.225)
                inner = area / WIDE - outer
                stops = 2 * (OUTER + 2 * INNER) / ACCELERATION + 2 * (0.35 * 80 * math.sqrt(2) / TRAVEL + TRAVEL / ACCELERATION)
                layer = outer / OUTER + inner / INNER + stops + 1
                by_hand = 249 * layer + (outer / OUTER + inner / INNER) / FIRST + 360
                told = estimate(shape_of(tube(40, wall, 50, 240)), Profile(), MACHINE)
                self.assertAlmostEqual(told.hours * 3600 / by_hand, 1, delta=0.05)

    def test_a_thin_fin_waits_for_each_layer(self):
        # 60 × 2 mm: 122 mm at 50 and 2.4 mm² more at 100 mm/s take well under 8 s a layer; only the first, at 0.4 of that speed, takes longer.
        told = estimate(shape_of(box(60, 2, 40)), Profile(), MACHINE)
        self.assertAlmostEqual((told.hours * 3600 - 360) / (200 * 9), 1, delta=0.02)
        self.assertGreater(told.hours_by["cooling"] * 3600, 200 * 3)

    def test_spools_are_changed(self):
        # 200 × 200 × 60 mm, solid: 2,400 cm³ are 2,976 g, two changes.
        told = estimate(shape_of(box(200, 200, 60)), Profile(infill=1.0), MACHINE)
        self.assertAlmostEqual(told.filament_g, 2976, delta=30)
        self.assertAlmostEqual(told.hours_by["filament change"], 2 * 0.15, delta=1e-9)


def grid_g(level_mm2: float, space_mm3: float) -> float:
    """Of a sparse grid: 15 % of the space, and half a millimetre of roof at 70 %."""
    return (0.15 * space_mm3 + 0.5 * 0.7 * level_mm2) / 1000 * PLA


class Shells(unittest.TestCase):
    """Thin shells standing on their rims, hollow below: what hangs is the inside where it is shallower than 45 degrees."""

    def told(self, body, support):
        profile = Profile(support=support)
        return estimate(shape_of(body, profile), profile, MACHINE)

    def test_half_a_ball(self):
        # Inside radius r: level area of the cap to 45° is π r²/2, the space under it 2π r³/3 (1 - cos³ 45°).
        r, wall = 60.0, 1.8
        outside, inside = Manifold.sphere(r + wall, 200), Manifold.sphere(r, 200)
        body = Solid((outside - inside).trim_by_plane([0, 0, 1], 0))
        shell = 2 * math.pi / 3 * ((r + wall) ** 3 - r**3) / 1000 * PLA
        held = grid_g(math.pi * r**2 / 2, 2 * math.pi * r**3 / 3 * (1 - math.cos(math.pi / 4) ** 3))
        none, grid, branching = (self.told(body, style) for style in ("none", "grid", "branching"))
        self.assertAlmostEqual(none.filament_g / shell, 1, delta=0.03)
        self.assertAlmostEqual(grid.support_g / held, 1, delta=0.05)
        self.assertAlmostEqual(grid.filament_g / (shell + held), 1, delta=0.05)
        # Common practice, no source: branches take 15 to 35 % of the part.
        usual = 2 * math.pi / 3 * ((r + 3.4) ** 3 - r**3) / 1000 * PLA
        self.assertTrue(0.15 < branching.support_g / usual < 0.35, "of a shell of 3.4 mm")
        self.assertTrue(none.hours < branching.hours < grid.hours)

    def test_a_helmet(self):
        # Half an ellipsoid of 78, 102 and 72 mm over a straight skirt of 168 mm, 2 mm thick; sums over its angles.
        a, b, c, skirt, wall = 78.0, 102.0, 72.0, 168.0, 2.0
        body = dome(2 * a, 2 * b, 240, wall)
        theta, phi = np.meshgrid((np.arange(400) + 0.5) / 400 * math.pi / 2, (np.arange(720) + 0.5) / 720 * 2 * math.pi, indexing="ij")
        normal = np.stack([np.sin(theta) * np.cos(phi) / a, np.sin(theta) * np.sin(phi) / b, np.cos(theta) / c])
        hangs = normal[2] / np.linalg.norm(normal, axis=0) > math.sin(math.pi / 4)
        level = a * b * np.sin(theta) * np.cos(theta) * (math.pi / 2 / 400) * (2 * math.pi / 720) * hangs
        held = grid_g(float(level.sum()), float((level * (skirt + c * np.cos(theta))).sum()))
        outside = 2 / 3 * math.pi * (a + wall) * (b + wall) * (c + wall) + math.pi * (a + wall) * (b + wall) * skirt
        shell = (outside - 2 / 3 * math.pi * a * b * c - math.pi * a * b * skirt) / 1000 * PLA
        none, grid, branching = (self.told(body, style) for style in ("none", "grid", "branching"))
        self.assertAlmostEqual(none.filament_g / shell, 1, delta=0.03)
        self.assertAlmostEqual(grid.support_g / held, 1, delta=0.05)
        self.assertTrue(0.15 < branching.support_g / (1.7 * shell) < 0.35, "of a shell of 3.4 mm")
        self.assertTrue(none.hours < branching.hours < grid.hours)

    def test_halving_the_layer_doubles_the_hours(self):
        # Common practice, no source: 50 h at 0.2 mm are about 100 h at 0.1 mm; 0.12 instead of 0.28 or 0.3 nearly triples.
        ordinary = Printer("ordinary", 220, 220, 250, 5, True, 60.0, 1500.0)
        shape = shape_of(dome(156, 204, 240, 3.0))
        at = {h: estimate(shape, Profile(layer_mm=h), ordinary).hours for h in (0.1, 0.12, 0.2, 0.3)}
        self.assertTrue(1.8 < at[0.1] / at[0.2] < 2.2, at)
        self.assertTrue(2.2 < at[0.12] / at[0.3] < 3.0, at)


class Extras(unittest.TestCase):
    def test_a_raft(self):
        # Three layers of 0.3 mm, four fifths dense, under 40 × 30 mm and 4 mm round them.
        plain, raised = (estimate(shape_of(box(40, 30, 20)), Profile(raft=r), MACHINE) for r in (False, True))
        under = 40 * 30 + 140 * 4 + math.pi * 16
        self.assertAlmostEqual(raised.filament_g - plain.filament_g, 0.9 * RAFT_DENSITY * under / 1000 * PLA, delta=0.02)
        self.assertGreater(raised.hours, plain.hours + 0.9 * RAFT_DENSITY * under / (WIDE * HIGH * OUTER) / 3600 * 0.99)

    def test_a_slow_outer_wall(self):
        # The outer wall of a cylinder, 155.7 mm, at 25 instead of 50 mm/s in 149 layers, at 10 instead of 20 in the first.
        quick, slow = (
            estimate(shape_of(Solid.cylinder(25, 30, 240)), Profile(slow_outer_wall=s, least_layer_s=0), MACHINE) for s in (False, True)
        )
        ring = 2 * math.pi * 24.775
        by_hand = 149 * (ring / 25 - ring / 50) + ring / 10 - ring / 20
        self.assertAlmostEqual((slow.hours - quick.hours) * 3600 / by_hand, 1, delta=0.02)
        self.assertAlmostEqual(slow.filament_g, quick.filament_g)

    def test_layers_that_follow_the_slope(self):
        """By hand: half of 0.2 mm over the cosine. A wall gets 0.28, a slope of 45° 0.1 / 0.707 = 0.141, so 0.12; a shallow cap the finest."""
        upright = adaptive_heights_mm(box(30, 30, 20).mesh(), 0.2)
        self.assertEqual(set(upright), {0.28})
        roof = Solid(Manifold.cylinder(20, 30, 10, 96)).mesh()
        self.assertEqual(set(adaptive_heights_mm(roof, 0.2)), {0.12})
        ball = adaptive_heights_mm(Solid(Manifold.sphere(30, 120)).mesh(), 0.2)
        # sin of the latitude over 0.357 (0.1 / 0.28) is finer than 0.28: 10.7 mm off its middle.
        self.assertEqual((ball[29], ball[58]), (0.28, 0.12))
        self.assertAlmostEqual(float((ball == 0.28).sum()), 2 * 10.7, delta=4)
        body = Solid(Manifold.sphere(30, 120).trim_by_plane([0, 0, 1], -20))
        told, fine, coarse = (estimate(shape_of(body), p, MACHINE) for p in (Profile(adaptive_layers=True), Profile(0.12), Profile(0.28)))
        self.assertTrue(coarse.hours < told.hours < fine.hours)
        self.assertAlmostEqual(told.filament_g / fine.filament_g, 1, delta=0.05)

    def test_the_same_height_throughout_is_no_adaptive_one(self):
        follows = Profile(adaptive_layers=True)
        self.assertEqual(replace(follows, layer_mm=0.12, adaptive_layers=False), follows.with_layer(0.12))


if __name__ == "__main__":
    unittest.main()
