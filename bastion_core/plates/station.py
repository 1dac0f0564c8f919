"""Plates: parts of all pieces of a build nested onto beds, by material, colour and layer height."""

import hashlib
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from bastion_core.case import BuildCase, PrintedPiece
from bastion_core.engine.station import Known, Made, Place, Station, Waits
from bastion_core.findings import Fact, Finding, Note, Verdict, counted, hours, say
from bastion_core.plates.beds import FAILS_PER_H, WORTH_H, Gantry, plate_hours, risk_h, usable
from bastion_core.plates.nest import Laid, Nesting, Outline, overlaps
from bastion_core.plates.recipe import HeldPlate, PlatesRecipe
from bastion_core.plates.records import Lying, Plate, PlatePart, Taken
from bastion_core.print.ground import read
from bastion_core.print.station import PrintData
from bastion_core.progress import Progress, silent, span
from bastion_core.shop import Printer

NOTHING_PRINTED = say("No piece is computed to the end yet.")


@dataclass(frozen=True)
class PlatesInputs:
    """Every piece as it is printed, the printers, and the decisions."""

    pieces: tuple[PrintedPiece, ...]
    printers: tuple[Printer, ...]
    gantries: tuple[Gantry, ...]
    recipe: PlatesRecipe
    fails_per_h: float = FAILS_PER_H


@dataclass(frozen=True)
class PlatesResult:
    """How many plates, against the fewest that are possible, and what was laid by hand and no longer can be."""

    plates: int
    bound: int
    parts: int
    hours: float
    filament_g: float
    beyond: tuple[str, ...] = ()
    wrong: tuple[str, ...] = ()
    gone: int = 0
    """Parts that were laid by hand and are printed otherwise, or no longer there."""
    alone_h: float = 0.0
    """All parts, each alone."""


@dataclass(frozen=True)
class PlatesData:
    """Every plate."""

    plates: tuple[Plate, ...]


@dataclass(frozen=True)
class _Part:
    """A part to be laid, in each of the ways it lies."""

    piece: PrintedPiece
    id: str
    name: str
    lyings: tuple[Lying, ...]
    must: bool

    @property
    def key(self) -> str:
        return f"{self.piece.id}/{self.id}"

    @property
    def hours(self) -> dict[str, float]:
        return {name: e.hours for lying in self.lyings for name, e in lying.on.items()}

    def on(self, printer: str) -> Lying:
        return next(lying for lying in self.lyings if printer in lying.on)

    @property
    def alike(self) -> str:
        return f"{self.piece.material}|{self.piece.colour}|{self.piece.layer_mm:.3f}"


class PlatesStation(Station[BuildCase, PlatesInputs, PlatesResult]):
    """Which parts are printed together, and where each lies."""

    key, title, scope, edition = "plates", "Plates", "build", 1
    recipe, result, data = PlatesRecipe, PlatesResult, PlatesData

    def inputs(self, case: BuildCase, known: Mapping[str, Known[Any]]) -> PlatesInputs | Waits:
        """All pieces that are computed to the end."""
        if not case.printed:
            return Waits(NOTHING_PRINTED)
        printers = tuple(p for _, p in case.shop.printers)
        return PlatesInputs(case.printed, printers, case.gantries, case.of(PlatesRecipe), case.fails_per_h)

    def run(self, inputs: PlatesInputs, place: Place, progress: Progress) -> Made[PlatesResult]:
        """Every part laid on a bed."""
        parts = [p for piece in inputs.pieces for p in _parts(piece, place.data(piece.print, PrintData), inputs.recipe)]
        printers = {p.name: p for p in inputs.printers}
        again = [p for p in parts if p.id in p.piece.again and p.lyings]
        held, gone = _held(inputs.recipe.held_plates, {p.key: p for p in parts}, printers)
        shares = _shared_out([p for p in parts if p.lyings], held, printers)
        plates, bound, parts_laid = [], 0, 0
        for number, (name, mine) in enumerate(sorted(shares.items())):
            part = span(progress, number / len(shares), (number + 1) / len(shares))
            made, least = _on_printer(printers[name], mine, held.get(name, ()), inputs, part)
            plates += made
            bound += least
            parts_laid += len(mine)
        plates.sort(key=lambda p: (not p.must, p.printer, -p.hours, p.parts[0].key))
        plates = [_named(plate, f"Plate {number}") for number, plate in enumerate(plates, 1)]
        for name, mine in sorted(_shared_out(again, {}, printers).items()):
            more, _ = _on_printer(printers[name], mine, (), inputs, silent)
            plates += [_named(replace(plate, again=True), f"Again {number}") for number, plate in enumerate(more, 1)]
        alone = sum(min(p.hours.values()) for p in parts if p.hours)
        first = [p for p in plates if not p.again]
        result = PlatesResult(
            len(first), bound, parts_laid, sum(p.hours for p in first), sum(p.grams for p in first if not p.resin),
            tuple(p.name for p in plates if p.beyond), tuple(p.name for p in plates if p.wrong), gone, alone,
        )  # fmt: skip
        return Made(result, PlatesData(tuple(plates)))

    def findings(self, case: BuildCase, result: PlatesResult) -> tuple[Finding | Note, ...]:
        """What lies wrong."""
        said: list[Finding | Note] = []
        if result.wrong:
            words = "{}: parts meet each other or lie over the edge. Move them apart, or free the plate."
            said.append(Finding("plates-meet", Verdict.STOPS, say(words, ", ".join(result.wrong))))
        if result.gone:
            words = "{} laid by hand: printed otherwise by now, or gone. Those plates were laid anew."
            said.append(Finding("plates-gone", Verdict.TIGHT, say(words, counted(result.gone, "part"))))
        if result.beyond:
            words = "{}: supports or brim reach into the bed’s margin. Look whether clips or the purge line are in their way."
            said.append(Finding("plates-beyond", Verdict.TIGHT, say(words, ", ".join(result.beyond))))
        return tuple(said)

    def fact(self, result: PlatesResult) -> Fact:
        """Plates and hours."""
        return Fact(say("{}", counted(result.plates, "plate")), say("{}", hours(result.hours)))


def _parts(piece: PrintedPiece, data: PrintData, recipe: PlatesRecipe) -> list[_Part]:
    """The parts of a piece, and the formers they are bent over."""
    must = piece.id in recipe.must_have
    found = []
    for p in data.parts:
        main = {n: e for n, e in p.on.items() if not any(n in t.on for t in p.turned)}
        lyings = [Lying(p.file_3mf, p.file_stl, p.size_mm, p.ground, main)] if main else []
        lyings += [Lying(t.file_3mf, t.file_stl, t.size_mm, t.ground, t.on) for t in p.turned]
        found.append(_Part(piece, p.id, p.name, tuple(lyings), must))
        if p.forming and p.forming.former:
            f = p.forming.former
            found.append(
                _Part(piece, f"{p.id}-former", f"{p.name}-former", (Lying(f.file_3mf, f.file_stl, f.size_mm, f.ground, f.on),), must)
            )
    return found


def _held(
    plates: Sequence[HeldPlate], parts: Mapping[str, _Part], printers: Mapping[str, Printer]
) -> tuple[dict[str, tuple[HeldPlate, ...]], int]:
    """Held plates by printer, without what can no longer lie there, and how many parts that were."""
    kept, gone = defaultdict(list), 0
    for plate in plates:
        there = tuple(s for s in plate.spots if s.key in parts and plate.printer in printers and plate.printer in parts[s.key].hours)
        alike = parts[there[0].key].alike if there else ""
        there = tuple(s for s in there if parts[s.key].alike == alike)
        gone += len(plate.spots) - len(there)
        if there:
            kept[plate.printer].append(HeldPlate(plate.printer, there))
    return {name: tuple(found) for name, found in kept.items()}, gone


def _shared_out(parts: Sequence[_Part], held: Mapping[str, Sequence[HeldPlate]], printers: Mapping[str, Printer]) -> dict[str, list[_Part]]:
    """Parts to printers: the longest first, each where it is done soonest. What must be ready is shared out before the rest."""
    laid_for = {s.key: name for name, plates in held.items() for plate in plates for s in plate.spots}
    shares: dict[str, list[_Part]] = defaultdict(list)
    load = dict.fromkeys(printers, 0.0)
    for part in sorted(parts, key=lambda p: (p.key not in laid_for, not p.must, -min(p.hours.values()), p.key)):
        ends = {name: load[name] + h for name, h in part.hours.items() if name in printers}
        if not ends:
            continue
        name = laid_for.get(part.key) or min(ends, key=lambda n: (ends[n], n))
        shares[name].append(part)
        load[name] = ends[name]
    return shares


def _on_printer(
    printer: Printer, parts: Sequence[_Part], held: Sequence[HeldPlate], inputs: PlatesInputs, progress: Progress
) -> tuple[list[Plate], int]:
    """Plates of a printer, and the fewest that are possible."""
    recipe = inputs.recipe
    gantry = next((g for g in inputs.gantries if g.printer == printer.name), None)
    bed = usable(printer, gantry)
    in_turn = recipe.in_turn and gantry is not None and gantry.under_mm > 0 and printer.kind == "filament"
    gap = max(recipe.gap_mm, gantry.head_mm) if in_turn and gantry else recipe.gap_mm
    by_key = {p.key: p for p in parts}
    grounds = {key: read(p.on(printer.name).ground) for key, p in by_key.items()}
    alike = {key: f"{p.alike}|{p.must}" for key, p in by_key.items()}
    nesting = Nesting(bed, [Outline(k, grounds[k], alike[k]) for k in by_key], gap)
    high = {key: p.on(printer.name).size_mm[2] for key, p in by_key.items()}
    takes = {key: p.hours[printer.name] for key, p in by_key.items()}
    under = gantry.under_mm if gantry else 0.0

    def together(there: Sequence[str], more: str) -> bool:
        if recipe.together == "alone":
            return False
        if in_turn and sum(high[k] > under for k in (*there, more)) > 1:
            return False
        if recipe.together == "fewest" or in_turn or printer.kind == "resin":
            return True
        return risk_h(sum(takes[k] for k in there), takes[more], inputs.fails_per_h) <= WORTH_H

    fixed = [{s.key: s.spot for s in plate.spots} for plate in held]
    laid = nesting.packed(together, fixed, progress)
    by_hand = {key for spots in fixed for key in spots}
    plates = []
    for bed_laid in laid:
        mine = [by_key[key] for key in sorted(bed_laid.spots)]
        # The one that stands higher than the gantry passes is printed last.
        if in_turn:
            mine.sort(key=lambda p: (high[p.key], p.key))
        plates.append(_plate(printer, mine, bed_laid, inputs, in_turn and len(mine) > 1, bool(by_hand & set(bed_laid.spots)), grounds))
    return plates, nesting.bound()


def _plate(
    printer: Printer, parts: Sequence[_Part], laid: Laid, inputs: PlatesInputs, in_turn: bool, held: bool, grounds: Mapping[str, Any]
) -> Plate:
    gantries = {g.printer: g for g in inputs.gantries}
    bed = usable(printer, gantries.get(printer.name))
    placed = [laid.spots[p.key].place(grounds[p.key]) for p in parts]
    on = {}
    for other in inputs.printers:
        lyings = [p.on(printer.name) for p in parts]
        there = other.name == printer.name or all(usable(other, gantries.get(other.name)).covers(ground) for ground in placed)
        if there and other.kind == printer.kind and all(other.name in lying.on for lying in lyings):
            each = [lying.on[other.name] for lying in lyings]
            hours = plate_hours([(e, lying.size_mm[2]) for e, lying in zip(each, lyings, strict=True)], other, in_turn)
            on[other.name] = Taken(round(hours, 3), round(sum(e.filament_g for e in each), 1), round(sum(e.support_g for e in each), 1))
    first = parts[0].piece
    lain = []
    for part in parts:
        lying, spot = part.on(printer.name), laid.spots[part.key]
        lain.append(
            PlatePart(
                part.piece.id, part.id, part.name, part.piece.name, part.piece.print.hash, lying.file_3mf, lying.file_stl, lying.size_mm,
                round(spot.turn_deg % 360, 2), round(spot.x_mm, 2), round(spot.y_mm, 2), lying.ground, round(lying.on[printer.name].hours, 3),
            )
        )  # fmt: skip
    # By the exact outlines: what the grid of the nest allowed, and what the maker laid.
    wrong = () if laid.beyond else overlaps(laid.spots, grounds, bed)
    names = {p.key: p.name for p in parts}
    return Plate(
        "", "", printer.name, first.material if printer.kind == "filament" else "resin", first.colour, first.layer_mm, printer.kind == "resin",
        tuple(lain), on, parts[0].must, held, in_turn, laid.beyond, tuple(names[k] for k in wrong),
        round(sum(g.area for g in placed) / bed.area, 3),
    )  # fmt: skip


def _named(plate: Plate, name: str) -> Plate:
    """With its name, and an id that stays while the same parts lie on it as they are."""
    text = "|".join([str(plate.again), *sorted(f"{p.key}:{p.print_hash}" for p in plate.parts)])
    return replace(plate, id=hashlib.sha256(text.encode()).hexdigest()[:12], name=name)
