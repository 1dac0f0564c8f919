"""How a long piece bears being swung, as it is kept and told."""

from dataclasses import dataclass

import numpy as np

from bastion_core.findings import Said
from bastion_core.geometry.arrays import three
from bastion_core.geometry.mesh import Floats
from bastion_core.join.rods import Loaded, Offer
from bastion_core.statics.beam import print_safety
from bastion_core.statics.poses import ENOUGH


@dataclass(frozen=True)
class SeamLoad:
    """A seam across a long piece: where along it, and how surely it holds as it is swung, without and with the rods."""

    letters: str
    at_mm: float
    bare: float
    held: float


@dataclass(frozen=True)
class RodRecord:
    """A rod as it is told."""

    stock: str
    name: str
    low_mm: float
    high_mm: float
    length_mm: float
    weighs_g: float
    across_mm: float
    """How far it runs beside the middle of the drawing."""
    ends_mm: tuple[tuple[float, float, float], tuple[float, float, float]]


@dataclass(frozen=True)
class LongRecord:
    """A long piece as it is told: along its axis from its low end, in mm."""

    length_mm: float
    at_mm: tuple[float, ...]
    low_side_mm: tuple[float, ...]
    """Its outline seen from the side: where it begins and ends across, at each station."""
    high_side_mm: tuple[float, ...]
    bare: tuple[float, ...]
    """Safety of the print at each station, without rods."""
    grip_mm: tuple[float, float]
    balance_mm: float
    mass_g: float
    swing_g: float
    wanted: float
    safety_bare: float
    weakest_mm: float
    weakest: str
    """The seam that goes first; empty where the print does."""
    safety: float
    """With its rods; without them where it has none."""
    sags_mm: float
    seams: tuple[SeamLoad, ...]
    rods: tuple[RodRecord, ...]
    offers: tuple[Offer, ...]


@dataclass(frozen=True)
class LongFacts:
    """What the Wall and the findings want to know of a long piece."""

    safety: float
    """With its rods; without them where it has none."""
    at_mm: float
    """From its low end."""
    seam: str
    """Empty where the print goes first."""
    swing_g: float
    place_mm: tuple[float, float, float]
    offers: tuple[Offer, ...]
    said: tuple[Said, ...]


def long_facts(load: Loaded) -> LongFacts:
    """A loaded piece in short."""
    along, final = load.along, load.held or load.bare
    back = np.linalg.inv(along.frame)
    k = int(np.argmin(np.abs(along.beam.at_mm - final.at_mm)))
    place = back[:3, :3] @ [*along.beam.sections[k].middle_mm, final.at_mm] + back[:3, 3]
    return LongFacts(
        round(final.safety, 2), round(final.at_mm - along.low_mm, 1), final.seam, along.beam.swing_g,
        three(place, 1), load.offers, load.said,
    )  # fmt: skip


def long_record(load: Loaded) -> LongRecord:
    """A loaded piece as it is kept and told."""
    along, beam = load.along, load.along.beam
    low = along.low_mm
    sides = np.array([np.array(f.bounds)[[1, 3]] if not f.is_empty else (np.nan, np.nan) for f in along.filled])
    middle = float(np.nanmean(sides))
    sides = np.nan_to_num(sides - middle)
    final = load.held or load.bare
    rods = []
    for rod in load.rods:
        ends = [along.frame[:3, :3] @ np.array(e) + along.frame[:3, 3] for e in (rod.low, rod.high)]
        rods.append(RodRecord(
            rod.stock.code, rod.stock.name, round(float(ends[0][2]) - low, 1), round(float(ends[1][2]) - low, 1), round(rod.length_mm, 1),
            round(rod.stock.grams_per_mm * rod.length_mm, 0), round(float(ends[0][1]) - middle, 1), (rod.low, rod.high),
        ))  # fmt: skip
    seams = tuple(
        SeamLoad(seam.name, round(seam.at_mm - low, 1), round(bare, 2), round(held, 2))
        for seam, bare, held in zip(along.seams, load.bare.seams, final.seams, strict=True)
    )
    every = np.linspace(0, len(beam.at_mm) - 1, 80).astype(int)
    return LongRecord(
        round(along.high_mm - low, 1), _few(beam.at_mm[every] - low, 1), _few(sides[every, 0], 1), _few(sides[every, 1], 1),
        _few(print_safety(beam)[every], 2), (round(beam.grip_mm[0] - low, 1), round(beam.grip_mm[1] - low, 1)),
        round(beam.middle_mm - low, 1), round(float(beam.mass_g.sum()) + sum(r.weighs_g for r in rods), 0), beam.swing_g, ENOUGH,
        round(load.bare.safety, 2), round(load.bare.at_mm - low, 1), load.bare.seam, round(final.safety, 2), round(final.sags_mm, 1),
        seams, tuple(rods), load.offers,
    )  # fmt: skip


def _few(values: Floats, digits: int) -> tuple[float, ...]:
    return tuple(round(float(v), digits) for v in values)
