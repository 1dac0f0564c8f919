"""The finish of a piece over HTTP: what the page is told, its stage, drafts that change it, steps ticked once and taken back, learnt hands."""

import json
import zipfile

from bastion_core.finish.recipe import FinishRecipe
from bastion_core.finish.table import PRODUCTS, SCHOOLS
from bastion_site.builds.models import Derived
from bastion_site.builds.tests.floating import AFloat
from bastion_site.prints.models import Tick
from bastion_site.testing import bytes_of, said, work_off


class Finished(AFloat):
    def tick(self, step: str, press: str, took: float | None = None, done: bool = True):
        body = {"press": press, "step": step, "done": done, "took_min": took}
        return self.client.post(f"/api/pieces/{self.piece.id}/ticks/", body, content_type="application/json")

    def test_the_page_is_told_regions_steps_and_ways(self):
        told = self.told()
        cell = told["stations"]["finish"]
        self.assertEqual((cell["state"], cell["verdict"]), ("fresh", "holds"))
        self.assertRegex(said(cell["main"]), r"^[\d.]+ h hands$")
        data = told["finish_data"]
        self.assertIn("seam", {r["region"]["kind"] for r in data["regions"]})
        self.assertEqual(len(data["steps"]), told["finish"]["steps"])
        self.assertGreaterEqual({b["school"] for b in data["beside"]}, set(SCHOOLS) - {"vapour"})
        answer = self.client.get(f"/api/stage/{told['files']['regions']}/")
        self.assertEqual(answer.status_code, 200)
        self.assertEqual(bytes_of(answer).read(4), b"glTF")
        plan = json.loads(zipfile.ZipFile(bytes_of(self.client.get(f"/api/pieces/{self.piece.id}/takeaway/"))).read("plan.json"))
        self.assertEqual(len(plan["finish"]["steps"]), told["finish"]["steps"])
        self.assertEqual(plan["finish"]["decided"]["school"], "putty")
        trade = self.client.get("/api/trade/").json()["finish"]
        self.assertEqual({p["key"] for p in trade["products"]}, set(PRODUCTS))

    def test_hands_stand_beside_hours_and_what_a_change_did(self):
        before = self.told()["totals"]["hands_h"]
        self.assertGreater(before, 0.3)
        self.change(target="distance")
        work_off()
        told = self.told()
        self.assertLess(told["totals"]["hands_h"], before)
        self.assertEqual(told["before"]["hands_h"], before)
        self.assertEqual(told["before"]["because"], "the surface")

    def test_what_is_decided_here_computes_nothing_before_it(self):
        kept = {(d.kind, d.hash) for d in Derived.objects.all()}
        self.change(school="resin")
        work_off()
        new = {(d.kind, d.hash) for d in Derived.objects.all()} - kept
        self.assertEqual({kind for kind, _ in new}, {"finish"})

    def test_wrong_decisions_name_their_field(self):
        for field, value in (
            ("school", "magic"),
            ("schools", [{"region": "dome", "school": "magic"}]),
            ("own_regions", [{"id": "m", "name": "", "places_mm": [[0, 0, 0]]}]),
            ("own_regions", [{"id": "m", "name": "Nothing", "places_mm": []}]),
            ("faults", [{"kind": "ghost", "at_mm": [0, 0, 0]}]),
        ):
            answer = self.change(**{field: value})
            self.assertEqual(answer["status"], 400, field)
            self.assertEqual(answer["field"], field)
        dry = next(p for p in self.client.get("/api/trade/").json()["finish"]["products"] if p["key"] == "putty")
        answer = self.change(products=[{**dry, "sand_h": 0}])
        self.assertEqual(answer["status"], 400)
        self.assertIn("no drying time", json.dumps(answer))

    def test_regions_go_along_on_a_pair(self):
        self.change(splits=[{"at_mm": [46.0, 0.0, 30.0], "axis": "z"}])
        self.client.post(f"/api/pieces/{self.piece.id}/mirror/", {}, content_type="application/json")
        other = self.piece.mirrors.get()
        self.assertEqual(other.of(FinishRecipe).splits[0].at_mm, (-46.0, 0.0, 30.0))
        region = {"id": "m", "name": "Cheek", "places_mm": [[46.0, 0.0, 30.0]], "reach_mm": 12.0, "pair": True}
        own = {**region, "id": "n", "name": "Mine", "pair": False}
        self.change(own_regions=[region, own])
        other.refresh_from_db()
        (there,) = other.of(FinishRecipe).own_regions
        self.assertEqual((there.id, there.places_mm), ("m", ((-46.0, 0.0, 30.0),)))
        self.change(own_regions=[own])
        other.refresh_from_db()
        self.assertEqual(other.of(FinishRecipe).own_regions, ())

    def test_ticks_count_once_and_are_taken_back(self):
        step = self.told()["finish_data"]["steps"][1]["key"]
        for _ in range(2):
            self.assertEqual(self.tick(step, "press-0001").status_code, 200)
        self.assertEqual(Tick.objects.count(), 1)
        self.assertEqual([t["step"] for t in self.told()["ticks"]], [step])
        self.tick(step, "press-0002", done=False)
        self.assertEqual(self.told()["ticks"], [])
        # The echo of the first press, sent late, brings nothing back.
        self.tick(step, "press-0001")
        self.assertEqual(self.told()["ticks"], [])
        self.assertEqual(self.tick("no such step", "press-0003").status_code, 400)
        self.assertEqual(self.tick(step, "short").status_code, 400)
        for minutes in (0, -5, 99999):
            self.assertEqual(self.tick(step, f"press-m{minutes:07}", minutes).status_code, 400)
        self.assertEqual(
            self.client.post("/api/pieces/9999/ticks/", {"press": "press-0009", "step": step}, content_type="application/json").status_code,
            404,
        )

    def test_minutes_teach_and_can_be_taken_back(self):
        told = self.told()
        before = told["finish"]["hands_h"]
        sanded = [s for s in told["finish_data"]["steps"] if s["kind"] == "sand" and s["usual_min"] >= 0.5]
        for k, step in enumerate(sanded[:3]):
            self.tick(step["key"], f"press-{k:04}", round(3 * step["usual_min"], 2))
        work_off()
        slower = self.told()["finish"]["hands_h"]
        self.assertGreater(slower, before * 1.2)
        for k, step in enumerate(sanded[:3]):
            self.tick(step["key"], f"press-b{k:03}", done=False)
        work_off()
        self.assertAlmostEqual(self.told()["finish"]["hands_h"], before, places=6)

    def test_a_draft_tells_what_finer_layers_would_do(self):
        answer = self.client.post(f"/api/pieces/{self.piece.id}/drafts/", {"layer_mm": 0.12}, content_type="application/json")
        work_off()
        draft = self.client.get(f"/api/drafts/{answer.json()['id']}/").json()
        kept = self.told()
        self.assertGreater(draft["totals"]["hours"], kept["totals"]["hours"])
        self.assertEqual(self.told()["recipe"]["layer_mm"], 0.2)
