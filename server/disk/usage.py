"""How much a project takes, of what."""

from __future__ import annotations

from dataclasses import dataclass

from django.db.models import Max, Sum

from handoffs.models import HandOff
from projects.models import Project
from runs.models import FINISHED, Cell
from zeitbild.assets import AssetFolder
from zeitbild.paths import assets_folder


@dataclass(frozen=True, slots=True)
class Usage:
    """Bytes of a project's rendered frames, hand-offs and uploaded files. What projects share counts for each."""

    masters: int
    handoffs: int
    uploads: int

    @property
    def total(self) -> int:
        """All of it."""
        return self.masters + self.handoffs + self.uploads


def usage_of(project: Project) -> Usage:
    """What a project takes."""
    cells = Cell.objects.filter(run__shot__project=project, state__in=FINISHED).order_by()
    masters = cells.values("key").annotate(size=Max("bytes")).aggregate(total=Sum("size"))["total"] or 0
    # Files and their package.
    handoffs = HandOff.objects.filter(shot__project=project).aggregate(total=Sum("bytes"))["total"] or 0
    folder, uploads = AssetFolder(assets_folder()), 0
    for files in (project.fonts, project.pictures, project.files):
        for digest in files.values_list("sha256", flat=True):
            try:
                uploads += folder.path(digest).stat().st_size
            except (OSError, ValueError):
                continue
    return Usage(masters, 2 * handoffs, uploads)
