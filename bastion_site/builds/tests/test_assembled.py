"""The order of a piece over HTTP: what the page is told, its drawings, its sheet, drafts that change it."""

import json
import zipfile
from typing import ClassVar

from bastion_site.builds.models import Derived
from bastion_site.builds.tests.floating import AFloat
from bastion_site.engine.cases import graph_of
from bastion_site.testing import bytes_of, said, work_off


class Assembled(AFloat):
    decided: ClassVar = {"inside": "paint"}

    def test_the_page_is_told_all_but_the_drawings_and_fetches_those_by_their_hash(self):
        told = self.told()
        steps = told["assemble_data"]["steps"]
        self.assertEqual(said(told["stations"]["assemble"]["main"]), f"{len(steps)} steps")
        self.assertNotIn("strokes", json.dumps(told["assemble_data"]))
        answer = self.client.get(f"/api/assembly/{told['files']['assembly']}/")
        self.assertIn("immutable", answer["Cache-Control"])
        drawn = answer.json()
        self.assertEqual(len(drawn["steps"]), len(steps))
        self.assertTrue(all(d["strokes"] for d in drawn["steps"]))
        self.assertEqual(self.client.get(f"/api/assembly/{'0' * 40}/").status_code, 404)

    def test_the_sheet_and_the_zip_hold_the_order(self):
        sheet = self.client.get(f"/api/pieces/{self.piece.id}/assembly.pdf")
        self.assertTrue(sheet.content.startswith(b"%PDF"))
        packed = zipfile.ZipFile(bytes_of(self.client.get(f"/api/pieces/{self.piece.id}/takeaway/")))
        self.assertEqual(packed.read("assembly.pdf"), sheet.content)
        plan = json.loads(packed.read("plan.json"))
        self.assertEqual([s["key"] for s in plan["assembly"]["steps"]], [s["key"] for s in self.told()["assemble_data"]["steps"]])
        self.assertEqual(self.client.get("/api/pieces/999/assembly.pdf").status_code, 404)

    def test_what_is_decided_here_computes_nothing_before_it(self):
        kinds = ("pieces", "fit", "cut", "join", "print")
        before = Derived.objects.filter(kind__in=kinds).count()
        self.assertEqual(self.change(visor=True, bench_h=5.0)["status"], 200)
        work_off()
        self.assertEqual(Derived.objects.filter(kind__in=kinds).count(), before)
        told = self.told()
        self.assertIn("visor", [s["key"] for s in told["assemble_data"]["steps"]])
        self.assertEqual(told["assemble_data"]["bench_h"], 5.0)

    def test_out_of_bounds_is_refused_and_nothing_is_lost(self):
        for wrong in (
            {"bench_h": 0.0},
            {"inside": "gold"},
            {"put_in": [{"name": "", "part": "A"}]},
            {"fixed": [{"first": "a", "then": "a"}]},
        ):
            self.assertEqual(self.change(**wrong)["status"], 400, wrong)
        self.assertEqual(graph_of(self.piece).result("assemble").steps, len(self.told()["assemble_data"]["steps"]))

    def test_a_step_is_taken_back(self):
        steps = len(self.told()["assemble_data"]["steps"])
        self.change(inside="")
        work_off()
        self.assertLess(len(self.told()["assemble_data"]["steps"]), steps)
        answer = self.client.post(
            f"/api/pieces/{self.piece.id}/undo/", {"step": self.told()["undo"]["id"]}, content_type="application/json"
        )
        self.assertEqual(answer.status_code, 200, answer.content)
        self.assertEqual(len(self.told()["assemble_data"]["steps"]), steps)
