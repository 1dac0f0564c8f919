"""The shop floor in a real browser: plates laid, moved and printed; a failure logged with a thumb, and its remedy; a printer watched."""

import re
import tempfile
import threading
from pathlib import Path

import numpy as np
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import expect

from bastion_core.devices.printer import Manner, Simulated, service
from bastion_core.tests.shapes import BUNNY, box
from bastion_site.builds.models import Build, FrozenPart
from bastion_site.prints.models import Run
from bastion_site.prints.watching import look_at_all
from bastion_site.shop.models import Printer, Spool
from bastion_site.testing import file_of, shop, stl_of, work_off
from e2e.browser import page_of
from e2e.tests.test_way import InTheBrowser

AXE_RULES = {"runOnly": ["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa"]}


class OnTheFloor(InTheBrowser):
    def setUp(self):
        super().setUp()
        self.build, _ = shop()
        folder = Path(tempfile.mkdtemp())
        for number, size in enumerate(((50, 40, 30), (40, 30, 25), (30, 20, 60))):
            self.client.post(
                "/api/pieces/upload/", {"build": self.build.id, "file": file_of(stl_of(box(*size), folder, f"block{number}.stl"))}
            )
        # a mesh that is not ours, cut to the bed
        self.client.post("/api/pieces/upload/", {"build": self.build.id, "file": file_of(BUNNY)})
        work_off()

    def planned(self):
        """The printers' page with everything planned."""
        self.open(f"/build/{self.build.id}/printers")
        self.work()
        expect(self.page.get_by_role("option", name=re.compile("^Plate|from above")).first).to_be_visible()

    def plates(self):
        return self.page.get_by_role("listbox", name="Plates").get_by_role("option")

    def phone(self, path: str):
        """The same application on a phone."""
        page = page_of(self.browser, size={"width": 390, "height": 844})
        self.addCleanup(page.context.close)
        page.goto(f"{self.live_server_url}/build/{self.build.id}/{path}")
        return page

    def test_beds_before_they_are_printed(self):
        page = self.page
        self.planned()
        self.said(re.compile("All printed by .* with 80 % by .* with 95 % by"))
        expect(page.get_by_role("group", name="Calendar of the printers").get_by_role("button").first).to_be_visible()
        plate = next(p for p in self.client.get(f"/api/builds/{self.build.id}/floor/").json()["plates"] if len(p["parts"]) > 1)
        self.plates().filter(has_text=f"{plate['name']},").click()
        above = page.get_by_role("group", name=re.compile("from above$"))
        part = plate["parts"][0]
        shape = above.get_by_role("button", name=re.compile(f"^{part['piece_name']}, {part['name']}"))

        # dragged: it stays where it was put, and the plate is held
        at = shape.bounding_box()
        page.mouse.move(at["x"] + at["width"] / 2, at["y"] + at["height"] / 2)
        page.mouse.down()
        page.mouse.move(at["x"] + at["width"] / 2 + 14, at["y"] + at["height"] / 2 - 10, steps=3)
        page.mouse.up()
        self.until(lambda: len(self.held()) == 1, "the plate is held")
        spot = next(s for s in self.held()[0]["spots"] if s["part"] == part["part"] and s["piece"] == part["piece"])
        self.assertGreater(spot["x_mm"], part["x_mm"] + 1)
        self.assertGreater(spot["y_mm"], part["y_mm"] + 1)
        self.work()

        # by keys and in numbers
        shape.focus()
        page.keyboard.press("r")
        self.until(lambda: abs(self.spot(part)["turn_deg"] - part["turn_deg"] - 15) < 0.2, "turned by 15 degrees")
        self.work()
        self.enter(page.get_by_role("group", name=re.compile("^Where .* lies")).get_by_label(re.compile("^Right")), "0")
        self.until(lambda: self.spot(part)["x_mm"] == 0, "moved in numbers")
        self.work()
        page.get_by_role("button", name="Free this plate").click()
        self.until(lambda: self.held() == [], "free again")
        self.work()

        # in three dimensions, and taken away
        page.get_by_role("button", name="In 3D").click()
        expect(page.locator("canvas")).to_be_visible()
        with page.expect_download() as download:
            page.get_by_role("link", name="3MF").click()
        self.assertGreater(Path(download.value.path()).stat().st_size, 500)

        # decided for all plates: what it did stands beside it
        page.get_by_role("combobox", name="What goes together").click()
        page.get_by_role("option", name="each part alone").click()
        self.work()
        parts = sum(p["totals"]["parts"] for p in self.client.get(f"/api/builds/{self.build.id}/wall/").json()["rows"])
        expect(self.plates()).to_have_count(parts)
        self.said(re.compile("What the sharing of plates did: .* → "))

    def held(self) -> list[dict]:
        return Build.objects.get(pk=self.build.pk).recipe.get("held_plates", [])

    def spot(self, part: dict) -> dict:
        return next(s for h in self.held() for s in h["spots"] if s["part"] == part["part"] and s["piece"] == part["piece"])

    def test_a_plate_that_was_laid_anew_is_found_by_its_part(self):
        self.planned()
        plate = self.client.get(f"/api/builds/{self.build.id}/floor/").json()["plates"][-1]
        part = plate["parts"][-1]
        self.open(f"/build/{self.build.id}/printers?plate=gone&part={part['piece']}/{part['part']}")
        expect(self.plates().filter(has_text=f"{plate['name']},")).to_have_attribute("aria-selected", "true")
        expect(self.page.get_by_role("button", name=re.compile(f"^{part['piece_name']}, {part['name']}")).first).to_be_visible()
        self.page.wait_for_url(f"**plate={plate['id']}**")

    def test_printed_failed_and_mended_with_a_thumb(self):
        page = self.page
        self.planned()
        phone = self.phone("log")
        first = phone.get_by_role("region", name=re.compile("^Next on Small"))
        expect(first).to_be_visible()
        # every target of the hand is as large as a thumb
        touch = first.get_by_role("button", name="Print this plate")
        self.assertGreaterEqual(touch.bounding_box()["height"], 48)
        self.assertLessEqual(phone.evaluate("document.documentElement.scrollWidth"), 392)
        touch.click()
        phone.get_by_role("button", name=re.compile("^From Grey")).click()
        card = phone.get_by_role("region", name=re.compile("^Small: "))
        expect(card).to_contain_text("printing")
        self.assertEqual(Run.objects.count(), 1)
        parts = Run.objects.get().parts.count()
        self.assertEqual(FrozenPart.objects.count(), parts)

        # two touches: failed, and why
        card.get_by_role("button", name="Failed").click()
        expect(card.get_by_role("group", name="Why")).to_be_visible()
        card.get_by_role("button", name="Warped").click()
        self.until(lambda: Run.objects.get().state == "failed", "the failure is logged")
        expect(phone.get_by_role("list", name="Prints").get_by_role("listitem")).to_contain_text("Failed: Warped")
        work_off()
        self.assertEqual(FrozenPart.objects.count(), 0)
        self.open(f"/build/{self.build.id}/printers")
        expect(self.plates().filter(has_text="Again 1")).to_have_count(1)

        # pressed wrongly: taken back, it runs on, and ends well
        phone.get_by_role("list", name="Prints").get_by_role("button", name="Undo").click()
        self.until(lambda: Run.objects.get().state == "running", "taken back")
        card = phone.get_by_role("region", name=re.compile("^Small: "))
        card.get_by_role("button", name="Done").click()
        phone.get_by_role("button", name="Ended just now").click()
        phone.get_by_role("button", name=re.compile("good$")).first.click()
        self.until(lambda: Run.objects.get().state == "done", "done after all")
        self.assertFalse(Run.objects.get().seen_end)
        work_off()
        self.assertLess(Spool.objects.get().left_g, 1000)
        page.reload()
        expect(self.plates().filter(has_text="Again 1")).to_have_count(0)

        # found again by what worked
        phone.get_by_label("Find").fill("warped")
        expect(phone.get_by_role("list", name="Prints").get_by_role("listitem")).to_have_count(0)
        phone.get_by_label("Find").fill("pla 15 %")
        expect(phone.get_by_role("list", name="Prints").get_by_role("listitem")).to_have_count(1)
        self.assertEqual(phone.faults + phone.strays, [])

    def test_a_watched_printer_fails_three_times_and_the_log_knows_what_to_do(self):
        page, now = self.page, [0.0]
        machine = Simulated("Small", Manner(speed_up=3600.0, fail_at=((0.3, "knocked"),) * 3), lambda: now[0])
        server = service(machine)
        threading.Thread(target=server.serve_forever, daemon=True).start()
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        Printer.objects.update(address=f"http://127.0.0.1:{server.server_address[1]}", watched=True)

        self.planned()
        for count in (1, 2, 3):
            plates = self.client.get(f"/api/builds/{self.build.id}/floor/").json()["plates"]
            tall = next(p for p in plates if any(q["name"] == "block2-A" for q in p["parts"]))
            self.open(f"/build/{self.build.id}/printers?plate={tall['id']}")
            page.get_by_role("button", name="Print this plate").click()
            page.get_by_role("button", name=re.compile("^From Grey")).click()
            self.until(lambda n=count: Run.objects.count() == n, "begun")
            expect(page.get_by_role("region", name="Ledger")).not_to_contain_text("From Grey")
            now[0] += 1.0
            look_at_all()
            Run.objects.filter(at_mm=None).update(at_mm=41.0)
            work_off()
        self.open(f"/build/{self.build.id}/printers")
        said = page.get_by_role("region", name="What the log says")
        expect(said).to_contain_text(re.compile("failed 3 times near 41 mm of .* whose bed moves"))
        said.get_by_role("button", name="Try two halves lying flat").first.click()
        expect(page).to_have_url(re.compile(r"/cut\?draft="))
        self.work()
        draft = self.client.get(f"/api/drafts/{page.url.split('draft=')[1]}/").json()
        self.assertEqual((draft["totals"]["parts"], len(draft["recipe"]["cuts"])), (2, 1))

    def test_a_change_of_the_whole_build_in_pencil(self):
        page = self.page
        self.planned()
        tries = page.get_by_role("region", name="Try for the whole build")
        tries.get_by_label("All at layers of").click()
        page.get_by_role("option", name="0.28 mm").click()
        expect(tries.get_by_role("status")).to_contain_text(re.compile(r"Printed by .* → .*; \d.* h → \d"))
        tries.get_by_role("button", name="Keep").click()
        self.until(lambda: all(p.recipe.get("layer_mm") == 0.28 for p in self.build.pieces.all()), "kept for all pieces")

    def test_by_day_and_night_for_everyone(self):
        self.planned()
        for dark in (False, True):
            for path in ("printers", "log"):
                page = page_of(self.browser, dark=dark)
                self.addCleanup(page.context.close)
                page.goto(f"{self.live_server_url}/build/{self.build.id}/{path}")
                page.wait_for_load_state("networkidle")
                found = Axe().run(page, options=AXE_RULES).response["violations"]
                told = [f"{v['id']}: {n['html'][:160]}" for v in found for n in v["nodes"]]
                self.assertEqual(told, [], f"{path}, {'night' if dark else 'day'}")

    def test_spools_are_weighed_in_the_shop(self):
        page = self.page
        Spool.objects.update(used_g=300.0)
        self.open("/shop")
        page.get_by_role("group", name="Grey").get_by_role("button", name="Weigh it").click()
        self.said(re.compile(r"with its core: 700 g → \d+ g left"))
        self.until(lambda: Spool.objects.get().weighed is not None, "weighed")
        page.get_by_role("group", name="Small").get_by_role("button", name="Clips, power, watching").click()
        page.get_by_role("button", name="Add a clip").click()
        self.until(lambda: Printer.objects.get().clips != [], "a clip")
        self.assertTrue(np.allclose(Printer.objects.get().clips[0], [[0, 0], [25, 0], [25, 15], [0, 15]]))
        self.enter(page.get_by_role("group", name="Clip 1").get_by_label(re.compile("^Wide")), "40")
        self.until(lambda: Printer.objects.get().clips[0][1][0] == 40, "wider")
