"""The stand-ins for devices, and what is made of their readings."""

import statistics
import unittest

import numpy as np

from bastion_core.devices.caliper import NOISE_MM, READINGS_PER_BATTERY, CaliperLost, read
from bastion_core.devices.head_scanner import scan_head
from bastion_core.errors import MeshProblem, RecipeProblem
from bastion_core.geometry.solid import Solid
from bastion_core.measure.readings import summarise
from bastion_core.measure.upright import measure_scan, take_scan
from bastion_core.measure.wearer import Wearer
from bastion_core.units import MM_PER_UNIT

HEAD = {"stature_mm": 1684.0, "head_breadth_mm": 149.0, "head_length_mm": 190.0, "head_circumference_mm": 560.0, "chin_to_crown_mm": 218.0}


class Caliper(unittest.TestCase):
    def test_noise_battery_and_connection(self):
        readings = [read(149.0, n, seed=3) for n in range(30)]
        values = [r.value_mm for r in readings]
        self.assertAlmostEqual(statistics.fmean(values), 149.0, delta=4 * NOISE_MM / 30**0.5)
        self.assertAlmostEqual(statistics.stdev(values), NOISE_MM, delta=0.2)
        self.assertEqual(readings[5], read(149.0, 5, seed=3))
        self.assertFalse(readings[0].low)
        self.assertTrue(read(149.0, READINGS_PER_BATTERY - 1).low)
        with self.assertRaisesRegex(CaliperLost, "battery is spent"):
            read(149.0, READINGS_PER_BATTERY)
        with self.assertRaisesRegex(CaliperLost, "does not answer"):
            read(149.0, 0, cut_off=True)

    def test_repeats_in_one_figure(self):
        told = summarise("head_breadth_mm", [148.0, 150.0, 149.0], ["caliper"] * 3)
        self.assertEqual((told.mean_mm, told.spread_mm, told.count), (149.0, 1.0, 3))
        self.assertAlmostEqual(told.sd_mm, 1 / 3**0.5)
        # Readings that disagree are trusted as far as they agree, whatever the tool.
        self.assertAlmostEqual(summarise("head_breadth_mm", [140.0, 160.0], ["caliper"]).sd_mm, 14.142 / 2**0.5, places=2)
        self.assertGreater(summarise("chest_girth_mm", [900.0], ["guess"]).sd_mm, summarise("chest_girth_mm", [900.0], ["tape"]).sd_mm)


class Scanner(unittest.TestCase):
    def test_a_head_in_any_unit_and_pose(self):
        wearer = Wearer(sex="female", measurements=HEAD)
        for seed, unit in enumerate(MM_PER_UNIT, start=1):
            with self.subTest(unit):
                scan = take_scan(scan_head(wearer, unit, seed), "head")
                told = measure_scan(scan).values
                self.assertEqual(scan.unit, unit)
                self.assertAlmostEqual(told["head_breadth_mm"], 149, delta=2)
                self.assertAlmostEqual(told["head_length_mm"], 190, delta=3)
                self.assertAlmostEqual(told["head_circumference_mm"], 560, delta=6)
                self.assertAlmostEqual(told["chin_to_crown_mm"], 218, delta=18)
                self.assertTrue(any("loose bits" in str(d) for d in scan.done))

    def test_three_points_and_hair(self):
        wearer = Wearer(sex="female", measurements=HEAD)
        mesh = scan_head(wearer, "mm", 2, upset=False)
        v, top = mesh.vertices, HEAD["stature_mm"]
        # Bits float about the head: what is shown lies on the head itself.
        v = v[(np.abs(v[:, :2]) < [95, 180]).all(axis=1) & (v[:, 2] < top + 2)]
        face = v[(abs(v[:, 0]) < 6) & (v[:, 2] > top - 190) & (v[:, 2] < top - 90)]
        ears = v[(v[:, 2] > top - 140) & (v[:, 2] < top - 85)]
        points = [face[face[:, 1].argmin()], ears[ears[:, 0].argmax()], ears[ears[:, 0].argmin()]]
        scan = take_scan(mesh, "head", "mm", points)
        bare, haired = measure_scan(scan).values, measure_scan(scan, hair_mm=5).values
        self.assertAlmostEqual(bare["head_breadth_mm"], 149, delta=2)
        self.assertAlmostEqual(bare["head_breadth_mm"] - haired["head_breadth_mm"], 10, places=3)
        with self.assertRaisesRegex(RecipeProblem, "on one line"):
            take_scan(mesh, "head", "mm", [[0, 0, 0], [1, 0, 0], [2, 0, 0]])

    def test_what_is_no_head(self):
        for mesh, why in (
            (Solid.cylinder(20, 900).mesh(), "does not look like|no unit|No closed"),
            (Solid.cylinder(2, 3).mesh(), "no unit"),
        ):
            with self.assertRaisesRegex(MeshProblem, why):
                measure_scan(take_scan(mesh, "head", None))
