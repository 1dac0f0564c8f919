import unittest

import numpy as np
from shapely import Point

from bastion_core.cut.parting import Cut, part_solid
from bastion_core.errors import RecipeProblem
from bastion_core.geometry.place import scaling
from bastion_core.geometry.solid import Solid
from bastion_core.join.fasteners.pin import PinRule
from bastion_core.join.held import Held
from bastion_core.join.joining import JoinRule, hardware, join
from bastion_core.tests.shapes import BUNNY, box, reference, tube

ONE = (1.0, 1.0, 1.0)


def joined(solid, normal=(0, 0, 1), at=(0, 0, 40), rule=None):
    return join(part_solid(solid, [Cut("c1", at, normal)], ONE, "p"), rule or JoinRule(PinRule()))


class Pins(unittest.TestCase):
    def walls_hold(self, result, before: dict[str, Solid], rule: PinRule) -> int:
        """Round every hole, at several depths of both parts, at least the rule's wall stays. Measured afresh on the undrilled parts."""
        checked = 0
        for joint in result.joints:
            flat = joint.seam.surface.to_flat()
            for name, side in ((joint.seam.above, 1), (joint.seam.below, -1)):
                lying = before[name].transformed(flat)
                for pin in joint.fasteners:
                    for depth in (0.05, pin.depth_mm * 0.5, pin.depth_mm):
                        section = lying.section(side * depth)
                        spot = Point(*pin.flat_mm)
                        self.assertTrue(section.contains(spot))
                        self.assertGreaterEqual(section.boundary.distance(spot), pin.hole_radius_mm + rule.least_wall_mm - 0.06)
                        checked += 1
        return checked

    def test_walls_stay_on_a_model_of_others(self):
        solid = Solid.from_mesh(reference(BUNNY))
        rule = PinRule()
        middle = tuple(solid.bounds.mean(axis=0))
        for normal in ((0, 0, 1), (0, 1, 0), (1, 0.3, 0.2)):
            parting = part_solid(solid, [Cut("c1", middle, normal)], ONE, "p")
            result = join(parting, JoinRule(rule))
            self.assertGreater(self.walls_hold(result, {p.name: p.solid for p in parting.parts}, rule), 0)
            self.assertEqual(result.warnings, ())

    def test_holes_have_true_size_and_meet(self):
        result = joined(box(60, 60, 80))
        pins = result.joints[0].fasteners
        self.assertGreaterEqual(len(pins), 2)
        for part, sign in zip(result.parts, (1, -1), strict=True):
            section = part.solid.section(40 + sign * 1.0)
            self.assertEqual(len(section.interiors), len(pins))
            for hole in section.interiors:
                # 4 mm pin with 0.15 mm per side: 4.3 mm across (common practice, no source)
                self.assertAlmostEqual(np.ptp(np.array(hole.coords)[:, 0]), 4.3, delta=0.04)
        spread = max(np.hypot(*np.subtract(a.flat_mm, b.flat_mm)) for a in pins for b in pins)
        self.assertGreater(spread, 60)

    def test_scale_does_not_touch_the_holes(self):
        """The plane follows the scale, the holes do not: 4 mm pins, 0.15 mm per side (common practice, no source) at any scale."""
        for scale in ((1.0, 1.0, 1.0), (1.08, 1.08, 1.08), (1.0, 1.2, 0.9)):
            solid = box(60, 60, 80).transformed(scaling(*scale))
            parting = part_solid(solid, [Cut("c1", (0, 0, 40), (0, 0, 1))], scale, "p")
            result = join(parting, JoinRule(PinRule()))
            self.assertAlmostEqual(parting.seams[0].surface.heights(np.array([[0.0, 0.0, 40 * scale[2]]]))[0], 0.0, places=6)
            self.assertEqual({(p.diameter_mm, p.clearance_mm) for p in result.joints[0].fasteners}, {(4.0, 0.15)})
            for hole in result.parts[0].solid.section(40 * scale[2] + 1.0).interiors:
                self.assertAlmostEqual(np.ptp(np.array(hole.coords)[:, 0]), 4.3, delta=0.04)

    def test_volume_drilled_is_that_of_the_holes(self):
        solid = box(60, 60, 80)
        result = joined(solid)
        gone = solid.volume - sum(p.solid.volume for p in result.parts)
        wanted = sum(np.pi * p.hole_radius_mm**2 * 2 * p.depth_mm for p in result.joints[0].fasteners)
        self.assertAlmostEqual(gone / wanted, 1, delta=0.01)

    def test_thin_wall_is_glued(self):
        only_pins = JoinRule(PinRule(), (Held("", "pin"),))
        result = joined(tube(40, 3.2, 80), rule=only_pins)  # 3.2 mm < 1.75 + 2 × (0.15 + 1.2)
        self.assertEqual(result.joints[0].fasteners, ())
        self.assertIn("fillet", str(result.joints[0].advice))
        self.assertEqual(joined(tube(40, 3.2, 80)).joints[0].fasteners[0].what, "lip", "by itself it gets a lip")
        thicker = joined(tube(40, 4.8, 80))
        self.assertGreaterEqual(len(thicker.joints[0].fasteners), 2)
        self.assertEqual({p.diameter_mm for p in thicker.joints[0].fasteners}, {1.75})

    def test_holes_of_crossing_seams_keep_apart(self):
        cuts = [Cut("c1", (0, 0, 20), (0, 0, 1)), Cut("c2", (0, 0, 0), (1, 0, 0)), Cut("c3", (0, 0, 0), (0, 1, 0))]
        result = join(part_solid(box(40, 40, 40), cuts, ONE, "p"), JoinRule(PinRule()))
        self.assertEqual(result.warnings, ())
        for part in result.parts:
            self.assertEqual(len(part.solid.bodies()), 1)

    def test_hardware_counts_all_pins(self):
        result = joined(box(60, 60, 80))
        listed = hardware(result.joints)
        self.assertEqual(sum(h.count for h in listed), sum(len(j.fasteners) for j in result.joints))
        self.assertEqual({h.length_mm for h in listed}, {2 * (12.0 - 0.5)})

    def test_rules_that_cannot_be(self):
        for bad in ({"diameters_mm": (0.1,)}, {"diameters_mm": ()}, {"clearance_mm": -1}, {"clearance_mm": 0}, {"least_wall_mm": 0.1}):
            with self.assertRaises(RecipeProblem):
                PinRule(**bad)
