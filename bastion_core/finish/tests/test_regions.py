"""Regions on shapes whose edges and grooves are where they were made, and the maker's own kept by place."""

import unittest

import numpy as np
from manifold3d import Manifold

from bastion_core.errors import RecipeProblem
from bastion_core.finish.recipe import Merge, OwnRegion, Split
from bastion_core.finish.regions import Regions, grown, regions_of
from bastion_core.finish.surface import PartPrinted, Skin, skin_of
from bastion_core.geometry.solid import Solid
from bastion_core.print.supports import Holding
from bastion_core.tests.shapes import box


def skin(solid: Manifold, scale: float = 1.0, **how) -> Skin:
    return skin_of([PartPrinted("A", Solid(solid.scale([scale] * 3)).mesh(), np.eye(4), **how)])


def of_kind(regions: Regions, kind: str):
    return [r for r in regions.regions if r.kind == kind]


class ByShape(unittest.TestCase):
    def test_edges_of_a_block_are_along_its_edges(self):
        s = skin(Manifold.cube([80, 60, 40], True))
        found = regions_of(s)
        edges = found.of_face == found.regions.index(of_kind(found, "edge")[0])
        # How far each face's middle is from the nearest edge of the block: the second smallest of its ways to the six sides.
        ways = np.sort(np.abs(np.abs(s.middles) - np.array([40, 30, 20])), axis=1)[:, 1]
        self.assertLess(ways[edges].max(), 4.5)
        self.assertGreater(ways[~edges].min(), 0.6)
        self.assertFalse(of_kind(found, "groove"))
        # The six flats hang together over no edge; each of more than a twelfth of the whole has a name.
        self.assertEqual(len(of_kind(found, "dome")), 6)
        self.assertEqual({r.name.split(", ")[1] for r in of_kind(found, "dome")}, {"front", "back", "left", "right", "top", "bottom"})

    def test_groove_round_a_can(self):
        """A channel 14 mm wide and 6 deep: hollow along both its corners, smooth on its floor."""
        ring = Manifold.cylinder(14, 55, 55, 160) - Manifold.cylinder(14, 40, 40, 160)
        s = skin(Manifold.cylinder(90, 46, 46, 160) - ring.translate([0, 0, 40]))
        found = regions_of(s)
        groove = of_kind(found, "groove")
        self.assertTrue(groove)
        faces = found.of_face == found.regions.index(groove[0])
        corner = np.hypot(
            np.hypot(s.middles[:, 0], s.middles[:, 1]) - 40, np.minimum(np.abs(s.middles[:, 2] - 40), np.abs(s.middles[:, 2] - 54))
        )
        self.assertLess(corner[faces].max(), 4.5)
        self.assertGreater(groove[0].by_hand, 0.9)
        floor = (corner > 5) & (np.hypot(s.middles[:, 0], s.middles[:, 1]) < 41) & (np.abs(s.middles[:, 2] - 47) < 7)
        self.assertTrue(floor.any())
        self.assertFalse(faces[floor].any())

    def test_ribs_are_relief(self):
        plate = Manifold.cube([100, 60, 8], True)
        ribs = [Manifold.cube([2, 40, 3], True).translate([x, 0, 5]) for x in range(-30, 31, 6)]
        s = skin(Manifold.batch_boolean([plate, *ribs], __import__("manifold3d").OpType.Add))
        relief = of_kind(regions_of(s), "relief")
        self.assertTrue(relief)
        on = regions_of(s)
        middles = s.middles[on.of_face == on.regions.index(of_kind(on, "relief")[0])]
        self.assertGreater(np.mean((np.abs(middles[:, 0]) < 44) & (middles[:, 2] > 0)), 0.75)
        self.assertGreater(relief[0].area_mm2, 60 * 40)

    def test_scars_are_where_it_was_held(self):
        table = Manifold.cube([60, 40, 16]).translate([0, 0, 40]) + Manifold.cube([6, 40, 41])
        found = regions_of(skin(table, holding=Holding()))
        scar = of_kind(found, "scar")[0]
        self.assertAlmostEqual(scar.scar_mm2, 54 * 40, delta=120)
        self.assertFalse(of_kind(regions_of(skin(table)), "scar"))

    def test_shallow_and_steep_by_what_primer_fills(self):
        """Half a ball at 0.2 mm: steps are deeper than 0.05 mm where the slope's cosine is above a quarter."""
        half = Manifold.sphere(60, 200).trim_by_plane([0, 0, 1], 0)
        s = skin(half)
        found = regions_of(s)
        shallow, steep = (next(r for r in found.regions if r.name.endswith(n)) for n in ("shallow", "steep"))
        # By Archimedes the area between two heights of a ball goes with their distance.
        self.assertAlmostEqual(steep.area_mm2 / (2 * np.pi * 60 * 60 * 0.25), 1, delta=0.25)
        self.assertLess(steep.deep_mm, 0.055)
        self.assertGreater(shallow.step_mm.mean, 0.1)
        self.assertEqual([r.name for r in regions_of(s.in_layers(0.2, 0.04)).regions if "steep" in r.name], [])

    def test_flexible_is_all_of_its_outside(self):
        found = regions_of(skin(Manifold.sphere(20, 64), material="tpu"))
        self.assertEqual([r.kind for r in found.regions], ["flexible"])

    def test_every_face_is_in_one_region_and_areas_add_up(self):
        s = skin_of(
            [PartPrinted(n, box(40, 40, 20, (0, 0, z)).mesh(), np.eye(4)) for n, z in (("A", 20.0), ("B", 0.0))],
            {"A-B": np.array([[-20.0, -20, 20], [20, -20, 20], [20, 20, 20], [-20, 20, 20]])},
        )
        found = regions_of(s)
        self.assertTrue((found.of_face[~s.glued] >= 0).all())
        self.assertTrue((found.of_face[s.glued] < 0).all())
        for k, r in enumerate(found.regions):
            self.assertAlmostEqual(r.area_mm2, float(s.areas[found.of_face == k].sum()), delta=0.1)
        seam = of_kind(found, "seam")[0]
        self.assertEqual(seam.name, "Seam A-B")
        self.assertAlmostEqual(seam.seam_mm, 160, delta=0.2)
        self.assertEqual(seam.parts, ("A", "B"))
        # Parted, each half has its own length of it.
        halves = of_kind(regions_of(s, splits=[Split((0.0, 20.0, 22.5), "x")]), "seam")
        self.assertEqual(len(halves), 2)
        self.assertAlmostEqual(sum(h.seam_mm for h in halves), 160, delta=0.3)
        self.assertAlmostEqual(halves[0].seam_mm, 80, delta=8)


class OfTheMaker(unittest.TestCase):
    BLOCK = Manifold.cube([80, 60, 40], True)

    def test_grown_over_the_surface(self):
        s = skin(self.BLOCK)
        face = int(np.argmin(np.linalg.norm(s.middles - [0, 0, 20], axis=1)))
        near = grown(s, [face], "distance", 15.0)
        # The way from face to face is a little longer than straight: the disc comes out a little small.
        self.assertAlmostEqual(float(s.areas[near].sum()) / (np.pi * 15**2), 0.9, delta=0.15)
        two = grown(s, [face, int(np.argmin(np.linalg.norm(s.middles - [0, 0, -20], axis=1)))], "distance", 15.0)
        self.assertAlmostEqual(float(s.areas[two].sum()) / float(s.areas[near].sum()), 2, delta=0.2)
        self.assertTrue((s.middles[near, 2] > 19.9).all())
        side = grown(s, [face], "crease", 0.0)
        self.assertAlmostEqual(float(s.areas[side].sum()), 80 * 60, delta=1)

    def test_round_an_edge_the_way_is_over_the_surface(self):
        s = skin(Manifold.cube([80, 60, 2], True))
        face = int(np.argmin(np.linalg.norm(s.middles - [0, 0, 1], axis=1)))
        self.assertTrue((s.middles[grown(s, [face], "distance", 15.0), 2] > 0.9).all())

    def test_own_region_follows_the_scale(self):
        mark = OwnRegion("m", "Crown", ((0.0, 0.0, 20.0),), reach_mm=10.0, school="resin")
        for scale in (1.0, 1.5):
            found = regions_of(skin(self.BLOCK, scale), [mark], scale=(scale,) * 3)
            mine = next(r for r in found.regions if r.own)
            self.assertEqual((mine.id, mine.name, mine.school), ("m", "Crown", "resin"))
            self.assertAlmostEqual(mine.middle_mm[2], 20 * scale, delta=0.5)
            self.assertAlmostEqual(mine.area_mm2, np.pi * 100 * 0.9, delta=60)  # it reaches as far at any scale

    def test_mirrored_lies_on_both_sides(self):
        mark = OwnRegion("m", "Cheeks", ((40.0, 0.0, 0.0),), reach_mm=8.0, mirrored=True)
        s = skin(self.BLOCK)
        found = regions_of(s, [mark])
        x = s.middles[found.of_face == next(k for k, r in enumerate(found.regions) if r.own), 0]
        self.assertAlmostEqual(x.min(), -40, delta=0.1)
        self.assertAlmostEqual(x.max(), 40, delta=0.1)

    def test_split_and_merged_again(self):
        s = skin(self.BLOCK)
        split = Split((0.0, 0.0, 20.0), "x")
        before, parted = regions_of(s), regions_of(s, splits=[split])
        self.assertEqual(len(parted.regions), len(before.regions) + 1)
        merged = regions_of(s, merges=[Merge((-20.0, 0.0, 20.0), (20.0, 0.0, 20.0))], splits=[split])
        self.assertEqual(len(merged.regions), len(before.regions))

    def test_place_on_nothing_is_told_and_left_out(self):
        found = regions_of(skin(self.BLOCK), [OwnRegion("m", "Gone", ((200.0, 0.0, 0.0),))])
        self.assertEqual(found.missed, ("Gone",))
        self.assertFalse([r for r in found.regions if r.own])

    def test_region_of_nothing_is_refused(self):
        with self.assertRaisesRegex(RecipeProblem, "covers nothing"):
            OwnRegion("m", "Nothing", ())
        parts = [PartPrinted(n, box(40, 40, 20, (0, 0, z)).mesh(), np.eye(4)) for n, z in (("A", 20.0), ("B", 0.0))]
        with self.assertRaisesRegex(RecipeProblem, "covers nothing"):
            regions_of(skin_of(parts), [OwnRegion("m", "In the joint", ((0.0, 0.0, 20.0),), reach_mm=5.0)])


if __name__ == "__main__":
    unittest.main()
