"""Properties that hold for any body, plane and scale: nothing is lost, nothing is made, parts keep apart."""

import unittest

import numpy as np

from bastion_core.cut.parting import Cut, part_solid
from bastion_core.cut.printers import Printer
from bastion_core.errors import RecipeProblem
from bastion_core.geometry.place import scaling
from bastion_core.geometry.solid import Solid, united
from bastion_core.join.pins import PinRule, join
from bastion_core.plan import FitRecipe, cost, cut_stage, fit_stage, scaled, upright
from bastion_core.printing.profile import Profile
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
        joined = join(part_solid(solid, cuts, (1.0, 1.0, 1.0), "p"), PinRule())
        for part in joined.parts:
            self.assertEqual(len(part.solid.bodies()), 1)


class Stages(unittest.TestCase):
    def test_whole_pieces_are_left_whole_unless_the_maker_cuts(self):
        small = box(90, 90, 90)
        self.assertEqual(len(cut_stage(small, BEDS, (1.0, 1.0, 1.0), "p").parting.parts), 1)
        own = cut_stage(small, BEDS, (1.0, 1.0, 1.0), "p", cuts=[Cut("c1", (0, 0, 45), (0, 0, 1))])
        self.assertEqual((len(own.parting.parts), own.proposed), (2, False))
        self.assertEqual(own.fits["p-A"], ("a", "b"))

    def test_kept_whole_though_it_fits_no_bed(self):
        out = cut_stage(box(500, 40, 40), BEDS, (1.0, 1.0, 1.0), "p", cuts=[])
        self.assertEqual(out.misfits, ["p-A"])
        self.assertEqual(out.whole_fits, {"a": False, "b": False})
        with self.assertRaises(RecipeProblem):
            cut_stage(box(10, 10, 10), [], (1.0, 1.0, 1.0), "p")

    def test_fit_of_a_limb_piece(self):
        piece = box(100, 100, 300)
        outcome = fit_stage(piece.mesh(), FitRecipe("other", person(stature=1830)), 3.0)
        self.assertEqual((outcome.scale, outcome.verdict), ((1.0, 1.0, 1.0), "holds"))
        wanted = fit_stage(piece.mesh(), FitRecipe("other", person(), wanted_length_mm=330), 3.0)
        self.assertAlmostEqual(wanted.scale[2], 1.1)
        nobody = fit_stage(piece.mesh(), FitRecipe("other"), 3.0)
        self.assertIn("no wearer", nobody.reason)
        bent = fit_stage(piece.mesh(), FitRecipe("other", person(), scale=(1.0, 1.0, 1.1)), 3.0)
        self.assertEqual(bent.verdict, "tight")

    def test_head_piece_without_measurements_needs_a_scale(self):
        helm = dome(160, 204, 280).mesh()
        nobody = person()
        nobody.measurements.clear()
        with self.assertRaises(RecipeProblem):
            fit_stage(helm, FitRecipe("head", nobody), 3.0)
        told = fit_stage(helm, FitRecipe("head", nobody, scale=(1.0, 1.0, 1.0)), 3.0)
        self.assertIn("not judged", told.warnings[0])

    def test_upright_and_scaled(self):
        lying = box(30, 200, 50)
        stood = scaled(upright(lying, (1, 0, 0)), (1.0, 1.0, 2.0))
        np.testing.assert_allclose(stood.size, [30, 50, 400], rtol=1e-5)

    def test_cost(self):
        self.assertAlmostEqual(cost(500, Profile(material="petg")), 12.0)
        self.assertAlmostEqual(cost(500, Profile(), 30.0), 15.0)
