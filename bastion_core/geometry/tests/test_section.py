"""Loops of any mesh against shapely, trimesh and hand-worked figures."""

import math
import unittest

import numpy as np
import trimesh
from manifold3d import Manifold
from shapely.geometry import MultiPoint

from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.place import Plane
from bastion_core.geometry.section import hull_of, level_loops, loops, perimeter, polygon_centre
from bastion_core.geometry.solid import Solid
from bastion_core.tests.shapes import BUNNY, TORN_SPHERE, box, reference, tube


class Loops(unittest.TestCase):
    def test_a_box_cut_level_and_slanted(self):
        mesh = box(40, 20, 60).mesh()
        (level,) = level_loops(mesh, 30.0)
        self.assertAlmostEqual(level.girth_mm, 120, places=4)
        np.testing.assert_allclose(level.size, [40, 20], atol=1e-6)
        np.testing.assert_allclose(level.centre_mm, [0, 0, 30], atol=1e-6)
        # Through the middle, leaning by 45° about y: one side grows by the root of two.
        (slanted,) = loops(mesh, Plane.through(np.array([0.0, 0, 30]), np.array([1.0, 0, 1.0])))
        self.assertAlmostEqual(slanted.girth_mm, 2 * (20 + 40 * math.sqrt(2)), places=4)
        for point in slanted.solid_points():
            self.assertAlmostEqual(point[0] + point[2], 30, places=6)

    def test_two_bodies_are_two_loops_and_a_tube_too(self):
        pair = Mesh(
            np.concatenate([box(10, 10, 40).mesh().vertices, box(20, 20, 40, (50, 0, 0)).mesh().vertices]),
            np.concatenate([box(10, 10, 40).mesh().faces, box(20, 20, 40, (50, 0, 0)).mesh().faces + len(box(10, 10, 40).mesh().vertices)]),
        )
        told = level_loops(pair, 20.0)
        self.assertEqual([round(run.girth_mm) for run in told], [80, 40])
        self.assertEqual(len(level_loops(tube(30, 5, 50).mesh(), 25.0)), 2)
        self.assertEqual(level_loops(pair, 90.0), [])

    def test_against_trimesh_and_shapely_on_a_model_of_others(self):
        mesh = reference(BUNNY)
        other = trimesh.Trimesh(mesh.vertices, mesh.faces, process=False)
        for share in (0.2, 0.45, 0.7):
            height = float(mesh.bounds[0, 2] + share * mesh.size[2])
            mine = level_loops(mesh, height)
            section = other.section(plane_origin=[0, 0, height], plane_normal=[0, 0, 1])
            points = np.concatenate([run.points for run in mine])
            hull = MultiPoint(section.vertices[:, :2]).convex_hull
            with self.subTest(share):
                self.assertAlmostEqual(perimeter(hull_of(points)), hull.length, delta=1e-3 * hull.length)
                length = sum(np.linalg.norm(run.flat[:, 1] - run.flat[:, 0], axis=1).sum() for run in mine)
                self.assertAlmostEqual(length, section.length, delta=1e-3 * section.length)

    def test_a_torn_surface_still_has_its_girth(self):
        mesh = reference(TORN_SPHERE)
        middle = mesh.bounds.mean(axis=0)
        radius = float(np.linalg.norm(mesh.vertices - middle, axis=1).max())
        told = loops(mesh, Plane.through(middle, np.array([0.0, 0.0, 1.0])))
        self.assertAlmostEqual(max(run.girth_mm for run in told), 2 * math.pi * radius, delta=0.06 * radius)

    def test_a_corner_on_the_plane_is_no_trouble(self):
        ball = Solid(Manifold.sphere(10, 64)).mesh()
        self.assertTrue((np.abs(ball.vertices[:, 2]) < 1e-6).any())
        self.assertAlmostEqual(level_loops(ball, 0.0)[0].girth_mm, 20 * math.pi, delta=0.1)


class Polygons(unittest.TestCase):
    def test_centre_of_area_not_of_corners(self):
        lopsided = np.array([[0.0, 0], [10, 0], [10, 1], [10, 2], [10, 3], [10, 10], [0, 10]])
        np.testing.assert_allclose(polygon_centre(lopsided), [5, 5], atol=1e-9)

    def test_points_on_a_line(self):
        line = np.array([[0.0, 0], [1, 1], [2, 2]])
        self.assertEqual(len(hull_of(line)), 2)
        np.testing.assert_allclose(polygon_centre(line), [1, 1])
