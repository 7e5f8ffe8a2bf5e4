"""What of a picture can be looked at alone: its alpha, the parts its light is made of, and what rays found out."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeitbild.colour.highlights import beyond_alpha
from zeitbild.errors import InputError
from zeitbild.render.identity import ELEMENTS, FINISHES
from zeitbild.render.picture import NO_DEPTH, Picture
from zeitbild.render.shading import (
    AROUND,
    BEHIND,
    CAMERA_NORMAL,
    DIFFUSE,
    EMISSION,
    LIT,
    MOTION,
    NORMAL,
    OPENNESS,
    POSITION,
    SPECULAR,
)


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


def _planes(picture: Picture) -> NDArray[np.float32]:
    if picture.planes is None:
        raise InputError("this picture was rendered without its parts; only the picture and its alpha can be shown")
    return picture.planes


def _light(first: int) -> Callable[[Picture], NDArray[np.float32]]:
    def extract(picture: Picture) -> NDArray[np.float32]:
        return np.concatenate([_planes(picture)[..., first : first + 3], picture.beauty[..., 3:]], axis=2)

    return extract


def _grey(values: NDArray[np.float32]) -> NDArray[np.float32]:
    return np.repeat(values[..., None], 3, axis=2)


def _normal(picture: Picture) -> NDArray[np.float32]:
    # Half and half of the unit cube: a normal towards the camera's world +z is the familiar pale blue.
    planes = _planes(picture)
    shown: NDArray[np.float32] = 0.5 * planes[..., NORMAL : NORMAL + 3] + 0.5 * picture.beauty[..., 3:]
    return shown


def _position(picture: Picture) -> NDArray[np.float32]:
    planes, alpha = _planes(picture), picture.beauty[..., 3:]
    solid = alpha[..., 0] > 0
    values = planes[..., POSITION : POSITION + 3]
    if not solid.any():
        return np.zeros_like(values)
    places = values[solid] / alpha[solid]
    low, high = places.min(axis=0), places.max(axis=0)
    shown: NDArray[np.float32] = (values - low * alpha) / np.maximum(high - low, np.float32(1e-6))
    return shown


def _depth(picture: Picture) -> NDArray[np.float32]:
    depth, solid = picture.depth, picture.depth < NO_DEPTH / 2
    if not solid.any():
        return _grey(np.zeros_like(depth))
    low, high = depth[solid].min(), depth[solid].max()
    nearness = np.where(solid, 1 - 0.9 * (depth - low) / max(high - low, np.float32(1e-6)), 0)
    return _grey(nearness.astype(np.float32))


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


def _facing(picture: Picture) -> NDArray[np.float32]:
    planes = _planes(picture)
    shown: NDArray[np.float32] = 0.5 * planes[..., CAMERA_NORMAL : CAMERA_NORMAL + 3] + 0.5 * picture.beauty[..., 3:]
    return shown


def _motion(picture: Picture) -> NDArray[np.float32]:
    # The fastest part of this picture reaches the ends of the scale.
    motion = _planes(picture)[..., MOTION : MOTION + 2]
    alpha = picture.beauty[..., 3:]
    most = max(float(np.abs(motion).max()), 1e-6)
    return np.concatenate([0.5 * alpha + 0.5 * motion / np.float32(most), 0.5 * alpha], axis=2).astype(np.float32)


def _identity(kind: int) -> Callable[[Picture], NDArray[np.float32]]:
    def extract(picture: Picture) -> NDArray[np.float32]:
        _planes(picture)
        assert picture.identities is not None
        held = picture.identities[:, :, kind]
        number = held[..., 0].astype(np.int64)
        # Steps of the golden section round the circle: neighbours in number are far apart in colour.
        hue = (number * 0.6180339887 % 1)[..., None] + np.array([0, 1 / 3, 2 / 3])
        colour = 0.55 + 0.4 * np.cos(2 * np.pi * hue)
        shown: NDArray[np.float32] = (colour * held[..., 1:]).sum(axis=2).astype(np.float32)
        return shown

    return extract


LOOKS = (
    Look("alpha", "Alpha", "What is solid, as grey", lambda p: _grey(p.beauty[..., 3]), True, False),
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
    Look("diffuse", "Diffuse", "Matt light of all lights", _light(DIFFUSE)),
    Look("specular", "Highlights", "Mirrored light of all lights", _light(SPECULAR)),
    Look("around", "Around", "Light of the environment, ambient light and what is mirrored", _light(AROUND)),
    Look("emission", "Emission", "Light of its own", _light(EMISSION)),
    Look("behind", "Backdrop", "What is seen of the backdrop", _light(BEHIND)),
    Look("lit", "Shadows", "Share of the lights that is seen", lambda p: _grey(_planes(p)[..., LIT]), True),
    Look("open", "Occlusion", "How open each place is", lambda p: _grey(_planes(p)[..., OPENNESS]), True),
    Look("normal", "Normals", "Where surfaces face, x y z as red green blue", _normal, True),
    Look("facing", "Normals to the camera", "Right, up and towards it as red green blue", _facing, True),
    Look("motion", "Motion", "To the right and down until the next frame, as red and green", _motion, True),
    Look("element", "Elements", "Each in a colour of its own, by coverage", _identity(ELEMENTS), True),
    Look("finish", "Surfaces", "Each surface of each element in a colour of its own", _identity(FINISHES), True),
    Look("position", "Position", "Where surfaces are, x y z as red green blue", _position, True),
    Look("depth", "Depth", "Near is light", _depth, True, False),
)


#: What is asked for as this and the name of a group of lights.
GROUP = "light:"


def _group_look(group: str) -> Look:
    def extract(picture: Picture) -> NDArray[np.float32]:
        _planes(picture)
        if group not in picture.groups:
            known = ", ".join(picture.groups) or "none"
            raise InputError(f"there is no group of lights {group!r} in this picture; there are: {known}", "what")
        return np.concatenate([picture.groups[group], picture.beauty[..., 3:]], axis=2)

    return Look(GROUP + group, group, "What these lights alone give", extract)


def look_named(name: str) -> Look:
    """The look of that name, or of a group of lights (``light:`` and its name); InputError lists those there are."""
    if name.startswith(GROUP):
        return _group_look(name.removeprefix(GROUP))
    for look in LOOKS:
        if look.name == name:
            return look
    raise InputError(f"{name!r} cannot be looked at; known: picture, {', '.join(look.name for look in LOOKS)}", "what")
