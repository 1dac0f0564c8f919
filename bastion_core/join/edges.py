"""Which rim of a cut face is the inside of the shell, and how thick the wall is there."""

from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.spatial import cKDTree
from shapely import LineString, MultiLineString, MultiPolygon, Polygon, unary_union
from shapely.geometry.base import BaseGeometry

from bastion_core.cut.parting import Surface
from bastion_core.cut.visible import looked_at
from bastion_core.geometry.mesh import Floats, Ints, Mesh

_STEP_MM = 2.5
_LOOKS = 40
_OFF_MM = 0.3
_HIDDEN = 0.6
"""An inside rim is seen less than this share of what the rim across the wall is; read off shells made for it."""
_OPEN, _AWAY = 0.42, 0.3
"""A flat or round outside is open to half of all directions; the back of a plate may be, too, but is hardly seen beside its front."""
_MOST_WALL_MM = 25.0
"""What is thicker is no shell; common practice, no source."""
_SHOWS = 0.03
_WALL_REACH_MM = 60.0
_RUN_MM = 6.0
_SIMPLE_MM = 0.03
_GRID_MM = 1e-4


@dataclass(frozen=True, eq=False)
class Rims:
    """The rims of a flat section, sampled. Everything in the seam's own frame, mm."""

    points: Floats
    """(n, 2)."""
    out: Floats
    """(n, 2): unit directions out of the material."""
    wall_mm: Floats
    """(n,): how thick the material is behind each, in the plane."""
    inside: NDArray[np.bool_]
    """(n,): whether the rim there is the inside of a shell."""
    ring: Ints
    """(n,): which ring each belongs to; the samples of a ring follow each other."""

    def lines(self, inside: bool) -> BaseGeometry:
        """The rims of the inside, or all others, as lines."""
        found: list[BaseGeometry] = []
        for k in np.unique(self.ring):
            mine = np.flatnonzero(self.ring == k)
            wanted = self.inside[mine] == inside
            if wanted.all():
                found.append(LineString(self.points[np.append(mine, mine[0])]))
                continue
            if not wanted.any():
                continue
            # Begin where another kind ends, so that no run is torn apart.
            start = int(np.flatnonzero(wanted & ~np.roll(wanted, 1))[0])
            order, flags = np.roll(mine, -start), np.roll(wanted, -start)
            ends = np.flatnonzero(np.diff(np.concatenate([[False], flags, [False]]).astype(int)))
            for first, last in ends.reshape(-1, 2):
                run = order[first:last]
                if len(run) > 1:
                    found.append(LineString(self.points[run]))
        return MultiLineString(found) if found else MultiLineString()


def rims_of(section: BaseGeometry, height_mm: float, surface: Surface, whole: Mesh) -> Rims | None:
    """The rims of a section so high over a seam. ``whole`` is the piece before any cut; None for an empty section."""
    section = shapely.simplify(section, _SIMPLE_MM)
    points, out, ring = _sampled(section)
    if not len(points):
        return None
    wall, across = _across(points, out, section)
    level = np.full(len(points), height_mm)
    at, off = (surface.to_space(np.column_stack([p, level])) for p in (points, points + out * _OFF_MM))
    seen, free = looked_at(off, off - at, whole, _LOOKS)
    _, nearest = cKDTree(points).query(across)
    opposite = np.where(np.isfinite(wall), seen[nearest], 1.0)
    turned_in = (free < _OPEN) | (seen < _AWAY * opposite)
    inside = (seen < _HIDDEN * opposite) & turned_in & (opposite > _SHOWS) & (wall < _MOST_WALL_MM)
    return Rims(points, out, wall, _evened(inside, ring), ring)


def _sampled(section: BaseGeometry) -> tuple[Floats, Floats, Ints]:
    points, out, rings = list[Floats](), list[Floats](), list[Ints]()
    for polygon in getattr(section, "geoms", [section]):
        if polygon.geom_type != "Polygon" or polygon.area < 0.5:
            continue
        polygon = shapely.orient_polygons(Polygon(polygon.exterior, polygon.interiors))
        for line in (polygon.exterior, *polygon.interiors):
            corners = shapely.get_coordinates(line)
            run = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(corners, axis=0), axis=1))])
            count = max(int(run[-1] / _STEP_MM), 8)
            steps = (np.arange(count) + 0.5) / count * run[-1]
            reach = min(0.4 * _STEP_MM, run[-1] / count / 3)
            at, before, after = (
                np.column_stack([np.interp((steps + d) % run[-1], run, corners[:, k]) for k in range(2)]) for d in (0.0, -reach, reach)
            )
            along = after - before
            along /= np.maximum(np.linalg.norm(along, axis=1), 1e-9)[:, None]
            points.append(at)
            # The material lies on the left of a ring so turned.
            out.append(np.column_stack([along[:, 1], -along[:, 0]]))
            rings.append(np.full(count, len(rings)))
    if not points:
        return np.zeros((0, 2)), np.zeros((0, 2)), np.zeros(0, np.int64)
    return np.concatenate(points), np.concatenate(out), np.concatenate(rings).astype(np.int64)


def _across(points: Floats, out: Floats, section: BaseGeometry) -> tuple[Floats, Floats]:
    """The wall behind each sample (n,), inf where there is none, and where it ends (n, 2)."""
    a, b = _segments(section)
    wall = np.full(len(points), np.inf)
    along = b - a
    for low in range(0, len(points), 256):
        p, d = points[low : low + 256, None], -out[low : low + 256, None]
        # p + t d = a + s along: by Cramer's rule.
        det = d[..., 0] * -along[:, 1] + d[..., 1] * along[:, 0]
        off = a - p
        with np.errstate(divide="ignore", invalid="ignore"):
            t = (off[..., 0] * -along[:, 1] + off[..., 1] * along[:, 0]) / det
            s = (d[..., 0] * off[..., 1] - d[..., 1] * off[..., 0]) / det
        met = (t > 0.02) & (t < _WALL_REACH_MM) & (s >= 0) & (s <= 1)
        wall[low : low + 256] = np.where(met, t, np.inf).min(axis=1)
    return wall, points - out * np.where(np.isfinite(wall), wall, 0.0)[:, None]


def _segments(section: BaseGeometry) -> tuple[Floats, Floats]:
    """Every edge of a section: its two ends (m, 2)."""
    rings = [r for p in getattr(section, "geoms", [section]) if p.geom_type == "Polygon" for r in (p.exterior, *p.interiors)]
    corners = [shapely.get_coordinates(r) for r in rings]
    return np.concatenate([c[:-1] for c in corners]), np.concatenate([c[1:] for c in corners])


def _evened(inside: NDArray[np.bool_], ring: Ints) -> NDArray[np.bool_]:
    """Runs shorter than a fastener are like what is round them."""
    half = max(int(_RUN_MM / _STEP_MM / 2), 1)
    found = inside.copy()
    for k in np.unique(ring):
        mine = np.flatnonzero(ring == k)
        if len(mine) > 2 * half + 1:
            share = np.mean([np.roll(inside[mine], s) for s in range(-half, half + 1)], axis=0)
            found[mine] = share > 0.5
    return found


def near(line: BaseGeometry, reach_mm: float) -> BaseGeometry:
    """What lies so near a line, its ends cut square."""
    return line.buffer(reach_mm, cap_style="flat", join_style="mitre", mitre_limit=2.0) if not line.is_empty else Polygon()


def both(one: BaseGeometry, other: BaseGeometry) -> BaseGeometry:
    """What two flat areas share. On a fine grid: rims that nearly coincide, as those of a wall and its own half do, never fail there."""
    return _areas(shapely.intersection(_areas(one), _areas(other), grid_size=_GRID_MM))


def less(area: BaseGeometry, other: BaseGeometry) -> BaseGeometry:
    """A flat area without another one; on the same grid."""
    return _areas(shapely.difference(_areas(area), _areas(other), grid_size=_GRID_MM))


def _areas(shape: BaseGeometry) -> BaseGeometry:
    """The polygons of a shape: where rims only touch, overlays leave lines and points too."""
    if shape.geom_type in ("Polygon", "MultiPolygon"):
        return shape
    return MultiPolygon([p for g in getattr(shape, "geoms", []) for p in getattr(g, "geoms", [g]) if p.geom_type == "Polygon"])


def simple(area: BaseGeometry, off_mm: float) -> BaseGeometry:
    """A flat area with fewer corners, its rims off by no more than that; sound, whatever was left out."""
    fewer = shapely.simplify(area, off_mm)
    return fewer if fewer.is_valid else clean(shapely.make_valid(fewer), 0.0)


def thin_places(area: BaseGeometry, least_mm: float) -> BaseGeometry:
    """What of a flat area is thinner than that."""
    half = least_mm / 2
    kept = area.buffer(-half, join_style="mitre", mitre_limit=2.0).buffer(half * 1.02, join_style="mitre", mitre_limit=2.0)
    return area.difference(kept.buffer(0.02))


def clean(area: BaseGeometry, least_mm2: float) -> BaseGeometry:
    """The polygons of an area that are at least so large."""
    kept = [p for p in getattr(area, "geoms", [area]) if p.geom_type == "Polygon" and p.area >= least_mm2]
    return unary_union(kept) if kept else Polygon()
