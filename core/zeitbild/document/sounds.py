"""Sounds of a shot: which files are heard, from when on, and how loud."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, StringConstraints

from zeitbild.keys import Moving
from zeitbild.timing.frames import MAX_FRAME_NUMBER
from zeitbild.values import FRAME, STILL, Identifier, Title, number

MOST_SOUNDS = 16
#: A file that people brought, or one that ships; empty: none yet.
SoundName = Annotated[str, StringConstraints(pattern=r"^(|[a-z0-9-]{1,40}|asset:[0-9a-f]{64})$")]


class Sound(Moving):
    """A file that is heard with the shot; how loud it is can have keys."""

    id: Identifier = Field(title="Identity")
    name: Title = Field(default="Sound", title="Name")
    on: bool = Field(default=True, title="Heard", json_schema_extra=STILL)
    file: SoundName = Field(default="", title="File", json_schema_extra={"x-widget": "file", "x-files": "sounds"})
    begins: Annotated[int, Field(ge=-MAX_FRAME_NUMBER, le=MAX_FRAME_NUMBER)] = Field(
        default=1, title="Begins at frame", json_schema_extra={"x-step": 1, **FRAME}
    )
    skip: float = number(
        0, "Leave out at its beginning", 0, 3600, step=0.1, unit="s", help="So many seconds are not heard.", still=True
    )
    length: float = number(0, "Heard for", 0, 3600, step=0.1, unit="s", help="0: to its end.", still=True)
    volume: float = number(1, "Volume", 0, 8, step=0.05, slider=(0, 2), help="1 is as loud as the file.")
    fade_in: float = number(0, "Comes in within", 0, 600, step=0.1, unit="s", slider=(0, 5), still=True)
    fade_out: float = number(0, "Goes out within", 0, 600, step=0.1, unit="s", slider=(0, 5), still=True)
