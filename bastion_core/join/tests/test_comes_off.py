"""What comes off on magnets: pockets at true size, weight and lever by hand, forces by magpylib, poles, and what cannot come off."""

import contextlib
import io
import json
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import magpylib
import numpy as np
import trimesh

from bastion_core.__main__ import main
from bastion_core.cut.parting import Cut, Parting, part_solid
from bastion_core.errors import RecipeProblem
from bastion_core.formats.stl import write_binary_stl
from bastion_core.geometry.solid import Solid
from bastion_core.join.compass import beside_compass
from bastion_core.join.fasteners.lug import Lug
from bastion_core.join.fasteners.magnet import GAP_MM, Magnet, pairs
from bastion_core.join.fasteners.pin import Pin, PinRule
from bastion_core.join.fasteners.rod import RodIn
from bastion_core.join.held import Held, read_held
from bastion_core.join.joining import Joined, JoinRule, join
from bastion_core.join.loads import HangsAt, Printed, Stuck, hangs_at
from bastion_core.join.records import closing_record
from bastion_core.join.room import InsideRoom
from bastion_core.pieces.hardware import GLUE_MM
from bastion_core.statics.magnets import WARM_DEG_C, meets_wrongly
from bastion_core.statics.poses import ENOUGH, G_M_S2, WORN
from bastion_core.statics.stock import stock_of
from bastion_core.tests.shapes import box, dome, tube

ONE = (1.0, 1.0, 1.0)
WORN_PLA = Printed(worn=True)
LEVEL = Cut("c1", (0.0, 0.0, 60.0), (0.0, 0.0, 1.0))


def opened(
    solid: Solid, *cuts: Cut, held: tuple[Held, ...] = (Held("", "magnet"),), printed: Printed = WORN_PLA, gap: float = 0.15
) -> tuple[Parting, Joined]:
    parting = part_solid(solid, list(cuts), ONE, "p")
    rule = JoinRule(PinRule(), held, magnet_gap_mm=gap, printed=printed)
    return parting, join(parting, rule, whole=solid, cuts=tuple(c.id for c in cuts))


def crest() -> Solid:
    """A block that stands tall on a long foot, like a crest on its dome."""
    return Solid(box(30, 160, 60).manifold + box(20, 150, 70, (0, 0, 60)).manifold)


class Pockets(unittest.TestCase):
    def test_they_keep_their_true_size(self):
        for gap in (0.1, 0.25):
            _, made = opened(crest(), LEVEL, held=(Held("", "magnet", magnet="6x3"),), gap=gap)
            magnets = [f for f in made.joints[0].fasteners if isinstance(f, Magnet)]
            self.assertGreaterEqual(len(magnets), 2)
            by_name = {p.name: p.solid for p in made.parts}
            seam = made.joints[0].seam
            for magnet in magnets:
                for name, disc, way in ((seam.above, magnet.above, 1), (seam.below, magnet.below, -1)):
                    move = np.eye(4)
                    move[:3, 3] = -np.array(magnet.position_mm)
                    section = by_name[name].transformed(move).section(way * disc.thick_mm / 2)
                    hole = min(
                        (r for p in getattr(section, "geoms", [section]) for r in p.interiors),
                        key=lambda r: r.centroid.distance(section.centroid.__class__(0, 0)),
                    )
                    across = np.array(hole.bounds).reshape(2, 2)
                    np.testing.assert_allclose(across[1] - across[0], disc.diameter_mm + 2 * gap, atol=0.06)
                    floor = by_name[name].transformed(move).section(way * (disc.thick_mm + GLUE_MM + 0.2))
                    self.assertTrue(floor.contains(section.centroid.__class__(0, 0)), "a floor under the disc")

    def test_the_larger_disc_is_in_what_stays(self):
        _, made = opened(crest(), LEVEL)
        by = made.joints[0].closing
        assert by is not None
        self.assertGreater(by.pair.stays.diameter_mm, by.pair.comes.diameter_mm)
        upper, lower = sorted(made.parts, key=lambda p: -p.solid.bounds[0][2])
        self.assertEqual(by.hangs.parts, (min((upper, lower), key=lambda p: p.solid.volume).name,))
        magnet = made.joints[0].fasteners[0]
        assert isinstance(magnet, Magnet)
        self.assertEqual(magnet.above if by.hangs.side > 0 else magnet.below, by.pair.comes)

    def test_thin_shells_get_lugs(self):
        shell = dome(150, 190, 170, wall_mm=3.2, segments=72)
        _, made = opened(shell, Cut("c1", (0, 0, 100), (0, 0, 1)))
        lugs = [f for f in made.joints[0].fasteners if isinstance(f, Lug)]
        self.assertGreaterEqual(len(lugs), 2)
        self.assertEqual({f.kind for f in lugs}, {"magnet"})
        hull = Solid(shell.manifold.hull())
        for part in made.parts:
            self.assertLess((part.solid.manifold - hull.manifold).volume(), 0.05, "nothing stands out of the outside")
            self.assertEqual(len(part.solid.bodies()), 1)
        for lug in lugs:
            sizes = lug.sizes()
            self.assertGreater(sizes["diameter_below_mm"], 3)
            self.assertEqual(sum(h.count for h in lug.hardware()), 2)

    def test_bought(self):
        _, made = opened(crest(), LEVEL, held=(Held("", "magnet", magnet="6x3:N52"),))
        names = [h.name for f in made.joints[0].fasteners for h in f.hardware() if h.kind == "magnet"]
        self.assertTrue(any("6 × 3 mm, N52" in n for n in names))
        self.assertEqual(len(names), 2 * sum(isinstance(f, Magnet) for f in made.joints[0].fasteners))


class Loads(unittest.TestCase):
    def test_weight_and_balance_by_hand(self):
        """A block of 20 x 150 x 70 mm: walls of 1.35 mm all round, 15 % inside; its balance point 35 mm over the seam."""
        parting = part_solid(crest(), [LEVEL], ONE, "p")
        (seam,) = parting.seams
        found = hangs_at(parting, seam, {seam.id}, WORN_PLA)
        assert isinstance(found, HangsAt)
        shell = 2 * (20 * 150 + 20 * 70 + 150 * 70) * 1.35
        self.assertAlmostEqual(found.hang.mass_g, (shell + 0.15 * (20 * 150 * 70 - shell)) * 1.24e-3, delta=0.01)
        self.assertAlmostEqual(found.hang.at_mm[2], 35.0, places=3)
        np.testing.assert_allclose(found.hang.at_mm[:2], np.array(seam.face.centroid.coords[0]), atol=1e-3)

    def test_safety_by_hand(self):
        """Knocked sideways by 2 g while 1 g presses it on, the crest tips about its long edge: magpylib's force on the arms against it."""
        _, made = opened(crest(), LEVEL, held=(Held("", "magnet", magnet="8x3"),))
        by = made.joints[0].closing
        assert by is not None
        magnets = [f for f in made.joints[0].fasteners if isinstance(f, Magnet)]
        warm = 1 - 0.0012 * (WARM_DEG_C - 20)
        low = magpylib.magnet.Cylinder(
            polarization=(0, 0, 1.28 * warm), dimension=(by.pair.stays.diameter_mm / 1000, by.pair.stays.thick_mm / 1000)
        )
        high = magpylib.magnet.Cylinder(polarization=(0, 0, 1.28 * warm), dimension=(0.008, 0.003))
        high.position = (0, 0, (by.pair.stays.thick_mm / 2 + GAP_MM + 1.5) / 1000)
        force = -float(np.asarray(magpylib.getFT(low, high, meshing=2000)[0])[2])
        self.assertAlmostEqual(by.pair.pull_n / force, 1, delta=0.03)
        weight = by.hangs.hang.mass_g / 1000 * G_M_S2
        x = np.array([m.position_mm[0] for m in magnets])
        # About the edge at x = 10: 2 g on a height of 35 mm tips it, 1 g pressing 10 mm inside the edge holds it.
        by_hand = min((force * np.abs(e - x)).sum() / (weight * (2 * 35 - 1 * 10)) for e in (10.0, -10.0))
        self.assertEqual((by.stays.way, by.stays.pose in ("left", "right")), ("peel", True))
        self.assertAlmostEqual(by.stays.safety / by_hand, 1, delta=0.04)

    def test_more_weight_takes_larger_discs(self):
        light, heavy = (opened(crest(), LEVEL, printed=Printed(infill=i, worn=True))[1].joints[0].closing for i in (0.05, 1.0))
        assert light and heavy
        self.assertGreater(heavy.pair.pull_n * heavy.count, light.pair.pull_n * light.count)
        for by in (light, heavy):
            self.assertGreaterEqual(by.stays.safety, ENOUGH)

    def test_pins_keep_it_from_sliding(self):
        _, made = opened(crest(), LEVEL)
        by = made.joints[0].closing
        assert by is not None
        self.assertEqual(by.keyed, any(isinstance(f, Pin) for f in made.joints[0].fasteners))
        self.assertTrue(by.keyed)

    def test_two_seams_share_what_hangs(self):
        """A flap that is held along two faces: each bears by its area."""
        cuts = [LEVEL, Cut("c2", (0, 0, 90), (0, 0, 1))]
        parting = part_solid(crest(), cuts, ONE, "p")
        every = {s.id for s in parting.seams}
        middle = [hangs_at(parting, s, every, WORN_PLA) for s in parting.seams]
        self.assertTrue(all(isinstance(m, HangsAt) for m in middle))
        top = next(m for m, s in zip(middle, parting.seams, strict=True) if s.cut_id == "c2")
        self.assertEqual(len(top.parts), 1)

    def test_what_is_glued_elsewhere_does_not_come_off(self):
        solid = box(60, 60, 80)
        cuts = [Cut("c1", (0, 0, 40), (0, 0, 1)), Cut("c2", (0, 0, 0), (1, 0, 0))]
        parting = part_solid(solid, cuts, ONE, "p")
        first = next(s for s in parting.seams if s.cut_id == "c1")
        self.assertIsInstance(hangs_at(parting, first, {first.id}, WORN_PLA), Stuck)
        made = join(parting, JoinRule(PinRule(), (Held(first.id, "magnet"),), printed=WORN_PLA), whole=solid, cuts=("c1", "c2"))
        joint = next(j for j in made.joints if j.seam.id == first.id)
        self.assertEqual((joint.code, joint.fasteners), ("stuck", ()))
        self.assertIn("Hold those by magnets too", str(joint.advice))
        # With all faces of that cut on magnets the upper half comes off, and is put on last.
        level = tuple(Held(s.id, "magnet") for s in parting.seams if s.cut_id == "c1")
        made = join(parting, JoinRule(PinRule(), level, printed=WORN_PLA), whole=solid, cuts=("c1", "c2"))
        self.assertEqual({j.kind for j in made.joints if j.seam.cut_id == "c1"}, {"magnet"})
        self.assertEqual(set(made.steps[-1].seams), {h.seam for h in level})

    def test_too_weak_is_told_with_what_would_do(self):
        _, made = opened(crest(), LEVEL, held=(Held("", "magnet", magnet="4x2:N35"),), printed=Printed(infill=1.0, worn=True))
        joint = made.joints[0]
        assert joint.closing is not None
        self.assertEqual(joint.code, "weak")
        self.assertLess(joint.closing.stays.safety, ENOUGH)
        self.assertGreater(joint.closing.wanted, joint.closing.count)
        self.assertIn(f"{joint.closing.wanted} of them would be enough", str(joint.advice))
        record = closing_record(joint.closing, WORN)
        self.assertIn(record.pose, [p.name for p in WORN])
        self.assertEqual(len(record.others), 5)

    def test_larger_than_the_seam(self):
        _, made = opened(tube(20, 3, 120), LEVEL, held=(Held("", "magnet", magnet="40x5"),))
        self.assertEqual(made.joints[0].fasteners, ())
        self.assertEqual(made.joints[0].code, "failed")
        self.assertIn("Until then it is glued for good", str(made.joints[0].advice))


class Poles(unittest.TestCase):
    def test_it_goes_on_one_way(self):
        _, made = opened(crest(), LEVEL)
        magnets = [f for f in made.joints[0].fasteners if isinstance(f, Magnet)]
        flat = np.array([m.flat_mm for m in magnets])
        angles = np.arctan2(*(flat - flat.mean(axis=0)).T[::-1])
        ring = [magnets[k].pole for k in np.argsort(angles)]
        self.assertGreaterEqual(meets_wrongly(ring), 2)
        self.assertEqual([m.number for m in magnets], list(range(1, len(magnets) + 1)))

    def test_pairs_from_weak_to_strong(self):
        pulls = [p.pull_n for p in pairs("")]
        self.assertEqual(pulls, sorted(pulls))
        self.assertEqual(pairs("6x3:N52")[0].stays.grade, "N52")


class Written(unittest.TestCase):
    def test_read(self):
        self.assertEqual(read_held("A-B=magnet:6x3").magnet, "6x3")
        self.assertEqual(replace(read_held("magnet"), magnet="8x3").kind, "magnet")
        for text in ("A-B=magnet:99x3", "A-B=magnet:steel", "A-B=magnet:6x1:steel"):
            with self.subTest(text=text), self.assertRaises(RecipeProblem):
                read_held(text)

    def asked(self, *arguments: str) -> tuple[int, str, str]:
        out, told = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(told):
            code = main(list(arguments))
        return code, out.getvalue(), told.getvalue()

    def test_magnet_command(self):
        """120 g on a lever of 40 mm: 2.55 g when landing, twice on an arm of 20 mm."""
        code, out, _ = self.asked("magnet", "--pair", "6x3:6x3", "--gap", "0.6", "--mass", "120", "--lever", "40")
        told = json.loads(out)
        self.assertEqual(code, 0)
        self.assertAlmostEqual(told["needed_n"], 0.12 * G_M_S2 * np.hypot(0.5, 2.5) * 2, places=2)
        self.assertAlmostEqual(told["safety"], told["force_warm_n"] / told["needed_n"], places=2)
        self.assertEqual(told["count"], int(np.ceil(ENOUGH * told["needed_n"] / told["force_warm_n"])))
        self.assertLess(told["force_warm_n"], told["force_n"])
        for wrong in (["6x3"], ["6x3:6x3", "--mass", "-1"], ["6x3:6x3", "--arm", "0"]):
            code, _, said = self.asked("magnet", "--mass", "100", "--pair", *wrong)
            self.assertEqual(code, 2)
            self.assertTrue(said.startswith("bastion: "))

    def test_plan(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "crest.stl"
            write_binary_stl(crest().mesh(), path)
            common = ["plan", str(path), "--plane", "0,0,60:0,0,1", "--printer", "big:400x400x400"]
            code, _, said = self.asked(*common, "--comes-off", "A-B", "--out", f"{folder}/out")
            self.assertEqual((code, said), (0, ""))
            plan = json.loads((Path(folder) / "out" / "plan.json").read_text("utf-8"))
            (seam,) = plan["seams"]
            self.assertEqual(seam["kind"], "magnet")
            magnets = [j for j in seam["joints"] if j["kind"] == "magnet"]
            self.assertGreaterEqual(len(magnets), 2)
            self.assertGreaterEqual(seam["closing"]["safety"], ENOUGH)
            bodies = [trimesh.load(Path(folder) / "out" / p["file_stl"]) for p in plan["parts"]]
            self.assertTrue(all(b.is_watertight for b in bodies))

    def test_two_files_that_touch(self):
        """A crest and the block it stands on came as two files: put together as a set, the crest comes off where they touch."""
        with tempfile.TemporaryDirectory() as folder:
            for name, solid in (("under", box(120, 80, 40)), ("crest", box(20, 70, 50, (0, 0, 40)))):
                write_binary_stl(solid.mesh(), Path(folder) / f"{name}.stl")
            code, _, said = self.asked(
                "plan",
                f"{folder}/under.stl",
                f"{folder}/crest.stl",
                "--printer",
                "big:400x400x400",
                "--comes-off",
                "A-B",
                "--out",
                f"{folder}/out",
            )
            self.assertEqual((code, said), (0, ""))
            (seam,) = json.loads((Path(folder) / "out" / "plan.json").read_text("utf-8"))["seams"]
            self.assertEqual(seam["kind"], "magnet")
            self.assertAlmostEqual(seam["area_mm2"], 20 * 70, delta=1)
            self.assertGreaterEqual(seam["closing"]["safety"], ENOUGH)
            self.assertEqual(len(seam["closing"]["parts"]), 1)

    def test_pole_gauge(self):
        with tempfile.TemporaryDirectory() as folder:
            code, out, _ = self.asked("magnet", "--pair", "6x3:6x3", "--gauge", f"{folder}/gauge.stl")
            self.assertEqual((code, json.loads(out)["disc"]), (0, "6x3"))
            body = trimesh.load(Path(folder) / "gauge.stl")
            self.assertTrue(body.is_watertight)
            # A disc of 6 x 3 goes in from the side marked +, and does not fall through.
            high = body.bounds[1][2]
            middle = [body.extents[1] / 2, body.extents[1] / 2]
            for level, inside in ((high - 0.1, False), (0.5, True)):
                for off in (0.0, 2.9):
                    self.assertEqual(bool(body.contains([[middle[0] + off, middle[1], level]])[0]), inside)


class Compass(unittest.TestCase):
    def test_beside_a_magnet(self):
        """A dipole by hand: 8 x 3 mm of 1.28 T has 0.154 A m²; 40 mm away its field is 480 microtesla, and the needle follows it."""
        _, made = opened(crest(), LEVEL, held=(Held("", "magnet", magnet="8x3"),))
        magnets = [f for f in made.joints[0].fasteners if f.kind == "magnet"]
        x, y, z = magnets[0].position_mm
        for way, told in ((40.0, True), (900.0, False)):
            low = np.array([x - 10 + 1e3 * (not told), y - 10, z + way])
            kept = (("compass board", low, low + 20),)
            said = beside_compass(magnets, (), InsideRoom(np.zeros((0, 3)), np.zeros(0), kept))
            self.assertEqual(bool(said), told)
        other = (("battery", np.array([x, y, z]), np.array([x + 1, y + 1, z + 1])),)
        self.assertEqual(beside_compass(magnets, (), InsideRoom(np.zeros((0, 3)), np.zeros(0), other)), ())

    def test_beside_steel(self):
        for stock, told in (("steel-8", True), ("carbon-8x1", False)):
            rod = RodIn(
                stock_of(stock), (0.0, 0.0, 0.0), (0.0, 0.0, 300.0), position_mm=(0.0, 0.0, 150.0), axis=(0.0, 0.0, 1.0), flat_mm=(0.0, 0.0)
            )
            kept = (("heading board", np.array([30.0, 0, 100]), np.array([60.0, 20, 140])),)
            self.assertEqual(bool(beside_compass((), (rod,), InsideRoom(np.zeros((0, 3)), np.zeros(0), kept))), told)
