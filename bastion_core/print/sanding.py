"""What a print leaves to be sanded where it shows: stair-steps, the scallops of upright walls, the scars of supports.

A step is as deep, square to the surface, as the layer times the cosine of the surface's slope from the level: shallow crowns are worst, level
faces have none. Upright walls keep the round backs of their lines, about a tenth of a layer deep. Where a support touched, it is torn.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from bastion_core.formats.glb import simplified
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.print.orient import faces_that_show

SCALLOP = 0.1
"""Depth of the backs of lines on upright walls, in layers; common practice, no source."""
SCAR_MM = 0.35
"""How deep a torn support has to be taken down; common practice, no source."""
DEEP_MM = 0.05
"""Steps deeper than this are seen through primer; common practice, no source."""
_LEVEL = 0.9995


@dataclass(frozen=True)
class Sanding:
    """Of what shows of a part: its area, how much of that has to be sanded deeper than primer fills, the deepest, the mean depth, the scars."""

    shows_cm2: float
    deep_cm2: float
    deepest_mm: float
    mean_mm: float
    """Over what shows."""
    scars_cm2: float


def depth_mm(mesh: Mesh, layer_mm: float, held: bool, from_deg: float = 45.0) -> Floats:
    """(m,): how deep each face of a lying mesh has to be sanded for its steps, or where a support touched it."""
    lengths = np.linalg.norm(mesh.area_vectors, axis=1)
    upright = mesh.area_vectors[:, 2] / np.maximum(lengths, 1e-12)
    steps = np.maximum(layer_mm * np.abs(upright), SCALLOP * layer_mm)
    steps[np.abs(upright) > _LEVEL] = 0.0
    if held:
        torn = (upright < -np.sin(np.radians(from_deg))) & (mesh.triangles[:, :, 2].mean(axis=1) > mesh.bounds[0, 2] + 0.3)
        steps = np.where(torn, SCAR_MM, steps)
    return np.asarray(steps)


def sanding_of(
    mesh: Mesh, layer_mm: float, held: bool, glued: Sequence[Floats] = (), from_deg: float = 45.0
) -> tuple[Sanding, Mesh, Floats]:
    """What a lying part leaves to sand, and a mesh of it to look at with the depth at each corner (mm); 0 where nothing shows.

    ``glued`` are outward normals of faces that are glued, in the lying part's frame.
    """
    thin = simplified(mesh, 30_000)
    depth = depth_mm(thin, layer_mm, held, from_deg)
    shows = faces_that_show(thin, glued)
    area = np.linalg.norm(thin.area_vectors, axis=1) / 100
    seen = float(area[shows].sum())
    deep = shows & (depth > DEEP_MM)
    torn = shows & (depth == SCAR_MM) if held else np.zeros(len(depth), bool)
    told = Sanding(
        round(seen, 1), round(float(area[deep].sum()), 1), round(float(depth[shows].max(initial=0.0)), 3),
        round(float((area * depth)[shows].sum()) / max(seen, 1e-9), 4), round(float(area[torn].sum()), 1),
    )  # fmt: skip
    # Corners of their own for each face, so that a level face beside a slope keeps its colour.
    corners = thin.triangles.reshape(-1, 3)
    faces = np.arange(len(corners)).reshape(-1, 3)
    return told, Mesh(corners, faces), np.repeat(np.where(shows, depth, 0.0), 3)
