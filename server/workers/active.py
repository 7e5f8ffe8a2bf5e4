"""A worker at work: its processes, and the thread that keeps its claims while the main thread is busy."""

from __future__ import annotations

import logging
import threading

from django.db import DatabaseError, connections

from workers.claiming import renew
from workers.models import Job
from workers.presence import Presence
from zeitbild.farm import FramePool

log = logging.getLogger("zeitbild.worker")
#: Seconds between two signs of life.
PULSE = 1.0


class ActiveWorker:
    """Use it as a context: while it lasts the worker is seen, and keeps what it holds."""

    def __init__(self, name: str, pool: FramePool) -> None:
        self.name, self.pool = name, pool
        #: Set by whoever wants the worker to end: what it holds is given back.
        self.ending = threading.Event()
        self._presence = Presence(name, pool.workers)
        self._gone = threading.Event()
        self._held: Job | None = None
        self._lost = self._unwanted = False
        self._thread = threading.Thread(target=self._pulse, name="pulse", daemon=True)

    def __enter__(self) -> ActiveWorker:
        self._presence.enter()
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._gone.set()
        self._thread.join()
        self._presence.leave()

    def hold(self, job: Job | None) -> None:
        """What the worker works on from now on."""
        self._held, self._lost, self._unwanted = job, False, False

    @property
    def lost(self) -> bool:
        """Another worker has what this one held."""
        return self._lost

    @property
    def unwanted(self) -> bool:
        """Nobody wants the job to go on just now."""
        return self._unwanted

    def goes_on(self) -> bool:
        """Whether to go on with what is held."""
        return not (self._lost or self._unwanted or self.ending.is_set())

    def _pulse(self) -> None:
        try:
            while not self._gone.wait(PULSE / 2):
                try:
                    self._look()
                except DatabaseError as error:
                    # A database that is locked or has no room: the lease outlasts many missed beats.
                    log.warning("pulse: %s", error)
        finally:
            connections.close_all()

    def _look(self) -> None:
        self._presence.be_seen()
        job = self._held
        if job is None:
            return
        kept = renew(job, self.name)
        now = type(job)._default_manager.filter(pk=job.pk).first()
        if self._held is job:
            self._lost = self._lost or not kept
            self._unwanted = now is None or not now.is_wanted()
