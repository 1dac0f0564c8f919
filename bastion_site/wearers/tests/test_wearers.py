import json
from datetime import timedelta

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from django.utils import timezone

from bastion_core.tests.shapes import BUNNY
from bastion_site.builds.models import MeshFile
from bastion_site.testing import file_of, said, shop, work_off
from bastion_site.wearers.models import MeasureLink, Wearer


class Wearers(TestCase):
    def setUp(self):
        _, self.wearer = shop()

    def check(self, units="mm", **typed):
        return self.client.post("/api/wearers/check/", {"typed": typed, "units": units}, content_type="application/json").json()

    def test_typed_lengths_are_read_and_judged(self):
        told = self.check(
            head_breadth_mm="6 1/16 in", head_length_mm="19.9 cm", stature_mm="tall", head_circumference_mm="57.4", chin_to_crown_mm=""
        )
        self.assertAlmostEqual(told["values_mm"]["head_breadth_mm"], 153.9875)
        self.assertEqual(told["values_mm"]["head_length_mm"], 199.0)
        self.assertIn("not a length", said(told["problems"]["stature_mm"]))
        self.assertIn("cm", said(told["problems"]["head_circumference_mm"]))
        self.assertEqual(set(told["doubts"]), set())
        self.assertIn("head_breadth_mm", self.check(head_breadth_mm="199", head_length_mm="154")["doubts"])
        self.assertAlmostEqual(self.check("in", head_breadth_mm="6.0625")["values_mm"]["head_breadth_mm"], 153.9875)
        self.assertEqual(Wearer.objects.get().measurements["head_breadth_mm"], 154.0)  # checking keeps nothing

    def test_impossible_is_refused_and_nothing_changes(self):
        answer = self.client.patch(f"/api/wearers/{self.wearer.id}/", {"measurements": {"stature_mm": 9}}, content_type="application/json")
        self.assertEqual(answer.status_code, 400)
        self.assertIn("Stature", answer.json()["detail"])
        self.assertEqual(Wearer.objects.get().measurements["stature_mm"], 1756.0)

    def test_two_windows(self):
        first = self.client.patch(f"/api/wearers/{self.wearer.id}/", {"name": "A", "version": 1}, content_type="application/json")
        late = self.client.patch(f"/api/wearers/{self.wearer.id}/", {"name": "B", "version": 1}, content_type="application/json")
        self.assertEqual((first.status_code, late.status_code), (200, 409))
        self.assertEqual(Wearer.objects.get().name, "A")

    def test_file_out_and_in(self):
        answer = self.client.get(f"/api/wearers/{self.wearer.id}/file/")
        self.assertIn("mattis-sluice.json", answer["Content-Disposition"])
        data = json.loads(answer.content)
        self.assertEqual(set(data), {"name", "sex", "mass_kg", "measurements"})
        again = self.client.post("/api/wearers/from-file/", {"file": SimpleUploadedFile("w.json", answer.content)})
        self.assertEqual(again.status_code, 201)
        made = Wearer.objects.get(pk=again.json()["id"])
        self.assertEqual((made.name, made.measurements), (self.wearer.name, self.wearer.measurements))
        for bad in (b"{", b"[]", b'{"measurements": {"stature_mm": "x"}}'):
            refused = self.client.post("/api/wearers/from-file/", {"file": SimpleUploadedFile("w.json", bad)})
            self.assertEqual(refused.status_code, 400)
        self.assertEqual(self.client.post("/api/wearers/from-file/", {}).status_code, 400)

    def test_delete_takes_the_measurements_along(self):
        self.client.delete(f"/api/wearers/{self.wearer.id}/")
        self.assertEqual(Wearer.objects.count(), 0)


class Readings(TestCase):
    def setUp(self):
        self.build, self.wearer = shop()
        self.at = f"/api/wearers/{self.wearer.id}"

    def post(self, path: str, **body):
        return self.client.post(f"{self.at}/{path}/", body, content_type="application/json")

    def test_repeats_history_and_doubt(self):
        for typed, again in (("38.0 cm", False), ("384", True), ("386", True)):
            answer = self.post("take", key="left_calf_girth_mm", typed=typed, way="tape", by="Ina", again=again)
            self.assertEqual(answer.status_code, 200, answer.content)
        self.wearer.refresh_from_db()
        self.assertAlmostEqual(self.wearer.measurements["left_calf_girth_mm"], (380 + 384 + 386) / 3, places=2)
        self.assertAlmostEqual(self.wearer.core().sd_mm("calf_girth_mm", "left"), 3.06 / 3**0.5, delta=0.1)
        self.post("take", key="left_calf_girth_mm", typed="400")
        told = self.client.get(f"{self.at}/readings/").json()
        self.assertEqual([(r["value_mm"], r["state"]) for r in told][:2], [(400.0, "holds"), (386.0, "past")])
        row = next(r for r in self.client.get(f"{self.at}/sheet/").json()["rows"] if r["key"] == "calf_girth_mm")
        self.assertEqual((row["values"], row["counts"]), ({"left_calf_girth_mm": 400.0}, {"left_calf_girth_mm": 1}))
        self.assertEqual(self.post("take", key="left_calf_girth_mm", typed="4").status_code, 400)
        self.assertEqual(self.post("take", key="moustache_mm", typed="40").status_code, 400)

    def test_the_sheet_tells_what_is_needed_and_guesses_the_rest(self):
        self.client.post("/api/pieces/upload/", {"build": self.build.id, "file": file_of(BUNNY), "name": "Bracer", "site": "forearm"})
        told = self.client.get(f"{self.at}/sheet/?build={self.build.id}").json()
        needed = {r["key"] for r in told["rows"] if r["needed_by"]}
        self.assertEqual(needed, {"stature_mm", "forearm_girth_mm", "wrist_girth_mm", "knuckle_girth_mm"})
        self.assertEqual((told["needed"], told["needed_taken"]), (4, 1))
        wrist = next(r for r in told["rows"] if r["key"] == "wrist_girth_mm")
        self.assertGreater(wrist["guess"]["sd"], 1)
        self.assertNotIn("wrist_girth_mm", Wearer.objects.get(pk=self.wearer.pk).measurements)

    def test_a_link_ends_and_shows_nothing_else(self):
        made = self.post("links", keys=["head_breadth_mm"]).json()
        far = f"/api/far/{made['token']}/"
        told = self.client.get(far).json()
        self.assertEqual([r["key"] for r in told["rows"]], ["head_breadth_mm"])
        self.assertEqual(set(told), {"name", "expires", "rows", "sent"})
        body = {"typed": {"head_breadth_mm": "15.2 cm", "stature_mm": "1800"}, "units": "mm", "by": "Ina"}
        self.assertEqual(self.client.post(far, body, content_type="application/json").json()["sent"], {"head_breadth_mm": 152.0})
        self.assertEqual(self.client.post(far, {"typed": {"head_breadth_mm": "9"}}, content_type="application/json").status_code, 400)
        waiting = self.wearer.readings.get(state="waits")
        self.assertEqual(self.post("judge", ids=[waiting.id], accept=False).status_code, 200)
        self.wearer.refresh_from_db()
        self.assertEqual(self.wearer.measurements["head_breadth_mm"], 154.0)
        MeasureLink.objects.update(expires=timezone.now() - timedelta(minutes=1))
        self.assertIn("ran out", self.client.get(far).json()["detail"])
        other = self.post("links", keys=[]).json()
        self.post(f"links/{other['id']}/revoke")
        self.assertIn("withdrawn", self.client.get(f"/api/far/{other['token']}/").json()["detail"])
        self.assertEqual(self.client.get("/api/far/guessed/").status_code, 404)

    def test_scans_that_cannot_be_used_leave_nothing(self):
        for name, content in (("letter.stl", b"Dear customer"), ("empty.stl", b"")):
            answer = self.client.post(f"{self.at}/scans/", {"kind": "head", "file": SimpleUploadedFile(name, content)})
            self.assertEqual(answer.status_code, 400, answer.content)
        self.assertEqual(self.client.post(f"{self.at}/scans/", {"kind": "head"}).status_code, 400)
        self.assertEqual((self.wearer.scans.count(), MeshFile.objects.count()), (0, 0))

    def test_a_simulated_scan_is_used_and_deleted_with_the_wearer(self):
        self.client.post(f"{self.at}/scans/", {"kind": "head", "simulated": "true"})
        work_off()
        (scan,) = self.client.get(f"{self.at}/scans/").json()
        self.assertAlmostEqual(scan["found"]["values"]["head_breadth_mm"]["value"], 154, delta=2.5)
        self.assertEqual(self.client.get(f"{self.at}/scans/{scan['id']}/preview/").status_code, 200)
        used = self.client.patch(f"{self.at}/scans/{scan['id']}/", {"used": True, "keep": True}, content_type="application/json")
        self.assertTrue(used.json()["used"])
        self.assertEqual(self.wearer.readings.filter(way="scan").count(), len(scan["found"]["values"]))
        folder = self.wearer.scans.get().folder
        self.assertTrue(folder.exists())
        self.client.delete(f"{self.at}/")
        self.assertEqual((folder.exists(), MeshFile.objects.count()), (False, 0))
