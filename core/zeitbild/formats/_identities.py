"""Identities as ranked pairs of id and coverage in float channels: the open identity-matte layout (specification 1.2, from memory).

Ranks stand two by two in ``NAME00.R G B A``, ``NAME01...``: id, coverage, id, coverage, by falling coverage. An id is the 32-bit
MurmurHash3 of the UTF-8 name, its bits read as a float; a manifest in the header gives the hash of every name.
"""

from __future__ import annotations

import json
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.formats._base import Plane

_C1, _C2, _WORD = 0xCC9E2D51, 0x1B873593, 0xFFFFFFFF
#: Bits of a float's exponent; all of them set, or none, make no number that keeps.
_EXPONENT, _FLIP = 0x7F800000, 1 << 23


def _turned(value: int, by: int) -> int:
    return (value << by | value >> (32 - by)) & _WORD


def murmur3(data: bytes, seed: int = 0) -> int:
    """MurmurHash3, x86, 32 bits (Appleby 2011, published algorithm)."""
    h = seed
    whole = len(data) - len(data) % 4
    for at in range(0, whole, 4):
        k = int.from_bytes(data[at : at + 4], "little")
        h ^= _turned(k * _C1 & _WORD, 15) * _C2 & _WORD
        h = (_turned(h, 13) * 5 + 0xE6546B64) & _WORD
    if len(data) > whole:
        k = int.from_bytes(data[whole:], "little")
        h ^= _turned(k * _C1 & _WORD, 15) * _C2 & _WORD
    h ^= len(data)
    h = (h ^ h >> 16) * 0x85EBCA6B & _WORD
    h = (h ^ h >> 13) * 0xC2B2AE35 & _WORD
    return h ^ h >> 16


def id_bits(name: str) -> int:
    """The bits of a name's id; those that would be zero, infinite or no number are kept from it by flipping bit 23."""
    bits = murmur3(name.encode())
    return bits ^ _FLIP if bits & _EXPONENT in (0, _EXPONENT) else bits


def identity_channels(plane: Plane) -> dict[str, NDArray[np.float32]]:
    """The channels of an identity plane, ranks by falling coverage."""
    table = np.array([id_bits(name) for name in plane.ids] + [0], np.uint32).view(np.float32)
    order = np.argsort(-plane.pixels[..., 1], axis=2, kind="stable")
    number = np.take_along_axis(plane.pixels[..., 0], order, axis=2).astype(np.int64)
    cover = np.take_along_axis(plane.pixels[..., 1], order, axis=2)
    # No number, or no coverage: the id is 0 too.
    ids = np.where(cover > 0, table[np.clip(number, -1, len(plane.ids))], np.float32(0)).astype(np.float32)
    channels = {}
    for rank in range(0, plane.pixels.shape[2], 2):
        own = (ids[..., rank], cover[..., rank], ids[..., rank + 1], cover[..., rank + 1])
        for letter, values in zip("RGBA", own, strict=True):
            channels[f"{plane.name}{rank // 2:02}.{letter}"] = np.ascontiguousarray(values, np.float32)
    return channels


def identity_attributes(plane: Plane) -> dict[str, Any]:
    """What the header says of them."""
    key = f"cryptomatte/{murmur3(plane.name.encode()):08x}"[:19]
    manifest = {name: f"{id_bits(name):08x}" for name in dict.fromkeys(plane.ids)}
    return {
        f"{key}/name": plane.name,
        f"{key}/hash": "MurmurHash3_32",
        f"{key}/conversion": "uint32_to_float32",
        f"{key}/manifest": json.dumps(manifest, ensure_ascii=False),
    }
