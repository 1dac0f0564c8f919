"""The station Finish: the surface and how it becomes smooth, with hands, waits and quantities."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from bastion_core.assemble.order import Bench
from bastion_core.assemble.recipe import AssembleRecipe
from bastion_core.case import Case
from bastion_core.cut.recipe import CutRecipe
from bastion_core.cut.station import CutData
from bastion_core.engine.station import Known, Made, Place, Station
from bastion_core.engine.store import Ref
from bastion_core.errors import RecipeProblem
from bastion_core.findings import Fact, Finding, Note, Remedy, Verdict, counted, hours, say
from bastion_core.finish import offers
from bastion_core.finish.pace import paces_of
from bastion_core.finish.plan import FinishPlan, Worker, asked_for, planned, schools_of
from bastion_core.finish.recipe import FinishRecipe, OwnRegion
from bastion_core.finish.records import GLUED, LOOK, FinishData, FinishResult, Mended, RegionRecord
from bastion_core.finish.regions import Regions, regions_of, shapes_of
from bastion_core.finish.surface import PartPrinted, Skin, skin_of
from bastion_core.finish.table import FAULTS, MELTS_UNDER_DEG_C, MOST_ROUNDS, PRIMERS, PRODUCTS, HandKind, product
from bastion_core.formats.glb import write_glb
from bastion_core.geometry.mesh import Floats, Mesh, some_of
from bastion_core.join.station import JoinData
from bastion_core.pieces.standing import load_mesh
from bastion_core.print.profile import MATERIALS
from bastion_core.print.recipe import PrintRecipe
from bastion_core.print.sanding import SCALLOP, SLOW_SCALLOP
from bastion_core.print.station import PrintData, PrintResult
from bastion_core.progress import Progress, span
from bastion_core.shop import HANDS_WEIGH

_REPEATED = 2


@dataclass(frozen=True)
class FinishInputs:
    """All that the finish depends on."""

    join: Ref
    print: Ref
    cut: Ref
    recipe: FinishRecipe
    printed: PrintRecipe
    bench_h: float
    scale: tuple[float, float, float]
    paces: tuple[tuple[HandKind, float], ...] = ()
    resin_layer_mm: float = 0.05
    aim: str = ""
    hands_weigh: float = HANDS_WEIGH
    """Hours of the printer that an hour of sanding weighs."""


class FinishStation(Station[Case, FinishInputs, FinishResult]):
    """The surface, and how it becomes smooth."""

    key, title, after, weight = "finish", "Finish", ("fit", "cut", "join", "print"), 0.12
    sheet = "bench"
    recipe, result, data = FinishRecipe, FinishResult, FinishData

    def inputs(self, case: Case, known: Mapping[str, Known[Any]]) -> FinishInputs:
        """The joined parts, how they were printed, whose hands."""
        recipe = case.of(FinishRecipe)
        vats = case.shop.in_resin
        return FinishInputs(
            known["join"].ref, known["print"].ref, known["cut"].ref, recipe, # A colour says nothing of a surface.
            replace(case.of(PrintRecipe), colour=""), case.of(AssembleRecipe).bench_h, known["fit"].result.scale,
            tuple(paces_of(case.shop.hands, recipe.pace).items()), vats[0].resin_layer_mm if vats else 0.05,
            case.of(CutRecipe).aim if case.of(CutRecipe).cuts is None else "", case.shop.weights.steps,
        )  # fmt: skip

    def run(self, inputs: FinishInputs, place: Place, progress: Progress) -> Made[FinishResult]:
        """Regions, their plan, and what other decisions would do. What cannot be is said; the prints before it stand all the same."""
        printed, joined = place.data(inputs.print, PrintData), place.data(inputs.join, JoinData)
        progress(0.05, "looking at the surface")
        skin = place.live(("skin", inputs.join.hash, inputs.print.hash), lambda: self._skin(inputs, place, printed, joined))
        progress(0.5, "finding regions")
        recipe, worker = inputs.recipe, Worker(dict(inputs.paces), Bench(inputs.bench_h))
        marks = (*recipe.own_regions, *_faults(recipe))

        shapes = shapes_of(skin)

        def again(changed: Skin) -> Regions:
            return regions_of(changed, marks, recipe.merged, recipe.splits, inputs.scale, shapes)

        try:
            regions = again(skin)
            plan = planned(regions.regions, recipe, worker)
        except RecipeProblem as problem:
            _look(skin, Regions((), np.full(len(skin.part), -1)), place)
            return Made(FinishResult(0.0, 0.0, 0, 0, 0.0, 0, (), impossible=problem.said), FinishData())
        _look(skin, regions, place)
        progress(0.6, "what other decisions would do")
        now = offers.Now(regions.regions, recipe, worker, plan)
        told = self._offers(now, inputs, place, skin, printed, lambda s: again(s).regions, span(progress, 0.6, 1.0))
        return Made(
            _result(skin, regions, plan, recipe),
            FinishData(
                _records(regions, plan, recipe), plan.steps, {str(k): v for k, v in plan.by_kind.items()}, inputs.bench_h, worker.bench.from_h, told,
                offers.side_by_side(regions.regions, recipe, worker),
            ),
        )  # fmt: skip

    def _skin(self, inputs: FinishInputs, place: Place, printed: PrintData, joined: JoinData) -> Skin:
        laid, profile = {p.id: p for p in printed.parts}, inputs.printed.profile()
        parts = list[PartPrinted]()
        for part in joined.parts:
            of = laid[part.id]
            spared, held = (
                [(np.array(s.at_mm), s.radius_mm) for s in spots if s.part == part.id]
                for spots in (inputs.printed.spared, inputs.printed.held)
            )
            supported = profile.support != "none" and not (of.forming and of.forming.chosen)
            parts.append(
                PartPrinted(
                    part.name, load_mesh(place.file(inputs.join, f"{part.name}.npz")), np.asarray(np.linalg.inv(np.array(of.transform))),
                    inputs.resin_layer_mm if of.of_resin else profile.layer_mm, profile.material,
                    0.0 if of.of_resin else SLOW_SCALLOP if profile.slow_outer_wall else SCALLOP,
                    profile.holding(spared, held) if supported or of.of_resin else None, of.of_resin,
                )
            )  # fmt: skip
        rims = {s.letters: np.array(s.outline_mm) for s in joined.seams if s.closing is None}
        return skin_of(parts, rims)

    def _offers(
        self, now: offers.Now, inputs: FinishInputs, place: Place, skin: Skin, printed: PrintData, again: offers.Again, progress: Progress
    ) -> tuple[offers.FinishOffer, ...]:
        recipe, result = inputs.printed, place.result(inputs.print, PrintResult)
        ways = [
            offers.OtherLying(p.name, p.id, way.called, way.down, way.hours - (p.hours or 0.0))
            for p in printed.parts if not p.of_resin for way in p.others if way.fits
        ]  # fmt: skip
        cut = place.data(inputs.cut, CutData)
        profile = recipe.profile()
        found = (
            []
            if recipe.adaptive_layers
            else offers.of_layers(now, skin, recipe.layer_mm, [(s.layer_mm, s.hours) for s in printed.sweep], again)
        )
        found += offers.of_material(now, recipe.material)
        progress(0.3, "other ways to lie")
        found += offers.of_lying(now, skin, ways, again, recipe.lying, profile.holding() if profile.support != "none" else None)
        found += offers.of_seams(now, cut.alternatives, inputs.aim or None)
        found += offers.of_resin(now, skin, [(b.part, b.name) for b in result.better_in_resin], inputs.resin_layer_mm, again, recipe.resin)
        return offers.worth(found + offers.of_hands(now), inputs.hands_weigh)

    def findings(self, case: Case, result: FinishResult) -> tuple[Finding | Note, ...]:
        """What does not hold, what stays rough, what went wrong before, what harms."""
        said: list[Finding | Note] = []
        recipe = case.of(FinishRecipe)
        if result.impossible:
            said.append(Finding("finish", Verdict.STOPS, result.impossible))
        for f in result.fails:
            words = "{} on {} ({}): {}."
            said.append(
                Finding(
                    "clash",
                    Verdict.STOPS,
                    say(words, f.upper.capitalize(), f.lower, f.region, f.happens),
                    remedies=_instead(f.upper_key, recipe),
                )
            )
        if result.left:
            words = f"{{}}: rougher than wanted even after {MOST_ROUNDS} rounds of primer. Fill it, or choose another surface."
            remedy = Remedy(say("Sand, spot putty, prime"), {"school": "putty", "schools": []})
            said.append(Finding("left", Verdict.TIGHT, say(words, ", ".join(result.left)), remedies=(remedy,)))
        if result.spoilt:
            words = "{}: dead before it is used for the last time. More hours at the bench a day, or a fresh can."
            said.append(Finding("spoilt", Verdict.TIGHT, say(words, ", ".join(result.spoilt).capitalize())))
        for kind in dict.fromkeys(m.kind for m in result.mended):
            these = [m for m in result.mended if m.kind == kind]
            name, _, advice = FAULTS[kind]
            cost = say("{} of hands, {} of waiting", hours(sum(m.hands_h for m in these)), hours(max(m.wait_h for m in these)))
            if len(these) >= _REPEATED:
                said.append(
                    Finding(
                        "repeated",
                        Verdict.TIGHT,
                        say("{} for the {} time: {}. {}", name, _ORDINALS.get(len(these), f"{len(these)}th"), cost, advice),
                    )
                )
            else:
                said.append(Note("fault", say("{}: {} to mend.", name, cost)))
        if result.missed:
            said.append(Note("missed", say(f"On nothing any more, and left out: {', '.join(result.missed)}.")))
        if result.softens_deg_c is not None and result.softens_deg_c < MELTS_UNDER_DEG_C:
            said.append(Note("warm", say(f"It softens at {result.softens_deg_c:.0f} °C: keep the sander moving, or it melts.")))
        if result.isocyanates:
            said.append(Note("isocyanates", say(PRODUCTS["filler-2k"].caution)))
        return tuple(said)

    def fact(self, result: FinishResult) -> Fact:
        """Hands, days and cans."""
        if result.impossible or result.fails:
            return Fact(say("does not hold"), say("{} hands", hours(result.hands_h)))
        return Fact(say("{} hands", hours(result.hands_h)), say(f"{counted(result.days_least, 'day')}, {counted(result.cans, 'can')}"))


_ORDINALS = {2: "second", 3: "third", 4: "fourth", 5: "fifth"}


def _instead(key: str, recipe: FinishRecipe) -> tuple[Remedy, ...]:
    """Decisions that avoid a product."""
    if key in PRIMERS and recipe.primer == key and key != "primer":
        return (Remedy(say("Filler primer"), {"primer": "primer"}),)
    if recipe.primer != "primer":
        return (Remedy(say("Filler primer"), {"primer": "primer"}), Remedy(say("Sand and prime"), {"school": "sand", "schools": []}))
    return (Remedy(say("Sand and prime"), {"school": "sand", "schools": []}),)


def _faults(recipe: FinishRecipe) -> tuple[OwnRegion, ...]:
    """What went wrong, as regions that are done again."""
    return tuple(
        OwnRegion(
            f"fault-{k}",
            f"{FAULTS[f.kind][0]} {k}",
            (f.at_mm,),
            "distance",
            f.reach_mm,
            again=True,
            left_mm=FAULTS[f.kind][1],
            school="brush",
        )
        for k, f in enumerate(recipe.faults, 1)
    )


def _records(regions: Regions, plan: FinishPlan, recipe: FinishRecipe) -> tuple[RegionRecord, ...]:
    schools = schools_of(regions.regions, recipe)
    took: dict[str, float] = {}
    for s in plan.steps:
        took[s.region_id] = took.get(s.region_id, 0.0) + s.hands_min / 60
    return tuple(RegionRecord(r, schools[r.id].key, asked_for(r, recipe), round(took.get(r.id, 0.0), 3)) for r in regions.regions)


def _result(skin: Skin, regions: Regions, plan: FinishPlan, recipe: FinishRecipe) -> FinishResult:
    mended = list[Mended]()
    for k, fault in enumerate(recipe.faults, 1):
        mine = [s for s in plan.steps if s.region_id == f"fault-{k}"]
        mended.append(
            Mended(fault.kind, FAULTS[fault.kind][0], round(sum(s.hands_min for s in mine) / 60, 3), round(sum(s.wait_h for s in mine), 3))
        )
    sanded = [r.material for r in regions.regions if recipe.power and not r.resin and r.by_hand < 1 and r.kind != "inside"]
    softens = min((MATERIALS[m].softens_deg_c for m in sanded if m in MATERIALS), default=None)
    return FinishResult(
        plan.hands_h, plan.wait_h, plan.days_least, plan.packs("can"), round(float(skin.areas[skin.outside].sum()), 1),
        len(plan.steps), plan.products, plan.fails, plan.left, plan.spoilt, regions.missed, tuple(mended), softens,
        any(product(s.product_key).base == "two-part" for s in plan.steps if s.product_key),
    )  # fmt: skip


def _look(skin: Skin, regions: Regions, place: Place) -> None:
    """Every region as a mesh of its own, by its name, with the depth of its steps, for the stage."""
    shown: dict[str, Mesh] = {}
    depths: dict[str, Floats] = {}
    for number, name in [*enumerate(r.id for r in regions.regions), (-1, GLUED)]:
        mine = regions.of_face == number
        if mine.any():
            shown[name] = some_of(skin.mesh, mine)
            at, weight = shown[name].faces.ravel(), np.repeat(skin.areas[mine], 3)
            deep = np.bincount(at, weight * np.repeat(np.where(skin.outside, skin.depth_mm, 0.0)[mine], 3))
            depths[name] = deep / np.maximum(np.bincount(at, weight), 1e-9)
    write_glb(shown, place.folder / LOOK, depths)
