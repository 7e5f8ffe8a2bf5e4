"""Who is there. A worker holds a lock on a file as long as it lives, so that those on the same machine need not wait to see that
it is dead; others go by when it was last heard of."""

from __future__ import annotations

import fcntl
import os
import re
import socket
from datetime import timedelta
from pathlib import Path
from uuid import uuid4

from django.utils import timezone

from workers.models import Worker
from zeitbild.paths import data_folder

#: A worker not heard of for so long counts as absent.
ABSENT = timedelta(seconds=3)
#: Rows of workers on other machines that were not heard of for so long are removed.
_FORGOTTEN = timedelta(hours=1)
_UNFIT = re.compile(r"[^0-9A-Za-z._-]")


def _folder() -> Path:
    return data_folder() / "workers"


def this_host() -> str:
    """Name of this machine."""
    return socket.gethostname()[:80]


def new_name() -> str:
    """A name that no other worker has or had."""
    return f"{this_host()}:{os.getpid()}:{uuid4().hex[:8]}"


def _lock_path(name: str) -> Path:
    return _folder() / f"{_UNFIT.sub('-', name)}.lock"


class Presence:
    """A worker's place among the others, from ``enter`` to ``leave``."""

    def __init__(self, name: str, processes: int) -> None:
        self.name, self.processes = name, processes
        self._handle: int | None = None

    def enter(self) -> None:
        """Lock the own file, and write the row that others see."""
        _folder().mkdir(parents=True, exist_ok=True)
        self._handle = os.open(_lock_path(self.name), os.O_RDWR | os.O_CREAT, 0o600)
        fcntl.flock(self._handle, fcntl.LOCK_EX)
        self.be_seen()

    def be_seen(self) -> None:
        """Renew the row."""
        Worker.objects.update_or_create(
            name=self.name,
            defaults={"seen_at": timezone.now()},
            create_defaults={
                "host": this_host(),
                "pid": os.getpid(),
                "processes": self.processes,
                "seen_at": timezone.now(),
            },
        )

    def leave(self) -> None:
        """Remove row and file."""
        Worker.objects.filter(name=self.name).delete()
        if self._handle is not None:
            _lock_path(self.name).unlink(missing_ok=True)
            os.close(self._handle)
            self._handle = None


def _is_dead(name: str) -> bool:
    """Whether a worker of this machine is gone: its file is no longer locked."""
    try:
        handle = os.open(_lock_path(name), os.O_RDWR)
    except OSError:
        return True
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    finally:
        os.close(handle)
    return True


def dead_here() -> list[str]:
    """Names of workers of this machine that are known to be dead. Their rows stay until ``clear_away``."""
    names = Worker.objects.filter(host=this_host()).values_list("name", flat=True)
    return [name for name in names if _is_dead(name)]


def clear_away() -> None:
    """Remove what dead workers left. Call it after their jobs have been claimed."""
    gone = dead_here()
    for name in gone:
        _lock_path(name).unlink(missing_ok=True)
    Worker.objects.filter(name__in=gone).delete()
    Worker.objects.filter(seen_at__lt=timezone.now() - _FORGOTTEN).delete()


def workers_present() -> list[Worker]:
    """Workers heard of within ``ABSENT``, but for those of this machine that are known to be dead."""
    found = Worker.objects.filter(seen_at__gte=timezone.now() - ABSENT).order_by("started_at")
    return [one for one in found if one.host != this_host() or not _is_dead(one.name)]
