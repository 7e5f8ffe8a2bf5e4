"""Take in an uploaded file of any kind of the library."""

from __future__ import annotations

import hashlib
from pathlib import PurePosixPath

from assets.models import LibraryFile
from disk.room import check_room
from projects.models import Project
from zeitbild.assets import AssetFolder
from zeitbild.errors import LimitError
from zeitbild.library import FileKind
from zeitbild.paths import assets_folder

#: Files of one kind in a project.
MAX_FILES = 300


def add_file(project: Project, kind: FileKind, file_name: str, data: bytes) -> LibraryFile:
    """Read a file and keep it; an InputError says what is wrong with it, LimitError beyond ``MAX_FILES`` of its kind in a project."""
    label = PurePosixPath(file_name.replace("\\", "/")).name[:200] or f"the {kind.title.lower()}"
    if len(data) > kind.most_bytes:
        raise LimitError(f"{label} is too large; files of this kind go to {kind.most_bytes // 1_000_000} MB")
    check_room(project, len(data))
    facts = kind.facts(data, label, f"asset:{hashlib.sha256(data).hexdigest()}")
    if project.files.filter(kind=kind.name).count() >= MAX_FILES:
        raise LimitError(f"a project takes up to {MAX_FILES} files of one kind")
    sha256 = AssetFolder(assets_folder()).add(data)
    defaults = {"file_name": label, "facts": facts}
    return LibraryFile.objects.get_or_create(project=project, kind=kind.name, sha256=sha256, defaults=defaults)[0]
