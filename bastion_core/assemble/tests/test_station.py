"""The station: out of joints as they are made, rods, ballast and decisions; and what it has to say of a result."""

import tempfile
import unittest
import unittest.mock
from dataclasses import replace
from pathlib import Path

import numpy as np

from bastion_core.assemble.planned import Shape
from bastion_core.assemble.recipe import AssembleRecipe, Before, PutIn
from bastion_core.assemble.records import AssembleResult, InsideTold, Locked, ThingTold
from bastion_core.assemble.station import AssembleStation, facts_of
from bastion_core.case import Case
from bastion_core.commands.options import sha256_of
from bastion_core.cut.parting import Cut
from bastion_core.engine.graph import Graph
from bastion_core.engine.keeping import plain
from bastion_core.engine.memo import Memo
from bastion_core.engine.station import Place
from bastion_core.engine.store import FolderStore
from bastion_core.findings import NOTHING, Finding, Verdict, say
from bastion_core.formats.stl import write_binary_stl
from bastion_core.join.ballast import Ballast
from bastion_core.join.held import Held
from bastion_core.join.rods import Rod
from bastion_core.recipes import begin_all, change_all
from bastion_core.shop import Printer, Shop
from bastion_core.stations import STATIONS
from bastion_core.tests.shapes import box

UP = (0.0, 0.0, 1.0)


class Carried(unittest.TestCase):
    """A bar of 40 × 40 × 240 in three parts, on a large bed."""

    @classmethod
    def setUpClass(cls):
        made = tempfile.TemporaryDirectory()
        cls.addClassCleanup(made.cleanup)
        cls.source = Path(made.name) / "bar.stl"
        write_binary_stl(box(40, 40, 240).mesh(), cls.source)
        cls.shop = Shop(((1, Printer("Large", 350, 350, 400)),))
        cls.store, cls.memo = FolderStore(Path(made.name) / "computed", {sha256_of(cls.source): cls.source}), Memo()

    def graph(self, **decided) -> Graph:
        cuts = tuple(Cut(f"c{k}", (0.0, 0.0, z), UP) for k, z in enumerate((80.0, 160.0), 1))
        begun = begin_all(self.shop, site="hand_held", scale=[1.0, 1.0, 1.0], cuts=plain(cuts))
        graph = Graph(
            STATIONS, Case("bar", sha256_of(self.source), change_all(begun, plain(decided)), shop=self.shop), self.store, self.memo
        )
        graph.carry_out()
        return graph

    def steps(self, **decided):
        return {s.key: s for s in self.graph(**decided).data("assemble").steps}

    def test_pins_and_glue_as_join_has_them(self):
        graph = self.graph()
        facts, rims = facts_of(graph.inputs("assemble"), Place(self.store, self.memo, Path("nowhere")))
        seams = graph.data("join").seams
        self.assertEqual({c.id for c in facts.assembly.contacts}, {s.id for s in seams})
        for contact in facts.assembly.contacts:
            self.assertAlmostEqual(abs(float(np.array(contact.along) @ UP)), 1.0, places=5)
            above, below = (facts.assembly.bodies[facts.assembly.index[n]].mesh.bounds[:, 2].mean() for n in contact.between)
            self.assertEqual(np.sign(contact.along[2]), np.sign(above - below), "the one above comes off along it")
        for seam in seams:
            self.assertAlmostEqual(facts.seams[seam.id].area_cm2, 16.0, delta=0.1)
            self.assertEqual(facts.seams[seam.id].fasteners, len(seam.joints))
            self.assertEqual(len(rims[seam.id]), len(seam.outline_mm))
        steps = list(graph.data("assemble").steps)
        self.assertEqual([s.kind for s in steps].count("glue"), 2)
        self.assertTrue(all(s.glue for s in steps if s.kind == "glue"))

    def test_a_rod_through_all_parts_goes_in_before_the_last_one_closes(self):
        steps = self.steps(rods=(Rod("long", "steel-8", None, 30.0, 210.0),))
        rods = [s for s in steps.values() if any("rod" in letters for letters in s.seams)]
        self.assertTrue(rods)
        order = list(steps)
        closings = [k for k, s in steps.items() if s.kind in ("glue", "rod")]
        self.assertEqual(sum(len(steps[k].seams) for k in closings), 2 + 3, "two seams, and the rod in three bores")
        self.assertIn("rod", " ".join(order[order.index(closings[0]) : order.index(closings[-1]) + 1]))
        self.assertIn("Two-part epoxy", " ".join(s.glue for s in rods))

    def test_ballast_goes_in_while_its_part_is_open(self):
        steps = self.steps(ballast=(Ballast("C", "plaster", 60.0),))
        self.assertIn("fill C", steps)
        self.assertIn("60 g", str(steps["fill C"].title))
        closing = next(s for s in steps.values() if s.kind == "glue" and any("C" in letters for letters in s.seams))
        self.assertGreaterEqual(closing.start_h, steps["fill C"].end_h + steps["fill C"].handle_h - 1e-6)
        self.assertGreater(steps["fill C"].handle_h, 0)

    def test_what_is_left_unglued_is_taped_and_takes_no_glue(self):
        letters = next(s for s in self.steps().values() if s.kind == "glue").seams[0]
        loose = next(s for s in self.steps(unglued=(letters,)).values() if letters in s.seams and s.kind != "sand")
        self.assertEqual((loose.kind, loose.amount_ml, loose.full_h), ("close", 0.0, 0.0))
        self.assertIn("unglued on purpose", " ".join(str(h) for h in loose.how))

    def test_what_comes_off_is_closed_last_and_its_magnets_are_set_before(self):
        letters = self.graph().data("join").seams[0].letters
        graph = self.graph(joints=(Held(letters, "magnet"),))
        if graph.data("join").seams[0].kind != "magnet":
            self.fail("the seam is to be held by magnets here")
        order = [s.key for s in graph.data("assemble").steps]
        self.assertLess(order.index(f"magnets {letters}"), order.index(f"join {letters}"))
        self.assertEqual(order[-1], f"join {letters}", "glue first")

    def test_a_part_that_is_not_there_is_said_and_the_prints_stand(self):
        graph = self.graph(put_in=(PutIn("lamp", "Q"),))
        self.assertTrue(graph.fresh)
        self.assertIn("no part or thing “Q”", str(graph.result("assemble").impossible))
        self.assertEqual(graph.data("assemble").steps, ())

    def test_another_evening_computes_the_order_only_and_the_shape_is_known_still(self):
        before = self.graph()
        with unittest.mock.patch.object(Shape, "of", side_effect=AssertionError("made anew")):
            after = self.graph(bench_h=8.0)
        self.assertEqual(after.ref("print"), before.ref("print"))
        self.assertEqual(after.data("assemble").bench_h, 8.0)


def result(**more) -> AssembleResult:
    plain_one = AssembleResult(5, 1.0, 3.0, 1, 1.0, 0.1, (), (), (), NOTHING, (), 0.0, 0, (), None, 2)
    return replace(plain_one, **more)


def thing(**more) -> ThingTold:
    return replace(ThingTold("battery", "battery", "put in battery", True, True, "", "", False, True, (1.0, 2.0, 3.0)), **more)


class Said(unittest.TestCase):
    def setUp(self):
        shop = Shop()
        self.case = Case(
            "x", "0" * 64, change_all(begin_all(shop), {"joints": [plain(Held("A-B", "pin")), plain(Held("", "glue"))]}), shop=shop
        )
        self.station = AssembleStation()

    def found(self, **more):
        return {f.code: f for f in self.station.findings(self.case, result(**more))}

    def test_nothing_to_say(self):
        self.assertEqual(self.found(), {})
        self.assertEqual(str(self.station.fact(result()).main), "5 steps")
        self.assertEqual(str(self.station.fact(result()).under), "1.0 h, 1 day")
        self.assertEqual(str(self.station.fact(result(impossible=say("no"))).main), "cannot be")

    def test_what_stops(self):
        locked = self.found(locked=(Locked("join A-B", "x-A", "x-B", 4.0, (1.0, 2.0, 3.0)),))["locked"]
        self.assertEqual((locked.verdict, locked.place_mm), (Verdict.STOPS, (1.0, 2.0, 3.0)))
        self.assertIn("B is in front of it, 4.0 mm", str(locked.text))
        self.assertEqual(self.found(impossible=say("no"))["order"].remedies, (), "there is nothing to free")
        fixed = replace(self.case, decided=change_all(self.case.decided, {"fixed": [{"first": "a", "then": "b"}]}))
        (said,) = self.station.findings(fixed, result(impossible=say("no")))
        self.assertEqual(said.remedies[0].change, {"fixed": []})
        self.assertEqual(self.found(things=(thing(goes_in=False),))["no-room"].verdict, Verdict.STOPS)
        self.assertEqual(self.found(things=(thing(kind="wire", way=False),))["no-way"].verdict, Verdict.STOPS)

    def test_what_is_tight_and_what_would_mend_it(self):
        sealed = self.found(things=(thing(again=False, seam="A-B", seam_id="c1/a/b"),))["sealed"]
        self.assertEqual(sealed.verdict, Verdict.TIGHT)
        (remedy,) = sealed.remedies
        held = remedy.change["joints"]
        self.assertEqual([(h["seam"], h["kind"]) for h in held], [("", "glue"), ("c1/a/b", "magnet")], "what held that seam gives way")
        self.assertIn("Give it a lid", str(self.found(things=(thing(again=False),))["sealed"].text))
        self.assertEqual(self.found(things=(thing(kind="light", again=False),)), {}, "a light is not changed so often")
        self.assertEqual(self.found(things=(thing(kind="wire", fished=True),))["fished"].verdict, Verdict.TIGHT)
        self.assertIn("50 %", str(self.found(insides=(InsideTold("x-A", 2.0, 0.1, 0.5, "inside A"),))["inside"].text))

    def test_what_the_makers_order_costs(self):
        self.assertEqual(self.found(costs_h=24.0, costs_days=1)["fixed"].verdict, Verdict.TIGHT)
        cheap = self.found(costs_h=0.4)["fixed"]
        self.assertEqual(cheap.verdict, Verdict.HOLDS)
        self.assertIn("0.4 h", str(cheap.text))
        self.assertNotIn("fixed", self.found(costs_h=0.01))

    def test_notes_judge_nothing(self):
        notes = self.found(
            insides=(InsideTold("x-A", 2.0, 0.1, 1.0, "inside A"),), unwelded=("A-B",), unknown=("join X-Y",), chance=0.6
        )  # fmt: skip
        self.assertEqual(set(notes), {"inside-first", "unwelded", "unknown", "dry-fit"})
        self.assertFalse([n for n in notes.values() if isinstance(n, Finding)])

    def test_decisions_in_words(self):
        recipe = AssembleRecipe("paint", (PutIn("lamp", "A"),), True, ("A-B",), (Before("a", "b"),))
        self.assertEqual(recipe.put_in[0].kind, "other")
        self.assertEqual(recipe.bench_h, 3.0)
