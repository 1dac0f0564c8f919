"""Background work: queueing, running with progress, stopping, and what a killed worker left behind."""

import logging
import time

from django.db import transaction
from django.utils import timezone
from django_tasks import task
from django_tasks_db.models import DBTaskResult

from bastion_core.errors import BastionError, Stopped
from bastion_site.errors import DISK_FULL, is_disk_full
from bastion_site.jobs.models import Job

logger = logging.getLogger(__name__)
_WRITE_EVERY_S = 0.4
_MOST_ATTEMPTS = 2


def queue_job(piece, kind: str) -> Job:
    """One job for a piece: a queued one serves, a running one is told to stop since its recipe is old."""
    with transaction.atomic():
        active = list(Job.objects.filter(piece=piece, state__in=Job.ACTIVE))
        for job in active:
            if job.state == Job.State.QUEUED and job.kind == kind:
                return job
            Job.objects.filter(pk=job.pk, state=Job.State.RUNNING).update(stop_asked=True)
            Job.objects.filter(pk=job.pk, state=Job.State.QUEUED).update(state=Job.State.STOPPED, finished=timezone.now())
        job = Job.objects.create(piece=piece, kind=kind)
        _enqueue(job)
    return job


def _enqueue(job: Job) -> None:
    run_job.using(queue_name=job.kind).enqueue(job.pk)


def stop_job(job: Job) -> None:
    """Ask a job to stop; one that has not begun stops at once."""
    Job.objects.filter(pk=job.pk, state=Job.State.QUEUED).update(state=Job.State.STOPPED, finished=timezone.now(), message=str(Stopped()))
    Job.objects.filter(pk=job.pk, state=Job.State.RUNNING).update(stop_asked=True)


@task(queue_name="plan")
def run_job(job_id: int) -> None:
    """Carry out a job. Everything that can go wrong ends in the job's row, in words."""
    from bastion_site.builds.pipeline import compute

    started = Job.objects.filter(pk=job_id, state=Job.State.QUEUED).update(state=Job.State.RUNNING)
    if not started:
        return  # stopped before it began, or its piece is gone
    job = Job.objects.select_related("piece__build__wearer", "piece__wearer", "piece__mesh").get(pk=job_id)
    Job.objects.filter(pk=job_id).update(attempts=job.attempts + 1)
    last = 0.0

    def progress(fraction: float, what: str) -> None:
        nonlocal last
        now = time.monotonic()
        if now - last < _WRITE_EVERY_S:
            return
        last = now
        if Job.objects.filter(pk=job_id, stop_asked=False).update(progress=fraction, what=what[:120]) == 0:
            raise Stopped

    state, message = Job.State.DONE, ""
    try:
        compute(job.piece, progress, intake_only=job.kind == Job.Kind.INTAKE)
    except Stopped as stopped:
        state, message = Job.State.STOPPED, str(stopped)
    except BastionError as problem:
        state, message = Job.State.FAILED, str(problem)
    except Exception as problem:
        logger.exception("job %s failed", job_id)
        full = is_disk_full(problem)
        state = Job.State.FAILED
        message = (
            DISK_FULL["detail"] if full else f"The computation broke down ({type(problem).__name__}). Nothing was lost; try it once more."
        )
    Job.objects.filter(pk=job_id).update(state=state, message=message, finished=timezone.now(), progress=1.0, what="")
    if state == Job.State.DONE and job.kind == Job.Kind.INTAKE:
        queue_job(job.piece, Job.Kind.PLAN)


def recover(kinds: tuple[str, ...]) -> int:
    """Jobs a killed worker left running: queued again once, then failed with a reason. Returns how many there were.

    Called before a worker of these kinds starts, when none of them can be running.
    """
    found = 0
    DBTaskResult.objects.running().filter(queue_name__in=kinds).delete()
    for job in Job.objects.filter(state=Job.State.RUNNING, kind__in=kinds):
        found += 1
        if job.stop_asked:
            Job.objects.filter(pk=job.pk).update(state=Job.State.STOPPED, finished=timezone.now(), message=str(Stopped()))
        elif job.attempts < _MOST_ATTEMPTS:
            with transaction.atomic():
                Job.objects.filter(pk=job.pk).update(state=Job.State.QUEUED, progress=0, what="")
                _enqueue(job)
        else:
            Job.objects.filter(pk=job.pk).update(
                state=Job.State.FAILED,
                finished=timezone.now(),
                message="The worker was ended twice while at this, most likely for want of memory. Reduce the model's triangles, or close other programs, and compute it again.",
            )
    return found
