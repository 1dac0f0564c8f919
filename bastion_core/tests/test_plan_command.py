"""``plan`` as a user calls it: files in, files out, exit codes, nothing written when it cannot work."""

import doctest
import json

import numpy as np
import trimesh

import bastion_core.cut.parting
import bastion_core.progress
import bastion_core.units
from bastion_core import __version__
from bastion_core.commands.options import parse_printer
from bastion_core.errors import RecipeProblem
from bastion_core.fit.judge import judge
from bastion_core.fit.layers import Layer
from bastion_core.fit.question import Question
from bastion_core.formats.stl import write_binary_stl
from bastion_core.pieces.intake import take_in
from bastion_core.tests.planning import Planning
from bastion_core.tests.shapes import BUNNY, HINGE, TORN_SPHERE, dome, person


def load_tests(loader, tests, pattern):
    for module in (bastion_core.units, bastion_core.progress, bastion_core.cut.parting):
        tests.addTests(doctest.DocTestSuite(module))
    return tests


class Plan(Planning):
    def test_a_model_of_others_parted_for_small_beds(self):
        plan = self.planned(BUNNY, "--printer", "small:100x100x100:5", "--printer", "other:90x120x110:0")
        self.assertEqual(plan["schema"], 1)
        self.assertGreater(len(plan["parts"]), 1)
        self.assertTrue(all(s["joints"] or s["advice"] for s in plan["seams"]))
        usable = {"small": (90, 90, 100), "other": (90, 120, 110)}
        for part in plan["parts"]:
            x, y, z = usable[part["printer"]]
            width, depth, height = part["size_mm"]
            self.assertTrue(width <= x + 0.01 and depth <= y + 0.01 and height <= z + 0.01, part)
        self.check_files(plan, trimesh.load(BUNNY))

    def test_plans_as_typed(self):
        """Another aim takes the plan that is told for it; a plane and a place to keep out of are the maker's own."""
        shell = self.folder / "cap.stl"
        write_binary_stl(dome(120, 150, 150, 4.0, 64).mesh(), shell)
        small = ("--printer", "small:130x130x130")
        least = self.planned(shell, *small, "--join", "glue")
        told = least["alternatives"]
        self.assertEqual((told[0]["aim"], told[0]["chosen"]), ("least", True))
        self.assertEqual(told[0]["parts"], len(least["parts"]))
        # The plan is compared as printed the usual way, which is how it is printed here: joints aside its hours are the same.
        self.assertAlmostEqual(told[0]["hours"] / least["totals"]["hours"], 1, delta=0.05)
        self.assertAlmostEqual(sum(s["seen_cm"] for s in least["seams"]), told[0]["seen_cm"], delta=0.1 * told[0]["seen_cm"] + 1)
        fewest = next(a for a in told if "parts" in a["aims"])
        plan = self.planned(shell, *small, "--aim", "parts")
        self.assertEqual(len(plan["parts"]), fewest["parts"])
        self.check_files(plan, trimesh.load(shell))
        own = self.planned(shell, *small, "--plane", "0,0,75:0,0,1", "--plane", "0,0,0:1,0,0")
        self.assertFalse(any(a["chosen"] for a in own["alternatives"]))
        self.assertEqual(len(own["parts"]), 4)
        nowhere = self.planned(shell, *small, "--keep-out", "0,0,75:400")
        self.assertTrue(any("no seam may run leave no plan" in w for w in nowhere["warnings"]))
        code, said = self.run_plan(shell, *small, "--plane", "0,0", "--out", self.folder / "x")
        self.assertEqual(code, 2)
        self.assertIn("--plane", said)

    def test_whole_when_it_fits(self):
        plan = self.planned(HINGE, "--scale", "2", "--layer", "0.28", "--material", "petg")
        self.assertEqual((len(plan["parts"]), plan["seams"], plan["scale"]), (1, [], [2, 2, 2]))
        self.assertIsNone(plan["fit"])
        self.check_files(plan, trimesh.load(HINGE))

    def test_what_is_kept_gives_the_same_plan(self):
        """Taken over from a folder or computed anew, every byte that is written is the same; another layer height leaves the pieces as they were."""
        kept, written = self.folder / "kept", []
        for out, more in (("a", ()), ("b", ("--keep", kept)), ("c", ("--keep", kept))):
            self.assertEqual(self.run_plan(HINGE, "--scale", "2", *more, "--out", self.folder / out), (0, ""))
            written.append({p.name: p.read_bytes() for p in (self.folder / out).iterdir() if p.suffix in (".json", ".stl")})
        self.assertEqual(written[0], written[1])
        self.assertEqual(written[1], written[2])
        self.assertEqual(self.run_plan(HINGE, "--scale", "2", "--layer", "0.28", "--keep", kept, "--out", self.folder / "d"), (0, ""))
        results = [len(list((kept / __version__ / kind).glob("*.result.json"))) for kind in ("pieces", "print")]
        self.assertEqual(results, [1, 2])
        code, told = self.run_plan(HINGE, "--keep", HINGE, "--out", self.folder / "e")
        self.assertEqual(code, 2)
        self.assertIn("is a file", told)

    def test_mended_model_is_told(self):
        plan = self.planned(TORN_SPHERE)
        self.assertFalse(plan["model"]["watertight"])
        self.assertEqual(plan["model"]["mended"], ["filled 3 holes"])

    def test_helmet_to_wearer(self):
        helm, wearer = self.folder / "Sea Helm.stl", self.folder / "w.json"
        write_binary_stl(dome(160, 204, 280).mesh(), helm)
        wearer.write_text(json.dumps(person().as_dict()))
        plan = self.planned(helm, "--site", "head", "--wearer", wearer)
        # The same judge as everywhere: the least scale at which the head with its padding goes in, and two percent to spare.
        question = Question("head", wearer=person(), layers=(Layer("pad", 8.0),), give_mm=2.0)
        wanted = judge(take_in(helm, "head").mesh, question, 1.0, None)
        np.testing.assert_allclose(plan["scale"], wanted.scale, rtol=1e-6)
        self.assertEqual((plan["fit"]["verdict"], plan["fit"]["reason"]), ("holds", str(wanted.answer.reason)))
        self.assertGreater(plan["fit"]["room_mm"], 0)
        self.assertGreater(plan["scale"][0], 154 / 160)
        self.assertTrue(all(p["name"].startswith("sea-helm-") for p in plan["parts"]))
        self.check_files(plan, trimesh.load(helm))

    def test_the_same_decisions_as_typed(self):
        typed = ("--scale", "1.2x1.2x1", "--pin", "3", "--pin-clearance", "0.25", "--walls", "4", "--infill", "40")
        plan = self.planned(BUNNY, *typed, "--printer", "small:110x110x110")
        self.assertEqual(plan["scale"], [1.2, 1.2, 1.0])
        joints = [j for s in plan["seams"] for j in s["joints"]]
        self.assertEqual({(j["diameter_mm"], j["clearance_mm"]) for j in joints}, {(3.0, 0.25)})
        self.assertEqual(len({p["id"] for p in plan["parts"]}), len(plan["parts"]))
        self.assertTrue(any("scaled apart" in w for w in plan["warnings"]))

    def test_unusable_input_writes_nothing_and_says_one_line(self):
        empty, text = self.folder / "e.stl", self.folder / "t.stl"
        empty.write_bytes(b"")
        text.write_text("hello")
        bad_wearer = self.folder / "w.json"
        bad_wearer.write_text('{"measurements": {"stature_mm": "tall"}}')
        for arguments in (
            [empty], [text], [self.folder / "absent.stl"], [BUNNY, "--printer", "x:10"], [BUNNY, "--printer", "x:10x10x10"],
            [BUNNY, "--layer", "9"], [BUNNY, "--walls", "0"], [BUNNY, "--infill", "300"], [BUNNY, "--scale", "0"], [BUNNY, "--scale", "nan"],
            [BUNNY, "--material", "cheese"], [BUNNY, "--wearer", bad_wearer], [BUNNY, "--unit", "m"], [BUNNY, "--site", "tail"], [BUNNY, "--layer", "x"],
            [BUNNY, "--printer", "a:200x200x200", "--printer", "a:300x300x300"],
        ):  # fmt: skip
            with self.subTest(arguments):
                out = self.folder / "never"
                code, told = self.run_plan(*arguments, "--out", out)
                self.assertEqual(code, 2)
                self.assertEqual(told.count("\n"), 1, told)
                self.assertGreater(len(told), 20)
                self.assertFalse(out.exists())
        self.assertEqual(self.run_plan(BUNNY)[0], 2)

    def test_printer_as_written(self):
        printer = parse_printer("shop:220x210x250")
        self.assertEqual(printer.usable_mm, (210, 200, 250))
        self.assertEqual(parse_printer("shop:220x210x250:0").usable_mm, (220, 210, 250))
        with self.assertRaises(RecipeProblem):
            parse_printer("220x210x250")
