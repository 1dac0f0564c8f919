"""The way through in a real browser: on the demo, and on a model made by others."""

import io
import json
import re
import time
import zipfile
from pathlib import Path

import numpy as np
import trimesh
from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from django.test import tag
from playwright.sync_api import Locator, expect

from bastion_core import __version__
from bastion_core.cut.recipe import CutRecipe
from bastion_core.engine.recipe import Recipe
from bastion_core.print.recipe import PrintRecipe
from bastion_core.tests.shapes import BUNNY, TORN_SPHERE
from bastion_site.builds.models import Build, Piece
from bastion_site.jobs.models import Job
from bastion_site.shop.models import Printer
from bastion_site.testing import file_of, said, shop, work_off
from bastion_site.wearers.models import Wearer
from demo.story import PIECES
from e2e.browser import chromium, page_of
from e2e.work import computed_demo

PATIENCE_S = 20.0
"""How long a busy machine may take over one request."""


@tag("browser")
class InTheBrowser(StaticLiveServerTestCase):
    """A browser for the class, a fresh page without memory for each test."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls._chromium = chromium()
        cls.browser = cls._chromium.__enter__()

    @classmethod
    def tearDownClass(cls):
        cls._chromium.__exit__(None, None, None)
        super().tearDownClass()

    def setUp(self):
        self.page = page_of(self.browser)
        self.addCleanup(time.sleep, 0.3)  # requests under way end before the tables are emptied
        self.addCleanup(self.page.context.close)
        self.addCleanup(self.no_strays)

    def no_strays(self):
        self.assertEqual(self.page.strays, [], "a request to another machine")
        self.assertEqual(self.page.faults, [], "an error in the page")

    def until(self, happened, what: str) -> None:
        """Wait for what a page's request does in the database; the page goes on meanwhile."""
        end = time.monotonic() + PATIENCE_S
        while not happened():
            self.assertLess(time.monotonic(), end, what)
            self.page.wait_for_timeout(50)

    def seen(self, so: str) -> None:
        """Wait for what the page says of its stage; asked from here, as the page's policy lets nobody else run words as script."""
        self.until(lambda: self.page.evaluate(so), so)

    def work(self, **of) -> None:
        """The worker's part, once the page's change has reached the site; or only what it has to do ``of`` one subject."""
        self.until(Job.objects.filter(state=Job.State.QUEUED, **of).exists, "the page asked for no work")
        work_off(**of)

    def decided(self, piece: Piece, kind: type[Recipe], is_so, what: str) -> None:
        """Wait until a decision of the piece is so."""

        def happened() -> bool:
            piece.refresh_from_db()
            return is_so(piece.of(kind))

        self.until(happened, what)

    def enter(self, field: Locator, value: str) -> None:
        """Type a value and press Enter."""
        field.fill(value)
        field.press("Enter")

    def open(self, path: str) -> None:
        self.page.goto(self.live_server_url + path)

    def cell(self, piece: str, station: str):
        return self.page.get_by_role("link", name=re.compile(f"^{piece}, {station}"))

    def keep(self) -> None:
        """Keep the draft that is open."""
        self.page.get_by_role("region", name="Drafts").get_by_role("button", name="Keep").click()
        expect(self.page).not_to_have_url(re.compile("draft="))

    def ledger(self):
        return self.page.get_by_role("region", name="Ledger")

    def said(self, text: str | re.Pattern):
        expect(self.page.get_by_text(text).first).to_be_visible()

    def consequence(self):
        return self.page.get_by_role("region", name="Consequence")


class OnTheDemo(InTheBrowser):
    def setUp(self):
        super().setUp()
        self.build = computed_demo()
        self.open(f"/build/{self.build.id}")
        expect(self.page.get_by_role("rowheader")).to_have_count(sum(1 + p.mirror for p in PIECES))

    def test_the_whole_way(self):
        page = self.page
        self.said(re.compile("All printed by .* before it is due: holds.*Not counted: Lantern staff"))
        expect(self.cell("Nautilus helm, second watch", "Fit")).to_have_attribute("aria-label", re.compile("stops"))
        expect(self.cell("Kelp bracer right", "Pieces")).to_have_attribute("aria-label", re.compile("tight.*mended"))
        expect(self.cell("Lantern staff", "Cut")).to_have_attribute("aria-label", re.compile("stops"))

        # too tight: the finding names the remedy, the remedy opens as a draft, and keeping it shows what that did
        self.cell("Nautilus helm, second watch", "Fit").click()
        expect(self.ledger()).to_contain_text("even without padding")
        page.get_by_role("button", name=re.compile("^Scale to 11")).click()
        expect(self.ledger()).to_contain_text("computing")
        self.work()
        self.keep()
        expect(self.ledger()).to_contain_text("the tightest place; the head at the ears passes")
        expect(self.consequence()).to_contain_text("What the scale did")
        expect(self.consequence()).to_contain_text("→")

        # fits no bed: the proposal parts it
        page.keyboard.press("w")
        self.cell("Lantern staff", "Cut").click()
        expect(self.ledger()).to_contain_text("fits no printer")
        page.get_by_role("button", name="Propose planes").first.click()
        self.work()
        self.keep()
        staff = self.build.pieces.get(name="Lantern staff")
        least = self.client.get(f"/api/pieces/{staff.id}/").json()["cut_data"]["alternatives"][0]["parts"]
        self.assertGreaterEqual(least, 5, "1.9 m over beds 0.4 m high")
        expect(page.get_by_role("table", name="Parts").get_by_role("row")).to_have_count(least + 1, timeout=20_000)
        page.keyboard.press("ArrowRight")
        expect(page.get_by_role("listbox", name="Seams").get_by_role("option", name=re.compile("^Seam "))).to_have_count(least - 1)
        expect(page.get_by_role("table", name="Pins and hardware")).to_be_visible()

        page.keyboard.press("ArrowRight")
        expect(page.get_by_role("listitem").first).to_contain_text("layers")
        with page.expect_download() as download:
            page.get_by_role("link", name="Download the files").click()
        packed = zipfile.ZipFile(io.BytesIO(Path(download.value.path()).read_bytes()))
        plan = json.loads(packed.read("plan.json"))
        self.assertEqual(plan["totals"]["parts"], least)
        for part in plan["parts"]:
            self.assertTrue(trimesh.load(io.BytesIO(packed.read(part["file_stl"])), file_type="stl").is_watertight)

    def test_planes_on_the_stage_and_in_numbers(self):
        page = self.page
        piece = self.build.pieces.get(name="Nautilus helm")
        self.cell("Nautilus helm", "Cut").first.click()
        page.get_by_role("button", name=re.compile("^Choose the plan: .*fewest parts")).click()
        self.work()
        self.seen("window.__stage && window.__stage.planes === 1 && window.__stage.parts === 2")
        # drag: the knob of the plane, slid away
        x, y = page.evaluate("window.__stage.handle('c1')")
        box = page.get_by_role("img", name=re.compile("Nautilus helm, 2 parts")).bounding_box()
        page.mouse.move(box["x"] + x, box["y"] + y)
        page.mouse.down()
        page.mouse.move(box["x"] + x + 12, box["y"] + y + 30, steps=3)
        page.mouse.move(box["x"] + x + 16, box["y"] + y + 45, steps=2)
        page.mouse.up()
        self.said("Planes, set by you")
        piece.refresh_from_db()
        self.decided(piece, CutRecipe, lambda r: r.cuts is not None and len(r.cuts) == 1, "the dragged plane")
        self.work()
        # in numbers
        at = self.ledger().get_by_label(re.compile("^At"))
        self.enter(at, "150")
        self.decided(piece, CutRecipe, lambda r: abs(np.dot(r.cuts[0].point, r.cuts[0].normal) - 150) < 0.1, "the plane at 150")
        tilt = self.ledger().get_by_label(re.compile("^Tilt"))
        self.enter(tilt, "80")
        self.decided(piece, CutRecipe, lambda r: abs(r.cuts[0].normal[2] - np.sin(np.radians(80))) < 1e-3, "the plane tilted by 80")
        expect(tilt).to_have_value("80")
        page.get_by_role("button", name="Left from right").click()
        expect(self.ledger().get_by_role("group", name=re.compile("^Plane"))).to_have_count(2)
        self.decided(piece, CutRecipe, lambda r: len(r.cuts) == 2, "the second plane")
        self.work()
        self.seen("window.__stage && window.__stage.parts >= 3")
        page.get_by_role("slider").press("End")  # exploded: the planes leave the stage
        self.seen("window.__stage && window.__stage.planes === 0")
        # delete one, then hand it back to the proposal
        self.ledger().get_by_role("button", name="Delete").last.click()
        expect(self.ledger().get_by_role("group", name=re.compile("^Plane"))).to_have_count(1)
        page.get_by_role("button", name="Propose planes").click()
        self.decided(piece, CutRecipe, lambda r: r.cuts is None, "back to the proposal")
        self.until(
            lambda: not Job.objects.filter(state=Job.State.QUEUED).exists(), "it was computed before: nobody waits for the last planes"
        )
        self.said("Planes, as proposed: fewest parts")

    def test_a_field_says_its_bounds_and_keeps_nothing_beyond_them(self):
        piece = self.build.pieces.get(name="Crest")
        self.cell("Crest", "Print").click()
        infill = self.ledger().get_by_label(re.compile("^Infill"))
        self.enter(infill, "140")
        self.said("0 to 100 is possible.")
        walls = self.ledger().get_by_label("Walls")
        self.enter(walls, "many")
        self.said("A number is needed here.")
        self.enter(walls, "4")
        self.decided(piece, PrintRecipe, lambda r: r.walls == 4, "the walls")
        self.assertEqual(piece.of(PrintRecipe).infill, 0.15)
        self.page.get_by_role("button", name="Keys").click()
        expect(self.page.get_by_role("dialog")).to_contain_text(f"Odd Bastion {__version__}")

    def test_cells_are_short_facts(self):
        """At most fourteen characters of fact (a name may be cut off) and one line under it, so that sheets hold."""
        rows = self.client.get(f"/api/builds/{self.build.id}/wall/").json()["rows"]
        for row in rows:
            for key, cell in row["stations"].items():
                with self.subTest(row["name"], station=key):
                    if key != "measure":
                        self.assertLessEqual(len(said(cell["main"])), 14)
                    self.assertLessEqual(len(said(cell["under"])), 20)
        heights = {round(box["height"]) for link in self.page.get_by_role("cell").all()[:12] if (box := link.bounding_box())}
        self.assertLessEqual(max(heights), 64)

    def test_layer_height_moves_hours(self):
        page = self.page
        self.cell("Crest", "Print").click()
        self.said("Hours by layer height")
        page.get_by_role("combobox", name="Layer height").click()
        page.get_by_role("option", name="0.12 mm").click()
        expect(self.ledger()).to_contain_text("computing")
        self.work()
        expect(self.consequence()).to_contain_text("What the layer height did")
        expect(self.consequence()).to_contain_text(re.compile(r"\d h → \d"))

    def test_a_bigger_head_makes_the_helm_again(self):
        page = self.page
        self.cell("Nautilus helm", "Measure").first.click()
        breadth = page.get_by_label(re.compile("^Head breadth"))
        breadth.fill("15.9 cm")
        self.said(re.compile("That is 159.0 mm"))
        page.get_by_role("button", name="Save measurements").click()
        expect(breadth).to_have_value("159")
        self.work(piece=self.build.pieces.get(name="Nautilus helm"))
        expect(self.consequence()).to_contain_text("the wearer’s measurements")
        self.assertEqual(Wearer.objects.get(name="Oda Brackwater").measurements["head_breadth_mm"], 159.0)

    def test_keys_and_the_list_of_them(self):
        page = self.page
        self.cell("Crest", "Pieces").click()
        expect(self.ledger()).to_be_visible()
        page.keyboard.press("ArrowRight")
        expect(page).to_have_url(re.compile("/fit$"))
        page.keyboard.press("ArrowDown")
        names = [row["name"] for row in self.client.get(f"/api/builds/{self.build.id}/wall/").json()["rows"]]
        self.said(names[names.index("Crest") + 1])
        page.keyboard.press("?")
        expect(page.get_by_role("dialog")).to_contain_text("the piece above, the piece below")
        page.keyboard.press("Escape")
        expect(page.get_by_role("dialog")).to_have_count(0)
        page.keyboard.press("w")
        expect(page.get_by_role("table", name="Pieces")).to_be_visible()

    def test_narrow_and_at_night(self):
        page = page_of(self.browser, dark=True, size={"width": 768, "height": 1000})
        self.addCleanup(page.context.close)
        for path in ("", f"/piece/{self.build.pieces.first().id}/fit", f"/piece/{self.build.pieces.first().id}/print"):
            page.goto(f"{self.live_server_url}/build/{self.build.id}{path}")
            page.wait_for_load_state("networkidle")
            self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 770, path)
            if path:  # the whole strip is on screen, down to its last station
                last = page.get_by_role("navigation", name="This piece's row").get_by_role("link").last.bounding_box()
                self.assertLessEqual(last["x"] + last["width"], 768.5)
        self.assertEqual(page.evaluate("getComputedStyle(document.body).backgroundColor"), "rgb(25, 30, 34)")


class FromNothing(InTheBrowser):
    def test_a_new_user_with_a_model_of_others(self):
        page = self.page
        self.open("/")
        self.said("No build yet")
        page.get_by_role("link", name="Shop").click()
        page.get_by_label("Name of a new printer").fill("Corner")
        page.get_by_role("button", name="Add").first.click()
        corner = page.get_by_role("group", name="Corner")
        for field in ("Width", "Depth", "Height"):
            self.enter(corner.get_by_label(re.compile(f"^{field}")), "110")
        self.until(lambda: Printer.objects.filter(x_mm=110, y_mm=110, z_mm=110).exists(), "the bed's size")
        page.get_by_role("link", name="Wearers").click()
        page.get_by_label("Name of a new wearer").fill("Runa Spit")
        page.get_by_role("button", name="Add").click()
        page.get_by_label(re.compile("^Stature")).fill("5' 9\"")
        page.get_by_label(re.compile("^Stature")).press("Enter")
        expect(page.get_by_label(re.compile("^Head circumference"))).to_be_focused()
        page.get_by_role("button", name="Save measurements").click()
        expect(page.get_by_label(re.compile("^Stature"))).to_have_value("1752.6")

        page.get_by_role("link", name="Builds").click()
        page.get_by_label("Name of a new build").fill("Night watch")
        page.get_by_role("button", name="Start").click()
        self.said("Start here: drop the files")
        page.get_by_role("combobox", name="Worn by").click()
        page.get_by_role("option", name="Runa Spit").click()
        page.set_input_files("input[type=file]", [str(BUNNY), str(TORN_SPHERE)])
        page.get_by_role("button", name="Each is a piece").click()
        expect(page.get_by_role("rowheader")).to_have_count(2)
        self.said("queued")
        self.work()
        expect(self.cell("npm bunny", "Fit")).to_contain_text("95.8 %")
        expect(self.cell("assimp sphereWithHole", "Pieces")).to_contain_text("mended")
        self.cell("npm bunny", "Pieces").click()
        self.seen("window.__stage && window.__stage.triangles > 3000")
        expect(page.get_by_role("list", name="Health")).to_contain_text("Watertight as it came.")
        page.get_by_role("button", name="Tip forward").click()
        self.work()
        page.get_by_role("link", name="Print").last.click()
        with page.expect_download() as download:
            page.get_by_role("link", name="Download the files").click(timeout=20_000)
        plan = json.loads(zipfile.ZipFile(download.value.path()).read("plan.json"))
        self.assertGreater(plan["totals"]["parts"], 1)
        self.assertEqual(Build.objects.get().name, "Night watch")

    def test_bad_file_among_good_ones(self):
        page = self.page
        build, _ = shop()
        self.open(f"/build/{build.id}")
        self.said("Start here")
        bad = {"name": "letter.stl", "mimeType": "model/stl", "buffer": b"Dear customer, your order has shipped."}
        good = {"name": "bunny.stl", "mimeType": "model/stl", "buffer": BUNNY.read_bytes()}
        page.set_input_files("input[type=file]", [bad, good])
        page.get_by_role("button", name="Each is a piece").click()
        expect(page.get_by_role("alert")).to_contain_text("letter.stl: This is no mesh")
        expect(page.get_by_role("rowheader")).to_have_count(1)

    def test_sheet_by_keyboard_with_doubts_and_inches(self):
        page = self.page
        _, wearer = shop()
        self.open("/wearers")
        page.get_by_label(re.compile("^Head breadth")).fill("15.4")
        self.said(re.compile("Was it meant in cm"))
        expect(page.get_by_role("button", name="Save measurements")).to_be_disabled()
        page.get_by_label(re.compile("^Head breadth")).fill("199")
        page.get_by_label(re.compile("^Head length")).fill("154")
        self.said(re.compile("wider than it is long"))
        page.get_by_label(re.compile("^Head breadth")).fill("6 1/16 in")
        page.get_by_label(re.compile("^Head length")).fill("198")
        page.get_by_role("button", name="Save measurements").focus()
        page.keyboard.press("Enter")
        expect(page.get_by_label(re.compile("^Head length"))).to_have_value("198")
        self.until(lambda: Wearer.objects.get(pk=wearer.pk).measurements["head_breadth_mm"] != 154, "the sheet kept")
        self.assertAlmostEqual(Wearer.objects.get(pk=wearer.pk).measurements["head_breadth_mm"], 153.9875)
        page.get_by_role("link", name="Shop").click()
        page.get_by_role("combobox", name="Lengths in").click()
        page.get_by_role("option", name="inches").click()
        page.get_by_role("link", name="Wearers").click()
        expect(page.get_by_label(re.compile(r"^Head breadth \(in\)"))).to_have_value(re.compile("6.06[23]"))

    def test_two_windows_stay_right(self):
        build, _ = shop()
        self.client.post("/api/pieces/upload/", {"build": build.id, "file": file_of(BUNNY)})
        self.work()
        piece = build.pieces.get()
        address = f"/build/{build.id}/piece/{piece.id}/print"
        self.open(address)
        self.said("Download the files")
        self.page.route(re.compile(f"/api/pieces/{piece.id}/$"), lambda r: r.abort() if r.request.method == "GET" else r.fallback())
        self.client.patch(f"/api/pieces/{piece.id}/", {"version": 1, "walls": 5}, content_type="application/json")
        walls = self.page.get_by_role("textbox", name="Walls")
        self.enter(walls, "2")
        expect(self.page.get_by_role("alert")).to_contain_text("another window")
        self.page.unroute_all()
        expect(walls).to_have_value("5")

    def test_work_can_be_watched_and_stopped(self):
        build, _ = shop()
        self.client.post("/api/pieces/upload/", {"build": build.id, "file": file_of(BUNNY)})
        piece = build.pieces.get()
        self.open(f"/build/{build.id}/piece/{piece.id}/fit")
        self.said("Queued")
        job = piece.jobs.get()
        Job.objects.filter(pk=job.pk).update(state=Job.State.RUNNING, progress=0.4, what="closing the surface")
        self.said("closing the surface")
        expect(self.page.get_by_role("progressbar")).to_have_attribute("aria-valuenow", "40")
        self.page.get_by_role("button", name="Stop").click()
        self.until(lambda: Job.objects.get(pk=job.pk).stop_asked, "the stop")
        Job.objects.filter(pk=job.pk).update(state=Job.State.STOPPED, message="Stopped on request.")
        self.page.get_by_role("button", name="Compute again").click()
        self.work()
        expect(self.ledger()).to_contain_text("Suggested")
