"""The steps by which a seat is found: slopes against differences, one step against the answer by hand, turned and mirrored seats."""

import unittest
from dataclasses import replace

import numpy as np
from manifold3d import Manifold
from scipy.optimize import minimize
from scipy.spatial.transform import Rotation

from bastion_core.fit.answer import Fitting
from bastion_core.fit.layers import Layer
from bastion_core.fit.onbody import as_it_came, on_body, skin_of
from bastion_core.fit.question import Question
from bastion_core.fit.room import Placed, gaps, gaps_and_faces
from bastion_core.fit.seat import _best_move, _looked, _worth, seat_turn
from bastion_core.fit.sites import site
from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.place import scaling, shifting
from bastion_core.geometry.solid import Solid
from bastion_core.geometry.walls import surface_sample
from bastion_core.measure.body import stand_in
from bastion_core.measure.wearer import Wearer
from bastion_core.tests.shapes import plain_bracer, plain_helm, tube

WEARER = Wearer("Mattis", "male", 80.0, {"stature_mm": 1780.0})
ONES = np.ones(3)


def mesh(shape: Manifold) -> Mesh:
    return Solid(shape).mesh()


def limb(x: float = 40.0, y: float = 40.0) -> Mesh:
    return mesh(Manifold.cylinder(400, 1, 1, 160).scale([x, y, 1]).translate([0, 0, -100]))


class Steps(unittest.TestCase):
    def test_slopes_are_what_a_small_move_does(self):
        """Each room's slope against the difference that a move of a tenth of a millimetre makes."""
        piece = tube(64, 4, 200, 160).mesh()
        body = on_body(stand_in(WEARER), site("forearm"), "left")
        skin = body.skin(1500)
        skin = skin.take(np.abs(skin.points[:, 2] - body.centre[2]) < 60)
        less = np.zeros(len(skin.points))
        offset = body.centre - piece.bounds.mean(axis=0)
        (here,) = _looked(piece, skin, ONES, offset[None], less)
        for step in (np.array([0.1, 0.0, 0.0]), np.array([0.0, 0.1, 0.0])):
            (there,) = _looked(piece, skin, ONES, (offset + step)[None], less)
            self.assertEqual(len(here[0]), len(there[0]))
            told, done = here[1] @ step[:2], there[0] - here[0]
            # Rays that change to another facet, or graze theirs, may differ; most have to agree.
            self.assertGreater(float((np.abs(told - done) < 0.02).mean()), 0.9)

    def test_one_step_centres_a_ring_on_a_rod(self):
        piece, body = tube(60, 5, 200, 160).mesh(), limb()
        skin = skin_of(body, 4000)
        level = np.abs(skin.normals[:, 2]) < 0.01
        skin = skin.take(level & (skin.points[:, 2] > 10) & (skin.points[:, 2] < 190))
        less = np.zeros(len(skin.points))
        (off,) = _looked(piece, skin, ONES, np.array([[6.0, -4.0, 0.0]]), less)
        move = _best_move(off, np.array([6.0, -4.0, 0.0]), 12.0)
        np.testing.assert_allclose(move[:2], [-6.0, 4.0], atol=1.0)
        (there,) = _looked(piece, skin, ONES, np.array([[6.0, -4.0, 0.0]]) + move, less)
        self.assertGreater(_worth(there[0], np.zeros(3)), _worth(off[0], np.zeros(3)) + 5)

    def test_several_places_at_once_are_each_by_itself(self):
        piece, skin = tube(60, 5, 200).mesh(), skin_of(limb(), 800)
        less = np.full(len(skin.points), 1.5)
        places = np.array([[0.0, 0.0, 0.0], [5.0, 1.0, 0.0], [-3.0, 7.0, 12.0]])
        together = _looked(piece, skin, ONES, places, less)
        for place, (room, slope) in zip(places, together, strict=True):
            ((room_alone, slope_alone),) = _looked(piece, skin, ONES, place[None], less)
            np.testing.assert_allclose(np.sort(room), np.sort(room_alone), atol=1e-6)
            self.assertEqual(slope.shape, slope_alone.shape)

    def test_against_scipys_search_of_the_same_room(self):
        """scipy's Nelder-Mead from several starts finds no place with more room than the seat has."""
        asked = Question("forearm", "left", WEARER, layers=(Layer("suit", 1.5),))
        fitting = Fitting(plain_bracer(0.2), asked)
        there = np.array(fitting.placed((1.0, 1.0, 1.0)).offset_mm)
        skin = fitting.skin
        less = skin.layers_mm(asked.layers)

        def short(move) -> float:
            ((room, _),) = _looked(fitting.piece, skin, ONES, (there + np.array([move[0], move[1], 0.0]))[None], less)
            return -float(room.min())

        best = min(minimize(short, start, method="Nelder-Mead", options={"maxiter": 60}).fun for start in ((0, 0), (5, 0), (0, -5)))
        self.assertLess(-best, -short((0.0, 0.0)) + 0.1)

    def test_too_tight_at_a_fold_counts_the_shorter_way_out(self):
        """Skin that faces along the shell is not as deep in it as the way along it is long."""
        fin = Manifold.cube([12.0, 4.0, 60.0], True).rotate([0, 0, 40]).translate([46, 0, 100])
        body = mesh(Manifold.cylinder(400, 40, 40, 160).translate([0, 0, -100]) + fin)
        skin = skin_of(body, 6000)
        piece = tube(50, 4, 200, 160).mesh()
        placed = Placed((1.0, 1.0, 1.0), (0.0, 0.0, 0.0))
        reach = float(np.hypot(skin.points[:, 0], skin.points[:, 1]).max())
        within = (skin.points[:, 2] > 5) & (skin.points[:, 2] < 195)
        least = float(gaps(piece, placed, skin)[within].min())
        self.assertAlmostEqual(least, 46 - reach, delta=0.5)
        _, face, way = gaps_and_faces(piece, placed, skin)
        np.testing.assert_allclose(np.linalg.norm(way, axis=1), 1.0, atol=1e-9)
        self.assertTrue((face >= -1).all())


class TurnedAndMirrored(unittest.TestCase):
    def test_a_turn_in_the_seat_is_a_turn_after_scaling(self):
        """Against scipy's rotations, axis after axis, for axes scaled apart."""
        corners = np.random.default_rng(4).normal(size=(40, 3)) * 50
        bounds = np.array([corners.min(axis=0), corners.max(axis=0)])
        scale = np.array([1.2, 0.9, 1.05])
        for turn in ((10.0, 0.0, 0.0), (0.0, -7.0, 0.0), (5.0, 6.0, -20.0)):
            matrix = seat_turn(bounds, turn, tuple(scale))
            done = (corners @ matrix[:3, :3].T + matrix[:3, 3]) * scale
            middle = bounds.mean(axis=0) * scale
            x, y, z = (Rotation.from_rotvec(np.radians(a) * axis) for a, axis in zip(turn, np.eye(3), strict=True))
            np.testing.assert_allclose(done, (z * y * x).apply(corners * scale - middle) + middle, atol=1e-9)

    def test_turned_it_is_the_turned_piece(self):
        piece = plain_helm()  # a ring would turn by itself as well
        asked = Question("head", "", WEARER, turn_deg=(0.0, 9.0, 0.0))
        middle = piece.bounds.mean(axis=0)
        leaned = np.eye(4)
        leaned[:3, :3] = Rotation.from_euler("y", 9, degrees=True).as_matrix()
        by_hand = piece.transformed(shifting(middle) @ leaned @ shifting(-middle))
        body = stand_in(WEARER)
        rooms = [
            Fitting(shape, question, body).room((1.0, 1.0, 1.0)).least_mm
            for shape, question in ((piece, asked), (by_hand, replace(asked, turn_deg=(0.0, 0.0, 0.0))))
        ]
        self.assertAlmostEqual(*rooms, delta=1e-6)

    def test_samples_of_a_mirrored_mesh_are_mirrored(self):
        shape = plain_bracer(0.05)
        mirrored = shape.transformed(scaling(-1, 1, 1))
        here, there = surface_sample(shape, 500, seed=3), surface_sample(mirrored, 500, seed=3)
        same = np.abs(there.points - here.points * [-1, 1, 1]).max(axis=1) < 1e-9
        # Triangles that are their own mirror images have two ways to be told apart, and neither is right.
        self.assertGreater(float(same.mean()), 0.97)
        np.testing.assert_allclose(there.normals, here.normals * [-1, 1, 1], atol=1e-9)

    def test_sides_measured_apart_are_judged_apart(self):
        taken = {"stature_mm": 1780.0, "left_forearm_girth_mm": 290.0, "right_forearm_girth_mm": 270.0}
        body = stand_in(Wearer("Mattis", "male", 80.0, taken))
        self.assertFalse(body.both_alike)
        piece = tube(62, 4, 160).mesh()
        left, right = (Fitting(piece, Question("forearm", side), body).room((1.0, 1.0, 1.0)).least_mm for side in ("left", "right"))
        self.assertGreater(right, left + 1.5)

    def test_a_collar_lies_on_the_shoulders(self):
        body = on_body(stand_in(WEARER), site("neck"))
        skin = body.skin(3000)
        self.assertLess(float(skin.normals[:, 2].max()), 0.3)
        self.assertGreater(float(body.skin(3000, beyond=True).normals[:, 2].max()), 0.9)
        self.assertTrue(body.carries)
        chest = on_body(stand_in(WEARER), site("chest"))
        self.assertFalse(chest.carries)
        scanned = as_it_came(limb(), site("forearm"), limb().bounds)
        self.assertFalse(scanned.carries)
