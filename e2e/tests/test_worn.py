"""Measuring and fitting in a real browser: the sheet, the stand-ins for devices, scans, links, and pieces on their wearer."""

import json
import re
import tempfile
from pathlib import Path

import trimesh
from playwright.sync_api import expect

from bastion_core.devices.head_scanner import scan_head
from bastion_core.fit.recipe import FitRecipe
from bastion_core.fit.scene import FAR_MM
from bastion_core.formats.stl import write_binary_stl
from bastion_core.tests.shapes import MALE
from bastion_site.engine.cases import graph_of
from bastion_site.shop.models import Shop
from bastion_site.testing import shop
from bastion_site.wearers.models import Reading, Wearer
from e2e.browser import page_of
from e2e.tests.test_way import InTheBrowser
from e2e.work import computed_demo


class Sheet(InTheBrowser):
    def setUp(self):
        super().setUp()
        self.build, self.wearer = shop()
        self.open("/wearers")
        expect(self.page.get_by_label(re.compile("^Stature"))).to_have_value("1756")

    def line(self, name: str):
        return self.page.get_by_label(re.compile(f"^{name} "))

    def kept(self, key: str, value: float) -> None:
        def happened() -> bool:
            self.wearer.refresh_from_db()
            return abs(self.wearer.measurements.get(key, 0) - value) < 1e-6

        self.until(happened, f"{key} of {value}")

    def test_by_keyboard_only(self):
        page = self.page
        page.get_by_role("button", name="Arm", exact=True).focus()
        page.keyboard.press("Enter")
        left = page.get_by_label("Upper arm girth, left (mm)")
        left.focus()
        expect(page.get_by_role("img", name="Where Upper arm girth is taken")).to_be_visible()
        page.keyboard.type("31.5 cm")
        page.keyboard.press("Enter")  # down the sheet: to the right arm
        expect(page.get_by_label("Upper arm girth, right (mm)")).to_be_focused()
        page.keyboard.type("345")
        self.said(re.compile("Left and right differ by 9 %"))
        page.keyboard.press("Control+A")
        page.keyboard.type("318")
        page.get_by_label("Wrist girth, right (mm)").focus()
        page.keyboard.type("176")
        keep = page.get_by_role("button", name="Save measurements")
        for _ in range(12):  # on to the end of the arm's lines, where the sheet is kept
            if keep.evaluate("e => e === document.activeElement"):
                break
            page.keyboard.press("Enter")
            page.wait_for_timeout(60)
        expect(keep).to_be_focused()
        page.keyboard.press("Enter")
        self.kept("right_upper_arm_girth_mm", 318)
        self.kept("left_upper_arm_girth_mm", 315)
        # What was not taken is guessed, said to be so, and never kept.
        self.assertNotIn("forearm_girth_mm", self.wearer.measurements)
        page.get_by_label("Forearm girth, left (mm)").focus()
        self.said(re.compile(r"Guessed \d+ ± \d+ mm from"))

    def test_copy_across_and_repeats(self):
        page = self.page
        page.get_by_role("button", name="Leg", exact=True).click()
        page.get_by_label("Calf girth, left (mm)").fill("380")
        page.get_by_role("button", name="Calf girth: copy left to right").click()
        expect(page.get_by_label("Calf girth, right (mm)")).to_have_value("380")
        page.get_by_role("button", name="Save measurements").click()
        self.kept("right_calf_girth_mm", 380)
        page.get_by_label("Calf girth, right (mm)").focus()
        page.get_by_label("One more reading").fill("386")
        page.get_by_role("group", name="Readings of Calf girth").get_by_role("button", name="Add").click()
        self.kept("right_calf_girth_mm", 383)
        self.said(re.compile("mean of 2, spread 4.2 mm"))

    def test_the_caliper(self):
        page = self.page
        page.get_by_role("button", name="Head", exact=True).click()
        self.line("Head breadth").focus()
        page.get_by_label("Digital caliper (simulated)").check()
        self.line("Head breadth").focus()
        page.get_by_role("button", name="Send a reading").click()
        self.said(re.compile(r"Read 15[2-6]\.\d\d mm; battery 100 %"))
        expect(self.line("Head breadth")).to_have_value(re.compile(r"^15[2-6]\.\d"))
        expect(self.line("Head length")).to_be_focused()
        page.get_by_label("out of reach").check()
        page.get_by_role("button", name="Send a reading").click()
        expect(page.get_by_role("alert")).to_contain_text("does not answer")
        expect(self.line("Head breadth")).to_have_value(re.compile(r"^15[2-6]\.\d"))

    def test_a_scan_of_the_head(self):
        page = self.page
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "phone.stl"
            wearer = Wearer.objects.create(name="Scanned", measurements={"stature_mm": 1700.0, "head_breadth_mm": 158.0, "head_length_mm": 197.0, "head_circumference_mm": 579.0})  # fmt: skip
            write_binary_stl(scan_head(wearer.core(), "in", 4), path)
            page.get_by_role("button", name="Scan", exact=True).click()
            page.set_input_files("input[aria-label='Scan file']", str(path))
            card = page.get_by_role("article", name="Scan of the head")
            expect(card).to_contain_text("queued")
            self.work()
            expect(card).to_contain_text("unit found as in")
        expect(card).to_contain_text("loose bits were left out")
        expect(card.get_by_role("img", name="The scan from the side")).to_be_visible()
        self.enter(card.get_by_label(re.compile("^Hair to subtract")), "4")
        self.work()
        expect(card).to_contain_text(re.compile(r"head breadth(149|15[01])\."))
        card.get_by_role("button", name="Copy these to the sheet").click()
        page.get_by_role("button", name="Sheet", exact=True).click()
        expect(self.line("Head breadth")).to_have_value(re.compile("^(149|15[01])"))
        self.wearer.refresh_from_db()
        self.assertAlmostEqual(self.wearer.measurements["head_breadth_mm"], 150, delta=2)
        self.assertEqual(self.wearer.readings.filter(key="head_breadth_mm", state="holds").get().way, "scan")

    def test_a_scan_of_the_whole_body_is_used_as_the_body(self):
        page = self.page
        page.get_by_role("button", name="Scan", exact=True).click()
        page.get_by_label("Scan of").click()
        page.get_by_role("option", name="body").click()
        page.set_input_files("input[aria-label='Scan file']", str(MALE))
        card = page.get_by_role("article", name="Scan of the body")
        expect(card).to_contain_text("queued")
        self.work()
        expect(card).to_contain_text("shoulder girth")
        card.get_by_role("button", name="Use as the body in every fit").click()
        expect(card.get_by_role("button", name="Go back to the stand-in body")).to_be_visible()
        self.assertTrue(self.wearer.scans.get().used)

    def test_a_link_for_a_far_away_wearer(self):
        page = self.page
        page.get_by_role("button", name="Link", exact=True).click()
        page.get_by_role("button", name="Link for the whole sheet").click()
        address = page.locator("a[href^='/far/']")
        expect(address).to_be_visible()
        phone = page_of(self.browser, size={"width": 390, "height": 800})
        self.addCleanup(phone.context.close)
        phone.goto(self.live_server_url + address.get_attribute("href"))
        phone.get_by_label(re.compile("^Head breadth")).fill("15.1 cm")
        phone.get_by_label("Measured by").fill("my sister")
        phone.get_by_role("button", name="Send").click()
        expect(phone.get_by_role("status")).to_contain_text("Sent")
        self.assertLessEqual(phone.evaluate("document.documentElement.scrollWidth"), 392)
        self.assertEqual(phone.get_by_role("link").count(), 0, "the sheet leads nowhere else")
        # Nothing holds until the maker says so.
        self.wearer.refresh_from_db()
        self.assertEqual(self.wearer.measurements["head_breadth_mm"], 154.0)
        self.assertEqual(self.wearer.readings.filter(state=Reading.State.WAITS).count(), 1)
        page.reload()
        page.get_by_role("button", name="Link", exact=True).click()
        waiting = page.get_by_role("region", name="Sent in, waiting")
        expect(waiting).to_contain_text("Head breadth: 151 mm, by my sister")
        waiting.get_by_role("button", name="Accept").click()
        self.kept("head_breadth_mm", 151)
        page.get_by_role("button", name="Withdraw").click()
        self.said("withdrawn")
        phone.reload()
        expect(phone.get_by_role("alert")).to_contain_text("was withdrawn")


class Inside(InTheBrowser):
    def test_the_shops_own_table_of_what_goes_inside(self):
        page = self.page
        shop()
        self.open("/shop")
        inside = page.get_by_role("region", name="What goes inside")
        inside.get_by_label("Something else").fill("harbour bell")
        inside.get_by_role("checkbox", name="round").check()
        inside.get_by_role("button", name="Add").click()
        bell = inside.get_by_role("group", name="harbour bell")
        self.enter(bell.get_by_label(re.compile("^across")), "62")
        expect(bell.get_by_label(re.compile("^across"))).to_have_value("62")
        inside.get_by_role("button", name="Remove voice amplifier").click()
        expect(inside.get_by_role("group", name="voice amplifier")).to_have_count(0)
        kept = {b["name"]: b for b in Shop.current().bays}
        self.assertEqual((kept["harbour bell"]["size_mm"][:2], kept["harbour bell"]["round"]), ([62, 62], True))
        self.assertNotIn("voice amplifier", kept)


class OnTheBody(InTheBrowser):
    def setUp(self):
        super().setUp()
        self.build = computed_demo()

    def at(self, name: str, station: str = "fit") -> None:
        piece = self.build.pieces.get(name=name)
        self.open(f"/build/{self.build.id}/piece/{piece.id}/{station}")

    def view(self, name: str) -> None:
        self.page.get_by_role("group", name="Views").get_by_role("button", name=name, exact=True).click()

    def test_a_helm_that_fits_bare_and_fails_with_its_board(self):
        page = self.page
        self.at("Nautilus helm, signal")
        expect(self.ledger()).to_contain_text("board on a carrier needs")
        self.seen("window.__fit && window.__fit.bays === 1 && window.__fit.hasRoom")
        self.view("Sight")
        expect(page.get_by_role("img", name=re.compile("^Seen: "))).to_be_visible()
        self.view("Scale")
        self.said(re.compile("bay: board on a carrier from 11"))
        # Another scale and padding at once, without a job.
        jobs = self.build.pieces.get(name="Nautilus helm, signal").jobs.count()
        page.get_by_role("slider", name=re.compile("^Scale")).press("End")
        expect(page.get_by_role("region", name="What it would do")).to_contain_text("Every rule holds there")
        self.assertEqual(self.build.pieces.get(name="Nautilus helm, signal").jobs.count(), jobs)
        # Without the board it fits.
        page.get_by_role("button", name="Remove board on a carrier").click()
        expect(self.ledger()).to_contain_text("computing")
        self.work()
        expect(self.ledger()).not_to_contain_text("stops")
        page.get_by_role("link", name="Measure").click()
        expect(page.get_by_role("group", name="What to measure next")).to_contain_text(
            re.compile(r"three readings by a (caliper|tape) of the same would make it")
        )

    def test_a_greave_that_does_not_go_over_the_heel_and_the_remedy(self):
        page = self.page
        self.at("Heron greave left")
        expect(self.ledger()).to_contain_text("It fits where it sits, but cannot be put on. The heel and instep")
        self.view("Way in")
        expect(page.get_by_role("img", name="Tight ring: heel and instep")).to_be_visible()
        self.view("Sections")
        expect(page.get_by_role("img", name=re.compile("^Section "))).to_have_count(6)
        page.get_by_role("button", name=re.compile("^Part it lengthwise")).click()
        self.work()
        self.keep()
        expect(self.ledger()).to_contain_text(re.compile("hinged at the .*, it has to open by"))
        expect(self.ledger()).not_to_contain_text("stops")

    def test_what_is_painted_is_what_was_judged(self):
        looked = 0
        for piece in self.build.pieces.all():
            graph = graph_of(piece)
            answer = graph.data("fit").answer
            if answer is None or answer.room.least_mm is None:
                continue
            scene = trimesh.load(graph.store.folder(graph.ref("fit")) / "fit.glb")
            painted = float(scene.geometry["body"].vertex_attributes["_ROOM"].min())
            with self.subTest(piece.name):
                self.assertAlmostEqual(painted, max(answer.room.least_mm, -FAR_MM), delta=0.01)
            looked += 1
        self.assertGreaterEqual(looked, 10)

    def test_the_suit_table(self):
        page = self.page
        self.open(f"/build/{self.build.id}")
        page.get_by_role("link", name="Suit").click()
        self.said(re.compile("First guess from the statures: 92.0 %"))
        table = page.get_by_role("table", name="Suit")
        expect(table.get_by_role("row", name="Heron greave left")).to_contain_text("needs 12")
        expect(table.get_by_role("row", name="Nautilus helm, second watch")).to_contain_text("needs 11")
        row = table.get_by_role("row", name="Kelp bracer left")
        self.enter(row.get_by_label(re.compile("^scale")), "100")
        self.decided(self.build.pieces.get(name="Kelp bracer left"), FitRecipe, lambda r: r.scale == (1.0, 1.0, 1.0), "the bracer's scale")
        self.work()
        expect(row).to_contain_text("needs 10")

    def test_moving_in_the_suit(self):
        page = self.page
        self.open(f"/build/{self.build.id}/suit")
        moving = page.get_by_role("region", name="Moving in it")
        elbow = moving.get_by_role("article", name="left elbow bent")
        self.work()
        expect(elbow).to_contain_text(re.compile(r"\d+° until Kelp bracer left meets Wave pauldron left"))
        expect(elbow.get_by_role("img", name=re.compile("at rest and at"))).to_be_visible()
        nod = moving.get_by_role("article", name="head nodded")
        expect(nod).to_contain_text("Spray gorget")
        expect(moving).to_contain_text("Left out, as they are not judged yet or worn by somebody else: Nautilus helm, second watch")
        self.at("Kelp bracer left")
        self.view("Moving")
        self.said(re.compile(r"Left elbow bent: \d+° until its rim meets the upper arm"))
        expect(page.get_by_role("article", name="left elbow bent")).to_be_visible()

    def test_a_piece_dragged_and_turned_on_the_stage(self):
        page = self.page
        piece, twin = (self.build.pieces.get(name=f"Heron shin {side}") for side in ("left", "right"))

        def drag(mode: str, dx: int, dy: int) -> None:
            self.at("Heron shin left")
            self.seen("window.__fit && window.__fit.hasRoom")
            stage = page.locator("canvas").bounding_box()
            middle = stage["x"] + stage["width"] / 2, stage["y"] + stage["height"] / 2
            page.get_by_role("group", name="Dragging").get_by_role("button", name=mode).click()
            page.mouse.move(*middle)
            page.mouse.down()
            page.mouse.move(middle[0] + dx, middle[1] + dy)
            page.mouse.up()
            expect(page.get_by_role("button", name="Look", exact=True)).to_have_attribute("aria-pressed", "true")
            self.work()
            for one in (piece, twin):
                one.refresh_from_db()

        drag("Move", 0, -40)
        x, y, z = piece.of(FitRecipe).shift_mm
        self.assertGreater(z, 5)
        self.assertEqual(twin.of(FitRecipe).shift_mm, (-x, y, z))
        drag("Turn", 40, 0)
        turned = piece.of(FitRecipe).turn_deg[2]
        self.assertAlmostEqual(turned, 10, delta=0.6)
        self.assertEqual(twin.of(FitRecipe).turn_deg[2], -turned)
        seat = page.get_by_role("group", name="Seat")
        expect(seat.get_by_label(re.compile("^Yaw"))).to_have_value(re.compile("^(9.5|10|10.5)$"))
        seat.get_by_role("button", name="Reset").click()
        self.work()
        piece.refresh_from_db()
        self.assertEqual((piece.of(FitRecipe).shift_mm, piece.of(FitRecipe).turn_deg), ((0, 0, 0), (0, 0, 0)))

    def test_ring_and_log(self):
        page = self.page
        self.at("Nautilus helm")
        self.view("Try out")
        self.said(re.compile(r"\d+ min, \d+ g instead of"))
        with page.expect_download() as download:
            page.get_by_role("link", name="Download the ring").click()
        ring = trimesh.load(download.value.path(), file_type="stl")
        self.assertTrue(ring.is_watertight)
        self.assertAlmostEqual(ring.extents[2], 10, delta=0.01)
        page.get_by_role("textbox", name="Where").fill("brow")
        page.get_by_label("What was done").fill("thinner pad in front")
        page.get_by_role("button", name="Note it").click()
        entry = page.get_by_role("listitem").filter(has_text="thinner pad in front")
        expect(entry).to_contain_text("Predicted that day: holds")
        kept = self.build.pieces.get(name="Nautilus helm").test_fits.get()
        self.assertEqual((kept.where, json.loads(json.dumps(kept.predicted))["verdict"]), ("brow", "holds"))

    def test_layers_and_the_seat(self):
        page = self.page
        self.at("Kelp bracer left")
        self.enter(page.get_by_label(re.compile("^Left")), "4")
        self.work()
        piece = self.build.pieces.get(name="Kelp bracer left")
        self.assertEqual(piece.of(FitRecipe).shift_mm, (4.0, 0.0, 0.0))
        group = page.get_by_role("group", name="Layers between")
        group.get_by_label("Add a layer").click()
        page.get_by_role("option", name="liner").click()
        self.work()
        piece.refresh_from_db()
        self.assertEqual([x.name for x in piece.of(FitRecipe).layers], ["suit", "liner"])
