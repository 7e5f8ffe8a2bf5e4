"""What of a picture can be looked at alone: every pass that can be delivered, and what only looking is for."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeitbild.colour.highlights import beyond_alpha
from zeitbild.errors import InputError
from zeitbild.render.passes import Pass, pass_named, passes
from zeitbild.render.picture import Picture


@dataclass(frozen=True, slots=True)
class Look:
    """One thing to look at.

    ``extract`` gives [H, W, 4] linear and premultiplied, to be shown over the ground; or, if ``encoded``, [H, W, 3]
    numbers in 0..1 that are shown as they are. ``planes`` tells that the picture has to be rendered with its planes.
    """

    name: str
    title: str
    note: str
    extract: Callable[[Picture], NDArray[np.float32]]
    encoded: bool = False
    planes: bool = True


#: How the overlay marks what is too bright in one channel or in all, and what is black; linear.
_SOME, _ALL, _BLACK = (1.0, 0.55, 0.1), (1.0, 0.08, 0.3), (0.02, 0.12, 0.6)


def _clipping(picture: Picture) -> NDArray[np.float32]:
    beauty = picture.beauty
    alpha = beauty[..., 3:]
    straight = beauty[..., :3] / np.maximum(alpha, np.float32(1e-6))
    grey = np.clip(straight @ np.array([0.2126, 0.7152, 0.0722], np.float32), 0, 1)[..., None] * np.float32(0.7)
    shown = np.repeat(grey, 3, axis=2)
    over, under = straight > 1, straight < 0.5 / 255 / 12.92
    shown[over.any(axis=2)] = _SOME
    shown[over.all(axis=2)] = _ALL
    shown[under.all(axis=2)] = _BLACK
    clipped: NDArray[np.float32] = np.concatenate([shown * alpha, alpha], axis=2).astype(np.float32)
    return clipped


def _beyond(picture: Picture) -> NDArray[np.float32]:
    """Where see-through elements give more light than their alpha holds: by how much, red over grey."""
    beauty = picture.beauty
    alpha = beauty[..., 3:]
    grey = np.clip(beauty[..., :3] @ np.array([0.2126, 0.7152, 0.0722], np.float32), 0, 1)[..., None] * np.float32(0.5)
    shown = np.repeat(np.minimum(grey, alpha), 3, axis=2)
    more = beyond_alpha(beauty, picture.covered)
    shown[more > 0.5 / 255] = _ALL
    return np.concatenate([shown, np.where(more[..., None] > 0.5 / 255, 1, alpha)], axis=2).astype(np.float32)


#: What is no pass: it tells something about the picture.
INSPECTIONS = (
    Look(
        "clipping",
        "Clipping",
        "Orange: one channel is beyond white; red: all are; blue: black",
        _clipping,
        planes=False,
    ),
    Look(
        "beyond",
        "Beyond alpha",
        "Red: see-through elements give more light than their alpha holds",
        _beyond,
        planes=False,
    ),
)


def look_of(one: Pass) -> Look:
    """How a pass is looked at."""
    if one.shown is not None:
        return Look(one.name, one.title, one.note, one.shown, True, one.planes)
    return Look(one.name, one.title, one.note, one.extract, False, one.planes)


def looks() -> tuple[Look, ...]:
    """What every picture can be looked at as; beauty is the picture itself."""
    matte, *others = (look_of(one) for one in passes if one.name not in ("beauty",))
    return (matte, *INSPECTIONS, *others)


def needs_planes(what: str) -> bool:
    """Whether a picture has to be rendered with its planes to be looked at so."""
    simple = {"picture", *(one.name for one in INSPECTIONS)}
    return what not in simple and (what not in passes or passes.get(what).planes)


def look_named(what: str, picture: Picture) -> Look:
    """What a picture is to be looked at as; InputError lists what there is."""
    for one in INSPECTIONS:
        if one.name == what:
            return one
    try:
        return look_of(pass_named(what, tuple(picture.groups), picture.names))
    except InputError as error:
        raise InputError(f"{what[:80]!r} cannot be looked at: {error.message}", "what") from None
