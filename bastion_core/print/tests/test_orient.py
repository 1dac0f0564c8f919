import unittest
from dataclasses import replace

import numpy as np

from bastion_core.cut.beds import hull_points
from bastion_core.geometry.solid import Solid
from bastion_core.print.orient import best_lying, laid_matrix, tips_over, ways_to_lie
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

    def test_tipping_by_statics(self):
        """A post of side w, its weight at h / 2, on a bed that starts with a: it tips where a h / 2 > g w / 2, so from h = 9.81 / 3 w = 3.27 w on."""
        moving = Printer("moving", 250, 250, 400, bed_moves=True, acceleration_mm_s2=3000.0)
        for times, tips in ((3.2, False), (3.35, True)):
            post = box(30, 30, 30 * times)
            standing = next(w for w in ways_to_lie(post) if w.down[2] < -0.999)
            lying = best_lying(hull_points(post.mesh().vertices), [standing], WIDE)[1]
            self.assertEqual(tips_over(standing, lying, moving), tips)
            self.assertFalse(tips_over(standing, lying, moving, brim_mm=6.0))
            self.assertFalse(tips_over(standing, lying, replace(moving, bed_moves=False)))
        # An L whose weight is beyond its foot tips without being moved at all.
        ell = Solid(box(20, 20, 60).manifold + box(20, 120, 20, (0, 50, 60)).manifold)
        standing = next(w for w in ways_to_lie(ell) if w.down[2] < -0.999)
        lying = best_lying(hull_points(ell.mesh().vertices), [standing], WIDE)[1]
        self.assertTrue(tips_over(standing, lying, replace(moving, acceleration_mm_s2=100.0)))

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
