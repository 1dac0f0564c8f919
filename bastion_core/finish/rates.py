"""How long hands take over a surface, from the table's figures: for the plan of a finish, and for whatever weighs hands before there is one."""

from math import ceil

from bastion_core.finish.table import (
    BEGUN_SAND_MIN,
    FEEL_MIN_PER_CM,
    FIDDLY,
    GRAIN_UM,
    HAND_SPEED,
    PASS_MIN_PER_DM2,
    POWER_SPEED,
    PRODUCTS,
    SCAR_MIN_PER_DM2,
    SCHOOLS,
    SCRATCH,
    SEAM_FILL_MM,
    STRIDE,
    WIDER,
    Jumps,
    RegionKind,
)

DM2 = 1e4
USUAL_BY_HAND, USUAL_MM = 0.4, 0.055
"""Of helmets and plates with some relief: the share no sander reaches, and the mean depth of their steps at layers of 0.2 mm; read off our own."""
_SEAM_CM = 30.0
"""An ordinary seam, over which what is begun is shared; read off our own."""


def grain_mm(grit: int) -> float:
    """Mean grain of a grit, mm."""
    return GRAIN_UM[grit] / 1000


def scratch_mm(grit: int) -> float:
    """How deep it scratches, mm."""
    return SCRATCH * grain_mm(grit)


def first_grit(depth_mm: float) -> int:
    """The grit to begin with where so much stands out: its grain is as large as that is deep, or a little finer; from P80 to P240."""
    return next((g for g in GRAIN_UM if 80 <= g <= 240 and grain_mm(g) <= max(depth_mm, 0.0)), 240)


def ladder(first: int, last: int, jumps: Jumps = "small") -> tuple[int, ...]:
    """The grits from one to another, both with it: each as fine as the stride allows."""
    found = [first]
    while found[-1] < last:
        least = STRIDE[jumps] * grain_mm(found[-1]) * 0.999
        ahead = [g for g in GRAIN_UM if found[-1] < g <= last]
        found.append(max((g for g in ahead if grain_mm(g) >= least), default=ahead[0]))
    return tuple(found)


def sand_min(
    area_mm2: float, depth_mm: float, grit: int, soft: float, kind: RegionKind = "dome", by_hand: float = 0.0
) -> tuple[float, float]:
    """Minutes by sander and by hand to take so much off an area; ``by_hand`` is the share no sander reaches."""
    wide = area_mm2 / DM2 * WIDER

    def minutes(share: float, power: bool) -> float:
        speed = POWER_SPEED if power else HAND_SPEED
        return share * wide * max(depth_mm / (speed * grain_mm(grit) * soft), PASS_MIN_PER_DM2[power]) * (1.0 if power else FIDDLY[kind])

    return minutes(1 - by_hand, True), minutes(by_hand, False)


def passes(depth_mm: float, grit: int, soft: float, power: bool) -> int:
    """How often a place is gone over to take so much off it."""
    return max(1, ceil(depth_mm / ((POWER_SPEED if power else HAND_SPEED) * grain_mm(grit) * soft) / PASS_MIN_PER_DM2[power] - 1e-9))


def _skimmed_min_per_dm2() -> float:
    """A dm² filled the usual way and sanded back, by sander."""
    school = SCHOOLS["putty"]
    filler = PRODUCTS[school.filler]
    return filler.min_per_dm2 * school.coats + sum(
        sand_min(DM2, filler.off_mm * school.coats, school.back, filler.soft, by_hand=USUAL_BY_HAND)
    )


def step_min_per_mm_cm2(depth_mm: float = USUAL_MM) -> float:
    """Minutes of hands for a mm·cm² of steps the usual way (half sanded down, filled, sanded back), where they are so deep in the mean; to one
    decimal, as hands know it no finer."""
    knocked = sum(sand_min(DM2, depth_mm * SCHOOLS["putty"].knock, first_grit(2.5 * depth_mm), 1.0, by_hand=USUAL_BY_HAND))
    return round((knocked + _skimmed_min_per_dm2()) / (100 * depth_mm), 1)


def scar_min_per_cm2() -> float:
    """Minutes of hands for a cm² of scars."""
    return SCAR_MIN_PER_DM2 / 100


def seam_min_per_cm(band_mm: float) -> float:
    """Minutes of hands for a cm of seam that is filled flush over a band so wide, twice, and sanded back by hand; to one decimal."""
    area = 10 * band_mm
    filler = PRODUCTS["putty"]
    back = sum(sand_min(area, SEAM_FILL_MM, 150, filler.soft, by_hand=1.0)) + sum(
        sand_min(area, filler.off_mm, 240, filler.soft, by_hand=1.0)
    )
    begun = (2 * filler.begun_min + 2 * BEGUN_SAND_MIN) / _SEAM_CM
    return round(2 * filler.min_per_dm2 * area / DM2 + back + begun + FEEL_MIN_PER_CM, 1)
