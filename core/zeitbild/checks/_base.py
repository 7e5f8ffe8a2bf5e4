"""The contract of a check."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from dataclasses import field as declare
from functools import cached_property
from typing import Any, Literal

from zeitbild.document.evaluate import moves_at_all, turns_at_all
from zeitbild.document.shot import Shot
from zeitbild.elements import kinds
from zeitbild.elements.base import as_built, once
from zeitbild.errors import InputError
from zeitbild.registry import Registry
from zeitbild.resolve import resolve
from zeitbild.shipped import AssetSource
from zeitbild.snapshot import Snapshot


@dataclass(frozen=True, slots=True)
class Finding:
    """Something a check noticed: stable code, how bad, what a receiver would see, where, and what mends it.

    mend holds values by dotted document path: setting them all is the one click that mends it.
    """

    code: str
    level: Literal["hint", "warning"]
    message: str
    field: str
    desk: str
    frame: int | None = None
    mend: dict[str, Any] = declare(default_factory=dict)
    mend_title: str = ""


class SetView:
    """The set of a shot as checks that need geometry look at it; ``raster`` is the project's (width, height)."""

    def __init__(self, shot: Shot, assets: AssetSource, raster: tuple[int, int] | None = None) -> None:
        self.shot, self.assets, self.raster = shot, assets, raster
        self._snapshots: dict[int, Snapshot] = {}

    def snapshot(self, frame: int) -> Snapshot:
        """The snapshot at a frame."""
        if frame not in self._snapshots:
            self._snapshots[frame] = resolve(self.shot, frame, self.assets)
        return self._snapshots[frame]

    @cached_property
    def stands(self) -> bool:
        """Whether nothing in the shot has keys, turns or plays."""
        plays = (kinds.get(element.kind) for element in self.shot.elements)
        plain = all((one.pose is as_built or not one.seen) and one.copies is once for one in plays)
        return plain and not moves_at_all(self.shot) and not turns_at_all(self.shot)

    @property
    def sampled_frames(self) -> list[int]:
        """A few frames from first to last, to look for what only happens on the way; the first alone if nothing does."""
        frames = self.shot.timing.frames
        count = 1 if self.stands else min(len(frames), 9)
        return sorted({frames[round(k * (len(frames) - 1) / max(1, count - 1))] for k in range(count)})


@dataclass(frozen=True, slots=True)
class Check:
    """A named check over a shot document, or (``look_at_set``) over what stands in it."""

    name: str
    look: Callable[[Shot], Iterable[Finding]] | None = None
    look_at_set: Callable[[SetView], Iterable[Finding]] | None = None
    order: int = 0

    @property
    def note(self) -> str:
        """What it finds, as its module says."""
        look = self.look or self.look_at_set
        return (sys.modules[look.__module__].__doc__ or "").strip() if look is not None else ""


checks: Registry[Check] = Registry("check", "zeitbild.checks")


def find(shot: Shot, view: SetView | None = None) -> list[Finding]:
    """Findings of all checks, warnings first; without a view only those that need no geometry."""
    found = [finding for check in checks if check.look for finding in check.look(shot)]
    if view is not None:
        try:
            found += [finding for check in checks if check.look_at_set for finding in check.look_at_set(view)]
        except InputError:
            # What cannot be built has no geometry to judge; the picture says why, beside the field.
            pass
    return sorted(found, key=lambda finding: finding.level != "warning")
