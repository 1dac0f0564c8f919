"""A piece as the screens are told of it: what every station found, what is to be said of it, and what the last change did."""

from typing import Any

from bastion_core.assemble.records import DRAWINGS
from bastion_core.engine.graph import Graph
from bastion_core.engine.keeping import plain, whole
from bastion_core.engine.recipe import Recipe, written
from bastion_core.engine.store import Ref
from bastion_core.errors import BastionError, FileProblem
from bastion_core.findings import Fact, Finding, Note, Said, Verdict, say, worst
from bastion_core.finish.records import LOOK
from bastion_core.fit.layers import usual_layers
from bastion_core.fit.sites import BY_NAME
from bastion_core.geometry.place import scaling
from bastion_core.join.glue import GlueRecord, glued
from bastion_core.join.recipe import JoinRecipe
from bastion_core.join.station import JoinData
from bastion_core.pieces.holes import Hole, holes_of
from bastion_core.pieces.recipe import PiecesRecipe
from bastion_core.pieces.revision import Revision, as_large, nearly_the_same, revision
from bastion_core.pieces.station import PiecesData, PiecesResult
from bastion_core.print.recipe import PrintRecipe
from bastion_core.recipes import BUILD_RECIPES, Difference, begin_all, change_all, differences
from bastion_core.shop import Shop
from bastion_core.stations import STATIONS
from bastion_site.api.records import (
    Cell,
    DraftRecord,
    Files,
    JobRecord,
    Row,
    StepPartRecord,
    StepRecord,
    StepRef,
    TickRecord,
    Totals,
    Usual,
    WornBy,
)
from bastion_site.builds.models import Build, Piece, Step, StepPart
from bastion_site.engine.cases import PieceGraph
from bastion_site.engine.deciding import next_redo, next_undo
from bastion_site.jobs.models import Job
from bastion_site.prints.bench import ticked
from bastion_site.prints.frozen import altered
from bastion_site.wearers.models import Wearer

_BESIDE = {"name": "Name", "wearer": "Worn by", "due": "Due", "note": "Note"}


def states(graph: Graph, job: Job | None) -> dict[str, str]:
    """Station -> fresh, computing, stale or failed."""
    how = {}
    broken = False
    for key in graph.stations:
        fresh = not broken and graph.found(key) is not None
        if fresh:
            how[key] = "fresh"
        elif job and job.state in Job.ACTIVE:
            how[key] = "computing"
        elif job and job.state == Job.State.FAILED and not broken:
            how[key] = "failed"
        else:
            how[key] = "stale"
        broken = broken or not fresh
    return how


def shown_result(graph: PieceGraph, key: str) -> Any | None:
    """A station's fresh result, else the last one there was, if it can still be read."""
    known = graph.found(key)
    if known is not None:
        return known.result
    ref = graph.last(key)
    kept = ref and graph.store.find(ref)
    if not kept:
        return None
    try:
        return whole(graph.stations[key].result, kept)
    except BastionError:
        return None


def cells(graph: PieceGraph, job: Job | None) -> dict[str, Cell]:
    """Every station as the Wall shows it."""
    now = states(graph, job)
    failing = next((k for k in graph.stations if now[k] != "fresh"), None)
    made = {}
    for key, station in graph.stations.items():
        result = shown_result(graph, key)
        found: tuple[Finding | Note, ...] = ()
        fact = Fact()
        if result is not None:
            found, fact = station.findings(graph.case, result), station.fact(result)
        if key == failing and job and job.state in (Job.State.FAILED, Job.State.STOPPED):
            verdict = Verdict.STOPS if job.state == Job.State.FAILED else Verdict.WAITS
            found = (Finding("job", verdict, Said(job.message)), *found)
        if key == "print" and result is not None:
            found = (*found, *altered(graph))
        verdict = worst(found)
        if result is None and verdict != Verdict.STOPS:
            verdict = Verdict.WAITS
        judged = tuple(f for f in found if isinstance(f, Finding))
        notes = tuple(n for n in found if isinstance(n, Note))
        made[key] = Cell(station.title, now[key], verdict, fact.main, fact.under, judged, notes)
    return made


def row(graph: PieceGraph, job: Job | None, drafts: int = 0) -> Row:
    """A piece as a row of the Wall; ``drafts`` is how many changes of it are tried."""
    piece, fit = graph.piece, shown_result(graph, "fit")
    wearer = piece.worn_by
    return Row(
        piece.id, piece.name, piece.side, piece.site, piece.mirror_of_id, piece.version, piece.file_name,
        WornBy(wearer.id, wearer.name) if wearer else None, fit.silhouette if fit else "", fit.scale if fit else None, fit.bounds_mm if fit else None, JobRecord.of(job),
        cells(graph, job), totals(piece.totals), totals(piece.before), piece.because, drafts,
    )  # fmt: skip


def totals(kept: dict | None) -> Totals | None:
    """Totals as they are kept."""
    return None if kept is None else Totals(**{k: kept.get(k) for k in ("parts", "hours", "filament_g", "filament_m", "cost", "done_by")}, because=kept.get("because", ""), hands_h=kept.get("hands_h"))  # fmt: skip


def detail(graph: PieceGraph, job: Job | None) -> dict[str, Any]:
    """A piece with all that its station pages show, as JSON."""
    piece = graph.piece
    shown = plain(row(graph, job, piece.drafts.count()))
    shown |= {
        "undo": plain(step_ref(next_undo(piece))),
        "redo": plain(step_ref(next_redo(piece))),
        "draft_version": piece.draft.version if piece.draft else None,
        "ticks": plain(ticks_of(piece)),
        "build": piece.build_id,
        "note": piece.note,
        "recipe": written(graph.case.decided),
        "worn_by": piece.wearer_id,
        "made_of": plain(piece.made_of),
        "holes": plain(holes(graph)),
        "picture": piece.picture,
        "alike": plain(alike(graph)),
        "glues": plain(glues(graph)),
        "usual": plain(usual(graph)),
        "files": plain(files(graph)),
    }
    for station in STATIONS:
        result = shown_result(graph, station.key)
        shown[station.key] = plain(result) if result is not None else None
        if station.kept:
            shown[f"{station.key}_data"] = _data(graph, station.key) if result is not None else None
    shown["silhouette_side"] = shown["fit"]["silhouette_side"] if shown["fit"] else ""
    return shown


def draft_record(graph: PieceGraph, kept: Piece) -> DraftRecord:
    """A draft beside what is kept of its piece."""
    draft, fit = graph.piece.draft, shown_result(graph, "fit")
    assert draft is not None
    because = whole(Said, draft.because) if draft.because else None
    changes = differences_of(kept.decided, graph.piece.decided, kept.worn_by, graph.piece.worn_by)
    return DraftRecord(
        draft.pk, draft.version, because, changes, row(graph, draft.jobs.first()), fit.silhouette_side if fit else "", _revision(graph, kept)
    )  # fmt: skip


def _revision(graph: PieceGraph, kept: Piece) -> Revision | None:
    """What a draft's other files change; None where they are the same, or either side is not computed."""
    if graph.piece.of(PiecesRecipe).files == kept.of(PiecesRecipe).files:
        return None
    before = PieceGraph(kept, graph.case.shop, graph.store)
    if any(g.found(key) is None for g in (before, graph) for key in ("pieces", "cut")):
        return None
    return revision(*(g.result("pieces") for g in (before, graph)), *(g.data("cut").parts for g in (before, graph)))


def alike(graph: PieceGraph) -> tuple[Said, ...]:
    """Other pieces of the build whose files look like this one's and are not: variants get mixed up."""
    own = shown_result(graph, "pieces")
    if own is None:
        return ()
    said = []
    others = Piece.objects.filter(build=graph.piece.build_id).exclude(pk=graph.piece.pk).exclude(mesh__sha256=graph.case.sha256)
    there = [(p.name, Ref("pieces", p.shown["pieces"])) for p in others.only("name", "shown") if "pieces" in p.shown]
    graph.store.look_up(ref for _, ref in there)
    for name, ref in there:
        kept = graph.store.find(ref)
        # Most differ at once: only what is as large is read whole.
        if not kept or not as_large(own.size_mm, kept.get("size_mm", ())):
            continue
        try:
            told = nearly_the_same(own, whole(PiecesResult, kept), name)
        except BastionError:  # a result of an older version
            continue
        said += [told] if told else []
    return tuple(said)


def differences_of(was: tuple[Recipe, ...], now: tuple[Recipe, ...], wore: Wearer | None, wears: Wearer | None) -> tuple[Difference, ...]:
    """What differs between two ways of deciding about a piece."""
    worn = (
        ()
        if wore == wears
        else (Difference("wearer", _BESIDE["wearer"], *(say("{}", w.name) if w else say("nobody") for w in (wore, wears))),)
    )
    return (*worn, *differences(was, now))


def ticks_of(piece: Piece) -> tuple[TickRecord, ...]:
    """The ticks of a piece that stand."""
    return tuple(TickRecord(t.step, t.took_min, t.at.isoformat(timespec="minutes")) for t in ticked(piece).values())


def step_ref(step: Step | None) -> StepRef | None:
    """A step as a button names it."""
    return None if step is None else StepRef(step.pk, whole(Said, step.because))


def step_records(build: Build, most: int) -> tuple[StepRecord, ...]:
    """The newest kept changes of a build."""
    names = dict(Wearer.objects.values_list("pk", "name"))
    steps = build.steps.filter(parts__isnull=False).distinct().prefetch_related("parts__piece")[:most]
    return tuple(
        StepRecord(
            s.pk, whole(Said, s.because), s.by, s.at.isoformat(timespec="minutes"), s.state,
            tuple(StepPartRecord(p.piece_id, p.piece.name if p.piece else "", _differences_by(p, names)) for p in s.parts.all()),
        )
        for s in steps
    )  # fmt: skip


def _differences_by(part: StepPart, names: dict[int, str]) -> tuple[Difference, ...]:
    """What one part of a step changed, in words."""

    def words(key: str, value: Any) -> Said:
        if key == "wearer":
            return say("{}", names.get(value, "somebody who was deleted") if value else "nobody")
        return say("{}", str(value)) if value else say("none")

    beside = tuple(
        Difference(k, label, words(k, part.before[k]), words(k, part.after[k])) for k, label in _BESIDE.items() if k in part.before
    )
    begun = begin_all(Shop()) if part.piece_id else tuple(kind() for kind in BUILD_RECIPES)
    try:
        return (*beside, *differences(*(change_all(begun, values) for values in (part.before, part.after))))
    except BastionError:  # values of an older recipe that today's does not know
        return beside


def _data(graph: PieceGraph, key: str) -> Any | None:
    """The bulky part just as it is kept: it is what ``plain`` made of it."""
    ref = graph.last(key)
    try:
        return None if ref is None else graph.store.data(ref)
    except FileProblem:
        return None


def glues(graph: PieceGraph) -> tuple[GlueRecord | None, ...]:
    """What each seam is glued with, in their order: it follows the material and the maker's choice, and computes nothing anew."""
    kept = _data(graph, "join")
    try:
        known = whole(JoinData, kept) if kept else None
    except BastionError:  # kept by an older version
        return ()
    recipe, plastic = graph.case.of(JoinRecipe), graph.case.of(PrintRecipe).material
    return tuple(None if s.own and not s.joints else glued(recipe.glue, plastic, s.needs) for s in known.seams) if known else ()


def usual(graph: PieceGraph) -> Usual:
    """What is usual where a piece is worn: how it goes on, what lies between, and whether it is judged on a body at all."""
    where = BY_NAME.get(graph.piece.site)
    return Usual(where is not None, where.way_in if where else "", usual_layers(graph.piece.site, graph.case.shop.pad_mm))


def holes(graph: PieceGraph) -> tuple[Hole, ...]:
    """Holes and slots of a piece as they are at the scale it has by now."""
    kept, fit, cut = _data(graph, "pieces"), shown_result(graph, "fit"), shown_result(graph, "cut")
    try:
        known = whole(PiecesData, kept) if kept else None
    except BastionError:  # kept by an older version
        return ()
    if known is None:
        return ()
    recipe = graph.case.of(PiecesRecipe)
    matrix = scaling(*(fit.scale if fit else (1.0, 1.0, 1.0))) @ recipe.standing(Ref("pieces", "")).matrix
    return holes_of(known.features, known.likely, recipe.features, matrix, cut.fitted if cut else ())


def files(graph: PieceGraph) -> Files:
    """Addresses of the stage's files."""
    return Files(
        _file(graph, graph.last("pieces"), "preview.glb") or _file(graph, Ref("preview", graph.case.sha256), "preview.glb"),
        _file(graph, graph.last("cut"), "parts.glb"),
        _file(graph, graph.last("fit"), "fit.glb"),
        _file(graph, graph.last("print"), "laid.glb"),
        _file(graph, graph.last("cut"), "seen.glb", "seen"),
        _file(graph, graph.last("join"), "joined.glb"),
        drawn.removeprefix("assemble/") if (drawn := _file(graph, graph.last("assemble"), DRAWINGS)) else None,
        _file(graph, graph.last("finish"), LOOK),
    )


def _file(graph: PieceGraph, ref: Ref | None, name: str, kind: str = "") -> str | None:
    there = ref is not None and (graph.store.folder(ref) / name).exists()
    return f"{kind or ref.kind}/{ref.hash}" if there and ref else None
