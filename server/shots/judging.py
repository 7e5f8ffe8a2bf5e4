"""What a small picture of an unsaved document tells: how its light is spread, and which colours stand for it."""

from __future__ import annotations

from dataclasses import asdict, replace
from typing import Any

from zeitbild.assets import AssetFolder
from zeitbild.document.reading import read_shot
from zeitbild.paths import assets_folder
from zeitbild.proof.histogram import histogram
from zeitbild.render import QUALITIES, Picture, render
from zeitbild.render.view.pixel_look import palette_of
from zeitbild.resolve import resolve

#: Width of the picture that is judged.
_JUDGED = 480


def shares(document: Any, frame: int) -> dict[str, Any]:
    """Histogram of an unsaved document's picture at a frame: see ``zeitbild.proof.histogram``."""
    return asdict(histogram(_small(document, frame)))


def palette(document: Any, frame: int, count: int) -> list[str]:
    """At most ``count`` colours that stand for an unsaved document's picture, dark to light."""
    return palette_of(_small(document, frame).beauty, count)


def _small(document: Any, frame: int) -> Picture:
    shot = read_shot(document)
    # Without a palette of its own, which would hide what the light does.
    shot = shot.model_copy(update={"pixels": shot.pixels.model_copy(update={"palette": ()})})
    snapshot = resolve(shot, frame, AssetFolder(assets_folder()))
    if snapshot.backdrop is not None:
        snapshot = replace(snapshot, backdrop=None)
    width = min(_JUDGED, snapshot.width)
    return render(snapshot.at_size(width, max(1, round(width * snapshot.height / snapshot.width))), QUALITIES["check"])
