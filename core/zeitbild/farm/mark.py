"""How a long task, and who waits for it, know of each other: a small file in which the task says how far it is, and without which it ends."""

from __future__ import annotations

import itertools
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Generic, TypeVar

from zeitbild.errors import StoppedError

K = TypeVar("K")
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


class Marks(Generic[K]):
    """The waiting side: of each task that has a mark how far it is, by whatever tasks are known as."""

    def __init__(self, folder: Path) -> None:
        self._folder, self._number = folder, itertools.count()
        self._paths: dict[K, Path] = {}

    def of(self, task: K) -> Path:
        """A mark for a task, which goes on as long as it stands."""
        path = self._paths[task] = self._folder / str(next(self._number))
        begin(path)
        return path

    def shares(self) -> Iterator[tuple[K, float]]:
        """Each task that has not ended, and how much of it (0..1) is done."""
        return ((task, share_of(path)) for task, path in self._paths.items())

    def end(self, task: K) -> None:
        """Forget a task that is done, if it had a mark."""
        if (path := self._paths.pop(task, None)) is not None:
            stop(path)

    def stop(self) -> None:
        """Let all of them end where they are."""
        for path in self._paths.values():
            stop(path)


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
