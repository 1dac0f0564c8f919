"""Having things computed again where their decisions are no longer the ones their results came from."""

from collections.abc import Iterable, Sequence

from django.db.models import Q, QuerySet

from bastion_core.errors import BastionError
from bastion_core.recipes import VERSION
from bastion_site.builds.models import Build, Draft, Piece
from bastion_site.engine.cases import SCANS, WITH, PieceGraph, build_graph, drafts_of, graphs_of, name_of, whole
from bastion_site.engine.queue import queue_job, queue_jobs, stop_job
from bastion_site.engine.totals import note_totals
from bastion_site.jobs.models import Job
from bastion_site.prints.models import Calendar

WEARERS = "the wearer’s "
"""How every reason begins that has to do with the body."""


def refresh(piece: Piece, because: str = "") -> None:
    """Have a piece and its drafts computed again where they are not fresh."""
    refresh_many(Piece.objects.filter(pk=piece.pk), because)


def refresh_many(pieces: QuerySet[Piece], because: str = "") -> None:
    """The same for many pieces."""
    _refresh(list(pieces.select_related(*WITH).prefetch_related(*SCANS)), because)


def _refresh(pieces: list[Piece], because: str = "") -> None:
    if because:
        Piece.objects.filter(pk__in=[p.pk for p in pieces]).update(because=because[:160])
        for piece in pieces:
            piece.because = because[:160]
    kept, tried = graphs_of(pieces), graphs_of(drafts_of(pieces))
    spare = _needed([*kept, *tried])
    for graphs in (kept, tried):
        wanted = [
            (_row(g), Job.Kind.PIECES if g.found("pieces") is None and g.piece.draft is None else Job.Kind.PLAN)
            for g in graphs
            if not whole(g)
        ]
        queue_jobs(wanted, spare=spare)
        waiting = {row.pk for row, _ in wanted}
        done = [g for g in graphs if _row(g).pk not in waiting]
        # Computed before: no work, but the totals shown have to be those of today's decisions, and nothing of other ones is to come after.
        for job in Job.objects.filter(_of([_row(g) for g in done]), kind__in=(Job.Kind.PIECES, Job.Kind.PLAN), state__in=Job.ACTIVE):
            stop_job(job, spare)
        for graph in done:
            note_totals(graph)


def _row(graph: PieceGraph) -> Piece | Draft:
    """What work for it is queued under, and its totals are kept with."""
    return graph.piece.draft or graph.piece


def _of(rows: Sequence[Piece | Draft]) -> Q:
    return Q(**{f"{rows[0]._meta.model_name}__in": rows}) if rows else Q(pk=None)


def _needed(graphs: Iterable[PieceGraph]) -> set[str]:
    """The results that are waited for and could be computed now."""
    return {name_of(ref) for g in graphs for key in g.stations if (ref := g.ref(key)) is not None and g.found(key) is None}


def needed_by(piece: Piece, but: Draft) -> set[str]:
    """The results that a piece and its drafts wait for, without one of them."""
    kept = Piece.objects.select_related(*WITH).get(pk=piece.pk)
    return _needed(graphs_of([kept, *(d for d in drafts_of([kept]) if d.draft != but)]))


def refresh_all(because: str) -> None:
    """After a change in the shop: every piece of every build that is not archived."""
    refresh_many(Piece.objects.filter(build__archived=False), because)


def refresh_for_wearer(wearer, what: str) -> None:
    """After something of a wearer changed, such as “scan”: the pieces they wear. Who it was is not noted with the piece, as persons can be deleted."""
    refresh_many(worn_by(wearer).filter(build__archived=False), WEARERS + what)


def worn_by(wearer) -> QuerySet[Piece]:
    """The pieces somebody wears, archived builds' too."""
    return Piece.objects.filter(Q(wearer=wearer) | Q(wearer__isnull=True, build__wearer=wearer))


def refresh_motion(build: Build) -> Job | None:
    """Have a build's joints moved again where that is not known for its pieces as they are worn; the job that does, if any."""
    graph, _ = build_graph(build)
    if graph.ref("motion") is None or graph.found("motion") is not None:
        return None
    return queue_job(build, Job.Kind.MOTION)


def refresh_calendar(build: Build, because: str = "") -> Job:
    """Have a build's plates laid and its printers planned anew."""
    if because:
        Calendar.objects.filter(build=build).update(because=because[:160])
    return queue_job(build, Job.Kind.CALENDAR)


def catch_up() -> int:
    """Pieces whose results a newer version of this program no longer knows: computed again. Returns how many there were.

    One whose last job failed waits for its maker, and one at work is left at it.
    """
    Draft.objects.exclude(recipe_version=VERSION).delete()
    count = 0
    pieces = Piece.objects.filter(build__archived=False).select_related(*WITH).prefetch_related(*SCANS)
    for graph in graphs_of(list(pieces)):
        job = graph.piece.jobs.first()
        if job is None or job.state == Job.State.FAILED or job.state in Job.ACTIVE or whole(graph):
            continue
        try:
            _refresh([graph.piece])
        except BastionError:
            continue
        count += 1
    return count
