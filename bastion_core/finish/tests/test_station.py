"""The station: out of parts as they lie and seams as they are made; drafts it offers come true when they are taken; the command."""

import contextlib
import io
import json
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
import trimesh
from manifold3d import Manifold

from bastion_core.__main__ import main
from bastion_core.assemble.tests.scenes import hollow
from bastion_core.case import Case
from bastion_core.commands.options import sha256_of
from bastion_core.cut.parting import Cut
from bastion_core.engine.graph import Graph
from bastion_core.engine.keeping import plain
from bastion_core.engine.memo import Memo
from bastion_core.engine.store import FolderStore
from bastion_core.errors import RecipeProblem
from bastion_core.findings import Verdict
from bastion_core.finish.offers import worth
from bastion_core.finish.pace import HandLog
from bastion_core.finish.recipe import Fault, OwnRegion
from bastion_core.finish.records import LOOK
from bastion_core.finish.station import FinishStation
from bastion_core.formats.stl import write_binary_stl
from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.solid import Solid
from bastion_core.print.recipe import LiesOn
from bastion_core.recipes import begin_all, change_all
from bastion_core.shop import Printer, Shop, Weights
from bastion_core.stations import STATIONS
from bastion_core.tests.shapes import TORN_SPHERE, box


class Finished(unittest.TestCase):
    """A hollow float in two parts, on a large bed."""

    @classmethod
    def setUpClass(cls):
        made = tempfile.TemporaryDirectory()
        cls.addClassCleanup(made.cleanup)
        cls.source = Path(made.name) / "float.stl"
        write_binary_stl(hollow(46, 110, 3.4).mesh(), cls.source)
        cls.shop = Shop(((1, Printer("Large", 350, 350, 400)),))
        cls.store, cls.memo = FolderStore(Path(made.name) / "computed", {sha256_of(cls.source): cls.source}), Memo()
        cls.usual = cls.graph()

    @classmethod
    def graph(cls, shop: Shop | None = None, **decided) -> Graph:
        cuts = (Cut("c1", (0.0, 0.0, 55.0), (0.0, 0.0, 1.0)),)
        begun = begin_all(cls.shop, site="hand_held", scale=[1.0, 1.0, 1.0], cuts=plain(cuts))
        case = Case("float", sha256_of(cls.source), change_all(begun, plain(decided)), shop=shop or cls.shop)
        graph = Graph(STATIONS, case, cls.store, cls.memo)
        graph.carry_out()
        return graph

    def said(self, graph: Graph) -> dict:
        return {f.code: f for f in FinishStation().findings(graph.case, graph.result("finish"))}

    def test_regions_are_of_the_joined_piece(self):
        data, result = self.usual.data("finish"), self.usual.result("finish")
        seam = next(r.region for r in data.regions if r.region.kind == "seam")
        rim = np.array(self.usual.data("join").seams[0].outline_mm)
        length = float(np.linalg.norm(rim - np.roll(rim, 1, axis=0), axis=1).sum())
        self.assertAlmostEqual(seam.seam_mm, length, delta=1)
        # The inside of both halves is one inside, and no face of the joint is outside.
        self.assertEqual(sum(r.region.kind == "inside" for r in data.regions), 1)
        outside = sum(r.region.area_mm2 for r in data.regions if r.region.kind != "inside")
        self.assertAlmostEqual(outside, result.outside_mm2, delta=2)
        # A cylinder of radius 46 and 110 high, closed at both ends.
        self.assertAlmostEqual(result.outside_mm2 / (2 * np.pi * 46 * 110 + 2 * np.pi * 46**2), 1, delta=0.1)

    def test_the_stage_has_a_mesh_for_every_region(self):
        ref = self.usual.ref("finish")
        scene = trimesh.load(self.store.folder(ref) / LOOK)
        named = {r.region.id for r in self.usual.data("finish").regions} | {"glued"}
        self.assertEqual(set(scene.geometry), named)
        for r in self.usual.data("finish").regions:
            self.assertAlmostEqual(scene.geometry[r.region.id].area, r.region.area_mm2, delta=1)

    def test_what_is_decided_here_makes_nothing_before_it_anew(self):
        resin = self.graph(school="resin", target="worn")
        for key in ("pieces", "fit", "cut", "join", "print", "assemble"):
            self.assertEqual(resin.ref(key), self.usual.ref(key))
        self.assertNotEqual(resin.ref("finish"), self.usual.ref("finish"))

    def test_layers_move_the_finish_as_it_offered(self):
        layers = [o for o in self.usual.data("finish").offers if o.kind == "layer"][:2]
        self.assertTrue(layers)
        for offer in layers:
            taken = self.graph(**offer.change)
            self.assertAlmostEqual(taken.result("finish").hands_h - self.usual.result("finish").hands_h, offer.hands_h, delta=0.08)
            self.assertAlmostEqual(taken.result("print").hours - self.usual.result("print").hours, offer.printer_h, delta=0.3)

    def test_easy_sanding_material_moves_it_as_it_offered(self):
        offer = next(o for o in self.usual.data("finish").offers if o.key == "material")
        taken = self.graph(**offer.change)
        self.assertAlmostEqual(taken.result("finish").hands_h - self.usual.result("finish").hands_h, offer.hands_h, delta=0.05)
        self.assertEqual(self.usual.data("finish").beside[0].school, "leave")

    def test_another_lying_is_what_it_told(self):
        """Laid on its side by hand, the upper half is offered to lie on its face again."""
        part = self.usual.data("print").parts[0]
        aside = LiesOn(part.id, (1.0, 0.0, 0.0))
        laid = self.graph(lying=(aside,))
        lying = [o for o in laid.data("finish").offers if o.kind == "lying"]
        self.assertTrue(lying)
        taken = self.graph(**lying[0].change)
        self.assertAlmostEqual(taken.result("finish").hands_h - laid.result("finish").hands_h, lying[0].hands_h, delta=0.2)

    def test_what_says_nothing_of_a_surface_computes_nothing(self):
        self.assertEqual(self.graph(colour="grey").ref("finish"), self.usual.ref("finish"))

    def test_printer_hours_are_offered_for_hands_as_the_shop_weighs_them(self):
        offer = replace(self.usual.data("finish").offers[0], hands_h=0.5, printer_h=-3.0)
        self.assertEqual(worth([offer], 5.0), (offer,))
        self.assertEqual(worth([offer], 7.0), ())
        dear = replace(self.shop, weights=Weights(steps=100.0))
        self.assertTrue(all(o.hands_h <= 0 for o in self.graph(dear).data("finish").offers))

    def test_what_was_asked_is_told_where_it_does_not_go(self):
        told = {r.region.kind: r for r in self.graph(school="resin").data("finish").regions}
        self.assertEqual((told["inside"].school, told["inside"].asked), ("leave", "leave"))
        self.assertEqual((told["edge"].asked, told["edge"].school == "resin"), ("resin", False))

    def test_ways_beside_each_other_are_the_plans_themselves(self):
        for beside in self.usual.data("finish").beside[:3]:
            made = self.graph(school=beside.school).result("finish")
            self.assertAlmostEqual(made.hands_h, beside.hands_h, places=6)
            self.assertEqual(made.days_least, beside.days)

    def test_learnt_pace_moves_hands(self):
        slow = self.graph(replace(self.shop, hands=(HandLog("sand", 20, float(np.log(2))),)))
        usual, now = self.usual.data("finish").by_kind, slow.data("finish").by_kind
        self.assertAlmostEqual(now["sand"] / usual["sand"], 2, delta=0.15)
        self.assertAlmostEqual(now["spray"], usual["spray"], places=6)
        self.assertEqual(
            {s.key: s.usual_min for s in slow.data("finish").steps}, {s.key: s.usual_min for s in self.usual.data("finish").steps}
        )

    def test_faults_cost_and_repeats_are_told(self):
        at = [(46.0, 0.0, 20.0), (-46.0, 0.0, 80.0)]
        once = self.graph(faults=(Fault("run", at[0]),))
        self.assertEqual(self.said(once)["fault"].code, "fault")
        twice = self.graph(faults=tuple(Fault("run", a) for a in at))
        told = self.said(twice)["repeated"]
        self.assertEqual(told.verdict, Verdict.TIGHT)
        self.assertIn("second time", str(told.text))
        self.assertGreater(twice.result("finish").hands_h, once.result("finish").hands_h)
        self.assertGreater(once.result("finish").hands_h, self.usual.result("finish").hands_h)

    def test_what_does_not_hold_is_stopped_with_its_remedy(self):
        bad = self.graph(primer="filler-2k")
        told = self.said(bad)["clash"]
        self.assertEqual(told.verdict, Verdict.STOPS)
        self.assertIn("swells", str(told.text))
        mended = self.graph(**{"primer": "filler-2k"} | told.remedies[0].change)
        self.assertNotIn("clash", self.said(mended))
        self.assertIn("isocyanates", self.said(bad))

    def test_region_of_nothing_is_said_and_prints_stand(self):
        # In the middle of the joint's ring, which is 3.4 mm wide.
        inside_joint = OwnRegion("m", "Joint", ((44.3, 0.0, 55.0),), reach_mm=1.0)
        graph = self.graph(own_regions=(inside_joint,))
        self.assertIsNotNone(graph.found("print"))
        self.assertIn("covers nothing", str(graph.result("finish").impossible))
        self.assertEqual(self.said(graph)["finish"].verdict, Verdict.STOPS)
        gone = self.graph(own_regions=(replace(inside_joint, places_mm=((300.0, 0.0, 0.0),)),))
        self.assertEqual(gone.result("finish").missed, ("Joint",))

    def test_kept_by_place_through_another_cut(self):
        own = OwnRegion("m", "Belly", ((46.0, 0.0, 25.0),), reach_mm=12.0, school="leave")
        other = Cut("c9", (0.0, 0.0, 80.0), (0.0, 0.0, 1.0))
        areas = [
            next(r.region.area_mm2 for r in g.data("finish").regions if r.region.id == "m")
            for g in (self.graph(own_regions=(own,)), self.graph(own_regions=(own,), cuts=(other,)))
        ]
        self.assertAlmostEqual(areas[0] / areas[1], 1, delta=0.15)

    def test_decisions_that_cannot_be(self):
        for wrong in ({"school": "magic"}, {"target": "shiny"}, {"primer": "putty"}, {"schools": [{"region": "dome", "school": "magic"}]}):
            with self.assertRaises(RecipeProblem):
                change_all(begin_all(self.shop), wrong)


class Command(unittest.TestCase):
    def setUp(self):
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        self.folder = Path(made.name)

    def run_it(self, mesh: Mesh | Path, *options: str) -> tuple[int, str, Path]:
        path = mesh if isinstance(mesh, Path) else self.folder / "model.stl"
        if isinstance(mesh, Mesh):
            write_binary_stl(mesh, path)
        out, said = self.folder / "out", io.StringIO()
        with contextlib.redirect_stderr(said):
            code = main(["finish", str(path), "--out", str(out), *options])
        return code, said.getvalue(), out

    def test_what_it_writes(self):
        dome = Manifold.sphere(80, 200) - Manifold.sphere(76, 200)
        code, said, out = self.run_it(Solid(dome.trim_by_plane([0, 0, 1], 0)).mesh(), "--layer", "0.2")
        self.assertEqual((code, said), (0, ""))
        told = json.loads((out / "finish.json").read_text())
        self.assertEqual(told["schema"], 1)
        self.assertAlmostEqual(told["stair_mm3"] / (0.5 * 0.2 * np.pi * 80**2), 1, delta=0.01)
        self.assertAlmostEqual(told["outside_mm2"] / (2 * np.pi * 80**2 + np.pi * (80**2 - 76**2)), 1, delta=0.02)
        self.assertAlmostEqual(sum(r["area_mm2"] for r in told["regions"]) / told["area_mm2"], 1, delta=0.01)
        self.assertEqual(told["seam_mm"], 0)
        self.assertEqual(set(told["regions"][0]), {"name", "kind", "area_mm2", "step_mm"})
        smooth = [r for r in told["regions"] if r["kind"] == "dome"]
        mean = sum(r["area_mm2"] * r["step_mm"]["mean"] for r in smooth) / sum(r["area_mm2"] for r in smooth)
        # The mean of the cosine over a half sphere is a half.
        self.assertAlmostEqual(mean, 0.1, delta=0.004)
        self.assertTrue({"what", "region", "product", "amount", "unit", "hands_min", "wait_h", "grit"} <= set(told["steps"][0]))
        self.assertTrue({"hands_h", "wait_h", "days_least", "products"} <= set(told["totals"]))
        self.assertTrue({"name", "amount", "unit", "packs"} <= set(told["totals"]["products"][0]))
        self.assertAlmostEqual(sum(s["hands_min"] for s in told["steps"]) / 60, told["totals"]["hands_h"], delta=0.01)

    def test_scale_unit_up_and_layer(self):
        can = Solid(Manifold.cylinder(100, 40, 40, 200)).mesh()
        upright = json.loads((self.run_it(can)[2] / "finish.json").read_text())
        lying = json.loads((self.run_it(can, "--up", "1,0,0", "--scale", "2", "--layer", "0.1")[2] / "finish.json").read_text())
        self.assertAlmostEqual(lying["area_mm2"] / upright["area_mm2"], 4, delta=0.001)
        self.assertLess(upright["stair_mm3"], 0.1)
        self.assertAlmostEqual(lying["stair_mm3"] / (0.5 * 0.1 * 2 * 160 * 200), 1, delta=0.02)
        inches = json.loads((self.run_it(Mesh(can.vertices / 25.4, can.faces), "--unit", "in")[2] / "finish.json").read_text())
        self.assertAlmostEqual(inches["area_mm2"] / upright["area_mm2"], 1, delta=0.001)

    def test_refused_in_one_line_and_nothing_written(self):
        block = box(40, 40, 40).mesh()
        open_block = Mesh(block.vertices, block.faces[1:])
        for mesh, options, words in (
            (open_block, (), "not closed"),
            (TORN_SPHERE, (), "not closed"),
            (self.folder / "nothing.stl", (), "no file"),
            (block, ("--school", "magic"), "magic"),
            (block, ("--up", "0,0,0"), "no direction"),
            (block, ("--layer", "0"), "layer height"),
            (block, ("--scale", "-1"), "--scale"),
            (block, ("--bench", "0"), "bench"),
            (block, ("--primer", "filler-2k"), "swells"),
            (block, ("--dries", "putty=0"), "no drying time"),
            (block, ("--dries", "glitter=2"), "no product"),
            (block, ("--region", "Here@500,0,0:20"), "lies on nothing"),
            (block, ("--region", "Here@0,0"), "--region"),
            (block, ("--region", "Here@0,0,40:20=magic"), "magic"),
            (block, ("--material", "pla", "--school", "vapour", "--target", "none"), "target"),
        ):
            code, said, out = self.run_it(mesh, *options)
            self.assertEqual(code, 2, options)
            self.assertEqual(said.count("\n"), 1, said)
            self.assertIn(words, said)
            self.assertFalse(out.exists(), options)

    def test_a_region_and_a_sheet_of_one_s_own(self):
        block = box(60, 60, 60).mesh()
        usual = json.loads((self.run_it(block)[2] / "finish.json").read_text())
        told = json.loads(
            (self.run_it(block, "--scale", "2", "--region", "Lid@0,0,60:25=leave", "--dries", "putty=30")[2] / "finish.json").read_text()
        )
        lid = next(r for r in told["regions"] if r["name"] == "Lid")
        self.assertAlmostEqual(lid["area_mm2"] / (np.pi * 25**2), 0.95, delta=0.15)
        self.assertEqual({s["what"] for s in told["steps"] if s["region"] == "Lid"}, {"Clean up strings and blobs", "Prime"})
        self.assertGreater(told["totals"]["wait_h"], usual["totals"]["wait_h"] + 20)

    def test_inside_out_is_turned(self):
        block = box(40, 40, 40).mesh()
        code, _, out = self.run_it(Mesh(block.vertices, np.ascontiguousarray(block.faces[:, ::-1])))
        self.assertEqual(code, 0)
        self.assertAlmostEqual(json.loads((out / "finish.json").read_text())["outside_mm2"], 9600, delta=1)


if __name__ == "__main__":
    unittest.main()
