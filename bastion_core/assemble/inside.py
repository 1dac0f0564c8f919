"""What is done inside, and until when: asked of a tree of subassemblies, answered by what is reached of each."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from bastion_core.assemble.bodies import Assembly, Contact, held_with, members
from bastion_core.assemble.facts import Facts, Thing
from bastion_core.assemble.reach import Air, Spray, blocked_by
from bastion_core.assemble.tools import SPRAYED_SHARE, TOOLS, Tool
from bastion_core.assemble.tree import Node
from bastion_core.geometry.arrays import directions
from bastion_core.geometry.mesh import Floats

_WIRE_MM = 3.0
_BY_HAND_MM, _PUSHED_MM = 18.0, 14.0
"""How near fingers come to what they fix; tweezers to a wire."""
_TOUCHED_MM = 10.0
_WELDED = 0.6
"""Of a seam's inner rim the iron has to get to so much."""
_LOOKS = 48
_ALONG = 40
"""Places looked at along a seam."""
_EASES_MM = 2.0
"""Round a thing on its way in."""


@dataclass(frozen=True, eq=False)
class WireWay:
    """How a wire lies: along which places, in what, and whether it has to be fished."""

    node: Node
    home: int
    """The parts that hold its ends."""
    path: Floats
    length_mm: float
    fished: bool
    early: bool = False
    """Laid into one side before both come together, its end threaded through."""


@dataclass(eq=False)
class Insides:
    """What is reached of one piece. Everything is asked by sets of bodies and remembered."""

    facts: Facts
    known: Callable[[], Air]
    sprayed: Spray
    area_dm2: tuple[float, ...]
    rims: Mapping[str, Floats] = field(default_factory=dict)
    """By contact, places (n, 3) along the inner rim of its face."""
    _seen: dict[str, tuple[int, np.ndarray, np.ndarray]] = field(init=False, default_factory=dict)
    _reached: dict[tuple[int, float], np.ndarray] = field(init=False, default_factory=dict)
    _paths: dict[str, np.ndarray] = field(init=False, default_factory=dict)
    _covered: dict[tuple[int, int], float] = field(init=False, default_factory=dict)

    @classmethod
    def of(cls, facts: Facts, air: Callable[[], Air], sprayed: Spray, rims: Mapping[str, Floats]) -> "Insides":
        """``air`` gives the cells round it, the same ones each time."""
        # What is filled is not painted.
        filled = {f.part for f in facts.fills}
        areas = tuple(0.0 if b.name in filled else a / 10_000 for b, a in zip(facts.assembly.bodies, sprayed.areas_mm2, strict=True))
        return cls(facts, air, sprayed, areas, rims)

    @property
    def air(self) -> Air:
        return self.known()

    @property
    def assembly(self) -> Assembly:
        return self.facts.assembly

    @property
    def wires(self) -> tuple[Thing, ...]:
        return tuple(t for t in self.facts.things if t.kind == "wire")

    def share(self, body: int, together: int) -> float:
        """How much of a body's inside is reached while a set is together: by spray or brush where it is seen, by a hand where it is lined."""
        return self._by_hand(body, together) if self.facts.inside == "line" else self.sprayed.share(body, together)

    def _by_hand(self, body: int, together: int) -> float:
        key = body, together
        if key not in self._covered:
            mine = self.sprayed.at[self.sprayed.body == body]
            self._covered[key] = float(self.air.touches(self._hand(together), mine, _TOUCHED_MM).mean()) if len(mine) else 1.0
        return self._covered[key]

    def reached_share(self, together: int) -> tuple[float, float] | None:
        """How much of the insides of a set spray and a hand still get to, by area; None for what has no inside."""
        mine = [k for k in members(together) if self.area_dm2[k] > 0]
        if not mine:
            return None
        weights = [self.area_dm2[k] for k in mine]
        sprayed, by_hand = ([share(k, together) for k in mine] for share in (self.sprayed.share, self._by_hand))
        return float(np.average(sprayed, weights=weights)), float(np.average(by_hand, weights=weights))

    def covered(self, together: int) -> bool:
        """Whether the insides of all of a set are seen well enough from outside: quick enough to be asked of every set."""
        return all(self.sprayed.share(k, together) >= SPRAYED_SHARE for k in members(together) if self.area_dm2[k] > 0)

    def _hand(self, together: int) -> np.ndarray:
        """How far each cell of air is from those that a hand gets to."""
        return self._near(together, TOOLS["hand"])

    def _near(self, together: int, tool: Tool) -> np.ndarray:
        key = together, tool.body_mm
        if key not in self._reached:
            self._reached[key] = self.air.nearness(together, self.air.reached(together, tool))
        return self._reached[key]

    def home_of(self, thing: Thing) -> int:
        """The number of the part it is fixed to: the nearest."""
        return self._nearest(np.array(thing.at_mm))

    def _nearest(self, at: Floats) -> int:
        cell = tuple(self.air.cells(at[None])[0])
        parts = [k for k, b in enumerate(self.assembly.bodies) if not b.rod]
        return min(parts, key=lambda k: (float(self.air.off[k][cell]), k))

    def goes_in(self, thing: Thing, together: int) -> bool:
        """Whether a thing gets from outside to its place while a set is together, and a hand to fix it."""
        at, size = np.array([thing.at_mm]), sorted(thing.size_mm)
        half = size[1] / 2 + _EASES_MM
        body = replace(TOOLS["hand"], body_mm=half, tip_mm=half, reach_mm=0.0)
        # Its own body may end against the wall it is fixed to.
        near = size[2] / 2 + size[0] / 2
        return bool(
            self.air.touches(self._near(together, body), at, near)[0]
            and self.air.touches(self._hand(together), at, _BY_HAND_MM + size[0] / 2)[0]
        )

    def place_of(self, thing: Thing, tree: Node) -> Node:
        """The largest subassembly of a tree in which a thing still goes in; that of its part alone where it goes in nowhere."""
        home = 1 << self.home_of(thing)
        return self._latest(tree, home, lambda node: self.goes_in(thing, node.bodies))

    def _latest(self, tree: Node, home: int, can: Callable[[Node], bool]) -> Node:
        """The largest subassembly with these bodies in which something can be done; the smallest where it can in none."""
        chain = [n for n in tree.nodes() if n.bodies & home == home]
        return next((n for n in reversed(chain) if can(n)), chain[0])

    def wire_ends(self, thing: Thing) -> int:
        """The set of parts that hold a wire's ends."""
        assert thing.to_mm is not None
        return 1 << self._nearest(np.array(thing.at_mm)) | 1 << self._nearest(np.array(thing.to_mm))

    def wire_path(self, thing: Thing) -> Floats | None:
        """(n, 3): where a wire runs once all is together; None where there is no way for it."""
        known = self._paths.get(thing.name)
        if known is None:
            found = self.air.way(self.assembly.all, np.array(thing.at_mm), np.array(thing.to_mm), _WIRE_MM)
            known = self._paths[thing.name] = np.zeros((0, 3)) if found is None else found
        return known if len(known) else None

    def _laid(self, path: Floats, together: int) -> bool:
        by_hand = self.air.touches(self._hand(together), path, _PUSHED_MM)
        return bool(by_hand.all() or (by_hand | self.air.straight(together, TOOLS["tweezers"], path)).all())

    def looks_fished(self, thing: Thing, together: int, one: int, other: int) -> bool:
        """Whether a wire whose ends come together here can probably neither be laid now nor have been laid into one side before: by what is seen of
        its way from outside, which is quick enough to be asked of every set."""
        if thing.name not in self._seen:
            self._seen[thing.name] = self._looks(thing)
        ends, nearest, masks = self._seen[thing.name]
        if not len(masks) or ends & together != ends or ends & one == ends or ends & other == ends:
            return False

        def seen(places: np.ndarray, side: int) -> bool:
            return bool(((masks[places] & side) == 0).any(axis=1).all())

        on_one = (nearest & one) > 0
        return not seen(np.ones(len(masks), np.bool_), together) and not (seen(on_one, one) and seen(~on_one, other))

    def _looks(self, thing: Thing) -> tuple[int, np.ndarray, np.ndarray]:
        """Of a wire: the parts that hold its ends; of each place of its way the nearest body, and what stands in the way of each look at it."""
        path = self.wire_path(thing)
        if path is None:
            return self.wire_ends(thing), np.zeros(0, np.int64), np.zeros((0, 1), np.int64)
        cells = tuple(self.air.cells(path).T)
        nearest = np.argmin([off[cells] for off in self.air.off], axis=0)
        masks = blocked_by(self.assembly, np.repeat(path, _LOOKS, axis=0), np.tile(directions(_LOOKS), (len(path), 1)))
        return self.wire_ends(thing), np.asarray(1 << nearest), masks.reshape(len(path), -1)

    def _sides(self, path: Floats, one: int, other: int) -> list[tuple[int, Floats]]:
        """What of a wire's way lies nearer to either of two sets."""
        cells = tuple(self.air.cells(path).T)
        nearer = self.air.distance(one)[cells] <= self.air.distance(other)[cells]
        return [(side, part) for side, part in ((one, path[nearer]), (other, path[~nearer])) if len(part)]

    def wire_way(self, thing: Thing, tree: Node) -> WireWay:
        """How a wire is laid in the order of a tree."""
        ends, path = self.wire_ends(thing), self.wire_path(thing)
        if path is None:
            direct = np.array([thing.at_mm, thing.to_mm])
            return WireWay(tree.closing(ends), ends, np.zeros((0, 3)), float(np.linalg.norm(direct[1] - direct[0])), True)
        length = float(np.linalg.norm(np.diff(path, axis=0), axis=1).sum())
        first = tree.closing(ends)
        node = self._latest(tree, ends, lambda n: self._laid(path, n.bodies))
        if self._laid(path, node.bodies):
            return WireWay(node, ends, path, length, False)
        if first.above is not None and first.below is not None:
            sides = self._sides(path, first.above.bodies, first.below.bodies)
            if all(self._laid(part, side) for side, part in sides):
                side = max(sides, key=lambda s: len(s[1]))[0]
                into = first.above if side == first.above.bodies else first.below
                return WireWay(into, ends, path, length, False, True)
        return WireWay(first, ends, path, length, True)

    def welds(self, together: int, contacts: Sequence[Contact]) -> bool:
        """Whether an iron gets to the inside of seams while a set is together."""
        found = []
        for contact in contacts:
            at = self.rims.get(contact.id)
            if at is not None and len(at):
                found.append(float(self.air.straight(together, TOOLS["iron"], at[:: max(len(at) // _ALONG, 1)]).mean()))
        return bool(found) and min(found) >= _WELDED

    def opens_for(self, thing: Thing) -> tuple[bool, int]:
        """Whether a thing is reached again once all is together and what comes off is off; and what is then still together round it."""
        glued = self.assembly.neighbours(lambda contact: not self.facts.seams[contact.id].opens)
        left = held_with(1 << self.home_of(thing), self.assembly.all, glued)
        return self.goes_in(thing, left), left
