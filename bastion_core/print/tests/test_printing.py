import itertools
import math
import unittest

import numpy as np
from ortools.sat.python import cp_model

from bastion_core.errors import RecipeProblem
from bastion_core.geometry.solid import Solid
from bastion_core.print.estimate import estimate
from bastion_core.print.lay import lay_part
from bastion_core.print.profile import MATERIALS, Profile, grams_per_metre
from bastion_core.print.shape import shape_of
from bastion_core.print.spread import Task, done_h, spread
from bastion_core.shop import Printer
from bastion_core.tests.shapes import BUNNY, box, reference, tube

MACHINE = Printer("m", 300, 300, 400, 5, False, 100.0, 3000.0, warm_up_h=0.1)


class Filament(unittest.TestCase):
    def test_grams_per_metre(self):
        # 1.75 mm strand: density × 2.4053 g/m; PLA 1.24 -> 2.983 (handbook densities, from memory, high confidence)
        for key, density in (("pla", 1.24), ("petg", 1.27), ("abs", 1.04)):
            self.assertEqual(MATERIALS[key].density_g_cm3, density)
            self.assertAlmostEqual(grams_per_metre(density), density * 2.4053, delta=1e-3)
        self.assertAlmostEqual(grams_per_metre(1.24), 2.983, delta=1e-3)


class ByHand(unittest.TestCase):
    """Figures worked out on paper: outline × walls, skins, infill, in 0.45 mm lines."""

    def test_box(self):
        # 40 × 30 × 20 mm, 0.2 mm layers: 100 layers. Walls run 0.225, 0.675, 1.125 mm inside the outline of 140 mm;
        # a rectangle loses 8 offsets: 138.2 + 134.6 + 131.0 = 403.8 mm a layer. Inside: 37.3 × 27.3 = 1018.3 mm².
        # Skins: 0.8 mm = 4 layers below and above. Infill 15 % in the 92 others.
        walls_mm3 = 403.8 * 0.45 * 20
        skin_mm3 = 1018.3 * 8 * 0.2
        infill_mm3 = 1018.3 * 92 * 0.2 * 0.15
        grams = (walls_mm3 + skin_mm3 + infill_mm3) / 1000 * 1.24
        est = estimate(shape_of(box(40, 30, 20)), Profile(), MACHINE)
        self.assertEqual(est.layers, 100)
        self.assertAlmostEqual(est.filament_g / grams, 1, delta=0.02)
        self.assertAlmostEqual(est.filament_m, est.filament_g / 2.983, delta=0.02)
        self.assertEqual(est.support_g, 0)
        # Time, without corners and travel: outer wall at 50, inner walls and infill at 100, skins at 70 mm/s, 1 s a layer.
        lines_s = 100 * 138.2 / 50 + 100 * (134.6 + 131.0) / 100 + skin_mm3 / 0.09 / 70 + infill_mm3 / 0.09 / 100 + 100
        self.assertGreater(est.hours * 3600 - 360, lines_s)
        self.assertLess(est.hours * 3600 - 360, 1.45 * lines_s)

    def test_cylinder(self):
        # Diameter 50, height 30: circles of 2π(25 - 0.225 - 0.45 k); inside radius 23.65.
        walls_mm = sum(2 * math.pi * (25 - 0.225 - 0.45 * k) for k in range(3))
        inside = math.pi * 23.65**2
        grams = (walls_mm * 0.45 * 30 + inside * 8 * 0.2 + inside * (150 - 8) * 0.2 * 0.15) / 1000 * 1.24
        est = estimate(shape_of(Solid.cylinder(25, 30, 240)), Profile(), MACHINE)
        self.assertAlmostEqual(est.filament_g / grams, 1, delta=0.01)

    def test_thin_tube_is_solid_wall(self):
        body = tube(40, 1.8, 50, 240)
        est = estimate(shape_of(body), Profile(walls=3), MACHINE)
        self.assertAlmostEqual(est.filament_g, body.volume / 1000 * 1.24, delta=0.03 * est.filament_g)

    def test_support_under_a_table(self):
        table = box(20, 20, 40).manifold + box(80, 20, 5, (0, 0, 40)).manifold
        grid = Profile(support="grid")
        est = estimate(shape_of(Solid(table), grid), grid, MACHINE)
        # two wings of 30 × 20 mm hang 40 mm over the bed: 48 cm³ of space at 15 %, and a roof of 0.5 mm at 70 %
        self.assertAlmostEqual(est.support_g, (48 * 0.15 + 1.2 * 0.5 * 0.7) * 1.24, delta=0.3)

    def test_halved_layers_double_the_hours(self):
        # common practice, no source: 50 h at 0.2 mm are about 100 h at 0.1 mm
        shape = shape_of(tube(60, 4, 150))
        slow = Printer("ordinary", 220, 220, 250, 5, True, 60.0, 1500.0)
        ratio = estimate(shape, Profile(layer_mm=0.1), slow).hours / estimate(shape, Profile(layer_mm=0.2), slow).hours
        self.assertTrue(1.8 < ratio < 2.2, ratio)

    def test_short_layers_wait(self):
        needle = estimate(shape_of(box(4, 4, 60)), Profile(), MACHINE)
        self.assertGreaterEqual(needle.hours * 3600, 300 * 8)

    def test_resliced_is_sliced(self):
        solid = Solid.from_mesh(reference(BUNNY))
        for height in (0.12, 0.28):
            a = estimate(shape_of(solid), Profile(layer_mm=height), MACHINE)
            b = estimate(shape_of(solid, Profile(layer_mm=height)), Profile(layer_mm=height), MACHINE)
            self.assertAlmostEqual(a.hours / b.hours, 1, delta=0.04)
            self.assertAlmostEqual(a.filament_g / b.filament_g, 1, delta=0.03)

    def test_profiles_that_cannot_be(self):
        for bad in ({"layer_mm": 0}, {"walls": 0}, {"infill": 1.5}, {"material": "cheese"}):
            with self.assertRaises(RecipeProblem):
                Profile(**bad)


class Lying(unittest.TestCase):
    def test_half_a_tube_stands_on_its_end_and_needs_no_support(self):
        half = Solid(tube(60, 4, 120).manifold.trim_by_plane((1, 0, 0), 0))
        laid = lay_part("p", half, [np.array([-1.0, 0, 0])], [MACHINE], Profile())
        self.assertLess(laid.estimates[MACHINE.name].support_g, 0.2)
        self.assertAlmostEqual(laid.solid.bounds[0, 2], 0, delta=1e-3)
        self.assertLess(laid.estimates["m"].support_g, 0.5)

    def test_a_plate_lies_flat(self):
        laid = lay_part("p", box(5, 100, 150), [], [MACHINE], Profile())
        self.assertAlmostEqual(laid.solid.size[2], 5, delta=0.01)

    def test_matrix_takes_the_piece_to_the_bed(self):
        solid = Solid.from_mesh(reference(BUNNY))
        laid = lay_part("p", solid, [], [MACHINE], Profile())
        np.testing.assert_allclose(solid.transformed(laid.matrix).bounds, laid.solid.bounds, atol=1e-3)

    def test_each_printer_gets_a_lying_that_fits_it(self):
        """A board of 200 × 120 × 10 mm lies flat on the wide bed; on a bed of 130 mm square and 250 mm height it has to stand."""
        wide, tower = MACHINE, Printer("tower", 140, 140, 250, 5, False, 100.0, 3000.0)
        laid = lay_part("board", box(200, 120, 10), [], [wide, tower], Profile())
        self.assertEqual((list(laid.estimates), round(laid.solid.size[2])), (["m"], 10))
        (turned,) = laid.turned
        self.assertEqual((list(turned.estimates), round(turned.solid.size[2])), (["tower"], 200))
        self.assertAlmostEqual(turned.solid.bounds[0, 2], 0, delta=1e-3)
        self.assertEqual(lay_part("cube", box(40, 40, 40), [], [wide, tower], Profile()).turned, ())

    def test_what_fits_nowhere_has_no_estimate(self):
        self.assertIsNone(lay_part("p", box(20, 20, 900), [], [MACHINE], Profile()).best_printer)


class Spreading(unittest.TestCase):
    def test_against_or_tools(self):
        rng = np.random.default_rng(11)
        hours = rng.integers(1, 20, (10, 3))
        model = cp_model.CpModel()
        on = [[model.new_bool_var(f"{i}{j}") for j in range(3)] for i in range(10)]
        end = model.new_int_var(0, 500, "end")
        for i in range(10):
            model.add_exactly_one(on[i])
        for j in range(3):
            model.add(sum(int(hours[i, j]) * on[i][j] for i in range(10)) <= end)
        model.minimize(end)
        solver = cp_model.CpSolver()
        solver.parameters.max_time_in_seconds = 10
        self.assertEqual(solver.solve(model), cp_model.OPTIMAL)
        tasks = [Task(f"t{i}", {str(j): float(hours[i, j]) for j in range(3)}) for i in range(10)]
        self.assertLessEqual(done_h(tasks) / solver.objective_value, 1.1)
        self.assertGreaterEqual(done_h(tasks), solver.objective_value)

    def test_against_brute_force(self):
        rng = np.random.default_rng(7)
        for _ in range(12):
            tasks = [Task(f"t{i}", {"a": float(rng.uniform(1, 14)), "b": float(rng.uniform(1, 14))}) for i in range(6)]
            best = min(
                max(sum(t.hours[p] for t, q in zip(tasks, where, strict=True) if q == p) for p in "ab")
                for where in itertools.product("ab", repeat=6)
            )
            self.assertTrue(best - 1e-9 <= done_h(tasks) <= 1.2 * best + 1e-9)

    def test_all_is_printed_and_no_bed_is_an_error(self):
        tasks = [Task(f"t{i}", {"a": 3.0 + i, "b": 9.0}) for i in range(7)]
        self.assertEqual(sorted(t.name for lane in spread(tasks).values() for t in lane), [t.name for t in tasks])
        self.assertEqual((spread([]), done_h([])), ({}, 0.0))
        with self.assertRaises(RecipeProblem):
            spread([Task("x", {})])
