"""The frame key: one hash over everything a rendered frame depends on."""

from __future__ import annotations

import hashlib
import json
from dataclasses import asdict, fields, is_dataclass
from typing import Any

from zeitbild.render.renderer import RENDERER_VERSION
from zeitbild.resolve.snapshot import Snapshot


def _plain(value: Any) -> Any:
    if isinstance(value, tuple):
        return [_plain(one) for one in value]
    return asdict(value) if is_dataclass(value) and not isinstance(value, type) else value


def frame_key(snapshot: Snapshot, quality: str) -> str:
    """SHA-256 of the snapshot's numbers, the quality and the renderer's version.

    Frame number, names and everything that does not change the picture stay outside, so that equal frames share one
    master. Uploaded fonts are inside by their own hash, through the geometry's key.
    """
    content = {
        field.name: _plain(getattr(snapshot, field.name)) for field in fields(snapshot) if field.name != "meshes"
    }
    content["quality"] = quality
    content["renderer"] = RENDERER_VERSION
    return hashlib.sha256(json.dumps(content, sort_keys=True).encode()).hexdigest()
