"""Taking planes from pictures that were rendered with them."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from zeitbild.errors import InputError
from zeitbild.render.data_rows import SHARE
from zeitbild.render.picture import Picture

Extract = Callable[[Picture], NDArray[np.float32]]


def missing() -> InputError:
    """What a picture lacks that was rendered without its parts."""
    return InputError(
        "this picture was rendered without its parts; only the picture and its alpha can be shown", "what"
    )


def planes_of(picture: Picture) -> NDArray[np.float32]:
    """What beauty is made of; InputError if it was not asked for."""
    if picture.planes is None:
        raise missing()
    return picture.planes


def data_of(picture: Picture) -> NDArray[np.float32]:
    """Numbers of the surface that gives most to each pixel; InputError if they were not asked for."""
    if picture.data is None:
        raise missing()
    return picture.data


def light_part(first: int) -> Extract:
    """Three columns of the planes beside beauty's alpha."""

    def extract(picture: Picture) -> NDArray[np.float32]:
        return np.concatenate([planes_of(picture)[..., first : first + 3], picture.beauty[..., 3:]], axis=2)

    return extract


def share_part(column: int) -> Extract:
    """One column of the planes, a share of the pixel."""

    def extract(picture: Picture) -> NDArray[np.float32]:
        return np.ascontiguousarray(planes_of(picture)[..., column])

    return extract


def data_part(first: int, count: int) -> Extract:
    """Columns of the data."""

    def extract(picture: Picture) -> NDArray[np.float32]:
        return np.ascontiguousarray(data_of(picture)[..., first : first + count])

    return extract


def grey(values: NDArray[np.float32]) -> NDArray[np.float32]:
    """[H, W] as three equal channels."""
    return np.repeat(values[..., None], 3, axis=2)


def unit_shown(first: int) -> Extract:
    """A unit vector as colour: half and half of the unit cube, black where nothing stands."""

    def shown(picture: Picture) -> NDArray[np.float32]:
        data = data_of(picture)
        there = (data[..., SHARE] > 0)[..., None]
        return np.where(there, 0.5 + 0.5 * data[..., first : first + 3], 0).astype(np.float32)

    return shown
