"""A digital caliper that is not there: readings with the noise, the low battery and the lost connection of a real one."""

from dataclasses import dataclass

import numpy as np

from bastion_core.errors import MeasureProblem

STEP_MM = 0.01
NOISE_MM = 0.4
"""What a hand adds when it closes the jaws on skin; common practice, no source."""
READINGS_PER_BATTERY = 40
LOW_FROM = 8


class CaliperLost(MeasureProblem):
    """The connection broke: nothing was read."""

    code = "caliper_lost"


@dataclass(frozen=True)
class CaliperReading:
    """One press of the send button."""

    value_mm: float
    battery: float
    """0 to 1."""
    low: bool


def read(true_mm: float, count: int, seed: int = 0, cut_off: bool = False) -> CaliperReading:
    """The ``count``-th reading (from 0) of something ``true_mm`` long.

    CaliperLost when the connection is cut or the battery is spent.
    """
    left = max(0.0, 1.0 - count / READINGS_PER_BATTERY)
    if cut_off:
        raise CaliperLost("The caliper does not answer. Bring it nearer and connect it again; what was entered so far is kept.")
    if left <= 0:
        raise CaliperLost("The caliper's battery is spent. Change it, or type the reading; what was entered so far is kept.")
    noise = np.random.default_rng([seed, count]).normal(0.0, NOISE_MM)
    value = round(round(max(true_mm + noise, 0.0) / STEP_MM) * STEP_MM, 2)
    return CaliperReading(value, left, count >= READINGS_PER_BATTERY - LOW_FROM)
