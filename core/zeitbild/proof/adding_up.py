"""That parts add up to the whole: layers to the picture of the whole set (passes of light to beauty: ``differences``)."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from zeitbild.document.layers import Layer
from zeitbild.document.shot import Shot
from zeitbild.render.picture import Picture

#: What layers may be off when they are laid over one another: one step of 8 bits.
ALLOWED = 1 / 255
#: What passes of light may be off, as a share of the light where it is above white: half floats (IEEE 754) round all parts together by
#: 2^-11 of their sum at most, and beauty by as much; a tenth for sums of floats.
SUMS_ALLOWED = 2.1 * 2**-11


def holds_out(shot: Shot, lower: Layer, upper: Layer) -> bool:
    """Whether all that the upper layer shows cuts its hole into the lower one, so that they are joined by plus."""
    return all(
        lower.membership(element.id) == "hold-out"
        for element in shot.elements
        if element.delivered and upper.membership(element.id) == "shown"
    )


def rejoined(shot: Shot, layers: Sequence[Layer], pictures: Sequence[Picture]) -> NDArray[np.float32]:
    """Layers laid over one another in their order, the first at the bottom [H, W, 4].

    Over of Porter and Duff 1984; plus where the upper one cut its hole into the lower one already.
    """
    total: NDArray[np.float32] = np.zeros_like(pictures[0].beauty)
    for number, (layer, picture) in enumerate(zip(layers, pictures, strict=True)):
        rest = np.ones((*picture.depth.shape, 1), np.float32)
        for upper, above in zip(layers[number + 1 :], pictures[number + 1 :], strict=True):
            if not holds_out(shot, layer, upper):
                rest *= 1 - above.beauty[..., 3:]
        total += picture.beauty * rest
    return total


def groups_of(shot: Shot, layers: Sequence[Layer], frame: int) -> list[tuple[Layer, ...]]:
    """Layers of a frame that belong together, two and more: those that look through one camera, in their order."""
    by_camera: dict[str, list[Layer]] = {}
    for layer in layers:
        if layer.frames_of((frame,)):
            by_camera.setdefault(layer.camera or shot.view, []).append(layer)
    return [tuple(group) for group in by_camera.values() if len(group) > 1]
