import unittest

import numpy as np

from bastion_core.errors import MeshProblem
from bastion_core.formats.reading import FileMesh
from bastion_core.geometry.mesh import Mesh
from bastion_core.pieces.intake import take_in, take_in_mesh
from bastion_core.pieces.mend import make_sound
from bastion_core.pieces.silhouette import FRONT, silhouette
from bastion_core.pieces.units import guess_unit
from bastion_core.tests.shapes import BUNNY, HINGE, TEAPOT, TORN_SPHERE, box, reference, tube


class Mending(unittest.TestCase):
    def test_sound_models_of_others_are_left_alone(self):
        for path in (BUNNY, HINGE):
            with self.subTest(path.name):
                mended = make_sound(reference(path))
                self.assertTrue(mended.faults.closed)
                self.assertEqual(mended.done, ())
                self.assertAlmostEqual(mended.solid.volume / reference(path).volume, 1, delta=1e-5)

    def test_sphere_with_holes_is_closed(self):
        taken = take_in(TORN_SPHERE)
        self.assertFalse(taken.health.watertight_as_it_came)
        self.assertEqual(taken.health.faults.holes, 3)
        self.assertGreater(taken.health.volume_mm3, 0.9 * 4 / 3 * np.pi * 30**3)  # its size is 60 mm across
        self.assertIn("Mended: filled 3 holes.", [str(s) for s in taken.health.sentences()])

    def test_open_patches_become_one_body(self):
        mended = make_sound(reference(TEAPOT))
        self.assertEqual(mended.bodies, 1)
        self.assertTrue(mended.faults.overlapping_bodies)

    def test_inside_out(self):
        mesh = box(30, 20, 10).mesh()
        mended = make_sound(Mesh(mesh.vertices, mesh.faces[:, ::-1].copy()))
        self.assertTrue(mended.faults.inside_out)
        self.assertAlmostEqual(mended.solid.volume, 6000, delta=1)

    def test_overlap_counts_once(self):
        a, b = box(20, 20, 20).mesh(), box(20, 20, 20, (10, 0, 0)).mesh()
        both = Mesh(np.vstack([a.vertices, b.vertices]), np.vstack([a.faces, b.faces + len(a.vertices)]))
        mended = make_sound(both)
        self.assertAlmostEqual(mended.solid.volume, 30 * 20 * 20, delta=1)
        self.assertEqual(mended.bodies, 1)

    def test_cracks_doubles_and_turned_faces(self):
        mesh = tube(40, 4, 60).mesh()
        corners = mesh.triangles.copy()
        corners[5:9] = corners[5:9, ::-1]  # turned
        corners += np.random.default_rng(3).uniform(-2e-4, 2e-4, (len(corners), 1, 3)) * (np.arange(len(corners)) % 7 == 0)[:, None, None]
        corners = np.concatenate([corners, corners[20:24]])  # doubled
        soup = Mesh(corners.reshape(-1, 3), np.arange(3 * len(corners)).reshape(-1, 3))
        mended = make_sound(soup)
        self.assertAlmostEqual(mended.solid.volume / mesh.volume, 1, delta=0.01)
        self.assertTrue(any("welded" in what for what in mended.done))

    def test_a_sheet_has_no_inside(self):
        flat = Mesh(
            np.array([[0, 0, 0], [50, 0, 0], [50, 50, 0.0], [0, 50, 0], [25, 25, 0]]),
            np.array([[0, 1, 4], [1, 2, 4], [2, 3, 4], [3, 0, 4]]),
        )
        with self.assertRaises(MeshProblem):
            make_sound(flat)


class Units(unittest.TestCase):
    def test_guess_and_reason(self):
        for size, unit in ((290.0, "mm"), (29.0, "mm"), (11.5, "in"), (0.3, "m"), (1900.0, "mm")):
            with self.subTest(size):
                guess = guess_unit(size, "head")
                self.assertEqual(guess.unit, unit)
                self.assertTrue(guess.reason)

    def test_same_body_in_inches_and_millimetres(self):
        mesh = reference(BUNNY)
        inches = Mesh(mesh.vertices / 25.4, mesh.faces)
        a = take_in_mesh(FileMesh(mesh, "stl", None))
        b = take_in_mesh(FileMesh(inches, "stl", None), unit="in")
        self.assertAlmostEqual(a.health.volume_mm3 / b.health.volume_mm3, 1, delta=1e-5)


class Outline(unittest.TestCase):
    def test_silhouette_of_a_box_is_its_front(self):
        numbers = [float(n) for n in silhouette(box(30, 10, 50), FRONT).strip("MZ").replace("L", ",").split(",")]
        x, y = numbers[0::2], numbers[1::2]
        self.assertEqual((max(x) - min(x), max(y) - min(y)), (30, 50))
        self.assertEqual(max(y), 0)  # y downward: the foot is at 0
