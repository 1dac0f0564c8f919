"""``assemble`` as one types it: a plan that ``plan`` wrote, plans by hand, and what cannot be."""

import contextlib
import io
import json
import tempfile
import unittest
from pathlib import Path

from manifold3d import Manifold

from bastion_core.__main__ import main
from bastion_core.formats.stl import write_binary_stl
from bastion_core.geometry.solid import Solid
from bastion_core.tests.shapes import BUNNY, box


def told_by(*arguments: object) -> tuple[int, str, str]:
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        code = main([str(a) for a in arguments])
    return code, out.getvalue(), err.getvalue()


class AfterPlan(unittest.TestCase):
    """A rabbit of others, parted for a small bed."""

    @classmethod
    def setUpClass(cls):
        made = tempfile.TemporaryDirectory()
        cls.addClassCleanup(made.cleanup)
        cls.out = Path(made.name) / "out"
        code, _, err = told_by("plan", BUNNY, "--out", cls.out, "--unit", "mm", "--printer", "small:110x110x110", "--length", "200")
        if code:
            raise AssertionError(err)
        cls.plan = json.loads((cls.out / "plan.json").read_text("utf-8"))

    def test_it_tells_what_the_plan_told(self):
        self.assertGreater(len(self.plan["parts"]), 1)
        code, out, err = told_by("assemble", self.out / "plan.json")
        self.assertEqual((code, err), (0, ""))
        told = json.loads(out)
        self.assertEqual(told["schema"], 1)
        known = self.plan["assembly"]
        self.assertEqual({s["key"] for s in told["steps"]}, {s["key"] for s in known["steps"]})
        self.assertEqual(told["locked"], [])
        self.assertAlmostEqual(told["totals"]["hands_h"], known["totals"]["hands_h"], delta=0.25 * known["totals"]["hands_h"])
        closed = [letters for s in told["steps"] if s["key"].startswith("join") for letters in s["seams"]]
        self.assertEqual(sorted(closed), sorted(s["letters"] for s in self.plan["seams"]))
        for step in told["steps"]:
            self.assertGreaterEqual(step["hands_min"], 0)
            self.assertGreaterEqual(step["end_h"], step["start_h"])

    def test_a_step_fixed_by_hand(self):
        keys = [s["key"] for s in self.plan["assembly"]["steps"] if s["kind"] == "sand"]
        if len(keys) < 2:
            self.skipTest("one seam only")
        code, out, err = told_by("assemble", self.out / "plan.json", "--first", f"{keys[-1]}<{keys[0]}")
        self.assertEqual((code, err), (0, ""))
        order = [s["key"] for s in json.loads(out)["steps"]]
        self.assertLess(order.index(keys[-1]), order.index(keys[0]))

    def test_what_cannot_be(self):
        plan = self.out / "plan.json"
        for arguments, words in (
            (("--first", "dry fit<last"), "there is no step last"),
            (("--first", "join A-B<dry fit"), "cannot be"),
            (("--first", "nothing"), "names no two steps"),
            (("--put-in", "lamp@Q=10x10x10"), "no part or thing “Q”"),
            (("--bench", "0"), "out of bounds"),
        ):
            code, out, err = told_by("assemble", plan, *arguments)
            self.assertEqual((code, out), (2, ""), arguments)
            self.assertIn(words, err)
            self.assertEqual(err.count("\n"), 1)


class ByHand(unittest.TestCase):
    def setUp(self):
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        self.folder = Path(made.name)

    def plan_of(self, solids: dict[str, Solid], **more) -> Path:
        for name, solid in solids.items():
            write_binary_stl(solid.mesh(), self.folder / f"{name}.stl")
        path = self.folder / "plan.json"
        path.write_text(json.dumps({"parts": [{"name": n, "file_stl": f"{n}.stl"} for n in solids], **more}), "utf-8")
        return path

    def test_seams_are_found_where_nobody_names_them(self):
        path = self.plan_of({"x-A": box(40, 40, 20, (0, 0, 20)), "x-B": box(40, 40, 20), "x-C": box(40, 40, 20, (40, 0, 0))})
        code, out, err = told_by("assemble", path)
        self.assertEqual((code, err), (0, ""))
        closed = sorted(letters for s in json.loads(out)["steps"] for letters in s["seams"])
        self.assertEqual(closed, ["A-B", "B-C"])

    def test_a_part_that_cannot_be_inserted(self):
        shell = Solid(Manifold.cube([60, 60, 60], True) - Manifold.cube([40, 40, 40], True))
        path = self.plan_of({"x-A": box(38, 38, 38, (0, 0, -19)), "x-B": shell},
                            seams=[{"id": "s", "parts": ["x-A", "x-B"], "axis": [0, 0, 1], "area_mm2": 900}])  # fmt: skip
        code, out, err = told_by("assemble", path)
        self.assertEqual(code, 2)
        self.assertIn("no straight way", err)
        self.assertEqual(len(json.loads(out)["locked"]), 1, "the rest is told all the same")

    def test_times_and_plans_that_cannot_be(self):
        two = {"x-A": box(40, 40, 20, (0, 0, 20)), "x-B": box(40, 40, 20)}
        seam = {"id": "s", "parts": ["x-A", "x-B"], "axis": [0, 0, 1], "area_mm2": 1600}
        glue = {"name": "glue", "ml": 1, "sets_min": 1, "handle_h": -1, "full_h": 24}
        for more, words in (
            ({"seams": [seam | {"glue": glue}]}, "cannot be"),
            ({"seams": [seam | {"glue": {"name": "glue"}}]}, "cannot be read"),
            ({"seams": [seam | {"parts": ["x-A", "x-Q"]}]}, "no part of the plan"),
            ({"seams": [{"parts": ["x-A", "x-B"]}]}, "'id'"),
            ({"upright": [[1, 0], [0, 1]]}, "no 4 × 4"),
        ):
            code, out, err = told_by("assemble", self.plan_of(two, **more))
            self.assertEqual((code, out), (2, ""), more)
            self.assertIn(words, err)
        path = self.plan_of(two)
        (self.folder / "x-B.stl").unlink()
        self.assertIn("is not there", told_by("assemble", path)[2])
        path.write_text("{}", "utf-8")
        self.assertIn("names no parts", told_by("assemble", path)[2])
        path.write_text("no", "utf-8")
        self.assertIn("is no JSON", told_by("assemble", path)[2])

    def test_what_is_typed_goes_over_what_the_plan_says(self):
        decided = {"visor": True, "bench_h": 5.0}
        path = self.plan_of({"x-A": box(40, 40, 20, (0, 0, 20)), "x-B": box(40, 40, 20)}, assembly={"decided": decided})
        told = json.loads(told_by("assemble", path, "--bench", "2")[1])
        self.assertIn("visor", [s["key"] for s in told["steps"]])
        self.assertEqual((told["totals"]["bench_h"], told["impossible"]), (2.0, ""))
        path = self.plan_of({"x-A": box(40, 40, 20)}, assembly={"decided": {"bench_h": 90}})
        self.assertIn("out of bounds", told_by("assemble", path)[2])

    def test_into_a_file(self):
        path, out = self.plan_of({"x-A": box(40, 40, 20, (0, 0, 20)), "x-B": box(40, 40, 20)}), self.folder / "order.json"
        self.assertEqual(told_by("assemble", path, "--out", out)[:2], (0, ""))
        self.assertEqual(json.loads(out.read_text("utf-8"))["schema"], 1)
