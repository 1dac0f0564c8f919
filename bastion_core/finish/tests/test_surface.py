"""The surface against shapes whose areas, bends, steps and volumes are known in closed form."""

import unittest
from math import pi, sqrt

import numpy as np
import trimesh
from manifold3d import Manifold

from bastion_core.errors import MeshProblem
from bastion_core.finish.surface import PartPrinted, Skin, skin_of, workable
from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.place import laid
from bastion_core.geometry.solid import Solid
from bastion_core.print.supports import Holding
from bastion_core.tests.shapes import BUNNY, box, plain_bracer, reference, tube

R = 60.0


def skin(mesh: Mesh, up=(0.0, 0.0, 1.0), **how) -> Skin:
    return skin_of([PartPrinted("A", mesh, laid(mesh.vertices, np.array(up)), **how)])


def outside_mm2(s: Skin) -> float:
    return float(s.areas[s.outside].sum())


def bend(s: Skin, where) -> np.ndarray:
    """The median of both bends over some of the outside."""
    return np.median(s.bends[s.outside & where], axis=0)


class KnownShapes(unittest.TestCase):
    """Areas, curvatures and integrals of differential geometry's own examples; nothing of it is ours."""

    @classmethod
    def setUpClass(cls):
        cls.ball = skin(Solid(Manifold.sphere(R, 256)).mesh())
        shell = Manifold.sphere(R, 256) - Manifold.sphere(R - 4, 256)
        cls.dome = skin(Solid(shell.trim_by_plane([0, 0, 1], 0)).mesh())
        cls.can = skin(Solid(Manifold.cylinder(100, 40, 40, 256)).mesh())
        cls.cone = skin(Solid(Manifold.cylinder(100, 50, 0.0, 256)).mesh())
        ring = trimesh.creation.torus(R, 20, major_sections=200, minor_sections=64)
        cls.ring = skin(Mesh(np.array(ring.vertices), np.array(ring.faces)))

    def test_sphere(self):
        self.assertAlmostEqual(outside_mm2(self.ball) / (4 * pi * R**2), 1, delta=0.002)
        self.assertTrue(np.allclose(bend(self.ball, True) * R, 1, atol=0.03))
        # Half a step deep by the level shadow, above and below.
        self.assertAlmostEqual(self.ball.stair_mm3 / (2 * 0.5 * 0.2 * pi * R**2), 1, delta=0.005)

    def test_dome_of_a_shell(self):
        """Outside are the outer half sphere and its rim; the stairs fill half a layer over the dome's shadow."""
        rim = pi * (R**2 - (R - 4) ** 2)
        self.assertAlmostEqual(outside_mm2(self.dome) / (2 * pi * R**2 + rim), 1, delta=0.01)
        self.assertAlmostEqual(self.dome.stair_mm3 / (0.5 * 0.2 * pi * R**2), 1, delta=0.01)

    def test_steps_go_with_the_layer_and_the_slope(self):
        finer = skin(self.dome.mesh, layer_mm=0.1)
        self.assertAlmostEqual(finer.stair_mm3 / self.dome.stair_mm3, 0.5, delta=0.002)
        slope = np.abs(self.dome.surface.normals[:, 2])
        on = self.dome.outside & (slope < 0.99)
        self.assertTrue(np.allclose(self.dome.stairs_mm[on], 0.2 * slope[on]))

    def test_cylinder_stands_without_stairs_and_lies_with_them(self):
        walls = np.abs(self.can.surface.normals[:, 2]) < 0.1
        self.assertAlmostEqual(outside_mm2(self.can) / (2 * pi * 40 * 100 + 2 * pi * 40**2), 1, delta=0.002)
        self.assertAlmostEqual(bend(self.can, walls)[0] * 40, 1, delta=0.03)
        self.assertAlmostEqual(bend(self.can, walls)[1] * 40, 0, delta=0.03)
        self.assertLess(self.can.stair_mm3, 0.01)
        self.assertTrue(np.allclose(self.can.depth_mm[walls], 0.02, atol=1e-6))  # the backs of lines
        lying = skin(self.can.mesh, up=(1.0, 0.0, 0.0))
        # 0.5 t |cos a| over 2 pi r h: the shadow 2 r h, from above and from below.
        self.assertAlmostEqual(lying.stair_mm3 / (0.5 * 0.2 * 2 * 80 * 100), 1, delta=0.01)

    def test_cone(self):
        slant = pi * 50 * sqrt(50**2 + 100**2)
        self.assertAlmostEqual(outside_mm2(self.cone) / (slant + pi * 50**2), 1, delta=0.002)
        self.assertAlmostEqual(self.cone.stair_mm3 / (0.5 * 0.2 * pi * 50**2), 1, delta=0.005)
        half = (np.abs(self.cone.middles[:, 2] - 50) < 5) & (np.abs(self.cone.surface.normals[:, 2]) < 0.9)
        # Half way up the radius is 25; the bend across the slope is 1 / (r sqrt(1 + (r/h)^2)).
        self.assertAlmostEqual(bend(self.cone, half)[0] * 25 * sqrt(1 + 0.25), 1, delta=0.05)

    def test_torus(self):
        self.assertAlmostEqual(outside_mm2(self.ring) / (4 * pi**2 * R * 20), 1, delta=0.003)
        # From above and below the ring's shadow is that between its two circles.
        self.assertAlmostEqual(self.ring.stair_mm3 / (2 * 0.5 * 0.2 * pi * ((R + 20) ** 2 - (R - 20) ** 2)), 1, delta=0.01)
        far = np.hypot(self.ring.middles[:, 0], self.ring.middles[:, 1])
        self.assertTrue(np.allclose(bend(self.ring, far > R + 19.5), [1 / 20, 1 / (R + 20)], rtol=0.08))
        inner = bend(self.ring, far < R - 19.5)
        self.assertTrue(np.allclose(inner, [1 / 20, -1 / (R - 20)], rtol=0.12), inner)


class InsideAndOutside(unittest.TestCase):
    def test_thin_ring_is_outside_all_round(self):
        """Its hole looks toward its middle with a thin wall behind, and is no inside of a shell all the same."""
        ring = trimesh.creation.torus(R, 5, major_sections=120, minor_sections=40)
        s = skin(Mesh(np.array(ring.vertices), np.array(ring.faces)))
        self.assertAlmostEqual(outside_mm2(s) / (4 * pi**2 * R * 5), 1, delta=0.01)

    def test_tube_and_bracer(self):
        s = skin(tube(50, 4, 150).mesh())
        self.assertAlmostEqual(outside_mm2(s) / (2 * pi * 50 * 150 + 2 * pi * (50**2 - 46**2)), 1, delta=0.01)
        s = skin(plain_bracer())
        self.assertTrue(0.49 < outside_mm2(s) / float(s.areas.sum()) < 0.56)

    def test_open_box_knows_its_hollow(self):
        open_box = Manifold.cube([80, 60, 50]) - Manifold.cube([74, 54, 60]).translate([3, 3, 3])
        s = skin(Solid(open_box).mesh())
        outer = 80 * 60 + 2 * 50 * (80 + 60)
        self.assertAlmostEqual(outside_mm2(s) / (outer + 80 * 60 - 74 * 54), 1, delta=0.03)

    def test_glued_faces_are_no_outside(self):
        parts = [PartPrinted(n, box(40, 40, 20, (0, 0, z)).mesh(), np.eye(4)) for n, z in (("A", 20.0), ("B", 0.0))]
        s = skin_of(parts, {"A-B": np.array([[-20.0, -20, 20], [20, -20, 20], [20, 20, 20], [-20, 20, 20]])})
        self.assertAlmostEqual(float(s.areas[s.glued].sum()), 2 * 40 * 40, delta=1)
        self.assertAlmostEqual(outside_mm2(s), 4 * 40 * 40 + 2 * 40 * 40, delta=1)
        self.assertAlmostEqual(s.closed_mm[0], 160, delta=0.1)
        # A band of 5 mm to each side of the seam, all round.
        self.assertAlmostEqual(float(s.areas[s.seam == 0].sum()) / (160 * 10), 1, delta=0.12)


class Workable(unittest.TestCase):
    def test_long_faces_are_parted_and_nothing_is_lost(self):
        mesh = workable(box(100, 60, 40).mesh(), 20_000)
        self.assertAlmostEqual(float(np.linalg.norm(mesh.area_vectors, axis=1).sum()), 2 * (6000 + 4000 + 2400), places=2)
        self.assertGreater(len(mesh.faces), 2000)
        self.assertLess(mesh.longest_edges.max(), 8)

    def test_open_mesh_is_refused(self):
        mesh = box(20, 20, 20).mesh()
        with self.assertRaisesRegex(MeshProblem, "not closed"):
            workable(Mesh(mesh.vertices, mesh.faces[1:]), 1000)

    def test_mesh_of_others(self):
        """The area of a scan is trimesh's own, however it was made ready."""
        mesh = reference(BUNNY)
        whole = trimesh.Trimesh(mesh.vertices, mesh.faces, process=False)
        s = skin(mesh)
        self.assertAlmostEqual(s.whole_mm2, whole.area, delta=1)
        self.assertAlmostEqual(float(s.areas.sum()) / whole.area, 1, delta=0.02)
        # Most of it is seen, and nothing of a solid body is inside but what its ears hide.
        self.assertGreater(outside_mm2(s) / whole.area, 0.93)


class PrintedOtherwise(unittest.TestCase):
    def test_laid_on_another_side(self):
        table = Solid(Manifold.cube([60, 40, 4]).translate([0, 0, 40]) + Manifold.cube([6, 40, 41])).mesh()
        s = skin_of([PartPrinted("A", table, laid(table.vertices, np.array([0.0, 0.0, 1.0])), holding=Holding())])
        under = (s.surface.normals[:, 2] < -0.9) & (s.middles[:, 2] > 1)
        self.assertAlmostEqual(float(s.areas[s.held].sum()), 54 * 40, delta=30)
        self.assertTrue(s.held[under].all())
        turned = s.relaid(0, laid(table.vertices, np.array([0.0, 0.0, -1.0])), Holding())
        self.assertEqual(float(turned.areas[turned.held].sum()), 0.0)

    def test_in_resin(self):
        s = skin(Solid(Manifold.sphere(30, 128)).mesh())
        resin = s.in_resin(0, 0.05)
        self.assertAlmostEqual(resin.stair_mm3 / s.stair_mm3, 0.25, delta=0.001)
        self.assertEqual(float(resin.scallop_mm.max()), 0.0)


if __name__ == "__main__":
    unittest.main()
