import unittest

import numpy as np

from bastion_core.cut.beds import hull_points
from bastion_core.geometry.place import turn_to_down
from bastion_core.geometry.solid import Solid
from bastion_core.print.estimate import support_mm3
from bastion_core.print.orient import best_lying, laid_matrix, ways_to_lie
from bastion_core.shop import Printer
from bastion_core.tests.shapes import BUNNY, box, dome, reference

WIDE = Printer("wide", 400, 400, 400)


class Ways(unittest.TestCase):
    def test_a_dome_stands_on_its_rim(self):
        solid = dome(120, 120, 120)
        way, _ = best_lying(hull_points(solid.mesh().vertices), ways_to_lie(solid), WIDE)
        self.assertLess(way.down[2], -0.99)

    def test_a_slanted_cut_face_is_offered_and_taken(self):
        normal = np.array([0.6, 0.0, -0.8])
        slanted = Solid(box(60, 60, 140).manifold.trim_by_plane(tuple(-normal), -normal @ [0, 0, 50]))
        ways = ways_to_lie(slanted, [normal])
        self.assertTrue(any(np.dot(w.down, normal) > 0.999 for w in ways))

    def test_tall_and_slim_is_laid_down_where_the_bed_moves(self):
        post = box(24, 24, 190)
        moving = Printer("moving", 250, 250, 250, bed_moves=True)
        _, lying = best_lying(hull_points(post.mesh().vertices), ways_to_lie(post), moving)
        self.assertLess(lying.size_mm[2], 30)

    def test_none_fits(self):
        self.assertIsNone(best_lying(hull_points(box(500, 500, 500).mesh().vertices), ways_to_lie(box(500, 500, 500)), WIDE))

    def test_laid_on_the_corner_of_the_bed(self):
        solid = Solid.from_mesh(reference(BUNNY))
        hull = hull_points(solid.mesh().vertices)
        for way in ways_to_lie(solid)[:4]:
            _, lying = best_lying(hull, [way], WIDE)
            laid = solid.transformed(laid_matrix(solid, lying))
            np.testing.assert_allclose(laid.bounds[0], 0, atol=1e-3)
            np.testing.assert_allclose(laid.size, lying.size_mm, atol=0.5)

    def test_support_is_the_same_seen_from_either_frame(self):
        solid = Solid.from_mesh(reference(BUNNY))
        mesh = solid.mesh()
        for down in ((0, 0, -1.0), (0, 1.0, 0), (0.6, 0.0, 0.8)):
            turned = mesh.transformed(turn_to_down(np.array(down)))
            here = support_mm3(mesh, np.array(down))
            there = support_mm3(turned, np.array([0.0, 0, -1]))
            self.assertAlmostEqual(here / max(there, 1), 1, delta=0.01)

    def test_support_of_a_bridge_by_hand(self):
        # a plate of 100 × 20 on two feet of 10 × 20, 50 high: 80 × 20 × 50 mm³ below it
        bridge = box(100, 20, 5, (0, 0, 50)).manifold + box(10, 20, 50, (-45, 0, 0)).manifold + box(10, 20, 50, (45, 0, 0)).manifold
        self.assertAlmostEqual(support_mm3(Solid(bridge).mesh(), np.array([0.0, 0, -1])), 80_000, delta=10)
