"""Masters that nobody needs any more, and removing them.

A master is needed by the newest run of its shot (that is what is proofed), by every run with a hand-off (its version, and the
verification of it), and by runs that are waiting, under way or stopped. The rest can be rendered again, and goes by age.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

from django.db.models import Max, Q
from django.utils import timezone

from handoffs.models import HandOff
from projects.models import Project
from runs.models import FINISHED, Cell, Run
from zeitbild.errors import StorageError
from zeitbild.paths import masters_folder

#: Days since a master was made or last used, for it to go.
DAYS = 14.0
#: Whatever is said, what was used a moment ago stays: it may be of a run that is about to say so.
_LEAST = 3600.0
_BATCH = 500


@dataclass(slots=True)
class Survey:
    """What was found: bytes and numbers of masters by why they are kept, and those that may go."""

    kept: dict[str, tuple[int, int]] = field(default_factory=dict)
    may_go: list[tuple[Path, int]] = field(default_factory=list)

    @property
    def going(self) -> int:
        """Bytes that may go."""
        return sum(size for _, size in self.may_go)

    def keep(self, why: str, size: int) -> None:
        """Count one that stays."""
        count, total = self.kept.get(why, (0, 0))
        self.kept[why] = count + 1, total + size


NEWEST = "in the newest run of a shot"
HANDED = "in a run that was handed off"
OPEN = "in a run that is not finished"
YOUNG = "used not long ago"


def _runs() -> dict[str, Q]:
    """Runs that need their masters, by why."""
    newest = Run.objects.order_by().values("shot").annotate(newest=Max("id")).values("newest")
    return {
        HANDED: Q(run__in=HandOff.objects.values("run")),
        NEWEST: Q(run__in=newest),
        OPEN: Q(run__state__in=(Run.State.WAITING, Run.State.RUNNING, Run.State.STOPPED)),
    }


def _needed() -> dict[str, str]:
    """Why each key is needed that is."""
    found: dict[str, str] = {}
    for why, query in reversed(_runs().items()):
        keys = Cell.objects.filter(query).exclude(key="").order_by().values_list("key", flat=True).distinct()
        found.update(dict.fromkeys(keys.iterator(), why))
    return found


def _files() -> Iterator[Path]:
    """Everything that is kept of masters: bundles of their planes, and notes about them."""
    for end in ("exr", "json"):
        yield from masters_folder().glob(f"??/*.{end}")


def _key(path: Path) -> str:
    """The frame key that a file belongs to."""
    return path.name.partition(".")[0]


def survey(project: Project | None = None, days: float = DAYS) -> Survey:
    """Look through all masters, or those of one project's runs that no other project has."""
    own: set[str] | None = None
    if project is not None:
        mine = Cell.objects.filter(run__shot__project=project).exclude(key="").order_by()
        others = Cell.objects.exclude(run__shot__project=project).exclude(key="").order_by()
        own = set(mine.values_list("key", flat=True)) - set(others.values_list("key", flat=True))
    found, needed = Survey(), _needed()
    youngest = time.time() - max(_LEAST, days * 86400)
    for path in _files():
        if path.name.startswith(".") or (own is not None and _key(path) not in own):
            continue
        try:
            stat = path.stat()
        except FileNotFoundError:
            continue
        why = needed.get(_key(path)) or (YOUNG if stat.st_mtime > youngest else "")
        if why:
            found.keep(why, stat.st_size)
        else:
            found.may_go.append((path, stat.st_size))
    return found


def clean(project: Project | None = None, days: float = DAYS) -> Survey:
    """Remove what may go; what is given tells what went. Cells whose masters went say so, and can be rendered again.

    StorageError if one cannot be removed.
    """
    found = survey(project, days)
    asked, found.may_go = found.may_go, []
    for start in range(0, len(asked), _BATCH):
        # Asked once more for each batch: a run may have begun, or used one, meanwhile.
        needed = _needed()
        part = [
            (path, size) for path, size in asked[start : start + _BATCH] if _key(path) not in needed and _is_old(path)
        ]
        # First said, then done: what is said to be gone and is still there is only used again.
        Cell.objects.filter(key__in={_key(path) for path, _ in part}, state__in=FINISHED).update(
            state=Cell.State.CLEANED, changed_at=timezone.now()
        )
        for path, size in part:
            try:
                path.unlink(missing_ok=True)
            except OSError as error:
                raise StorageError(f"{path.name} could not be removed: {error.strerror}") from error
            found.may_go.append((path, size))
    return found


def _is_old(path: Path) -> bool:
    try:
        return path.stat().st_mtime < time.time() - _LEAST
    except FileNotFoundError:
        return False
