"""Take in an uploaded file of any kind of the library."""

from __future__ import annotations

import shutil
import zipfile
from collections.abc import Sequence
from pathlib import Path, PurePosixPath

from django.core.files.uploadedfile import UploadedFile

from assets.actions.presence import present
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
#: The day of everything in a ZIP of ours, so that the same files give the same ZIP.
_DAY = (1980, 1, 1, 0, 0, 0)


def _label(name: str | None, kind: FileKind) -> str:
    return PurePosixPath((name or "").replace("\\", "/")).name[:200] or f"the {kind.title.lower()}"


def add_file(project: Project, kind: FileKind, uploads: Sequence[UploadedFile]) -> LibraryFile:
    """Read a file and keep it, or several that make one; an InputError says what is wrong with it, LimitError beyond ``MAX_FILES`` of its
    kind in a project. Nothing is kept of what is refused."""
    label = _label(uploads[0].name, kind)
    if len(uploads) > 1:
        if not kind.many:
            raise LimitError(f"one file at a time is taken here, and {len(uploads)} came")
        label = f"{PurePosixPath(label).stem} and {len(uploads) - 1} more"[:200]
    size = sum(upload.size or 0 for upload in uploads)
    if size > kind.most_bytes:
        raise LimitError(f"{label} is too large; files of this kind go to {kind.most_bytes // 1_000_000} MB")
    check_room(project, size)
    folder = AssetFolder(assets_folder())
    sha256, new = folder.take_in(lambda path: _write(path, kind, uploads))
    try:
        facts = kind.facts(folder.path(sha256), label, f"asset:{sha256}")
        if project.files.filter(kind=kind.name).count() >= MAX_FILES:
            raise LimitError(f"a project takes up to {MAX_FILES} files of one kind")
    except InputError:
        if new:
            folder.drop(sha256)
        raise
    defaults = {"file_name": label, "facts": facts}
    kept = LibraryFile.every.get_or_create(project=project, kind=kind.name, sha256=sha256, defaults=defaults)[0]
    return present(kept)


def _write(path: Path, kind: FileKind, uploads: Sequence[UploadedFile]) -> None:
    """One file as it is, several as a ZIP in the order of their names, not compressed."""
    if len(uploads) == 1:
        with path.open("wb") as out:
            for part in uploads[0].chunks(_AT_ONCE):
                out.write(part)
        return
    names: set[str] = set()
    with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED, allowZip64=True) as packed:
        for upload in sorted(uploads, key=lambda one: one.name or ""):
            name = _label(upload.name, kind)
            if name in names:
                raise LimitError(f"two of the files are called {name}; give each a name of its own")
            names.add(name)
            entry = zipfile.ZipInfo(name, _DAY)
            entry.file_size = upload.size or 0
            with packed.open(entry, "w") as out:
                shutil.copyfileobj(upload, out, _AT_ONCE)
