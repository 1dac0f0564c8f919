"""Long work that can be watched and stopped."""

from django.db import models


class Job(models.Model):
    """One run of work for a piece. Repeatable: what it computes depends on the piece's recipe alone."""

    class State(models.TextChoices):
        QUEUED = "queued"
        RUNNING = "running"
        DONE = "done"
        FAILED = "failed"
        STOPPED = "stopped"

    class Kind(models.TextChoices):
        INTAKE = "intake"
        PLAN = "plan"

    kind = models.CharField(max_length=8, choices=Kind)
    piece = models.ForeignKey("builds.Piece", on_delete=models.CASCADE, related_name="jobs")
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

    ACTIVE = (State.QUEUED, State.RUNNING)
