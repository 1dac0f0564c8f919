"""Plans to part a piece, in a real browser: side by side, chosen, kept out of places; how much is seen of the seams."""

import re
import tempfile
from pathlib import Path

from playwright.sync_api import expect

from bastion_core.cut.recipe import CutRecipe
from bastion_core.tests.shapes import dome
from bastion_site.engine.refresh import refresh
from bastion_site.shop.models import Printer
from bastion_site.testing import file_of, recall, remember, said, shop, stl_of, work_off
from e2e.tests.test_way import InTheBrowser


class Plans(InTheBrowser):
    def setUp(self):
        super().setUp()
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        self.build, _ = shop(small=True)
        Printer.objects.filter(name="Small").update(x_mm=130, y_mm=130, z_mm=130)
        path = stl_of(dome(120, 150, 150, 4.0, 64), Path(made.name), "cap.stl")
        self.client.post("/api/pieces/upload/", {"build": self.build.id, "file": file_of(path), "name": "Cap", "site": "other"})
        self.piece = self.build.pieces.get()
        recall()
        work_off()
        remember()
        self.open(f"/build/{self.build.id}/piece/{self.piece.id}/cut")

    def told(self) -> dict:
        return self.client.get(f"/api/pieces/{self.piece.id}/").json()

    def test_plans_side_by_side_one_is_chosen_and_follows(self):
        page = self.page
        plans = page.get_by_role("list", name="Plans").get_by_role("listitem")
        told = self.told()["cut_data"]
        expect(plans).to_have_count(len(told["alternatives"]))
        expect(plans.first).to_contain_text("costs least")
        expect(plans.first).to_contain_text("chosen")
        best, other = told["alternatives"][0], told["alternatives"][1]
        self.assertEqual((told["aim"], len(told["parts"])), ("least", best["parts"]))
        # Its parts are told with how each will lie, as the print station laid them.
        part = self.told()["print_data"]["parts"][0]
        row = page.get_by_role("table", name="Parts").get_by_role("row").nth(1)
        expect(row).to_contain_text(f"lies {said(part['lying']['called'])}: {part['lying']['hours']:.1f} h")
        expect(plans.nth(1)).to_contain_text(re.compile(r"costs [\d.]+ h more"))
        expect(plans.nth(1)).to_contain_text(f"{other['parts']} parts")
        plans.nth(1).get_by_role("button", name=re.compile("^Choose the plan")).click()
        self.work()
        self.decided(self.piece, CutRecipe, lambda r: r.aim == other["aims"][0] and r.cuts is None, "the plan, not its planes")
        expect(plans.nth(1)).to_contain_text("chosen")
        self.assertEqual(len(self.told()["cut_data"]["parts"]), other["parts"])
        expect(page.get_by_role("table", name="Seams")).to_contain_text("cm")
        # What it takes, kind by kind, beside the cheapest: by hand the kinds are its hours of hands.
        takes = page.get_by_role("table", name="What the plan takes")
        expect(takes.get_by_role("row").first).to_contain_text("this plan")
        expect(takes).to_contain_text(f"{other['steps_h']:.1f} h")
        hands = sum(other[f"{kind}_h"] for kind in ("supports", "scars", "steps", "seams"))
        self.assertAlmostEqual(hands, other["hand_h"], delta=0.02)
        # A plane of the maker's own is no plan any more; what was given up stays to be chosen.
        page.get_by_role("button", name="Level").click()
        self.work()
        expect(page.get_by_role("list", name="Plans").get_by_text("chosen")).to_have_count(0)
        expect(plans).to_have_count(len(told["alternatives"]))

    def test_planes_the_printers_no_longer_need_go_by_one_press(self):
        page = self.page
        own = [{"id": "c1", "point": [0, 0, 70], "normal": [0, 0, 1], "limits": []}]
        self.client.patch(
            f"/api/pieces/{self.piece.id}/", {"version": self.told()["version"], "cuts": own}, content_type="application/json"
        )
        Printer.objects.filter(name="Small").update(x_mm=330, y_mm=330, z_mm=330)
        self.piece.refresh_from_db()
        refresh(self.piece)
        work_off()
        page.reload()
        self.said("Plane 1 is not needed for the printers")
        page.get_by_role("button", name="Delete plane 1").click()
        self.work()
        self.keep()
        self.decided(self.piece, CutRecipe, lambda r: r.cuts == (), "no plane")

    def test_how_much_is_seen_and_places_without_a_seam(self):
        page = self.page
        page.get_by_role("switch", name="How much is seen").check()
        self.seen("window.__stage && window.__stage.coloured === 1")
        page.get_by_role("switch", name="How much is seen").uncheck()
        before = self.told()["cut_data"]["alternatives"][0]["cost_h"]
        page.get_by_role("button", name="No seam here").click()
        box = page.locator("canvas").first.bounding_box()
        page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        self.work()
        self.decided(self.piece, CutRecipe, lambda r: len(r.keep_out) == 1 and r.keep_out[0].radius_mm == 25.0, "a place to keep out of")
        self.said(re.compile(r"No seam within \d+ mm of place 1"))
        self.assertGreaterEqual(self.told()["cut_data"]["alternatives"][0]["cost_h"], before - 1.0)
        page.get_by_role("button", name="Take it back").click()
        self.decided(self.piece, CutRecipe, lambda r: r.keep_out == (), "anywhere again")
