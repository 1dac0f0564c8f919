"""A part as it lies, in a real browser: its supports, other ways to lie, what will need sanding."""

import math
import re
import tempfile
from pathlib import Path

import numpy as np
from manifold3d import CrossSection, Manifold
from playwright.sync_api import expect

from bastion_core.geometry.solid import Solid
from bastion_core.print.recipe import PrintRecipe
from bastion_core.tests.shapes import dome
from bastion_site.engine.refresh import refresh_all
from bastion_site.shop.models import Printer
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
        page.get_by_role("button", name="Branching supports", exact=True).click()
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
        page.get_by_role("button", name="Take it back").click()
        self.decided(self.piece, PrintRecipe, lambda r: r.spared == (), "held again")
        page.get_by_role("button", name="Lay it on a face").click()
        self.touch()
        self.work()
        self.decided(self.piece, PrintRecipe, lambda r: len(r.lying) == 1, "laid on the face that was touched")
        expect(page.get_by_role("button", name="Best way")).to_be_visible()

    def test_what_will_need_sanding(self):
        self.said(re.compile(r"cm² that show, \d+ cm² have steps"))
        self.seen("window.__stage && window.__stage.coloured === 0 && window.__stage.lined === 1")
        self.page.get_by_role("switch", name="What will need sanding").check()
        self.seen("window.__stage.coloured === 1")
        self.page.get_by_role("switch", name="Layers", exact=True).uncheck()
        self.seen("window.__stage.lined === 0")

    def test_support_is_wanted_at_a_place_and_the_part_tipped(self):
        page = self.page
        self.seen("window.__stage && window.__stage.parts === 2")
        page.get_by_role("button", name="Support here", exact=True).click()
        self.touch()
        self.work()
        self.said("Support 15 mm round place 1")
        self.decided(self.piece, PrintRecipe, lambda r: len(r.held) == 1 and r.held[0].radius_mm == 15.0, "held where it was touched")
        page.get_by_role("button", name="Tip it left").click()
        self.work()
        # 15 degrees off the upright, whichever way.
        self.decided(self.piece, PrintRecipe, lambda r: abs(r.lying[0].down[2] + math.cos(math.radians(15))) < 1e-3, "tipped by 15 degrees")

    def test_other_choices_say_what_they_take_and_are_taken(self):
        page = self.page
        choices = page.get_by_role("table", name="Other choices")
        slow = choices.get_by_role("row").filter(has_text="Slow outer wall")
        told = float(re.search(r"\+([\d.]+) h", slow.inner_text())[1])
        before = self.piece_data()["print"]["hours"]
        page.get_by_role("button", name="Choose: Slow outer wall").click()
        self.work()
        expect(page.get_by_role("switch", name="Slow outer wall")).to_be_checked()
        self.assertAlmostEqual(self.piece_data()["print"]["hours"] - before, told, delta=0.06)
        expect(choices).to_contain_text("Outer wall at its usual speed")

    def test_a_part_is_made_of_resin(self):
        page = self.page
        Printer.objects.create(name="Vat", kind="resin", x_mm=192, y_mm=150, z_mm=245, margin_mm=3)
        refresh_all("a new printer")
        self.work()
        self.said(re.compile(r"In resin: [\d.]+ h on Vat, \d+ ml"))
        page.get_by_role("button", name="Make it of resin").click()
        self.work()
        self.said(re.compile(r"Made of resin: [\d.]+ h on Vat"))
        expect(page.get_by_role("table", name="Prints")).to_contain_text(re.compile(r"AVat[\d.]+ h\d+ ml"))
        # As it was before: that is computed already.
        page.get_by_role("button", name="Make it of filament").click()
        expect(page.get_by_role("table", name="Prints")).to_contain_text("Large")

    def piece_data(self):
        return self.client.get(f"/api/pieces/{self.piece.id}/").json()

    def test_a_thin_plate_is_printed_flat(self):
        page = self.page
        with tempfile.TemporaryDirectory() as made:
            across = CrossSection([np.array([[57.0, 0.0], [60.0, 0.0], [60.0, 90.0], [57.0, 90.0]])])
            path = stl_of(Solid(Manifold.revolve(across, 160, 140.0)), Path(made), "plate.stl")
            self.client.post("/api/pieces/upload/", {"build": self.build.id, "file": file_of(path), "name": "Plate", "site": "other"})
        work_off()
        plate = self.build.pieces.get(name="Plate")
        self.open(f"/build/{self.build.id}/piece/{plate.id}/print")
        self.said(re.compile(r"Printed flat and formed with heat: [\d.]+ h and [\d.]+ h for a former"))
        page.get_by_role("button", name="Print it flat").click()
        self.work()
        expect(page.get_by_role("button", name="Print it as it is worn")).to_be_visible()
        # By hand: 58.5 mm times 140 degrees are 143 mm, by 90 and 3 mm; all of it at the ratio of statures, 1756 to 1830.
        part = self.client.get(f"/api/pieces/{plate.id}/").json()["print_data"]["parts"][0]
        self.assertEqual(sorted(round(v) for v in part["size_mm"]), [round(v * 1756 / 1830) for v in (3, 90, 143)])
        self.assertTrue(part["forming"]["former"]["file_3mf"].endswith("-former.3mf"))
