"""The ZIP of a hand-off, checked after writing, and the list of checksums inside."""

from __future__ import annotations

import hashlib
import shutil
import zipfile
from collections.abc import Mapping, Sequence
from pathlib import Path

from zeitbild.errors import StorageError
from zeitbild.storage import write_new, write_whole

#: One fixed time for all entries, so that equal packages have equal bytes (the earliest that ZIP can store).
_TIME = (1980, 1, 1, 0, 0, 0)
#: What lists the checksums: lines that ``sha256sum -c`` and its like verify (GNU coreutils, digest modes).
SUMS = "SHA256SUMS"
_CHUNK = 1 << 20


def _entry(name: str) -> zipfile.ZipInfo:
    info = zipfile.ZipInfo(name, _TIME)
    info.external_attr = 0o644 << 16
    # Picture files are compressed already.
    info.compress_type = zipfile.ZIP_STORED
    return info


def sums_of(digests: Mapping[str, str]) -> bytes:
    """The list of checksums of files by their paths."""
    return "".join(f"{digests[path]}  {path}\n" for path in sorted(digests)).encode()


def pack(folder: Path, target: Path, beside: Mapping[str, bytes], files: Mapping[str, str]) -> int:
    """Write what stands ``beside`` the files in ``folder`` (by path), the list of all checksums, and all of it into ``target``; gives its
    size. files are the checksums of those that are there already, by path.

    StorageError if it cannot be written, or if an entry read back from the ZIP is not the file that was checked.
    """
    digests = {**files, **{path: hashlib.sha256(data).hexdigest() for path, data in beside.items()}}
    every = {**beside, SUMS: sums_of(digests)}
    for path, data in every.items():
        write_new(folder / path, data)
    ordered: Sequence[str] = [*every, *sorted(files)]

    def write(to: Path) -> None:
        with zipfile.ZipFile(to, "w") as archive:
            for path in ordered:
                # Files may be larger than four gigabytes, and are never in memory whole.
                with (folder / path).open("rb") as source, archive.open(_entry(path), "w", force_zip64=True) as entry:
                    shutil.copyfileobj(source, entry, _CHUNK)

    write_whole(target, write)
    with zipfile.ZipFile(target) as archive:
        for path in sorted(digests):
            with archive.open(path) as entry:
                if hashlib.file_digest(entry, "sha256").hexdigest() != digests[path]:  # type: ignore[arg-type]
                    target.unlink()
                    raise StorageError(f"{path} changed between its check and the package; hand off again")
    return target.stat().st_size
