"""A lying part as the estimate needs it: every layer's area and outline, corners and loops, what is left between its walls, its support."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from manifold3d import CrossSection, JoinType
from shapely.geometry.base import BaseGeometry

from bastion_core.geometry.layers import Layers, layer_sections
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.solid import Solid
from bastion_core.print.profile import Profile
from bastion_core.print.supports import Holding, Support, support_of

_SAMPLED_LAYERS = 40
_SHARP_TURN_DEG = 45.0
"""Gentler turns are part of a curve, which a head follows without slowing much."""


class Sections:
    """Sections of a part at some heights (n,), which remember what was asked of them: printers and layer heights ask the same."""

    def __init__(self, z_mm: Floats, sections: Sequence[CrossSection]) -> None:
        self.z_mm, self._sections = z_mm, sections
        self._narrow: dict[tuple[int, float], Floats] = {}

    def narrow(self, walls: int, line_mm: float) -> Floats:
        """(n,): share of what so many walls leave inside in which less than two lines lie between them."""
        if (walls, line_mm) not in self._narrow:
            shares = []
            for section in self._sections:
                inside = section.offset(-walls * line_mm, JoinType.Miter)
                whole = inside.area()
                wide = inside.offset(-line_mm, JoinType.Miter).offset(line_mm, JoinType.Miter).area() if whole > 0 else 0.0
                shares.append(1 - min(wide / whole, 1.0) if whole > 1e-6 else 0.0)
            self._narrow[walls, line_mm] = np.array(shares)
        return self._narrow[walls, line_mm]


@dataclass(frozen=True)
class Shape:
    """All that the estimate needs to know of a lying part; independent of profile and printer but for the slicing step."""

    mesh: Mesh
    layers: Layers
    loops: Floats
    """(n,) outlines per layer, holes included."""
    islands_less_holes: Floats
    """(n,) outer outlines minus holes: how many full turns an inner wall is shorter than the outline."""
    corners: Floats
    """(n,) sharp corners per layer."""
    bend: Floats
    """(n,) how sharp they are: the mean sine of half the turn."""
    support: Support
    sampled: "Sections"
    """Some of the layers, for what the walls leave between them."""
    foot_mm: float
    """Way round the foot, for a brim."""

    @property
    def bottom_mm(self) -> float:
        return float(self.mesh.bounds[0, 2])

    def resliced(self, layer_mm: float) -> "Shape":
        """The same part sliced at another height, read off the layers already cut (of the real mesh)."""
        old = self.layers
        if abs(old.height_mm - layer_mm) < 1e-9:
            return self
        count = max(1, int(np.ceil(old.count * old.height_mm / layer_mm - 1e-6)))
        z: Floats = np.asarray(self.bottom_mm + (np.arange(count) + 0.5) * layer_mm, dtype=np.float64)
        each = lambda values: np.interp(z, old.z_mm, values)  # noqa: E731
        layers = Layers(layer_mm, z, each(old.area_mm2), each(old.outline_mm))
        return replace(
            self, layers=layers, loops=each(self.loops), islands_less_holes=each(self.islands_less_holes), corners=each(self.corners),
            bend=each(self.bend),
        )  # fmt: skip


def shape_of(solid: Solid, profile: Profile | None = None, holding: Holding | None = None) -> Shape:
    """Measure a lying part (foot at its lowest z) for the estimate; of the profile only its layers and how it is held up matter here."""
    used = profile or Profile()
    mesh = solid.mesh()
    layers = layer_sections(mesh, used.layer_mm)
    sampled = np.unique(np.linspace(0, layers.count - 1, min(_SAMPLED_LAYERS, layers.count)).round().astype(int))
    counts = np.array([_count(solid.section(float(layers.z_mm[i]) + 1e-7)) for i in sampled], dtype=np.float64)
    loops, euler, corners, bends = (np.interp(np.arange(layers.count), sampled, counts[:, k]) for k in range(4))
    sections = Sections(layers.z_mm[sampled], [solid.manifold.slice(float(layers.z_mm[i]) + 1e-7) for i in sampled])
    support = support_of(mesh, used.support, holding or used.holding())
    bend = bends / np.maximum(corners, 1e-9)
    return Shape(mesh, layers, loops, euler, corners, bend, support, sections, float(layers.outline_mm[0]))


def _count(section: BaseGeometry) -> tuple[float, float, float, float]:
    """Loops, outer loops less holes, sharp corners of a section, and the sum of the sines of half their turns."""
    loops = outer = corners = 0
    bends = 0.0
    for polygon in getattr(section, "geoms", [section]):
        if polygon.geom_type != "Polygon" or polygon.is_empty:
            continue
        outer += 1
        for ring in (polygon.exterior, *polygon.interiors):
            loops += 1
            points = np.array(ring.simplify(0.05).coords[:-1])
            step = np.roll(points, -1, axis=0) - points
            heading = np.arctan2(step[:, 1], step[:, 0])
            turn = np.abs((np.roll(heading, -1) - heading + np.pi) % (2 * np.pi) - np.pi)
            sharp = turn > np.radians(_SHARP_TURN_DEG)
            corners += int(sharp.sum())
            bends += float(np.sin(turn[sharp] / 2).sum())
    return loops, 2 * outer - loops, corners, bends
