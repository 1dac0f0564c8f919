"""How a ring or shell turns by itself on the limb it is worn on: a file stands along its own axis, which is seldom the limb's."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from scipy.optimize import linprog
from scipy.spatial.transform import Rotation

from bastion_core.fit.layers import Layer
from bastion_core.fit.onbody import Skin
from bastion_core.fit.room import Placed, covered, gaps_and_faces, slopes
from bastion_core.fit.seat import ENOUGH_MM, SPREAD
from bastion_core.geometry.mesh import Floats, Mesh

MOST_TILT_DEG = 25.0
"""Further off its axis than this a piece was laid down some other way, and is to be stood up first; common practice, no source."""
_ROUNDS, _REACH_MM, _REACH_DEG = 24, 3.0, 3.0
_LEAST_REACH_DEG = 0.05
_WORTH_A_TURN_MM = 0.3
"""A turn that brings less room than this is left alone: then the piece is worn as it stands in its file."""
_DEGREE_COSTS_MM = 0.02
_RULING = 160


def settled_turn(piece: Mesh, skin: Skin, seat: Placed, layers: Sequence[Layer]) -> tuple[float, float, float]:
    """Degrees about x, y and z, after scaling, under which the tightest place of a piece that goes round has the most room.

    ``seat`` is where it lies unturned; ``skin`` the points that count. Sequential linear programming over a move and a turn, as the
    seat itself is found; no turn where hardly anything is gained.
    """
    less, pivot = skin.layers_mm(layers), seat.to_body(piece.bounds).mean(axis=0)
    turn, shift = Rotation.identity(), np.zeros(3)
    room, rates = _looked(piece, seat, skin, less, turn, shift, pivot)
    first = best = _worth(room, turn)
    reach = 1.0
    for _ in range(_ROUNDS):
        step = _best_step(room, rates, reach)
        if step is None or reach * _REACH_DEG < _LEAST_REACH_DEG:
            break
        tried = Rotation.from_rotvec(step[2:]) * turn
        moved = shift + np.array([*step[:2], 0.0])
        seen, rated = _looked(piece, seat, skin, less, tried, moved, pivot)
        value = _worth(seen, tried)
        if value > best + 1e-4 and np.degrees(tried.magnitude()) <= MOST_TILT_DEG:
            turn, shift, best, room, rates = tried, moved, value, seen, rated
        else:
            reach /= 2.5
    if best - first < _WORTH_A_TURN_MM:
        return 0.0, 0.0, 0.0
    x, y, z = (float(v) for v in turn.as_euler("xyz", degrees=True))
    return x, y, z


def _worth(room: Floats, turn: Rotation) -> float:
    if not len(room):
        return -np.inf
    return float(room.min() + SPREAD * np.minimum(room, ENOUGH_MM).mean() - _DEGREE_COSTS_MM * np.degrees(turn.magnitude()))


def _looked(piece: Mesh, seat: Placed, skin: Skin, less: Floats, turn: Rotation, shift: Floats, pivot: Floats) -> tuple[Floats, Floats]:
    """Rooms (k,) with the piece turned about ``pivot`` and moved, and how each goes (k, 5) with a further move along x, y (mm) and turn about x, y, z (rad).

    The body is turned and moved the other way, so that the piece's rays are built once.
    """
    back = turn.inv()
    there = replace(skin, points=back.apply(skin.points - pivot - shift) + pivot, normals=back.apply(skin.normals))
    out, face, way = gaps_and_faces(piece, seat, there)
    known = np.isfinite(out) & covered(piece, seat, there)
    # Into the body's own directions, in which the next step is taken.
    slope = turn.apply(slopes(piece, seat, face, way)[known])
    arm = turn.apply(there.points[known] + way[known] * out[known, None] - pivot)
    return out[known] - less[known], np.column_stack([slope[:, :2], np.cross(arm, slope)])


def _best_step(room: Floats, rates: Floats, reach: float) -> Floats | None:
    """(5,): the move and turn, within ``reach`` of a full step, after which the tightest place had the most room if all went evenly."""
    if not len(room):
        return None
    order = np.argsort(room)
    rows = np.concatenate([order[:_RULING], order[_RULING :: max(1, len(order) // _RULING)]])
    mean = SPREAD * rates[room < ENOUGH_MM].sum(axis=0) / len(room)
    most = reach * np.array([_REACH_MM, _REACH_MM, *[np.radians(_REACH_DEG)] * 3])
    found = linprog(
        np.append(-mean, -1.0), np.column_stack([-rates[rows], np.ones(len(rows))]), room[rows],
        bounds=[*((-m, m) for m in most), (None, None)], method="highs",
    )  # fmt: skip
    return None if found.x is None else np.asarray(found.x[:5])
