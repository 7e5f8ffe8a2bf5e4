"""Mirror rays: what a surface sees of the set in its mirror direction, over up to three bounces."""

from __future__ import annotations

import math

import numba
import numpy as np

from zeitbild.kernels import kernel, parallel_kernel
from zeitbild.render.coat import coat_light
from zeitbild.render.finish_row import COAT, SHADING, TONE_BANDS, UNLIT
from zeitbild.render.lighting import sideways
from zeitbild.render.metal_rough import direct_light, light_around, mirror_light
from zeitbild.render.patterns import TURNS
from zeitbild.render.rays import BUFFER, PACKET, cast_packet
from zeitbild.render.shading import has_textures
from zeitbild.render.texturing import apply_textures
from zeitbild.render.tones import light_amount, tone_at
from zeitbild.render.triangle_setup import TILE

# Called instead of compiled in: casting the ray costs far more than the call, and compiling takes half as long.
_direct_light, _light_around, _mirror_light = (
    kernel(one.py_func) for one in (direct_light, light_around, mirror_light)
)
#: Rougher surfaces mirror so widely that occlusion stands for it.
TOO_ROUGH = np.float32(0.75)
_TOO_ROUGH = TOO_ROUGH
_LIFT = np.float32(2e-4)
_GRAZING = np.float32(1e-3)
_ZERO, _ONE, _TWO = np.float32(0), np.float32(1), np.float32(2)
_TURN = np.float32(2 * math.pi)
_FAR = np.float32(1e30)
_SHADING, _COAT = SHADING, COAT
_TONE_BANDS, _UNLIT = np.float32(TONE_BANDS), np.float32(UNLIT)
_SHIFT = TILE.bit_length() - 1
_PACKET, _BUFFER, _TURNS = PACKET, BUFFER, TURNS


@kernel
def seen_light(  # type: ignore[no-untyped-def]
    px, py, pz, nx, ny, nz, vx, vy, vz, finish, finishes, lights, touched, ambients, maps, table, rayed, f, openness, first
):
    """Three numbers: radiance that leaves a point towards v; arguments as in ``metal_rough.direct_light`` and
    ``light_around``."""
    red, green, blue = finishes[finish, 5], finishes[finish, 6], finishes[finish, 7]
    shading = finishes[finish, _SHADING]
    if shading == _TONE_BANDS:
        _, amount, _ = light_amount(px, py, pz, nx, ny, nz, finish, lights, touched, ambients, rayed, f, openness)
        tone_r, tone_g, tone_b = tone_at(amount, _ZERO, finish, finishes)
        return red + tone_r, green + tone_g, blue + tone_b
    if shading == _UNLIT:
        return red + finishes[finish, 0], green + finishes[finish, 1], blue + finishes[finish, 2]
    matt_r, matt_g, matt_b, high_r, high_g, high_b = _direct_light(
        px, py, pz, nx, ny, nz, vx, vy, vz, finish, finishes, lights, touched, table, rayed, f
    )
    around_r, around_g, around_b = _light_around(
        nx, ny, nz, vx, vy, vz, finish, finishes, ambients, maps, table, openness, rayed, f, first
    )
    red, green, blue = (
        red + matt_r + high_r + around_r,
        green + matt_g + high_g + around_g,
        blue + matt_b + high_b + around_b,
    )
    if finishes[finish, _COAT] > _ZERO:
        coat_r, coat_g, coat_b, mirror_r, mirror_g, mirror_b, through = coat_light(
            px, py, pz, nx, ny, nz, vx, vy, vz, finish, finishes, lights, touched, ambients, maps, table, rayed, f, openness
        )
        red, green, blue = (
            red * through + coat_r + mirror_r,
            green * through + coat_g + mirror_g,
            blue * through + coat_b + mirror_b,
        )
    return red, green, blue


@parallel_kernel
def mirror(  # type: ignore[no-untyped-def]
    order,
    pixel,
    triangle,
    counts,
    room,
    normals,
    finish_of,
    finishes,
    lights,
    touched,
    ambients,
    maps,
    table,
    spaces,
    texels,
    texel_table,
    pixel_size,
    parallel,
    spots,
    intersect,
    scene,
    pattern,
    bounces,
    first,
    rayed,
):
    """Radiance that mirror rays bring (three columns of rayed from ``first`` on) and whether the first met anything.

    Arguments as in ``tracing.trace`` and ``shading.shade``; pattern [16, 2] from ``mirror_pattern``; bounces 1 to 3.
    Lights shine through to what is mirrored: shadows are not mirrored.
    """
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        total = counts[tile]
        base = tile * room
        if total == 0:
            continue
        words = np.empty(_BUFFER, np.int32)
        lane = words[((64 - (words.ctypes.data & 63)) // 4) % _PACKET :]
        ray = lane.view(np.float32)
        address = ray.ctypes.data
        flags = np.empty(2 * _PACKET, np.int32)
        valid = flags[((64 - (flags.ctypes.data & 63)) // 4) % _PACKET :]
        valid_address = valid.ctypes.data
        nothing = rayed[0:0]
        flow, taken = np.empty((_PACKET, 3), np.float32), np.empty((_PACKET, 3), np.float32)
        for k in range(_PACKET):
            ray[7 * _PACKET + k] = _ZERO
            lane[9 * _PACKET + k] = np.int32(-1)
            lane[10 * _PACKET + k] = np.int32(k)
            lane[11 * _PACKET + k] = np.int32(0)
        for start in range(base, base + total, _PACKET):
            lanes = min(_PACKET, base + total - start)
            alive = 0
            for k in range(_PACKET):
                valid[k] = np.int32(0)
                if k >= lanes:
                    continue
                f = start + k
                for c in range(4):
                    rayed[f, first + c] = _ZERO
                rough = finishes[finish_of[triangle[f]], 3]
                if rough > _TOO_ROUGH:
                    continue
                spot = spots[f]
                nx, ny, nz, vx, vy, vz = spot[3], spot[4], spot[5], spot[9], spot[10], spot[11]
                place = _TURNS[(pixel[f] >> _SHIFT) & 3, pixel[f] & 3]
                u, v = pattern[place, 0], pattern[place, 1]
                # The facet that mirrors, by the GGX distribution (Walter and others 2007, Microfacet Models for
                # Refraction through Rough Surfaces, equations 35 and 36).
                alpha2 = rough * rough * rough * rough
                cosine = math.sqrt((_ONE - u) / (_ONE + (alpha2 - _ONE) * u))
                sine = math.sqrt(max(_ZERO, _ONE - cosine * cosine))
                ax, ay, az, bx, by, bz = sideways(nx, ny, nz)
                a, b = sine * math.cos(_TURN * v), sine * math.sin(_TURN * v)
                hx, hy, hz = (
                    a * ax + b * bx + cosine * nx,
                    a * ay + b * by + cosine * ny,
                    a * az + b * bz + cosine * nz,
                )
                along = _TWO * (vx * hx + vy * hy + vz * hz)
                lx, ly, lz = along * hx - vx, along * hy - vy, along * hz - vz
                if lx * spot[6] + ly * spot[7] + lz * spot[8] <= _GRAZING:
                    continue
                valid[k] = np.int32(-1)
                alive += 1
                ray[k], ray[_PACKET + k], ray[2 * _PACKET + k] = spot[0], spot[1], spot[2]
                ray[4 * _PACKET + k], ray[5 * _PACKET + k], ray[6 * _PACKET + k] = lx, ly, lz
                flow[k, 0], flow[k, 1], flow[k, 2] = _ONE, _ONE, _ONE
            for bounce in range(bounces):
                if alive == 0:
                    break
                for k in range(_PACKET):
                    ray[3 * _PACKET + k], ray[8 * _PACKET + k] = _ZERO, _FAR
                    lane[18 * _PACKET + k], lane[19 * _PACKET + k] = np.int32(-1), np.int32(-1)
                cast_packet(intersect, valid_address, scene, address)
                for k in range(lanes):
                    if valid[k] == 0:
                        continue
                    f = start + k
                    if lane[18 * _PACKET + k] < 0:
                        valid[k] = np.int32(0)
                        alive -= 1
                        continue
                    lx, ly, lz = ray[4 * _PACKET + k], ray[5 * _PACKET + k], ray[6 * _PACKET + k]
                    t = np.uint64(lane[17 * _PACKET + k])
                    u, v = ray[15 * _PACKET + k], ray[16 * _PACKET + k]
                    w = _ONE - u - v
                    nx = w * normals[t, 0, 0] + u * normals[t, 1, 0] + v * normals[t, 2, 0]
                    ny = w * normals[t, 0, 1] + u * normals[t, 1, 1] + v * normals[t, 2, 1]
                    nz = w * normals[t, 0, 2] + u * normals[t, 1, 2] + v * normals[t, 2, 2]
                    scale = _ONE / math.sqrt(max(nx * nx + ny * ny + nz * nz, np.float32(1e-30)))
                    if nx * lx + ny * ly + nz * lz > _ZERO:
                        scale = -scale
                    nx, ny, nz = nx * scale, ny * scale, nz * scale
                    far = ray[8 * _PACKET + k]
                    px = ray[k] + far * lx
                    py = ray[_PACKET + k] + far * ly
                    pz = ray[2 * _PACKET + k] + far * lz
                    finish = finish_of[t]
                    if has_textures(finishes, finish):
                        # As large as the pixel would be there.
                        footprint = pixel_size if parallel else pixel_size * far
                        look = touched.shape[1] + turn
                        nx, ny, nz = apply_textures(
                            look,
                            finish,
                            px,
                            py,
                            pz,
                            nx,
                            ny,
                            nz,
                            -lx,
                            -ly,
                            -lz,
                            footprint,
                            finishes,
                            spaces,
                            texels,
                            texel_table,
                        )
                        finish = np.int32(look)
                    red, green, blue = seen_light(
                        px,
                        py,
                        pz,
                        nx,
                        ny,
                        nz,
                        -lx,
                        -ly,
                        -lz,
                        finish,
                        finishes,
                        lights,
                        touched,
                        ambients,
                        maps,
                        table,
                        nothing,
                        0,
                        _ONE,
                        0,
                    )
                    if bounce == 0:
                        rayed[f, first + 3] = _ONE
                    else:
                        # What the surface before this one took from the environment here, this one hides.
                        red, green, blue = red - taken[k, 0], green - taken[k, 1], blue - taken[k, 2]
                    rayed[f, first] += flow[k, 0] * red
                    rayed[f, first + 1] += flow[k, 1] * green
                    rayed[f, first + 2] += flow[k, 2] * blue
                    if bounce + 1 == bounces or finishes[finish, 3] > _TOO_ROUGH:
                        valid[k] = np.int32(0)
                        alive -= 1
                        continue
                    taken[k, 0], taken[k, 1], taken[k, 2], share_r, share_g, share_b, _ = _mirror_light(
                        nx, ny, nz, -lx, -ly, -lz, finish, finishes, ambients, maps, table
                    )
                    flow[k, 0], flow[k, 1], flow[k, 2] = (
                        flow[k, 0] * share_r,
                        flow[k, 1] * share_g,
                        flow[k, 2] * share_b,
                    )
                    along = _TWO * (nx * lx + ny * ly + nz * lz)
                    lift = _LIFT * far
                    ray[k], ray[_PACKET + k], ray[2 * _PACKET + k] = px + nx * lift, py + ny * lift, pz + nz * lift
                    ray[4 * _PACKET + k] = lx - along * nx
                    ray[5 * _PACKET + k] = ly - along * ny
                    ray[6 * _PACKET + k] = lz - along * nz
