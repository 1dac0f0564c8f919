"""The surface and its plan in a real browser: regions on the stage and in the list, ways, steps ticked, what is offered, at 768 and by night."""

import re

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import expect

from bastion_core.finish.recipe import FinishRecipe
from bastion_core.formats.reading import read_mesh
from bastion_core.geometry.solid import Solid
from bastion_core.tests.shapes import BUNNY, dome
from bastion_site.prints.models import Tick
from e2e.browser import page_of
from e2e.joining import AtJoin
from e2e.tests.test_floor import AXE_RULES


class Finishing(AtJoin):
    """A cap, and a mesh that is not ours."""

    pieces = (
        ("Cap", dome(150, 190, 120, 4.0, 96), {"scale": [1.0, 1.0, 1.0]}),
        ("Scan", Solid.from_mesh(read_mesh(BUNNY).mesh), {"scale": [1.0, 1.0, 1.0]}),
    )

    def at_finish(self, name: str = "Cap") -> None:
        self.open(f"/build/{self.build.id}/piece/{self.piece(name).id}/finish")
        expect(self.page.get_by_role("heading", name="Finish", level=1)).to_be_visible()

    def told(self, name: str = "Cap") -> dict:
        return self.client.get(f"/api/pieces/{self.piece(name).id}/").json()

    def recipe(self) -> FinishRecipe:
        return self.piece("Cap").of(FinishRecipe)

    def regions(self):
        return self.page.get_by_role("table", name="Regions and their surface")

    def test_from_the_wall_to_regions_and_a_way_of_their_own(self):
        page = self.page
        self.open(f"/build/{self.build.id}")
        expect(page.get_by_role("columnheader", name="Bench")).to_be_visible()
        page.keyboard.press("s")
        self.cell("Cap", "Finish").click()
        expect(page.get_by_role("img", name=re.compile(r"^Cap in \d+ regions$"))).to_be_visible()
        told = self.told()
        self.seen("window.__stage && window.__stage.parts > 0")
        self.assertEqual(page.evaluate("window.__stage.parts"), len(told["finish_data"]["regions"]))
        expect(self.ledger()).to_contain_text(re.compile(r"[\d.]+ h of hands over \d days? at the least"))

        # chosen in the list, with a way of its own: hands move, prints stay
        name = told["finish_data"]["regions"][0]["region"]["name"]
        self.regions().get_by_role("button", name=name, exact=True).click()
        self.choose("Way here", "Brushed UV resin")
        self.until(lambda: self.recipe().schools, "the region has its own way")
        self.work()
        expect(self.regions()).to_contain_text("Brushed UV resin")
        expect(page.get_by_role("table", name="Products")).to_contain_text("brushed UV resin")
        self.assertEqual(self.told()["stations"]["print"]["state"], "fresh")
        expect(self.consequence()).to_contain_text(re.compile("hands to smooth it.*→", re.S))

        # one of the maker's own, by keyboard and list alone; named, made larger, deleted
        self.regions().get_by_role("button", name=name, exact=True).press("Enter")
        self.regions().get_by_role("button", name=name, exact=True).press("Enter")
        page.get_by_role("button", name="Own region at its middle").press("Enter")
        self.until(lambda: len(self.recipe().own_regions) == 1, "an own region")
        self.work()
        group = page.get_by_role("group", name="Region Region 1")
        self.enter(group.get_by_label(re.compile("^Reach")), "30")
        self.until(lambda: self.recipe().own_regions[0].reach_mm == 30, "it reaches further")
        self.work()
        page.get_by_role("group", name="Region Region 1").get_by_role("button", name="Delete").click()
        self.until(lambda: not self.recipe().own_regions, "deleted")

    def test_touched_on_the_stage(self):
        page = self.page
        self.at_finish()
        self.seen("window.__stage && window.__stage.parts > 0")
        page.get_by_role("button", name="Again here").click()
        self.touch(0)
        self.until(lambda: len(self.recipe().own_regions) == 1, "what the check coat shows is marked")
        mark = self.recipe().own_regions[0]
        self.assertTrue(mark.again)
        self.work()
        self.assertTrue(any(s["region_id"] == mark.id for s in self.told()["finish_data"]["steps"]))
        # a second touch adds to it; a fault costs, and twice the same is told
        self.touch(30)
        self.until(lambda: len(self.recipe().own_regions[0].places_mm) == 2, "added to it")
        self.work()
        page.get_by_role("button", name="Fault", exact=True).click()
        for k in range(2):
            self.touch(-20 - 25 * k)
            self.until(lambda k=k: len(self.recipe().faults) == k + 1, "a fault is told")
            self.work()
        expect(self.ledger()).to_contain_text("Run for the second time")
        page.get_by_role("group", name="Changed by you").get_by_role("button", name="Run 1").press("Delete")
        self.until(lambda: len(self.recipe().faults) == 1, "one is taken back")

    def touch(self, right: int) -> None:
        """Touch the piece so many pixels right of the stage's middle, once the stage shows what is computed now."""
        file = self.told()["files"]["regions"]
        self.seen(f"window.__stage && window.__stage.file.includes({file!r})")
        canvas = self.page.locator("canvas").bounding_box()
        self.page.mouse.click(canvas["x"] + canvas["width"] / 2 + right, canvas["y"] + canvas["height"] / 2)

    def test_steps_are_ticked_with_their_minutes_and_unticked(self):
        page = self.page
        self.at_finish()
        page.get_by_role("button", name="Steps", exact=True).click()
        steps = page.get_by_role("list", name="Steps")
        expect(page.get_by_role("group", name="Hours at the bench")).to_be_visible()
        first = steps.get_by_role("listitem").first
        first.get_by_role("checkbox", name=re.compile("step 1, done$")).click()
        self.until(lambda: Tick.objects.filter(undone=False).count() > 0, "ticked")
        expect(page.get_by_text(re.compile(r"^[1-9]\d* steps? ticked"))).to_be_visible()
        expect(first.get_by_role("checkbox", name=re.compile("step 1, done$"))).to_be_checked()
        first.get_by_role("checkbox", name=re.compile("step 1, done$")).click()
        self.until(lambda: Tick.objects.filter(undone=False).count() == 0, "unticked")
        # minutes teach: sanding is planned slower from then on
        second = steps.get_by_role("button", name=re.compile("^2. Sand"))
        second.click()
        self.enter(steps.get_by_label(re.compile("^Took")).first, "240")
        self.until(lambda: Tick.objects.filter(undone=False, took_min=240).exists(), "its minutes are kept")
        self.work()
        expect(steps.get_by_label(re.compile("^Took")).first).to_have_value("240")
        self.enter(steps.get_by_label(re.compile("^Took")).first, "-3")
        expect(page.get_by_text("0.1 to 1440 is possible.")).to_be_visible()

    def test_ways_beside_each_other_and_what_does_not_hold(self):
        page = self.page
        self.at_finish()
        page.get_by_role("button", name="Ways beside each other").click()
        ways = page.get_by_role("table", name="Ways beside each other")
        expect(ways.get_by_role("row")).to_have_count(1 + len(self.told()["finish_data"]["beside"]))
        ways.get_by_role("button", name="Take Brushed epoxy coat").click()
        self.until(lambda: self.recipe().school == "epoxy", "taken")
        self.work()
        expect(ways.get_by_role("button", name="Take Brushed epoxy coat")).to_have_count(0)
        self.choose("Way", "Sand, spot putty, prime")
        self.until(lambda: self.recipe().school == "putty", "back again, which is known already")
        self.choose("Primer", "catalysed filler primer")
        self.work()
        expect(self.ledger()).to_contain_text("swells what lies under it")
        page.get_by_role("button", name="Filler primer", exact=True).first.click()
        expect(page).to_have_url(re.compile("draft="))
        self.keep()
        self.assertEqual(self.recipe().primer, "primer")

    def test_an_offer_opens_as_a_draft(self):
        page = self.page
        self.at_finish()
        offers = page.get_by_role("table", name="Other decisions")
        offers.get_by_role("button", name=re.compile("^Easy-sanding PLA")).click()
        self.work()
        expect(page).to_have_url(re.compile("draft="))
        expect(self.ledger()).to_contain_text(re.compile(r"[\d.]+ h → [\d.]+ h of hands"))
        self.keep()
        self.assertEqual(self.told()["recipe"]["material"], "pla-sand")

    def test_own_sheet_of_a_product(self):
        page = self.page
        self.at_finish()
        waits = self.told()["finish"]["wait_h"]
        page.get_by_role("button", name="solvent spot putty", exact=True).click()
        self.enter(page.get_by_label("Sanded after (h)"), "12")
        self.until(lambda: self.recipe().products, "its own figures")
        self.work()
        self.assertGreater(self.told()["finish"]["wait_h"], waits + 6)
        self.enter(page.get_by_label("Sanded after (h)"), "0")
        self.said(re.compile("has no drying time"))

    def test_readable_by_all_and_on_a_tablet(self):
        self.at_finish("Scan")
        for dark in (False, True):
            page = page_of(self.browser, dark=dark, size={"width": 768, "height": 1024})
            self.addCleanup(page.context.close)
            page.goto(f"{self.live_server_url}/build/{self.build.id}/piece/{self.piece('Scan').id}/finish")
            expect(page.get_by_role("table", name="Regions and their surface")).to_be_visible()
            for view in ("Regions", "Steps", "Ways beside each other"):
                page.get_by_role("button", name=view, exact=True).click()
                found = Axe().run(page, options=AXE_RULES).response["violations"]
                self.assertEqual(
                    [(v["id"], [n["target"] for n in v["nodes"]][:3]) for v in found], [], f"{view}, {'night' if dark else 'day'}"
                )
            self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 770)
            self.assertEqual(page.faults, [])
