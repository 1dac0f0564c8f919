"""Background work: queueing, carrying out in a process that can be ended, stopping, and what a killed worker left behind."""

import logging
import time
from collections.abc import Collection, Sequence
from typing import Any

from django.conf import settings
from django.db import transaction
from django.db.models import F
from django.utils import timezone
from django_tasks import task
from django_tasks_db.models import DBTaskResult

from bastion_core.errors import BastionError, MeshProblem, Stopped
from bastion_site.engine import work
from bastion_site.engine.process import Process
from bastion_site.errors import DISK_FULL, is_disk_full
from bastion_site.jobs.models import Job

logger = logging.getLogger(__name__)
_MOST_ATTEMPTS, _AT_ONCE = 2, 500
_MOST_S, MOST_STEP_S = 3600.0, 600.0
"""How long a job may take, and any one step of it: reading a file, mending it, building its surface anew."""
_WHAT_IS_TRIED = -10
"""What is kept is computed before what is tried."""
_child = Process(idle_s=15.0)
"""Where this worker's jobs are carried out: warm from job to job, given back when there is nothing to do."""


def queue_job(subject, kind: str, about: dict | None = None) -> Job:
    """One job of a kind for a piece, build, wearer or draft: a queued one serves, a running one is told to stop since what it computes is old."""
    return queue_jobs([(subject, kind)], about)[0]


def queue_jobs(wanted: Sequence[tuple[Any, str]], about: dict | None = None, spare: Collection[str] = ()) -> list[Job]:
    """``queue_job`` for many subjects of one sort at once, so that a measurement that concerns hundreds of pieces is answered at once.

    A running job that is at one of the results in ``spare`` may end that: somebody waits for it.
    """
    if not wanted:
        return []
    name, about, served = wanted[0][0]._meta.model_name, about or {}, {}
    kinds = {subject.pk: kind for subject, kind in wanted}
    with transaction.atomic():
        for some in (wanted[i : i + _AT_ONCE] for i in range(0, len(wanted), _AT_ONCE)):
            active = Job.objects.filter(**{f"{name}__in": [s.pk for s, _ in some]}, state__in=Job.ACTIVE, about=about)
            for job in active:
                subject = getattr(job, f"{name}_id")
                if job.state == Job.State.QUEUED and job.kind == kinds[subject]:
                    served[subject] = job
                elif name == "piece" or job.kind == kinds[subject]:
                    stop_job(job, spare)
        made = Job.objects.bulk_create(Job(**{name: s}, kind=kind, about=about) for s, kind in wanted if s.pk not in served)
        for job in made:
            _enqueue(job)
            served[getattr(job, f"{name}_id")] = job
    return [served[subject.pk] for subject, _ in wanted]


def _enqueue(job: Job) -> None:
    run_job.using(queue_name=job.queue, priority=_WHAT_IS_TRIED if job.draft_id else 0).enqueue(job.pk)


def stop_job(job: Job, spare: Collection[str] = ()) -> None:
    """Ask a job to stop: at once, or after the result it is at where that is in ``spare``. One that has not begun stops at once."""
    Job.objects.filter(pk=job.pk, state=Job.State.QUEUED).update(state=Job.State.STOPPED, finished=timezone.now(), message=str(Stopped()))
    running = Job.objects.filter(pk=job.pk, state=Job.State.RUNNING)
    if not (spare and running.filter(at__in=spare).update(last_step=True)):
        running.update(stop_asked=True)


class _Watch:
    """Asked now and then whether a running job is to end: it was told to, its subject is gone, or a step of it gets nowhere.

    Reading and mending hostile files can hang inside a library, which reports nothing: then the step's time is up.
    """

    def __init__(self, job_id: int) -> None:
        self._job, self._step, self._since = job_id, None, time.monotonic()

    def __call__(self) -> bool:
        step = Job.objects.filter(pk=self._job, stop_asked=False).values_list("progress", "what").first()
        if step is None:
            return True
        now = time.monotonic()
        if step != self._step:
            self._step, self._since = step, now
        if now - self._since > MOST_STEP_S:
            raise MeshProblem(
                f"“{step[1] or 'Beginning'}” took longer than {MOST_STEP_S / 60:.0f} minutes and was stopped. Reduce the file’s triangles."
            )
        return False


@task(queue_name="plan")
def run_job(job_id: int) -> None:
    """Carry out a job. Everything that can go wrong ends in the job's row, in words."""
    if not Job.objects.filter(pk=job_id, state=Job.State.QUEUED).update(state=Job.State.RUNNING):
        return  # stopped before it began, or its subject is gone
    job = Job.objects.get(pk=job_id)
    Job.objects.filter(pk=job_id).update(attempts=job.attempts + 1)
    state, message = Job.State.DONE, ""
    try:
        if settings.JOBS_APART:
            _child.ask(work.carry_out, job_id, timeout_s=_MOST_S, stop=_Watch(job_id))
        else:
            work.carry_out(job_id)
    except Stopped as stopped:
        state, message = Job.State.STOPPED, str(stopped)
    except BastionError as problem:
        state, message = Job.State.FAILED, str(problem)
    except Exception as problem:
        logger.exception("job %s failed", job_id)
        full = is_disk_full(problem)
        state = Job.State.FAILED
        broken = f"The computation broke down ({type(problem).__name__}). Nothing was lost; try it once more."
        message = DISK_FULL["detail"] if full else broken
    Job.objects.filter(pk=job_id).update(state=state, message=message, finished=timezone.now(), progress=1.0, what="")
    job = Job.objects.filter(pk=job_id).first()
    if job is None:
        return
    if state == Job.State.DONE:
        for subject, kind in work.after(job):
            queue_job(subject, kind)


def put_back(queues: tuple[str, ...]) -> int:
    """After an orderly stop: what was under way is no attempt that failed, and is begun again at the next start. Returns how many there were."""
    running = [job.pk for job in Job.objects.filter(state=Job.State.RUNNING) if job.queue in queues]
    return Job.objects.filter(pk__in=running, attempts__gt=0).update(attempts=F("attempts") - 1)


def recover(queues: tuple[str, ...]) -> int:
    """Jobs a killed worker left running: queued again once, then failed with a reason. Returns how many there were.

    Called before a worker of these queues starts, when none of them can be running.
    """
    found = 0
    DBTaskResult.objects.running().filter(queue_name__in=queues).delete()
    for job in Job.objects.filter(state=Job.State.RUNNING):
        if job.queue not in queues:
            continue
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
