"""Pictures for the editing view and the proof: rendered here, by the renderer of the output."""

from __future__ import annotations

import time
from dataclasses import dataclass, replace
from typing import Any, Literal

from shots.lanes import LONG, SHORT, Lane, Task
from zeitbild.assets import AssetFolder
from zeitbild.document.reading import read_shot
from zeitbild.errors import InputError
from zeitbild.masters import MasterStore
from zeitbild.paths import assets_folder, masters_folder
from zeitbild.proof import View, encode_view, show
from zeitbild.proof.looks import look_named
from zeitbild.render import QUALITIES, Picture, render
from zeitbild.resolve import resolve
from zeitbild.resolve.digest_cache import DigestCache
from zeitbild.warm import warm

MAX_VIEW_PIXELS = 3840 * 2160
#: Rough pictures with so many pixels at most go before others.
_SMALL = 1280 * 720
#: Masters kept for looking, in bytes.
_KEPT = 512 * 1024 * 1024


def warm_up() -> None:
    """Load the compiled kernels, without waiting for it; who asks for a picture meanwhile waits for its end."""
    SHORT.add(Task(0, warm))


def lane_of(quality: str, width: int, height: int) -> Lane:
    """The lane that a picture belongs on."""
    return SHORT if quality == "rough" and width * height <= _SMALL else LONG


@dataclass(frozen=True, slots=True)
class Sketch:
    """An encoded picture of the editing view, and the milliseconds that it took."""

    data: bytes
    content_type: str
    milliseconds: float


def sketch(
    document: Any, frame: int, width: int, height: int, quality: str, view: View, kind: Literal["jpeg", "png"]
) -> Sketch:
    """Render a raw document at a frame and a size; DocumentError, FontError and the like name what is wrong."""
    if not (1 <= width <= 8192 and 1 <= height <= 8192 and width * height <= MAX_VIEW_PIXELS):
        raise InputError("a view has 1 to 8192 pixels a side and at most 3840 × 2160 in all")
    started = time.perf_counter()
    shot = read_shot(document)
    snapshot = resolve(shot, frame, AssetFolder(assets_folder())).at_size(width, height)
    if quality not in QUALITIES:
        raise InputError(f"quality {quality!r} is not one of {', '.join(QUALITIES)}")
    planes = view.what != "picture" and look_named(view.what).planes
    view = replace(view, highlights=shot.sampling.highlights, beyond=shot.sampling.beyond_alpha)
    data = encode_view(show(render(snapshot, QUALITIES[quality], planes=planes), view), kind)
    return Sketch(data, f"image/{kind}", (time.perf_counter() - started) * 1000)


_masters = DigestCache[Picture](_KEPT, Picture.size_in_bytes)


def master_picture(key: str) -> Picture:
    """A master's picture; kept for a while, since a probe asks for the same one again and again."""
    return _masters.get(key, lambda: MasterStore(masters_folder()).load(key))
