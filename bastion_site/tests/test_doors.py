"""What the application lets in, and what it says to a browser with every answer."""

import os
from unittest import mock

from django.db import OperationalError, connection
from django.test import SimpleTestCase, TestCase
from django.test.utils import CaptureQueriesContext

from bastion_core.takeaway import cut_list
from bastion_site.builds.models import Build, MeshFile, Piece
from bastion_site.engine.refresh import refresh_for_wearer
from bastion_site.jobs.models import Job
from bastion_site.middleware import HEADERS
from bastion_site.settings import machines_zone
from bastion_site.testing import shop


class OtherSites(TestCase):
    def test_another_sites_page_is_refused_changes_and_questions(self):
        for fetched in ("cross-site", "same-site"):
            for ask in (self.client.get, self.client.post):
                with self.subTest(fetched, ask=ask.__name__):
                    self.assertEqual(ask("/api/builds/", HTTP_SEC_FETCH_SITE=fetched).status_code, 403)
        self.assertEqual(self.client.get("/api/builds/", HTTP_SEC_FETCH_SITE="same-origin").status_code, 200)
        self.assertEqual(self.client.get("/api/builds/", HTTP_SEC_FETCH_SITE="none").status_code, 200, "typed into the address line")

    def test_a_form_of_another_site_changes_nothing(self):
        sent = {"data": "name=x", "content_type": "application/x-www-form-urlencoded"}
        self.assertEqual(self.client.post("/api/builds/", **sent, HTTP_SEC_FETCH_SITE="cross-site").status_code, 403)
        self.assertEqual(Build.objects.count(), 0)

    def test_the_origin_has_to_agree_whole(self):
        for origin, status in (("https://testserver", 403), ("http://testserver:81", 403), ("null", 403), ("http://testserver", 201)):
            with self.subTest(origin):
                answer = self.client.post("/api/builds/", {"name": "b"}, content_type="application/json", HTTP_ORIGIN=origin)
                self.assertEqual(answer.status_code, status)

    def test_every_answer_says_what_a_browser_may_do_with_it(self):
        for path in ("/api/builds/", "/api/builds/99/", "/nowhere"):
            answer = self.client.get(path)
            for name, value in HEADERS.items():
                self.assertEqual(answer.headers[name], value, path)
        policy = HEADERS["Content-Security-Policy"]
        for words in ("default-src 'self'", "frame-ancestors 'none'", "script-src 'self';", "object-src 'none'"):
            self.assertIn(words, policy)


class BrokenDown(TestCase):
    def test_what_nobody_caught_is_answered_in_words(self):
        self.client.raise_request_exception = False
        for problem, status, code in (
            (OperationalError("database or disk is full"), 507, "disk_full"),
            (RuntimeError("x"), 500, "broken"),
        ):
            with self.subTest(code), mock.patch("bastion_site.middleware.JsonResponse", side_effect=problem):
                answer = self.client.get("/api/builds/", HTTP_SEC_FETCH_SITE="cross-site")
                self.assertEqual((answer.status_code, answer.json()["code"]), (status, code))


class Zone(SimpleTestCase):
    def test_the_machines_zone(self):
        for told, zone in (
            ("Europe/Oslo", "Europe/Oslo"),
            (":Asia/Tokyo", "Asia/Tokyo"),
            ("/usr/share/zoneinfo/America/Lima", "America/Lima"),
        ):
            with self.subTest(told), mock.patch.dict(os.environ, {"TZ": told}):
                self.assertEqual(machines_zone(), zone)

    def test_without_one_the_systems_files_tell(self):
        with mock.patch.dict(os.environ, {"TZ": ""}), mock.patch("os.readlink", return_value="/usr/share/zoneinfo/Europe/Madrid"):
            with mock.patch("pathlib.Path.read_text", side_effect=FileNotFoundError):
                self.assertEqual(machines_zone(), "Europe/Madrid")
            with mock.patch("pathlib.Path.read_text", return_value="no/such zone\n"):
                self.assertEqual(machines_zone(), "Europe/Madrid", "what is no zone is passed over")
        files = {
            "read_text": mock.patch("pathlib.Path.read_text", side_effect=OSError),
            "link": mock.patch("os.readlink", side_effect=OSError),
        }
        with mock.patch.dict(os.environ, {"TZ": "../../etc"}), files["read_text"], files["link"]:
            self.assertEqual(machines_zone(), "UTC")


class Nonsense(TestCase):
    """What once answered with a page of HTML, or was taken for sense."""

    def test_each_is_refused_in_words(self):
        build, wearer = shop()
        piece = Piece.objects.create(build=build, name="Plate", mesh=MeshFile.objects.create(sha256="a" * 64, name="p.stl", bytes=1))
        self.client.raise_request_exception = False
        json_of = "application/json"
        for method, path, body, status in (
            ("patch", f"/api/pieces/{piece.pk}/", "null", 400),
            ("patch", "/api/shop/", "null", 400),
            ("patch", "/api/shop/", '{"pad_mm": NaN}', 400),
            ("patch", "/api/shop/", '{"pad_mm": "nan"}', 400),
            ("patch", f"/api/pieces/{piece.pk}/", '{"pin_diameters_mm": [1e300]}', 400),
            ("patch", f"/api/pieces/{piece.pk}/", '{"scale": [1e999, 1, 1]}', 400),
            ("post", f"/api/wearers/{wearer.pk}/links/", '{"keys": 5}', 400),
            ("patch", f"/api/wearers/{wearer.pk}/", '{"age_years": 500}', 400),
            ("patch", f"/api/wearers/{wearer.pk}/", "[" * 100_000, 400),
            ("get", "/api/pieces/" + "9" * 24 + "/", "", 404),
            ("get", "/api/stage/fit/" + "9" * 24 + "/", "", 404),
            ("get", "/api/nowhere/", "", 404),
        ):
            with self.subTest(path=path, body=body[:40]):
                answer = self.client.generic(method.upper(), path, body.encode(), json_of)
                self.assertEqual(answer.status_code, status, answer.content[:200])
                self.assertEqual(set(answer.json()) - {"field"}, {"code", "detail"})

    def test_a_formula_in_a_name_stays_text(self):
        part = {"name": "=cmd|' /C calc'!A0", "size_mm": [1, 2, 3], "printer": "@SUM(1)", "hours": 1.0, "filament_g": 2.0}
        (_, row) = cut_list([], [part])
        self.assertEqual([row[0][0], row[5][0]], ["'", "'"])


class ManyPieces(TestCase):
    def test_four_hundred_pieces_ask_the_database_little(self):
        """Questions to the database do not grow with the pieces of a build; how long they take is the bench's to say."""
        build, wearer = shop()
        mesh = MeshFile.objects.create(sha256="a" * 64, name="p.stl", bytes=1)
        asked = []
        for more in (3, 37):
            Piece.objects.bulk_create(Piece(build=build, name=f"Plate {k}", mesh=mesh) for k in range(more))
            with CaptureQueriesContext(connection) as seen:
                self.assertEqual(self.client.get(f"/api/builds/{build.pk}/wall/").status_code, 200)
            asked.append(len(seen))
        self.assertLessEqual(asked[1], asked[0] + 2)
        refresh_for_wearer(wearer, "measured")
        self.assertEqual(Job.objects.filter(state=Job.State.QUEUED).count(), 40)
        refresh_for_wearer(wearer, "measured once more")
        self.assertEqual(Job.objects.count(), 40, "one that waits serves")
