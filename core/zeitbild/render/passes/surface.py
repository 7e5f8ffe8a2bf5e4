"""Where surfaces are, face, move to: numbers of the one surface that gives most to a pixel."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from zeitbild.render.data_rows import CAMERA_NORMAL, MOTION, NORMAL, POSITION, SHARE, TEXTURE
from zeitbild.render.passes._base import Pass, passes
from zeitbild.render.passes._planes import Extract, data_of, data_part, unit_shown
from zeitbild.render.picture import Picture
from zeitbild.snapshot.reach import Reach

#: (low, high) of each channel, from the reach of a shot.
_Spread = Callable[[Reach], Sequence[tuple[float, float]]]


def _position_shown(picture: Picture) -> NDArray[np.float32]:
    data = data_of(picture)
    there, places = data[..., SHARE] > 0, data[..., POSITION : POSITION + 3]
    if not there.any():
        return np.zeros_like(places)
    low, high = places[there].min(axis=0), places[there].max(axis=0)
    share = (places - low) / np.maximum(high - low, np.float32(1e-6))
    return np.where(there[..., None], share, 0).astype(np.float32)


def _motion_shown(picture: Picture) -> NDArray[np.float32]:
    # The fastest part of this picture reaches the ends of the scale.
    data = data_of(picture)
    motion, there = data[..., MOTION : MOTION + 2], (data[..., SHARE] > 0)[..., None]
    most = np.float32(max(float(np.abs(motion).max()), 1e-6))
    shown = np.concatenate([0.5 + 0.5 * motion / most, np.full_like(motion[..., :1], 0.5)], axis=2)
    return np.where(there, shown, 0).astype(np.float32)


def _texture_shown(picture: Picture) -> NDArray[np.float32]:
    return np.clip(data_of(picture)[..., TEXTURE : TEXTURE + 3], 0, 1)


def _register(
    order: int, name: str, title: str, note: str, first: int, shown: Extract, spread: _Spread, channels: str = "XYZ"
) -> None:
    """A pass of those columns of the data that begin with ``first``, one for each channel."""
    extract = data_part(first, len(channels))
    passes.register(
        Pass(name, title, note, "data", "data", extract, tuple(channels), shown=shown, spread=spread, order=order)
    )


_register(
    50,
    "normal",
    "Normals, world",
    "Where surfaces face: x to the right, y up, z towards the set's front",
    NORMAL,
    unit_shown(NORMAL),
    lambda reach: ((-1.0, 1.0),) * 3,
)
_register(
    51,
    "normal-camera",
    "Normals, camera",
    "Where surfaces face: to the right, up and towards the camera",
    CAMERA_NORMAL,
    unit_shown(CAMERA_NORMAL),
    lambda reach: ((-1.0, 1.0),) * 3,
)
_register(
    52,
    "position",
    "Position",
    "Where surfaces are in the set, in units",
    POSITION,
    _position_shown,
    lambda reach: reach.position,
)
_register(
    53,
    "motion",
    "Motion",
    "Pixels to the right and down that surfaces go until the next frame",
    MOTION,
    _motion_shown,
    lambda reach: ((-reach.motion, reach.motion),) * 2,
    "XY",
)
_register(
    54,
    "texture",
    "Texture coordinates",
    "Where on its element a surface is: across, up and through the box round it, 0 to 1",
    TEXTURE,
    _texture_shown,
    lambda reach: ((0.0, 1.0),) * 3,
)
