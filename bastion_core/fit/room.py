"""Room between body and piece: from each point of the skin the way out to the inside of the shell, less the layers."""

from collections.abc import Sequence
from dataclasses import dataclass

import igl
import numpy as np
from numpy.typing import NDArray

from bastion_core.fit.layers import Layer
from bastion_core.fit.onbody import Skin
from bastion_core.geometry.mesh import Floats, Ints, Mesh

_START_DEPTH = 0.5
"""Rays begin this share of the body's depth behind the skin, so that a shell inside the body is met too."""
_REFINED_MM, _MOST_REFINED = 12.0, 3000
_RIM_REACH_MM = 14.0
TOUCH_MM, TIGHT_MM = 1.0, 3.0
"""Room up to which skin counts as touched, and under which as tight; common practice, no source."""


@dataclass(frozen=True)
class Placed:
    """How a piece at scale 1 gets onto the body: p_body = scale * p_piece + offset."""

    scale: tuple[float, float, float]
    offset_mm: tuple[float, float, float]

    def to_body(self, points: Floats) -> Floats:
        """(n, 3) from the piece's to the body's coordinates."""
        return np.asarray(points * self.scale + np.array(self.offset_mm))

    def to_piece(self, points: Floats) -> Floats:
        """(n, 3) from the body's to the piece's coordinates."""
        return np.asarray((points - np.array(self.offset_mm)) / self.scale)


@dataclass(frozen=True, eq=False)
class Room:
    """Room at each point of the skin (n,), in mm after the layers; nan where the shell is open that way. Negative is overlap."""

    skin: Skin
    room_mm: Floats
    open_share: float
    """Share of the points the piece lies over in whose direction there is no shell."""
    resting: bool = False
    """Whether the piece rests on the crown, whose skin then does not count as tight."""

    @property
    def counted(self) -> Floats:
        """(n,): the rooms that count, nan elsewhere: not where the piece is meant to touch."""
        if not self.resting:
            return self.room_mm
        return np.where(self.skin.cap, np.nan, self.room_mm)

    @property
    def known(self) -> Floats:
        """The rooms that count and are numbers."""
        counted = self.counted
        return np.asarray(counted[np.isfinite(counted)])

    @property
    def least_mm(self) -> float:
        """The tightest place; nan when the piece covers nothing of the body."""
        return float(self.known.min()) if len(self.known) else float("nan")

    @property
    def least_at(self) -> Floats:
        """(3,): where that is, on the skin."""
        if not len(self.known):
            return np.zeros(3)
        return np.asarray(self.skin.points[int(np.nanargmin(self.counted))])

    def percentile(self, percent: float) -> float:
        """Room that so many percent of the covered skin have less of."""
        return float(np.percentile(self.known, percent)) if len(self.known) else float("nan")

    @property
    def touching(self) -> float:
        """Share of the covered skin with no more than a millimetre left."""
        return float((self.known <= TOUCH_MM).mean()) if len(self.known) else 0.0


def gaps(piece: Mesh, placed: Placed, skin: Skin) -> Floats:
    """(n,): way from each skin point straight out to the shell, mm; negative when the shell lies inside; inf where there is none."""
    return gaps_and_faces(piece, placed, skin)[0]


def gaps_and_faces(piece: Mesh, placed: Placed, skin: Skin) -> tuple[Floats, Ints, Floats]:
    """``gaps``, the face of the piece (n,) that each ends on, -1 where there is none or the skin lies within the material, and the direction (n, 3) it was taken in."""
    inside = skin.depth_mm * _START_DEPTH
    way, face = _to_shell(piece, placed, skin.points - skin.normals * inside[:, None], skin.normals)
    out = np.where(face == -2, -inside, way - inside)
    along = skin.normals
    pressing = np.flatnonzero(out < 0)
    if len(pressing):
        # At ears and folds the skin faces along the shell, and the way out that way is far longer than the overlap is deep:
        # there the way level out from the piece's middle counts, where it is the shorter one.
        points = skin.points[pressing]
        level = (points - placed.to_body(piece.bounds).mean(axis=0)) * [1.0, 1.0, 0.0]
        reach = np.linalg.norm(level, axis=1)
        level /= np.maximum(reach, 1e-9)[:, None]
        way, met = _to_shell(piece, placed, points - level * reach[:, None], level)
        shorter = np.isfinite(way) & (met >= 0) & (way - reach > out[pressing])
        out[pressing[shorter]], face[pressing[shorter]] = (way - reach)[shorter], met[shorter]
        along = along.copy()
        along[pressing[shorter]] = level[shorter]
    return out, np.maximum(face, -1), along


def _to_shell(piece: Mesh, placed: Placed, start: Floats, direction: Floats) -> tuple[Floats, Ints]:
    """Way (n,) in mm from points (n, 3) of the body along unit directions (n, 3) to the piece, inf where it is missed, and the face met:
    -1 for none, -2 where the ray began within the material."""
    scale = np.array(placed.scale)
    along = direction / scale
    stretch = np.linalg.norm(along, axis=1)
    along = along / stretch[:, None]
    distance, face = piece.rays.first_hits(placed.to_piece(start), along)
    # Meeting the material from behind means that the ray began inside it.
    hit = np.flatnonzero(face >= 0)
    leaving = hit[np.einsum("ij,ij->i", piece.area_vectors[face[hit]], along[hit]) > 0]
    face[leaving] = -2
    # A unit of way in the piece is 1/stretch of the body's.
    return distance / stretch, face


_STEEP = 0.25
"""A ray that grazes its face tells little of what a move does: its slope is held to what it would be at this cosine."""


def slopes(piece: Mesh, placed: Placed, face: Ints, way: Floats) -> Floats:
    """(n, 3): how each gap taken along ``way`` (n, 3) goes with a move of the piece, as it does while its ray ends on the same flat ``face`` (n,).

    Within the material (-1) nothing is known of faces: there the piece is taken to lie square to the skin.
    """
    slope = way.copy()
    met = np.flatnonzero(face >= 0)
    flat = piece.area_vectors[face[met]] / np.array(placed.scale)
    flat /= np.maximum(np.linalg.norm(flat, axis=1), 1e-12)[:, None]
    along = np.einsum("ij,ij->i", flat, way[met])
    slope[met] = flat / np.where(np.abs(along) < _STEEP, np.copysign(_STEEP, along), along)[:, None]
    return slope


_BESIDE_MM = 45.0
"""Skin so far beside the piece still counts: where the piece is too small, the body stands out of it."""


def covered(piece: Mesh, placed: Placed, skin: Skin) -> NDArray[np.bool_]:
    """(n,) mask: skin points at the piece's height and not far beside it."""
    low, high = placed.to_body(piece.bounds)
    beyond = np.array([_BESIDE_MM, _BESIDE_MM, 2.0])
    return np.asarray(((skin.points >= low - beyond) & (skin.points <= high + beyond)).all(axis=1))


def room_of(piece: Mesh, placed: Placed, skin: Skin, layers: Sequence[Layer] = (), exact: bool = True, resting: bool = False) -> Room:
    """The room map. ``exact`` also looks sideways from the tightest points, and at rims beside the straight way out."""
    here = np.flatnonzero(covered(piece, placed, skin))
    room = np.full(len(skin.points), np.nan)
    if not len(here):
        return Room(skin, room, 1.0, resting)
    near = skin.take(here)
    out = gaps(piece, placed, near)
    missed = ~np.isfinite(out)
    if exact:
        out = np.minimum(out, _nearest(piece, placed, near, out))
    clear = out - near.layers_mm(layers)
    room[here] = np.where(np.isfinite(clear), clear, np.nan)
    return Room(skin, room, float(missed.mean()), resting)


def _nearest(piece: Mesh, placed: Placed, skin: Skin, out: Floats) -> Floats:
    """(n,): distance to the nearest part of the shell in any direction, for the tightest points and those beside a rim; inf elsewhere."""
    clearance = np.full(len(out), np.inf)
    vertices, tree = piece.vertices, piece.corner_tree
    # Edges longer than this are few: their faces are always looked at, as a search by corners could miss them.
    coarse = float(np.percentile(piece.longest_edges, 90)) + 0.5
    positive = np.where(out > 0, out, np.inf)
    # Whatever could turn out the tightest: a fixed few of the lowest would come and go, and the room leap with them.
    lowest = np.argsort(positive)[:_MOST_REFINED]
    lowest = lowest[positive[lowest] < positive.min(initial=np.inf) + _REFINED_MM]
    scale = max(placed.scale)
    missed = np.flatnonzero(~np.isfinite(out))
    rim = missed
    if len(missed):
        distance, _ = tree.query(placed.to_piece(skin.points[missed]), distance_upper_bound=_RIM_REACH_MM / min(placed.scale))
        rim = missed[np.isfinite(distance)]
    asked = np.concatenate([lowest, rim])
    if not len(asked):
        return clearance
    reach = np.where(np.isfinite(out[asked]), np.maximum(out[asked], 0) / min(placed.scale), _RIM_REACH_MM / min(placed.scale)) + coarse
    points = placed.to_piece(skin.points[asked])
    found = tree.query_ball_point(points, reach)
    corners = np.unique(np.concatenate([np.asarray(f, dtype=np.int64) for f in found if len(f)] or [np.zeros(0, np.int64)]))
    chosen = np.zeros(len(vertices), bool)
    chosen[corners] = True
    faces = piece.faces[chosen[piece.faces].any(axis=1)]
    faces = np.unique(np.concatenate([faces, piece.faces[piece.longest_edges > coarse]]), axis=0)
    if not len(faces):
        return clearance
    if max(placed.scale) / min(placed.scale) < 1 + 1e-9:
        squared = igl.point_mesh_squared_distance(points, vertices, faces)[0]
        clearance[asked] = np.sqrt(squared) * scale
    else:
        squared = igl.point_mesh_squared_distance(skin.points[asked], placed.to_body(vertices), faces)[0]
        clearance[asked] = np.sqrt(squared)
    return clearance
