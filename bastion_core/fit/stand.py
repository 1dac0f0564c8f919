"""Which way up and which way round a file goes best on the body it is made for."""

from collections.abc import Sequence

import numpy as np

from bastion_core.fit.layers import Layer
from bastion_core.fit.onbody import OnBody, Skin
from bastion_core.fit.room import Placed, covered, gaps
from bastion_core.fit.seat import hang, kind_of, standing
from bastion_core.fit.sites import Site
from bastion_core.geometry.mesh import Floats, Mesh


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
            offset[2] = hang(turned, skin, s, offset, layers)
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
