"""Let a copied project use the fonts of the original."""

from __future__ import annotations

from assets.models import Font
from projects.models import Project


def copy_fonts(source: Project, target: Project) -> None:
    """Add the fonts of one project to another; their content is shared."""
    Font.objects.bulk_create(
        Font(project=target, sha256=font.sha256, title=font.title, file_name=font.file_name)
        for font in source.fonts.all()
    )
