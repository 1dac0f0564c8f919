"""Who will wear it: measurements, what is impossible, what is unlikely."""

import json
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from scipy.special import ellipe

from bastion_core.errors import MeasureProblem
from bastion_core.measure.readings import usual_sd_mm
from bastion_core.measure.table import ROWS, TABLE, Measurement, bare_key


@dataclass(frozen=True)
class Wearer:
    """A person as the wearer file knows them; measurements in millimetres by key, others kept as they came."""

    name: str = ""
    sex: str | None = None
    mass_kg: float | None = None
    measurements: dict[str, float] = field(default_factory=dict)
    sds: dict[str, float] = field(default_factory=dict)
    """Doubt of a measurement (one standard deviation, mm) where repeats or the way it was taken tell it."""

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
        return {"name": self.name, "sex": self.sex, "mass_kg": self.mass_kg, "measurements": dict(self.measurements)} | (
            {"sds": dict(self.sds)} if self.sds else {}
        )


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
    sds = data.get("sds") or {}
    if not isinstance(sds, dict) or not all(isinstance(v, int | float) and not isinstance(v, bool) and 0 < v < 500 for v in sds.values()):
        raise MeasureProblem("“sds” in the wearer file has to be an object of millimetres by name, each over 0.")
    return Wearer(str(data.get("name") or ""), sex, None if mass is None else float(mass), kept, {str(k): float(v) for k, v in sds.items()})


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
    asked |= _head_doubts(measurements)
    for ask in (_side_doubts, _order_doubts, _share_doubts):
        for key, why in ask(measurements).items():
            asked.setdefault(key, why)
    return asked


def _head_doubts(taken: dict[str, float]) -> dict[str, str]:
    asked: dict[str, str] = {}
    breadth, length, round_mm = (taken.get(k) for k in ("head_breadth_mm", "head_length_mm", "head_circumference_mm"))
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
    return asked


SIDES_DIFFER = 0.06
"""Left and right further apart than this are asked about; common practice, no source."""


def _side_doubts(taken: dict[str, float]) -> dict[str, str]:
    asked = {}
    for row in TABLE:
        left, right = taken.get(f"left_{row.key}"), taken.get(f"right_{row.key}")
        if row.sided and left and right and abs(left - right) > SIDES_DIFFER * max(left, right):
            asked[f"right_{row.key}"] = (
                f"Left and right differ by {100 * abs(left - right) / max(left, right):.0f} % ({left:.0f} and {right:.0f} mm). Measure both once more."
            )
    return asked


_BELOW = (
    ("wrist_girth_mm", "forearm_girth_mm"), ("wrist_girth_mm", "knuckle_girth_mm"), ("ankle_girth_mm", "calf_girth_mm"),
    ("ankle_girth_mm", "heel_instep_girth_mm"), ("mid_thigh_girth_mm", "thigh_girth_mm"), ("knee_girth_mm", "thigh_girth_mm"),
    ("upper_arm_girth_mm", "upper_arm_girth_bent_mm"), ("elbow_girth_mm", "elbow_girth_bent_mm"), ("knee_girth_mm", "knee_girth_bent_mm"),
    ("thigh_girth_mm", "thigh_girth_seated_mm"), ("neck_girth_mm", "head_circumference_mm"), ("chest_girth_mm", "shoulder_girth_mm"),
)  # fmt: skip
"""Pairs of girths of which the first is never the larger one."""


def _order_doubts(taken: dict[str, float]) -> dict[str, str]:
    asked = {}
    for prefix in ("", "left_", "right_"):
        for small, large in _BELOW:
            a, b = taken.get(prefix + small), taken.get(prefix + large)
            if a and b and a > b:
                asked[prefix + small] = (
                    f"Larger than the {ROWS[large].name.lower()} ({a:.0f} over {b:.0f} mm): a ring that passes one could not pass the other. Were the two swapped?"
                )
    return asked


# Least and most as a share of stature: Drillis & Contini's mean (from memory) and a fifth each way; chin to crown after a child's and an adult's head.
_SHARES = {
    "chin_to_crown_mm": (0.09, 0.22), "crotch_height_mm": (0.38, 0.55), "knee_height_mm": (0.23, 0.34), "forearm_length_mm": (0.117, 0.19),
    "upper_arm_length_mm": (0.149, 0.225), "hand_length_mm": (0.086, 0.13), "foot_length_mm": (0.122, 0.182), "shank_length_mm": (0.19, 0.295),
    "thigh_length_mm": (0.19, 0.295), "torso_length_mm": (0.28, 0.44), "arm_length_mm": (0.26, 0.4), "shoulder_breadth_mm": (0.17, 0.28),
}  # fmt: skip


def _share_doubts(taken: dict[str, float]) -> dict[str, str]:
    stature = taken.get("stature_mm")
    if not stature:
        return {}
    asked = {}
    for key, value in taken.items():
        least, most = _SHARES.get(bare_key(key), (0.0, 9.0))
        if not least <= value / stature <= most:
            asked[key] = (
                f"Against the stature this is out of proportion: {100 * value / stature:.1f} % of it, {100 * least:.0f} to {100 * most:.0f} % is ordinary. Is one of the two in another unit?"
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


__all__ = [
    "ROWS", "TABLE", "Measurement", "Wearer", "check_possible", "doubts", "ellipse_perimeter_mm", "possible_circumferences_mm",
    "read_wearer", "wearer_from_dict",
]  # fmt: skip
