"""Having things computed again where their decisions are no longer the ones their results came from."""

from collections.abc import Sequence

from django.db.models import Q, QuerySet

from bastion_core.errors import BastionError
from bastion_site.builds.models import Build, Piece
from bastion_site.engine.cases import WITH, PieceGraph, build_graph, graph_of, graphs_of, whole
from bastion_site.engine.queue import queue_job, queue_jobs
from bastion_site.engine.totals import note_totals
from bastion_site.jobs.models import Job


def refresh(piece: Piece, because: str = "") -> None:
    """Have a piece computed again where it is not fresh."""
    _refresh([graph_of(piece)], because)


def _refresh(graphs: Sequence[PieceGraph], because: str = "") -> None:
    wanted = []
    for graph in graphs:
        if because:
            graph.piece.because = because[:160]
        if not whole(graph):
            wanted.append((graph.piece, Job.Kind.PIECES if graph.found("pieces") is None else Job.Kind.PLAN))
    if because:
        Piece.objects.filter(pk__in=[g.piece.pk for g in graphs]).update(because=because[:160])
    queue_jobs(wanted)
    waiting = {piece.pk for piece, _ in wanted}
    for graph in graphs:
        if graph.piece.pk not in waiting:
            # Computed before: no work, but the totals shown have to be those of today's decisions.
            note_totals(graph)


def refresh_many(pieces, because: str = "") -> None:
    """The same for many pieces."""
    _refresh(graphs_of(list(pieces.select_related(*WITH).prefetch_related("wearer__scans", "build__wearer__scans"))), because)


def refresh_all(because: str) -> None:
    """After a change in the shop: every piece of every build that is not archived."""
    refresh_many(Piece.objects.filter(build__archived=False), because)


def refresh_for_wearer(wearer, because: str) -> None:
    """After a new measurement: the pieces this wearer wears."""
    refresh_many(worn_by(wearer).filter(build__archived=False), because)


def worn_by(wearer) -> QuerySet[Piece]:
    """The pieces somebody wears, archived builds' too."""
    return Piece.objects.filter(Q(wearer=wearer) | Q(wearer__isnull=True, build__wearer=wearer))


def refresh_motion(build: Build) -> Job | None:
    """Have a build's joints moved again where that is not known for its pieces as they are worn; the job that does, if any."""
    graph, _ = build_graph(build)
    if graph.ref("motion") is None or whole(graph):
        return None
    return queue_job(build, Job.Kind.MOTION)


def catch_up() -> int:
    """Pieces whose results a newer version of this program no longer knows: computed again. Returns how many there were.

    One whose last job failed waits for its maker, and one at work is left at it.
    """
    count = 0
    pieces = Piece.objects.filter(build__archived=False).select_related(*WITH).prefetch_related("wearer__scans", "build__wearer__scans")
    for graph in graphs_of(list(pieces)):
        job = graph.piece.jobs.first()
        if job is None or job.state == Job.State.FAILED or job.state in Job.ACTIVE or whole(graph):
            continue
        try:
            _refresh([graph])
        except BastionError:
            continue
        count += 1
    return count
