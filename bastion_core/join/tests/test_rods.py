"""Rods through long pieces: what bends them by hand, where a rod has to begin and end, bores at true size through all parts."""

import contextlib
import io
import json
import tempfile
import unittest
from functools import cache
from pathlib import Path

import numpy as np
import trimesh
from manifold3d import Manifold

from bastion_core.__main__ import main
from bastion_core.cut.parting import Cut, Parting, part_solid
from bastion_core.errors import RecipeProblem
from bastion_core.formats.stl import write_binary_stl
from bastion_core.geometry.solid import Solid
from bastion_core.join.fasteners.pin import Pin, PinRule
from bastion_core.join.fasteners.rod import END_MM
from bastion_core.join.joining import Joined, JoinRule, hardware, join
from bastion_core.join.loads import Printed
from bastion_core.join.long import long_facts, long_record
from bastion_core.join.rods import Carried, Rod, along_axis, loaded, read_rod
from bastion_core.statics.beam import BEARS_MPA
from bastion_core.statics.poses import ENOUGH, G_M_S2
from bastion_core.statics.stock import stock_of

ONE = np.ones(3)
SOLID_PLA = Printed(infill=1.0)
CUTS = tuple(Cut(f"c{k}", (0.0, 0.0, z), (0.0, 0.0, 1.0)) for k, z in enumerate((300.0, 600.0, 900.0), 1))


@cache
def staff(radius: float = 16.0, length: float = 1200.0) -> Solid:
    return Solid(Manifold.cylinder(length, radius, radius, 128))


@cache
def parted() -> Parting:
    return part_solid(staff(), list(CUTS), (1.0, 1.0, 1.0), "p")


def carried(**more) -> Carried:
    return Carried(**({"printed": SOLID_PLA, "grip_mm": 100.0, "glue_mpa": 4.0} | more))


def made(*rods: Rod, **more) -> Joined:
    return join(parted(), JoinRule(PinRule(), carried=carried(rods=rods, **more)), whole=staff(), cuts=tuple(c.id for c in CUTS))


class Bends(unittest.TestCase):
    def test_a_staff_by_hand(self):
        """Held at its low end and swung with 3 g: the seam at 300 mm carries 900 mm of staff on a lever of 450 mm; its glue 4 MPa on pi d³ / 32."""
        load = loaded(staff(), parted(), carried(), 1.2, 0.15, ONE)
        mass_kg = np.pi * 16**2 * 900 * 1.24e-6
        moment = mass_kg * G_M_S2 * 3 * 450
        at_seam = next(s for s in long_record(load).seams if abs(s.at_mm - 300) < 1)
        self.assertAlmostEqual(at_seam.bare / (np.pi * 32**3 / 32 * 4.0 / moment), 1, delta=0.02)
        self.assertEqual(load.bare.seam, at_seam.letters)
        self.assertAlmostEqual(load.along.beam.mass_g.sum() / (np.pi * 16**2 * 1200 * 1.24e-3), 1, delta=0.002)
        self.assertAlmostEqual(load.along.beam.middle_mm, 600, delta=0.5)

    def test_held_where_it_balances_it_bears_more(self):
        low, middle = (loaded(staff(), parted(), carried(grip_mm=g), 1.2, 0.15, ONE) for g in (100.0, None))
        self.assertAlmostEqual(sum(middle.along.beam.grip_mm) / 2, 600, delta=5)
        self.assertGreater(middle.bare.safety, 2 * low.bare.safety)

    def test_a_hand_does_not_close_round_a_head(self):
        """A club with a heavy head balances in the head: it is held at the shaft beside it."""
        club = Solid(staff(16.0, 500.0).manifold + Manifold.cylinder(120, 100, 100, 64).translate([0, 0, 450]))
        along = along_axis(club, part_solid(club, [], (1.0, 1.0, 1.0), "p"), Carried(), "long", ONE)
        self.assertGreater(along.beam.middle_mm, 452)
        self.assertLess(sum(along.beam.grip_mm) / 2, 452)

    def test_offers_hold(self):
        load = loaded(staff(), parted(), carried(swing_g=6.0), 1.2, 0.15, ONE)
        self.assertLess(load.bare.safety, ENOUGH)
        self.assertTrue(load.offers)
        for offer in load.offers:
            again = loaded(staff(), parted(), carried(swing_g=6.0, rods=(Rod("long", offer.stock),)), 1.2, 0.15, ONE)
            assert again.held is not None
            self.assertAlmostEqual(again.held.safety, offer.safety, places=2)
            self.assertGreaterEqual(offer.safety, ENOUGH)
            self.assertEqual(again.offers, ())
        self.assertEqual(len({o.stock.split("-")[0] for o in load.offers}), len(load.offers), "one of each material")

    def test_safe_staffs_are_left_alone(self):
        load = loaded(staff(), parted(), carried(grip_mm=None, swing_g=1.0), 1.2, 0.15, ONE)
        self.assertGreater(load.bare.safety, ENOUGH)
        self.assertEqual((load.offers, load.rods, load.said), ((), (), ()))
        self.assertGreater(long_facts(load).safety, ENOUGH)


class Bores(unittest.TestCase):
    def test_true_size_through_all_parts(self):
        joined = made(Rod("long", "steel-10x1"), swing_g=6.0)
        assert joined.load is not None
        (rod,) = joined.load.rods
        self.assertEqual(len(rod.seams), sum(rod.low[2] < z < rod.high[2] for z in (300, 600, 900)))
        self.assertGreaterEqual(len(rod.seams), 2)
        gone = sum(p.solid.volume for p in parted().parts) - sum(p.solid.volume for p in joined.parts)
        pins = [f for j in joined.joints for f in j.fasteners if isinstance(f, Pin)]
        bore = np.pi * 5.15**2 * (rod.length_mm + 2 * END_MM)
        holes = sum(np.pi * p.hole_radius_mm**2 * 2 * p.depth_mm for p in pins)
        self.assertAlmostEqual(gone / (bore + holes), 1, delta=0.01)
        for part in joined.parts:
            low, high = part.solid.bounds[:, 2]
            middle = (max(low, rod.low[2]) + min(high, rod.high[2])) / 2
            if low < middle < high and rod.low[2] < middle < rod.high[2]:
                section = part.solid.section(float(middle))
                bored = min(section.interiors, key=lambda r: abs(r.centroid.x) + abs(r.centroid.y))
                self.assertAlmostEqual(np.ptp(np.array(bored.coords)[:, 0]), 10.3, delta=0.05)
        # No pin hole runs into it.
        for pin in pins:
            self.assertGreater(np.hypot(*pin.position_mm[:2]), 5.15 + pin.hole_radius_mm + 1.0)

    def test_on_the_cut_list_once(self):
        joined = made(Rod("long", "steel-10x1"), swing_g=6.0)
        assert joined.load is not None
        (line,) = [h for h in hardware(joined.joints, joined.load.rods) if h.kind == "rod"]
        self.assertEqual((line.count, line.name), (1, "Steel tube 10 × 1 mm"))
        self.assertAlmostEqual(line.length_mm, joined.load.rods[0].length_mm, delta=0.5)

    def test_its_ends_sit_deep_enough(self):
        """Past the seam the bore's wall bears p d L² / 6: a rod that ends 10 mm past it carries nothing worth it, the one that is found holds."""
        offer = loaded(staff(), parted(), carried(swing_g=6.0), 1.2, 0.15, ONE).offers[0]
        joined = made(Rod("long", offer.stock), swing_g=6.0)
        assert joined.load is not None and joined.load.held is not None
        at = next(k for k, s in enumerate(joined.load.along.seams) if s.at_mm == min(x.at_mm for x in joined.load.along.seams))
        self.assertGreaterEqual(joined.load.held.seams[at], ENOUGH)
        short = loaded(staff(), parted(), carried(swing_g=6.0, rods=(Rod("long", "steel-10x1", from_mm=290, to_mm=330),)), 1.2, 0.15, ONE)
        assert short.held is not None
        self.assertLessEqual(short.held.seams[at], short.bare.seams[at])
        beam = short.along.beam
        moment = float((np.clip(beam.at_mm - 300.0, 0, None) * beam.mass_g).sum() / 1000 * G_M_S2 * 6)
        self.assertLess(BEARS_MPA * 10 * 10**2 / 6, moment, "by hand: the wall of the bore gives way first")

    def test_it_follows_the_scale_and_the_maker(self):
        wanted = Rod("z", "carbon-8x1", at_mm=(4.0, 0.0, 0.0), from_mm=100, to_mm=800)
        load = loaded(staff(), parted(), carried(rods=(wanted,)), 1.2, 0.15, ONE)
        (rod,) = load.rods
        np.testing.assert_allclose([rod.low, rod.high], [(4, 0, 100), (4, 0, 800)], atol=0.01)
        turned = wanted.mirrored()
        self.assertEqual(turned.at_mm, (-4.0, 0.0, 0.0))
        far = loaded(
            staff(), parted(), carried(rods=(Rod("z", "carbon-8x1", at_mm=(14.0, 0.0, 0.0), from_mm=100, to_mm=800),)), 1.2, 0.15, ONE
        )
        self.assertIn("aside", str(far.said[0]))
        self.assertAlmostEqual(np.hypot(*far.rods[0].low[:2]), 16 - 4 - 0.15 - 1.2, delta=0.1)

    def test_longer_or_thicker_than_the_piece(self):
        for rod, words in (
            (Rod("z", "steel-10", to_mm=1900.0), "Let it begin and end within the piece"),
            (Rod("z", "steel-40"), "No straight way for a rod of 40 mm"),
        ):
            load = loaded(staff(), parted(), carried(rods=(rod,), swing_g=6.0), 1.2, 0.15, ONE)
            self.assertEqual(load.rods, ())
            self.assertIn(words, str(load.said[0]))
        self.assertIn("passes", str(load.said[0]))

    def test_bent_piece_has_no_straight_way(self):
        """A staff that jogs aside by its own thickness between two seams."""
        bent = Solid(
            Manifold.cylinder(400, 12, 12, 64) + Manifold.cylinder(60, 14, 14, 64).rotate([0, 90, 0]).translate([-10, 0, 400])
            + Manifold.cylinder(400, 12, 12, 64).translate([40, 0, 400])
        )  # fmt: skip
        parting = part_solid(bent, [Cut("c1", (0, 0, 200), (0, 0, 1)), Cut("c2", (0, 0, 600), (0, 0, 1))], (1.0, 1.0, 1.0), "p")
        load = loaded(bent, parting, carried(rods=(Rod("z", "steel-8", from_mm=100, to_mm=700),)), 1.2, 0.15, ONE)
        self.assertEqual(load.rods, ())
        self.assertIn("No straight way", str(load.said[0]))

    def test_within_one_part_it_comes_out_at_an_end(self):
        whole = part_solid(staff(), [], (1.0, 1.0, 1.0), "p")
        load = loaded(staff(), whole, carried(swing_g=20.0, rods=(Rod("z", "steel-10", from_mm=20, to_mm=300),)), 1.2, 0.15, ONE)
        self.assertLess(load.rods[0].low[2], 0.0)

    def test_written(self):
        self.assertEqual(
            (read_rod("z:10").stock, read_rod("long:carbon-8x1").axis, read_rod("x:7").stock), ("steel-10x1", "long", "steel-7")
        )
        for text in ("w:10", "z:", "z:gold-3", "z:0.2"):
            with self.subTest(text=text), self.assertRaises(RecipeProblem) as failed:
                read_rod(text)
            self.assertEqual(failed.exception.field, "rods")
        with self.assertRaises(RecipeProblem):
            Rod("z", "steel-10", from_mm=100, to_mm=105)
        self.assertEqual(stock_of(read_rod("z:16").stock).wall_mm, 1.5)


class Planned(unittest.TestCase):
    def test_plan(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "staff.stl"
            write_binary_stl(staff().mesh(), path)
            planes = [a for z in (300, 600, 900) for a in ("--plane", f"0,0,{z}:0,0,1")]
            told = io.StringIO()
            with contextlib.redirect_stderr(told):
                code = main(["plan", str(path), *planes, "--site", "hand_held", "--swing", "12", "--rod", "long:16", "--printer", "big:400x400x400",
                             "--out", f"{folder}/out"])  # fmt: skip
            self.assertEqual((code, told.getvalue()), (0, ""))
            plan = json.loads((Path(folder) / "out" / "plan.json").read_text("utf-8"))
            (rod,) = plan["rods"]
            self.assertEqual(rod["stock"], "steel-16x1.5")
            self.assertEqual(len(plan["swung"]["seams"]), 3)
            self.assertGreater(plan["swung"]["safety"], plan["swung"]["safety_bare"])
            self.assertTrue(any(h["kind"] == "rod" for h in plan["hardware"]))
            self.assertTrue(all(trimesh.load(Path(folder) / "out" / p["file_stl"]).is_watertight for p in plan["parts"]))
