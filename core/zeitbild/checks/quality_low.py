"""A run left at a working quality."""

from collections.abc import Iterator

from zeitbild.checks._base import Check, Finding, checks
from zeitbild.document.shot import Shot


def _look(shot: Shot) -> Iterator[Finding]:
    if shot.quality != "final":
        yield Finding(
            "quality-low",
            "hint",
            f"Runs of this shot are set to {shot.quality} quality: edges will be coarser than final.",
            "quality",
            "run",
            None,
            {"quality": "final"},
            "Set to final",
        )


checks.register(Check("quality-low", _look))
