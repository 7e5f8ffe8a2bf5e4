"""Workers that are there, and what makes a job claimable by them."""

from __future__ import annotations

from django.db import models


class Worker(models.Model):
    """A worker as it was last heard of; its row goes when it ends, or when it is found dead."""

    name = models.CharField(max_length=120, unique=True)
    host = models.CharField(max_length=80)
    pid = models.PositiveIntegerField()
    processes = models.PositiveSmallIntegerField()
    started_at = models.DateTimeField(auto_now_add=True)
    seen_at = models.DateTimeField(db_index=True)


class Job(models.Model):
    """Something that one worker at a time works on. Subclasses have a ``state``, and say what its values mean here."""

    #: Values of ``state``: free for any worker, in the hands of one, stopped by somebody, given up.
    WAITS: str
    BUSY: str
    STOPS: str
    GIVEN_UP: str
    #: What people call it.
    CALLED: str

    state: str
    error = models.TextField(blank=True)
    worker = models.CharField(max_length=120, blank=True)
    lease_until = models.DateTimeField(null=True, blank=True)
    #: How often it was claimed, since it last came further, by workers that then ended without giving it back.
    takes = models.PositiveSmallIntegerField(default=0)

    #: Somebody wants it to stop, and its worker has not given it back yet.
    stop_asked = models.BooleanField(default=False)

    class Meta:
        abstract = True

    @property
    def is_under_way(self) -> bool:
        """Whether it is worked on, or will be without anybody's doing."""
        return self.state in (self.WAITS, self.BUSY) and not self.stop_asked

    def is_wanted(self) -> bool:
        """False once its worker should stop: asked of a job that was just read, while it is worked on."""
        return not self.stop_asked
