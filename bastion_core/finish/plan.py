"""From regions to what is done to them: steps with hands, waits and quantities, and the days they take at the least."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from math import ceil

from bastion_core.assemble.order import Bench
from bastion_core.errors import RecipeProblem
from bastion_core.finish.rates import DM2, first_grit, ladder, passes, sand_min, scratch_mm
from bastion_core.finish.recipe import FinishRecipe
from bastion_core.finish.regions import Region
from bastion_core.finish.table import (
    BEGUN_SAND_MIN,
    COATS_A_ROUND,
    FEEL_MIN_PER_CM,
    FIRST_TIME,
    FLEXIBLE,
    HEAT_MIN_PER_DM2,
    LESS_SOLID,
    MOST_ROUNDS,
    PAPER_MIN,
    POWDER_FROM_MM,
    PRIMED_GRIT,
    RESIN_SOLID,
    SCAR_MIN_PER_DM2,
    SCHOOLS,
    SEAM_FILL_MM,
    STRINGS_MIN_PER_DM2,
    TARGETS,
    WET_FROM,
    HandKind,
    Product,
    School,
    clash_of,
    on_material,
    product,
)
from bastion_core.print.profile import MATERIALS
from bastion_core.print.sanding import SCAR_MM

_HAND_KINDS = ("edge", "groove", "relief")
_DUST = "Dust: particle mask, damp cloth."
_RESIN_DUST = "Cured resin's dust harms: sand it wet, fitted particle mask, gloves."
Paces = Mapping[HandKind, float]


@dataclass(frozen=True)
class Step:
    """Something that is done to a region."""

    key: str
    """Stays while the region and what is done to it do."""
    wave: int
    what: str
    region: str
    region_id: str
    kind: HandKind
    hands_min: float
    usual_min: float = 0.0
    """Of a practised maker."""
    wait_h: float = 0.0
    """Until this region can be gone on with."""
    product: str = ""
    amount: float = 0.0
    unit: str = ""
    grit: int | None = None
    how: str = ""
    caution: str = ""
    latest_h: float | None = None
    """The next coat goes on before, or it is sanded first."""
    by_hand: float = 0.0
    start_h: float = 0.0
    """From the beginning at the bench."""
    end_h: float = 0.0
    product_key: str = ""
    begun_min: float = 0.0
    volume_mm3: float = 0.0


@dataclass(frozen=True)
class Needed:
    """How much of something the whole takes."""

    name: str
    amount: float
    unit: str
    packs: int
    pack: str


@dataclass(frozen=True)
class Fails:
    """A combination that does not hold."""

    upper: str
    lower: str
    region: str
    happens: str
    upper_key: str = ""


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


def _school(region: Region, recipe: FinishRecipe) -> School:
    if region.kind == "flexible":
        return SCHOOLS["leave"]
    if region.kind == "inside" and not (region.school or any(s.region in (region.id, "inside") for s in recipe.schools)):
        return SCHOOLS["leave"]
    key = region.school or recipe.school_for(region.id, region.kind)
    school = SCHOOLS[key]
    seen = {key}
    while region.kind not in school.where or (school.materials and (region.material not in school.materials or region.resin)):
        # Somebody who chose it for this very region is told instead of being talked out of it.
        if school.elsewhere in seen:
            return SCHOOLS["sand"]
        seen.add(school.elsewhere)
        school = SCHOOLS[school.elsewhere]
    if school.filler and on_material(product(school.filler), region.material) and region.school == "" and not _asked(region, recipe):
        return SCHOOLS["sand" if school.key == "brush" else school.elsewhere]
    return school


def _asked(region: Region, recipe: FinishRecipe) -> bool:
    return any(s.region in (region.id, region.kind) for s in recipe.schools)


def planned(regions: Sequence[Region], recipe: FinishRecipe, worker: Worker = Worker()) -> FinishPlan:
    """The plan of a piece. RecipeProblem where a product cannot be."""
    if not any(r.area_mm2 > 0 for r in regions):
        raise RecipeProblem("There is no surface to smooth: no region has any area.")
    schools = schools_of(regions, recipe)
    chains, fails, left = list[list[Step]](), list[Fails](), list[str]()
    for region in regions:
        chain, rest = _chain(region, schools[region.id], recipe)
        chains.append(chain)
        fails += _clashes(region, chain, recipe)
        if rest:
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


def _chain(region: Region, school: School, recipe: FinishRecipe) -> tuple[list[Step], bool]:
    """What is done to a region one after another, at a practised pace; and whether more is left of its depth than may be."""
    if region.kind == "inside" and school.key == "leave":
        return [], False
    target = TARGETS[recipe.target]
    area, steps = region.area_mm2, list[Step]()
    bends = region.kind == "flexible"
    soft = RESIN_SOLID if region.resin else LESS_SOLID.get(region.material, 1.0)
    hand = 1.0 if region.kind in _HAND_KINDS or not recipe.power else region.by_hand
    deep, mean, volume = _depths(region)
    printed = MATERIALS.get(region.material)
    dust = _RESIN_DUST if region.resin else _DUST
    warm = f" It softens at {printed.softens_deg_c:.0f} °C: keep the sander moving." if printed and not region.resin and hand < 1 else ""

    def add(wave: int, what: str, kind: HandKind, minutes: float, **more: object) -> None:
        name = f"{wave}:{region.id}" + (f":{more['grit']}" if more.get("grit") else "")
        steps.append(Step(name, wave, what, region.name, region.id, kind, minutes, **more))  # type: ignore[arg-type]

    def sand(wave: int, depth: float, grit: int, of: float, what: str = "Sand", caution: str = "", dry: bool = False) -> None:
        by_power, by_hand = sand_min(area, depth, grit, of, region.kind, hand)
        minutes = by_power + by_hand
        paper = by_power / PAPER_MIN[True] + by_hand / PAPER_MIN[False]
        times = passes(depth, grit, of, hand < 1)
        how = f"{times} {'pass' if times == 1 else 'passes'}, {'wet' if grit >= WET_FROM and not dry else 'dry'}"
        add(wave, what, "sand", minutes + BEGUN_SAND_MIN, grit=grit, product=f"paper P{grit}", amount=paper, unit="pieces", caution=caution,
            by_hand=by_hand / max(minutes, 1e-9), how=how, begun_min=BEGUN_SAND_MIN)  # fmt: skip

    if not region.again:
        scars = SCAR_MIN_PER_DM2 * region.scar_mm2 / DM2
        add(
            0,
            "Clean up strings and what is left of supports" if scars else "Clean up strings and blobs",
            "clean",
            STRINGS_MIN_PER_DM2 * area / DM2 + scars,
        )
    if school.key == "leave":
        return _primed_once(region, recipe, steps, add), False
    last: int | None = None
    if school.knock > 0 and deep > 0.02 and not region.again and not bends:
        begin = first_grit(deep)
        sand(10, mean * school.knock, begin, soft, "Sand the steps down" if school.knock == 1 else "Sand the tops off", dust + warm)
        last = begin
        if not school.filler:
            for k, grit in enumerate(ladder(begin, 220, recipe.jumps)[1:], 1):
                sand(10 + k, scratch_mm(last), grit, soft, caution=dust)
                last = grit
    if school.takes and not school.filler:
        add(18, "Heat tool", "fill", HEAT_MIN_PER_DM2 * area / DM2, how=school.how, caution=school.caution)
    rest = deep * (1 - school.knock) * (1 - school.takes)
    if school.filler:
        rest, last = _filled(region, school, recipe, rest, volume * (1 - school.knock) ** 2 * (1 - school.takes), add, sand), school.back
    if region.kind == "seam" and steps[-1].kind == "sand":
        # Felt for and worked from both sides, whatever it is filled with.
        steps[-1] = replace(steps[-1], hands_min=steps[-1].hands_min + FEEL_MIN_PER_CM * region.seam_mm / 10)
    rest = max(rest, scratch_mm(last) if last else 0.0)
    # A catalysed filler is the primer of its region too.
    coat = product(recipe.primer, recipe.products)
    rounds = max(1 if region.again else target.rounds, ceil((rest - target.leaves_mm) / (coat.levels_mm * COATS_A_ROUND) - 1e-9))
    over = rounds > MOST_ROUNDS
    fine = min(PRIMED_GRIT, target.grit)
    for k in range(min(rounds, MOST_ROUNDS)):
        _coated(region, coat, 40 + 10 * k, f"Prime, round {k + 1}", add)
        if k < rounds - 1 or target.key != "distance":
            mist = product("mist", recipe.products)
            add(42 + 10 * k, "Check coat", "spray", mist.min_per_dm2 * area / DM2 + mist.begun_min, wait_h=mist.sand_h, product=mist.name, product_key=mist.key,
                amount=mist.ml(0, area, 1), unit="ml", how="What stays black in the hollows is left", caution=mist.caution, begun_min=mist.begun_min)  # fmt: skip
        if not bends:
            sand(43 + 10 * k, coat.off_mm, fine, coat.soft, "Sand the primer", _DUST)
    last = fine
    for k, grit in enumerate(ladder(fine, target.grit, recipe.jumps)[1:], 1):
        sand(100 + k, scratch_mm(last), grit, coat.soft, "Sand the primer")
        last = grit
    return steps, over


def _depths(region: Region) -> tuple[float, float, float]:
    """What is to be levelled: the deepest and mean depth in mm, and the volume in mm³ that would fill it."""
    if region.again:
        return region.left_mm, region.left_mm / 2, 0.5 * region.left_mm * region.area_mm2
    deep, mean, volume = region.deep_mm, region.mean_mm, region.rough_mm3
    if region.scar_mm2 > 0:
        share = region.scar_mm2 / max(region.area_mm2, 1e-9)
        deep = max(deep, SCAR_MM) if share > 0.05 else deep
        mean, volume = mean * (1 - share) + SCAR_MM * share, volume + 0.5 * SCAR_MM * region.scar_mm2
    if region.kind == "seam":
        deep, mean, volume = max(deep, SEAM_FILL_MM), max(mean, SEAM_FILL_MM / 2), volume + 0.5 * SEAM_FILL_MM * region.area_mm2
    return deep, mean, volume


def _primed_once(region: Region, recipe: FinishRecipe, steps: list[Step], add) -> list[Step]:  # type: ignore[no-untyped-def]
    coat = product("primer-flex" if region.material in FLEXIBLE else recipe.primer, recipe.products)
    _coated(region, coat, 40, "Prime", add)
    return steps


def _coated(region: Region, coat: Product, wave: int, what: str, add) -> None:  # type: ignore[no-untyped-def]
    minutes = coat.min_per_dm2 * COATS_A_ROUND * region.area_mm2 / DM2 + coat.begun_min
    add(wave, what, "spray" if coat.sprayed else "fill", minutes, wait_h=coat.next_h * (COATS_A_ROUND - 1) + coat.sand_h, product=coat.name, product_key=coat.key,
        amount=coat.ml(0, region.area_mm2, COATS_A_ROUND), unit="ml", how=f"{COATS_A_ROUND} thin coats", caution=coat.caution, latest_h=coat.latest_h,
        begun_min=coat.begun_min)  # fmt: skip


def _filled(region: Region, school: School, recipe: FinishRecipe, rest: float, volume: float, add, sand) -> float:  # type: ignore[no-untyped-def]
    """The coats of a filler and sanding it back; what is left of the depth."""
    filler = product(school.filler, recipe.products)
    area = region.area_mm2
    thick = " Thicken it with powder for pits." if filler.base == "uv" and rest > POWDER_FROM_MM else ""
    for k in range(school.coats):
        final = k == school.coats - 1
        add(20 + k, f"{filler.name[0].upper()}{filler.name[1:]}" + (f", coat {k + 1}" if school.coats > 1 else ""),
            "spray" if filler.sprayed else "fill", filler.min_per_dm2 * area / DM2 + filler.begun_min,
            wait_h=filler.dries_h(rest / school.coats) if final else filler.next_h, product=filler.name, product_key=filler.key,
            amount=filler.ml(volume if k == 0 else 0.0, area, 1), unit="ml", how=school.how + "." + thick + _rounds(filler, region), caution=school.caution or filler.caution,
            latest_h=None if final else filler.latest_h, begun_min=filler.begun_min, volume_mm3=volume if k == 0 else 0.0)  # fmt: skip
    caution = _RESIN_DUST if filler.base in ("uv", "epoxy") else _DUST
    if filler.base != "acetone" or not school.takes:
        sand(30, filler.off_mm * school.coats, school.back, filler.soft, "Sand back", caution, dry=filler.dry_only)
    levels = filler.levels_mm * school.coats
    return rest * filler.shrinks if rest <= levels else rest - levels * (1 - filler.shrinks)


def _rounds(filler: Product, region: Region) -> str:
    """What a filler does to edges, where that is said."""
    return f" Rounds off sharp edges by about {filler.rounds_mm:g} mm." if filler.rounds_mm and region.kind != "groove" else ""


def _clashes(region: Region, chain: Sequence[Step], recipe: FinishRecipe) -> list[Fails]:
    """What lies on what of a region and does not hold: on the print, and each on the one before."""
    found, under = list[Fails](), None
    printed = MATERIALS[region.material].name if region.material in MATERIALS and not region.resin else "resin"
    for step in chain:
        if not step.product_key:
            continue
        coat = product(step.product_key, recipe.products)
        if under is None:
            wrong = "" if region.resin else on_material(coat, region.material)
            if wrong:
                found.append(Fails(coat.name, printed, region.name, wrong, coat.key))
        elif under.key != coat.key:
            wrong = clash_of(coat, under)
            if wrong:
                found.append(Fails(coat.name, under.name, region.name, wrong, coat.key))
        under = coat
    return found


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
    ahead = [[sum(s.wait_h + s.hands_min / 60 for s in chain[k:]) for k in range(len(chain) + 1)] for chain in chains]
    while any(k < len(c) for k, c in zip(at, chains, strict=True)):
        waves: dict[tuple[int, str], list[int]] = {}
        for n, chain in enumerate(chains):
            if at[n] < len(chain):
                step = chain[at[n]]
                waves.setdefault((step.wave, step.product_key) if step.kind == "spray" else (-1, str(n)), []).append(n)
        best: tuple[tuple[float, bool, float], list[int]] | None = None
        for (wave, key), group in waves.items():
            # Others that will take this coat too are waited for.
            late = wave >= 0 and any(
                any(s.wave == wave and s.product_key == key for s in chains[n][at[n] :]) for n in range(len(chains)) if n not in group
            )
            if late:
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
