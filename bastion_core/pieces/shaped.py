"""A piece at its scale with its holes, pockets and slots made anew at their true size."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from manifold3d import Manifold

from bastion_core.engine.station import Place
from bastion_core.findings import Said, Verdict, mm, say
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.place import scaling
from bastion_core.geometry.solid import Solid, united
from bastion_core.pieces.features import HOLLOW, Feature
from bastion_core.pieces.hardware import PLUG, SLIDE, Seat, seat_of
from bastion_core.pieces.recipe import FeatureUse
from bastion_core.pieces.standing import Standing, load_mesh
from bastion_core.pieces.station import VOID, PiecesData

Scale = tuple[float, float, float]
FOUND_WITHIN_MM = 3.0
"""How near to a feature's mouth a place has to be named; or within its own breadth, where that is more."""
FACING_MM = 1.0
"""Mouths no further apart than this, looking at each other, are one seat across a seam."""
GROWN_MM = 0.1
"""A hole that scaling made wider or narrower by more than this no longer holds what it was made for; common practice, no source."""
_OUT_MM = 0.6
"""How far a cutter begins above the mouth."""
_BREAKS_SHARE = 0.004
"""How much of a cutter may lie in the open before it breaks through: rounding and the piece's own flats take some."""


@dataclass(frozen=True)
class Fitted:
    """What became of a decided hole, at this scale (mm)."""

    at_mm: tuple[float, float, float]
    """As decided."""
    use: str
    state: str
    """made, thin, breaks, closed (cannot be filled), partnerless or missing."""
    width_mm: float
    """It has now."""
    depth_mm: float
    was_mm: float
    """It would have had by scaling alone."""
    text: Said
    feature: int | None = None
    """Its number among the piece's features; None where there is none."""

    @property
    def verdict(self) -> Verdict:
        """How bad."""
        return {"made": Verdict.HOLDS, "thin": Verdict.TIGHT}.get(self.state, Verdict.STOPS)


@dataclass(frozen=True)
class Shaped:
    """A standing piece and what its holes are for."""

    standing: Standing
    features: tuple[FeatureUse, ...] = ()
    clearance_mm: float = 0.0
    """Per side, where something loose goes in."""
    wall_mm: float = 0.0
    """That has to stay round it."""
    magnet_gap_mm: float | None = None
    """Per side of magnets, where a coupon told it."""

    def parts(self, place: Place, scale: Scale) -> tuple[Solid, ...]:
        """The files of a set, or the one piece, at a scale."""
        return self._made(place, scale)[0]

    def fitted(self, place: Place, scale: Scale) -> tuple[Fitted, ...]:
        """What became of each decided hole."""
        return self._made(place, scale)[1]

    def scaled(self, place: Place, scale: Scale) -> Solid:
        """All of it as one solid."""
        parts = self.parts(place, scale)
        return parts[0] if len(parts) == 1 else place.live((self, scale, "whole"), lambda: united(parts))

    def grown(self, place: Place, scale: Scale) -> tuple[tuple[FeatureUse, ...], float]:
        """Holes of a fixed size that nobody has decided about and the scale made wider or narrower by more than a printer's own play: with what they
        were most likely made for, and by how much (mm) the worst of them."""
        known, matrix = place.data(self.standing.piece, PiecesData), scaling(*scale) @ self.standing.matrix
        decided = {k for use in self.features for k in features_at(known.features, use.at_mm)}
        found: list[FeatureUse] = []
        most = 0.0
        for k, feature in enumerate(known.features):
            by = Placed(feature, matrix).width_mm - feature.width_mm
            if k in decided or abs(by) < GROWN_MM or not known.filled[k] or known.likely[k][:1] in ((), (PLUG,), (SLIDE,)):
                continue
            decided |= set(features_at(known.features, feature.at_mm))
            found.append(FeatureUse(feature.at_mm, known.likely[k][0]))
            most = max(most, by, key=abs)
        return tuple(found), round(most, 3)

    def _made(self, place: Place, scale: Scale) -> tuple[tuple[Solid, ...], tuple[Fitted, ...]]:
        return place.live((self, scale), lambda: self._make(place, scale))

    def _make(self, place: Place, scale: Scale) -> tuple[tuple[Solid, ...], tuple[Fitted, ...]]:
        parts = [part.transformed(scaling(*scale)) for part in self.standing.parts(place)]
        if not self.features:
            return tuple(parts), ()
        known = place.data(self.standing.piece, PiecesData)
        matrix = scaling(*scale) @ self.standing.matrix
        fitted = []
        for use in self.features:
            numbers = features_at(known.features, use.at_mm)
            if not numbers:
                words = "There is no hole, pocket or slot within {} of {}. Leave it as it came, or say again which hole is meant."
                where = ", ".join(f"{v:g}" for v in use.at_mm)
                fitted.append(Fitted(use.at_mm, use.use, "missing", 0.0, 0.0, 0.0, say(words, mm(FOUND_WITHIN_MM), where)))
            for number in numbers:
                feature = known.features[number]
                void = None
                if known.filled[number]:
                    void = Solid.from_mesh(load_mesh(place.file(self.standing.piece, VOID.format(number)))).transformed(matrix)
                one = Placed(feature, matrix)
                partner = _partner(known.features, feature, matrix) if use.use == SLIDE else None
                which = feature.file if self.standing.files else 0
                parts[which], told = self._fit(parts[which], one, void, use, partner)
                fitted.append(replace(told, feature=number))
        return tuple(parts), tuple(fitted)

    def _fit(self, part: Solid, one: "Placed", void: Solid | None, use: FeatureUse, partner: float | None) -> tuple[Solid, Fitted]:
        """One hole made anew; the part as it was where it cannot be."""
        loose = self.magnet_gap_mm if use.use.startswith("magnet") and self.magnet_gap_mm is not None else self.clearance_mm
        seat = seat_of(use.use, loose)

        def told(state: str, width: float, words: Said) -> Fitted:
            return Fitted(use.at_mm, use.use, state, round(width, 3), round(one.depth_of(seat), 3), round(one.width_mm, 3), words)

        if void is None and (use.use == PLUG or one.feature.kind != "slot"):
            words = "The hole at {} runs into other openings and cannot be filled by itself: it stays as it is. Drill it by hand, or leave it as it came."
            return part, told("closed", one.width_mm, say(words, _where(use)))
        filled = part if void is None else united([part, void])
        if use.use == PLUG:
            return filled, told("made", 0.0, say("Plugged flush, {}.", mm(one.width_mm, digits=1)))
        width = seat.width_mm
        if use.use == SLIDE:
            if partner is None:
                words = "Nothing in the set goes into the slot at {}: it stays as it is. Name what does, like rod-4."
                return part, told("partnerless", one.width_mm, say(words, _where(use)))
            width = partner + 2 * self.clearance_mm
        depth = one.depth_of(seat)
        sort = "round" if use.use == SLIDE and one.feature.kind == "round" else seat.shape
        cutter = one.cutter(sort, width, depth)
        inner = one.core(sort, width, depth, 0.0)
        outside = Solid(inner.manifold - filled.manifold).volume
        if outside > _BREAKS_SHARE * inner.volume:
            words = (
                "A seat {} wide and {} deep at {} breaks through: it stays as it is. Choose something smaller, or thicken the wall there."
            )
            return part, told("breaks", one.width_mm, say(words, mm(width, digits=1), mm(depth, digits=1), _where(use)))
        wider = one.core(sort, width + 2 * self.wall_mm, depth + (0.0 if one.feature.through else self.wall_mm), self.wall_mm)
        thin = self.wall_mm > 0 and Solid(wider.manifold - filled.manifold).volume > _BREAKS_SHARE * wider.volume
        done = Solid(filled.manifold - cutter.manifold)
        from_to = say("{} wide, scaling alone would leave {}", mm(width, digits=2), mm(one.width_mm, digits=2))
        if thin:
            return done, told("thin", width, say("{}; less than {} of wall stays round it.", from_to, mm(self.wall_mm, digits=1)))
        return done, told("made", width, say("{}.", from_to))


def features_at(features: Sequence[Feature], at_mm: tuple[float, float, float]) -> list[int]:
    """Numbers of the hollow features whose mouths are nearest to a place: one, or the two pockets that face each other across a seam; none where
    none is near."""
    hollow = [k for k, f in enumerate(features) if f.kind in HOLLOW]
    off = {k: _way_to(features[k], at_mm) for k in hollow}
    nearest = min(hollow, key=lambda k: off[k], default=None)
    if nearest is None or off[nearest] > max(FOUND_WITHIN_MM, features[nearest].width_mm):
        return []
    first = features[nearest]
    return [k for k in hollow if k == nearest or _faces(features[k], first)]


def _way_to(feature: Feature, at_mm: tuple[float, float, float]) -> float:
    """How far a place lies from a feature's mouth; of a hole, from the nearer of its two."""
    return min(float(np.linalg.norm(np.subtract(at_mm, mouth))) for mouth, _ in _mouths(feature))


def _mouths(feature: Feature) -> list[tuple[Floats, Floats]]:
    """Where a feature opens, and the direction out of it there: a hole at both its ends."""
    at, axis = np.array(feature.at_mm), np.array(feature.axis)
    return [(at, axis), (at - feature.depth_mm * axis, -axis)] if feature.through else [(at, axis)]


def _faces(one: Feature, other: Feature) -> bool:
    """Whether two mouths look into each other."""
    return any(
        float(np.linalg.norm(a - b)) < FACING_MM and float(out @ away) < -0.98 for a, out in _mouths(one) for b, away in _mouths(other)
    )


class Placed:
    """A feature in the scaled piece's coordinates."""

    def __init__(self, feature: Feature, matrix: Floats) -> None:
        self.feature = feature
        linear = matrix[:3, :3]
        self.mouth = linear @ np.array(feature.at_mm) + matrix[:3, 3]
        out, along = linear @ np.array(feature.axis), linear @ np.array(feature.along)
        self._deep = float(np.linalg.norm(out))
        self.axis = out / self._deep
        self._long = float(np.linalg.norm(along))
        along = along - self.axis * float(self.axis @ along)
        self.along = along / float(np.linalg.norm(along))
        across = linear @ np.cross(np.array(feature.axis), np.array(feature.along))
        self._wide = float(np.linalg.norm(across))
        self.width_mm = feature.width_mm * (self._wide if feature.kind in ("slot", "tongue") else (self._wide + self._long) / 2)

    @property
    def depth_mm(self) -> float:
        """How deep it is now."""
        return self.feature.depth_mm * self._deep

    def depth_of(self, seat: Seat) -> float:
        """How deep the seat is here."""
        return self.depth_mm if seat.depth_mm is None or self.feature.through else seat.depth_mm

    def cutter(self, shape: str, width: float, depth: float) -> Solid:
        """What is carved: from above the mouth to its depth, through both mouths of a hole."""
        below = _OUT_MM if self.feature.through else 0.0
        return self._prism(shape, width, _OUT_MM, -depth - below)

    def core(self, shape: str, width: float, depth: float, more: float) -> Solid:
        """The cutter's inner half, which has to lie in material all round; ``more`` is what of the depth is wall."""
        top = -0.5 * (depth - more)
        bottom = -0.75 * depth if self.feature.through else -depth
        return self._prism(shape, width, top if not self.feature.through else -0.25 * depth, bottom)

    def _prism(self, shape: str, width: float, high: float, low: float) -> Solid:
        length = high - low
        if shape == "round":
            body = Solid.cylinder(width / 2, length, 64).manifold
        elif shape == "hexagon":
            body = Manifold.cylinder(length, width / np.sqrt(3), width / np.sqrt(3), 6, True).rotate([0.0, 0.0, 30.0])
        else:
            long = self.feature.length_mm * self._long + max(0.0, width - self.width_mm)
            body = Manifold.cube([long, width, length], True)
        matrix = np.eye(4)
        matrix[:3, :3] = np.column_stack([self.along, np.cross(self.axis, self.along), self.axis])
        matrix[:3, 3] = self.mouth + self.axis * (high + low) / 2
        return Solid(body).transformed(matrix)


def _partner(features: Sequence[Feature], slot: Feature, matrix: Floats) -> float | None:
    """How thick at this scale the tongue or peg is that goes into a slot or hole; None where there is none."""
    kind = "tongue" if slot.kind == "slot" else "peg"
    within = [
        f
        for f in features
        if f.kind == kind
        and f.file != slot.file
        and float(np.dot(f.axis, slot.axis)) < -0.98
        and float(np.linalg.norm(np.subtract(f.at_mm, slot.at_mm))) < max(f.width_mm, slot.width_mm, 0.3 * slot.length_mm)
    ]
    return Placed(within[0], matrix).width_mm if within else None


def _where(use: FeatureUse) -> str:
    return ", ".join(f"{v:.0f}" for v in use.at_mm)
