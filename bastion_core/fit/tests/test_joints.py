"""Joints with pieces on: angles worked out by hand, gaps of plain bodies, creases and collars on people."""

import math
import re
import unittest

import numpy as np
from manifold3d import Manifold

from bastion_core.fit.answer import Fitting
from bastion_core.fit.joints import (
    JOINTS,
    Contact,
    Worn,
    contacts,
    crease,
    crossing_at,
    drawn,
    gap_mm,
    judged,
    meshes_of,
    tightest_of,
    turned_until_they_meet,
)
from bastion_core.fit.onbody import as_it_came
from bastion_core.fit.question import Question
from bastion_core.fit.room import Placed
from bastion_core.fit.sites import site
from bastion_core.fit.way_in import judge_way_in
from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.place import scaling, shifting
from bastion_core.geometry.solid import Solid
from bastion_core.measure.body import stand_in
from bastion_core.measure.wearer import Wearer
from bastion_core.tests.shapes import tube

X, ORIGIN = np.array([1.0, 0.0, 0.0]), np.zeros(3)


def mesh(shape: Manifold) -> Mesh:
    return Solid(shape).mesh()


def sleeve(radius: float, low: float, high: float) -> Mesh:
    """A tube of that outer radius along z between two heights."""
    return tube(radius, 3, high - low).mesh().transformed(shifting(np.array([0.0, 0.0, low])))


def free_deg(reach_a: float, radius_a: float, reach_b: float, radius_b: float) -> float:
    """By hand: the rim's corner further from the joint, seen from it atan(r / l) off its bone, lands on the other's wall, asin(r' / its way) off that bone."""
    (far, a_reach, a_radius), (_, _, b_radius) = sorted(
        ((math.hypot(reach, radius), reach, radius) for reach, radius in ((reach_a, radius_a), (reach_b, radius_b))), reverse=True
    )
    return 180 - math.degrees(math.atan2(a_radius, a_reach) + math.asin(b_radius / far))


class Turning(unittest.TestCase):
    def test_two_sleeves_meet_in_the_crease(self):
        for reach_a, radius_a, reach_b, radius_b in ((40, 40, 40, 40), (80, 40, 60, 50), (100, 57.735, 100, 57.735), (30, 60, 90, 45)):
            upper, lower = sleeve(radius_a, reach_a, reach_a + 200), sleeve(radius_b, -reach_b - 200, -reach_b)
            told, at = turned_until_they_meet(upper, lower, ORIGIN, X, 170)
            wanted = free_deg(reach_a, radius_a, reach_b, radius_b)
            with self.subTest((reach_a, radius_a, reach_b, radius_b)):
                self.assertAlmostEqual(told, wanted, delta=1.0)
                # They meet where the fold is: on the side the lower one is turned to, at the joint's side of both.
                self.assertGreater(at[1], 0)

    def test_a_bar_between_two_posts(self):
        """A bar of half length a turns until it reaches posts whose near edge lies at half their distance b: sin = b / a, less its half width."""
        bar = mesh(Manifold.cube([200.0, 2.0, 20.0], True))
        posts = mesh(
            Manifold.cube([400.0, 10.0, 40.0], True).translate([0, 65, 0]) + Manifold.cube([400.0, 10.0, 40.0], True).translate([0, -65, 0])
        )
        for sign in (1, -1):
            told, _ = turned_until_they_meet(posts, bar, ORIGIN, np.array([0.0, 0.0, float(sign)]), 90)
            # The corner (100, 1) reaches y = 60 where 100 sin t + cos t = 60.
            wanted = math.degrees(math.asin(60 / math.hypot(100, 1)) - math.atan2(1, 100))
            self.assertAlmostEqual(told, wanted, delta=0.3)

    def test_what_never_meets_and_what_meets_at_once(self):
        upper, lower = sleeve(30, 80, 200), sleeve(30, -200, -80)
        self.assertEqual(turned_until_they_meet(upper, lower, ORIGIN, X, 60), (60, None))
        told, at = turned_until_they_meet(upper, sleeve(30, 100, 300), ORIGIN, X, 60)
        self.assertEqual(told, 0.0)
        self.assertIsNotNone(at)

    def test_surfaces_that_cross(self):
        ball = mesh(Manifold.sphere(20, 40))
        for off, crosses in ((39.0, True), (41.0, False), (0.5, True), (90.0, False)):
            with self.subTest(off):
                self.assertEqual(crossing_at(ball, ball, shifting(np.array([off, 0.0, 0.0]))) is not None, crosses)

    def test_gaps(self):
        ball = mesh(Manifold.sphere(20, 120))
        for off in (45.0, 60.0):
            self.assertAlmostEqual(gap_mm(ball, ball.transformed(shifting(np.array([off, 0.0, 0.0])))), off - 40, delta=0.05)
        self.assertEqual(gap_mm(ball, ball.transformed(shifting(np.array([39.0, 0.0, 0.0])))), 0.0)
        # Far from any corner: two plates edge on face.
        plate = mesh(Manifold.cube([200.0, 200.0, 2.0], True))
        self.assertAlmostEqual(gap_mm(plate, plate.transformed(shifting(np.array([31.0, 17.0, 12.0])))), 10, delta=0.01)


class OnPeople(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.wearer = Wearer("Mattis", "male", 80.0, {"stature_mm": 1780.0})
        cls.body = stand_in(cls.wearer)

    def bracer(self, end: float) -> Mesh:
        """A sleeve on the left forearm, ending so many mm below the elbow."""
        elbow, wrist = self.body.joints["left_arm"][1], self.body.joints["left_arm"][2]
        along = (elbow - wrist) / np.linalg.norm(elbow - wrist)
        turn = np.eye(4)
        side = np.cross([0.0, 1.0, 0.0], along)
        side /= np.linalg.norm(side)
        turn[:3, :3] = np.column_stack([side, np.cross(along, side), along])
        turn[:3, 3] = elbow
        return sleeve(58, -end - 140, -end).transformed(turn)

    def test_a_longer_bracer_bends_less(self):
        reached = [crease(self.bracer(end), "forearm", "left", self.body).reaches_deg for end in (90.0, 60.0, 30.0, 5.0)]
        self.assertEqual(reached, sorted(reached, reverse=True))
        self.assertGreater(reached[0] - reached[-1], 30)
        self.assertLess(reached[0], 146)

    def test_the_words_tell_what_to_do(self):
        long, short = (crease(self.bracer(end), "forearm", "left", self.body) for end in (5.0, 110.0))
        self.assertEqual(long.verdict, "tight")
        self.assertRegex(str(long.text), r"Left elbow bent: \d+° until its rim meets the upper arm, .* Cut the rim back")
        self.assertEqual(short.verdict, "holds")
        self.assertIsNone(crease(self.bracer(30.0), "head", "", self.body))

    def test_mirrored_it_is_the_same(self):
        left = crease(self.bracer(30.0), "forearm", "left", self.body)
        right = crease(self.bracer(30.0).transformed(scaling(-1, 1, 1)), "forearm", "right", self.body)
        self.assertAlmostEqual(left.reaches_deg, right.reaches_deg, delta=1.0)

    def test_a_head_in_its_collar(self):
        """A tall collar stops the chin that a low one lets pass; turning alone, a round one stops nothing."""
        chin, neck = self.body.chin_mm, self.body.joints["left_arm"][0][2]
        v = self.body.mesh.vertices
        middle = float(np.median(v[(np.abs(v[:, 2] - chin + 40) < 8) & (np.abs(v[:, 0]) < 90)][:, 1]))
        told = {}
        for name, top in (("low", chin - 60), ("tall", chin + 25)):
            collar = tube(128, 4, top - neck).mesh().transformed(shifting(np.array([0.0, middle, neck])))
            told[name] = {m.joint: m for m in contacts([Worn(1, "Collar", "neck", "", collar)], self.body)}
        self.assertEqual(set(told["low"]), {"head turned left", "head turned right", "head nodded", "head laid back"})
        self.assertLess(told["tall"]["head nodded"].reaches_deg, told["low"]["head nodded"].reaches_deg)
        self.assertTrue(all(m.goes == "the chin" and m.goes_id == 0 and m.stays_id == 1 for m in told["low"].values()))
        self.assertEqual(told["low"]["head turned left"].verdict, "holds")

    def test_only_what_a_joint_moves_is_asked(self):
        thigh, shin = self.body.joints["left_leg"][0], self.body.joints["left_leg"][1]
        upper = sleeve(95, 0, 250).transformed(shifting(shin + np.array([0.0, 0.0, 60.0])))
        lower = sleeve(75, 0, 250).transformed(shifting(shin - np.array([0.0, 0.0, 310.0])))
        worn = [
            Worn(1, "Cuisse", "thigh", "left", upper),
            Worn(2, "Greave", "shin", "left", lower),
            Worn(3, "Greave R", "shin", "right", lower),
        ]
        told = contacts(worn, self.body)
        self.assertEqual([(m.joint, m.stays_id, m.goes_id) for m in told], [("knee bent", 1, 2)])
        self.assertAlmostEqual(told[0].reaches_deg, free_deg(60, 95, 60, 75), delta=1)
        self.assertAlmostEqual(told[0].gap_mm, 120, delta=3)
        self.assertGreater(thigh[2], shin[2])

    def test_every_joint_needs_less_than_a_bare_body_does(self):
        for kind in JOINTS:
            self.assertTrue(0 < kind.needs_deg < kind.usual_deg < 180, kind)

    def test_the_answer_carries_it(self):
        fitting = Fitting(sleeve(62, 0, 200), Question("forearm", "left", self.wearer))
        told = fitting.answer()
        self.assertEqual(told.crease.joint, "elbow bent")
        self.assertEqual(told.as_dict()["crease"]["text"], str(told.crease.text))
        drawing = fitting.crease_drawing(told)
        self.assertTrue(drawing.stays.startswith("M") and drawing.reached != drawing.rests)


class Told(unittest.TestCase):
    def contact(self, joint: str, reaches: float, gap: float = 10.0, meets: bool = True, side: str = "left") -> Contact:
        at = (0.0, 0.0, 0.0) if meets else None
        return judged(Contact(joint, side, 1, 2, "Cuisse", "Greave", reaches, 85.0, 135.0, meets, gap, at, "sitting down"))

    def test_verdicts_and_words(self):
        for reaches, meets, verdict, words in (
            (60.0, True, "tight", "60° until Greave meets Cuisse, and sitting down takes 85°"),
            (110.0, True, "holds", "110° until Greave meets Cuisse; sitting down takes 85°"),
            (135.0, False, "holds", "free to 135°, as far as a bare body goes"),
            (0.0, True, "stops", "Greave and Cuisse run into each other as they sit"),
        ):
            told = self.contact("knee bent", reaches, meets=meets)
            with self.subTest(reaches):
                self.assertEqual(told.verdict, verdict)
                self.assertIn(words, str(told.text))
                self.assertTrue(str(told.text).startswith("Left knee bent: "))

    def test_the_tightest_of_each_joint(self):
        a, b = self.contact("knee bent", 90.0), self.contact("knee bent", 70.0)
        c, d = self.contact("knee bent", 135.0, 40.0, False, "right"), self.contact("knee bent", 135.0, 12.0, False, "right")
        self.assertEqual(tightest_of([a, b, c, d]), [b, d])
        self.assertEqual(tightest_of([]), [])

    def test_it_can_be_drawn(self):
        body = stand_in(Wearer("Mattis", "male", 80.0, {"stature_mm": 1780.0}))
        knee = body.joints["left_leg"][1]
        worn = [
            Worn(1, "Cuisse", "thigh", "left", sleeve(95, 0, 250).transformed(shifting(knee + np.array([0.0, 0.0, 60.0])))),
            Worn(2, "Greave", "shin", "left", sleeve(75, 0, 250).transformed(shifting(knee - np.array([0.0, 0.0, 310.0])))),
        ]
        contact = contacts(worn, body)[0]
        told = drawn(contact, *meshes_of(contact, worn, body), body)
        left, top, wide, high = told.box
        for name in ("stays", "rests", "reached"):
            points = np.array([[float(v) for v in pair.split(",")] for pair in re.findall(r"[-\d.]+,[-\d.]+", getattr(told, name))])
            self.assertTrue(((points >= [left, top]) & (points <= [left + wide, top + high])).all(), name)
        # Seen from the wearer's right the front is to the right: a bent shin goes back, to the left, and up.
        rests, reached = (
            np.array([float(v.split(",")[0]) for v in re.findall(r"[-\d.]+,[-\d.]+", getattr(told, n))]).mean()
            for n in ("rests", "reached")
        )
        self.assertLess(reached, rests)
        self.assertTrue(left < told.pivot[0] < left + wide and top < told.pivot[1] < top + high)


class Hinges(unittest.TestCase):
    def test_what_no_opening_lets_in(self):
        where, piece = site("forearm"), tube(60, 5, 200).mesh()
        body = as_it_came(mesh(Manifold.cylinder(400, 112, 112, 160).translate([0, 0, -100])), where, piece.bounds)
        told = judge_way_in(piece, Placed((1.0, 1.0, 1.0), (0.0, 0.0, 0.0)), body, where, "split")
        self.assertFalse(told.passes)
        self.assertIn("part it in two halves", str(told.reason))

    def test_a_round_piece_about_a_round_limb(self):
        """Free edges lie a diameter from the hinge: they part by 2 · 2R · sin(θ/2), which has to be the limb's 2r."""
        where = site("forearm")
        for limb in (30.0, 45.0, 54.0):
            body = mesh(Manifold.cylinder(400, limb, limb, 200).translate([0, 0, -100]))
            piece = tube(60, 5, 200).mesh()
            told = judge_way_in(piece, Placed((1.0, 1.0, 1.0), (0.0, 0.0, 0.0)), as_it_came(body, where, piece.bounds), where, "split")
            with self.subTest(limb):
                self.assertTrue(told.passes)
                self.assertAlmostEqual(told.opening_deg, math.degrees(2 * math.asin(limb / 110)), delta=0.5)
                self.assertIn(told.hinge, str(told.reason))

    def test_what_is_worn_underneath_opens_it_further(self):
        where, piece = site("forearm"), tube(60, 5, 200).mesh()
        body = as_it_came(mesh(Manifold.cylinder(400, 45, 45, 200).translate([0, 0, -100])), where, piece.bounds)
        here = Placed((1.0, 1.0, 1.0), (0.0, 0.0, 0.0))
        bare, dressed = (judge_way_in(piece, here, body, where, "split", worn).opening_deg for worn in (0.0, 4.0))
        self.assertAlmostEqual(dressed, math.degrees(2 * math.asin(49 / 110)), delta=0.5)
        self.assertGreater(dressed, bare)

    def test_an_open_back_tells_the_scale_that_lets_the_limb_in(self):
        shell = Manifold.cylinder(200, 55, 55, 160) - Manifold.cylinder(220, 50, 50, 160).translate([0, 0, -10])
        piece = mesh(shell - Manifold.cube([40.0, 80.0, 220.0], True).translate([0, 60, 100]))
        where = site("forearm")
        body = mesh(Manifold.cylinder(400, 40, 40, 160).translate([0, 0, -100]))
        told = Fitting(piece, Question("forearm", way_in="open", as_placed=True), ready=as_it_came(body, where, piece.bounds)).answer()
        self.assertFalse(told.way_in.passes)
        # 40 mm of gap and 24 mm of spring let 80 mm in at (80 - 24) / 40.
        self.assertAlmostEqual(told.way_in.needs_scale, 56 / 40, delta=0.03)
        self.assertEqual(told.remedies[0].kind, "scale")
