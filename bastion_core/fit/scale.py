"""How big: pieces that are not helmets, and what any chosen scale brings with it."""

from dataclasses import dataclass

from bastion_core.errors import RecipeProblem

MADE_FOR_MM = 1830.0
"""Stature most files are drawn for; common practice, no source."""
LEAST_SCALE, MOST_SCALE = 0.05, 20.0
WORTH_A_WORD = 0.01
"""Axis scales further apart than this are told as a distortion."""
LINE_WIDTH_MM = 0.45


@dataclass(frozen=True)
class ScaleChoice:
    """A scale with its reason; ``verdict`` is holds, tight or stops."""

    scale: tuple[float, float, float]
    suggested: float
    reason: str
    verdict: str
    warnings: tuple[str, ...]


def check_scale(scale: tuple[float, float, float]) -> None:
    """RecipeProblem when a scale is out of all bounds."""
    for axis, value in zip("xyz", scale, strict=True):
        if not LEAST_SCALE <= value <= MOST_SCALE:
            raise RecipeProblem(
                f"A scale of {value:g} along {axis} is out of bounds ({LEAST_SCALE:g} to {MOST_SCALE:g}). If the file came in the wrong unit, change that instead."
            )


def scale_by_stature(stature_mm: float | None, made_for_mm: float = MADE_FOR_MM) -> tuple[float, str]:
    """First guess for a piece without a measurement of its own: ratio of statures, and the reason in words."""
    if stature_mm is None:
        return 1.0, "no stature is taken, so the file's own size stands"
    return stature_mm / made_for_mm, f"stature {stature_mm:.0f} mm against the {made_for_mm:.0f} mm the model was made for"


def scale_to_length(longest_mm: float, wanted_mm: float) -> tuple[float, str]:
    """The scale at which the longest side gets the wanted length, and the reason in words."""
    if wanted_mm <= 0:
        raise RecipeProblem("The wanted length has to be more than 0 mm.")
    return wanted_mm / longest_mm, f"longest side from {longest_mm:.0f} to {wanted_mm:.0f} mm"


def scale_warnings(scale: tuple[float, float, float], thinnest_wall_mm: float | None, walls: int) -> list[str]:
    """What the scale does that a maker wants to know: distortion, and walls too thin to print."""
    told = []
    if max(scale) / min(scale) > 1 + WORTH_A_WORD:
        told.append(
            f"The axes are scaled apart by {100 * (max(scale) / min(scale) - 1):.1f} %: round things turn oval. Accepted for limbs, disliked for helmets."
        )
    if thinnest_wall_mm is not None:
        thin = thinnest_wall_mm * min(scale)
        if thin < 2 * LINE_WIDTH_MM:
            told.append(f"The thinnest wall comes out at {thin:.2f} mm, under two lines of {LINE_WIDTH_MM} mm: it will not print whole.")
        elif thin < walls * LINE_WIDTH_MM:
            told.append(f"The thinnest wall comes out at {thin:.2f} mm, less than the profile's {walls} walls need once.")
    return told


def choose_scale(
    suggested: float,
    reason: str,
    chosen: tuple[float, float, float] | None,
    thinnest_wall_mm: float | None,
    walls: int,
) -> ScaleChoice:
    """The scale for a piece that is not a helmet: the maker's where there is one, else the suggestion."""
    scale = chosen if chosen is not None else (suggested, suggested, suggested)
    check_scale(scale)
    warnings = scale_warnings(scale, thinnest_wall_mm, walls)
    stops = any("will not print" in w for w in warnings)
    if chosen is not None:
        reason = f"set by the maker; suggested was {100 * suggested:.1f} % ({reason})"
    return ScaleChoice(scale, suggested, reason, "stops" if stops else "tight" if warnings else "holds", tuple(warnings))
