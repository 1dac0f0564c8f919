"""Who will wear it: measurements, what is impossible, what is unlikely."""

import json
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from bastion_core.errors import MeasureProblem
from bastion_core.findings import NOTHING, Said, mm, say, span_mm
from bastion_core.measure.readings import usual_sd_mm
from bastion_core.measure.table import ROWS, Measurement

LEAST_AGE, MOST_AGE = 2.0, 110.0


@dataclass(frozen=True)
class Wearer:
    """A person as the wearer file knows them; measurements in millimetres by key, others kept as they came."""

    name: str = ""
    sex: str | None = None
    mass_kg: float | None = None
    measurements: dict[str, float] = field(default_factory=dict)
    sds: dict[str, float] = field(default_factory=dict)
    """Doubt of a measurement (one standard deviation, mm) where repeats or the way it was taken tell it."""
    age_years: float | None = None

    def get(self, key: str, side: str = "") -> float | None:
        """A measurement in mm, or None where it was not taken.

        With ``side`` that side's own value, else the one for both, else the other side's.
        """
        if side:
            other = "left" if side == "right" else "right"
            found = (self.measurements.get(k) for k in (f"{side}_{key}", key, f"{other}_{key}"))
            return next((v for v in found if v is not None), None)
        return self.measurements.get(key)

    def sd_mm(self, key: str, side: str = "") -> float | None:
        """Doubt of a measurement that was taken: what the readings tell, else what its tool usually leaves. None when not taken."""
        value = self.get(key, side)
        if value is None:
            return None
        named = (f"{side}_{key}" if side else key, key)
        return next((self.sds[k] for k in named if k in self.sds), None) or usual_sd_mm(key, value)

    def as_dict(self) -> dict[str, Any]:
        """The wearer file's content."""
        said: dict[str, Any] = {"name": self.name, "sex": self.sex, "mass_kg": self.mass_kg, "measurements": dict(self.measurements)}
        return said | ({"sds": dict(self.sds)} if self.sds else {}) | ({"age_years": self.age_years} if self.age_years is not None else {})


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
    age = data.get("age_years")
    if age is not None and (isinstance(age, bool) or not isinstance(age, int | float) or not LEAST_AGE <= age <= MOST_AGE):
        raise MeasureProblem(f"“age_years” in the wearer file has to be between {LEAST_AGE:g} and {MOST_AGE:g}, or null, not {age!r}.")
    sds = data.get("sds") or {}
    if not isinstance(sds, dict) or not all(isinstance(v, int | float) and not isinstance(v, bool) and 0 < v < 500 for v in sds.values()):
        raise MeasureProblem("“sds” in the wearer file has to be an object of millimetres by name, each over 0.")
    doubts = {str(k): float(v) for k, v in sds.items()}
    return Wearer(
        str(data.get("name") or ""), sex, None if mass is None else float(mass), kept, doubts, None if age is None else float(age)
    )


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
        raise MeasureProblem(f"{label}: {value_mm:g} mm is not a length. Measure again.", key)
    if row and not row.least <= value_mm <= row.most:
        words = "{}: {} is outside what a person can have ({}). {}"
        what = slip(row, value_mm) or say("Look at the unit and measure again.")
        raise MeasureProblem(say(words, label, mm(value_mm), span_mm(row.least, row.most), what), key)
    return value_mm


def slip(row: Measurement, value_mm: float) -> Said:
    """A sentence when the value would be usual in another unit."""
    for factor, words in (
        (10.0, "Was it meant in cm?"),
        (25.4, "Was it meant in inches?"),
        (2.54, "Were inches written down as centimetres?"),
        (1 / 2.54, "Were centimetres written down as inches?"),
    ):
        if row.usual_least <= value_mm * factor <= row.usual_most:
            return say("{} That would be {}.", words, mm(value_mm * factor))
    return NOTHING
