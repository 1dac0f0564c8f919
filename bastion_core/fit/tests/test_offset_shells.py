"""Shells that lie a known way off a body: room, least scale, verdict and curve say the same, at any scale.

The shells are igl's signed distance fields of the stand-in body and of the CC0 scan, cut off by marching cubes; nothing of the fit makes them.
"""

import unittest

import igl
import numpy as np

from bastion_core.findings import Verdict
from bastion_core.fit.answer import Fitting
from bastion_core.fit.curve import from_curve
from bastion_core.fit.onbody import as_it_came, on_body
from bastion_core.fit.question import Question
from bastion_core.fit.sites import site
from bastion_core.geometry.place import shifting, turn_to_up
from bastion_core.measure.body import stand_in
from bastion_core.measure.wearer import Wearer
from bastion_core.tests.shapes import FEMALE, MALE, reference, shell_round

WEARER = Wearer()


class OffsetShells(unittest.TestCase):
    def agree(self, fitting: Fitting) -> float:
        """Check an answer against itself, and its own least scale looked at afresh; returns the room."""
        told = fitting.answer()
        room, size = told.room.least_mm, max(fitting.question.scale)
        least = told.least_scale if fitting.question.as_placed else fitting.least_scale_for_room()
        self.assertIsNotNone(least)
        at_least = fitting.at_scale(fitting.proportioned(least))
        there = at_least.room(at_least.question.scale).least_mm
        self.assertTrue(-0.05 <= there <= 0.3, f"{there:.2f} mm of room at its own least scale {least:.4f}")
        self.assertEqual(room >= 0, size >= least - 1e-6, f"{room:.2f} mm at {size}, least {least:.4f}")
        self.assertEqual(told.verdict == Verdict.HOLDS, room >= 0)
        self.assertAlmostEqual(from_curve(told.curve, size).room_mm, room, delta=0.3)
        return room

    def test_a_closed_helm_that_hugs_the_neck(self):
        body = stand_in(WEARER)
        head = on_body(body, site("head"))
        helm = shell_round(body.mesh, 10.0, head.low_mm - 25)
        for size in (0.9, 1.0):
            with self.subTest(size=size):
                fitting = Fitting(helm, Question("head", wearer=WEARER, way_in="split", scale=(size,) * 3), body)
                room = self.agree(fitting)
                # It rests on the crown, ten millimetres lower than it was made round it; it never stands above it.
                self.assertLess(float(fitting.placed((size,) * 3).to_body(helm.bounds)[0, 2]), head.low_mm + (60 if size < 1 else 0))
                self.assertEqual(room > 3, size >= 1)

    def test_a_shin_turned_onto_its_own_axis(self):
        body = stand_in(WEARER)
        shin = on_body(body, site("shin"), "left")
        shell = shell_round(shin.mesh, 10.0, shin.low_mm + 20, shin.high_mm - 20, step_mm=3.0)
        middle = shell.vertices.mean(axis=0)
        axis = np.linalg.svd(shell.vertices - middle, full_matrices=False)[2][0]
        own = shell.transformed(shifting(-middle)).transformed(turn_to_up(axis * np.sign(axis[2])))
        for size in (0.93, 1.0):
            with self.subTest(size=size):
                room = self.agree(Fitting(own, Question("shin", "left", wearer=WEARER, way_in="split", scale=(size,) * 3), body))
                if size == 1.0:
                    self.assertAlmostEqual(room, 10.0, delta=0.25)

    def test_as_it_lies_on_a_scan(self):
        for path, off in ((MALE, 6.0), (FEMALE, 12.0)):
            scan = reference(path)
            top = float(scan.bounds[1, 2])
            shell = shell_round(scan, off, top - 230)
            covered = scan.vertices[(scan.vertices[:, 2] > top - 228)]
            exact = float(np.sqrt(igl.point_mesh_squared_distance(covered, shell.vertices, shell.faces)[0]).min())
            for size in (0.98, 1.0) if path is MALE else (1.0,):
                with self.subTest(path=path.name, size=size):
                    question = Question("head", as_placed=True, way_in="split", scale=(size,) * 3)
                    room = self.agree(Fitting(shell, question, ready=as_it_came(scan, site("head"), shell.bounds)))
                    if size == 1.0:
                        self.assertAlmostEqual(room, exact, delta=0.3)

    def test_only_the_foot_it_goes_round_has_to_pass(self):
        scan = reference(MALE)
        shell = shell_round(scan, 10.0, 150.0, 300.0, step_mm=6.0)
        self.assertGreater(shell.bounds[0, 0] * shell.bounds[1, 0], 0, "round one leg")
        side = 1.0 if shell.bounds[0, 0] > 0 else -1.0
        both = as_it_came(scan, site("shin"), shell.bounds)
        below = [c.outline for c in both.crossings() if c.at_mm < 300]
        self.assertGreater(len(below), 20)
        for outline in below:
            self.assertGreater((side * outline[:, 0]).min(), -5, "nothing of the other leg")
            self.assertLess(float(np.ptp(outline[:, 0])), 160)


if __name__ == "__main__":
    unittest.main()
