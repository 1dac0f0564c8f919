"""The inside of a piece at many levels, and how much room something has that lies in one."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from bastion_core.geometry.mesh import Floats, Mesh

_RAYS = 144
_LEVELS = 26
_MOST_ASIDE = 0.3
_CORNERS = 72
"""Corners kept of a body section: those that reach furthest in so many directions."""


@dataclass(frozen=True, eq=False)
class Opening:
    """The inside of a piece at one level, in its own coordinates at scale 1: (k, 2) points on the shell and the share of the way round they cover."""

    at_mm: float
    points: Floats
    covered: float
    gap_mm: float
    """Widest opening in the way round, straight across; 0 for a closed ring."""


def openings(piece: Mesh) -> list[Opening]:
    """The inside of an upright piece at many levels, lowest first."""
    low, high = float(piece.bounds[0, 2]), float(piece.bounds[1, 2])
    angle = np.arange(_RAYS) * (2 * np.pi / _RAYS)
    level = np.column_stack([np.cos(angle), np.sin(angle), np.zeros(_RAYS)])
    known = []
    centre = piece.bounds.mean(axis=0)[:2]
    edge = min(0.6, 0.01 * (high - low))
    for z in np.linspace(low + edge, high - edge, _LEVELS):
        here = centre.copy()
        for _ in range(3):
            distance, face = piece.rays.first_hits(np.tile([here[0], here[1], z], (_RAYS, 1)), level)
            hit = face >= 0
            if hit.sum() < 8:
                break
            flat = here + distance[hit, None] * level[hit, :2]
            here = (flat.max(axis=0) + flat.min(axis=0)) / 2
        if hit.sum() < 8:
            continue
        # A ray that leaves material began inside it: this level is full, not open.
        inside_out = np.einsum("ij,ij->i", piece.area_vectors[face[hit]], level[hit]) > 0
        if inside_out.mean() > 0.5:
            continue
        points = here_points(piece, here, float(z), level)
        distance, face = piece.rays.first_hits(np.tile([here[0], here[1], z], (_RAYS, 1)), level)
        known.append(Opening(float(z), points, float(hit.mean()), _gap(piece, here, float(z), face >= 0)))
    return known


def here_points(piece: Mesh, centre: Floats, z: float, level: Floats) -> Floats:
    """(k, 2): where rays round about ``centre`` meet the shell."""
    distance, face = piece.rays.first_hits(np.tile([centre[0], centre[1], z], (len(level), 1)), level)
    hit = face >= 0
    return np.asarray(centre + distance[hit, None] * level[hit, :2])


def _gap(piece: Mesh, centre: Floats, z: float, hit: NDArray[np.bool_]) -> float:
    """Straight distance across the longest run of directions without a shell."""
    index = np.flatnonzero(hit)
    if len(index) == len(hit):
        return 0.0
    run = np.diff(np.append(index, index[0] + len(hit)))
    widest = int(run.argmax())
    if run[widest] < 4:
        return 0.0
    step = 2 * np.pi / len(hit)
    # Both edges, each between a direction that meets the shell and the next one that does not: halved until they are sharp.
    meets = np.array([index[widest] * step, (index[widest] + run[widest]) * step])
    misses = meets + np.array([step, -step])
    edge = np.zeros((2, 2))
    for _ in range(9):
        angle = (meets + misses) / 2
        level = np.column_stack([np.cos(angle), np.sin(angle), np.zeros(2)])
        distance, face = piece.rays.first_hits(np.tile([centre[0], centre[1], z], (2, 1)), level)
        there = face >= 0
        meets, misses = np.where(there, angle, meets), np.where(there, misses, angle)
        edge[there] = distance[there, None] * level[there, :2]
    whole = np.column_stack([np.cos(meets), np.sin(meets), np.zeros(2)])
    distance, face = piece.rays.first_hits(np.tile([centre[0], centre[1], z], (2, 1)), whole)
    edge = np.where((face >= 0)[:, None], np.where(np.isfinite(distance), distance, 0)[:, None] * whole[:, :2], edge)
    return float(np.linalg.norm(edge[1] - edge[0]))


def clearance(opening: Floats, outline: Floats) -> tuple[float, Floats]:
    """Most room each side (mm) with which a convex ``outline`` (m, 2) lies within the shell points ``opening`` (k, 2), moved freely; and that move (2,).

    Negative when it does not go through. A compass search from the middles of both.
    """
    if len(outline) > _CORNERS:
        outline = outline[np.unique((outline @ _FAN.T).argmax(axis=0))]
    edge = np.roll(outline, -1, axis=0) - outline
    keep = np.linalg.norm(edge, axis=1) > 1e-9
    corner, edge = outline[keep], edge[keep]
    normal = np.column_stack([edge[:, 1], -edge[:, 0]]) / np.linalg.norm(edge, axis=1)[:, None]
    edge_at = np.einsum("ij,ij->i", normal, corner)

    # How far each point of the shell lies outside each edge's line, before any move.
    outside = opening @ normal.T - edge_at

    def room(moves: Floats) -> Floats:
        return np.asarray((outside[None] - (moves @ normal.T)[:, None, :]).max(axis=2).min(axis=1))

    move = (opening.max(axis=0) + opening.min(axis=0)) / 2 - (outline.max(axis=0) + outline.min(axis=0)) / 2
    begin = move
    # Moved out of the ring altogether the outline would touch nothing: it has to stay about the ring's middle.
    reach = _MOST_ASIDE * float(np.ptp(opening, axis=0).min())
    best, step = float(room(move[None])[0]), 8.0
    while step > 0.01:
        tried = move + step * _COMPASS
        values = np.where(np.linalg.norm(tried - begin, axis=1) <= reach, room(tried), -np.inf)
        index = int(values.argmax())
        if values[index] > best + 1e-7:
            best, move = float(values[index]), tried[index]
        else:
            step /= 2
    return best, move


_FAN = np.array([[np.cos(a), np.sin(a)] for a in np.arange(_CORNERS) * 2 * np.pi / _CORNERS])
_COMPASS = np.array([[np.cos(a), np.sin(a)] for a in np.arange(8) * np.pi / 4])
