import math
import unittest

import numpy as np
import trimesh

from bastion_core.geometry.layers import layer_sections, sections_at, skin_areas
from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.solid import Solid, united
from bastion_core.geometry.walls import overlap_share, thinnest_wall_mm
from bastion_core.tests.shapes import BUNNY, HINGE, box, reference, tube


class Sections(unittest.TestCase):
    def test_box_and_tube_by_formula(self):
        layers = layer_sections(box(40, 30, 10).mesh(), 0.25)
        self.assertEqual(layers.count, 40)
        np.testing.assert_allclose(layers.area_mm2, 1200, rtol=1e-6)
        np.testing.assert_allclose(layers.outline_mm, 140, rtol=1e-6)
        sections = layer_sections(tube(20, 2, 5, segments=720).mesh(), 0.2)
        np.testing.assert_allclose(sections.area_mm2, math.pi * (20**2 - 18**2), rtol=1e-4)
        np.testing.assert_allclose(sections.outline_mm, 2 * math.pi * 38, rtol=1e-4)

    def test_agrees_with_trimesh_on_models_of_others(self):
        for path in (BUNNY, HINGE):
            with self.subTest(path.name):
                mesh = reference(path)
                other = trimesh.Trimesh(mesh.vertices, mesh.faces, process=False)
                low, high = mesh.bounds[:, 2]
                heights = low + (high - low) * np.array([0.13, 0.31, 0.52, 0.77, 0.93])
                area, outline = sections_at(mesh, heights)
                for i, z in enumerate(heights):
                    path3d = other.section(plane_origin=[0, 0, z], plane_normal=[0, 0, 1])
                    flat, _ = path3d.to_2D()
                    self.assertAlmostEqual(area[i] / flat.area, 1, delta=1e-3)
                    self.assertAlmostEqual(outline[i] / path3d.length, 1, delta=1e-3)

    def test_layers_add_up_to_the_volume_trimesh_finds(self):
        mesh = reference(BUNNY)
        layers = layer_sections(mesh, 0.2)
        self.assertAlmostEqual(layers.area_mm2.sum() * 0.2 / trimesh.Trimesh(mesh.vertices, mesh.faces).volume, 1, delta=2e-3)

    def test_turning_the_mesh_upside_down_changes_nothing_but_the_order(self):
        mesh = reference(BUNNY)
        down = mesh.transformed(np.diag([1.0, -1, -1, 1]))
        a, b = layer_sections(mesh, 0.5), layer_sections(down, 0.5)
        self.assertAlmostEqual(a.area_mm2.sum() / b.area_mm2.sum(), 1, delta=1e-3)

    def test_skins_of_a_box_are_its_floor_and_roof(self):
        mesh = box(20, 20, 8).mesh()
        layers = layer_sections(mesh, 0.2)
        skins = skin_areas(mesh, layers, 4, 1.35)
        np.testing.assert_allclose(skins[:4], 400)
        np.testing.assert_allclose(skins[-4:], 400)
        np.testing.assert_allclose(skins[4:-4], 0)


class RaysThroughWalls(unittest.TestCase):
    def test_wall_thickness_of_a_tube(self):
        self.assertAlmostEqual(thinnest_wall_mm(tube(40, 3.2, 60, 360).mesh()), 3.2, delta=0.15)

    def test_overlap_is_seen_and_soundness_too(self):
        a, b = box(20, 20, 20).mesh(), box(20, 20, 20, (10, 0, 0)).mesh()
        both = Mesh(np.vstack([a.vertices, b.vertices]), np.vstack([a.faces, b.faces + len(a.vertices)]))
        self.assertGreater(overlap_share(both), 0.05)
        self.assertEqual(overlap_share(reference(BUNNY)), 0.0)


class Solids(unittest.TestCase):
    def test_a_void_stays_with_its_body(self):
        hollow = box(40, 40, 40).minus([box(10, 10, 10, (0, 0, 15))])
        bodies = united([hollow, box(5, 5, 5, (60, 0, 0))]).bodies()
        self.assertEqual([round(b.volume) for b in bodies], [63000, 125])

    def test_hole_is_never_narrower_than_asked(self):
        hole = Solid.cylinder(2.15, 8).section(0)
        nearest = min(hole.exterior.distance(hole.centroid), 99)
        self.assertGreaterEqual(nearest, 2.15 - 1e-5)
