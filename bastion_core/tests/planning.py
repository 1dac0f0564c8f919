"""The ``plan`` command as tests call it, and every promise of what it writes."""

import contextlib
import io
import json
import tempfile
import unittest
from pathlib import Path

import lib3mf
import numpy as np
import trimesh

from bastion_core.__main__ import main


class Planning(unittest.TestCase):
    """A folder of its own for each test; what is computed on the way is kept for the tests after it."""

    @classmethod
    def setUpClass(cls):
        cls.kept = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))

    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def run_plan(self, *arguments: object) -> tuple[int, str]:
        told = io.StringIO()
        with contextlib.redirect_stderr(told):
            code = main(["plan", *map(str, arguments)])
        return code, told.getvalue()

    def planned(self, *arguments: object) -> dict:
        out = self.folder / "out"
        code, told = self.run_plan(*arguments, "--keep", self.kept, "--out", out)
        self.assertEqual((code, told), (0, ""))
        return json.loads((out / "plan.json").read_text("utf-8"))

    def check_files(self, plan: dict, source: trimesh.Trimesh) -> None:
        """Every promise of plan.json about its files, checked with lib3mf and trimesh."""
        out = self.folder / "out"
        put_back = 0.0
        for part in plan["parts"]:
            body = trimesh.load(out / part["file_stl"])
            self.assertTrue(body.is_watertight)
            self.assertAlmostEqual(body.volume / part["volume_mm3"], 1, delta=1e-3)
            np.testing.assert_allclose(body.extents, part["size_mm"], atol=0.01)
            self.assertAlmostEqual(body.bounds[0, 2], 0, delta=1e-3)
            reader_model = lib3mf.get_wrapper().CreateModel()
            reader = reader_model.QueryReader("3mf")
            reader.ReadFromFile(str(out / part["file_3mf"]))
            self.assertEqual(reader.GetWarningCount(), 0)
            # back in the model's place, the part lies inside the model's box
            back = body.copy().apply_transform(np.array(part["transform"]))
            scaled = source.bounds * np.array(plan["scale"])
            self.assertTrue((back.bounds[0] >= scaled[0] - 0.05).all() and (back.bounds[1] <= scaled[1] + 0.05).all())
            put_back += back.volume
        joints = [j for s in plan["seams"] for j in s["joints"]]
        holes = sum(2 * np.pi * (j["diameter_mm"] / 2 + j["clearance_mm"]) ** 2 * j["depth_mm"] for j in joints if j["kind"] == "pin")
        # What came out is the model less what was carved and with what was grown; of pins alone that is their holes.
        model = source.volume * np.prod(plan["scale"])
        self.assertAlmostEqual((put_back + plan["carved_mm3"] - plan["grown_mm3"]) / model, 1, delta=5e-4)
        if {j["kind"] for j in joints} == {"pin"} and not plan["marks"]:
            self.assertAlmostEqual(plan["carved_mm3"] / holes, 1, delta=0.01)
        self.assertEqual(plan["totals"]["parts"], len(plan["parts"]))
        self.assertAlmostEqual(plan["totals"]["hours"], sum(p["hours"] for p in plan["parts"]), delta=0.01)
        self.assertEqual(sum(h["count"] for h in plan["hardware"]), sum(j["kind"] == "pin" for j in joints))
