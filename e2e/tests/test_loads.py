"""What comes off and what is long, in a real browser: magnets by the load with their poles, a staff that breaks and the tube that holds it."""

import re
from pathlib import Path

from manifold3d import Manifold
from playwright.sync_api import expect

from bastion_core.geometry.solid import Solid
from bastion_core.tests.shapes import box
from bastion_site.testing import work_off
from e2e.joining import AtJoin, level


def figure(value: float) -> str:
    """How a value is written with one digit, halves rounded either way."""
    return "|".join(sorted({f"{value + off:.1f}".replace(".", r"\.") for off in (-0.005, 0.005)})).join(("(", ")"))


class Loads(AtJoin):
    """A block with a tall top, and a staff in four parts that is held at its foot."""

    pieces = (
        ("Crest", Solid(box(30, 160, 60).manifold + box(20, 150, 70, (0, 0, 60)).manifold), {"cuts": level(60)}),
        (
            "Staff",
            Solid(Manifold.cylinder(1200, 15, 15, 48)),
            {"site": "hand_held", "cuts": level(300, 600, 900), "grip_mm": 100, "swing_g": 14.0},
        ),
    )

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
            if self.decided("Crest").joints[0].magnet:
                break
            page.wait_for_timeout(100)
        self.assertEqual(self.decided("Crest").joints[0].magnet, "4x2")
        self.work()
        self.decide("Crest", infill=1.0, walls=12)
        work_off()
        self.at("Crest")
        self.assertLess(self.data("Crest").seams[0].closing.safety, 2)
        expect(self.ledger()).to_contain_text("of them would be enough")

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
        places = self.decided("Crest").joints[-1].at_mm
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


PLATE = box(120, 120, 3).manifold + Manifold.cube([4.0, 4.0, 10.0]).translate([30, 20, 0])
ARM = Manifold.cube([58.0, 12.0, 3.0]).translate([-8, -6, 3.6])


class Moving(AtJoin):
    """Two plates in one file on a rivet, and a lantern to fill."""

    pieces = (
        ("Hatch", Solid(PLATE + ARM), {"scale": [1, 1, 1], "moves": [{"parts": "A-B", "at_mm": [0, 0, 0], "axis": [0, 0, 1], "kind": "rivet"}]}),
        (
            "Lantern", Solid(Manifold.cylinder(60, 50, 50, 64) + Manifold.cylinder(250, 14, 14, 48).translate([0, 0, 60])),
            {"site": "hand_held", "scale": [1, 1, 1], "cuts": level(60)},
        ),
    )  # fmt: skip

    def test_plates_turn_until_they_meet(self):
        page = self.page
        self.at("Hatch")
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
        self.at("Lantern")
        before = self.data("Lantern").weight
        weight = page.get_by_role("group", name="Weight")
        expect(weight).to_contain_text(f"{before.mass_g:.0f} g as printed")
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
        self.assertEqual(self.decided("Lantern").ballast, ())
