"""The frame key: one hash over everything a rendered frame depends on."""

from __future__ import annotations

import hashlib
import json
from dataclasses import asdict, fields

from zeitbild.render.renderer import RENDERER_VERSION
from zeitbild.resolve.snapshot import Snapshot


def frame_key(snapshot: Snapshot, quality: str) -> str:
    """SHA-256 of the snapshot's numbers, the quality and the renderer's version.

    Frame number, names and everything that does not change the picture stay outside, so that equal frames share one
    master. Uploaded fonts are inside by their own hash, through the geometry's key.
    """
    content = {
        field.name: getattr(snapshot, field.name)
        for field in fields(snapshot)
        if field.name not in ("meshes", "elements", "environment", "lights")
    }
    content["elements"] = [asdict(element) for element in snapshot.elements]
    content["lights"] = [asdict(light) for light in snapshot.lights]
    content["environment"] = asdict(snapshot.environment)
    content["quality"] = quality
    content["renderer"] = RENDERER_VERSION
    return hashlib.sha256(json.dumps(content, sort_keys=True).encode()).hexdigest()
