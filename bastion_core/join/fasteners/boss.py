"""Bosses on the inside of a shell: where its wall lies about a place of the rim, and what grows out of it at 45 degrees."""

import numpy as np
from shapely import Polygon

from bastion_core.cut.parting import Seam
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.solid import Solid, hull_solid, prism

_BITE_MM = 0.8
"""How deep a lug's foot reaches into the wall, at most; common practice, no source."""
_BITE_SHARE = 0.4
SEGMENTS = 24
_SLOPE = 1.35
"""A foot reaches so much further than the lug stands: a little steeper than the 45 degrees from which supports are put; common practice, no source."""
OVER_MM = 2.0


def frame_at(seam: Seam, at: Floats, out: Floats) -> Floats:
    """4x4 from a rim place's own frame into space: x into the cavity, z along the seam's axis, the place (2,) at the origin."""
    origin = seam.surface.to_space(at[None])[0]
    level = np.linalg.inv(seam.surface.to_flat())[:3, :3]
    frame = np.eye(4)
    frame[:3, 0] = level @ [*out, 0.0]
    frame[:3, 2] = seam.surface.normal
    frame[:3, 1] = np.cross(frame[:3, 2], frame[:3, 0])
    frame[:3, 3] = origin
    return frame


FROM_MM = 22.0


def wall_at(frame: Floats, y: Floats, z: Floats, whole: Mesh, rim_z: float = 0.0) -> tuple[Floats, Floats]:
    """Where the inside of the wall lies (x, nan where there is none) and how thick it is, at places (n,) of a mount's frame.

    Rows go away from the seam: each is looked for near the one before, so that another wall behind is not taken for this one.
    """
    starts = np.column_stack([np.full(len(y), FROM_MM), y, z]) @ frame[:3, :3].T + frame[:3, 3]
    ray, distance, entering = whole.rays.all_hits(starts, np.tile(-frame[:3, 0], (len(y), 1)))
    x, wall = np.full(len(y), np.nan), np.full(len(y), np.nan)
    order = np.lexsort((np.abs(y), np.abs(z)))
    known: list[tuple[float, float, float]] = [(0.0, rim_z, 0.0)]
    hits: dict[int, list[int]] = {}
    for k, r in enumerate(ray):
        hits.setdefault(int(r), []).append(k)
    for i in order:
        mine = hits.get(int(i), [])
        places = [(FROM_MM - distance[k], n) for n, k in enumerate(mine) if entering[k]]
        if not places:
            continue
        near = min(known, key=lambda p: abs(p[0] - y[i]) + abs(p[1] - z[i]))
        reach = 1.3 * float(np.hypot(near[0] - y[i], near[1] - z[i])) + 0.6
        at, n = min(places, key=lambda p: abs(p[0] - near[2]))
        if abs(at - near[2]) > reach:
            continue
        x[i] = at
        known.append((float(y[i]), float(z[i]), float(at)))
        if n + 1 < len(mine) and not entering[mine[n + 1]]:
            wall[i] = distance[mine[n + 1]] - distance[mine[n]]
    return x, wall


def boss(frame: Floats, side: int, high: float, radius: float, off: float, whole: Mesh, rim_z: float = 0.0) -> tuple[Solid | None, Floats]:
    """A round boss on the wall, its flanks at 45 degrees or steeper, from the seam so high; and its foot (n, 3). None where the wall ends before it does."""
    tip = _SLOPE * (off + radius)
    wide = _SLOPE * (off + 1.42 * radius)
    rows = [(z, wide) for z in np.linspace(0.4, high, 4)] + [(high + tip * 0.5, 0.75 * wide), (high + tip, 0.5 * wide)]
    y = np.concatenate([np.linspace(-w, w, 5) for _, w in rows])
    z = np.repeat([side * h for h, _ in rows], 5)
    x, wall = wall_at(frame, y, z, whole, rim_z)
    if not np.isfinite(x).all() or not np.isfinite(wall).all():
        return None, np.zeros((0, 3))
    bite = np.minimum(_BITE_MM, _BITE_SHARE * wall)
    feet = np.column_stack([x - bite, y, z])
    # A little over the seam, which trims it: a bow leaves the plane under so wide a foot.
    across = feet[:5].copy()
    across[:, 2] = -OVER_MM * side
    turns = np.linspace(0, 2 * np.pi, SEGMENTS, endpoint=False)
    ring = np.column_stack([off + radius * np.cos(turns), radius * np.sin(turns)])
    body = np.concatenate([np.column_stack([ring, np.full(len(ring), h)]) for h in (-OVER_MM * side, side * high)])
    local = np.concatenate([feet, across, body])
    solid = hull_solid(local @ frame[:3, :3].T + frame[:3, 3])
    return solid, np.concatenate([feet, body[len(ring) :]]) @ frame[:3, :3].T + frame[:3, 3]


def of_side(solid: Solid, side: int, seam: Seam) -> Solid:
    """What of a solid lies above (1) or below (-1) a seam."""
    above, below = seam.surface.split(solid)
    return above if side > 0 else below


def rod(frame: Floats, off: float, radius: float, start: float, stop: float, segments: int = 40) -> Solid:
    """A round (or, with six segments, hexagonal) tool along a lug's axis, ``off`` into the cavity, between two heights."""
    low, high = sorted((start, stop))
    matrix = frame.copy()
    matrix[:3, 3] = frame[:3, :3] @ [off, 0.0, (low + high) / 2] + frame[:3, 3]
    if segments == 6:
        turns = np.linspace(0, 2 * np.pi, 6, endpoint=False)
        return prism(
            Polygon(np.column_stack([radius * np.cos(turns), radius * np.sin(turns)])), -(high - low) / 2, (high - low) / 2
        ).transformed(matrix)
    return Solid.cylinder(radius, high - low, segments).transformed(matrix)


def free_over(frame: Floats, off: float, radius: float, start: float, way: int, whole: Mesh, tilt_deg: float = 0.0) -> float:
    """Straight room from a height along the axis, as wide as that; tilted off it into the cavity by some degrees."""
    turns = np.linspace(0, 2 * np.pi, 8, endpoint=False)
    local = np.concatenate(
        [[[off, 0.0, start]], np.column_stack([off + radius * np.cos(turns), radius * np.sin(turns), np.full(8, start)])]
    )
    starts = local @ frame[:3, :3].T + frame[:3, 3]
    tilt = np.radians(tilt_deg)
    along = frame[:3, 2] * way * np.cos(tilt) + frame[:3, 0] * np.sin(tilt)
    distance, _ = whole.rays.first_hits(starts, np.tile(along, (len(starts), 1)))
    return float(distance.min())
