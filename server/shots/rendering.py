"""Pictures for the editing view and the proof: rendered here, by the renderer of the output."""

from __future__ import annotations

import gc
import time
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np

from shots.lanes import LONG, SHORT, Lane, Task
from zeitbild.assets import AssetFolder
from zeitbild.caching import SizedCache
from zeitbild.document.reading import read_shot
from zeitbild.document.shot import Shot
from zeitbild.errors import InputError
from zeitbild.kernels import PARALLEL
from zeitbild.masters import MasterStore
from zeitbild.paths import assets_folder, masters_folder
from zeitbild.proof import View, encode_view, show
from zeitbild.proof.adding_up import rejoined
from zeitbild.proof.looks import needs_planes
from zeitbild.render import QUALITIES, Picture, render
from zeitbild.render.passes import Bundle
from zeitbild.resolve import resolve
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.quality import Quality
from zeitbild.warm import warm

MAX_VIEW_PIXELS = 3840 * 2160
#: Rough pictures with so many pixels at most go before others.
_SMALL = 1280 * 720
#: Pixels that silhouettes may be off in pictures for which a moving hand does not wait for shadows.
_COARSE = 0.5
#: Masters kept for looking, in bytes.
_KEPT = 512 * 1024 * 1024


def warm_up() -> None:
    """Load the compiled kernels, without waiting for it; who asks for a picture meanwhile waits for its end."""

    def load() -> None:
        warm()
        # What was loaded stays; looking through it for garbage again and again held up every request.
        gc.collect()
        gc.freeze()
        gc.set_threshold(20_000, 20, 20)

    SHORT.add(Task(0, load))


def lane_of(quality: str, width: int, height: int) -> Lane:
    """The lane that a picture belongs on."""
    return SHORT if quality == "rough" and width * height <= _SMALL else LONG


@dataclass(frozen=True, slots=True)
class Ghosts:
    """Neighbouring frames that are shown through a picture: how many before and after it, every how many frames, and how strong (0 to 1)
    the nearest of them are."""

    before: int
    after: int
    every: int
    strength: float


@dataclass(frozen=True, slots=True)
class Sketch:
    """An encoded picture of the editing view, and the milliseconds that it took."""

    data: bytes
    content_type: str
    milliseconds: float


#: Instead of the name of a layer: all that are on, laid over one another.
TOGETHER = "*"


def sketch(
    document: Any,
    frame: int,
    width: int,
    height: int,
    quality: str,
    view: View,
    kind: Literal["jpeg", "png"],
    layer: str = "",
    ghosts: Ghosts | None = None,
    blurred: bool = True,
    rays: bool = True,
) -> Sketch:
    """Render a raw document at a frame and a size: the whole set, a layer, or all layers laid over one another (``TOGETHER``); with
    neighbouring frames shown through it. Not ``blurred``: as if the shutter were never open; without ``rays`` as if no light threw a
    shadow and nothing was mirrored, and with silhouettes up to half a pixel off.

    DocumentError, FontError and the like name what is wrong.
    """
    if not (1 <= width <= 8192 and 1 <= height <= 8192 and width * height <= MAX_VIEW_PIXELS):
        raise InputError("a view has 1 to 8192 pixels a side and at most 3840 × 2160 in all")
    started = time.perf_counter()
    shot = read_shot(document)
    if quality not in QUALITIES:
        raise InputError(f"quality {quality!r} is not one of {', '.join(QUALITIES)}")
    if not blurred:
        shot = shot.model_copy(update={"motion": shot.motion.model_copy(update={"angle": 0})})
    spends = QUALITIES[quality]
    if not rays:
        spends = replace(spends, curve_error=max(spends.curve_error, _COARSE))
    planes = needs_planes(view.what)
    view = replace(view, highlights=shot.sampling.highlights, beyond=shot.sampling.beyond_alpha)
    if layer == TOGETHER:
        picture = _together(shot, frame, width, height, spends, rays=rays)
    else:
        snapshot = resolve(shot, frame, AssetFolder(assets_folder()), layer, motion=planes).at_size(width, height)
        picture = render(snapshot if rays else _without_rays(snapshot), spends, planes=planes)
    if ghosts is not None and view.what == "picture":
        picture = _with_ghosts(picture, shot, frame, layer, ghosts)
    data = encode_view(show(picture, view), kind)
    return Sketch(data, f"image/{kind}", (time.perf_counter() - started) * 1000)


def _without_rays(snapshot: Snapshot) -> Snapshot:
    lights = tuple(replace(one, shadows=False) for one in snapshot.lights)
    return replace(snapshot, lights=lights, occlusion=0.0, bounces=0)


def _with_ghosts(picture: Picture, shot: Shot, frame: int, layer: str, ghosts: Ghosts) -> Picture:
    """A picture with neighbouring frames over it, the nearest last; in a cycle beyond its ends, too."""
    timing, every = shot.timing, max(ghosts.every, 1)
    offsets = [*range(-ghosts.before, 0), *range(ghosts.after, 0, -1)]
    beauty, (height, width) = picture.beauty.copy(), picture.depth.shape
    assets = AssetFolder(assets_folder())
    for offset in sorted(offsets, key=lambda one: -abs(one)):
        at = frame + offset * every * timing.step
        if timing.cycle:
            at = timing.first + (at - timing.first) % (timing.last - timing.first + 1)
        if not timing.first <= at <= timing.last or at == frame:
            continue
        PARALLEL.breathe()
        one = resolve(shot, at, assets, "" if layer == TOGETHER else layer, motion=False).at_size(width, height)
        # What is behind the set is there once.
        ghost = render(replace(one, backdrop=None), QUALITIES["rough"]).beauty * np.float32(
            ghosts.strength / abs(offset)
        )
        beauty = ghost + beauty * (1 - ghost[..., 3:])
    return replace(picture, beauty=beauty)


def _together(shot: Shot, frame: int, width: int, height: int, quality: Quality, *, rays: bool) -> Picture:
    """The layers that look through the camera of the first, one over the other."""
    first = shot.layers_on[0]
    group = [layer for layer in shot.layers_on if (layer.camera or shot.view) == (first.camera or shot.view)]
    assets = AssetFolder(assets_folder())
    pictures = []
    for layer in group:
        PARALLEL.breathe()
        snapshot = resolve(shot, frame, assets, layer.name, motion=False).at_size(width, height)
        pictures.append(render(snapshot if rays else _without_rays(snapshot), quality))
    depth = np.minimum.reduce([picture.depth for picture in pictures])
    return Picture(rejoined(shot, group, pictures), depth)


_masters = SizedCache[Picture](_KEPT, Picture.size_in_bytes)


def master_picture(key: str, ends: Mapping[Bundle, str] | None = None) -> Picture:
    """A master's picture with some of its bundles; kept for a while, since a probe asks for the same one again and again."""
    parts: Mapping[Bundle, str] = ends or {"beauty": ""}
    return _masters.get((key, *sorted(parts.items())), lambda: MasterStore(masters_folder()).load(key, parts))
