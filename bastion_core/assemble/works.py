"""What has to be done to put a piece together by one tree of subassemblies: each work with its minutes, waits and what has to come before it."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from math import ceil

import numpy as np

from bastion_core.assemble.bodies import Contact, members
from bastion_core.assemble.facts import Facts, SeamFacts, Thing
from bastion_core.assemble.inside import Insides, WireWay
from bastion_core.assemble.order import Bench, Link, Puzzle, Work
from bastion_core.assemble.table import (
    FISHED,
    HELD_BY_HAND_MIN,
    INSIDES,
    MASK_MIN,
    SURE_COUPON,
    TAKES,
    TAPE_MIN,
    TOO_EARLY_MIN,
    TRIALS,
    TRY_ON_MIN,
    WELD_MIN_PER_CM,
    WIPED_MIN,
    WorkKind,
)
from bastion_core.assemble.tree import Node
from bastion_core.geometry.mesh import Floats
from bastion_core.join.glue import GlueRecord
from bastion_core.join.table import GLUES, SCREWED

_WIPES = 0.3
"""A way that leans from a face's normal by more than 72 degrees slides along it."""
_WIRE_STEP_MM = 100.0


@dataclass(frozen=True, eq=False)
class Done:
    """A work as it is told: what it is, on which bodies, with what."""

    key: str
    kind: WorkKind
    bodies: int
    """All that is in hand."""
    new: int
    """What of it comes on, or is worked on."""
    hands_min: float
    gate_h: float = 0.0
    full_h: float = 0.0
    node: Node | None = None
    seams: tuple[SeamFacts, ...] = ()
    thing: Thing | None = None
    fails: float = 0.0
    weld: bool = False
    """Whether the iron gets to the inside of its seams."""
    wire: WireWay | None = None
    masks: int = 0
    ml: float = 0.0
    area_mm2: float = 0.0
    """Of an inside that is covered."""

    @property
    def closes(self) -> bool:
        """Whether two subassemblies become one by it."""
        return self.kind in ("glue", "screw", "close", "slide", "rivet", "rod")

    @property
    def glues(self) -> tuple[GlueRecord, ...]:
        """What it is glued with."""
        if not self.closes:
            return ()
        return tuple(s.glue for s in self.seams if s.glue is not None and not s.opens)

    @property
    def sets_min(self) -> float:
        """Within which what was mixed has to be used up; 0 where nothing is glued."""
        return GLUES["epoxy"].sets_min if self.kind == "magnets" else min((g.sets_min for g in self.glues), default=0.0)

    @property
    def tapes(self) -> int:
        """Pieces of tape, or tacks, that hold it meanwhile; none where it sets under the hand."""
        return sum(g.tapes for g in self.glues if g.sets_min > HELD_BY_HAND_MIN)

    @property
    def portions(self) -> int:
        """How often a mixed glue is mixed, so that none sets before it is used; 1 for what sets as it is pressed."""
        return ceil(self.hands_min / self.sets_min) if self.sets_min > HELD_BY_HAND_MIN else 1

    def work(self) -> Work:
        """For the clock."""
        lost = 0.0 if self.kind in ("dry", "mock", "test", "close", "screw") else self.hands_min / 60
        return Work(self.key, self.hands_min / 60, self.gate_h, lost, self.fails)


def join_key(seams: Sequence[SeamFacts]) -> str:
    """What closing seams together is called."""
    return "join " + ", ".join(sorted(s.letters for s in seams))


@dataclass(eq=False)
class Costing:
    """What joining and painting take, for the search over trees."""

    facts: Facts
    insides: Insides

    def join(self, contacts: Sequence[Contact], way: Floats) -> tuple[float, float]:
        """Minutes of hands, and hours until the next work on it."""
        seams = [self.facts.seams[c.id] for c in contacts]
        return joining_min(contacts, seams, way) + sum(_sanding_min(s) for s in seams), gate_of(seams)

    def early(self, together: int, contacts: Sequence[Contact]) -> float:
        """What comes off is put on last: minutes counted against it where glue still follows."""
        if not any(self.facts.seams[c.id].opens for c in contacts):
            return 0.0
        later = self.facts.assembly.between(together, self.facts.assembly.all ^ together)
        return TOO_EARLY_MIN if any(not self.facts.seams[c.id].opens for c in later) else 0.0

    def paint(self, together: int) -> tuple[float, float] | None:
        """The insides of a set at once; None where they are not all reached."""
        if not self.facts.inside or not self.insides.covered(together):
            return None
        return inside_min(self.facts, self.insides, together), INSIDES[self.facts.inside].gate_h

    def cannot(self, together: int, one: int, other: int) -> int:
        """How many of the things that both sides hold can neither be put in now nor have been before."""
        return sum(self.insides.looks_fished(w, together, one, other) for w in self.insides.wires)


def joining_min(contacts: Sequence[Contact], seams: Sequence[SeamFacts], way: Floats) -> float:
    """Minutes of putting two subassemblies together: what holds each seam, glue, tape, held by hand; what wipes off is put on again."""
    total = 0.0
    for contact, seam in zip(contacts, seams, strict=True):
        total += TAKES[closing_kind(seam)].of_so_many(counted_at(seam))
        if seam.glue is not None and not seam.opens:
            total += seam.glue.sets_min if seam.glue.sets_min <= HELD_BY_HAND_MIN else TAPE_MIN * seam.glue.tapes
            if contact.kind != "rod" and abs(float(np.array(contact.along) @ way)) < _WIPES:
                total += WIPED_MIN
    return total


def closing_kind(seam: SeamFacts) -> WorkKind:
    """How a seam is closed."""
    if seam.kind == "rod":
        return "rod"
    if seam.kind == "moves":
        return "rivet"
    if seam.kind in SCREWED:
        return "screw"
    if seam.opens:
        return "close"
    return "slide" if seam.kind == "dovetail" and seam.glue is None else "glue"


def counted_at(seam: SeamFacts) -> float:
    """What the minutes of closing a seam are counted by."""
    kind = closing_kind(seam)
    if kind == "glue":
        return seam.area_cm2
    if kind == "rod":
        return 10.0 * seam.rim_cm
    return float(seam.fasteners)


def gate_of(seams: Sequence[SeamFacts]) -> float:
    """Hours until what was put together is handled."""
    return max((s.glue.handle_h for s in seams if s.glue is not None and not s.opens), default=0.0)


def full_of(seams: Sequence[SeamFacts]) -> float:
    """Hours until it is strong."""
    return max((s.glue.full_h for s in seams if s.glue is not None and not s.opens), default=0.0)


def inside_min(facts: Facts, insides: Insides, together: int) -> float:
    """Minutes of covering the insides of a set, what is masked counted in."""
    area = sum(insides.area_dm2[k] for k in members(together))
    takes = TAKES["line" if facts.inside == "line" else "paint"]
    return takes.of_so_many(area) + MASK_MIN * masks_of(facts, together)


def masks_of(facts: Facts, together: int) -> int:
    """What stays bare when the insides of a set are covered: faces that are glued yet, magnets, threads, holes and slots for rivets."""
    assembly = facts.assembly
    open_yet = assembly.between(together, assembly.all ^ together)
    seats = sum(
        s.fasteners
        for c in assembly.contacts
        if (s := facts.seams[c.id]).kind in ("magnet", "moves", *SCREWED) and assembly.set_of(c.between) & together
    )
    return len(open_yet) + seats


def _sanding_min(seam: SeamFacts) -> float:
    return TAKES["sand"].of_so_many(2 * seam.area_cm2) if seam.glue is not None and not seam.opens and seam.kind != "rod" else 0.0


_CLOSINGS: tuple[WorkKind, ...] = ("glue", "rod", "screw", "slide", "rivet", "close")
"""What a step is called by, where seams are closed in several ways: the first of these."""


@dataclass(eq=False)
class Plan:
    """The works of a tree, and what has to come before what."""

    facts: Facts
    insides: Insides
    tree: Node
    done: list[Done] = field(init=False, default_factory=list)
    links: list[Link] = field(init=False, default_factory=list)

    def __post_init__(self) -> None:
        self._last: dict[int, list[str]] = {}
        """By subassembly, the works after which it goes on."""
        trials = self._trials()
        for node in self.tree.nodes():
            self._of(node, trials)
        self._put_in(trials)
        self._ends()

    def fix(self, first: str, then: str) -> None:
        """One step of the maker's before another, by their keys."""
        self.links.append(Link(first, then))

    def puzzle(self, bench: Bench) -> Puzzle:
        """For the clock; RecipeProblem naming the loop where the maker's order goes round in one."""
        return Puzzle(tuple(d.work() for d in self.done), tuple(self.links), bench)

    def _add(self, done: Done, after: Sequence[str] = ()) -> str:
        self.done.append(done)
        self.links += [Link(a, done.key) for a in dict.fromkeys(after)]
        return done.key

    def _trials(self) -> list[str]:
        """Dry, and again with what goes inside mocked up: before any glue."""
        facts, all_of = self.facts, self.facts.assembly.all
        found = []
        count = len(facts.assembly.bodies)
        if count > 1 or facts.worn is not None:
            fails = TRIALS["dry"] * (SURE_COUPON if facts.coupon else 1.0) if count > 1 else 0.0
            extra = 0.0
            if facts.worn is not None:
                fails, extra = 1 - (1 - fails) * facts.worn.chance, TRY_ON_MIN
            found.append(self._add(Done("dry fit", "dry", all_of, all_of, TAKES["dry"].of_so_many(count) + extra, fails=fails)))
        if facts.things:
            takes = TAKES["mock"].of_so_many(len(facts.things))
            found.append(self._add(Done("mock up", "mock", all_of, all_of, takes, fails=TRIALS["mock"]), found))
        return found

    def _of(self, node: Node, trials: Sequence[str]) -> None:
        """The works of one subassembly; notes after which of them it goes on."""
        if node.above is None or node.below is None:
            last = self._alone(node, trials[:1])
        else:
            before = [*self._last[node.above.bodies], *self._last[node.below.bodies]]
            # Where nothing holds both together they are worn, or lie, beside each other.
            last = [self._closed(node, node.above, [*before, *trials], trials[:1])] if node.contacts else before
        if node.painted and self.facts.inside and self._inside_dm2(node) > 0:
            last = [self._covered(node, last or trials[:1])]
        self._last[node.bodies] = last

    def _closed(self, node: Node, above: Node, before: Sequence[str], dry: Sequence[str]) -> str:
        """Two subassemblies become one: faces sanded, then held by what their seams have."""
        facts, after = self.facts, list(before)
        seams = tuple(facts.seams[c.id] for c in node.contacts)
        flat = tuple(s for s in seams if _sanding_min(s))
        if flat:
            key, minutes = join_key(flat).replace("join", "faces"), sum(_sanding_min(s) for s in flat)
            after.append(self._add(Done(key, "sand", node.bodies, node.bodies, minutes, node=node, seams=flat), dry))
        after += [f"magnets {s.letters}" for s in seams if s.kind == "magnet"]
        glued = [s.glue for s in seams if s.glue is not None and not s.opens]
        minutes = joining_min(node.contacts, seams, np.array(node.way))
        weld = any(g.weld_cm for g in glued) and self.insides.welds(node.bodies, node.contacts)
        if weld:
            minutes += WELD_MIN_PER_CM * sum(s.rim_cm / 2 for s in seams if s.glue and s.glue.weld_cm)
        kinds = {closing_kind(s) for s in seams}
        kind: WorkKind = next(k for k in _CLOSINGS if k in kinds)
        closed = Done(
            join_key(seams), kind, node.bodies, above.bodies, minutes, gate_of(seams), full_of(seams), node, seams, weld=weld, ml=sum(g.ml for g in glued)
        )  # fmt: skip
        return self._add(closed, after)

    def _inside_dm2(self, node: Node) -> float:
        return sum(self.insides.area_dm2[k] for k in members(node.bodies))

    def _covered(self, node: Node, after: Sequence[str]) -> str:
        """The insides of a subassembly, all at once."""
        facts, table, area = self.facts, INSIDES[self.facts.inside], self._inside_dm2(node)
        letters = "+".join(b.letter for k, b in enumerate(facts.assembly.bodies) if node.bodies >> k & 1 and not b.rod)
        covered = Done(
            f"inside {letters}", "line" if facts.inside == "line" else "paint", node.bodies, node.bodies, inside_min(facts, self.insides, node.bodies),
            table.gate_h, table.full_h, node, masks=masks_of(facts, node.bodies), ml=area * table.ml_per_dm2, area_mm2=area * 10_000,
        )  # fmt: skip
        return self._add(covered, after)

    def _alone(self, node: Node, after: Sequence[str]) -> list[str]:
        """What is done to one part before it meets any other."""
        facts, assembly = self.facts, self.facts.assembly
        name, last = assembly.names(node.bodies)[0], list[str]()
        letter = assembly.bodies[assembly.index[name]].letter
        seams = [(c, facts.seams[c.id]) for c in assembly.contacts if name in c.between]
        # Inserts sit in the part below, where the screw ends.
        inserts = sum(s.inserts for c, s in seams if c.between[1] == name)
        if inserts:
            last.append(
                self._add(Done(f"inserts {letter}", "insert", node.bodies, node.bodies, TAKES["insert"].of_so_many(inserts)), after)
            )
        off = {c.between: [s for d, s in seams if d.between == c.between and s.kind == "magnet"] for c, _ in seams if c.between[1] == name}
        for between, theirs in off.items():
            if theirs:
                epoxy, both = GLUES["epoxy"], assembly.set_of(between)
                takes = TAKES["magnets"].of_so_many(sum(s.fasteners for s in theirs))
                # Both discs of a pair are set together, so that their poles match.
                key = f"magnets {theirs[0].letters}"
                self._add(Done(key, "magnets", both, both, takes, epoxy.handle_h, epoxy.full_h, seams=tuple(theirs)), after)
        for fill in facts.fills:
            if fill.part == name:
                takes = TAKES["fill"].of_so_many(1000 * fill.litres)
                last.append(self._add(Done(f"fill {letter}", "fill", node.bodies, node.bodies, takes, fill.sets_h), after))
        return last

    def _put_in(self, trials: Sequence[str]) -> None:
        """Boards, batteries, wires: as late as they are still reached, after the inside is painted."""
        for thing in self.facts.things:
            if thing.kind == "wire":
                self._wired(thing, trials)
                continue
            node = self.insides.place_of(thing, self.tree)
            key = self._add(
                Done(
                    f"put in {thing.name}",
                    "place",
                    node.bodies,
                    1 << self.insides.home_of(thing),
                    TAKES["place"].of_so_many(1),
                    thing=thing,
                ),
                [*self._last[node.bodies], *trials],
            )
            self._before_next(node, key)

    def _wired(self, thing: Thing, trials: Sequence[str]) -> None:
        way = self.insides.wire_way(thing, self.tree)
        length = way.length_mm / _WIRE_STEP_MM
        takes = (FISHED if way.fished else TAKES["wire"]).of_so_many(length)
        node = way.node
        key = self._add(
            Done(
                thing.called,
                "wire",
                node.bodies,
                way.home,
                takes,
                thing=thing,
                wire=way,
            ),
            [*self._last[node.bodies], *trials],
        )
        self._before_next(node, key)
        # What it leads to is plugged in once it lies, where that goes in later; else the wire is.
        for other in self.facts.things:
            if other.kind != "wire" and other.at_mm in (thing.at_mm, thing.to_mm):
                there = self.insides.place_of(other, self.tree).bodies
                shut = there != node.bodies and there & node.bodies == there
                ends = (f"put in {other.name}", key) if shut else (key, f"put in {other.name}")
                self.links.append(Link(*ends))

    def _before_next(self, node: Node, key: str) -> None:
        """What has to be in before the next closing that would shut it off."""
        after = next((n for n in self.tree.nodes() if node in (n.above, n.below)), None)
        if after is not None and after.contacts:
            self.links.append(Link(key, join_key([self.facts.seams[c.id] for c in after.contacts])))

    def _ends(self) -> None:
        """Visor last but one, padding last; then a trial when all glue is strong."""
        assembly, facts, ends = self.facts.assembly, self.facts, list[Done]()
        if facts.visor:
            ends.append(Done("visor", "visor", assembly.all, assembly.all, TAKES["visor"].of_so_many(1)))
        if facts.worn is not None and facts.worn.pads:
            ends.append(Done("padding", "pads", assembly.all, assembly.all, TAKES["pads"].of_so_many(facts.worn.pads)))
        for done in ends:
            self._add(done, [d.key for d in self.done])
        if facts.worn is not None or facts.things:
            self._add(Done("last trial", "test", assembly.all, assembly.all, TAKES["test"].of_so_many(1), fails=TRIALS["test"]))
            self.links += [Link(d.key, "last trial", max(d.gate_h, d.full_h)) for d in self.done[:-1]]
