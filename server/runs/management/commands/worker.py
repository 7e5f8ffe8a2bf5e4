"""The worker: takes runs and hand-offs from the database, one after the other, until it is told to end."""

from __future__ import annotations

import logging
import os
import signal
import socket
import time
from typing import Any
from uuid import uuid4

from django.conf import settings
from django.core.management.base import BaseCommand, CommandParser
from django.db import OperationalError, close_old_connections

from handoffs.actions.work_handoff import claim_handoff, work_handoff
from runs.actions.work_run import claim_run, work_run
from zeitbild.farm import FramePool

log = logging.getLogger("zeitbild.worker")
_IDLE = 0.3


class Command(BaseCommand):
    """See the module."""

    help = "Render runs and write hand-offs."

    def add_arguments(self, parser: CommandParser) -> None:
        """Options."""
        parser.add_argument("--once", action="store_true", help="end when nothing is left to do")
        parser.add_argument("--processes", type=int, default=settings.WORKER_PROCESSES)

    def handle(self, *args: Any, **options: Any) -> None:
        """Work until a signal asks to end."""
        ending = {"asked": False}

        def end(*_: Any) -> None:
            ending["asked"] = True

        signal.signal(signal.SIGTERM, end)
        name = f"{socket.gethostname()}:{os.getpid()}:{uuid4().hex[:6]}"
        log.info("worker %s, %s processes", name, options["processes"])
        with FramePool(options["processes"]) as pool:
            while not ending["asked"]:
                close_old_connections()
                try:
                    if work_next(name, pool):
                        continue
                except OperationalError as error:
                    # A database that is locked for long is waited for; work under way is claimed again by its lease.
                    log.warning("database: %s", error)
                    time.sleep(2)
                    continue
                if options["once"]:
                    return
                time.sleep(_IDLE)


def work_next(name: str, pool: FramePool) -> bool:
    """Do the next hand-off or run, hand-offs first since people wait for them; False if there is none."""
    handoff = claim_handoff(name)
    if handoff is not None:
        work_handoff(handoff, pool)
        return True
    run = claim_run(name)
    if run is not None:
        work_run(run, name, pool)
        return True
    return False
