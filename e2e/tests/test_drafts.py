"""Trying before keeping, and the way back: drafts, undo and redo, the sheets of the Wall, in a real browser."""

import re
import tempfile
from pathlib import Path

from django.test import tag
from playwright.sync_api import Page, expect

from bastion_core.fit.recipe import FitRecipe
from bastion_core.print.recipe import PrintRecipe
from bastion_core.tests.shapes import BUNNY
from bastion_site.builds.models import Draft, Piece, Step
from bastion_site.jobs.models import Job
from bastion_site.testing import file_of, recall, remember, shop, work_off
from e2e.browser import page_of
from e2e.shots import running, wait_until_idle
from e2e.tests.test_way import InTheBrowser

JSON = {"content_type": "application/json"}


class Walls(InTheBrowser):
    def walls(self, page: Page | None = None):
        """The field that these tests decide about."""
        return (page or self.page).get_by_role("textbox", name="Walls")


class Trying(Walls):
    def setUp(self):
        super().setUp()
        self.build, self.wearer = shop(small=False)
        for name in ("Gull plate", "Tern plate"):
            self.client.post("/api/pieces/upload/", {"build": self.build.id, "file": file_of(BUNNY), "name": name, "site": "other"})
        recall()
        work_off()
        remember()
        self.piece, self.other = self.build.pieces.all()

    def at(self, station: str, page: Page | None = None) -> None:
        (page or self.page).goto(f"{self.live_server_url}/build/{self.build.id}/piece/{self.piece.id}/{station}")

    def band(self, page: Page | None = None):
        return (page or self.page).get_by_role("region", name="Drafts")

    def another_window(self) -> Page:
        page = page_of(self.browser)
        self.addCleanup(page.context.close)
        return page

    def print_recipe(self) -> PrintRecipe:
        self.piece.refresh_from_db()
        return self.piece.of(PrintRecipe)

    def test_a_change_is_tried_looked_at_and_kept(self):
        page = self.page
        self.at("print")
        page.get_by_role("switch", name="Try changes as drafts").check()
        self.enter(self.walls(page), "6")
        expect(page).to_have_url(re.compile(r"\?draft=\d+$"))
        expect(self.band()).to_contain_text("Walls 3 → 6")
        self.assertEqual(self.print_recipe().walls, 3)
        self.work()
        # Before and after stand in one line, what is tried in italics.
        expect(self.band()).to_contain_text(re.compile(r"Print [\d.]+ h, \d+ g → [\d.]+ h, \d+ g"))
        expect(self.band().locator("em", has_text=re.compile(r"^[\d.]+ h, \d+ g$"))).to_have_count(1)
        expect(self.consequence()).to_contain_text("Keeping this draft would change")
        # A second change goes to the draft that is open.
        self.enter(page.get_by_label(re.compile("^Infill")), "30")
        expect(self.band()).to_contain_text("Infill 15 % → 30 %")
        self.assertEqual(Draft.objects.count(), 1)
        self.work()
        self.keep()
        self.decided(self.piece, PrintRecipe, lambda r: (r.walls, r.infill) == (6, 0.3), "both changes")
        self.assertFalse(Job.objects.filter(state=Job.State.QUEUED).exists(), "it was computed before")
        expect(self.consequence()).to_contain_text("What the walls and the infill did")
        expect(self.band()).to_have_count(0)

    def test_two_side_by_side_one_dropped_one_kept(self):
        page = self.page
        for change in ({"layer_mm": 0.12}, {"scale": [0.6, 0.6, 0.6]}):
            self.client.post(f"/api/pieces/{self.piece.id}/drafts/", change, **JSON)
        work_off()
        self.open(f"/build/{self.build.id}")
        page.get_by_role("link", name="2 drafts").click()
        table = page.get_by_role("table", name="Drafts")
        expect(table.get_by_role("columnheader")).to_have_count(4)
        expect(table).to_contain_text("Layer height 0.2 mm → 0.12 mm")
        hours = table.get_by_role("row").filter(has=page.get_by_role("rowheader", name="Print", exact=True)).get_by_role("cell")
        kept, fine, small = (float(re.search(r"[\d.]+(?= h)", t).group()) for t in hours.all_inner_texts())
        self.assertTrue(small < kept < fine, (small, kept, fine))
        # What a draft leaves alone is said to be as kept; an outline that changes is drawn over the kept one.
        self.assertEqual(
            table.get_by_role("row").filter(has=page.get_by_role("rowheader", name="Measure")).get_by_role("cell").all_inner_texts()[1],
            "as kept",
        )
        expect(table.get_by_role("img", name=re.compile("this draft dashed over it"))).to_have_count(2)
        table.get_by_role("button", name="Drop").first.click()
        expect(table.get_by_role("columnheader")).to_have_count(3)
        table.get_by_role("button", name="Keep").click()
        self.said("No drafts")
        self.piece.refresh_from_db()
        self.assertEqual((self.piece.of(FitRecipe).scale, self.print_recipe().layer_mm), ((0.6, 0.6, 0.6), 0.2))

    def test_dropping_shows_what_is_kept(self):
        page = self.page
        self.client.post(f"/api/pieces/{self.piece.id}/drafts/", {"walls": 8}, **JSON)
        self.at("print")
        self.band().get_by_role("link", name="Walls 8").click()
        expect(self.walls(page)).to_have_value("8")
        self.band().get_by_role("button", name="Drop").click()
        expect(self.walls(page)).to_have_value("3")
        self.assertEqual((Draft.objects.count(), work_off()), (0, 0))

    def test_another_window_drops_it_and_says_so(self):
        draft = self.client.post(f"/api/pieces/{self.piece.id}/drafts/", {"walls": 8}, **JSON).json()["id"]
        self.open(f"/build/{self.build.id}/piece/{self.piece.id}/print?draft={draft}")
        expect(self.walls()).to_have_value("8")
        second = self.another_window()
        self.at("print", second)
        self.band(second).get_by_role("link", name="Walls 8").click()
        expect(self.walls(second)).to_have_value("8")
        second.keyboard.press("x")
        expect(self.band(second)).to_have_count(0)
        expect(self.page.get_by_role("alert")).to_contain_text("kept or dropped, perhaps in another window")
        expect(self.walls()).to_have_value("3")

    def test_another_window_decides_otherwise_meanwhile(self):
        draft = self.client.post(f"/api/pieces/{self.piece.id}/drafts/", {"walls": 8}, **JSON).json()["id"]
        work_off()
        self.open(f"/build/{self.build.id}/piece/{self.piece.id}/print?draft={draft}")
        expect(self.band()).to_contain_text("Walls 3 → 8")
        self.page.route(re.compile(f"/api/pieces/{self.piece.id}/$"), lambda r: r.abort() if r.request.method == "GET" else r.fallback())
        self.client.patch(f"/api/pieces/{self.piece.id}/", {"version": 1, "infill": 0.4}, **JSON)
        self.band().get_by_role("button", name="Keep").click()
        expect(self.page.get_by_role("alert")).to_contain_text("The draft is computed on what is kept now")
        self.assertEqual(self.print_recipe().walls, 3)
        self.page.unroute_all()
        self.page.reload()
        expect(self.page.get_by_label(re.compile("^Infill"))).to_have_value("40")
        self.keep()
        self.assertEqual((self.print_recipe().walls, self.print_recipe().infill), (8, 0.4))

    def test_all_of_it_by_keyboard(self):
        page = self.page
        self.at("print")
        expect(self.walls(page)).to_be_visible()
        page.keyboard.press("t")
        expect(page.get_by_role("switch", name="Try changes as drafts")).to_be_checked()
        self.walls(page).focus()
        page.keyboard.press("Control+A")
        page.keyboard.type("5")
        page.keyboard.press("Enter")
        expect(page).to_have_url(re.compile("draft="))
        self.walls(page).blur()
        page.keyboard.press("ArrowLeft")  # to the next station with the draft still open
        expect(page).to_have_url(re.compile(r"/join\?draft="))
        expect(self.band().get_by_role("button", name="Keep")).to_be_enabled()
        page.keyboard.press("k")
        self.decided(self.piece, PrintRecipe, lambda r: r.walls == 5, "the draft kept by key")
        expect(page.get_by_role("button", name="Undo: the walls")).to_be_enabled()
        page.keyboard.press("Control+z")
        self.decided(self.piece, PrintRecipe, lambda r: r.walls == 3, "undone by key")
        expect(page.get_by_role("button", name="Redo: the walls")).to_be_enabled()
        page.keyboard.press("Control+Shift+Z")
        self.decided(self.piece, PrintRecipe, lambda r: r.walls == 5, "done again by key")
        # Nothing is undone out of a field: there the key belongs to the text.
        page.keyboard.press("ArrowRight")
        self.walls(page).focus()
        page.keyboard.press("Control+z")
        page.wait_for_timeout(500)
        self.assertEqual(self.print_recipe().walls, 5)
        self.walls(page).blur()
        page.keyboard.press("c")
        self.said("No drafts")

    def test_the_build_is_gone_back_over_by_button(self):
        page = self.page
        for piece, walls in ((self.piece, 4), (self.other, 7)):
            self.client.patch(f"/api/pieces/{piece.id}/", {"version": 1, "walls": walls}, **JSON)
        self.open(f"/build/{self.build.id}/changes")
        page.get_by_label("Your name on this browser").fill("Bo")
        steps = page.get_by_role("list", name="Changes").get_by_role("listitem")
        expect(steps).to_have_count(2)
        expect(steps.first).to_contain_text("Tern plate: Walls 3 → 7")
        for word, walls, left in (("Undo", (4, 3), 1), ("Undo", (3, 3), 2), ("Redo", (4, 3), 1)):
            page.get_by_role("button", name=f"{word}: the walls").click()
            expect(steps.filter(has_text="undone")).to_have_count(left)
            self.assertEqual(tuple(Piece.objects.get(pk=p.pk).of(PrintRecipe).walls for p in (self.piece, self.other)), walls)
        # A new decision of this piece takes the place of what was undone; it bears the browser's name.
        page.get_by_role("navigation", name="Build").get_by_role("link", name="Wall").click()
        page.get_by_label("Due").fill("2027-05-01")
        self.until(lambda: Step.objects.filter(by="Bo").exists(), "the due date under the maker's name")

    def test_two_windows_undo_one_step_once(self):
        for walls, version in ((4, 1), (5, 2)):
            self.client.patch(f"/api/pieces/{self.piece.id}/", {"version": version, "walls": walls}, **JSON)
        second = self.another_window()
        for page in (self.page, second):
            self.at("print", page)
            expect(self.walls(page)).to_have_value("5")
        second.route(re.compile(f"/api/pieces/{self.piece.id}/$"), lambda r: r.abort() if r.request.method == "GET" else r.fallback())
        self.page.get_by_role("button", name="Undo: the walls").click()
        expect(self.walls()).to_have_value("4")
        second.get_by_role("button", name="Undo: the walls").click()
        expect(second.get_by_role("alert").filter(has_text="another window")).to_be_visible()
        self.assertEqual(self.print_recipe().walls, 4)

    def test_what_goes_wrong_says_so_and_can_be_tried_again(self):
        page = self.page
        page.route(re.compile("/wall/$"), lambda r: r.abort())
        self.open(f"/build/{self.build.id}")
        expect(page.get_by_role("alert")).to_contain_text("does not answer", timeout=20_000)
        page.unroute_all()
        page.get_by_role("button", name="Try again").click()
        expect(page.get_by_role("rowheader")).to_have_count(2)

    def test_two_sheets_of_one_wall_and_one_key_between_them(self):
        page = self.page
        self.open(f"/build/{self.build.id}")
        heads = page.get_by_role("columnheader")
        expect(heads).to_have_text(["Piece", "1. Measure", "2. Pieces", "3. Fit", "4. Cut", "5. Join", "6. Print", "Bench"])
        expect(page.get_by_role("link", name="Gull plate, Bench: Assemble holds")).to_be_visible()
        page.keyboard.press("s")
        expect(heads).to_have_text(["Piece", "7. Assemble", "8. Finish", "Plan"])
        page.get_by_role("link", name=re.compile("^Gull plate, Assemble")).click()
        strip = page.get_by_role("navigation", name="This piece's row")
        expect(strip.get_by_role("link")).to_have_count(3)
        page.keyboard.press("s")
        expect(page).to_have_url(re.compile("/measure$"))
        expect(strip.get_by_role("link")).to_have_count(7)


@tag("browser")
class AfterARestart(Walls):
    def test_undo_survives_a_restart(self):
        with tempfile.TemporaryDirectory() as folder:
            with running(Path(folder), demo=False) as address:
                self.page.goto(address)
                self.page.get_by_label("Name of a new build").fill("Ebb")
                self.page.get_by_role("button", name="Start").click()
                self.page.set_input_files("input[type=file]", str(BUNNY))
                expect(self.page.get_by_role("rowheader")).to_have_count(1)
                wait_until_idle(address)
                self.page.get_by_role("link", name=re.compile("^npm bunny, Print")).click()
                self.enter(self.walls(), "5")
                expect(self.page.get_by_role("button", name="Undo: the walls")).to_be_enabled()
            with running(Path(folder), demo=False) as address:
                self.page.goto(f"{address}/build/1/piece/1/print")
                expect(self.walls()).to_have_value("5")
                self.page.keyboard.press("Control+z")
                expect(self.walls()).to_have_value("3")
