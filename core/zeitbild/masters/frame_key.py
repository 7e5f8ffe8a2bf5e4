"""The frame key: one hash over everything a rendered frame depends on."""

from __future__ import annotations

import hashlib
import json
from dataclasses import fields, is_dataclass
from typing import Any

from zeitbild.render.renderer import RENDERER_VERSION
from zeitbild.snapshot import Snapshot


def _plain(value: Any) -> Any:
    """Plain values of nested dataclasses; what does not take part in their comparison stays outside."""
    if isinstance(value, tuple):
        return [_plain(one) for one in value]
    if is_dataclass(value):
        return {one.name: _plain(getattr(value, one.name)) for one in fields(value) if one.compare}
    return value


def frame_key(snapshot: Snapshot, quality: str) -> str:
    """SHA-256 of the snapshot's numbers, the quality and the renderer's version.

    Frame number, names and everything that does not change the picture stay outside, so that equal frames share one
    master. Uploaded fonts are inside by their own hash, through their shape's name.
    """
    content = {field.name: _plain(getattr(snapshot, field.name)) for field in fields(snapshot) if field.compare}
    content["quality"] = quality
    content["renderer"] = RENDERER_VERSION
    return hashlib.sha256(json.dumps(content, sort_keys=True).encode()).hexdigest()
