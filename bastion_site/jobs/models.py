"""Long work that can be watched and stopped."""

import functools
import operator

from django.db import models
from django.db.models import Q

SUBJECTS = ("piece", "build", "wearer", "draft")


def _one_of_them() -> Q:
    """That exactly one subject is named."""
    ways = (Q(**{f"{other}__isnull": other != name for other in SUBJECTS}) for name in SUBJECTS)
    return functools.reduce(operator.or_, ways)


class Job(models.Model):
    """One run of work for a piece, a build, a wearer or a draft of a piece. Repeatable: what it computes depends on their decisions alone."""

    class State(models.TextChoices):
        QUEUED = "queued"
        RUNNING = "running"
        DONE = "done"
        FAILED = "failed"
        STOPPED = "stopped"

    class Kind(models.TextChoices):
        PIECES = "pieces"
        """A file read and mended."""
        PLAN = "plan"
        """A piece computed to the end."""
        MOTION = "motion"
        """A build's joints moved with all pieces on."""
        CALENDAR = "calendar"
        """A build's parts laid on plates, and the plates on the printers."""
        SCAN = "scan"
        """A wearer's scan stood up and measured."""

    kind = models.CharField(max_length=8, choices=Kind)
    piece = models.ForeignKey("builds.Piece", null=True, on_delete=models.CASCADE, related_name="jobs")
    build = models.ForeignKey("builds.Build", null=True, on_delete=models.CASCADE, related_name="jobs")
    wearer = models.ForeignKey("wearers.Wearer", null=True, on_delete=models.CASCADE, related_name="jobs")
    draft = models.ForeignKey("builds.Draft", null=True, on_delete=models.CASCADE, related_name="jobs")
    about = models.JSONField(default=dict)
    """What else the work has to know, such as which scan."""
    state = models.CharField(max_length=8, choices=State, default=State.QUEUED)
    progress = models.FloatField(default=0.0)
    what = models.CharField(max_length=120, blank=True)
    message = models.TextField(blank=True)
    at = models.CharField(max_length=48, blank=True)
    """The result that is being computed: station and hash."""
    stop_asked = models.BooleanField(default=False)
    last_step = models.BooleanField(default=False)
    """To end after the result it is at, which is still wanted."""
    attempts = models.PositiveSmallIntegerField(default=0)
    created = models.DateTimeField(auto_now_add=True)
    finished = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
        indexes = [models.Index(fields=["piece", "state"])]
        constraints = [
            models.CheckConstraint(
                name="a_job_has_one_subject",
                condition=_one_of_them(),
            )
        ]

    ACTIVE = (State.QUEUED, State.RUNNING)

    @property
    def queue(self) -> str:
        """What is looked at once goes beside what takes long."""
        return "pieces" if self.kind in (Job.Kind.PIECES, Job.Kind.SCAN) else "plan"

    @property
    def subject(self):
        """What it is for."""
        return next(subject for name in SUBJECTS if (subject := getattr(self, name)) is not None)
