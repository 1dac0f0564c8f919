"""Where a piece sits on the body by itself: which way up, which way round, and where it comes to rest."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.optimize import linprog
from scipy.spatial.transform import Rotation

from bastion_core.fit.layers import Layer
from bastion_core.fit.onbody import OnBody, Skin
from bastion_core.fit.room import Placed, covered, gaps, gaps_and_faces
from bastion_core.fit.sites import Site
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.place import quarter_turns, shifting

PLATE_TOUCHES = 6.0
"""A plate that does not go round is pushed on until so many percent of what it faces are touched; common practice, no source."""
_MOST_LIFT_MM = 12.0
_FREE_MM, _FAR_COSTS = 12.0, 0.6
_COARSE = 500
Scale = tuple[float, float, float]


@dataclass(frozen=True)
class Seating:
    """How a kind of piece finds its place; kept for all scales."""

    goes_round: bool
    """A ring or shell round the body, against a plate on one side of it."""
    rests_on_top: bool
    """A helmet: its dome rests on the crown's padding."""
    shift_mm: tuple[float, float, float] = (0.0, 0.0, 0.0)
    """What the maker moved it by."""


def standing(piece: Mesh, turns: tuple[int, int, int]) -> Mesh:
    """The piece turned by whole quarter turns."""
    return piece.transformed(quarter_turns(*turns)) if any(t % 4 for t in turns) else piece


def seat_turn(bounds: Floats, turn_deg: Scale, scale: Scale) -> Floats:
    """4x4: how a piece of these bounds (2, 3), at scale 1, is turned in its seat about its middle, so that it is turned so far after scaling.

    ``turn_deg`` are degrees about x (nodding), y (leaning) and z (to the left), in this order.
    """
    middle, s = np.asarray(bounds).mean(axis=0), np.array(scale)
    turn = np.eye(4)
    turn[:3, :3] = Rotation.from_euler("xyz", turn_deg, degrees=True).as_matrix() * s[None, :] / s[:, None]
    return np.asarray(shifting(middle) @ turn @ shifting(-middle))


def kind_of(piece: Mesh, body: OnBody, worn_at: Site, shift_mm: tuple[float, float, float] = (0.0, 0.0, 0.0)) -> Seating:
    """Whether a piece goes round the body, and whether it hangs from the crown."""
    middle = piece.bounds.mean(axis=0)
    seen = max(_share_round(piece, middle[:2], piece.bounds[0, 2] + share * piece.size[2]) for share in (0.3, 0.5, 0.7))
    up, _ = piece.rays.first_hits(np.array([[middle[0], middle[1], piece.bounds[0, 2] + 0.4 * piece.size[2]]]), np.array([[0.0, 0.0, 1.0]]))
    return Seating(seen >= worn_at.round_from, body.crown_mm is not None and bool(np.isfinite(up[0])), shift_mm)


_AROUND = np.arange(90) * (2 * np.pi / 90)
_LEVEL = np.column_stack([np.cos(_AROUND), np.sin(_AROUND), np.zeros(90)])


def _share_round(piece: Mesh, middle: Floats, z: float) -> float:
    """Share of the way round that a shell covers at a height, as seen from the middle of the circle that fits it best."""
    centre = middle
    for _ in range(2):
        distance, _ = piece.rays.first_hits(np.tile([centre[0], centre[1], z], (90, 1)), _LEVEL)
        hit = np.isfinite(distance)
        if hit.sum() < 6:
            return 0.0
        if centre is not middle:
            break
        points = centre + distance[hit, None] * _LEVEL[hit, :2]
        a, b, _ = np.linalg.lstsq(np.column_stack([points, np.ones(len(points))]), (points**2).sum(axis=1), rcond=None)[0]
        fitted = np.array([a / 2, b / 2])
        if np.linalg.norm(fitted - middle) > piece.size[:2].max():
            return 0.0
        centre = fitted
    return float(hit.mean())


def seat(
    piece: Mesh,
    body: OnBody,
    seating: Seating,
    scale: Scale,
    layers: Sequence[Layer],
    skin: Skin | None = None,
    near: Placed | None = None,
    crown: Skin | None = None,
) -> Placed:
    """Where the piece comes to rest at a scale.

    A ring settles where its tightest place has the most room; a helmet hangs from the crown's padding; a plate is
    pushed on until it begins to touch the layers. ``near`` is a place found for nearly the same scale, to begin from;
    ``crown`` is a denser skin for where a helmet rests.
    """
    skin = skin or body.skin(_COARSE)
    crown = crown or skin
    s = np.array(scale)
    middle = piece.bounds.mean(axis=0) * s
    offset = body.centre - middle
    if seating.rests_on_top:
        offset[2] = _hang(piece, crown, s, offset, layers)
    if seating.goes_round:
        step = 6 * _SETTLING_MM
        if near is not None:
            # Keep the place of the piece's middle over the body; only settle it anew.
            before = np.array(near.offset_mm) - np.array(seating.shift_mm) + piece.bounds.mean(axis=0) * np.array(near.scale)
            offset[:2] = (before - middle)[:2]
            # A helmet is held by its dome and finds the same place again; an open piece may not.
            step = (0.75 if seating.rests_on_top else 1.0) * _SETTLING_MM
        offset = _most_room(piece, skin, s, offset, layers, step)
        if seating.rests_on_top:
            offset[2] = _hang(piece, crown, s, offset, layers)
            offset = _most_room(piece, skin, s, offset, layers, 0.75 * _SETTLING_MM)
    else:
        offset = _push_on(piece, skin, s, offset, layers)
    offset = offset + np.array(seating.shift_mm)
    return Placed(scale, (float(offset[0]), float(offset[1]), float(offset[2])))


def _hang(piece: Mesh, skin: Skin, s: Floats, offset: Floats, layers: Sequence[Layer]) -> float:
    """The height at which the dome comes to rest on the crown's layers: lowered straight down until it touches."""
    cap = skin.cap & (skin.normals[:, 2] > 0.1)
    if not cap.any():
        return float(offset[2])
    normals = skin.normals[cap]
    pad = skin.take(cap).layers_mm(layers)
    low = float(piece.bounds[0, 2] + 0.35 * piece.size[2])

    def rests_at(padded: Floats) -> float:
        start = np.column_stack([(padded[:, :2] - offset[:2]) / s[:2], np.full(len(padded), low)])
        up, _ = piece.rays.first_hits(start, np.tile([0.0, 0.0, 1.0], (len(start), 1)))
        hit = np.isfinite(up)
        return float((padded[hit, 2] - (low + up[hit]) * s[2]).max()) if hit.any() else -np.inf

    lifted = rests_at(skin.points[cap] + np.array([0.0, 0.0, 1.0]) * pad[:, None])
    padded = rests_at(skin.points[cap] + normals * pad[:, None])
    if not np.isfinite(lifted):
        return float(offset[2])
    # A dome too small for the padding all round is still pulled down on it: the sides then tell how much too small.
    return float(min(max(padded, lifted), lifted + _MOST_LIFT_MM))


def _tenth(values: Floats) -> float:
    """About the tenth percentile, quickly."""
    k = len(values) // 10
    return float(np.partition(values, k)[k])


def _tightness(piece: Mesh, skin: Skin, s: Floats, offset: Floats, less: Floats) -> tuple[float, Floats]:
    """The tightest place, and all rooms known. Skin that carries a helmet is left out by the caller."""
    placed = Placed((s[0], s[1], s[2]), (offset[0], offset[1], offset[2]))
    mask = covered(piece, placed, skin)
    if not mask.any():
        return -np.inf, np.zeros(0)
    near = skin.take(mask)
    room_mm = gaps(piece, placed, near) - less[mask]
    known = room_mm[np.isfinite(room_mm)]
    if not len(known):
        return -np.inf, known
    # The tightest place rules; the tenth percentile breaks ties so that the rest is spread evenly too.
    return float(known.min() + 0.02 * _tenth(known)), known


def _most_room(piece: Mesh, skin: Skin, s: Floats, offset: Floats, layers: Sequence[Layer], reach: float) -> Floats:
    """Move level, at first by no more than ``reach`` mm at once, until the tightest place has the most room.

    Each round takes every gap as going evenly with the move, as it does while its ray ends on the same flat face, and
    solves for the move that leaves the most by linear programming; what does not come true shortens the next step.
    """
    skin = skin.take(~skin.cap)
    less = skin.layers_mm(layers)
    begin = offset
    (here,) = _looked(piece, skin, s, offset[None], less)
    best, looked_about = _worth(here[0], offset - begin), reach < _SETTLING_MM
    for _ in range(_ROUNDS):
        move = _best_move(here, offset - begin, reach) if reach > _LEAST_STEP_MM else None
        if move is None:
            if looked_about:
                break
            # Edges that come into and go out of sight leave false summits: look about once before it is settled.
            looked_about, reach = True, _SETTLING_MM
            tries = offset + _ABOUT
        else:
            tries = (offset + move)[None]
        seen = _looked(piece, skin, s, tries, less)
        values = [_worth(room, tried - begin) for (room, _), tried in zip(seen, tries, strict=True)]
        k = int(np.argmax(values))
        if values[k] > best + 1e-6:
            best, offset, here = values[k], tries[k], seen[k]
        elif len(tries) > 1:
            break
        else:
            reach = min(reach, float(np.linalg.norm(tries[0] - offset))) / 3
    return offset


_COMPASS = np.array([[np.cos(a), np.sin(a), 0.0] for a in np.arange(8) * np.pi / 4])
_SETTLING_MM, _ABOUT_MM = 2.0, (7.0, 3.0)
_ABOUT = np.concatenate([step * _COMPASS for step in _ABOUT_MM])
_ROUNDS, _LEAST_STEP_MM, _WORTH_A_STEP_MM = 24, 0.03, 0.01
_STEEP = 0.25
"""A ray that grazes its face tells little of what a move does: its slope is held to what it would be at this cosine."""
_SPREAD = 0.02
"""Weight of the mean room beside the tightest place's, so that what is left free is spread evenly."""
_CIRCLE = np.array([[np.cos(a), np.sin(a)] for a in np.arange(16) * np.pi / 8])


def _looked(piece: Mesh, skin: Skin, s: Floats, offsets: Floats, less: Floats) -> list[tuple[Floats, Floats]]:
    """For each offset (m, 3) the rooms (k,) where there is a shell, and how each goes (k, 2) with a level move of the piece.

    All rays are cast together: moving the piece is moving the body the other way.
    """
    count, n = len(offsets), len(skin.points)
    points = (skin.points[None] + (offsets[0] - offsets)[:, None]).reshape(-1, 3)
    many = Skin(points, *(np.concatenate([part] * count) for part in (skin.normals, skin.depth_mm, skin.bare, skin.cap)))
    placed = Placed((s[0], s[1], s[2]), (offsets[0][0], offsets[0][1], offsets[0][2]))
    out, face, way = gaps_and_faces(piece, placed, many)
    known = np.isfinite(out) & covered(piece, placed, many)
    slope = way[:, :2].copy()
    met = known & (face >= 0)
    flat = piece.area_vectors[face[met]] / s
    flat /= np.maximum(np.linalg.norm(flat, axis=1), 1e-12)[:, None]
    along = np.einsum("ij,ij->i", flat, way[met])
    # Within the material nothing is known of faces: there the piece is taken to lie square to the skin.
    slope[met] = flat[:, :2] / np.where(np.abs(along) < _STEEP, np.copysign(_STEEP, along), along)[:, None]
    room = out - np.concatenate([less] * count)
    parts = [slice(k * n, (k + 1) * n) for k in range(count)]
    return [(room[part][known[part]], slope[part][known[part]]) for part in parts]


def _worth(room: Floats, moved: Floats) -> float:
    """What a place is worth: its tightest room, a little for the mean one, less for a place far from where it began."""
    if not len(room):
        return -np.inf
    # An open piece could be slid off the limb altogether: far from the middle costs.
    far = float((_CIRCLE @ moved[:2]).max()) - _FREE_MM
    return float(room.min() + _SPREAD * np.minimum(room, _ENOUGH_MM).mean() - _FAR_COSTS * max(far, 0.0))


def _best_move(here: tuple[Floats, Floats], moved: Floats, reach: float) -> Floats | None:
    """(3,): the level move, no longer than ``reach`` along either axis, that would be worth most if every gap went evenly; None when it would be worth hardly anything."""
    room, slope = here
    if not len(room):
        return None
    # Only what could become the tightest has a say in it: the tightest of that closely, the rest, on all sides, loosely.
    order = np.argsort(room)
    order = order[room[order] < room[order[0]] + 2 * reach * max(1.0, float(np.abs(slope).max())) + 1.0]
    rows = np.concatenate([order[:_RULING], order[_RULING :: max(1, len(order) // _RULING)]])
    mean = _SPREAD * slope[room < _ENOUGH_MM].sum(axis=0) / len(room)
    # Unknown: move x, y, tightest room t, and how far beyond the free way f.
    cost = np.array([-mean[0], -mean[1], -1.0, _FAR_COSTS])
    tight = np.column_stack([-slope[rows], np.ones(len(rows)), np.zeros(len(rows))])
    far = np.column_stack([_CIRCLE, np.zeros(len(_CIRCLE)), -np.ones(len(_CIRCLE))])
    found = linprog(
        cost, np.concatenate([tight, far]), np.concatenate([room[rows], _FREE_MM - _CIRCLE @ moved[:2]]),
        bounds=[(-reach, reach), (-reach, reach), (None, None), (0, None)], method="highs",
    )  # fmt: skip
    if found.x is None or -found.fun - room.min() + _FAR_COSTS * max(float((_CIRCLE @ moved[:2]).max()) - _FREE_MM, 0.0) < _WORTH_A_STEP_MM:
        return None
    return np.array([found.x[0], found.x[1], 0.0])


_RULING = 100
_ENOUGH_MM = 30.0
"""Room beyond this is no better than this much: far walls do not pull."""


def _push_on(piece: Mesh, skin: Skin, s: Floats, offset: Floats, layers: Sequence[Layer]) -> Floats:
    """Push a plate along the mean of what it faces until it begins to touch the layers."""
    less = skin.layers_mm(layers)
    for _ in range(12):
        placed = Placed((s[0], s[1], s[2]), (offset[0], offset[1], offset[2]))
        mask = covered(piece, placed, skin)
        near = skin.take(mask)
        out = gaps(piece, placed, near) - less[mask]
        hit = np.isfinite(out)
        if hit.sum() < 5:
            return offset
        facing = near.normals[hit].mean(axis=0)
        facing /= max(float(np.linalg.norm(facing)), 1e-9)
        shift = float(np.percentile(out[hit], PLATE_TOUCHES))
        offset = offset - facing * shift * 0.8
        if abs(shift) < 0.1:
            break
    return offset


def best_turn(piece: Mesh, body: OnBody, worn_at: Site, layers: Sequence[Layer]) -> tuple[int, int, int]:
    """Quarter turns under which a piece goes best round its stretch of body; (0, 0, 0) when nothing is clearly better than as it stands.

    Every way a file can have been laid down is tried roughly: the tightest place at the same scale decides, then
    the share of body that is covered.
    """
    skin = body.skin(300)
    seen: list[tuple[float, tuple[int, int, int]]] = []
    for turns in _ALL_TURNS:
        turned = standing(piece, turns)
        seating = kind_of(turned, body, worn_at)
        s = np.ones(3)
        offset = body.centre - turned.bounds.mean(axis=0)
        if seating.rests_on_top:
            offset[2] = _hang(turned, skin, s, offset, layers)
        less = skin.layers_mm(layers)
        offset = _coarse_shift(turned, skin, s, offset, less)
        value, known = _tightness(turned, skin, s, offset, less)
        length_off = abs(float(turned.size[2]) - (body.high_mm - body.low_mm))
        bonus = 0.0
        if body.crown_mm is not None:
            # A helmet's neck is open, its crown closed, and its face looks out.
            bonus = (
                40.0 * float(seating.rests_on_top)
                - 40.0 * float(_closed_below(turned))
                + 40.0 * float(np.clip(_looks_out(turned), -0.3, 0.3))
            )
        seen.append((value - 0.1 * length_off + bonus + (2.0 if turns == (0, 0, 0) else 0.0) + (0.0 if len(known) else -500.0), turns))
    best = max(seen, key=lambda t: t[0])
    return best[1]


_ALL_TURNS = tuple((x, y, z) for x, y in ((0, 0), (1, 0), (2, 0), (3, 0), (0, 1), (0, 3)) for z in range(4))


def _coarse_shift(piece: Mesh, skin: Skin, s: Floats, offset: Floats, less: Floats) -> Floats:
    best, at = -np.inf, offset
    for dx in (-12.0, 0.0, 12.0):
        for dy in (-24.0, -12.0, 0.0, 12.0, 24.0):
            moved = offset + np.array([dx, dy, 0.0])
            value, _ = _tightness(piece, skin, s, moved, less)
            if value > best:
                best, at = value, moved
    return at


def _closed_below(piece: Mesh) -> bool:
    middle = piece.bounds.mean(axis=0)
    down, _ = piece.rays.first_hits(middle[None], np.array([[0.0, 0.0, -1.0]]))
    return bool(np.isfinite(down[0]))


def _looks_out(piece: Mesh) -> float:
    """How much more is open ahead than behind, at the height where most is open."""
    middle = piece.bounds.mean(axis=0)
    side, up = np.meshgrid(np.radians(np.arange(-50, 51, 5)), np.radians(np.arange(-12, 13, 4)))
    ahead = np.column_stack([(np.sin(side) * np.cos(up)).ravel(), (-np.cos(side) * np.cos(up)).ravel(), np.sin(up).ravel()])
    best = 0.0
    for share in (0.4, 0.48, 0.54, 0.6, 0.66):
        eye = np.tile([middle[0], middle[1], piece.bounds[0, 2] + share * piece.size[2]], (len(ahead), 1))
        front, _ = piece.rays.first_hits(eye, ahead)
        back, _ = piece.rays.first_hits(eye, ahead * [1, -1, 1])
        best = max(best, float((~np.isfinite(front)).mean() - (~np.isfinite(back)).mean()), key=abs)
    return best
