from unittest import mock

from django.test import TestCase
from django_tasks_db.models import DBTaskResult

from bastion_core.cut import station as cutting
from bastion_core.tests.shapes import BUNNY
from bastion_site.engine.queue import queue_job, recover, run_job, stop_job
from bastion_site.jobs.models import Job
from bastion_site.testing import file_of, shop, work_off


class Jobs(TestCase):
    def setUp(self):
        self.build, _ = shop()
        answer = self.client.post("/api/pieces/upload/", {"build": self.build.id, "file": file_of(BUNNY)})
        self.piece = self.build.pieces.get(pk=answer.json()["id"])

    def job(self) -> Job:
        return self.piece.jobs.first()

    def test_intake_is_followed_by_the_plan(self):
        self.assertEqual(self.job().kind, "pieces")
        self.assertEqual(work_off(), 2)
        self.assertEqual([j.state for j in self.piece.jobs.all()], ["done", "done"])

    def test_stopped_before_it_begins(self):
        answer = self.client.post(f"/api/jobs/{self.job().id}/stop/").json()
        self.assertEqual(answer["state"], "stopped")
        self.assertEqual(work_off(), 0)

    def test_stopped_half_way_leaves_what_was_there(self):
        work_off()
        before = self.client.get(f"/api/pieces/{self.piece.id}/").json()
        queue_job(self.piece, Job.Kind.PLAN)
        job = self.job()
        self.client.patch(f"/api/pieces/{self.piece.id}/", {"version": 1, "scale": [1.2, 1.2, 1.2]}, content_type="application/json")

        def stop_soon(*args, **kwargs):
            stop_job(Job.objects.get(pk=job.pk))
            return original(*args, **kwargs)

        original = cutting.cut_piece
        with mock.patch("bastion_site.engine.work.WRITE_EVERY_S", 0), mock.patch.object(cutting, "cut_piece", stop_soon):
            run_job.func(job.pk)
        job.refresh_from_db()
        self.assertEqual(job.state, "stopped")
        told = self.client.get(f"/api/pieces/{self.piece.id}/").json()
        self.assertEqual(told["totals"], before["totals"])
        self.assertEqual(told["stations"]["cut"]["state"], "stale")
        self.client.post(f"/api/pieces/{self.piece.id}/compute/")
        work_off()
        self.assertEqual(self.client.get(f"/api/pieces/{self.piece.id}/").json()["stations"]["print"]["state"], "fresh")

    def test_a_second_change_waits_in_the_same_job(self):
        work_off()
        first = queue_job(self.piece, Job.Kind.PLAN)
        self.assertEqual(queue_job(self.piece, Job.Kind.PLAN), first)

    def test_a_running_job_with_an_old_recipe_is_told_to_stop(self):
        work_off()
        first = queue_job(self.piece, Job.Kind.PLAN)
        Job.objects.filter(pk=first.pk).update(state=Job.State.RUNNING)
        second = queue_job(self.piece, Job.Kind.PLAN)
        first.refresh_from_db()
        self.assertTrue(first.stop_asked)
        self.assertNotEqual(first, second)

    def test_killed_worker(self):
        job = self.job()
        Job.objects.filter(pk=job.pk).update(state=Job.State.RUNNING, attempts=1)
        self.assertEqual(recover(("pieces", "plan")), 1)
        job.refresh_from_db()
        self.assertEqual(job.state, "queued")
        Job.objects.filter(pk=job.pk).update(state=Job.State.RUNNING, attempts=2)
        recover(("pieces",))
        job.refresh_from_db()
        self.assertEqual(job.state, "failed")
        self.assertIn("ended twice", job.message)
        self.assertEqual(DBTaskResult.objects.running().count(), 0)

    def test_a_breakdown_ends_in_words(self):
        with (
            mock.patch("bastion_core.pieces.station.read_mesh", side_effect=ZeroDivisionError),
            self.assertLogs("bastion_site.engine.queue"),
        ):
            work_off()
        self.assertEqual(self.job().state, "failed")
        self.assertIn("ZeroDivisionError", self.job().message)

    def test_a_deleted_pieces_job_does_nothing(self):
        number = self.job().pk
        self.client.delete(f"/api/pieces/{self.piece.id}/")
        run_job.func(number)
        self.assertEqual(Job.objects.count(), 0)
