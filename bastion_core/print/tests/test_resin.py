"""A part made of resin: millilitres, hours and hands by hand, where it wins, where it breaks."""

import math
import unittest
from dataclasses import replace

from manifold3d import Manifold

from bastion_core.case import Case
from bastion_core.commands.options import parse_resin_printer
from bastion_core.errors import RecipeProblem
from bastion_core.findings import Finding
from bastion_core.geometry.solid import Solid
from bastion_core.print.lay import lay_part
from bastion_core.print.profile import Profile
from bastion_core.print.resin import in_resin
from bastion_core.print.station import BetterInResin, PrintResult, PrintStation
from bastion_core.recipes import begin_all
from bastion_core.shop import Printer, Shop, Spool
from bastion_core.tests.shapes import box, tube

VAT = Printer("vat", 143, 89, 175, 3, kind="resin")
MACHINE = Printer("m", 300, 300, 400, 5, False, 100.0, 3000.0, warm_up_h=0.1)


class Resin(unittest.TestCase):
    def test_a_box_by_hand(self):
        """40 × 20 × 10 mm, tilted by 30°: least high with its 10 mm up and 20 mm across, 10 cos 30° + 20 sin 30° = 18.66 mm, raised by 5."""
        made, printer, lying = in_resin(box(40, 20, 10), [], [VAT])
        high = 10 * math.cos(math.radians(30)) + 20 * math.sin(math.radians(30))
        self.assertAlmostEqual(lying.size_mm[2], high, delta=0.02)
        self.assertEqual((made.printer, printer), ("vat", VAT))
        self.assertEqual(made.layers, math.ceil((high + 5) / 0.05))
        # 2.5 s of light and 6 s of lift a layer, six bottom layers of 30 s; 8 cm³ and 15 % of supports.
        self.assertAlmostEqual(made.hours, (made.layers * 8.5 + 6 * 27.5) / 3600, delta=1e-6)
        self.assertAlmostEqual(made.ml, 8 * 1.15, delta=0.01)
        self.assertFalse(made.hollow)
        self.assertEqual(made.hands.steps_h, 0)
        self.assertAlmostEqual(made.thinnest_mm, 10, delta=0.2)

    def test_a_thick_one_is_hollowed(self):
        # A ball of 25 mm: 65.4 cm³; its skin of 78.5 cm² by 2 mm is 15.7 cm³.
        made, _, _ = in_resin(Solid(Manifold.sphere(25, 120)), [], [VAT])
        self.assertTrue(made.hollow)
        self.assertAlmostEqual(made.ml, 15.7 * 1.15, delta=0.2)

    def test_what_it_cannot_take(self):
        self.assertIsNone(in_resin(box(150, 120, 100), [], [VAT]))
        self.assertIsNone(in_resin(box(10, 10, 10), [], []))
        with self.assertRaises(RecipeProblem):
            replace(VAT, exposure_s=0.0)

    def test_a_knob_wins_and_a_thin_plate_breaks(self):
        knob = Solid(Manifold.sphere(14, 96) + Manifold.cylinder(20, 6, 9, 64).translate([0, 0, -24]))
        laid = lay_part("knob", knob, [], [MACHINE], Profile(), resin_printers=[VAT])
        filament = laid.estimates["m"]
        self.assertFalse(laid.resin.brittle)
        by_hand = filament.hours - laid.resin.hours - 0.5 + 5 * (laid.hands(Profile()).all_h - laid.resin.hands.all_h)
        self.assertAlmostEqual(laid.resin.gain_h(filament, laid.hands(Profile())), by_hand, delta=1e-9)
        self.assertTrue(in_resin(tube(20, 0.8, 40), [], [VAT])[0].brittle)

    def test_made_of_it(self):
        laid = lay_part("box", box(40, 20, 10), [], [MACHINE], Profile(), resin_printers=[VAT], of_resin=True)
        self.assertEqual((list(laid.estimates), laid.estimates["vat"].filament_g), (["vat"], 0.0))
        self.assertEqual(laid.hands(Profile()), laid.resin.hands)
        self.assertAlmostEqual(laid.solid.size[2], 18.66, delta=0.02)
        self.assertEqual(laid.seen.sanding(Profile(layer_mm=0.05, support="none")).deep_cm2, 0)

    def test_it_is_offered_with_its_price(self):
        """By hand: 12 ml at 35 a litre are 0.42, 20 g at 20 a kilo 0.40: +0.02."""
        shop = Shop(((1, MACHINE), (2, VAT)), (Spool("pla", 900.0, 20.0),))
        self.assertEqual((shop.chosen(), shop.in_resin), ((MACHINE,), (VAT,)))
        case = Case("knob", "0" * 64, begin_all(shop, site="other"), shop=shop)
        result = PrintResult(1, 1.0, 20.0, 6.0, (), (), better_in_resin=(BetterInResin("id", "knob", 0.4, 12.0, 20.0),))
        said = next(f for f in PrintStation().findings(case, result) if f.code == "resin")
        self.assertIsInstance(said, Finding)
        self.assertIn("0.4 h less of hands, +0.02", str(said.text))
        self.assertEqual(said.remedies[0].change, {"resin": ("id",)})

    def test_as_typed(self):
        self.assertEqual(parse_resin_printer("vat:143x89x175:0.03:4"), replace(VAT, resin_layer_mm=0.03, exposure_s=4.0))
        with self.assertRaises(RecipeProblem):
            parse_resin_printer("vat:143x89")


if __name__ == "__main__":
    unittest.main()
