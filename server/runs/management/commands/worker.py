"""The worker: takes runs and hand-offs from the database, one after the other, until it is told to end."""

from __future__ import annotations

import logging
import signal
import time
from collections.abc import Callable
from typing import Any, TypeVar

from django.conf import settings
from django.core.management.base import BaseCommand, CommandParser
from django.db import DatabaseError, close_old_connections

from disk.room import no_room
from handoffs.actions.work_handoff import claim_handoff, work_handoff
from runs.actions.work_run import claim_run, work_run
from workers.active import ActiveWorker
from workers.claiming import give_back
from workers.models import Job
from workers.presence import clear_away, new_name
from zeitbild.errors import AwayError, FullError, ZeitbildError
from zeitbild.farm import FramePool
from zeitbild.memory import give_back_when_idle
from zeitbild.paths import data_folder
from zeitbild.storage import clear_left_over
from zeitbild_server.lifeline import end_with_launcher

log = logging.getLogger("zeitbild.worker")
_IDLE = 0.3
#: Seconds before work for which there was no room, or nobody to compute, is tried again.
_LATER = 5.0
#: Seconds between two looks for what dead workers left.
_CLEARED = 30.0
J = TypeVar("J", bound=Job)


class Command(BaseCommand):
    """See the module."""

    help = "Render runs and write hand-offs."

    def add_arguments(self, parser: CommandParser) -> None:
        """Options."""
        parser.add_argument("--once", action="store_true", help="end when nothing is left to do")
        parser.add_argument("--processes", type=int, default=settings.WORKER_PROCESSES)

    def handle(self, *args: Any, **options: Any) -> None:
        """Work until a signal asks to end."""
        end_with_launcher()
        give_back_when_idle()
        clear_left_over(data_folder())
        cleared = 0.0
        with farm(options["processes"]) as pool, ActiveWorker(new_name(), pool) as worker:
            for ending in (signal.SIGTERM, signal.SIGINT):
                signal.signal(ending, lambda *_: worker.ending.set())
            log.info("worker %s, %s processes", worker.name, pool.workers)
            if not options["once"] and not settings.CLUSTER:
                pool.warm()
            while not worker.ending.is_set():
                close_old_connections()
                try:
                    if work_next(worker):
                        continue
                    if time.monotonic() - cleared > _CLEARED:
                        cleared = time.monotonic()
                        clear_away()
                except DatabaseError as error:
                    # A database that is locked for long, or has no room, is waited for; what was held is claimed again.
                    log.warning("database: %s", error)
                    worker.ending.wait(2)
                    continue
                if options["once"]:
                    return
                worker.ending.wait(_IDLE)


def farm(processes: int) -> FramePool:
    """Local processes, or the cluster of the settings."""
    if not settings.CLUSTER:
        return FramePool(processes)
    from zeitbild.farm.cluster import ClusterExecutor

    return FramePool(processes, lambda _: ClusterExecutor(settings.CLUSTER, data_folder()))


def work_next(worker: ActiveWorker) -> bool:
    """Do the next hand-off or run, hand-offs first since people wait for them; False if there is none."""
    return _work(worker, claim_handoff, work_handoff) or _work(worker, claim_run, work_run)


def _work(worker: ActiveWorker, take: Callable[[str], J | None], work: Callable[[J, ActiveWorker], None]) -> bool:
    """Take a job and do it; whatever is raised while it is done is that job's failure, and nobody else's."""
    if no_room():
        return False
    job = take(worker.name)
    if job is None:
        return False
    worker.hold(job)
    try:
        work(job, worker)
    except DatabaseError:
        give_back(job, worker.name, job.WAITS)
        raise
    except (FullError, AwayError) as error:
        # It goes on when there is room, or somebody to compute; what stands is kept.
        log.warning("%s %s waits: %s", type(job).__name__, job.pk, error)
        give_back(job, worker.name, job.WAITS, str(error))
        worker.ending.wait(_LATER)
    except ZeitbildError as error:
        log.warning("%s %s failed: %s", type(job).__name__, job.pk, error)
        give_back(job, worker.name, job.GIVEN_UP, str(error))
    except MemoryError:
        give_back(job, worker.name, job.GIVEN_UP, "there was not enough memory for this")
    except Exception as error:
        log.exception("%s %s failed", type(job).__name__, job.pk)
        give_back(job, worker.name, job.GIVEN_UP, f"an unexpected error: {type(error).__name__}: {error}")
    finally:
        worker.hold(None)
    return True
