"""Bare ray casting with the library that the renderer uses: the physical limit that secondary rays are compared with."""

from __future__ import annotations

import numba
import numpy as np

from zeitbild.kernels import parallel_kernel
from zeitbild.render.world.ray_scene import BUFFER, PACKET, cast_packet

_PACKET, _BUFFER = PACKET, BUFFER


@parallel_kernel
def cast_all(origins, directions, fars, function, scene, out):  # type: ignore[no-untyped-def]
    """Cast rays [n, 3] in packets of sixteen, n divisible by 16; out [n] gets what became of their reach."""
    for block in numba.prange(64):
        words = np.empty(_BUFFER, np.int32)
        lane = words[((64 - (words.ctypes.data & 63)) // 4) % _PACKET :]
        ray = lane.view(np.float32)
        flags = np.empty(2 * _PACKET, np.int32)
        valid = flags[((64 - (flags.ctypes.data & 63)) // 4) % _PACKET :]
        packets = origins.shape[0] // _PACKET
        for k in range(_PACKET):
            valid[k] = np.int32(-1)
            ray[7 * _PACKET + k] = np.float32(0)
            lane[9 * _PACKET + k] = np.int32(-1)
            lane[10 * _PACKET + k] = lane[11 * _PACKET + k] = np.int32(0)
        for packet in range(block * packets // 64, (block + 1) * packets // 64):
            for k in range(_PACKET):
                r = packet * _PACKET + k
                for axis in range(3):
                    ray[axis * _PACKET + k] = origins[r, axis]
                    ray[(4 + axis) * _PACKET + k] = directions[r, axis]
                ray[3 * _PACKET + k], ray[8 * _PACKET + k] = np.float32(0), fars[r]
                lane[18 * _PACKET + k] = np.int32(-1)
            cast_packet(function, valid.ctypes.data, scene, ray.ctypes.data)
            for k in range(_PACKET):
                out[packet * _PACKET + k] = ray[8 * _PACKET + k]
