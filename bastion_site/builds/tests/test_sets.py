"""A set over HTTP: files join a piece, are put together, exchanged, told apart from their like; nothing of theirs is lost or left behind."""

import io
import tempfile
from pathlib import Path

from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from manifold3d import Manifold
from PIL import Image

from bastion_core.cut.tests.test_sets import halves
from bastion_core.geometry.solid import Solid
from bastion_site.builds.models import MeshFile
from bastion_site.engine.sweep import sweep
from bastion_site.testing import file_of, recall, remember, said, shop, stl_of, work_off

JSON = {"content_type": "application/json"}


class Sets(TestCase):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        made = tempfile.TemporaryDirectory()
        cls.addClassCleanup(made.cleanup)
        cls.folder = Path(made.name)
        lower, upper = halves()
        drilled = lower
        for x in (-40, -36, 38):
            drilled = drilled - Manifold.cylinder(60, 1.2, 1.2, 32, True).translate([x, -17, -15])
        cls.lower, cls.upper, cls.drilled, cls.apart, cls.ball = (
            stl_of(Solid(body), cls.folder, f"{name}.stl")
            for name, body in (
                ("block-lower", lower), ("block-upper", upper), ("block-lower v2", drilled), ("block-upper-laid", upper.translate([300, 0, 5])),
                ("ball", Manifold.sphere(25, 40).translate([400, 0, 0])),
            )
        )  # fmt: skip

    def setUp(self):
        self.build, _ = shop(small=False)
        recall()

    def piece_of(self, path: Path) -> int:
        made = self.client.post("/api/pieces/upload/", {"build": self.build.id, "file": file_of(path), "site": "other"})
        self.assertEqual(made.status_code, 201)
        return made.json()["id"]

    def told(self, piece: int) -> dict:
        return self.client.get(f"/api/pieces/{piece}/").json()

    def add(self, piece: int, path: Path) -> dict:
        answer = self.client.post(f"/api/pieces/{piece}/files/", {"file": file_of(path)})
        self.assertEqual(answer.status_code, 201, answer.content)
        (made,) = answer.json()["files"]
        return made

    def change(self, piece: int, **change):
        return self.client.patch(f"/api/pieces/{piece}/", change | {"version": self.told(piece)["version"]}, **JSON)

    def set_of(self, *paths: Path) -> int:
        """A piece of several files, computed."""
        piece = self.piece_of(paths[0])
        answer = self.change(piece, files=[*self.told(piece)["made_of"], *(self.add(piece, p) for p in paths[1:])])
        self.assertEqual(answer.status_code, 200, answer.content)
        work_off()
        remember()
        return piece

    def findings(self, piece: int, station: str) -> dict[str, dict]:
        return {f["code"]: f for f in self.told(piece)["stations"][station]["findings"]}

    def test_two_files_are_one_piece_with_two_parts(self):
        told = self.told(self.set_of(self.lower, self.upper))
        self.assertEqual(len(told["pieces"]["files"]), 2)
        self.assertEqual([m["files"] for m in told["cut"]["mates"]], [[0, 1]])
        self.assertEqual([p["files"] for p in told["cut_data"]["parts"]], [[1], [0]])
        self.assertEqual(said(told["stations"]["pieces"]["under"]), "2 files")
        zipped = self.client.get(f"/api/pieces/{told['id']}/takeaway/")
        self.assertEqual(zipped.status_code, 200)

    def test_laid_apart_they_are_put_together_by_a_remedy(self):
        piece = self.set_of(self.lower, self.apart)
        found = self.findings(piece, "pieces")["apart"]
        draft = self.client.post(
            f"/api/pieces/{piece}/drafts/", found["remedies"][0]["change"] | {"because": found["remedies"][0]["label"]}, **JSON
        )
        self.assertEqual(draft.status_code, 201, draft.content)
        work_off()
        row = self.client.get(f"/api/pieces/{piece}/drafts/").json()[0]["row"]
        self.assertEqual([f["code"] for f in row["stations"]["pieces"]["findings"]], [])
        moved = self.client.get(f"/api/drafts/{draft.json()['id']}/").json()["recipe"]["files"][1]["move_mm"]
        for is_, wanted in zip(moved, (-300, 0, -5), strict=True):
            self.assertAlmostEqual(is_, wanted, delta=0.05)

    def test_holes_that_grew_are_told_and_made_true_by_one_press(self):
        piece = self.set_of(self.lower, self.upper)
        self.change(piece, scale=[1.0, 1.0, 1.0])
        work_off()
        self.assertNotIn("grown", self.findings(piece, "cut"), "at its own size nothing grew")
        self.change(piece, scale=[1.1, 1.1, 1.1])
        work_off()
        grown = self.findings(piece, "cut")["grown"]
        self.assertIn("0.62 mm wider", said(grown["text"]))
        pockets = [h for h in self.told(piece)["holes"] if abs(h["feature"]["width_mm"] - 6.2) < 0.01]
        self.assertEqual(({h["alike"] for h in pockets}, len(pockets)), ({pockets[0]["alike"]}, 6))
        self.assertTrue(all(abs(h["width_mm"] - 6.82) < 0.01 and abs(h["depth_mm"] - 3.52) < 0.05 for h in pockets), pockets[0])
        self.assertEqual([(len(h["seat"]), h["use"], h["verdict"]) for h in pockets], [(2, None, None)] * 6)
        self.change(piece, **grown["remedies"][0]["change"])
        work_off()
        told = self.told(piece)
        self.assertNotIn("grown", self.findings(piece, "cut"))
        self.assertEqual({f["state"] for f in told["cut"]["fitted"]}, {"made"})
        uses = sorted(f["use"] for f in told["recipe"]["features"])
        self.assertEqual(uses[:3], ["magnet-6x3"] * 3)
        made = [h for h in told["holes"] if h["use"] and h["use"]["use"] == "magnet-6x3"]
        self.assertEqual({(h["verdict"], h["depth_mm"]) for h in made}, {("holds", 3.2)})
        self.assertEqual({h["width_mm"] for h in made}, {f["width_mm"] for f in told["cut"]["fitted"] if f["use"] == "magnet-6x3"})
        tongue = next(h for h in told["holes"] if h["feature"]["kind"] == "tongue")
        self.assertEqual((tongue["hollow"], tongue["use"]), (False, None))

    def test_holes_grow_as_the_piece_does_along_each_way(self):
        """By hand: round pockets upright in the file, 6.2 by 3.2 mm, at scales of 1.2, 1.0 and 1.5: (1.2 + 1.0) / 2 as wide, 1.5 as deep."""
        piece = self.set_of(self.lower, self.upper)
        self.change(piece, scale=[1.2, 1.0, 1.5])
        work_off()
        pockets = [h for h in self.told(piece)["holes"] if abs(h["feature"]["width_mm"] - 6.2) < 0.01]
        for hole in pockets:
            self.assertAlmostEqual(hole["width_mm"], 6.2 * 1.1, delta=0.02)
            self.assertAlmostEqual(hole["depth_mm"], 3.2 * 1.5, delta=0.05)

    def test_a_file_exchanged_keeps_decisions_and_tells_what_to_print_again(self):
        piece = self.set_of(self.lower, self.upper)
        self.change(piece, features=[{"at_mm": [10, 6, 0], "use": "magnet-6x3"}], walls=5)
        work_off()
        files = self.told(piece)["recipe"]["files"]
        new = self.add(piece, self.drilled)
        self.client.post(f"/api/pieces/{piece}/drafts/", {"files": [new, files[1]]}, **JSON)
        work_off()
        (draft,) = self.client.get(f"/api/pieces/{piece}/drafts/").json()
        told = draft["revision"]
        self.assertEqual((told["same_outline"], told["as_before"], len(told["again"])), (True, 1, 1))
        self.assertEqual(told["holes"][1] - told["holes"][0], 3)
        self.assertLess(told["volume_mm3"][1], told["volume_mm3"][0])
        kept = self.client.post(f"/api/drafts/{draft['id']}/keep/", {"version": self.told(piece)["version"]}, **JSON).json()
        self.assertEqual((kept["recipe"]["walls"], {f["state"] for f in kept["cut"]["fitted"]}), (5, {"made"}))
        back = self.client.post(f"/api/pieces/{piece}/undo/", {"step": kept["undo"]["id"]}, **JSON).json()
        self.assertEqual(back["recipe"]["files"], files, "the file that was exchanged is still there")

    def test_variants_are_told_apart(self):
        one, other = self.piece_of(self.lower), self.piece_of(self.drilled)
        third = self.piece_of(self.ball)
        work_off()
        remember()
        (words,) = [said(s) for s in self.told(other)["alike"]]
        self.assertIn("same outline, 3 holes more here", words)
        self.assertEqual(len(self.told(one)["alike"]), 1)
        self.assertEqual(self.told(third)["alike"], [])

    def test_another_pieces_files_are_taken_in(self):
        one, other = self.piece_of(self.lower), self.piece_of(self.upper)
        answer = self.client.post(f"/api/pieces/{one}/files/", {"piece": other}).json()
        self.assertEqual(self.change(one, files=[*self.told(one)["made_of"], *answer["files"]]).status_code, 200)
        self.client.delete(f"/api/pieces/{other}/")
        work_off()
        self.assertEqual(len(self.told(one)["pieces"]["files"]), 2, "the file stays while the set needs it")

    def test_files_that_cannot_be(self):
        piece = self.set_of(self.lower, self.upper)
        files = self.told(piece)["recipe"]["files"]
        for wrong in (
            {"sha256": "0" * 64, "name": "x"},
            {"sha256": "../../etc/passwd", "name": "x"},
            {"sha256": files[0]["sha256"], "name": "x", "body": 7},
        ):
            with self.subTest(wrong):
                answer = self.change(piece, files=[wrong, files[1]])
                if "body" not in wrong:
                    self.assertEqual((answer.status_code, answer.json()["field"]), (400, "files"))
                    continue
                work_off()
                self.assertIn("has 1 bodies", self.told(piece)["job"]["message"])
        self.assertEqual(self.client.post(f"/api/pieces/{piece}/files/", {}).status_code, 400)
        bad = SimpleUploadedFile("x.stl", b"no mesh at all")
        self.assertEqual(self.client.post(f"/api/pieces/{piece}/files/", {"file": bad}).status_code, 400)

    def test_a_broken_file_of_a_set_is_named(self):
        sheet = self.folder / "sheet.obj"
        sheet.write_text("v 0 0 0\nv 90 0 0\nv 90 40 0\nv 0 40 0\nf 1 2 3\nf 1 3 4\nf 1 2 4\nf 2 3 4\n")
        piece = self.piece_of(self.lower)
        work_off()
        before = self.told(piece)["pieces"]
        self.change(piece, files=[*self.told(piece)["made_of"], self.add(piece, sheet)])
        work_off()
        told = self.told(piece)
        self.assertIn("File 2 of the set", told["job"]["message"])
        self.assertEqual(told["pieces"], before, "what was there is still shown")

    def test_a_picture_stays_with_the_piece(self):
        piece = self.piece_of(self.lower)
        written = io.BytesIO()
        Image.new("RGB", (40, 30), "#446688").save(written, "PNG")
        answer = self.client.post(f"/api/pieces/{piece}/picture/", {"file": SimpleUploadedFile("a.png", written.getvalue())})
        name = answer.json()["picture"]
        sweep()
        self.assertTrue((settings.MEDIA_ROOT / "photos" / name).is_file())
        self.assertEqual(self.client.get(f"/api/photos/{name}").status_code, 200)
        self.assertEqual(self.client.post(f"/api/pieces/{piece}/picture/", {"file": SimpleUploadedFile("a.png", b"no")}).status_code, 400)
        self.assertEqual(self.client.delete(f"/api/pieces/{piece}/picture/").json()["picture"], "")

    def test_nothing_is_left_behind(self):
        piece = self.set_of(self.lower, self.upper)
        self.assertEqual(MeshFile.objects.count(), 2)
        self.client.delete(f"/api/pieces/{piece}/")
        self.assertEqual(MeshFile.objects.count(), 0)
