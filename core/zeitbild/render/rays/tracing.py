"""Secondary rays of every fragment: shadows and occlusion, cast in packets of sixteen (``rays``), shaped by ``patterns``."""

from __future__ import annotations

import math
from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import inlined_kernel, kernel, parallel_kernel
from zeitbild.render.light.lighting import light_point, sideways
from zeitbild.render.rays.patterns import TURNS
from zeitbild.render.shade import batch
from zeitbild.render.shade.batch import place
from zeitbild.render.visible.triangle_setup import TILE
from zeitbild.render.world.ray_scene import BUFFER, PACKET, cast_packet

#: Columns of a spot: point lifted off the surface, unit normal for shading, unit normal of the triangle, unit view, how far the
#: normal turns within the fragment.
SPOT = 15
_ZERO, _HALF, _ONE, _TWO = np.float32(0), np.float32(0.5), np.float32(1), np.float32(2)
#: Steps of the golden section fill a stretch of time evenly.
_GOLDEN = np.float32(0.6180339887)
#: Rays closer to the surface than this (sine) would start inside it.
_GRAZING = np.float32(1e-3)
#: A ray to a light ends just before it, so that a light that lies in a surface is not in its own shadow.
_SHORT = np.float32(0.999)
#: Surfaces are never taken for seen at a smaller angle (sine) than this where rays start all over a pixel: flat ones, and what bends.
_LEAST_FLAT, _LEAST_BENT = np.float32(0.01), np.float32(0.2)
#: Column of what tells whether a step is asked after.
_ASKED = 8
_TILE = TILE
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1
_PACKET, _BUFFER, _TURNS = PACKET, BUFFER, TURNS
_BATCH, _ROWS, _WHOLE_ROWS, _FRAGMENT = batch.BATCH, batch.ROWS, batch.WHOLE_ROWS, batch.FRAGMENT
_POINT, _NORMAL, _VIEW, _BEND = batch.POINT, batch.NORMAL, batch.VIEW, batch.BEND


@parallel_kernel
def locate(fragments, surfaces, flats, eye, lift_share, spots, main, tally):  # type: ignore[no-untyped-def]
    """Where each fragment stands: spots [fragments, SPOT]; flats [T, 3] from ``stage``, see ``shading.shade`` for the rest.

    lift_share is how far off their surface rays start: a share of the distance to the eye, or a length if eye is a
    direction. main [H, W] gets the number of the fragment with the largest share of each pixel, -1 where nothing stands; tally is
    set to 0.
    """
    order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
    pixel, triangle, share = fragments.pixel, fragments.triangle, fragments.share
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        for row in range(top, min(top + _TILE, main.shape[0])):
            for column in range(left, min(left + _TILE, width)):
                main[row, column] = np.int32(-1)
        if counts[tile] == 0:
            continue
        rows, whole = np.zeros((_ROWS, _BATCH), np.float32), np.empty((_WHOLE_ROWS, _BATCH), np.int32)
        last = firsts[tile] + counts[tile]
        for first in range(firsts[tile], last, _BATCH):
            used = min(_BATCH, last - first)
            for i in range(used):
                whole[_FRAGMENT, i] = np.int32(first + i)
            place(rows, whole, used, fragments, surfaces, eye, True)
            for i in range(used):
                f = first + i
                px, py, pz = rows[_POINT, i], rows[_POINT + 1, i], rows[_POINT + 2, i]
                nx, ny, nz = rows[_NORMAL, i], rows[_NORMAL + 1, i], rows[_NORMAL + 2, i]
                t = np.uint64(triangle[f])
                gx, gy, gz = flats[t, 0], flats[t, 1], flats[t, 2]
                facing = gx * nx + gy * ny + gz * nz
                if gx == _ZERO and gy == _ZERO and gz == _ZERO:
                    # Single precision does not tell which way so thin a triangle faces.
                    gx, gy, gz = nx, ny, nz
                elif facing < _ZERO:
                    gx, gy, gz = -gx, -gy, -gz
                lift = lift_share
                if eye[3] > _ZERO:
                    dx, dy, dz = px - eye[0], py - eye[1], pz - eye[2]
                    lift *= math.sqrt(dx * dx + dy * dy + dz * dz)
                tally[f, :, :] = np.uint8(0)
                spot = spots[f]
                spot[0], spot[1], spot[2] = px + gx * lift, py + gy * lift, pz + gz * lift
                spot[3], spot[4], spot[5] = nx, ny, nz
                spot[6], spot[7], spot[8] = gx, gy, gz
                for k in range(3):
                    spot[9 + k], spot[12 + k] = rows[_VIEW + k, i], rows[_BEND + k, i]
                row, column = top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)
                held = main[row, column]
                if held < 0 or share[f] > share[held]:
                    main[row, column] = np.int32(f)


class Looking(NamedTuple):
    """How a set is looked at: eye [4] from ``stage.viewpoint``; forward [3] the viewing axis, ray_x and ray_y [3] the step for one pixel of a
    ray of depth 1 (orthographic: of any)."""

    eye: NDArray[np.float32]
    forward: NDArray[np.float32]
    ray_x: NDArray[np.float32]
    ray_y: NDArray[np.float32]


@inlined_kernel
def _along(ray, depth, lean, spot, gx, gy, gz):  # type: ignore[no-untyped-def]
    """The step on a surface of normal g for a step of one pixel, of whose ray this is one at depth 1, at a spot seen at that lean: depth by the sine of
    the angle. Whatever the lean, it is along the surface: rays that start below it would be in its own shadow."""
    rise = (ray[0] * gx + ray[1] * gy + ray[2] * gz) * lean
    x, y, z = depth * ray[0] - rise * spot[9], depth * ray[1] - rise * spot[10], depth * ray[2] - rise * spot[11]
    off = x * gx + y * gy + z * gz
    return x - off * gx, y - off * gy, z - off * gz


@inlined_kernel
def _reaches_over(edges, t, x, y):  # type: ignore[no-untyped-def]
    """Whether the square of a pixel about (x, y) reaches over triangle t's edges."""
    least = 1.0
    for k in range(0, 9, 3):
        a, b = edges[t, k], edges[t, k + 1]
        least = min(least, a * x + b * y + edges[t, k + 2] - 0.5 * (abs(a) + abs(b)))
    return least < 0.0


@kernel
def _step_if_free(casting, valid, ray, steps, light, used):  # type: ignore[no-untyped-def]
    """Take back the steps across a pixel of those of the ``used`` rays of a packet that lead into something: what the plane of their triangle
    runs into beyond its edge. steps [PACKET, 9] are where each began, by how much it went, and what place on the light it aims at; the
    last tells whether it is asked after."""
    occluded, scene = casting.occluded, casting.scene
    held = np.empty((7, _PACKET), np.float32)
    for k in range(_PACKET):
        valid[k] = np.int32(-1) if k < used and steps[k, _ASKED] != _ZERO else np.int32(0)
        for c in range(3):
            held[c, k], held[3 + c, k] = ray[c * _PACKET + k], ray[(4 + c) * _PACKET + k]
            ray[c * _PACKET + k], ray[(4 + c) * _PACKET + k] = steps[k, c], steps[k, 3 + c]
        held[6, k], ray[8 * _PACKET + k] = ray[8 * _PACKET + k], _ONE
    cast_packet(occluded, valid.ctypes.data, scene, ray.ctypes.data)
    for k in range(used):
        into = steps[k, _ASKED] != _ZERO and ray[8 * _PACKET + k] < _ZERO
        for c in range(3):
            ray[c * _PACKET + k], ray[(4 + c) * _PACKET + k] = held[c, k], held[3 + c, k]
        ray[8 * _PACKET + k] = held[6, k]
        if into:
            x, y, z = steps[k, 0], steps[k, 1], steps[k, 2]
            lx, ly, lz, far = light_point(light, x, y, z, steps[k, 6], steps[k, 7])
            ray[k], ray[_PACKET + k], ray[2 * _PACKET + k] = x, y, z
            ray[4 * _PACKET + k], ray[5 * _PACKET + k], ray[6 * _PACKET + k] = lx, ly, lz
            ray[8 * _PACKET + k] = far * _SHORT


@parallel_kernel
def trace(  # type: ignore[no-untyped-def]
    fragments,
    finish_of,
    looking,
    lights,
    touched,
    casting,
    spots,
    pattern,
    veil_bits,
    ordinals,
    radius,
    wanted,
    ways,
    tally,
):
    """Cast some of each fragment's rays to every light that casts shadows, and over the half sphere: ordinals are how many there are, the
    first that is cast, the last and one, and whether those to lights that have a size start all over the pixel, too.

    Each carries a bit by which it meets see-through surfaces or passes them (``rays.bits_of``): veil_bits [16 rays] int32, as ``pattern``.

    lights and touched as in ``lighting.Shining``. pattern [L + 1, 16 rays, 5] from ``ray_pattern``. radius bounds the rays of the half sphere, 0
    casts none. wanted [fragments, L + 1] uint8 tells which to cast, or has no length: all. tally [fragments, L + 1, 2]
    uint8 counts rays cast and rays that met nothing. ways (``ways.Ways``) tell how far what triangles are of was from its place at
    the first moment of a stretch of open shutter, and how far it will be at the last, or have no length: then
    nothing moves, else every ray has a moment of its own.
    """
    order, counts, firsts = fragments.order, fragments.counts, fragments.firsts
    pixel, triangle, where, edges = fragments.pixel, fragments.triangle, fragments.where, fragments.edges
    eye, forward, ray_x, ray_y = looking
    occluded, scene = casting.occluded, casting.scene
    rays, first, last, all_over = ordinals
    moves, way_of = ways
    light_count = lights.shape[0]
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        total = counts[tile]
        base = firsts[tile]
        if total == 0:
            continue
        # One packet, placed at an address divisible by 64 as the library asks.
        words = np.empty(_BUFFER, np.int32)
        skip = ((64 - (words.ctypes.data & 63)) // 4) % _PACKET
        lane = words[skip:]
        ray = lane.view(np.float32)
        address = ray.ctypes.data
        flags = np.empty(2 * _PACKET, np.int32)
        valid = flags[((64 - (flags.ctypes.data & 63)) // 4) % _PACKET :]
        valid_address = valid.ctypes.data
        steps = np.zeros((_PACKET, 9), np.float32)
        for k in range(_PACKET):
            ray[3 * _PACKET + k] = _ZERO
            ray[7 * _PACKET + k] = _ZERO
            lane[9 * _PACKET + k] = np.int32(-1)
            lane[11 * _PACKET + k] = np.int32(0)
        for number in range(light_count + 1):
            sky = number == light_count
            if (sky and radius == _ZERO) or (not sky and lights[number, 20] == _ZERO):
                continue
            light = lights[0 if sky else number]
            hard = not sky and lights[number, 0] <= _ONE and lights[number, 16] == _ZERO
            # On what is flat the very first, too, where many may follow: from the middles of pixels thin shadows would be missed all along.
            spreads = all_over or (hard and last > 1)
            filled = asked = 0
            for f in range(base, base + total + 1):
                ending = f == base + total
                leaves = False
                if not ending:
                    if wanted.shape[0] > 0 and wanted[f, number] == 0:
                        continue
                    if not sky and touched[number, finish_of[triangle[f]]] == 0:
                        continue
                    spot = spots[f]
                    turned = _TURNS[(pixel[f] >> _SHIFT) & 3, pixel[f] & 3] * rays
                    nx, ny, nz, gx, gy, gz = spot[3], spot[4], spot[5], spot[6], spot[7], spot[8]
                    ax, ay, az, bx, by, bz = nx, ny, nz, nx, ny, nz
                    if sky:
                        ax, ay, az, bx, by, bz = sideways(nx, ny, nz)
                    elif spreads:
                        # The step on the surface for one pixel to the right and one down.
                        x, y, z = spot[0] - eye[0], spot[1] - eye[1], spot[2] - eye[2]
                        depth = x * forward[0] + y * forward[1] + z * forward[2] if eye[3] > _ZERO else _ONE
                        # What bends soon leaves its plane: not that far along it.
                        is_flat = spot[12] == _ZERO and spot[13] == _ZERO and spot[14] == _ZERO
                        least = _LEAST_FLAT if is_flat else _LEAST_BENT
                        lean = depth / max(gx * spot[9] + gy * spot[10] + gz * spot[11], least)
                        ax, ay, az = _along(ray_x, depth, lean, spot, gx, gy, gz)
                        bx, by, bz = _along(ray_y, depth, lean, spot, gx, gy, gz)
                        if last == 1 and not is_flat:
                            ax = ay = az = bx = by = bz = _ZERO
                        else:
                            leaves = _reaches_over(edges, np.uint64(triangle[f]), where[f, 0], where[f, 1])
                for ordinal in range(last if ending else first, last + 1 if ending else last):
                    if not ending:
                        place = pattern[number, turned + ordinal]
                        ox, oy, oz = spot[0], spot[1], spot[2]
                        if moves.shape[0] > 0:
                            time = np.float32(turned + ordinal + _HALF) * _GOLDEN
                            time -= math.floor(time)
                            ray[7 * _PACKET + filled] = time
                            move = moves[way_of[triangle[f]], 0 if time < _HALF else 1]
                            far_off = abs(_TWO * time - _ONE)
                            ox += far_off * (move[0] * spot[0] + move[1] * spot[1] + move[2] * spot[2] + move[3])
                            oy += far_off * (move[4] * spot[0] + move[5] * spot[1] + move[6] * spot[2] + move[7])
                            oz += far_off * (move[8] * spot[0] + move[9] * spot[1] + move[10] * spot[2] + move[11])
                            nx = spot[3] + far_off * (move[0] * spot[3] + move[1] * spot[4] + move[2] * spot[5])
                            ny = spot[4] + far_off * (move[4] * spot[3] + move[5] * spot[4] + move[6] * spot[5])
                            nz = spot[5] + far_off * (move[8] * spot[3] + move[9] * spot[4] + move[10] * spot[5])
                            gx = spot[6] + far_off * (move[0] * spot[6] + move[1] * spot[7] + move[2] * spot[8])
                            gy = spot[7] + far_off * (move[4] * spot[6] + move[5] * spot[7] + move[6] * spot[8])
                            gz = spot[8] + far_off * (move[8] * spot[6] + move[9] * spot[7] + move[10] * spot[8])
                            if sky:
                                ax, ay, az, bx, by, bz = sideways(nx, ny, nz)
                        a = b = u = v = _ZERO
                        if sky:
                            a, b, c = place[0], place[1], place[2]
                            lx, ly, lz = a * ax + b * bx + c * nx, a * ay + b * by + c * ny, a * az + b * bz + c * nz
                            far = radius
                        elif hard:
                            if spreads:
                                a, b = place[0], place[1]
                                ox, oy, oz = ox + a * ax + b * bx, oy + a * ay + b * by, oz + a * az + b * bz
                            lx, ly, lz, far = light_point(light, ox, oy, oz, _ZERO, _ZERO)
                        else:
                            if spreads:
                                a, b = place[3], place[4]
                                ox, oy, oz = ox + a * ax + b * bx, oy + a * ay + b * by, oz + a * az + b * bz
                            u, v = place[0], place[1]
                            lx, ly, lz, far = light_point(light, ox, oy, oz, u, v)
                        # What arrives from below the surface does not light it.
                        if lx * gx + ly * gy + lz * gz <= _GRAZING or lx * nx + ly * ny + lz * nz <= _ZERO:
                            continue
                        ray[filled], ray[_PACKET + filled], ray[2 * _PACKET + filled] = ox, oy, oz
                        ray[4 * _PACKET + filled] = lx
                        ray[5 * _PACKET + filled] = ly
                        ray[6 * _PACKET + filled] = lz
                        ray[8 * _PACKET + filled] = far * _SHORT
                        steps[filled, _ASKED] = _ZERO
                        if leaves:
                            x, y, z = a * ax + b * bx, a * ay + b * by, a * az + b * bz
                            steps[filled, 0], steps[filled, 1], steps[filled, 2] = ox - x, oy - y, oz - z
                            steps[filled, 3], steps[filled, 4], steps[filled, 5] = x, y, z
                            steps[filled, 6], steps[filled, 7], steps[filled, _ASKED] = u, v, _ONE
                            asked += 1
                        lane[9 * _PACKET + filled] = veil_bits[turned + ordinal]
                        lane[10 * _PACKET + filled] = np.int32(f)
                        filled += 1
                    if filled == _PACKET or (ending and filled > 0):
                        if asked > 0:
                            _step_if_free(casting, valid, ray, steps, light, filled)
                            asked = 0
                        for k in range(_PACKET):
                            valid[k] = np.int32(-1) if k < filled else np.int32(0)
                        cast_packet(occluded, valid_address, scene, address)
                        for k in range(filled):
                            g = lane[10 * _PACKET + k]
                            tally[g, number, 0] += np.uint8(1)
                            # The library writes minus infinity into the reach of what is in shadow.
                            if ray[8 * _PACKET + k] >= _ZERO:
                                tally[g, number, 1] += np.uint8(1)
                        filled = 0


@parallel_kernel
def find_borders(fragments, runs, tally, light_count, wanted):  # type: ignore[no-untyped-def]
    """Mark in wanted [fragments, L + 1] where a light is neither wholly seen nor wholly hidden in the pixels around, by the fragments that
    runs (``lists.Runs``) tell of.

    The half sphere, last, is marked everywhere: what it sees is seldom all or nothing.
    """
    order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
    pixel = fragments.pixel
    main, many, _ = runs
    columns = (width + _TILE - 1) // _TILE
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            row, column = top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)
            wanted[f, light_count] = np.uint8(1)
            for number in range(light_count):
                # Bit 1: something clear, bit 2: something in shadow.
                met = 0
                for y in range(max(0, row - 2), min(main.shape[0], row + 3)):
                    for x in range(max(0, column - 2), min(width, column + 3)):
                        first, last = main[y, x], main[y, x] + 1
                        if many.shape[0] > 0:
                            rank = f - main[row, column]
                            last = first + min(many[y, x], rank + 2)
                            first += max(rank - 1, 0)
                        for g in range(first, last):
                            if g >= 0 and tally[g, number, 0] > 0:
                                met |= 1 if tally[g, number, 1] > 0 else 0
                                met |= 2 if tally[g, number, 1] < tally[g, number, 0] else 0
                    if met == 3:
                        break
                wanted[f, number] = np.uint8(1) if met == 3 else np.uint8(0)


@parallel_kernel
def gather_tally(fragments, tally, light_count, occlusion, rayed):  # type: ignore[no-untyped-def]
    """Shares of rays that met nothing, into the first L + 1 columns of rayed; occlusion 0..1 weakens the last."""
    order, counts, firsts = fragments.order, fragments.counts, fragments.firsts
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        for f in range(firsts[tile], firsts[tile] + counts[tile]):
            for number in range(light_count + 1):
                seen = _ONE
                if tally[f, number, 0] > 0:
                    seen = np.float32(tally[f, number, 1]) / np.float32(tally[f, number, 0])
                rayed[f, number] = _ONE - occlusion * (_ONE - seen) if number == light_count else seen
