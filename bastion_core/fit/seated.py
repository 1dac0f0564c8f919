"""A piece on a body: where it sits at any scale, and the room it has there."""

import copy
from dataclasses import replace
from functools import cached_property
from typing import Self

import numpy as np

from bastion_core.errors import RecipeProblem
from bastion_core.fit.joints import TRIANGLES
from bastion_core.fit.layers import Layer
from bastion_core.fit.onbody import OnBody, Skin, as_it_came, on_body
from bastion_core.fit.openings import Opening, openings
from bastion_core.fit.question import Question
from bastion_core.fit.room import Placed, Room, covered, gaps, room_of
from bastion_core.fit.scale import LEAST_SCALE, MOST_SCALE, Scale, check_scale
from bastion_core.fit.seat import Seating, kind_of, seat, seat_turn
from bastion_core.fit.sites import Site, site
from bastion_core.fit.way_in import least_root
from bastion_core.formats.glb import simplified
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.measure.body import Body, stand_in
from bastion_core.measure.wearer import Wearer

SKIN_POINTS = 10_000
_SPREAD_POINTS, _TIGHT_POINTS = 400, 800
"""Points of the skin by which a seat is found: spread over it, and about its tightest place."""
ENOUGH_MM = 0.0


class Seated:
    """One piece on one body, where it sits at any scale and what room it has there; what is slow is prepared once and kept."""

    def __init__(self, piece: Mesh, question: Question, body: Body | None = None, ready: OnBody | None = None) -> None:
        if any(question.turn_deg):
            piece = piece.transformed(seat_turn(piece.bounds, question.turn_deg, question.scale))
        self.piece, self.question = piece, question
        self.worn_at: Site = site(question.site)
        check_scale(question.scale)
        self.guessed: set[str] = set()
        self.shaped = body
        if ready is None:
            if body is None and question.wearer is None:
                raise RecipeProblem("There is nobody to fit it to. Choose a wearer, or give a scan of the body.")
            self.shaped = shaped = body or stand_in(question.wearer or Wearer())
            self.wearer, self.guessed = shaped.wearer, set(shaped.guesses)
            ready = (
                as_it_came(shaped.mesh, self.worn_at, piece.bounds) if question.as_placed else on_body(shaped, self.worn_at, question.side)
            )
        else:
            self.wearer = question.wearer or Wearer()
        self.body = ready
        self.skin = self._skin()
        self.seating: Seating = kind_of(piece, ready, self.worn_at, question.shift_mm)
        self._seats: dict[tuple[Scale, bool], Placed] = {}
        self._least: dict[tuple[Scale, bool], float] = {}
        self._room_scale: list[float | None] = []

    @property
    def goes_round(self) -> bool:
        """Whether its tightest place tells how much room there is: a ring, or a piece placed by hand."""
        return self.seating.goes_round or self.question.as_placed

    @cached_property
    def openings(self) -> list[Opening]:
        """The piece's inside at many levels, at scale 1."""
        return openings(self.piece)

    def _skin(self) -> Skin:
        """Points of the stretch the piece can touch; of a body as it came, those near the piece."""
        mesh = self.body.mesh
        if self.body.whole:
            low, high = self.piece.bounds
            reach = 0.6 * self.piece.size.max()
            near = ((mesh.vertices > low - reach) & (mesh.vertices < high + reach)).all(axis=1)
            faces = mesh.faces[near[mesh.faces].any(axis=1)]
            if len(faces) and len(faces) < len(mesh.faces):
                # Depths still come from the whole body: a cut-out has no other side.
                skin = self.body.skin(2 * SKIN_POINTS)
                keep = ((skin.points > low - reach) & (skin.points < high + reach)).all(axis=1)
                return skin.take(keep)
        return self.body.skin(SKIN_POINTS)

    def placed(self, scale: Scale, fine: bool = True) -> Placed:
        """Where the piece rests at a scale. A piece that is already placed grows about its own middle.

        ``fine`` settles it by more points of the skin; the rough place is good enough for a curve.
        """
        key = (scale, fine)
        if key not in self._seats:
            if self.question.as_placed:
                middle = self.piece.bounds.mean(axis=0)
                offset = middle - middle * np.array(scale) + np.array(self.question.shift_mm)
                self._seats[key] = Placed(scale, (float(offset[0]), float(offset[1]), float(offset[2])))
            else:
                # The fine place must not depend on what was asked before: it begins anew each time.
                near = self._seated(scale, None, self._thinned(_SPREAD_POINTS)) if fine else self._nearest_seat(scale)
                near = near or self._seated(scale, None, self._thinned(_SPREAD_POINTS))
                self._seats[key] = self._seated(scale, near, self._tight_skin(near))
        return self._seats[key]

    def _seated(self, scale: Scale, near: Placed | None, skin: Skin) -> Placed:
        return seat(self.piece, self.body, self.seating, scale, self.question.layers, skin, near, self.skin)

    def _nearest_seat(self, scale: Scale) -> Placed | None:
        near = min(self._seats, key=lambda k: abs(k[0][0] - scale[0]), default=None)
        return self._seats[near] if near is not None and abs(near[0][0] - scale[0]) < 0.12 else None

    def _thinned(self, count: int) -> Skin:
        return self.skin.take(slice(None, None, max(1, len(self.skin.points) // count)))

    def _tight_skin(self, near: Placed) -> Skin:
        """The skin that decides a seat near ``near``: all of the tightest, and some spread over the rest.

        Spread points alone miss the tightest place by millimetres, and each side of the body by others.
        """
        # Where it seats itself, whatever the maker moved it by after that.
        x, y, z = (o - m for o, m in zip(near.offset_mm, self.question.shift_mm, strict=True))
        itself = Placed(near.scale, (x, y, z))
        out = gaps(self.piece, itself, self.skin) - self.skin.layers_mm(self.question.layers)
        out[~covered(self.piece, itself, self.skin)] = np.inf
        keep = np.zeros(len(out), bool)
        keep[:: max(1, len(out) // _SPREAD_POINTS)] = True
        keep[np.argsort(out, kind="stable")[:_TIGHT_POINTS]] = True
        return self.skin.take(keep)

    def room(self, scale: Scale, exact: bool = True) -> Room:
        """The room map at a scale."""
        resting = self.seating.rests_on_top and not self.question.as_placed
        return room_of(self.piece, self.placed(scale, exact), self.skin, self.question.layers, exact, resting)

    def least(self, factor: float, exact: bool = True) -> float:
        """Least room at a uniform multiple of the chosen scale's proportions; -inf when nothing is covered."""
        key = (self.proportioned(factor), exact)
        if key not in self._least:
            room_mm = self.room(*key).least_mm
            self._least[key] = room_mm if np.isfinite(room_mm) else -np.inf
        return self._least[key]

    def proportioned(self, size: float) -> Scale:
        """The chosen proportions brought to a size: the largest axis gets it."""
        chosen = np.array(self.question.scale)
        s = chosen / chosen.max() * size
        return float(s[0]), float(s[1]), float(s[2])

    def at_scale(self, scale: Scale) -> Self:
        """The same fitting at another uniform scale; what was found for all scales is kept."""
        other = copy.copy(self)
        other.question = replace(self.question, scale=scale)
        return other

    def with_layers(self, layers: tuple[Layer, ...]) -> Self:
        """The same piece on the same body over other layers, to be seated anew."""
        other = copy.copy(self)
        other.question = replace(self.question, layers=layers)
        other._seats, other._least, other._room_scale = {}, {}, []
        return other

    def least_scale_for_room(self) -> float | None:
        """``_find_room_scale``, found once."""
        if not self._room_scale:
            self._room_scale.append(self._find_room_scale())
        return self._room_scale[0]

    def _find_room_scale(self) -> float | None:
        """The least size at which nothing presses; None when none does within bounds, or when the piece is a plate, which rests wherever it is put."""
        if not self.goes_round:
            return None
        size = max(self.question.scale)
        low, high = size, size
        step = 1.15
        room = self.least(size)
        if room >= ENOUGH_MM:
            while self.least(low / step, False) >= ENOUGH_MM and low / step > LEAST_SCALE * 4:
                low /= step
            high, low = low, low / step
        else:
            while self.least(high * step, False) < ENOUGH_MM:
                high *= step
                if high > 4 * size or high > MOST_SCALE:
                    return None
            low, high = high, high * step
        # Rays alone narrow it down; the last steps look in every direction.
        rough = least_root(lambda f: max(self.least(f, False), -400.0), low, high, 2e-3) or high
        for reach in (1.006, 1.05):
            if self.least(rough / reach) < ENOUGH_MM <= self.least(rough * reach):
                return least_root(self.least, rough / reach, rough * reach)
        return rough

    def worn_mesh(self, placed: Placed) -> Mesh:
        """The piece as it is worn, thinned for moving, in the body's own coordinates."""
        return Mesh(placed.to_body(self._thin.vertices), self._thin.faces).transformed(self.body.to_body)

    @cached_property
    def _thin(self) -> Mesh:
        return simplified(self.piece, TRIANGLES)

    def where_at(self, point: Floats) -> str:
        """The tight place in words."""
        middle = self.body.centre
        away = point - middle
        if self.body.crown_mm is not None:
            below = self.body.crown_mm - point[2]
            if below < 45:
                return "crown"
            side = (
                "brow"
                if -away[1] > abs(away[0])
                else "back of the head"
                if away[1] > abs(away[0])
                else "left temple"
                if away[0] > 0
                else "right temple"
            )
            if below > 120:
                side = {"brow": "face", "back of the head": "nape", "left temple": "left jaw", "right temple": "right jaw"}[side]
            return side
        level = (point[2] - self.body.low_mm) / max(self.body.high_mm - self.body.low_mm, 1e-6)
        height = (
            "upper edge"
            if level > 0.85
            else "lower edge"
            if level < 0.15
            else "upper part"
            if level > 0.6
            else "lower part"
            if level < 0.4
            else "middle"
        )
        side = ("front" if away[1] < 0 else "back") if abs(away[1]) > abs(away[0]) else ("left side" if away[0] > 0 else "right side")
        return f"{height}, {side}"
