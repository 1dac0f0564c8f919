"""Worn pieces over HTTP: judged in the background, asked about at once, tried out, side by side."""

import tempfile
from pathlib import Path

import trimesh
from django.core.files.uploadedfile import SimpleUploadedFile

from bastion_core.tests.shapes import tube
from bastion_site.builds.models import Derived
from bastion_site.builds.tests.test_pieces import PieceCase
from demo.models import nautilus_helm
from e2e.work import bytes_of, shop, work_off

PIXEL = b"\x89PNG\r\n\x1a\n" + bytes(40)


class Worn(PieceCase):
    @classmethod
    def setUpTestData(cls):
        cls.made = tempfile.TemporaryDirectory()
        cls.addClassCleanup(cls.made.cleanup)

    def setUp(self):
        # A bed that takes all of it whole: nothing here is about cutting.
        self.build, self.wearer = shop(small=False)

    def bring(self, solid, name: str, **more) -> dict:
        path = Path(self.made.name) / f"{name}.stl"
        mesh = solid.mesh() if hasattr(solid, "manifold") else solid
        trimesh.Trimesh(mesh.vertices, mesh.faces).export(path)
        return self.brought(path, **more)

    def test_a_bracer_is_judged_and_answers_at_once(self):
        piece = self.bring(tube(58, 3, 180, 64), "bracer-left")
        self.assertEqual((piece["site"], piece["side"], piece["fit"]["judged"]), ("forearm", "left", True))
        answer = piece["fit_data"]["answer"]
        self.assertGreater(answer["room"]["least_mm"], 0)
        self.assertTrue(answer["way_in"]["passes"])
        self.assertEqual(self.client.get(f"/api/stage/{piece['files']['fit']}/").status_code, 200)
        self.assertTrue(piece["fit_data"]["sections"])

        told = self.client.get(f"/api/pieces/{piece['id']}/what-if/", {"scale": 0.86}).json()
        self.assertLess(told["room_mm"], answer["room"]["least_mm"])
        shrunk = (0.86 / piece["fit"]["scale"][0]) ** 3
        self.assertAlmostEqual(told["filament_g"] / piece["print"]["filament_g"], shrunk, delta=0.03)
        self.assertEqual(self.client.get(f"/api/pieces/{piece['id']}/what-if/", {"scale": 7}).status_code, 400)
        self.assertEqual(self.client.get(f"/api/pieces/{piece['id']}/what-if/", {"scale": "x"}).status_code, 400)

        thick = self.changed(piece, layers=[{"name": "liner", "thickness_mm": 4.0}], scale=[1.0, 1.0, 1.0])
        thin = self.changed(thick, layers=[])
        rooms = [p["fit_data"]["answer"]["room"]["least_mm"] for p in (thick, thin)]
        self.assertAlmostEqual(rooms[1] - rooms[0], 4.0, delta=0.3)
        moved = self.changed(thin, shift_mm=[6.0, 0.0, 0.0])
        self.assertLess(moved["fit_data"]["answer"]["room"]["least_mm"], rooms[1])

    def test_what_cannot_be_is_refused(self):
        piece = self.bring(tube(58, 3, 180, 64), "bracer-left")
        for changes in (
            {"layers": [{"name": "liner", "thickness_mm": 400}]},
            {"bays": [{"name": "board", "size_mm": [0, 10, 10]}]},
            {"bays": [{"name": "board", "size_mm": [10, 10, 10], "place": "knee"}]},
            {"shift_mm": [900, 0, 0]},
            {"site": "moon"},
            {"way_in": "teleport"},
            {"give_mm": 90},
        ):
            with self.subTest(changes):
                self.assertEqual(self.change(piece, **changes).status_code, 400)

    def test_a_new_measurement_judges_anew_and_tells_what_changed(self):
        piece = self.bring(nautilus_helm(0.03), "helm")
        self.assertEqual(piece["site"], "head")
        before = piece["fit"]["scale"][0]
        measured = {**self.wearer.measurements, "head_breadth_mm": 170.0, "head_length_mm": 214.0, "head_circumference_mm": 620.0}
        self.client.patch(f"/api/wearers/{self.wearer.id}/", {"measurements": measured}, content_type="application/json")
        self.assertEqual(self.told(piece["id"])["stations"]["fit"]["state"], "computing")
        work_off()
        after = self.told(piece["id"])
        self.assertGreater(after["fit"]["scale"][0], before + 0.02)
        sheet = self.client.get(f"/api/wearers/{self.wearer.id}/sheet/").json()
        self.assertIn("changed", sheet, sheet)
        changed = sheet["changed"]
        self.assertEqual([c["name"] for c in changed], ["helm"])
        self.assertGreater(changed[0]["filament_g"][1], changed[0]["filament_g"][0])

    def test_ring_half_copy_and_log(self):
        piece = self.bring(tube(58, 3, 180, 64), "bracer-left")
        at = f"/api/pieces/{piece['id']}"
        takes = self.client.get(f"{at}/gauge-ring/takes/", {"at_mm": 60, "height_mm": 12}).json()
        self.assertAlmostEqual(takes["size_mm"][2], 12, places=2)
        ring = trimesh.load(bytes_of(self.client.get(f"{at}/gauge-ring/")), file_type="stl")
        self.assertTrue(ring.is_watertight)
        self.assertEqual(self.client.get(f"{at}/gauge-ring/", {"height_mm": 900}).status_code, 400)
        half = trimesh.load(bytes_of(self.client.get(f"{at}/half-scale/")), file_type="stl")
        self.assertAlmostEqual(half.extents[2], piece["fit"]["size_mm"][2] / 2, delta=0.01)

        entry = {"day": "2026-11-20", "felt": "tight", "where": "wrist", "picture": SimpleUploadedFile("a.png", PIXEL)}
        kept = self.client.post(f"{at}/test-fits/", entry).json()
        self.assertEqual(kept["predicted"]["verdict"], piece["fit"]["verdict"])
        self.assertEqual(self.client.get(f"/api/photos/{kept['photo']}").status_code, 200)
        wrong = entry | {"picture": SimpleUploadedFile("a.png", b"<svg onload=alert(1)>")}
        self.assertEqual(self.client.post(f"{at}/test-fits/", wrong).status_code, 400)
        self.assertEqual(len(self.client.get(f"{at}/test-fits/").json()), 1)
        self.assertEqual(self.client.get("/api/photos/../../db.sqlite3").status_code, 404)

    def test_the_suit_scaled_as_one(self):
        for name in ("bracer-left", "shin-left"):
            self.bring(tube(64, 3, 260, 64), name)
        told = self.client.get(f"/api/builds/{self.build.id}/suit/").json()
        self.assertAlmostEqual(told["factor"], 1756 / 1830)
        self.assertEqual([r["site"] for r in told["rows"]], ["forearm", "shin"])
        self.client.post(f"/api/builds/{self.build.id}/scale-all/", {"factor": 0.8}, content_type="application/json")
        work_off()
        rows = self.client.get(f"/api/builds/{self.build.id}/suit/").json()["rows"]
        self.assertEqual([r["chosen"] for r in rows], [0.8, 0.8])
        self.assertTrue(any("needs" in c for r in rows for c in r["complaints"]))
        self.assertEqual(
            self.client.post(f"/api/builds/{self.build.id}/scale-all/", {"factor": 9}, content_type="application/json").status_code, 400
        )

    def test_the_same_recipe_is_computed_once(self):
        self.bring(tube(58, 3, 180, 64), "bracer-left")
        self.bring(tube(58, 3, 180, 64), "bracer-left")
        self.assertEqual(Derived.objects.filter(kind="fit").count(), 1)

    def test_tables_of_the_trade(self):
        told = self.client.get("/api/trade/").json()
        self.assertEqual(told["ways_in"], ["over", "split", "plates", "open"])
        self.assertIn("shin", told["sites"])
        self.assertEqual(told["sites"][-1], "other")
        self.assertEqual(told["layers"]["pad"], 8.0)
        self.assertEqual(len(told["bays"]["board on a carrier"]), 3)

    def test_a_piece_worn_nowhere_is_scaled_and_not_judged(self):
        piece = self.bring(tube(58, 3, 180, 64), "trinket")
        self.assertEqual((piece["site"], piece["fit"]["judged"], piece["files"]["fit"]), ("other", False, None))
        self.assertEqual(piece["usual"], {"worn": False, "way_in": ""})
        self.assertEqual(self.client.get(f"/api/pieces/{piece['id']}/what-if/", {"scale": 1.0}).status_code, 409)
        self.assertEqual(self.client.get(f"/api/builds/{self.build.id}/suit/").json()["rows"], [])
        # Told where it goes, it is judged.
        worn = self.changed(piece, site="forearm", side="right")
        self.assertTrue(worn["fit"]["judged"])

    def test_a_mirrored_twin_is_judged_on_the_other_side(self):
        piece = self.bring(tube(58, 3, 180, 64), "bracer-left")
        twin = self.client.post(f"/api/pieces/{piece['id']}/mirror/").json()
        work_off()
        twin = self.told(twin["id"])
        self.assertEqual((twin["side"], twin["fit"]["judged"]), ("right", True))
        rooms = [p["fit_data"]["answer"]["room"]["least_mm"] for p in (piece, twin)]
        self.assertAlmostEqual(*rooms, delta=1.5)
