"""A set in the browser: files dropped together, put together, holes said what they are for, a file exchanged, a pair held by straps."""

import io
import re
import tempfile
from pathlib import Path

from manifold3d import Manifold
from PIL import Image
from playwright.sync_api import expect

from bastion_core.cut.recipe import CutRecipe
from bastion_core.cut.tests.test_sets import halves
from bastion_core.geometry.solid import Solid
from bastion_core.pieces.recipe import PiecesRecipe
from bastion_core.print.recipe import PrintRecipe
from bastion_site.builds.models import Piece
from bastion_site.testing import file_of, recall, remember, shop, stl_of, work_off
from demo.sets import harbour_back, harbour_breast
from e2e.tests.test_way import InTheBrowser

JSON = {"content_type": "application/json"}


class Sets(InTheBrowser):
    def setUp(self):
        super().setUp()
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        self.folder = Path(made.name)
        self.build, self.wearer = shop(small=False)
        recall()

    def stl(self, body: Manifold, name: str) -> Path:
        return stl_of(Solid(body), self.folder, f"{name}.stl")

    def piece(self) -> Piece:
        return Piece.objects.order_by("id").first()

    def of(self, kind):
        return self.piece().of(kind)

    def drop_set(self, *paths: Path) -> None:
        """Two files dropped at once, taken as one piece."""
        self.open(f"/build/{self.build.id}")
        self.said("Start here")
        self.page.set_input_files("input[type=file]", [str(p) for p in paths])
        self.page.get_by_role("button", name="Together they are one piece").click()
        expect(self.page).to_have_url(re.compile(r"/piece/\d+/pieces"))
        expect(self.page.get_by_role("list", name="Files of this piece").get_by_role("listitem")).to_have_count(len(paths))
        self.work()
        remember()

    def test_files_laid_apart_become_one_piece_with_holes_true_to_size(self):
        page = self.page
        lower, upper = halves()
        self.drop_set(self.stl(lower, "lower"), self.stl(upper.translate([250, 10, 5]), "upper"))

        # they lie apart: the finding puts them together, as a draft
        expect(self.ledger()).to_contain_text("These files lie apart, but faces of them match: lower with upper")
        page.get_by_role("button", name="Put them together").click()
        self.work()
        self.keep()
        remember()
        meetings = page.get_by_role("table", name="Where the files meet")
        expect(meetings).to_contain_text("lower to upper")
        expect(meetings).to_contain_text("0.00 mm")
        self.seen("window.__stage && window.__stage.parts === 2 && window.__stage.marks > 5")

        # what the holes are for: the likeliest is offered first, and all alike get it
        holes = page.get_by_role("table", name="Holes and slots")
        holes.get_by_role("button", name="6 round", exact=True).click()
        page.get_by_role("combobox", name="These 6 are for").click()
        expect(page.get_by_role("option").nth(1)).to_have_text("magnet 6 × 3 mm")
        page.get_by_role("option", name="magnet 6 × 3 mm").click()
        self.work()
        expect(holes.get_by_role("row").filter(has_text="6 round")).to_contain_text("magnet 6 × 3 mm")
        expect(holes.get_by_role("row").filter(has_text="6 round")).to_contain_text("6.30")
        self.assertEqual([u.use for u in self.of(PiecesRecipe).features], ["magnet-6x3"] * 3)

        # at this scale the other holes grew: one press makes them true
        page.get_by_role("link", name="Cut").last.click()
        expect(self.ledger()).to_contain_text("narrower by the scale")
        page.get_by_role("button", name="Make them true to size").click()
        self.work()
        self.keep()
        expect(self.ledger()).not_to_contain_text("by the scale")

        # printed as one across their face
        page.get_by_role("switch", name="Print lower and upper as one").check()
        self.work()
        expect(page.get_by_role("table", name="Parts").get_by_role("row")).to_have_count(2)
        self.assertEqual(self.of(CutRecipe).as_one, ("1-2",))
        page.get_by_role("link", name="Print").last.click()
        page.get_by_role("switch", name="Whole files lie as their designer laid them").click()
        self.until(lambda: self.of(PrintRecipe).as_supplied, "it lies as supplied")

    def test_a_file_is_exchanged_and_compared(self):
        page = self.page
        lower, upper = halves()
        self.drop_set(self.stl(lower, "lower"), self.stl(upper, "upper"))
        page.get_by_role("list", name="Files of this piece").get_by_role("button", name="lower").click()
        drilled = lower - Manifold.cylinder(60, 1.2, 1.2, 32, True).translate([-40, -17, -15])
        page.get_by_label("File in its place").set_input_files(str(self.stl(drilled, "lower second version")))
        expect(page).to_have_url(re.compile(r"\?draft="))
        self.work()
        page.keyboard.press("c")
        row = page.get_by_role("row").filter(has=page.get_by_role("rowheader", name="Files", exact=True))
        expect(row).to_contain_text("1 hole more")
        expect(row).to_contain_text("same outline")
        expect(row).to_contain_text(re.compile("To print again: [AB]; 1 part as before"))
        page.get_by_role("table", name="Drafts").get_by_role("button", name="Keep").click()
        self.until(lambda: self.of(PiecesRecipe).files[0].name == "lower second version", "the exchange was kept")

    def test_what_does_not_belong_is_left_out(self):
        page = self.page
        lower, upper = halves()
        self.drop_set(self.stl(lower, "lower"), self.stl(upper, "upper"), self.stl(Manifold.sphere(22, 40).translate([300, 0, 0]), "ball"))
        expect(self.ledger()).to_contain_text("ball touches no other file")
        page.get_by_role("button", name="Leave it out").first.click()
        self.work()
        self.keep()
        expect(page.get_by_role("list", name="Files of this piece").get_by_role("listitem")).to_have_count(2)
        expect(self.ledger()).not_to_contain_text("touches no other file")

    def test_a_bad_file_for_a_set_says_so_and_changes_nothing(self):
        page = self.page
        lower, upper = halves()
        self.drop_set(self.stl(lower, "lower"), self.stl(upper, "upper"))
        bad = {"name": "letter.stl", "mimeType": "model/stl", "buffer": b"Dear customer, your order has shipped."}
        page.get_by_label("Further file").set_input_files(bad)
        expect(page.get_by_role("alert").first).to_contain_text("This is no mesh")
        self.assertEqual(len(self.of(PiecesRecipe).files), 2)

    def test_a_picture_of_what_it_is_to_look_like(self):
        self.drop_set(*(self.stl(body, name) for body, name in zip(halves(), ("lower", "upper"), strict=True)))
        written = io.BytesIO()
        Image.new("RGB", (60, 40), "#3f6f86").save(written, "PNG")
        self.page.get_by_label("Picture", exact=True).set_input_files(
            {"name": "a.png", "mimeType": "image/png", "buffer": written.getvalue()}
        )
        expect(self.page.get_by_role("img", name=re.compile("is to look like"))).to_be_visible()
        self.page.get_by_role("button", name="Take it away").click()
        expect(self.page.get_by_role("img", name=re.compile("is to look like"))).to_have_count(0)

    def test_breast_and_back_as_a_pair(self):
        """Two pieces told to belong together: one takes the other in, straps hold them, and the fit tells what stays open between them."""
        page = self.page
        for make, name in ((harbour_breast, "Breast"), (harbour_back, "Back")):
            path = stl_of(Solid.from_mesh(make(0.05)), self.folder, f"{name}.stl")
            self.client.post("/api/pieces/upload/", {"build": self.build.id, "file": file_of(path), "name": name, "site": "chest"})
        work_off()
        self.open(f"/build/{self.build.id}/piece/{self.piece().id}/pieces")
        page.get_by_role("combobox", name="Take in another piece").click()
        page.get_by_role("option", name="Back").click()
        expect(page.get_by_role("list", name="Files of this piece").get_by_role("listitem")).to_have_count(2)
        self.work()
        expect(self.ledger()).to_contain_text("touches no other file")
        page.get_by_role("button", name="Straps hold them").click()
        self.work()
        self.keep()
        page.get_by_role("link", name="Fit").last.click()
        expect(self.ledger()).to_contain_text(re.compile(r"Open on the left: \d+ mm to \d+ mm"))
        page.get_by_role("button", name="Scale", exact=True).click()
        self.said("How it follows the body, against scale")
