"""Sounds: WAV, AIFF, CAF, FLAC, MP3, OGG, M4A, AAC."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from zeitbild.library.base import FileKind, files
from zeitbild.sound.mixing import heard
from zeitbild.sound.plain import MAX_SOUND_BYTES
from zeitbild.tones import SHIPPED

_CHANNELS = {1: "mono", 2: "stereo"}


def facts(path: Path, label: str, key: str) -> dict[str, Any]:
    """See ``FileKind``: how long it is, and the seconds at which it gets loud and between which it pauses."""
    found = heard(path, label)
    channels = _CHANNELS.get(found.channels, f"{found.channels} channels")
    notes = [f"of its {found.channels} channels two are made"] if found.channels > 2 else []
    if float(max(abs(found.lows.min(initial=0)), abs(found.highs.max(initial=0)))) < 1e-4:
        notes.append("nothing is heard in it")
    return {
        "summary": f"{_long(found.seconds)}, {channels}, {found.rate / 1000:g} kHz",
        "finishes": [],
        "seconds": round(found.seconds, 4),
        "loud": list(found.loud),
        "pauses": [list(one) for one in found.pauses],
        "notes": notes,
    }


def _long(seconds: float) -> str:
    return f"{seconds:.1f} s" if seconds < 60 else f"{int(seconds) // 60}:{int(seconds) % 60:02d} min"


files.register(
    FileKind(
        "sounds",
        "Sound",
        (".wav", ".aif", ".aiff", ".aifc", ".caf", ".flac", ".mp3", ".ogg", ".oga", ".opus", ".m4a", ".aac"),
        MAX_SOUND_BYTES,
        facts,
        order=3,
        shipped=tuple(SHIPPED.values()),
    )
)
