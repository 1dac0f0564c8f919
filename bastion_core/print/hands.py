"""What a print leaves for the hands, in hours by kind, until the part is ready for primer."""

from dataclasses import dataclass

from bastion_core.finish.rates import scar_min_per_cm2, step_min_per_mm_cm2

STEP_MIN_PER_MM_CM2 = step_min_per_mm_cm2()
"""Smoothing steps, by their depth and area: the figure of the finish, as it is done the usual way."""
SCAR_MIN_PER_CM2 = scar_min_per_cm2()
"""Sanding where a support was torn off: the figure of the finish."""
_TAKING_OFF_MIN, _TAKING_OFF_MIN_PER_CM2 = 2.0, 0.06
"""Taking supports off a part: begun, and by what they held; common practice, no source."""


@dataclass(frozen=True)
class Hands:
    """Hours of hands of a part, or of many."""

    supports_h: float = 0.0
    """Taking supports off."""
    scars_h: float = 0.0
    """Sanding where they touched what shows."""
    steps_h: float = 0.0
    """Sanding stair-steps and scallops on what shows."""

    @property
    def all_h(self) -> float:
        return self.supports_h + self.scars_h + self.steps_h

    def __add__(self, other: "Hands") -> "Hands":
        return Hands(self.supports_h + other.supports_h, self.scars_h + other.scars_h, self.steps_h + other.steps_h)


def hands_of(scars_cm2: float, steps_mm_cm2: float, held_mm2: float) -> Hands:
    """The hands of a printed part: scars and steps on what shows (see ``Sanding``), and what its supports hold, 0 where there are none."""
    taking_off = _TAKING_OFF_MIN + _TAKING_OFF_MIN_PER_CM2 * held_mm2 / 100 if held_mm2 > 0 else 0.0
    return Hands(taking_off / 60, SCAR_MIN_PER_CM2 * scars_cm2 / 60, STEP_MIN_PER_MM_CM2 * steps_mm_cm2 / 60)
