"""Which two subassemblies become one, over and over, until the piece is whole: found by taking it apart in every way that its shape allows.

Of every set of bodies the best few ways are kept, by hands and by how long their longest chain takes. Of up to seven bodies all partings in
two are tried, of more those that promise most; up to a dozen all are looked at for that; beyond that those in which a body comes off with whatever has to come along.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from typing import Protocol

import numpy as np

from bastion_core.assemble.blocking import Block, Blocking
from bastion_core.assemble.bodies import Assembly, Contact, hangs_together, held_with, members
from bastion_core.geometry.arrays import three
from bastion_core.geometry.mesh import Floats
from bastion_core.progress import Progress, silent

_ALL_LOOKED_AT = 12
_KEPT = 4
_LOCKED_MIN, _CANNOT_MIN = 1e5, 1e4
"""What a way that cannot be weighs: it is taken only where there is no other."""
_SMALL, _PAIRS, _TRIED = 7, 4, 14
"""Bodies of which every parting is tried; pairs of ways that are tried of more; partings that are tried of more. On a helmet in twelve parts the
best two orders are those of all partings, in a twelfth of the time."""
_GIVEN = 4
"""Partings that are looked at where none is free."""


class Costs(Protocol):
    """What joining and painting take, asked of sets of bodies."""

    def join(self, contacts: Sequence[Contact], way: Floats) -> tuple[float, float]:
        """Minutes of hands, and hours until the next work on it."""

    def early(self, together: int, contacts: Sequence[Contact]) -> float:
        """Minutes that count against closing these so early, when a set comes together."""

    def paint(self, together: int) -> tuple[float, float] | None:
        """The same for the insides of a set, all at once; None where they are not all reached, or nothing is painted."""

    def cannot(self, together: int, one: int, other: int) -> int:
        """How much of what has to be done when these two come together cannot be."""


@dataclass(frozen=True, eq=False)
class Node:
    """A subassembly: one body, or two subassemblies put together."""

    bodies: int
    above: "Node | None" = None
    """Moves along ``way`` to come off, and against it to go on."""
    below: "Node | None" = None
    way: tuple[float, float, float] = (0.0, 0.0, 0.0)
    contacts: tuple[Contact, ...] = ()
    locked: tuple[Block, ...] = ()
    """What is in the way along it; nothing where it goes on freely."""
    painted: bool = False
    """Whether its insides are painted when it is together, and not before."""

    def nodes(self) -> "Iterator[Node]":
        """Itself and all below it, those first that are needed first."""
        for part in (self.above, self.below):
            if part is not None:
                yield from part.nodes()
        yield self

    def closing(self, bodies: int) -> "Node":
        """The smallest subassembly that has all of these bodies."""
        for part in (self.above, self.below):
            if part is not None and part.bodies & bodies == bodies:
                return part.closing(bodies)
        return self


@dataclass(frozen=True, eq=False, slots=True)
class _Way:
    """A way to put a set together: what counts against it, minutes of hands, hours of its longest chain; and how it is made, so that only what
    is wanted in the end is made."""

    together: int
    against: float
    hands_min: float
    path_h: float
    painted: bool
    here: bool = False
    """Whether its insides are painted now, not before."""
    above: "_Way | None" = None
    below: "_Way | None" = None
    held: int = 0
    """The contacts that are closed, as bits."""
    way: int = -1
    """The number of the direction; -1 where nothing moves."""

    @property
    def score(self) -> float:
        return self.against + self.hands_min / 60 + self.path_h


@dataclass(eq=False)
class Search:
    """Ways to put all bodies together. ``before`` are pairs of contacts (ids): the first is to be closed before the second."""

    assembly: Assembly
    blocking: Blocking
    costs: Costs
    before: tuple[tuple[str, str], ...] = ()
    paints: bool = False
    progress: Progress = silent
    _near: tuple[int, ...] = field(init=False)
    _known: dict[int, tuple[list[_Way], list[_Way]]] = field(init=False, default_factory=dict)
    """Of each set the ways without its insides painted, and with."""

    def __post_init__(self) -> None:
        self._near = self.assembly.neighbours()
        self._ends = {c.id: self.assembly.set_of(c.between) for c in self.assembly.contacts}
        index = self.assembly.index
        # Asked tens of thousands of times: contacts and ways are bits of a number, and what was answered is remembered.
        self._held = [(1 << index[c.between[0]], 1 << index[c.between[1]], 1 << k) for k, c in enumerate(self.assembly.contacts)]
        self._whole: dict[int, bool] = {}
        self._ahead: dict[int, tuple[int, ...]] = {0: (0,) * len(self.blocking.ahead)}
        self._square: dict[tuple[int, int], int] = {}
        self._joining: dict[tuple[int, int], tuple[float, float]] = {}
        self._contacts: dict[int, tuple[Contact, ...]] = {}

    def ways(self) -> list[Node]:
        """The best ways, the best one first; a piece of one body is its own."""
        found = self._of(self.assembly.all)[self.paints]
        return [self._node(w) for w in sorted(found, key=lambda w: w.score)]

    def _node(self, way: _Way) -> Node:
        if way.above is None or way.below is None:
            return Node(way.together, painted=way.here)
        blocks, direction = tuple[Block, ...](), (0.0, 0.0, 0.0)
        if way.way >= 0:
            blocks = tuple(self.blocking.blocks(way.above.together, way.below.together, way.way))
            direction = three(self.blocking.directions[way.way])
        return Node(way.together, self._node(way.above), self._node(way.below), direction, self._of_bits(way.held), blocks, way.here)

    def _of(self, together: int) -> tuple[list[_Way], list[_Way]]:
        known = self._known.get(together)
        if known is None:
            self.progress(min(len(self._known) / 400, 0.95), "taking it apart")
            known = self._known[together] = self._found(together)
        return known

    def _found(self, together: int) -> tuple[list[_Way], list[_Way]]:
        alone = together & (together - 1) == 0
        raw = [_Way(together, 0.0, 0.0, 0.0, False)] if alone else self._joined(together)
        if not self.paints:
            return _best(raw), []
        paint = self.costs.paint(together)
        if paint is None and alone:
            # What is not reached even alone is no fault of the order.
            paint = (0.0, 0.0)
        done, bare = [w for w in raw if w.painted], _best([w for w in raw if not w.painted])
        if paint is not None:
            minutes, gate = paint
            done += [
                replace(w, hands_min=w.hands_min + minutes, path_h=w.path_h + minutes / 60 + gate, painted=True, here=True) for w in bare
            ]
        return bare, _best(done)

    def _joined(self, together: int) -> list[_Way]:
        first = held_with(together & -together, together, self._near)
        if first != together:
            # Nothing holds these together: each is put together for itself.
            return self._both(together, together ^ first, first, 0, -1, 0.0, 0.0, 0.0)
        free, given = list[_Way](), list[tuple[int, int, int]]()
        tried = list[tuple[float, int, int]]()
        for one, other in self._partings(together):
            if self.before and self._breaks_order(together, one, other):
                continue
            ways = 0
            for d, hit in enumerate(self._runs_into(one)):
                if not hit & other:
                    ways |= 1 << d
            if ways:
                tried.append((self._promises(one, other), one, ways))
            elif not tried:
                d, blocks = self._least_blocked(one, other)
                given.append((blocks, one, d))
        if together.bit_count() > _SMALL:
            tried = sorted(tried)[:_TRIED]
        for _, one, ways in tried:
            free += self._made(together, one, together ^ one, ways)
        if free:
            return free
        found = []
        for blocks, one, d in sorted(given)[:_GIVEN]:
            found += self._made(together, one, together ^ one, 1 << d, _LOCKED_MIN * blocks)
        return found

    def _promises(self, one: int, other: int) -> float:
        """What a parting of a large set is ranked by, least first: few seams to close at once, both sides as large."""
        return self._between(one, other).bit_count() + 0.5 * abs(one.bit_count() - other.bit_count())

    def _runs_into(self, moving: int) -> tuple[int, ...]:
        """All that a set runs into, along each direction."""
        found = self._ahead.get(moving)
        if found is None:
            low = moving & -moving
            first, rest = low.bit_length() - 1, self._runs_into(moving ^ low)
            found = self._ahead[moving] = tuple(hit | row[first] for hit, row in zip(rest, self.blocking.ahead, strict=True))
        return found

    def _hangs(self, bits: int) -> bool:
        known = self._whole.get(bits)
        if known is None:
            known = self._whole[bits] = hangs_together(bits, self._near)
        return known

    def _made(self, together: int, one: int, other: int, ways: int, against: float = 0.0) -> list[_Way]:
        held = self._between(one, other)
        contacts = self._of_bits(held)
        d = self._straightest(held, ways)
        if (held, d) not in self._joining:
            self._joining[held, d] = self.costs.join(contacts, self.blocking.directions[d])
        minutes, gate = self._joining[held, d]
        minutes += self.costs.early(together, contacts)
        against += _CANNOT_MIN * self.costs.cannot(together, one, other)
        return self._both(together, one, other, held, d, minutes, gate, against)

    def _between(self, one: int, other: int) -> int:
        """The contacts that hold two sets together, as bits."""
        held = 0
        for a, b, bit in self._held:
            if (a & one and b & other) or (b & one and a & other):
                held |= bit
        return held

    def _of_bits(self, held: int) -> tuple[Contact, ...]:
        if held not in self._contacts:
            self._contacts[held] = tuple(c for k, c in enumerate(self.assembly.contacts) if held >> k & 1)
        return self._contacts[held]

    def _both(self, together: int, one: int, other: int, held: int, d: int, minutes: float, gate: float, against: float) -> list[_Way]:
        chain = minutes / 60 + gate
        found = []
        for mine, theirs in self._pairs(one, other):
            path = (mine.path_h if mine.path_h > theirs.path_h else theirs.path_h) + chain
            hands = mine.hands_min + theirs.hands_min + minutes
            worse = mine.against + theirs.against + against
            found.append(_Way(together, worse, hands, path, mine.painted, False, mine, theirs, held, d))
        return found

    def _pairs(self, one: int, other: int) -> list[tuple[_Way, _Way]]:
        """Ways of two sets that are tried together: all of small ones; of larger ones the best with the best, and each with the next."""
        found = []
        all_of_them = one.bit_count() + other.bit_count() <= _SMALL
        for mine, theirs in zip(self._of(one), self._of(other), strict=True):
            if all_of_them or len(mine) * len(theirs) <= _PAIRS:
                found += [(a, b) for a in mine for b in theirs]
            else:
                found += [(mine[0], b) for b in theirs[:2]] + [(a, theirs[0]) for a in mine[1:2]]
        return found

    def _straightest(self, held: int, ways: int) -> int:
        """Of several ways (bits) the one most square to the faces that meet: glue is pressed and not wiped off."""
        if (held, ways) not in self._square:
            numbers = [d for d in range(len(self.blocking.ahead)) if ways >> d & 1]
            normals = np.array([c.along for c in self._of_bits(held)])
            square = np.abs(self.blocking.directions[numbers] @ normals.T)
            # Of those as square the first: directions come in the order of the seams.
            self._square[held, ways] = numbers[int(np.argmax(np.round(square.min(axis=1) + 0.01 * square.mean(axis=1), 3)))]
        return self._square[held, ways]

    def _least_blocked(self, one: int, other: int) -> tuple[int, int]:
        """Of a parting that goes no way: along which least is in the way, and how many are."""
        counts = [len(self.blocking.blocks(one, other, d)) for d in range(len(self.blocking.directions))]
        least = min(counts)
        return self._straightest(self._between(one, other), sum(1 << d for d, n in enumerate(counts) if n == least)), least

    def _breaks_order(self, together: int, one: int, other: int) -> bool:
        """Whether this parting closes a contact after, or with, one that is to come after it."""
        for first, then in self.before:
            a, b = self._ends.get(first), self._ends.get(then)
            if a is None or b is None or a & together != a or b & together != b:
                continue
            closes_first, closes_then = (bool(e & one) and bool(e & other) for e in (a, b))
            if closes_first and (closes_then or b & one == b or b & other == b):
                return True
        return False

    def _partings(self, together: int) -> Iterator[tuple[int, int]]:
        """Partings of a set into two that each hang together; the body with the lowest number is in the second."""
        count = together.bit_count()
        if count <= _ALL_LOOKED_AT:
            rest = together & (together - 1)
            one = rest
            while one:
                if self._hangs(one) and self._hangs(together ^ one):
                    yield one, together ^ one
                one = (one - 1) & rest
            return
        seen = set[int]()
        low = together & -together
        for ahead in self.blocking.ahead:
            for body in members(together):
                one = _along_with(1 << body, together, ahead)
                for moving in self._coming_off(one, together):
                    half = together ^ moving if moving & low else moving
                    if half and half != together and half not in seen:
                        seen.add(half)
                        yield half, together ^ half

    def _coming_off(self, one: int, together: int) -> Iterator[int]:
        """A set that comes off, and what of the rest hangs together without it."""
        if one == together or not self._hangs(one):
            return
        rest = together ^ one
        if self._hangs(rest):
            yield one
            return
        for k in members(rest):
            part = held_with(1 << k, rest, self._near)
            if self._hangs(together ^ part):
                yield part


def _along_with(one: int, together: int, ahead: Sequence[int]) -> int:
    """The least set with ``one`` in it that runs into nothing else of ``together``."""
    while True:
        hit = 0
        for k in members(one):
            hit |= ahead[k]
        more = one | (hit & together)
        if more == one:
            return one
        one = more


def _best(ways: Sequence[_Way]) -> list[_Way]:
    """Those that no other beats in everything, the best few of them."""
    kept: list[_Way] = []
    for way in sorted(ways, key=lambda w: (w.score, w.hands_min)):
        if all(k.against > way.against or k.hands_min > way.hands_min + 1e-9 or k.path_h > way.path_h + 1e-9 for k in kept):
            kept.append(way)
        if len(kept) == _KEPT:
            break
    return kept
