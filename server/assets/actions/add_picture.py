"""Take in an uploaded picture."""

from __future__ import annotations

from pathlib import PurePosixPath

from assets.actions.presence import present
from assets.models import Picture
from disk.room import check_room
from projects.models import Project
from zeitbild.assets import AssetFolder
from zeitbild.errors import LimitError
from zeitbild.paths import assets_folder
from zeitbild.pictures import check_all_round, measure_picture

MAX_PICTURES = 100


def add_picture(project: Project, file_name: str, data: bytes, *, sky: bool) -> Picture:
    """Check a picture (with ``sky`` one of all directions) and keep it.

    PictureError if it is none, LimitError beyond ``MAX_PICTURES``.
    """
    label = PurePosixPath(file_name.replace("\\", "/")).name[:200] or "the picture"
    check_room(project, len(data))
    height, width = measure_picture(data, label)
    if sky:
        check_all_round(height, width, label)
    if project.pictures.count() >= MAX_PICTURES:
        raise LimitError(f"a project takes up to {MAX_PICTURES} pictures of its own", "environment.picture")
    sha256 = AssetFolder(assets_folder()).add(data)
    defaults = {"file_name": label, "width": width, "height": height}
    return present(Picture.every.get_or_create(project=project, sha256=sha256, defaults=defaults)[0])
