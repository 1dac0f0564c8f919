"""The station Pieces: a file read, its unit guessed, mended into a sound solid."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from bastion_core.case import Case
from bastion_core.engine.station import Known, Made, Place, Station
from bastion_core.engine.store import Ref
from bastion_core.findings import Fact, Finding, Note, Said, Verdict, mm, say
from bastion_core.formats.glb import simplified, write_glb
from bastion_core.formats.reading import read_mesh
from bastion_core.pieces.intake import OVERLAPS, TOUCHES, take_in_mesh
from bastion_core.pieces.mend import Faults
from bastion_core.pieces.recipe import PiecesRecipe
from bastion_core.pieces.standing import SOLID, save_mesh
from bastion_core.progress import Progress

PREVIEW_TRIANGLES = 60_000


@dataclass(frozen=True)
class PiecesInputs:
    """All that a mended solid depends on."""

    sha256: str
    unit: str
    site: str


@dataclass(frozen=True)
class PiecesResult:
    """What is known of a file once it is a solid, in millimetres."""

    unit: str
    unit_reason: Said
    unit_sure: bool
    size_mm: tuple[float, float, float]
    triangles: int
    volume_mm3: float
    watertight: bool
    overlaps: bool
    bodies: int
    mended: tuple[str, ...]
    sentences: tuple[Said, ...]
    thinnest_wall_mm: float | None
    touching_edges: int = 0
    chord_error_mm: float | None = None


@dataclass(frozen=True)
class PiecesData:
    """What was wrong with the surface as it came."""

    faults: Faults


class PiecesStation(Station[Case, PiecesInputs, PiecesResult]):
    """What came in."""

    key, title, queue, weight, edition = "pieces", "Pieces", "pieces", 0.2, 2
    recipe, result, data = PiecesRecipe, PiecesResult, PiecesData

    def inputs(self, case: Case, known: Mapping[str, Known[Any]]) -> PiecesInputs:
        """The file, its unit, and where it is worn, which helps to guess the unit."""
        r = case.of(PiecesRecipe)
        return PiecesInputs(case.sha256, r.unit, r.site)

    def run(self, inputs: PiecesInputs, place: Place, progress: Progress) -> Made[PiecesResult]:
        """The mended solid (``solid.npz``) and a preview."""
        progress(0.02, "reading the file")
        source = read_mesh(place.source(inputs.sha256))
        # Something to look at before the mending: what the maker dropped, seconds after it was dropped.
        early = place.early(Ref("preview", inputs.sha256))
        if early is not None:
            with early as folder:
                write_glb({"piece": simplified(source.mesh, PREVIEW_TRIANGLES)}, folder / "preview.glb")
        progress(0.2, "reading the file")
        taken = take_in_mesh(source, inputs.site, inputs.unit or None, progress)
        save_mesh(taken.mesh, place.folder / SOLID)
        write_glb({"piece": simplified(taken.mesh, PREVIEW_TRIANGLES)}, place.folder / "preview.glb")
        h = taken.health
        result = PiecesResult(
            taken.unit, taken.unit_guess.reason, taken.unit_guess.sure, h.size_mm, h.triangles, h.volume_mm3, h.watertight_as_it_came,
            h.overlaps_itself, h.bodies, h.mended, tuple(h.sentences()), h.thinnest_wall_mm,
            h.faults.touching_edges, h.chord_error_mm,
        )  # fmt: skip
        return Made(result, PiecesData(h.faults))

    def findings(self, case: Case, result: PiecesResult) -> tuple[Finding | Note, ...]:
        """What a maker wants to know before trusting the file."""
        said: list[Finding | Note] = []
        if not result.watertight:
            said.append(Finding("mended", Verdict.TIGHT, say("Not watertight as it came; mended: {}.", "; ".join(result.mended))))
        if result.touching_edges:
            said.append(Finding("touches", Verdict.TIGHT, TOUCHES))
        if result.overlaps:
            said.append(Finding("overlaps", Verdict.TIGHT, OVERLAPS))
        if not result.unit_sure:
            said.append(Finding("unit-guessed", Verdict.TIGHT, say("Unit guessed as {}: {}.", result.unit, result.unit_reason)))
        return tuple(said)

    def fact(self, result: PiecesResult) -> Fact:
        """Its longest side; its triangles, or that it was mended."""
        n = result.triangles
        count = f"{n / 1000:,.0f} k" if n >= 10_000 else f"{n:,}"
        return Fact(say("{} long", mm(max(result.size_mm))), say("{} triangles", count) if result.watertight else say("mended"))
