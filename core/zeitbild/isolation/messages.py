"""What goes between a reading process and its parent: a head in JSON, and the bytes of arrays after it."""

from __future__ import annotations

import json
import struct
from collections.abc import Callable
from typing import Any

import numpy as np

#: A message holds so much at most; the largest picture there is takes 0.4 GB.
MAX_MESSAGE = 1 << 30
_MAX_HEAD = 64 << 20
_LENGTHS = struct.Struct("<QQ")
_DTYPES = frozenset({"<f4", "<f8", "<i4", "<i8", "<u2", "|u1", "|b1"})

Read = Callable[[int], bytes]


def packed(value: Any) -> list[bytes | memoryview]:
    """A message, in parts: numbers, texts, None, lists, tuples (they arrive as lists), dicts by texts, bytes and arrays."""
    parts: list[memoryview] = []
    head = json.dumps(_plain(value, parts), allow_nan=True).encode()
    size = sum(part.nbytes for part in parts)
    return [_LENGTHS.pack(len(head), size), head, *parts]


def _plain(value: Any, parts: list[memoryview]) -> Any:
    if value is None or isinstance(value, bool | int | float | str):
        return value
    if isinstance(value, bytes):
        parts.append(memoryview(value))
        return {"$bytes": len(value)}
    if isinstance(value, np.ndarray):
        array = np.ascontiguousarray(value)
        # Empty arrays have no bytes that a view could be cast to.
        parts.append(array.data.cast("B") if array.size else memoryview(b""))
        return {"$array": array.dtype.str, "shape": list(array.shape)}
    if isinstance(value, np.generic):
        return value.item()
    if isinstance(value, list | tuple):
        return [_plain(one, parts) for one in value]
    if isinstance(value, dict):
        return {str(name): _plain(one, parts) for name, one in value.items()}
    raise TypeError(f"{type(value).__name__} does not go between processes")


def unpacked(read: Read) -> Any:
    """The next message; ``read`` gives exactly so many bytes. ValueError for what is none."""
    head_size, size = _LENGTHS.unpack(read(_LENGTHS.size))
    if head_size > _MAX_HEAD or size > MAX_MESSAGE:
        raise ValueError("the message is too long")
    head = json.loads(read(head_size))
    left = [size]

    def take(count: int) -> bytes:
        if not 0 <= count <= left[0]:
            raise ValueError("the message does not hold what it says")
        left[0] -= count
        return read(count)

    value = _value(head, take)
    if left[0]:
        raise ValueError("the message holds more than it says")
    return value


def _value(plain: Any, take: Read) -> Any:
    if isinstance(plain, list):
        return [_value(one, take) for one in plain]
    if not isinstance(plain, dict):
        return plain
    if "$bytes" in plain:
        return take(int(plain["$bytes"]))
    if "$array" in plain:
        if plain["$array"] not in _DTYPES:
            raise ValueError("arrays of this kind are not taken")
        dtype, shape = np.dtype(plain["$array"]), [int(one) for one in plain["shape"]]
        count = 1
        for one in shape:
            if one < 0:
                raise ValueError("an array has a negative size")
            count *= one
        return np.frombuffer(take(count * dtype.itemsize), dtype).reshape(shape)
    return {name: _value(one, take) for name, one in plain.items()}
