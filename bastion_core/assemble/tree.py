"""Which two subassemblies become one, over and over, until the piece is whole: found by taking it apart in every way that its shape allows.

Of every set of bodies the best few ways are kept, by hands and by how long their longest chain takes. Up to a dozen bodies all partings in two
are looked at; beyond that those in which a body comes off with whatever has to come along.
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np

from bastion_core.assemble.blocking import Block, Blocking
from bastion_core.assemble.bodies import Assembly, Contact, hangs_together, members
from bastion_core.geometry.mesh import Floats
from bastion_core.progress import Progress, silent

MOST_EXACT = 12
_KEPT = 6
_LOCKED_MIN, _CANNOT_MIN = 1e5, 1e4
"""What a way that cannot be weighs: it is taken only where there is no other."""
_GIVEN = 4
"""Partings that are looked at where none is free."""


class Costs(Protocol):
    """What joining and painting take, asked of sets of bodies."""

    def join(self, above: int, below: int, contacts: Sequence[Contact], way: Floats) -> tuple[float, float]:
        """Minutes of hands, and hours until the next work on it."""

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


@dataclass(frozen=True, eq=False)
class _Way:
    """A way to put a set together: what counts against it, minutes of hands, hours of its longest chain."""

    against: float
    hands_min: float
    path_h: float
    node: Node
    painted: bool

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
    stop: Callable[[], None] = lambda: None
    _near: tuple[int, ...] = field(init=False)
    _known: dict[int, list[_Way]] = field(init=False, default_factory=dict)

    def __post_init__(self) -> None:
        self._near = self.assembly.neighbours()
        self._ends = {c.id: self.assembly.set_of(c.between) for c in self.assembly.contacts}

    def ways(self) -> list[Node]:
        """The best ways, the best one first; a piece of one body is its own."""
        found = [w for w in self._of(self.assembly.all) if w.painted or not self.paints]
        return [w.node for w in sorted(found, key=lambda w: w.score)]

    def _of(self, together: int) -> list[_Way]:
        if together not in self._known:
            self.progress(min(len(self._known) / 400, 0.95), "taking it apart")
            self._known[together] = self._found(together)
        return self._known[together]

    def _found(self, together: int) -> list[_Way]:
        if together & (together - 1) == 0:
            raw = [_Way(0.0, 0.0, 0.0, Node(together), False)]
        else:
            raw = self._joined(together)
        if not self.paints:
            return _best(raw)
        paint = self.costs.paint(together)
        if paint is None and together & (together - 1) == 0:
            # What is not reached even alone is no fault of the order.
            paint = (0.0, 0.0)
        done = [w for w in raw if w.painted]
        if paint is not None:
            minutes, gate = paint
            here = [w for w in raw if not w.painted]
            done += [_Way(w.against, w.hands_min + minutes, w.path_h + minutes / 60 + gate, _painted(w.node), True) for w in here]
        return _best([w for w in raw if not w.painted]) + _best(done)

    def _joined(self, together: int) -> list[_Way]:
        first = _component(together & -together, together, self._near)
        if first != together:
            # Nothing holds these together: each is put together for itself.
            return self._side_by_side(together, together ^ first, first)
        free, given = list[_Way](), list[tuple[int, int, int]]()
        for one, other in self._partings(together):
            if self._breaks_order(together, one, other):
                continue
            ways = self.blocking.free_ways(one, other)
            if ways:
                free += self._made(together, one, other, ways)
            elif not free:
                d, blocks = self._least_blocked(one, other)
                given.append((blocks, one, d))
        if free:
            return free
        found = []
        for _, one, d in sorted(given)[:_GIVEN]:
            found += self._made(together, one, together ^ one, [d])
        return found

    def _side_by_side(self, together: int, one: int, other: int) -> list[_Way]:
        return [
            _Way(a.against + b.against, a.hands_min + b.hands_min, max(a.path_h, b.path_h), Node(together, a.node, b.node), a.painted)
            for a in self._of(one)
            for b in self._of(other)
            if a.painted == b.painted
        ]

    def _made(self, together: int, one: int, other: int, ways: Sequence[int]) -> list[_Way]:
        contacts = self.assembly.between(one, other)
        d = self._straightest(contacts, ways)
        way = self.blocking.directions[d]
        minutes, gate = self.costs.join(one, other, contacts, way)
        blocks = tuple(self.blocking.blocks(one, other, d))
        against = _CANNOT_MIN * self.costs.cannot(together, one, other) + _LOCKED_MIN * len(blocks)
        node = (float(way[0]), float(way[1]), float(way[2]))
        found = []
        for a in self._of(one):
            for b in self._of(other):
                if a.painted == b.painted:
                    both = Node(together, a.node, b.node, node, contacts, blocks)
                    path = max(a.path_h, b.path_h) + minutes / 60 + gate
                    found.append(_Way(a.against + b.against + against, a.hands_min + b.hands_min + minutes, path, both, a.painted))
        return found

    def _straightest(self, contacts: Sequence[Contact], ways: Sequence[int]) -> int:
        """Of several ways the one most square to the faces that meet: glue is pressed and not wiped off."""
        normals = np.array([c.along for c in contacts])
        square = np.abs(self.blocking.directions[list(ways)] @ normals.T)
        # Of those as square the first: directions come in the order of the seams.
        return ways[int(np.argmax(np.round(square.min(axis=1) + 0.01 * square.mean(axis=1), 3)))]

    def _least_blocked(self, one: int, other: int) -> tuple[int, int]:
        """Of a parting that goes no way: along which least is in the way, and how many are."""
        contacts = self.assembly.between(one, other)
        counts = [(len(self.blocking.blocks(one, other, d)), d) for d in range(len(self.blocking.directions))]
        least = min(n for n, _ in counts)
        return self._straightest(contacts, [d for n, d in counts if n == least]), least

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
        if count <= MOST_EXACT:
            rest = together & (together - 1)
            one = rest
            while one:
                if hangs_together(one, self._near) and hangs_together(together ^ one, self._near):
                    yield one, together ^ one
                one = (one - 1) & rest
            return
        seen = set[int]()
        low = together & -together
        for ahead in self.blocking.ahead:
            for body in members(together):
                one = _along_with(1 << body, together, ahead)
                for moving in self._whole(one, together):
                    half = together ^ moving if moving & low else moving
                    if half and half != together and half not in seen:
                        seen.add(half)
                        yield half, together ^ half

    def _whole(self, one: int, together: int) -> Iterator[int]:
        """A set that comes off, and what of the rest hangs together without it."""
        if one == together or not hangs_together(one, self._near):
            return
        rest = together ^ one
        if hangs_together(rest, self._near):
            yield one
            return
        for k in members(rest):
            part = _component(1 << k, rest, self._near)
            if hangs_together(together ^ part, self._near):
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


def _component(seed: int, of: int, near: Sequence[int]) -> int:
    grown = seed
    while True:
        more = grown
        for k in members(grown):
            more |= near[k] & of
        if more == grown:
            return grown
        grown = more


def _painted(node: Node) -> Node:
    return Node(node.bodies, node.above, node.below, node.way, node.contacts, node.locked, True)


def _best(ways: Sequence[_Way]) -> list[_Way]:
    """Those that no other beats in everything, the best few of them."""
    kept: list[_Way] = []
    for way in sorted(ways, key=lambda w: (w.score, w.hands_min)):
        if all(k.against > way.against or k.hands_min > way.hands_min + 1e-9 or k.path_h > way.path_h + 1e-9 for k in kept):
            kept.append(way)
        if len(kept) == _KEPT:
            break
    return kept
