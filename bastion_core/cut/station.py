"""The station Cut: which beds take a piece, whole or parted, and by which planes."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from bastion_core.case import Case
from bastion_core.cut.beds import fits, hull_points
from bastion_core.cut.parting import Cut, Parting, part_solid
from bastion_core.cut.propose import propose_cuts
from bastion_core.cut.recipe import CutRecipe
from bastion_core.engine.station import Known, Made, Place, Station, Waits
from bastion_core.errors import RecipeProblem
from bastion_core.findings import Fact, Finding, Note, Remedy, Said, Verdict, counted, say
from bastion_core.fit.scale import Scale
from bastion_core.formats.glb import simplified, write_glb
from bastion_core.geometry.solid import Solid
from bastion_core.pieces.recipe import PiecesRecipe
from bastion_core.pieces.standing import Standing
from bastion_core.progress import Progress, silent
from bastion_core.shop import Printer
from bastion_core.takeaway import part_name

PART_TRIANGLES = 30_000
NO_PRINTER = "There is no printer to cut for. Add one in the shop, or choose others under Cut."


@dataclass(frozen=True)
class Bed:
    """What of a printer the cut depends on."""

    name: str
    usable_mm: tuple[float, float, float]

    def printer(self) -> Printer:
        """A printer of that usable volume."""
        return Printer(self.name, *self.usable_mm, margin_mm=0.0)


@dataclass(frozen=True)
class CutInputs:
    """All that a parting depends on."""

    standing: Standing
    scale: Scale
    beds: tuple[Bed, ...]
    cuts: tuple[Cut, ...] | None
    site: str
    name: str
    """What its parts' names begin with."""


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


@dataclass(frozen=True)
class CutData:
    """The planes in force and the parts they give."""

    cuts: tuple[Cut, ...]
    parts: tuple[PartRecord, ...]


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
) -> CutOutcome:
    """Part a scaled piece: by the maker's planes where there are any (an empty list is a decision too), else as proposed.

    RecipeProblem when there is no printer.
    """
    if not printers:
        raise RecipeProblem(NO_PRINTER)
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
class PartingKey:
    """What a parting is made of: solids of it stay alive for the joints."""

    standing: Standing
    scale: Scale
    cuts: tuple[Cut, ...]
    name: str

    def parting(self, place: Place) -> Parting:
        """The parting itself, alive from the cut or made again."""
        return place.live(self, lambda: part_solid(self.standing.scaled(place, self.scale), self.cuts, self.scale, self.name))


class CutStation(Station[Case, CutInputs, CutResult]):
    """Where it is parted."""

    key, title, after, weight = "cut", "Cut", ("pieces", "fit"), 0.28
    recipe, result, data = CutRecipe, CutResult, CutData

    def inputs(self, case: Case, known: Mapping[str, Known[Any]]) -> CutInputs | Waits:
        """The piece at its scale, the beds, the maker's planes. It hangs on the scale the fit gave, not on the measurements."""
        pieces, r = case.of(PiecesRecipe), case.of(CutRecipe)
        beds = tuple(Bed(p.name, p.usable_mm) for p in case.shop.chosen(r.printer_ids))
        if not beds:
            return Waits(say(NO_PRINTER))
        standing = Standing(known["pieces"].ref, pieces.turns, pieces.mirrored)
        return CutInputs(standing, known["fit"].result.scale, beds, r.cuts, pieces.site, part_name(case.name))

    def run(self, inputs: CutInputs, place: Place, progress: Progress) -> Made[CutResult]:
        """The parts, and all of them for the stage (``parts.glb``)."""
        solid = inputs.standing.scaled(place, inputs.scale)
        printers = [b.printer() for b in inputs.beds]
        made = cut_piece(solid, printers, inputs.scale, inputs.name, inputs.site, inputs.cuts, progress)
        parting = place.live(PartingKey(inputs.standing, inputs.scale, made.cuts, inputs.name), lambda: made.parting)
        parts = tuple(
            PartRecord(
                p.id, p.name, _three(p.solid.size), _three(p.solid.bounds.mean(axis=0)), p.solid.volume, made.fits[p.name]
            )
            for p in parting.parts
        )  # fmt: skip
        write_glb({p.name: simplified(p.solid.mesh(), PART_TRIANGLES) for p in parting.parts}, place.folder / "parts.glb")
        result = CutResult(len(parts), len(parting.seams), parting.findings, made.misfits, made.proposed, made.whole_fits)
        return Made(result, CutData(made.cuts, parts))

    def findings(self, case: Case, result: CutResult) -> tuple[Finding | Note, ...]:
        """Parts for no bed, and what is odd about the planes."""
        remedies = (Remedy(say("Propose planes"), {"cuts": None}), Remedy(say("Use all printers"), {"printer_ids": []}))
        said: list[Finding | Note] = [
            Finding("misfit", Verdict.STOPS, say("{} fits no printer chosen for this piece.", name), remedies=remedies)
            for name in result.misfits
        ]
        if case.of(CutRecipe).cuts == () and not result.misfits and not result.findings:
            said.append(Note("kept-whole", say("Kept in one piece by the maker.")))
        said += [Finding("parting", Verdict.TIGHT, text) for text in result.findings]
        return tuple(said)

    def fact(self, result: CutResult) -> Fact:
        """Its parts; its seams, or that some fit no bed."""
        under = f"{len(result.misfits)} fit no bed" if result.misfits else counted(result.seams, "seam") if result.seams else "in one piece"
        return Fact(say(counted(result.parts, "part")), say(under))


def _three(values: Any) -> tuple[float, float, float]:
    x, y, z = (float(v) for v in values)
    return x, y, z
