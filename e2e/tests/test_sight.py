"""What every page owes its reader: names for controls, contrast, keys that reach everything, units as set."""

import re

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import expect

from bastion_core.tests.shapes import BUNNY, TORN_SPHERE
from bastion_site.testing import file_of, shop, work_off
from e2e.browser import page_of
from e2e.tests.test_way import InTheBrowser

STATIONS = ("measure", "pieces", "fit", "cut", "join", "print", "assemble")

NAMELESS = """() => [...document.querySelectorAll('button, a[href], input:not([type=hidden]), textarea, [role=combobox], [role=slider], svg[role=img]')]
  .filter(e => e.offsetParent !== null || e.tagName === 'svg' || e.tagName === 'SVG')
  .filter(e => !(e.innerText || '').trim() && !e.getAttribute('aria-label') && !e.getAttribute('aria-labelledby')
            && !(e.labels && e.labels.length) && !e.closest('[aria-hidden=true]') && e.tabIndex !== -1)
  .map(e => e.outerHTML.slice(0, 160))"""


class Sight(InTheBrowser):
    def setUp(self):
        super().setUp()
        self.build, _ = shop()
        for path in (BUNNY, TORN_SPHERE):
            self.client.post("/api/pieces/upload/", {"build": self.build.id, "file": file_of(path)})
        work_off()
        piece = self.build.pieces.first().id
        self.paths = ["/", "/wearers", "/shop", f"/build/{self.build.id}"]
        self.paths += [f"/build/{self.build.id}/piece/{piece}/{s}" for s in STATIONS]
        self.client.patch(f"/api/pieces/{piece}/", {"version": 1, "walls": 4}, content_type="application/json")
        self.client.post(f"/api/pieces/{piece}/drafts/", {"layer_mm": 0.12}, content_type="application/json")
        work_off()
        self.paths += [f"/build/{self.build.id}/{page}" for page in ("suit", "changes")]
        self.paths += [f"/build/{self.build.id}/piece/{piece}/{page}" for page in ("drafts", "print?draft=1")]

    def settled(self, page, path: str) -> None:
        page.goto(self.live_server_url + path)
        page.get_by_role("main").locator("h1, [role=region], [role=table], form").first.wait_for()
        page.wait_for_timeout(400)

    def test_every_control_has_a_name(self):
        for path in self.paths:
            with self.subTest(path):
                self.settled(self.page, path)
                self.assertEqual(self.page.evaluate(NAMELESS), [])

    def test_axe_finds_nothing_by_day_and_by_night(self):
        """Names, roles, contrast after WCAG 2.2 AA, by axe-core's rules; the stage's canvas has a name and no text of its own."""
        axe = Axe()
        for dark in (False, True):
            page = page_of(self.browser, dark=dark)
            self.addCleanup(page.context.close)
            for path in self.paths:
                with self.subTest(path, dark=dark):
                    self.settled(page, path)
                    found = axe.run(page, options={"runOnly": ["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa"]}).response["violations"]
                    self.assertEqual([(v["id"], [n["html"][:110] for n in v["nodes"][:4]]) for v in found], [])

    def test_tab_reaches_the_cells_and_enter_opens_them(self):
        page = self.page
        self.settled(page, f"/build/{self.build.id}")
        for _ in range(30):
            page.keyboard.press("Tab")
            if "Fit" in (page.evaluate("document.activeElement.getAttribute('aria-label')") or ""):
                break
        page.keyboard.press("Enter")
        expect(page).to_have_url(re.compile("/fit$"))

    def test_inches_everywhere_once_set(self):
        self.client.patch("/api/shop/", {"units": "in"}, content_type="application/json")
        page = self.page
        for station, words in (
            ("pieces", r"\d\.\d\d in"),
            ("cut", r"\d\.\d\d in usable"),
            ("join", r"\d\.\d\d+ in"),
            ("print", r"\d\.\d\d in"),
        ):
            self.settled(page, self.paths[4 + STATIONS.index(station)])
            expect(page.get_by_role("main")).to_contain_text(re.compile(words))
            if station == "join":
                continue  # pins are sold and told in mm
            self.assertIsNone(re.search(r"\d mm\b", page.get_by_role("main").inner_text().replace("0.20 mm", "")), station)

    def test_no_such_page_and_no_such_piece(self):
        self.settled_text("/nowhere", "There is no such page")
        self.settled_text("/build/999", "This is not here any more")
        self.settled_text(f"/build/{self.build.id}/piece/999/fit", "This is not here any more")
        self.settled_text(f"/build/{self.build.id}/piece/{self.build.pieces.first().id}/fit?draft=999", "This draft is not here any more")

    def settled_text(self, path: str, words: str) -> None:
        self.open(path)
        expect(self.page.get_by_text(re.compile(words)).first).to_be_visible(timeout=10_000)
