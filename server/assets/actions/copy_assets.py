"""Let a project use files of others: of the one that it is a copy of, or of those that what is pasted comes from."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from django.contrib.auth.models import User

from assets.actions.presence import present
from assets.models import Font, Kept, LibraryFile, Picture
from projects.models import Project
from projects.selectors import projects_of
from zeitbild_server.writing import writing


def copy_assets(source: Project, target: Project) -> None:
    """Add the fonts, pictures, other files and what is kept of one project to another; the content of files is shared."""
    _give(target, source.fonts.all(), source.pictures.all(), source.files.all())
    Kept.objects.bulk_create(
        Kept(project=target, kind=one.kind, name=one.name, content=one.content) for one in source.kept.all()
    )


def adopt_files(user: User, target: Project, keys: Sequence[str]) -> None:
    """Add files, as documents name them, of other projects that a person is a member of."""
    digests = [key.removeprefix("asset:") for key in keys]
    own: dict[str, Any] = {"project__in": projects_of(user).exclude(id=target.id), "sha256__in": digests}
    _give(target, Font.objects.filter(**own), Picture.objects.filter(**own), LibraryFile.objects.filter(**own))


def _give(target: Project, fonts: Iterable[Font], pictures: Iterable[Picture], files: Iterable[LibraryFile]) -> None:
    """Rows of a project like others; what it has stays."""
    with writing():
        for font in fonts:
            defaults: dict[str, Any] = {"title": font.title, "file_name": font.file_name, "styles": font.styles}
            present(Font.every.get_or_create(project=target, sha256=font.sha256, defaults=defaults)[0])
        for one in pictures:
            defaults = {"file_name": one.file_name, "width": one.width, "height": one.height}
            present(Picture.every.get_or_create(project=target, sha256=one.sha256, defaults=defaults)[0])
        for file in files:
            defaults = {"file_name": file.file_name, "facts": file.facts}
            own = {"project": target, "kind": file.kind, "sha256": file.sha256}
            present(LibraryFile.every.get_or_create(**own, defaults=defaults)[0])
