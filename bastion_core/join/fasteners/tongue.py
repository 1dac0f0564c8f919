"""A tongue in a groove round a thick seam; and which key a seam gets."""

from collections.abc import Sequence

import numpy as np
import shapely

from bastion_core.cut.parting import Seam
from bastion_core.findings import NOTHING, Said, mm, say
from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.solid import prism
from bastion_core.join.edges import clean, rims_of, thin_places
from bastion_core.join.fasteners.key import END_MM, LEAST_RUN_MM, Key, middle_of, points_of
from bastion_core.join.fasteners.lip import place_lip
from bastion_core.join.places import Carved, SeamRoom

_TONGUE_HEIGHTS_MM = (5.0, 4.0, 3.0)
_TONGUES_MM = (4.0, 3.0, 2.0, 1.6)
"""Thickness of tongues that are tried; common practice, no source."""


def place_key(
    seam: Seam, room: SeamRoom, whole: Mesh, clearance_mm: float, wall_mm: float, others: Sequence[Carved], turned: bool
) -> tuple[tuple[Key, ...], Said]:
    """A lip where the seam has an inside, a tongue where its wall is thick, or neither and why."""
    rims = rims_of(seam.face, 0.0, seam.surface, whole)
    shell = rims is not None and bool(rims.inside.any())
    wall = float(np.median(rims.wall_mm[rims.inside])) if rims is not None and shell else float("inf")
    needs = _TONGUES_MM[-1] + 2 * (clearance_mm + wall_mm)
    tongue = _tongue(seam, room, clearance_mm, wall_mm, others, turned) if wall > needs else None
    if rims is None or not shell:
        if tongue:
            return (tongue,), NOTHING
        return (), say("No room for a tongue: the wall wants {} through the seam, as deep as the tongue.", mm(needs, digits=1))
    if tongue and wall > 3 * wall_mm + 2 * _TONGUES_MM[1]:
        return (tongue,), NOTHING
    lip, why = place_lip(seam, room, whole, rims, wall, clearance_mm, others, turned)
    if lip:
        return (lip,), why
    return ((tongue,), NOTHING) if tongue else ((), why)


def _tongue(seam: Seam, room: SeamRoom, gap: float, wall_mm: float, others: Sequence[Carved], turned: bool) -> Key | None:
    """A tongue as far from both faces of the wall, round the seam."""
    side = 1 if turned else -1
    for thick in _TONGUES_MM:
        for height in _TONGUE_HEIGHTS_MM:
            inset = wall_mm * 1.3 + gap
            band = room.face.buffer(-inset)
            # In a thick body it runs as a ring along the rim, else down the middle of the wall.
            band = band.difference(band.buffer(-thick))
            kept = room.blocked(others, height + wall_mm, wall_mm)
            band = band.difference(kept)
            deep = height + END_MM
            for step in (1 / 3, 2 / 3, 1.0):
                band = band.intersection(room.section(-side, deep * step).buffer(-(gap + wall_mm)))
            band = band.intersection(room.section(-side, deep + wall_mm).buffer(-gap))
            band = band.difference(thin_places(band, 0.9 * thick))
            band = clean(shapely.simplify(band, 0.05), LEAST_RUN_MM * thick * 0.8)
            if band.is_empty:
                continue
            length = band.area / thick
            grown = prism(band, *sorted((0.0, side * -height))) if side > 0 else prism(band, -0.01, height)
            grown = grown if side < 0 else prism(band, -height, 0.01)
            groove = band.buffer(gap, join_style="mitre", mitre_limit=2.0)
            carved = prism(groove, -0.01, deep) if side < 0 else prism(groove, -deep, 0.01)
            at, flat = middle_of(room, band)
            return Key(
                "tongue", side, thick, height, length, room.seam.surface.unflatten(grown), room.seam.surface.unflatten(carved), band,
                points_of(room, band), position_mm=at, axis=seam.surface.normal, flat_mm=flat, seams=(seam.id,), clearance_mm=gap,
            )  # fmt: skip
    return None
