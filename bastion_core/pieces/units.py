"""Which unit a file without one was drawn in: a guess with its reason."""

import math
from dataclasses import dataclass

from bastion_core.errors import MeshProblem
from bastion_core.findings import Said, mm, say
from bastion_core.units import MM_PER_UNIT

USUAL_EXTENT_MM = {"head": 320.0, "other": 400.0}
"""Longest side of an ordinary piece; common practice, no source."""
SMALLEST_MM, LARGEST_MM = 25.0, 3000.0
"""A wearable or hand-held piece lies between a finger plate and a long staff; common practice, no source."""
ABSURD_MM = 10_000.0


@dataclass(frozen=True)
class UnitGuess:
    """``unit`` is a key of MM_PER_UNIT; ``reason`` says why, for the maker."""

    unit: str
    reason: Said
    sure: bool


def guess_unit(longest_in_file_units: float, site: str = "other") -> UnitGuess:
    """The most plausible unit for a piece whose longest side measures so much in the file.

    Millimetres whenever that gives a plausible piece (nearly all files are); otherwise the unit
    that brings it nearest to an ordinary piece. MeshProblem when no unit makes sense.
    """
    if SMALLEST_MM <= longest_in_file_units <= LARGEST_MM:
        doubt = longest_in_file_units < 60
        return UnitGuess(
            "mm",
            say(
                "as millimetres the longest side is {}{}",
                mm(longest_in_file_units),
                ": small for armor, so look whether it is in cm or inches" if doubt else ", a likely size for a piece",
            ),
            not doubt,
        )
    usual = USUAL_EXTENT_MM.get(site, USUAL_EXTENT_MM["other"])
    fitting = {
        unit: abs(math.log(longest_in_file_units * mm / usual))
        for unit, mm in MM_PER_UNIT.items()
        if SMALLEST_MM <= longest_in_file_units * mm <= LARGEST_MM
    }
    if not fitting:
        raise MeshProblem(
            f"The longest side is {longest_in_file_units:,.4g} in the file: in millimetres, centimetres, inches or metres "
            "alike that is no piece a person wears or carries. Scale it in its source and export it again."
        )
    unit = min(fitting, key=lambda u: fitting[u])
    return UnitGuess(
        unit,
        say(
            "as millimetres the longest side would be {}; in {} it is {}",
            mm(longest_in_file_units, digits=1),
            unit,
            mm(longest_in_file_units * MM_PER_UNIT[unit]),
        ),
        False,
    )


def refuse_absurd(longest_mm: float) -> None:
    """MeshProblem when a piece would be larger than anything that is carried."""
    if longest_mm > ABSURD_MM:
        raise MeshProblem(
            f"The piece would be {longest_mm / 1000:,.0f} m long. The unit is wrong: choose another one, or scale the file in its source."
        )
