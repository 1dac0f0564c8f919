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
from bastion_core.findings import Fact, Finding, Note, Quantity, Remedy, Said, Verdict, mm, say
from bastion_core.formats.glb import write_glb
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.join.station import JoinData
from bastion_core.pieces.silhouette import FRONT, silhouette, svg_path
from bastion_core.pieces.standing import load_solid
from bastion_core.print.estimate import Estimate
from bastion_core.print.lay import LaidPart, lay_part
from bastion_core.print.orient import Term, Way
from bastion_core.print.profile import LAYER_HEIGHTS_MM, Profile, material
from bastion_core.print.recipe import LiesOn, PrintRecipe, Spared
from bastion_core.print.sanding import Sanding, sanding_of
from bastion_core.print.supports import mesh_of
from bastion_core.progress import Progress
from bastion_core.shop import Printer, Shop
from bastion_core.takeaway import rows_of, write_part

PROHIBITIVE_MIN, ENOUGH_BRIM_MM = 5000.0, 6.0
"""A brim as wide as this holds what has hardly a foot; common practice, no source."""
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
    spared: tuple[Spared, ...] = ()


@dataclass(frozen=True)
class PrintTask:
    """A print for the calendar: the hours of a part on each printer that can take it."""

    name: str
    hours: dict[str, float]


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


@dataclass(frozen=True)
class LyingRecord:
    """A way for a part to lie: which side is down (in the scaled standing piece), about what it takes, and what counts against it."""

    called: Said
    down: tuple[float, float, float]
    hours: float
    """About; exact for the way taken."""
    support_g: float
    height_mm: float
    fits: bool
    terms: tuple[Term, ...]


@dataclass(frozen=True)
class PrintPart:
    """A part as it lies, with its files, what it takes on each printer, and its pictures (SVG paths, mm)."""

    id: str
    name: str
    file_3mf: str
    file_stl: str
    size_mm: tuple[float, float, float]
    volume_mm3: float
    triangles: int
    printer: str | None
    """The quickest; None where no printer can take it."""
    filament_g: float | None
    filament_m: float | None
    hours: float | None
    support_g: float | None
    transform: tuple[tuple[float, ...], ...]
    """4x4 rows from the lying part back to the scaled upright piece."""
    on: dict[str, Estimate]
    picture: str
    footprint: str
    lying: LyingRecord
    others: tuple[LyingRecord, ...]
    held_mm2: float
    """Level area that hangs over air."""
    stands_on_part: int
    """Supports that begin on the part itself."""
    by_hand: bool
    """Whether the maker laid it."""
    sanding: Sanding


@dataclass(frozen=True)
class Sweep:
    """What another layer height takes."""

    layer_mm: float
    hours: float
    filament_g: float


@dataclass(frozen=True)
class PrintData:
    """Every part, and other layer heights."""

    parts: tuple[PrintPart, ...]
    sweep: tuple[Sweep, ...]


class PrintStation(Station[Case, PrintInputs, PrintResult]):
    """How it is printed."""

    key, title, after, weight, edition = "print", "Print", ("join",), 0.28, 2
    recipe, result, data = PrintRecipe, PrintResult, PrintData

    def inputs(self, case: Case, known: Mapping[str, Known[Any]]) -> PrintInputs:
        """The joined parts, the profile, the printers."""
        printers = case.shop.chosen(case.of(CutRecipe).printer_ids)
        r = case.of(PrintRecipe)
        return PrintInputs(known["join"].ref, r.profile(), printers, r.as_supplied, r.lying, r.spared)

    def run(self, inputs: PrintInputs, place: Place, progress: Progress) -> Made[PrintResult]:
        """Every part laid and estimated; its 3MF and STL as it lies."""
        wanted = place.data(inputs.join, JoinData).parts
        parts, laid_parts, sanded = [], [], []
        for index, part in enumerate(wanted):
            progress(index / len(wanted), f"laying {part.name}")
            solid = load_solid(place.file(inputs.join, f"{part.name}.npz"))
            by_hand = next((w.down for w in inputs.lying if w.part == part.id), None)
            chosen = by_hand or (part.supplied_down if inputs.as_supplied else None)
            down = None if chosen is None else np.array(chosen)
            spared = [(np.array(s.at_mm), s.radius_mm) for s in inputs.spared if s.part == part.id]
            laid = lay_part(part.name, solid, [np.array(n) for n in part.cut_normals], inputs.printers, inputs.profile, down, spared)
            laid_parts.append(laid)
            glued = [laid.matrix[:3, :3] @ np.array(n) for n in part.cut_normals]
            sanding, mesh, depth = sanding_of(laid.shape.mesh, inputs.profile.layer_mm, inputs.profile.support != "none", glued)
            sanded.append((mesh, depth))
            files = write_part(laid.solid, place.folder, part.name)
            parts.append(_record(part.id, laid, files, inputs.profile, by_hand is not None, sanding))
        result = PrintResult(
            len(parts), sum(p.hours or 0 for p in parts), sum(p.filament_g or 0 for p in parts), sum(p.filament_m or 0 for p in parts),
            tuple(p.name for p in parts if not p.printer),
            tuple(PrintTask(p.name, {n: e.hours for n, e in p.on.items()}) for p in parts if p.printer),
            sum(p.support_g or 0 for p in parts), sum(p.held_mm2 for p in parts) if inputs.profile.support == "none" else 0.0,
            tuple(laid.name for laid in laid_parts if any(t.name == "foot" and t.minutes >= PROHIBITIVE_MIN for t in laid.way.terms)),
        )  # fmt: skip
        _to_look_at(laid_parts, sanded, place.folder / "laid.glb")
        return Made(result, PrintData(tuple(parts), tuple(_sweep(laid_parts, h) for h in LAYER_HEIGHTS_MM)))

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
        if result.footless and printed.brim_mm < ENOUGH_BRIM_MM:
            words = "Hardly a foot: {}. That comes off the bed: give it a brim, lay it otherwise, or cut it so that it gets a flat one."
            remedy = Remedy(say("A brim of {}", mm(ENOUGH_BRIM_MM)), {"brim_mm": ENOUGH_BRIM_MM})
            said.append(Finding("foot", Verdict.TIGHT, say(words, ", ".join(result.footless)), remedies=(remedy,)))
        left = case.shop.left_g(printed.material)
        if left is None:
            return tuple(said)
        if not left and case.shop.price_per_kg(printed.material) is None:
            said.append(Finding("no-spool", Verdict.TIGHT, say("The shop has no spool of this material.")))
        elif left < result.filament_g:
            need, there = Quantity((result.filament_g,), "g"), Quantity((left,), "g")
            said.append(Finding("too-little", Verdict.TIGHT, say("{} needed, {} left on the shop's spools of this material.", need, there)))
        return tuple(said)

    def fact(self, result: PrintResult) -> Fact:
        """Its hours and grams."""
        if result.unprintable:
            return Fact(say("fits no bed"))
        hours = Quantity((result.hours,), "h", 1 if result.hours < 10 else 0)
        return Fact(say("{}", hours), say("{}", Quantity((result.filament_g,), "g")))


def _to_look_at(laid: Sequence[LaidPart], sanded: Sequence[tuple[Mesh, Floats]], path: Path) -> None:
    """Write every part as it lies, with the depth it has to be sanded to, and its supports, by name."""
    shown: dict[str, Mesh] = {}
    depths: dict[str, Floats] = {}
    for part, (mesh, depth) in zip(laid, sanded, strict=True):
        shown[part.name], depths[part.name] = mesh, depth
        if len(part.shape.support.segments):
            shown[f"{part.name} support"] = mesh_of(part.shape.support)
    write_glb(shown, path, depths)


def _about(way: Way, laid: LaidPart, profile: Profile, fits: bool) -> LyingRecord:
    """Another way to lie, by what is known of the one taken: walls and infill take as long whichever way it lies."""
    best = laid.best_printer
    one = laid.estimates[best] if best else None
    hours = 0.0
    if one is not None:
        same = one.hours - one.hours_by["support"] - one.hours_by["layer change"]
        per_g = one.hours_by["support"] / one.support_g if one.support_g > 1 else one.hours_by["walls"] / max(one.filament_g, 1e-9)
        hours = same + per_g * way.support_g + way.height_mm / profile.layer_mm * profile.layer_change_s / 3600
    return LyingRecord(way.called, way.down, round(hours, 2), round(way.support_g, 1), round(way.height_mm, 1), fits, way.terms)


def _record(part_id: str, laid: LaidPart, files: dict[str, Any], profile: Profile, by_hand: bool, sanding: Sanding) -> PrintPart:
    best = laid.best_printer
    one = laid.estimates[best] if best else None
    return PrintPart(
        id=part_id,
        printer=best,
        filament_g=one.filament_g if one else None,
        filament_m=one.filament_m if one else None,
        hours=one.hours if one else None,
        support_g=one.support_g if one else None,
        transform=tuple(tuple(row) for row in rows_of(np.asarray(np.linalg.inv(laid.matrix), dtype=np.float64))),
        on=laid.estimates,
        picture=silhouette(laid.solid, FRONT),
        footprint=svg_path(laid.solid.outline().simplify(0.5)),
        lying=LyingRecord(
            laid.way.called,
            laid.way.down,
            one.hours if one else 0.0,
            one.support_g if one else 0.0,
            round(laid.way.height_mm, 1),
            one is not None,
            laid.way.terms,
        ),
        others=tuple(_about(way, laid, profile, fits) for way, fits in laid.others),
        held_mm2=round(laid.shape.support.held_mm2, 1),
        stands_on_part=laid.shape.support.stands_on_part,
        by_hand=by_hand,
        sanding=sanding,
        **files,
    )


def _sweep(parts: list[LaidPart], layer_mm: float) -> Sweep:
    taken = [p.by_layer_height[layer_mm][p.best_printer] for p in parts if p.best_printer]
    return Sweep(layer_mm, sum(h for h, _ in taken), sum(g for _, g in taken))


def cost(grams: float, recipe: PrintRecipe, shop: Shop) -> float:
    """Price of so much filament today; the table's round figure where the shop has no spool of it."""
    price = shop.price_per_kg(recipe.material)
    return grams / 1000 * (material(recipe.material).price_per_kg if price is None else price)
