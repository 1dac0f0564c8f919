"""What is done to one region, one thing after another: cleaned, sanded, filled, sanded back, primed and sanded in rounds; and what does not hold."""

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from math import ceil
from typing import Any

from bastion_core.findings import counted
from bastion_core.finish.rates import DM2, first_grit, ladder, passes, sand_min, scratch_mm
from bastion_core.finish.recipe import FinishRecipe
from bastion_core.finish.regions import Region
from bastion_core.finish.table import (
    BEGUN_SAND_MIN,
    COATS_A_ROUND,
    FEEL_MIN_PER_CM,
    FLEXIBLE,
    HEAT_MIN_PER_DM2,
    LESS_SOLID,
    MOST_ROUNDS,
    PAPER_MIN,
    POWDER_FROM_MM,
    PRIMED_GRIT,
    RESIN_SOLID,
    SCAR_MIN_PER_DM2,
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
_SMOOTH_ENOUGH_MM = 0.02
CLEAN, KNOCK, HEAT, FILL, BACK, PRIME, LAST = 0, 10, 18, 20, 30, 40, 100
"""Waves: what is done at about the same stage of every region. Rounds of primer are ten apart."""
_MIST, _SAND = 2, 3


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
    """Of the hands: what is begun once for several regions, a mix or a can."""
    wet: bool = False


@dataclass(frozen=True)
class Fails:
    """A combination that does not hold."""

    upper: str
    lower: str
    region: str
    happens: str
    upper_key: str = ""


@dataclass
class Chain:
    """The steps of a region as they come together, at a practised pace."""

    region: Region
    school: School
    recipe: FinishRecipe
    steps: list[Step] = field(default_factory=list)
    rough: bool = False
    """More is left of its depth than may be, whatever is primed."""

    @property
    def by_hand(self) -> float:
        """Share of it that is sanded by hand."""
        return 1.0 if self.region.kind in _HAND_KINDS or not self.recipe.power else self.region.by_hand

    def made(self) -> "Chain":
        """With all its steps."""
        region, school = self.region, self.school
        if region.kind == "inside" and school.key == "leave":
            return self
        if not region.again:
            self.clean()
        if school.key == "leave":
            self.coat(self.product("primer-flex" if region.material in FLEXIBLE else self.recipe.primer), PRIME, "Prime")
            return self
        deep, mean, volume = _depths(region)
        last = self.knock(deep, mean)
        if school.takes and not school.filler:
            self.add(HEAT, "Heat tool", "fill", HEAT_MIN_PER_DM2 * region.area_mm2 / DM2, how=school.how, caution=school.caution)
        rest = deep * (1 - school.knock) * (1 - school.takes)
        if school.filler:
            rest, last = self.fill(rest, volume * (1 - school.knock) ** 2 * (1 - school.takes)), school.back
        if region.kind == "seam" and self.steps[-1].kind == "sand":
            # Felt for and worked from both sides, whatever it is filled with.
            self.steps[-1] = replace(self.steps[-1], hands_min=self.steps[-1].hands_min + FEEL_MIN_PER_CM * region.seam_mm / 10)
        self.prime(max(rest, scratch_mm(last) if last else 0.0))
        return self

    def product(self, key: str) -> Product:
        """A product, by the maker's own sheet where there is one."""
        return product(key, self.recipe.products)

    def add(self, wave: int, what: str, kind: HandKind, minutes: float, **more: Any) -> None:
        """One more step."""
        key = f"{wave}:{self.region.id}" + (f":{more['grit']}" if more.get("grit") else "")
        self.steps.append(Step(key, wave, what, self.region.name, self.region.id, kind, minutes, **more))

    def put_on(self, wave: int, what: str, coat: Product, coats: int = 1, volume_mm3: float = 0.0, **more: Any) -> None:
        """So many coats of a product, and what it fills besides."""
        area = self.region.area_mm2
        minutes = coat.min_per_dm2 * coats * area / DM2 + coat.begun_min
        self.add(wave, what, "spray" if coat.sprayed else "fill", minutes, **{
            "product": coat.name, "product_key": coat.key, "amount": coat.ml(volume_mm3, area, coats), "unit": "ml", "caution": coat.caution,
            "begun_min": coat.begun_min, **more,
        })  # fmt: skip

    def sand(self, wave: int, what: str, depth_mm: float, grit: int, soft: float, caution: str = _DUST, dry: bool = False) -> None:
        """So much off, with a grit."""
        by_power, by_hand = sand_min(self.region.area_mm2, depth_mm, grit, soft, self.region.kind, self.by_hand)
        minutes = by_power + by_hand
        wet = grit >= WET_FROM and not dry
        how = f"{counted(passes(depth_mm, grit, soft, self.by_hand < 1), 'pass', 'passes')}, {'wet' if wet else 'dry'}"
        self.add(
            wave, what, "sand", minutes + BEGUN_SAND_MIN, grit=grit, product=f"paper P{grit}", unit="pieces", how=how, caution=caution,
            amount=by_power / PAPER_MIN[True] + by_hand / PAPER_MIN[False], by_hand=by_hand / max(minutes, 1e-9), wet=wet,
        )  # fmt: skip

    def clean(self) -> None:
        """Strings, blobs, and what supports left."""
        scars = SCAR_MIN_PER_DM2 * self.region.scar_mm2 / DM2
        what = "Clean up strings and what is left of supports" if scars else "Clean up strings and blobs"
        self.add(CLEAN, what, "clean", STRINGS_MIN_PER_DM2 * self.region.area_mm2 / DM2 + scars)

    def knock(self, deep: float, mean: float) -> int | None:
        """The tops of the steps off, or all of them where nothing is filled; the last grit."""
        region, school = self.region, self.school
        if school.knock <= 0 or deep <= _SMOOTH_ENOUGH_MM or region.again:
            return None
        soft = RESIN_SOLID if region.resin else LESS_SOLID.get(region.material, 1.0)
        printed = MATERIALS.get(region.material)
        warm = printed is not None and not region.resin and self.by_hand < 1
        caution = (_RESIN_DUST if region.resin else _DUST) + (
            f" It softens at {printed.softens_deg_c:.0f} °C: keep the sander moving." if printed and warm else ""
        )
        grit = first_grit(deep)
        self.sand(KNOCK, "Sand the steps down" if school.knock == 1 else "Sand the tops off", mean * school.knock, grit, soft, caution)
        if not school.filler:
            for k, finer in enumerate(ladder(grit, 220, self.recipe.jumps)[1:], 1):
                self.sand(KNOCK + k, "Sand", scratch_mm(grit), finer, soft, caution)
                grit = finer
        return grit

    def fill(self, rest: float, volume_mm3: float) -> float:
        """The coats of a filler, sanded back; what is left of the depth."""
        school, filler = self.school, self.product(self.school.filler)
        how = school.how + "."
        if filler.base == "uv" and rest > POWDER_FROM_MM:
            how += " Thicken it with powder for pits."
        if filler.rounds_mm and self.region.kind != "groove":
            how += f" Rounds off sharp edges by about {filler.rounds_mm:g} mm."
        title = filler.name[0].upper() + filler.name[1:]
        for k in range(school.coats):
            final = k == school.coats - 1
            self.put_on(
                FILL + k, f"{title}, coat {k + 1}" if school.coats > 1 else title, filler, volume_mm3=0.0 if k else volume_mm3, how=how,
                wait_h=filler.dries_h(rest / school.coats) if final else filler.next_h, latest_h=None if final else filler.latest_h,
                caution=school.caution or filler.caution,
            )  # fmt: skip
        if not school.takes:
            dust = _RESIN_DUST if filler.base in ("uv", "epoxy") else _DUST
            self.sand(BACK, "Sand back", filler.off_mm * school.coats, school.back, filler.soft, dust, filler.dry_only)
        levels = filler.levels_mm * school.coats
        return rest * filler.shrinks if rest <= levels else rest - levels * (1 - filler.shrinks)

    def coat(self, primer: Product, wave: int, what: str) -> None:
        """A round of primer."""
        waits = primer.next_h * (COATS_A_ROUND - 1) + primer.sand_h
        self.put_on(wave, what, primer, COATS_A_ROUND, how=f"{COATS_A_ROUND} thin coats", wait_h=waits, latest_h=primer.latest_h)

    def prime(self, rest: float) -> None:
        """Rounds of primer, each looked at and sanded, until no more is left than may be; then the finer grits."""
        target, primer, mist = TARGETS[self.recipe.target], self.product(self.recipe.primer), self.product("mist")
        needed = ceil((rest - target.leaves_mm) / (primer.levels_mm * COATS_A_ROUND) - 1e-9)
        rounds = max(1 if self.region.again else target.rounds, needed)
        self.rough = rounds > MOST_ROUNDS
        rounds, grit = min(rounds, MOST_ROUNDS), min(PRIMED_GRIT, target.grit)
        for k in range(rounds):
            wave = PRIME + 10 * k
            self.coat(primer, wave, f"Prime, round {k + 1}")
            if k < rounds - 1 or target.checked:
                self.put_on(wave + _MIST, "Check coat", mist, how="What stays black in the hollows is left", wait_h=mist.sand_h)
            self.sand(wave + _SAND, "Sand the primer", primer.off_mm, grit, primer.soft)
        for k, finer in enumerate(ladder(grit, target.grit, self.recipe.jumps)[1:], 1):
            self.sand(LAST + k, "Sand the primer", scratch_mm(grit), finer, primer.soft, "")
            grit = finer


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


def clashes(region: Region, chain: Sequence[Step], recipe: FinishRecipe) -> list[Fails]:
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
