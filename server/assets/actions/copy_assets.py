"""Let a copied project use the files of the original."""

from __future__ import annotations

from assets.models import Font, LibraryFile, Picture
from projects.models import Project


def copy_assets(source: Project, target: Project) -> None:
    """Add the fonts, pictures and other files of one project to another; their content is shared."""
    Font.objects.bulk_create(
        Font(project=target, sha256=font.sha256, title=font.title, file_name=font.file_name)
        for font in source.fonts.all()
    )
    Picture.objects.bulk_create(
        Picture(project=target, sha256=one.sha256, file_name=one.file_name, width=one.width, height=one.height)
        for one in source.pictures.all()
    )
    LibraryFile.objects.bulk_create(
        LibraryFile(project=target, kind=one.kind, sha256=one.sha256, file_name=one.file_name, facts=one.facts)
        for one in source.files.all()
    )
