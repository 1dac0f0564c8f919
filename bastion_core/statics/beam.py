"""A long thing held in a hand and swung: bending and shear along it, where it breaks, and how far a rod has to reach so that it does not."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import pi, sqrt

import numpy as np

from bastion_core.geometry.mesh import Floats
from bastion_core.statics.poses import ENOUGH, G_M_S2, MOST
from bastion_core.statics.sections import Section
from bastion_core.statics.stock import Stock

ALONG_MPA = {"pla": 50.0, "pla-sand": 40.0, "petg": 42.0, "abs": 34.0, "asa": 38.0, "tpu": 20.0}
"""Tension along the lines; from memory of makers' sheets."""
ACROSS = 0.5
"""Of that, what holds across layers; common practice (0.4 to 0.7), no source."""
DOUBT = 0.3
"""By which share printed strength is uncertain; common practice, no source."""
STIFF_MPA = {"pla": 3300.0, "pla-sand": 3300.0, "petg": 2000.0, "abs": 2000.0, "asa": 2000.0, "tpu": 80.0}
"""In bending, printed; from memory of makers' sheets."""
BEARS_MPA = 15.0
"""What the wall of a bore bears where the end of a rod presses; common practice, no source."""
SHEARED, ROUND_SHEAR = 0.6, 4 / 3
"""Of its strength in tension what a print bears in shear; common practice, no source. The middle of a round section is sheared by 4/3 of the mean
(handbooks)."""


@dataclass(frozen=True, eq=False)
class Beam:
    """A thing along an axis: at stations (n,) its sections, its mass between stations, and where a hand holds it."""

    at_mm: Floats
    sections: tuple[Section, ...]
    mass_g: Floats
    """(n,): what lies about each station."""
    grip_mm: tuple[float, float]
    swing_g: float
    material: str = "pla"
    infill: float = 1.0

    def heavier(self, mass_g: Floats) -> "Beam":
        """The same with so much more at each station."""
        return replace(self, mass_g=self.mass_g + mass_g)

    @property
    def middle_mm(self) -> float:
        """Where it balances."""
        return float((self.at_mm * self.mass_g).sum() / self.mass_g.sum())


@dataclass(frozen=True)
class Joined:
    """A seam across a beam: where, its glued face as a section, and what its glue bears in tension (MPa)."""

    name: str
    at_mm: float
    face: Section
    glue_mpa: float


def bending(beam: Beam, at_mm: Floats) -> Floats:
    """(m,): the moment in N mm at places of a beam that is held between its grip's ends and swung: what lies beyond each place, by its way there."""
    pull = beam.mass_g / 1000 * G_M_S2 * beam.swing_g
    low, high = beam.grip_mm
    way = beam.at_mm[None] - at_mm[:, None]
    above = (np.clip(way, 0, None) * pull).sum(axis=1)
    below = (np.clip(-way, 0, None) * pull).sum(axis=1)
    # Held by both hands' width: outside the grip what lies beyond counts, between its ends the greater of the two.
    return np.where(at_mm >= high, above, np.where(at_mm <= low, below, np.maximum(above, below)))


def shear(beam: Beam, at_mm: Floats) -> Floats:
    """(m,): the force in N across the beam at places."""
    pull = beam.mass_g / 1000 * G_M_S2 * beam.swing_g
    low, high = beam.grip_mm
    above = ((beam.at_mm[None] > at_mm[:, None]) * pull).sum(axis=1)
    below = ((beam.at_mm[None] < at_mm[:, None]) * pull).sum(axis=1)
    return np.where(at_mm >= high, above, np.where(at_mm <= low, below, np.maximum(above, below)))


def print_safety(beam: Beam) -> Floats:
    """(n,): how many times what bends and shears it each printed section bears, across its layers."""
    strength = ALONG_MPA[beam.material] * ACROSS
    return _bears(beam, beam.at_mm, beam.sections, np.full(len(beam.sections), strength))


def seam_safety(beam: Beam, seams: Sequence[Joined]) -> Floats:
    """(k,): the same of glued seams: the glue tears at the far edge of its face, or the plastic does."""
    strength = ALONG_MPA[beam.material] * ACROSS
    return _bears(beam, np.array([s.at_mm for s in seams]), [s.face for s in seams], np.array([min(s.glue_mpa, strength) for s in seams]))


def _bears(beam: Beam, at_mm: Floats, sections: Sequence[Section], mpa: Floats) -> Floats:
    bent = _over(np.array([s.modulus_mm3 for s in sections]) * mpa, bending(beam, at_mm))
    return np.minimum(bent, _over(np.array([s.area_mm2 for s in sections]) * mpa * SHEARED / ROUND_SHEAR, shear(beam, at_mm)))


def rod_bears(stock: Stock, sits_mm: Floats) -> Floats:
    """(m,): the moment in N mm that a rod takes so far from its nearer end: what it bears itself, or what the wall of its bore does."""
    return np.minimum(stock.bears_nmm, BEARS_MPA * stock.diameter_mm * sits_mm**2 / 6)


@dataclass(frozen=True)
class Reach:
    """From where to where a rod has to go (mm along the axis), and why not further: what it has to pass and sit in on either end."""

    low_mm: float
    high_mm: float
    sits_mm: float
    """How far each end goes past the last place that needs it."""


def reach_of(beam: Beam, seams: Sequence[Joined], stock: Stock, enough: float = ENOUGH) -> Reach | None:
    """Where a rod has to begin and end so that nothing outside it is weaker than ``enough``; None where nothing needs one.

    Past the last weak place each end sits so deep that the bore's wall bears ``enough`` times what turns it: two triangles of pressure,
    6 M / (d L²).
    """
    weak = list(beam.at_mm[print_safety(beam) < enough]) + [
        s.at_mm for s, safe in zip(seams, seam_safety(beam, seams), strict=True) if safe < enough
    ]
    if not weak:
        return None
    low, high = float(min(weak)), float(max(weak))
    moments = bending(beam, np.array([low, high]))
    sits = max(sqrt(6 * enough * float(moments.max()) / (stock.diameter_mm * BEARS_MPA)), 2 * stock.diameter_mm)
    return Reach(low - sits, high + sits, sits)


@dataclass(frozen=True)
class InBore:
    """A rod in a beam, from one place along it to another."""

    stock: Stock
    low_mm: float
    high_mm: float

    def sits_mm(self, at_mm: Floats) -> Floats:
        """(m,): how far from its nearer end places are; 0 where it does not reach."""
        return np.asarray(np.minimum(at_mm - self.low_mm, self.high_mm - at_mm).clip(min=0.0))


@dataclass(frozen=True)
class Held:
    """How a beam holds with its rods: the least safety, where, at which seam if at one; of each seam; how far its end gives way."""

    safety: float
    at_mm: float
    seam: str
    seams: tuple[float, ...]
    sags_mm: float


def with_rods(beam: Beam, seams: Sequence[Joined], rods: Sequence[InBore] = ()) -> Held:
    """How a beam holds with rods in it, or with none.

    Along a rod the stronger of rod and print counts alone: the print with its bore, the rod as far as the bore's wall bears it there (nothing at
    its very end, 6 M / (d L²) so far from it).
    """
    for rod in rods:
        beam = beam.heavier(_weights(beam, rod))
    at = np.concatenate([beam.at_mm, [s.at_mm for s in seams]])
    names = [""] * len(beam.at_mm) + [s.name for s in seams]
    safety = np.concatenate([print_safety(beam), seam_safety(beam, seams)])
    moments = bending(beam, at)
    for rod in rods:
        safety = np.where((at >= rod.low_mm) & (at <= rod.high_mm), safety * _bored(beam, seams, rod.stock), safety)
    for rod in rods:
        safety = np.maximum(safety, _over(rod_bears(rod.stock, rod.sits_mm(at)), moments))
    worst = int(np.argmin(safety))
    of_seams = tuple(float(v) for v in safety[len(beam.at_mm) :])
    return Held(float(safety[worst]), float(at[worst]), names[worst], of_seams, sag(beam, rods))


def _bored(beam: Beam, seams: Sequence[Joined], stock: Stock) -> Floats:
    """(n + k,): what is left of each section, and of each seam's face, with the bore in it."""
    hole = pi * stock.diameter_mm**4 / 64
    prints = [beam.infill * hole / max(s.least_mm4, 1e-9) for s in beam.sections]
    return np.asarray(1 - np.minimum([*prints, *(hole / max(s.face.least_mm4, 1e-9) for s in seams)], 1.0))


def sag(beam: Beam, rods: Sequence[InBore] = ()) -> float:
    """How far the worse end of it gives way while it is swung: the curvature summed twice from the grip."""
    stiff = np.array([s.least_mm4 for s in beam.sections]) * STIFF_MPA[beam.material]
    for rod in rods:
        stiff = stiff + np.where(rod.sits_mm(beam.at_mm) > 0, rod.stock.least_mm4 * rod.stock.of.e_mpa, 0.0)
    curved = bending(beam, beam.at_mm) / np.maximum(stiff, 1.0)
    step, found = np.gradient(beam.at_mm), []
    for end, side in ((beam.at_mm[-1], beam.at_mm >= beam.grip_mm[1]), (beam.at_mm[0], beam.at_mm <= beam.grip_mm[0])):
        found.append(float((curved * np.abs(end - beam.at_mm) * step)[side].sum()))
    return max(found)


def _weights(beam: Beam, rod: InBore) -> Floats:
    step = np.gradient(beam.at_mm)
    share = (np.minimum(beam.at_mm + step / 2, rod.high_mm) - np.maximum(beam.at_mm - step / 2, rod.low_mm)).clip(min=0.0)
    return np.asarray(share * rod.stock.grams_per_mm)


def _over(bears: Floats, asked: Floats) -> Floats:
    return np.asarray(np.minimum(bears / np.maximum(asked, 1e-9), MOST))
