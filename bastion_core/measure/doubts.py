"""What is possible but unlikely in a person's measurements: questions for the maker, never refusals."""

from scipy.special import ellipe

from bastion_core.findings import Quantity, Said, mm, say, span_mm
from bastion_core.measure.table import ROWS, TABLE, bare_key
from bastion_core.measure.wearer import slip


def doubts(measurements: dict[str, float]) -> dict[str, Said]:
    """What is possible but unlikely: a question for the maker by measurement key. Never blocks."""
    asked: dict[str, Said] = {}
    for key, value in measurements.items():
        row = ROWS.get(key)
        if row and not row.usual_least <= value <= row.usual_most:
            usual, what = span_mm(row.usual_least, row.usual_most), slip(row, value) or say("Measure once more.")
            asked[key] = say("{} is unusual ({}). {}", mm(value), usual, what)
    asked |= _head_doubts(measurements)
    for ask in (_side_doubts, _order_doubts, _share_doubts):
        for key, why in ask(measurements).items():
            asked.setdefault(key, why)
    return asked


def _head_doubts(taken: dict[str, float]) -> dict[str, Said]:
    asked: dict[str, Said] = {}
    breadth, length, round_mm = (taken.get(k) for k in ("head_breadth_mm", "head_length_mm", "head_circumference_mm"))
    if breadth and length and breadth >= length:
        words = "The head would be wider than it is long. Was the tape's way round taken for the breadth, or the two swapped?"
        asked["head_breadth_mm"] = say(words)
    elif breadth and length and round_mm:
        least, most = possible_circumferences_mm(breadth, length)
        if not least <= round_mm <= most:
            words = "No oval of {} has this way round: it lies between {} and {}. One of the three is off."
            asked["head_circumference_mm"] = say(words, mm(breadth, length), mm(least), mm(most))
    return asked


SIDES_DIFFER = 0.06
"""Left and right further apart than this are asked about; common practice, no source."""


def _side_doubts(taken: dict[str, float]) -> dict[str, Said]:
    asked = {}
    for row in TABLE:
        left, right = taken.get(f"left_{row.key}"), taken.get(f"right_{row.key}")
        if row.sided and left and right and abs(left - right) > SIDES_DIFFER * max(left, right):
            share = Quantity((abs(left - right) / max(left, right),), "share")
            both = mm(left, right, between=" and ")
            asked[f"right_{row.key}"] = say("Left and right differ by {} ({}). Measure both once more.", share, both)
    return asked


_BELOW = (
    ("wrist_girth_mm", "forearm_girth_mm"), ("wrist_girth_mm", "knuckle_girth_mm"), ("ankle_girth_mm", "calf_girth_mm"),
    ("ankle_girth_mm", "heel_instep_girth_mm"), ("mid_thigh_girth_mm", "thigh_girth_mm"), ("knee_girth_mm", "thigh_girth_mm"),
    ("upper_arm_girth_mm", "upper_arm_girth_bent_mm"), ("elbow_girth_mm", "elbow_girth_bent_mm"), ("knee_girth_mm", "knee_girth_bent_mm"),
    ("thigh_girth_mm", "thigh_girth_seated_mm"), ("neck_girth_mm", "head_circumference_mm"), ("chest_girth_mm", "shoulder_girth_mm"),
)  # fmt: skip
"""Pairs of girths of which the first is never the larger one."""


def _order_doubts(taken: dict[str, float]) -> dict[str, Said]:
    asked = {}
    for prefix in ("", "left_", "right_"):
        for small, large in _BELOW:
            a, b = taken.get(prefix + small), taken.get(prefix + large)
            if a and b and a > b:
                words = "Larger than the {} ({}): a ring that passes one could not pass the other. Were the two swapped?"
                asked[prefix + small] = say(words, ROWS[large].name.lower(), mm(a, b, between=" over "))
    return asked


# Least and most as a share of stature: Drillis & Contini's mean (from memory) and a fifth each way; chin to crown after a child's and an adult's head.
_SHARES = {
    "chin_to_crown_mm": (0.09, 0.22), "crotch_height_mm": (0.38, 0.55), "knee_height_mm": (0.23, 0.34), "forearm_length_mm": (0.117, 0.19),
    "upper_arm_length_mm": (0.149, 0.225), "hand_length_mm": (0.086, 0.13), "foot_length_mm": (0.122, 0.182), "shank_length_mm": (0.19, 0.295),
    "thigh_length_mm": (0.19, 0.295), "torso_length_mm": (0.28, 0.44), "arm_length_mm": (0.26, 0.4), "shoulder_breadth_mm": (0.17, 0.28),
}  # fmt: skip


def _share_doubts(taken: dict[str, float]) -> dict[str, Said]:
    stature = taken.get("stature_mm")
    if not stature:
        return {}
    asked = {}
    for key, value in taken.items():
        least, most = _SHARES.get(bare_key(key), (0.0, 9.0))
        if not least <= value / stature <= most:
            words = "Against the stature this is out of proportion: {} of it, {} is ordinary. Is one of the two in another unit?"
            ordinary = Quantity((least, most), "share", between=" to ")
            asked[key] = say(words, Quantity((value / stature,), "share", 1), ordinary)
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
