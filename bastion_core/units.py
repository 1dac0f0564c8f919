"""Lengths as makers type them, and the units files come in."""

import re
from fractions import Fraction

from bastion_core.errors import MeasureProblem

MM_PER_UNIT: dict[str, float] = {"mm": 1.0, "cm": 10.0, "in": 25.4, "m": 1000.0}

_WORDS = {"mm": "mm", "cm": "cm", "m": "m", "in": "in", "inch": "in", "inches": "in", '"': "in", "”": "in", "″": "in"}
_FEET = re.compile(r"^(?P<feet>\d+(?:\.\d+)?)\s*(?:ft|feet|foot|'|’|′)\s*(?P<rest>.*)$")
_LENGTH = re.compile(
    r"^(?:(?P<mixed>\d+)[\s-]+(?P<top>\d+)/(?P<bottom>\d+)|(?P<ntop>\d+)/(?P<nbottom>\d+)|(?P<number>\d+(?:[.,]\d+)?|[.,]\d+))"
    r"\s*(?P<unit>[a-z\"”″]*)$"
)
_HOW = "Write it like 154, 15.4 cm, 6 1/16 in or 5' 9\"."


def parse_length_mm(text: str, default_unit: str = "mm") -> float:
    """A typed length in millimetres.

    A bare number is in ``default_unit``; fractions and feet are understood.

    >>> parse_length_mm("15.4 cm"), parse_length_mm("154"), parse_length_mm("6 1/16 in")
    (154.0, 154.0, 153.9875)

    Raises MeasureProblem when the text is no length.
    """
    plain = text.strip().lower()
    feet_mm = 0.0
    feet = _FEET.match(plain)
    if feet:
        feet_mm = float(feet["feet"]) * 304.8
        plain, default_unit = feet["rest"].strip(), "in"
        if not plain:
            return feet_mm
    found = _LENGTH.match(plain)
    if not found:
        raise MeasureProblem(f"“{text}” is not a length. {_HOW}")
    unit = _WORDS.get(found["unit"] or default_unit)
    if unit is None:
        raise MeasureProblem(f"“{found['unit']}” is not a unit of length known here. {_HOW}")
    if found["mixed"]:
        bottom, value = found["bottom"], Fraction(int(found["mixed"]))
        top = int(found["top"])
    else:
        bottom, value, top = found["nbottom"], Fraction(0), int(found["ntop"] or 0)
    if bottom is not None:
        if int(bottom) == 0:
            raise MeasureProblem(f"“{text}” divides by zero. {_HOW}")
        number = float(value + Fraction(top, int(bottom)))
    else:
        number = float(found["number"].replace(",", "."))
    return round(feet_mm + number * MM_PER_UNIT[unit], 4)
