"""The plan of a finish by hand, against figures of the trade, and what must not lie on what."""

import itertools
import unittest
from dataclasses import replace

import numpy as np
from scipy import stats

from bastion_core.assemble.order import Bench
from bastion_core.errors import RecipeProblem
from bastion_core.finish.pace import PRIOR_SD, STEP_SD, Ticked, logged, paces_of
from bastion_core.finish.plan import Worker, planned, with_material
from bastion_core.finish.rates import first_grit, ladder, sand_min, scar_min_per_cm2, seam_min_per_cm, step_min_per_mm_cm2
from bastion_core.finish.recipe import FinishRecipe, OwnRegion, SchoolFor
from bastion_core.finish.regions import Region, StepDepth, regions_of
from bastion_core.finish.surface import PartPrinted, skin_of
from bastion_core.finish.table import FIRST_TIME, GRAIN_UM, HAND_KINDS, PRODUCTS, SCHOOLS, TARGETS, clash_of, on_material
from bastion_core.geometry.place import laid
from bastion_core.print.supports import Holding
from bastion_core.tests.shapes import plain_helm


def region(kind="dome", cm2=1000.0, deep=0.16, mean=0.06, **other) -> Region:
    """A region of so much, without anything else on it."""
    area = 100 * cm2
    usual = {"scar_mm2": 0.0, "seam_mm": 0.0, "by_hand": 0.0, "material": "pla", "resin": False}
    return Region(
        other.pop("id", kind), kind.capitalize(), kind, area, StepDepth(mean, deep), 0.5 * mean * area, 0.5 * mean * area, deep, mean,
        *(other.pop(k, v) for k, v in usual.items()), (0.0, 0.0, 0.0), ("A",), **other,
    )  # fmt: skip


class Grits(unittest.TestCase):
    def test_grains_are_the_standard_s(self):
        """ISO 6344-2 and -3, mean grain sizes as remembered; each about a fifth to a third finer than the one before."""
        for grit, um in ((60, 269), (80, 201), (120, 125), (180, 82), (240, 58.5), (400, 35.0), (600, 25.8), (1000, 18.3), (2000, 10.3)):
            self.assertEqual(GRAIN_UM[grit], um)
        grains = list(GRAIN_UM.values())
        self.assertEqual(grains, sorted(grains, reverse=True))

    def test_begun_where_the_step_is_as_deep_as_the_grain(self):
        self.assertEqual([first_grit(d) for d in (0.3, 0.21, 0.13, 0.1, 0.05)], [80, 80, 120, 150, 240])

    def test_ladders(self):
        """Small jumps: 80, 120, 180, then on; wide ones 80 to about 240, 120 to about 300: common practice, no source."""
        small, wide = ladder(80, 600), ladder(80, 600, "wide")
        self.assertEqual(small[:3], (80, 120, 180))
        self.assertEqual((wide[0], wide[-1]), (80, 600))
        self.assertLess(len(wide), len(small))
        for grits, stride in ((small, 0.58), (wide, 0.36)):
            for a, b in itertools.pairwise(grits):
                self.assertGreaterEqual(GRAIN_UM[b] / GRAIN_UM[a], stride - 1e-3)

    def test_sanding_by_hand_on_paper(self):
        """10 dm², 0.1 mm, P80, plain PLA: 10 · 1.04 · 0.1 / (0.3 · 0.201) = 17.25 min by sander; by hand three times that."""
        by_power, by_hand = sand_min(1e5, 0.1, 80, 1.0)
        self.assertAlmostEqual(by_power, 17.25, delta=0.01)
        self.assertEqual(by_hand, 0)
        self.assertAlmostEqual(sand_min(1e5, 0.1, 80, 1.0, "dome", 1.0)[1], 51.74, delta=0.02)
        self.assertGreater(sand_min(1e5, 0.1, 80, 1.0, "groove", 1.0)[1], 2 * 51.7)

    def test_what_weighs_hands_before_there_is_a_plan_is_the_plan_s(self):
        """Until primer, the usual way, a dome that is half by hand takes what the quick judge takes for its steps."""
        one = region(by_hand=0.4, mean=0.055, deep=0.1375, cm2=2000)
        steps = planned([one], FinishRecipe()).steps
        until = sum(s.hands_min for s in steps if s.wave in (10, 20, 30))
        self.assertAlmostEqual(until / (0.055 * 2000), step_min_per_mm_cm2(), delta=0.08)
        seam = region("seam", cm2=30.0 * 10 / 10, by_hand=1.0, deep=0.2, mean=0.1, seam_mm=300.0)
        steps = planned([seam], FinishRecipe(power=False)).steps
        until = sum(s.hands_min for s in steps if s.wave in (10, 20, 30)) / 30
        self.assertAlmostEqual(until / seam_min_per_cm(10), 1, delta=0.3)
        self.assertEqual(scar_min_per_cm2(), 0.6)


class ByHand(unittest.TestCase):
    """A dome of 10 dm² at 0.2 mm the usual way, every figure with paper and calculator."""

    def setUp(self):
        self.plan = planned([region(deep=0.16, mean=0.06)], FinishRecipe())
        self.steps = {(s.what, s.grit): s for s in self.plan.steps}

    def test_putty(self):
        putty = self.steps["Solvent spot putty", None]
        # Half sanded down: a quarter of the volume is left. 3000 · 0.25 mm³ and a film of 0.2 mm on 1e5 mm², a third sinks, a fifth is lost.
        self.assertAlmostEqual(putty.amount, (0.5 * 0.06 * 1e5 * 0.25 + 0.2 * 1e5) / 1000 / 0.7 / 0.8, delta=0.01)
        self.assertAlmostEqual(putty.hands_min, 10 * 1.0 + 3.0, delta=0.01)
        # 0.08 mm deep of 0.5 that it levels: 0.5 + 3.5 · 0.16 h.
        self.assertAlmostEqual(putty.wait_h, 0.5 + 3.5 * 0.16, delta=0.001)

    def test_sanding(self):
        self.assertAlmostEqual(
            self.steps["Sand the tops off", 80 if first_grit(0.16) == 80 else first_grit(0.16)].hands_min,
            0.4 + 10.4 * 0.03 / (0.3 * GRAIN_UM[first_grit(0.16)] / 1000),
            delta=0.01,
        )
        # Scratches and film: 0.12 mm of putty, four times as soft, with P150.
        self.assertAlmostEqual(self.steps["Sand back", 150].hands_min, 0.4 + 10.4 * 0.12 / (0.3 * 0.1 * 4), delta=0.01)

    def test_primer(self):
        # Left: 0.08 mm sinks by 0.3 to 0.024; display leaves 0.014, two coats of a round level 0.024: the two rounds of the target do.
        rounds = [s for s in self.plan.steps if s.what.startswith("Prime")]
        self.assertEqual(len(rounds), 2)
        # 0.03 mm dry, two coats, on 1e5 mm²; 12 % of a can is solid, 40 % goes past.
        self.assertAlmostEqual(rounds[0].amount, 0.06 * 1e5 / 1000 / 0.12 / 0.6, delta=0.01)
        self.assertAlmostEqual(rounds[0].wait_h, 0.25 + 1.0)
        self.assertEqual(next(n for n in self.plan.products if n.name == "filler primer").packs, 1)

    def test_clock_keeps_one_pair_of_hands_and_every_wait(self):
        plan = planned([region(id="a"), region("edge", 50, id="b"), region("groove", 10, id="c")], FinishRecipe())
        steps = sorted(plan.steps, key=lambda s: s.start_h)
        for a, b in itertools.pairwise(steps):
            self.assertGreaterEqual(b.start_h, a.end_h - 1e-9)
        for name in "abc":
            mine = [s for s in steps if s.region_id == name]
            for a, b in itertools.pairwise(mine):
                self.assertGreaterEqual(b.start_h, a.end_h + a.wait_h - 1e-9)
        self.assertAlmostEqual(sum(s.hands_min for s in steps) / 60, plan.hands_h, places=6)
        for s in steps:
            self.assertLessEqual(s.start_h % 24, 3.0)

    def test_coats_wait_for_all_that_take_them(self):
        plan = planned(
            [region(id="a"), region("groove", 10, id="c")], FinishRecipe(schools=(SchoolFor("c", "epoxy"), SchoolFor("a", "sand")))
        )
        primed = [s for s in plan.steps if s.what == "Prime, round 1"]
        self.assertEqual(len(primed), 2)
        self.assertLess(max(s.start_h for s in primed) - min(s.end_h for s in primed), 0.01)

    def test_more_hours_at_the_bench_take_no_more_days(self):
        days = [planned([region(cm2=3000)], FinishRecipe(), Worker(bench=Bench(h))).days_least for h in (1, 2, 4, 8)]
        self.assertEqual(days, sorted(days, reverse=True))


class OnAHelm(unittest.TestCase):
    """Figures that makers quote, on a plain full helmet of ours: common practice, no source; within 30 %."""

    @classmethod
    def setUpClass(cls):
        mesh = plain_helm(0.5)
        cls.skin = skin_of([PartPrinted("A", mesh, laid(mesh.vertices, np.array([0.0, 0.0, 1.0])), holding=Holding())])
        cls.regions = regions_of(cls.skin).regions

    def within(self, value: float, wanted: float, what: str):
        self.assertTrue(0.7 * wanted <= value <= 1.3 * wanted, f"{what}: {value:.2f}, not within 30 % of {wanted:g}")

    def test_three_hours_over_two_days(self):
        plan = planned(self.regions, FinishRecipe())
        self.within(plan.hands_h, 3.0 * 0.85, "hands of a helmet of 1,740 cm²")  # three hours for one of 2,000 cm²
        self.assertEqual(plan.days_least, 2)

    def test_one_tube_of_putty(self):
        putty = next(n for n in planned(self.regions, FinishRecipe()).products if n.name == PRODUCTS["putty"].name)
        self.assertEqual((putty.packs, putty.pack), (1, "tube"))
        self.within(putty.amount / PRODUCTS["putty"].pack_ml, 1.0, "tubes")

    def test_twelve_helmets_a_litre(self):
        resin = next(n for n in planned(self.regions, FinishRecipe(school="resin")).products if n.name == PRODUCTS["uv"].name)
        self.within(1000 / resin.amount, 12, "helmets a litre")

    def test_easy_sanding_takes_an_hour(self):
        easy = planned(with_material(self.regions, "pla-sand"), FinishRecipe(school="sand"))
        self.within(easy.by_kind["sand"], 1.0, "hours of sanding")

    def test_putty_replaces_eight_or_nine_coats_of_primer(self):
        # What is left of a step of 0.2 mm that is half sanded down.
        self.assertTrue(8 <= 0.1 / PRODUCTS["primer"].levels_mm <= 9)
        self.assertGreater(PRODUCTS["putty"].levels_mm, 0.1)

    def test_catalysed_primer_lives_four_days(self):
        self.assertEqual(PRODUCTS["filler-2k"].pot_h, 96)
        slow = planned(
            self.regions,
            FinishRecipe(school="2k", primer="filler-2k"),
            Worker(dict.fromkeys(HAND_KINDS, 6.0), Bench(1.0)),
        )
        self.assertEqual(slow.spoilt, (PRODUCTS["filler-2k"].name,))
        self.assertEqual(planned(self.regions, FinishRecipe(school="2k", primer="filler-2k"), Worker(bench=Bench(8.0))).spoilt, ())

    def test_finer_layers_are_less_deep_and_no_more_work(self):
        coarse, fine = (planned(regions_of(self.skin.in_layers(0.2, h)).regions, FinishRecipe(school="sand")).hands_h for h in (0.28, 0.12))
        self.assertLess(fine, coarse - 0.3)

    def test_targets_in_their_order(self):
        hands = {t: planned(self.regions, FinishRecipe(target=t)).hands_h for t in TARGETS}
        self.assertLess(hands["distance"], hands["worn"])
        self.assertLess(hands["worn"], hands["display"])
        self.assertLess(hands["display"], hands["mirror"])
        self.assertEqual(max(s.grit or 0 for s in planned(self.regions, FinishRecipe(target="mirror")).steps), 2000)

    def test_first_time(self):
        slow, quick = (planned(self.regions, FinishRecipe(pace=p)) for p in ("first", "practised"))
        self.assertAlmostEqual(slow.hands_h / quick.hands_h, FIRST_TIME, places=6)
        self.assertGreater(slow.days_least, quick.days_least)

    def test_resin_is_kept_out_of_edges_and_grooves(self):
        plan = planned(self.regions, FinishRecipe(school="resin"))
        where = {s.region for s in plan.steps if s.product == PRODUCTS["uv"].name}
        kinds = {r.kind for r in self.regions if r.name in where}
        self.assertIn("dome", kinds)
        self.assertFalse(kinds & {"edge", "groove", "relief"})

    def test_inside_and_joint_faces_are_left(self):
        inside = next(r.name for r in self.regions if r.kind == "inside")
        self.assertNotIn(inside, {s.region for s in planned(self.regions, FinishRecipe()).steps})
        asked = planned(self.regions, FinishRecipe(schools=(SchoolFor("inside", "sand"),)))
        self.assertIn(inside, {s.region for s in asked.steps})

    def test_again_is_only_there(self):
        mark = OwnRegion("m", "Again 1", ((0.0, 0.0, 290.0),), reach_mm=25.0, again=True)
        more = planned(regions_of(self.skin, [mark]).regions, FinishRecipe())
        mine = [s for s in more.steps if s.region_id == "m"]
        self.assertTrue(mine)
        self.assertFalse([s for s in mine if s.kind == "clean"])
        self.assertTrue(0 < sum(s.hands_min for s in mine) < 0.12 * 60 * more.hands_h)


class WhatHolds(unittest.TestCase):
    def test_clashes(self):
        """Makers' own sheets as remembered: solvent lifts enamel, a hot solvent swells one-part coats, stiff on flexible cracks."""
        p = PRODUCTS
        self.assertIn("wrinkles", clash_of(p["primer"], p["primer-enamel"]))
        self.assertIn("swells", clash_of(p["filler-2k"], p["putty"]))
        self.assertIn("cracks", clash_of(p["primer"], p["primer-flex"]))
        self.assertEqual(clash_of(p["primer"], p["putty"]), "")
        self.assertIn("cracks", on_material(p["primer"], "tpu"))
        self.assertIn("softens", on_material(p["putty-thin"], "abs"))
        self.assertEqual(on_material(p["putty-thin"], "pla"), "")

    def test_plan_tells_what_fails_and_where(self):
        plan = planned([region(id="a"), region("edge", 20, id="b")], FinishRecipe(primer="filler-2k"))
        self.assertIn(("catalysed filler primer", "solvent spot putty", "Dome"), {(f.upper, f.lower, f.region) for f in plan.fails})
        self.assertNotIn("Dome, Edge", {f.region for f in plan.fails if f.lower == "solvent spot putty"})
        self.assertTrue(any("swells" in f.happens for f in plan.fails))

    def test_every_usual_plan_holds_on_every_material(self):
        for material in ("pla", "pla-sand", "petg", "abs", "asa", "tpu"):
            for school, known in SCHOOLS.items():
                if known.materials and material not in known.materials:
                    continue
                kinds = ("flexible",) if material == "tpu" else ("dome", "relief", "edge", "groove", "seam", "scar")
                plan = planned([region(k, 100, material=material, id=k) for k in kinds], FinishRecipe(school=school))
                self.assertEqual(plan.fails, (), f"{school} on {material}")

    def test_asked_for_itself_it_is_told(self):
        one = region("edge", 100, material="abs", id="e")
        plan = planned([one], FinishRecipe(schools=(SchoolFor("e", "brush"),)))
        self.assertIn("softens", plan.fails[0].happens)

    def test_flexible_gets_its_own_primer_and_no_paper(self):
        plan = planned([region("flexible", 300, material="tpu")], FinishRecipe())
        self.assertEqual([s.product for s in plan.steps if s.product], [PRODUCTS["primer-flex"].name])

    def test_wood_filler_is_not_sanded_wet(self):
        plan = planned([region()], FinishRecipe(school="wood"))
        self.assertTrue(all("dry" in s.how for s in plan.steps if s.what == "Sand back"))
        self.assertTrue(all("wet" in s.how for s in planned([region()], FinishRecipe()).steps if s.grit == 600))

    def test_product_without_a_drying_time(self):
        with self.assertRaisesRegex(RecipeProblem, "spot putty has no drying time"):
            replace(PRODUCTS["putty"], sand_h=0.0)

    def test_own_sheet_moves_the_plan(self):
        slow = replace(PRODUCTS["putty"], sand_h=8.0, thick_h=24.0)
        plan = planned([region()], FinishRecipe(products=(slow,)))
        self.assertGreater(plan.wait_h, planned([region()], FinishRecipe()).wait_h + 7)

    def test_no_surface(self):
        with self.assertRaisesRegex(RecipeProblem, "no region has any area"):
            planned([], FinishRecipe())

    def test_resin_s_dust_is_warned_of(self):
        plan = planned([region(resin=True, deep=0.05, mean=0.02)], FinishRecipe())
        self.assertTrue(any("resin" in s.caution for s in plan.steps if s.kind == "sand"))
        # UV resin over pits is thickened with powder.
        deep = planned([region("scar", 100, scar_mm2=1e4)], FinishRecipe(school="resin"))
        self.assertTrue(any("powder" in s.how for s in deep.steps))


class Pace(unittest.TestCase):
    def test_learnt_as_a_normal_mean_is(self):
        """A normal prior with known spread of the steps: the posterior mean by numbers on a grid of scipy's densities."""
        ticks = [Ticked("sand", 10.0, took) for took in (16.0, 22.0, 12.0)]
        log_ = logged(ticks)
        grid = np.linspace(-3, 3, 6001)
        weight = stats.norm.pdf(grid, 0, PRIOR_SD)
        for t in ticks:
            weight *= stats.norm.pdf(np.log(t.took_min / t.usual_min), grid, STEP_SD)
        expected = float(np.exp((grid * weight).sum() / weight.sum()))
        self.assertAlmostEqual(paces_of(log_, "practised")["sand"], expected, delta=0.026)
        self.assertEqual(paces_of(log_, "practised")["spray"], 1.0)

    def test_order_says_nothing_and_a_first_timer_gets_quicker(self):
        ticks = [Ticked("fill", 10.0, took) for took in (11.0, 9.0, 14.0, 10.0)]
        self.assertEqual(logged(ticks), logged(ticks[::-1]))
        self.assertLess(paces_of(logged(ticks), "first")["fill"], 0.7 * FIRST_TIME)

    def test_minutes_that_cannot_be(self):
        for took in (0.0, -3.0, 2000.0):
            with self.assertRaises(RecipeProblem):
                Ticked("sand", 10.0, took)


if __name__ == "__main__":
    unittest.main()
