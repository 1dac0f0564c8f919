"""What a plan costs the maker until the piece is smooth: hours of printers, of hands by kind, money and risk, in one currency."""

from dataclasses import dataclass, field
from math import exp

from bastion_core.finish.rates import seam_min_per_cm
from bastion_core.finish.table import SEAM_BAND_MM
from bastion_core.print.hands import Hands
from bastion_core.shop import Weights

GLUE_MIN, GLUE_MIN_PER_CM = 4.0, 0.12
"""A seam glued and pinned: begun, and by its length; common practice, no source."""
FILL_MIN_PER_CM = seam_min_per_cm(2 * SEAM_BAND_MM)
"""Filling and sanding a seam that everybody sees: the figure of the finish; less by how little it is seen."""
FAILS_PER_H = 0.003
"""Odds of a failure in each hour of printing; common practice (prints of ten hours fail about one time in thirty), no source."""
FAILS_FOOTLESS, FAILS_TIPPING = 0.5, 0.15
"""The same, once, of a part with hardly a foot, and of one that a moving bed may tip over; common practice, no source."""


CARE_MIN_PER_CM = 4.0
"""More for what runs through relief, thin webs, openings the wearer looks through or walls that carry something: filed by hand, and weak.
Common practice, no source."""


def seam_h(cm: float, seen_cm: float, care_cm: float = 0.0) -> float:
    """Hours of hands of a seam so long, of which so much is seen, and so much takes more care."""
    return (GLUE_MIN + GLUE_MIN_PER_CM * cm + FILL_MIN_PER_CM * seen_cm + CARE_MIN_PER_CM * care_cm) / 60


def risk_h(hours: float, footless: bool = False, tipping: bool = False) -> float:
    """Hours that a print of so many costs on the average by failing: half of it, when it fails."""
    odds = 1 - exp(-FAILS_PER_H * hours) * (1 - FAILS_FOOTLESS * footless) * (1 - FAILS_TIPPING * tipping)
    return odds * hours / 2


@dataclass(frozen=True)
class Costs:
    """Of a plan, or of a part of it. They add up."""

    parts: int = 0
    hours: float = 0.0
    filament_g: float = 0.0
    support_g: float = 0.0
    hands: Hands = field(default_factory=Hands)
    seams_h: float = 0.0
    seam_cm: float = 0.0
    seen_cm: float = 0.0
    risk_h: float = 0.0
    care_cm: float = 0.0

    def __add__(self, other: "Costs") -> "Costs":
        return Costs(
            self.parts + other.parts, self.hours + other.hours, self.filament_g + other.filament_g, self.support_g + other.support_g,
            self.hands + other.hands, self.seams_h + other.seams_h, self.seam_cm + other.seam_cm, self.seen_cm + other.seen_cm,
            self.risk_h + other.risk_h, self.care_cm + other.care_cm,
        )  # fmt: skip

    @property
    def hand_h(self) -> float:
        return self.hands.all_h + self.seams_h

    def weighed(self, weights: Weights, price_per_kg: float) -> float:
        """In hours of the printer."""
        h = self.hands
        by_hand = weights.supports * h.supports_h + weights.scars * h.scars_h + weights.steps * h.steps_h + weights.seams * self.seams_h
        return self.hours + self.risk_h + by_hand + weights.money * price_per_kg * self.filament_g / 1000
