"""Take in an uploaded font."""

from __future__ import annotations

from pathlib import PurePosixPath

from assets.actions.presence import present
from assets.models import Font
from disk.room import check_room
from projects.models import Project
from zeitbild.assets import AssetFolder
from zeitbild.errors import LimitError
from zeitbild.geometry.font import check_font, unpacked
from zeitbild.paths import assets_folder

MAX_FONTS = 200


def add_font(project: Project, file_name: str, data: bytes) -> Font:
    """Check a font and keep it, unpacked if it comes as the web packs fonts; FontError if it is broken, LimitError beyond ``MAX_FONTS`` in a project."""
    label = PurePosixPath(file_name.replace("\\", "/")).name[:200] or "the font"
    data = unpacked(data, label)
    check_room(project, len(data))
    titles = check_font(data, label)
    if project.fonts.count() >= MAX_FONTS:
        raise LimitError(f"a project takes up to {MAX_FONTS} fonts of its own", "font")
    sha256 = AssetFolder(assets_folder()).add(data)
    styles = titles if len(titles) > 1 else []
    kept, is_new = Font.every.get_or_create(
        project=project, sha256=sha256, defaults={"title": titles[0], "file_name": label, "styles": styles}
    )
    if not is_new and kept.styles != styles:
        # It came before styles were told.
        kept.styles = styles
        kept.save(update_fields=["styles"])
    return present(kept)
