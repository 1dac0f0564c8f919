"""What hangs at a seam that comes off, and what it weighs."""

from collections.abc import Container
from dataclasses import dataclass

import networkx as nx
import numpy as np

from bastion_core.cut.parting import Parting, Seam
from bastion_core.geometry.arrays import three
from bastion_core.geometry.solid import Solid
from bastion_core.statics.closing import Hang
from bastion_core.statics.poses import CARRIED, WORN, Pose


@dataclass(frozen=True)
class Printed:
    """How parts are printed, as far as their weight goes; and whether the piece is worn."""

    density_g_cm3: float = 1.24
    walls_mm: float = 1.35
    infill: float = 0.15
    worn: bool = False

    def mass_g(self, solid: Solid) -> float:
        """What a part weighs: walls all round, infill inside them. Up to a fifth above the estimate layer by layer, which
        knows thinner skins: on the safe side of what hangs."""
        mesh = solid.mesh()
        area = float(np.linalg.norm(mesh.area_vectors, axis=1).sum())
        shell = min(solid.volume, area * self.walls_mm)
        return (shell + self.infill * (solid.volume - shell)) * self.density_g_cm3 / 1000

    @property
    def poses(self) -> tuple[Pose, ...]:
        return WORN if self.worn else CARRIED


@dataclass(frozen=True)
class HangsAt:
    """What hangs at a seam: on which side, which parts, how heavy and where (in the seam's frame, its third axis to what hangs)."""

    side: int
    parts: tuple[str, ...]
    hang: Hang
    to_frame: tuple[tuple[float, float, float], ...]
    """Rows of the 3x3 that turns directions into that frame."""


@dataclass(frozen=True)
class Stuck:
    """A seam at which nothing comes off, as its sides are held together by others."""

    by: tuple[Seam, ...]


def hangs_at(parting: Parting, seam: Seam, comes_off: Container[str], printed: Printed) -> HangsAt | Stuck:
    """What comes off at a seam. The heaviest of what is held together for good stays where it is worn; of a seam's two sides the one farther from
    it hangs, with all that reaches it by that side only. Where several seams hold it, each bears by its area."""
    side = _sides(parting, comes_off)
    one, other = side[seam.above], side[seam.below]
    if one == other:
        return Stuck(_beside(parting, seam, comes_off))
    mass: dict[str, float] = {}
    for part in parting.parts:
        mass[side[part.name]] = mass.get(side[part.name], 0.0) + printed.mass_g(part.solid)
    base = max(mass, key=lambda g: mass[g])
    graph: nx.Graph[str] = nx.Graph()
    graph.add_nodes_from(mass)
    opening = [s for s in parting.seams if s.id in comes_off and side[s.above] != side[s.below]]
    graph.add_edges_from((side[s.above], side[s.below]) for s in opening)
    far = nx.single_source_shortest_path_length(graph, base)

    def order(group: str) -> tuple[float, float]:
        return far.get(group, np.inf), -mass[group]

    hanging = max(one, other, key=order)
    left = graph.copy()
    left.remove_node(hanging)
    stays = set(nx.node_connected_component(left, base)) if base in left else set()
    groups = set(mass) - stays
    names = {p.name for p in parting.parts if side[p.name] in groups}
    parts = [p for p in parting.parts if p.name in names]
    masses = np.array([printed.mass_g(p.solid) for p in parts])
    held = [s for s in opening if (s.above in names) != (s.below in names)]
    # What hangs itself holds nothing up: only seams toward the base bear.
    bearing = sum(s.area_mm2 for s in held if order(side[s.below if s.above in names else s.above]) < order(hanging))
    balance = sum(m * p.solid.mesh().balance for m, p in zip(masses, parts, strict=True)) / masses.sum()
    up = 1 if side[seam.above] == hanging else -1
    flat = seam.surface.to_flat()
    turn = np.diag([1.0, 1.0, float(up)]) @ flat[:3, :3]
    at = flat[:3, :3] @ balance + flat[:3, 3]
    at[2] *= up
    hang = Hang(float(masses.sum()) * seam.area_mm2 / max(bearing, seam.area_mm2), three(at, 3))
    return HangsAt(up, tuple(sorted(names)), hang, tuple(three(row) for row in turn))


def _sides(parting: Parting, comes_off: Container[str]) -> dict[str, str]:
    """For each part the first name of those it is held together with for good."""
    graph: nx.Graph[str] = nx.Graph()
    graph.add_nodes_from(p.name for p in parting.parts)
    graph.add_edges_from((s.above, s.below) for s in parting.seams if s.id not in comes_off)
    return {name: min(together) for together in nx.connected_components(graph) for name in together}


def _beside(parting: Parting, seam: Seam, comes_off: Container[str]) -> tuple[Seam, ...]:
    """The seams nearest to both sides that hold them together all the same."""
    return tuple(s for s in parting.seams if s.id not in comes_off and {s.above, s.below} & {seam.above, seam.below})[:3]
