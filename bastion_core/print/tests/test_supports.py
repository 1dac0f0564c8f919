"""What holds a part up: grids against a brute-force model of cells, branches against what a printer can do, ways to lie against plain sense."""

import math
import unittest

import numpy as np
from manifold3d import Manifold
from scipy.stats import spearmanr

from bastion_core.case import Case
from bastion_core.errors import RecipeProblem
from bastion_core.formats.glb import simplified
from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.place import Plane, turn_to_down
from bastion_core.geometry.solid import Solid
from bastion_core.print.estimate import estimate
from bastion_core.print.lay import lay_part
from bastion_core.print.orient import ways_to_lie
from bastion_core.print.profile import Profile
from bastion_core.print.recipe import LiesOn
from bastion_core.print.sanding import Seen, steps_mm
from bastion_core.print.shape import shape_of
from bastion_core.print.shows import faces_that_show
from bastion_core.print.station import PrintResult, PrintStation
from bastion_core.print.supports import DENSITY, INTERFACE_DENSITY, INTERFACE_MM, LEAN_DEG, Holding, about_mm3, hanging, mesh_of, support_of
from bastion_core.recipes import begin_all
from bastion_core.shop import Printer, Shop
from bastion_core.tests.shapes import BUNNY, box, dome, reference, tube

MACHINE = Printer("m", 300, 300, 400, 5, False, 100.0, 3000.0, warm_up_h=0.1)
TABLE = Solid(box(20, 20, 40).manifold + box(80, 20, 5, (0, 0, 40)).manifold)
ARCH = Solid(Manifold.cube([80, 30, 50]) - Manifold.cylinder(40, 30, 30, 96).rotate([-90, 0, 0]).translate([40, -5, 0]))


def lying(mesh: Mesh, *down: float) -> Mesh:
    """A mesh with another side down, its foot at z = 0."""
    turned = mesh.transformed(turn_to_down(np.array(down, dtype=np.float64)))
    matrix = np.eye(4)
    matrix[2, 3] = -turned.bounds[0, 2]
    return turned.transformed(matrix)


def columns_by_cells(mesh: Mesh, cell_mm: float = 1.0) -> float:
    """Space (mm³) under overhangs steeper than 45°, cell by cell: a cell is held up if it is empty and the first full one over it hangs."""
    low, high = mesh.bounds
    x, y = (np.arange(low[k] + cell_mm / 2, high[k], cell_mm) for k in (0, 1))
    starts = np.array([[a, b, low[2] - 1.0] for a in x for b in y])
    up = np.tile([0.0, 0.0, 1.0], (len(starts), 1))
    ray, distance, entering = mesh.rays.all_hits(starts, up)
    total = 0.0
    for k in np.unique(ray):
        mine = ray == k
        heights, ins = distance[mine] - 1.0, entering[mine]
        below = 0.0
        for height, goes_in in zip(heights, ins, strict=True):
            if goes_in:
                _, face = mesh.rays.first_hits(starts[k][None] + [[0.0, 0.0, 1.0 + height - 1e-3]], up[:1])
                normal = mesh.area_vectors[face[0]] / np.linalg.norm(mesh.area_vectors[face[0]])
                if normal[2] < -math.sin(math.radians(45)) and height - below > 1.0 and height > 0.3:
                    total += (height - below) * cell_mm**2
            else:
                below = height
    return total


class Grids(unittest.TestCase):
    def test_as_much_as_cell_by_cell(self):
        for name, solid in (("table", TABLE), ("arch", ARCH), ("dome", dome(60, 80, 90))):
            with self.subTest(name):
                mesh = solid.mesh()
                told = support_of(mesh, "grid")
                roofs = told.held_mm2 * INTERFACE_MM * INTERFACE_DENSITY
                self.assertAlmostEqual((told.volume_mm3 - roofs) / DENSITY / columns_by_cells(mesh), 1.0, delta=0.05)

    def test_of_a_bridge_by_hand(self):
        # a plate of 100 × 20 on two feet of 10 × 20, 50 high: 80 × 20 × 50 mm³ below it
        bridge = box(100, 20, 5, (0, 0, 50)).manifold + box(10, 20, 50, (-45, 0, 0)).manifold + box(10, 20, 50, (45, 0, 0)).manifold
        told = support_of(Solid(bridge).mesh(), "grid")
        self.assertAlmostEqual(told.volume_mm3, 80_000 * DENSITY + 1600 * INTERFACE_MM * INTERFACE_DENSITY, delta=20)

    def test_only_from_the_bed(self):
        shelf = Solid(box(40, 40, 5).manifold + box(5, 40, 40, (-17.5, 0, 0)).manifold + box(40, 40, 5, (0, 0, 40)).manifold)
        self.assertGreater(support_of(shelf.mesh(), "grid").volume_mm3, 1000)
        self.assertEqual(support_of(shelf.mesh(), "grid", Holding(bed_only=True)).volume_mm3, 0)

    def test_a_place_is_spared(self):
        """One of the table's two wings, 30 by 20 mm, has its middle 25 mm off; a ball of 22 mm takes all of it, wherever the table stands."""
        half = shape_of(TABLE, Profile(support="grid"), Holding(spared=[(np.array([25.0, 0.0, 40.0]), 22.0)])).support
        self.assertAlmostEqual(half.held_mm2, 600, delta=1)
        laid = lay_part(
            "t",
            TABLE,
            [],
            [MACHINE],
            Profile(support="grid"),
            np.array([0, 0, -1.0]),
            Holding(spared=[(np.array([25.0, 0.0, 40.0]), 22.0)]),
        )
        self.assertAlmostEqual(laid.shape.support.held_mm2, 600, delta=1)

    def test_a_place_is_held_however_steep(self):
        """By hand: the side of a funnel 30° from the upright hangs not; within a ball about one side of it, it is held."""
        funnel = Solid(Manifold.cylinder(60, 20, 20 + 60 * math.tan(math.radians(30)), 96).refine(6)).mesh()
        self.assertEqual(support_of(funnel, "grid").held_mm2, 0)
        held = support_of(funnel, "grid", Holding(held=[(np.array([45.0, 0.0, 45.0]), 12.0)]))
        # A disc of 12 mm on the slope, seen from above: by the sine of 30°.
        self.assertAlmostEqual(held.held_mm2 / (math.pi * 12**2 * 0.5), 1.0, delta=0.2)

    def test_none_holds_nothing_and_says_how_much_hangs(self):
        told = support_of(TABLE.mesh(), "none")
        self.assertEqual(told.volume_mm3, 0)
        self.assertAlmostEqual(told.held_mm2, 1200, delta=1)


class Branches(unittest.TestCase):
    def test_what_domes_take(self):
        """15 to 35 % of the part on domes and helmets, a grid far more: common practice, no source."""
        for size in ((156, 204, 240), (120, 150, 170)):
            mesh = dome(*size, wall_mm=3.4).mesh()
            branches, grid = (support_of(mesh, style).volume_mm3 for style in ("branching", "grid"))
            self.assertTrue(0.13 < branches / mesh.volume < 0.37, branches / mesh.volume)
            self.assertGreater(grid, 2.5 * branches)

    def test_what_a_printer_can_do(self):
        """No branch leans further than it may or runs into the part; each level's area is that of its branches, and a roof."""
        for mesh in (dome(100, 120, 130).mesh(), lying(dome(100, 120, 130).mesh(), 0, 1, 0), ARCH.mesh()):
            told = support_of(mesh, "branching")
            upper, lower = told.segments[:, :3], told.segments[:, 4:7]
            lean = np.degrees(np.arctan2(np.linalg.norm((upper - lower)[:, :2], axis=1), (upper - lower)[:, 2]))
            self.assertLess(float(lean.max()), LEAN_DEG + 0.1)
            # A point is inside where an odd number of faces lies above it; a branch ends where it has to stand on the part.
            ray, _, _ = mesh.rays.all_hits(lower, np.tile([0.0, 0.0, 1.0], (len(lower), 1)))
            inside = np.bincount(ray, minlength=len(lower)) % 2 == 1
            self.assertLessEqual(int(inside.sum()), told.stands_on_part + 0.01 * len(lower))
            self.assertEqual(len(mesh_of(told).faces), 8 * len(told.segments))

    def test_a_table_stands_on_few_trunks(self):
        told = support_of(TABLE.mesh(), "branching")
        bottom = told.segments[told.segments[:, 6] < 1e-6]
        self.assertTrue(2 <= len(bottom) <= 6, len(bottom))
        self.assertLess(told.volume_mm3, 0.6 * support_of(TABLE.mesh(), "grid").volume_mm3)

    def test_quickly_about_as_much(self):
        """Ways to lie are compared by ``about_mm3``: its rank among 60 lyings is that of the full reckoning."""
        upper, lower = dome(80, 100, 110).split(Plane((0.0, 0.3, 1.0), 60.0))
        bodies = [dome(80, 100, 110).mesh(), upper.mesh(), lower.mesh(), tube(40, 3, 70).mesh(), TABLE.mesh(), ARCH.mesh()]
        bodies.append(Mesh(reference(BUNNY).vertices * 0.6, reference(BUNNY).faces))
        full, quick = [], []
        for body in bodies:
            for down in ((0, 0, -1), (0, 0, 1), (0, 1, 0), (1, 0, 0), (0.5, 0.3, -0.8)):
                mesh = lying(body, *(v / math.sqrt(sum(w * w for w in down)) for v in down))
                full.append(support_of(mesh, "branching").volume_mm3)
                found = hanging(mesh, Holding())
                quick.append(about_mm3(found.area_mm2, found.drop_mm, "branching"))
        self.assertGreater(float(spearmanr(full, quick).statistic), 0.95)


class Walls(unittest.TestCase):
    def test_less_than_two_lines_between_walls_is_solid(self):
        """By hand: three walls of 0.45 mm on either side leave 0.3 and 0.5 mm of 3.0 and 3.2: filled. 4.0 leaves 1.3, room for infill."""
        for wall, solid in ((1.2, True), (1.8, True), (2.4, True), (3.0, True), (3.2, True), (4.0, False)):
            with self.subTest(wall):
                body = tube(40, wall, 50, 240)
                grams = estimate(shape_of(body), Profile(), MACHINE).filament_g
                full = body.volume / 1000 * 1.24
                if solid:
                    self.assertAlmostEqual(grams / full, 1.0, delta=0.03)
                else:
                    middle = math.pi * ((40 - 1.35) ** 2 - (40 - 2.65) ** 2) * 50
                    by_hand = full - middle * (1 - 0.15) * (1 - 8 / 250) / 1000 * 1.24
                    self.assertAlmostEqual(grams / by_hand, 1.0, delta=0.05)

    def test_a_cone_by_hand(self):
        """Radius 30 to 0 over 40 mm, 200 layers: walls are circles, its slope recedes 0.6 mm in four layers and shows no skin beyond them."""
        grams = 0.0
        for layer in range(200):
            r = 30 * (1 - (layer + 0.5) / 200)
            rings = [max(r - 0.225 - 0.45 * k, 0) for k in range(3)]
            walls = sum(2 * math.pi * v for v in rings) * 0.45
            inside = math.pi * max(r - 1.35, 0) ** 2
            grams += (walls + inside * (1 if layer < 4 else 0.15)) * 0.2 / 1000 * 1.24
        cone = Solid(Manifold.cylinder(40, 30, 0, 240))
        self.assertAlmostEqual(estimate(shape_of(cone), Profile(), MACHINE).filament_g / grams, 1.0, delta=0.05)

    def test_a_brim_by_hand(self):
        body, profile = box(40, 30, 20), Profile(brim_mm=5)
        plain, brimmed = (estimate(shape_of(body), p, MACHINE).filament_g for p in (Profile(), profile))
        self.assertAlmostEqual(brimmed - plain, 2 * 0.2 * (140 * 5 + math.pi * 25) / 1000 * 1.24, delta=0.01)


class Lying(unittest.TestCase):
    def test_a_rod_is_laid_down(self):
        rod = Solid(Manifold.cylinder(150, 6, 6, 48))
        for moves in (True, False):
            laid = lay_part("rod", rod, [], [Printer("p", 220, 220, 250, bed_moves=moves)], Profile())
            self.assertLess(laid.solid.size[2], 13)

    def test_a_shell_lies_on_its_cut_face(self):
        cap, _ = dome(156, 204, 240, wall_mm=3.4).split(Plane((0.0, 0.0, 1.0), 120.0))
        for turned in (cap, cap.transformed(turn_to_down(np.array([0.0, 1.0, 0.0])))):
            cut = np.array([0.0, 0.0, -1.0]) if turned is cap else turn_to_down(np.array([0.0, 1.0, 0.0]))[:3, :3] @ [0, 0, -1.0]
            best = ways_to_lie(turned, [cut])[0]
            self.assertGreater(float(np.dot(best.down, cut)), 0.999)
            self.assertEqual(str(best.called), "on its cut face")

    def test_the_inside_of_a_shell_does_not_show(self):
        cap, _ = dome(156, 204, 240, wall_mm=3.4).split(Plane((0.0, 0.0, 1.0), 60.0))
        mesh = simplified(cap.mesh(), 20_000)
        shows = faces_that_show(mesh, [np.array([0.0, 0.0, -1.0])])
        area = np.linalg.norm(mesh.area_vectors, axis=1)
        middle = mesh.triangles.mean(axis=1) - [0, 0, 168]
        outer = np.einsum("ij,ij->i", middle, mesh.area_vectors) > 0
        flat = mesh.area_vectors[:, 2] < -0.99 * area
        self.assertGreater(float(area[shows & outer & ~flat].sum() / area[outer & ~flat].sum()), 0.97)
        self.assertLess(float(area[shows & ~outer].sum() / area[~outer].sum()), 0.03)

    def test_hardly_a_foot_is_prohibitive(self):
        ball = ways_to_lie(Solid(Manifold.sphere(30, 64)))
        self.assertTrue(all("foot" in [t.name for t in w.terms] for w in ball))
        self.assertGreater(ball[0].cost_min, 5000)

    def test_it_is_told_and_a_brim_mends_it(self):
        result = PrintResult(1, 5.0, 100.0, 30.0, (), (), footless=("helm-A",))
        for brim, codes in ((0.0, ["foot"]), (6.0, [])):
            case = Case("helm", "0" * 64, begin_all(Shop(), brim_mm=brim), shop=Shop())
            self.assertEqual([f.code for f in PrintStation().findings(case, result)], codes)

    def test_a_long_flat_foot_curls_by_material(self):
        board = box(200, 60, 6)
        flat = lambda material: next(w for w in ways_to_lie(board, profile=Profile(material=material)) if w.down[2] < -0.99)  # noqa: E731
        pla, abs_ = flat("pla"), flat("abs")
        warped = [next((t.minutes for t in w.terms if t.name == "warping"), 0.0) for w in (pla, abs_)]
        self.assertGreater(warped[1], 5 * warped[0])

    def test_the_makers_way_is_taken_and_others_are_told(self):
        laid = lay_part("box", box(40, 30, 20), [], [MACHINE], Profile(), np.array([1.0, 0.0, 0.0]))
        self.assertAlmostEqual(laid.solid.size[2], 40, delta=1e-3)
        self.assertGreaterEqual(len(laid.others), 3)
        with self.assertRaises(RecipeProblem):
            LiesOn("x", (0.0, 0.0, 0.0))


class Sanded(unittest.TestCase):
    def test_steps_of_a_ball_by_integral(self):
        """Layer times the cosine of the slope, over a ball: its mean is half a layer, by integral (0.5 h), level poles and scallops aside."""
        ball = Solid(Manifold.sphere(30, 160)).mesh()
        area = np.linalg.norm(ball.area_vectors, axis=1)
        depth = steps_mm(ball.area_vectors[:, 2] / area, 0.2)
        self.assertAlmostEqual(float((area * depth).sum() / area.sum()), 0.1, delta=0.003)

    def test_a_box_has_no_steps_and_a_roof_has_its_slope(self):
        self.assertEqual(Seen.of(box(40, 30, 20).mesh(), Holding()).sanding(Profile()).deep_cm2, 0)
        roof = Solid(
            Manifold.cube([60, 40, 30]).trim_by_plane([0.0, -math.sin(math.radians(30)), -math.cos(math.radians(30))], -30.0)
        ).mesh()
        told = Seen.of(roof, Holding()).sanding(Profile(support="none"))
        self.assertAlmostEqual(told.deepest_mm, 0.2 * math.cos(math.radians(30)), delta=1e-3)
        slope = np.abs(roof.area_vectors[:, 1]) > 1e-6
        slope &= roof.area_vectors[:, 2] > 1e-6
        self.assertAlmostEqual(told.deep_cm2, float(np.linalg.norm(roof.area_vectors[slope], axis=1).sum()) / 100, delta=0.2)

    def test_scars_where_supports_touched_what_shows(self):
        under = math.pi * (60**2 - 4**2) / 100
        self.assertTrue(0.75 * under < self.scars(Profile()) <= 1.01 * under)
        self.assertEqual(self.scars(Profile(support="none")), 0)

    def test_no_scars_where_nothing_is_held(self):
        """By hand: of the disc's underside a ring is left beyond a spared ball. Of a funnel over a foot as broad as it nothing is held from the bed."""
        ring = math.pi * (60**2 - 40**2) / 100
        self.assertAlmostEqual(self.scars(Profile(), [(np.array([0.0, 0.0, 100.0]), 40.0)]) / ring, 1.0, delta=0.15)
        funnel = Manifold.cylinder(40, 10, 60, 64).refine(6).translate([0, 0, 60]) + Manifold.cylinder(61, 4, 4, 32)
        over_foot = funnel + Manifold.cylinder(5, 61, 61, 64)
        # Square to its side one looks past the foot from a radius of 22 mm on, leaned toward its axis from 37 mm on: 64 / 50 of that ring on the slope.
        least, most = (math.pi * (60**2 - r**2) / 100 * 64 / 50 for r in (37, 22))
        scars = self.scars(Profile(), body=over_foot)
        self.assertTrue(least < scars < most, (least, scars, most))
        self.assertEqual(self.scars(Profile(support_bed_only=True), body=over_foot), 0)

    @staticmethod
    def scars(profile, spared=(), body=None):
        disc = Manifold.cylinder(30, 60, 60, 64).translate([0, 0, 100]).refine(6) + Manifold.cylinder(101, 4, 4, 32)
        return Seen.of(Solid(body or disc).mesh(), profile.holding(spared)).sanding(profile).scars_cm2


if __name__ == "__main__":
    unittest.main()
