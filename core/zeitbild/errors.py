"""The one exception tree of the core.

ZeitbildError
├── InputError          something given is wrong: carries the place (``field``) so that it can be shown there
│   ├── DocumentError   a shot document is wrong, with one problem for each place
│   ├── FontError       a font cannot be read, or lacks glyphs
│   ├── PictureError    a picture cannot be read
│   ├── SoundError      a sound cannot be read
│   ├── DrawingError    a vector drawing cannot be read
│   ├── ModelError      a model cannot be read
│   └── NamingError     a file-name rule is wrong
├── LimitError          correct, but larger than this machine is allowed to try
├── AwayError           who should compute is not there just now
└── StorageError        a file cannot be written or read back
    └── FullError       there is no room for it
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass


class ZeitbildError(Exception):
    """Root of all errors that Zeitbild raises on purpose."""

    code = "error"


class InputError(ZeitbildError):
    """A given value is wrong. ``field`` is a dotted path into the shot document, or empty."""

    code = "input"

    def __init__(self, message: str, field: str = "") -> None:
        super().__init__(message)
        self.message = message
        self.field = field


@dataclass(frozen=True, slots=True)
class Problem:
    """One wrong place in a document: dotted path and a sentence for the person."""

    field: str
    message: str


class DocumentError(InputError):
    """A shot document does not hold; ``problems`` names every place."""

    code = "document"

    def __init__(self, problems: Sequence[Problem]) -> None:
        self.problems = tuple(problems)
        first = self.problems[0]
        more = f" (and {len(self.problems) - 1} more)" if len(self.problems) > 1 else ""
        super().__init__(f"{first.field or 'document'}: {first.message}{more}", first.field)


class FontError(InputError):
    """A font is broken, too large, or has no glyph for a character."""

    code = "font"


class PictureError(InputError):
    """An uploaded picture is broken, too large, or of a kind that is not read."""

    code = "picture"


class SoundError(InputError):
    """An uploaded sound is broken, too long, or of a kind that is not read."""

    code = "sound"


class DrawingError(InputError):
    """An uploaded vector drawing is broken, empty, or asks for what lies outside it."""

    code = "drawing"


class ModelError(InputError):
    """An uploaded model is broken, empty, or asks for what lies outside it."""

    code = "model"


class NamingError(InputError):
    """A file-name rule cannot give safe and distinct names."""

    code = "naming"


class LimitError(InputError):
    """A request is well formed but beyond a limit; the message gives the limit and its reason."""

    code = "limit"


class StorageError(ZeitbildError):
    """A file could not be written, or was not what it should be when read back."""

    code = "storage"


class GoneError(StorageError):
    """A master that was rendered is not there any more, or is damaged."""

    code = "gone"


class StoppedError(ZeitbildError):
    """Nobody wants the rest of it any more."""

    code = "stopped"


class AwayError(ZeitbildError):
    """Who should compute is not there just now."""

    code = "away"


class FullError(StorageError):
    """There is no room, or there would be none."""

    code = "full"
