"""Where bodies meet: found from their shapes where nobody says, and rods in their bores."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from bastion_core.assemble.bodies import Body, Contact
from bastion_core.assemble.facts import SeamFacts
from bastion_core.geometry.arrays import three
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.place import plane_frame
from bastion_core.geometry.solid import Solid
from bastion_core.geometry.walls import surface_sample
from bastion_core.join.glue import GlueRecord
from bastion_core.join.table import GLUES, WASTED
from bastion_core.statics.stock import Stock

_SPOTS, _TOUCHES_MM, _LEAST = 1500, 0.6, 8
ROD_GAP_MM = 0.15
"""Between a rod and its bore, each side."""
_ALONG = 60


def meetings(bodies: Sequence[Body]) -> list[dict[str, Any]]:
    """Pairs of bodies that touch, as seams of a plan: their names, the direction in which the first comes off, the area."""
    found = []
    samples = [surface_sample(b.mesh, _SPOTS) for b in bodies]
    for i, one in enumerate(bodies):
        for k in range(i + 1, len(bodies)):
            other = bodies[k]
            if (one.mesh.bounds[0] > other.mesh.bounds[1] + _TOUCHES_MM).any() or (
                other.mesh.bounds[0] > one.mesh.bounds[1] + _TOUCHES_MM
            ).any():
                continue
            sample = samples[i]
            off = other.mesh.rays.first_hits(sample.points - 0.02 * sample.normals, sample.normals)[0]
            touching = off < _TOUCHES_MM
            if touching.sum() < _LEAST:
                continue
            toward = sample.normals[touching].mean(axis=0)
            if np.linalg.norm(toward) < 1e-6:
                toward = other.mesh.bounds.mean(axis=0) - one.mesh.bounds.mean(axis=0)
            area = float(np.linalg.norm(one.mesh.area_vectors, axis=1).sum()) * touching.mean()
            found.append({
                "id": f"{one.name}/{other.name}", "parts": [one.name, other.name], "axis": list(three(-toward / np.linalg.norm(toward), 6)),
                "area_mm2": round(area, 1),
            })  # fmt: skip
    return found


def rod_in_parts(ends: Floats, stock: Stock, number: int, bodies: Sequence[Body]) -> tuple[Body, list[tuple[Contact, SeamFacts]]]:
    """A rod (its ends (2, 3)) as a body, and where it is glued into parts."""
    low, high = ends
    axis = (high - low) / np.linalg.norm(high - low)
    length = float(np.linalg.norm(high - low))
    matrix = np.eye(4)
    matrix[:3, :3] = plane_frame(axis)
    matrix[:3, 3] = (low + high) / 2
    body = Body(f"rod {number}", Solid.cylinder(stock.diameter_mm / 2, length, 48).transformed(matrix).mesh(), True)
    found = []
    for part in bodies:
        share = 0.0 if part.rod else _share_in(ends, stock, part)
        if share > 0:
            found.append(_glued(body, part, stock, axis, length * share))
    return body, found


def _share_in(ends: Floats, stock: Stock, part: Body) -> float:
    """How much of a rod's length lies in a part's bore: of places along its axis, those with the part close by all round."""
    low, high = ends
    at = low + np.linspace(0.02, 0.98, _ALONG)[:, None] * (high - low)
    frame = plane_frame(high - low)
    ways = [side * frame[:, k] for k in (0, 1) for side in (1, -1)]
    hits = [part.mesh.rays.first_hits(at, np.tile(w, (_ALONG, 1)))[0] for w in ways]
    return float((np.max(hits, axis=0) < stock.diameter_mm).mean())


def _glued(body: Body, part: Body, stock: Stock, axis: Floats, length_mm: float) -> tuple[Contact, SeamFacts]:
    epoxy, around_mm2 = GLUES["epoxy"], np.pi * stock.diameter_mm * length_mm
    glue = GlueRecord(
        epoxy.key, epoxy.name, round(WASTED * around_mm2 * ROD_GAP_MM / 1000, 2), ROD_GAP_MM, epoxy.sets_min, epoxy.handle_h, epoxy.full_h, 0, 0.0,
        0.0, epoxy.caution,
    )  # fmt: skip
    facts = SeamFacts(
        f"{body.name}/{part.name}", f"{part.letter}-{body.name}", "rod", round(around_mm2 / 100, 2), round(length_mm / 10, 2), 1, glue=glue
    )
    return Contact(facts.id, (body.name, part.name), three(axis, 6), "rod"), facts
