"""A part as it lies, in a real browser: its supports, other ways to lie, what will need sanding."""

import re
import tempfile
from pathlib import Path

from playwright.sync_api import expect

from bastion_core.print.recipe import PrintRecipe
from bastion_core.tests.shapes import dome
from bastion_site.testing import file_of, recall, remember, shop, stl_of, work_off
from e2e.tests.test_way import InTheBrowser


class Lying(InTheBrowser):
    def setUp(self):
        super().setUp()
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        self.build, _ = shop(small=False)
        path = stl_of(dome(100, 120, 110, 4.0, 64), Path(made.name), "cap.stl")
        self.client.post("/api/pieces/upload/", {"build": self.build.id, "file": file_of(path), "name": "Cap", "site": "other"})
        self.piece = self.build.pieces.get()
        recall()
        work_off()
        remember()
        self.open(f"/build/{self.build.id}/piece/{self.piece.id}/print")

    def test_a_part_lies_with_its_supports_and_is_laid_otherwise(self):
        page = self.page
        ways = page.get_by_role("table", name="Ways for A to lie")
        expect(ways.get_by_role("row").nth(1)).to_contain_text("as it is worn")
        self.seen("window.__stage && window.__stage.parts === 2 && window.__stage.triangles > 3000")
        other = ways.get_by_role("row").filter(has=page.get_by_role("button", name="Lay it so")).first
        called = other.get_by_role("cell").first.inner_text().split("\n")[0]
        other.get_by_role("button", name="Lay it so").click()
        self.work()
        expect(ways.get_by_role("row").nth(1)).to_contain_text(called)
        self.decided(self.piece, PrintRecipe, lambda r: len(r.lying) == 1, "laid by hand")
        # As it lay before: that is computed already.
        ways.get_by_role("button", name="Best way").click()
        expect(ways.get_by_role("row").nth(1)).to_contain_text("as it is worn")

    def test_without_supports_it_says_what_hangs(self):
        page = self.page
        page.get_by_role("combobox", name="Supports", exact=True).click()
        page.get_by_role("option", name="none").click()
        self.work()
        expect(self.ledger()).to_contain_text(re.compile(r"[\d,]+ mm² hang over air"))
        page.get_by_role("button", name="Branching supports").click()
        self.keep()
        expect(self.ledger()).not_to_contain_text("hang over air")

    def touch(self) -> None:
        """The middle of the stage, where the part is."""
        box = self.page.locator("canvas").first.bounding_box()
        self.page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)

    def test_a_place_is_spared_and_a_face_laid_down_by_a_touch(self):
        page = self.page
        self.seen("window.__stage && window.__stage.parts === 2")
        page.get_by_role("button", name="No support here").click()
        self.touch()
        self.work()
        self.said("No support 15 mm round place 1")
        page.get_by_role("button", name="Hold it again").click()
        self.decided(self.piece, PrintRecipe, lambda r: r.spared == (), "held again")
        page.get_by_role("button", name="Lay it on a face").click()
        self.touch()
        self.work()
        self.decided(self.piece, PrintRecipe, lambda r: len(r.lying) == 1, "laid on the face that was touched")
        expect(page.get_by_role("button", name="Best way")).to_be_visible()

    def test_what_will_need_sanding(self):
        self.said(re.compile(r"cm² that show, \d+ cm² have steps"))
        self.page.get_by_role("switch", name="What will need sanding").check()
        self.seen("window.__stage && window.__stage.parts === 2")
