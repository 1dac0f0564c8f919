"""How big: first guesses for a scale, its bounds, and what any chosen one brings with it."""

from bastion_core.errors import RecipeProblem
from bastion_core.findings import Quantity, Said, Verdict, mm, say
from bastion_core.shop import MADE_FOR_MM

Scale = tuple[float, float, float]
LEAST_SCALE, MOST_SCALE = 0.05, 20.0
WRONG_UNIT = "If the file came in the wrong unit, change that instead."
WORTH_A_WORD = 0.01
"""Axis scales further apart than this are told as a distortion."""
LINE_WIDTH_MM = 0.45


def check_scale(scale: Scale) -> None:
    """RecipeProblem when a scale is out of all bounds."""
    for axis, value in zip("xyz", scale, strict=True):
        if not LEAST_SCALE <= value <= MOST_SCALE:
            raise RecipeProblem(
                f"A scale of {value:g} along {axis} is out of bounds ({LEAST_SCALE:g} to {MOST_SCALE:g}). {WRONG_UNIT}", "scale"
            )


def scale_by_stature(stature_mm: float | None, made_for_mm: float = MADE_FOR_MM) -> tuple[float, Said]:
    """First guess for a piece without a measurement of its own: ratio of statures, and the reason in words."""
    if stature_mm is None:
        return 1.0, say("no stature is taken, so the file's own size stands")
    return stature_mm / made_for_mm, say("stature {} against the {} the model was made for", mm(stature_mm), mm(made_for_mm))


def scale_to_length(longest_mm: float, wanted_mm: float) -> tuple[float, Said]:
    """The scale at which the longest side gets the wanted length, and the reason in words."""
    if wanted_mm <= 0:
        raise RecipeProblem("The wanted length has to be more than 0 mm.", "wanted_length_mm")
    return wanted_mm / longest_mm, say("longest side from {} to {}", mm(longest_mm), mm(wanted_mm))


def first_guess(longest_mm: float, stature_mm: float | None, worn: bool, made_for_mm: float, wanted_mm: float | None) -> tuple[float, Said]:
    """The scale of a piece that nothing of the body decides: its wanted length, else the ratio of statures, else its own size."""
    if wanted_mm is not None:
        return scale_to_length(longest_mm, wanted_mm)
    if worn:
        return scale_by_stature(stature_mm, made_for_mm)
    return 1.0, say("no wearer is chosen, so the file's own size stands")


def distorted(scale: Scale) -> Said | None:
    """What scaling the axes apart does; None where they are as good as one."""
    apart = max(scale) / min(scale) - 1
    if apart <= WORTH_A_WORD:
        return None
    words = "The axes are scaled apart by {}: round things turn oval. Accepted for limbs, disliked for helmets."
    return say(words, Quantity((apart,), "share", 1))


def thin_wall(wall_mm: float | None, walls: int) -> tuple[Verdict, Said] | None:
    """The rule for walls too thin to print, at a piece's final scale; None where it holds or nothing is known.

    Under two lines of the nozzle a wall does not print whole; under one pass of the profile's walls it prints with gaps. Common
    practice, no source.
    """
    if wall_mm is None or (wall_mm >= walls * LINE_WIDTH_MM and wall_mm >= 2 * LINE_WIDTH_MM):
        return None
    thin = say("The thinnest wall comes out at {}", mm(wall_mm, digits=2))
    if wall_mm < 2 * LINE_WIDTH_MM:
        return Verdict.STOPS, say("{}, under two lines of {}: it will not print whole.", thin, mm(LINE_WIDTH_MM, digits=2))
    return Verdict.TIGHT, say("{}, less than the profile's {} walls need once.", thin, str(walls))


def in_percent(scale: float) -> Quantity:
    """A scale as it is told."""
    return Quantity((scale,), "share", 1)
