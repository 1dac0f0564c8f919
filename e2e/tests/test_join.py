"""Seams in a real browser: how each is held, moved on the drawing, by the keys and on the stage; what it takes; the coupon."""

import csv
import io
import re
from pathlib import Path

from playwright.sync_api import expect

from bastion_core.tests.shapes import box, tube
from bastion_site.shop.models import CouponFit, Printer
from bastion_site.testing import work_off
from e2e.joining import AtJoin, level


class Seams(AtJoin):
    """A thin tube parted level, and a block parted level."""

    pieces = (("Sleeve", tube(42, 3.2, 110, 64), {"cuts": level(55)}), ("Block", box(70, 50, 80), {"cuts": level(40)}))

    def held(self, name: str):
        return self.decided(name).joints

    def test_a_thin_shell_gets_a_lip_then_screws_and_a_list(self):
        page = self.page
        self.at("Sleeve")
        expect(page.get_by_role("option", name="Seam 1, A to B")).to_contain_text("lip")
        seam = page.get_by_role("group", name="Seam 1")
        expect(seam).to_contain_text(re.compile(r"A lip 1\.5 mm thick, 4 mm high"))
        expect(seam).to_contain_text("Cyanoacrylate")
        expect(self.ledger().get_by_role("link", name="Assemble")).to_have_attribute("href", re.compile(r"/build/\d+/piece/\d+/assemble$"))
        self.choose("This seam", "lugs inside, screws in inserts")
        self.work()
        expect(seam).to_contain_text(re.compile(r"\d lugs, screws 3\.0 mm × 8 mm, [\d.]+ mm into the inside"))
        expect(seam).not_to_contain_text("Cyanoacrylate", timeout=10_000)
        list_ = page.get_by_role("table", name="Pins and hardware")
        expect(list_).to_contain_text("M3 heat-set insert")
        self.assertEqual([(h.kind, h.thread) for h in self.held("Sleeve")], [("insert", "M3")])
        with page.expect_download() as download:
            page.get_by_role("link", name="the whole build").click()
        rows = list(csv.DictReader(io.StringIO(Path(download.value.path()).read_text("utf-8"))))
        self.assertEqual({r["piece"] for r in rows}, {"Sleeve", "Block"})
        screws = next(r for r in rows if r["what"].startswith("M3 × 8"))
        self.assertEqual(screws["count"], list_.get_by_role("row").filter(has_text="M3 × 8").get_by_role("cell").last.inner_text())
        # As it was before: that is computed already.
        page.get_by_role("button", name="As all seams").click()
        expect(seam).to_contain_text("A lip")

    def test_a_pin_is_moved_by_hand_and_by_the_keys(self):
        page = self.page
        self.at("Block")
        knob = page.get_by_role("button", name=re.compile(r"pin 1 of A-B"))
        box_ = knob.bounding_box()
        sheet = page.get_by_role("group", name=re.compile("Cut face")).bounding_box()
        page.mouse.move(box_["x"] + box_["width"] / 2, box_["y"] + box_["height"] / 2)
        page.mouse.down()
        page.mouse.move(sheet["x"] + sheet["width"] / 2, sheet["y"] + sheet["height"] / 2, steps=4)
        expect(page.get_by_role("status")).to_contain_text("It holds there", timeout=15_000)
        page.mouse.up()
        self.work()
        (kept,) = self.held("Block")
        self.assertEqual(kept.kind, "pin")
        self.assertLess(abs(kept.at_mm[0][0]) + abs(kept.at_mm[0][1]), 4.0, "in the middle of the face")
        page.get_by_role("button", name=re.compile(r"pin 1 of A-B")).focus()
        page.keyboard.press("ArrowRight")
        self.work()
        (moved,) = self.held("Block")
        scale = self.client.get(f"/api/pieces/{self.piece('Block').id}/").json()["fit"]["scale"][0]
        self.assertAlmostEqual((moved.at_mm[0][0] - kept.at_mm[0][0]) * scale, 1.0, delta=0.01)
        self.assertEqual(moved.at_mm[1:], kept.at_mm[1:], "the others stay")
        page.get_by_role("button", name="Find the places again").click()
        self.work()
        self.assertIsNone(self.held("Block")[0].at_mm)

    def test_a_place_without_wall_is_told_and_something_near_is_kept(self):
        page = self.page
        self.at("Block")
        knob = page.get_by_role("button", name=re.compile(r"pin 1 of A-B"))
        box_ = knob.bounding_box()
        sheet = page.get_by_role("group", name=re.compile("Cut face")).bounding_box()
        page.mouse.move(box_["x"] + box_["width"] / 2, box_["y"] + box_["height"] / 2)
        page.mouse.down()
        page.mouse.move(sheet["x"] + 4, sheet["y"] + sheet["height"] / 2, steps=4)
        expect(page.get_by_role("status")).to_contain_text("No wall there holds it", timeout=15_000)
        page.mouse.up()
        self.work()
        expect(self.ledger()).to_contain_text(re.compile(r"Pin 1 has no wall where it was set: it went [\d.]+ mm"))
        expect(page.get_by_role("option", name="Seam 1, A to B")).to_contain_text(re.compile(r"\d pins"))

    def test_a_lug_is_moved_on_the_stage(self):
        page = self.page
        self.decide("Sleeve", joints=[{"seam": "", "kind": "lug"}])
        work_off()
        self.at("Sleeve")
        self.seen("window.__stage && window.__stage.knob && window.__stage.knob(0) !== null")
        canvas = page.locator("canvas").first.bounding_box()
        page.wait_for_timeout(1500)  # the eye comes to rest
        x, y = page.evaluate("window.__stage.knob(0)")
        page.mouse.move(canvas["x"] + x, canvas["y"] + y)
        page.mouse.down()
        page.mouse.move(canvas["x"] + x + 10, canvas["y"] + y + 4, steps=3)
        expect(page.get_by_role("status")).to_contain_text("into the inside", timeout=15_000)
        page.mouse.up()
        self.work()
        (kept,) = [h for h in self.held("Sleeve") if h.seam]
        self.assertEqual(kept.kind, "lug")
        self.assertGreaterEqual(len(kept.at_mm), 2)

    def test_what_fitted_on_the_coupon_changes_the_clearance(self):
        page = self.page
        gull = Printer.objects.filter(kind="filament").first()
        self.open("/shop")
        page.get_by_role("combobox", name="Printed on").click()
        page.get_by_role("option", name=gull.name).click()
        page.get_by_role("button", name="Enter what fitted").click()
        coupon = page.get_by_role("group", name=re.compile(f"Coupon {gull.name}"))
        coupon.get_by_role("combobox", name=re.compile("printed pin")).click()
        page.get_by_role("option", name="0.25 mm").click()
        expect(coupon.get_by_role("combobox", name=re.compile("printed pin"))).to_contain_text("0.25 mm")
        self.assertEqual(CouponFit.objects.get().pin_mm, 0.25)
        with page.expect_download() as download:
            page.get_by_role("link", name="Download the coupon").click()
        self.assertGreater(Path(download.value.path()).stat().st_size, 100_000)
        self.work()
        self.at("Block")
        expect(page.get_by_role("group", name="Seam 1")).to_contain_text("clearance 0.25 mm per side")
        expect(self.ledger()).not_to_contain_text("Print a clearance coupon and enter what fitted")
        field = page.get_by_role("textbox", name="Clearance per side")
        field.fill("0")
        field.press("Enter")
        self.said("0.02 to 2 is possible")
