import unittest

import numpy as np
import trimesh

from bastion_core.errors import RecipeProblem
from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.place import Plane, plane_frame, quarter_turns, scaling, shifting, turn_to_down, turn_to_up
from bastion_core.geometry.solid import Solid
from bastion_core.geometry.walls import surface_sample
from bastion_core.tests.shapes import BUNNY, HINGE, box, reference


class Frames(unittest.TestCase):
    def test_right_handed_and_square_for_any_normal(self):
        rng = np.random.default_rng(5)
        for normal in (*rng.normal(size=(40, 3)), (1, 0, 0), (0, -1, 0), (0, 0, 1), (0, 0, -1)):
            frame = plane_frame(np.array(normal, float))
            np.testing.assert_allclose(frame.T @ frame, np.eye(3), atol=1e-12)
            self.assertAlmostEqual(np.linalg.det(frame), 1)
            np.testing.assert_allclose(frame[:, 2], np.array(normal) / np.linalg.norm(normal))

    def test_no_direction(self):
        for nothing in ((0, 0, 0), (np.nan, 0, 1)):
            with self.assertRaises(RecipeProblem):
                plane_frame(np.array(nothing, float))

    def test_turns(self):
        direction = np.array([0.6, 0.0, 0.8])
        np.testing.assert_allclose(turn_to_up(direction)[:3, :3] @ direction, [0, 0, 1], atol=1e-12)
        np.testing.assert_allclose(turn_to_down(direction)[:3, :3] @ direction, [0, 0, -1], atol=1e-12)
        # a quarter turn about x takes what is up to the front (-y), as tipping forward does
        np.testing.assert_allclose(quarter_turns(1, 0, 0)[:3, :3] @ [0, 0, 1], [0, -1, 0])
        np.testing.assert_allclose(quarter_turns(4, 8, 0), np.eye(4))

    def test_plane_in_its_own_frame(self):
        plane = Plane.through(np.array([3.0, 4.0, 5.0]), np.array([1.0, 2.0, -2.0]))
        flat = plane.to_flat()
        self.assertAlmostEqual((flat @ [3, 4, 5, 1])[2], 0)
        above = np.array([3.0, 4, 5]) + np.array(plane.normal) * 7
        self.assertAlmostEqual((flat @ [*above, 1])[2], 7)
        self.assertAlmostEqual(plane.heights(above[None, :])[0], 7)


class Meshes(unittest.TestCase):
    def test_volume_and_area_are_trimeshs(self):
        for path in (BUNNY, HINGE):
            mesh = reference(path)
            other = trimesh.Trimesh(mesh.vertices, mesh.faces, process=False)
            self.assertAlmostEqual(mesh.volume / other.volume, 1, delta=1e-6)
            self.assertAlmostEqual(np.linalg.norm(mesh.area_vectors, axis=1).sum() / other.area, 1, delta=1e-6)
            np.testing.assert_allclose(mesh.size, other.extents)

    def test_far_from_home_the_volume_stays(self):
        mesh = box(10, 20, 30).mesh()
        away = mesh.transformed(shifting(np.array([1e5, -2e5, 3e5])))
        self.assertAlmostEqual(away.volume, 6000, delta=0.1)

    def test_mirroring_keeps_the_outside_outside(self):
        mesh = reference(BUNNY)
        mirrored = mesh.transformed(scaling(-1, 1, 1))
        self.assertAlmostEqual(mirrored.volume, mesh.volume, delta=1e-6 * mesh.volume)
        self.assertAlmostEqual(Solid.from_mesh(mirrored).volume / mesh.volume, 1, delta=1e-5)
        solid = Solid.from_mesh(mesh).transformed(scaling(-1, 1, 1))
        self.assertGreater(solid.volume, 0)

    def test_samples_lie_on_the_surface_in_proportion(self):
        sample = surface_sample(box(10, 10, 40).mesh(), 4000)
        on_top = np.isclose(sample.points[:, 2], 40)
        self.assertAlmostEqual(on_top.mean(), 100 / 1800, delta=0.02)
        np.testing.assert_allclose(sample.normals[on_top], [[0, 0, 1]] * on_top.sum(), atol=1e-9)

    def test_first_hits_by_hand(self):
        mesh = box(10, 10, 10).mesh()
        origins = np.array([[0.5, 0.2, 20.0], [30, 0, 5], [0.1, 0.3, 5.0]])
        directions = np.array([[0, 0, -1.0], [0, 1, 0], [1, 0, 0]])
        distance, face = mesh.rays.first_hits(origins, directions)
        self.assertAlmostEqual(distance[0], 10, delta=1e-4)
        self.assertTrue(np.isinf(distance[1]) and face[1] == -1)
        self.assertAlmostEqual(distance[2], 4.9, delta=1e-4)

    def test_all_hits_alternate(self):
        mesh = reference(BUNNY)
        middle = mesh.bounds.mean(axis=0)
        starts = middle + np.column_stack([np.full(20, -300.0), np.linspace(-31, 29, 20), np.linspace(-23, 27, 20)])
        ray, distance, entering = mesh.rays.all_hits(starts, np.tile([1.0, 0, 0], (20, 1)))
        self.assertGreater(len(np.unique(ray)), 10)
        for one in np.unique(ray):
            mine = ray == one
            self.assertTrue((np.diff(distance[mine]) >= 0).all())
            np.testing.assert_array_equal(entering[mine], [i % 2 == 0 for i in range(mine.sum())])

    def test_a_sheet_is_no_solid(self):
        from bastion_core.errors import MeshProblem

        with self.assertRaises(MeshProblem):
            Solid.from_mesh(Mesh(np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0.0]]), np.array([[0, 1, 2]])))
