"""What a plate takes, what its ground is, and plates out of the command, read again by others."""

import json
import tempfile
import unittest
from pathlib import Path

import lib3mf
import numpy as np
import shapely
import trimesh
from shapely import affinity

from bastion_core.__main__ import main
from bastion_core.errors import RecipeProblem
from bastion_core.formats.stl import write_binary_stl
from bastion_core.plates.beds import FAILS_PER_H, Gantry, plate_hours, risk_h, round_rate, usable
from bastion_core.print.estimate import Estimate
from bastion_core.print.ground import ground_of, read, written
from bastion_core.print.profile import Profile
from bastion_core.print.shape import shape_of
from bastion_core.shop import Printer
from bastion_core.tests.shapes import box, tube

P = Printer("p", 220, 200, 250, warm_up_h=0.1, speed_mm_s=100.0)


def takes(hours: float, layers: int = 100, cooling: float = 0.0) -> Estimate:
    return Estimate(hours, 10.0, 3.0, 0.0, layers, {"cooling": cooling})


class Hours(unittest.TestCase):
    def test_by_hand(self):
        # Two of 2 h: warmed up once; 200 layers' hops of 90 mm at 160 mm/s.
        hops = 200 * 90 / 160 / 3600
        self.assertAlmostEqual(plate_hours([(takes(2.0), 20.0), (takes(2.0), 20.0)], P), 3.9 + hops, places=6)
        self.assertAlmostEqual(plate_hours([(takes(2.0), 20.0), (takes(2.0), 20.0)], P, in_turn=True), 3.9, places=6)
        self.assertEqual(plate_hours([(takes(2.0), 20.0)], P), 2.0)

    def test_waiting_layers_are_filled_by_others(self):
        # Two slim posts wait half their hour; together each prints while the other sets.
        alone = plate_hours([(takes(1.0, 50, 0.5), 40.0)], P)
        both = plate_hours([(takes(1.0, 50, 0.5), 40.0)] * 2, P)
        self.assertLess(both, 2 * alone - 0.9 + 0.2)

    def test_resin_is_as_long_as_its_highest(self):
        resin = Printer("r", 140, 90, 170, 3, kind="resin")
        self.assertEqual(plate_hours([(takes(2.0), 20.0), (takes(5.0), 60.0), (takes(1.0), 9.0)], resin), 5.0)

    def test_risk_against_drawn_failures(self):
        # What two lots lose together beyond each alone, by drawing failures: exponential, at a rate where second order is small.
        rng, rate = np.random.default_rng(4), 1 / 400
        fails = rng.exponential(1 / rate, 400_000)
        lost = lambda h: float(np.where(fails < h, fails, 0.0).mean())  # noqa: E731
        self.assertAlmostEqual(risk_h(8.0, 6.0, rate), lost(14.0) - lost(8.0) - lost(6.0), delta=0.02)

    def test_rates_in_steps(self):
        self.assertEqual(round_rate(FAILS_PER_H), FAILS_PER_H)
        self.assertEqual(round_rate(1.1 * FAILS_PER_H), FAILS_PER_H)
        self.assertAlmostEqual(round_rate(2.4 * FAILS_PER_H), 2.25 * FAILS_PER_H)


class Ground(unittest.TestCase):
    def test_clips_and_margin(self):
        corner = ((0.0, 0.0), (30.0, 0.0), (30.0, 20.0), (0.0, 20.0))
        self.assertAlmostEqual(usable(P).area, 210 * 190)
        self.assertAlmostEqual(usable(P, Gantry("p", (corner,))).area, 210 * 190 - 25 * 15)
        with self.assertRaisesRegex(RecipeProblem, "cover the bed"):
            usable(P, Gantry("p", (((0.0, 0.0), (220.0, 0.0), (220.0, 200.0), (0.0, 200.0)),)))
        with self.assertRaisesRegex(RecipeProblem, "three corners"):
            Gantry("p", (((0.0, 0.0), (1.0, 1.0)),))

    def test_brim_and_raft_reach_round_the_foot(self):
        block = box(40, 30, 20)
        for profile, reach in ((Profile(), 0.0), (Profile(brim_mm=5.0), 5.0), (Profile(raft=True), 4.0)):
            ground = ground_of(block, shape_of(block, profile), profile)
            self.assertAlmostEqual(ground.bounds[2] - ground.bounds[0], 40 + 2 * reach, delta=0.4)

    def test_supports_are_part_of_it(self):
        # A table: its legs far inside, its top held up all round by branches that keep within or lean out of it.
        top, leg = box(80, 80, 4, at=(0, 0, 36)), box(10, 10, 37)
        table = top.plus([leg])
        profile = Profile()
        shape = shape_of(table, profile)
        ground = ground_of(table, shape, profile)
        self.assertTrue(ground.buffer(0.5).covers(shapely.MultiPoint(shape.support.segments[:, :2])))
        self.assertGreater(len(shape.support.segments), 10)

    def test_a_ring_keeps_its_hole(self):
        ring = tube(40, 3, 30, 64)
        ground = ground_of(ring, shape_of(ring), Profile())
        self.assertEqual(len(ground.interiors), 1)
        self.assertAlmostEqual(read(written(ground)).area, ground.area, delta=1.0)


class Command(unittest.TestCase):
    def test_plates_of_a_plan_read_by_lib3mf_and_trimesh(self):
        with tempfile.TemporaryDirectory() as folder:
            source, out = Path(folder) / "slab.stl", Path(folder) / "out"
            write_binary_stl(box(180, 90, 14).mesh(), source)
            self.assertEqual(main(["plan", str(source), "--out", str(out), "--printer", "p:150x130x120", "--plates", "--scale", "1"]), 0)
            plan = json.loads((out / "plan.json").read_text("utf-8"))
            names = [p["name"] for plate in plan["plates"] for p in plate["parts"]]
            self.assertEqual(sorted(names), sorted(p["name"] for p in plan["parts"]))
            files = {p["name"]: p["file_stl"] for p in plan["parts"]}
            for plate in plan["plates"]:
                model = lib3mf.get_wrapper().CreateModel()
                model.QueryReader("3mf").ReadFromFile(str(out / plate["file_3mf"]))
                self.assertEqual(model.GetUnit(), lib3mf.ModelUnit.MilliMeter)
                items, called = model.GetBuildItems(), []
                while items.MoveNext():
                    item = items.GetCurrent()
                    called.append(item.GetObjectResource().GetName())
                    rows = np.array([list(r) for r in item.GetObjectTransform().Fields])
                    told = np.array(next(p["transform"] for p in plate["parts"] if called[-1].endswith(p["name"])))
                    self.assertTrue(np.allclose(rows[:3].T, told[:3, :3], atol=1e-5) and np.allclose(rows[3], told[:3, 3], atol=1e-3))
                self.assertEqual(len(called), len(plate["parts"]))
                shadows = []
                for part in plate["parts"]:
                    mesh = trimesh.load(out / files[part["name"]], file_type="stl")
                    mesh.apply_transform(np.array(part["transform"]))
                    self.assertAlmostEqual(mesh.bounds[0, 2], 0, delta=1e-3)
                    shadows.append(affinity.scale(shapely.convex_hull(shapely.MultiPoint(mesh.vertices[:, :2])), 0.999, 0.999))
                for shadow in shadows:
                    self.assertTrue(shapely.box(5, 5, 145, 125).buffer(0.01).covers(shadow), "within the margins of the bed")
                self.assertAlmostEqual(shapely.union_all(shadows).area, sum(s.area for s in shadows), delta=1.0)
