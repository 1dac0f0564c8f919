"""What hangs at a seam that comes off, and what it weighs."""

from collections.abc import Container, Mapping
from dataclasses import dataclass

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
        """What a part weighs: walls all round, infill inside them. Within a few percent of the estimate layer by layer."""
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
    """What comes off at a seam: the lighter of the two sides that only seams which come off hold together. Where several do, each bears by its area."""
    side = _sides(parting, comes_off)
    if side[seam.above] == side[seam.below]:
        return Stuck(_between(parting, seam, comes_off))
    groups = {s: [p for p in parting.parts if side[p.name] in _beyond(parting, side, seam, s)] for s in (1, -1)}
    weights = {s: [printed.mass_g(p.solid) for p in parts] for s, parts in groups.items()}
    hanging = min((1, -1), key=lambda s: sum(weights[s]))
    parts, masses = groups[hanging], np.array(weights[hanging])
    names = {p.name for p in parts}
    others = sum(s.area_mm2 for s in parting.seams if s.id in comes_off and len(names & {s.above, s.below}) == 1)
    balance = sum(m * p.solid.mesh().balance for m, p in zip(masses, parts, strict=True)) / masses.sum()
    flat = seam.surface.to_flat()
    turn = np.diag([1.0, 1.0, float(hanging)]) @ flat[:3, :3]
    at = flat[:3, :3] @ balance + flat[:3, 3]
    at[2] *= hanging
    hang = Hang(float(masses.sum()) * seam.area_mm2 / max(others, seam.area_mm2), three(at, 3))
    return HangsAt(hanging, tuple(sorted(names)), hang, tuple(three(row) for row in turn))


def _sides(parting: Parting, comes_off: Container[str]) -> dict[str, str]:
    """For each part the first name of those it is held together with for good."""
    first: dict[str, str] = {p.name: p.name for p in parting.parts}
    for seam in parting.seams:
        if seam.id not in comes_off:
            one, other = sorted((first[seam.above], first[seam.below]))
            first = {name: one if f == other else f for name, f in first.items()}
    return first


def _beyond(parting: Parting, side: Mapping[str, str], seam: Seam, which: int) -> set[str]:
    """The held-together sides that stay with the part above (1) or below (-1) of a seam when it is opened."""
    start = side[seam.above if which > 0 else seam.below]
    against = side[seam.below if which > 0 else seam.above]
    found, more = {start}, True
    while more:
        next_to = {
            side[b] for s in parting.seams for a, b in ((s.above, s.below), (s.below, s.above)) if side[a] in found and side[b] != against
        }
        more = not next_to <= found
        found |= next_to
    return found


def _between(parting: Parting, seam: Seam, comes_off: Container[str]) -> tuple[Seam, ...]:
    """The seams nearest to both sides that hold them together all the same."""
    beside = [s for s in parting.seams if s.id not in comes_off and {s.above, s.below} & {seam.above, seam.below}]
    return tuple(beside[:3])
