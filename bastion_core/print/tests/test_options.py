"""What other choices buy and cost, against the estimate carried out with them; the hands a print leaves."""

import unittest
from dataclasses import replace

from bastion_core.print.estimate import estimate
from bastion_core.print.hands import SCAR_MIN_PER_CM2, STEP_MIN_PER_MM_CM2, hands_of
from bastion_core.print.lay import lay_part
from bastion_core.print.options import choices, options, taken
from bastion_core.print.profile import Profile
from bastion_core.print.shape import shape_of
from bastion_core.shop import Printer
from bastion_core.tests.shapes import dome

MACHINE = Printer("m", 300, 300, 400, 5, False, 100.0, 3000.0, warm_up_h=0.1)


class Options(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.now = Profile()
        cls.laid = lay_part("dome", dome(80, 100, 110), [], [MACHINE], cls.now)
        parts = [(cls.laid.shape, cls.laid.seen, cls.laid.holding, MACHINE)]
        cls.told = {str(c.called): taken(replace(cls.now, **c.change), cls.now, parts) for c in choices(cls.now)}
        cls.offered = options(cls.now, parts)

    def test_each_is_what_the_part_takes_with_it(self):
        now = self.laid.estimates["m"]
        for option in self.offered:
            with self.subTest(str(option.called)):
                profile = replace(self.now, **option.change)
                alone = estimate(shape_of(self.laid.solid, profile), profile, MACHINE)
                self.assertAlmostEqual((now.hours + option.more_h) / alone.hours, 1, delta=0.01)
                self.assertAlmostEqual((now.filament_g + option.more_g) / alone.filament_g, 1, delta=0.01)
                self.assertAlmostEqual(
                    option.more_hands_h, self.told[str(option.called)].hands.all_h - self.laid.hands(self.now).all_h, delta=1e-3
                )

    def test_what_they_are_for(self):
        now = self.laid.estimates["m"]
        hands = self.laid.hands(self.now)
        self.assertGreater(self.told["Slow outer wall"].hours, now.hours)
        self.assertLess(self.told["Slow outer wall"].hands.steps_h, hands.steps_h)
        self.assertLess(self.told["Layers that follow the slope"].hands.steps_h, hands.steps_h)
        self.assertLess(self.told["5 % infill"].filament_g, now.filament_g)
        self.assertEqual(self.told["No supports"].hands.supports_h + self.told["No supports"].hands.scars_h, 0)
        self.assertGreater(self.told["A grid of supports"].filament_g, now.filament_g + 20)
        self.assertGreater(self.told["TPU"].hours, 1.5 * now.hours)
        # Handbook densities: 1.04 to 1.24 g/cm³.
        self.assertAlmostEqual(self.told["ABS"].filament_g / now.filament_g, 1.04 / 1.24, delta=1e-3)

    def test_what_is_chosen_is_offered_to_be_undone(self):
        there = {str(c.called) for c in choices(Profile(raft=True, brim_mm=4, adaptive_layers=True, support="grid", infill=0.05))}
        self.assertLessEqual({"No raft", "No brim", "The same layers throughout", "Branching supports", "15 % infill"}, there)
        self.assertFalse({"A raft", "5 % infill", "A grid of supports"} & there)


class Hands(unittest.TestCase):
    def test_by_hand(self):
        # 200 cm² that are 0.1 mm deep: 20 mm·cm² at 0.8 min; 10 cm² of scars at 0.6 min; supports under 50 cm²: 2 min and 0.06 min each.
        told = hands_of(10, 20.0, 5000)
        self.assertAlmostEqual(told.steps_h * 60, 20 * STEP_MIN_PER_MM_CM2)
        self.assertAlmostEqual(told.scars_h * 60, 10 * SCAR_MIN_PER_CM2)
        self.assertAlmostEqual(told.supports_h * 60, 2 + 50 * 0.06)
        self.assertAlmostEqual((told + told).all_h, 2 * (16 + 6 + 5) / 60)
        self.assertEqual(hands_of(0, 0, 0).all_h, 0)

    def test_a_helmet(self):
        """A practised maker smooths a helmet at 0.2 mm in about 3 h of hands, putty included: common practice, no source. Sanding is most of it."""
        laid = lay_part("helmet", dome(156, 204, 240, 3.4), [], [MACHINE], Profile())
        self.assertTrue(1.0 < laid.hands(Profile()).all_h < 3.0, laid.hands(Profile()))


if __name__ == "__main__":
    unittest.main()
