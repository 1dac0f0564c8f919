"""Pairs of discs at a seam that comes off: pockets in a thick face, or lugs inside a thin shell. Size and number by what hangs."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cache
from typing import ClassVar

import numpy as np
import shapely
from shapely import Point

from bastion_core.findings import NOTHING, Said, joined, mm, say
from bastion_core.geometry.mesh import Floats
from bastion_core.geometry.solid import Solid
from bastion_core.join.ask import Ask
from bastion_core.join.fasteners.base import At, Drawn, Fastener, Hardware, disc_sizes, discs_to_buy, drawn
from bastion_core.join.fasteners.inside import LUGS_MOST, lugs_along, place_inside
from bastion_core.join.fasteners.lug import Load, Lug
from bastion_core.join.fasteners.pin import PinRule, along, bore, place_pins, set_at
from bastion_core.join.held import Held
from bastion_core.join.loads import HangsAt
from bastion_core.join.places import Footprint, spread
from bastion_core.join.room import InsideRoom
from bastion_core.pieces.hardware import GLUE_MM, MAGNETS_MM
from bastion_core.statics.closing import Stays, count_for, stays_on
from bastion_core.statics.magnets import SET_BACK_MM, WARM_DEG_C, Disc, disc_of, poles_of, pull_n
from bastion_core.statics.poses import ENOUGH, MOST, Pose

GAP_MM = 2 * SET_BACK_MM
_MOST = 6
_FEW = 4
"""More pairs than this are taken only where no thicker disc holds it with fewer."""
_PULLING_MM = 1.0
"""Wall between two pockets beside each other: their discs pull at each other sideways. Common practice, no source."""
_OVER_MM = 0.2
_SHEAR_PINS = 2
_REFUSED = 3
"""So often lugs are tried that find no room before it is left at that."""


@dataclass(frozen=True)
class Magnet(At):
    """A disc in either part. ``pole`` is what looks up, out of the part below: 1 or -1; the disc above shows the other one."""

    kind: ClassVar[str] = "magnet"
    movable: ClassVar[bool] = True
    above: Disc
    below: Disc
    pole: int = 1
    number: int = 1

    @property
    def discs(self) -> tuple[Disc, Disc]:
        """Above and below."""
        return self.above, self.below

    @property
    def reach_mm(self) -> float:
        """Radius of the wider pocket."""
        return max(self.above.diameter_mm, self.below.diameter_mm) / 2 + self.clearance_mm

    def taken(self) -> tuple[Floats, float]:
        """Both pockets."""
        return along(self, max(self.above.thick_mm, self.below.thick_mm) + GLUE_MM), self.reach_mm + _PULLING_MM

    def adds(self, side: int) -> tuple[Solid, ...]:
        """Nothing."""
        return ()

    def tools(self, side: int) -> tuple[Solid, ...]:
        """The pocket of that part, open toward the seam."""
        disc = self.above if side > 0 else self.below
        deep = disc.thick_mm + GLUE_MM
        low, high = (-_OVER_MM, deep) if side > 0 else (-deep, _OVER_MM)
        return (bore(self, disc.diameter_mm / 2 + self.clearance_mm, low, high),)

    def drawing(self) -> tuple[Drawn, ...]:
        """Both pockets seen flat."""
        middle = Point(*self.flat_mm)
        sizes = sorted({d.diameter_mm / 2 + self.clearance_mm for d in (self.above, self.below)}, reverse=True)
        return tuple(drawn(middle.buffer(r), "hole") for r in sizes)

    def hardware(self) -> tuple[Hardware, ...]:
        """Both discs."""
        return discs_to_buy((self.above, self.below))

    def sizes(self) -> dict[str, float]:
        """Both discs, number and pole."""
        return disc_sizes(self.above, self.below, self.pole, self.number)


@dataclass(frozen=True)
class Pair:
    """The disc of what comes off, flush and small, and the larger one of what stays."""

    comes: Disc
    stays: Disc

    @property
    def pull_n(self) -> float:
        """Warm, each disc glued a little behind its face."""
        return pull_n(self.comes, self.stays, GAP_MM, WARM_DEG_C)

    def at(self, side: int) -> tuple[Disc, Disc]:
        """The disc above and the disc below, when what comes off is above (1) or below (-1)."""
        return (self.comes, self.stays) if side > 0 else (self.stays, self.comes)


@dataclass(frozen=True)
class Closed:
    """A seam that comes off: the pairs, the pins that keep it from sliding, how surely it stays; or why there are none."""

    fasteners: tuple[Fastener, ...]
    stays: Stays | None
    said: Said
    pair: Pair | None = None
    code: str = ""


@dataclass(frozen=True, eq=False)
class Closing:
    """What a seam that comes off is asked: who hangs on it, in which poses, what pins and pockets have to mind."""

    ask: Ask
    hangs: HangsAt
    poses: Sequence[Pose]
    held: Held
    pins: PinRule
    magnet_gap_mm: float
    inside: InsideRoom
    material: str
    keyed: bool = True
    """Whether pins may keep it from sliding: not where it closes askew."""

    def closed(self, at_mm: Floats | None = None) -> Closed:
        """The smallest discs, few before many, that hold what hangs; else the most that the seam takes, and by how much that is too few."""
        made, weak = list[Closed](), list[tuple[float, Callable[[], Closed]]]()
        why = Closed((), None, say("The face is too narrow."), None, "none")
        refused = 0
        for pair in pairs(self.held.magnet):
            for guessed, make in self._ways(pair, at_mm):
                if guessed < ENOUGH or refused >= _REFUSED:
                    weak.append((guessed, make))
                    continue
                found = make()
                if found.stays is None:
                    why, refused = found, refused + 1
                elif found.stays.enough:
                    return found
                else:
                    made.append(found)
        for _, make in sorted(weak, key=lambda w: -w[0])[: _REFUSED if not made else 0]:
            found = make()
            if found.stays is not None:
                made.append(found)
                break
            why = found
        if made:
            return max(made, key=lambda m: m.stays.safety if m.stays else 0.0)
        smallest = pairs(self.held.magnet)[0]
        wide = smallest.stays.diameter_mm + 2 * (self.magnet_gap_mm + self.ask.wall_mm)
        return replace(why, said=say("{} A magnet wants a face {} wide, or an inside wall for lugs.", why.said, mm(wide, digits=1)))

    def _ways(self, pair: Pair, at_mm: Floats | None) -> Iterator[tuple[float, Callable[[], Closed]]]:
        """Ways to put pairs of such discs, with the safety that each promises."""
        ask = self.ask
        places = ask.room.places(self._footprint(pair), ask.wall_mm, ask.others)
        if places.is_empty:
            rims = ask.rims
            if rims is None or not rims.inside.any():
                return
            flat = np.array(spread(shapely.multipoints(rims.points[rims.inside]).buffer(0.5), LUGS_MOST, 20.0))[: lugs_along(ask.inside_mm)]
            yield self._stays(pair, flat, True).safety, lambda: self._in_lugs(pair, at_mm)
            return
        apart = pair.stays.diameter_mm + 2 * self.magnet_gap_mm + ask.wall_mm + 2 * _PULLING_MM
        if at_mm is not None:
            spots, off = set_at(ask.room.in_frame(at_mm), places, apart)
            words = "{} of the magnets had no wall where they were set: they went up to {} away."
            told = say(words, str(sum(o > 0 for o in off)), mm(max(off), digits=1)) if any(off) else NOTHING
            yield MOST, lambda: self._made(pair, spots, told)
            return
        most = _MOST if self.held.magnet or pair == pairs("")[-1] else _FEW
        for count in range(1, most + 1):
            some = spread(places, count, apart)
            if len(some) < count:
                return
            # One alone lets it turn: it is the last resort.
            safety = self._stays(pair, np.array(some), True).safety if count > 1 else 0.0
            yield safety, lambda some=some: self._made(pair, some, NOTHING)  # type: ignore[misc]

    def _footprint(self, pair: Pair) -> Footprint:
        return Footprint(pair.stays.diameter_mm / 2 + self.magnet_gap_mm, max(pair.comes.thick_mm, pair.stays.thick_mm) + GLUE_MM)

    def _made(self, pair: Pair, spots: Sequence[Floats], told: Said) -> Closed:
        ask, seam = self.ask, self.ask.seam
        if not spots:
            return Closed((), None, say("No place of the face takes a disc of {}.", mm(pair.stays.diameter_mm)), None, "none")
        above, below = pair.at(self.hangs.side)
        flat = np.array(spots)
        signs = poles_of(flat)
        magnets = tuple(
            Magnet(
                above, below, sign, k, position_mm=ask.room.in_space(float(u), float(v)), axis=seam.surface.normal, flat_mm=(float(u), float(v)),
                seams=(seam.id,), clearance_mm=self.magnet_gap_mm,
            )
            for k, ((u, v), sign) in enumerate(zip(flat, signs, strict=True), 1)
        )  # fmt: skip
        return self._judged(pair, flat, magnets, told)

    def _in_lugs(self, pair: Pair, at_mm: Floats | None) -> Closed:
        """In lugs inside a shell whose wall is too thin for a disc."""
        ask = self.ask
        load = magnet_load(pair, self.hangs.side, self.magnet_gap_mm, ask.wall_mm)
        found = place_inside(
            ask, replace(self.held, turned=False), load, self.inside, self.material, None if at_mm is None else ask.room.in_frame(at_mm)
        )
        if not found.lugs:
            return Closed((), None, found.said, None, found.code)
        flat = np.array([lug.flat_mm for lug in found.lugs])
        signs = poles_of(flat)
        lugs: tuple[Lug, ...] = tuple(replace(lug, pole=s, number=k) for k, (lug, s) in enumerate(zip(found.lugs, signs, strict=True), 1))
        return self._judged(pair, flat, lugs, found.said)

    def _judged(self, pair: Pair, flat: Floats, magnets: Sequence[Fastener], told: Said) -> Closed:
        ask = self.ask
        pins: Sequence[Fastener] = ()
        if self.keyed:
            pins, _ = place_pins(ask.seam, ask.room, self.pins, [*ask.others, *magnets])
        keyed = len(pins) >= _SHEAR_PINS
        words = [told] if told else []
        if len(flat) == 1:
            words.append(say("One magnet alone lets it turn."))
        said = joined(words, " ") if words else NOTHING
        return Closed((*magnets, *(pins[:_SHEAR_PINS] if keyed else ())), self._stays(pair, flat, keyed), said, pair)

    def _stays(self, pair: Pair, flat: Floats, keyed: bool) -> Stays:
        force = np.full(len(flat), pair.pull_n)
        return stays_on(self.hangs.hang, self.ask.seam.face, flat, force, np.array(self.hangs.to_frame), self.poses, keyed)

    def wanted(self, stays: Stays, pair: Pair) -> int:
        """How many pairs of such discs would be enough, sitting as these do."""
        return count_for(stays.needed_n, pair.pull_n)


def magnet_load(pair: Pair, side: int, gap_mm: float, wall_mm: float) -> Load:
    """The lug for a pair of discs: a floor of wall under each."""
    above, below = pair.at(side)
    radius = pair.stays.diameter_mm / 2 + gap_mm
    deep = {1: above.thick_mm + GLUE_MM, -1: below.thick_mm + GLUE_MM}
    return Load(
        "magnet", radius + wall_mm, above_mm=deep[1] + wall_mm, below_mm=deep[-1] + wall_mm, off_mm=radius + _PULLING_MM,
        hole_above_mm=above.diameter_mm / 2 + gap_mm, hole_below_mm=below.diameter_mm / 2 + gap_mm, depth_above_mm=deep[1], depth_below_mm=deep[-1],
        clearance_mm=gap_mm, discs=(above, below),
    )  # fmt: skip


@cache
def pairs(chosen: str) -> tuple[Pair, ...]:
    """The pairs to try, the weakest first: each disc with the next wider one in what stays."""
    if chosen:
        return (_with_wider(disc_of(chosen)),)
    usual = [_with_wider(Disc(float(d), float(t))) for d, t in MAGNETS_MM if d >= 4]
    return tuple(sorted(usual, key=lambda p: p.pull_n))


def _with_wider(disc: Disc) -> Pair:
    wider = [(d, t) for d, t in MAGNETS_MM if d > disc.diameter_mm and t >= min(disc.thick_mm, 3)]
    size = min(wider) if wider else (disc.diameter_mm, disc.thick_mm)
    return Pair(disc, Disc(float(size[0]), float(size[1]), disc.grade))
