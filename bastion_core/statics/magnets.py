"""Disc magnets: what a pair pulls over a gap, what is left of it when warm, and which pole goes where."""

import re
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from itertools import product
from math import pi

import numpy as np
from scipy.integrate import simpson
from scipy.special import j1

from bastion_core.errors import RecipeProblem
from bastion_core.geometry.mesh import Floats

_MU0 = 4e-7 * pi
ROOM_DEG_C = 20.0
WARM_DEG_C = 50.0
"""A dark piece in the sun; common practice, no source. What holds is judged so warm."""
COATED_MM = 0.05
"""Discs never come nearer than their coats of nickel, about 0.02 mm each; common practice, no source."""
SET_BACK_MM = 0.1
"""How far each disc lies behind its face when it was glued flush by hand; common practice, no source."""
SLIDES = 0.2
"""Of its pull, what a pair holds sideways by friction alone; common practice (0.15 to 0.25 nickel on nickel), no source."""
STEEL = "steel"
LEAST_STEEL = 0.5
"""Steel at least so many times as thick as the disc carries its field; thinner pulls less. Common practice, no source."""


@dataclass(frozen=True)
class Grade:
    """A grade of NdFeB: least remanence in tesla, warmth in °C from which it loses strength for good, loss per °C until then."""

    name: str
    br_t: float
    most_deg_c: float
    loss_per_deg: float = 0.0012


GRADES: dict[str, Grade] = {
    g.name: g
    for g in (Grade("N35", 1.17, 80), Grade("N42", 1.28, 80), Grade("N52", 1.43, 60), Grade("N42SH", 1.28, 150))
}  # fmt: skip
"""From memory of manufacturers' grade tables (remanence at 20 °C, greatest working warmth, -0.12 % per °C): the seller's own sheet rules."""
USUAL_GRADE = "N42"


@dataclass(frozen=True)
class Disc:
    """A disc magnetised through its thickness; or a steel disc, that has no poles of its own."""

    diameter_mm: float
    thick_mm: float
    grade: str = USUAL_GRADE

    def __post_init__(self) -> None:
        if not (1 <= self.diameter_mm <= 60 and 0.5 <= self.thick_mm <= 40):
            raise RecipeProblem(
                f"A disc of {self.diameter_mm:g} × {self.thick_mm:g} mm is none that is sold: 1 to 60 mm wide, 0.5 to 40 mm thick."
            )
        if self.grade != STEEL and self.grade not in GRADES:
            raise RecipeProblem(f"“{self.grade}” is no grade known here. There are: {', '.join((*GRADES, STEEL))}.")

    @property
    def code(self) -> str:
        """As it is written: 6x3, 6x3:N52."""
        return f"{self.diameter_mm:g}x{self.thick_mm:g}" + ("" if self.grade == USUAL_GRADE else f":{self.grade}")

    def br_t(self, deg_c: float = ROOM_DEG_C) -> float:
        """Its remanence so warm, as long as it was never warmer than its grade bears."""
        grade = GRADES[self.grade]
        return grade.br_t * (1 - grade.loss_per_deg * (deg_c - ROOM_DEG_C))


_DISC = re.compile(r"(\d+(?:\.\d+)?)x(\d+(?:\.\d+)?)(?::(\w+))?")


def disc_of(text: str) -> Disc:
    """A disc as it is written: DIAMETERxTHICKNESS in mm, and its grade where it is not the usual one. RecipeProblem where it is none.

    >>> disc_of("6x3:N52").grade
    'N52'
    """
    found = _DISC.fullmatch(text.strip())
    if not found:
        raise RecipeProblem(
            f"“{text}” is no disc. Write diameter x thickness in mm, like 6x3, or 6x3:N52, or 6x1:{STEEL} for a disc of steel."
        )
    return Disc(float(found[1]), float(found[2]), found[3] or USUAL_GRADE)


def pull_n(one: Disc, other: Disc, gap_mm: float, deg_c: float = ROOM_DEG_C) -> float:
    """What two discs on one axis pull, unlike poles facing, over a gap of air or plastic.

    Closed form of two uniformly magnetised coaxial cylinders: F = pi Br1 Br2 / mu0 R1 R2 * integral of J1(k R1) J1(k R2) / k
    e^(-k gap) (1 - e^(-k t1)) (1 - e^(-k t2)) dk. Steel is taken as thick and soft: it mirrors the magnet, which lies twice the gap away.
    """
    gap = max(gap_mm, COATED_MM)
    if STEEL in (one.grade, other.grade):
        magnet = other if one.grade == STEEL else one
        if magnet.grade == STEEL:
            return 0.0
        thin = min(1.0, (one if one.grade == STEEL else other).thick_mm / (LEAST_STEEL * magnet.thick_mm))
        width = min(1.0, (one if one.grade == STEEL else other).diameter_mm / magnet.diameter_mm)
        return thin * width**2 * _coaxial_n(magnet, magnet, 2 * gap, deg_c)
    return _coaxial_n(one, other, gap, deg_c)


@cache
def _coaxial_n(one: Disc, other: Disc, gap_mm: float, deg_c: float) -> float:
    r1, r2, t1, t2 = (v / 1000 for v in (one.diameter_mm / 2, other.diameter_mm / 2, one.thick_mm, other.thick_mm))
    small = min(r1, r2, t1, t2)
    k = np.linspace(1e-6, min(400.0 / small, 40.0 / (gap_mm / 1000)), 40_001)
    grown = (1 - np.exp(-k * t1)) * (1 - np.exp(-k * t2)) * np.exp(-k * gap_mm / 1000)
    summed = float(simpson(j1(k * r1) * j1(k * r2) / k * grown, x=k))
    return pi * one.br_t(deg_c) * other.br_t(deg_c) / _MU0 * r1 * r2 * summed


EARTH_UT, TURNED_DEG = 20.0, 5.0
"""What turns a compass level, in central Europe (World Magnetic Model, from memory), and by how much it may be turned aside; the latter common
practice, no source."""


def field_ut(disc: Disc, way_mm: float) -> float:
    """The strongest field of a disc in microtesla, so far away: that of its dipole along its axis, mu0 m / (2 pi r³) with m = Br V / mu0."""
    volume = pi * (disc.diameter_mm / 2000) ** 2 * disc.thick_mm / 1000
    return 0.0 if disc.grade == STEEL else disc.br_t() * volume / (2 * pi * (max(way_mm, 1.0) / 1000) ** 3) * 1e6


def turns_compass_deg(field: float) -> float:
    """By how much a field (microtesla) across it turns a compass aside."""
    return float(np.degrees(np.arctan2(field, EARTH_UT)))


def meets_wrongly(signs: Sequence[int]) -> int:
    """Of a ring of poles turned by its kindest number of places: how many pairs push each other off."""
    tried = np.array(signs)
    return min((int((tried != np.roll(tried, k)).sum()) for k in range(1, len(tried))), default=0)


@cache
def poles(count: int) -> tuple[int, ...]:
    """The ring of so many poles that, turned by any number of places, meets like poles most often; with as many of one as of the other."""
    return max(((1, *rest) for rest in product((1, -1), repeat=max(count - 1, 0))), key=lambda ring: (meets_wrongly(ring), -abs(sum(ring))))


def poles_of(places: Floats) -> tuple[int, ...]:
    """The pole (1 or -1) that looks up at each place (n, 2) of a face, so that the part turned about by any number of places meets like poles
    somewhere: it goes on one way only. With one magnet alone there is no such way."""
    middle = places.mean(axis=0)
    angles = np.arctan2(places[:, 1] - middle[1], places[:, 0] - middle[0])
    found = np.empty(len(places), dtype=int)
    found[np.argsort(angles, kind="stable")] = poles(len(places))
    return tuple(int(v) for v in found)
