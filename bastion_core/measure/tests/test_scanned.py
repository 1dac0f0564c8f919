"""Scans as the body of a fit, against the stand-in made from their own tapes and against the body they were taken of."""

import unittest

import igl
import numpy as np

from bastion_core.devices.head_scanner import scan_head
from bastion_core.errors import MeshProblem
from bastion_core.fit.answer import Fitting
from bastion_core.fit.layers import Layer
from bastion_core.fit.onbody import on_body
from bastion_core.fit.question import Question
from bastion_core.fit.sites import site
from bastion_core.geometry.place import scaling
from bastion_core.geometry.section import level_loops
from bastion_core.measure.body import stand_in
from bastion_core.measure.scan import Taken
from bastion_core.measure.scanned import head_on_stand_in, known_from, scanned_body
from bastion_core.measure.upright import measure_scan, take_scan
from bastion_core.measure.wearer import Wearer
from bastion_core.tests.shapes import MALE, plain_bracer, plain_greave, plain_helm, reference

ODA = Wearer(
    "Oda", "female", 63.0,
    {"stature_mm": 1684.0, "head_circumference_mm": 560.0, "head_breadth_mm": 149.0, "head_length_mm": 190.0, "chin_to_crown_mm": 218.0},
)  # fmt: skip


def apart(points: np.ndarray, mesh) -> np.ndarray:
    return np.sqrt(igl.point_mesh_squared_distance(points, mesh.vertices, mesh.faces)[0])


class WholeBody(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        # A body of others, as a phone might give it: in centimetres.
        scan = take_scan(reference(MALE).transformed(scaling(0.1, 0.1, 0.1)), "body")
        cls.body = scanned_body(scan.mesh, measure_scan(scan), Wearer(sex="male"))
        cls.stand_in = stand_in(cls.body.wearer)

    def test_limbs_stand_as_the_stand_ins_do(self):
        for where, side in (("forearm", "left"), ("shin", "right"), ("thigh", "left"), ("upper_arm", "right")):
            scan, other = (on_body(b, site(where), side) for b in (self.body, self.stand_in))
            with self.subTest(where):
                self.assertAlmostEqual(scan.high_mm - scan.low_mm, other.high_mm - other.low_mm, delta=6)
                middle = (scan.low_mm + scan.high_mm) / 2
                mine, theirs = (level_loops(b.mesh, middle)[0].girth_mm for b in (scan, other))
                self.assertAlmostEqual(mine, theirs, delta=0.05 * theirs)

    def test_pieces_fit_it_as_they_fit_the_stand_in(self):
        for where, piece in (("forearm", plain_bracer(0.3)), ("shin", plain_greave(0.2))):
            asked = Question(where, "left", layers=(Layer("suit", 1.5),), scale=(1.15,) * 3)
            scan, other = (Fitting(piece, asked, body).answer() for body in (self.body, self.stand_in))
            with self.subTest(where):
                self.assertAlmostEqual(scan.room.least_mm, other.room.least_mm, delta=2.0)
                self.assertEqual(scan.way_in.passes, other.way_in.passes)
                self.assertAlmostEqual(scan.least_scale, other.least_scale, delta=0.02)

    def test_what_it_does_not_show_is_guessed(self):
        self.assertIn("thigh_girth_seated_mm", self.body.guesses)
        self.assertNotIn("chest_girth_mm", self.body.guesses)
        self.assertGreater(self.body.wearer.sds["shoulder_girth_mm"], self.body.wearer.sds["wrist_girth_mm"])

    def test_without_joints_it_is_no_body(self):
        with self.assertRaisesRegex(MeshProblem, "no joints"):
            scanned_body(reference(MALE), Taken({}, {}, {}))


class HeadOnStandIn(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        scan = take_scan(scan_head(ODA, "cm", 2), "head")
        cls.taken = measure_scan(scan)
        cls.body = head_on_stand_in(scan.mesh, cls.taken, ODA)
        cls.own = stand_in(ODA)

    def test_the_head_lies_where_the_wearers_is(self):
        v = self.body.mesh.vertices[np.unique(self.body.mesh.faces)]
        head = v[(v[:, 2] > self.body.chin_mm - 20) & (np.abs(v[:, 0]) < 110)]
        off = apart(head, self.own.mesh)
        # The scanner's noise is 0.4 mm, and the pose is found by laying the scan over another head.
        self.assertLess(float(np.sqrt((off**2).mean())), 3.0)
        self.assertAlmostEqual(float(v[:, 2].max()), 1684, delta=0.5)
        self.assertAlmostEqual(self.body.chin_mm, self.own.chin_mm, delta=8)

    def test_below_the_neck_it_is_the_stand_in(self):
        v = self.body.mesh.vertices[np.unique(self.body.mesh.faces)]
        known = stand_in(known_from(self.taken, ODA))
        below = v[v[:, 2] < self.body.chin_mm - 120]
        self.assertGreater(len(below), 8000)
        self.assertLess(float(apart(below, known.mesh).max()), 1e-6)
        # Neck and head run into each other: no level between chin and shoulders is empty.
        for z in np.arange(self.body.chin_mm - 110, self.body.chin_mm, 5.0):
            self.assertTrue(level_loops(self.body.mesh, float(z)), z)

    def test_a_helm_fits_as_on_the_wearer(self):
        asked = Question("head", wearer=ODA, layers=(Layer("pad", 8.0),), scale=(1.1,) * 3)
        scan, own = (Fitting(plain_helm(0.05), asked, body).answer() for body in (self.body, self.own))
        self.assertAlmostEqual(scan.room.least_mm, own.room.least_mm, delta=1.5)
        self.assertAlmostEqual(scan.least_scale, own.least_scale, delta=0.015)
        self.assertEqual(scan.way_in.passes, own.way_in.passes)
        # Its shoulders are there too: the helm's lower edge is held against them.
        self.assertEqual(*("beyond" in {w.code for w in told.warnings} for told in (scan, own)))

    def test_what_the_scan_measured_goes_first(self):
        known = known_from(self.taken, ODA)
        self.assertAlmostEqual(known.measurements["head_breadth_mm"], self.taken.values["head_breadth_mm"], delta=0.06)
        self.assertEqual(known.measurements["stature_mm"], 1684.0)
        self.assertIn("head_breadth_mm", known.sds)
