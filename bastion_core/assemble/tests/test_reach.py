"""What is reached: bottle, bowl, tube, box with a slit, by spray and by hand, against what geometry says."""

import unittest

import numpy as np
from manifold3d import Manifold

from bastion_core.assemble.bodies import Assembly, Body
from bastion_core.assemble.reach import Air, spray
from bastion_core.assemble.tests.scenes import hollow
from bastion_core.assemble.tools import SPRAY_LEAN_DEG, TOOLS
from bastion_core.geometry.arrays import directions
from bastion_core.geometry.place import Plane
from bastion_core.geometry.solid import Solid
from bastion_core.tests.shapes import tube


def alone(solid: Solid) -> Assembly:
    return Assembly((Body("p-A", solid.mesh()),), ())


def halves(solid: Solid, height_mm: float) -> Assembly:
    above, below = solid.split(Plane((0.0, 0.0, 1.0), height_mm))
    return Assembly((Body("p-A", above.mesh()), Body("p-B", below.mesh())), ())


class Sprayed(unittest.TestCase):
    def test_looks_are_a_cone(self):
        ways = directions(400, 60)
        np.testing.assert_allclose(np.linalg.norm(ways, axis=1), 1.0)
        self.assertGreater(ways[:, 2].min(), np.cos(np.radians(60)) - 1e-9)
        # The middle of a spherical cap stands at (1 + cos a) / 2.
        self.assertAlmostEqual(float(ways[:, 2].mean()), (1 + np.cos(np.radians(60))) / 2, delta=0.01)

    def test_a_bowl_is_reached_whole_and_a_closed_can_not_at_all(self):
        bowl = Solid(Manifold.sphere(60, 96) - Manifold.sphere(56, 96)).split(Plane((0.0, 0.0, 1.0), 0.0))[1]
        self.assertGreater(spray(alone(bowl)).share(0, 1), 0.99)
        self.assertEqual(spray(alone(hollow(40, 80, 3))).share(0, 1), 0.0)

    def test_a_can_in_two_halves_is_reached_apart_and_not_together(self):
        looks = spray(halves(hollow(40, 80, 3), 40.0))
        for body in (0, 1):
            self.assertGreater(looks.share(body, 1 << body), 0.97)
            self.assertEqual(looks.share(body, 3), 0.0)

    def test_a_bottle_is_reached_where_its_neck_is_seen_within_the_lean(self):
        # The floor of a bottle 80 tall sees a neck of radius 12 straight above; its wall sees the neck too flat to be sprayed.
        bottle = hollow(40, 160, 3, open_top=12)
        looks = spray(alone(bottle))
        floor = looks.at[:, 2] < 4
        reached = ((looks.blocked_by & 1) == 0).any(axis=1)
        wall = ~floor & (looks.at[:, 2] < 150)
        # From a place of the wall the neck's middle stands at an angle off the wall's normal: beyond the lean nothing lands.
        way = np.array([0, 0, 160.0]) - looks.at[wall]
        inward = -looks.at[wall] * [1, 1, 0]
        angle = np.degrees(np.arccos(np.einsum("ij,ij->i", way, inward) / np.linalg.norm(way, axis=1) / np.linalg.norm(inward, axis=1)))
        far = angle > SPRAY_LEAN_DEG + 12
        self.assertGreater(far.sum(), 20)
        self.assertFalse(reached[wall][far].any())

    def test_a_tube_open_at_both_ends(self):
        # Within the lean of 60 degrees a wall place sees an end that is nearer than tan 60 times the tube's width.
        short, long = (spray(alone(tube(30, 3, length))) for length in (100, 600))
        self.assertGreater(short.share(0, 1), 0.95)
        reached = ((long.blocked_by & 1) == 0).any(axis=1)
        inward = np.linalg.norm(long.at[:, :2], axis=1) < 28
        near = np.minimum(long.at[:, 2], 600 - long.at[:, 2])
        self.assertGreater(reached[inward & (near < 40)].mean(), 0.95)
        self.assertFalse(reached[inward & (near > 54 * np.tan(np.radians(60)) + 5)].any())


class ByHand(unittest.TestCase):
    def reached(self, solid: Solid, tool: str, at, within: float = 12.0) -> bool:
        air = Air(alone(solid))
        if TOOLS[tool].straight:
            return bool(air.straight(1, TOOLS[tool], np.array([at], dtype=float))[0])
        near = air.nearness(1, air.reached(1, TOOLS[tool]))
        return bool(air.touches(near, np.array([at], dtype=float), within)[0])

    def test_a_hand_goes_through_an_opening_as_wide_as_itself(self):
        for radius, goes in ((48, True), (24, False)):
            self.assertEqual(self.reached(hollow(90, 200, 4, open_top=radius), "hand", (0, 0, 20)), goes, f"opening of {2 * radius} mm")

    def test_fingers_reach_as_far_as_they_are_long(self):
        jar = hollow(60, 220, 4, open_top=20)
        self.assertTrue(self.reached(jar, "hand", (0, 0, 160)))
        self.assertFalse(self.reached(jar, "hand", (0, 0, 40)))

    def test_nothing_is_near_through_a_wall(self):
        box = hollow(40, 60, 3)
        for at in ((0, 0, 8), (32, 0, 30), (0, 0, 52)):
            self.assertFalse(self.reached(box, "tweezers", at, 40.0))

    def test_a_slit_lets_tweezers_in_and_no_hand(self):
        slit = hollow(50, 120, 3, open_side=16)
        self.assertTrue(self.reached(slit, "tweezers", (0, 0, 60)))
        self.assertFalse(self.reached(slit, "hand", (0, 0, 60)))
        self.assertFalse(self.reached(hollow(50, 120, 3), "tweezers", (0, 0, 60)))

    def test_a_straight_tool_does_not_turn_corners(self):
        # A can with a hole in its side: straight across it is reached, the corner beside the hole is not, though it is nearer.
        can = hollow(50, 120, 3, open_side=15)
        air = Air(alone(can))
        at = np.array([[-44.0, 0, 60], [36.0, -27, 60]])
        self.assertEqual(air.straight(1, TOOLS["tweezers"], at).tolist(), [True, False])

    def test_distances_are_those_of_the_nearest_body(self):
        assembly = halves(hollow(50, 120, 4), 60.0)
        air = Air(assembly)
        middle = tuple(air.cells(np.array([[0.0, 0.0, 60.0]]))[0])
        self.assertAlmostEqual(float(air.distance(3)[middle]), 46.0, delta=1.5 * air.cell_mm)
        self.assertLessEqual(float(air.distance(3)[middle]), float(air.distance(1)[middle]))


class Wires(unittest.TestCase):
    def test_the_way_goes_through_the_only_hole(self):
        # Two chambers with a hole of 20 mm in the wall between: the way bends through it, and is as long as both legs.
        chambers = (
            Manifold.cube([160, 80, 80], True)
            - Manifold.cube([72, 72, 72], True).translate([-40, 0, 0])
            - Manifold.cube([72, 72, 72], True).translate([40, 0, 0])
        )
        joined = Solid(chambers - Manifold.cube([20, 20, 20], True).translate([0, 24, 0]))
        start, end = np.array([-60.0, -24, 0]), np.array([60.0, -24, 0])
        air = Air(alone(joined))
        path = air.way(1, start, end, 3.0)
        self.assertIsNotNone(path)
        through = path[np.argmin(np.abs(path[:, 0]))]
        self.assertLess(abs(through[1] - 24), 10)
        least = 2 * np.hypot(60, 48) * 0.9
        length = float(np.linalg.norm(np.diff(path, axis=0), axis=1).sum())
        self.assertTrue(least - 10 < length < 1.25 * 2 * np.hypot(60, 48) + 10, length)

    def test_no_way_is_none(self):
        self.assertIsNone(Air(alone(hollow(40, 80, 4))).way(1, np.array([0.0, 0, 40]), np.array([0.0, 0, 130]), 3.0))
