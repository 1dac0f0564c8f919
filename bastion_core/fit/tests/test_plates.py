"""Plates laid on a body: patches cut out of shells a known way off it, made smaller or larger by a known scale, are brought back to it.

The shells are igl's signed distance fields of the stand-in body and of the CC0 scan, cut off by marching cubes; nothing of the fit makes them.
"""

import unittest

import numpy as np
from manifold3d import Manifold

from bastion_core.findings import Verdict
from bastion_core.fit.judge import judge
from bastion_core.fit.layers import Layer
from bastion_core.fit.onbody import OnBody, as_it_came, on_body
from bastion_core.fit.pair import Pair
from bastion_core.fit.plate import Ground, Plate
from bastion_core.fit.question import Question
from bastion_core.fit.room import Placed
from bastion_core.fit.sites import site
from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.place import scaling, shifting
from bastion_core.geometry.solid import Solid
from bastion_core.measure.body import stand_in
from bastion_core.measure.wearer import Wearer
from bastion_core.tests.shapes import FEMALE, reference, shell_round, tube

WEARER = Wearer(sex="female", measurements={"stature_mm": 1700.0})


def front_of(shell: Mesh, y_mm: float) -> Mesh:
    """The part of a shell before a height of y."""
    low, high = shell.bounds[0] - 10, shell.bounds[1] + 10
    return Solid.from_mesh(shell).within(low, np.array([high[0], y_mm, high[2]])).mesh()


def plate_on(body: OnBody, off_mm: float) -> Mesh:
    """A plate over the front of a stretch, everywhere ``off_mm`` off the skin."""
    return front_of(shell_round(body.mesh, off_mm, body.low_mm + 30, body.high_mm - 30), float(body.centre[1]) - 10)


class Plates(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.body = stand_in(WEARER)

    def test_the_scale_and_the_gap_come_back(self):
        for place, side in (("chest", ""), ("shin", "left")):
            body = on_body(self.body, site(place), side)
            ground = Ground.of(body, ())
            for off_mm, true in ((6.0, 1.1), (15.0, 0.92)):
                with self.subTest(place, off_mm=off_mm, true=true):
                    plate = plate_on(body, off_mm)
                    made = plate.transformed(scaling(1 / true, 1 / true, 1 / true))
                    middle = plate.bounds.mean(axis=0) - made.bounds.mean(axis=0)
                    begun = Placed((1.0, 1.0, 1.0), (middle[0] + 6, middle[1] - 9, middle[2] + 4))
                    told = (laid := Plate(made, ground, begun)).fit((1.0, 1.0, 1.0), body, place)
                    self.assertAlmostEqual(told.best_scale / true, 1.0, delta=0.01)
                    self.assertTrue(told.from_scale <= true <= told.to_scale, (told.from_scale, told.to_scale))
                    self.assertLess(told.best_uneven_mm, 2.0)
                    _, even_mm, _ = laid.at((true, true, true))
                    self.assertAlmostEqual(even_mm, off_mm, delta=0.5)

    def test_layers_are_taken_off_the_gap(self):
        body = on_body(self.body, site("chest"))
        plate = plate_on(body, 12.0)
        for layers, left in (((), 12.0), ((Layer("suit", 3.0),), 9.0)):
            _, even_mm, uneven_mm = Plate(plate, Ground.of(body, layers), Placed((1.0,) * 3, (0.0,) * 3)).at((1.0, 1.0, 1.0))
            self.assertAlmostEqual(even_mm, left, delta=0.5)
            self.assertLess(uneven_mm, 1.5)

    def test_on_a_body_of_others(self):
        scan = reference(FEMALE)
        top = float(scan.bounds[1, 2])
        shell = shell_round(scan, 8.0, 0.62 * top, 0.70 * top)
        plate = front_of(shell, float(np.median(shell.vertices[:, 1])) - 20)
        middle = plate.bounds.mean(axis=0)
        made = plate.transformed(shifting(middle) @ scaling(1 / 1.05, 1 / 1.05, 1 / 1.05) @ shifting(-middle))
        ground = Ground.of(as_it_came(scan, site("chest"), plate.bounds), ())
        told = Plate(made, ground, Placed((1.0,) * 3, (0.0,) * 3)).fit((1.0,) * 3, as_it_came(scan, site("chest"), plate.bounds), "chest")
        self.assertAlmostEqual(told.best_scale / 1.05, 1.0, delta=0.02)

    def test_the_foam_that_fills_the_gap_of_half_a_tube(self):
        """By hand: half a tube 8 mm off a round bar of 60 mm, laid on, is moved by those 8 mm; what is left of the gap at each angle is known."""
        bar = Solid.cylinder(60.0, 400.0, 240).mesh()
        bar = bar.transformed(shifting(np.array([0.0, 0.0, -bar.bounds.mean(axis=0)[2]])))
        half = tube(72, 4, 200).mesh()
        half = front_of(half.transformed(shifting(-half.bounds.mean(axis=0))), 0.0)
        body = as_it_came(bar, site("forearm"), half.bounds)
        told = Plate(half, Ground.of(body, ()), Placed((1.0,) * 3, (0.0,) * 3)).fit((1.0,) * 3, body, "forearm")
        angle = np.linspace(-np.pi / 2, np.pi / 2, 2001)
        left_mm = np.sqrt(68.0**2 - 2 * 68.0 * 8.0 * np.cos(angle) + 8.0**2) - 60.0
        self.assertAlmostEqual(told.even_mm, 8.0, delta=0.3)
        self.assertAlmostEqual(told.off_mm[1], float(np.percentile(left_mm, 50)), delta=0.3)
        self.assertAlmostEqual(told.foam_cm3 / (np.pi * 68.0 * 200.0 * float(left_mm.mean()) / 1000), 1.0, delta=0.08)

    def test_judged_as_a_whole(self):
        body = on_body(self.body, site("chest"))
        made = plate_on(body, 5.0).transformed(scaling(1 / 1.3, 1 / 1.3, 1 / 1.3))
        small = judge(made, Question("chest", wearer=WEARER, way_in="plates"), 1.0, (1.0, 1.0, 1.0), body=self.body)
        self.assertEqual(small.answer.verdict, Verdict.TIGHT)
        scales = [r for r in small.answer.remedies if r.kind == "scale"]
        self.assertEqual(len(scales), 1)
        free = judge(made, Question("chest", wearer=WEARER, way_in="plates"), 1.0, None, body=self.body)
        self.assertAlmostEqual(max(scales[0].change["scale"]) / free.scale[0], 1.0, delta=0.03)
        self.assertTrue(free.answer.plate.from_scale - 1e-3 <= free.scale[0] <= free.answer.plate.to_scale + 1e-3)

    def shell_and_halves(self, body: OnBody) -> tuple[Mesh, tuple[Mesh, Mesh]]:
        """A shell 8 mm off the chest, and what lies more than 15 mm before and behind its middle."""
        shell = shell_round(body.mesh, 8.0, body.low_mm + 30, body.high_mm - 30)
        y, low, high = float(body.centre[1]), shell.bounds[0] - 10, shell.bounds[1] + 10
        return shell, (front_of(shell, y - 15), Solid.from_mesh(shell).within(np.array([low[0], y + 15, low[2]]), high).mesh())

    def test_a_pair_is_brought_back_too(self):
        """Breast and back cut out of one shell 8 mm off, 30 mm apart: laid on, each comes 8 mm nearer, so 14 mm stay open at the cut."""
        body = on_body(self.body, site("chest"))
        shell, halves = self.shell_and_halves(body)
        for true in (1.1, 0.93):
            with self.subTest(true):
                made = [half.transformed(scaling(1 / true, 1 / true, 1 / true)) for half in halves]
                begun = Placed((1.0,) * 3, tuple(float(v) for v in shell.bounds.mean(axis=0) * (1 - 1 / true)))
                told = (pair := Pair(made, Ground.of(body, ()), begun)).fit((1.0, 1.0, 1.0), body, "chest")
                self.assertAlmostEqual(told.best_scale / true, 1.0, delta=0.01)
                self.assertTrue(told.from_scale <= true <= told.to_scale)
                for plate in pair.plates:
                    self.assertAlmostEqual(plate.at((true,) * 3)[1], 8.0, delta=0.5)
                for side in pair.openings((true,) * 3):
                    self.assertAlmostEqual(side.least_mm, 14.0, delta=1.0)

    def test_a_pair_judged_as_a_whole(self):
        _, halves = self.shell_and_halves(on_body(self.body, site("chest")))
        both = Mesh(
            np.concatenate([h.vertices for h in halves]), np.concatenate([halves[0].faces, halves[1].faces + len(halves[0].vertices)])
        )
        question = Question("chest", wearer=WEARER, way_in="plates", halves=halves)
        worn = judge(both, question, 1.0, None, body=self.body)
        self.assertEqual([o.side for o in worn.answer.plate.openings], ["right", "left"])
        self.assertIn("stay open for straps", str(worn.answer.reason))
        large = judge(both, question, 1.0, (1.5, 1.5, 1.5), body=self.body)
        self.assertEqual(large.answer.verdict, Verdict.STOPS)
        self.assertIn("The halves meet", str(large.answer.reason))

    def test_a_flat_board_follows_no_chest(self):
        body = on_body(self.body, site("chest"))
        high = body.high_mm - body.low_mm - 60
        for half in (100.0, 170.0, 230.0):
            board = Manifold.cube([2 * half, 5.0, high]).translate([-half, -200.0, body.low_mm + 30])
            with self.subTest(half):
                self.assertFalse(Plate(Solid(board).mesh(), Ground.of(body, ()), Placed((1.0,) * 3, (0.0,) * 3)).follows)


if __name__ == "__main__":
    unittest.main()
