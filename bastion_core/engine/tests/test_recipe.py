"""Decisions: bounds, words, flags and kept JSON, all from the one place where each stands."""

import argparse
import unittest
from dataclasses import dataclass

from bastion_core.cut.recipe import CutRecipe
from bastion_core.engine.recipe import (
    Flag,
    Recipe,
    add_flags,
    because,
    begin,
    changed,
    decision,
    decisions,
    from_flags,
    read,
    registered,
    written,
)
from bastion_core.errors import RecipeProblem
from bastion_core.fit.layers import Layer
from bastion_core.fit.recipe import FitRecipe
from bastion_core.join.recipe import JoinRecipe
from bastion_core.pieces.recipe import PiecesRecipe
from bastion_core.print.recipe import PrintRecipe
from bastion_core.recipes import begin_all, change_all, differences
from bastion_core.shop import Shop
from bastion_core.stations import DECISIONS, RECIPES


@dataclass(frozen=True)
class Coat(Recipe):
    coats: int = decision(2, "Coats", because="the coats", least=1, most=9, flag=Flag("--coats", read=int))
    thick_mm: float = decision(0.1, "Thickness", because="the thickness", unit="mm", least=0.01, most=1.0, hint="Thin it.", shop="pad_mm")
    share: float = decision(0.5, "Share", unit="share", least=0.0, most=1.0)
    finish: str = decision("matt", "Finish", choices=("matt", "gloss"), flag=Flag("--finish"))
    at_mm: tuple[float, float, float] = decision((0.0, 0.0, 0.0), "Place", unit="mm", least=-10.0, most=10.0)
    layers: tuple[Layer, ...] | None = decision(None, "Layers", because="the coats")


class Bounds(unittest.TestCase):
    def refused(self, field: str, words: str, **values):
        with self.assertRaises(RecipeProblem) as told:
            Coat(**values)
        self.assertEqual(told.exception.field, field)
        self.assertIn(words, str(told.exception))

    def test_out_of_bounds_says_which_and_what_to_do(self):
        self.refused("coats", "Coats: 12 is out of bounds (1 to 9).", coats=12)
        self.refused("thick_mm", "Thickness: 4 mm is out of bounds (0.01 to 1 mm). Thin it.", thick_mm=4.0)
        self.refused("share", "Share: 300 % is out of bounds (0 to 100 %).", share=3.0)
        self.refused("finish", "“silk” is none of matt, gloss", finish="silk")
        self.refused("at_mm", "-11 mm", at_mm=(0.0, -11.0, 0.0))

    def test_what_is_no_number_is_out_of_bounds(self):
        for value in (float("nan"), float("inf"), -float("inf")):
            self.refused("thick_mm", "out of bounds", thick_mm=value)

    def test_every_default_is_within_its_own_bounds(self):
        for kind in RECIPES:
            kind()

    def test_every_decision_has_a_name_of_its_own_and_a_label(self):
        with self.assertRaisesRegex(ValueError, "coats is a decision of"):
            registered((Coat, Coat))
        for kind in RECIPES:
            for name, known in decisions(kind).items():
                self.assertTrue(known.label, name)
                self.assertIs(DECISIONS[name], kind)


class Kept(unittest.TestCase):
    def test_written_and_read(self):
        coat = Coat(coats=3, layers=(Layer("pad", 4.0, "top"),))
        kept = written([coat])
        self.assertEqual(read(Coat, kept | {"of another recipe": 1}), coat)
        self.assertEqual(read(Coat, {}), Coat())

    def test_what_does_not_fit_is_named(self):
        for data, name in (
            ({"coats": "many"}, "coats"), ({"at_mm": [1, 2]}, "at_mm"), ({"layers": [{"name": "pad"}]}, "layers"),
            ({"layers": [{"name": "pad", "thickness_mm": 900}]}, "layers"), ({"layers": [{"name": "pad", "thickness_mm": 2, "where": "knee"}]}, "layers"),
        ):  # fmt: skip
            with self.subTest(data), self.assertRaises(RecipeProblem) as told:
                read(Coat, data)
            self.assertEqual(told.exception.field, name, str(told.exception))

    def test_a_change_is_checked_like_all_else(self):
        self.assertEqual(changed(Coat(), {"coats": 5, "cuts": None}), Coat(coats=5))
        with self.assertRaises(RecipeProblem):
            changed(Coat(), {"coats": 50})

    def test_a_new_piece_takes_what_the_shop_likes(self):
        self.assertEqual(begin(Coat, Shop(pad_mm=0.7)).thick_mm, 0.7)

    def test_what_a_change_is_called(self):
        self.assertEqual(because((Coat,), ("coats", "layers", "thick_mm", "share", "no decision")), "the coats and the thickness")

    def test_a_value_in_words(self):
        known = decisions(Coat)
        for name, value, words in (
            ("thick_mm", 0.25, "0.25 mm"),
            ("thick_mm", 1.0, "1 mm"),
            ("share", 0.5, "50 %"),
            ("coats", 3, "3"),
            ("finish", "", "none"),
        ):
            with self.subTest(name, value=value):
                self.assertEqual(str(known[name].told(value)), words)
        for kind, name, value, words in (
            (FitRecipe, "scale", (1.08, 1.08, 1.08), "108.0 %"), (FitRecipe, "scale", (1.0, 1.05, 1.0), "100.0 × 105.0 × 100.0 %"),
            (FitRecipe, "scale", None, "as suggested"), (FitRecipe, "layers", (Layer("pad", 8.0),), "pad 8.0 mm"), (FitRecipe, "shift_mm", (4.0, 0.0, -2.5), "4.0 / 0.0 / -2.5 mm"),
            (PiecesRecipe, "mirrored", True, "yes"), (PiecesRecipe, "site", "upper_arm", "upper arm"), (CutRecipe, "cuts", None, "as proposed"), (CutRecipe, "printer_ids", (3, 4), "2 printers"),
            (JoinRecipe, "pin_clearance_mm", None, "the shop's"), (PrintRecipe, "material", "petg", "PETG"), (PrintRecipe, "infill", 0.125, "12.5 %"),
        ):  # fmt: skip
            with self.subTest(name, value=value):
                self.assertEqual(str(decisions(kind)[name].told(value)), words)

    def test_every_default_can_be_told(self):
        for kind in RECIPES:
            for name, known in decisions(kind).items():
                self.assertTrue(known.told(getattr(kind(), name)).words, name)

    def test_what_differs(self):
        was = begin_all(Shop())
        now = change_all(was, {"walls": 5, "cuts": [], "scale": [1.1, 1.1, 1.1]})
        self.assertEqual(
            [(d.key, str(d.before), str(d.after)) for d in differences(was, now)],
            [("scale", "as suggested", "110.0 %"), ("cuts", "as proposed", "none"), ("walls", "3", "5")],
        )
        self.assertEqual(differences(was, was), ())


class Typed(unittest.TestCase):
    def typed(self, *words: str) -> Coat:
        parser = argparse.ArgumentParser()
        add_flags(parser, (Coat,))
        return from_flags(Coat, parser.parse_args(words))

    def test_flags(self):
        self.assertEqual(self.typed(), Coat())
        self.assertEqual(self.typed("--coats", "4", "--finish", "gloss"), Coat(coats=4, finish="gloss"))
        for words in (("--coats", "x"), ("--coats", "40")):
            with self.assertRaises(RecipeProblem):
                self.typed(*words)
