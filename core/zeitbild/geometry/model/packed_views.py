"""Views of glTF that are packed (Khronos Group, EXT_meshopt_compression, appendices A and B): what their bytes are.

The libraries that do this have to be compiled where they are installed.
"""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

#: Its name in a document.
MESHOPT = "EXT_meshopt_compression"
#: First byte of a stream by what it holds.
_ATTRIBUTES, _TRIANGLES, _INDICES = 0xA0, 0xE1, 0xD1
#: Elements of a group share how many bits each of their bytes has; a block begins anew with its groups.
_GROUP, _BLOCK, _BLOCK_BYTES = 16, 256, 8192
#: What a group of each kind has at least, in bytes.
_LEAST = (0, 4, 8, 16)
#: The stream of attributes ends with its first element, in at least so many bytes; that of triangles with a table of so many codes.
_TAIL, _TABLE = 32, 16
#: How many of the two-bit and four-bit numbers of a byte say that the number itself stands elsewhere.
_ELSEWHERE = (
    b"",
    bytes(sum(byte >> shift & 3 == 3 for shift in (0, 2, 4, 6)) for byte in range(256)),
    bytes((byte & 15 == 15) + (byte >> 4 == 15) for byte in range(256)),
)
#: Unpacked bytes of one view at most.
MAX_BYTES = 1 << 28


def unpacked(data: bytes, own: dict[str, Any]) -> bytes:
    """What a packed view holds: data is what lies in its buffer, own what the extension says of it. ValueError for what is damaged."""
    count, stride, mode = own.get("count"), own.get("byteStride"), own.get("mode")
    if not (isinstance(count, int) and isinstance(stride, int)) or count < 0 or count * max(stride, 1) > MAX_BYTES:
        raise ValueError("its size is none")
    values: NDArray[Any]
    if mode == "ATTRIBUTES" and stride % 4 == 0 and 0 < stride <= 256:
        values = _attributes(data, count, stride)
    elif mode == "TRIANGLES" and stride in (2, 4) and count % 3 == 0:
        values = _narrowed(_triangles(data, count), stride)
    elif mode == "INDICES" and stride in (2, 4):
        values = _narrowed(_indices(data, count), stride)
    else:
        raise ValueError("its kind is none")
    way = own.get("filter", "NONE")
    if way == "OCTAHEDRAL" and stride in (4, 8):
        values = _normals(values.view("i1" if stride == 4 else "<i2").reshape(-1, 4))
    elif way == "QUATERNION" and stride == 8:
        values = _quaternions(values.view("<i2").reshape(-1, 4))
    elif way == "EXPONENTIAL" and mode == "ATTRIBUTES":
        values = _powers(values.view("<i4"))
    elif way != "NONE":
        raise ValueError("its filter is none")
    return values.tobytes()


def _narrowed(numbers: list[int], stride: int) -> NDArray[Any]:
    return np.array(numbers, np.int64).astype("<u4" if stride == 4 else "<u2")


def _attributes(data: bytes, count: int, stride: int) -> NDArray[np.uint8]:
    """Elements [count, stride]: of each byte how it differs from that of the element before, in blocks, by byte, in groups."""
    end = len(data) - max(stride, _TAIL)
    if end < 1 or data[0] != _ATTRIBUTES:
        raise ValueError("it does not begin as it should")
    block = min(_BLOCK_BYTES // stride // _GROUP * _GROUP, _BLOCK)
    sizes = [min(block, count - first) for first in range(0, count, block)]
    starts, kinds, at = list[int](), bytearray(), 1
    for size in sizes:
        groups = -(-size // _GROUP)
        for _ in range(stride):
            head, at = at, at + -(-groups // 4)
            for group in range(groups):
                if at > end:
                    raise ValueError("it is cut off")
                kind = data[head + group // 4] >> (group % 4 * 2) & 3
                starts.append(at)
                kinds.append(kind)
                least = _LEAST[kind]
                if kind in (1, 2):
                    at += sum(data[at : at + least].translate(_ELSEWHERE[kind]))
                at += least
    if at != end:
        raise ValueError("it is not as long as it says")
    steps = _steps(np.frombuffer(data, np.uint8), np.array(starts, np.int64), np.frombuffer(kinds, np.uint8))
    values, used = np.empty((count, stride), np.uint8), 0
    for number, size in enumerate(sizes):
        groups = -(-size // _GROUP) * stride
        own = steps[used : used + groups].reshape(stride, -1)
        values[number * block : number * block + size] = own[:, :size].T
        used += groups
    # The lowest bit is the sign.
    values = np.bitwise_xor(values >> 1, np.uint8(255) * (values & 1), dtype=np.uint8)
    if count:
        values[0] += np.frombuffer(data[len(data) - stride :], np.uint8)
    return np.cumsum(values, axis=0, dtype=np.uint8)


def _steps(data: NDArray[np.uint8], starts: NDArray[np.int64], kinds: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """The sixteen numbers [groups, 16] of each group."""
    found = np.zeros((len(starts), _GROUP), np.uint8)
    for kind, bits in ((1, 2), (2, 4)):
        chosen = np.flatnonzero(kinds == kind)
        packed = data[starts[chosen, None] + np.arange(_LEAST[kind])]
        shifts = np.arange(8 - bits, -1, -bits, dtype=np.uint8)
        most = (1 << bits) - 1
        short = (packed[:, :, None] >> shifts & most).reshape(len(chosen), _GROUP)
        elsewhere = short == most
        place = starts[chosen, None] + _LEAST[kind] + np.maximum(np.cumsum(elsewhere, axis=1) - 1, 0)
        # A place behind the end is asked for where no number stands elsewhere.
        found[chosen] = np.where(elsewhere, data[np.minimum(place, len(data) - 1)], short)
    whole = np.flatnonzero(kinds == 3)
    found[whole] = data[starts[whole, None] + np.arange(_GROUP)]
    return found


class _Numbers:
    """Whole numbers of seven bits a byte, the eighth says that more follow."""

    def __init__(self, data: bytes, at: int) -> None:
        self.data, self.at = data, at

    def byte(self) -> int:
        self.at += 1
        return self.data[self.at - 1]

    def next(self) -> int:
        value = 0
        for shift in range(0, 35, 7):
            byte = self.byte()
            value |= (byte & 0x7F) << shift
            if byte < 0x80:
                return value
        raise ValueError("a number of it has no end")

    def after(self, last: int) -> int:
        """A number by how it differs from the last one; the lowest bit is the sign."""
        return last + _signed(self.next()) & 0xFFFFFFFF


def _signed(value: int) -> int:
    return value >> 1 ^ -(value & 1)


def _triangles(data: bytes, count: int) -> list[int]:
    """Corners [count] of triangles: each has an edge of one of the last ones, or begins anew; its corners are among the last ones, or are the
    next new one, or are told."""
    end = len(data) - _TABLE
    if end < 1 + count // 3 or data[0] != _TRIANGLES:
        raise ValueError("it does not begin as it should")
    table, numbers = data[end:], _Numbers(data, 1 + count // 3)
    # What is not there yet is no corner of anything: what names it is damaged, and found so later.
    edges, corners = [(0, 0)] * 16, [0] * 16
    edge = corner = newest = last = 0
    found = list[int]()
    for code in data[1 : 1 + count // 3]:
        if numbers.at > end:
            raise ValueError("it is cut off")
        if code < 0xF0:
            a, b = edges[(edge - 1 - (code >> 4)) & 15]
            third, known = code & 15, True
            if third == 0:
                c, newest = newest, newest + 1
            elif third < 13:
                c, known = corners[(corner - 1 - third) & 15], False
            else:
                # One less or one more than the last that was told.
                c = last = numbers.after(last) if third == 15 else last + (1 if third == 14 else -1) & 0xFFFFFFFF
            if known:
                corners[corner & 15] = c
                corner += 1
            edges[edge & 15], edges[(edge + 1) & 15] = (c, b), (a, c)
            edge += 2
        else:
            told = code >= 0xFE
            pair = numbers.byte() if told else table[code & 15]
            first, second, third = 15 if code == 0xFF else 0, pair >> 4, pair & 15
            if told and pair == 0:
                newest = 0
            a = newest
            newest += first == 0
            at = corner
            if second == 0:
                b, newest = newest, newest + 1
            else:
                b = corners[(at - second) & 15]
            if third == 0:
                c, newest = newest, newest + 1
            else:
                c = corners[(at - third) & 15]
            if told:
                if first == 15:
                    a = last = numbers.after(last)
                if second == 15:
                    b = last = numbers.after(last)
                if third == 15:
                    c = last = numbers.after(last)
            corners[corner & 15] = a
            corner += 1
            for one, kind in ((b, second), (c, third)):
                if kind == 0 or (told and kind == 15):
                    corners[corner & 15] = one
                    corner += 1
            edges[edge & 15], edges[(edge + 1) & 15], edges[(edge + 2) & 15] = (b, a), (c, b), (a, c)
            edge += 3
        found += (a, b, c)
    if numbers.at != end:
        raise ValueError("it is not as long as it says")
    return found


def _indices(data: bytes, count: int) -> list[int]:
    """Numbers [count], each by how it differs from one of two last ones."""
    end = len(data) - 4
    if end < 1 + count or data[0] != _INDICES:
        raise ValueError("it does not begin as it should")
    numbers, last, found = _Numbers(data, 1), [0, 0], list[int]()
    for _ in range(count):
        if numbers.at >= end:
            raise ValueError("it is cut off")
        value = numbers.next()
        last[value & 1] = last[value & 1] + _signed(value >> 1) & 0xFFFFFFFF
        found.append(last[value & 1])
    if numbers.at != end:
        raise ValueError("it is not as long as it says")
    return found


def _rounded(values: NDArray[Any], kind: np.dtype[Any]) -> NDArray[Any]:
    found: NDArray[Any] = np.trunc(values + np.copysign(np.float32(0.5), values)).astype(kind)
    return found


def _normals(packed: NDArray[Any]) -> NDArray[Any]:
    """Unit vectors [n, 4] (the last number is another's) from places on an octahedron; the third says how long one is."""
    most = np.float32(np.iinfo(packed.dtype).max)
    x, y, one = (packed[:, k].astype(np.float32) for k in range(3))
    z = one - np.abs(x) - np.abs(y)
    behind = np.minimum(z, 0)
    x, y = x + np.where(x >= 0, behind, -behind), y + np.where(y >= 0, behind, -behind)
    length = np.sqrt(x * x + y * y + z * z)
    scale = most / np.where(length > 0, length, 1)
    found = packed.copy()
    for k, values in enumerate((x, y, z)):
        found[:, k] = _rounded(values * scale, packed.dtype)
    return found


def _quaternions(packed: NDArray[np.int16]) -> NDArray[np.int16]:
    """Unit quaternions [n, 4] from three of their numbers; the two lowest bits of the fourth say which is the largest, that is not there, and the
    rest how long one over the root of two is."""
    scale = np.float32(1 / math.sqrt(2)) / (packed[:, 3] | 3).astype(np.float32)
    three = packed[:, :3].astype(np.float32) * scale[:, None]
    largest = np.sqrt(np.maximum(1 - three[:, 0] ** 2 - three[:, 1] ** 2 - three[:, 2] ** 2, 0))
    values = _rounded(np.column_stack([largest, three]) * np.float32(np.iinfo(np.int16).max), packed.dtype)
    found, rows = np.empty_like(packed), np.arange(len(packed))
    for k in range(4):
        found[rows, (packed[:, 3] + k) & 3] = values[:, k]
    return found


def _powers(packed: NDArray[np.int32]) -> NDArray[np.float32]:
    """Numbers from 24 bits of what they are and 8 of the power of two that it is times."""
    with np.errstate(over="ignore"):  # what is no number is found where it is used
        found: NDArray[np.float32] = np.ldexp((packed << 8 >> 8).astype(np.float32), packed >> 24)
    return found
