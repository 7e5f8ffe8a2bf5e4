"""Whether something still fits: on the disk, and in what a project may take."""

from __future__ import annotations

import shutil

from django.conf import settings
from django.db.models import Avg

from disk.usage import usage_of
from projects.models import Project
from runs.models import FINISHED, Cell, Run
from shots.models import Shot
from zeitbild.errors import FullError
from zeitbild.paths import data_folder

#: Bytes of a master a pixel where none like it was rendered yet: half floats and depth, as they compress where most is clear.
_A_PIXEL = 4


def free_bytes() -> int:
    """Bytes free in the data folder."""
    return shutil.disk_usage(data_folder()).free


def said(count: float) -> str:
    """Bytes as people say them."""
    return f"{count / 1e9:.1f} GB" if count >= 1e9 else f"{max(count, 0) / 1e6:.0f} MB"


def check_room(project: Project, need: int) -> None:
    """FullError if so many bytes more would not fit on the disk or in the project's share of it; nothing always fits."""
    if need <= 0:
        return
    left = free_bytes() - settings.DISK_RESERVE
    if need > left:
        raise FullError(
            f"This takes about {said(need)}, and {said(left)} are left on the disk. Clean up (on the project's page), "
            "or ask whoever runs this server for room."
        )
    if settings.PROJECT_QUOTA:
        left = settings.PROJECT_QUOTA - usage_of(project).total
        if need > left:
            raise FullError(
                f"This takes about {said(need)}, and {said(left)} are left of the {said(settings.PROJECT_QUOTA)} "
                "that this project may take. Clean up (on its page) first."
            )


def no_room() -> str:
    """Why no work should be begun now, or nothing if it may."""
    left = free_bytes()
    if left < settings.DISK_RESERVE / 2:
        return f"The disk is full ({said(left)} free); this goes on by itself when there is room."
    return ""


def master_bytes(shot: Shot, pixels: int, quality: str) -> int:
    """Expected bytes of one master of a shot: as those of its runs were, or by its pixels."""
    known = Cell.objects.filter(run__shot=shot, run__quality=quality, state=Cell.State.DONE, bytes__gt=0)
    newest = Run.objects.filter(shot=shot, quality=quality).order_by("-id").values("id")[:3]
    mean = known.filter(run__in=newest).aggregate(mean=Avg("bytes"))["mean"]
    return int(mean or _A_PIXEL * pixels)


def cells_there(shot: Shot, document: str, quality: str, frames: frozenset[int]) -> int:
    """How many cells of a document's frames were rendered in earlier runs of the very same, and need no room any more."""
    same = Cell.objects.filter(
        run__shot=shot, run__document=document, run__quality=quality, state__in=FINISHED
    ).order_by()
    return len({place for place in same.values_list("layer", "frame") if place[1] in frames})
