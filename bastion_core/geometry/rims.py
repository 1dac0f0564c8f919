"""Rims of open surfaces: their edges, the rings they make, and faces that close them."""

import numpy as np
from manifold3d import triangulate

from bastion_core.geometry.mesh import Floats, Ints
from bastion_core.geometry.place import plane_frame


def half_edges(faces: Ints) -> Ints:
    """(3m, 2): every face's sides in its own direction."""
    return np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]])


def open_half_edges(faces: Ints) -> Ints:
    """Half edges (k, 2) that no face runs along the other way."""
    half = half_edges(faces)
    size = int(faces.max()) + 1 if len(faces) else 1
    return half[~np.isin(half[:, 0] * size + half[:, 1], half[:, 1] * size + half[:, 0])]


def loops_of(open_edges: Ints) -> list[list[int]]:
    """Closed rings of vertices along the rims of holes, in the rim's own direction."""
    following: dict[int, list[int]] = {}
    for a, b in open_edges.tolist():
        following.setdefault(a, []).append(b)
    loops = []
    while following:
        start = next(iter(following))
        ring, at, place = [start], start, {start: 0}
        while following.get(at):
            onward = following[at].pop()
            if not following[at]:
                del following[at]
            if onward in place:
                # A figure of eight is cut where it crosses itself.
                loop = ring[place[onward] :]
                if len(loop) >= 3:
                    loops.append(loop)
                for vertex in ring[place[onward] + 1 :]:
                    place.pop(vertex, None)
                ring = ring[: place[onward] + 1]
            else:
                place[onward] = len(ring)
                ring.append(onward)
            at = onward
        following.pop(at, None)
    return loops


def filled(vertices: Floats, faces: Ints, loops: list[list[int]]) -> tuple[Floats, Ints]:
    """Close each rim: flat ones with a proper triangulation, others with a fan from their middle."""
    points, extra = [vertices], [faces]
    count = len(vertices)
    for loop in loops:
        ring = np.array(loop[::-1])  # the fill runs against the rim
        corners = vertices[ring]
        middle = corners.mean(axis=0)
        normal = np.cross(corners - middle, np.roll(corners, -1, axis=0) - middle).sum(axis=0)
        length = float(np.linalg.norm(normal))
        if len(ring) > 3 and length > 0:
            frame = plane_frame(normal)
            local = (corners - middle) @ frame
            if np.abs(local[:, 2]).max() < 0.03 * float(np.ptp(local[:, :2], axis=0).max()):
                made = np.asarray(triangulate([np.ascontiguousarray(local[:, :2])]), dtype=np.int64)
                if len(made) == len(ring) - 2:
                    extra.append(ring[made])
                    continue
        if len(ring) == 3:
            extra.append(ring[None, :])
            continue
        points.append(middle[None, :])
        extra.append(np.column_stack([ring, np.roll(ring, -1), np.full(len(ring), count)]))
        count += 1
    return np.concatenate(points), np.concatenate(extra)
