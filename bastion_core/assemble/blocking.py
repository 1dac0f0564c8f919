"""Which body is in whose way: for every direction, who runs into whom as it is moved along it without end.

Wilson and Latombe's directional blocking graph ("Geometric reasoning about mechanical assembly", Artificial Intelligence 71, 1994): a set of
bodies comes off along a direction exactly when none of it runs into any of the rest, so every question about a subassembly is answered by the
same table. The table is read off rays along the direction: a body runs into another where something of that lies ahead of it.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from bastion_core.assemble.bodies import Assembly, Body, Direction, members
from bastion_core.geometry.arrays import three
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.place import plane_frame
from bastion_core.progress import Progress, silent

_CELLS = 14_000
"""Rays through the whole piece along each direction."""
_LEAST_PITCH_MM = 0.8
_AHEAD_MM = 0.3
"""So much may stand in each other's way: printed parts give, and meshes are rounded."""
_ASIDE_MM = 0.15
"""What is in the way by less than that to the side is not: clearances of printed parts are as wide; common practice, no source."""
_LEAST_CELLS = 3
_LOOKED_AT = 160
_GIVES_MM = 14.0
"""Round a snap: it springs aside."""
_SAME_DEG = 3.0
_MOST_DIRECTIONS = 20


@dataclass(frozen=True)
class Block:
    """Who runs into whom, where, and how far before it is in place."""

    moves: str
    by: str
    at_mm: tuple[float, float, float]
    travel_mm: float
    """How far out of its place it is where it first strikes."""


@dataclass(frozen=True, eq=False)
class Blocking:
    """The table. ``ahead[d][p]`` is the set of bodies that body p runs into along direction d."""

    assembly: Assembly
    directions: Floats
    """(k, 3), the second half the first turned round."""
    ahead: tuple[tuple[int, ...], ...]
    places: dict[tuple[int, int, int], Block]

    def free_ways(self, moving: int, still: int) -> list[int]:
        """The numbers of the directions along which one set comes off another."""
        found = []
        for d, ahead in enumerate(self.ahead):
            hit = 0
            for p in members(moving):
                hit |= ahead[p]
            if not hit & still:
                found.append(d)
        return found

    def blocks(self, moving: int, still: int, d: int) -> list[Block]:
        """Everything that is in a set's way along a direction."""
        return [
            self.places[d, p, q] for p in members(moving) for q in members(still) if (d, p, q) in self.places and self.ahead[d][p] >> q & 1
        ]


def directions_for(assembly: Assembly) -> Floats:
    """(k, 3): unit directions worth trying: along which seams come apart, between two of those, along rods, and the axes; each with its opposite
    in the second half."""
    found: list[Floats] = []
    limit = np.cos(np.radians(_SAME_DEG))

    def take(direction: Floats) -> None:
        length = float(np.linalg.norm(direction))
        if length > 1e-6 and len(found) < _MOST_DIRECTIONS:
            unit = np.asarray(direction) / length
            if all(abs(float(unit @ f)) < limit for f in found):
                found.append(unit)

    seams = [np.array(c.along) for c in assembly.contacts]
    for axis in seams:
        take(axis)
    for unit in np.eye(3):
        take(unit)
    own = list(found)
    for i, one in enumerate(own):
        for other in own[i + 1 :]:
            take(one + other)
            take(one - other)
    each = np.array(found)
    return np.vstack([each, -each])


def blocking(assembly: Assembly, directions: Floats, progress: Progress = silent) -> Blocking:
    """Who is in whose way along each of ``directions`` (k, 3), whose second half is the first turned round."""
    count, half = len(assembly.bodies), len(directions) // 2
    ahead = [[0] * count for _ in directions]
    places: dict[tuple[int, int, int], Block] = {}
    gives = _giving(assembly)
    for d in range(half) if count > 1 else ():
        progress(d / half, "what is in whose way")
        seen = _Seen(assembly.bodies, directions[d])
        for p in range(count):
            for q in range(count):
                found = seen.strikes(p, q, gives.get((p, q), ())) if p != q else None
                if found is None:
                    continue
                at, travel = found
                block = Block(assembly.bodies[p].name, assembly.bodies[q].name, three(at, 1), round(travel, 1))
                ahead[d][p] |= 1 << q
                places[d, p, q] = block
                # Who runs into another along a direction is run into by it along the opposite one.
                ahead[d + half][q] |= 1 << p
                places[d + half, q, p] = Block(block.by, block.moves, block.at_mm, block.travel_mm)
    return Blocking(assembly, directions, tuple(tuple(row) for row in ahead), places)


def _giving(assembly: Assembly) -> dict[tuple[int, int], tuple[Direction, ...]]:
    found: dict[tuple[int, int], tuple[Direction, ...]] = {}
    for c in assembly.contacts:
        if c.gives_at:
            a, b = (assembly.index[n] for n in c.between)
            found[a, b] = found[b, a] = (*found.get((a, b), ()), *c.gives_at)
    return found


class _Seen:
    """All bodies seen along one direction: of each, where matter begins and ends on every ray of a grid."""

    def __init__(self, bodies: Sequence[Body], direction: Floats) -> None:
        self.bodies, self.frame = bodies, plane_frame(direction)
        flat = [b.mesh.vertices @ self.frame for b in bodies]
        low, high = np.min([f.min(axis=0) for f in flat], axis=0), np.max([f.max(axis=0) for f in flat], axis=0)
        self.from_mm, self.to_mm = float(low[2]) - 1.0, float(high[2]) + 1.0
        wide, tall = high[0] - low[0], high[1] - low[1]
        # A thin rod is seen by rays of its own width.
        least = min((float(np.ptp(f[:, :2], axis=0).min()) for f in flat), default=1.0)
        self.pitch = max(_LEAST_PITCH_MM, min(float(np.sqrt(wide * tall / _CELLS)), least / 4))
        # Off every round number, so that rays do not run within faces.
        self.origin = low[:2] + np.array([0.0137, 0.0071]) + self.pitch / 2
        self.shape = tuple(max(int(np.ceil(s / self.pitch)), 1) for s in (wide, tall))
        self.cells: list[NDArray[np.int64]] = []
        self.low: list[Floats] = []
        self.high: list[Floats] = []
        for body, f in zip(bodies, flat, strict=True):
            cells = self._under(f[:, :2].min(axis=0), f[:, :2].max(axis=0))
            at = self._at(cells)
            begin = self._first(body, at, 1)
            there = np.isfinite(begin)
            cells, at, begin = cells[there], at[there], begin[there]
            self.cells.append(cells)
            self.low.append(begin)
            self.high.append(self._first(body, at, -1))

    def _under(self, low: Floats, high: Floats) -> NDArray[np.int64]:
        a, b = (
            np.arange(
                max(int((low[k] - self.origin[k]) / self.pitch), 0), min(int((high[k] - self.origin[k]) / self.pitch) + 2, self.shape[k])
            )
            for k in (0, 1)
        )
        return (a[:, None] * self.shape[1] + b[None, :]).ravel()

    def _at(self, cells: NDArray[np.int64]) -> Floats:
        return np.asarray(self.origin + np.column_stack(np.divmod(cells, self.shape[1])) * self.pitch)

    def _first(self, body: Body, at: Floats, up: int) -> Floats:
        """(n,): height at which matter begins on rays at ``at`` (n, 2), from below (1) or from above (-1); not finite where there is none."""
        if not len(at):
            return np.zeros(0)
        edge = self.from_mm if up > 0 else self.to_mm
        starts = np.column_stack([at, np.full(len(at), edge)]) @ self.frame.T
        distance, _ = body.mesh.rays.first_hits(starts, np.tile(up * self.frame[:, 2], (len(at), 1)))
        return np.asarray(edge + up * distance)

    def strikes(self, p: int, q: int, gives: Sequence[Direction]) -> tuple[Floats, float] | None:
        """Where body p, moved along the direction, runs into body q, and how far from its place; None where it does not."""
        _, mine, theirs = np.intersect1d(self.cells[p], self.cells[q], assume_unique=True, return_indices=True)
        into = self.high[q][theirs] - self.low[p][mine]
        which = np.flatnonzero(into > _AHEAD_MM)
        if len(which) < _LEAST_CELLS:
            return None
        if len(which) > _LOOKED_AT:
            which = which[np.linspace(0, len(which) - 1, _LOOKED_AT).astype(np.int64)]
        at, begin = self._at(self.cells[p][mine[which]]), self.low[p][mine[which]]
        sure = np.ones(len(which), np.bool_)
        for aside in _ASIDE_MM * np.array([[1.0, 0.0], [-1.0, 0.0], [0.0, 1.0], [0.0, -1.0]]):
            above = self._first(self.bodies[q], at + aside, -1)
            sure &= np.isfinite(above) & (above - begin > _AHEAD_MM)
        if gives and sure.any():
            space = np.column_stack([at, begin]) @ self.frame.T
            sure &= (np.linalg.norm(space[:, None] - np.array(gives)[None], axis=2) > _GIVES_MM).all(axis=1)
        if sure.sum() < _LEAST_CELLS:
            return None
        return self._strike(p, q, np.column_stack([at[sure], begin[sure]]))

    def _strike(self, p: int, q: int, starts: Floats) -> tuple[Floats, float]:
        """The nearest of the places where body p strikes body q, seen from under it at ``starts`` (n, 3, in the frame)."""
        up = np.tile(self.frame[:, 2], (len(starts), 1))
        ahead, _ = self.bodies[q].mesh.rays.first_hits(starts @ self.frame.T, up)
        struck = starts + np.column_stack([np.zeros((len(starts), 2)), np.where(np.isfinite(ahead), ahead, 0.0)])
        back, _ = self.bodies[p].mesh.rays.first_hits(struck @ self.frame.T, -up)
        travel = np.where(np.isfinite(back), back, 0.0)
        k = int(np.argmin(travel))
        return np.asarray(struck[k] @ self.frame.T), float(travel[k])
