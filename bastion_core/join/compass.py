"""Magnets and steel beside a compass board turn its needle."""

from collections.abc import Sequence
from typing import Protocol

import numpy as np

from bastion_core.findings import Said, deg, mm, say
from bastion_core.join.fasteners.rod import RodIn
from bastion_core.join.room import InsideRoom
from bastion_core.statics.magnets import TURNED_DEG, Disc, field_ut, turns_compass_deg

COMPASS = ("compass", "heading", "orientation")
"""Words in the name of what goes inside that tell it minds magnets."""
STEEL_MM = 100.0
"""Steel nearer than this draws a needle; common practice, no source."""


class Discs(Protocol):
    """What holds magnets at a place."""

    @property
    def position_mm(self) -> tuple[float, float, float]: ...
    @property
    def discs(self) -> tuple[Disc, ...]: ...


def beside_compass(magnets: Sequence[Discs], rods: Sequence[RodIn], inside: InsideRoom) -> tuple[Said, ...]:
    """What of magnets and steel rods lies too near to a board with a compass."""
    said: list[Said] = []
    for what, low, high in inside.kept:
        if not any(word in what.lower() for word in COMPASS):
            continue
        turned, near = 0.0, np.inf
        for magnet in magnets:
            way = float(np.linalg.norm(np.maximum(np.maximum(low - magnet.position_mm, magnet.position_mm - high), 0)))
            field = sum(field_ut(disc, way) for disc in magnet.discs)
            turned, near = max(turned, turns_compass_deg(field)), min(near, way)
        if turned > TURNED_DEG:
            words = "A magnet {} from the {} turns it by up to {}. Move the board away from the seam, or close the seam otherwise."
            said.append(say(words, mm(near), what, deg(turned)))
        for rod in rods:
            points = rod.taken()[0]
            way = float(np.linalg.norm(np.maximum(np.maximum(low - points, points - high), 0), axis=1).min())
            if rod.stock.of.magnetic and way < STEEL_MM:
                said.append(say("The steel rod passes {} from the {} and draws its needle: take aluminium or carbon.", mm(way), what))
    return tuple(said)
