"""Where a piece sits on the body by itself: which way up, which way round, and where it comes to rest."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.optimize import linprog
from scipy.spatial.transform import Rotation

from bastion_core.fit.layers import Layer
from bastion_core.fit.onbody import OnBody, Skin
from bastion_core.fit.room import Placed, covered, gaps, gaps_and_faces, slopes
from bastion_core.fit.sites import Site
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.place import quarter_turns, shifting

PLATE_TOUCHES = 6.0
"""A plate that does not go round is pushed on until so many percent of what it faces are touched; common practice, no source."""
_MOST_LIFT_MM = 12.0
_LEVELS = tuple(0.35 + 0.05 * k for k in range(12))
"""Shares of a helmet's height from which the way up to its dome is looked for."""
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
    fine: bool = False,
) -> Placed:
    """Where the piece comes to rest at a scale.

    A ring settles where its tightest place has the most room; a helmet hangs from the crown's padding; a plate is
    pushed on until it begins to touch the layers. ``near`` is a place found for nearly the same scale, to begin from;
    ``crown`` is a denser skin for where a helmet rests; ``fine`` tries the last tenths of a millimetre.
    """
    skin = skin or body.skin(_COARSE)
    crown = crown or skin
    s = np.array(scale)
    middle = piece.bounds.mean(axis=0) * s
    offset = body.centre - middle
    if seating.rests_on_top:
        offset[2] = hang(piece, crown, s, offset, layers)
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
            offset[2] = hang(piece, crown, s, offset, layers)
            offset = _most_room(piece, skin, s, offset, layers, 0.75 * _SETTLING_MM)
        if fine:
            offset = _tried_about(piece, skin, s, offset, layers, crown if seating.rests_on_top else None)
    else:
        offset = _push_on(piece, skin, s, offset, layers)
    offset = offset + np.array(seating.shift_mm)
    return Placed(scale, (float(offset[0]), float(offset[1]), float(offset[2])))


def tried_further(piece: Mesh, seating: Seating, found: Placed, layers: Sequence[Layer], skin: Skin, crown: Skin) -> Placed:
    """A place found by fewer points of the skin, tried about once more by others; for what goes round."""
    offset, shift = np.array(found.offset_mm), np.array(seating.shift_mm)
    offset = _tried_about(piece, skin, np.array(found.scale), offset - shift, layers, crown if seating.rests_on_top else None) + shift
    return Placed(found.scale, (float(offset[0]), float(offset[1]), float(offset[2])))


def hang(piece: Mesh, skin: Skin, s: Floats, offset: Floats, layers: Sequence[Layer]) -> float:
    """The height at which the dome comes to rest on the crown's layers: lowered straight down until it touches."""
    return float(_resting_at(piece, skin, s, offset[None], layers)[0])


def _resting_at(piece: Mesh, skin: Skin, s: Floats, offsets: Floats, layers: Sequence[Layer]) -> Floats:
    """``hang`` for places (m, 3) beside each other: (m,)."""
    cap = skin.cap & (skin.normals[:, 2] > 0.1)
    if not cap.any():
        return np.asarray(offsets[:, 2])
    normals = skin.normals[cap]
    pad = skin.take(cap).layers_mm(layers)

    def rests_at(padded: Floats) -> Floats:
        level = ((padded[None, :, :2] - offsets[:, None, :2]) / s[:2]).reshape(-1, 2)
        low = _seen_from_the_axis(piece, level)
        begun = np.flatnonzero(np.isfinite(low))
        start = np.column_stack([level, low])[begun]
        up, _ = piece.rays.first_hits(start, np.tile([0.0, 0.0, 1.0], (len(start), 1)))
        height = np.full(len(level), -np.inf)
        hit = np.isfinite(up)
        height[begun[hit]] = np.tile(padded[:, 2], len(offsets))[begun[hit]] - (low[begun] + up)[hit] * s[2]
        return np.asarray(height.reshape(len(offsets), -1).max(axis=1))

    lifted = rests_at(skin.points[cap] + np.array([0.0, 0.0, 1.0]) * pad[:, None])
    padded = rests_at(skin.points[cap] + normals * pad[:, None]) if pad.any() else lifted
    # A dome too small for the padding all round is still pulled down on it: the sides then tell how much too small.
    return np.where(np.isfinite(lifted), np.minimum(np.maximum(padded, lifted), lifted + _MOST_LIFT_MM), offsets[:, 2])


def _seen_from_the_axis(piece: Mesh, level: Floats) -> Floats:
    """(n,): the lowest height at which a place (n, 2) level with it lies within the shell; nan where it never does.

    A shell that hugs the neck is narrower there than the skull: from below, the way up would end on its outside.
    """
    middle = piece.bounds.mean(axis=0)[:2]
    way = level - middle
    reach = np.maximum(np.linalg.norm(way, axis=1), 1e-9)
    along = np.column_stack([way / reach[:, None], np.zeros(len(way))])
    low = np.full(len(level), np.nan)
    for share in _LEVELS:
        asked = np.flatnonzero(np.isnan(low))
        if not len(asked):
            break
        z = float(piece.bounds[0, 2] + share * piece.size[2])
        free, _ = piece.rays.first_hits(np.tile([*middle, z], (len(asked), 1)), along[asked])
        low[asked[free > reach[asked]]] = z
    return low


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


def _tried_about(piece: Mesh, skin: Skin, s: Floats, offset: Floats, layers: Sequence[Layer], crown: Skin | None) -> Floats:
    """The best place about a good one, by trying.

    Faces tell their slopes wrongly at ears and edges; and a helmet, which rests on ``crown``, comes to rest at another height when it is
    moved level, where there is other room.
    """
    skin = skin.take(~skin.cap)
    less = skin.layers_mm(layers)
    few = None if crown is None else crown.take(slice(None, None, max(1, int(crown.cap.sum()) // _FEW_RESTING)))
    begin, best = offset, -np.inf
    for step in (*(_RESTING_STEPS_MM if crown is not None else ()), *_LAST_STEPS_MM):
        for _ in range(_ROUNDS):
            tries = offset + step * np.concatenate([np.zeros((1, 3)), _COMPASS])
            if few is not None:
                tries[:, 2] = _resting_at(piece, few, s, tries, layers)
            values = [_worth(room, tried - begin) for (room, _), tried in zip(_looked(piece, skin, s, tries, less), tries, strict=True)]
            k = int(np.argmax(values))
            if values[k] <= best + 1e-6:
                break
            best, offset = values[k], tries[k]
            if not k:
                break
    if crown is not None:
        offset[2] = hang(piece, crown, s, offset, layers)
    return offset


_COMPASS = np.array([[np.cos(a), np.sin(a), 0.0] for a in np.arange(8) * np.pi / 4])
_SETTLING_MM, _ABOUT_MM = 2.0, (7.0, 3.0)
_LAST_STEPS_MM, _RESTING_STEPS_MM = (0.8, 0.25), (6.0, 2.0)
_FEW_RESTING = 300
_ABOUT = np.concatenate([step * _COMPASS for step in _ABOUT_MM])
_ROUNDS, _LEAST_STEP_MM, _WORTH_A_STEP_MM = 24, 0.03, 0.01
SPREAD = 0.02
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
    slope = slopes(piece, placed, face, way)[:, :2]
    room = out - np.concatenate([less] * count)
    parts = [slice(k * n, (k + 1) * n) for k in range(count)]
    return [(room[part][known[part]], slope[part][known[part]]) for part in parts]


def _worth(room: Floats, moved: Floats) -> float:
    """What a place is worth: its tightest room, a little for the mean one, less for a place far from where it began."""
    if not len(room):
        return -np.inf
    # An open piece could be slid off the limb altogether: far from the middle costs.
    far = float((_CIRCLE @ moved[:2]).max()) - _FREE_MM
    return float(room.min() + SPREAD * np.minimum(room, ENOUGH_MM).mean() - _FAR_COSTS * max(far, 0.0))


def _best_move(here: tuple[Floats, Floats], moved: Floats, reach: float) -> Floats | None:
    """(3,): the level move, no longer than ``reach`` along either axis, that would be worth most if every gap went evenly; None when it would be worth hardly anything."""
    room, slope = here
    if not len(room):
        return None
    # Only what could become the tightest has a say in it: the tightest of that closely, the rest, on all sides, loosely.
    order = np.argsort(room)
    order = order[room[order] < room[order[0]] + 2 * reach * max(1.0, float(np.abs(slope).max())) + 1.0]
    rows = np.concatenate([order[:_RULING], order[_RULING :: max(1, len(order) // _RULING)]])
    mean = SPREAD * slope[room < ENOUGH_MM].sum(axis=0) / len(room)
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
ENOUGH_MM = 30.0
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
