"""A spool scale that is not there: readings with the noise, the wrong tare and the lost connection of a real one."""

from dataclasses import dataclass

import numpy as np

from bastion_core.errors import MeasureProblem

STEP_G, NOISE_G = 1.0, 1.2
"""Of a kitchen scale; common practice, no source."""
MOST_G = 6000.0


class ScaleLost(MeasureProblem):
    """Nothing was read."""

    code = "scale_lost"


@dataclass(frozen=True)
class ScaleReading:
    """A spool with its core on the pan."""

    gross_g: float


def read(true_g: float, count: int, seed: int = 0, cut_off: bool = False, tare_off: bool = False) -> ScaleReading:
    """The ``count``-th reading of a spool that weighs ``true_g`` with its core.

    ``tare_off``: it was switched on with the spool on it, and shows what was added since. ScaleLost when it is not connected, or shows what cannot be.
    """
    if cut_off:
        raise ScaleLost("The scale does not answer. Switch it on and connect it again; what was known of the spool is kept.")
    if true_g > MOST_G:
        raise ScaleLost(f"More than {MOST_G / 1000:g} kg lie on the scale. Weigh one spool at a time.")
    noise = np.random.default_rng([seed, count]).normal(0.0, NOISE_G)
    value = round((noise if tare_off else true_g + noise) / STEP_G) * STEP_G
    return ScaleReading(float(value))


def left_on(gross_g: float, core_g: float, net_g: float) -> float:
    """Filament on a weighed spool. ScaleLost where the reading cannot be: lighter than the bare core, or heavier than when it was new."""
    left = gross_g - core_g
    if left < -0.15 * core_g - 3 * NOISE_G:
        raise ScaleLost(
            f"The scale shows {gross_g:.0f} g, less than the bare core of {core_g:.0f} g. Empty the pan, set it to zero and weigh again, "
            "or correct the core."
        )
    if left > net_g * 1.05 + 30:
        raise ScaleLost(
            f"The scale shows {left:.0f} g beside the core of {core_g:.0f} g, more than the {net_g:.0f} g the spool came with. "
            "Set it to zero, or correct the core."
        )
    return max(left, 0.0)
