"""Take in an uploaded file of any kind of the library."""

from __future__ import annotations

import re
import shutil
import tempfile
import zipfile
from collections.abc import Sequence
from pathlib import Path, PurePosixPath

from django.core.files.uploadedfile import UploadedFile

from assets.actions.presence import present
from assets.actions.read_again import marked, read_again
from assets.models import LibraryFile
from disk.room import check_room
from projects.models import Project
from zeitbild.assets import AssetFolder
from zeitbild.errors import InputError, LimitError
from zeitbild.library import FileKind
from zeitbild.paths import assets_folder

#: Files of one kind in a project.
MAX_FILES = 300
#: Bytes that are copied at once.
_AT_ONCE = 4 << 20
#: A name with a number, and what may stand behind that.
_NUMBERED = re.compile(r"(.*?)(\d{1,12})(\D*)")
#: Folders of which places are told.
_DEEP = 12
#: The day of everything in a ZIP of ours, so that the same files give the same ZIP.
_DAY = (1980, 1, 1, 0, 0, 0)


def _label(name: str | None, kind: FileKind) -> str:
    return PurePosixPath((name or "").replace("\\", "/")).name[:200] or f"the {kind.title.lower()}"


def _label_of_all(names: Sequence[str]) -> str:
    """What several files that make one are called: numbered pictures by the first and the last, others by the first."""
    parts = [_NUMBERED.fullmatch(name) for name in names]
    stems = {part[1] for part in parts if part}
    if all(parts) and len(stems) == 1:
        numbers = sorted((part[2] for part in parts if part), key=int)
        return f"{stems.pop()}{numbers[0]}–{numbers[-1]}"[-200:]
    return f"{PurePosixPath(names[0]).stem} and {len(names) - 1} more"[:200]


def add_file(
    project: Project, kind: FileKind, uploads: Sequence[UploadedFile], told: Sequence[str] = ()
) -> LibraryFile:
    """Read a file and keep it, or several that make one (told: where they lay in the folder that they came in).

    An InputError says what is wrong with it, LimitError beyond ``MAX_FILES`` of its kind in a project. Nothing is kept of what is refused.
    """
    label = _label(uploads[0].name, kind)
    gathers = _gathers(kind, uploads)
    if len(uploads) > 1 and not gathers:
        if not kind.together:
            raise LimitError(f"one file at a time is taken here, and {len(uploads)} came")
        label = _label_of_all([_label(upload.name, kind) for upload in uploads])
    size = sum(upload.size or 0 for upload in uploads)
    if size > kind.most_bytes:
        raise LimitError(f"{label} is too large; files of this kind go to {kind.most_bytes // 1_000_000} MB")
    check_room(project, size)
    folder = AssetFolder(assets_folder())
    if gathers:
        places = _places(uploads, told)
        label = _gathered_label(uploads, places, label)
        sha256, new = folder.take_in(lambda path: _gather(path, kind, uploads, places, label))
    else:
        sha256, new = folder.take_in(lambda path: _write(path, kind, uploads))
    try:
        facts = kind.facts(folder.path(sha256), label, f"asset:{sha256}")
        if project.files.filter(kind=kind.name).count() >= MAX_FILES:
            raise LimitError(f"a project takes up to {MAX_FILES} files of one kind")
    except InputError:
        if new:
            folder.drop(sha256)
        raise
    defaults = {"file_name": label, "facts": marked(kind, facts)}
    kept = LibraryFile.every.get_or_create(project=project, kind=kind.name, sha256=sha256, defaults=defaults)[0]
    return read_again(present(kept))


def _gathers(kind: FileKind, uploads: Sequence[UploadedFile]) -> bool:
    """Whether one file of this kind is made of these."""
    endings = kind.gathers
    return bool(endings) and all((upload.name or "").lower().endswith(endings) for upload in uploads)


def _gathered_label(uploads: Sequence[UploadedFile], places: Sequence[str], label: str) -> str:
    """The folder that all came in, or the name of the first file."""
    folders = {place.split("/")[0] for place in places if "/" in place}
    if len(folders) == 1 and all("/" in place for place in places):
        return folders.pop()[:200]
    return PurePosixPath(label).stem if len(uploads) == 1 else label


def _gather(path: Path, kind: FileKind, uploads: Sequence[UploadedFile], places: Sequence[str], label: str) -> None:
    """One file of several (``FileKind.gather``), or of those in a ZIP."""
    assert kind.gather is not None
    with tempfile.TemporaryDirectory() as folder:
        packed = Path(folder) / "packed"
        if len(uploads) == 1 and (uploads[0].name or "").lower().endswith(".zip"):
            _write(packed, kind, uploads)
        else:
            _pack(packed, sorted(zip(places, uploads, strict=True), key=lambda one: one[0]))
        path.write_bytes(kind.gather(packed, label))


def _places(uploads: Sequence[UploadedFile], told: Sequence[str]) -> list[str]:
    """Where files lay in the folder that they came in, as far as that was told with them; else their names."""
    if len(told) != len(uploads):
        told = [upload.name or "" for upload in uploads]
    parts = [[part for part in re.split(r"[/\\]", place) if part not in ("", ".", "..")] for place in told]
    return ["/".join(part[:80] for part in one[-_DEEP:]) or "picture" for one in parts]


def _write(path: Path, kind: FileKind, uploads: Sequence[UploadedFile]) -> None:
    """One file as it is, several as a ZIP in the order of their names, not compressed."""
    if len(uploads) == 1:
        with path.open("wb") as out:
            for part in uploads[0].chunks(_AT_ONCE):
                out.write(part)
        return
    _pack(path, [(_label(upload.name, kind), upload) for upload in sorted(uploads, key=lambda one: one.name or "")])


def _pack(path: Path, uploads: Sequence[tuple[str, UploadedFile]]) -> None:
    """Files under names into a ZIP, not compressed."""
    names: set[str] = set()
    with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED, allowZip64=True) as packed:
        for name, upload in uploads:
            if name in names:
                raise LimitError(f"two of the files are called {name}; give each a name of its own")
            names.add(name)
            entry = zipfile.ZipInfo(name, _DAY)
            entry.file_size = upload.size or 0
            with packed.open(entry, "w") as out:
                shutil.copyfileobj(upload, out, _AT_ONCE)
