"""The contract of a source."""

from __future__ import annotations

from typing import Protocol

from zeitbild.render.picture import Picture


class Source(Protocol):
    """Something that has a picture at each of its frames."""

    @property
    def frames(self) -> tuple[int, ...]:
        """Frames that it has, rising."""
        ...

    def key(self, frame: int) -> str:
        """Hash of everything that the picture of a frame depends on; KeyError for one that it does not have."""
        ...

    def picture(self, frame: int) -> Picture:
        """The picture of a frame; GoneError if it was there once and is not any more."""
        ...
