"""The contract of a check."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from dataclasses import field as declare
from typing import Any, Literal

from zeitbild.document.shot import Shot
from zeitbild.registry import Registry


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


@dataclass(frozen=True, slots=True)
class Check:
    """A named check over a shot document."""

    name: str
    look: Callable[[Shot], Iterable[Finding]]
    order: int = 0


checks: Registry[Check] = Registry("check", "zeitbild.checks")


def find(shot: Shot) -> list[Finding]:
    """Findings of all checks, warnings first."""
    found = [finding for check in checks for finding in check.look(shot)]
    return sorted(found, key=lambda finding: finding.level != "warning")
