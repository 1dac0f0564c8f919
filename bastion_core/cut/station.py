"""The station Cut: which beds take a piece, whole or parted, and by which planes."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from bastion_core.case import Case
from bastion_core.cut.aims import Aim
from bastion_core.cut.beds import Bed, fits, fits_any, hull_points, unneeded
from bastion_core.cut.parting import Cut, Parting, part_solid, without_cut
from bastion_core.cut.plans import Alternative, Instead, Whole, seen_of, whole_on
from bastion_core.cut.proposals import Plans, PlansKey, proposed, proposed_of_set
from bastion_core.cut.propose import propose_cuts
from bastion_core.cut.recipe import CutRecipe
from bastion_core.cut.supplied import (
    MateRecord,
    Supplied,
    begin,
    faces_at,
    files_of,
    mates_at,
    proposed_for,
    supplied_seams,
    told,
)
from bastion_core.engine.keeping import plain
from bastion_core.engine.station import Known, Made, Place, Station, Waits
from bastion_core.engine.store import Ref
from bastion_core.errors import RecipeProblem
from bastion_core.findings import Fact, Finding, Note, Remedy, Said, Verdict, counted, mm, say
from bastion_core.fit.recipe import FitRecipe
from bastion_core.fit.scale import Scale
from bastion_core.formats.glb import simplified, write_glb
from bastion_core.geometry.arrays import corners, three
from bastion_core.geometry.place import scaling
from bastion_core.geometry.solid import Solid
from bastion_core.join.recipe import JoinRecipe
from bastion_core.pieces.hardware import seat_of
from bastion_core.pieces.recipe import FeatureUse, PiecesRecipe
from bastion_core.pieces.shaped import Fitted, Shaped
from bastion_core.pieces.station import PiecesData, PiecesResult
from bastion_core.print.recipe import PrintRecipe
from bastion_core.progress import Progress, silent, span
from bastion_core.shop import Printer
from bastion_core.takeaway import part_name

PART_TRIANGLES = 30_000
_MUCH_CARE_CM = 1.0
NO_PRINTER = "There is no printer to cut for. Add one in the shop, or choose others under Cut."


@dataclass(frozen=True)
class CutInputs:
    """All that a parting depends on."""

    of: PlansKey
    """What its plans depend on."""
    cuts: tuple[Cut, ...] | None
    as_one: tuple[str, ...]
    site: str
    name: str
    """What its parts' names begin with."""
    aim: Aim = "least"
    others: tuple[Bed, ...] = ()
    """Printers of the shop that were not chosen for it, and take it whole."""


@dataclass(frozen=True)
class SeamSeen:
    """A seam between two parts: how long it is where it shows, how much of that is seen (cm)."""

    id: str
    cut_id: str
    parts: tuple[str, str]
    cm: float
    seen_cm: float
    care_cm: float = 0.0
    """Of its length, what runs through relief, thin webs, openings the wearer looks through or walls that carry something."""


@dataclass(frozen=True)
class PartRecord:
    """A part as it is told: ``id`` stays while the cuts that bound it stay."""

    id: str
    name: str
    size_mm: tuple[float, float, float]
    centre_mm: tuple[float, float, float]
    volume_mm3: float
    fits: tuple[str, ...]
    """Names of the printers it fits."""
    files: tuple[int, ...] = ()
    """Of a set: numbers of the files it is made of."""
    sides: tuple[tuple[str, int], ...] = ()
    """On which side of which cut it lies: the limits of a further cut that is to go through it alone."""


@dataclass(frozen=True)
class CutResult:
    """How many parts and seams there are, and what is wrong with them."""

    parts: int
    seams: int
    findings: tuple[Said, ...]
    misfits: tuple[str, ...]
    """Parts that fit no printer."""
    proposed: bool
    whole_fits: dict[str, bool]
    """For each printer whether it takes the piece whole."""
    mates: tuple[MateRecord, ...] = ()
    """Where the files of a set meet."""
    fitted: tuple[Fitted, ...] = ()
    """What became of each hole whose use is decided."""
    grown: tuple[FeatureUse, ...] = ()
    """Holes that grew or shrank with the piece, with what they were most likely made for."""
    grown_by_mm: float = 0.0
    """The most that one of them is wider (or narrower) than it was made."""
    seen_cm: float = 0.0
    """Of all seams."""
    care_cm: float = 0.0
    """Of the seams that planes make, what runs where it takes more care."""
    no_way: bool = False
    """Whether the places to keep out of leave no plan."""
    leans_on: tuple[Ref, ...] = ()
    """What it was made with and is kept beside it: the plans."""
    instead: Instead | None = None
    """Of a piece that fits a printer whole: what it would cost in parts, where that is clearly less."""
    unneeded: tuple[str, ...] = ()
    """The maker's planes without which every part would still fit a printer."""


@dataclass(frozen=True)
class CutData:
    """The planes in force and the parts they give."""

    cuts: tuple[Cut, ...]
    parts: tuple[PartRecord, ...]
    seams: tuple[SeamSeen, ...] = ()
    alternatives: tuple[Alternative, ...] = ()
    aim: Aim | None = None
    """The proposed plan that is in force; None for the maker's own planes, or where it needs none."""
    whole: Whole | None = None
    """What it takes in one piece, where a printer that was not chosen takes it so."""


@dataclass(frozen=True, eq=False)
class CutOutcome:
    """The planes in force, what they give, and for each printer whether the whole piece would fit it."""

    cuts: tuple[Cut, ...]
    proposed: bool
    parting: Parting
    whole_fits: dict[str, bool]
    fits: dict[str, tuple[str, ...]]
    """Names of the printers each part fits."""

    @property
    def misfits(self) -> tuple[str, ...]:
        """Parts that fit no printer."""
        return tuple(name for name, printers in self.fits.items() if not printers)


def cut_piece(
    solid: Solid,
    printers: Sequence[Printer],
    scale: Scale,
    name: str,
    site: str = "other",
    cuts: Sequence[Cut] | None = None,
    progress: Progress = silent,
    supplied: Supplied | None = None,
    planned: Alternative | None = None,
    of_parts: Mapping[str, Sequence[Cut]] | None = None,
) -> CutOutcome:
    """Part a scaled piece: by the maker's planes where there are any (an empty list is a decision too), else as proposed.

    A set (``supplied``) keeps the parts it came in where they fit. ``planned`` is the plan that is proposed, where one was found, ``of_parts`` the
    same for parts of a set by their ids; else planes are looked for by the size of the parts alone. RecipeProblem when there is no printer.
    """
    if not printers:
        raise RecipeProblem(NO_PRINTER)
    hull = hull_points(solid.mesh().vertices)
    whole = {p.name: fits(hull, p) is not None for p in printers}
    proposed = cuts is None
    if supplied is not None:
        if cuts is None:
            cuts = proposed_for(supplied, printers, scale, name, site, span(progress, 0.0, 0.7), of_parts or {})
        parting = with_supplied_seams(part_solid(supplied.parts, cuts, scale, name, span(progress, 0.7, 1.0)), supplied)
    elif cuts is not None:
        parting = part_solid(solid, cuts, scale, name, progress)
    elif planned is None and any(whole.values()):
        cuts, parting = (), part_solid(solid, (), scale, name, progress)
    elif planned is not None and _complete(parting := part_solid(solid, planned.cuts, scale, name, progress), printers):
        cuts = planned.cuts
    else:
        proposal = propose_cuts(solid, printers, scale, name, site, progress)
        cuts, parting = proposal.cuts, proposal.parting
    hulls = {p.name: hull_points(p.solid.mesh().vertices) for p in parting.parts}
    fitting = {part: tuple(p.name for p in printers if fits(h, p)) for part, h in hulls.items()}
    return CutOutcome(tuple(cuts), proposed, parting, whole, fitting)


def _complete(parting: Parting, printers: Sequence[Printer]) -> bool:
    """Whether every part fits some printer, and none is a crumb."""
    return not parting.findings and all(fits_any(p.solid, printers) for p in parting.parts)


def with_supplied_seams(parting: Parting, supplied: Supplied) -> Parting:
    """The parting with the seams between files that are kept, and what is to be said of them."""
    seams = (*parting.seams, *supplied_seams(parting.parts, supplied.faces))
    return replace(parting, seams=seams, findings=(*parting.findings, *supplied.said))


def supplied_of(shaped: Shaped, scale: Scale, as_one: tuple[str, ...], place: Place) -> tuple[Supplied | None, tuple[MateRecord, ...]]:
    """What a set begins with at its scale, and where its files meet; None for a piece that is no set."""
    if not shaped.standing.files:
        return None, ()
    ref = shaped.standing.piece
    known, matrix = place.result(ref, PiecesResult), scaling(*scale) @ shaped.standing.matrix
    records = mates_at(known.mates, as_one, matrix)
    return begin(shaped.parts(place, scale), faces_at(known.mates, records, place.data(ref, PiecesData).features, matrix)), records


@dataclass(frozen=True)
class PartingKey:
    """What a parting is made of: solids of it stay alive for the joints."""

    shaped: Shaped
    scale: Scale
    cuts: tuple[Cut, ...]
    as_one: tuple[str, ...]
    name: str

    def parting(self, place: Place) -> Parting:
        """The parting itself, alive from the cut or made again."""
        return place.live(self, lambda: self._made(place))

    def _made(self, place: Place) -> Parting:
        supplied, _ = supplied_of(self.shaped, self.scale, self.as_one, place)
        if supplied is None:
            return part_solid(self.shaped.scaled(place, self.scale), self.cuts, self.scale, self.name)
        return with_supplied_seams(part_solid(supplied.parts, self.cuts, self.scale, self.name), supplied)


def shaped_of(case: Case, known: Mapping[str, Known[Any]]) -> Shaped:
    """A piece as it stands, with what its holes are for and what the shop holds of clearances and walls."""
    pieces = case.of(PiecesRecipe)
    standing = pieces.standing(known["pieces"].ref)
    if not pieces.features:
        return Shaped(standing)
    numbers, plastic = case.of(CutRecipe).printer_ids, case.of(PrintRecipe).material
    gap = case.of(JoinRecipe).gap(case.shop, numbers, plastic)
    return Shaped(standing, pieces.features, gap, case.shop.pin_wall_mm, case.shop.fitted("magnet", numbers, plastic))


class CutStation(Station[Case, CutInputs, CutResult]):
    """Where it is parted."""

    key, title, after, weight, edition = "cut", "Cut", ("pieces", "fit"), 0.28, 7
    recipe, result, data = CutRecipe, CutResult, CutData

    def inputs(self, case: Case, known: Mapping[str, Known[Any]]) -> CutInputs | Waits:
        """The piece at its scale, the beds, the maker's planes. It hangs on the scale the fit gave, not on the measurements."""
        r = case.of(CutRecipe)
        beds = tuple(Bed.of(p) for p in case.shop.chosen(r.printer_ids))
        if not beds:
            return Waits(say(NO_PRINTER))
        site = case.of(PiecesRecipe).site
        scale = known["fit"].result.scale
        opens = case.of(FitRecipe).way_in == "split"
        # A printer that was not chosen says something only where it alone takes the piece whole: the others change nothing.
        shaped = shaped_of(case, known)
        hull = corners(np.zeros(3), np.array(scale) * (np.abs(shaped.standing.matrix[:3, :3]) @ known["pieces"].result.size_mm))
        whole = any(fits(hull, b.printer()) for b in beds)
        others = () if whole else tuple(b for p in case.shop.chosen() if (b := Bed.of(p)) not in beds and fits(hull, p))
        key = PlansKey(shaped, scale, beds, r.keep_out, case.shop.weights, opens, known["fit"].result.clear)
        return CutInputs(key, r.cuts, r.as_one, site, part_name(case.name), r.aim, others)

    def run(self, inputs: CutInputs, place: Place, progress: Progress) -> Made[CutResult]:
        """The parts, and all of them for the stage (``parts.glb``)."""
        key = inputs.of
        solid = key.shaped.scaled(place, key.scale)
        supplied, mates = supplied_of(key.shaped, key.scale, inputs.as_one, place)
        printers = [b.printer() for b in key.beds]
        whole = fits_any(solid, printers)
        sight = key.sight(solid, place)
        plans, leans_on = Plans(), list[Ref]()
        of_parts: dict[str, Sequence[Cut]] = {}
        if supplied is None:
            plans, ref = proposed(key, place, span(progress, 0.0, 0.7))
            leans_on.append(ref)
        elif inputs.cuts is None:
            of_parts, refs = proposed_of_set(supplied, inputs.as_one, inputs.aim, key, place, span(progress, 0.0, 0.7))
            leans_on += refs
        larger = None
        if plans.found and not whole:
            others = [b.printer() for b in inputs.others]
            larger = place.live(
                ("whole", key.shaped, key.scale, inputs.others, key.weights),
                lambda: whole_on(solid, others, key.weights),
            )
        planned = next((a for a in plans.found if inputs.aim in a.aims), None)
        made = cut_piece(
            solid, printers, key.scale, inputs.name, inputs.site, inputs.cuts, span(progress, 0.7, 0.95), supplied, planned, of_parts
        )
        parting = place.live(PartingKey(key.shaped, key.scale, made.cuts, inputs.as_one, inputs.name), lambda: made.parting)
        seams = tuple(
            SeamSeen(s.id, s.cut_id, (s.above, s.below), round(c.seam_cm, 1), round(c.seen_cm, 1), round(c.care_cm, 1))
            for s in parting.seams
            for c in (seen_of(s, sight),)
        )
        parts = tuple(
            PartRecord(
                p.id, p.name, three(p.solid.size), three(p.solid.bounds.mean(axis=0)), p.solid.volume, made.fits[p.name], files_of(p),
                tuple(sorted(p.sides.items())),
            )
            for p in parting.parts
        )  # fmt: skip
        write_glb({p.name: simplified(p.solid.mesh(), PART_TRIANGLES) for p in parting.parts}, place.folder / "parts.glb")
        result = CutResult(
            len(parts), len(parting.seams), parting.findings, made.misfits, made.proposed, made.whole_fits, mates,
            key.shaped.fitted(place, key.scale), *key.shaped.grown(place, key.scale),
            seen_cm=round(sum(s.seen_cm for s in seams), 1), care_cm=round(sum(s.care_cm for s in seams if s.cut_id in {c.id for c in made.cuts}), 1), no_way=bool(key.keep_out) and not plans.found and supplied is None and not whole,
            leans_on=tuple(leans_on), instead=plans.instead,
            unneeded=() if made.proposed or key.lengthwise or len(parts) <= plans.most_parts else unneeded(parting, made.cuts, printers),
        )  # fmt: skip
        looked_at, shares = sight.to_look_at()
        write_glb({"seen": looked_at}, place.folder / "seen.glb", {"seen": shares})
        in_force = inputs.aim if planned is not None and made.cuts == planned.cuts else None
        return Made(result, CutData(made.cuts, parts, seams, plans.found, in_force, larger))

    def findings(self, case: Case, result: CutResult) -> tuple[Finding | Note, ...]:
        """Parts for no bed, and what is odd about the planes."""
        remedies = (Remedy(say("Propose planes"), {"cuts": None}), Remedy(say("Use all printers"), {"printer_ids": []}))
        said: list[Finding | Note] = [
            Finding("misfit", Verdict.STOPS, say("{} fits no printer chosen for this piece.", name), remedies=remedies)
            for name in result.misfits
        ]
        if result.no_way and result.proposed:
            words = "The places where no seam may run leave no plan in which every part fits a printer: the planes shown pass through them."
            said.append(Finding("no-way", Verdict.TIGHT, say(words), remedies=(Remedy(say("Allow seams everywhere"), {"keep_out": []}),)))
        if case.of(CutRecipe).cuts == () and not result.misfits and not result.findings:
            said.append(Note("kept-whole", say("Kept in one piece by the maker.")))
        said += [Finding("parting", Verdict.TIGHT, text) for text in result.findings]
        if result.care_cm >= _MUCH_CARE_CM:
            words = "{} of seam run through relief, thin webs, openings that are looked through or walls that carry something."
            said.append(Note("care", say(words + " Move the planes, or file those places by hand.", mm(10 * result.care_cm))))
        said += _of_planes(case.of(CutRecipe), result)
        names = [f.name for f in case.of(PiecesRecipe).files]
        said += [Finding("gap", Verdict.TIGHT, text) for text in told(result.mates, names)]
        if result.grown:
            decided = [plain(u) for u in case.of(PiecesRecipe).features]
            words = "{} made for something of a fixed size came out up to {} {} by the scale: say under Pieces what they are for."
            wider = "wider" if result.grown_by_mm > 0 else "narrower"
            text = say(words, counted(len(result.grown), "hole"), mm(abs(result.grown_by_mm), digits=2), wider)
            remedy = Remedy(say("Make them true to size"), {"features": decided + [plain(u) for u in result.grown]})
            said.append(Finding("grown", Verdict.TIGHT, text, remedies=(remedy,)))
        said += [_of_fitted(case, one) for one in result.fitted if one.verdict > Verdict.HOLDS]
        return tuple(said)

    def fact(self, result: CutResult) -> Fact:
        """Its parts; its seams, or that some fit no bed."""
        under = f"{len(result.misfits)} fit no bed" if result.misfits else counted(result.seams, "seam") if result.seams else "in one piece"
        return Fact(say(counted(result.parts, "part")), say(under))


def _of_planes(recipe: CutRecipe, result: CutResult) -> list[Finding | Note]:
    """Planes that are not needed any more, or that would buy something."""
    said: list[Finding | Note] = []
    for number, cut in enumerate(recipe.cuts or (), 1):
        if cut.id in result.unneeded:
            words = say(f"Plane {number} is not needed for the printers: without it every part still fits one.")
            remedy = Remedy(say(f"Delete plane {number}"), {"cuts": plain(without_cut(recipe.cuts or (), cut.id))})
            said.append(Finding("unneeded", Verdict.HOLDS, words, remedies=(remedy,)))
    if recipe.cuts is None and result.instead is not None:
        remedy = Remedy(say(f"Cut it into {result.instead.parted.parts}"), {"cuts": plain(result.instead.parted.cuts)})
        said.append(Finding("cheaper", Verdict.HOLDS, result.instead.text, remedies=(remedy,)))
    return said


def _of_fitted(case: Case, one: Fitted) -> Finding:
    """A hole that did not come out as decided; leaving it as it came mends it."""
    left = [plain(u) for u in case.of(PiecesRecipe).features if u.at_mm != one.at_mm]
    words = say("{}: {}", seat_of(one.use, 0.0).label.capitalize(), one.text.small())
    return Finding(one.state, one.verdict, words, remedies=(Remedy(say("Leave it as it came"), {"features": left}),))
