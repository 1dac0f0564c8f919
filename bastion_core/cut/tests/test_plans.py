"""Plans: costs by hand, what is seen against a brute-force picture, the search against all there is, parts that are sound."""

import math
import unittest

import numpy as np
import trimesh
from manifold3d import Manifold
from scipy.spatial.transform import Rotation

from bastion_core.cut.aims import AIMS
from bastion_core.cut.cost import CARE_MIN_PER_CM, FAILS_PER_H, Costs, risk_h, seam_h
from bastion_core.cut.field import Field, Leaf, Node, costs_of, cuts_of, leaves_of
from bastion_core.cut.frames import frames
from bastion_core.cut.parting import Cut, part_solid
from bastion_core.cut.plans import find_plans, seen_of, surface_of, whole_on
from bastion_core.cut.search import Search
from bastion_core.cut.visible import bystanders, seen_share
from bastion_core.formats.glb import simplified
from bastion_core.geometry.solid import Solid
from bastion_core.print.hands import Hands
from bastion_core.print.lay import lie
from bastion_core.print.profile import Profile
from bastion_core.print.spread import Task, done_h
from bastion_core.shop import Printer, Weights
from bastion_core.tests.exhaustive import best_of_all
from bastion_core.tests.shapes import BUNNY, box, dome, plain_helm, reference, tube

ONE = (1.0, 1.0, 1.0)
BEDS = (Printer("Slow", 210, 210, 240, 5, True, 70.0, 1000.0), Printer("Quick", 230, 200, 210, 5, False, 220.0, 8000.0))


class Costing(unittest.TestCase):
    def test_by_hand(self):
        """60 cm of seam, of it 40 seen: 4 min, 60 · 0.12 and 40 · 1.2. Ten hours fail in about 3 of 100 prints, and lose half of them."""
        self.assertAlmostEqual(seam_h(60, 40) * 60, 4 + 7.2 + 48)
        self.assertAlmostEqual(seam_h(60, 40, 2) * 60, 4 + 7.2 + 48 + 2 * CARE_MIN_PER_CM)
        self.assertAlmostEqual(risk_h(10), (1 - math.exp(-10 * FAILS_PER_H)) * 5)
        self.assertGreater(risk_h(10, footless=True), 2.5)
        self.assertLess(2 * risk_h(10), risk_h(20))
        costs = Costs(1, 10.0, 500.0, 0, Hands(0.1, 0.2, 0.3), 0.4, 60, 40, 0.5)
        # 10 h, 0.5 of risk, an hour of hands at five, half a kilo at 20 a kilo at half an hour each.
        self.assertAlmostEqual(costs.weighed(Weights(), 20.0), 10 + 0.5 + 5 * 1.0 + 5.0)
        self.assertAlmostEqual(costs.weighed(Weights(supports=0, scars=0, steps=0, seams=0, money=0), 20.0), 10.5)
        self.assertEqual((costs + costs).hand_h, 2.0)

    def test_done_soonest(self):
        """By hand: 6 and 5 h on the one, 9 and 6 on the other printer: the first on the one, the second on the other."""
        self.assertAlmostEqual(done_h([Task("1", {"a": 6.0, "b": 9.0}), Task("2", {"a": 5.0, "b": 6.0})]), 6.0)
        self.assertEqual(done_h([]), 0.0)


class Seen(unittest.TestCase):
    def test_against_a_picture_from_each_side(self):
        """A brute-force look: of every direction all faces are cast on a grid of rays from far away, and what is hit first is seen."""
        mesh = simplified(dome(80, 100, 110, 5).mesh(), 2500)
        told = seen_share(mesh)
        other = trimesh.Trimesh(mesh.vertices, mesh.faces, process=False)
        directions, weights = bystanders(200)
        hit = np.zeros(len(mesh.faces))
        for direction, weight in zip(directions, weights, strict=True):
            aside = np.cross(direction, [0.0, 0.0, 1.0] if abs(direction[2]) < 0.9 else [1.0, 0.0, 0.0])
            aside /= np.linalg.norm(aside)
            up = np.cross(aside, direction)
            u, v = np.meshgrid(np.arange(-110, 110, 4.0), np.arange(-110, 110, 4.0))
            starts = mesh.bounds.mean(axis=0) + 400 * direction + u.reshape(-1, 1) * aside + v.reshape(-1, 1) * up
            first = other.ray.intersects_first(starts, np.tile(-direction, (len(starts), 1)))
            hit[np.unique(first[first >= 0])] += weight
        # What no picture shows is not seen; what most show is.
        areas = np.linalg.norm(mesh.area_vectors, axis=1)
        self.assertLess(float(areas[(hit == 0) & (told > 0.15)].sum() / areas.sum()), 0.02)
        self.assertLess(float(areas[(hit > 0.4) & (told < 0.3)].sum() / areas.sum()), 0.02)
        self.assertGreater(float(np.corrcoef(hit, told)[0, 1]), 0.7)

    def test_front_counts_more_than_back_and_the_inside_not_at_all(self):
        mesh = simplified(dome(150, 190, 220, 4).mesh(), 6000)
        share, middles = seen_share(mesh), mesh.triangles.mean(axis=1)
        normals = mesh.area_vectors / np.linalg.norm(mesh.area_vectors, axis=1)[:, None]
        low = middles[:, 2] < 120
        front, back, inside = (low & (normals[:, 1] < -0.9) & (middles[:, 1] < 0), low & (normals[:, 1] > 0.9) & (middles[:, 1] > 0),
                               low & (normals[:, 1] > 0.9) & (middles[:, 1] < 0))  # fmt: skip
        self.assertGreater(share[front].mean(), 1.8 * share[back].mean())
        self.assertLess(share[inside].max(), 0.1)

    def test_a_seam_is_as_long_as_its_outline(self):
        """Round a tube of 60 mm: 2 π 6 cm outside; the inside shows to nobody but near the ends."""
        solid = tube(60, 3, 400)
        (seam,) = part_solid(solid, [Cut("c1", (0, 0, 200), (0, 0, 1))], ONE, "t").seams
        told = seen_of(seam, surface_of(solid))
        cm, seen = told.seam_cm, told.seen_cm
        self.assertAlmostEqual(cm / (2 * math.pi * 6), 1, delta=0.05)
        self.assertTrue(0.3 * cm < seen < 0.8 * cm, (seen, cm))


class Frames(unittest.TestCase):
    """Planes across the piece's own axes."""

    def test_a_bar_that_lies_askew_is_cut_square(self):
        turn = Rotation.from_euler("yz", [35, 20], degrees=True).as_matrix()
        place = np.eye(4)
        place[:3, :3] = turn
        bar, bed = box(24, 30, 420).transformed(place), (Printer("P", 220, 220, 220, 5),)
        plans = find_plans(bar, bed, ONE, Weights(), sight := surface_of(bar))
        along = turn @ [0.0, 0.0, 1.0]
        for cut in plans[0].cuts:
            self.assertGreater(abs(float(np.dot(cut.normal, along))), math.cos(math.radians(2)))
        upright = Search(Field(sight.mesh, sight, bed, Profile(), Weights(), 22.0)).best("least")
        self.assertLess(plans[0].cost_h, 0.8 * costs_of(upright).weighed(Weights(), 22.0))
        # Seam by hand: round a bar of 24 by 30.
        self.assertAlmostEqual(plans[0].seam_cm / len(plans[0].cuts), 10.8, delta=0.8)
        parting = part_solid(bar, plans[0].cuts, ONE, "b")
        self.assertAlmostEqual(sum(p.solid.volume for p in parting.parts) / bar.volume, 1, delta=1e-6)

    def test_planes_across_other_axes_follow_a_scale(self):
        """Twice as wide, a plane at 45 degrees goes through the same places of the piece."""
        c = math.sqrt(0.5)
        turn = np.array([[c, 0, c], [0, 1, 0], [-c, 0, c]])
        for scale in (ONE, (2.0, 1.0, 1.0)):
            tree = Node(2, 5.0, *(Leaf(((0, 0, 0), (1, 1, 1)), Costs(), ()),) * 2, Costs())
            (cut,) = cuts_of(tree, scale, turn)
            plane = cut.plane(scale)
            np.testing.assert_allclose(plane.normal, turn[2], atol=1e-12)
            self.assertAlmostEqual(float(plane.heights(5.0 * turn[2][None])[0]), 0.0)

    def test_an_upright_symmetric_piece_has_none_but_tilts(self):
        mesh = surface_of(dome(160, 200, 220)).mesh
        self.assertEqual(frames(mesh, True, False), [])
        for turn in frames(mesh, True, True):
            np.testing.assert_allclose(turn[0], [1, 0, 0])
            self.assertAlmostEqual(float(np.linalg.det(turn)), 1.0)


class Careful(unittest.TestCase):
    """Places where a seam takes more care."""

    def ribbed(self) -> Solid:
        """A bar of 300 mm, its middle third set with ribs 3 mm apart."""
        bar = box(40, 40, 300).manifold
        for k in range(16):
            bar = bar + box(46, 46, 3, (0, 0, 104 + 6 * k)).manifold
        return Solid(bar)

    def test_relief_is_where_the_ribs_are(self):
        sight = surface_of(self.ribbed())
        height = sight.mesh.triangles.mean(axis=1)[:, 2]
        areas = np.linalg.norm(sight.mesh.area_vectors, axis=1)
        among, off = (height > 110) & (height < 190), (height < 80) | (height > 220)
        self.assertGreater(float(areas[among & (sight.care > 0.9)].sum() / areas[among].sum()), 0.8)
        # The corners of a plain bar are edges, but no relief.
        self.assertLess(float(sight.care[off].max()), 0.1)
        self.assertEqual(float(surface_of(dome(160, 200, 220)).care.max()), 0.0)

    def test_seams_keep_out_of_relief_and_of_what_is_to_be_clear(self):
        bed = (Printer("P", 220, 220, 220, 5),)
        plain, ribbed = box(40, 40, 300), self.ribbed()
        heights = lambda plans: [c.point[2] for c in plans[0].cuts]  # noqa: E731
        (even,) = heights(find_plans(plain, bed, ONE, Weights(), surface_of(plain)))
        self.assertTrue(90 < even < 210)
        moved = find_plans(ribbed, bed, ONE, Weights(), surface_of(ribbed))
        self.assertFalse(any(103 < at < 197.5 for at in heights(moved)), heights(moved))
        self.assertLess(moved[0].care_cm, 1.0, "through the ribs it would be 16")
        clear = [(np.array([-99.0, -99.0, even - 15]), np.array([99.0, 99.0, even + 15]))]
        (off,) = heights(find_plans(plain, bed, ONE, Weights(), surface_of(plain, clear)))
        self.assertGreater(abs(off - even), 14)


class Searching(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.helm = Solid.from_mesh(plain_helm())
        cls.sight = sight = surface_of(cls.helm)
        cls.plans = find_plans(cls.helm, BEDS, ONE, Weights(), sight)
        cls.field = Field(sight.mesh, sight, BEDS, Profile(), Weights(), 22.0)

    def test_as_good_as_all_there_is(self):
        """Within 5 % of an exhaustive search over planes 24 mm apart, two deep: four parts."""
        search = Search(self.field)
        search.depth = 2
        tree = search.best("least")
        exhaustive = best_of_all(self.field, 24.0, 2, lambda c: c.weighed(self.field.weights, self.field.price_per_kg))
        told = costs_of(tree).weighed(self.field.weights, self.field.price_per_kg)
        self.assertLess(told, 1.05 * exhaustive)

    def test_costs_are_those_of_its_boxes(self):
        search = Search(self.field)
        tree = search.best("hours")
        self.assertIsInstance(tree, Node)
        leaves = list(leaves_of(tree))
        self.assertEqual(costs_of(tree).parts, len(leaves))
        self.assertAlmostEqual(costs_of(tree).hours, sum(leaf.costs.hours for leaf in leaves))
        # All boxes together fill the piece without overlap.
        sizes = [np.prod(np.subtract(*leaf.box[::-1])) for leaf in leaves]
        self.assertAlmostEqual(sum(sizes) / np.prod(np.subtract(*self.field.whole[::-1])), 1.0, delta=1e-9)
        self.assertEqual(len(cuts_of(tree, ONE)), len(leaves) - 1)
        self.assertTrue(all(isinstance(leaf, Leaf) and leaf.fits for leaf in leaves))

    def test_symmetric_pieces_get_symmetric_cuts(self):
        """A wide dome, told to be symmetric; cut down its middle both sides are cut alike. A lopsided one is told apart."""
        wide = dome(300, 190, 200, 4)
        sight = surface_of(wide)
        field = Field(sight.mesh, sight, BEDS, Profile(), Weights(), 22.0)
        self.assertTrue(field.symmetric)
        for aim in ("least", "hours"):
            tree = Search(field).best(aim)
            planes = sorted((np.argmax(np.abs(c.normal)), round(float(np.dot(c.point, c.normal)), 1)) for c in cuts_of(tree, ONE))
            middle = float(wide.bounds[:, 0].mean())
            across = [at for axis, at in planes if axis == 0]
            self.assertTrue(across)
            np.testing.assert_allclose(sorted(across), sorted(2 * middle - at for at in across), atol=0.3)
        ell = Solid(box(60, 60, 60).manifold + box(120, 20, 20, (60, 0, 0)).manifold)
        sight = surface_of(ell)
        self.assertFalse(Field(sight.mesh, sight, BEDS, Profile(), Weights(), 22.0).symmetric)

    def test_each_aim_is_best_at_its_own(self):
        plans = self.plans
        self.assertEqual(sorted(a for p in plans for a in p.aims), sorted(AIMS))
        self.assertIn("least", plans[0].aims)
        by = {aim: plan for plan in plans for aim in plan.aims}
        self.assertEqual(by["least"].cost_h, min(p.cost_h for p in plans))
        self.assertLessEqual(by["hours"].hours, min(p.hours for p in plans) + 0.06)
        self.assertEqual(by["parts"].parts, min(p.parts for p in plans))
        self.assertLessEqual(by["clean"].seen_cm, min(p.seen_cm for p in plans) + 0.6)
        self.assertLessEqual(by["soon"].done_h, min(p.done_h for p in plans) + 0.06)
        for plan in plans:
            self.assertTrue(plan.confirmed or "least" not in plan.aims)
            parting = part_solid(self.helm, plan.cuts, ONE, "p")
            self.assertEqual(len(parting.parts), plan.parts)
            self.assertEqual(len(plan.pictures), plan.parts)
            self.assertAlmostEqual(sum(p.solid.volume for p in parting.parts) / self.helm.volume, 1, delta=1e-4)
            total = sum(trimesh.Trimesh(p.solid.mesh().vertices, p.solid.mesh().faces).volume for p in parting.parts)
            self.assertAlmostEqual(total / self.helm.volume, 1, delta=1e-3)

    def test_whole_on_a_larger_printer(self):
        """One part, no seam: as the print station lays and estimates it; None where no printer takes it."""
        large = Printer("Large", 350, 350, 400, 5, False, 90.0, 2500.0)
        told = whole_on(self.helm, (large, *BEDS), Weights())
        laid = lie("whole", self.helm, [], [large], Profile())
        self.assertEqual(told.printer, "Large")
        self.assertAlmostEqual(told.hours / laid.estimates["Large"].hours, 1, delta=0.05)
        self.assertIsNone(whole_on(self.helm, BEDS, Weights()))

    def test_seams_weigh_what_the_shop_says(self):
        """Who hates filling seams gets fewer of them; who does not care about hands gets more parts or the same."""
        gentle = find_plans(self.helm, BEDS, ONE, Weights(0, 0, 0, 0, 0), self.sight)[0]
        hates = find_plans(self.helm, BEDS, ONE, Weights(seams=60), self.sight)[0]
        self.assertLess(hates.seen_cm, gentle.seen_cm + 0.5)
        self.assertLess(gentle.hours, hates.hours + 0.05)

    def test_no_seam_where_none_may_run(self):
        sight = self.sight
        cut = self.plans[0].cuts[0]
        axis = int(np.argmax(np.abs(cut.normal)))
        at = sight.mesh.vertices[np.argmin(np.abs(sight.mesh.vertices[:, axis] - cut.point[axis]))]
        kept = find_plans(self.helm, BEDS, ONE, Weights(), sight, [(at, 30.0)])
        for plan in kept:
            for seam in part_solid(self.helm, plan.cuts, ONE, "p").seams:
                ring = np.array(seam.face.exterior.coords if seam.face.geom_type == "Polygon" else seam.face.geoms[0].exterior.coords)
                back = np.linalg.inv(seam.surface.to_flat())
                points = np.column_stack([ring, np.zeros(len(ring)), np.ones(len(ring))]) @ back[:3].T
                self.assertGreater(float(np.linalg.norm(points - at, axis=1).min()), 26.0)
        self.assertEqual(find_plans(self.helm, BEDS, ONE, Weights(), sight, [(self.helm.bounds.mean(axis=0), 900.0)]), ())

    def test_what_opens_along_its_length(self):
        """A tube that any bed takes whole, to be closed round a leg: two halves, by one plane through its middle."""
        bed = (Printer("wide", 300, 300, 400, 5),)
        shin = tube(60, 3, 300)
        plans = find_plans(shin, bed, ONE, Weights(), surface_of(shin), lengthwise=True)
        self.assertEqual(plans[0].parts, 2)
        self.assertEqual(abs(plans[0].cuts[0].normal[2]), 0.0)
        self.assertAlmostEqual(float(np.dot(plans[0].cuts[0].point, plans[0].cuts[0].normal)), 0.0, delta=3)


class ManyPlanes(unittest.TestCase):
    def test_three_hundred_random_planes(self):
        """Six solids, fifty planes each, two at a time: closed parts, no crumbs, volumes that add up, ids that stay with their cuts."""
        rng = np.random.default_rng(12)
        solids = [box(60, 50, 90), tube(40, 4, 120), dome(80, 100, 110, 4), Solid(Manifold.sphere(40, 64)), Solid.from_mesh(reference(BUNNY)),
                  Solid(Manifold.cylinder(90, 30, 5, 48))]  # fmt: skip
        for solid in solids:
            low, high = solid.bounds
            for _ in range(25):
                cuts = []
                for k in (1, 2):
                    normal = rng.normal(size=3)
                    point = rng.uniform(low, high)
                    cuts.append(Cut(f"c{k}", tuple(point), tuple(normal / np.linalg.norm(normal))))
                one, both = part_solid(solid, cuts[:1], ONE, "p"), part_solid(solid, cuts, ONE, "p")
                for parting in (one, both):
                    self.assertAlmostEqual(sum(p.solid.volume for p in parting.parts) / solid.volume, 1, delta=2e-3)
                    for part in parting.parts:
                        self.assertGreater(part.solid.volume, 1.0)
                        self.assertTrue(trimesh.Trimesh(part.solid.mesh().vertices, part.solid.mesh().faces).is_watertight)
                self.assertEqual(len({p.id for p in both.parts}), len(both.parts))
                # What the second plane did not touch keeps its id.
                ids = {p.id for p in both.parts}
                for part in one.parts:
                    heights = cuts[1].plane(ONE).heights(part.solid.mesh().vertices)
                    if heights.min() > 0.5 or heights.max() < -0.5:
                        self.assertIn(part.id, ids)


if __name__ == "__main__":
    unittest.main()
