from datetime import date, timedelta

from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext

from bastion_core.tests.shapes import BUNNY, HINGE
from bastion_site.builds.models import Build
from bastion_site.shop.models import Shop
from bastion_site.testing import file_of, said, shop, work_off


class Wall(TestCase):
    def setUp(self):
        self.build, self.wearer = shop(small=False)
        for path in (BUNNY, HINGE):
            self.client.post("/api/pieces/upload/", {"build": self.build.id, "file": file_of(path)})
        work_off()

    def wall(self) -> dict:
        return self.client.get(f"/api/builds/{self.build.id}/wall/").json()

    def test_rows_hold_real_facts(self):
        rows = self.wall()["rows"]
        self.assertEqual([r["name"] for r in rows], ["npm bunny", "netgen hinge"])
        for row in rows:
            self.assertTrue(row["silhouette"].startswith("M"))
            self.assertEqual(row["stations"]["print"]["state"], "fresh")
            self.assertRegex(said(row["stations"]["print"]["main"]), r"^\d+\.\d h$")
            self.assertRegex(said(row["stations"]["print"]["under"]), r"^\d+ g$")
            self.assertGreater(row["totals"]["hours"], 0.1)

    def test_runway(self):
        calendar = self.wall()["calendar"]
        self.assertEqual(len(calendar["slots"]), 2)
        self.assertIsNone(calendar["days_late"])
        for due, late in ((date.today() + timedelta(days=60), False), (date.today() - timedelta(days=3), True)):
            self.client.patch(f"/api/builds/{self.build.id}/", {"due": due.isoformat()}, content_type="application/json")
            self.assertEqual(self.wall()["calendar"]["days_late"] > 0, late)

    def test_planning_factor_moves_the_date_and_not_the_hours(self):
        before = self.wall()
        self.client.patch("/api/shop/", {"planning_factor": 6}, content_type="application/json")
        after = self.wall()
        self.assertGreater(after["calendar"]["machine_h"], 2.5 * before["calendar"]["machine_h"])
        self.assertEqual(after["rows"][0]["totals"]["hours"], before["rows"][0]["totals"]["hours"])

    def test_queries_grow_with_the_rows_only(self):
        with CaptureQueriesContext(
            connection,
        ) as seen:
            self.wall()
        self.assertLess(len(seen), 12 + 2 * 8)

    def test_spool_that_will_not_last_is_told(self):
        self.client.patch("/api/spools/1/", {"used_g": 995}, content_type="application/json")
        row = self.wall()["rows"][0]
        self.assertEqual(row["stations"]["print"]["verdict"], "tight")
        self.assertIn("5 g left", said(row["stations"]["print"]["findings"][0]["text"]))

    def test_another_wearer_for_the_build(self):
        made = self.client.post(
            "/api/wearers/", {"name": "B", "measurements": {"stature_mm": 1500}}, content_type="application/json"
        ).json()
        self.client.patch(f"/api/builds/{self.build.id}/", {"wearer": made["id"]}, content_type="application/json")
        work_off()
        self.assertEqual(said(self.wall()["rows"][0]["stations"]["fit"]["main"]), f"{100 * 1500 / 1830:.1f} %")

    def test_builds_begin_rename_and_are_put_away(self):
        made = self.client.post("/api/builds/", {"name": "New"}, content_type="application/json").json()
        self.client.patch(f"/api/builds/{made['id']}/", {"name": "Newer", "archived": True}, content_type="application/json")
        kept = Build.objects.get(pk=made["id"])
        self.assertEqual((kept.name, kept.archived), ("Newer", True))
        self.assertEqual(self.client.post("/api/builds/", {"name": ""}, content_type="application/json").status_code, 400)


class ShopRules(TestCase):
    def setUp(self):
        shop()

    def test_printers_that_cannot_be(self):
        for wrong in ({"x_mm": 5}, {"margin_mm": 80}, {"margin_mm": -1}, {"speed_mm_s": 0}):
            with self.subTest(wrong):
                answer = self.client.patch("/api/printers/1/", wrong, content_type="application/json")
                self.assertEqual(answer.status_code, 400)
        self.assertEqual(self.client.get("/api/printers/").json()[0]["usable_mm"], [100, 100, 110])

    def test_defaults_that_cannot_be(self):
        for wrong in ({"planning_factor": 0}, {"wake_from_h": 23}, {"wake_to_h": 30}, {"pin_clearance_mm": -1}, {"units": "ell"}):
            with self.subTest(wrong):
                self.assertEqual(self.client.patch("/api/shop/", wrong, content_type="application/json").status_code, 400)
        self.assertEqual(Shop.current().wake_from_h, 8)

    def test_spools(self):
        self.assertEqual(
            self.client.post(
                "/api/spools/", {"name": "x", "material": "cheese", "price_per_kg": 1}, content_type="application/json"
            ).status_code,
            400,
        )
        self.assertEqual(self.client.get("/api/spools/").json()[0]["left_g"], 1000)
        self.assertIn("pla", [m["key"] for m in self.client.get("/api/spools/materials/").json()])
