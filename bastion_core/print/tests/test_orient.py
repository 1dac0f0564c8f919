import unittest

import numpy as np

from bastion_core.cut.beds import hull_points
from bastion_core.geometry.solid import Solid
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
