"""How coarse a mesh is, against a chord's closed form; where it touches itself; how many bodies it is."""

import unittest

import numpy as np

from bastion_core.errors import MeshProblem
from bastion_core.formats.reading import FileMesh
from bastion_core.geometry.facets import bodies_of, chord_error_mm
from bastion_core.geometry.mesh import Mesh
from bastion_core.pieces.intake import take_in_mesh
from bastion_core.tests.shapes import HINGE, box, reference, tube


def together(*meshes: Mesh) -> Mesh:
    """Meshes in one, corner for corner."""
    steps = np.cumsum([0, *(len(m.vertices) for m in meshes)])
    faces = [m.faces + step for m, step in zip(meshes, steps, strict=False)]
    return Mesh(np.concatenate([m.vertices for m in meshes]), np.concatenate(faces))


class Facets(unittest.TestCase):
    def test_a_circle_of_so_many_flats(self):
        """A chord that turns by 2 pi / n leaves its circle by r (1 - cos(pi / n))."""
        for radius, flats in ((100, 32), (100, 64), (60, 48)):
            error = chord_error_mm(tube(radius, 4, 100, flats).mesh())
            self.assertAlmostEqual(error, radius * (1 - np.cos(np.pi / flats)), delta=0.002)

    def test_flat_sides_and_meant_edges_are_no_coarseness(self):
        self.assertEqual(chord_error_mm(box(40, 30, 20).mesh()), 0.0)
        self.assertLess(chord_error_mm(reference(HINGE)), 0.05)

    def test_scaled_up_it_grows_along(self):
        mesh = tube(50, 4, 80, 40).mesh()
        larger = Mesh(mesh.vertices * 3, mesh.faces)
        self.assertAlmostEqual(chord_error_mm(larger), 3 * chord_error_mm(mesh), places=9)


class Touching(unittest.TestCase):
    def test_two_boxes_on_one_edge(self):
        corner_to_corner = together(box(10, 10, 10).mesh(), box(10, 10, 10, (10, 10, 0)).mesh())
        told = take_in_mesh(FileMesh(corner_to_corner, "stl", None), unit="mm")
        self.assertEqual(told.health.faults.touching_edges, 1)
        self.assertEqual(take_in_mesh(FileMesh(box(10, 10, 10).mesh(), "stl", None), unit="mm").health.faults.touching_edges, 0)
        self.assertTrue(any("only touches itself" in str(s) for s in told.health.sentences()))

    def test_a_file_of_crumbs_is_counted_and_refused(self):
        corners = np.random.default_rng(1).uniform(0, 300, (2000, 1, 3))
        shape = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1.0]])
        faces = np.array([[0, 2, 1], [0, 1, 3], [1, 2, 3], [0, 3, 2]])
        crumbs = Mesh((corners + shape).reshape(-1, 3), (faces + 4 * np.arange(2000)[:, None, None]).reshape(-1, 3))
        self.assertEqual(len(np.unique(bodies_of(crumbs.faces))), 2000)
        with self.assertRaisesRegex(MeshProblem, "2,000 loose bodies.*Unite them"):
            take_in_mesh(FileMesh(crumbs, "stl", None), unit="mm")
        fine = tube(80, 4, 200, 3000).mesh()
        with self.assertRaisesRegex(MeshProblem, "Delete the crumbs"):
            take_in_mesh(FileMesh(together(fine, crumbs), "stl", None), unit="mm")


if __name__ == "__main__":
    unittest.main()
