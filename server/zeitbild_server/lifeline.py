"""Ending with the launcher: a server or worker whose launcher is gone, killed even, ends itself."""

from __future__ import annotations

import os
import signal
import threading
import time

#: Number of a file that is read until its other end is closed, which only the launcher has (``launcher/supervisor.py``).
LIFELINE = "ZEITBILD_LIFELINE"
#: Seconds to end in order.
_PATIENCE = 10.0


def end_with_launcher() -> None:
    """Watch the line from a thread, if there is one."""
    number = os.environ.pop(LIFELINE, "")
    if number:
        threading.Thread(target=_watch, args=(int(number),), name="lifeline", daemon=True).start()


def _watch(line: int) -> None:
    os.read(line, 1)
    os.kill(os.getpid(), signal.SIGTERM)
    time.sleep(_PATIENCE)
    os._exit(1)
