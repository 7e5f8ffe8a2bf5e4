"""How a long task, and who waits for it, know of each other: a small file in which the task says how far it is, and without which it ends."""

from __future__ import annotations

import time
from pathlib import Path

from zeitbild.errors import StoppedError

#: Seconds between two looks at the file.
_PAUSE = 0.25


class Mark:
    """The task's side. One whose folder is not there (it is another machine's), or that nobody asks for, says nothing."""

    def __init__(self, path: Path | None) -> None:
        self._path = path if path is not None and path.parent.exists() else None
        self._looked = time.monotonic()

    def tell(self, share: float) -> None:
        """So much of the task (0..1) is done; StoppedError if nobody wants the rest."""
        if self._path is None or time.monotonic() - self._looked < _PAUSE:
            return
        self._looked = time.monotonic()
        try:
            # Where it lies: one that is taken away just now does not stand up again.
            with self._path.open("r+b") as file:
                file.write(_said(share))
        except FileNotFoundError:
            raise StoppedError("it was stopped") from None


def _said(share: float) -> bytes:
    return f"{share:.6f}".encode()


def begin(path: Path) -> None:
    """Let a task go on."""
    path.write_bytes(_said(0.0))


def share_of(path: Path) -> float:
    """How much of a task is done, 0..1."""
    try:
        return float(path.read_bytes())
    except (OSError, ValueError):
        return 0.0


def stop(path: Path) -> None:
    """Let a task end where it is."""
    path.unlink(missing_ok=True)
