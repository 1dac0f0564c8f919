"""Holes, pockets, slots, pegs and tongues of known size in known meshes, whole and facetted, found and filled.

The bodies are made by trimesh's primitives and by manifold3d; volumes are by hand.
"""

import unittest

import numpy as np
import trimesh
from manifold3d import CrossSection, Manifold
from scipy.spatial.transform import Rotation

from bastion_core.errors import RecipeProblem
from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.solid import Solid, united
from bastion_core.pieces.features import Feature, find_features
from bastion_core.pieces.hardware import likely_uses, seat_of
from bastion_core.pieces.intake import take_in
from bastion_core.tests.shapes import HINGE, dome

PLATE = Manifold.cube([80, 60, 20], True)


def anyhow(body: Manifold, seed: int = 3) -> tuple[Mesh, np.ndarray]:
    """A body turned and moved anyhow, and the 4x4 that did it."""
    matrix = np.eye(4)
    matrix[:3, :3] = Rotation.random(random_state=seed).as_matrix()
    matrix[:3, 3] = (31.0, -17.0, 5.0)
    return Solid(body).mesh().transformed(matrix), matrix


def carved(radius: float, depth: float, segments: int, at=(0.0, 0.0)) -> Manifold:
    """The plate with a round pocket so deep in its upper side."""
    return PLATE - Manifold.cylinder(depth + 5, radius, radius, segments).translate([at[0], at[1], 10 - depth])


def kinds(mesh: Mesh) -> list[str]:
    return sorted(f.feature.kind for f in find_features(mesh))


class Found(unittest.TestCase):
    def test_round_pockets_of_every_fineness(self):
        """A circle of n flats: corners on the circle, flats cos(180°/n) of that from the middle."""
        for segments in (7, 8, 12, 24, 64, 200):
            for radius, depth in ((1.55, 4.0), (3.1, 3.2), (8.0, 6.0)):
                with self.subTest(segments=segments, radius=radius):
                    mesh, matrix = anyhow(carved(radius, depth, segments))
                    (one,) = find_features(mesh)
                    f = one.feature
                    self.assertEqual((f.kind, f.through), ("round", False))
                    self.assertAlmostEqual(f.width_mm, 2 * radius, delta=0.05)
                    self.assertAlmostEqual(f.clear_mm, 2 * radius * np.cos(np.pi / segments), delta=0.05)
                    self.assertAlmostEqual(f.depth_mm, depth, delta=0.05)
                    np.testing.assert_allclose(f.at_mm, matrix[:3, :3] @ [0, 0, 10] + matrix[:3, 3], atol=0.05)
                    np.testing.assert_allclose(f.axis, matrix[:3, :3] @ [0, 0, 1], atol=1e-3)
                    volume = segments / 2 * np.sin(2 * np.pi / segments) * radius**2 * depth
                    self.assertAlmostEqual(Solid.from_mesh(one.void).volume / volume, 1.0, delta=0.005)

    def test_a_bush_of_another_library(self):
        """trimesh's annulus: a hole through, 2 x 4 mm wide."""
        bush = trimesh.creation.annulus(4.0, 9.0, 12.0, sections=72)
        (one,) = [f for f in find_features(Mesh(np.asarray(bush.vertices), np.asarray(bush.faces))) if f.feature.kind == "round"]
        self.assertTrue(one.feature.through)
        self.assertAlmostEqual(one.feature.width_mm, 8.0, delta=0.05)
        self.assertAlmostEqual(one.feature.depth_mm, 12.0, delta=0.05)
        self.assertEqual(one.feature.flats, 0)

    def test_through_a_curved_shell_in_any_direction(self):
        shell = dome(160, 200, 240).manifold
        drill = Manifold.cylinder(60, 2.6, 2.6, 48, True).rotate([0.0, 90.0, 15.0]).translate([85.0, 0.0, 60.0])
        (one,) = [f for f in find_features(Solid(shell - drill).mesh()) if f.feature.kind == "round"]
        self.assertAlmostEqual(one.feature.width_mm, 5.2, delta=0.05)
        self.assertTrue(one.feature.through)
        self.assertGreater(abs(float(np.dot(one.feature.axis, [np.cos(np.radians(15)), np.sin(np.radians(15)), 0.0]))), 0.9999)
        whole = Solid(shell)
        back = united([Solid(shell - drill), Solid.from_mesh(one.void)])
        self.assertAlmostEqual(back.volume, whole.volume, delta=0.02 * np.pi * 2.6**2 * 6.0)

    def test_every_kind_beside_each_other(self):
        long = CrossSection.batch_hull([CrossSection.circle(2.5, 48).translate([x, 0]) for x in (-6, 6)]).extrude(4)
        body = carved(3.1, 3.2, 64, (10, 10)) - Manifold.cylinder(40, 1.7, 1.7, 24).translate([-20, -15, -20])
        body = body - Manifold.cylinder(5, 3.2, 3.2, 6).translate([25, -15, 7]) - Manifold.cube([20, 4, 6], True).translate([-5, -5, 10])
        body = body - long.translate([0, 20, 7]) - Manifold.cube([82, 3, 4], True).translate([0, -25, 10])
        body = body + Manifold.cylinder(7, 2, 2, 40).translate([30, 20, 9]) + Manifold.cube([14, 3, 10], True).translate([-30, 0, 10])
        mesh, matrix = anyhow(body)
        found = {(f.feature.kind, round(f.feature.width_mm, 1)): f.feature for f in find_features(mesh)}
        self.assertEqual(
            set(found),
            {("round", 6.2), ("round", 3.4), ("hexagon", 5.5), ("slot", 4.0), ("slot", 5.0), ("slot", 3.0), ("peg", 4.0), ("tongue", 3.0)},
        )
        for key, length, depth in ((("slot", 4.0), 20, 3), (("slot", 5.0), 17, 3), (("slot", 3.0), 80, 2), (("tongue", 3.0), 14, 5)):
            self.assertAlmostEqual(found[key].length_mm, length, delta=0.05)
            self.assertAlmostEqual(found[key].depth_mm, depth, delta=0.05)
        for f in found.values():
            out = 1.0 if not f.through else abs(float(np.dot(f.axis, matrix[:3, 2])))
            self.assertAlmostEqual(float(np.dot(f.axis, matrix[:3, 2])) if not f.through else out, 1.0, delta=1e-3)

    def test_with_the_noise_of_an_export_and_at_another_scale(self):
        body = Solid(carved(3.1, 3.2, 48).refine(2)).mesh()
        rough = Mesh(body.vertices * 1.08 + np.random.default_rng(1).normal(0, 0.002, body.vertices.shape), body.faces)
        (one,) = find_features(rough)
        self.assertAlmostEqual(one.feature.width_mm, 6.2 * 1.08, delta=0.05)

    def test_a_filleted_bottom_hides_no_wall(self):
        """A pocket whose bottom runs round into its wall: half a ball under a cylinder."""
        cutter = Manifold.cylinder(10, 4, 4, 64) + Manifold.sphere(4, 64)
        (one,) = find_features(Solid(PLATE - cutter.translate([0, 0, 6])).mesh())
        self.assertAlmostEqual(one.feature.width_mm, 8.0, delta=0.06)

    def test_what_is_no_feature(self):
        self.assertEqual(kinds(dome(160, 200, 240).mesh()), [])
        self.assertEqual(kinds(Solid(PLATE).mesh()), [])
        self.assertEqual(kinds(Solid(Manifold.cylinder(80, 18, 18, 64)).mesh()), [], "a shaft is no peg")

    def test_a_hinge_of_others(self):
        """Netgen's tutorial part: its bores are told, and filling them takes out every hole it has."""
        taken = take_in(HINGE, unit="mm")
        found = [f for f in find_features(taken.mesh) if f.void is not None and f.feature.through]
        self.assertGreaterEqual(len(found), 1)
        filled = united([taken.solid, *(Solid.from_mesh(f.void) for f in found)])
        self.assertEqual(filled.manifold.genus(), taken.solid.manifold.genus() - len(found))
        self.assertAlmostEqual(filled.volume, taken.solid.volume + sum(Solid.from_mesh(f.void).volume for f in found), delta=0.5)


def hole(width: float, depth: float, through: bool = False, kind: str = "round") -> Feature:
    return Feature(kind, 0, (0, 0, 0), (0, 0, 1), (1, 0, 0), width, width, width, depth, through, 0)


class Uses(unittest.TestCase):
    def test_the_likeliest_comes_first(self):
        for feature, use in (
            (hole(6.2, 3.2), "magnet-6x3"), (hole(10.3, 2.2), "magnet-10x2"), (hole(3.4, 8, True), "screw-M3"), (hole(5.2, 4, True), "led-5"),
            (hole(4.0, 6.5), "insert-M3"), (hole(5.7, 2.6, kind="hexagon"), "nut-M3"), (hole(4.0, 5, kind="slot"), "slide"),
        ):  # fmt: skip
            with self.subTest(use):
                self.assertEqual(likely_uses(feature)[0], use)
        self.assertEqual(likely_uses(hole(33.0, 8)), ("plug",))

    def test_sizes_by_the_standards(self):
        """ISO 273 (medium) and ISO 4032, from memory: holes for M3 and M5 are 3.4 and 5.5; an M4 nut is 7 across and 3.2 high."""
        self.assertEqual([seat_of(u, 0.15).width_mm for u in ("screw-M3", "screw-M5")], [3.4, 5.5])
        nut = seat_of("nut-M4", 0.15)
        self.assertAlmostEqual(nut.width_mm, 7.3)
        self.assertAlmostEqual(nut.depth_mm, 3.4)
        self.assertAlmostEqual(seat_of("magnet-6x3", 0.15).width_mm, 6.3)

    def test_nobody_knows_that_use(self):
        for use in ("", "magnet", "magnet-0x3", "screw-M7", "rod-900", "led-", "slide-3", "insert-", "nut-M3x"):
            with self.subTest(use), self.assertRaises(RecipeProblem):
                seat_of(use, 0.1)


if __name__ == "__main__":
    unittest.main()
