"""Claiming jobs: one worker at a time has a job, for as long as it is heard of."""

from __future__ import annotations

import logging
from datetime import timedelta
from typing import TypeVar

from django.db.models import Q, QuerySet
from django.utils import timezone

from workers.models import Job
from workers.presence import dead_here
from zeitbild_server.writing import writing

log = logging.getLogger("zeitbild.worker")
J = TypeVar("J", bound=Job)

#: A worker that has not been heard of for so long is taken for dead, and its work goes on elsewhere.
LEASE = timedelta(seconds=20)
#: Workers that a job may take down with it.
MAX_TAKES = 3


def claim(jobs: QuerySet[J], worker: str) -> J | None:
    """Take the oldest job that waits, or whose worker is dead; None if there is none.

    A job that ``MAX_TAKES`` workers did not survive is given up instead of being taken again.
    """
    now = timezone.now()
    model = jobs.model
    gone = dead_here()
    free = Q(state=model.WAITS) | Q(state=model.BUSY) & (Q(lease_until__lt=now) | Q(worker__in=gone))
    while True:
        with writing():
            job = jobs.filter(free).order_by("id").first()
            if job is None:
                return None
            if job.takes < MAX_TAKES:
                job.state, job.worker, job.lease_until, job.takes = model.BUSY, worker, now + LEASE, job.takes + 1
                job.error = ""
                job.save(update_fields=["state", "worker", "lease_until", "takes", "error"])
                return job
            log.error("%s %s took %s workers down; it is given up", model.__name__, job.pk, MAX_TAKES)
            _let_go(
                job,
                model.GIVEN_UP,
                f"{MAX_TAKES} workers ended while they worked on this, perhaps for want of memory; it was given up",
            )


def renew(job: Job, worker: str) -> bool:
    """Keep a job for another while; False if it has another worker by now."""
    mine = type(job)._default_manager.filter(pk=job.pk, worker=worker, state=job.BUSY)
    return bool(mine.update(lease_until=timezone.now() + LEASE))


def note_progress(job: Job) -> None:
    """The job came further than ever before: workers that ended until now did not end because of it."""
    type(job)._default_manager.filter(pk=job.pk).update(takes=0)


def holds(job: Job, worker: str) -> bool:
    """Whether a job is still that worker's. Ask within the transaction that writes."""
    return type(job)._default_manager.filter(pk=job.pk, worker=worker, state=job.BUSY).exists()


def give_back(job: Job, worker: str, state: str, error: str = "") -> bool:
    """End a claim and leave the job in ``state``; False, and nothing changes, if it has another worker by now."""
    with writing():
        if not holds(job, worker):
            return False
        _let_go(job, state, error)
    return True


def _let_go(job: Job, state: str, error: str) -> None:
    job.state, job.error, job.worker, job.lease_until, job.takes = state, error, "", None, 0
    job.save(update_fields=["state", "error", "worker", "lease_until", "takes"])
