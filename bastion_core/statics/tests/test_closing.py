"""What keeps a part on, by hand: statics of a plate on two magnets, of a crest that nods; a thousand random ones against a linear program."""

import unittest

import numpy as np
from scipy.optimize import linprog
from shapely import box

from bastion_core.statics.closing import CLOSURES, MOST, Hang, count_for, others_for, stays_on
from bastion_core.statics.magnets import SLIDES
from bastion_core.statics.poses import CARRIED, ENOUGH, G_M_S2, WORN, Pose

LEVEL = np.eye(3)


class ByHand(unittest.TestCase):
    def test_hangs_straight_down(self):
        """100 g below a ceiling, upside down: 0.981 N straight off two magnets of 2 N: four ninths of a hundredth over four."""
        held = stays_on(Hang(100, (0, 0, 10)), box(-20, -20, 20, 20), np.array([[-10.0, 0], [10, 0]]), np.array([2.0, 2.0]), LEVEL,
                        [Pose("down", "", (0, 0, 1.0))], True)  # fmt: skip
        self.assertAlmostEqual(held.safety, 4 / 0.981, places=3)
        self.assertAlmostEqual(held.needed_n, 0.981, places=3)
        self.assertEqual(held.pose, "down")

    def test_tips_about_its_edge(self):
        """200 g on a face 40 wide, balance point 50 over it, pushed sideways with 1 g and pressed on by none: it tips about one edge with
        1.962 N x 50 mm = 98.1 N mm; magnets of 3 N at 10 and 30 mm from that edge hold 120 N mm."""
        hang, face = Hang(200, (0, 0, 50)), box(-20, -30, 20, 30)
        places, force = np.array([[-10.0, 0], [10, 0]]), np.array([3.0, 3.0])
        held = stays_on(hang, face, places, force, LEVEL, [Pose("side", "", (1.0, 0, 0))], True)
        self.assertEqual(held.way, "peel")
        self.assertAlmostEqual(held.safety, 120 / 98.1, places=3)
        self.assertAlmostEqual(held.lever_mm, 50, places=3)

    def test_slides_where_nothing_keys_it(self):
        hang, face = Hang(200, (0, 0, 1)), box(-20, -30, 20, 30)
        places, force = np.array([[-10.0, 0], [10, 0]]), np.array([3.0, 3.0])
        side = [Pose("side", "", (1.0, 0, 0))]
        held = stays_on(hang, face, places, force, LEVEL, side, False)
        self.assertEqual(held.way, "shear")
        self.assertAlmostEqual(held.safety, SLIDES * 6 / 1.962, places=3)
        self.assertGreater(stays_on(hang, face, places, force, LEVEL, side, True).safety, held.safety)

    def test_what_stands_on_its_face_needs_nothing(self):
        held = stays_on(Hang(500, (0, 0, 10)), box(-40, -40, 40, 40), np.zeros((1, 2)), np.array([0.1]), LEVEL, [WORN[0]], True)
        self.assertEqual(held.safety, MOST)

    def test_a_face_turned_sideways(self):
        """A plate on the front of a helm, straight ahead: its weight runs along the face and tips it about the lower edge."""
        front = np.array([[1.0, 0, 0], [0, 0, 1.0], [0, -1.0, 0]])
        held = stays_on(Hang(100, (0, 0, 20)), box(-30, -30, 30, 30), np.array([[0, 20.0]]), np.array([1.0]), front, [WORN[0]], True)
        self.assertEqual(held.way, "peel")
        self.assertAlmostEqual(held.safety, 1.0 * 50 / (0.1 * G_M_S2 * 20), places=3)

    def test_count(self):
        self.assertEqual([count_for(n, 2.0) for n in (0.1, 1.0, 1.01, 10.0)], [1, 1, 2, int(ENOUGH * 10 / 2)])

    def test_other_closures_by_the_same_load(self):
        held = stays_on(
            Hang(900, (0, 0, 60)), box(-30, -30, 30, 30), np.array([[-20.0, 0], [20, 0]]), np.array([4.0, 4.0]), LEVEL, WORN, True
        )
        told = others_for(held)
        self.assertEqual([c.key for c, _ in told], [c.key for c in CLOSURES])
        for closure, count in told:
            each = closure.shear_n if held.way == "shear" else closure.pull_n
            self.assertGreaterEqual(count * each, ENOUGH * held.needed_n - 1e-6)


class Random(unittest.TestCase):
    def test_a_linear_program_agrees(self):
        """The part stays where forces at the magnets (0 to their pull) and pressures on the face's corners balance it: scipy's solver."""
        rng = np.random.default_rng(5)
        for case in range(200):
            wide, deep = rng.uniform(20, 80, 2)
            face = box(-wide / 2, -deep / 2, wide / 2, deep / 2)
            places = rng.uniform(-0.45, 0.45, (int(rng.integers(2, 6)), 2)) * (wide, deep)
            force = rng.uniform(0.5, 6, len(places))
            hang = Hang(float(rng.uniform(30, 600)), tuple(rng.uniform(-1, 1, 3) * (wide / 2, deep / 2, 0) + (0, 0, rng.uniform(2, 80))))
            pose = (WORN + CARRIED)[int(rng.integers(len(WORN + CARRIED)))]
            held = stays_on(hang, face, places, force, LEVEL, [pose], True)
            for times, stays in ((0.98, True), (1.02, False)):
                if held.safety < MOST / 2:
                    self.assertEqual(balances(hang, face, places, force, pose.felt * held.safety * times), stays, f"case {case} at {times}")


def balances(hang: Hang, face, places, force, felt) -> bool:
    corners = np.array(face.exterior.coords)[:-1]
    f = felt * hang.mass_g / 1000 * G_M_S2
    # Unknown: pull of each magnet, pressure at each corner. Forces across are taken by the pins, at the face.
    up = np.concatenate([-np.ones(len(places)), np.ones(len(corners))])
    at = np.concatenate([places, corners])
    x, y, h = hang.at_mm
    # Moments about v and u of the force at the balance point.
    rows = np.array([up, up * at[:, 0], up * at[:, 1]])
    wanted = -np.array([f[2], f[2] * x - f[0] * h, f[2] * y - f[1] * h])
    found = linprog(np.zeros(len(at)), A_eq=rows, b_eq=wanted, bounds=[(0, float(p)) for p in force] + [(0, None)] * len(corners))
    return bool(found.status == 0)
