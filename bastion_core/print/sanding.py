"""What a print leaves to be sanded where it shows: stair-steps, the scallops of upright walls, the scars of supports.

A step is as deep, square to the surface, as the layer times the cosine of the surface's slope from the level: shallow crowns are worst, level
faces have none. Upright walls keep the round backs of their lines, about a tenth of a layer deep. Where a support touched, it is torn.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from bastion_core.formats.glb import simplified
from bastion_core.geometry.mesh import Floats, Mesh, faceted
from bastion_core.print.hands import Hands, hands_of
from bastion_core.print.profile import Profile
from bastion_core.print.shows import faces_that_show
from bastion_core.print.slope import layer_at
from bastion_core.print.supports import Holding, hanging

SCALLOP = 0.1
"""Depth of the backs of lines on upright walls, in layers; common practice, no source."""
SLOW_SCALLOP = 0.06
"""The same where the outer wall is printed slowly; common practice, no source."""
SCAR_MM = 0.35
"""How deep a torn support has to be taken down; common practice, no source."""
PRIMER_FILLS_MM = 0.05
"""Steps deeper than this are seen through primer; common practice, no source."""
LEVEL = 0.99997
"""Faces whose normals rise by more than this lay level, and have no steps."""


@dataclass(frozen=True)
class Sanding:
    """Of what shows of a part: its area, how much of that has to be sanded deeper than primer fills, the deepest, the mean depth, the scars."""

    shows_cm2: float
    deep_cm2: float
    deepest_mm: float
    mean_mm: float
    """Over what shows."""
    scars_cm2: float
    steps_mm_cm2: float
    """Depth by area of all steps and scallops that show, scars aside: what is taken off."""


def stairs_mm(upright: Floats, layer_mm: Floats | float) -> Floats:
    """(m,): how deep, square to the surface, the stair-steps are of faces whose unit normals rise so far (-1 to 1): a layer by the cosine of the
    slope. Level faces have none."""
    return np.where(np.abs(upright) > LEVEL, 0.0, layer_mm * np.abs(upright))


def steps_mm(upright: Floats, layer_mm: Floats | float, scallop: float = SCALLOP) -> Floats:
    """(m,): how deep the steps or scallops are of faces whose unit normals rise so far (-1 to 1), printed in such layers."""
    return np.where(np.abs(upright) > LEVEL, 0.0, np.maximum(stairs_mm(upright, layer_mm), scallop * layer_mm))


@dataclass(frozen=True, eq=False)
class Seen:
    """The surface of a lying part, made ready to tell what each profile leaves of it to sand."""

    mesh: Mesh
    shows: NDArray[np.bool_]
    """(m,) faces that are seen when it is worn."""
    held: NDArray[np.bool_]
    """(m,) faces that a support touches, where there are supports."""

    @classmethod
    def of(cls, mesh: Mesh, holding: Holding, glued: Sequence[Floats] = ()) -> "Seen":
        """Of a lying mesh; ``glued`` are outward normals of faces that are glued."""
        thin = simplified(mesh, 30_000)
        held = np.zeros(len(thin.faces), np.bool_)
        held[hanging(thin, holding).faces] = True
        return cls(thin, faces_that_show(thin, glued), held)

    def depths_mm(self, profile: Profile) -> Floats:
        """(m,): how deep each face has to be sanded, seen or not."""
        upright = self.mesh.area_vectors[:, 2] / np.maximum(np.linalg.norm(self.mesh.area_vectors, axis=1), 1e-12)
        layer: Floats | float = profile.layer_mm
        if profile.adaptive_layers:
            layer = layer_at(self.mesh, profile.layer_mm)
        depth = steps_mm(upright, layer, SLOW_SCALLOP if profile.slow_outer_wall else SCALLOP)
        return depth if profile.support == "none" else np.where(self.held, SCAR_MM, depth)

    def sanding(self, profile: Profile) -> Sanding:
        """What a profile leaves to be sanded."""
        depth, area = self.depths_mm(profile), np.linalg.norm(self.mesh.area_vectors, axis=1) / 100
        torn = self.held & (profile.support != "none")
        seen, steps = float(area[self.shows].sum()), self.shows & ~torn
        return Sanding(
            round(seen, 1),
            round(float(area[self.shows & (depth > PRIMER_FILLS_MM)].sum()), 1),
            round(float(depth[self.shows].max(initial=0.0)), 3),
            round(float((area * depth)[self.shows].sum()) / max(seen, 1e-9), 4),
            round(float(area[self.shows & torn].sum()), 1),
            round(float((area * depth)[steps].sum()), 3),
        )

    def hands(self, profile: Profile, held_mm2: float) -> Hands:
        """What a profile leaves for the hands; ``held_mm2`` is what supports would hold."""
        told = self.sanding(profile)
        return hands_of(told.scars_cm2, told.steps_mm_cm2, 0.0 if profile.support == "none" else held_mm2)

    def to_look_at(self, profile: Profile) -> tuple[Mesh, Floats]:
        """The mesh with corners of its own for each face, so that a level face beside a slope keeps its colour, and the depth at each; 0 where
        nothing shows."""
        return faceted(self.mesh), np.repeat(np.where(self.shows, self.depths_mm(profile), 0.0), 3)
