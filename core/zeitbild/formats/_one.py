"""Files of one frame at once, for tests: what ``Format.open`` and ``Format.read_back`` do frame by frame."""

from __future__ import annotations

import tempfile
from collections.abc import Mapping, Sequence
from pathlib import Path

from zeitbild.document.layers import Sharing
from zeitbild.formats._base import Format, Plane, ReadBack, beside


def write_one(
    form: Format,
    path: Path,
    planes: Sequence[Plane],
    sharing: Sharing = "pass",
    options: Mapping[str, str] | None = None,
) -> None:
    """Write a file that holds the planes of one frame, with what stands beside it."""
    writer = form.open(path, sharing, options or {})
    writer.add(planes)
    writer.close()
    for ending, data in beside(writer).items():
        path.with_suffix(f".{ending}").write_bytes(data)


def encoded(
    form: Format, planes: Sequence[Plane], sharing: Sharing = "pass", options: Mapping[str, str] | None = None
) -> bytes:
    """Bytes of such a file."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"one.{form.extension}"
        write_one(form, path, planes, sharing, options)
        return path.read_bytes()


def read_one(
    form: Format,
    path: Path,
    planes: Sequence[Plane],
    sharing: Sharing = "pass",
    options: Mapping[str, str] | None = None,
) -> list[ReadBack]:
    """What is found in a file of one frame."""
    (found,) = form.read_back(path, [planes], sharing, options or {})
    return found
