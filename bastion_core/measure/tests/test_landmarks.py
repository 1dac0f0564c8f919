"""Joints and places found on bodies: on two bodies of others, on shaped ones of known proportions, bent, mirrored and turned."""

import csv
import unittest

import numpy as np

from bastion_core.errors import MeshProblem, RecipeProblem
from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.place import Plane, quarter_turns, scaling, shifting
from bastion_core.geometry.section import perimeter
from bastion_core.geometry.solid import Solid
from bastion_core.measure.body import Pose, ring_girth, stand_in
from bastion_core.measure.landmarks import SIDES, across, find_landmarks, leg_at, trunk_at, way_from
from bastion_core.measure.predict import predict
from bastion_core.measure.scan import FINGERS, measure_body, measure_head
from bastion_core.measure.template import rings_of, smooth, template_of
from bastion_core.measure.upright import measure_scan, points_wanted, take_scan
from bastion_core.measure.wearer import Wearer
from bastion_core.tests.shapes import DATA, FEMALE, MALE, box, reference

# Heights of joints as shares of stature, Drillis & Contini (from memory, high confidence).
SHARES = {"shoulder": 0.818, "hip": 0.530, "knee": 0.285, "ankle": 0.039, "chin": 0.870}


class OnBodiesOfOthers(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.meshes = {"female": reference(FEMALE), "male": reference(MALE)}
        cls.marks = {name: find_landmarks(mesh) for name, mesh in cls.meshes.items()}

    def test_joints_lie_where_tables_have_them(self):
        for name, marks in self.marks.items():
            height = marks.stature_mm
            told = {
                "shoulder": marks.arms["left"].joints[0][2] / height,
                "hip": marks.legs["left"].joints[0][2] / height,
                "knee": marks.legs["left"].joints[1][2] / height,
                "ankle": marks.legs["left"].joints[2][2] / height,
                "chin": marks.chin_mm / height,
            }
            for joint, share in SHARES.items():
                with self.subTest(body=name, joint=joint):
                    self.assertAlmostEqual(told[joint], share, delta=0.035)

    def test_both_sides_alike(self):
        for name, marks in self.marks.items():
            for limbs in (marks.arms, marks.legs):
                left, right = (np.array(limbs[s].joints) for s in ("left", "right"))
                with self.subTest(name):
                    np.testing.assert_allclose(left * [-1, 1, 1], right, atol=6.0)
                    self.assertTrue((left[:, 0] > 0).all())

    def test_segments_of_a_limb_add_up(self):
        for name, marks in self.marks.items():
            shoulder, elbow, wrist, tip = marks.arms["left"].joints
            lengths = [float(np.linalg.norm(b - a)) for a, b in ((shoulder, elbow), (elbow, wrist), (wrist, tip))]
            whole = 0.44 * marks.stature_mm  # upper arm, forearm and hand after Drillis & Contini
            with self.subTest(name):
                self.assertAlmostEqual(sum(lengths), whole, delta=0.11 * whole)
                self.assertGreater(lengths[0], lengths[2])

    def test_places_are_in_the_order_of_a_body(self):
        for marks in self.marks.values():
            order = [marks.heights[k] for k in ("ankle_girth_mm", "calf_girth_mm", "knee_girth_mm", "mid_thigh_girth_mm", "thigh_girth_mm")]
            order += [marks.heights[k] for k in ("hip_girth_mm", "abdomen_girth_mm", "waist_girth_mm", "chest_girth_mm", "neck_girth_mm")]
            self.assertEqual(order, sorted(order))

    def test_lifted_off_the_floor_it_is_the_same(self):
        lifted = measure_body(self.meshes["male"].transformed(shifting(np.array([0.0, 40.0, 300.0])))).values
        for key, value in measure_body(self.meshes["male"]).values.items():
            if key != "heel_instep_girth_mm":
                self.assertAlmostEqual(lifted[key], value, delta=0.012 * value, msg=key)

    def test_mirrored_it_is_the_same(self):
        taken = measure_body(self.meshes["female"]).values
        mirrored = measure_body(self.meshes["female"].transformed(scaling(-1, 1, 1))).values
        for key in ("chest_girth_mm", "thigh_girth_mm", "wrist_girth_mm", "upper_arm_girth_mm", "head_breadth_mm"):
            self.assertAlmostEqual(taken[key], mirrored[key], delta=0.005 * taken[key], msg=key)

    def test_lengths_against_the_tables(self):
        """The female body's own table (clad-body 0.6.1), and Drillis & Contini's shares of stature (from memory, high confidence)."""
        with (DATA / "anny_clad_female_average.csv").open(encoding="utf-8") as opened:
            table = {row["measurement"]: row["value"] for row in csv.DictReader(opened)}
        female = measure_body(self.meshes["female"]).values
        sleeve = 10 * float(table["sleeve_length_cm"])
        self.assertAlmostEqual(female["arm_length_mm"], sleeve, delta=0.05 * sleeve)
        for name, mesh in self.meshes.items():
            told = measure_body(mesh).values
            for key, share in (("upper_arm_length_mm", 0.186), ("thigh_length_mm", 0.245), ("shank_length_mm", 0.246)):
                with self.subTest(body=name, key=key):
                    self.assertAlmostEqual(told[key] / told["stature_mm"], share, delta=0.013)

    def test_shoulders_against_the_open_data(self):
        """The tape round the shoulders against what the regression on Heinz et al. 2003 expects from all the other girths."""
        for name, mesh in self.meshes.items():
            told = measure_body(mesh).values
            rest = {k: v for k, v in told.items() if k != "shoulder_girth_mm"}
            guess = predict(Wearer(sex=name, measurements=rest))["shoulder_girth_mm"]
            with self.subTest(name):
                self.assertAlmostEqual(told["shoulder_girth_mm"], guess.value, delta=1.5 * guess.sd)
                self.assertGreater(told["shoulder_girth_mm"], told["chest_girth_mm"])

    def test_hands_and_faces(self):
        for name, mesh in self.meshes.items():
            told = measure_body(mesh).values
            guess = predict(Wearer(sex=name, measurements={"stature_mm": told["stature_mm"]}))
            with self.subTest(name):
                fingers = [told.get(f"{f}_knuckle_girth_mm", told.get(f"left_{f}_knuckle_girth_mm")) for f in FINGERS]
                self.assertEqual(min(fingers), fingers[-1])
                for value in fingers:
                    self.assertTrue(35 < value < 80, fingers)
                for key, slack in (("face_height_mm", 2), ("hand_breadth_mm", 3)):
                    self.assertAlmostEqual(told[key], guess[key].value, delta=slack * max(guess[key].sd, 6), msg=key)

    def test_ways_along_the_surface_are_at_least_straight(self):
        mesh = self.meshes["male"]
        start = int(np.argmax(mesh.vertices[:, 0]))
        way = way_from(mesh, start)
        straight = np.linalg.norm(mesh.vertices - mesh.vertices[start], axis=1)
        self.assertTrue(np.isfinite(way).all())
        self.assertTrue((way >= straight - 1e-6).all())
        self.assertEqual(way[start], 0.0)

    def test_loops_by_name(self):
        mesh, marks = self.meshes["male"], self.marks["male"]
        self.assertLess(abs(trunk_at(mesh, marks.heights["waist_girth_mm"]).centre[0]), 3)
        self.assertGreater(leg_at(mesh, "left", 300.0).centre[0], 50)
        self.assertIsNone(trunk_at(mesh, 9000.0))
        self.assertIsNone(across(mesh, np.array([0.0, 0.0, 9000.0]), np.array([0.0, 0.0, 1.0])))


class WhatIsNoBody(unittest.TestCase):
    def test_each_is_told_apart(self):
        legless = Solid.from_mesh(reference(MALE)).split(Plane((0.0, 0.0, 1.0), 1150.0))[0]
        for mesh in (box(400, 250, 1700).mesh(), legless.mesh()):
            with self.assertRaises(MeshProblem) as refused:
                measure_body(mesh)
            self.assertRegex(str(refused.exception), r"[.?]$")

    def test_scans_of_the_wrong_kind_or_unit(self):
        with self.assertRaisesRegex(RecipeProblem, "no kind of scan"):
            take_scan(reference(MALE), "hand")
        with self.assertRaisesRegex(RecipeProblem, "no unit known"):
            take_scan(reference(MALE), "body", "ell")
        with self.assertRaisesRegex(MeshProblem, "in no unit"):
            take_scan(box(1, 1, 3).mesh(), "body")
        self.assertEqual(points_wanted("head")[0], "nose tip")


class Templates(unittest.TestCase):
    def test_rings_follow_the_mesh(self):
        for sex in ("female", "male"):
            template = template_of(sex)
            taken = measure_body(template.mesh).values
            with self.subTest(sex):
                self.assertTrue(Solid.from_mesh(template.mesh).volume > 4e7)
                for key in ("chest_girth_mm", "waist_girth_mm", "hip_girth_mm"):
                    girth = ring_girth(template.rings[key].points(template.mesh.vertices))
                    self.assertAlmostEqual(girth, taken[key], delta=1.0, msg=key)
                wider = template.rings["waist_girth_mm"].points(template.mesh.vertices * [1.1, 1.1, 1.0])
                self.assertAlmostEqual(
                    ring_girth(wider), 1.1 * ring_girth(template.rings["waist_girth_mm"].points(template.mesh.vertices)), delta=0.2
                )
        self.assertIs(template_of(None), template_of(None))
        self.assertEqual(set(rings_of(template.mesh, template.marks)), set(template.rings))

    def test_arms_are_told_from_the_trunk(self):
        template = template_of("male")
        for side, sign in SIDES.items():
            share, x = template.arm_share[side], template.mesh.vertices[:, 0]
            self.assertEqual(float(share[int(np.argmax(sign * x))]), 1.0)
            self.assertEqual(float(share[np.abs(x) < 60].max()), 0.0)

    def test_the_smooth_step(self):
        np.testing.assert_allclose(smooth(np.array([-3.0, -1.0, 0.0, 1.0, 9.0])), [0, 0, 0.5, 1, 1])


class Shaped(unittest.TestCase):
    def test_lengths_are_the_wearers(self):
        taken = {
            "stature_mm": 1800.0,
            "crotch_height_mm": 860.0,
            "knee_height_mm": 530.0,
            "upper_arm_length_mm": 350.0,
            "forearm_length_mm": 270.0,
            "hand_length_mm": 200.0,
        }
        body = stand_in(Wearer(sex="male", measurements=taken))
        arm, leg = body.joints["left_arm"], body.joints["left_leg"]
        # The upper arm is taken from the shoulder's bony tip, which lies above the joint: bone and measurement keep their proportion.
        shorter = stand_in(Wearer(sex="male", measurements=taken | {"upper_arm_length_mm": 300.0})).joints["left_arm"]
        bones = [float(np.linalg.norm(joints[1] - joints[0])) for joints in (arm, shorter)]
        self.assertAlmostEqual(bones[0] / bones[1], 350 / 300, delta=0.002)
        self.assertTrue(30 < 350 - bones[0] < 65, bones)
        self.assertAlmostEqual(float(np.linalg.norm(arm[2] - arm[1])), 270, delta=0.5)
        self.assertAlmostEqual(float(np.linalg.norm(arm[3] - arm[2])), 200, delta=0.5)
        self.assertAlmostEqual(float(leg[1][2]), 530, delta=0.5)
        self.assertAlmostEqual(measure_body(body.mesh).values["crotch_height_mm"], 860, delta=12)

    def test_a_bent_elbow_is_bent_by_so_much(self):
        for angle in (30.0, 90.0, 120.0):
            arm = stand_in(Wearer(measurements={"stature_mm": 1750.0}), Pose(elbow_deg=angle)).joints["right_arm"]
            upper, fore = arm[1] - arm[0], arm[2] - arm[1]
            cosine = upper @ fore / np.linalg.norm(upper) / np.linalg.norm(fore)
            self.assertAlmostEqual(float(np.degrees(np.arccos(cosine))), angle, delta=0.1)
            self.assertLess(fore[1], upper[1] + 1e-6, "the forearm goes forward")

    def test_sides_apart(self):
        wearer = Wearer(sex="female", measurements={"stature_mm": 1650.0, "left_calf_girth_mm": 350.0, "right_calf_girth_mm": 390.0})
        body = stand_in(wearer)
        self.assertAlmostEqual(body.girths["left_calf_girth_mm"], 350, delta=1)
        self.assertAlmostEqual(body.girths["right_calf_girth_mm"], 390, delta=1)
        told = measure_scan(take_scan(body.mesh, "body")).values
        self.assertAlmostEqual(told["left_calf_girth_mm"], 350, delta=6)
        self.assertAlmostEqual(told["right_calf_girth_mm"], 390, delta=6)

    def test_a_tape_round_a_ring_in_space(self):
        angle = np.linspace(0, 2 * np.pi, 400, endpoint=False)
        flat = np.column_stack([50 * np.cos(angle), 50 * np.sin(angle), np.zeros(400)])
        for turns in ((0, 0, 0), (1, 0, 0), (0, 1, 1)):
            self.assertAlmostEqual(ring_girth(flat @ quarter_turns(*turns)[:3, :3].T), perimeter(flat), places=6)

    def test_a_head_alone_is_measured_like_a_head_on_its_body(self):
        body = stand_in(Wearer(sex="male", measurements={"stature_mm": 1780.0, "head_breadth_mm": 160.0, "head_length_mm": 203.0}))
        v = body.mesh.vertices
        head = Mesh(v, body.mesh.faces[(v[body.mesh.faces][:, :, 2] > body.chin_mm - 60).all(axis=1)])
        alone, whole = measure_head(head).values, measure_body(body.mesh).values
        for key in ("head_breadth_mm", "head_length_mm", "head_circumference_mm"):
            self.assertAlmostEqual(alone[key], whole[key], delta=2.0, msg=key)
