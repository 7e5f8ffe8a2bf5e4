"""Footage out of strangers' files, apart: what a file holds, and its pictures one by one."""

from __future__ import annotations

from typing import Any

from zeitbild.errors import PictureError
from zeitbild.isolation import Limits, apart

#: A movie that is open is worth keeping open: to open it anew for each picture would take a second each time.
_LIMITS = Limits(seconds=60.0, memory=6 << 30, file_size=1 << 30, kept=1 << 30)


@apart(PictureError, "picture", _LIMITS)
def look_at(path: str, label: str, thorough: bool) -> dict[str, Any]:
    """What a file holds (``Footage.plain``); ``thorough``: after a look at as many of its pictures as there is time for."""
    # Its libraries take a while to load, and are wanted in reading processes only.
    from zeitbild.footage.pieces import footage_in

    return footage_in(path, label, thorough=thorough).plain


@apart(PictureError, "picture", _LIMITS)
def picture_of(path: str, label: str, number: int) -> dict[str, Any]:
    """One picture of a file, from 0 on: ``pixels`` [H, W, 3 or 4] as the file has them, and whether they are ``encoded``."""
    from zeitbild.footage.pieces import picture_in

    raw = picture_in(path, label, number)
    return {"pixels": raw.pixels, "encoded": raw.encoded}
