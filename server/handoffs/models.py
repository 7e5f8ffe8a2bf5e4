"""Hand-offs."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field

from django.conf import settings
from django.db import models

from runs.models import Run
from shots.models import Shot
from workers.models import Job
from zeitbild.farm import frames_with
from zeitbild.timing import parse_frames

#: Forms that a hand-off has at most.
MOST_FORMS = 12


@dataclass(slots=True)
class Form:
    """One form of a hand-off: its recipe with what was chosen, the passes that are written (none: all of the layers'), and the folder
    in the package (none: its top). written are frames whose files are written and read back, as a frame set of each layer."""

    recipe: str
    options: dict[str, str] = field(default_factory=dict)
    passes: list[str] = field(default_factory=list)
    folder: str = ""
    written: dict[str, str] = field(default_factory=dict)
    files: int = 0
    worst: float = 0.0
    bytes: int = 0
    #: Files that a browser shows or plays, by their paths in the folder.
    shown: list[str] = field(default_factory=list)
    #: Of files that hold many frames and are being written, as how many frames of layers they count so far.
    begun: float = 0.0

    @property
    def count(self) -> int:
        """How many frames of layers are written."""
        return sum(len(parse_frames(text)) for text in self.written.values() if text)


class HandOff(Job):
    """A package of files. Its version is the shot's next number and is never given again."""

    class State(models.TextChoices):
        """Where a hand-off stands."""

        WAITING = "waiting"
        WRITING = "writing"
        STOPPED = "stopped"
        DONE = "done"
        FAILED = "failed"

    WAITS, BUSY, STOPS, GIVEN_UP = State.WAITING, State.WRITING, State.STOPPED, State.FAILED
    CALLED = "hand-off"

    shot = models.ForeignKey(Shot, on_delete=models.CASCADE, related_name="handoffs")
    run = models.ForeignKey(Run, on_delete=models.PROTECT, related_name="handoffs")
    version = models.PositiveIntegerField()
    #: What is written, one after another: ``Form`` as plain values.
    forms = models.JSONField(default=list)
    #: Layers that are written (none: all of the run's).
    layers = models.JSONField(default=list)
    #: Frames that are written (empty: all of the run's).
    frame_set = models.TextField(blank=True, default="")
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    #: When its worker began, and how much of all (0..1) was done a moment later: by that the time left is told.
    began_at = models.DateTimeField(null=True, blank=True)
    began_with = models.FloatField(default=0.0)
    files = models.PositiveIntegerField(default=0)
    bytes = models.BigIntegerField(default=0)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["shot", "version"], name="one_version")]
        ordering = ["-version"]

    def is_wanted(self) -> bool:
        """Not if a stop was asked, nor while shot or project are put away."""
        return super().is_wanted() and not self.shot.is_put_away

    @property
    def parts(self) -> list[Form]:
        """Its forms."""
        return [Form(**one) for one in self.forms]

    def keep(self, parts: list[Form]) -> None:
        """Put forms in place of those that it has."""
        self.forms = [asdict(one) for one in parts]

    @property
    def cells(self) -> int:
        """How many cells of its run it takes."""
        if not self.frame_set and (not self.layers or set(self.layers) == set(self.run.layers)):
            return self.run.total
        names = self.layers or self.run.layers
        return sum(map(len, frames_with(self.run.document, names, self.frames).values()))

    @property
    def share(self) -> float:
        """How much of it is written and read back, 0..1."""
        return sum(one.count + one.begun for one in self.parts) / max(self.cells * len(self.forms), 1)

    @property
    def frames(self) -> tuple[int, ...]:
        """Its frames, rising."""
        return parse_frames(self.frame_set) if self.frame_set else self.run.frames

    @property
    def package_name(self) -> str:
        """File name of the ZIP."""
        return f"{self.shot.code}_v{self.version:03}.zip"


class Link(models.Model):
    """A way to a hand-off for anybody who has its address, until it is over or ended."""

    handoff = models.ForeignKey(HandOff, on_delete=models.CASCADE, related_name="links")
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    expires_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True)
    #: How often its page was looked at, and when last.
    visits = models.PositiveIntegerField(default=0)
    last_at = models.DateTimeField(null=True)
