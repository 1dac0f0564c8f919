"""The station Print: every part as it lies, its hours and grams on each printer."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from bastion_core.case import Case
from bastion_core.cut.recipe import CutRecipe
from bastion_core.engine.station import Known, Made, Place, Station
from bastion_core.engine.store import Ref
from bastion_core.findings import Fact, Finding, Note, Quantity, Remedy, Verdict, grams, hours, mm, say
from bastion_core.formats.glb import write_glb
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.join.station import JoinData
from bastion_core.pieces.standing import load_solid
from bastion_core.print.hands import Hands
from bastion_core.print.lay import LaidPart, lay_part
from bastion_core.print.options import ENOUGH_BRIM_MM, Option, options
from bastion_core.print.profile import LAYER_HEIGHTS_MM, Profile, material
from bastion_core.print.recipe import LiesOn, PrintRecipe, SupportPlace
from bastion_core.print.records import PrintPart, forming_of, record_of, turned_of
from bastion_core.print.supports import mesh_of
from bastion_core.progress import Progress
from bastion_core.shop import Printer, Shop
from bastion_core.takeaway import part_name, write_part

LEAST_SAVED_H = 0.1
"""Less of hands is not worth telling; common practice, no source."""
MOST_HANGING_MM2 = 60.0
"""Overhang that prints by itself, as a bridge or a little rough; common practice, no source."""


@dataclass(frozen=True)
class PrintInputs:
    """All that the prints depend on. Prices are none of it: what filament costs is reckoned when it is asked."""

    join: Ref
    profile: Profile
    printers: tuple[Printer, ...]
    as_supplied: bool = False
    lying: tuple[LiesOn, ...] = ()
    spared: tuple[SupportPlace, ...] = ()
    held: tuple[SupportPlace, ...] = ()
    resin_printers: tuple[Printer, ...] = ()
    resin: tuple[str, ...] = ()
    formed: tuple[str, ...] = ()


@dataclass(frozen=True)
class PrintTask:
    """A print for the calendar: the hours of a part on each printer that can take it."""

    name: str
    hours: dict[str, float]


@dataclass(frozen=True)
class BetterInResin:
    """A part that resin would make with less work."""

    part: str
    name: str
    hands_h: float
    """Saved."""
    ml: float
    filament_g: float


@dataclass(frozen=True)
class PrintResult:
    """What all parts take, each on its quickest printer."""

    parts: int
    hours: float
    filament_g: float
    filament_m: float
    unprintable: tuple[str, ...]
    tasks: tuple[PrintTask, ...]
    support_g: float = 0.0
    hanging_mm2: float = 0.0
    """What hangs over air without anything under it."""
    footless: tuple[str, ...] = ()
    """Parts that stand on hardly anything, as the best of the ways that fit."""
    hands: Hands = Hands()
    """Until all parts are ready for primer; seams not counted."""
    resin_ml: float = 0.0
    better_in_resin: tuple[BetterInResin, ...] = ()


@dataclass(frozen=True)
class Sweep:
    """What another layer height takes."""

    layer_mm: float
    hours: float
    filament_g: float
    hands_h: float = 0.0


@dataclass(frozen=True)
class PrintData:
    """Every part, other layer heights, and what other choices would buy and cost."""

    parts: tuple[PrintPart, ...]
    sweep: tuple[Sweep, ...]
    options: tuple[Option, ...] = ()


class PrintStation(Station[Case, PrintInputs, PrintResult]):
    """How it is printed."""

    key, title, after, weight, edition = "print", "Print", ("join",), 0.28, 5
    recipe, result, data = PrintRecipe, PrintResult, PrintData

    def inputs(self, case: Case, known: Mapping[str, Known[Any]]) -> PrintInputs:
        """The joined parts, the profile, the printers."""
        printers = case.shop.chosen(case.of(CutRecipe).printer_ids)
        r = case.of(PrintRecipe)
        return PrintInputs(
            known["join"].ref, r.profile(), printers, r.as_supplied, r.lying, r.spared, r.held, case.shop.in_resin, r.resin, r.formed
        )

    def run(self, inputs: PrintInputs, place: Place, progress: Progress) -> Made[PrintResult]:
        """Every part laid and estimated; its 3MF and STL as it lies."""
        wanted = place.data(inputs.join, JoinData).parts
        parts, laid_parts = [], []
        for index, part in enumerate(wanted):
            progress(0.8 * index / len(wanted), f"laying {part.name}")
            solid = load_solid(place.file(inputs.join, f"{part.name}.npz"))
            by_hand = next((w.down for w in inputs.lying if w.part == part.id), None)
            chosen = by_hand or (part.supplied_down if inputs.as_supplied else None)
            down = None if chosen is None else np.array(chosen)
            spared, held = (
                [(np.array(s.at_mm), s.radius_mm) for s in spots if s.part == part.id] for spots in (inputs.spared, inputs.held)
            )
            holding = inputs.profile.holding(spared, held)
            laid = lay_part(part.name, solid, [np.array(n) for n in part.cut_normals], inputs.printers, inputs.profile, down, holding,
                            inputs.resin_printers, part.id in inputs.resin, part.id in inputs.formed)  # fmt: skip
            laid_parts.append(laid)
            files = write_part(laid.solid, place.folder, part.name)
            turned = tuple(
                turned_of(t, write_part(t.solid, place.folder, f"{part.name}-{part_name(min(t.estimates))}"), inputs.profile)
                for t in laid.turned
            )
            parts.append(
                record_of(part.id, laid, files, inputs.profile, by_hand is not None, turned, forming_of(laid, place.folder, inputs.profile))
            )
        formers = [laid.plate.former for laid in laid_parts if laid.flat and laid.plate]
        over = [f.estimates[f.best_printer] for f in formers if f.best_printer]
        tasks = [(p.name, p.on) for p in parts if p.printer] + [(f.name, f.estimates) for f in formers]
        result = PrintResult(
            len(parts), sum(p.hours or 0 for p in parts) + sum(e.hours for e in over),
            sum(p.filament_g or 0 for p in parts) + sum(e.filament_g for e in over),
            sum(p.filament_m or 0 for p in parts) + sum(e.filament_m for e in over),
            tuple(p.name for p in parts if not p.printer),
            tuple(PrintTask(name, {n: e.hours for n, e in on.items()}) for name, on in tasks),
            sum(p.support_g or 0 for p in parts), sum(p.held_mm2 for p in parts) if inputs.profile.support == "none" else 0.0,
            tuple(laid.name for laid in laid_parts if laid.way.footless), sum((p.hands for p in parts), Hands()),
            sum(p.resin.ml for p in parts if p.resin and p.of_resin), tuple(b for p in parts if (b := _better(p))),
        )  # fmt: skip
        _to_look_at(laid_parts, inputs.profile, place.folder / "laid.glb")
        progress(0.85, "what other choices would take")
        by_name = {p.name: p for p in inputs.printers}
        on = [(p.shape, p.seen, p.holding, by_name[p.best_printer]) for p in laid_parts if p.best_printer and not p.of_resin]
        return Made(
            result,
            PrintData(tuple(parts), tuple(_sweep(laid_parts, inputs.profile, h) for h in LAYER_HEIGHTS_MM), options(inputs.profile, on)),
        )

    def findings(self, case: Case, result: PrintResult) -> tuple[Finding | Note, ...]:
        """Parts for no bed, and whether the shop has the filament."""
        said: list[Finding | Note] = [
            Finding("unprintable", Verdict.STOPS, say("{} cannot be printed: it fits no printer as it lies.", name))
            for name in result.unprintable
        ]
        if result.hanging_mm2 > MOST_HANGING_MM2:
            words = "{} hang over air without anything under them: they sag, or fall. Choose supports, or lay the parts otherwise."
            remedy = Remedy(say("Branching supports"), {"support": "branching"})
            said.append(Finding("hanging", Verdict.STOPS, say(words, Quantity((result.hanging_mm2,), "mm2")), remedies=(remedy,)))
        printed = case.of(PrintRecipe)
        if result.footless and printed.brim_mm < ENOUGH_BRIM_MM and not printed.raft:
            words = "Hardly a foot: {}. That comes off the bed: give it a brim, lay it otherwise, or cut it so that it gets a flat one."
            remedy = Remedy(say("A brim of {}", mm(ENOUGH_BRIM_MM)), {"brim_mm": ENOUGH_BRIM_MM})
            said.append(Finding("foot", Verdict.TIGHT, say(words, ", ".join(result.footless)), remedies=(remedy,)))
        for better in result.better_in_resin:
            money = better.ml / 1000 * case.shop.resin_price_per_l - cost(better.filament_g, printed, case.shop)
            words = f"{{}} of resin: {{}} less of hands, {money:+.2f} for material. Dust and uncured resin need gloves and a fitted mask."
            remedy = Remedy(say("Make {} of resin", better.name), {"resin": (*printed.resin, better.part)})
            text = say(words, better.name, hours(better.hands_h))
            said.append(Finding("resin", Verdict.HOLDS, text, remedies=(remedy,)))
        left = case.shop.left_g(printed.material)
        if left is None:
            return tuple(said)
        if not left and case.shop.price_per_kg(printed.material) is None:
            said.append(Finding("no-spool", Verdict.TIGHT, say("The shop has no spool of this material.")))
        elif left < result.filament_g:
            need, there = grams(result.filament_g), grams(left)
            said.append(Finding("too-little", Verdict.TIGHT, say("{} needed, {} left on the shop's spools of this material.", need, there)))
        return tuple(said)

    def fact(self, result: PrintResult) -> Fact:
        """Its hours and grams."""
        if result.unprintable:
            return Fact(say("fits no bed"))
        return Fact(say("{}", hours(result.hours)), say("{}", grams(result.filament_g)))


def _to_look_at(laid: Sequence[LaidPart], profile: Profile, path: Path) -> None:
    """Write every part as it lies, with the depth it has to be sanded to, and its supports, by name."""
    shown: dict[str, Mesh] = {}
    depths: dict[str, Floats] = {}
    for part in laid:
        shown[part.name], depths[part.name] = part.seen.to_look_at(profile)
        if len(part.shape.support.segments):
            shown[f"{part.name} support"] = mesh_of(part.shape.support)
    write_glb(shown, path, depths)


def _better(part: PrintPart) -> BetterInResin | None:
    """Whether resin would make a part with less work, and would not break."""
    if part.resin is None or part.of_resin or part.printer is None or part.resin.brittle:
        return None
    filament = part.on[part.printer]
    saved = part.hands.all_h - part.resin.hands.all_h
    if saved < LEAST_SAVED_H or part.resin.gain_h(filament, part.hands) <= 0:
        return None
    return BetterInResin(part.id, part.name, saved, part.resin.ml, filament.filament_g)


def _sweep(parts: list[LaidPart], profile: Profile, layer_mm: float) -> Sweep:
    taken = [p.by_layer_height[layer_mm][p.best_printer] for p in parts if p.best_printer and not p.of_resin]
    hands = sum(p.hands(profile.with_layer(layer_mm)).all_h for p in parts if p.best_printer and not p.of_resin)
    return Sweep(layer_mm, sum(h for h, _ in taken), sum(g for _, g in taken), round(hands, 3))


def price_of(key: str, shop: Shop) -> float:
    """What a kilogram of a material costs; the table's round figure where the shop has no spool of it."""
    price = shop.price_per_kg(key)
    return material(key).price_per_kg if price is None else price


def cost(grams: float, recipe: PrintRecipe, shop: Shop, resin_ml: float = 0.0) -> float:
    """Price of so much filament and resin today; the table's round figure where the shop has no spool of it."""
    return grams / 1000 * price_of(recipe.material, shop) + resin_ml / 1000 * shop.resin_price_per_l
