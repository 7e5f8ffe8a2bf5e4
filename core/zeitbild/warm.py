"""Compile every kernel into the cache by rendering and writing one small frame at each quality."""

from __future__ import annotations

import tempfile
from pathlib import Path

from zeitbild.assets import AssetFolder
from zeitbild.document.shot import Shot
from zeitbild.elements.lettering import Lettering
from zeitbild.formats import Plane, formats
from zeitbild.proof import View, encode_view, show
from zeitbild.render import QUALITIES, render
from zeitbild.render.passes import passes
from zeitbild.resolve import resolve


def warm() -> None:
    """Touch every kernel once with the types that real work uses."""
    shot = Shot(elements=(Lettering(id="word-1", word="Ab"),))
    snapshot = resolve(shot, 1, AssetFolder(Path(tempfile.gettempdir()))).at_size(96, 54)
    for quality in QUALITIES.values():
        picture = render(snapshot, quality)
    for blend in ("linear", "encoded"):
        encode_view(show(picture, View(blend=blend)), "jpeg")  # type: ignore[arg-type]
    for form in formats:
        for one in passes:
            form.encode(Plane(one.role, one.extract(picture), (0.0, 1.0)))


if __name__ == "__main__":
    warm()
