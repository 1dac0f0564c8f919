"""The order of a piece, found: trees of subassemblies, their works, the clock; what the maker fixed, and what that costs."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from math import ceil

import numpy as np
from manifold3d import Manifold

from bastion_core.assemble.blocking import Blocking, blocking, directions_for
from bastion_core.assemble.bodies import Assembly, members
from bastion_core.assemble.facts import Facts, Thing
from bastion_core.assemble.inside import Insides
from bastion_core.assemble.order import Bench, Timed, meanwhile
from bastion_core.assemble.pictures import GAP, Shown, StepDrawing, best_view, picture, step_picture
from bastion_core.assemble.reach import Air, Spray, spray
from bastion_core.assemble.recipe import Before
from bastion_core.assemble.records import AssembleData, AssembleResult, AssemblyDrawings, AssemblyStep, InsideTold, Locked, ThingTold
from bastion_core.assemble.rework import reprints, rims
from bastion_core.assemble.table import HELD_BY_HAND_MIN
from bastion_core.assemble.told import caution_of, checks_of, how_of, title_of
from bastion_core.assemble.tree import Node, Search
from bastion_core.assemble.works import Costing, Done, Plan, join_key
from bastion_core.errors import RecipeProblem
from bastion_core.findings import NOTHING, Said, say
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.solid import Solid
from bastion_core.progress import Progress, silent, span
from bastion_core.shop import HANDS_WEIGH

_TREES = 4
"""So many of the best trees are put on the clock."""


@dataclass(eq=False)
class Shape:
    """What is slow to know of bodies and stays the same whatever is decided about their order."""

    assembly: Assembly
    blocking: Blocking
    sprayed: Spray

    @cached_property
    def air(self) -> Air:
        """Made when something is asked of it: a solid block has no inside to reach into."""
        return Air(self.assembly)

    @classmethod
    def of(cls, facts: Facts, progress: Progress = silent) -> "Shape":
        """Of a piece's bodies."""
        assembly = facts.assembly
        ways = blocking(assembly, directions_for(assembly), span(progress, 0.0, 0.8))
        progress(0.9, "what is reached inside")
        return cls(assembly, ways, spray(assembly))


@dataclass(frozen=True, eq=False)
class _Found:
    """An order that was found."""

    tree: Node
    plan: Plan
    timed: Timed
    locked: int

    @property
    def cost(self) -> tuple[int, float]:
        return self.locked, self.timed.cost_h


def assembled(
    facts: Facts,
    shape: Shape,
    rims_at: dict[str, Floats],
    fixed: Sequence[Before] = (),
    bench_h: float = 3.0,
    progress: Progress = silent,
    rim_mm: float | None = None,
) -> tuple[AssembleResult, AssembleData, AssemblyDrawings]:
    """The order of a piece. ``rims_at`` are places (n, 3) on the inside along each contact's rim.

    ``rim_mm`` is how much wider the tightest rim is to be in what mending costs; None for what it lacks. What the maker fixed holds where it can; where it cannot, the result says why, and is the best without it.
    """
    bench = Bench(bench_h)
    insides = Insides.of(facts, lambda: shape.air, shape.sprayed, rims_at)
    free = _found(facts, shape, insides, (), bench, span(progress, 0.0, 0.4))
    known = _known(free)
    wanted = [b for b in fixed if known(b.first) and known(b.then)]
    unknown = tuple(dict.fromkeys(key for b in fixed for key in (b.first, b.then) if not known(key)))
    chosen, impossible = free, NOTHING
    if wanted:
        try:
            chosen = _found(facts, shape, insides, wanted, bench, span(progress, 0.4, 0.6))
        except RecipeProblem as problem:
            impossible = problem.said
        else:
            if chosen.locked > free.locked:
                impossible = _why(chosen, free)
                chosen = free
    progress(0.65, "drawing")
    steps = _steps(chosen, facts, insides, bench)
    drawn = _pictures(chosen, facts, insides, span(progress, 0.65, 1.0))
    result = _result(chosen, free, facts, insides, bench, impossible, unknown, steps)
    mends = (*rims(facts, bench, rim_mm), *reprints(facts, chosen.plan.done, chosen.timed, bench))
    return result, AssembleData(steps, mends, bench.from_h, bench.hours), drawn


def _found(facts: Facts, shape: Shape, insides: Insides, wanted: Sequence[Before], bench: Bench, progress: Progress) -> _Found:
    """The best order; RecipeProblem where what is wanted goes round in a loop or no tree has it so."""
    pairs = tuple(p for b in wanted if (p := _contacts(facts, b)) is not None)
    search = Search(facts.assembly, shape.blocking, Costing(facts, insides), pairs, bool(facts.inside), progress)
    trees = search.ways()
    if not trees:
        words = " and ".join(f"“{b.first}” before “{b.then}”" for b in wanted)
        raise RecipeProblem(f"This order cannot be: with {words} the parts never come together. Free one of these steps.", "fixed")
    found = []
    for tree in trees[:_TREES]:
        plan = Plan(facts, insides, tree)
        names = _resolver(plan)
        for before in wanted:
            first, then = names(before.first), names(before.then)
            if first == then:
                raise RecipeProblem("This order cannot be: both steps are one, these seams close together. Free it.", "fixed")
            plan.fix(first, then)
        timed = plan.puzzle(bench).best(lambda: progress(0.9, "finding the order"))
        found.append(_Found(tree, plan, timed, sum(len(n.locked) for n in tree.nodes())))
    return min(found, key=lambda f: f.cost)


def _contacts(facts: Facts, before: Before) -> tuple[str, str] | None:
    """The contacts that two closings are about; None where one of them is no closing."""
    ids = []
    for key in (before.first, before.then):
        seam = facts.of(key.removeprefix("join ").split(", ")[0]) if key.startswith("join ") else None
        if seam is None:
            return None
        ids.append(seam.id)
    return ids[0], ids[1]


def _resolver(plan: Plan) -> Callable[[str], str]:
    """What a step is called in this order: seams may close together with others than when it was fixed."""
    keys = {d.key for d in plan.done}

    def resolved(key: str) -> str:
        if key in keys:
            return key
        kind, _, names = key.partition(" ")
        first = names.split(", ")[0]
        return next((d.key for d in plan.done if d.key.startswith(kind) and any(s.letters == first for s in d.seams)), key)

    return resolved


def _known(free: _Found) -> Callable[[str], bool]:
    """Whether a step is there in an order."""
    keys, names = {d.key for d in free.plan.done}, _resolver(free.plan)
    return lambda key: names(key) in keys


def _why(chosen: _Found, free: _Found) -> Said:
    """What stands in the way in an order the maker wants."""
    blocks = [b for n in chosen.tree.nodes() for b in n.locked]
    there = {(b.moves, b.by) for n in free.tree.nodes() for b in n.locked}
    block = next((b for b in blocks if (b.moves, b.by) not in there), blocks[0])
    words = "This order cannot be: {} then goes in no straight way, {} is in front of it. Free one of the fixed steps."
    return say(words, block.moves, block.by)


def _steps(chosen: _Found, facts: Facts, insides: Insides, bench: Bench) -> tuple[AssemblyStep, ...]:
    """Every work in its order."""
    by_key = {d.key: d for d in chosen.plan.done}
    timed = chosen.timed
    beside = meanwhile(timed, {d.key: d.gate_h for d in chosen.plan.done})
    told, lost = list[AssemblyStep](), 0.0
    for k, key in enumerate(timed.order):
        done, start = by_key[key], timed.start_h[k]
        mixed = done.sets_min if done.sets_min > HELD_BY_HAND_MIN and done.portions == 1 else 0.0
        still = insides.reached_share(done.bodies) if done.closes else None
        told.append(
            AssemblyStep(
                key=key, kind=done.kind, title=title_of(done, facts), how=how_of(done, facts), parts=facts.assembly.names(done.new),
                onto=facts.assembly.names(done.bodies & ~done.new), way=done.node.way if done.closes and done.node else (0.0, 0.0, 0.0),
                seams=tuple(s.letters for s in done.seams), glue=" and ".join(dict.fromkeys(g.name for g in done.glues)),
                amount_ml=round(done.ml, 1), tapes=done.tapes,
                weld_cm=round(sum(g.weld_cm for g in done.glues), 1) if done.weld else 0.0, hands_min=round(done.hands_min, 1),
                start_h=round(start, 3), end_h=round(timed.end_h[k], 3), day=int(start // 24) + 1, clock=_clock(bench.from_h + start % 24),
                handle_h=done.gate_h, full_h=done.full_h, sets_min=done.sets_min,
                by_clock=_clock(bench.from_h + (start + mixed / 60) % 24) if mixed else "", meanwhile=beside[key] if done.gate_h else (),
                check=checks_of(done, facts), fails=round(done.fails, 3), lost_h=round(lost, 2) if done.fails else 0.0,
                caution=caution_of(done, facts), spray_after=None if still is None else round(still[0], 3),
                hand_after=None if still is None else round(still[1], 3), machine_lost_h=_machine_lost(done, facts, by_key, timed.order[:k]),
            ),
        )  # fmt: skip
        lost += done.work().lost_h
    return tuple(told)


def _machine_lost(done: Done, facts: Facts, by_key: dict[str, Done], before: Sequence[str]) -> float:
    """Hours of printing that are glued in when a trial comes."""
    if not done.fails:
        return 0.0
    glued = 0
    for key in before:
        if by_key[key].kind in ("glue", "rod"):
            glued |= by_key[key].bodies
    return round(sum(facts.print_h.get(n, 0.0) for n in facts.assembly.names(glued)), 1)


def _clock(hour: float) -> str:
    minutes = round(hour * 60)
    return f"{minutes // 60 % 24:02d}:{minutes % 60:02d}"


def _pictures(chosen: _Found, facts: Facts, insides: Insides, progress: Progress) -> AssemblyDrawings:
    """Every step in its order."""
    by_key, drawn = {d.key: d for d in chosen.plan.done}, list[StepDrawing]()
    for k, key in enumerate(chosen.timed.order):
        progress(k / len(chosen.timed.order), "drawing")
        drawn.append(_drawn(by_key[key], facts, insides))
    return AssemblyDrawings(tuple(drawn))


def _drawn(done: Done, facts: Facts, insides: Insides) -> StepDrawing:
    """A step's picture: what is new in ink on what stands."""
    if done.kind == "sand":
        return _apart(done, facts)
    bodies = facts.assembly.bodies
    new = [bodies[k].mesh for k in members(done.new)]
    stands = [bodies[k].mesh for k in members(done.bodies & ~done.new)]
    if done.closes and done.node is not None:
        return step_picture(new, stands, np.array(done.node.way))
    at, spots = None, list[Floats]()
    thing = done.thing
    if thing is not None and done.wire is not None:
        at = done.wire.path if len(done.wire.path) else np.array([thing.at_mm])
        spots = list(at[:: max(len(at) // 12, 1)])
    elif thing is not None:
        at = np.array([thing.at_mm])
        # Flat on what it is fixed to, as far as that is known: as it lies in its size.
        stands, new = [*stands, *new], [_block(thing)]
    elif done.kind in ("paint", "line", "pads"):
        at = insides.sprayed.at[np.isin(insides.sprayed.body, members(done.bodies))]
    view = best_view(np.zeros(3), [] if thing is not None and done.wire is None else new, stands, at)
    everything = [Shown(m, "stands", np.zeros(3)) for m in stands] + [Shown(m, "new", np.zeros(3)) for m in new]
    return picture(everything, view, None, spots)


def _block(thing: Thing) -> Mesh:
    """A thing as it is drawn."""
    size = [float(v) for v in thing.size_mm]
    return Solid(Manifold.cube(size, True).translate([float(v) for v in thing.at_mm])).mesh()


def _apart(done: Done, facts: Facts) -> StepDrawing:
    """Two subassemblies held apart, so that the faces between them are seen."""
    assert done.node is not None and done.node.above is not None and done.node.below is not None
    bodies, way = facts.assembly.bodies, np.array(done.node.way)
    above, below = ([bodies[k].mesh for k in members(n.bodies)] for n in (done.node.above, done.node.below))
    off = way * GAP * max(float(m.size.max()) for m in (*above, *below))
    view = best_view(way, above, below)
    return picture([Shown(m, "new", np.zeros(3)) for m in below] + [Shown(m, "new", off) for m in above], view)


def _result(
    chosen: _Found, free: _Found, facts: Facts, insides: Insides, bench: Bench, impossible: Said, unknown: tuple[str, ...],
    steps: Sequence[AssemblyStep],
) -> AssembleResult:  # fmt: skip
    done = chosen.plan.done
    locked = [
        Locked(join_key([facts.seams[c.id] for c in n.contacts]), b.moves, b.by, b.travel_mm, b.at_mm)
        for n in chosen.tree.nodes()
        for b in n.locked
    ]
    hands = sum(d.hands_min for d in done) / 60
    elapsed = chosen.timed.elapsed_h
    unwelded = tuple(
        s.letters for d in done if d.kind == "glue" and not d.weld for s in d.seams if s.glue is not None and s.glue.weld_cm and not s.opens
    )
    risk = sum(s.fails * (s.lost_h + s.machine_lost_h / HANDS_WEIGH) for s in steps)
    return AssembleResult(
        len(done), round(hands, 2), round(elapsed, 2), _days(elapsed), round(chosen.plan.puzzle(bench).waits_h(), 2), round(risk, 2), tuple(locked),
        tuple(_thing(t, chosen, facts, insides) for t in facts.things), _insides(chosen, facts, insides), impossible, unknown,
        round(chosen.timed.cost_h - free.timed.cost_h, 2), _days(elapsed) - _days(free.timed.elapsed_h), unwelded,
        facts.worn.chance if facts.worn else None, len(facts.assembly.bodies),
    )  # fmt: skip


def _days(elapsed_h: float) -> int:
    return max(1, ceil(elapsed_h / 24 - 1e-9))


def _thing(thing: Thing, chosen: _Found, facts: Facts, insides: Insides) -> ThingTold:
    done = next(d for d in chosen.plan.done if d.thing is thing)
    if thing.kind == "wire":
        assert done.wire is not None
        return ThingTold(thing.name, thing.kind, done.key, True, True, "", "", done.wire.fished, len(done.wire.path) > 0, thing.at_mm)
    goes = insides.goes_in(thing, done.bodies)
    again, together = insides.opens_for(thing) if goes else (False, 0)
    seam = "" if again or not goes else _opening(thing, facts, insides, together)
    return ThingTold(
        thing.name, thing.kind, done.key, goes, again, facts.seams[seam].letters if seam else "", seam, False, True, thing.at_mm
    )


def _opening(thing: Thing, facts: Facts, insides: Insides, together: int) -> str:
    """The glued contact that would have to come off so that a thing is reached: that with the smallest face; empty where none alone does."""
    found = []
    for contact in facts.assembly.contacts:
        seam = facts.seams[contact.id]
        if seam.opens or contact.kind == "rod" or not facts.assembly.set_of(contact.between) & together:
            continue
        opened = replace(facts, seams={**facts.seams, contact.id: replace(seam, kind="magnet")})
        other = Insides(opened, insides.known, insides.sprayed, insides.area_dm2)
        if other.opens_for(thing)[0]:
            found.append((seam.area_cm2, contact.id))
    return min(found)[1] if found else ""


def _insides(chosen: _Found, facts: Facts, insides: Insides) -> tuple[InsideTold, ...]:
    if not facts.inside:
        return ()
    told = []
    for k, body in enumerate(facts.assembly.bodies):
        if insides.area_dm2[k] > 0:
            done = next(d for d in chosen.plan.done if d.kind in ("paint", "line") and d.bodies >> k & 1)
            whole, then = insides.share(k, facts.assembly.all), insides.share(k, done.bodies)
            told.append(InsideTold(body.name, round(insides.area_dm2[k], 2), round(whole, 3), round(then, 3), done.key))
    return tuple(told)
