"""Outlines on beds: never one over another, never over the edge, and few beds."""

import unittest
from itertools import combinations

import numpy as np
import shapely
from shapely import affinity

from bastion_core.plates.nest import GAP_MM, Nesting, Outline, Spot, overlaps

BED = shapely.box(-105, -105, 105, 105)


def mixed(seed: int, count: int = 30, low: float = 30.0, high: float = 150.0) -> list[Outline]:
    """Plates, rings' halves, angles, discs and rubble, as parts of a suit are."""
    rng = np.random.default_rng(seed)
    found = []
    for number in range(count):
        s = rng.uniform(low, high)
        kind = rng.integers(5)
        if kind == 0:
            ground = shapely.box(0, 0, s, s * rng.uniform(0.3, 1))
        elif kind == 1:
            ground = shapely.Point(0, 0).buffer(s / 2)
        elif kind == 2:
            ground = shapely.Polygon([(0, 0), (s, 0), (s, s * 0.3), (s * 0.3, s * 0.3), (s * 0.3, s), (0, s)])
        elif kind == 3:
            ground = shapely.Point(0, 0).buffer(s / 1.6).difference(shapely.Point(0, -s * 0.4).buffer(s / 1.7))
        else:
            ground = shapely.convex_hull(shapely.MultiPoint(rng.uniform(0, s * 1.1, (7, 2))))
        found.append(Outline(f"p{number}", ground))
    return found


class Nested(unittest.TestCase):
    def checked(self, outlines, laid, bed=BED, gap=GAP_MM):
        """Every outline once; by their exact shapes none over the edge, none nearer another than the gap."""
        grounds = {o.name: o.ground for o in outlines}
        self.assertEqual(sorted(name for b in laid for name in b.spots), sorted(grounds))
        for one in laid:
            self.assertEqual(overlaps(one.spots, grounds, bed), () if not one.beyond else tuple(one.spots))
            placed = [spot.place(grounds[name]) for name, spot in one.spots.items()]
            for a, b in combinations(placed, 2):
                self.assertGreaterEqual(a.distance(b), gap - 1e-6)

    def test_thirty_mixed_parts(self):
        # Bound: area, and outlines no two of which found a place on one bed. At most 1.25 times that.
        for seed in (1, 3, 5):
            with self.subTest(seed=seed):
                outlines = mixed(seed)
                nesting = Nesting(BED, outlines)
                laid = nesting.packed()
                self.checked(outlines, laid)
                self.assertLessEqual(len(laid), 1.25 * nesting.bound())

    def test_small_parts_of_many_shapes_at_random(self):
        for seed in range(6):
            outlines = mixed(seed + 40, 14, 12, 70)
            self.checked(outlines, Nesting(BED, outlines).packed())

    def test_by_hand(self):
        # 100 mm squares, 4 mm apart, on 210 mm: two by two; five take two beds. Two of 150 never share one.
        squares = [Outline(f"s{k}", shapely.box(0, 0, 100, 100)) for k in range(5)]
        nesting = Nesting(BED, squares[:4])
        self.assertEqual((len(nesting.packed()), nesting.bound()), (1, 1))
        self.assertEqual(len(Nesting(BED, squares).packed()), 2)
        large = Nesting(BED, [Outline(f"l{k}", shapely.box(0, 0, 150, 110)) for k in range(3)])
        self.assertEqual((large.bound(), len(large.packed())), (3, 3))

    def test_a_long_one_goes_on_the_diagonal(self):
        # 260 × 12 mm on 210 × 210: only across the corners (297 mm). Found by its turns.
        outlines = [Outline("staff", shapely.box(0, 0, 260, 12)), Outline("beside", shapely.box(0, 0, 60, 60))]
        laid = Nesting(BED, outlines).packed()
        self.checked(outlines, laid)
        self.assertFalse(any(b.beyond for b in laid))
        self.assertEqual(len(laid), 1)

    def test_clips_are_left_free(self):
        bed = BED.difference(shapely.box(-105, -105, -60, -80)).difference(shapely.Point(80, 80).buffer(30))
        outlines = mixed(7, 16, 20, 60)
        self.checked(outlines, Nesting(bed, outlines).packed(), bed)

    def test_what_fits_no_bed_lies_alone_and_is_told(self):
        outlines = [Outline("wide", shapely.box(0, 0, 216, 100)), Outline("small", shapely.box(0, 0, 20, 20))]
        laid = Nesting(BED, outlines).packed()
        self.assertEqual([b.beyond for b in laid if "wide" in b.spots], [True])
        placed = next(b for b in laid if b.beyond).spots["wide"].place(outlines[0].ground)
        self.assertTrue(np.allclose(np.array(placed.centroid.coords[0]), 0, atol=1e-6), "in the middle")

    def test_unlike_parts_and_held_beds(self):
        outlines = [Outline(f"a{k}", shapely.box(0, 0, 30, 30), "red") for k in range(3)] + [
            Outline("b", shapely.box(0, 0, 30, 30), "blue")
        ]
        held = {"a0": Spot(30.0, 5.0, 5.0)}
        laid = Nesting(BED, outlines).packed(fixed=[held])
        self.checked(outlines, laid)
        self.assertEqual(len(laid), 2)
        self.assertEqual(next(b for b in laid if "a0" in b.spots).spots["a0"], held["a0"], "what is held does not move")

    def test_the_same_again(self):
        outlines = mixed(11, 18, 20, 90)
        once, again = (Nesting(BED, outlines).packed() for _ in range(2))
        self.assertEqual([dict(b.spots) for b in once], [dict(b.spots) for b in again])

    def test_a_rule_of_what_goes_together_is_kept(self):
        outlines = [Outline(f"t{k}", shapely.box(0, 0, 20, 20)) for k in range(6)]
        laid = Nesting(BED, outlines).packed(lambda there, more: len(there) < 2)
        self.assertEqual(sorted(len(b.spots) for b in laid), [2, 2, 2])

    def test_overlaps_are_seen(self):
        ground = shapely.box(-5, -5, 5, 5)
        bed = {"a": Spot(0, 0, 0), "b": Spot(45, 8, 0), "c": Spot(0, 50, 50), "d": Spot(0, 104, 0)}
        self.assertEqual(overlaps(bed, dict.fromkeys(bed, ground), BED), ("a", "b", "d"))

    def test_a_spot_and_its_matrix_say_the_same(self):
        spot, ground = Spot(33.0, 4.0, -7.0), shapely.box(0, 0, 12, 5)
        m = spot.matrix()
        by_matrix = affinity.affine_transform(ground, [m[0, 0], m[0, 1], m[1, 0], m[1, 1], m[0, 3], m[1, 3]])
        self.assertLess(by_matrix.symmetric_difference(spot.place(ground)).area, 1e-9)
