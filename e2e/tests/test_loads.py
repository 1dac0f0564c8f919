"""What comes off and what is long, in a real browser: magnets by the load with their poles, a staff that breaks and the tube that holds it."""

import re
import tempfile
from pathlib import Path

from manifold3d import Manifold
from playwright.sync_api import expect

from bastion_core.formats.stl import write_binary_stl
from bastion_core.geometry.solid import Solid
from bastion_core.join.recipe import JoinRecipe
from bastion_core.tests.shapes import box
from bastion_site.engine.cases import graph_of
from bastion_site.testing import file_of, recall, remember, shop, work_off
from e2e.tests.test_way import InTheBrowser


def figure(value: float) -> str:
    """How a value is written with one digit, halves rounded either way."""
    return "|".join(sorted({f"{value + off:.1f}".replace(".", r"\.") for off in (-0.005, 0.005)})).join(("(", ")"))


class Loads(InTheBrowser):
    """A block with a tall top, and a staff in four parts that is held at its foot."""

    def setUp(self):
        super().setUp()
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        self.build, _ = shop(small=False)
        crest = Solid(box(30, 160, 60).manifold + box(20, 150, 70, (0, 0, 60)).manifold)
        staff = Solid(Manifold.cylinder(1200, 15, 15, 48))
        self.pieces = {}
        for name, solid, site, heights in (("Crest", crest, "other", (60.0,)), ("Staff", staff, "hand_held", (300.0, 600.0, 900.0))):
            path = Path(made.name) / f"{name}.stl"
            write_binary_stl(solid.mesh(), path)
            self.client.post("/api/pieces/upload/", {"build": self.build.id, "file": file_of(path), "name": name, "site": site})
            self.pieces[name] = self.build.pieces.get(name=name)
            cuts = [{"id": f"c{k}", "point": [0, 0, z], "normal": [0, 0, 1], "limits": []} for k, z in enumerate(heights, 1)]
            self.decide(name, cuts=cuts, **({"grip_mm": 100, "swing_g": 14.0} if name == "Staff" else {}))
        recall()
        work_off()
        remember()

    def decide(self, name: str, **change) -> None:
        piece = self.build.pieces.get(name=name)
        answer = self.client.patch(f"/api/pieces/{piece.id}/", {"version": piece.version, **change}, content_type="application/json")
        self.assertEqual(answer.status_code, 200, answer.content)

    def at(self, name: str) -> None:
        self.open(f"/build/{self.build.id}/piece/{self.pieces[name].id}/join")

    def data(self, name: str):
        return graph_of(self.build.pieces.get(name=name)).data("join")

    def choose(self, label: str, option: str | re.Pattern) -> None:
        self.page.get_by_role("combobox", name=label, exact=True).click()
        self.page.get_by_role("option", name=option).click()

    def test_it_comes_off_on_magnets(self):
        page = self.page
        self.at("Crest")
        self.choose("This seam", "magnets: it comes off")
        self.work()
        off = page.get_by_role("group", name="What comes off")
        expect(off).to_contain_text(re.compile(r"comes off: \d+ g, balanced \d+ mm off the face"))
        (seam,) = self.data("Crest").seams
        closing = seam.closing
        expect(off).to_contain_text(re.compile(rf"Safety {figure(closing.safety)}, wanted 2\.0: least in {closing.pose}"))
        poles = off.get_by_role("table", name="Poles")
        expect(poles.get_by_role("row")).to_have_count(3)
        # Unlike poles face each other, and there are both.
        upper, lower = (poles.get_by_role("row").nth(k).inner_text() for k in (1, 2))
        self.assertEqual([c for c in upper if c in "+−"], [{"+": "−", "−": "+"}[c] for c in lower if c in "+−"])
        self.assertEqual({c for c in upper if c in "+−"}, {"+", "−"})
        expect(page.get_by_role("table", name="Pins and hardware")).to_contain_text("Disc magnet")
        with page.expect_download() as download:
            off.get_by_role("link", name="Pole gauge").click()
        self.assertGreater(Path(download.value.path()).stat().st_size, 1000)
        # A disc that is too weak is told with what would do.
        self.choose("Disc", "4x2 mm")
        for _ in range(100):
            if self.build.pieces.get(name="Crest").of(JoinRecipe).joints[0].magnet:
                break
            page.wait_for_timeout(100)
        self.decide("Crest", infill=1.0)
        self.work()
        self.open(page.url.removeprefix(self.live_server_url))
        if self.data("Crest").seams[0].closing.safety < 2:
            expect(self.ledger()).to_contain_text("of them would be enough")
        self.assertEqual(self.build.pieces.get(name="Crest").of(JoinRecipe).joints[0].magnet, "4x2")

    def test_a_magnet_is_moved_by_the_keys(self):
        self.decide("Crest", joints=[{"seam": "", "kind": "magnet"}])
        work_off()
        self.at("Crest")
        before = [j.position_mm for j in self.data("Crest").seams[0].joints if j.kind == "magnet"]
        knob = self.page.get_by_role("button", name=re.compile("^magnet 1 of"))
        knob.focus()
        for _ in range(3):
            self.page.keyboard.press("ArrowUp" if before[0][1] < 0 else "ArrowDown")
            self.work()
        places = self.build.pieces.get(name="Crest").of(JoinRecipe).joints[-1].at_mm
        self.assertEqual(len(places or ()), len(before))
        self.assertNotEqual(tuple((places or [()])[0]), before[0])

    def test_a_staff_that_breaks_gets_a_tube(self):
        page = self.page
        self.at("Staff")
        expect(self.ledger()).to_contain_text(re.compile(r"Swung with 14\.0 g it breaks at seam \w to \w, \d+ mm from its low end"))
        along = page.get_by_role("group", name="Along its length")
        before = self.data("Staff").long
        expect(along).to_contain_text(f"Safety {before.safety_bare:.1f} without a rod")
        self.assertLess(before.safety_bare, 1)
        expect(page.get_by_role("img", name=re.compile("^Along its length"))).to_be_visible()
        offer = before.offers[-1]
        along.get_by_role("button", name=f"Put in {offer.name}").click()
        self.work()
        after = self.data("Staff").long
        self.assertGreaterEqual(after.safety, 2)
        expect(along).to_contain_text(f"Safety {before.safety_bare:.1f} → {after.safety:.1f} with its rod")
        expect(page.get_by_role("table", name="Pins and hardware")).to_contain_text(re.compile("tube|bar"))
        # Its bore is drawn where it crosses a seam.
        page.get_by_role("option", name=re.compile("^Seam 1")).click()
        self.assertTrue(any(j.kind == "rod" for s in self.data("Staff").seams for j in s.joints))
        self.open(f"/build/{self.build.id}/")
        row = page.get_by_role("row").filter(has_text="Staff")
        expect(row).to_contain_text(f"safety {after.safety:.1f}")


class Moving(InTheBrowser):
    """Two plates in one file on a rivet, and a lantern whose foot is filled."""

    def setUp(self):
        super().setUp()
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        self.build, _ = shop(small=False)
        self.folder = Path(made.name)

    def upload(self, name: str, solid: Solid, **recipe) -> None:
        path = self.folder / f"{name}.stl"
        write_binary_stl(solid.mesh(), path)
        self.client.post(
            "/api/pieces/upload/", {"build": self.build.id, "file": file_of(path), "name": name, "site": recipe.pop("site", "other")}
        )
        piece = self.build.pieces.get(name=name)
        answer = self.client.patch(f"/api/pieces/{piece.id}/", {"version": piece.version, **recipe}, content_type="application/json")
        self.assertEqual(answer.status_code, 200, answer.content)
        work_off()
        self.open(f"/build/{self.build.id}/piece/{piece.id}/join")

    def data(self, name: str):
        return graph_of(self.build.pieces.get(name=name)).data("join")

    def test_plates_turn_until_they_meet(self):
        page = self.page
        plate = box(120, 120, 3).manifold + Manifold.cube([4.0, 4.0, 10.0]).translate([30, 20, 0])
        arm = Manifold.cube([58.0, 12.0, 3.0]).translate([-8, -6, 3.6])
        self.upload(
            "Hatch", Solid(plate + arm), scale=[1, 1, 1], moves=[{"parts": "A-B", "at_mm": [0, 0, 0], "axis": [0, 0, 1], "kind": "rivet"}]
        )
        (moved,) = self.data("Hatch").moves
        card = page.get_by_role("group", name="What moves")
        expect(card).to_contain_text(f"turns from {moved.low:.0f} to {moved.high:.0f} degrees".replace("-", "−"))
        self.assertTrue(moved.held_high != moved.held_low, "one post stops it one way")
        expect(page.get_by_role("img", name="How far B moves against A")).to_be_visible()
        expect(page.get_by_role("table", name="Pins and hardware")).to_contain_text("Rivet 3 × ")
        for kind, starts in (("SVG", b"<svg"), ("PDF", b"%PDF")):
            with page.expect_download() as download:
                card.get_by_role("link", name=kind).click()
            self.assertTrue(Path(download.value.path()).read_bytes().startswith(starts))
        # Too near an edge: said, with what to do, and nothing is lost.
        card.get_by_role("textbox", name="Back (mm)").fill("4.5")
        card.get_by_role("textbox", name="Back (mm)").press("Enter")
        self.work()
        expect(self.ledger()).to_contain_text(re.compile("comes too near an edge of [AB]"))
        expect(page.get_by_role("group", name="What moves").get_by_role("textbox", name="Back (mm)")).to_have_value("4.5")

    def test_a_lantern_gets_its_ballast(self):
        page = self.page
        lantern = Solid(Manifold.cylinder(60, 50, 50, 64) + Manifold.cylinder(250, 14, 14, 48).translate([0, 0, 60]))
        cut = {"id": "c1", "point": [0, 0, 60], "normal": [0, 0, 1], "limits": []}
        self.upload("Lantern", lantern, site="hand_held", scale=[1, 1, 1], cuts=[cut])
        before = self.data("Lantern").weight
        weight = page.get_by_role("group", name="Weight")
        expect(weight).to_contain_text(f"{before.mass_g:.0f} g as printed")
        foot = max(self.build.pieces.get(name="Lantern").of(JoinRecipe).joints, default=None)
        self.assertIsNone(foot)
        page.get_by_role("combobox", name="Fill a part").click()
        page.get_by_role("option", name="B with dry sand").click()
        self.work()
        after = self.data("Lantern").weight
        self.assertGreater(after.mass_g, before.mass_g)
        self.assertLess(after.at_mm[2], before.at_mm[2])
        expect(weight).to_contain_text(re.compile(rf"B: {after.ballast[0].grams:.0f} g of dry sand"))
        expect(weight).to_contain_text("Quartz dust harms lungs")
        weight.get_by_role("button", name="Leave it out").click()
        # As it was before: that is computed already.
        expect(weight).to_contain_text("as printed")
        self.assertEqual(self.build.pieces.get(name="Lantern").of(JoinRecipe).ballast, ())
