"""Room, scale, way in, bays and doubt on bodies with known answers, and on the stand-in body."""

import math
import tempfile
import unittest
from pathlib import Path

import numpy as np
from manifold3d import Manifold
from scipy.stats import norm

from bastion_core.errors import RecipeProblem
from bastion_core.fit.answer import Fitting
from bastion_core.fit.bays import parse_bay
from bastion_core.fit.curve import from_curve
from bastion_core.fit.doubt import chance, margin_sd, next_measurements, probability
from bastion_core.fit.gauge import gauge_ring
from bastion_core.fit.layers import Layer, parse_layer, thickness
from bastion_core.fit.onbody import as_it_came, on_body
from bastion_core.fit.openings import clearance
from bastion_core.fit.question import Question
from bastion_core.fit.room import Placed, room_of
from bastion_core.fit.sites import guess_site, site
from bastion_core.fit.stand import best_turn
from bastion_core.fit.suit import SuitPiece, suit_table
from bastion_core.formats.stl import write_binary_stl
from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.place import quarter_turns, scaling
from bastion_core.geometry.solid import Solid
from bastion_core.measure.body import stand_in
from bastion_core.measure.wearer import Wearer
from bastion_core.pieces.intake import take_in
from bastion_core.tests.shapes import plain_bracer, plain_greave, plain_helm, tube

ODA = Wearer(
    "Oda", "female", 63.0,
    {"stature_mm": 1684.0, "head_circumference_mm": 560.0, "head_breadth_mm": 149.0, "head_length_mm": 190.0, "chin_to_crown_mm": 218.0},
)  # fmt: skip


def mesh(shape: Manifold) -> Mesh:
    return Solid(shape).mesh()


def placed(piece: Mesh, body: Mesh, where: str, **asked) -> Fitting:
    """A piece that already lies on a body without joints."""
    return Fitting(piece, Question(where, as_placed=True, **asked), ready=as_it_came(body, site(where), piece.bounds))


def ball(radius: float) -> Manifold:
    return Manifold.sphere(radius, 200)


def rod(x: float, y: float, length: float = 400) -> Manifold:
    return Manifold.cylinder(length, 1, 1, 200).scale([x, y, 1]).translate([0, 0, -100])


def pipe(x: float, y: float, wall: float = 6) -> Mesh:
    outer = Manifold.cylinder(200, 1, 1, 200).scale([x + wall, y + wall, 1])
    return mesh(outer - Manifold.cylinder(220, 1, 1, 200).scale([x, y, 1]).translate([0, 0, -10]))


class KnownAnswers(unittest.TestCase):
    """Room right to 0.1 mm, least scale to 0.1 %, passing to 0.5 mm."""

    def test_sphere_in_a_shell(self):
        shell = mesh(ball(110) - ball(100))
        told = placed(shell, mesh(ball(90)), "head", way_in="split").answer()
        self.assertAlmostEqual(told.room.least_mm, 10, delta=0.1)
        self.assertAlmostEqual(told.least_scale, 0.9, delta=0.0009)

    def test_cylinder_in_a_tube_with_layers(self):
        for pad, room, least in ((0.0, 10.0, 45 / 55), (4.0, 6.0, 49 / 55)):
            with self.subTest(pad=pad):
                told = placed(pipe(55, 55), mesh(rod(45, 45)), "forearm", layers=(Layer("suit", pad),)).answer()
                self.assertAlmostEqual(told.room.least_mm, room, delta=0.1)
                self.assertAlmostEqual(told.least_scale, least, delta=0.001 * least)
                self.assertAlmostEqual(told.way_in.least_mm, room, delta=0.5)

    def test_oval_in_an_oval_turned_and_mirrored_and_in_inches(self):
        piece, body = pipe(50, 65), mesh(rod(40, 50))
        results = []
        for matrix in (np.eye(4), quarter_turns(0, 0, 1), scaling(-1, 1, 1)):
            told = placed(piece.transformed(matrix), body.transformed(matrix), "forearm").answer()
            results.append((told.room.least_mm, told.least_scale))
        # The same piece out of a file in inches, read and brought to millimetres as any file is.
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "inches.stl"
            write_binary_stl(Mesh(piece.vertices / 25.4, piece.faces), path)
            inches = placed(take_in(path, unit="in").mesh, body, "forearm").answer()
        results.append((inches.room.least_mm, inches.least_scale))
        for room, least in results:
            self.assertAlmostEqual(room, 10, delta=0.1)
            self.assertAlmostEqual(least, 0.8, delta=0.0008)

    def test_overlap_is_a_negative_room(self):
        told = placed(pipe(42, 42), mesh(rod(45, 45)), "forearm").answer()
        self.assertAlmostEqual(told.room.least_mm, -3, delta=0.1)
        self.assertAlmostEqual(told.least_scale, 45 / 42, delta=0.0011)
        self.assertEqual(told.verdict, "stops")

    def test_what_fits_but_does_not_pass(self):
        bulb = mesh(rod(45, 45) + Manifold.sphere(58, 160).translate([0, 0, -100]))
        told = placed(pipe(55, 55), bulb, "forearm").answer()
        self.assertAlmostEqual(told.room.least_mm, 10, delta=0.1)
        self.assertFalse(told.way_in.passes)
        self.assertAlmostEqual(told.way_in.least_mm, -3, delta=0.5)
        self.assertAlmostEqual(told.way_in.needs_scale, 58 / 55, delta=0.002)
        self.assertEqual(told.remedies[0].kind, "scale")
        self.assertTrue(placed(pipe(55, 55), bulb, "forearm", way_in="split").answer().way_in.passes)
        # Closed all round, it has no back to open.
        self.assertFalse(placed(pipe(55, 55), bulb, "forearm", way_in="open").answer().way_in.passes)

    def test_two_shells_one_inside_the_other_are_the_inner_one(self):
        piece = mesh(Solid.cylinder(60, 200).manifold - rod(55, 55) + (Solid.cylinder(52, 200).manifold - rod(50, 50)))
        told = placed(piece, mesh(rod(45, 45)), "forearm").answer()
        self.assertAlmostEqual(told.room.least_mm, 5, delta=0.2)

    def test_nothing_there_is_said(self):
        with self.assertRaisesRegex(RecipeProblem, "meets nothing of the body"):
            placed(pipe(55, 55), mesh(rod(45, 45).translate([900, 0, 0])), "forearm").answer()

    def test_clearance_of_plain_shapes(self):
        angle = np.linspace(0, 2 * np.pi, 360, endpoint=False)
        circle = 50 * np.column_stack([np.cos(angle), np.sin(angle)])
        square = np.array([[20.0, 20], [-20, 20], [-20, -20], [20, -20]])
        room, move = clearance(circle + np.array([7.0, -3.0]), square)
        # A square's corner reaches 28.28 mm; against its sides' lines the nearest of the circle lies 50 cos 45° - 20 off.
        self.assertAlmostEqual(room, 50 * math.cos(math.pi / 4) - 20, delta=0.05)
        np.testing.assert_allclose(move, [7, -3], atol=0.05)


class OnPeople(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.helm = plain_helm(0.05)
        cls.pad = (Layer("pad", 8.0),)

    def test_fits_bare_and_fails_with_its_board(self):
        bare = Fitting(self.helm, Question("head", wearer=ODA, layers=self.pad, scale=(1.07,) * 3)).answer()
        self.assertEqual((bare.verdict, bare.way_in.passes), ("holds", True), bare.reason)
        board = Fitting(
            self.helm,
            Question(
                "head",
                wearer=ODA,
                layers=self.pad,
                scale=(1.07,) * 3,
                bays=(parse_bay("board@nape=66x56x24"), parse_bay("led@brow=40x8x4")),
            ),
        ).answer()
        self.assertEqual(board.verdict, "stops")
        self.assertIn("more at the nape", str(board.reason))
        self.assertGreater(board.least_scale, bare.least_scale)
        self.assertTrue(board.bays[1].fits)
        # At the scale it asks for the board has its place.
        size = board.bays[0].needs_scale * 1.003
        again = Fitting(
            self.helm, Question("head", wearer=ODA, layers=self.pad, scale=(size,) * 3, bays=(parse_bay("board@nape=66x56x24"),))
        ).answer()
        self.assertGreater(again.bays[0].room_body_mm, -0.8)
        self.assertGreater(bare.sight.down_deg, 20)

    def test_a_greave_that_does_not_go_over_the_heel_and_the_remedy(self):
        wearer = Wearer("Oda", "female", 63.0, ODA.measurements | {"calf_girth_mm": 363.0})
        asked = Question("shin", "left", wearer, layers=(Layer("suit", 1.5),), give_mm=2.0)
        told = Fitting(plain_greave(0.1), asked).answer()
        self.assertGreater(told.room.least_mm, 0)
        self.assertFalse(told.way_in.passes)
        self.assertEqual(told.way_in.ring.body, "heel and instep")
        change = next(r.change for r in told.remedies if r.kind == "split")
        mended = Fitting(plain_greave(0.1), Question("shin", "left", wearer, change["way_in"], layers=(Layer("suit", 1.5),))).answer()
        self.assertEqual(mended.verdict, "holds", mended.reason)

    def test_left_and_right_of_a_pair_agree(self):
        """An open-backed greave has many seats that look alike from nearby: mirrored, it has to find the mirrored one."""
        told = {}
        for side, mirror in (("left", 1), ("right", -1)):
            piece = plain_greave(0.1).transformed(scaling(mirror, 1, 1))
            told[side] = Fitting(piece, Question("shin", side, ODA, "open", layers=(Layer("suit", 1.5),))).answer()
        left, right = told["left"], told["right"]
        self.assertAlmostEqual(left.room.least_mm, right.room.least_mm, delta=0.1)
        self.assertAlmostEqual(left.least_scale, right.least_scale, delta=0.002)
        mirrored = np.array(right.placed.offset_mm) * [-1, 1, 1]
        np.testing.assert_allclose(left.placed.offset_mm, mirrored, atol=0.5)

    def test_a_seat_has_the_most_room(self):
        """No place within reach of it, tried one by one, has more room."""
        fitting = Fitting(plain_bracer(0.3), Question("forearm", "left", ODA))
        there = fitting.placed((1.0, 1.0, 1.0))
        best = fitting.room((1.0, 1.0, 1.0), False).least_mm
        for dx, dy in ((x, y) for x in (-4, -1, 1, 4) for y in (-4, -1, 1, 4)):
            moved = Placed(there.scale, (there.offset_mm[0] + dx, there.offset_mm[1] + dy, there.offset_mm[2]))
            tried = room_of(fitting.piece, moved, fitting.skin, (), False).least_mm
            self.assertLess(tried, best + 0.1, (dx, dy))

    def test_a_file_laid_down_any_way_stands_up_the_same(self):
        stretch = on_body(stand_in(ODA), site("head"))
        for turns in ((1, 0, 0), (0, 0, 2), (2, 0, 1)):
            turned = self.helm.transformed(quarter_turns(*turns))
            back = best_turn(turned, stretch, site("head"), ())
            np.testing.assert_allclose(quarter_turns(*back) @ quarter_turns(*turns), np.eye(4), atol=1e-9)

    def test_more_padding_is_answered_from_the_curve(self):
        fitting = Fitting(self.helm, Question("head", wearer=ODA, layers=self.pad, scale=(1.1,) * 3))
        told = fitting.answer()
        read = from_curve(told.curve, 1.1, 2.0, told.padding)
        computed = Fitting(self.helm, Question("head", wearer=ODA, layers=(Layer("pad", 10.0),), scale=(1.1,) * 3)).answer()
        # Read off roughly found seats: within 2 mm.
        self.assertAlmostEqual(read.room_mm, computed.room.least_mm, delta=2.0)
        self.assertIsNone(from_curve(told.curve, 3.0))

    def test_the_gauge_ring_is_the_piece_there(self):
        solid = Solid.from_mesh(plain_bracer(0.3))
        ring = gauge_ring(solid, (1.1, 1.1, 1.1), 60.0, 10.0)
        self.assertAlmostEqual(ring.size_mm[2], 10, places=3)
        self.assertAlmostEqual(float(ring.solid.bounds[0, 2]), 0.0)
        area = solid.transformed(scaling(1.1, 1.1, 1.1)).section(float(solid.bounds[0, 2]) * 1.1 + 60).area
        self.assertAlmostEqual(ring.solid.volume / 10, area, delta=0.05 * area)
        self.assertLess(ring.minutes, 90)
        with self.assertRaisesRegex(RecipeProblem, "out of bounds"):
            gauge_ring(solid, (1, 1, 1), 60.0, 500.0)


class Doubt(unittest.TestCase):
    def test_chance_against_scipy(self):
        for margin, sd in ((1.2, 0.9), (-0.4, 2.0), (0.0, 1.0)):
            self.assertAlmostEqual(chance(margin, sd), float(norm.cdf(margin / sd)), places=9)

    def test_probability_against_drawn_heads(self):
        """Draw heads with the measurements' doubts and count how often the sides still have room."""
        wearer = Wearer(
            measurements={"head_breadth_mm": 150.0, "head_length_mm": 195.0}, sds={"head_breadth_mm": 4.0, "head_length_mm": 0.01}
        )
        drawn = np.random.default_rng(0).normal(150.0, 4.0, 40_000)
        counted = float(((156.0 - drawn) / 2 + np.random.default_rng(1).normal(0, 0.6, 40_000) >= 0).mean())
        self.assertAlmostEqual(probability(3.0, None, site("head"), wearer, ""), counted, delta=0.01)

    def test_the_guessed_measurement_is_the_one_to_take(self):
        wearer = Wearer(
            measurements={"head_breadth_mm": 150.0, "head_length_mm": 195.0}, sds={"head_breadth_mm": 4.5, "head_length_mm": 1.0}
        )
        told = next_measurements(3.0, 3.0, site("head"), wearer, "", {"head_breadth_mm"})
        self.assertEqual((told[0].key, told[0].guessed), ("head_breadth_mm", True))
        self.assertGreater(told[0].to_probability, told[0].from_probability + 0.05)
        self.assertLess(margin_sd(site("head").gains, wearer, "", "head_breadth_mm"), margin_sd(site("head").gains, wearer, ""))


class TablesAndWords(unittest.TestCase):
    def test_layers_lie_where_they_are_said_to(self):
        normals = np.array([[0, 0, 1.0], [1, 0, 0], [0, -1, 0], [0, 1, 0]])
        layers = [parse_layer("pad@top=12"), parse_layer("suit=2"), parse_layer("glasses@sides=6")]
        np.testing.assert_allclose(thickness(layers, normals), [14, 8, 2, 2])
        np.testing.assert_allclose(thickness(layers, normals, np.array([True] * 4)), [2, 2, 2, 2])
        for wrong in ("pad", "pad=x", "pad@knee=3", "pad=900"):
            with self.assertRaises(RecipeProblem, msg=wrong):
                parse_layer(wrong)

    def test_bays_as_typed(self):
        self.assertEqual(parse_bay("battery@nape=62x36x9").size_mm, (62.0, 36.0, 9.0))
        self.assertEqual(parse_bay("fan, 40 mm").size_mm[0], 41.0)
        self.assertEqual((parse_bay("speaker=52x22").size_mm, parse_bay("speaker=52x22").round), ((52.0, 52.0, 22.0), True))
        self.assertTrue(parse_bay("speaker, 50 mm").round)
        for wrong in ("board", "board=1", "board=1x2x3x4", "board=0x2x3", "board@knee=10x10x10"):
            with self.assertRaises(RecipeProblem, msg=wrong):
                parse_bay(wrong)

    def test_names_tell_sites(self):
        told = [
            guess_site(n) for n in ("nautilus-helm", "kelp bracer left", "Heron shin", "wave_pauldron", "breakwater-breastplate", "crest")
        ]
        self.assertEqual(told, ["head", "forearm", "shin", "shoulder", "chest", "other"])

    def test_the_suit_complains(self):
        pieces = [
            SuitPiece(1, "Thigh", "thigh", "left", 1.0, 0.98, 3.0, 3),
            SuitPiece(2, "Shin", "shin", "left", 1.06, 1.10, 0.8, 3),
            SuitPiece(3, "Helm", "head", "", 1.2, None, 3.0, 3),
        ]
        thigh, shin, helm = suit_table(pieces)
        self.assertIn("needs 110.0 %", [str(c) for c in shin.issues])
        self.assertFalse(any("larger" in str(c) for c in shin.issues), "the shin allows no smaller one")
        self.assertTrue(any("under two lines" in str(c) for c in shin.issues))
        self.assertTrue(any("6 % smaller" in str(c) for c in thigh.issues))
        self.assertEqual((helm.ratio, helm.issues), (None, ()))

    def test_a_gutter_and_a_tube_are_told_apart(self):
        stretch = on_body(stand_in(ODA), site("forearm"), "left")
        half = Solid(tube(60, 3, 200).manifold - Manifold.cube([200, 100, 500], True).translate([0, 50, 0])).mesh()
        for piece, goes_round in ((tube(60, 3, 200).mesh(), True), (half, False)):
            fitting = Fitting(piece, Question("forearm", "left", ODA), ready=stretch)
            self.assertEqual(fitting.seating.goes_round, goes_round)
