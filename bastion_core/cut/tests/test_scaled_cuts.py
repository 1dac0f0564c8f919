"""Properties that hold for any body, plane and scale: nothing is lost, nothing is made, parts keep apart."""

import unittest

import numpy as np

from bastion_core.cut.parting import Cut, part_solid
from bastion_core.cut.station import cut_piece
from bastion_core.errors import RecipeProblem
from bastion_core.fit.judge import guess
from bastion_core.geometry.place import scaling
from bastion_core.geometry.solid import Solid, united
from bastion_core.join.fasteners.pin import PinRule
from bastion_core.join.joining import JoinRule, join
from bastion_core.pieces.standing import upright
from bastion_core.print.recipe import PrintRecipe
from bastion_core.print.station import cost
from bastion_core.shop import Printer, Shop, Spool
from bastion_core.tests.shapes import BUNNY, HINGE, box, dome, person, reference

BEDS = [Printer("a", 160, 160, 160), Printer("b", 120, 120, 300)]


class AnyCut(unittest.TestCase):
    def test_parts_make_the_whole_again(self):
        rng = np.random.default_rng(17)
        for path in (BUNNY, HINGE):
            whole = Solid.from_mesh(reference(path))
            for round_ in range(4):
                scale = tuple(float(s) for s in rng.uniform(0.7, 1.6, 3))
                solid = whole.transformed(scaling(*scale))
                cuts = []
                for k in range(3):
                    point = whole.bounds[0] + rng.uniform(0.25, 0.75, 3) * whole.size
                    cuts.append(Cut(f"c{k}", tuple(point), tuple(rng.normal(size=3)), (("c0", 1),) if k == 2 else ()))
                parting = part_solid(solid, cuts, scale, "p")
                with self.subTest(path=path.name, round=round_):
                    total = sum(p.solid.volume for p in parting.parts)
                    self.assertAlmostEqual(total / solid.volume, 1, delta=2e-4)
                    together = united([p.solid for p in parting.parts])
                    self.assertAlmostEqual(together.volume / solid.volume, 1, delta=2e-4)  # so none overlap
                    for part in parting.parts:
                        for cut in cuts:
                            if not cut.limits and cut.id in part.sides:
                                heights = cut.plane(scale).heights(part.solid.mesh().vertices) * part.sides[cut.id]
                                self.assertGreater(heights.min(), -0.01)

    def test_seams_name_parts_that_touch(self):
        parting = part_solid(
            box(60, 60, 90), [Cut("c1", (0, 0, 30), (0, 0, 1)), Cut("c2", (0, 0, 60), (0, 0, 1))], (1.0, 1.0, 1.0), "tower"
        )
        self.assertEqual([(s.above, s.below) for s in parting.seams], [("tower-B", "tower-C"), ("tower-A", "tower-B")])
        self.assertTrue(all(abs(s.area_mm2 - 3600) < 1 for s in parting.seams))

    def test_drilling_makes_no_part_fall_asunder(self):
        solid = Solid.from_mesh(reference(BUNNY))
        middle = tuple(solid.bounds.mean(axis=0))
        cuts = [Cut("c1", middle, (0, 0, 1)), Cut("c2", middle, (0, 1, 0)), Cut("c3", middle, (1, 0, 0))]
        joined = join(part_solid(solid, cuts, (1.0, 1.0, 1.0), "p"), JoinRule(PinRule()))
        for part in joined.parts:
            self.assertEqual(len(part.solid.bodies()), 1)


class Stages(unittest.TestCase):
    def test_whole_pieces_are_left_whole_unless_the_maker_cuts(self):
        small = box(90, 90, 90)
        self.assertEqual(len(cut_piece(small, BEDS, (1.0, 1.0, 1.0), "p").parting.parts), 1)
        own = cut_piece(small, BEDS, (1.0, 1.0, 1.0), "p", cuts=[Cut("c1", (0, 0, 45), (0, 0, 1))])
        self.assertEqual((len(own.parting.parts), own.proposed), (2, False))
        self.assertEqual(own.fits["p-A"], ("a", "b"))

    def test_kept_whole_though_it_fits_no_bed(self):
        out = cut_piece(box(500, 40, 40), BEDS, (1.0, 1.0, 1.0), "p", cuts=[])
        self.assertEqual(out.misfits, ("p-A",))
        self.assertEqual(out.whole_fits, {"a": False, "b": False})
        with self.assertRaises(RecipeProblem):
            cut_piece(box(10, 10, 10), [], (1.0, 1.0, 1.0), "p")

    def guessed(self, mesh, site="other", wearer=None, scale=None, wanted_mm=None):
        return guess(mesh, site, wearer, scale, 1830.0, wanted_mm, 8.0)

    def test_first_guess_of_a_limb_piece(self):
        piece = box(100, 100, 300).mesh()
        told = self.guessed(piece, wearer=person(stature=1830))
        self.assertEqual((told.scale, told.verdict), ((1.0, 1.0, 1.0), "holds"))
        self.assertAlmostEqual(self.guessed(piece, wearer=person(), wanted_mm=330).scale[2], 1.1)
        self.assertIn("no wearer", str(self.guessed(piece).reason))
        self.assertEqual(self.guessed(piece, wearer=person(), scale=(1.0, 1.0, 1.1)).verdict, "tight")

    def test_a_helmet_of_which_nothing_is_known_is_not_judged(self):
        helm, nobody = dome(160, 204, 280).mesh(), person()
        nobody.measurements.clear()
        for scale in (None, (1.0, 1.0, 1.0)):
            told = self.guessed(helm, "head", nobody, scale)
            self.assertIn("not judged: ", str(told.reason))
            self.assertEqual((told.verdict, told.scale), ("tight", (1.0, 1.0, 1.0)))

    def test_upright(self):
        stood = upright(box(30, 200, 50), (1, 0, 0))
        np.testing.assert_allclose(stood.size, [30, 50, 200], rtol=1e-5)

    def test_cost(self):
        petg = PrintRecipe(material="petg")
        self.assertAlmostEqual(cost(500, petg, Shop()), 12.0)
        self.assertAlmostEqual(cost(500, petg, Shop(spools=(Spool("petg", 10.0, 30.0),))), 15.0)
