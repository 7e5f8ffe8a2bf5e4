"""Runs and their cells."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from shots.models import Shot
from workers.models import Job
from zeitbild.timing import parse_frames


class Run(Job):
    """One rendering of a frozen document: layers, each with its frames."""

    class State(models.TextChoices):
        """Where a run stands."""

        WAITING = "waiting"
        RUNNING = "running"
        STOPPED = "stopped"
        DONE = "done"
        FAILED = "failed"

    WAITS, BUSY, STOPS, GIVEN_UP = State.WAITING, State.RUNNING, State.STOPPED, State.FAILED
    CALLED = "run"

    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="runs")
    revision = models.ForeignKey("shots.Revision", on_delete=models.PROTECT, related_name="+")
    #: The document's text as it was; what the farm gets, and what frame keys are made from.
    document = models.TextField()
    quality = models.CharField(max_length=10)
    frame_set = models.TextField()
    #: Names of the layers that are rendered, and how many cells there are: of each layer its frames.
    layers = models.JSONField(default=list)
    total = models.PositiveIntegerField(default=0)
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    started_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    #: Seconds that workers spent on it, for the time left.
    seconds = models.FloatField(default=0)

    @property
    def frames(self) -> tuple[int, ...]:
        """Its frames, rising."""
        return parse_frames(self.frame_set)

    def is_wanted(self) -> bool:
        """Not if a stop was asked, nor while shot or project are put away."""
        return super().is_wanted() and not self.shot.is_put_away


class Cell(models.Model):
    """One frame of one layer in a run, from when it is begun: what waits has no row, so that a long run costs no more to start."""

    class State(models.TextChoices):
        """Where a cell stands."""

        RENDERING = "rendering"
        DONE = "done"
        REUSED = "reused"
        FAILED = "failed"
        CLEANED = "cleaned"

    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="cells")
    layer = models.CharField(max_length=40)
    frame = models.IntegerField()
    state = models.CharField(max_length=10, choices=State.choices, default=State.RENDERING)
    key = models.CharField(max_length=64, blank=True)
    seconds = models.FloatField(default=0)
    bytes = models.BigIntegerField(default=0)
    error = models.TextField(blank=True)
    #: Bundles of its master that its passes need, each with the end of its file's name.
    parts = models.JSONField(default=dict)
    #: How far its passes of light are from beauty: largest, x, y. Nothing if it has none.
    sums = models.JSONField(null=True)
    #: Machine and process that made it.
    place = models.CharField(max_length=80, blank=True)
    changed_at = models.DateTimeField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["run", "layer", "frame"], name="one_cell")]
        indexes = [models.Index(fields=["run", "changed_at"]), models.Index(fields=["run", "state"])]
        ordering = ["layer", "frame"]


class Rejoin(models.Model):
    """How far the layers of a frame, laid over one another, are from the picture of the whole set, and where."""

    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="rejoins")
    frame = models.IntegerField()
    layers = models.JSONField()
    largest = models.FloatField()
    x = models.PositiveIntegerField()
    y = models.PositiveIntegerField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["run", "frame", "layers"], name="one_rejoin")]


FINISHED = (Cell.State.DONE, Cell.State.REUSED)
