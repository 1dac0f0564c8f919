"""A set from its files to its parts: kept, printed as one, cut further; holes made anew at true size whatever the scale. Volumes by hand."""

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
import trimesh
from manifold3d import Manifold

from bastion_core.case import Case
from bastion_core.commands.options import sha256_of
from bastion_core.cut.beds import Bed
from bastion_core.cut.plans import find_plans, surface_of
from bastion_core.engine.graph import Graph
from bastion_core.engine.memo import Memo
from bastion_core.engine.store import FolderStore
from bastion_core.findings import Finding, Verdict
from bastion_core.formats.stl import write_binary_stl
from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.solid import Solid
from bastion_core.pieces.sets import SetFile
from bastion_core.pieces.standing import PART, load_mesh, load_solid
from bastion_core.recipes import begin_all, change_all
from bastion_core.shop import Printer, Shop, Weights
from bastion_core.stations import STATIONS
from bastion_core.tests.planning import Planning
from bastion_core.tests.shapes import dome

HALF = Manifold.cube([90, 40, 30], True)
SPOTS = ((-30, 6), (10, 6), (32, 6))


def halves(pocket_mm: float = 3.1, deep_mm: float = 3.2, gap_mm: float = 0.0) -> tuple[Manifold, Manifold]:
    """Two blocks on each other with three pockets on either side of their common face, a bolt hole and a slot with its tongue."""
    lower, upper = HALF.translate([0, 0, -15]), HALF.translate([0, 0, 15 + gap_mm])
    for x, y in SPOTS:
        lower = lower - Manifold.cylinder(deep_mm + 1, pocket_mm, pocket_mm, 64).translate([x, y, -deep_mm])
        upper = upper - Manifold.cylinder(deep_mm + 1, pocket_mm, pocket_mm, 64).translate([x, y, gap_mm - 1])
    lower = lower - Manifold.cube([20, 3.2, 10], True).translate([-10, -12, 0])
    upper = upper + Manifold.cube([19.8, 3.0, 9], True).translate([-10, -12, 0])
    upper = upper - Manifold.cylinder(60, 1.7, 1.7, 48, True).rotate([90.0, 0, 0]).translate([30, 0, 18])
    return lower, upper


def graph_part(graph: Graph, number: int) -> Mesh:
    """A file of a set as it lies in its place."""
    return load_mesh(graph.store.folder(graph.ref("pieces")) / PART.format(number))


class Sets(unittest.TestCase):
    PRINTERS = (Printer("Bed", 220, 220, 250),)

    def setUp(self):
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        self.folder = Path(made.name)

    def set_of(self, *bodies: Manifold, **decided) -> Graph:
        """The graph of a set, carried out."""
        sources, files = {}, []
        for k, body in enumerate(bodies):
            path = self.folder / f"part {k}.stl"
            write_binary_stl(Solid(body).mesh(), path)
            sources[sha256_of(path)] = path
            files.append(SetFile(sha256_of(path), f"part {k + 1}"))
        shop = Shop(tuple(enumerate(self.PRINTERS, 1)))
        recipes = change_all(begin_all(shop, made_for_mm=1830.0), {"files": [f.__dict__ for f in files]} | decided)
        self.store = FolderStore(self.folder / "computed", sources)
        graph = Graph(STATIONS, Case("block", files[0].sha256, recipes, shop=shop), self.store, Memo())
        graph.carry_out()
        return graph

    def parts(self, graph: Graph) -> list[Solid]:
        ref = graph.ref("join")
        return [load_solid(graph.store.folder(ref) / f"{p.name}.npz") for p in graph.data("join").parts]

    def found(self, graph: Graph, key: str, code: str) -> list[Finding]:
        return [f for f in graph.stations[key].findings(graph.case, graph.result(key)) if isinstance(f, Finding) and f.code == code]

    def test_files_stay_parts_and_meet_in_a_seam_of_their_own(self):
        graph = self.set_of(*halves())
        self.assertEqual([p.files for p in graph.data("cut").parts], [(1,), (0,)])
        (seam,) = graph.data("join").seams
        self.assertEqual((len(seam.joints), seam.own), (0, 4))
        by_hand = 90 * 40 - 3 * np.pi * 3.1**2 - 20 * 3.2
        self.assertAlmostEqual(seam.area_mm2, by_hand, delta=3)
        self.assertEqual([f.kind for f in graph.data("pieces").features if f.kind in ("tongue", "slot")], ["slot", "tongue"])

    def test_pins_where_the_set_brought_nothing(self):
        graph = self.set_of(HALF.translate([0, 0, -15]), HALF.translate([0, 0, 15]))
        (seam,) = graph.data("join").seams
        self.assertGreaterEqual(len(seam.joints), 2)
        self.assertIn("set 1-2", seam.cut)

    def test_what_is_too_large_is_planned_by_cost(self):
        """A dome on a block: the dome fits no bed and gets the planes that find_plans finds for it alone; the block stays as it came."""
        shell = dome(230, 260, 150, 4).mesh()
        body = Solid.from_mesh(shell).manifold.translate([0, 0, 1])
        graph = self.set_of(Manifold.cube([60, 60, 40], True).translate([0, 0, -21]), body)
        (bed,) = self.PRINTERS
        solid = Solid.from_mesh(graph_part(graph, 1))
        plans = find_plans(solid, (Bed.of(bed).printer(),), (1.0, 1.0, 1.0), Weights(), surface_of(solid))
        cuts = graph.data("cut").cuts
        self.assertEqual([c.normal for c in cuts], [c.normal for c in plans[0].cuts])
        np.testing.assert_allclose([c.point for c in cuts], [c.point for c in plans[0].cuts], atol=1e-6)
        self.assertEqual({c.limits[0] for c in cuts}, {("file2", 1)})
        self.assertEqual(len([p for p in graph.data("cut").parts if p.files == (0,)]), 1)
        self.assertEqual(len(graph.result("cut").leans_on), 1)

    def test_magnets_at_true_size_whatever_the_scale(self):
        at = [[x, y, 0.0] for x, y in SPOTS]
        for scale in (0.9, 1.0, 1.08, 1.3):
            with self.subTest(scale):
                plain = self.set_of(*halves(), scale=[scale] * 3)
                made = self.set_of(
                    *halves(), scale=[scale] * 3, features=[{"at_mm": a, "use": "magnet-6x3"} for a in at], pin_clearance_mm=0.1
                )
                # By hand: each pocket gives back its own volume and loses one of 6.2 by 3.2 mm; a circle of n flats round it is a little more.
                drilled = 32 * np.sin(2 * np.pi / 64) * 3.1**2 * 3.2 * scale**3
                wanted = 64 * np.tan(np.pi / 64) * 3.1**2 * 3.2
                for before, after in zip(self.parts(plain), self.parts(made), strict=True):
                    self.assertAlmostEqual(after.volume, before.volume + 3 * (drilled - wanted), delta=1.5)
                states = {(f.state, f.width_mm, f.depth_mm) for f in made.result("cut").fitted}
                self.assertEqual(states, {("made", 6.2, 3.2)})
                self.assertEqual(len(made.result("cut").fitted), 6, "the pockets on both sides of the seam")

    def test_a_slot_is_opened_to_its_tongue(self):
        graph = self.set_of(*halves(), scale=[1.1, 1.1, 1.1], pin_clearance_mm=0.2, features=[{"at_mm": [-10, -12, 0], "use": "slide"}])
        (one,) = graph.result("cut").fitted
        self.assertEqual(one.state, "made")
        self.assertAlmostEqual(one.width_mm, 3.0 * 1.1 + 0.4, delta=0.01)

    def test_a_screw_hole_and_a_plug(self):
        graph = self.set_of(*halves(), scale=[1.2, 1.2, 1.2], features=[{"at_mm": [30, -20, 18], "use": "screw-M3"}])
        self.assertEqual([(f.state, f.width_mm) for f in graph.result("cut").fitted], [("made", 3.4)])
        whole = self.parts(self.set_of(*halves(), scale=[1.2] * 3, features=[{"at_mm": [30, -20, 18], "use": "plug"}]))[0]
        drilled = self.parts(self.set_of(*halves(), scale=[1.2] * 3))[0]
        self.assertAlmostEqual(whole.volume - drilled.volume, 24 * np.sin(2 * np.pi / 48) * (1.7 * 1.2) ** 2 * 40 * 1.2, delta=1)

    def test_what_cannot_be_says_so_and_leaves_it(self):
        as_it_was = self.parts(self.set_of(*halves()))
        for use, at, state in (
            ("magnet-6x30", [10, 6, 0], "breaks"), ("plug", [0, 0, 12], "missing"), ("slide", [30, 20, 18], "partnerless"),
        ):  # fmt: skip
            with self.subTest(use):
                graph = self.set_of(*halves(), features=[{"at_mm": at, "use": use}])
                self.assertEqual({f.state for f in graph.result("cut").fitted}, {state})
                (first, *_) = self.found(graph, "cut", state)
                self.assertEqual(first.verdict, Verdict.STOPS)
                self.assertEqual(first.remedies[0].change, {"features": []})
                for before, after in zip(as_it_was, self.parts(graph), strict=True):
                    self.assertAlmostEqual(before.volume, after.volume, delta=0.01)

    def test_gaps_grow_with_the_scale_and_are_told(self):
        graph = self.set_of(*halves(gap_mm=0.2), scale=[1.0, 1.0, 1.5])
        (mate,) = [m for m in graph.result("cut").mates if m.flat]
        self.assertAlmostEqual(mate.gap_mm, 0.3, delta=0.02)
        self.assertEqual(len(self.found(graph, "cut", "gap")), 1)

    def test_printed_as_one(self):
        lower, upper = HALF.translate([0, 0, -15]), HALF.translate([0, 0, 15.2])
        graph = self.set_of(lower, upper, as_one=["1-2"])
        (part,) = self.parts(graph)
        self.assertEqual(len(part.bodies()), 1)
        self.assertAlmostEqual(part.volume, 90 * 40 * 60.2, delta=15)
        self.assertEqual(graph.data("cut").parts[0].files, (0, 1))

    def test_a_file_too_long_is_cut_further_and_the_others_are_not(self):
        long = Manifold.cube([300, 40, 30], True).translate([0, 0, 15])
        graph = self.set_of(HALF.translate([0, 0, -15]), long)
        files = [p.files for p in graph.data("cut").parts]
        self.assertEqual(files.count((0,)), 1)
        self.assertGreaterEqual(files.count((1,)), 2)
        self.assertTrue(all(p.fits for p in graph.data("cut").parts))
        self.assertTrue(all(c.limits[0] == ("file2", 1) for c in graph.data("cut").cuts))

    def test_files_lie_as_they_came(self):
        tall = Manifold.cube([30, 40, 120], True)
        for supplied, height in ((False, 30.0), (True, 120.0)):
            graph = self.set_of(tall, tall.translate([31, 0, 0]), as_supplied=supplied)
            self.assertAlmostEqual(graph.data("print").parts[0].size_mm[2], height, delta=0.01)

    def test_strays_and_a_missing_file(self):
        graph = self.set_of(halves()[0], Manifold.sphere(20, 48).translate([200, 0, 0]))
        (stray,) = self.found(graph, "pieces", "stray")
        self.assertEqual(stray.verdict, Verdict.STOPS)
        self.assertEqual(len(stray.remedies[0].change["files"]), 1)
        (missing,) = self.found(graph, "pieces", "missing")
        self.assertIn("part 1", str(missing.text))
        strapped = replace(graph.case, decided=change_all(graph.case.decided, {"worn_apart": True}))
        self.assertEqual(
            [f for f in graph.stations["pieces"].findings(strapped, graph.result("pieces")) if getattr(f, "code", "") == "stray"], []
        )


class PlanOfASet(Planning):
    def test_several_files_are_one_piece(self):
        paths = []
        for name, body in zip(("watch-lower", "watch-upper"), halves(), strict=True):
            paths.append(self.folder / f"{name}.stl")
            write_binary_stl(Solid(body.translate([0, 0, 0] if name == "watch-lower" else [200, 40, 3])).mesh(), paths[-1])
        plan = self.planned(*paths, "--scale", "1.1", "--feature", "10,6,0:magnet-6x3", "--printer", "bed:220x220x250")
        self.assertEqual([p["name"] for p in plan["parts"]], ["watch-A", "watch-B"])
        self.assertTrue(any("put together" in w for w in plan["warnings"]))
        np.testing.assert_allclose(plan["set"]["files"][1]["move_mm"], [-200, -40, -3], atol=0.05)
        self.assertEqual([f["state"] for f in plan["features"]], ["made", "made"])
        lower = min((trimesh.load(self.folder / "out" / p["file_stl"]) for p in plan["parts"]), key=lambda b: b.volume)
        self.assertTrue(lower.is_watertight)

    def test_files_that_do_not_belong_together(self):
        for name, body in (("a", HALF), ("b", Manifold.sphere(30, 40).translate([300, 0, 0]))):
            write_binary_stl(Solid(body).mesh(), self.folder / f"{name}.stl")
        code, told = self.run_plan(self.folder / "a.stl", self.folder / "b.stl", "--out", self.folder / "out")
        self.assertEqual(code, 2)
        self.assertIn("touches no other file", told)
        self.assertFalse((self.folder / "out").exists())

    def test_a_use_nobody_knows(self):
        write_binary_stl(Solid(HALF).mesh(), self.folder / "a.stl")
        for typed in ("1,2:plug", "1,2,3:glue", "a,b,c:plug"):
            code, told = self.run_plan(self.folder / "a.stl", "--feature", typed, "--out", self.folder / "out")
            self.assertEqual(code, 2, typed)
            self.assertTrue("--feature" in told or "goes into a hole" in told, told)
