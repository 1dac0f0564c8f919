"""Long work that can be watched and stopped."""

from django.db import models
from django.db.models import Q


class Job(models.Model):
    """One run of work for a piece, a build or a wearer. Repeatable: what it computes depends on their decisions alone."""

    SUBJECTS = ("piece", "build", "wearer")

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
        SCAN = "scan"
        """A wearer's scan stood up and measured."""

    kind = models.CharField(max_length=8, choices=Kind)
    piece = models.ForeignKey("builds.Piece", null=True, on_delete=models.CASCADE, related_name="jobs")
    build = models.ForeignKey("builds.Build", null=True, on_delete=models.CASCADE, related_name="jobs")
    wearer = models.ForeignKey("wearers.Wearer", null=True, on_delete=models.CASCADE, related_name="jobs")
    about = models.JSONField(default=dict)
    """What else the work has to know, such as which scan."""
    state = models.CharField(max_length=8, choices=State, default=State.QUEUED)
    progress = models.FloatField(default=0.0)
    what = models.CharField(max_length=120, blank=True)
    message = models.TextField(blank=True)
    stop_asked = models.BooleanField(default=False)
    attempts = models.PositiveSmallIntegerField(default=0)
    created = models.DateTimeField(auto_now_add=True)
    finished = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
        indexes = [models.Index(fields=["piece", "state"])]
        constraints = [
            models.CheckConstraint(
                name="a_job_has_one_subject",
                condition=Q(piece__isnull=False, build__isnull=True, wearer__isnull=True)
                | Q(piece__isnull=True, build__isnull=False, wearer__isnull=True)
                | Q(piece__isnull=True, build__isnull=True, wearer__isnull=False),
            )
        ]

    ACTIVE = (State.QUEUED, State.RUNNING)

    @property
    def queue(self) -> str:
        """What is looked at once goes beside what takes long."""
        return "pieces" if self.kind in (Job.Kind.PIECES, Job.Kind.SCAN) else "plan"

    @property
    def subject(self):
        """The piece, build or wearer it is for."""
        return self.piece or self.build or self.wearer
