"""What each kind of job does. Runs in a process of its own; nothing here queues work."""

import time
from collections.abc import Callable, Iterable

from bastion_core.engine.memo import Memo
from bastion_core.engine.store import Ref
from bastion_core.errors import Stopped
from bastion_core.progress import Progress
from bastion_core.stations import STATIONS
from bastion_site.builds.models import Piece
from bastion_site.engine import floor, scans
from bastion_site.engine.cases import WITH, PieceGraph, build_graph, graph_of, name_of
from bastion_site.engine.totals import note_totals
from bastion_site.jobs.models import Job

WRITE_EVERY_S = 0.4
_AT_ONCE = tuple(s.key for s in STATIONS if s.queue == "pieces")
_memo = Memo()
"""Solids that stay alive from job to job in this process."""


def carry_out(job_id: int) -> None:
    """Do a job's work; BastionError when it cannot be done."""
    job = Job.objects.get(pk=job_id)
    _WORK[job.kind](job, _reporting(job_id))


def after(job: Job) -> Iterable[tuple[object, str]]:
    """What has to be queued once a job is done: subject and kind."""
    if job.kind == Job.Kind.PIECES:
        yield job.piece, Job.Kind.PLAN


def _reporting(job_id: int) -> Progress:
    """Writes where the work is, now and then; raises Stopped when it is no longer wanted."""
    last = 0.0

    def progress(fraction: float, what: str) -> None:
        nonlocal last
        now = time.monotonic()
        if now - last < WRITE_EVERY_S:
            return
        last = now
        if Job.objects.filter(pk=job_id, stop_asked=False).update(progress=fraction, what=what[:120]) == 0:
            raise Stopped

    return progress


def _piece(job: Job) -> PieceGraph:
    pieces = Piece.objects.select_related(*WITH)
    if job.draft is None:
        return graph_of(pieces.get(pk=job.piece_id), _memo)
    return graph_of(job.draft.as_piece(), _memo)


def _begins(job: Job) -> Callable[[Ref], None]:
    """Notes which result is being computed; raises Stopped where the one before was to be the last."""

    def begins(ref: Ref) -> None:
        if Job.objects.filter(pk=job.pk, last_step=False).update(at=name_of(ref)) == 0:
            raise Stopped

    return begins


def _pieces(job: Job, progress: Progress) -> None:
    _piece(job).carry_out(progress, _AT_ONCE, _begins(job))


def _plan(job: Job, progress: Progress) -> None:
    graph = _piece(job)
    graph.carry_out(progress, begins=_begins(job))
    note_totals(graph)


def _motion(job: Job, progress: Progress) -> None:
    build_graph(job.build, _memo)[0].carry_out(progress, ("motion",))


def _calendar(job: Job, progress: Progress) -> None:
    floor.carry_out(job.build, _memo, progress)


def _scan(job: Job, progress: Progress) -> None:
    scans.read(job.wearer.scans.get(pk=job.about["scan"]), progress)


_WORK: dict[str, Callable[[Job, Progress], None]] = {
    Job.Kind.PIECES: _pieces,
    Job.Kind.PLAN: _plan,
    Job.Kind.MOTION: _motion,
    Job.Kind.CALENDAR: _calendar,
    Job.Kind.SCAN: _scan,
}
