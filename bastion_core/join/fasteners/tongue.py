"""A tongue in a groove round a thick seam; and which key a seam gets."""

from functools import cache

import numpy as np
import shapely
from shapely.geometry.base import BaseGeometry

from bastion_core.findings import NOTHING, Said, mm, say
from bastion_core.geometry.solid import slab
from bastion_core.join.ask import Ask
from bastion_core.join.edges import clean, thin_places
from bastion_core.join.fasteners.key import END_MM, LEAST_RUN_MM, Body, Key
from bastion_core.join.fasteners.lip import place_lip

_TONGUE_HEIGHTS_MM = (5.0, 4.0, 3.0)
_TONGUES_MM = (4.0, 3.0, 2.0, 1.6)
"""Thickness of tongues that are tried; common practice, no source."""


def place_key(ask: Ask) -> tuple[tuple[Key, ...], Said]:
    """A lip where the seam has an inside, a tongue where its wall is thick, or neither and why."""
    rims = ask.rims
    shell = rims is not None and bool(rims.inside.any())
    wall = float(np.median(rims.wall_mm[rims.inside])) if rims is not None and shell else float("inf")
    needs = _TONGUES_MM[-1] + 2 * (ask.gap_mm + ask.wall_mm)
    tongue = _tongue(ask) if wall > needs else None
    if rims is None or not shell:
        if tongue:
            return (tongue,), NOTHING
        return (), say("No room for a tongue: the wall wants {} through the seam, as deep as the tongue.", mm(needs, digits=1))
    if tongue and wall > 3 * ask.wall_mm + 2 * _TONGUES_MM[1]:
        return (tongue,), NOTHING
    lip, why = place_lip(ask, rims, wall)
    if lip:
        return (lip,), NOTHING
    return ((tongue,), NOTHING) if tongue else ((), why)


def _tongue(ask: Ask) -> Key | None:
    """A tongue as far from both faces of the wall, round the seam."""
    # What was made elsewhere hangs on the height alone.
    taken = cache(lambda height: ask.room.blocked(ask.others, height + ask.wall_mm, ask.wall_mm))
    for thick in _TONGUES_MM:
        for height in _TONGUE_HEIGHTS_MM:
            body = _tongue_of(ask, thick, height, taken(height))
            if body is not None:
                return body.on(ask, "tongue")
    return None


def _tongue_of(ask: Ask, thick: float, height: float, taken: BaseGeometry) -> Body | None:
    """A tongue so thick and so high, clear of what is taken; None where the wall takes none."""
    room, gap, wall, into = ask.room, ask.gap_mm, ask.wall_mm, -ask.side
    band = room.face.buffer(-(1.3 * wall + gap))
    # In a thick body it runs as a ring along the rim, else down the middle of the wall.
    band = band.difference(band.buffer(-thick)).difference(taken)
    deep = height + END_MM
    for step in (1 / 3, 2 / 3, 1.0):
        band = band.intersection(room.section(into, deep * step).buffer(-(gap + wall)))
    band = band.intersection(room.section(into, deep + wall).buffer(-gap))
    band = band.difference(thin_places(band, 0.9 * thick))
    band = clean(shapely.simplify(band, 0.05), LEAST_RUN_MM * thick * 0.8)
    if band.is_empty:
        return None
    groove = band.buffer(gap, join_style="mitre", mitre_limit=2.0)
    return Body(ask.side, thick, height, band.area / thick, band, slab(band, -0.01, height, into), slab(groove, -0.01, deep, into))
