"""The trade's tables of the fit, row by row, and the gauge ring and doubt on figures worked out by hand."""

import math
import unittest
from dataclasses import replace

import numpy as np
import trimesh
from manifold3d import Manifold

from bastion_core.errors import RecipeProblem
from bastion_core.fit.answer import Fitting
from bastion_core.fit.bays import KINDS, PLACES, Bay, parse_bay
from bastion_core.fit.doubt import MAKING_SD_MM, best_sd, chance, margin_sd, next_measurements, probability
from bastion_core.fit.gauge import gauge_ring
from bastion_core.fit.layers import LAYERS, WHERES, Layer, thickness
from bastion_core.fit.movement import BENT_MEASURES, STRAIGHT_OF, swollen
from bastion_core.fit.question import Question
from bastion_core.fit.sites import BY_NAME, TABLE, WAYS_IN, guess_site, site
from bastion_core.fit.suit import NEIGHBOURS, OUT_OF_PROPORTION, SuitPiece, suit_table
from bastion_core.geometry.solid import Solid
from bastion_core.measure.readings import usual_sd_mm
from bastion_core.measure.table import ROWS, SITES
from bastion_core.measure.wearer import Wearer
from bastion_core.print.profile import Profile, grams_per_metre
from bastion_core.shop import Printer
from bastion_core.tests.shapes import tube


class Tables(unittest.TestCase):
    def test_sites(self):
        self.assertEqual(set(BY_NAME), set(SITES) - {"hand_held", "other"})
        for where in TABLE:
            with self.subTest(where.name):
                low, high = where.stretch
                self.assertLess(low, high)
                self.assertIn(where.part, ("head", "trunk", "arm", "leg"))
                self.assertIn(where.comes_from, ("above", "below"))
                self.assertIn(where.way_in, WAYS_IN)
                self.assertTrue(where.gains and where.passing)
                self.assertTrue(all(0 < gain <= 0.5 for gain in (*where.gains.values(), *where.passing.values())))
                self.assertGreater(where.round_from, 0.4)

    def test_a_mm_of_girth_is_a_radius_of_a_sixth(self):
        self.assertAlmostEqual(site("forearm").gains["wrist_girth_mm"], 1 / (2 * math.pi), places=4)
        self.assertEqual(site("head").gains["head_breadth_mm"], 0.5)

    def test_layers_and_bays(self):
        for name, (mm, _worn, source) in LAYERS.items():
            self.assertTrue(0 < mm <= 15 and source, name)
        self.assertEqual([name for name, row in LAYERS.items() if row[1]], ["liner", "suit", "cap"])
        for kind in KINDS.values():
            self.assertTrue(all(1 < v < 200 for v in kind.size_mm) and kind.source, kind.name)
            self.assertEqual(parse_bay(kind.name), Bay(kind.name, kind.size_mm, round=kind.round))
            for place in PLACES:
                self.assertEqual(Bay(kind.name, kind.size_mm, place).place, place)
        # A board on a carrier with its screw terminals needs twice the height of one soldered direct; common practice, no source.
        self.assertGreaterEqual(KINDS["board on a carrier"].size_mm[2], 2 * KINDS["board, soldered direct"].size_mm[2])

    def test_neighbours_are_sites(self):
        for a, b in NEIGHBOURS:
            self.assertTrue(a in BY_NAME and b in BY_NAME and a != b)

    def test_words_of_the_trade(self):
        for name, where in (
            ("left-vambrace.stl", "forearm"),
            ("Greave R", "shin"),
            ("gorget_v2", "neck"),
            ("knee cop", "knee"),
            ("Gauntlet plate", "hand"),
            ("backplate", "back"),
            ("Tasset left", "hip"),
            ("belt buckle", "belt"),
            ("lantern", "hand_held"),
            ("vent cover", "other"),
        ):
            self.assertEqual(guess_site(name), where, name)

    def test_where_layers_lie(self):
        directions = {"top": (0, 0, 1), "sides": (1, 0, 0), "front": (0, -1, 0), "back": (0, 1, 0)}
        for where in WHERES:
            told = thickness([Layer("pad", 7.0, where)], np.array(list(directions.values()), dtype=float))
            wanted = [7.0 if where in ("all", name) else 0.0 for name in directions]
            np.testing.assert_allclose(told, wanted, err_msg=where)


class Doubts(unittest.TestCase):
    WEARER = Wearer(measurements={"forearm_girth_mm": 280.0, "wrist_girth_mm": 174.0, "knuckle_girth_mm": 212.0})

    def test_doubts_add_up_as_squares(self):
        sds = [usual_sd_mm(key, self.WEARER.measurements[key]) / (2 * math.pi) for key in ("forearm_girth_mm", "wrist_girth_mm")]
        wanted = math.sqrt(MAKING_SD_MM**2 + sum(v * v for v in sds))
        self.assertAlmostEqual(margin_sd(site("forearm").gains, self.WEARER, ""), wanted, places=4)

    def test_both_have_to_be_true(self):
        where = site("forearm")
        room = chance(0.5, margin_sd(where.gains, self.WEARER, ""))
        passing = chance(1.0, margin_sd(where.passing, self.WEARER, ""))
        self.assertAlmostEqual(probability(0.5, 1.0, where, self.WEARER, ""), room * passing)
        self.assertAlmostEqual(probability(0.5, None, where, self.WEARER, ""), room)
        self.assertEqual(probability(None, None, where, self.WEARER, ""), 1.0)

    def test_plenty_of_room_needs_no_more_measuring(self):
        self.assertEqual(next_measurements(20.0, 20.0, site("forearm"), self.WEARER, "", set()), [])

    def test_three_readings_are_root_three_better(self):
        self.assertAlmostEqual(best_sd("head_breadth_mm", 154.0), 1 / math.sqrt(3))

    def test_the_reason_names_tool_and_figures(self):
        rough = Wearer(measurements=self.WEARER.measurements, sds={"knuckle_girth_mm": 9.0})
        (first, *_) = next_measurements(4.0, 1.0, site("forearm"), rough, "", {"knuckle_girth_mm"})
        self.assertEqual(first.key, "knuckle_girth_mm")
        self.assertIn(ROWS[first.key].name, str(first.reason))
        self.assertIn("only guessed to ± 9.0 mm", str(first.reason))
        self.assertIn("a tape", str(first.reason))


class Bending(unittest.TestCase):
    def test_the_limb_is_swollen_on_both_sides_alike(self):
        taken = {"left_elbow_girth_mm": 250.0, "elbow_girth_mm": 252.0, "elbow_girth_bent_mm": 285.0, "wrist_girth_mm": 160.0}
        wearer, what, girth = swollen("elbow", "left", Wearer(measurements=taken))
        self.assertEqual((what, girth), ("the bent elbow", 285.0))
        self.assertEqual(wearer.get("elbow_girth_mm", "left"), 285.0)
        self.assertEqual(wearer.get("elbow_girth_mm", "right"), 285.0)
        self.assertEqual(wearer.get("wrist_girth_mm"), 160.0)
        self.assertIsNone(swollen("forearm", "left", Wearer(measurements=taken)))
        self.assertIsNone(swollen("knee", "left", Wearer()))
        self.assertEqual(set(STRAIGHT_OF), {row[0] for row in BENT_MEASURES.values()})

    def test_a_flexed_arm_in_a_tube(self):
        """The room of a round sleeve goes down by what the radius goes up: the girth's growth over 2π."""
        person = {"stature_mm": 1750.0, "upper_arm_girth_mm": 300.0, "upper_arm_girth_bent_mm": 330.0}
        asked = Question("upper_arm", "left", Wearer(sex="male", measurements=person))
        told = Fitting(tube(66, 3, 120).mesh(), asked).answer()
        self.assertEqual(told.bend.what, "the flexed upper arm")
        self.assertAlmostEqual(told.room.least_mm - told.bend.room_mm, 30 / (2 * math.pi), delta=1.5)
        self.assertIsNone(Fitting(tube(66, 3, 120).mesh(), replace(asked, site="forearm")).answer().bend)

    def test_proportion_is_told_from_both_sides(self):
        for ratio, told in ((1.0 + OUT_OF_PROPORTION / 2, False), (1.0 + 2 * OUT_OF_PROPORTION, True)):
            a, b = suit_table([SuitPiece(1, "a", "chest", "", 1.0, None, None, 3), SuitPiece(2, "b", "back", "", ratio, None, None, 3)])
            self.assertEqual([any("neighbours" in str(c) for c in row.issues) for row in (a, b)], [told, told])

    def test_proportion_compares_like_with_like(self):
        """A helmet is never held against a trunk, and a piece made for a child only as the stature it then suits."""
        self.assertEqual([pair for pair in NEIGHBOURS if BY_NAME[pair[0]].part != BY_NAME[pair[1]].part], [])
        helm, chest = (SuitPiece(i, s, s, "", scale, None, None, 3) for i, s, scale in ((1, "head", 1.2), (2, "chest", 0.9)))
        self.assertEqual([row.ratio for row in suit_table([helm, chest])], [None, None])
        small = SuitPiece(3, "back", "back", "", 1.8, None, None, 3, made_for_mm=915.0)
        large = SuitPiece(4, "chest", "chest", "", 0.9, None, None, 3, made_for_mm=1830.0)
        self.assertEqual([(row.ratio, row.issues) for row in suit_table([small, large])], [(1.0, ()), (1.0, ())])


class Rings(unittest.TestCase):
    def test_volume_grams_and_time_of_a_plain_ring(self):
        piece = tube(60, 4, 300)
        ring = gauge_ring(piece, (1.0, 1.0, 1.0), 150.0, 10.0, Printer("Gull", 220, 220, 250), Profile(infill=1.0))
        volume = math.pi * (60**2 - 56**2) * 10
        self.assertAlmostEqual(ring.solid.volume, volume, delta=0.003 * volume)
        # PLA of 1.24 g/cm³ (handbook): filled solid it weighs as much as its volume, and a metre of filament 2.983 g.
        self.assertAlmostEqual(ring.filament_g, volume / 1000 * 1.24, delta=0.06 * ring.filament_g)
        self.assertAlmostEqual(grams_per_metre(1.24), 2.983, places=3)
        self.assertAlmostEqual(ring.at_mm, 150.0)
        double = gauge_ring(piece, (1.0, 1.0, 1.0), 150.0, 20.0, Printer("Gull", 220, 220, 250), Profile(infill=1.0))
        self.assertAlmostEqual(double.filament_g / ring.filament_g, 2.0, delta=0.05)
        self.assertGreater(double.minutes, 1.3 * ring.minutes)

    def test_at_either_end_it_stays_whole(self):
        piece = Solid(Manifold.cylinder(80, 60, 40, 128) - Manifold.cylinder(82, 56, 36, 128).translate([0, 0, -1]))
        for at in (0.0, 3.0, 77.0, 80.0):
            ring = gauge_ring(piece, (1.5, 1.5, 1.5), at * 1.5)
            made = ring.solid.mesh()
            self.assertAlmostEqual(ring.size_mm[2], 10.0, places=3)
            self.assertTrue(trimesh.Trimesh(made.vertices, made.faces).is_watertight)

    def test_where_there_is_nothing(self):
        apart = Solid(tube(30, 3, 40).manifold + tube(30, 3, 40).manifold.translate([0, 0, 200]))
        with self.assertRaisesRegex(RecipeProblem, "nothing of the piece 120 mm"):
            gauge_ring(apart, (1.0, 1.0, 1.0), 120.0)
