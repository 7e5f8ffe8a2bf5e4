"""Rays against the scene's triangles: the Embree library, called in packets of sixteen from compiled kernels.

``embreex`` ships the library but casts rays one at a time; packets are about twice as fast and need no copy of the
rays. Its interface is called here by address (Embree 4, rtcore.h; layouts as printed there):

    RTCRay16     twelve rows of 16: org x y z, tnear, dir x y z, time, tfar, mask, id, flags
    RTCRayHit16  the same, then Ng x y z, u, v, primID, geomID, instID, instPrimID

An occluded ray comes back with tfar = -inf, a ray that hit nothing with geomID = -1.
"""

from __future__ import annotations

import ctypes
import weakref
from collections.abc import Sequence
from pathlib import Path
from typing import Any, NamedTuple

import embreex
import numpy as np
from llvmlite import ir
from numba.core import types
from numba.extending import intrinsic
from numpy.typing import NDArray

from zeitbild.errors import ZeitbildError

#: Rays of a packet, and the rows that a packet with its hits takes in 32-bit words.
PACKET = 16
ROWS = 21
#: Words of a buffer in which a packet can be placed at an address divisible by 64.
BUFFER = ROWS * PACKET + PACKET
(ORG_X, ORG_Y, ORG_Z, NEAR, DIR_X, DIR_Y, DIR_Z, TIME, FAR, MASK, IDENTITY, FLAGS) = range(12)
(HIT_X, HIT_Y, HIT_Z, HIT_U, HIT_V, HIT_TRIANGLE, HIT_GEOMETRY) = range(12, 19)

_TRIANGLES, _INDEX, _VERTEX = 0, 0, 1
_UINT3, _FLOAT3, _FLOAT4 = 0x5003, 0x9003, 0x9004
#: Discs that are across every ray.
_DISCS = 51
_ROBUST = 4


#: Bits by which rays meet see-through surfaces, and the one that those have which meet only what is opaque.
VEIL_BITS, OPAQUE_ONLY = 31, 1 << 31
#: There is one bit less than a power of two: this one stands for two.
TWICE = VEIL_BITS // 2
_EVERY_BIT = (1 << 32) - 1


class RayError(ZeitbildError):
    """The ray library is missing or refused the scene."""


def _open() -> ctypes.CDLL:
    folder = Path(embreex.__file__).parent.parent / "embreex.libs"
    found = sorted(folder.glob("libembree4*"))
    if not found:
        raise RayError(f"the ray library is not in {folder}; install embreex again")
    library = ctypes.CDLL(str(found[0]))
    pointer, number, size = ctypes.c_void_p, ctypes.c_uint, ctypes.c_size_t
    for name, result, arguments in (
        ("rtcNewDevice", pointer, [ctypes.c_char_p]),
        ("rtcGetDeviceError", ctypes.c_int, [pointer]),
        ("rtcNewScene", pointer, [pointer]),
        ("rtcSetSceneFlags", None, [pointer, ctypes.c_int]),
        ("rtcCommitScene", None, [pointer]),
        ("rtcReleaseScene", None, [pointer]),
        ("rtcNewGeometry", pointer, [pointer, ctypes.c_int]),
        ("rtcSetGeometryTimeStepCount", None, [pointer, number]),
        ("rtcSetSharedGeometryBuffer", None, [pointer, ctypes.c_int, number, ctypes.c_int, pointer, size, size, size]),
        ("rtcSetGeometryMask", None, [pointer, number]),
        ("rtcCommitGeometry", None, [pointer]),
        ("rtcAttachGeometry", number, [pointer, pointer]),
        ("rtcReleaseGeometry", None, [pointer]),
    ):
        function = getattr(library, name)
        function.restype, function.argtypes = result, arguments
    return library


_LIBRARY = _open()
# One thread: a tree built by several might differ from one built by one, and equal documents must give equal bytes.
_DEVICE = _LIBRARY.rtcNewDevice(b"threads=1,set_affinity=0")


def _address(name: str) -> int:
    return ctypes.cast(getattr(_LIBRARY, name), ctypes.c_void_p).value or 0


OCCLUDED16, INTERSECT16 = _address("rtcOccluded16"), _address("rtcIntersect16")


def _release(handle: int, *shared: NDArray[Any]) -> None:
    _LIBRARY.rtcReleaseScene(handle)


class Casting(NamedTuple):
    """What kernels cast rays by (numbers, since compiled code is kept and addresses change with every process).

    intersect and occluded are addresses in the library, scene is the handle of a ``RayScene``, whose veil_firsts and veil_triangles are
    the others.
    """

    intersect: int
    occluded: int
    scene: int
    veil_firsts: NDArray[np.int64]
    veil_triangles: NDArray[np.int32]


class RayScene:
    """Triangles ready for rays. vertices [V, 3] float, or [S, V, 3] where they stand at S times from 0 to 1, between which
    they move evenly; triangles [T, 3] int32. ``casting`` goes to the kernels.

    veils are see-through surfaces: an opacity, and the numbers [N] of the triangles of a whole list that have it (besides
    ``triangles``, of which those are shrunk to a point). A ray carries one bit; each veil has as many of the bits as it is opaque, so
    that so many of the rays meet it; one that carries all of them meets every veil. veil_triangles has the numbers of the triangles of
    all of them, the library's geometry g from veil_firsts[g] on.
    """

    def __init__(
        self,
        vertices: NDArray[Any],
        triangles: NDArray[np.int32],
        veils: Sequence[tuple[float, NDArray[np.int64]]] = (),
        whole: NDArray[np.int32] | None = None,
    ) -> None:
        steps = vertices if vertices.ndim == 3 else vertices[None]
        # The library reads sixteen bytes at the last vertex: one row more. And one that is nowhere: what has that is left out of the tree.
        count = steps.shape[1]
        self._vertices = np.zeros((len(steps), count + 2, 3), np.float32)
        self._vertices[:, :count], self._vertices[:, count] = steps, np.nan
        points = (triangles[:, 0] == triangles[:, 1]) & (triangles[:, 1] == triangles[:, 2])
        self._triangles = np.where(points[:, None], np.int32(count), triangles).astype(np.int32)
        self.handle = _LIBRARY.rtcNewScene(_DEVICE)
        _LIBRARY.rtcSetSceneFlags(self.handle, _ROBUST)
        kept = [self._triangles]
        self._attach(self._triangles, _EVERY_BIT)
        numbers: list[NDArray[np.int64]] = []
        for number, (opacity, own) in enumerate(veils):
            bits = bits_of(opacity, number)
            if bits and whole is not None:
                kept.append(np.ascontiguousarray(whole[own], dtype=np.int32))
                self._attach(kept[-1], bits)
                numbers.append(own)
        self.veil_firsts = np.cumsum([0, 0, *(len(one) for one in numbers)]).astype(np.int64)[:-1]
        self.veil_triangles = np.concatenate([np.empty(0, np.int64), *numbers]).astype(np.int32)
        _LIBRARY.rtcCommitScene(self.handle)
        # The arrays are shared with the library and must outlive its scene: the release holds them.
        weakref.finalize(self, _release, self.handle, self._vertices, *kept)
        if failed := _LIBRARY.rtcGetDeviceError(_DEVICE):
            raise RayError(f"the ray library refused the set (error {failed}); use fewer triangles")

    @property
    def casting(self) -> Casting:
        """What kernels take."""
        return Casting(INTERSECT16, OCCLUDED16, self.handle, self.veil_firsts, self.veil_triangles)

    def _attach(self, triangles: NDArray[np.int32], bits: int) -> None:
        """Add triangles that rays with any of the bits meet."""
        geometry = _LIBRARY.rtcNewGeometry(_DEVICE, _TRIANGLES)
        _LIBRARY.rtcSetGeometryMask(geometry, bits)
        if len(self._vertices) > 1:
            _LIBRARY.rtcSetGeometryTimeStepCount(geometry, len(self._vertices))
        for kind, slot, form, array, count in (
            *((_VERTEX, step, _FLOAT3, own, own.shape[0] - 1) for step, own in enumerate(self._vertices)),
            (_INDEX, 0, _UINT3, triangles, len(triangles)),
        ):
            _LIBRARY.rtcSetSharedGeometryBuffer(geometry, kind, slot, form, array.ctypes.data, 0, 12, count)
        _LIBRARY.rtcCommitGeometry(geometry)
        _LIBRARY.rtcAttachGeometry(self.handle, geometry)
        _LIBRARY.rtcReleaseGeometry(geometry)


class DotScene:
    """Dots ready for rays, a disc across each ray: places and radii [n, 4] float32."""

    def __init__(self, dots: NDArray[np.float32]) -> None:
        own = np.ascontiguousarray(dots, np.float32)
        self.handle = _LIBRARY.rtcNewScene(_DEVICE)
        geometry = _LIBRARY.rtcNewGeometry(_DEVICE, _DISCS)
        _LIBRARY.rtcSetGeometryMask(geometry, _EVERY_BIT)
        _LIBRARY.rtcSetSharedGeometryBuffer(geometry, _VERTEX, 0, _FLOAT4, own.ctypes.data, 0, 16, len(own))
        _LIBRARY.rtcCommitGeometry(geometry)
        _LIBRARY.rtcAttachGeometry(self.handle, geometry)
        _LIBRARY.rtcReleaseGeometry(geometry)
        _LIBRARY.rtcCommitScene(self.handle)
        weakref.finalize(self, _release, self.handle, own)
        if failed := _LIBRARY.rtcGetDeviceError(_DEVICE):
            raise RayError(f"the ray library refused the dots (error {failed}); use fewer")


def bits_of(opacity: float, number: int) -> int:
    """As many of the bits below ``OPAQUE_ONLY`` as a surface is opaque (``TWICE`` comes twice as often as each other), other ones for each
    number: what one veil lets through another one stops as often as it would anyway. Every aligned stretch of bits (as many as a power of
    two; a pixel's rays have such a one) has its share of them, to the next whole bit."""
    random = np.random.default_rng(number)
    count = round(min(max(opacity, 0.0), 1.0) * (VEIL_BITS + 1))
    twice = bool(random.random() < count / (VEIL_BITS + 1)) if 2 <= count <= VEIL_BITS - 1 else count > 1

    def room(first: int, size: int) -> int:
        return size - (first <= TWICE < first + size) - (first <= VEIL_BITS < first + size)

    def among(count: int, first: int, size: int) -> int:
        if count <= 0:
            return 0
        if size == 1:
            return 1 << first
        half = size // 2
        left, right = room(first, half), room(first + half, half)
        # Where it does not come out even, chance says which half gets one more.
        even = int(count * left / (left + right) + random.random())
        given = min(max(even, count - right), min(left, count))
        return among(given, first, half) | among(count - given, first + half, half)

    return among(count - 2 * twice, 0, VEIL_BITS + 1) | twice << TWICE


@intrinsic  # type: ignore[untyped-decorator]
def cast_packet(typing_context, function, valid, scene, rays):  # type: ignore[no-untyped-def]
    """Call rtcOccluded16 or rtcIntersect16 by address: (function, valid, scene, rays) as integers, no arguments struct."""
    signature = types.void(types.intp, types.intp, types.intp, types.intp)

    def generate(context, builder, signature, arguments):  # type: ignore[no-untyped-def]
        word = ir.IntType(64)
        kind = ir.FunctionType(ir.VoidType(), [word, word, word, word])
        target = builder.inttoptr(arguments[0], kind.as_pointer())
        builder.call(target, [arguments[1], arguments[2], arguments[3], ir.Constant(word, 0)])
        return context.get_dummy_value()

    return signature, generate
