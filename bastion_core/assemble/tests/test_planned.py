"""The order of a piece: gates, insides, things, wires, what the maker fixes; against paper and calculator."""

import re
import unittest
import zlib
from base64 import a85decode
from dataclasses import replace

import numpy as np
from manifold3d import Manifold

from bastion_core.assemble.facts import Fill, SeamFacts, Thing, Worn, glue_from
from bastion_core.assemble.paper import assembly_pdf
from bastion_core.assemble.pictures import Shown, frame_of, picture
from bastion_core.assemble.planned import Shape, assembled
from bastion_core.assemble.recipe import AssembleRecipe, Before, PutIn, kind_of, read_before, read_put_in
from bastion_core.assemble.table import FLAT_MM, TAKES, TRIALS
from bastion_core.assemble.tests.scenes import facts_of, glue, hollow, seam, stack
from bastion_core.assemble.things import put_in
from bastion_core.errors import RecipeProblem
from bastion_core.geometry.place import Plane
from bastion_core.geometry.solid import Solid
from bastion_core.tests.shapes import box


def order_of(facts, fixed=(), bench_h=3.0):
    return assembled(facts, Shape.of(facts), {}, fixed, bench_h)


def can(**more):
    """A closed can in two halves, A over B."""
    above, below = hollow(60, 140, 3).split(Plane((0.0, 0.0, 1.0), 70.0))
    return facts_of([("p-A", above), ("p-B", below)], [seam("p-A", "p-B")], **more)


BATTERY = Thing("battery", "battery", (0.0, 0.0, 20.0), (62.0, 36.0, 9.0))
LAMP = Thing("lamp", "light", (0.0, 0.0, 120.0), (30.0, 30.0, 12.0))
WIRE = Thing("wire", "wire", BATTERY.at_mm, (3.0, 3.0, 3.0), LAMP.at_mm)


class ByHand(unittest.TestCase):
    def test_minutes_and_gates_of_two_boxes(self):
        result, data, _ = order_of(stack(2))
        steps = {s.key: s for s in data.steps}
        self.assertEqual([s.key for s in data.steps], ["dry fit", "faces A-B", "join A-B"])
        # By the table: 6 + 2 × 1.5 for the dry fit; 1.5 + 0.08 × 20 cm² of both faces; 2 + 0.05 × 10 cm², held 1 min.
        self.assertAlmostEqual(steps["dry fit"].hands_min, 9.0)
        self.assertAlmostEqual(steps["faces A-B"].hands_min, 3.1)
        self.assertAlmostEqual(steps["join A-B"].hands_min, 2 + 0.5 + 1.0)
        self.assertAlmostEqual(result.hands_h, (9.0 + 3.1 + 3.5) / 60, places=2)
        self.assertAlmostEqual(result.elapsed_h, 15.6 / 60, places=2)
        self.assertEqual(result.days, 1)

    def test_glue_gates_the_next_and_the_trial_waits_for_full_strength(self):
        facts = replace(stack(3, handle_h=2.0), worn=Worn(0.9, 4.0, "brow", 3.0, 500.0, 0))
        _, data, _ = order_of(facts, bench_h=12.0)
        steps = {s.key: s for s in data.steps}
        first, second = sorted((s for s in data.steps if s.kind == "glue"), key=lambda s: s.start_h)
        self.assertGreaterEqual(second.start_h, first.end_h + 2.0 - 1e-6)
        self.assertGreaterEqual(steps["last trial"].start_h, second.end_h + 24.0 - 1e-6)
        self.assertEqual(data.steps[0].key, "dry fit", "before any glue")
        # 8 % for clearances nobody tried, and the chance that it does not fit.
        self.assertAlmostEqual(steps["dry fit"].fails, 1 - (1 - TRIALS["dry"]) * 0.9, places=3)
        self.assertIn("4.0 mm", " ".join(str(c) for c in steps["dry fit"].check))

    def test_a_coupon_makes_the_dry_fit_surer(self):
        bare, tried = (order_of(replace(stack(2), coupon=c))[1].steps[0].fails for c in (False, True))
        self.assertLess(tried, bare)

    def test_faces_and_times_of_what_is_mixed(self):
        contact, told = seam("p-A", "p-B")
        epoxy = replace(told, area_cm2=900.0, glue=glue(4.0, 30.0))
        facts = facts_of([("p-A", box(40, 40, 20, (0, 0, 20))), ("p-B", box(40, 40, 20))], [(contact, epoxy)])
        step = next(s for s in order_of(facts)[1].steps if s.kind == "glue")
        # 2 + 0.05 × 900 + tape is more than the 30 minutes one mix is good for.
        self.assertIn("Mix 2 portions", " ".join(str(h) for h in step.how))
        self.assertEqual(step.by_clock, "")
        small = replace(told, glue=glue(4.0, 30.0))
        step = next(s for s in order_of(replace(facts, seams={contact.id: small}))[1].steps if s.kind == "glue")
        hours, minutes = (int(v) for v in step.clock.split(":"))
        self.assertEqual(step.by_clock, f"{(hours * 60 + minutes + 30) // 60:02d}:{(minutes + 30) % 60:02d}")
        sand = next(s for s in order_of(facts)[1].steps if s.kind == "sand")
        self.assertIn(f"{FLAT_MM:.2f} mm", str(sand.how[0]))


class Insides(unittest.TestCase):
    def test_a_shell_is_painted_before_it_is_closed(self):
        result, data, _ = order_of(can(inside="paint"))
        keys = [s.key for s in data.steps]
        self.assertLess(keys.index("inside A"), keys.index("join A-B"))
        self.assertLess(keys.index("inside B"), keys.index("join A-B"))
        for told in result.insides:
            self.assertGreater(told.share, 0.95)
            self.assertEqual(told.share_whole, 0.0)
        # Inside of a half: its wall, 2 π r h, and its end, π r².
        area = (2 * np.pi * 57 * 67 + np.pi * 57**2) / 10_000
        for told in result.insides:
            self.assertAlmostEqual(told.area_dm2, area, delta=0.06 * area)
        step = next(s for s in data.steps if s.key == "inside A")
        self.assertIn("Mask 1 place", " ".join(str(h) for h in step.how))
        self.assertGreaterEqual(next(s for s in data.steps if s.key == "join A-B").start_h, step.end_h + 1.0 - 1e-6)

    def test_an_open_tube_is_painted_once_when_it_is_together(self):
        tube = Solid(Manifold.cylinder(120, 50, 50, 64, True) - Manifold.cylinder(130, 46, 46, 64, True))
        above, below = tube.split(Plane((0.0, 0.0, 1.0), 0.0))
        _, data, _ = order_of(facts_of([("p-A", above), ("p-B", below)], [seam("p-A", "p-B")], inside="paint"))
        keys = [s.key for s in data.steps]
        self.assertEqual([k for k in keys if k.startswith("inside")], ["inside A+B"])
        self.assertLess(keys.index("join A-B"), keys.index("inside A+B"))

    def test_what_is_filled_is_not_painted_and_sets_before_it_closes(self):
        facts = can(inside="paint", fills=(Fill("p-B", "plaster", 400.0, 0.3, 2.0, ""),))
        result, data, _ = order_of(facts, bench_h=10.0)
        steps = {s.key: s for s in data.steps}
        self.assertEqual([i.part for i in result.insides], ["p-A"])
        self.assertGreaterEqual(steps["join A-B"].start_h, steps["fill B"].end_h + 2.0 - 1e-6)


class Things(unittest.TestCase):
    def test_a_battery_goes_in_before_the_can_closes_and_is_sealed_in(self):
        result, data, _ = order_of(can(things=(BATTERY,)))
        keys = [s.key for s in data.steps]
        self.assertLess(keys.index("mock up"), keys.index("put in battery"))
        self.assertLess(keys.index("put in battery"), keys.index("join A-B"))
        (told,) = result.things
        self.assertTrue(told.goes_in)
        self.assertFalse(told.again)
        self.assertEqual(told.seam, "A-B", "what would have to come off")

    def test_with_magnets_it_is_reached_again(self):
        contact, told = seam("p-A", "p-B", kind="magnet")
        facts = can(things=(BATTERY,))
        loose = replace(facts, seams={contact.id: told})
        (thing,) = order_of(loose)[0].things
        self.assertTrue(thing.again)
        keys = [s.key for s in order_of(loose)[1].steps]
        self.assertLess(keys.index("magnets A-B"), keys.index("join A-B"))

    def test_two_seams_between_the_same_parts_close_in_one_step(self):
        corner = Solid(Manifold.cube([60, 60, 60], True) - Manifold.cube([30, 60, 30], True).translate([15, 0, 15]))
        block = Solid(Manifold.cube([30, 60, 30], True).translate([15, 0, 15]))
        level, upright = seam("p-A", "p-B", kind="magnet"), seam("p-A", "p-B", (1.0, 0.0, 0.0), "magnet")
        other = replace(upright[0], id="p-A/p-B/2")
        facts = facts_of([("p-A", block), ("p-B", corner)], [level, (other, replace(upright[1], id=other.id))])
        keys = [s.key for s in order_of(facts)[1].steps]
        self.assertEqual(keys, ["dry fit", "magnets A-B", "join A-B, A-B"])

    def test_a_wire_is_laid_and_what_it_leads_to_is_plugged_in_after(self):
        result, data, _ = order_of(can(things=(BATTERY, LAMP, WIRE)))
        keys = [s.key for s in data.steps]
        for thing in ("put in battery", "put in lamp"):
            self.assertLess(keys.index("wire"), keys.index(thing))
        self.assertLess(keys.index("wire"), keys.index("join A-B"))
        wire = next(t for t in result.things if t.kind == "wire")
        self.assertTrue(wire.way)
        self.assertFalse(wire.fished)

    def test_a_wire_through_a_narrow_closed_leg_is_fished(self):
        # A leg of 36 mm across and 500 long, closed at both ends: nothing reaches its middle.
        leg = hollow(18, 500, 3)
        above, below = leg.split(Plane((0.0, 0.0, 1.0), 480.0))
        ends = Thing("wire", "wire", (0.0, 0.0, 470.0), (3.0, 3.0, 3.0), (0.0, 0.0, 12.0))
        result, data, _ = order_of(facts_of([("p-A", above), ("p-B", below)], [seam("p-A", "p-B")], things=(ends,)))
        (told,) = result.things
        self.assertTrue(told.fished)
        step = next(s for s in data.steps if s.kind == "wire")
        self.assertGreater(step.hands_min, 50, "20 and 8 for every 10 cm of nearly 46")

    def test_a_wire_without_a_way_is_told(self):
        closed = Solid(Manifold.cube([60, 60, 60], True) - Manifold.cube([40, 40, 40], True))
        above, below = closed.split(Plane((0.0, 0.0, 1.0), 0.0))
        out = Thing("wire", "wire", (0.0, 0.0, 0.0), (3.0, 3.0, 3.0), (60.0, 0.0, 0.0))
        (told,) = order_of(facts_of([("p-A", above), ("p-B", below)], [seam("p-A", "p-B")], things=(out,)))[0].things
        self.assertFalse(told.way)

    def test_a_thing_larger_than_every_opening(self):
        whole = facts_of([("p-A", hollow(60, 140, 3, open_top=14))], [], things=(BATTERY,))
        self.assertFalse(order_of(whole)[0].things[0].goes_in)
        wide = facts_of([("p-A", hollow(60, 140, 3, open_top=48))], [], things=(BATTERY,))
        self.assertTrue(order_of(wide)[0].things[0].goes_in)

    def test_visor_last_but_one_padding_last(self):
        facts = replace(can(things=(BATTERY,), visor=True), worn=Worn(1.0, pads=6))
        keys = [s.key for s in order_of(facts)[1].steps]
        self.assertEqual(keys[-3:], ["visor", "padding", "last trial"])


class Fixed(unittest.TestCase):
    def test_what_the_maker_fixes_holds_and_costs(self):
        facts = stack(4)
        free = order_of(facts, bench_h=8.0)
        keys = [s.key for s in free[1].steps if s.kind == "glue"]
        turned = (Before(keys[-1], keys[0]),)
        result, data, _ = order_of(facts, turned, 8.0)
        if result.impossible:
            self.fail(str(result.impossible))
        order = [s.key for s in data.steps]
        self.assertLess(order.index(keys[-1]), order.index(keys[0]))
        self.assertGreaterEqual(result.costs_h, 0.0)

    def test_an_order_that_cannot_be_is_said_and_the_best_is_shown(self):
        round_about = (Before("join A-B", "join B-C"), Before("join B-C", "join A-B"))
        result, data, _ = order_of(stack(3), round_about)
        self.assertIn("This order cannot be", str(result.impossible))
        self.assertTrue(data.steps)
        result, _, _ = order_of(stack(2), (Before("join A-B", "dry fit"),))
        self.assertIn("This order cannot be", str(result.impossible))

    def test_steps_that_are_gone_are_told(self):
        result, _, _ = order_of(stack(2), (Before("join A-B", "join X-Y"),))
        self.assertEqual(result.unknown, ("join X-Y",))

    def test_making_a_part_again_costs_more_the_later(self):
        facts = replace(stack(4), print_h={"p-A": 5.0, "p-B": 5.0, "p-C": 5.0, "p-D": 5.0})
        mends = [m for m in order_of(facts)[1].mends if m.part == "p-B"]
        self.assertEqual([m.hands_h for m in mends], sorted(m.hands_h for m in mends))
        self.assertEqual(mends[0].hands_h, 0.0)
        self.assertGreater(mends[-1].hands_h, 0.1)
        self.assertTrue(all(m.printer_h == 5.0 for m in mends))

    def test_a_tight_rim_by_heat_by_hand_or_printed_larger(self):
        worn = Worn(0.5, 2.0, "brow", -1.5, 600.0, 0)
        facts = replace(stack(2), worn=worn, print_h={"p-A": 8.0, "p-B": 9.0})
        heat, opened, larger = order_of(facts)[1].mends[:3]
        # 1.5 mm lack and half a millimetre to spare: 2 π 2.0 / 600 of stretch; 6 min and half a minute for each of 60 cm.
        self.assertAlmostEqual(heat.by_mm, 2.0)
        self.assertTrue(heat.possible)
        self.assertAlmostEqual(heat.hands_h, (6 + 0.5 * 60) / 60, places=2)
        self.assertAlmostEqual(opened.hands_h, (4 + 0.6 * 2.0 * 60) / 60, places=2)
        self.assertEqual(larger.printer_h, 17.0)
        stiff = order_of(replace(facts, material="abs"))[1].mends[0]
        self.assertFalse(stiff.possible)
        much = order_of(replace(facts, worn=replace(worn, passes_mm=-9.0)))[1].mends[0]
        self.assertFalse(much.possible, "ten per cent of stretch")


class Refused(unittest.TestCase):
    def test_times_that_cannot_be(self):
        for wrong in ({"handle_h": -1.0}, {"sets_min": -2.0}, {"handle_h": 30.0}):
            with self.assertRaisesRegex(RecipeProblem, "cannot be"):
                SeamFacts("s", "A-B", "glue", 1.0, glue=replace(glue(), **wrong))
        with self.assertRaisesRegex(RecipeProblem, "cannot be read"):
            glue_from({"name": "glue", "ml": 1})

    def test_decisions(self):
        self.assertEqual(read_before("a<b"), Before("a", "b"))
        with self.assertRaisesRegex(RecipeProblem, "names no two steps"):
            read_before("a")
        with self.assertRaisesRegex(RecipeProblem, "before itself"):
            Before("a", "a")
        self.assertEqual(read_put_in("wire eye@A:C"), PutIn("wire eye", "A", "wire", (3.0, 3.0, 3.0), None, "C"))
        with self.assertRaisesRegex(RecipeProblem, "cannot be read"):
            read_put_in("board@A=1x2")
        with self.assertRaisesRegex(RecipeProblem, "two ends"):
            PutIn("w", "A", "wire")
        with self.assertRaisesRegex(RecipeProblem, "1 to 600"):
            PutIn("w", "A", "board", (0.0, 1.0, 1.0))
        with self.assertRaisesRegex(RecipeProblem, "same name"):
            AssembleRecipe(put_in=(PutIn("w", "A"), PutIn("w", "B")))
        with self.assertRaises(RecipeProblem):
            AssembleRecipe(bench_h=0.0)
        self.assertEqual(kind_of("Battery, four cells"), "battery")

    def test_a_part_that_is_not_there(self):
        facts = stack(2)
        with self.assertRaisesRegex(RecipeProblem, "no part or thing “Q”"):
            put_in((PutIn("lamp", "Q"),), (), {"A": "p-A"}, facts.assembly, (1.0, 1.0, 1.0))
        (thing,) = put_in((PutIn("lamp", "A", at_mm=(1.0, 2.0, 3.0)),), (), {"A": "p-A"}, facts.assembly, (2.0, 2.0, 1.0))
        self.assertEqual(thing.at_mm, (2.0, 4.0, 3.0))

    def test_what_cannot_be_inserted_is_locked(self):
        shell = Solid(Manifold.cube([60, 60, 60], True) - Manifold.cube([40, 40, 40], True))
        facts = facts_of([("p-A", box(38, 38, 38, (0, 0, -19))), ("p-B", shell)], [seam("p-A", "p-B")])
        (lock,) = order_of(facts)[0].locked
        self.assertEqual({lock.moves, lock.by}, {"p-A", "p-B"})
        self.assertAlmostEqual(lock.travel_mm, 1.0, delta=0.1)


class Drawn(unittest.TestCase):
    def test_the_outline_is_the_shadow(self):
        # A sphere's outline is a circle of its radius from everywhere.
        sphere = Solid(Manifold.sphere(30, 96)).mesh()
        drawn = picture([Shown(sphere, "new", np.zeros(3))], "front left")
        outline = next(s for s in drawn.strokes if s.filled)
        at = np.array([[float(v) for v in p.split(",")] for p in outline.path[1:].rstrip("Z").split("L")])
        np.testing.assert_allclose(np.linalg.norm(at, axis=1), 30.0, atol=0.5)

    def test_what_is_hidden_is_not_drawn(self):
        front = frame_of("front left")[:, 2]
        near = Solid(Manifold.cube([60, 60, 60], True)).mesh()
        behind = Solid(Manifold.cube([10, 10, 10], True).translate([float(v) for v in -70 * front])).mesh()
        drawn = picture([Shown(near, "stands", np.zeros(3)), Shown(behind, "new", np.zeros(3))], "front left")
        self.assertFalse([s for s in drawn.strokes if s.tone == "new"])

    def test_every_step_has_a_drawing_and_a_place_on_paper(self):
        facts = can(things=(BATTERY, LAMP, WIRE), inside="paint")
        _, data, drawings = order_of(facts)
        self.assertEqual(len(drawings.steps), len(data.steps))
        for step, drawn in zip(data.steps, drawings.steps, strict=True):
            self.assertTrue([s for s in drawn.strokes if s.tone == "new"], step.key)
            moves = step.kind == "glue"
            self.assertEqual(drawn.arrow is not None, moves, step.key)
        paper = assembly_pdf("Can", data, drawings)
        self.assertTrue(paper.startswith(b"%PDF"))
        self.assertEqual(paper.count(b"/Type /Page\n"), -(-len(data.steps) // 4))
        # Every text is black, whatever was filled before it.
        for stream in re.findall(rb"stream\r?\n(.*?)endstream", paper, re.DOTALL):
            page = zlib.decompress(a85decode(stream.strip().removesuffix(b"~>"))).decode("latin-1")
            shade = "0"
            for word in re.findall(r"(\S+) g\b|\b(Tj)\b", page):
                shade = word[0] or shade
                self.assertTrue(word[0] or shade == "0", "text in grey or white")
            self.assertIn("Tj", page)

    def test_minutes_by_the_table(self):
        self.assertEqual(TAKES["paint"].of_so_many(2.0), 6.0 + 2.4)
