"""A plate laid on a body: the scale, place and turn at which its inside follows the skin with the least uneven gap, and what the gap is then.

A plate touches somewhere wherever it is laid, so its tightest place tells nothing. What tells is how evenly its inside runs off the skin:
each point of the inside has a way to the skin, and the pose and scale are sought at which those ways are as alike as can be.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import pairwise

import numpy as np
from scipy.spatial import cKDTree
from scipy.spatial.transform import Rotation

from bastion_core.fit.layers import Layer
from bastion_core.fit.onbody import OnBody, Skin
from bastion_core.fit.room import Placed, gaps
from bastion_core.fit.scale import LEAST_SCALE, MOST_SCALE, Scale
from bastion_core.fit.seat import seat_turn
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.walls import surface_sample

GROUND_POINTS, INSIDE_POINTS = 20_000, 900
HARDLY_WORSE_MM = 0.75
"""A scale whose gap is less even than the best one's by no more than this is as good; common practice, no source."""
FOLLOWS_MM = 6.0
"""A plate whose gap is no more uneven than this at its best follows the body, and is judged by that; else its curve is not the body's, whatever its
scale: common practice, no source."""
FLOATS_MM = 25.0
"""A plate that stands off further than this somewhere wants foam there, or forming; common practice, no source."""
TOUCHES_PERCENT = 3.0
"""A plate is laid on until so many percent of its inside touch; common practice, no source."""
SIZES = tuple(round(0.8 + 0.05 * k, 2) for k in range(13))
"""Multiples of the first guess at which the curve is known."""
_FACES_BODY, _LEAST_POINTS, _IN_IT_MM, _AWAY_MM = -0.5, 60, 5.0, 60.0
_ROUNDS, _STILL, _MOST_GROWN, _WELL_MM = 40, 2e-5, 0.35, 2.0
_STAYS, _KEEPS_TURN, _KEEPS_SIZE, _AGAINST_SIZE = 1e-4, 4.0, 0.02, 0.5
"""How firmly a plate is held to where it began (mm² of unevenness a mm²), as it stands and to its size (a radian, a natural logarithm), where
its shape says little: a cylinder slides along its axis, a dome follows a ball turned anyhow and at any size."""
MEANT_DEG = {"chest": 75.0, "back": 75.0, "shoulder": 90.0, "belt": 60.0, "hip": 60.0}
"""How far to either side of its middle a plate is meant to reach round the body; 80° elsewhere; common practice, no source."""


@dataclass(frozen=True)
class PlatePoint:
    """What one scale brings: how uneven the gap is (mm, as a standard deviation), and how far off the layers it then lies on the whole."""

    scale: float
    uneven_mm: float
    even_mm: float


@dataclass(frozen=True)
class SideOpening:
    """How far the edges of two halves stand apart on one side, over its height (mm); negative where one stands in the other."""

    side: str
    least_mm: float
    middle_mm: float
    most_mm: float


@dataclass(frozen=True)
class PlateFit:
    """How a plate lies on its wearer."""

    best_scale: float
    """At which its gap is the least uneven and it does not press."""
    from_scale: float
    to_scale: float
    """Between these it is hardly worse, and does not press."""
    uneven_mm: float
    """Standard deviation of the gap at the scale in force."""
    best_uneven_mm: float
    even_mm: float
    """How far off the layers it lies on the whole, where its gap is the most even; negative where it presses all over."""
    girth_scale: float
    length_scale: float
    apart_uneven_mm: float
    """The same with girth scaled apart from length."""
    off_mm: tuple[float, float, float]
    """Laid on until it touches: the gap that 5, 50 and 95 percent of its inside have less of."""
    floats_at_mm: tuple[float, float, float]
    """On the skin, where it stands off most."""
    foam_cm3: float
    """What fills the gap."""
    covers: float
    """Share of the skin it is meant for that it lies over."""
    curve: tuple[PlatePoint, ...]
    openings: tuple[SideOpening, ...] = ()
    """Between two halves."""
    halves_mm: tuple[float, ...] = ()
    """``even_mm`` of each half."""


@dataclass(frozen=True, eq=False)
class Ground:
    """The skin a plate is laid on, as a surface."""

    skin: Skin
    layers_mm: Floats

    @classmethod
    def of(cls, body: OnBody, layers: Sequence[Layer]) -> "Ground":
        """The stretch of body that may be touched, with what lies on it."""
        skin = body.skin(GROUND_POINTS)
        return cls(skin, skin.layers_mm(layers))

    @cached_property
    def _tree(self) -> cKDTree:
        return cKDTree(self.skin.points)

    def off(self, points: Floats) -> tuple[Floats, Floats]:
        """Way (n,) of points off the layers, and the direction (n, 3) it goes in."""
        _, nearest = self._tree.query(points)
        out = self.skin.normals[nearest]
        return np.einsum("ij,ij->i", points - self.skin.points[nearest], out) - self.layers_mm[nearest], out


@dataclass(frozen=True, eq=False)
class Pose:
    """Where a plate lies: p_body = turn · (scale · (p - middle)) + place."""

    scale: Scale
    turn: Floats
    place: Floats
    middle: Floats
    """(3,): of the piece's bounds at scale 1."""

    def to_body(self, points: Floats) -> Floats:
        """(n, 3) from the piece's to the body's coordinates."""
        return np.asarray(((points - self.middle) * self.scale) @ self.turn.T + self.place)

    @property
    def turn_deg(self) -> Scale:
        """The turn in degrees about x, y and z, in this order."""
        x, y, z = (float(v) for v in Rotation.from_matrix(self.turn).as_euler("xyz", degrees=True))
        return x, y, z

    @property
    def placed(self) -> Placed:
        """The same for the piece turned by ``turn_deg`` already."""
        x, y, z = (float(v) for v in self.place - self.middle * self.scale)
        return Placed(self.scale, (x, y, z))


def inside_of(piece: Mesh, placed: Placed, ground: Ground) -> Floats:
    """(n, 3): points spread over the side of a plate that faces the body where it is placed, in the piece's coordinates; none where there is none."""
    sample = surface_sample(piece, INSIDE_POINTS)
    _, out = ground.off(placed.to_body(sample.points))
    normals = sample.normals / np.array(placed.scale)
    normals /= np.linalg.norm(normals, axis=1)[:, None]
    facing = np.einsum("ij,ij->i", normals, out) < _FACES_BODY
    # What looks at the body past the plate's own material is the wall of something hollow.
    first, _ = piece.rays.first_hits(sample.points + sample.normals * 1e-3, sample.normals)
    return np.asarray(sample.points[facing & ~(first < 0.15 * float(piece.size.max()))])


def follow(inside: Floats, ground: Ground, begun: Pose, free: str = "") -> tuple[Pose, float, float]:
    """The pose near another one at which the gap is the most even; its even part and its standard deviation, mm.

    ``free`` names what of the scale may change as well: "size", or "axes" for girth (across and deep) apart from length (upright). By
    Gauss and Newton: each gap goes with the pose as its nearest skin faces; stray points, as of a turned-out rim, weigh less.
    """
    sizes = {"": np.zeros((3, 0)), "size": np.ones((3, 1)), "axes": np.array([[1.0, 0.0], [1.0, 0.0], [0.0, 1.0]])}[free]
    # The gap is held against the plate's size: else nothing would follow as evenly as a plate of no size.
    against = _AGAINST_SIZE * sizes.mean(axis=0)
    centred, scale, turn, place = inside - begun.middle, np.array(begun.scale), begun.turn, begun.place
    off, out = ground.off((centred * scale) @ turn.T + place)
    even, grown = float(np.median(off)), np.zeros(sizes.shape[1])
    count = len(inside)
    held = np.array([_STAYS] * 3 + [_KEEPS_TURN] * 3 + [_KEEPS_SIZE] * len(grown) + [0.0]) * count
    for _ in range(_ROUNDS):
        sized = centred * scale
        moved = sized @ turn.T
        along = (sized[:, :, None] * sizes[None]).transpose(0, 2, 1) @ turn.T
        rest = off - even
        grows = np.einsum("ikj,ij->ik", along, out) - rest[:, None] * against
        rows = np.hstack([out, np.cross(moved, out), grows, -np.ones((count, 1))])
        spread = 1.4826 * float(np.median(np.abs(rest - np.median(rest)))) * 2 + 0.05
        weight = (1.0 / np.maximum(1.0, np.abs(rest) / spread))[:, None]
        strayed = np.concatenate([place - begun.place, Rotation.from_matrix(turn).as_rotvec(), grown, [0.0]])
        step = -np.linalg.solve((rows * weight).T @ rows + np.diag(held), (rows * weight).T @ rest + held * strayed)
        place = place + step[:3]
        turn = Rotation.from_rotvec(step[3:6]).as_matrix() @ turn
        change = np.clip(grown + np.clip(step[6:-1], -0.1, 0.1), -_MOST_GROWN, _MOST_GROWN) - grown
        grown = grown + change
        scale = np.clip(scale * np.exp(sizes @ change), LEAST_SCALE, MOST_SCALE)
        even += float(step[-1])
        off, out = ground.off((centred * scale) @ turn.T + place)
        if np.abs(step[:3]).max() < 1e-3 and np.abs(step[3:6]).max() < _STILL and np.abs(change).max(initial=0.0) < _STILL:
            break
    x, y, z = (float(s) for s in scale)
    return Pose((x, y, z), turn, place, begun.middle), float(np.mean(off)), float(np.std(off))


def laid_on(inside: Floats, ground: Ground, pose: Pose) -> tuple[Pose, Floats]:
    """The plate moved on along what it faces until it touches; and the gaps (n,) of its inside then."""
    for _ in range(8):
        off, out = ground.off(pose.to_body(inside))
        facing = out.mean(axis=0)
        facing /= max(float(np.linalg.norm(facing)), 1e-9)
        move = float(np.percentile(off, TOUCHES_PERCENT))
        pose = Pose(pose.scale, pose.turn, pose.place - facing * move, pose.middle)
        if abs(move) < 0.05:
            break
    return pose, ground.off(pose.to_body(inside))[0]


def covered_share(piece: Mesh, placed: Placed, body: OnBody, skin: Skin, site: str) -> float:
    """Share of the skin a plate is meant for (its stretch, so far to either side of the plate's middle) that it lies over."""
    middle = placed.to_body(piece.bounds).mean(axis=0) - body.centre
    towards = np.arctan2(middle[1], middle[0])
    around = np.arctan2(skin.points[:, 1] - body.centre[1], skin.points[:, 0] - body.centre[0])
    apart = np.abs((around - towards + np.pi) % (2 * np.pi) - np.pi)
    meant = (apart < np.radians(MEANT_DEG.get(site, 80.0))) & (skin.points[:, 2] > body.low_mm) & (skin.points[:, 2] < body.high_mm)
    if not meant.any():
        return 0.0
    return float(np.isfinite(gaps(piece, placed, skin.take(meant))).mean())


class Plate:
    """One plate on one body, at any scale."""

    def __init__(self, piece: Mesh, ground: Ground, begun: Placed) -> None:
        self.piece, self.ground = piece, ground
        self._known: dict[Scale, tuple[Pose, float, float]] = {}
        middle = piece.bounds.mean(axis=0)
        self._begun = self._first = Pose(begun.scale, np.eye(3), middle * begun.scale + np.array(begun.offset_mm), middle)
        self.inside = inside_of(piece, begun, ground)
        # Two rounds: laid nearer, other parts of it face the body.
        if len(self.inside) >= _LEAST_POINTS:
            self._begun = follow(self.inside, ground, self._begun)[0]
            self.inside = self._facing()

    @cached_property
    def follows(self) -> bool:
        """Whether enough of it faces the body, and it runs along it evenly enough at some scale, to be judged by that."""
        if len(self.inside) < _LEAST_POINTS:
            return False
        # A flat board lies most evenly halfway through a body, or so far away that all of it is as far.
        return any(
            -_IN_IT_MM < even < _AWAY_MM and uneven <= FOLLOWS_MM
            for _, even, uneven in (self.at(self._sized(s)) for s in (0.85, 1.0, 1.1, 1.2, 1.4))
        )

    def _sized(self, by: float) -> Scale:
        x, y, z = (float(s * by) for s in self._begun.scale)
        return x, y, z

    def _facing(self) -> Floats:
        """The inside as it faces the body in the pose it begins with."""
        turn = self._turned(self._begun)
        points = inside_of(self.piece.transformed(turn), self._begun.placed, self.ground)
        back = np.linalg.inv(turn)
        return np.asarray(points @ back[:3, :3].T + back[:3, 3])

    def _turned(self, pose: Pose) -> Floats:
        return seat_turn(self.piece.bounds, pose.turn_deg, pose.scale)

    def at(self, scale: Scale) -> tuple[Pose, float, float]:
        """The most even pose at a scale, how far off the layers it lies on the whole, and how unevenly; found once for each."""
        if scale not in self._known:
            self._known[scale] = self._at(scale)
        return self._known[scale]

    def _at(self, scale: Scale) -> tuple[Pose, float, float]:
        found = follow(self.inside, self.ground, replace(self._begun, scale=scale))
        if found[2] <= _WELL_MM:
            return found
        # As it was first put, too: a plate much too small turns itself where another would not.
        return min(found, follow(self.inside, self.ground, replace(self._first, scale=scale)), key=lambda way: way[2])

    def lies(self, scale: Scale) -> Pose:
        """How it lies at a scale once it is laid on."""
        return laid_on(self.inside, self.ground, self.at(scale)[0])[0]

    def fit(self, scale: Scale, body: OnBody, site: str) -> PlateFit:
        """Everything about it at a scale."""
        here, even, uneven = self.at(scale)
        largest = max(scale)
        curve, tried = [], [(here, uneven)]
        for size in SIZES:
            # The same sizes whatever scale is asked for: what was found for one is there for the next.
            size *= max(self._begun.scale)
            x, y, z = (round(float(s / largest * size), 6) for s in scale)
            pose, off, spread = self.at((x, y, z))
            tried.append((pose, spread))
            curve.append(PlatePoint(round(size, 5), round(spread, 3), round(off, 3)))
        # From the best of them: from afar a dome may end on another part of the body.
        nearest = min(tried, key=lambda t: t[1] / max(t[0].scale))[0]
        free, _, best_uneven = follow(self.inside, self.ground, nearest, "size")
        best = max(free.scale)
        apart, _, apart_uneven = follow(self.inside, self.ground, free, "axes")
        # Stray points weigh less where the best is sought, and fully where it is told.
        best_uneven = min(best_uneven, uneven)
        low, high = hardly_worse(curve, best, best_uneven)
        presses_under = least_even(curve)
        if presses_under is not None:
            best, low, high = max(best, presses_under), max(low, presses_under), max(high, presses_under)
        laid, off_mm = laid_on(self.inside, self.ground, here)
        worst = laid.to_body(self.inside[[int(np.argmax(off_mm))]])[0]
        area_mm2 = float(np.linalg.norm(self.piece.area_vectors, axis=1).sum()) * len(self.inside) / INSIDE_POINTS * largest**2
        turned = self.piece.transformed(self._turned(laid))
        return PlateFit(
            round(best, 4), round(low, 4), round(high, 4), round(uneven, 2), round(best_uneven, 2), round(even, 2),
            round(apart.scale[0], 4), round(apart.scale[2], 4), round(apart_uneven, 2), _percentiles(off_mm), _rounded(worst),
            round(float(np.clip(off_mm, 0, None).mean()) * area_mm2 / 1000, 1),
            round(covered_share(turned, laid.placed, body, self.ground.skin, site), 3), tuple(curve),
        )  # fmt: skip


def hardly_worse(curve: Sequence[PlatePoint], best: float, uneven_mm: float) -> tuple[float, float]:
    """The scales about the best one at which the gap is hardly less even."""
    sizes, spread = [p.scale for p in curve], [p.uneven_mm for p in curve]
    fine = np.linspace(sizes[0], sizes[-1], 400)
    good = np.interp(fine, sizes, spread) <= uneven_mm + HARDLY_WORSE_MM
    nearest = int(np.argmin(np.abs(fine - best)))
    low = high = nearest
    while low > 0 and good[low - 1]:
        low -= 1
    while high < len(fine) - 1 and good[high + 1]:
        high += 1
    return min(float(fine[low]), best), max(float(fine[high]), best)


def least_even(curve: Sequence[PlatePoint]) -> float | None:
    """The scale from which it no longer presses on the whole; None where it never does, or always."""
    for before, after in pairwise(curve):
        if before.even_mm < 0 <= after.even_mm:
            share = -before.even_mm / (after.even_mm - before.even_mm)
            return before.scale + share * (after.scale - before.scale)
    return None


def _percentiles(off_mm: Floats) -> tuple[float, float, float]:
    low, middle, high = (round(float(v), 2) for v in np.percentile(off_mm, (5, 50, 95)))
    return low, middle, high


def _rounded(point: Floats) -> tuple[float, float, float]:
    x, y, z = (round(float(v), 1) for v in point)
    return x, y, z
