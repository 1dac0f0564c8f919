"""Lugs, snaps and screws against outside tables, handbook formulas and sums by hand."""

import unittest

import numpy as np
from shapely import Point

from bastion_core.cut.parting import Cut, part_solid
from bastion_core.errors import RecipeProblem
from bastion_core.geometry.solid import Solid
from bastion_core.join.fasteners.pin import PinRule
from bastion_core.join.held import Held, read_held
from bastion_core.join.joining import Joined, JoinRule, hardware, join
from bastion_core.join.room import InsideRoom
from bastion_core.tests.shapes import box, dome, tube
from bastion_core.threads import SCREW_LENGTHS_MM, THREADS, screw_length

ONE = (1.0, 1.0, 1.0)
INNER_MM, WALL_MM = 40.0, 3.2

ISO = {
    # thread: (ISO 273 medium, ISO 4762 dk of knurled heads, k, s, ISO 4032 s, m)
    "M2": (2.4, 3.98, 2.0, 1.5, 4.0, 1.6), "M2.5": (2.9, 4.68, 2.5, 2.0, 5.0, 2.0), "M3": (3.4, 5.68, 3.0, 2.5, 5.5, 2.4),
    "M4": (4.5, 7.22, 4.0, 3.0, 7.0, 3.2), "M5": (5.5, 8.72, 5.0, 4.0, 8.0, 4.7), "M6": (6.6, 10.22, 6.0, 5.0, 10.0, 5.2),
}  # fmt: skip
"""As the general library bd_warehouse 0.4.0 (Apache-2.0) lists them in its data of fasteners."""
ISO_4762_LENGTHS_MM = (2.5, 3, 4, 5, 6, 8, 10, 12, 16, 20, 25, 30, 35, 40, 45, 50, 55, 60)
INSERTS_MM = {"M2": (3.1, 4.0), "M3": (3.9, 5.7), "M4": (5.5, 8.2), "M5": (6.3, 9.5)}
"""Narrow diameter and length of inserts that are sold; the same source."""


def held_tube(kind: str, thread: str = "M3", room: InsideRoom | None = None, **more) -> Joined:
    solid = tube(INNER_MM + WALL_MM, WALL_MM, 90)
    parting = part_solid(solid, [Cut("c1", (0, 0, 45), (0, 0, 1))], ONE, "p")
    rule = JoinRule(PinRule(), (Held("", kind, thread=thread, **more),))
    return join(parting, rule, whole=solid, inside=room, cuts=("c1",))


def about_its_axis(made: Joined, which: int):
    """A part with the first lug's axis on z, and the lug."""
    lug = made.joints[0].fasteners[0]
    move = np.eye(4)
    move[:3, 3] = -np.array(lug.position_mm)
    return made.parts[which].solid.transformed(move), lug


class Tables(unittest.TestCase):
    def test_screws_and_nuts_are_the_standards(self):
        for name, (hole, knurled, high, key, across, nut) in ISO.items():
            t = THREADS[name]
            self.assertEqual(
                (t.clearance_hole_mm, t.head_height_mm, t.key_mm, t.nut_mm, t.nut_height_mm), (hole, high, key, across, nut), name
            )
            self.assertTrue(knurled - 0.25 <= t.head_mm <= knurled, f"{name}: a plain head is a little less than a knurled one")
        self.assertLessEqual(set(SCREW_LENGTHS_MM), set(ISO_4762_LENGTHS_MM))

    def test_inserts_are_like_those_that_are_sold(self):
        for name, (narrow, long) in INSERTS_MM.items():
            self.assertAlmostEqual(THREADS[name].insert_hole_mm, narrow, delta=0.15)
            self.assertLessEqual(abs(THREADS[name].insert_mm - long), 1.0)

    def test_screw_lengths(self):
        self.assertEqual(screw_length(9.0, 11.9), 10.0)
        self.assertIsNone(screw_length(12.5, 15.5))


class Lugs(unittest.TestCase):
    def test_a_screw_and_its_insert(self):
        """M3 by hand: 3.4 mm through the flange, 4.0 mm for the insert, a head of 5.5 mm sinks in; 3 mm flange + 5.5 mm insert: M3 × 8."""
        made = held_tube("insert")
        upper, lug = about_its_axis(made, 0)
        lower, _ = about_its_axis(made, 1)
        for solid, height, wide in ((upper, 1.5, 3.4), (lower, -2.0, 4.0), (upper, 4.5, 5.5 + 0.8)):
            section = solid.section(height)
            hole = Point(0, 0).buffer(wide / 2 - 0.04)
            self.assertEqual(section.intersection(hole).area, 0.0, f"{wide} mm at {height}")
            ring = Point(0, 0).buffer(wide / 2 + 0.3).difference(Point(0, 0).buffer(wide / 2 + 0.06))
            self.assertGreater(section.intersection(ring).area / ring.area, 0.99 if height < 4 else 0.3)
        self.assertEqual(lug.sizes()["screw_mm"], 8.0)
        lines = {h.kind: (h.count, h.length_mm) for h in hardware(made.joints)}
        self.assertEqual(lines, {"screw": (len(made.joints[0].fasteners), 8.0), "insert": (len(made.joints[0].fasteners), 5.5)})

    def test_the_outside_stays_as_it_was(self):
        before = tube(INNER_MM + WALL_MM, WALL_MM, 90)
        outside = Solid.cylinder(INNER_MM + WALL_MM + 5, 200).minus([Solid(before.manifold.hull())])
        for kind in ("lug", "insert", "bolt", "wing", "snap"):
            made = held_tube(kind)
            self.assertTrue(made.joints[0].fasteners, str(made.joints[0].advice))
            for part in made.parts:
                self.assertLess(part.solid.common(outside).volume, 0.01, kind)

    def test_true_size_under_any_scale(self):
        for grown in (1.0, 1.35):
            solid = tube((INNER_MM + WALL_MM) * grown, WALL_MM, 90 * grown)
            parting = part_solid(solid, [Cut("c1", (0, 0, 45), (0, 0, 1))], (grown,) * 3, "p")
            made = join(parting, JoinRule(PinRule(), (Held("", "insert"),)), whole=solid, scale=(grown,) * 3)
            self.assertEqual({f.sizes()["hole_above_mm"] for f in made.joints[0].fasteners}, {3.4})
            self.assertEqual({f.sizes()["screw_mm"] for f in made.joints[0].fasteners}, {8.0})

    def test_its_flanks_print_without_support(self):
        """No face of a lug hangs out further than 45 degrees, its part standing or upside down, but for holes and the seam itself."""
        for part in held_tube("lug").parts:
            mesh = part.solid.mesh()
            areas = np.linalg.norm(mesh.area_vectors, axis=1)
            normals, middles = mesh.area_vectors / areas[:, None], mesh.triangles.mean(axis=1)
            grown = np.hypot(*middles[:, :2].T) < INNER_MM - 0.3
            seam = np.abs(middles[:, 2] - 45) < 0.01
            round_hole = areas < 2.0
            for up in (np.array([0.0, 0.0, 1.0]), np.array([0.0, 0.0, -1.0])):
                hanging = (normals @ up < -np.sin(np.radians(46))) & grown & ~seam & ~round_hole
                self.assertLess(areas[hanging].sum(), 12.0)

    def test_one_that_would_press_says_by_how_much_and_goes_elsewhere(self):
        rng = np.random.default_rng(2)
        turns = rng.uniform(0, 2 * np.pi, 4000)
        points = np.column_stack([INNER_MM * np.cos(turns), INNER_MM * np.sin(turns), rng.uniform(0, 90, 4000)])
        room = np.where(points[:, 0] > 0, 3.0, 12.0)
        made = held_tube("lug", room=InsideRoom(points, room))
        joint = made.joints[0]
        self.assertTrue(joint.fasteners)
        self.assertTrue(all(f.position_mm[0] < 0 for f in joint.fasteners), "only the side with room")
        self.assertRegex(str(joint.advice), r"would press the wearer by 2\.[01] mm")
        nowhere = held_tube("insert", room=InsideRoom(points, np.full(4000, 3.0))).joints[0]
        self.assertEqual((nowhere.fasteners, nowhere.code, nowhere.kind), ((), "presses", "glue"))
        self.assertIn("there is room for 3.0 mm", str(nowhere.advice))

    def test_what_goes_inside_keeps_its_place(self):
        bay = ("fan", np.array([10.0, -60.0, 0.0]), np.array([60.0, 60.0, 90.0]))
        made = held_tube("lug", room=InsideRoom(np.zeros((0, 3)), np.zeros(0), (bay,)))
        self.assertTrue(all(f.position_mm[0] < 10 for f in made.joints[0].fasteners))

    def test_a_solid_has_no_inside(self):
        solid = box(60, 60, 80)
        parting = part_solid(solid, [Cut("c1", (0, 0, 40), (0, 0, 1))], ONE, "p")
        joint = join(parting, JoinRule(PinRule(), (Held("", "insert"),)), whole=solid).joints[0]
        self.assertEqual(joint.code, "failed")
        self.assertIn("no inside", str(joint.advice))

    def test_a_screw_needs_its_way_in(self):
        """Two floors close over a seam: no screw of its length goes in between."""
        shell = tube(INNER_MM + WALL_MM, WALL_MM, 90).plus([box(70, 70, 3, (0, 0, 33)), box(70, 70, 3, (0, 0, 54))])
        parting = part_solid(shell, [Cut("c1", (0, 0, 45), (0, 0, 1))], ONE, "p")
        joint = join(parting, JoinRule(PinRule(), (Held("", "insert"),)), whole=shell).joints[0]
        self.assertEqual((joint.code, joint.fasteners), ("failed", ()))
        self.assertIn("screw", str(joint.advice))

    def test_the_makers_place_is_kept_or_told(self):
        there = (0.0, INNER_MM - 3, 45.0)
        made = held_tube("lug", at_mm=(there,)).joints[0]
        self.assertEqual(len(made.fasteners), 1)
        self.assertLess(np.linalg.norm(np.subtract(made.fasteners[0].position_mm, there)), 2.5)

    def test_decisions_that_cannot_be(self):
        for bad in ({"kind": "nails"}, {"thread": "M77"}, {"at_mm": ((1e9, 0.0, 0.0),)}):
            with self.assertRaises(RecipeProblem):
                Held("", **bad)
        self.assertEqual(read_held("A-B=bolt:M4"), Held("A-B", "bolt", thread="M4"))
        self.assertEqual(read_held("snap"), Held("", "snap"))

    def test_the_other_side_of_a_pair(self):
        self.assertEqual(Held("s", "pin", ((3.0, 1.0, 2.0),)).mirrored().at_mm, ((-3.0, 1.0, 2.0),))
        self.assertEqual(Held("s", "lug").mirrored(), Held("s", "lug"))


class Snaps(unittest.TestCase):
    def test_strain_is_the_handbooks(self):
        """A straight cantilever's strain is 3 t y / (2 L²) (any handbook of beams): its deflection measured on the solid that came out."""
        solid = tube(INNER_MM + WALL_MM, WALL_MM, 90)
        parting = part_solid(solid, [Cut("c1", (0, 0, 45), (0, 0, 1))], ONE, "p")
        made = join(parting, JoinRule(PinRule(), (Held("", "snap"),), material="pla"), whole=solid)
        for snap in made.joints[0].fasteners:
            tongue = next(iter(snap.adds(-1)))
            over = tongue.mesh().vertices
            over = over[over[:, 2] > 46]
            tip, face = np.hypot(*over[:, :2].T).max(), INNER_MM
            deflection = tip - face
            told = snap.sizes()
            self.assertGreater(deflection, 0.75)
            by_hand = 1.5 * told["thick_mm"] * deflection / (told["length_mm"] - 1.0) ** 2
            self.assertLessEqual(by_hand, told["strain"] + 1e-6)
            self.assertGreater(by_hand, 0.6 * told["strain"])
            self.assertLessEqual(told["strain"], 0.018)

    def test_it_catches(self):
        """Pulled straight off by two millimetres, the hook would have to go through the other part; put together it touches nowhere."""
        made = held_tube("snap")
        upper, lower = (p.solid for p in made.parts)
        self.assertLess(upper.common(lower).volume, 0.05)
        lifted = np.eye(4)
        lifted[2, 3] = 2.0
        self.assertGreater(upper.transformed(lifted).common(lower).volume, 1.0)

    def test_a_wall_too_thin_for_the_pocket(self):
        solid = tube(INNER_MM + 1.4, 1.4, 90)
        parting = part_solid(solid, [Cut("c1", (0, 0, 45), (0, 0, 1))], ONE, "p")
        joint = join(parting, JoinRule(PinRule(), (Held("", "snap"),)), whole=solid).joints[0]
        self.assertEqual(joint.fasteners, ())
        self.assertIn("too thin", str(joint.advice))


class Lips(unittest.TestCase):
    def test_by_itself_a_thin_shell_gets_a_lip(self):
        """3.2 mm wall, 0.15 mm per side: lip and skin are (3.2 − 0.15) / 2 = 1.525 mm each; the recess is 0.4 mm deeper than the lip is high."""
        solid = tube(INNER_MM + WALL_MM, WALL_MM, 90, 192)
        parting = part_solid(solid, [Cut("c1", (0, 0, 45), (0, 0, 1))], ONE, "p")
        made = join(parting, JoinRule(PinRule()), whole=solid)
        (lip,) = made.joints[0].fasteners
        self.assertEqual((lip.what, lip.height_mm, made.joints[0].kind), ("lip", 4.0, "key"))
        upper, lower = (p.solid.section(47.0) for p in made.parts)
        self.assertAlmostEqual(lower.area / (2 * np.pi * (INNER_MM + 1.525 / 2)), 1.525, delta=0.05)
        self.assertAlmostEqual(upper.area / (2 * np.pi * (INNER_MM + WALL_MM - 1.525 / 2)), 1.525, delta=0.05)
        self.assertAlmostEqual(upper.distance(lower), 0.15, delta=0.03)
        self.assertGreater(made.parts[0].solid.section(49.2).area, upper.area, "over the lip's end the wall is whole again")

    def test_it_follows_a_leaning_wall_and_comes_straight_off(self):
        solid = dome(150, 190, 170, wall_mm=3.2, segments=96)
        parting = part_solid(solid, [Cut("c1", (0, 0, 135), (0, 0, 1))], ONE, "p")
        made = join(parting, JoinRule(PinRule(), (Held("", "key"),)), whole=solid)
        (lip,) = made.joints[0].fasteners
        self.assertGreater(lip.lean_deg, 10)
        for off in (0.5, 1.5, 3.0, 5.0):
            lifted = np.eye(4)
            lifted[2, 3] = off
            self.assertLess(made.parts[0].solid.transformed(lifted).common(made.parts[1].solid).volume, 0.6, f"lifted by {off} mm")

    def test_one_that_would_lean_too_far_is_left_to_the_maker(self):
        solid = dome(150, 190, 170, wall_mm=3.2, segments=96)
        parting = part_solid(solid, [Cut("c1", (0, 0, 158), (0, 0, 1))], ONE, "p")
        auto = join(parting, JoinRule(PinRule(diameters_mm=(6.0,))), whole=solid).joints[0]
        self.assertEqual((auto.kind, auto.code), ("glue", "glued"))
        self.assertIn("lean", str(auto.advice))
        chosen = join(parting, JoinRule(PinRule(), (Held("", "key"),)), whole=solid).joints[0]
        self.assertEqual(chosen.kind, "key")

    def test_dovetail_slides_along_and_not_off(self):
        solid = box(60, 60, 80)
        parting = part_solid(solid, [Cut("c1", (0, 0, 40), (0, 0, 1))], ONE, "p")
        made = join(parting, JoinRule(PinRule(), (Held("", "dovetail"),)), whole=solid)
        (tail,) = made.joints[0].fasteners
        upper, lower = (p.solid for p in made.parts)

        def meets(way) -> float:
            moved = np.eye(4)
            moved[:3, 3] = 3.0 * np.array(way)
            return upper.transformed(moved).common(lower).volume

        self.assertGreater(meets((0.0, 0.0, 1.0)), 5.0, "it does not come straight off")
        one, other = meets(tail.axis), meets(-np.array(tail.axis))
        self.assertLess(min(one, other), 0.5, "it slides off one way")
        self.assertGreater(max(one, other), 5.0, "and is stopped the other way")
