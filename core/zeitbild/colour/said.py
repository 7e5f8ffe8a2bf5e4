"""What files and movies say about their colours, and the same colours in sRGB, in which everything here is.

A file says it by an ICC profile (ICC.1:2022), by the chromaticities of its primaries and how light is written as a number (PNG's chunks,
OpenEXR's attribute), or by code points (ITU-T H.273). What says nothing is sRGB. Sections of standards are named from memory, here and in ``stills``.
"""

from __future__ import annotations

import io
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.colour import decode, encode
from zeitbild.colour.high_range import HIGH_RANGES
from zeitbild.colour.primaries import BY_CODE, SRGB, TITLES, Chromaticities, into_srgb, near

#: Spaces that a profile may be of, by its header, and how many numbers a colour has there.
_MODELS = {b"GRAY": ("gray", 1), b"RGB ": ("rgb", 3), b"CMYK": ("cmyk", 4)}
#: A profile by which colours change by no more steps of eight bits is sRGB.
_SAME = 1
#: Exponents beyond which a file's number is nonsense.
_LEAST_GAMMA, _MOST_GAMMA = 0.2, 5.0


@dataclass(frozen=True, slots=True)
class Said:
    """What a file says: a ``profile``, or ``primaries`` (None: sRGB's) and one of the exponent ``gamma`` by which light is decoded (0: sRGB's
    curve) or a ``high`` range of ``HIGH_RANGES``."""

    profile: bytes = b""
    primaries: Chromaticities | None = None
    gamma: float = 0.0
    high: str = ""

    @property
    def model(self) -> str:
        """What colours its profile is of: ``gray``, ``rgb``, ``cmyk``, or empty."""
        return _MODELS.get(self.profile[16:20], ("", 0))[0]

    @property
    def name(self) -> str:
        """For people; empty where it is sRGB, or primaries of television that are nearly so."""
        if self.profile:
            return "" if is_srgb(self.profile) else _title(self.profile)
        if self.high:
            return HIGH_RANGES[self.high].title
        known = (*BY_CODE.values(), SRGB)
        like = next((one for one in known if near(one, self.primaries or SRGB)), None)
        primaries = "primaries of its own" if like is None else TITLES.get(like, "")
        return ", ".join(part for part in (primaries, f"gamma {self.gamma:g}" if self._has_curve else "") if part)

    @property
    def _has_curve(self) -> bool:
        return _LEAST_GAMMA <= self.gamma <= _MOST_GAMMA

    def as_profile(self) -> bytes:
        """The profile that says the same; empty for sRGB."""
        if self.profile:
            return b"" if is_srgb(self.profile) else self.profile
        primaries = self.primaries or SRGB
        if near(primaries, SRGB) and not self._has_curve:
            return b""
        return _made(primaries, self.gamma if self._has_curve else 0.0)


@lru_cache(maxsize=32)
def _made(primaries: Chromaticities, gamma: float) -> bytes:
    """A profile of chromaticities and an exponent, or (0) sRGB's curve."""
    from imagecodecs import cms_profile

    curve = {"gamma": gamma} if gamma else {"transferfunction": _srgb_curve()}
    white, *colours = [(*one, 1.0) for one in (primaries.white, primaries.red, primaries.green, primaries.blue)]
    return bytes(cms_profile("rgb", whitepoint=white, primaries=sum(colours, ()), **curve))


@lru_cache(maxsize=1)
def _srgb_curve() -> NDArray[np.uint16]:
    return np.round(decode(np.linspace(0, 1, 4096)) * 65535).astype(np.uint16)


@lru_cache(maxsize=4)
def _tables(gamma: float) -> tuple[NDArray[np.float32], NDArray[np.uint16]]:
    """Light of each number of 16 bits by an exponent or (0) sRGB's curve, and sRGB's numbers by the root of light."""
    steps = np.arange(65536) / 65535
    light = steps**gamma if gamma else decode(steps)
    return light.astype(np.float32), np.round(encode(steps**2) * 65535).astype(np.uint16)


def _by_matrix(numbers: NDArray[np.uint16], gamma: float, into: NDArray[np.float64]) -> NDArray[np.uint16]:
    """Numbers [H, W, 3] of primaries in sRGB: what the library does with 16 bits takes five times as long, or is off by ten steps of 255."""
    import cv2  # a quarter of a second at the start

    light, found = _tables(gamma)
    own = cv2.transform(light[numbers], into.astype(np.float32))
    encoded: NDArray[np.uint16] = found[
        (np.sqrt(np.clip(own, 0, 1)) * np.float32(65535) + np.float32(0.5)).astype(np.uint16)
    ]
    return encoded


@lru_cache(maxsize=64)
def is_srgb(profile: bytes) -> bool:
    """Whether colours of a profile are those of sRGB, as far as eight bits tell; what is damaged says nothing."""
    from imagecodecs import CmsError

    if profile[16:20] != b"RGB ":
        return False
    steps = np.linspace(0, 255, 18).astype(np.uint8)
    grid = np.stack(np.meshgrid(steps, steps, steps), axis=-1).reshape(1, -1, 3)
    try:
        return int(np.abs(_transformed(grid, profile, "rgb").astype(int) - grid).max()) <= _SAME
    except CmsError:
        return True


@lru_cache(maxsize=64)
def _title(profile: bytes) -> str:
    """What a profile calls itself."""
    from PIL import ImageCms

    try:
        told = ImageCms.getProfileDescription(ImageCms.getOpenProfile(io.BytesIO(profile)))
    # Whatever its parsers meet: a name is for people only.
    except Exception:
        told = ""
    return "".join(one for one in told if one.isprintable()).strip()[:60] or "a profile of its own"


def _transformed(numbers: NDArray[Any], profile: bytes, model: str) -> NDArray[Any]:
    """Colours [H, W, C] of a profile in sRGB [H, W, 3], of the same kind; floats: in light, beyond 0 and 1, too."""
    import imagecodecs

    flags, intents = imagecodecs.CMS.FLAGS, imagecodecs.CMS.INTENT
    light = numbers.dtype == np.float32
    found: NDArray[Any] = imagecodecs.cms_transform(
        np.ascontiguousarray(numbers[..., 0] if model == "gray" else numbers),
        profile,
        _made(SRGB, 1.0) if light else imagecodecs.cms_profile("srgb"),
        colorspace=model,
        outcolorspace="rgb",
        outdtype=numbers.dtype,
        intent=intents.RELATIVE_COLORIMETRIC,
        flags=flags.BLACKPOINTCOMPENSATION | (flags.NOOPTIMIZE if numbers.dtype == np.uint16 else 0),
    )
    return found


def colours_of(numbers: NDArray[Any], said: Said, *, encoded: bool, alpha: NDArray[Any] | None = None) -> NDArray[Any]:
    """Colours [H, W, C] as a file has them in sRGB's primaries [H, W, 3]: ``encoded`` ones as sRGB encodes them, of the same whole numbers; light
    and colours of a ``high`` range as light (float32), which may be beyond 1 and is never below 0.

    alpha [H, W, 1], of the same kind as the colours: they are multiplied by it. What sRGB cannot show is as near as it can. A damaged
    profile is none.
    """
    shape = numbers.shape[:-1]
    if said.high and encoded:
        return HIGH_RANGES[said.high].light(numbers[..., :3], into_srgb(said.primaries or SRGB))
    if not encoded and not said.profile:
        if said.primaries is None or near(said.primaries, SRGB):
            return numbers
        light = np.maximum(numbers[..., :3] @ into_srgb(said.primaries).T.astype(np.float32), 0)
        return np.ascontiguousarray(light, np.float32)
    model, parts = _MODELS.get(said.profile[16:20], ("", 0)) if said.profile else ("rgb", 3)
    # Light by sRGB's profile is encoded, too.
    profile = said.as_profile() if encoded else said.profile
    if not profile or not model or (parts > numbers.shape[-1]) or (model == "cmyk") != (numbers.shape[-1] == 4):
        return numbers
    if model == "gray" and not (numbers[..., :1] == numbers).all():
        return numbers
    if not said.profile and numbers.dtype == np.uint16:
        return _by_matrix(numbers, said.gamma if said._has_curve else 0.0, into_srgb(said.primaries or SRGB))
    from imagecodecs import CmsError

    top = float(np.iinfo(numbers.dtype).max) if encoded else 1.0
    try:
        if alpha is None:
            found = _transformed(numbers, profile, model)
        else:
            share = np.maximum(np.asarray(alpha, np.float32) / np.float32(top), np.float32(1e-4))
            own = np.asarray(numbers, np.float32) / share
            own = np.clip(own, 0, top).round().astype(numbers.dtype) if encoded else own
            found = _transformed(own, profile, model) * share
            found = found.round().astype(numbers.dtype) if encoded else found
    except CmsError:
        return numbers
    found = found.reshape(*shape, 3)
    return found if encoded else np.clip(np.nan_to_num(found), 0, None, dtype=np.float32)
