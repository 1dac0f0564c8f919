"""Seats, stretches of body, gaps and sight, each on shapes whose answer can be worked out by hand."""

import math
import tempfile
import unittest
from pathlib import Path

import numpy as np
import trimesh
from manifold3d import Manifold

from bastion_core.errors import RecipeProblem
from bastion_core.fit.answer import Fitting
from bastion_core.fit.bays import Bay, place_bays
from bastion_core.fit.layers import GIVE_MM, LAYERS, Layer, on_the_way
from bastion_core.fit.movement import eye_openings, sight, sight_verdict
from bastion_core.fit.onbody import HAND_TUCKED, OnBody, as_it_came, on_body, skin_of
from bastion_core.fit.openings import openings
from bastion_core.fit.question import Question
from bastion_core.fit.room import Placed, gaps, room_of
from bastion_core.fit.scene import FAR_MM, _near, write_scene
from bastion_core.fit.seat import kind_of, seat, standing
from bastion_core.fit.sections import sections
from bastion_core.fit.sites import BY_NAME, TABLE, site
from bastion_core.fit.stand import best_turn
from bastion_core.fit.way_in import SPRING_MM, judge_way_in, least_root
from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.place import quarter_turns, scaling, shifting
from bastion_core.geometry.section import perimeter
from bastion_core.geometry.solid import Solid
from bastion_core.measure.body import stand_in
from bastion_core.measure.table import ROWS
from bastion_core.measure.wearer import Wearer
from bastion_core.tests.shapes import dome, plain_helm, tube

PERSON = Wearer(
    "Mattis", "male", 78.0, {"stature_mm": 1756.0, "head_breadth_mm": 154.0, "head_length_mm": 199.0, "knuckle_girth_mm": 210.0}
)
HERE = Placed((1.0, 1.0, 1.0), (0.0, 0.0, 0.0))


def mesh(shape: Manifold) -> Mesh:
    return Solid(shape).mesh()


def rod(radius: float, length: float = 400) -> Mesh:
    return mesh(Manifold.cylinder(length, radius, radius, 200).translate([0, 0, -100]))


def split_tube(inner: float, gap_deg: float, wall: float = 4, height: float = 200) -> Mesh:
    """A tube with a gap of so many degrees toward the back (+y)."""
    ring = Manifold.cylinder(height, inner + wall, inner + wall, 200) - Manifold.cylinder(height + 2, inner, inner, 200).translate(
        [0, 0, -1]
    )
    half = math.radians(gap_deg / 2)
    far = 3 * inner
    wedge = Manifold.hull_points(
        [(0.0, y, z) for y in (0.0, far) for z in (-1.0, height + 1.0)]
        + [(sign * far * math.sin(half), far * math.cos(half), z) for sign in (1, -1) for z in (-1.0, height + 1.0)]
    )
    return mesh(ring - wedge)


class Stretches(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.body = stand_in(PERSON)

    def test_every_site_has_a_stretch_whose_limb_hangs_straight(self):
        for where in TABLE:
            with self.subTest(where.name):
                told = on_body(self.body, where, "right")
                self.assertGreater(told.high_mm, told.low_mm)
                self.assertGreater(len(told.mesh.faces), 50)
                skin = told.skin(400)
                low, high = told.touch_mm
                self.assertTrue(((skin.points[:, 2] >= low) & (skin.points[:, 2] <= high)).all())
                np.testing.assert_allclose(np.linalg.norm(skin.normals, axis=1), 1, atol=1e-6)
                back = told.mesh.transformed(told.to_body)
                self.assertGreaterEqual(back.bounds[0, 2], -1.0)
                self.assertLessEqual(back.bounds[1, 2], 1757.0)

    def test_sides_are_the_wearers(self):
        for side, sign in (("left", 1), ("right", -1)):
            told = on_body(self.body, site("shin"), side)
            self.assertGreater(sign * told.mesh.transformed(told.to_body).vertices[:, 0].mean(), 0)

    def test_the_hand_passes_with_its_thumb_tucked(self):
        told = on_body(self.body, site("forearm"), "left")
        hand = next(c for c in told.crossings() if "hand" in c.name)
        self.assertAlmostEqual(perimeter(hand.outline), 210.0 * HAND_TUCKED, delta=0.5)
        self.assertLess(hand.at_mm, told.low_mm)
        self.assertTrue(all("hand" in c.name or c.at_mm > told.special_below_mm for c in told.crossings()))

    def test_the_foot_passes_pointed(self):
        told = on_body(self.body, site("shin"), "left")
        foot = next(c for c in told.crossings() if "heel" in c.name)
        self.assertAlmostEqual(perimeter(foot.outline), self.body.wearer.get("heel_instep_girth_mm", "left"), delta=2)

    def test_ears_fold(self):
        told = on_body(self.body, site("head"))
        widest = max(np.ptp(c.outline[:, 0]) for c in told.crossings() if "ears" in c.name)
        self.assertLessEqual(widest, 154 + 14.01)
        self.assertGreater(widest, 154 - 2)

    def test_tables_name_measurements_that_exist(self):
        for where in BY_NAME.values():
            for key in (*where.gains, *where.passing):
                self.assertIn(key, ROWS, where.name)
        with self.assertRaisesRegex(RecipeProblem, "not worn on the body"):
            site("hand_held")


class Seats(unittest.TestCase):
    def body(self, radius: float, crown: float | None = None) -> OnBody:
        shape = rod(radius)
        return OnBody(shape, 0.0, 200.0, crown, (), -np.inf, np.eye(4))

    def test_a_tube_centres_itself_wherever_its_file_lay(self):
        piece = tube(60, 5, 200).mesh().transformed(shifting(np.array([70.0, -30.0, 500.0])))
        body = self.body(40)
        seating = kind_of(piece, body, site("forearm"))
        self.assertTrue(seating.goes_round)
        self.assertFalse(seating.rests_on_top)
        placed = seat(piece, body, seating, (1.1, 1.1, 1.1), ())
        low, high = placed.to_body(piece.bounds)
        np.testing.assert_allclose((low + high)[:2] / 2, [0, 0], atol=0.2)
        self.assertAlmostEqual((low + high)[2] / 2, 100, delta=0.2)

    def test_the_makers_shift_is_added(self):
        piece, body = tube(60, 5, 200).mesh(), self.body(40)
        seating = kind_of(piece, body, site("forearm"), (6.0, 0.0, -10.0))
        moved = seat(piece, body, seating, (1.0, 1.0, 1.0), ())
        still = seat(piece, body, kind_of(piece, body, site("forearm")), (1.0, 1.0, 1.0), ())
        np.testing.assert_allclose(np.array(moved.offset_mm) - still.offset_mm, [6, 0, -10], atol=1e-6)

    def test_a_helmet_hangs_from_the_crown_with_its_pad(self):
        person = stand_in(PERSON)
        where = site("head")
        body = on_body(person, where)
        helm = dome(240, 270, 320).mesh()  # far too wide: only its dome can touch
        for pad in (5.0, 20.0):
            layers = (Layer("pad", pad, "top"),)
            placed = seat(helm, body, kind_of(helm, body, where), (1.0, 1.0, 1.0), layers, body.skin(1500), None, body.skin(6000))
            inside_top = 320 - 320 * 0.3 + 320 * 0.3  # the dome's inner pole, above its rim
            self.assertAlmostEqual(placed.offset_mm[2] + inside_top - pad, body.crown_mm, delta=3)

    def test_a_plate_is_told_from_a_ring(self):
        body = self.body(100)
        for gap, goes_round in ((40.0, True), (170.0, False)):
            self.assertEqual(kind_of(split_tube(110, gap), body, site("forearm")).goes_round, goes_round, gap)
        self.assertFalse(kind_of(split_tube(110, 60), body, site("chest")).goes_round)


class RoomByHand(unittest.TestCase):
    def test_gaps_under_unequal_scales(self):
        piece, body = tube(50, 5, 200).mesh(), rod(40)
        skin = skin_of(body, 3000)
        level = np.abs(skin.normals[:, 2]) < 0.01
        inside = level & (skin.points[:, 2] > 10) & (skin.points[:, 2] < 190)
        out = gaps(piece, Placed((1.2, 1.0, 1.0), (0.0, 0.0, 0.0)), skin.take(inside))
        angle = np.arctan2(skin.points[inside, 1], skin.points[inside, 0])
        # The inside is now an ellipse of 54 by 45 mm.
        wanted = 1 / np.hypot(np.cos(angle) / 54, np.sin(angle) / 45) - 40
        np.testing.assert_allclose(out, wanted, atol=0.35)

    def test_a_rim_beside_the_way_out_counts(self):
        # The lower edge of a ring 1.5 mm above a plate is nearer than anything straight out of the plate.
        plate = mesh(Manifold.cube([100, 100, 10], True))
        ring = tube(20, 4, 6).mesh().transformed(shifting(np.array([0.0, 0.0, 6.5])))
        skin = skin_of(plate, 4000)
        told = room_of(ring, HERE, skin)
        self.assertAlmostEqual(told.least_mm, 1.5, delta=0.05)

    def test_open_and_touching_shares(self):
        body, piece = rod(40), split_tube(40.5, 90)
        told = room_of(piece, HERE, skin_of(body, 4000))
        level = told.skin.points[:, 2]
        covered = (level > 1) & (level < 199) & (np.abs(told.skin.normals[:, 2]) < 0.01)
        self.assertAlmostEqual(float(np.isnan(told.room_mm[covered]).mean()), 0.25, delta=0.06)
        self.assertGreater(told.touching, 0.9)


class WaysIn(unittest.TestCase):
    def judge(self, piece: Mesh, body: Mesh, kind: str, where: str = "forearm", **more):
        place = site(where)
        return judge_way_in(piece, HERE, as_it_came(body, place, piece.bounds), place, kind, **more)

    def test_levels_of_a_cone(self):
        cone = mesh(Manifold.cylinder(100, 64, 44, 160) - Manifold.cylinder(100, 60, 40, 160))
        for level in openings(cone):
            radius = np.linalg.norm(level.points, axis=1)
            np.testing.assert_allclose(radius, 60 - 0.2 * level.at_mm, atol=0.1)
            self.assertEqual((level.covered, level.gap_mm), (1.0, 0.0))

    def test_only_what_lies_before_it_has_to_pass(self):
        ball_below = mesh(Manifold.cylinder(400, 40, 40, 160).translate([0, 0, -100]) + Manifold.sphere(70, 120).translate([0, 0, -100]))
        ball_above = ball_below.transformed(scaling(1, 1, -1)).transformed(shifting(np.array([0.0, 0.0, 200.0])))
        piece = tube(60, 5, 200).mesh()
        self.assertFalse(self.judge(piece, ball_below, "over").passes)
        self.assertTrue(self.judge(piece, ball_above, "over").passes)
        # Pulled over the head instead, it is the other way about.
        self.assertTrue(self.judge(piece, ball_below, "over", "neck").passes)
        self.assertFalse(self.judge(piece, ball_above, "over", "neck").passes)

    def test_clothes_and_giving_skin(self):
        piece, body = tube(55, 5, 200).mesh(), rod(45)
        for worn, give, least in ((0.0, 0.0, 5.0), (3.0, 0.0, 2.0), (3.0, 2.0, 4.0)):
            told = self.judge(piece, body, "over", worn_mm=worn, give_mm=give)
            self.assertAlmostEqual(told.least_mm, least, delta=0.1)
        self.assertEqual(on_the_way((Layer("pad", 9.0), Layer("suit", 1.5), Layer("liner", 3.0))), 4.5)
        self.assertGreater(GIVE_MM, 0)
        self.assertTrue(all(mm > 0 and source for mm, _, source in LAYERS.values()))

    def test_a_gap_and_the_limb_beside_it(self):
        # A gap of g degrees in a tube of 50 mm is a chord of 2 · 50 · sin(g/2); the limb is 80 mm across.
        for gap, passes in ((60.0, False), (110.0, True)):
            told = self.judge(split_tube(50, gap), rod(40), "open")
            chord = 100 * math.sin(math.radians(gap / 2))
            with self.subTest(gap):
                self.assertEqual(told.passes, passes)
                self.assertAlmostEqual(told.least_mm, (chord + 2 * SPRING_MM - 80) / 2, delta=0.5)

    def test_unknown_ways(self):
        with self.assertRaisesRegex(RecipeProblem, "is no way in"):
            self.judge(tube(55, 5, 200).mesh(), rod(45), "beamed")

    def test_roots(self):
        self.assertAlmostEqual(least_root(lambda x: x - 1.25, 1.0, 2.0), 1.25, delta=2e-4)
        self.assertGreaterEqual(least_root(lambda x: x - 1.25, 1.0, 2.0) - 1.25, 0)
        self.assertEqual(least_root(lambda x: 1.0, 0.5, 2.0), 0.5)
        self.assertIsNone(least_root(lambda x: -1.0, 0.5, 2.0))


class InsideAndOut(unittest.TestCase):
    def test_a_box_between_shell_and_body(self):
        piece, body = tube(105, 5, 300, 200).mesh(), rod(60, 500)
        where = site("forearm")
        stretch = as_it_came(body, where, piece.bounds)
        # 100 mm inside, 60 mm of limb: 40 mm are left, less the clearance to the shell and the corners' sagging.
        for thick, fits in ((20.0, True), (36.0, True), (44.0, False)):
            (told,) = place_bays(piece, HERE, stretch, (), [Bay("box", (30.0, 30.0, thick), "front")])
            with self.subTest(thick):
                self.assertEqual(told.fits, fits, told)
                corner = math.sqrt(100**2 - 15**2)
                self.assertAlmostEqual(told.room_body_mm, corner - 0.5 - thick - 60, delta=0.6)

    def test_a_round_one_lies_nearer_to_a_round_shell(self):
        """A disc's rim leaves the corners of its box free: against a shell of 100 mm its points reach as far as its radius, not its diagonal."""
        piece, body = tube(105, 5, 300, 200).mesh(), rod(60, 500)
        stretch = as_it_came(body, site("forearm"), piece.bounds)
        size = (50.0, 50.0, 10.0)
        (box,) = place_bays(piece, HERE, stretch, (), [Bay("box", size, "front")])
        (disc,) = place_bays(piece, HERE, stretch, (), [Bay("disc", size, "front", round=True)])
        # Both sag by what the shell's curve takes at half their width, which is the same for both there.
        self.assertAlmostEqual(disc.room_body_mm, math.sqrt(100**2 - 25**2) - 0.5 - 10 - 60, delta=0.6)
        self.assertAlmostEqual(disc.room_body_mm, box.room_body_mm, delta=0.7)
        self.assertTrue(disc.round and not box.round)

    def test_discs_that_only_their_boxes_would_make_meet(self):
        piece, body = tube(205, 5, 400, 200).mesh(), rod(60, 600)
        stretch = as_it_came(body, site("forearm"), piece.bounds)
        first = place_bays(piece, HERE, stretch, (), [Bay("a", (40.0, 40.0, 10.0), "front", round=True)])[0]
        corner = np.array(first.centre_mm) + 30.0 * np.array(first.axes[0]) + 30.0 * np.array(first.axes[1])
        for round_, meets in ((True, ""), (False, "a")):
            one = Bay("a", (40.0, 40.0, 10.0), "front", round=round_)
            other = Bay("b", (40.0, 40.0, 10.0), "", (float(corner[0]), float(corner[1]), float(corner[2])), round=round_)
            told = place_bays(piece, HERE, stretch, (), [one, other])[1]
            with self.subTest(round_):
                self.assertEqual(told.meets, meets)

    def test_another_place_is_named_where_there_is_one(self):
        # The limb runs nearer to the front: what presses there lies free at the back.
        piece, body = tube(105, 5, 300, 200).mesh(), rod(60, 500).transformed(shifting(np.array([0.0, -25.0, 0.0])))
        stretch = as_it_came(body, site("forearm"), piece.bounds)
        (told,) = place_bays(piece, HERE, stretch, (), [Bay("box", (30.0, 30.0, 30.0), "front")])
        self.assertFalse(told.fits)
        self.assertEqual(told.free_at, "back")
        self.assertIn("or move it to the back, where it lies free", str(told.text))
        (tight,) = place_bays(piece, HERE, stretch, (), [Bay("box", (30.0, 30.0, 90.0), "front")])
        self.assertEqual(tight.free_at, "")
        self.assertIn("no other place has the room", str(tight.text))

    def test_two_boxes_do_not_share_a_place(self):
        piece, body = tube(105, 5, 300, 200).mesh(), rod(60, 500)
        stretch = as_it_came(body, site("forearm"), piece.bounds)
        first, second = place_bays(piece, HERE, stretch, (), [Bay("a", (30.0, 30.0, 20.0), "front"), Bay("b", (30.0, 30.0, 20.0), "")])
        self.assertTrue(first.fits and second.fits)
        self.assertGreater(np.linalg.norm(np.array(first.centre_mm) - second.centre_mm), 30)
        crowded = place_bays(piece, HERE, stretch, (), [Bay("a", (30.0, 30.0, 20.0), "front"), Bay("b", (80.0, 80.0, 20.0), "front")])
        self.assertEqual((crowded[1].fits, crowded[1].meets), (False, "a"))

    def test_sight_through_a_window(self):
        person = stand_in(PERSON)
        where = site("head")
        body = on_body(person, where)
        chin_to_crown = person.wearer.get("chin_to_crown_mm")
        eyes = body.crown_mm - 0.49 * chin_to_crown
        shell = Manifold.sphere(200, 96) - Manifold.sphere(190, 96)
        middle = [0.0, float(body.centre[1]), eyes]
        blind = mesh(shell.translate(middle))
        self.assertEqual(sight(blind, HERE, body, chin_to_crown).share, 0.0)
        self.assertEqual(sight_verdict(sight(blind, HERE, body, chin_to_crown))[0], "stops")
        window = Manifold.cube([240, 400, 60], True).translate([0, -200, 0])
        seen = sight(mesh((shell - window).translate(middle)), HERE, body, chin_to_crown)
        # 30 mm above the eyes' height at about 110 mm ahead: 15°, told in steps of 5°.
        self.assertAlmostEqual(seen.up_deg, 15, delta=5)
        self.assertAlmostEqual(seen.down_deg, 15, delta=5)
        self.assertAlmostEqual(seen.left_deg, seen.right_deg, delta=5)
        self.assertGreater(seen.left_deg, 40)
        # Of the sphere's 4π it is its share of what a bare head sees; a band of ±15° by ±40° alone is over half a steradian.
        self.assertTrue(0.5 < seen.solid_angle_sr < 2 * math.pi)
        self.assertEqual(sight_verdict(seen)[0], "tight")
        # No seam through it: its rim is found to a ray or two (5° at 200 mm are 17 mm), from either eye.
        self.assertEqual(eye_openings(blind, HERE, body, chin_to_crown), [])
        openings = np.array(eye_openings(mesh((shell - window).translate(middle)), HERE, body, chin_to_crown))
        low, high = openings[:, 0].min(axis=0), openings[:, 1].max(axis=0)
        np.testing.assert_allclose([low[0], high[0]], [-120, 120], atol=25)
        np.testing.assert_allclose([low[2] - eyes, high[2] - eyes], [-30, 30], atol=20)
        self.assertTrue(low[2] < eyes - 30 and high[2] > eyes + 30, "the rim lies within")
        bare = mesh((shell - Manifold.cube([600, 400, 600], True).translate([0, -200, 0])).translate(middle))
        self.assertEqual(eye_openings(bare, HERE, body, chin_to_crown), [], "an open face has no rim all round")

    def test_the_scene_carries_the_room(self):
        piece = tube(58, 4, 200).mesh()
        fitting = Fitting(piece, Question("forearm", "left", PERSON, bays=(Bay("box", (20.0, 20.0, 4.0)),)))
        answer = fitting.answer()
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "fit.glb"
            write_scene(fitting, answer, path)
            scene = trimesh.load(path)
        self.assertLessEqual({"body", "piece", "bay-1", "ring"}, set(scene.geometry))
        room = scene.geometry["body"].vertex_attributes["_ROOM"]
        self.assertEqual(len(room), len(scene.geometry["body"].vertices))
        self.assertLess(float(np.min(room)), FAR_MM)
        self.assertAlmostEqual(float(np.max(room)), FAR_MM)
        body = trimesh.Trimesh(scene.geometry["body"].vertices, scene.geometry["body"].faces)
        self.assertTrue(body.is_volume, "the arm is cut clean")
        told = sections(fitting, answer.placed)
        self.assertEqual(len(told), 6)
        self.assertTrue(all(s.body and s.shell for s in told))

    def test_an_open_body_is_cut_clean_too(self):
        """No corner of its rim lies anywhere but on the planes of the box, or where it was open before."""
        whole = trimesh.creation.icosphere(subdivisions=3, radius=50.0)
        whole.update_faces(whole.triangles_center[:, 2] > -40.0)
        near = _near(Mesh(whole.vertices, whole.faces), np.array([-100.0, -100.0, -100.0]), np.array([20.0, 100.0, 30.0]))
        edges, counts = np.unique(np.sort(trimesh.Trimesh(near.vertices, near.faces).edges, axis=1), axis=0, return_counts=True)
        rim = near.vertices[np.unique(edges[counts == 1])]
        clean = np.isclose(rim[:, 0], 20.0) | np.isclose(rim[:, 2], 30.0) | (rim[:, 2] < -36.0)
        self.assertTrue(len(rim) > 20 and clean.all())
        self.assertLess(float(near.vertices[:, 0].max()), 20.001)


class Turns(unittest.TestCase):
    def test_a_helm_stands_as_it_is_with_and_without_padding(self):
        body = on_body(stand_in(PERSON), site("head"))
        helm = plain_helm(0.05)
        for layers in ((), (Layer("pad", 8.0),), (Layer("pad", 12.0, "top"), Layer("cap", 2.0))):
            self.assertEqual(best_turn(helm, body, site("head"), layers), (0, 0, 0))

    def test_a_tube_laid_on_its_side_is_stood_up(self):
        body = on_body(stand_in(PERSON), site("forearm"))
        lying = tube(58, 4, 220).mesh().transformed(quarter_turns(0, 1, 0))
        turned = standing(lying, best_turn(lying, body, site("forearm"), ()))
        self.assertAlmostEqual(float(turned.size[2]), 220.0, delta=0.1)
