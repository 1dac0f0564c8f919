import json

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase

from bastion_site.wearers.models import Wearer
from e2e.work import shop


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
        self.assertIn("not a length", told["problems"]["stature_mm"])
        self.assertIn("cm", told["problems"]["head_circumference_mm"])
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
        self.assertEqual(Wearer.objects.get(pk=again.json()["id"]).core(), self.wearer.core())
        for bad in (b"{", b"[]", b'{"measurements": {"stature_mm": "x"}}'):
            refused = self.client.post("/api/wearers/from-file/", {"file": SimpleUploadedFile("w.json", bad)})
            self.assertEqual(refused.status_code, 400)
        self.assertEqual(self.client.post("/api/wearers/from-file/", {}).status_code, 400)

    def test_delete_takes_the_measurements_along(self):
        self.client.delete(f"/api/wearers/{self.wearer.id}/")
        self.assertEqual(Wearer.objects.count(), 0)
