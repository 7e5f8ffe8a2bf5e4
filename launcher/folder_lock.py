"""One launcher for one data folder: a lock that ends with its process, and a note of what runs there."""

from __future__ import annotations

import fcntl
import json
import os
from pathlib import Path
from typing import Any


class Taken(Exception):
    """Another launcher has the folder; ``note`` is what it wrote about itself."""

    def __init__(self, note: dict[str, Any]) -> None:
        super().__init__("the data folder is in use")
        self.note = note


class FolderLock:
    """Held from making it until ``free`` or the end of the process, however that comes."""

    def __init__(self, folder: Path) -> None:
        """Raises Taken if another process holds it."""
        folder.mkdir(parents=True, exist_ok=True)
        self.note_path = folder / "launcher.json"
        self._handle = os.open(folder / "launcher.lock", os.O_RDWR | os.O_CREAT, 0o600)
        try:
            fcntl.flock(self._handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            os.close(self._handle)
            raise Taken(read_note(folder)) from None

    def write_note(self, note: dict[str, Any]) -> None:
        """Say what runs here: pid, address, folder, processes."""
        beside = self.note_path.with_suffix(".part")
        beside.write_text(json.dumps(note, indent=1), encoding="utf-8")
        os.replace(beside, self.note_path)

    def free(self) -> None:
        """Let others have the folder."""
        self.note_path.unlink(missing_ok=True)
        os.close(self._handle)


def read_note(folder: Path) -> dict[str, Any]:
    """What the launcher of a folder wrote about itself; empty if there is none, or it is just starting."""
    try:
        note = json.loads((folder / "launcher.json").read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return {}
    return note if isinstance(note, dict) else {}
