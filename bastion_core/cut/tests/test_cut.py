import unittest

import numpy as np

from bastion_core.cut.beds import fits, hull_points
from bastion_core.cut.parting import Cut, letters, part_solid, without_cut
from bastion_core.cut.propose import propose_cuts
from bastion_core.errors import RecipeProblem
from bastion_core.geometry.place import Plane
from bastion_core.geometry.solid import Solid, united
from bastion_core.shop import Printer
from bastion_core.tests.shapes import BUNNY, HINGE, TEAPOT, box, dome, reference, tube

ONE = (1.0, 1.0, 1.0)


def bed(x: float, y: float, z: float, margin: float = 0.0) -> Printer:
    return Printer(f"{x:g}x{y:g}x{z:g}", x, y, z, margin)


def hull(solid: Solid) -> np.ndarray:
    return hull_points(solid.mesh().vertices)


class Fitting(unittest.TestCase):
    def test_margin_counts_on_the_bed_and_not_in_height(self):
        cube = hull(box(200, 200, 250))
        self.assertIsNotNone(fits(cube, bed(210, 210, 250, 5)))
        self.assertIsNone(fits(cube, bed(209, 210, 250, 5)))
        self.assertIsNone(fits(cube, bed(210, 210, 249, 5)))

    def test_lying_on_any_side(self):
        for size in ((100, 200, 300), (300, 100, 200), (200, 300, 100)):
            self.assertIsNotNone(fits(hull(box(*size)), bed(100, 200, 300)))

    def test_turned_on_the_bed(self):
        # a bar of length L and width w fits a square bed s on its diagonal when (L + w) / sqrt(2) <= s
        self.assertIsNotNone(fits(hull(box(260, 20, 150)), bed(200, 200, 200)))
        self.assertIsNone(fits(hull(box(270, 20, 150)), bed(200, 200, 200)))

    def test_a_round_hull_of_many_points_is_never_told_to_fit_when_it_does_not(self):
        ball = Solid.from_mesh(dome(200, 200, 200, segments=400).mesh())
        points = ball.mesh().vertices
        wide = float(np.ptp(points[:, 0]))
        self.assertIsNone(fits(hull_points(points), bed(wide - 0.01, wide - 0.01, 400)))
        self.assertIsNotNone(fits(hull_points(points), bed(wide * 1.01, wide * 1.01, 400)))

    def test_a_printer_that_cannot_be(self):
        with self.assertRaises(RecipeProblem):
            Printer("tiny", 20, 20, 20, 10)


class Parting(unittest.TestCase):
    def test_volumes_are_manifolds_own(self):
        for path in (BUNNY, HINGE):
            solid = Solid.from_mesh(reference(path))
            middle = solid.bounds.mean(axis=0)
            plane = Plane.through(middle, np.array([0.2, 0.9, 0.4]))
            above, below = solid.manifold.split_by_plane(plane.normal, plane.offset_mm)
            parting = part_solid(solid, [Cut("c1", tuple(middle), (0.2, 0.9, 0.4))], ONE, "p")
            ours = {side: sum(p.solid.volume for p in parting.parts if p.sides["c1"] == side) for side in (1, -1)}
            self.assertAlmostEqual(ours[1], above.volume(), delta=1e-3 * solid.volume)
            self.assertAlmostEqual(ours[-1], below.volume(), delta=1e-3 * solid.volume)

    def test_every_body_is_a_part_and_is_told(self):
        arch = united([box(20, 20, 100, (-40, 0, 0)), box(20, 20, 100, (40, 0, 0)), box(100, 20, 20, (0, 0, 90))])
        parting = part_solid(arch, [Cut("c1", (0, 0, 50), (0, 0, 1))], ONE, "arch")
        self.assertEqual([p.name for p in parting.parts], ["arch-A", "arch-B", "arch-C"])
        self.assertTrue(any("3 pieces of one" in str(f) for f in parting.findings))
        self.assertEqual(len(parting.seams), 2)
        for seam in parting.seams:
            self.assertAlmostEqual(seam.area_mm2, 400, delta=1)

    def test_limits_and_taking_a_cut_away(self):
        cuts = [Cut("c1", (0, 0, 50), (0, 0, 1)), Cut("c2", (0, 0, 0), (1, 0, 0), (("c1", 1),))]
        self.assertEqual(len(part_solid(box(60, 60, 100), cuts, ONE, "b").parts), 3)
        left = without_cut(cuts, "c1")
        self.assertEqual(left[0].limits, ())
        self.assertEqual(len(part_solid(box(60, 60, 100), left, ONE, "b").parts), 2)

    def test_cuts_follow_the_scale(self):
        cut = Cut("c1", (0, 0, 30), (0, 0, 1))
        for scale in (ONE, (1.5, 1.5, 1.5), (1.0, 1.0, 2.0)):
            grown = part_solid(box(60 * scale[0], 60 * scale[1], 100 * scale[2]), [cut], scale, "b")
            self.assertAlmostEqual(min(p.solid.size[2] for p in grown.parts), 30 * scale[2], delta=1e-3)

    def test_idle_cuts_and_slivers_are_told(self):
        parting = part_solid(box(60, 60, 100), [Cut("c1", (0, 0, 500), (0, 0, 1))], ONE, "b")
        self.assertEqual(parting.idle_cuts, ("c1",))
        sliver = part_solid(box(60, 60, 100), [Cut("c1", (0, 0, 99.97), (0, 0, 1))], ONE, "b")
        self.assertTrue(any("sliver" in str(f) for f in sliver.findings))
        with self.assertRaises(RecipeProblem):
            part_solid(box(60, 60, 100), [Cut("c1", (0, 0, 5), (0, 0, 0))], ONE, "b")

    def test_letters(self):
        self.assertEqual([letters(i) for i in (0, 25, 26, 51, 52)], ["A", "Z", "AA", "AZ", "BA"])


class Proposals(unittest.TestCase):
    def check(self, solid: Solid, printers: list[Printer], most: int, site: str = "other"):
        proposal = propose_cuts(solid, printers, ONE, "p", site)
        self.assertTrue(proposal.complete)
        self.assertLessEqual(len(proposal.parting.parts), most)
        total = sum(p.solid.volume for p in proposal.parting.parts)
        self.assertAlmostEqual(total / solid.volume, 1, delta=1e-4)
        for part in proposal.parting.parts:
            self.assertEqual(len(part.solid.bodies()), 1)
            self.assertGreater(part.solid.volume, 300)
            self.assertTrue(any(fits(hull(part.solid), m) for m in printers))
        return proposal

    def test_models_of_others(self):
        self.check(Solid.from_mesh(reference(BUNNY)), [bed(90, 90, 90)], 8)
        from bastion_core.pieces.mend import make_sound

        self.check(make_sound(reference(TEAPOT)).solid, [bed(110, 110, 110)], 4)

    def test_a_box_takes_the_fewest_parts_there_can_be(self):
        self.check(box(380, 90, 90), [bed(100, 100, 100)], 4)
        self.check(box(190, 190, 90), [bed(100, 100, 100)], 4)

    def test_a_long_staff_is_cut_across(self):
        proposal = self.check(tube(20, 8, 1900), [bed(350, 350, 400, 5)], 5)
        for cut in proposal.cuts:
            self.assertGreater(abs(cut.normal[2]), 0.99)

    def test_seams_stay_off_the_face(self):
        helm = dome(190, 235, 290)
        proposal = self.check(helm, [bed(220, 220, 250, 5)], 3, "head")
        low, high = helm.bounds
        for seam in proposal.parting.seams:
            normal = np.array(seam.surface.normal)
            # a plane that would part the face left from right has to stay behind it
            if abs(normal[0]) > 0.9:
                back = min(p.solid.bounds[0, 1] for p in proposal.parting.parts if p.name in (seam.above, seam.below))
                self.assertGreater(back, low[1] + (high[1] - low[1]) / 4)

    def test_no_printer(self):
        with self.assertRaises(RecipeProblem):
            propose_cuts(box(10, 10, 10), [], ONE, "p")


class Crumbs(unittest.TestCase):
    def test_a_plane_that_runs_along_a_face_makes_no_part_of_nothing(self):
        step = Solid(box(40, 40, 20).manifold + box(20, 20, 40).manifold)
        for height, parts in ((20.0, 2), (20.0 + 1e-5, 2), (40.0 - 1e-6, 1)):
            with self.subTest(height):
                parting = part_solid(step, [Cut("a", (0.0, 0.0, height), (0.0, 0.0, 1.0))], (1.0, 1.0, 1.0), "step")
                self.assertEqual(len(parting.parts), parts)
                self.assertTrue(all(p.solid.volume > 1 for p in parting.parts))


class LargeFaces(unittest.TestCase):
    """Boxes whose faces are two triangles each: what counts is where edges meet a plane, not where their middles lie."""

    ORDINARY = (Printer("ordinary", 220, 220, 250),)

    def test_boxes_and_plates_take_the_fewest_parts_there_can_be(self):
        for size, least in (((600, 400, 240), 6), ((600, 400, 20), 6), ((400, 300, 30), 4), ((500, 200, 200), 3), ((300, 300, 300), 8)):
            with self.subTest(size):
                proposal = propose_cuts(box(*size), self.ORDINARY, (1, 1, 1), "box")
                self.assertTrue(proposal.complete)
                self.assertLessEqual(len(proposal.parting.parts), least)

    def test_a_body_of_two_like_halves_is_cut_in_its_middle(self):
        (cut,) = propose_cuts(box(400, 200, 200), self.ORDINARY, (1, 1, 1), "box").cuts
        middle = box(400, 200, 200).bounds.mean(axis=0)
        self.assertAlmostEqual(float(np.dot(np.array(cut.point) - middle, cut.normal)), 0.0, delta=0.6)
        self.assertEqual(np.abs(cut.normal).argmax(), 0)
