"""From a piece to its plates, printed and logged, through the site."""

import io
import json
import uuid
import zipfile
from datetime import timedelta
from pathlib import Path
from tempfile import mkdtemp

import trimesh
from django.test import TestCase
from django.utils import timezone

from bastion_core.formats.threemf import read_3mf
from bastion_core.tests.shapes import box
from bastion_site.builds.models import FrozenPart, Piece
from bastion_site.prints.models import Run
from bastion_site.shop.models import Printer, Spool
from bastion_site.testing import bytes_of, file_of, shop, stl_of, work_off


def key() -> str:
    return uuid.uuid4().hex


class WithPlates(TestCase):
    """A build of four boxes on one small printer, computed and laid on plates."""

    BOXES = ((50, 40, 30), (50, 40, 20), (40, 30, 25), (90, 80, 12))

    def setUp(self):
        self.build, _ = shop()
        folder = Path(mkdtemp())
        for number, size in enumerate(self.BOXES):
            path = stl_of(box(*size), folder, f"block{number}.stl")
            answer = self.client.post("/api/pieces/upload/", {"build": self.build.id, "file": file_of(path)})
            self.assertEqual(answer.status_code, 201, answer.content)
        work_off()
        self.floor("post")
        work_off()

    def floor(self, method="get", **body):
        sent = {} if method == "get" else {"data": json.dumps(body), "content_type": "application/json"}
        answer = getattr(self.client, method)(f"/api/builds/{self.build.id}/floor/", **sent)
        self.assertEqual(answer.status_code, 200, answer.content)
        return answer.json()

    def post(self, path, **body):
        return self.client.post(f"/api/{path}", json.dumps(body), content_type="application/json")

    def begin(self, plate, **more):
        return self.post(f"builds/{self.build.id}/runs/", **{"key": key(), "plate": plate["id"], "printer": plate["printer"], **more})


class Floor(WithPlates):
    def test_parts_of_all_pieces_share_plates(self):
        told = self.floor()
        self.assertEqual(told["state"], "fresh")
        names = sorted(p["name"] for plate in told["plates"] for p in plate["parts"])
        self.assertEqual(names, [f"block{k}-A" for k in range(4)])
        self.assertLess(len(told["plates"]), 4)
        self.assertGreaterEqual(told["laid"], told["bound"])
        self.assertEqual(told["chances"]["done"], max(p["end"] for p in told["plates"]))

    def test_a_plate_leaves_as_a_3mf_that_reads_the_same(self):
        plate = max(self.floor()["plates"], key=lambda p: len(p["parts"]))
        answer = self.client.get(f"/api/builds/{self.build.id}/plates/{plate['id']}.3mf")
        self.assertEqual(answer.status_code, 200)
        path = Path(mkdtemp()) / "plate.3mf"
        path.write_bytes(answer.content)
        mesh, unit = read_3mf(path)
        self.assertEqual(unit, 1.0)
        volumes = [50 * 40 * 30, 50 * 40 * 20, 40 * 30 * 25, 90 * 80 * 12]
        # A new piece begins at the wearer's stature over what files are made for.
        wanted = (1756 / 1830) ** 3 * sum(volumes[int(p["name"][5])] for p in plate["parts"])
        self.assertAlmostEqual(mesh.volume / wanted, 1, delta=1e-3)
        self.assertTrue((mesh.bounds[0] >= -1e-3).all() and (mesh.bounds[1][:2] <= 110).all(), "on the bed, from its front left corner")

    def test_everything_in_one_zip(self):
        answer = self.client.get(f"/api/builds/{self.build.id}/everything.zip")
        packed = zipfile.ZipFile(bytes_of(answer))
        names = packed.namelist()
        self.assertEqual(sum(n.endswith("plan.json") for n in names), 4)
        self.assertEqual(sum(n.startswith("plates/") for n in names), len(self.floor()["plates"]))
        self.assertTrue(packed.read("labels.pdf").startswith(b"%PDF"))
        for name in (n for n in names if n.endswith(".stl")):
            self.assertTrue(trimesh.load(io.BytesIO(packed.read(name)), file_type="stl").is_watertight, name)

    def test_what_if_a_printer_were_there(self):
        printer = Printer.objects.get()
        told = self.post(f"builds/{self.build.id}/what-if/", printer=printer.id).json()
        self.assertLess(told["done_then"], told["done"])
        self.assertEqual(told["hours_then"], told["hours"])
        fewer = self.post(f"builds/{self.build.id}/what-if/", without=[Piece.objects.first().id]).json()
        self.assertLess(fewer["hours_then"], fewer["hours"])
        coarser = self.post(f"builds/{self.build.id}/what-if/", layer_mm=0.28).json()
        self.assertLess(coarser["hours_then"], coarser["hours"])
        self.assertEqual(self.post(f"builds/{self.build.id}/what-if/", layer_mm=0.33).status_code, 400)

    def test_decided_and_undone(self):
        before = self.floor()
        told = self.floor("patch", together="alone")
        work_off()
        told = self.floor()
        self.assertEqual(len(told["plates"]), 4)
        self.assertEqual(told["moved"]["because"], "the sharing of plates")
        steps = self.client.get(f"/api/builds/{self.build.id}/steps/").json()
        self.assertEqual(steps["steps"][0]["parts"][0]["differences"][0]["label"], "What goes together")
        self.post(f"builds/{self.build.id}/undo/", step=steps["undo"]["id"])
        self.assertEqual(self.floor()["together"], "risk")
        self.floor("post")
        work_off()
        self.assertEqual([p["id"] for p in self.floor()["plates"]], [p["id"] for p in before["plates"]])

    def test_held_plates_stay_and_tell_when_they_overlap(self):
        plate = max(self.floor()["plates"], key=lambda p: len(p["parts"]))
        spots = [{"piece": p["piece"], "part": p["part"], "turn_deg": 0.0, "x_mm": 0.0, "y_mm": 0.0} for p in plate["parts"]]
        self.floor("patch", held_plates=[{"printer": plate["printer"], "spots": spots}])
        work_off()
        told = self.floor()
        self.assertEqual(told["findings"][0]["code"], "plates-meet")
        held = next(p for p in told["plates"] if p["held"])
        self.assertEqual({p["name"] for p in held["parts"]}, {p["name"] for p in plate["parts"]})
        twice = [{"printer": plate["printer"], "spots": [spots[0]]}] * 2
        answer = self.client.patch(
            f"/api/builds/{self.build.id}/floor/", json.dumps({"held_plates": twice}), content_type="application/json"
        )
        self.assertContains(answer, "lies on two plates", status_code=400)


class Runs(WithPlates):
    def test_sent_twice_counts_once_and_is_taken_back(self):
        plate, once = self.floor()["plates"][0], key()
        first = self.begin(plate, key=once)
        again = self.begin(plate, key=once)
        self.assertEqual((first.status_code, again.status_code), (201, 201))
        self.assertEqual(first.json()["id"], again.json()["id"])
        self.assertEqual(Run.objects.count(), 1)
        self.assertEqual(FrozenPart.objects.count(), len(plate["parts"]))
        self.assertNotIn(plate["id"], [p["id"] for p in self.floor()["plates"]])
        self.assertEqual(self.post(f"runs/{first.json()['id']}/undo/").status_code, 204)
        self.assertEqual((Run.objects.count(), FrozenPart.objects.count()), (0, 0))
        # the same press, sent late by a phone that was out of reach, begins nothing
        self.assertEqual(self.begin(plate, key=once).status_code, 409)

    def test_two_prints_on_one_printer(self):
        plates = self.floor("patch", together="alone") and (work_off(), self.floor())[1]["plates"]
        self.assertEqual(self.begin(plates[0]).status_code, 201)
        answer = self.begin(plates[1])
        self.assertContains(answer, "is printing", status_code=409)

    def test_failed_parts_go_back_to_the_queue(self):
        spool = Spool.objects.get()
        plate = max(self.floor()["plates"], key=lambda p: len(p["parts"]))
        at = timezone.now() - timedelta(hours=5)
        run = self.begin(plate, spool=spool.id, at=at.isoformat()).json()
        names = [p["name"] for p in plate["parts"]]
        ended = (at + timedelta(hours=2)).isoformat()
        told = self.post(
            f"runs/{run['id']}/press/", key=key(), kind="failed", at=ended, cause="lost_bed", at_mm=11.0, good=names[:1], used_g=30
        )
        self.assertEqual(told.json()["cause_name"], "Lost the bed")
        work_off()
        floor = self.floor()
        again = [p for p in floor["plates"] if p["again"]]
        self.assertEqual(sorted(p["name"] for a in again for p in a["parts"]), sorted(names[1:]))
        self.assertEqual(FrozenPart.objects.count(), 1, "what is good stays as it is")
        spool.refresh_from_db()
        self.assertEqual(spool.used_g, 30)
        # taken back: all as it was while it ran
        self.assertEqual(self.post(f"runs/{run['id']}/undo/").json()["state"], "running")
        spool.refresh_from_db()
        self.assertEqual(spool.used_g, 0)
        self.assertEqual(FrozenPart.objects.count(), len(names))

    def test_an_end_that_nobody_saw_teaches_no_pace(self):
        untaught = self.client.get("/api/runs/log/").json()["factor"]
        at = timezone.now() - timedelta(hours=60)
        run = self.begin(self.floor()["plates"][0], at=at.isoformat()).json()
        self.post(f"runs/{run['id']}/press/", key=key(), kind="done", seen_end=False)
        self.assertEqual(self.client.get("/api/runs/log/").json()["factor"], untaught)

    def test_the_wrong_file_shows_both_pictures(self):
        run = self.begin(self.floor()["plates"][0]).json()
        self.post(f"runs/{run['id']}/press/", key=key(), kind="failed", cause="wrong_file")
        work_off()
        lesson = self.floor()["lessons"][0]
        self.assertEqual([p["label"] for p in lesson["pictures"]], ["as it was printed", "as it is meant now"])
        self.assertTrue(all(p["path"].startswith("M") for p in lesson["pictures"]))

    def test_what_cannot_have_been(self):
        plate = self.floor()["plates"][0]
        self.assertContains(self.begin(plate, at=(timezone.now() + timedelta(hours=1)).isoformat()), "still to come", status_code=400)
        run = self.begin(plate).json()
        before = (timezone.now() - timedelta(days=1)).isoformat()
        self.assertContains(
            self.post(f"runs/{run['id']}/press/", key=key(), kind="done", at=before), "cannot have ended before", status_code=400
        )
        self.assertContains(
            self.post(f"runs/{run['id']}/press/", key=key(), kind="failed", cause="gremlins"), "no cause known", status_code=400
        )
        self.assertEqual(Run.objects.get().state, "running", "nothing is lost by a wrong press")
        self.assertEqual(self.post(f"runs/{run['id']}/press/", key=key(), kind="resume").status_code, 409)

    def test_the_log_teaches_and_unteaches(self):
        plate = self.floor()["plates"][0]
        at = timezone.now() - timedelta(hours=30)
        run = self.begin(plate, at=at.isoformat()).json()
        untaught = self.client.get("/api/runs/log/").json()["factor"]
        done = at + timedelta(hours=1.25 * plate["hours"])
        self.post(f"runs/{run['id']}/press/", key=key(), kind="done", at=done.isoformat())
        taught = self.client.get("/api/runs/log/").json()
        self.assertAlmostEqual(self.floor()["beds"][0]["pace"], 1.25, delta=0.06)
        self.assertLess(taught["factor"], untaught)
        self.assertEqual(len(self.client.get("/api/runs/log/?find=block").json()["runs"]), 1)
        self.assertEqual(len(self.client.get("/api/runs/log/?find=warped").json()["runs"]), 0)
        self.assertContains(self.client.get("/api/runs/log.csv"), "block")
        self.post(f"runs/{run['id']}/undo/")
        self.assertEqual(self.client.get("/api/runs/log/").json()["factor"], untaught)
