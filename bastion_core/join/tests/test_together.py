"""In which order parts come together, what they are glued with, what is written inside them, and what the coupon tells."""

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
from shapely import box as flat_box

from bastion_core.case import Case
from bastion_core.commands.options import sha256_of
from bastion_core.cut.parting import Cut, Parting, Seam, part_solid
from bastion_core.cut.recipe import CutRecipe
from bastion_core.engine.graph import Graph
from bastion_core.engine.memo import Memo
from bastion_core.engine.station import Place
from bastion_core.engine.store import FolderStore
from bastion_core.errors import RecipeProblem
from bastion_core.findings import say
from bastion_core.formats.stl import write_binary_stl
from bastion_core.geometry.place import Plane
from bastion_core.geometry.solid import Solid
from bastion_core.join.coupon import LADDERS, STEPS_MM, coupon
from bastion_core.join.fasteners.pin import PinRule
from bastion_core.join.glue import GlueNeeds, glued
from bastion_core.join.held import Held
from bastion_core.join.joining import JoinRule, join
from bastion_core.join.marks import letters_drawn
from bastion_core.join.order import steps_of
from bastion_core.join.recipe import JoinRecipe
from bastion_core.join.station import ToldSeam
from bastion_core.join.trying import try_place
from bastion_core.recipes import begin_all, change_all, read_all
from bastion_core.shop import Fits, Printer, Shop, Spool
from bastion_core.stations import STATIONS
from bastion_core.tests.shapes import box, dome, person, tube

ONE = (1.0, 1.0, 1.0)


class Order(unittest.TestCase):
    def test_cuts_are_closed_in_reverse(self):
        cuts = [Cut("c1", (0, 0, 40), (0, 0, 1)), Cut("c2", (0, 0, 0), (1, 0, 0)), Cut("c3", (0, 0, 0), (0, 1, 0), (("c1", 1), ("c2", 1)))]
        parting = part_solid(box(60, 60, 80), cuts, ONE, "p")
        steps = steps_of(parting, [c.id for c in cuts])
        seam_of = {s.id: s for s in parting.seams}
        order = [seam_of[s.seams[0]].cut_id for s in steps]
        self.assertEqual(order, ["c3", "c2", "c2", "c1"])
        self.assertEqual(len(steps), len(parting.parts) - 1, "each step makes one of two")
        for step in steps:
            for seam in step.seams:
                self.assertAlmostEqual(abs(float(np.dot(step.axis, seam_of[seam].surface.normal))), 1.0, places=6)
            self.assertEqual(step.awry, ())
        self.assertEqual(sorted(steps[-1].above + steps[-1].below), sorted(p.name for p in parting.parts))

    def test_every_step_can_be_carried_out_along_its_axis(self):
        """The joined parts of each step, moved apart along its axis by little and by much, never touch."""
        cuts = [Cut("c1", (0, 0, 90), (0, 0, 1)), Cut("c2", (0, 0, 0), (0, 1, 0))]
        solid = dome(150, 190, 170, wall_mm=3.4, segments=72)
        made = join(part_solid(solid, cuts, ONE, "p"), JoinRule(PinRule(), (Held("", "key"),)), whole=solid, cuts=("c1", "c2"))
        by_name = {p.name: p.solid for p in made.parts}
        self.assertEqual([len(s.above) + len(s.below) for s in made.steps], [2, 2, 4])
        for step in made.steps:
            for off in (0.4, 2.0, 6.0):
                moved = np.eye(4)
                moved[:3, 3] = off * np.array(step.axis)
                shared = sum(by_name[a].transformed(moved).common(by_name[b]).volume for a in step.above for b in step.below)
                self.assertLess(shared, 0.8, f"{step.above} off {step.below} by {off} mm")

    def test_two_seams_that_face_elsewhere_are_told_and_changed(self):
        """Two bodies that meet in two planes at right angles, as files of a set may: the smaller face is glued alone."""
        lower = Solid(box(60, 40, 20).manifold + box(20, 40, 40, (20, 0, 0)).manifold)
        upper = box(40, 40, 20, (-10, 0, 20))
        parts = [replace(p, name=f"p-{n}") for n, b in (("A", upper), ("B", lower)) for p in part_solid(b, [], ONE, "x").parts]
        floor, side = Plane((0.0, 0.0, 1.0), 20.0), Plane((-1.0, 0.0, 0.0), -10.0)
        seams = (
            Seam("set 1", "p-A", "p-B", floor, flat_box(-30, -20, 10, 20), ("a", "b")), Seam("set 2", "p-A", "p-B", side, flat_box(-20, 20, 20, 40), ("a", "b")),
        )  # fmt: skip
        made = join(Parting(tuple(parts), seams, ()), JoinRule(PinRule()))
        self.assertEqual(made.steps[0].awry, (seams[1].id,))
        self.assertTrue(made.joints[0].fasteners)
        self.assertEqual((made.joints[1].code, made.joints[1].fasteners), ("awry", ()))

    def test_a_dovetail_closes_alone_or_not_at_all(self):
        """A block with a wide slot, cut across both its legs at once: neither leg can slide in sideways for the other."""
        legs = Solid(box(90, 40, 80).manifold - box(30, 60, 50).manifold)
        made = join(
            part_solid(legs, [Cut("c1", (0, 0, 30), (0, 0, 1))], ONE, "p"),
            JoinRule(PinRule(), (Held("", "dovetail"),)),
            whole=legs,
            cuts=("c1",),
        )
        self.assertEqual([len(s.seams) for s in made.steps], [1, 1], "two legs come to one body, one after the other")
        cuts = [Cut("c1", (0, 0, 40), (0, 0, 1)), Cut("c2", (0, 0, 0), (1, 0, 0))]
        block = box(90, 60, 80)
        made = join(part_solid(block, cuts, ONE, "p"), JoinRule(PinRule(), (Held("", "dovetail"),)), whole=block, cuts=("c1", "c2"))
        level = [j for j in made.joints if j.seam.cut_id == "c1"]
        self.assertEqual({j.code for j in level}, {"failed"})
        self.assertIn("closes together with another", str(level[0].advice))
        self.assertTrue(all(j.fasteners for j in made.joints if j.seam.cut_id == "c2"))


class Gluing(unittest.TestCase):
    needs = GlueNeeds(1000.0, 400.0, 190.0, 0.0, 0.0, 80_000.0)

    def test_amounts_by_hand(self):
        """10 cm² of faces with 0.1 mm between them take 0.1 ml, half as much again for what is pressed out; a bead of 3 mm² along 19 cm takes
        19 × 3 / (π·1.75²/4) = 23.7 cm of filament; tape every 50 mm of 400. Rules: common practice, no source."""
        found = glued("auto", "pla", self.needs)
        self.assertEqual((found.key, found.ml, found.tapes), ("ca", 0.15, 8))
        self.assertAlmostEqual(found.weld_cm, 23.7, delta=0.1)
        # 80 cm³ at 1.24 g/cm³, printed thin: 40 g; five times that by 9.81: 1.95 N; 1000 mm² at 4 MPa carry 4000 N.
        self.assertGreater(found.safety, 900)

    def test_it_follows_material_gap_and_what_comes_apart(self):
        self.assertEqual(
            {m: glued("auto", m, self.needs).key for m in ("pla", "petg", "abs", "tpu")},
            {"pla": "ca", "petg": "epoxy", "abs": "solvent", "tpu": "contact"},
        )
        self.assertEqual(
            glued("auto", "pla", replace(self.needs, flanks_mm2=800.0, flank_gap_mm=0.3)).key, "epoxy", "thick glue for a wide gap"
        )
        self.assertIsNone(glued("auto", "pla", replace(self.needs, screwed=True)))
        self.assertFalse(glued("ca", "petg", self.needs).suits)
        self.assertLess(glued("auto", "pla", replace(self.needs, area_mm2=4.0, lighter_mm3=2e6)).safety, 3)
        with self.assertRaises(RecipeProblem):
            glued("spit", "pla", self.needs)


class Marked(unittest.TestCase):
    def test_strokes_are_wide_enough_to_print(self):
        for text in ("A^", "WATCH L", "12"):
            area = letters_drawn(text, 5.0)
            _, low_y, _, high_y = area.bounds
            self.assertAlmostEqual(high_y - low_y, 5.0, delta=0.7)
            self.assertFalse(area.buffer(-0.3).is_empty, "lines of 0.7 mm")
            self.assertLess(area.buffer(-0.37).area / area.area, 0.05, "but where strokes cross")


class InAPiece(unittest.TestCase):
    """A worn tube parted level and held by lugs, carried out by the stations."""

    @classmethod
    def setUpClass(cls):
        made = tempfile.TemporaryDirectory()
        cls.addClassCleanup(made.cleanup)
        cls.folder = Path(made.name)
        source = cls.folder / "bracer.stl"
        write_binary_stl(tube(58, 3.4, 180, 64).mesh(), source)
        cls.shop = Shop(((1, Printer("Small", 130, 130, 130)), (2, Printer("Other", 140, 140, 140))), (Spool("pla", 900.0, 20.0),))
        cuts = [{"id": "c1", "point": [0, 0, 90], "normal": [0, 0, 1], "limits": []}]
        decided = begin_all(cls.shop, site="forearm", side="right", cuts=cuts, scale=[1.0, 1.0, 1.0], joints=[{"seam": "", "kind": "lug"}])
        cls.case = Case("Bracer", sha256_of(source), decided, person(), shop=cls.shop)
        cls.store = FolderStore(cls.folder / "computed", {cls.case.sha256: source})
        cls.graph = cls.carried(cls.case)

    @classmethod
    def carried(cls, case: Case) -> Graph:
        graph = Graph(STATIONS, case, cls.store, Memo())
        graph.carry_out(only=("measure", "pieces", "fit", "cut", "join"))
        return graph

    def other(self, **changes) -> Graph:
        return self.carried(replace(self.case, decided=change_all(self.case.decided, changes)))

    def findings(self, graph: Graph) -> dict:
        return {f.code: f for f in graph.stations["join"].findings(graph.case, graph.result("join"))}

    def test_lugs_marks_and_fact(self):
        result, data = self.graph.result("join"), self.graph.data("join")
        self.assertGreaterEqual(result.counts["lug"], 2)
        self.assertEqual(str(self.graph.stations["join"].fact(result).main), f"{result.counts['lug']} lugs")
        texts = {(m.part, m.text) for m in data.marks}
        self.assertTrue({("bracer-A", "1"), ("bracer-B", "1")} <= texts, texts)
        self.assertTrue(any(t.startswith("A^") for _, t in texts))
        for mark in data.marks:
            x, y, _ = mark.at_mm
            self.assertLess(np.hypot(x, y), 58 - 3.4 + 0.8, "on the inside")
            self.assertGreater(abs(mark.at_mm[2] - 90), 2.0, "off the seam")
        self.assertIn("coupon", self.findings(self.graph))

    def test_marks_change_so_much_and_no_more(self):
        plain = self.other(marks="none")
        raised = self.other(marks="raised")
        engraved, none, up = (g.result("join") for g in (self.graph, plain, raised))
        # Lines of 0.7 mm, 0.4 mm deep: some 0.28 mm² each; a letter of 5 mm has about 15 mm of them (common practice, no source).
        self.assertTrue(3 < engraved.carved_mm3 - none.carved_mm3 < 120)
        self.assertTrue(3 < up.grown_mm3 - none.grown_mm3 < 120)
        self.assertEqual(plain.data("join").marks, ())

    def test_room_is_asked_of_the_fit(self):
        """Another wearer's arm leaves less room at the same scale: the lugs are made again, and say so where they press."""
        stout = replace(person(), measurements=person().measurements | {"right_forearm_girth_mm": 318.0})
        screwed = replace(self.case, decided=change_all(self.case.decided, {"joints": [{"seam": "", "kind": "insert", "thread": "M4"}]}))
        slim, graph = self.carried(screwed), self.carried(replace(screwed, wearer=stout))
        self.assertNotIn("seam-changed", self.findings(slim))
        self.assertIn("would press the wearer by", str(self.findings(graph)["seam-changed"].text))
        for joint in graph.data("join").seams[0].joints:
            self.assertLess(joint.sizes["stands_mm"], 18)
        told = ToldSeam("s", "A-B", "presses", say("It presses."), True, (0.0, 0.0, 0.0))
        (pressed,) = graph.stations["join"].findings(graph.case, replace(graph.result("join"), told=(told,)))[:1]
        change = pressed.remedies[0].change["joints"]
        self.assertEqual(
            [(h["kind"], h["thread"]) for h in change if h["seam"] == "s"], [("insert", "M3")], "the next smaller screw is offered"
        )
        pins = replace(self.case, decided=change_all(self.case.decided, {"joints": []}))
        self.carried(pins)
        self.assertNotIn("join", Graph(STATIONS, replace(pins, wearer=stout), self.store).missing(), "pins take no room")

    def test_what_fitted_on_the_coupon_is_used(self):
        fits = (Fits(1, "pla", pin_mm=0.1), Fits(2, "pla", pin_mm=0.25, insert_mm=0.2), Fits(1, "petg", pin_mm=0.4))
        graph = self.carried(replace(self.case, shop=replace(self.shop, fits=fits)))
        self.assertEqual(graph.data("join").pin_gap_mm, 0.25, "the loosest of both printers")
        self.assertNotIn("coupon", self.findings(graph))
        wider = (Fits(1, "pla", insert_mm=0.1, thread_mm=0.3),)
        screwed = change_all(self.case.decided, {"joints": [{"seam": "", "kind": "insert"}]})
        made = self.carried(replace(self.case, decided=screwed, shop=replace(self.shop, fits=wider)))
        self.assertEqual({(j.sizes["hole_above_mm"], j.sizes["hole_below_mm"]) for j in made.data("join").seams[0].joints}, {(3.7, 4.1)})
        recipe = self.case.of(JoinRecipe)
        self.assertEqual(recipe.gap(replace(self.shop, fits=fits), (1,), "pla"), 0.1)
        self.assertEqual(recipe.gap(replace(self.shop, fits=fits), (2,), "petg"), self.shop.pin_clearance_mm)
        self.assertEqual(
            replace(recipe, pin_clearance_mm=0.3).gap(replace(self.shop, fits=fits), (1,), "pla"), 0.3, "the maker's own comes first"
        )
        for bad in ({"pin_mm": 0.0}, {"key_mm": -0.1}, {"insert_mm": 3.0}):
            with self.assertRaises(RecipeProblem):
                Fits(1, "pla", **bad)

    def test_a_lug_is_tried_elsewhere(self):
        data, inputs = self.graph.data("join"), self.graph.inputs("join")
        place = Place(self.store, self.graph.memo, self.folder)
        seam = data.seams[0]
        there = try_place(inputs, data, place, seam.id, 0, seam.joints[0].position_mm)
        self.assertTrue(there.holds)
        self.assertLess(np.linalg.norm(np.subtract(there.position_mm, seam.joints[0].position_mm)), 3.0)
        across = [-v for v in seam.joints[0].position_mm[:2]]
        moved = try_place(inputs, data, place, seam.id, 0, (*across, 90.0))
        self.assertLess(np.hypot(moved.position_mm[0] - across[0], moved.position_mm[1] - across[1]), 4.0)
        self.assertIsNotNone(moved.room_mm)
        with self.assertRaises(RecipeProblem):
            try_place(inputs, data, place, "no such seam", 0, (0.0, 0.0, 0.0))

    def test_a_pin_goes_where_there_is_wall(self):
        graph = self.other(joints=[{"seam": "", "kind": "pin"}], pin_diameters_mm=[0.6])
        data, inputs = graph.data("join"), graph.inputs("join")
        self.assertTrue(data.seams[0].joints, "3.4 mm hold a pin of 0.6")
        place = Place(self.store, graph.memo, self.folder)
        tried = try_place(inputs, data, place, data.seams[0].id, 0, (0.0, 0.0, 90.0))
        self.assertFalse(tried.holds)
        self.assertAlmostEqual(np.hypot(*tried.position_mm[:2]), 58 - 1.7, delta=0.5)
        self.assertIn("No wall there", str(tried.said))
        kept = self.other(joints=[{"seam": "A-B", "kind": "pin", "at_mm": [[0.0, 0.0, 90.0]]}], pin_diameters_mm=[0.6])
        self.assertEqual(len(kept.data("join").seams[0].joints), 1)
        self.assertIn("no wall where it was set", str(kept.data("join").seams[0].advice))
        self.assertIn("seam-changed", self.findings(kept))

    def test_a_clearance_of_nothing_is_refused_and_an_old_one_raised(self):
        for bad in (0.0, -0.1):
            with self.assertRaisesRegex(RecipeProblem, "coupon"):
                JoinRecipe(pin_clearance_mm=bad)
        old = read_all({"version": 1, "pin_clearance_mm": 0.0})
        self.assertEqual(next(r for r in old if isinstance(r, JoinRecipe)).pin_clearance_mm, 0.02)

    def test_a_bowed_cut_parts_and_joins(self):
        cuts = [{"id": "c1", "point": [0, 0, 90], "normal": [0, 0, 1], "limits": [], "bow_mm": 6.0}]
        graph = self.other(cuts=cuts)
        self.assertEqual(graph.result("cut").parts, 2)
        heights = [p[2] for p in graph.data("join").seams[0].outline_mm]
        # It falls by 6 mm at 50 mm from its middle: 6 · (58/50)² at the rim.
        self.assertAlmostEqual(max(heights) - min(heights), 6 * (58 / 50) ** 2, delta=0.15)
        self.assertTrue(graph.data("join").seams[0].joints)
        with self.assertRaises(RecipeProblem):
            CutRecipe(cuts=(Cut("c1", (0, 0, 0), (0, 0, 1), bow_mm=80.0),))


class Coupons(unittest.TestCase):
    def test_every_hole_is_its_step_wider(self):
        made = coupon()
        self.assertEqual(len(made.solid.bodies()), 3, "the plate, a pin and a tongue")
        plate = made.solid.bodies()[0]
        top = float(plate.bounds[1, 2])
        holes = [np.ptp(np.array(h.coords), axis=0) for h in plate.section(top - 0.6).interiors]
        self.assertEqual(len(holes), 7 * len(LADDERS))
        pins = sorted(round(float(min(h)), 2) for h in holes if 4.05 <= min(h) <= 4.85 and abs(h[0] - h[1]) < 0.05)
        for step in STEPS_MM:
            self.assertTrue(any(abs(w - (4.0 + 2 * step)) < 0.03 for w in pins), f"4 mm pin, {step} per side")
        slots = [h for h in holes if h[0] > 1.5 * h[1]]
        self.assertEqual(len(slots), 7)
        self.assertLess(max(made.size_mm[:2]), 120, "it fits any bed")
