"""How a piece comes together in a real browser: steps, drawings, insides, things and wires, what the maker fixes, the sheet to print."""

import re
from pathlib import Path

from playwright.sync_api import expect

from bastion_core.assemble.recipe import AssembleRecipe
from bastion_core.assemble.tests.scenes import hollow
from bastion_core.tests.shapes import box
from e2e.joining import AtJoin, level

BATTERY = {"name": "battery", "part": "B", "kind": "battery", "size_mm": [40.0, 30.0, 9.0], "at_mm": [0.0, 0.0, -40.0], "to": ""}


class Assembling(AtJoin):
    """A hollow float parted level, and a block in three."""

    pieces = (
        ("Float", hollow(48, 110, 3.4), {"cuts": level(55), "scale": [1.0, 1.0, 1.0], "inside": "paint"}),
        ("Block", box(70, 50, 90), {"cuts": level(30, 60), "scale": [1.0, 1.0, 1.0]}),
    )

    def at_bench(self, name: str) -> None:
        self.open(f"/build/{self.build.id}/piece/{self.piece(name).id}/assemble")

    def steps(self):
        return self.page.get_by_role("list", name="Steps").get_by_role("button")

    def order(self) -> list[str]:
        return [s["key"] for s in self.told()["assemble_data"]["steps"]]

    def told(self, name: str = "Float") -> dict:
        return self.client.get(f"/api/pieces/{self.piece(name).id}/").json()

    def recipe(self, name: str) -> AssembleRecipe:
        return self.piece(name).of(AssembleRecipe)

    def test_the_bench_sheet_tells_how_many_steps(self):
        page = self.page
        self.open(f"/build/{self.build.id}")
        expect(page.get_by_role("columnheader", name="Bench")).to_be_visible()
        page.keyboard.press("s")
        cell = page.get_by_role("link", name=re.compile("Float, Assemble: holds"))
        expect(cell).to_contain_text(re.compile(r"5 steps"))
        cell.click()
        expect(page.get_by_role("heading", name="Assemble", level=1)).to_be_visible()
        expect(self.steps()).to_have_count(5)

    def test_an_inside_is_painted_before_it_is_closed_and_each_step_is_drawn(self):
        page = self.page
        self.at_bench("Float")
        expect(self.ledger()).to_contain_text("Once it is closed, 0 % of the inside")
        expect(self.steps()).to_have_count(5)
        seen = []
        for k in range(5):
            self.steps().nth(k).click()
            title = page.get_by_role("heading", level=2).first.inner_text()
            seen.append(title)
            drawn = page.get_by_role("img", name=re.compile(rf"^Step {k + 1}: "))
            expect(drawn).to_be_visible()
            self.assertGreater(drawn.locator("path").count(), 1, title)
        painted = [k for k, t in enumerate(seen) if t.startswith("Paint the inside")]
        closed = next(k for k, t in enumerate(seen) if t.startswith("Glue"))
        self.assertEqual(len(painted), 2)
        self.assertLess(max(painted), closed)
        self.steps().nth(closed).click()
        expect(page.get_by_text(re.compile(r"Cyanoacrylate.*held by hand until it sets"))).to_be_visible()
        expect(page.get_by_text(re.compile("Bonds skin at once"))).to_be_visible()

    def test_a_battery_is_sealed_in_and_the_remedy_is_a_seam_that_comes_off(self):
        page = self.page
        self.decide("Float", put_in=[BATTERY | {"part": self.told()["join_data"]["parts"][1]["id"], "at_mm": [0.0, 0.0, 20.0]}])
        self.work()
        self.at_bench("Float")
        expect(self.ledger()).to_contain_text("Battery is reached no more once all is glued")
        page.get_by_role("button", name="Magnets at A-B").click()
        self.work()
        expect(page.get_by_text("not computed")).to_have_count(0)
        expect(self.ledger()).not_to_contain_text("reached no more", timeout=20_000)
        expect(self.ledger()).to_contain_text("→")
        self.assertEqual(self.piece("Float").recipe.get("joints"), [], "only tried")
        page.get_by_role("button", name=re.compile("^Keep")).first.click()
        self.until(lambda: [j["kind"] for j in self.piece("Float").recipe["joints"]] == ["magnet"], "the draft is kept")
        self.assertTrue(self.told()["assemble"]["things"][0]["again"])

    def test_a_wire_is_added_and_taken_out_by_its_list(self):
        page = self.page
        self.at_bench("Float")
        page.get_by_role("button", name="Add a thing or a wire").click()
        self.choose("What", "wire")
        page.get_by_label("Name").fill("wire to the lamp")
        self.choose("To", "part B")
        page.get_by_role("button", name="Put it in").click()
        self.until(lambda: len(self.recipe("Float").put_in) == 1, "the wire is decided")
        self.work()
        expect(page.get_by_role("group", name="What goes inside")).to_contain_text(re.compile(r"wire to the lamp: step \d"), timeout=20_000)
        self.assertIn("wire to the lamp", self.order())
        page.get_by_role("button", name="Take out wire to the lamp").click()
        self.until(lambda: not self.recipe("Float").put_in, "it is taken out")

    def test_a_step_fixed_by_the_maker_holds_and_is_freed(self):
        page = self.page
        self.at_bench("Block")
        keys = [s["key"] for s in self.told("Block")["assemble_data"]["steps"]]
        sands = [k for k, key in enumerate(keys) if key.startswith("faces")]
        self.assertEqual(len(sands), 2)
        self.steps().nth(sands[1]).click()
        page.get_by_role("combobox", name="Do this before").click()
        page.get_by_role("option", name=re.compile(rf"^{sands[0] + 1}\. ")).click()
        self.until(lambda: len(self.recipe("Block").fixed) == 1, "the step is fixed")
        self.work()
        now = [s["key"] for s in self.told("Block")["assemble_data"]["steps"]]
        self.assertLess(now.index(keys[sands[1]]), now.index(keys[sands[0]]))
        chip = page.get_by_role("group", name="Decided by you").get_by_role("button")
        expect(chip).to_have_count(1, timeout=20_000)
        chip.press("Delete")
        self.until(lambda: not self.recipe("Block").fixed, "it is free again")

    def test_an_order_that_cannot_be_says_so_and_shows_the_best(self):
        self.decide("Block", fixed=[{"first": "join A-B", "then": "join B-C"}, {"first": "join B-C", "then": "join A-B"}])
        self.work()
        self.at_bench("Block")
        expect(self.ledger()).to_contain_text("This order cannot be", timeout=20_000)
        expect(self.steps()).not_to_have_count(0)
        self.page.get_by_role("button", name="Free all steps").click()
        self.until(lambda: self.piece("Block").drafts.count() == 1, "the remedy is a draft")

    def test_the_order_is_printed(self):
        page = self.page
        self.at_bench("Block")
        with page.expect_download() as download:
            page.get_by_role("link", name=re.compile("four steps a page")).click()
        content = Path(download.value.path()).read_bytes()
        self.assertTrue(content.startswith(b"%PDF"))
        self.assertGreaterEqual(content.count(b"/Type /Page\n"), 2)

    def test_a_part_that_is_not_there_any_more_is_told_and_nothing_is_lost(self):
        self.decide("Block", put_in=[BATTERY | {"part": "Q", "at_mm": None}])
        self.work()
        told = self.told("Block")
        self.assertEqual(told["stations"]["assemble"]["verdict"], "stops")
        self.assertEqual({s["state"] for s in told["stations"].values()}, {"fresh"}, "what is printed stands")
        self.at_bench("Block")
        expect(self.page.get_by_text(re.compile("no part or thing “Q”")).first).to_be_visible()
        self.page.get_by_role("button", name="Take out").click()
        self.until(lambda: not self.recipe("Block").put_in, "it is taken out")
        self.assertEqual(self.told("Block")["stations"]["assemble"]["verdict"], "holds", "as it was before")
