"""What is proposed and what is told of planes: pairs alike, pieces that would cost less in parts, planes nobody needs any more."""

import dataclasses
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
from manifold3d import Manifold

from bastion_core.case import Case
from bastion_core.commands.options import sha256_of
from bastion_core.cut.beds import unneeded
from bastion_core.cut.parting import Cut, part_solid
from bastion_core.cut.plans import find_instead, find_plans, surface_of
from bastion_core.engine.graph import Graph
from bastion_core.engine.memo import Memo
from bastion_core.engine.store import FolderStore
from bastion_core.errors import RecipeProblem
from bastion_core.findings import Verdict
from bastion_core.formats.stl import write_binary_stl
from bastion_core.geometry.solid import Solid
from bastion_core.recipes import begin_all, change_all
from bastion_core.shop import Printer, Shop, Weights
from bastion_core.stations import STATIONS
from bastion_core.tests.shapes import BUNNY, box, tube

ONE = (1.0, 1.0, 1.0)
LARGE = Printer("Large", 400, 400, 400)


def egg(x: float, y: float, z: float, wall: float) -> Solid:
    """A closed shell."""
    balls = [Manifold.sphere(1.0, 96).scale([v - w for v in (x, y, z)]) for w in (0.0, wall)]
    return Solid(balls[0] - balls[1])


class Instead(unittest.TestCase):
    def test_a_closed_shell_costs_less_in_halves(self):
        """Whole it hangs over its own inside and stands on a point; its halves stand on their rims."""
        found = find_instead(solid := egg(90, 100, 120, 3), (LARGE,), ONE, Weights(), surface_of(solid))
        self.assertEqual((found.whole.parts, found.parted.parts, len(found.parted.cuts)), (1, 2, 1))
        self.assertTrue(found.whole.confirmed and found.parted.confirmed)
        self.assertLess(found.parted.scars_h, 0.2 * found.whole.scars_h)
        self.assertLess(found.parted.cost_h, 0.88 * found.whole.cost_h)
        self.assertIn("In 2 parts it would take", str(found.text))
        mirrored = found.mirrored()
        self.assertEqual(mirrored.mirrored(), found)

    def test_what_lies_well_is_left_whole(self):
        for solid in (box(60, 40, 30), tube(58, 3, 120)):
            self.assertIsNone(find_instead(solid, (LARGE,), ONE, Weights(), surface_of(solid)))


class Unneeded(unittest.TestCase):
    def test_by_hand(self):
        """200 mm in three: two of them make 133, which a bed of 150 takes and one of 120 does not."""
        solid = box(200, 40, 40, (100, 0, 0))
        cuts = [Cut(f"c{k}", (200 * k / 3, 0, 0), (1, 0, 0)) for k in (1, 2)]
        parting = part_solid(solid, cuts, ONE, "b")
        beds = {edge: (Printer("P", edge, edge, edge, margin_mm=0.0),) for edge in (120, 150, 250)}
        self.assertEqual([unneeded(parting, cuts, beds[e]) for e in (120, 150, 250)], [(), ("c1", "c2"), ("c1", "c2")])
        # A plane that meets nothing makes no seam, and is told otherwise.
        far = [*cuts, Cut("c3", (900, 0, 0), (1, 0, 0))]
        self.assertEqual(unneeded(part_solid(solid, far, ONE, "b"), far, beds[120]), ())


class Stations(unittest.TestCase):
    """The station on a piece and on its mirror image."""

    @classmethod
    def setUpClass(cls):
        made = tempfile.TemporaryDirectory()
        cls.addClassCleanup(made.cleanup)
        cls.shop = Shop(((1, Printer("Small", 110, 110, 110)), (2, Printer("Large", 300, 300, 300))))
        decided = begin_all(cls.shop, site="other", printer_ids=(1,), scale=ONE)
        cls.left = Case("left", sha256_of(BUNNY), decided, None, shop=cls.shop)
        cls.right = replace(cls.left, name="right", decided=change_all(decided, {"mirrored": True}))
        cls.store = FolderStore(Path(made.name), {cls.left.sha256: BUNNY})

    def cut(self, case: Case):
        graph = Graph(STATIONS, case, self.store, Memo())
        graph.carry_out(only=["measure", "pieces", "fit", "cut"])
        return graph

    def test_a_pair_has_mirrored_seams_and_is_searched_once(self):
        left = self.cut(self.left)
        with mock.patch("bastion_core.cut.proposals.find_plans", side_effect=AssertionError("searched again")):
            right = self.cut(self.right)
        ours, theirs = left.data("cut"), right.data("cut")
        self.assertGreater(len(ours.cuts), 0)
        self.assertEqual(tuple(c.mirrored() for c in ours.cuts), theirs.cuts)
        for a, b in zip(sorted(ours.parts, key=lambda p: p.id), sorted(theirs.parts, key=lambda p: p.id), strict=True):
            self.assertEqual(a.id, b.id)
            self.assertAlmostEqual(a.volume_mm3, b.volume_mm3, delta=1e-3 * a.volume_mm3)
            np.testing.assert_allclose(np.array(a.centre_mm) * [-1, 1, 1], b.centre_mm, atol=0.05)
        self.assertEqual(ours.alternatives[0].cost_h, theirs.alternatives[0].cost_h)
        self.assertNotEqual(ours.alternatives[0].pictures, theirs.alternatives[0].pictures)

    def test_own_planes_that_a_larger_printer_makes_needless(self):
        own = self.cut(self.left).data("cut").cuts
        decided = change_all(self.left.decided, {"cuts": [dataclasses.asdict(c) for c in own], "printer_ids": (2,)})
        graph = self.cut(replace(self.left, decided=decided))
        said = [f for f in graph.stations["cut"].findings(graph.case, graph.result("cut")) if f.code == "unneeded"]
        self.assertEqual([f.verdict for f in said], [Verdict.HOLDS] * len(own))
        left = change_all(decided, said[0].remedies[0].change)
        self.assertEqual(len(next(r.cuts for r in left if hasattr(r, "cuts"))), len(own) - 1)


class Plans(unittest.TestCase):
    def test_planes_that_buy_something_are_not_called_needless(self):
        """A shell that would cost less in halves is halved by the maker: though a printer takes it whole, nothing is said against the plane."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "egg.stl"
            write_binary_stl(egg(90, 100, 120, 3).mesh(), path)
            shop = Shop(((1, LARGE),))
            case = Case("egg", sha256_of(path), begin_all(shop, site="other", scale=ONE), None, shop=shop)
            store = FolderStore(Path(folder) / "computed", {case.sha256: path})
            graph = Graph(STATIONS, case, store, Memo())
            graph.carry_out(only=["measure", "pieces", "fit", "cut"])
            (said,) = (f for f in graph.stations["cut"].findings(case, graph.result("cut")) if f.code == "cheaper")
            halved = replace(case, decided=change_all(case.decided, said.remedies[0].change))
            graph = Graph(STATIONS, halved, store, Memo())
            graph.carry_out(only=["measure", "pieces", "fit", "cut"])
            self.assertEqual(graph.result("cut").parts, 2)
            self.assertEqual([f.code for f in graph.stations["cut"].findings(halved, graph.result("cut"))], [])

    def test_without_a_printer_it_says_so(self):
        solid = box(10, 10, 10)
        with self.assertRaisesRegex(RecipeProblem, "no printer"):
            find_plans(solid, (), ONE, Weights(), surface_of(solid))
