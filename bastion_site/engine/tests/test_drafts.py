"""What is tried is computed beside what is kept; neither throws the other's work away."""

from unittest import mock

from django.test import TestCase

from bastion_core.cut import station as cutting
from bastion_core.tests.shapes import BUNNY
from bastion_site.builds.models import Derived, Draft
from bastion_site.engine.queue import run_job
from bastion_site.engine.sweep import sweep
from bastion_site.jobs.models import Job
from bastion_site.testing import file_of, recall, remember, said, shop, work_off
from bastion_site.wearers.models import Wearer

JSON = {"content_type": "application/json"}


class Trying(TestCase):
    def setUp(self):
        self.build, self.wearer = shop(small=False)
        made = self.client.post("/api/pieces/upload/", {"build": self.build.id, "file": file_of(BUNNY), "site": "other"}).json()
        self.piece = self.build.pieces.get(pk=made["id"])
        recall()
        work_off()
        remember()
        self.kept = self.told()

    def told(self) -> dict:
        return self.client.get(f"/api/pieces/{self.piece.pk}/").json()

    def tried(self) -> list[dict]:
        return self.client.get(f"/api/pieces/{self.piece.pk}/drafts/").json()

    def attempt(self, **change) -> dict:
        answer = self.client.post(f"/api/pieces/{self.piece.pk}/drafts/", change, **JSON)
        self.assertEqual(answer.status_code, 201, answer.content)
        return answer.json()

    def change(self, **change):
        return self.client.patch(f"/api/pieces/{self.piece.pk}/", change | {"version": self.told()["version"]}, **JSON)

    def runs(self):
        """Count how often a piece is cut from here on."""
        watched = mock.patch.object(cutting, "cut_piece", wraps=cutting.cut_piece)
        self.addCleanup(watched.stop)
        return watched.start()

    def test_two_drafts_side_by_side_leave_what_is_kept_alone(self):
        self.attempt(layer_mm=0.1)
        self.attempt(scale=[0.5, 0.5, 0.5])
        work_off()
        fine, half = self.tried()
        self.assertEqual(
            [(m["label"], said(m["before"]), said(m["after"])) for m in fine["differences"]], [("Layer height", "0.2 mm", "0.1 mm")]
        )
        self.assertEqual([(m["label"], said(m["after"])) for m in half["differences"]], [("Scale", "50.0 %")])
        self.assertGreater(fine["row"]["totals"]["hours"], 1.5 * self.kept["totals"]["hours"])
        self.assertLess(half["row"]["totals"]["filament_g"], 0.5 * self.kept["totals"]["filament_g"])
        now = self.told()
        self.assertEqual((now["totals"], now["recipe"], now["version"]), (self.kept["totals"], self.kept["recipe"], self.kept["version"]))
        self.assertEqual(now["drafts"], 2)

    def test_what_a_draft_promises_is_what_keeping_it_gives(self):
        draft = self.attempt(layer_mm=0.12, walls=4)
        work_off()
        promised = self.tried()[0]["row"]["totals"]
        runs = self.runs()
        answer = self.client.post(f"/api/drafts/{draft['id']}/keep/", {"version": self.kept["version"]}, **JSON).json()
        self.assertEqual(work_off(), 0, "everything was computed before")
        self.assertEqual(runs.call_count, 0)
        for key in ("hours", "filament_g", "parts", "cost", "done_by"):
            self.assertEqual(answer["totals"][key], promised[key], key)
        self.assertEqual(answer["before"]["hours"], self.kept["totals"]["hours"])
        self.assertEqual(self.tried(), [])

    def test_dropping_costs_nothing(self):
        draft = self.attempt(layer_mm=0.1)
        self.assertEqual(self.client.delete(f"/api/drafts/{draft['id']}/").status_code, 204)
        self.assertEqual(work_off(), 0)
        self.assertEqual(self.told()["totals"], self.kept["totals"])
        self.assertEqual(self.client.get(f"/api/drafts/{draft['id']}/").status_code, 404)

    def test_a_draft_follows_what_is_kept(self):
        self.attempt(layer_mm=0.1)
        work_off()
        before = self.tried()[0]["row"]["totals"]
        self.change(infill=0.5)
        work_off()
        draft = self.tried()[0]
        self.assertGreater(draft["row"]["totals"]["filament_g"], before["filament_g"])
        self.assertEqual([m["key"] for m in draft["differences"]], ["layer_mm"])

    def test_a_draft_that_runs_ends_the_result_that_is_still_wanted(self):
        """The kept walls change while a draft's other scale is being cut: cutting does not depend on walls, so that cut is not thrown away."""
        runs = self.runs()
        self.attempt(scale=[0.6, 0.6, 0.6])
        job = Job.objects.get(state=Job.State.QUEUED)

        def decide_meanwhile(*args, **kwargs):
            runs.side_effect = None
            self.change(walls=5)
            return mock.DEFAULT

        runs.side_effect = decide_meanwhile
        run_job.func(job.pk)
        job.refresh_from_db()
        self.assertEqual((job.state, job.stop_asked, job.last_step), ("stopped", False, True))
        self.assertEqual(runs.call_count, 1)
        work_off()
        self.assertEqual(runs.call_count, 1, "the draft was cut once, what is kept not at all")
        self.assertEqual(self.tried()[0]["row"]["stations"]["print"]["state"], "fresh")

    def test_a_kept_change_that_runs_is_not_thrown_away_by_a_draft(self):
        runs = self.runs()
        self.change(scale=[0.7, 0.7, 0.7])
        job = Job.objects.get(state=Job.State.QUEUED)

        def try_meanwhile(*args, **kwargs):
            runs.side_effect = None
            self.attempt(walls=5)
            return mock.DEFAULT

        runs.side_effect = try_meanwhile
        run_job.func(job.pk)
        job.refresh_from_db()
        self.assertIn(job.state, ("done", "stopped"))
        self.assertFalse(job.stop_asked)
        work_off()
        self.assertEqual(runs.call_count, 1)
        self.assertEqual(self.told()["stations"]["print"]["state"], "fresh")

    def test_keeping_while_it_is_computed_goes_on_with_that(self):
        runs = self.runs()
        draft = self.attempt(scale=[0.8, 0.8, 0.8])
        job = Job.objects.get(state=Job.State.QUEUED)

        def keep_meanwhile(*args, **kwargs):
            runs.side_effect = None
            self.client.post(f"/api/drafts/{draft['id']}/keep/", {"version": self.kept["version"]}, **JSON)
            return mock.DEFAULT

        runs.side_effect = keep_meanwhile
        run_job.func(job.pk)
        work_off()
        self.assertEqual(runs.call_count, 1)
        now = self.told()
        self.assertEqual((now["recipe"]["scale"], now["stations"]["print"]["state"]), ([0.8, 0.8, 0.8], "fresh"))
        self.assertNotEqual(now["totals"], self.kept["totals"])

    def test_a_job_of_before_never_writes_its_totals_over_todays(self):
        self.change(walls=6)
        job = Job.objects.get(state=Job.State.QUEUED)
        Job.objects.filter(pk=job.pk).update(state=Job.State.RUNNING)
        self.change(walls=3)
        job.refresh_from_db()
        self.assertTrue(job.stop_asked, "what is decided now was computed before: nobody waits for this")
        self.assertEqual(self.told()["totals"]["hours"], self.kept["totals"]["hours"])

    def test_the_page_of_a_draft_shows_the_draft(self):
        draft = self.attempt(scale=[0.5, 0.5, 0.5])
        work_off()
        page = self.client.get(f"/api/drafts/{draft['id']}/").json()
        self.assertEqual(page["recipe"]["scale"], [0.5, 0.5, 0.5])
        self.assertAlmostEqual(page["fit"]["size_mm"][0], self.kept["fit"]["size_mm"][0] / 2 / max(self.kept["fit"]["scale"]), delta=0.1)
        self.assertNotEqual(page["files"]["parts"], self.kept["files"]["parts"])
        self.assertEqual((page["draft_version"], self.kept["draft_version"]), (1, None))

    def test_another_window(self):
        draft = self.attempt(walls=4)
        first = self.client.patch(f"/api/drafts/{draft['id']}/", {"version": 1, "infill": 0.3}, **JSON)
        second = self.client.patch(f"/api/drafts/{draft['id']}/", {"version": 1, "infill": 0.4}, **JSON)
        self.assertEqual((first.status_code, second.status_code), (200, 409))
        self.assertEqual(first.json()["recipe"]["walls"], 4)
        self.change(material="petg")
        late = self.client.post(f"/api/drafts/{draft['id']}/keep/", {"version": self.kept["version"]}, **JSON)
        self.assertEqual((late.status_code, late.json()["code"]), (409, "changed"))
        self.client.post(f"/api/drafts/{draft['id']}/keep/", {"version": self.told()["version"]}, **JSON)
        recipe = self.told()["recipe"]
        self.assertEqual((recipe["walls"], recipe["infill"], recipe["material"]), (4, 0.3, "petg"))

    def test_what_cannot_be_is_refused(self):
        url = f"/api/pieces/{self.piece.pk}/drafts/"
        for wrong in ({}, {"walls": 0}, {"wearer": 99}, {"printer_ids": [77]}, {"walls": 4, "because": {"words": "x" * 300, "values": []}}):
            with self.subTest(wrong):
                self.assertEqual(self.client.post(url, wrong, **JSON).status_code, 400)
        for n in range(6):
            self.attempt(walls=4 + n)
        self.assertIn("6 drafts", self.client.post(url, {"walls": 2}, **JSON).json()["detail"])

    def test_another_wearer_can_be_tried(self):
        tall = Wearer.objects.create(name="Ebba Long", measurements={"stature_mm": 2013.0})
        self.client.patch(f"/api/pieces/{self.piece.pk}/", {"version": 1, "site": "back"}, **JSON)
        work_off()
        self.attempt(wearer=tall.pk)
        work_off()
        draft = self.tried()[0]
        self.assertEqual(draft["row"]["wearer"]["name"], "Ebba Long")
        self.assertEqual([(m["label"], said(m["after"])) for m in draft["differences"]], [("Worn by", "Ebba Long")])
        self.assertEqual(said(draft["row"]["stations"]["fit"]["main"]), f"{100 * 2013 / 1830:.1f} %")
        self.client.delete(f"/api/wearers/{tall.pk}/")
        self.assertEqual(self.tried(), [], "what was tried on a deleted person goes with them")

    def test_sweeping_leaves_what_is_tried(self):
        self.attempt(layer_mm=0.1)
        work_off()
        there = Derived.objects.count()
        sweep(everything=True)
        self.assertEqual(Derived.objects.count(), there)
        Draft.objects.all().delete()
        sweep(everything=True)
        self.assertLess(Derived.objects.count(), there)
