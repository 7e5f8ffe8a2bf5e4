"""Errors of the server beside the core's."""

from __future__ import annotations


class NotAllowed(Exception):
    """A member of a project may not do this there."""


class ShutOut(Exception):
    """Too many wrong passwords came from there."""


class Overtaken(Exception):
    """What was asked for is no longer computed: it was given up, or newer things were asked for."""


class Conflict(Exception):
    """Somebody else saved meanwhile; ``current`` is the revision that is there now."""

    def __init__(self, message: str, current: int) -> None:
        super().__init__(message)
        self.current = current
