"""The station of a build's plates: who shares a bed, on which printer, and what stays where the maker laid it."""

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from string import ascii_uppercase

import shapely

from bastion_core.case import BuildCase, PrintedPiece
from bastion_core.engine.graph import Graph
from bastion_core.engine.keeping import plain
from bastion_core.engine.store import FolderStore, Ref
from bastion_core.errors import RecipeProblem
from bastion_core.findings import Finding
from bastion_core.plates.beds import Gantry, usable
from bastion_core.plates.labels import code_of, labels_pdf, letter_of
from bastion_core.plates.nest import Spot
from bastion_core.plates.recipe import HeldPlate, HeldSpot, PlatesRecipe
from bastion_core.plates.records import Plate
from bastion_core.plates.station import PlatesData, PlatesStation
from bastion_core.print.estimate import Estimate
from bastion_core.print.ground import read, written
from bastion_core.print.hands import Hands
from bastion_core.print.profile import Profile
from bastion_core.print.sanding import Seen
from bastion_core.print.shape import shape_of
from bastion_core.shop import Printer, Shop
from bastion_core.tests.shapes import box

SANDING = plain(Seen.of(shape_of(box(10, 10, 10)).mesh, Profile().holding(), []).sanding(Profile()))
HANDS = plain(Hands())
"""Of a part without any, as they are kept."""
SMALL = Printer("small", 120, 120, 150)
LARGE = Printer("large", 250, 250, 250, bed_moves=False, speed_mm_s=60.0)
VAT = Printer("vat", 120, 70, 160, 3, kind="resin")


class Store(FolderStore):
    """Prints as they would be kept, without printing anything."""

    def __init__(self, root: Path) -> None:
        super().__init__(root, {})
        self.told: dict[Ref, dict] = {}

    def data(self, ref):
        return self.told[ref] if ref in self.told else super().data(ref)


def part(number: int, size: tuple[float, float, float], hours: dict[str, float]) -> dict:
    """A part of the size, lying, as the station Print tells it."""
    name = f"block-{ascii_uppercase[number]}"
    on = {p: Estimate(h, 20.0 * h, 6.0, 1.0, int(size[2] / 0.2), {"cooling": 0.0}).__dict__ for p, h in hours.items()}
    lying = {
        "called": {"words": "", "values": []},
        "down": [0, 0, -1],
        "hours": 1,
        "support_g": 0,
        "height_mm": size[2],
        "fits": True,
        "terms": [],
    }
    return {
        "id": f"c{number}", "name": name, "file_3mf": f"parts/{name}.3mf", "file_stl": f"parts/{name}.stl", "size_mm": list(size),
        "volume_mm3": 1.0, "triangles": 12, "printer": min(hours, key=hours.get), "filament_g": 20.0, "filament_m": 6.0, "hours": 1.0, "support_g": 1.0,
        "transform": [[1, 0, 0, 0], [0, 1, 0, 0], [0, 0, 1, 0], [0, 0, 0, 1]], "on": on, "picture": "", "footprint": "",
        "ground": written(shapely.box(0, 0, size[0], size[1])), "lying": lying, "others": [], "held_mm2": 0.0, "stands_on_part": 0, "by_hand": False,
        "sanding": SANDING, "hands": HANDS, "hands_h": 0.0, "resin": None, "of_resin": "vat" in hours, "turned": [], "forming": None,
    }  # fmt: skip


class Shared(unittest.TestCase):
    def setUp(self):
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        self.store = Store(Path(made.name))
        self.pieces: list[PrintedPiece] = []

    def piece(self, sizes, hours=2.0, on=("small", "large"), **more) -> PrintedPiece:
        """A piece of blocks of these sizes, each of so many hours on these printers."""
        number = len(self.store.told) + 1
        ref = Ref("print", f"{number:032d}")
        parts = [part(k, s, {p: hours * (1.5 if p == "large" else 1.0) for p in on}) for k, s in enumerate(sizes)]
        self.store.told[ref] = {"parts": parts, "sweep": [], "options": []}
        found = PrintedPiece(number, f"Piece {number}", ref, more.pop("material", "pla"), **more)
        self.pieces.append(found)
        return found

    def plates(self, printers=(SMALL, LARGE), gantries=(), **decided) -> tuple[Plate, ...]:
        case = BuildCase(
            decided=(PlatesRecipe(**decided),), printed=tuple(self.pieces), shop=Shop(tuple(enumerate(printers, 1))), gantries=gantries
        )
        self.graph = Graph((PlatesStation(),), case, self.store)
        self.graph.carry_out()
        data: PlatesData = self.graph.data("plates")
        return data.plates

    def findings(self) -> list[str]:
        found = PlatesStation().findings(self.graph.case, self.graph.result("plates"))
        return [f.code for f in found if isinstance(f, Finding)]

    def test_alike_parts_share_and_others_do_not(self):
        self.piece([(30, 30, 10)] * 3)
        self.piece([(30, 30, 10)] * 2)
        self.piece([(30, 30, 10)], material="petg")
        self.piece([(30, 30, 10)], colour="red")
        self.piece([(30, 30, 10)], layer_mm=0.12)
        plates = self.plates((SMALL,), together="fewest")
        self.assertEqual(sorted(len(p.parts) for p in plates), [1, 1, 1, 5])
        self.assertEqual(
            {(p.material, p.colour, p.layer_mm) for p in plates},
            {("pla", "", 0.2), ("petg", "", 0.2), ("pla", "red", 0.2), ("pla", "", 0.12)},
        )
        self.assertEqual(self.graph.result("plates").bound, 4)

    def test_risk_keeps_long_prints_apart(self):
        self.piece([(30, 30, 10)] * 4, hours=20.0)
        self.assertEqual(len(self.plates((SMALL,))), 4, "20 h beside 20 h: at one failure in 250 h that loses 1.6 h more in the mean")
        self.assertEqual(len(self.plates((SMALL,), together="fewest")), 1)
        self.pieces.clear()
        self.piece([(30, 30, 10)] * 4, hours=1.0)
        self.assertEqual(len(self.plates((SMALL,))), 1)
        self.assertEqual(len(self.plates((SMALL,), together="alone")), 4)

    def test_printers_share_the_hours(self):
        self.piece([(100, 100, 10)] * 6, hours=10.0)
        plates = self.plates(together="fewest")
        hours = {p: sum(plate.hours for plate in plates if plate.printer == p) for p in ("small", "large")}
        self.assertTrue(20 < hours["small"] <= 45 and 20 < hours["large"] <= 45, hours)
        self.assertTrue(all("large" in p.on for p in plates if p.printer == "small"), "what lies on the small bed lies on the large one")
        four = next(p for p in plates if len(p.parts) > 1)
        self.assertNotIn("small", four.on)

    def test_what_must_be_ready_has_plates_of_its_own_and_comes_first(self):
        self.piece([(30, 30, 10)] * 2)
        self.piece([(30, 30, 10)] * 2)
        plates = self.plates((SMALL,), must_have=(2,))
        self.assertEqual([(p.name, p.must, {q.piece for q in p.parts}) for p in plates], [("Plate 1", True, {2}), ("Plate 2", False, {1})])

    def test_one_after_the_other(self):
        # 40 mm round the nozzle, 25 mm under the gantry: one tall part a plate at most, printed last, all so far apart.
        self.piece([(20, 20, 10), (20, 20, 60), (20, 20, 60), (20, 20, 12)])
        gantry = Gantry("large", under_mm=25.0, head_mm=40.0)
        plates = self.plates((LARGE,), (gantry,), in_turn=True, together="fewest")
        self.assertEqual(len(plates), 2)
        for plate in plates:
            self.assertEqual(plate.in_turn, len(plate.parts) > 1)
            self.assertLessEqual(sum(p.size_mm[2] > 25 for p in plate.parts), 1)
            self.assertEqual(max(plate.parts, key=lambda p: p.size_mm[2]), plate.parts[-1])
            placed = [Spot(p.turn_deg, p.x_mm, p.y_mm).place(read(p.ground)) for p in plate.parts]
            for k, one in enumerate(placed):
                self.assertTrue(all(one.distance(other) >= 39.9 for other in placed[k + 1 :]))
        self.assertFalse(any(p.in_turn for p in self.plates((LARGE,), in_turn=True)), "where nothing is known of the gantry, at once")

    def test_resin_beside_filament(self):
        self.piece([(30, 20, 40), (30, 20, 20)], hours=3.0, on=("vat",))
        self.piece([(30, 30, 10)])
        plates = self.plates((SMALL, VAT))
        resin = next(p for p in plates if p.resin)
        self.assertEqual((resin.printer, resin.material, len(resin.parts), resin.hours), ("vat", "resin", 2, 3.0))

    def test_held_plates_stay_through_all_that_changes(self):
        piece = self.piece([(30, 30, 10)] * 3)
        held = HeldPlate("small", (HeldSpot(1, "c0", 45.0, 10.0, -20.0), HeldSpot(1, "c1", 0.0, 20.0, 15.0)))
        plates = self.plates((SMALL,), held_plates=(held,))
        mine = next(p for p in plates if p.held)
        self.assertEqual(
            [(p.part, p.turn_deg, p.x_mm, p.y_mm) for p in mine.parts[:2]], [("c0", 45.0, 10.0, -20.0), ("c1", 0.0, 20.0, 15.0)]
        )
        self.assertEqual(self.findings(), [])
        self.plates((SMALL,), held_plates=(HeldPlate("small", (HeldSpot(1, "c0", 0, 0, 0), HeldSpot(1, "c1", 0, 5, 5))),))
        self.assertEqual(self.findings(), ["plates-meet"])
        self.plates((SMALL,), held_plates=(HeldPlate("small", (HeldSpot(1, "c9", 0, 0, 0), HeldSpot(7, "c0", 0, 5, 5))),))
        self.assertEqual(self.findings(), ["plates-gone"])
        self.assertEqual(piece.id, 1)
        with self.assertRaisesRegex(RecipeProblem, "two plates"):
            PlatesRecipe(held_plates=(held, held))
        with self.assertRaisesRegex(RecipeProblem, "needs a part"):
            HeldPlate("small", ())

    def test_failed_parts_are_laid_again_and_the_others_stay(self):
        first = self.piece([(40, 40, 10)] * 7)
        before = self.plates((SMALL,), together="fewest")
        self.pieces[0] = replace(first, again=("c1", "c4"))
        after = self.plates((SMALL,), together="fewest")
        self.assertEqual([p for p in after if not p.again], list(before))
        (again,) = [p for p in after if p.again]
        self.assertEqual((again.name, {p.part for p in again.parts}), ("Again 1", {"c1", "c4"}))

    def test_what_is_left_of_a_plate(self):
        self.piece([(30, 30, 10)] * 4)
        (plate,) = self.plates((SMALL,), together="fewest")
        left = plate.left({1: ("c0",)})
        self.assertEqual(len(left.parts), 3)
        self.assertAlmostEqual(left.hours / plate.hours, 0.75, places=6)
        self.assertIsNone(plate.left({1: ("c0", "c1", "c2", "c3")}))
        self.assertIs(plate.left({2: ("c0",)}), plate)

    def test_nothing_lies_beyond_any_bed_or_on_a_clip(self):
        clip = ((0.0, 0.0), (40.0, 0.0), (40.0, 30.0), (0.0, 30.0))
        self.piece([(25, 18, 10)] * 12 + [(60, 8, 10)] * 3)
        gantry = Gantry("small", (clip,))
        for plate in self.plates((SMALL,), (gantry,), together="fewest"):
            area = usable(SMALL, gantry)
            for p in plate.parts:
                self.assertTrue(area.buffer(0.02).covers(Spot(p.turn_deg, p.x_mm, p.y_mm).place(read(p.ground))))

    def test_labels(self):
        self.piece([(30, 30, 10)] * 3)
        plates = self.plates((SMALL,), together="fewest")
        sheet = labels_pdf(plates, (SMALL,), (), "Tidewrack Watch")
        self.assertTrue(sheet.startswith(b"%PDF") and sheet.rstrip().endswith(b"%%EOF"))
        self.assertEqual(sheet, labels_pdf(plates, (SMALL,), (), "Tidewrack Watch"), "the same labels, byte for byte")
        self.assertEqual(letter_of(plates[0].parts[0]), "A")
        self.assertEqual(code_of(plates[0].parts[1]), "part 1/c1 block-B")
