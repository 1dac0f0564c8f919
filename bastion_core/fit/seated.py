"""A piece on a body: where it sits at any scale, and the room it has there."""

import copy
from dataclasses import replace
from functools import cached_property
from typing import Self

import numpy as np
from scipy.spatial.transform import Rotation

from bastion_core.errors import RecipeProblem
from bastion_core.fit.joints import TRIANGLES
from bastion_core.fit.layers import Layer
from bastion_core.fit.onbody import OnBody, Skin, as_it_came, on_body
from bastion_core.fit.openings import Opening, openings
from bastion_core.fit.pair import Pair
from bastion_core.fit.plate import Ground, Plate, PlateFit, Pose
from bastion_core.fit.question import Question
from bastion_core.fit.room import Placed, Room, covered, gaps, room_of
from bastion_core.fit.scale import LEAST_SCALE, MOST_SCALE, Scale, check_scale
from bastion_core.fit.seat import Seating, kind_of, seat, seat_turn, tried_further
from bastion_core.fit.sites import Site, site
from bastion_core.fit.tilt import settled_turn
from bastion_core.fit.way_in import least_root
from bastion_core.formats.glb import simplified
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.measure.body import Body, stand_in
from bastion_core.measure.wearer import Wearer

SKIN_POINTS = 10_000
_SPREAD_POINTS, _TIGHT_POINTS = 400, 800
"""Points of the skin by which a seat is found: spread over it, and about its tightest places.

Spread points alone miss the tightest place by millimetres, and each side of the body by others.
"""
_SETTLED_ROUNDS, _ALIKE_MM, _SETTLING_POINTS = 5, 0.2, 1500
ENOUGH_MM = 0.0
_EXACT, _NONE_LEFT_MM, _SMALL_JUMP_MM = 1e-5, 0.03, 0.3
"""The least scale is found so closely, or until no more room is left than this; where a seat leaps over that place by more, none is told."""


def _one_after_other(first_deg: Scale, then_deg: Scale) -> Scale:
    """Two turns as one, in degrees about x, y and z."""
    if not any(first_deg) or not any(then_deg):
        return first_deg if any(first_deg) else then_deg
    first, then = (Rotation.from_euler("xyz", deg, degrees=True) for deg in (first_deg, then_deg))
    x, y, z = (float(v) for v in (then * first).as_euler("xyz", degrees=True))
    return x, y, z


_UNTURNED: Scale = (0.0, 0.0, 0.0)


class Seated:
    """One piece on one body, where it sits at any scale and what room it has there; what is slow is prepared once and kept."""

    def __init__(self, piece: Mesh, question: Question, body: Body | None = None, ready: OnBody | None = None) -> None:
        self.piece, self.question = piece, question
        self.worn_at: Site = site(question.site)
        check_scale(question.scale)
        self.guessed: set[str] = set()
        self.shaped = body
        if ready is None:
            if body is None and question.wearer is None:
                raise RecipeProblem("There is no body to fit it to. Choose a wearer, or give a scan of the body.")
            self.shaped = shaped = body or stand_in(question.wearer or Wearer())
            self.wearer, self.guessed = shaped.wearer, set(shaped.guesses)
            ready = (
                as_it_came(shaped.mesh, self.worn_at, piece.bounds) if question.as_placed else on_body(shaped, self.worn_at, question.side)
            )
        else:
            self.wearer = question.wearer or Wearer()
        self.body = ready
        self.skin = self._skin()
        self._unturned = piece
        self.seating: Seating = kind_of(self._turned_by(_UNTURNED, question.scale).piece, ready, self.worn_at, question.shift_mm)
        if len(question.halves) == 2:
            # Held by straps, its tightest place tells no more of it than of a plate.
            self.seating = replace(self.seating, goes_round=False)
        self._about_to_press: list[Scale] = []
        self._plate: Plate | None = None
        self._pair: Pair | None = None
        self._room_scale: list[float | None] = []
        self._settle()

    def _take(self, piece: Mesh) -> None:
        """Go on with the piece turned otherwise; what was found is found anew."""
        self.piece = piece
        self.__dict__.pop("_thin", None)
        self._seats: dict[tuple[Scale, bool], Placed] = {}
        self._least: dict[tuple[Scale, bool], float] = {}

    def _turned_by(self, settled_deg: Scale, scale: Scale) -> Self:
        """The same with the piece as it turns by itself, and then as the maker turned it."""
        other = copy.copy(self)
        turn_deg = _one_after_other(settled_deg, self.question.turn_deg)
        piece = self._unturned
        other._take(piece.transformed(seat_turn(piece.bounds, turn_deg, scale)) if any(turn_deg) else piece)
        return other

    @property
    def _turns(self) -> bool:
        """Whether it turns by itself on its limb: a ring that neither rests on the crown nor lies where its file has it."""
        return self.seating.goes_round and not self.seating.rests_on_top and not self.question.as_placed

    def _settle(self) -> None:
        """Find how a ring turns by itself onto its limb at the scale it is asked for, and go on with it turned so."""
        self._take(self._unturned)
        scale, own = self.question.scale, _UNTURNED
        laid = None if self._paired() else self._laid_on()
        if laid is not None:
            own = laid.turn_deg
        if self._turns:
            # As it turns where it is about to press, from there on, or as it stands: whichever leaves the most room.
            still = self._unmoved()
            if not self._about_to_press:
                self._about_to_press.append(still._turn_about_to_press())
            begun = self._about_to_press[0]
            ways = dict.fromkeys((_UNTURNED, begun, still._settled_from(begun, scale)))
            if len(ways) > 1:
                own = max(ways, key=lambda way: still._turned_by(way, scale).least(max(scale), False))
        self.settled_deg, self.turn_deg = own, _one_after_other(own, self.question.turn_deg)
        if any(self.turn_deg):
            self._take(self._turned_by(own, scale).piece)
        if laid is not None:
            x, y, z = (o + m for o, m in zip(laid.placed.offset_mm, self.question.shift_mm, strict=True))
            self._seats = {(scale, fine): Placed(scale, (x, y, z)) for fine in (True, False)}
        if self._pair is not None and self._pair.follows:
            self._lay_halves(self._pair)

    def _paired(self) -> bool:
        """Whether it is two halves, each laid on its own side of the body."""
        if len(self.question.halves) != 2 or self.question.as_placed or self.seating.rests_on_top:
            return False
        if self._pair is None:
            self._pair = Pair(self.question.halves, Ground.of(self.body, self.question.layers), self._round_it())
        return self._pair.follows

    def _round_it(self) -> Placed:
        """Where two halves lie round the body as one ring, before each is laid on."""
        still = self._unmoved()
        still.seating = replace(still.seating, goes_round=True)
        return still._seated(self.question.scale, None, still._thinned(_SPREAD_POINTS))

    def _lay_halves(self, pair: Pair) -> None:
        """Go on with the halves where each lies, moved as one by what the maker moved them by."""
        scale, at = self.question.scale, self._round_it()
        laid = pair.worn(scale, at)
        turn_deg = self.question.turn_deg
        self._take(laid.transformed(seat_turn(laid.bounds, turn_deg, scale)) if any(turn_deg) else laid)
        x, y, z = (o + m for o, m in zip(at.offset_mm, self.question.shift_mm, strict=True))
        self._seats = {(scale, fine): Placed(scale, (x, y, z)) for fine in (True, False)}

    def _laid_on(self) -> Pose | None:
        """How a plate lies at the scale it is asked for; None for what goes round, lies where its file has it, or does not follow it."""
        if self.goes_round or self.seating.rests_on_top:
            return None
        if self._plate is None:
            still = self._unmoved()
            begun = still._seated(self.question.scale, None, still._thinned(_SPREAD_POINTS))
            self._plate = Plate(self._unturned, Ground.of(self.body, self.question.layers), begun)
        if not self._plate.follows:
            return None
        return self._plate.lies(self.question.scale)

    def plate_fit(self) -> PlateFit | None:
        """How it follows the body where it is laid on it; None where it goes round, or does not follow it."""
        if self._pair is not None and self._pair.follows:
            return self._pair.fit(self.question.scale, self.body, self.question.site)
        if self._plate is None or not self._plate.follows or self.goes_round:
            return None
        return self._plate.fit(self.question.scale, self.body, self.question.site)

    def _unmoved(self) -> Self:
        """The same without what the maker moved and turned it by in its seat."""
        other = copy.copy(self)
        other.question = replace(self.question, shift_mm=_UNTURNED, turn_deg=_UNTURNED)
        other.seating = replace(self.seating, shift_mm=_UNTURNED)
        other._take(self._unturned)
        return other

    def _settled_from(self, way: Scale, scale: Scale) -> Scale:
        """How it turns at a scale when it begins turned one way."""
        begun = self._turned_by(way, scale)
        return _one_after_other(
            way, settled_turn(begun.piece, begun._thinned(_SETTLING_POINTS), begun.placed(scale, False), self.question.layers)
        )

    def _turn_about_to_press(self) -> Scale:
        """How it turns where it is about to press, the same whatever scale it is asked for."""
        way, begun = _UNTURNED, self
        for _ in range(2):
            about = self.proportioned(begun._rough_root(1.0) or 1.0)
            further = self._settled_from(way, about)
            if further == way:
                break
            way, begun = further, self._turned_by(further, about)
        return way

    @property
    def goes_round(self) -> bool:
        """Whether its tightest place tells how much room there is: a ring, or a piece placed by hand."""
        return self.seating.goes_round or self.question.as_placed

    @property
    def passing(self) -> Mesh:
        """The piece as it goes on: as the maker turned it. What it turns by itself in its seat makes its rings no wider."""
        if not any(self.settled_deg):
            return self.piece
        return self._turned_by(_UNTURNED, self.question.scale).piece

    @cached_property
    def openings(self) -> list[Opening]:
        """The piece's inside at many levels on its way, at scale 1."""
        return openings(self.passing)

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
                self._seats[key] = self._settled(scale, near, fine)
        return self._seats[key]

    def _settled(self, scale: Scale, near: Placed, fine: bool) -> Placed:
        """The place near ``near`` with the most room, by few points of the skin: what proves tight elsewhere joins them until nothing does."""
        best, most, keep = near, -np.inf, np.zeros(len(self.skin.points), bool)
        keep[:: max(1, len(keep) // _SPREAD_POINTS)] = True
        for k in range(1 + _SETTLED_ROUNDS):
            out = self._rooms_itself(near)
            least = float(out.min())
            if least > most:
                best, most = near, least
            tight = np.argsort(out, kind="stable")[:_TIGHT_POINTS]
            if np.isfinite(least) and keep[tight[out[tight] < least + _ALIKE_MM]].all():
                break
            keep[tight] = True
            skin = self.skin.take(keep)
            if not (fine and self.seating.goes_round):
                return self._seated(scale, near, skin)
            if k:
                near = tried_further(self.piece, self.seating, best, self.question.layers, skin, self.skin)
            else:
                near = self._seated(scale, near, skin, fine)
        return best

    def _rooms_itself(self, place: Placed) -> Floats:
        """(n,): room at each point of the skin where the piece seats itself, whatever the maker moved it by after that; inf where none counts."""
        x, y, z = (o - m for o, m in zip(place.offset_mm, self.question.shift_mm, strict=True))
        itself = Placed(place.scale, (x, y, z))
        out = gaps(self.piece, itself, self.skin) - self.skin.layers_mm(self.question.layers)
        out[~covered(self.piece, itself, self.skin)] = np.inf
        if self.seating.rests_on_top:
            out[self.skin.cap] = np.inf
        return out

    def _seated(self, scale: Scale, near: Placed | None, skin: Skin, fine: bool = False) -> Placed:
        return seat(self.piece, self.body, self.seating, scale, self.question.layers, skin, near, self.skin, fine)

    def _nearest_seat(self, scale: Scale) -> Placed | None:
        near = min(self._seats, key=lambda k: abs(k[0][0] - scale[0]), default=None)
        return self._seats[near] if near is not None and abs(near[0][0] - scale[0]) < 0.12 else None

    def _thinned(self, count: int) -> Skin:
        return self.skin.take(slice(None, None, max(1, len(self.skin.points) // count)))

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
        other._settle()
        return other

    def with_layers(self, layers: tuple[Layer, ...]) -> Self:
        """The same piece on the same body over other layers, to be seated anew."""
        other = copy.copy(self)
        other.question = replace(self.question, layers=layers)
        other._take(self.piece)
        other._room_scale, other._plate, other._pair = [], None, None
        return other

    def least_scale_for_room(self) -> float | None:
        """``_find_room_scale``, found once."""
        if not self._room_scale:
            there = self._turned_by(self._about_to_press[0], self.question.scale) if self._about_to_press else self
            self._room_scale.append(there._find_room_scale())
        least, size = self._room_scale[0], max(self.question.scale)
        if least is None:
            return None
        # Turned at this very scale, it may hold a little below the scale at which it would press turned otherwise; what would
        # contradict the verdict is never told.
        holds = self.least(size) >= ENOUGH_MM
        return size if holds and least > size else None if not holds and least <= size else least

    def _find_room_scale(self) -> float | None:
        """The least size at which nothing presses; None when none does within bounds, or when the piece is a plate, which rests wherever it is put."""
        if not self.goes_round:
            return None
        size = max(self.question.scale)
        # Between a size that presses and one that does not, both looked at in every direction, nothing contradicts the verdict.
        presses, holds = (None, size) if self.least(size) >= ENOUGH_MM else (size, None)
        rough = self._rough_root(size)
        for reach in (1.006, 1.03, 1.1, 1.3):
            if holds is None and rough is not None:
                presses, holds = self._narrowed(rough * reach, presses, holds)
        for reach in (1.006, 1.03, 1.1, 1.3, 1.7, 2.3):
            if presses is None:
                presses, holds = self._narrowed(min(rough or size, holds or size) / reach, presses, holds)
        if presses is None or holds is None:
            return None
        return self._exactly(presses, holds)

    def _exactly(self, presses: float, holds: float) -> float | None:
        """The size between one that presses and one that does not at which no room is left; None where the seat leaps over it."""
        while holds / presses > 1 + _EXACT and not 0 <= self.least(holds) - ENOUGH_MM <= _NONE_LEFT_MM:
            short, left = -self.least(presses), self.least(holds)
            size = presses + min(max(short / (short + left + 1e-9), 0.1), 0.9) * (holds - presses)
            presses, holds = (presses, size) if self.least(size) >= ENOUGH_MM else (size, holds)
        return holds if self.least(holds) - ENOUGH_MM <= _SMALL_JUMP_MM else None

    def _narrowed(self, size: float, presses: float | None, holds: float | None) -> tuple[float | None, float | None]:
        """The two bounds with one of them brought to a size between or beyond them."""
        if (presses is not None and size <= presses) or (holds is not None and size >= holds) or not LEAST_SCALE <= size <= MOST_SCALE:
            return presses, holds
        return (presses, size) if self.least(size) >= ENOUGH_MM else (size, holds)

    def _rough_root(self, size: float) -> float | None:
        """About the least size at which nothing presses, by rays alone; None where there is none within bounds."""
        low, high, step = size, size, 1.15
        if self.least(size, False) < ENOUGH_MM:
            while self.least(high, False) < ENOUGH_MM:
                low, high = high, high * step
                if high > 4 * size or high > MOST_SCALE:
                    return None
        else:
            while self.least(low, False) >= ENOUGH_MM:
                high, low = low, low / step
                if low < LEAST_SCALE * 4:
                    return low
        return least_root(lambda f: max(self.least(f, False), -400.0), low, high, 8e-3) if low < high else size

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
