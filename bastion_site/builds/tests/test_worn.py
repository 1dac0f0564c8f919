"""Worn pieces over HTTP: judged in the background, asked about at once, tried out, side by side."""

import io
import os
import tempfile
from pathlib import Path
from unittest import mock
from unittest.mock import patch

import trimesh
from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import override_settings
from PIL import Image

from bastion_core.fit.station import FitStation
from bastion_core.tests.shapes import MALE, plain_helm, tube
from bastion_site.builds.models import Build, Derived
from bastion_site.builds.tests.test_pieces import PieceCase
from bastion_site.engine.refresh import catch_up
from bastion_site.engine.sweep import sweep
from bastion_site.jobs.models import Job
from bastion_site.testing import bytes_of, recall, remember, said, shop, work_off
from bastion_site.wearers.models import Wearer


def picture(kind: str = "PNG", **more) -> bytes:
    """A small picture made by Pillow."""
    written = io.BytesIO()
    Image.new("RGB", (40, 20), "grey").save(written, kind, **more)
    return written.getvalue()


class Worn(PieceCase):
    @classmethod
    def setUpTestData(cls):
        cls.made = tempfile.TemporaryDirectory()
        cls.addClassCleanup(cls.made.cleanup)

    def setUp(self):
        # A bed that takes all of it whole: nothing here is about cutting.
        self.build, self.wearer = shop(small=False)
        recall()
        self.addCleanup(remember)

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
            {"turn_deg": [0, 60, 0]},
            {"turn_deg": [0, 6]},
            {"site": "moon"},
            {"way_in": "teleport"},
            {"give_mm": 90},
        ):
            with self.subTest(changes):
                self.assertEqual(self.change(piece, **changes).status_code, 400)

    def test_a_new_measurement_judges_anew_and_tells_what_changed(self):
        piece = self.bring(plain_helm(0.03), "helm")
        self.assertEqual(piece["site"], "head")
        self.assertEqual(piece["usual"]["layers"], [{"name": "pad", "thickness_mm": 8.0, "where": "all"}])
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

        entry = {"day": "2026-11-20", "felt": "tight", "where": "wrist", "picture": SimpleUploadedFile("a.png", picture())}
        kept = self.client.post(f"{at}/test-fits/", entry).json()
        self.assertEqual(kept["predicted"]["verdict"], piece["fit"]["verdict"])
        self.assertEqual(self.client.get(f"/api/photos/{kept['photo']}").status_code, 200)
        for body in (b"<svg onload=alert(1)>", b"\x89PNG\r\n\x1a\n" + bytes(40), picture()[:-30]):
            wrong = entry | {"picture": SimpleUploadedFile("a.png", body)}
            self.assertEqual(self.client.post(f"{at}/test-fits/", wrong).status_code, 400, body)
        self.assertEqual(len(self.client.get(f"{at}/test-fits/").json()), 1)
        self.assertEqual(self.client.get("/api/photos/../../db.sqlite3").status_code, 404)

    def test_a_photo_is_kept_without_what_the_camera_noted(self):
        piece = self.bring(tube(58, 3, 180, 64), "bracer-left")
        at, exif = f"/api/pieces/{piece['id']}/test-fits/", Image.Exif()
        exif[0x0112], exif[0x010E] = 6, "at home"  # lying on its side, with a note
        sent = {"day": "2026-11-20", "felt": "holds", "picture": SimpleUploadedFile("a.jpg", picture("JPEG", exif=exif))}
        kept = self.client.post(at, sent).json()
        with Image.open(bytes_of(self.client.get(f"/api/photos/{kept['photo']}"))) as photo:
            self.assertEqual(photo.size, (20, 40))
            self.assertFalse(photo.getexif())
        with override_settings(MOST_UPLOAD_BYTES=200), mock.patch("bastion_site.builds.files.MOST_PHOTO_BYTES", 10):
            large = sent | {"picture": SimpleUploadedFile("a.jpg", picture("JPEG"))}
            self.assertEqual(self.client.post(at, large).status_code, 413)
        with (
            patch("bastion_site.builds.files.os.fsync"),
            patch("tempfile._TemporaryFileWrapper.write", side_effect=OSError(28, "full"), create=True),
        ):
            self.assertEqual(self.client.post(at, sent | {"picture": SimpleUploadedFile("b.png", picture())}).status_code, 507)
        left = [p.name for p in (settings.MEDIA_ROOT / "photos").iterdir()]
        self.assertEqual([name for name in left if name.startswith(".new")], [])

    def test_what_nobody_refers_to_goes_with_the_wearer(self):
        piece = self.bring(tube(58, 3, 180, 64), "bracer-left")
        sent = {"day": "2026-11-20", "felt": "holds", "picture": SimpleUploadedFile("a.png", picture())}
        photo = settings.MEDIA_ROOT / "photos" / self.client.post(f"/api/pieces/{piece['id']}/test-fits/", sent).json()["photo"]
        scene = settings.MEDIA_ROOT / "derived" / piece["files"]["fit"] / "fit.glb"
        self.assertTrue(scene.exists() and photo.exists())
        self.assertEqual(self.client.delete(f"/api/wearers/{self.wearer.id}/").status_code, 204)
        self.assertFalse(scene.exists(), "their body is in it")
        self.assertFalse(Derived.objects.filter(kind="fit").exists())
        self.assertTrue(Derived.objects.filter(kind="pieces").exists(), "the piece itself is nobody's body")
        work_off()
        self.assertIsNone(self.client.get(f"/api/pieces/{piece['id']}/").json()["fit"]["probability"])
        stray, lost = settings.MEDIA_ROOT / "sources" / ("f" * 64), settings.MEDIA_ROOT / "derived" / "fit" / ("0" * 40)
        stray.write_bytes(b"x")
        lost.mkdir(parents=True)
        self.assertEqual(self.client.delete(f"/api/pieces/{piece['id']}/").status_code, 204)
        os.utime(photo, (0, 0))
        sweep(everything=True)
        self.assertFalse(photo.exists() or stray.exists() or lost.exists())
        self.assertEqual(Derived.objects.filter(kind__in=("pieces", "fit", "cut", "join", "print")).count(), 0)

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
        self.assertTrue(any("needs" in said(c) for r in rows for c in r["issues"]))
        self.assertEqual(
            self.client.post(f"/api/builds/{self.build.id}/scale-all/", {"factor": 9}, content_type="application/json").status_code, 400
        )

    def test_the_same_recipe_is_computed_once(self):
        Derived.objects.all().delete()
        self.bring(tube(58, 3, 180, 64), "bracer-left")
        self.bring(tube(58, 3, 180, 64), "bracer-left")
        self.assertEqual(Derived.objects.filter(kind="fit").count(), 1)

    def test_tables_of_the_trade(self):
        told = self.client.get("/api/trade/").json()
        self.assertEqual(told["ways_in"], ["over", "split", "plates", "open"])
        self.assertIn("shin", told["sites"])
        self.assertEqual(told["sites"][-1], "other")
        self.assertEqual(told["layers"]["pad"], 8.0)
        by_name = {b["name"]: b for b in told["bays"]}
        self.assertEqual(len(by_name["board on a carrier"]["size_mm"]), 3)
        self.assertTrue(by_name["speaker, 50 mm"]["round"])
        # The shop's own table takes the core's place.
        own = [{"name": "harbour bell", "size_mm": [60, 60, 45], "round": True}]
        self.client.patch("/api/shop/", {"bays": own}, content_type="application/json")
        self.assertEqual([b["name"] for b in self.client.get("/api/trade/").json()["bays"]], ["harbour bell"])
        for wrong in ([{"name": "x", "size_mm": [0, 1, 1]}], [{"name": "x", "size_mm": [1, 1]}], [*own, *own]):
            self.assertEqual(self.client.patch("/api/shop/", {"bays": wrong}, content_type="application/json").status_code, 400)

    def test_a_piece_worn_nowhere_is_scaled_and_not_judged(self):
        piece = self.bring(tube(58, 3, 180, 64), "trinket")
        self.assertEqual((piece["site"], piece["fit"]["judged"], piece["files"]["fit"]), ("other", False, None))
        self.assertEqual(piece["usual"], {"worn": False, "way_in": "", "layers": []})
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

    def test_a_pair_sits_mirrored(self):
        piece = self.bring(tube(58, 3, 180, 64), "bracer-left")
        twin = self.client.post(f"/api/pieces/{piece['id']}/mirror/").json()
        work_off()
        moved = self.changed(self.told(piece["id"]), shift_mm=[3.0, -2.0, 5.0], turn_deg=[4.0, 3.0, -6.0])
        twin = self.told(twin["id"])
        self.assertEqual((twin["recipe"]["shift_mm"], twin["recipe"]["turn_deg"]), ([-3.0, -2.0, 5.0], [4.0, -3.0, 6.0]))
        self.assertEqual(twin["stations"]["fit"]["state"], "fresh")
        rooms = [p["fit_data"]["answer"]["room"]["least_mm"] for p in (moved, twin)]
        self.assertAlmostEqual(*rooms, delta=0.1)
        # Moved from the other side it comes back the same way.
        self.changed(twin, shift_mm=[0.0, 0.0, 0.0], turn_deg=[0.0, 0.0, 0.0])
        self.assertEqual(self.told(piece["id"])["recipe"]["turn_deg"], [0.0, 0.0, 0.0])

    def test_a_turned_seat_is_judged_turned(self):
        """A tube that just fits upright, leaned by 15°, has less room at its ends: half its length times the tangent."""
        piece = self.bring(tube(64, 3, 120, 64), "bracer-left")
        straight = self.changed(piece, scale=[1.0, 1.0, 1.0])["fit_data"]["answer"]["room"]["least_mm"]
        leaned = self.changed(self.told(piece["id"]), turn_deg=[0.0, 15.0, 0.0])["fit_data"]["answer"]
        self.assertLess(leaned["room"]["least_mm"], straight - 4)
        takes = self.client.get(f"/api/pieces/{piece['id']}/gauge-ring/takes/", {"at_mm": 70, "height_mm": 10}).json()
        # A slice through a leaned tube is a longer oval.
        self.assertGreater(takes["size_mm"][0] * takes["size_mm"][1], 128**2 * 1.02)

    def test_a_body_scan_is_the_body(self):
        piece = self.bring(tube(64, 3, 180, 64), "bracer-left")
        stand_in = self.changed(piece, scale=[1.0, 1.0, 1.0])["fit_data"]["answer"]
        with MALE.open("rb") as opened:
            sent = SimpleUploadedFile("phone.stl", opened.read())
        at = f"/api/wearers/{self.wearer.id}/scans/"
        scan = self.client.post(at, {"kind": "body", "file": sent}).json()
        self.assertEqual((scan["found"], scan["job"]["state"]), (None, "queued"))
        self.assertEqual(self.client.patch(f"{at}{scan['id']}/", {"used": True}, content_type="application/json").status_code, 409)
        work_off()
        (scan,) = self.client.get(at).json()
        self.assertGreater(scan["found"]["values"]["shoulder_girth_mm"]["value"], 1000)
        used = self.client.patch(f"{at}{scan['id']}/", {"used": True}, content_type="application/json").json()
        self.assertTrue(used["used"])
        work_off()
        scanned = self.told(piece["id"])["fit_data"]["answer"]
        self.assertNotAlmostEqual(scanned["room"]["least_mm"], stand_in["room"]["least_mm"], delta=0.2)
        core = Wearer.objects.get(pk=self.wearer.pk)
        self.assertNotIn("forearm_girth_mm", core.measurements, "its measurements hold for the fit, and are not kept unasked")
        self.client.patch(f"{at}{scan['id']}/", {"used": False}, content_type="application/json")
        work_off()
        again = self.told(piece["id"])["fit_data"]["answer"]
        self.assertEqual(again["room"]["least_mm"], stand_in["room"]["least_mm"])

    def test_joints_with_the_pieces_on(self):
        build = f"/api/builds/{self.build.id}/motion/"
        for name, piece in (("cuisse-left", tube(98, 3, 250, 64)), ("shin-left", tube(76, 3, 300, 64))):
            self.bring(piece, name)
        told = self.client.get(build).json()
        self.assertEqual((told["state"], told["contacts"]), ("stale", []), "looking computes nothing")
        self.assertEqual(self.client.post(build).json()["state"], "computing")
        work_off()
        told = self.client.get(build).json()
        self.assertEqual((told["state"], told["job"]["state"], told["left_out"]), ("fresh", "done", []))
        knee = next(c for c in told["contacts"] if c["contact"]["joint"] == "knee bent")
        contact = knee["contact"]
        self.assertEqual((contact["stays"], contact["goes"], contact["side"], knee["tightest"]), ("cuisse left", "shin left", "left", True))
        self.assertTrue(0 <= contact["reaches_deg"] <= contact["usual_deg"])
        self.assertTrue(knee["drawing"]["stays"].startswith("M"))
        self.client.post(build)
        self.assertEqual(Job.objects.filter(kind="motion").count(), 1, "asked again, it is known")
        Build.objects.update(wearer=None)
        self.assertIn("No wearer is chosen", said(self.client.get(build).json()["waits"]))

    def test_what_a_newer_version_no_longer_knows_is_computed_again(self):
        piece = self.bring(tube(58, 3, 180, 64), "bracer-left")
        self.assertEqual(catch_up(), 0)
        with patch.object(FitStation, "edition", 999):
            self.assertEqual(self.told(piece["id"])["stations"]["fit"]["state"], "stale")
            self.assertEqual(catch_up(), 1)
            self.assertEqual(catch_up(), 0, "it is at work already")
            work_off()
            self.assertEqual(self.told(piece["id"])["stations"]["fit"]["state"], "fresh")

    def test_a_bay_that_presses_is_moved_by_its_remedy(self):
        piece = self.bring(plain_helm(0.03), "helm")
        board = {"name": "board", "size_mm": [60.0, 40.0, 14.0], "place": "crown"}
        told = self.changed(piece, scale=[1.12] * 3, bays=[board, {"name": "led", "size_mm": [30, 8, 4], "round": False}])
        bay = told["fit_data"]["answer"]["bays"][0]
        self.assertFalse(bay["fits"])
        self.assertIn(bay["free_at"], ("nape", "brow", "left", "right"))
        finding = next(f for f in told["stations"]["fit"]["findings"] if said(f["text"]).startswith("Board"))
        remedy = next(r for r in finding["remedies"] if "Move" in said(r["label"]))
        moved = self.changed(told, **remedy["change"])
        self.assertEqual(moved["recipe"]["bays"][0]["place"], bay["free_at"])
        self.assertTrue(moved["fit_data"]["answer"]["bays"][0]["fits"])
