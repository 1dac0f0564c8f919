"""``measure``, ``predict``, ``body`` and ``fit`` as one types them."""

import contextlib
import csv
import io
import json
import tempfile
import unittest
from pathlib import Path

import trimesh
from manifold3d import Manifold

from bastion_core.__main__ import main
from bastion_core.devices.head_scanner import scan_head
from bastion_core.formats.stl import write_binary_stl
from bastion_core.geometry.solid import Solid
from bastion_core.measure.wearer import wearer_from_dict
from bastion_core.tests.shapes import DATA, FEMALE, MALE, plain_helm

WEARER = {"name": "Oda", "sex": "female", "mass_kg": 63, "measurements": {"stature_mm": 1684, "head_breadth_mm": 149, "head_length_mm": 190, "head_circumference_mm": 560, "chin_to_crown_mm": 218}}  # fmt: skip


class Commands(unittest.TestCase):
    def setUp(self):
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        self.folder = Path(made.name)
        self.wearer = self.folder / "oda.json"
        self.wearer.write_text(json.dumps(WEARER))

    def run_it(self, *arguments):
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            code = main([str(a) for a in arguments])
        return code, out.getvalue(), err.getvalue()

    def told(self, *arguments):
        code, out, err = self.run_it(*arguments)
        self.assertEqual(code, 0, err)
        return json.loads(out)

    def stl(self, name, solid):
        path = self.folder / name
        write_binary_stl(solid.mesh() if isinstance(solid, Solid) else solid, path)
        return path

    def test_measure_a_body(self):
        told = self.told("measure", MALE, "--kind", "body")
        for key in (
            "neck_girth_mm",
            "chest_girth_mm",
            "waist_girth_mm",
            "hip_girth_mm",
            "upper_arm_girth_mm",
            "wrist_girth_mm",
            "thigh_girth_mm",
            "ankle_girth_mm",
            "shoulder_girth_mm",
            "left_knuckle_girth_mm" if "left_knuckle_girth_mm" in told else "knuckle_girth_mm",
        ):
            self.assertGreater(told[key]["sd"], 0)
        self.assertAlmostEqual(told["stature_mm"]["value"], 1730.4, delta=3)

    def test_measure_the_body_that_came_with_a_table(self):
        """Against the measurements that came with it (clad-body 0.6.1 on anny's average female), through the whole command: within 1 %."""
        with (DATA / "anny_clad_female_average.csv").open(encoding="utf-8") as opened:
            table = {row["measurement"]: row["value"] for row in csv.DictReader(opened)}
        told = self.told("measure", FEMALE, "--kind", "body")
        for key, column in (("neck", "neck"), ("chest", "bust"), ("waist", "waist"), ("hip", "hip"), ("thigh", "thigh"), ("knee", "knee"), ("calf", "calf"), ("upper_arm", "upperarm"), ("wrist", "wrist")):  # fmt: skip
            wanted = 10 * float(table[f"{column}_cm"])
            one = told.get(f"{key}_girth_mm") or told[f"left_{key}_girth_mm"]
            with self.subTest(key):
                self.assertAlmostEqual(one["value"], wanted, delta=0.01 * wanted)

    def test_measure_a_head_in_an_unknown_unit_and_pose(self):
        head = self.stl("phone.stl", scan_head(wearer_from_dict(WEARER), "m", 3))
        told = self.told("measure", head, "--kind", "head")
        self.assertEqual(set(told), {"head_breadth_mm", "head_length_mm", "head_circumference_mm", "chin_to_crown_mm", "face_height_mm"})
        self.assertAlmostEqual(told["head_breadth_mm"]["value"], 149, delta=2)
        haired = self.told("measure", head, "--kind", "head", "--hair", 6)
        self.assertAlmostEqual(told["head_breadth_mm"]["value"] - haired["head_breadth_mm"]["value"], 12, delta=0.2)
        self.assertEqual(self.run_it("measure", head, "--kind", "head", "--hair", 600)[0], 2)

    def test_fit_to_a_scan_instead_of_the_stand_in(self):
        head = self.stl("phone.stl", scan_head(wearer_from_dict(WEARER), "cm", 2))
        helm = self.stl("helm.stl", plain_helm(0.05))
        asked = ("fit", helm, "--site", "head", "--layer", "pad=8", "--scale", 1.12)
        by_scan = self.told(*asked, "--body", head)
        by_body = self.told(*asked, "--wearer", self.wearer)
        self.assertAlmostEqual(by_scan["room"]["least_mm"], by_body["room"]["least_mm"], delta=4)
        self.assertEqual(by_scan["way_in"]["passes"], by_body["way_in"]["passes"])

    def test_fit_a_limb_to_a_body_scan(self):
        tube = self.stl("bracer.stl", Solid(Manifold.cylinder(200, 61, 61, 96) - Manifold.cylinder(220, 55, 55, 96).translate([0, 0, -10])))
        told = self.told("fit", tube, "--site", "forearm", "--side", "right", "--body", MALE, "--layer", "suit=1.5", "--way-in", "over")
        self.assertEqual((told["site"], told["side"]), ("forearm", "right"))
        self.assertGreater(told["room"]["least_mm"], 0)
        self.assertEqual(told["way_in"]["kind"], "over")
        self.assertTrue(0 <= told["probability"] <= 1)

    def test_a_piece_moved_and_turned_in_its_seat(self):
        tube = self.stl("bracer.stl", Solid(Manifold.cylinder(160, 66, 66, 96) - Manifold.cylinder(180, 60, 60, 96).translate([0, 0, -10])))
        asked = ("fit", tube, "--site", "forearm", "--wearer", self.wearer)
        seated, moved, leaned = (self.told(*asked, *more) for more in ((), ("--shift", 5, 0, 0), ("--turn", 0, 12, 0)))
        self.assertAlmostEqual(moved["offset_mm"][0] - seated["offset_mm"][0], 5, delta=0.01)
        self.assertLess(moved["room"]["least_mm"], seated["room"]["least_mm"])
        self.assertLess(leaned["room"]["least_mm"], seated["room"]["least_mm"] - 2)
        self.assertEqual(seated["crease"]["joint"], "elbow bent")

    def test_a_split_piece_tells_its_hinge(self):
        tube = self.stl("greave.stl", Solid(Manifold.cylinder(260, 76, 76, 96) - Manifold.cylinder(280, 70, 70, 96).translate([0, 0, -10])))
        told = self.told("fit", tube, "--site", "shin", "--wearer", self.wearer, "--way-in", "split")
        self.assertTrue(20 < told["way_in"]["opening_deg"] < 90)
        self.assertIn(told["way_in"]["hinge"], ("back", "front", "left side", "right side"))

    def test_a_bent_body(self):
        out = self.folder / "bent.stl"
        self.assertEqual(self.run_it("body", self.wearer, "--out", out, "--elbow", 90, "--knee", 90)[0], 0)
        bent = trimesh.load(out)
        self.assertTrue(bent.is_watertight)
        self.assertLess(bent.extents[2], 1500)
        self.assertEqual(self.run_it("body", self.wearer, "--out", out, "--elbow", 190)[0], 2)

    def test_predict_and_body(self):
        told = self.told("predict", self.wearer)
        self.assertNotIn("stature_mm", told)
        self.assertEqual(set(told["calf_girth_mm"]), {"value", "sd", "from", "source"})
        out = self.folder / "body.stl"
        self.assertEqual(self.run_it("body", self.wearer, "--out", out)[0], 0)
        body = trimesh.load(out)
        self.assertTrue(body.is_watertight)
        self.assertAlmostEqual(body.extents[2], 1684, delta=1)
        self.assertEqual(self.run_it("body", self.wearer, "--out", self.folder / "body.3mf")[0], 0)

    def test_fit_a_helm_with_its_ring(self):
        helm, ring = self.stl("helm.stl", plain_helm(0.05)), self.folder / "ring.stl"
        told = self.told(
            "fit",
            helm,
            "--site",
            "head",
            "--wearer",
            self.wearer,
            "--layer",
            "pad=8",
            "--scale",
            1.07,
            "--bay",
            "board@nape=66x56x24",
            "--gauge-ring",
            ring,
        )
        self.assertEqual({"room", "way_in", "bays", "least_scale", "probability", "remedies"} - set(told), set())
        self.assertFalse(told["bays"][0]["fits"])
        self.assertTrue(trimesh.load(ring).is_watertight)
        self.assertAlmostEqual(trimesh.load(ring).extents[2], 10, delta=0.01)

    def test_fit_as_placed_on_a_scan(self):
        body = self.stl("rod.stl", Solid(Manifold.cylinder(400, 45, 45, 160).translate([0, 0, -100])))
        tube = self.stl("tube.stl", Solid(Manifold.cylinder(200, 61, 61, 160) - Manifold.cylinder(220, 55, 55, 160).translate([0, 0, -10])))
        told = self.told("fit", tube, "--site", "forearm", "--body", body, "--as-placed", "--unit", "mm")
        self.assertAlmostEqual(told["room"]["least_mm"], 10, delta=0.1)
        self.assertAlmostEqual(told["least_scale"], 45 / 55, delta=0.001)
        inches = self.told("fit", self.stl("in.stl", Solid(Manifold.cylinder(200 / 25.4, 61 / 25.4, 61 / 25.4, 160) - Manifold.cylinder(220 / 25.4, 55 / 25.4, 55 / 25.4, 160).translate([0, 0, -0.4]))), "--site", "forearm", "--body", body, "--as-placed", "--unit", "in")  # fmt: skip
        self.assertAlmostEqual(inches["room"]["least_mm"], told["room"]["least_mm"], delta=0.1)

    def test_what_cannot_be_used_is_one_line_and_code_2(self):
        rod = self.stl("rod.stl", Solid.cylinder(3, 5))
        for arguments, why in (
            (("measure", rod, "--kind", "head"), "in no unit is that a head"),
            (("measure", self.folder / "none.stl", "--kind", "body"), "There is no file"),
            (("predict", DATA / "README.md"), "is not JSON"),
            (("body", self.wearer, "--out", self.folder / "body.txt"), "has to end in"),
            (("fit", MALE, "--site", "head", "--wearer", self.wearer, "--layer", "pad"), "is no layer"),
            (("fit", MALE, "--site", "elsewhere"), "invalid choice"),
            (("fit", MALE, "--site", "shin"), "no body to fit it to"),
        ):
            with self.subTest(arguments):
                code, out, err = self.run_it(*arguments)
                self.assertEqual((code, out, err.count("\n")), (2, "", 1), err)
                self.assertIn(why, err)
