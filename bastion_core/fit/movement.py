"""What the wearer can still do in a piece: bend, flex, sit, and see."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import binary_dilation, label

from bastion_core.findings import Quantity, Said, Verdict, deg, say
from bastion_core.fit.onbody import OnBody
from bastion_core.fit.room import Placed
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.measure.table import bare_key
from bastion_core.measure.wearer import Wearer

BENT_MEASURES = {
    "elbow": ("elbow_girth_bent_mm", "the bent elbow"), "upper_arm": ("upper_arm_girth_bent_mm", "the flexed upper arm"),
    "knee": ("knee_girth_bent_mm", "the bent knee"), "thigh": ("thigh_girth_seated_mm", "the thigh when seated"),
}  # fmt: skip
STRAIGHT_OF = {
    "elbow_girth_bent_mm": "elbow_girth_mm", "upper_arm_girth_bent_mm": "upper_arm_girth_mm", "knee_girth_bent_mm": "knee_girth_mm",
    "thigh_girth_seated_mm": "thigh_girth_mm",
}  # fmt: skip
EYES_BELOW_CROWN = 0.49
EYES_APART_MM = 63.0
"""Eyes half way down the head, 63 mm apart; common practice, no source."""
_FREE_SIDE_DEG, _FREE_UP_DEG, _FREE_DOWN_DEG = 95.0, 50.0, 70.0
"""What a bare head sees: about 95° to each side, 50° up, 70° down; common practice, no source."""
LEAST_DOWN_DEG, LEAST_SIDE_DEG = 25.0, 45.0
"""Below this stairs and neighbours are not seen; common practice, no source."""


@dataclass(frozen=True)
class Bend:
    """A limb that swells when it is used, inside the piece."""

    what: str
    needs_girth_mm: float
    room_mm: float
    """Least room then; negative where it binds."""
    where: str
    verdict: Verdict


@dataclass(frozen=True)
class Sight:
    """What is seen through the opening, in degrees from straight ahead, and the share of a bare head's view that is left."""

    left_deg: float
    right_deg: float
    up_deg: float
    down_deg: float
    share: float
    solid_angle_sr: float
    """How much of the sphere about the eyes that is."""
    grid: tuple[tuple[int, ...], ...]
    """Rows from up to down, columns from the wearer's right to left in steps of 5°: 2 both eyes, 1 one eye, 0 none."""
    side_range_deg: tuple[float, float]
    up_range_deg: tuple[float, float]


def swollen(site_name: str, side: str, wearer: Wearer) -> tuple[Wearer, str, float] | None:
    """The wearer with the limb at a site as it is when bent, flexed or sat on, what that is called, and its girth (mm).

    None where the site has no such measurement, or it was neither taken nor predicted.
    """
    row = BENT_MEASURES.get(site_name)
    girth = row and wearer.get(row[0], side)
    if row is None or girth is None:
        return None
    straight = STRAIGHT_OF[row[0]]
    # On both sides, so that the body stays one whose sides are alike.
    others = {k: v for k, v in wearer.measurements.items() if bare_key(k) != straight}
    return replace(wearer, measurements=others | {straight: girth}), row[1], girth


@dataclass(frozen=True, eq=False)
class _Looks:
    """Rays from both eyes: rows from up to down, columns from the wearer's right to left."""

    sides_deg: Floats
    ups_deg: Floats
    free: NDArray[np.bool_]
    """(2, rows, columns): which of them meet nothing, from the right and the left eye."""
    met: Floats
    """(2, rows, columns, 3): where they meet the piece, in its own coordinates; not finite where they meet nothing."""


def _looks(piece: Mesh, placed: Placed, body: OnBody, chin_to_crown_mm: float) -> _Looks:
    assert body.crown_mm is not None
    v = body.mesh.vertices
    height = body.crown_mm - EYES_BELOW_CROWN * chin_to_crown_mm
    face = v[(np.abs(v[:, 2] - height) < 10) & (np.abs(v[:, 0]) < 45) & (np.abs(v[:, 0]) > 18)]
    front = float(face[:, 1].min()) if len(face) else float(v[:, 1].min()) + 20
    sides, ups = np.arange(-_FREE_SIDE_DEG, _FREE_SIDE_DEG + 1, 5.0), np.arange(_FREE_UP_DEG, -_FREE_DOWN_DEG - 1, -5.0)
    grid_side, grid_up = np.meshgrid(np.radians(sides), np.radians(ups))
    # Positive sides are the wearer's left, which is +x.
    ahead = np.column_stack(
        [(np.sin(grid_side) * np.cos(grid_up)).ravel(), (-np.cos(grid_side) * np.cos(grid_up)).ravel(), np.sin(grid_up).ravel()]
    )
    s = np.array(placed.scale)
    free, met = [], []
    for eye in (-1.0, 1.0):
        at = placed.to_piece(np.array([[eye * EYES_APART_MM / 2, front - 2.0, height]]))
        along = ahead / s
        along /= np.linalg.norm(along, axis=1)[:, None]
        distance, _ = piece.rays.first_hits(np.tile(at, (len(ahead), 1)), along)
        # The nose hides what lies across it beyond 60°.
        free.append(~np.isfinite(distance).reshape(grid_side.shape) & (eye * np.degrees(grid_side) > -60))
        met.append(
            np.where(np.isfinite(distance)[:, None], at + np.nan_to_num(distance, posinf=0.0)[:, None] * along, np.inf).reshape(
                *grid_side.shape, 3
            )
        )
    return _Looks(sides, ups, np.array(free), np.array(met))


def eye_openings(piece: Mesh, placed: Placed, body: OnBody, chin_to_crown_mm: float) -> list[Floats]:
    """(2, 3) each: least and greatest corner of every opening the wearer looks through and that has a rim above and below, in the piece's own
    coordinates. A helmet that leaves the face open has none.
    """
    looks = _looks(piece, placed, body, chin_to_crown_mm)
    found: list[Floats] = []
    for free, met in zip(looks.free, looks.met, strict=True):
        labels, count = label(free)
        rims = np.isfinite(met).all(axis=2)
        for k in range(1, count + 1):
            opening = labels == k
            if opening[0].any() or opening[-1].any():
                continue
            rim = met[binary_dilation(opening, np.ones((3, 3))) & rims]
            if len(rim):
                found.append(np.array([rim.min(axis=0), rim.max(axis=0)]))
    return found


def sight(piece: Mesh, placed: Placed, body: OnBody, chin_to_crown_mm: float) -> Sight:
    """What the wearer of a helmet sees: rays from both eyes out through whatever is open."""
    looks = _looks(piece, placed, body, chin_to_crown_mm)
    sides, ups, seen = looks.sides_deg, looks.ups_deg, looks.free.sum(axis=0)
    grid_up = np.meshgrid(np.radians(sides), np.radians(ups))[1]
    level = int(np.flatnonzero(ups == 0)[0])
    middle = int(np.flatnonzero(sides == 0)[0])
    weight = np.cos(grid_up)
    return Sight(
        _reach(seen[level, middle:], 5.0), _reach(seen[level, middle::-1], 5.0), _reach(seen[level::-1, :].max(axis=1), 5.0),
        _reach(seen[level:, :].max(axis=1), 5.0), float((weight * (seen > 0)).sum() / weight.sum()),
        float((weight * (seen > 0)).sum() * np.radians(5.0) ** 2),
        tuple(tuple(int(c) for c in row) for row in seen), (float(sides[0]), float(sides[-1])), (float(ups[-1]), float(ups[0])),
    )  # fmt: skip


def _reach(along: Floats, step: float) -> float:
    """How far from straight ahead something is seen, without looking past what hides it; a slit just off the middle counts."""
    open_ones = along > 0
    start = int(np.argmax(open_ones)) if open_ones[:4].any() else -1
    if start < 0:
        return 0.0
    end = start
    while end + 1 < len(open_ones) and open_ones[end + 1]:
        end += 1
    return float(end * step)


def sight_verdict(seen: Sight) -> tuple[Verdict, Said]:
    """The verdict on what is seen: a matter of comfort and of safety."""
    sides = min(seen.left_deg, seen.right_deg)
    seen_text = say(
        "Sees {} left, {} right, {} up, {} down; {} of what a bare head sees.", deg(seen.left_deg), deg(seen.right_deg), deg(seen.up_deg),
        deg(seen.down_deg), Quantity((seen.share,), "share"),
    )  # fmt: skip
    if seen.share == 0:
        return Verdict.STOPS, say(
            "Nothing is seen from where the eyes are. Open an eye slit, or take a handler along and never walk alone."
        )
    if seen.down_deg < LEAST_DOWN_DEG or sides < LEAST_SIDE_DEG:
        words = "{} Steps and people beside the wearer go unseen: widen the opening, or walk with a handler."
        return Verdict.TIGHT, say(words, seen_text)
    return Verdict.HOLDS, seen_text
