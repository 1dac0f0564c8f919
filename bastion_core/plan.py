"""The stations strung together: from a sound solid and a recipe to parts, seams, hours and dates.

The website's worker and the command line both go through here. Each stage takes what the
one before gave, so that a changed decision repeats only what comes after it.
"""

from collections.abc import Sequence
from dataclasses import asdict, dataclass, field, replace
from typing import Any

import numpy as np

from bastion_core.cut.parting import Cut, Parting, part_solid
from bastion_core.cut.printers import Printer, fits, hull_points
from bastion_core.cut.propose import propose_cuts
from bastion_core.errors import RecipeProblem
from bastion_core.fit.answer import Answer, Fitting, Question
from bastion_core.fit.head import PAD_MM, fit_head
from bastion_core.fit.scale import MADE_FOR_MM, check_scale, choose_scale, scale_by_stature, scale_to_length, scale_warnings
from bastion_core.geometry.mesh import Floats, Mesh
from bastion_core.geometry.place import quarter_turns, scaling
from bastion_core.geometry.solid import Solid
from bastion_core.join.pins import Joined, Joint, PinRule
from bastion_core.measure.body import Body, stand_in
from bastion_core.measure.wearer import Wearer
from bastion_core.printing.estimate import Estimate, Shape, estimate, shape_of
from bastion_core.printing.orient import best_lying, laid_matrix, ways_to_lie
from bastion_core.printing.profile import LAYER_HEIGHTS_MM, Profile, material
from bastion_core.progress import Progress, silent, span

Scale = tuple[float, float, float]
_RISES = 4
SPARE = 0.02
"""What a suggested scale has over the least one: measurements and prints are never exact; common practice, no source."""


@dataclass(frozen=True)
class FitRecipe:
    """The decisions of the fit station."""

    site: str = "other"
    wearer: Wearer | None = None
    pad_mm: float = PAD_MM
    made_for_mm: float = MADE_FOR_MM
    wanted_length_mm: float | None = None
    scale: Scale | None = None
    walls: int = 3
    """The profile's walls, for the warning about thin ones."""


@dataclass(frozen=True)
class FitOutcome:
    """The scale a piece gets, the verdict in a word, the reason, and all numbers of a head fit."""

    scale: Scale
    suggested: float
    verdict: str
    reason: str
    warnings: tuple[str, ...] = ()
    head: dict[str, Any] | None = None


def upright(solid: Solid, turns: tuple[int, int, int]) -> Solid:
    """The solid stood up by whole quarter turns about x, y and z."""
    return solid.transformed(quarter_turns(*turns)) if any(t % 4 for t in turns) else solid


def fit_stage(mesh: Mesh, recipe: FitRecipe, thinnest_wall_mm: float | None) -> FitOutcome:
    """Scale and verdict for an upright piece at scale 1.

    A head piece without the measurements it needs is judged only when the maker set a scale; otherwise RecipeProblem.
    """
    if recipe.scale is not None:
        check_scale(recipe.scale)
    if recipe.site == "head" and recipe.wearer is not None:
        try:
            fit = fit_head(mesh, recipe.wearer, recipe.pad_mm, recipe.scale)
        except RecipeProblem as problem:
            if recipe.scale is None:
                raise
            told = (f"The fit was not judged: {problem}", *scale_warnings(recipe.scale, thinnest_wall_mm, recipe.walls))
            return FitOutcome(recipe.scale, 1.0, "tight", "set by the maker, not judged", told)
        warnings = (*fit.notes, *scale_warnings(fit.chosen_scale, thinnest_wall_mm, recipe.walls))
        return FitOutcome(fit.chosen_scale, fit.needed_scale, fit.verdict, fit.reason, warnings, asdict(fit))
    if recipe.wanted_length_mm is not None:
        suggested, reason = scale_to_length(float(mesh.size.max()), recipe.wanted_length_mm)
    elif recipe.wearer is not None:
        suggested, reason = scale_by_stature(recipe.wearer.get("stature_mm"), recipe.made_for_mm)
    else:
        suggested, reason = 1.0, "no wearer is chosen, so the file's own size stands"
    choice = choose_scale(suggested, reason, recipe.scale, thinnest_wall_mm, recipe.walls)
    return FitOutcome(choice.scale, choice.suggested, choice.verdict, choice.reason, choice.warnings)


@dataclass(frozen=True, eq=False)
class WornOutcome:
    """The scale a worn piece gets and the whole answer at it."""

    scale: Scale
    suggested: float
    fitting: Fitting
    answer: Answer


def fit_worn(
    mesh: Mesh, question: Question, start: float, chosen: Scale | None, progress: Progress = silent, body: Body | None = None
) -> WornOutcome:
    """The whole answer for an upright piece at the maker's scale, or at the least one that satisfies room, bays and way in.

    ``start`` is the first guess (ratio of statures); a piece that is no helmet is never made smaller than it. ``body`` is a scan to fit to instead of the
    stand-in body. Raises RecipeProblem.
    """
    if body is None and question.wearer is not None:
        body = stand_in(question.wearer)
    if chosen is not None:
        check_scale(chosen)
        fitting = Fitting(mesh, replace(question, scale=chosen), body)
        answer = fitting.answer(progress)
        return WornOutcome(chosen, answer.least_scale or start, fitting, answer)
    first = Fitting(mesh, replace(question, scale=(start, start, start)), body)
    least = first.least_scale(span(progress, 0.0, 0.5))
    spared = None if least is None else least * (1 + SPARE)
    size = start if spared is None else spared if question.site == "head" else max(spared, start)
    size = float(np.ceil(size * 1000) / 1000)
    fitting = first.at_scale((size, size, size))
    for _ in range(_RISES):
        # Seats are found by steps, so the room does not rise evenly: a suggestion has to hold where it is made.
        if least is None or not fitting.seating.goes_round or fitting.room(fitting.question.scale).least_mm >= 0:
            break
        size = float(np.ceil(size * 1010) / 1000)
        fitting = first.at_scale((size, size, size))
    return WornOutcome((size, size, size), size, fitting, fitting.answer(span(progress, 0.5, 1.0)))


def scaled(solid: Solid, scale: Scale) -> Solid:
    """The upright solid at its scale."""
    return solid.transformed(scaling(*scale))


@dataclass(frozen=True)
class CutOutcome:
    """The planes in force, what they give, and for each printer whether the whole piece would fit it."""

    cuts: tuple[Cut, ...]
    proposed: bool
    parting: Parting
    whole_fits: dict[str, bool]
    fits: dict[str, tuple[str, ...]] = field(default_factory=dict)
    """Names of the printers each part fits."""

    @property
    def misfits(self) -> list[str]:
        """Parts that fit no printer."""
        return [name for name, printers in self.fits.items() if not printers]


def cut_stage(
    solid: Solid,
    printers: Sequence[Printer],
    scale: Scale,
    name: str,
    site: str = "other",
    cuts: Sequence[Cut] | None = None,
    progress: Progress = silent,
) -> CutOutcome:
    """Part a scaled piece: by the maker's planes where there are any (an empty list is a decision too), else as proposed."""
    if not printers:
        raise RecipeProblem("There is no printer to cut for. Add one in the shop.")
    hull = hull_points(solid.mesh().vertices)
    whole = {p.name: fits(hull, p) is not None for p in printers}
    proposed = cuts is None
    if cuts is not None:
        parting = part_solid(solid, cuts, scale, name, progress)
    elif any(whole.values()):
        cuts, parting = (), part_solid(solid, (), scale, name, progress)
    else:
        proposal = propose_cuts(solid, printers, scale, name, site, progress)
        cuts, parting = proposal.cuts, proposal.parting
    hulls = {p.name: hull_points(p.solid.mesh().vertices) for p in parting.parts}
    fitting = {part: tuple(p.name for p in printers if fits(h, p)) for part, h in hulls.items()}
    return CutOutcome(tuple(cuts), proposed, parting, whole, fitting)


@dataclass(frozen=True)
class LaidPart:
    """A part as it is printed: its shape in layers, how it was laid, what it takes on each printer that can take it."""

    name: str
    solid: Solid
    """Lying, foot at z = 0."""
    matrix: Floats
    """4x4 from the scaled upright piece to the lying part."""
    support_mm3: float
    estimates: dict[str, Estimate]
    by_layer_height: dict[float, dict[str, tuple[float, float]]]
    """Layer height -> printer -> (hours, grams)."""
    shape: Shape

    @property
    def best_printer(self) -> str | None:
        """The printer that takes the fewest hours, None where no printer can take the part."""
        return min(self.estimates, key=lambda p: self.estimates[p].hours) if self.estimates else None


def lay_part(name: str, solid: Solid, cut_normals: Sequence[Floats], printers: Sequence[Printer], profile: Profile) -> LaidPart:
    """Lay one part and estimate it on every printer that can take it.

    One way to lie is chosen for all printers: the one that is best where it fits. A part that fits nowhere is laid the
    best way regardless and has no estimates.
    """
    hull = hull_points(solid.mesh().vertices)
    ways = ways_to_lie(solid, cut_normals)
    found = [(best_lying(hull, ways, p), p) for p in printers]
    lying_on = {p.name: chosen for chosen, p in found if chosen}
    if lying_on:
        way, lying = min(lying_on.values(), key=lambda wl: wl[0].cost_min)
    else:
        huge = Printer("any", 4000, 4000, 4000, 0.0)
        anywhere = best_lying(hull, ways, huge)
        if anywhere is None:
            raise RecipeProblem(f"{name} is larger than four metres. Look at its unit and scale.")
        way, lying = anywhere
    matrix = laid_matrix(solid, lying)
    laid = solid.transformed(matrix)
    shape = shape_of(laid, profile.layer_mm, profile.support_from_deg)
    able = [p for p in printers if best_lying(hull, [way], p)]
    estimates = {p.name: estimate(shape, profile, p) for p in able}
    sweep: dict[float, dict[str, tuple[float, float]]] = {}
    for height in LAYER_HEIGHTS_MM:
        other = profile.with_layer(height)
        sweep[height] = {p.name: (e.hours, e.filament_g) for p in able for e in (estimate(shape, other, p),)}
    return LaidPart(name, laid, matrix, way.support_mm3, estimates, sweep, shape)


def print_stage(joined: Joined, printers: Sequence[Printer], profile: Profile, progress: Progress = silent) -> tuple[LaidPart, ...]:
    """Every part laid and estimated."""
    normals: dict[str, list[Floats]] = {p.name: [] for p in joined.parts}
    for joint in joined.joints:
        n = np.array(joint.seam.plane.normal)
        normals[joint.seam.above].append(-n)
        normals[joint.seam.below].append(n)
    laid = []
    for index, part in enumerate(joined.parts):
        progress(index / len(joined.parts), f"laying {part.name}")
        laid.append(lay_part(part.name, part.solid, normals[part.name], printers, profile))
    return tuple(laid)


def cost(grams: float, profile: Profile, price_per_kg: float | None = None) -> float:
    """Price of so much filament; the table's round figure where the shop has no spool of it."""
    return grams / 1000 * (material(profile.material).price_per_kg if price_per_kg is None else price_per_kg)


def joint_record(joint: Joint) -> dict[str, Any]:
    """A seam as plan.json tells it."""
    return {
        "parts": [joint.seam.above, joint.seam.below],
        "cut": joint.seam.cut_id,
        "area_mm2": round(joint.seam.area_mm2, 2),
        "advice": joint.advice,
        "joints": [
            {
                "kind": "pin",
                "diameter_mm": pin.diameter_mm,
                "depth_mm": pin.depth_mm,
                "clearance_mm": pin.clearance_mm,
                "position_mm": [round(v, 4) for v in pin.position_mm],
                "axis": [round(v, 6) for v in pin.axis],
            }
            for pin in joint.pins
        ],
    }


__all__ = [
    "CutOutcome",
    "FitOutcome",
    "FitRecipe",
    "LaidPart",
    "PinRule",
    "Scale",
    "WornOutcome",
    "cost",
    "cut_stage",
    "fit_stage",
    "fit_worn",
    "joint_record",
    "lay_part",
    "print_stage",
    "scaled",
    "upright",
]  # fmt: skip
