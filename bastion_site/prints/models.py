"""What was printed: each run of a plate on a printer, what became of its parts, and every press of a button about it; and the calendar as it was last planned."""

from datetime import timedelta

from django.db import models

from bastion_core.schedule.causes import CAUSES


class Run(models.Model):
    """A plate on a printer, from its start on. Its parts are frozen as they were when it began."""

    class State(models.TextChoices):
        RUNNING = "running"
        PAUSED = "paused"
        DONE = "done"
        FAILED = "failed"

    OPEN = (State.RUNNING, State.PAUSED)

    build = models.ForeignKey("builds.Build", on_delete=models.CASCADE, related_name="runs")
    printer = models.ForeignKey("shop.Printer", null=True, on_delete=models.SET_NULL, related_name="runs")
    printer_name = models.CharField(max_length=60)
    spool = models.ForeignKey("shop.Spool", null=True, on_delete=models.SET_NULL, related_name="runs")
    plate = models.JSONField()
    """The core's Plate as it was started."""
    name = models.CharField(max_length=120)
    material = models.CharField(max_length=20)
    layer_mm = models.FloatField()
    settings = models.JSONField(default=dict)
    """Walls, infill, supports of the piece it was mostly of: what worked is found again by them."""
    told_h = models.FloatField()
    """As the printer would say, without any factor."""
    real_h = models.FloatField()
    """As it was planned when it began."""
    told_g = models.FloatField()
    state = models.CharField(max_length=8, choices=State, default=State.RUNNING)
    started = models.DateTimeField()
    ended = models.DateTimeField(null=True)
    paused_since = models.DateTimeField(null=True)
    paused_s = models.FloatField(default=0.0)
    seen_end = models.BooleanField(default=True)
    """Whether somebody, or the printer, told when it ended: only then its hours teach."""
    cause = models.CharField(max_length=12, blank=True, choices=[(k, c.name) for k, c in CAUSES.items()])
    at_mm = models.FloatField(null=True)
    """Height at which it failed."""
    used_g = models.FloatField(null=True)
    """Filament that went, where it was weighed or told."""
    note = models.TextField(blank=True)
    photo = models.CharField(max_length=80, blank=True)
    watched = models.BooleanField(default=False)
    """Whether the printer itself tells what becomes of it."""
    said = models.CharField(max_length=160, blank=True)
    """What watching it says, where something is wrong."""
    progress = models.FloatField(null=True)
    """What a watched printer said last (0 to 1)."""

    class Meta:
        ordering = ["-started", "-id"]
        constraints = [
            models.UniqueConstraint(fields=["printer"], condition=models.Q(state__in=["running", "paused"]), name="one_print_on_a_printer")
        ]

    @property
    def hours(self) -> float:
        """Printed so far, pauses left out; None of it where it has not ended."""
        if self.ended is None:
            return 0.0
        return max((self.ended - self.started).total_seconds() - self.paused_s, 0.0) / 3600

    @property
    def expected(self):
        """When it should be done."""
        return self.started + timedelta(hours=self.real_h, seconds=self.paused_s)

    @property
    def grams(self) -> float:
        """Filament that went: as weighed, else what was told, in proportion where it failed."""
        if self.used_g is not None:
            return self.used_g
        if self.state == Run.State.DONE:
            return self.told_g
        return self.told_g * min(self.hours / max(self.real_h, 1e-9), 1.0) if self.ended else 0.0


class RunPart(models.Model):
    """A part of a run: good, bad, or not known yet."""

    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="parts")
    piece = models.ForeignKey("builds.Piece", null=True, on_delete=models.SET_NULL, related_name="run_parts")
    part = models.CharField(max_length=24)
    name = models.CharField(max_length=80)
    print_hash = models.CharField(max_length=64)
    good = models.BooleanField(null=True)

    class Meta:
        ordering = ["id"]


class Press(models.Model):
    """A press of a button in the log. Its key comes from the hand that pressed: sent twice, it counts once, taken back or not."""

    key = models.CharField(max_length=64, unique=True)
    run = models.ForeignKey(Run, null=True, on_delete=models.CASCADE, related_name="presses")
    """None where the start was undone."""
    kind = models.CharField(max_length=8)
    at = models.DateTimeField(auto_now_add=True)
    before = models.JSONField(default=dict)
    """How the run stood."""
    undone = models.BooleanField(default=False)

    class Meta:
        ordering = ["-id"]


class Calendar(models.Model):
    """A build's printers as they were last planned."""

    build = models.OneToOneField("builds.Build", on_delete=models.CASCADE, related_name="calendar")
    key = models.CharField(max_length=64)
    """The hash of all it depended on but the time of day."""
    made = models.DateTimeField()
    plan = models.JSONField()
    """Slots, best possible, chances, filament: as the core told them."""
    before = models.JSONField(null=True)
    """Done by, chances and hours before the last change, with ``because``."""
    because = models.CharField(max_length=160, blank=True)


class Tick(models.Model):
    """A step at the bench that was done. Its press comes from the hand that ticked: sent twice, it counts once, taken back or not."""

    piece = models.ForeignKey("builds.Piece", on_delete=models.CASCADE, related_name="ticks")
    press = models.CharField(max_length=64, unique=True)
    step = models.CharField(max_length=200)
    """The step's key in the finish of the piece."""
    kind = models.CharField(max_length=8)
    usual_min = models.FloatField()
    """Of a practised maker, as it was planned when it was ticked."""
    took_min = models.FloatField(null=True)
    at = models.DateTimeField(auto_now_add=True)
    undone = models.BooleanField(default=False)

    class Meta:
        ordering = ["id"]
