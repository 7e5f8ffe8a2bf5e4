"""The ZIP of a hand-off, checked after writing."""

from __future__ import annotations

import hashlib
import json
import zipfile
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from zeitbild.errors import StorageError
from zeitbild.handoff.sound import SoundRecord
from zeitbild.handoff.writing import FileRecord
from zeitbild.storage import write_new, write_whole

#: One fixed time for all entries, so that equal packages have equal bytes (the earliest that ZIP can store).
_TIME = (1980, 1, 1, 0, 0, 0)


def _entry(name: str) -> zipfile.ZipInfo:
    info = zipfile.ZipInfo(name, _TIME)
    info.external_attr = 0o644 << 16
    # Picture files are compressed already.
    info.compress_type = zipfile.ZIP_STORED
    return info


def pack(
    folder: Path, target: Path, manifest: dict[str, Any], text: str, records: Sequence[FileRecord | SoundRecord]
) -> int:
    """Write manifest.json and README.txt beside the files in ``folder`` and all of them into ``target``; gives its size.

    StorageError if it cannot be written, or if an entry read back from the ZIP is not the file that was checked.
    """
    extra = {
        "manifest.json": (json.dumps(manifest, indent=2, ensure_ascii=False) + "\n").encode(),
        "README.txt": text.encode(),
    }
    for name, data in extra.items():
        write_new(folder / name, data)
    ordered = sorted(records, key=lambda record: record.path)

    def write(beside: Path) -> None:
        with zipfile.ZipFile(beside, "w") as archive:
            for name, data in extra.items():
                archive.writestr(_entry(name), data)
            for record in ordered:
                archive.writestr(_entry(record.path), (folder / record.path).read_bytes())

    write_whole(target, write)
    with zipfile.ZipFile(target) as archive:
        for record in ordered:
            if hashlib.sha256(archive.read(record.path)).hexdigest() != record.sha256:
                target.unlink()
                raise StorageError(f"{record.path} changed between its check and the package; hand off again")
    return target.stat().st_size
