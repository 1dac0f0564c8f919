"""From regions to what is done to them: steps with hands, waits and quantities, and the days they take at the least."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import accumulate
from math import ceil

from bastion_core.assemble.order import Bench
from bastion_core.errors import RecipeProblem
from bastion_core.finish.chain import Chain, Fails, Step, clashes
from bastion_core.finish.recipe import FinishRecipe
from bastion_core.finish.regions import Region
from bastion_core.finish.table import FIRST_TIME, SCHOOLS, HandKind, School, on_material, product

Paces = Mapping[HandKind, float]


@dataclass(frozen=True)
class Needed:
    """How much of something the whole takes."""

    name: str
    amount: float
    unit: str
    packs: int
    pack: str


@dataclass(frozen=True)
class FinishPlan:
    """All steps in the order in which they are done, and what they come to."""

    steps: tuple[Step, ...]
    hands_h: float
    by_kind: dict[HandKind, float]
    """Hours of hands by kind."""
    wait_h: float
    """Of the region that waits longest."""
    days_least: int
    elapsed_h: float
    products: tuple[Needed, ...]
    fails: tuple[Fails, ...] = ()
    left: tuple[str, ...] = ()
    """Regions that stay rougher than the target, whatever is primed."""
    spoilt: tuple[str, ...] = ()
    """Mixes that die before they are used for the last time."""

    def packs(self, unit: str) -> int:
        """How many packs of a kind."""
        return sum(n.packs for n in self.products if n.pack == unit)


@dataclass(frozen=True)
class Worker:
    """Whose hands, and when: how much slower by kind, hours at the bench a day."""

    paces: Paces = field(default_factory=dict)
    bench: Bench = Bench()


def schools_of(regions: Sequence[Region], recipe: FinishRecipe) -> dict[str, School]:
    """The school of each region by its id: the one decided, or what is done where that does not go."""
    return {r.id: _school(r, recipe) for r in regions}


def asked_for(region: Region, recipe: FinishRecipe) -> str:
    """The school decided for a region. The piece's own is for what shows and does not bend: the rest is left unless one is decided for it."""
    if region.kind in ("inside", "flexible") and not _of_its_own(region, recipe):
        return "leave"
    return region.school or recipe.school_for(region.id, region.kind)


def _of_its_own(region: Region, recipe: FinishRecipe) -> bool:
    """Whether a school was decided for the region or its kind."""
    return bool(region.school) or any(s.region in (region.id, region.kind) for s in recipe.schools)


def _school(region: Region, recipe: FinishRecipe) -> School:
    asked = _of_its_own(region, recipe)
    if region.kind == "flexible" or (region.kind == "inside" and not asked):
        return SCHOOLS["leave"]
    school, seen = SCHOOLS[asked_for(region, recipe)], set[str]()
    while not _goes(school, region, asked):
        if school.key in seen:
            return SCHOOLS["sand"]
        seen.add(school.key)
        school = SCHOOLS[school.elsewhere]
    return school


def _goes(school: School, region: Region, asked: bool) -> bool:
    """Whether a way goes on a region. What its filler does to the material is told, and not gone round, where somebody asked for it there."""
    works = not school.materials or (region.material in school.materials and not region.resin)
    holds = asked or region.resin or not school.filler or not on_material(product(school.filler), region.material)
    return region.kind in school.where and works and holds


def planned(regions: Sequence[Region], recipe: FinishRecipe, worker: Worker = Worker()) -> FinishPlan:
    """The plan of a piece. RecipeProblem where a product cannot be."""
    if not any(r.area_mm2 > 0 for r in regions):
        raise RecipeProblem("There is no surface to smooth: no region has any area.")
    schools = schools_of(regions, recipe)
    chains, fails, left = list[list[Step]](), list[Fails](), list[str]()
    for region in regions:
        chain = Chain(region, schools[region.id], recipe).made()
        chains.append(chain.steps)
        fails += clashes(region, chain.steps, recipe)
        if chain.rough:
            left.append(region.name)
    chains = _together([[_paced(s, recipe, worker) for s in chain] for chain in chains])
    steps, elapsed = _clocked(chains, worker.bench)
    by_kind: dict[HandKind, float] = {}
    for s in steps:
        by_kind[s.kind] = by_kind.get(s.kind, 0.0) + s.hands_min / 60
    return FinishPlan(
        tuple(steps), sum(by_kind.values()), by_kind, max((sum(s.wait_h for s in c) for c in chains), default=0.0), int(elapsed // 24) + 1 if steps else 0,
        elapsed, _needed(steps, recipe), _once(fails), tuple(left), _spoilt(steps, recipe),
    )  # fmt: skip


def _once(fails: Sequence[Fails]) -> tuple[Fails, ...]:
    """Each combination once, with all its regions."""
    where: dict[tuple[str, str, str, str], list[str]] = {}
    for f in fails:
        names = where.setdefault((f.upper, f.lower, f.happens, f.upper_key), [])
        if f.region not in names:
            names.append(f.region)
    return tuple(Fails(upper, lower, ", ".join(names), happens, key) for (upper, lower, happens, key), names in where.items())


def _paced(step: Step, recipe: FinishRecipe, worker: Worker) -> Step:
    factor = worker.paces.get(step.kind, FIRST_TIME if recipe.pace == "first" else 1.0)
    return replace(step, hands_min=step.hands_min * factor, usual_min=step.hands_min, begun_min=step.begun_min * factor)


def _together(chains: Sequence[Sequence[Step]]) -> list[list[Step]]:
    """The same with what is begun once for several regions begun once: a can shaken, a mix stirred."""
    begun, told = set[tuple[int, str]](), list[list[Step]]()
    for chain in chains:
        told.append([])
        for step in chain:
            key = (step.wave, step.product_key)
            again = bool(step.product_key) and key in begun
            begun.add(key)
            told[-1].append(replace(step, hands_min=step.hands_min - step.begun_min) if again else step)
    return told


def _clocked(chains: Sequence[Sequence[Step]], bench: Bench) -> tuple[list[Step], float]:
    """Every step with when it begins and ends, in that order, by one pair of hands; and when the last ends (h).

    What can begin first does, of several what is in hand already (the same grit, the same mix), then the one with most to come. Sprayed coats wait for all regions that take the same one.
    """
    at = [0] * len(chains)
    ready = [0.0] * len(chains)
    hands, told, in_hand = 0.0, list[Step](), ("", "")
    # Of each chain: hours from each step to its end, and the last step at which each coat goes on.
    ahead = [[*accumulate((s.wait_h + s.hands_min / 60 for s in reversed(chain)), initial=0.0)][::-1] for chain in chains]
    last = [{(s.wave, s.product_key): k for k, s in enumerate(chain)} for chain in chains]
    while any(k < len(c) for k, c in zip(at, chains, strict=True)):
        waves: dict[tuple[int, str], list[int]] = {}
        for n, chain in enumerate(chains):
            if at[n] < len(chain):
                step = chain[at[n]]
                waves.setdefault((step.wave, step.product_key) if step.kind == "spray" else (-1, str(n)), []).append(n)
        best: tuple[tuple[float, bool, float], list[int]] | None = None
        for (wave, key), group in waves.items():
            # Others that will take this coat too are waited for.
            if wave >= 0 and any(last[n].get((wave, key), -1) >= at[n] for n in range(len(chains)) if n not in group):
                continue
            start = max(hands, *(ready[n] for n in group))
            first = chains[group[0]][at[group[0]]]
            rank = (start, (first.what, first.product) != in_hand, -max(ahead[n][at[n]] for n in group))
            if best is None or rank < best[0]:
                best = (rank, group)
        assert best is not None
        (end, _, _), chosen = best
        begun = len(told)
        for n in chosen:
            step = chains[n][at[n]]
            start, end = bench.placed(end, step.hands_min / 60)
            told.append(replace(step, start_h=start, end_h=end))
            at[n] += 1
        in_hand = (told[-1].what, told[-1].product)
        for n, step in zip(chosen, told[begun:], strict=True):
            ready[n] = end + step.wait_h
        hands = end
    told.sort(key=lambda s: s.start_h)
    return told, hands


def _needed(steps: Sequence[Step], recipe: FinishRecipe) -> tuple[Needed, ...]:
    """All that is used, by product, with packs to have."""
    found: dict[tuple[str, str, str], float] = {}
    for s in steps:
        if s.amount > 0:
            found[s.product, s.unit, s.product_key] = found.get((s.product, s.unit, s.product_key), 0.0) + s.amount
    told = list[Needed]()
    for (name, unit, key), amount in found.items():
        if key:
            of = product(key, recipe.products)
            told.append(Needed(name, round(amount, 1), unit, ceil(amount / of.pack_ml - 1e-9), of.pack))
        else:
            told.append(Needed(name, round(amount, 1), unit, max(1, ceil(amount - 0.25)), "piece"))
    return tuple(sorted(told, key=lambda n: (n.pack == "piece", int(n.name.rpartition("P")[2]) if n.pack == "piece" else 0, n.name)))


def _spoilt(steps: Sequence[Step], recipe: FinishRecipe) -> tuple[str, ...]:
    """Products that die before they are put on for the last time."""
    spoilt = list[str]()
    for key in dict.fromkeys(s.product_key for s in steps if s.product_key):
        of = product(key, recipe.products)
        used = [s for s in steps if s.product_key == key]
        # What is mixed anew for each coat lives an hour; what is pressed once has to last.
        if of.pot_h is not None and of.pot_h >= 24 and max(s.end_h for s in used) - min(s.start_h for s in used) > of.pot_h:
            spoilt.append(of.name)
    return tuple(spoilt)


def with_material(regions: Sequence[Region], key: str) -> tuple[Region, ...]:
    """The regions printed in another material."""
    return tuple(r if r.resin else replace(r, material=key) for r in regions)
