"""What every page owes its reader: names for controls, contrast, keys that reach everything, units as set."""

import re

from playwright.sync_api import expect

from bastion_core.tests.shapes import BUNNY, TORN_SPHERE
from bastion_site.testing import file_of, shop, work_off
from e2e.browser import page_of
from e2e.tests.test_way import InTheBrowser

STATIONS = ("measure", "pieces", "fit", "cut", "join", "print")

NAMELESS = """() => [...document.querySelectorAll('button, a[href], input:not([type=hidden]), textarea, [role=combobox], [role=slider], svg[role=img]')]
  .filter(e => e.offsetParent !== null || e.tagName === 'svg' || e.tagName === 'SVG')
  .filter(e => !(e.innerText || '').trim() && !e.getAttribute('aria-label') && !e.getAttribute('aria-labelledby')
            && !(e.labels && e.labels.length) && !e.closest('[aria-hidden=true]') && e.tabIndex !== -1)
  .map(e => e.outerHTML.slice(0, 160))"""

# Contrast after WCAG 2.x: relative luminance of text against the first opaque background behind it.
LOW_CONTRAST = """() => {
  const parse = c => (c.match(/[\\d.]+/g) || []).map(Number);
  const light = ([r, g, b]) => [r, g, b].map(v => v / 255).map(v => v <= 0.03928 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4)
    .reduce((s, v, i) => s + v * [0.2126, 0.7152, 0.0722][i], 0);
  const behind = e => { for (; e; e = e.parentElement) { const c = parse(getComputedStyle(e).backgroundColor);
    if (c.length === 3 || c[3] > 0.9) return c; } return [255, 255, 255]; };
  const told = [];
  for (const e of document.querySelectorAll('main p, main span, main a, main td, main th, main li, main label, main h1, main h2, main button, header a')) {
    const own = [...e.childNodes].some(n => n.nodeType === 3 && n.textContent.trim());
    if (!own || e.closest('[disabled], .Mui-disabled, svg') || !e.offsetParent) continue;
    let see = 1; for (let p = e; p; p = p.parentElement) see *= Number(getComputedStyle(p).opacity);
    if (see < 1) continue;
    const [a, b] = [light(parse(getComputedStyle(e).color)), light(behind(e))].sort((x, y) => y - x);
    const ratio = (a + 0.05) / (b + 0.05);
    if (ratio < 4.5) told.push(`${ratio.toFixed(2)} ${e.innerText.slice(0, 40)}`);
  }
  return told;
}"""


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
        self.paths.append(f"/build/{self.build.id}/suit")

    def settled(self, page, path: str) -> None:
        page.goto(self.live_server_url + path)
        page.get_by_role("main").locator("h1, [role=region], [role=table], form").first.wait_for()
        page.wait_for_timeout(400)

    def test_every_control_has_a_name(self):
        for path in self.paths:
            with self.subTest(path):
                self.settled(self.page, path)
                self.assertEqual(self.page.evaluate(NAMELESS), [])

    def test_contrast_by_day_and_by_night(self):
        for dark in (False, True):
            page = page_of(self.browser, dark=dark)
            self.addCleanup(page.context.close)
            for path in self.paths:
                with self.subTest(path, dark=dark):
                    self.settled(page, path)
                    self.assertEqual(page.evaluate(LOW_CONTRAST), [])

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
        self.settled_text("/build/999", "No Build matches")

    def settled_text(self, path: str, words: str) -> None:
        self.open(path)
        expect(self.page.get_by_text(re.compile(words)).first).to_be_visible(timeout=10_000)
