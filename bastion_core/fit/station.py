"""The station Fit: the scale a piece gets, whether it can be worn, and everything known about it on its wearer."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from bastion_core.case import Case, ScanBody
from bastion_core.engine.station import Known, Made, Place, Station
from bastion_core.errors import MeshProblem, RecipeProblem
from bastion_core.findings import NOTHING, Fact, Finding, Note, Quantity, Remedy, Said, Verdict, joined, mm, say
from bastion_core.fit.answer import AnswerRecord
from bastion_core.fit.clear import Clear, clear_of
from bastion_core.fit.judge import Guess, Worn, guess, judge
from bastion_core.fit.layers import Layer, pad_of, usual_layers
from bastion_core.fit.onbody import as_it_came
from bastion_core.fit.question import Question
from bastion_core.fit.recipe import FitRecipe
from bastion_core.fit.scale import Scale, in_percent, scale_by_stature, scale_to_length, thin_wall
from bastion_core.fit.scene import write_scene
from bastion_core.fit.seat import seat_turn
from bastion_core.fit.sections import Section, sections
from bastion_core.fit.sites import BY_NAME, site
from bastion_core.fit.verdict import FitRemedy, Warned
from bastion_core.geometry.arrays import three
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.measure.body import Body
from bastion_core.measure.scanned import UPRIGHT, read_body
from bastion_core.measure.wearer import Wearer
from bastion_core.pieces.recipe import PiecesRecipe
from bastion_core.pieces.silhouette import SIDE, silhouette
from bastion_core.pieces.standing import Standing, load_mesh, save_mesh
from bastion_core.print.profile import material
from bastion_core.print.recipe import PrintRecipe
from bastion_core.progress import Progress

WORN = "worn.npz"
"""The piece where it is worn, for moving it."""
INSIDE = "inside.npz"
"""Places (n, 3) on the inside of the scaled standing piece, and the room there (n,), for what later stands into it."""
_SURE, _UNSURE = 0.98, 0.9


@dataclass(frozen=True)
class FitInputs:
    """All that a fit depends on. What says nothing of this piece is left at its default, so that a change of it fits nothing anew."""

    standing: Standing
    site: str
    side: str
    thinnest_wall_mm: float | None
    wearer: Wearer | None
    scan: ScanBody | None
    recipe: FitRecipe
    pad_mm: float
    as_placed: bool = False
    chord_error_mm: float | None = None
    halves: bool = False
    """Whether it is two files that straps hold together: each is laid on its own side."""

    @property
    def worn(self) -> bool:
        """Whether it is judged on a body."""
        return self.site in BY_NAME and (self.wearer is not None or self.scan is not None)


@dataclass(frozen=True)
class FitResult:
    """The scale a piece gets and what matters of how it fits."""

    scale: Scale
    suggested: float
    verdict: Verdict
    reason: Said
    warnings: tuple[Warned, ...]
    size_mm: tuple[float, float, float]
    silhouette: str
    silhouette_side: str
    bounds_mm: tuple[tuple[float, float, float], tuple[float, float, float]]
    """At scale 1."""
    room_mm: float | None
    """None for a plate, too: it touches somewhere wherever it is laid, so its tightest place tells nothing."""
    judged: bool
    least_scale: float | None
    probability: float | None
    remedies: tuple[FitRemedy, ...]
    wall_mm: float | None
    measure_next: Said
    flats_off_mm: float | None = None
    """How far the mesh's flats leave its curves at this scale."""
    clear: tuple[Clear, ...] = ()
    """Where seams would be in the wearer's way."""


@dataclass(frozen=True)
class FitData:
    """What the fit's page shows."""

    answer: AnswerRecord | None
    sections: tuple[Section, ...]


class FitStation(Station[Case, FitInputs, FitResult]):
    """How big, and whether it goes on."""

    key, title, after, weight, edition = "fit", "Fit", ("pieces",), 0.07, 11
    recipe, result, data = FitRecipe, FitResult, FitData

    def inputs(self, case: Case, known: Mapping[str, Known[Any]]) -> FitInputs:
        """The piece as it stands, its wearer, and the decisions that say something of it."""
        pieces, r = case.of(PiecesRecipe), case.of(FitRecipe)
        head = pieces.site == "head"
        layers = usual_layers(pieces.site, case.shop.pad_mm) if r.layers is None else r.layers
        asked = FitInputs(
            pieces.standing(known["pieces"].ref), pieces.site, pieces.side, known["pieces"].result.thinnest_wall_mm,
            case.wearer, case.scan, replace(r, layers=layers), pad_of(layers), case.as_placed,
            known["pieces"].result.chord_error_mm, pieces.worn_apart and pieces.set_files == 2,
        )  # fmt: skip
        if head:
            asked = replace(asked, recipe=replace(asked.recipe, made_for_mm=FitRecipe.made_for_mm, wanted_length_mm=None))
        if asked.worn:
            return asked
        # Nothing is worn: of the person only the stature counts, of the decisions only those about size.
        stature = case.wearer.get("stature_mm") if case.wearer else None
        plain = None if case.wearer is None else Wearer(measurements={} if stature is None else {"stature_mm": stature})
        bare = FitRecipe(asked.recipe.made_for_mm, asked.recipe.wanted_length_mm, asked.recipe.scale)
        return replace(asked, side="", wearer=plain, scan=None, recipe=bare, pad_mm=0.0, halves=False)

    def run(self, inputs: FitInputs, place: Place, progress: Progress) -> Made[FitResult]:
        """The fit; for a worn piece its scene (``fit.glb``) and the piece where it is worn."""
        progress(0.05, "fitting")
        solid = inputs.standing.solid(place)
        mesh = solid.mesh()
        r, wearer = inputs.recipe, inputs.wearer
        worn, why_not = self._worn(inputs, mesh, place, progress)
        if worn is None:
            first = guess(mesh, inputs.site, wearer, r.scale, r.made_for_mm, r.wanted_length_mm, inputs.pad_mm)
            judged = _guessed(first, why_not)
            scale, data = first.scale, FitData(None, ())
        else:
            judged, scale = _judged(worn), worn.scale
            record = replace(worn.answer.record(), crease_drawing=worn.fitting.crease_drawing(worn.answer))
            data = FitData(record, sections(worn.fitting, worn.answer.placed))
            write_scene(worn.fitting, worn.answer, place.folder / "fit.glb")
            save_mesh(worn.fitting.worn_mesh(worn.answer.placed), place.folder / WORN)
            points, room = _inside(worn, solid.bounds, r.layers or ())
            np.savez(place.folder / INSIDE, points=points, room_mm=room)
        clear = () if worn is None else clear_of(mesh, worn.answer, worn.fitting.chin_to_crown_mm)
        thin, low, high = inputs.thinnest_wall_mm, *solid.bounds
        result = FitResult(
            scale=scale,
            size_mm=three(solid.size * np.array(scale)),
            silhouette=silhouette(solid),
            silhouette_side=silhouette(solid, SIDE),
            bounds_mm=(three(low), three(high)),
            wall_mm=thin * min(scale) if thin else None,
            flats_off_mm=inputs.chord_error_mm and inputs.chord_error_mm * max(scale),
            clear=clear,
            **judged,
        )
        return Made(result, data)

    def _worn(self, inputs: FitInputs, mesh: Mesh, place: Place, progress: Progress) -> tuple[Worn | None, Said | None]:
        """The judgement on the body, or why there is none."""
        if not inputs.worn:
            return None, None
        r = inputs.recipe
        chosen = r.scale
        if chosen is None and r.wanted_length_mm is not None:
            size = scale_to_length(float(mesh.size.max()), r.wanted_length_mm)[0]
            chosen = (size, size, size)
        # A helmet's size is its own affair; anything else is not made smaller than the rest of its suit.
        stature = inputs.wearer.get("stature_mm") if inputs.wearer else None
        start = 1.0 if inputs.site == "head" else scale_by_stature(stature, r.made_for_mm)[0]
        halves = tuple(part.mesh() for part in inputs.standing.parts(place)) if inputs.halves else ()
        question = Question(
            inputs.site, inputs.side, inputs.wearer, r.way_in or ("plates" if halves else None), r.layers or (), r.bays, shift_mm=r.shift_mm, turn_deg=r.turn_deg,
            give_mm=r.give_mm, as_placed=inputs.as_placed, thinnest_wall_mm=inputs.thinnest_wall_mm,
            halves=halves,
        )  # fmt: skip
        try:
            if inputs.as_placed and inputs.scan is not None:
                there = load_mesh(place.file(inputs.scan.ref, UPRIGHT))
                ready = as_it_came(there, site(inputs.site), mesh.bounds)
                return judge(mesh, question, start, chosen, progress, ready=ready), None
            return judge(mesh, question, start, chosen, progress, self._body(inputs, place)), None
        except (MeshProblem, RecipeProblem) as problem:
            return None, problem.said

    def _body(self, inputs: FitInputs, place: Place) -> Body | None:
        """The scan as the body, where one is used."""
        scan = inputs.scan
        if scan is None:
            return None
        return read_body(place.file(scan.ref, UPRIGHT), scan.kind, scan.values, inputs.wearer)

    def findings(self, case: Case, result: FitResult) -> tuple[Finding | Note, ...]:
        """Verdict with its remedies, what else to mind, how sure it is."""
        printed = case.of(PrintRecipe)
        said: list[Finding | Note] = []
        remedies = [r for r in result.remedies if not r.needs_heat or material(printed.material).forms_with_heat]
        if result.verdict > Verdict.HOLDS:
            ready = [Remedy(_short(r.text), r.change) for r in remedies if r.change]
            if case.of(FitRecipe).scale is not None and not result.judged:
                ready.insert(0, Remedy(say("Scale to {}", in_percent(result.suggested)), {"scale": None}))
            said.append(Finding("fit", result.verdict, result.reason.capital(), remedies=tuple(ready)))
            by_hand = [r.text for r in remedies if not r.change]
            if by_hand:
                said.append(Note("by-hand", joined(by_hand, " ")))
        thin = thin_wall(result.wall_mm, printed.walls)
        if thin is not None:
            said.append(Finding("thin-wall", *thin))
        if result.flats_off_mm is not None and result.flats_off_mm > printed.layer_mm:
            coarse = "The mesh is coarse at this scale: its flats leave the curves by {}, more than a layer ({}), and will show. Export it finer."
            said.append(Note("flats", say(coarse, mm(result.flats_off_mm, digits=2), mm(printed.layer_mm, digits=2))))
        said += [Note(w.code, w.text) if w.caution else Finding(w.code, Verdict.TIGHT, w.text) for w in result.warnings]
        sure = result.probability
        if sure is not None and 1 - _SURE < sure < _SURE:
            verdict = Verdict.TIGHT if sure < _UNSURE else Verdict.HOLDS
            words = say("{} likely to fit. {}", Quantity((sure,), "share"), result.measure_next) if result.measure_next else NOTHING
            said.append(Finding("how-sure", verdict, words or say("{} likely to fit.", Quantity((sure,), "share"))))
        return tuple(said)

    def fact(self, result: FitResult) -> Fact:
        """Its scale, and its room or its size."""
        x, y, z = result.scale
        main = say("{}", in_percent(x)) if x == y == z else say("{}", Quantity((min(x, y, z), max(x, y, z)), "share", 0, " to "))
        if result.room_mm is None:
            return Fact(main, say("{} long", mm(max(result.size_mm))))
        return Fact(main, say("{} room", mm(result.room_mm, digits=1)))


def _inside(worn: Worn, bounds: Floats, layers: Sequence[Layer]) -> tuple[Floats, Floats]:
    """Where the ways out from the skin end on the shell, in the scaled standing piece, and the room left there."""
    room, placed = worn.answer.room, worn.answer.placed
    known = np.flatnonzero(np.isfinite(room.room_mm))
    skin = room.skin.take(known)
    ends = placed.to_piece(skin.points + skin.normals * (room.room_mm[known] + skin.layers_mm(layers))[:, None])
    back = np.linalg.inv(seat_turn(bounds, worn.answer.turn_deg, worn.scale))
    points = (ends @ back[:3, :3].T + back[:3, 3]) * worn.scale
    return points, room.room_mm[known]


def _short(text: Said) -> Said:
    """A remedy's button: the sentence up to its reason."""
    return Said(text.words.split(":")[0].rstrip("."), text.values)


def _judged(worn: Worn) -> dict[str, Any]:
    answer = worn.answer
    ring = worn.fitting.seating.goes_round
    return {
        "suggested": worn.suggested,
        "verdict": answer.verdict,
        "reason": answer.reason,
        "warnings": answer.warnings,
        "room_mm": float(answer.room.least_mm) if ring and np.isfinite(answer.room.least_mm) else None,
        "judged": True,
        "least_scale": answer.least_scale,
        "probability": answer.probability,
        "remedies": answer.remedies,
        "measure_next": answer.better[0].reason if answer.better else NOTHING,
    }


def _guessed(first: Guess, why_not: Said | None) -> dict[str, Any]:
    warnings = [Warned("first-guess", note) for note in first.notes]
    if why_not is not None:
        warnings.append(Warned("not-judged", say("Whether it can be worn was not judged: {}", why_not)))
    return {
        "suggested": first.suggested,
        "verdict": first.verdict,
        "reason": first.reason,
        "warnings": tuple(warnings),
        "room_mm": None,
        "judged": False,
        "least_scale": None,
        "probability": None,
        "remedies": (),
        "measure_next": NOTHING,
    }
