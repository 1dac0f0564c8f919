"""Who will wear it: measurements, what is impossible, what is unlikely."""

import json
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from scipy.special import ellipe

from bastion_core.errors import MeasureProblem


@dataclass(frozen=True)
class Measurement:
    """One row of the table of measurements. Limits in millimetres."""

    key: str
    name: str
    how: str
    least: float
    most: float
    usual_least: float
    usual_most: float
    source: str


# Possible: a child of about one year to the tallest people on record, widened. Usual: mean of the 2012 US
# Army survey -3.5 SD of the women's to +3.5 SD of the men's (from memory, medium confidence) for adults, and
# stretched downward to a child of 120 cm.
_SURVEY = (
    "ISO 8559-1 / ISO 7250-1 for the definition; usual range from the 2012 US Army survey's mean and SD (from memory), widened for children"
)
TABLE: tuple[Measurement, ...] = (
    Measurement("stature_mm", "Stature", "Barefoot against a wall, crown to floor.", 600, 2800, 1150, 2060, _SURVEY),
    Measurement(
        "head_circumference_mm",
        "Head circumference",
        "Tape above the brows and round the widest back, over the hair as worn.",
        300,
        800,
        490,
        650,
        _SURVEY,
    ),
    Measurement(
        "head_breadth_mm",
        "Head breadth",
        "Caliper or two boards: the straight distance across, above the ears. Not the tape's way round.",
        90,
        240,
        125,
        180,
        _SURVEY,
    ),
    Measurement(
        "head_length_mm", "Head length", "Straight distance from between the brows to the back of the head.", 110, 300, 160, 230, _SURVEY
    ),
    Measurement(
        "chin_to_crown_mm", "Chin to crown", "Straight height from under the chin to the top of the head.", 120, 340, 175, 270, _SURVEY
    ),
)
ROWS = {row.key: row for row in TABLE}


@dataclass(frozen=True)
class Wearer:
    """A person as the wearer file knows them; measurements in millimetres by key, others kept as they came."""

    name: str = ""
    sex: str | None = None
    mass_kg: float | None = None
    measurements: dict[str, float] = field(default_factory=dict)

    def get(self, key: str) -> float | None:
        """A measurement in mm, or None where it was not taken."""
        return self.measurements.get(key)

    def as_dict(self) -> dict[str, Any]:
        """The wearer file's content."""
        return {"name": self.name, "sex": self.sex, "mass_kg": self.mass_kg, "measurements": dict(self.measurements)}


def wearer_from_dict(data: object) -> Wearer:
    """A wearer from a wearer file's content; MeasureProblem with the field's name when something is unusable."""
    if not isinstance(data, dict):
        raise MeasureProblem("The wearer file has to hold one JSON object with “name” and “measurements”.")
    measurements = data.get("measurements", {})
    if not isinstance(measurements, dict):
        raise MeasureProblem("“measurements” in the wearer file has to be an object of millimetres by name.")
    kept: dict[str, float] = {}
    for key, value in measurements.items():
        if value is None:
            continue
        if isinstance(value, bool) or not isinstance(value, int | float):
            raise MeasureProblem(f"“{key}” in the wearer file is not a number of millimetres: {value!r}.")
        kept[str(key)] = check_possible(str(key), float(value))
    sex, mass = data.get("sex"), data.get("mass_kg")
    if sex not in (None, "female", "male"):
        raise MeasureProblem(f"“sex” in the wearer file has to be “female”, “male” or null, not {sex!r}.")
    if mass is not None and (isinstance(mass, bool) or not isinstance(mass, int | float) or not 2 <= mass <= 500):
        raise MeasureProblem(f"“mass_kg” in the wearer file has to be between 2 and 500, or null, not {mass!r}.")
    return Wearer(str(data.get("name") or ""), sex, None if mass is None else float(mass), kept)


def read_wearer(path: Path) -> Wearer:
    """The wearer in a JSON file; MeasureProblem when it cannot be read."""
    try:
        data = json.loads(path.read_text(encoding="utf-8"))
    except OSError as error:
        raise MeasureProblem(f"The wearer file {path.name} cannot be opened: {error.strerror}.") from error
    except ValueError as error:
        raise MeasureProblem(f"The wearer file {path.name} is not JSON: {error}.") from error
    return wearer_from_dict(data)


def check_possible(key: str, value_mm: float) -> float:
    """The value itself; MeasureProblem when no person can have it."""
    row = ROWS.get(key)
    label = row.name if row else key
    if not value_mm == value_mm or value_mm <= 0:
        raise MeasureProblem(f"{label}: {value_mm:g} mm is not a length. Measure again.")
    if row and not row.least <= value_mm <= row.most:
        slip = _slip(row, value_mm)
        raise MeasureProblem(
            f"{label}: {value_mm:.0f} mm is outside what a person can have ({row.least:.0f} to {row.most:.0f} mm)."
            + (f" {slip}" if slip else " Look at the unit and measure again.")
        )
    return value_mm


def _slip(row: Measurement, value_mm: float) -> str:
    """A sentence when the value would be usual in another unit."""
    for factor, words in (
        (10.0, "Was it meant in cm?"),
        (25.4, "Was it meant in inches?"),
        (2.54, "Were inches written down as centimetres?"),
        (1 / 2.54, "Were centimetres written down as inches?"),
    ):
        if row.usual_least <= value_mm * factor <= row.usual_most:
            return f"{words} That would be {value_mm * factor:.0f} mm."
    return ""


def doubts(measurements: dict[str, float]) -> dict[str, str]:
    """What is possible but unlikely: a question for the maker by measurement key. Never blocks."""
    asked: dict[str, str] = {}
    for key, value in measurements.items():
        row = ROWS.get(key)
        if row and not row.usual_least <= value <= row.usual_most:
            asked[key] = (
                f"{value:.0f} mm is unusual ({row.usual_least:.0f} to {row.usual_most:.0f} mm). {_slip(row, value) or 'Measure once more.'}"
            )
    breadth, length, round_mm = (measurements.get(k) for k in ("head_breadth_mm", "head_length_mm", "head_circumference_mm"))
    if breadth and length and breadth >= length:
        asked["head_breadth_mm"] = (
            "The head would be wider than it is long. Was the tape's way round taken for the breadth, or the two swapped?"
        )
    elif breadth and length and round_mm:
        least, most = possible_circumferences_mm(breadth, length)
        if not least <= round_mm <= most:
            asked["head_circumference_mm"] = (
                f"No oval of {breadth:.0f} × {length:.0f} mm has this way round: it lies between {least:.0f} and {most:.0f} mm. One of the three is off."
            )
    stature, chin = measurements.get("stature_mm"), measurements.get("chin_to_crown_mm")
    if stature and chin and not 0.09 <= chin / stature <= 0.22:
        asked.setdefault(
            "chin_to_crown_mm",
            "Against the stature this head would be out of proportion (ordinary is a seventh to an eighth of it, a child's a sixth).",
        )
    return asked


def ellipse_perimeter_mm(breadth_mm: float, length_mm: float) -> float:
    """Way round an ellipse of these full axes, by the complete elliptic integral of the second kind."""
    a, b = max(breadth_mm, length_mm) / 2, min(breadth_mm, length_mm) / 2
    return float(4 * a * ellipe(1 - (b / a) ** 2))


def possible_circumferences_mm(breadth_mm: float, length_mm: float) -> tuple[float, float]:
    """Least and most way round a head outline of this breadth and length.

    A convex outline is at least a rhombus through the four points and at most their rectangle; a head is never
    slimmer than the ellipse by more than a few percent nor fuller than a rounded box, so the bounds are the
    ellipse less 3 % and the mean of ellipse and rectangle (common practice, no source).
    """
    ellipse = ellipse_perimeter_mm(breadth_mm, length_mm)
    return 0.97 * ellipse, (ellipse + 2 * (breadth_mm + length_mm)) / 2
