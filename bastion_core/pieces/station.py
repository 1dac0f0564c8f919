"""The station Pieces: files read, their unit guessed, mended into sound solids, put beside each other; what of a fixed size is in them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np

from bastion_core.case import Case
from bastion_core.engine.keeping import plain
from bastion_core.engine.station import Known, Made, Place, Station
from bastion_core.engine.store import Ref
from bastion_core.errors import BastionError
from bastion_core.findings import Fact, Finding, Note, Remedy, Said, Verdict, counted, mm, say
from bastion_core.formats.glb import simplified, write_glb
from bastion_core.formats.reading import read_mesh
from bastion_core.geometry.arrays import three
from bastion_core.geometry.mesh import Mesh
from bastion_core.geometry.place import turn_to_up
from bastion_core.geometry.solid import Solid, united
from bastion_core.pieces.features import Feature, Found, find_features
from bastion_core.pieces.hardware import likely_uses
from bastion_core.pieces.intake import OVERLAPS, TOUCHES, Intake, mended_at, unit_of
from bastion_core.pieces.mating import Joint, Mate, faces_of, mates_of, put_together
from bastion_core.pieces.mend import Faults
from bastion_core.pieces.recipe import PiecesRecipe
from bastion_core.pieces.sets import SetFile
from bastion_core.pieces.standing import PART, SOLID, save_mesh
from bastion_core.progress import Progress, span

PREVIEW_TRIANGLES = 60_000
VOID = "void{}.npz"
"""What would fill a hollow feature."""
_SHADOW_MM = 0.2
MOST_BODIES_AS_SET, _LEAST_BODY_SHARE = 12, 0.005
"""A file of more loose bodies, or of bodies so small beside the whole, is no set in one file; common practice, no source."""


@dataclass(frozen=True)
class PiecesInputs:
    """All that the mended solids depend on."""

    files: tuple[SetFile, ...]
    unit: str
    site: str
    apart: bool
    """Whether it is a set; else the one file as it lies."""


@dataclass(frozen=True)
class FileRecord:
    """A file of a set, mended (mm)."""

    size_mm: tuple[float, float, float]
    centre_mm: tuple[float, float, float]
    """Of its bounds, in its place."""
    volume_mm3: float
    triangles: int
    watertight: bool
    mended: tuple[str, ...]


@dataclass(frozen=True)
class PiecesResult:
    """What is known of a file, or a set of them, once it is a solid, in millimetres."""

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
    files: tuple[FileRecord, ...] = ()
    """Of a set."""
    mates: tuple[Mate, ...] = ()
    strays: tuple[int, ...] = ()
    """Numbers of the files that touch no other and match none."""
    together: tuple[SetFile, ...] = ()
    """The files put together by faces that match; empty where they are together or cannot be."""
    joints: tuple[Joint, ...] = ()
    unpaired: tuple[int, ...] = ()
    """Numbers of the files with a face that has pockets or pegs and no partner."""
    as_set: tuple[SetFile, ...] = ()
    """The bodies of a file as a set; empty where it is one already, or has one body."""
    holes: int = 0
    """Handles of the surface: holes that go through."""
    features: int = 0
    shadows_mm2: tuple[float, ...] = ()
    """From the front, the side and above, as it lies."""


@dataclass(frozen=True)
class PiecesData:
    """What was wrong with the surface as it came, and everything of a fixed size in it, in the files' own coordinates."""

    faults: Faults
    features: tuple[Feature, ...] = ()
    filled: tuple[bool, ...] = ()
    """For each feature, whether what would fill it is known (``void{n}.npz``)."""
    likely: tuple[tuple[str, ...], ...] = ()
    """For each feature, what it was most likely made for."""


@dataclass(frozen=True)
class _Parts:
    """Mended files, each in its place."""

    takens: tuple[Intake, ...]
    solids: tuple[Solid, ...]
    meshes: tuple[Mesh, ...]


class PiecesStation(Station[Case, PiecesInputs, PiecesResult]):
    """What came in."""

    key, title, queue, weight, edition = "pieces", "Pieces", "pieces", 0.2, 3
    recipe, result, data = PiecesRecipe, PiecesResult, PiecesData

    def inputs(self, case: Case, known: Mapping[str, Known[Any]]) -> PiecesInputs:
        """The files in their places, their unit, and where the piece is worn, which helps to guess the unit."""
        r = case.of(PiecesRecipe)
        # A name says nothing of the shape.
        files = tuple(replace(f, name="") for f in r.files)
        return PiecesInputs(files or (SetFile(case.sha256, ""),), r.unit, r.site, r.is_set)

    def run(self, inputs: PiecesInputs, place: Place, progress: Progress) -> Made[PiecesResult]:
        """The mended solid (``solid.npz``), that of each file of a set (``part0.npz`` …), what would fill each hollow, and a preview."""
        parts = _taken_in(inputs, place, span(progress, 0.0, 0.7))
        whole = parts.solids[0] if len(parts.solids) == 1 else united(parts.solids)
        mesh = parts.meshes[0] if len(parts.solids) == 1 else whole.mesh()
        save_mesh(mesh, place.folder / SOLID)
        preview = PREVIEW_TRIANGLES // len(parts.meshes)
        shown = {f"file {k + 1}": simplified(m, preview) for k, m in enumerate(parts.meshes)}
        write_glb(shown if inputs.apart else {"piece": simplified(mesh, PREVIEW_TRIANGLES)}, place.folder / "preview.glb")
        if inputs.apart:
            for k, part in enumerate(parts.meshes):
                save_mesh(part, place.folder / PART.format(k))
        progress(0.75, "looking for holes and slots")
        found = [f for k, m in enumerate(parts.meshes) for f in find_features(m, k)]
        for k, one in enumerate(found):
            if one.void is not None:
                save_mesh(one.void, place.folder / VOID.format(k))
        result = _result(inputs, parts, whole, mesh, found, span(progress, 0.8, 1.0))
        features = tuple(f.feature for f in found)
        data = PiecesData(
            parts.takens[0].health.faults, features, tuple(f.void is not None for f in found), tuple(likely_uses(f) for f in features)
        )  # fmt: skip
        return Made(result, data)

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
        if result.as_set:
            words = "The file holds {} bodies. Taken as a set, each stays a part of its own and is told where it meets the others."
            remedy = Remedy(say("Take them as a set"), {"files": plain(result.as_set)})
            said.append(Finding("bodies", Verdict.HOLDS, say(words, str(len(result.as_set))), remedies=(remedy,)))
        return (*said, *_of_set(case.of(PiecesRecipe), result))

    def fact(self, result: PiecesResult) -> Fact:
        """Its longest side; its files, its triangles, or that it was mended."""
        n = result.triangles
        count = f"{n / 1000:,.0f} k" if n >= 10_000 else f"{n:,}"
        below = counted(len(result.files), "file") if result.files else "mended" if not result.watertight else f"{count} triangles"
        return Fact(say("{} long", mm(max(result.size_mm))), say(below))


def _of_set(recipe: PiecesRecipe, result: PiecesResult) -> list[Finding | Note]:
    """How the files of a set go together."""
    named = {k: f.name for k, f in enumerate(recipe.files)}
    said: list[Finding | Note] = []
    if recipe.worn_apart:
        return said
    if result.together:
        pairs = "; ".join(f"{named.get(j.files[0], '?')} with {named.get(j.files[1], '?')}" for j in result.joints)
        off = max(j.off_mm for j in result.joints)
        words = "These files lie apart, but faces of them match: {}, rims within {} of each other."
        placed = [plain(replace(f, name=named.get(k, ""))) for k, f in enumerate(result.together)]
        remedy = Remedy(say("Put them together"), {"files": placed})
        said.append(Finding("apart", Verdict.STOPS, say(words, pairs, mm(off, digits=2)), remedies=(remedy,)))
        if any(j.turns > 1 for j in result.joints):
            said.append(Note("turns", say("A face goes on in more than one way: look whether it is the right one.")))
    for number in result.strays:
        left = [plain(f) for k, f in enumerate(recipe.files) if k != number]
        words = "{} touches no other file and no face of it matches any: it belongs elsewhere, or has to be moved by hand."
        remedies = (Remedy(say("Leave it out"), {"files": left}), Remedy(say("Straps hold them"), {"worn_apart": True}))
        said.append(Finding("stray", Verdict.STOPS, say(words, named.get(number, "A file")), remedies=remedies))
    for number in result.unpaired:
        words = "{} has a flat face with pockets or pegs that no other file lies against: is a file of the set missing?"
        said.append(Finding("missing", Verdict.TIGHT, say(words, named.get(number, "A file"))))
    return said


def _taken_in(inputs: PiecesInputs, place: Place, progress: Progress) -> _Parts:
    """Every file read, mended and put in its place; BastionError naming the file that cannot be."""
    sources, count = {}, len(inputs.files)
    for k, file in enumerate(inputs.files):
        progress(0.02 + 0.15 * k / count, "reading the file" if count == 1 else f"reading file {k + 1} of {count}")
        if file.sha256 in sources:
            continue
        sources[file.sha256] = read_mesh(place.source(file.sha256))
        # Something to look at before the mending: what the maker dropped, seconds after it was dropped.
        early = place.early(Ref("preview", file.sha256))
        if early is not None:
            with early as folder:
                write_glb({"piece": simplified(sources[file.sha256].mesh, PREVIEW_TRIANGLES)}, folder / "preview.glb")
    # One unit for all: a bolt alone would be taken for centimetres.
    longest = max(float(s.mesh.size.max()) for s in sources.values())
    takens: dict[str, Intake] = {}
    for k, (sha, source) in enumerate(sources.items()):
        part = span(progress, 0.2 + 0.7 * k / len(sources), 0.2 + 0.7 * (k + 1) / len(sources))
        guess, factor = unit_of(source, longest, inputs.site, inputs.unit or None)
        try:
            takens[sha] = place.live(("mended", sha, factor), partial(mended_at, source, guess, factor, part))
        except BastionError as problem:
            if count == 1:
                raise
            number = next(n for n, f in enumerate(inputs.files, 1) if f.sha256 == sha)
            raise type(problem)(say("File {} of the set: {}", str(number), problem.said)) from problem
    if not inputs.apart:
        taken = takens[inputs.files[0].sha256]
        return _Parts((taken,), (taken.solid,), (taken.mesh,))
    solids = [f.chosen(takens[f.sha256].solid) for f in inputs.files]
    placed = tuple(s if np.allclose(f.matrix, np.eye(4)) else s.transformed(f.matrix) for s, f in zip(solids, inputs.files, strict=True))
    return _Parts(tuple(takens[f.sha256] for f in inputs.files), placed, tuple(s.mesh() for s in placed))


def _result(inputs: PiecesInputs, parts: _Parts, whole: Solid, mesh: Mesh, found: Sequence[Found], progress: Progress) -> PiecesResult:
    first = max(parts.takens, key=lambda t: t.health.volume_mm3)
    h, several = first.health, inputs.apart
    thinnest = [t.health.thinnest_wall_mm for t in parts.takens if t.health.thinnest_wall_mm is not None]
    mended = tuple(dict.fromkeys(m for t in parts.takens for m in t.health.mended))
    told: dict[str, Any] = {}
    sentences = tuple(h.sentences())
    if several:
        told = _set_result(inputs, parts, found, progress)
        sentences = (say(f"{counted(len(parts.solids), 'file')}, {counted(len(told['mates']), 'place')} where they meet."),)
        sentences += tuple(say("Mended: {}.", what) for what in mended)
    elif 1 < h.bodies <= MOST_BODIES_AS_SET:
        bodies = whole.bodies()
        if min(b.volume for b in bodies) >= _LEAST_BODY_SHARE * whole.volume:
            told["as_set"] = tuple(SetFile(inputs.files[0].sha256, f"body {k + 1}", k) for k in range(len(bodies)))
    x, y, z = (float(v) for v in mesh.size)
    return PiecesResult(
        unit=first.unit, unit_reason=first.unit_guess.reason, unit_sure=first.unit_guess.sure, size_mm=(x, y, z),
        triangles=sum(t.health.triangles for t in {id(t): t for t in parts.takens}.values()), volume_mm3=whole.volume,
        watertight=all(t.health.watertight_as_it_came for t in parts.takens), overlaps=any(t.health.overlaps_itself for t in parts.takens),
        bodies=h.bodies if not several else len(parts.solids), mended=mended, sentences=sentences,
        thinnest_wall_mm=min(thinnest) if thinnest else None, touching_edges=sum(t.health.faults.touching_edges for t in parts.takens),
        chord_error_mm=max(t.health.chord_error_mm for t in parts.takens), holes=sum(s.manifold.genus() for s in parts.solids if not s.is_empty),
        features=len(found), shadows_mm2=_shadows(whole), **told,
    )  # fmt: skip


def _shadows(whole: Solid) -> tuple[float, ...]:
    """Areas (mm²) from the front, the side and above."""
    plain = Solid(whole.manifold.simplify(_SHADOW_MM))
    return tuple(round(float(plain.transformed(turn_to_up(view)).outline().area), 1) for view in np.eye(3)[[1, 0, 2]])


def _set_result(inputs: PiecesInputs, parts: _Parts, found: Sequence[Found], progress: Progress) -> dict[str, Any]:
    """How the files of a set lie to each other."""
    faces = [faces_of(m) for m in parts.meshes]
    mates = mates_of(parts.meshes, faces, span(progress, 0.0, 0.5))
    assembly = put_together(parts.meshes, faces, mates, span(progress, 0.5, 1.0))
    together = tuple(f.placed(m) for f, m in zip(inputs.files, assembly.moves, strict=True)) if assembly.joints else ()
    records = tuple(
        FileRecord(three(m.size), three(m.bounds.mean(axis=0)), s.volume, m.triangle_count, t.health.watertight_as_it_came, t.health.mended)
        for m, s, t in zip(parts.meshes, parts.solids, parts.takens, strict=True)
    )  # fmt: skip
    unpaired = () if assembly.joints else tuple(_unpaired(mates, [f.feature for f in found], len(parts.meshes)))
    return {
        "files": records,
        "mates": mates,
        "strays": assembly.strays,
        "together": together,
        "joints": assembly.joints,
        "unpaired": unpaired,
    }


def _unpaired(mates: Sequence[Mate], features: Sequence[Feature], count: int) -> list[int]:
    """Files of which several pockets or pegs look out of one plane in which nothing lies against them."""
    found = []
    for file in range(count):
        planes: dict[tuple[float, ...], list[Feature]] = {}
        for f in features:
            if f.file == file and f.kind in ("round", "peg") and not f.through and f.width_mm <= 12:
                n = np.array(f.axis)
                key = (*np.round(n, 2), round(float(n @ np.array(f.at_mm))))
                planes.setdefault(tuple(float(v) + 0.0 for v in key), []).append(f)
        for (x, y, z, at), inside in planes.items():
            normal = np.array((x, y, z))
            met = any(
                file in m.files and abs(float(np.array(m.normal) @ normal)) > 0.99 and abs(float(np.array(m.at_mm) @ normal) - at) < 3.0
                for m in mates
            )  # fmt: skip
            if len(inside) >= 2 and not met:
                found.append(file)
                break
    return found
