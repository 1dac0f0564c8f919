"""What each decision, price and measurement makes anew: no more, and no less, than what depends on it."""

import argparse
import tempfile
import unittest
from dataclasses import fields, replace
from pathlib import Path

from bastion_core.assemble.recipe import Before, PutIn
from bastion_core.case import Case
from bastion_core.commands.options import sha256_of
from bastion_core.cut.parting import Cut
from bastion_core.cut.recipe import KeepOut
from bastion_core.engine.graph import Graph
from bastion_core.engine.memo import Memo
from bastion_core.engine.recipe import add_flags, decisions, from_flags
from bastion_core.engine.store import FolderStore
from bastion_core.errors import RecipeProblem
from bastion_core.finish.recipe import Fault, Merge, OwnRegion, SchoolFor, Split
from bastion_core.finish.table import PRODUCTS
from bastion_core.fit.bays import Bay
from bastion_core.fit.layers import Layer
from bastion_core.formats.stl import write_binary_stl
from bastion_core.join.ballast import Ballast
from bastion_core.join.held import Held
from bastion_core.join.moving import Moving
from bastion_core.join.rods import Rod
from bastion_core.pieces.recipe import FeatureUse
from bastion_core.pieces.sets import SetFile
from bastion_core.print.recipe import LiesOn, PrintRecipe, SupportPlace
from bastion_core.print.station import cost
from bastion_core.recipes import begin_all, change_all, read_all, write_all
from bastion_core.shop import Printer, Shop, Spool
from bastion_core.stations import DECISIONS, RECIPES, STATIONS
from bastion_core.tests.shapes import person, tube

OTHERWISE = {
    "pieces": {"unit": "cm", "site": "thigh", "files": (SetFile("0" * 64, "other"),)},  # where it is worn helps to guess the unit
    "fit": {
        "side": "left", "turn_x": 2, "turn_y": 2, "turn_z": 1, "mirrored": True, "made_for_mm": 1700.0, "wanted_length_mm": 190.0,
        "scale": (1.1, 1.1, 1.1), "way_in": "split", "layers": (Layer("liner", 2.0),), "bays": (Bay("led", (10.0, 8.0, 4.0)),),
        "shift_mm": (1.0, 0.0, 0.0), "turn_deg": (0.0, 0.0, 5.0), "give_mm": 3.0,
    },
    "cut": {"printer_ids": (2,), "cuts": (Cut("c1", (0.0, 0.0, 60.0), (0.0, 0.0, 1.0)),), "as_one": ("1-2",), "aim": "parts", "keep_out": (KeepOut((0.0, 0.0, 5.0)),),
        "features": (FeatureUse((0.0, 0.0, 0.0), "plug"),)},
    "join": {"pin_diameters_mm": (1.75,), "pin_clearance_mm": 0.22, "joints": (Held("", "glue"),), "marks": "none",
        "rods": (Rod("z", "steel-8"),), "ballast": (Ballast("A"),), "moves": (Moving("A-B"),)},
    "print": {"layer_mm": 0.12, "walls": 4, "infill": 0.4, "material": "petg", "as_supplied": True,
        "support": "grid", "support_bed_only": True, "brim_mm": 4.0, "raft": True, "slow_outer_wall": True,
        "adaptive_layers": True, "lying": (LiesOn("x", (0.0, 0.0, 1.0)),),
        "spared": (SupportPlace("x", (0.0, 0.0, 1.0)),), "held": (SupportPlace("x", (0.0, 0.0, 1.0)),),
        "resin": ("x",), "formed": ("x",)},
    "assemble": {"inside": "paint", "put_in": (PutIn("lamp", "A", "light"),), "visor": True, "unglued": ("A-B",), "bench_h": 5.0, "glue": "epoxy", "rim_mm": 3.0,
        "fixed": (Before("dry fit", "join A-B"),)},
    "finish": {"target": "worn", "school": "resin", "schools": (SchoolFor("dome", "epoxy"),), "pace": "first", "jumps": "wide", "power": False, "primer": "primer-water",
        "own_regions": (OwnRegion("m", "Crown", ((0.0, 0.0, 0.0),)),), "merged": (Merge((0.0, 0.0, 0.0), (0.0, 0.0, 9.0)),), "splits": (Split((0.0, 0.0, 0.0)),),
        "faults": (Fault("run", (0.0, 0.0, 0.0)),), "products": (replace(PRODUCTS["putty"], sand_h=9.0),)},
}  # fmt: skip
"""Another value for every decision, under the first station that has to be computed again for it."""

HELD_IN_THE_HAND = {"swing_g": 6.0, "grip_mm": 40.0}
"""What says something only of what is held in the hand or has rods."""


class Made(unittest.TestCase):
    """A forearm tube on two beds, carried out once."""

    @classmethod
    def setUpClass(cls):
        made = tempfile.TemporaryDirectory()
        cls.addClassCleanup(made.cleanup)
        source = Path(made.name) / "bracer.stl"
        write_binary_stl(tube(58, 3, 180, 48).mesh(), source)
        printers = (1, Printer("Small", 130, 130, 130)), (2, Printer("Other", 140, 140, 140))
        cls.shop = Shop(printers, (Spool("pla", 900.0, 20.0), Spool("petg", 900.0, 25.0)))
        decided = begin_all(cls.shop, site="forearm", side="right")
        cls.case = Case("bracer", sha256_of(source), decided, person(), shop=cls.shop)
        cls.store = FolderStore(Path(made.name) / "computed", {cls.case.sha256: source})
        cls.graph = Graph(STATIONS, cls.case, cls.store, Memo())
        cls.graph.carry_out()

    def stale(self, case: Case) -> list[str]:
        return Graph(STATIONS, case, self.store).missing()

    def decided(self, **changes) -> Case:
        recipes = tuple(replace(r, **{k: v for k, v in changes.items() if k in decisions(type(r))}) for r in self.case.decided)
        return replace(self.case, decided=recipes)


class Anew(Made):
    def test_nothing_is_made_anew_for_nothing(self):
        self.assertEqual(self.stale(self.case), [])
        again = replace(self.case, decided=read_all(write_all(self.case.decided)))
        self.assertEqual(self.stale(again), [], "kept and read again, the decisions are the same")

    def test_every_decision_makes_its_station_anew_and_none_before_it(self):
        # What straps hold together says something of a set only (cut/tests/test_sets.py); a colour only of which parts share plates.
        looked_at = {name for values in OTHERWISE.values() for name in values} | {"worn_apart", "colour", *HELD_IN_THE_HAND}
        self.assertEqual(looked_at, set(DECISIONS), "a decision is not looked at here")
        for first, values in OTHERWISE.items():
            for name, value in values.items():
                with self.subTest(name):
                    stale = self.stale(self.decided(**{name: value}))
                    self.assertEqual(stale[:1], [first], stale)

    def test_how_it_is_held_says_something_of_what_is_held(self):
        for name, value in HELD_IN_THE_HAND.items():
            self.assertEqual(self.stale(self.decided(**{name: value})), [], f"{name}: nobody holds a bracer")
        held = self.decided(rods=(Rod("z", "steel-8"),))
        Graph(STATIONS, held, self.store, Memo()).carry_out()
        for name, value in HELD_IN_THE_HAND.items():
            other = tuple(replace(r, **{name: value}) if name in decisions(type(r)) else r for r in held.decided)
            self.assertEqual(self.stale(replace(held, decided=other))[:1], ["join"])

    def test_a_printer_that_is_not_chosen_changes_nothing(self):
        chosen = self.decided(printer_ids=(1,))
        Graph(STATIONS, chosen, self.store, Memo()).carry_out()
        small, large = ((3, Printer("New", edge, edge, edge)) for edge in (160, 300))
        third, taking = (replace(chosen, shop=replace(self.shop, printers=(*self.shop.printers, p))) for p in (small, large))
        self.assertEqual(self.stale(third), [])
        self.assertEqual(self.stale(taking)[0], "cut", "it takes the whole piece, which is worth telling")
        self.assertEqual(self.stale(replace(self.case, shop=third.shop))[0], "cut", "all printers are chosen")

    def test_a_price_changes_the_cost_and_computes_nothing(self):
        printed = self.graph.result("print")
        recipe = self.case.of(PrintRecipe)
        dearer = replace(self.shop, spools=(Spool("pla", 900.0, 40.0),))
        self.assertEqual(self.stale(replace(self.case, shop=dearer)), [])
        self.assertAlmostEqual(cost(printed.filament_g, recipe, dearer), 2 * cost(printed.filament_g, recipe, self.shop))
        self.assertAlmostEqual(cost(printed.filament_g, recipe, self.shop), printed.filament_g / 1000 * 20)

    def test_walls_and_material_say_other_things_and_fit_nothing_anew(self):
        found = self.graph.result("fit")
        station = self.graph.stations["fit"]
        thin = replace(found, wall_mm=1.5)
        codes = {n: [f.code for f in station.findings(self.decided(walls=n), thin)] for n in (1, 4)}
        self.assertNotIn("thin-wall", codes[1])
        self.assertIn("thin-wall", codes[4])
        self.assertNotIn("fit", self.stale(self.decided(walls=4, material="petg")))

    def test_a_measurement_of_no_concern_cuts_nothing_anew(self):
        """A wearer whose scale comes out the same: the parts stay."""
        chosen = self.decided(scale=(1.05, 1.05, 1.05))
        Graph(STATIONS, chosen, self.store, Memo()).carry_out()
        other = person(stature=1772)
        graph = Graph(STATIONS, replace(chosen, wearer=other), self.store, Memo())
        self.assertIn("fit", graph.missing())
        graph.carry_out(only=("measure", "pieces", "fit"))
        self.assertEqual(graph.missing(), ["assemble"], "only its trials on the wearer say something else")


class PartIds(Made):
    def parts(self, *cuts: Cut) -> dict[str, float]:
        graph = Graph(STATIONS, self.decided(cuts=cuts, scale=(1.0, 1.0, 1.0)), self.store, Memo())
        graph.carry_out(only=("measure", "pieces", "fit", "cut"))
        return {p.id: p.volume_mm3 for p in graph.data("cut").parts}

    def test_a_new_cut_keeps_the_ids_of_the_parts_it_does_not_touch(self):
        level = Cut("c1", (0.0, 0.0, 90.0), (0.0, 0.0, 1.0))
        across = Cut("c2", (0.0, 0.0, 0.0), (1.0, 0.0, 0.0), (("c1", 1),))
        two, three = self.parts(level), self.parts(level, across)
        kept = two.keys() & three.keys()
        self.assertEqual((len(two), len(three), len(kept)), (2, 3, 1))
        (whole,) = kept
        self.assertAlmostEqual(two[whole], three[whole], places=3)
        self.assertAlmostEqual(sum(two.values()), sum(three.values()), delta=1e-3 * sum(two.values()))

    def test_a_moved_plane_bounds_the_same_parts(self):
        low, high = Cut("c1", (0.0, 0.0, 60.0), (0.0, 0.0, 1.0)), Cut("c2", (0.0, 0.0, 120.0), (0.0, 0.0, 1.0))
        before, after = self.parts(low, high), self.parts(low, replace(high, point=(0.0, 0.0, 125.0)))
        self.assertEqual((before.keys(), len(before)), (after.keys(), 3))
        self.assertEqual(sum(abs(before[k] - after[k]) > 1 for k in before), 2, "the part beyond the other plane is the same")


class Decided(unittest.TestCase):
    def test_every_decision_that_has_bounds_refuses_what_is_beyond_and_names_itself(self):
        looked = 0
        for kind in RECIPES:
            for name, known in decisions(kind).items():
                for bound, beyond in ((known.least, -1.0), (known.most, 1.0)):
                    value = getattr(kind(), name)
                    if bound is None or isinstance(value, bool):
                        continue
                    far = bound + beyond * max(1.0, abs(bound))
                    wrong = (far, far, far) if name in ("scale", "shift_mm", "turn_deg") else (far,) if name == "pin_diameters_mm" else far
                    with self.subTest(name), self.assertRaises(RecipeProblem) as refused:
                        kind(**{name: wrong})
                    self.assertEqual(refused.exception.field, name)
                    self.assertIn(known.label, str(refused.exception))
                    looked += 1
        self.assertGreater(looked, 15)

    def test_every_flag_gives_its_decision(self):
        parser = argparse.ArgumentParser()
        add_flags(parser, RECIPES)
        typed = {
            "scale": ["1.1x1.2x1"], "layers": ["pad@top=12"], "bays": ["led=10x8x4"], "shift_mm": ["1", "2", "3"], "turn_deg": ["4", "0", "0"],
            "infill": ["30"], "pin_diameters_mm": ["3"], "cuts": ["none"], "site": ["head"], "side": ["left"], "unit": ["cm"], "way_in": ["open"],
            "material": ["petg"], "features": ["1,2,3:magnet-6x3"], "as_one": ["1-2"], "support": ["grid"], "aim": ["parts"], "keep_out": ["1,2,3:20"],
            "joints": ["A-B=lug"], "marks": ["raised"], "glue": ["epoxy"], "rods": ["z:8"], "ballast": ["A=sand:100"], "swing_g": ["5"], "inside": ["paint"], "put_in": ["lamp@A=10x10x8"], "unglued": ["A-B"], "fixed": ["a<b"],
            "target": ["worn"], "school": ["resin"], "pace": ["first"], "jumps": ["wide"], "primer": ["primer-water"], "own_regions": ["Crown@1,2,3:20=resin"], "products": ["putty=9"],
        }  # fmt: skip
        for kind in RECIPES:
            for name, known in decisions(kind).items():
                if known.flag is None or name == "cuts":
                    continue
                with self.subTest(name):
                    words = [known.flag.name, *typed.get(name, ["2"] if isinstance(getattr(kind(), name), int) else ["0.5"])]
                    words = [known.flag.name] if getattr(kind(), name) is False else words
                    words = [known.flag.name, "1500"] if name in ("made_for_mm", "wanted_length_mm") else words
                    recipe = from_flags(kind, parser.parse_args(words))
                    self.assertNotEqual(getattr(recipe, name), getattr(kind(), name))
                    others = [f.name for f in fields(kind) if f.name != name]
                    self.assertEqual([getattr(recipe, o) for o in others], [getattr(kind(), o) for o in others])

    def test_a_change_of_several_is_called_by_all_of_them(self):
        changed = change_all(begin_all(Shop()), {"infill": 0.3, "give_mm": 1.0})
        of = {name: getattr(r, name) for r in changed for name in ("infill", "give_mm") if hasattr(r, name)}
        self.assertEqual(of, {"infill": 0.3, "give_mm": 1.0})
        with self.assertRaises(RecipeProblem) as refused:
            change_all(changed, {"layers": [{"name": "pad", "thickness_mm": 900.0}]})
        self.assertEqual(refused.exception.field, "layers")
