"""Mirror rays: what a surface sees of the set in its mirror direction, over up to three bounces."""

from __future__ import annotations

import math

import numba
import numpy as np

from zeitbild.kernels import inlined_kernel, kernel, parallel_kernel
from zeitbild.render.light.ggx import shadowing
from zeitbild.render.light.lighting import FLAT, SHADOWS, light_point, sideways
from zeitbild.render.rays.flying import meet_dots
from zeitbild.render.rays.lights_met import note_lights, saw_lights, trust_lights
from zeitbild.render.rays.patterns import ORDER, TURNS
from zeitbild.render.shade.coat import coat_light
from zeitbild.render.shade.metal_rough import direct_light, light_around, mirror_light, straight_reflectance
from zeitbild.render.shade.rayed import BEHIND_LIGHTS
from zeitbild.render.shade.shading import has_textures
from zeitbild.render.shade.texturing import apply_textures, span_about
from zeitbild.render.shade.tones import light_amount, tone_at
from zeitbild.render.visible.triangle_setup import TILE
from zeitbild.render.world.ray_scene import BUFFER, OPAQUE_ONLY, PACKET, VEIL_BITS, cast_packet
from zeitbild.snapshot.finish_row import COAT, COAT_ROUGHNESS, SHADING, STOPS, TONE_BANDS, UNLIT

# Called instead of compiled in: casting the ray costs far more than the call, and compiling takes half as long.
_direct_light, _light_around, _mirror_light, _light_point = (
    kernel(one.py_func) for one in (direct_light, light_around, mirror_light, light_point)
)
#: Rougher surfaces mirror so widely that occlusion stands for it.
TOO_ROUGH = np.float32(0.75)
_TOO_ROUGH = TOO_ROUGH
_LIFT = np.float32(2e-4)
_GRAZING = np.float32(1e-3)
#: Mirrors smoother than this (roughness) cast one ray, whatever the others do, and those that are no metal, which mirror little, at most so many, unless
#: one of these led to a light that has a size.
#: (To stop where the first few of a pixel meet nothing would take light away: what they miss the others find.)
_ONE_WAY, _FAINT = np.float32(0.04), 4
#: Cosines are taken to be at least this; what looks straight at facets (the square of what is left of the view along them).
_LOW, _NOT_ASIDE = np.float32(1e-4), np.float32(1e-12)
_ZERO, _HALF, _ONE, _TWO = np.float32(0), np.float32(0.5), np.float32(1), np.float32(2)
_TURN = np.float32(2 * math.pi)
_FAR = np.float32(1e30)
_SHADING, _COAT, _COAT_ROUGHNESS = SHADING, COAT, COAT_ROUGHNESS
#: Part of a mirror's lobe that one ray stands for; what of a bend widens a lobe (a step as wide as 1 has a deviation of 0.29),
#: and the most of it.
_LOBE, _LEAN, _MOST_TURN = np.float32(0.5), np.float32(0.25), np.float32(2)
#: What of the lobes that a ray was mirrored in widens the lobe that it meets. It is seen as wide as those anyway; hit by one ray in a
#: hundred it would be dots.
_WIDENS = np.float32(0.75)
#: A ray that is one of several of its pixel stands for less. Of mirrors up to the first roughness it widens what it meets by so much less;
#: of those from the second on as if it were alone: they share what they find (``sharing``), and would have grain.
_SHARP, _SOFT = np.float32(0.2), np.float32(0.3)
#: Places that are looked at across a bend of what a ray meets, what each counts, and how much (radians) that has to be.
_PIECES, _SHARE, _STRAIGHT = 5, np.float32(0.2), np.float32(0.01)
_TONE_BANDS, _UNLIT = np.float32(TONE_BANDS), np.float32(UNLIT)
_SHIFT = TILE.bit_length() - 1
_PACKET, _BUFFER, _TURNS, _ORDER, _SHADOWS = PACKET, BUFFER, TURNS, ORDER, SHADOWS
_BEHIND_LIGHTS = BEHIND_LIGHTS
_FLAT = np.float32(FLAT)
#: Steps from pixel to pixel that fill the square evenly: powers of the plastic number's inverse (Roberts 2018, The
#: Unreasonable Effectiveness of Quasirandom Sequences).
_SHIFT_U, _SHIFT_V, _BELOW_ONE = np.float32(0.7548776662), np.float32(0.5698402910), np.float32(1 - 2**-24)
#: A ray to a light ends just before it.
_SHORT = np.float32(0.999)
#: Mirrors show what moves as at the middle of a stretch of open shutter.
_MIDDLE = np.float32(0.5)
#: Without see-through surfaces rays meet what is opaque; with them all, so many of them one after the other, until so little is left.
_OPAQUE_ONLY, _EVERYTHING = np.uint32(OPAQUE_ONLY).view(np.int32), np.int32(-1)
_THROUGH, _NOTHING_LEFT = 8, np.float32(1 / 512)
_STOPS, _FIRST_BIT, _VEIL_BITS = STOPS, np.int32(1), VEIL_BITS
#: Steps past a place where a ray goes on, as a share of its coordinates.
_PAST = np.float32(1e-6)


@kernel
def seen_light(point, normal, view, finish, finishes, shining, rayed, f, openness, first):  # type: ignore[no-untyped-def]
    """Three numbers: radiance that leaves a point towards the view; arguments as in ``metal_rough.direct_light`` and
    ``light_around``."""
    red, green, blue = finishes[finish, 5], finishes[finish, 6], finishes[finish, 7]
    shading = finishes[finish, _SHADING]
    if shading == _TONE_BANDS:
        _, amount, _ = light_amount(point, normal, finish, finishes, shining, rayed, f, openness)
        tone_r, tone_g, tone_b = tone_at(amount, _ZERO, finish, finishes)
        return red + tone_r, green + tone_g, blue + tone_b
    if shading == _UNLIT:
        return red + finishes[finish, 0], green + finishes[finish, 1], blue + finishes[finish, 2]
    matt_r, matt_g, matt_b, high_r, high_g, high_b = _direct_light(
        point, normal, view, finish, finishes, shining, rayed, f
    )
    around_r, around_g, around_b = _light_around(normal, view, finish, finishes, shining, openness, rayed, f, first)
    red, green, blue = (
        red + matt_r + high_r + around_r,
        green + matt_g + high_g + around_g,
        blue + matt_b + high_b + around_b,
    )
    if finishes[finish, _COAT] > _ZERO:
        flat = _ZERO, _ZERO, _ZERO
        coat_r, coat_g, coat_b, mirror_r, mirror_g, mirror_b, through = coat_light(
            point, normal, view, flat, finish, finishes, shining, rayed, f, openness
        )
        red, green, blue = (
            red * through + coat_r + mirror_r,
            green * through + coat_g + mirror_g,
            blue * through + coat_b + mirror_b,
        )
    return red, green, blue


#: Called as it is by several.
_seen_light = kernel(seen_light.py_func)


@kernel
def _bend_direction(normals, normal):  # type: ignore[no-untyped-def]
    """The direction in which a triangle's corner normals [3, 3] differ most, as a unit vector across a unit normal (three numbers each);
    zeros if they do not differ."""
    nx, ny, nz = normal
    best, x, y, z = np.float32(1e-8), _ZERO, _ZERO, _ZERO
    for a in range(3):
        b = (a + 1) % 3
        dx, dy, dz = normals[b, 0] - normals[a, 0], normals[b, 1] - normals[a, 1], normals[b, 2] - normals[a, 2]
        along = dx * nx + dy * ny + dz * nz
        dx, dy, dz = dx - along * nx, dy - along * ny, dz - along * nz
        size = dx * dx + dy * dy + dz * dz
        if size > best:
            best, x, y, z = size, dx, dy, dz
    if x != _ZERO or y != _ZERO or z != _ZERO:
        scale = _ONE / math.sqrt(best)
        x, y, z = x * scale, y * scale, z * scale
    return x, y, z


@kernel
def _light_across(point, normal, view, direction, turned, finish, finishes, shining, rayed, f):  # type: ignore[no-untyped-def]
    """The mean of ``seen_light`` over ``_PIECES`` normals, evenly spaced over an angle of ``turned`` (radians, in tangents) in a direction
    across the normal. Those that face away from the view stand for the normal itself."""
    nx, ny, nz = normal
    tx, ty, tz = direction
    vx, vy, vz = view
    red, green, blue = _ZERO, _ZERO, _ZERO
    for piece in range(_PIECES):
        at = ((np.float32(piece) + _HALF) * _SHARE - _HALF) * turned
        ax, ay, az = nx + at * tx, ny + at * ty, nz + at * tz
        scale = _ONE / math.sqrt(ax * ax + ay * ay + az * az)
        own = ax * scale, ay * scale, az * scale
        if ax * vx + ay * vy + az * vz <= _ZERO:
            own = nx, ny, nz
        own_r, own_g, own_b = _seen_light(point, own, view, finish, finishes, shining, rayed, f, _ONE, 0)
        red, green, blue = red + own_r * _SHARE, green + own_g * _SHARE, blue + own_b * _SHARE
    return red, green, blue


@inlined_kernel
def mirrored_by_facet(nx, ny, nz, vx, vy, vz, alpha, u, v):  # type: ignore[no-untyped-def]
    """Where a ray to the view (unit vector) comes from by one of the facets of alpha (roughness squared) about a unit normal, picked by two
    numbers (0 to 1) among those that the view sees (Heitz 2018, Sampling the GGX distribution of visible normals, listing 1, from
    memory)."""
    ax, ay, az, bx, by, bz = sideways(nx, ny, nz)
    # The view across and along the normal, as if facets were those of a ball.
    p, q = alpha * (vx * ax + vy * ay + vz * az), alpha * (vx * bx + vy * by + vz * bz)
    r = max(vx * nx + vy * ny + vz * nz, _LOW)
    scale = _ONE / math.sqrt(p * p + q * q + r * r)
    p, q, r = p * scale, q * scale, r * scale
    flat = p * p + q * q
    c, d = _ONE, _ZERO
    if flat > _NOT_ASIDE:
        scale = _ONE / math.sqrt(flat)
        c, d = -q * scale, p * scale
    # A place of the disc that the ball shows.
    wide = math.sqrt(u)
    first, second = wide * math.cos(_TURN * v), wide * math.sin(_TURN * v)
    part = _HALF * (_ONE + r)
    second = (_ONE - part) * math.sqrt(max(_ZERO, _ONE - first * first)) + part * second
    third = math.sqrt(max(_ZERO, _ONE - first * first - second * second))
    x = alpha * (first * c - second * r * d + third * p)
    y = alpha * (first * d + second * r * c + third * q)
    z = max(second * (p * d - q * c) + third * r, _LOW)
    scale = _ONE / math.sqrt(x * x + y * y + z * z)
    x, y, z = x * scale, y * scale, z * scale
    hx, hy, hz = x * ax + y * bx + z * nx, x * ay + y * by + z * ny, x * az + y * bz + z * nz
    twice = _TWO * (vx * hx + vy * hy + vz * hz)
    return twice * hx - vx, twice * hy - vy, twice * hz - vz


@parallel_kernel
def mirror(  # type: ignore[no-untyped-def]
    fragments,
    surfaces,
    finishes,
    shining,
    textures,
    casting,
    flying,
    bends,
    eye,
    pixel_size,
    parallel,
    cells,
    spots,
    pattern,
    bounces,
    known,
    rayed,
    near,
):
    """Radiance that mirror rays bring (the three columns of rayed behind lights and openness) and how much of what is behind the first
    things met they hide (1 for opaque ones); and, if there are columns for it, what they tell of lights (``shade.rayed.IN_LOBES``). near [n]
    gets the inverse of how far off a ray met something first, or 0.

    Arguments as in ``tracing.trace`` and ``shading.shade``; finishes has a row more for each tile; bends [T] as in ``stage``; cells a
    side is what pixels were cut into, 1 for none. pattern is [16, turns, 4] from ``mirror_turns``, so many rays for each fragment, or where
    pixels were cut [16, 64, 4] from ``mirror_places``, one for each; bounces 1 to 3; known [n] is not 0 for fragments whose columns are right
    already, or of no length: none are. What
    is mirrored shows its shadows: one ray goes to each light from where a mirror ray hits. See-through surfaces (``RayScene``'s veils) are
    laid over what the ray meets behind them, by their opacity; flying are dots (``flying.Flying``), which lie before it.
    """
    order, counts, firsts = fragments.order, fragments.counts, fragments.firsts
    # Of a stretch patterns go by where in the picture it was seen.
    pixel, triangle, where = fragments.pixel, fragments.triangle, fragments.at
    normals, finish_of = surfaces.normals, surfaces.finish_of
    lights, touched = shining.rows, shining.touched
    intersect, occluded, scene, veil_firsts, veil_triangles = casting
    first = lights.shape[0] + 1
    behind = lights.shape[0] + _BEHIND_LIGHTS
    looks_at_lights = rayed.shape[1] > behind
    turns = 1 if cells > _ONE else pattern.shape[1]
    for turn in numba.prange(order.shape[0]):
        tile = order[turn]
        total = counts[tile]
        base = firsts[tile]
        if total == 0:
            continue
        words = np.empty(_BUFFER, np.int32)
        lane = words[((64 - (words.ctypes.data & 63)) // 4) % _PACKET :]
        ray = lane.view(np.float32)
        address = ray.ctypes.data
        flags = np.empty(2 * _PACKET, np.int32)
        valid = flags[((64 - (flags.ctypes.data & 63)) // 4) % _PACKET :]
        valid_address = valid.ctypes.data
        # What shadow rays find where mirror rays hit; a second packet for them.
        count = lights.shape[0]
        seen = np.ones((_PACKET, count + 1), np.float32)
        more_words = np.empty(_BUFFER, np.int32)
        more_lane = more_words[((64 - (more_words.ctypes.data & 63)) // 4) % _PACKET :]
        more_ray = more_lane.view(np.float32)
        more_address = more_ray.ctypes.data
        more_flags = np.empty(2 * _PACKET, np.int32)
        more_valid = more_flags[((64 - (more_flags.ctypes.data & 63)) // 4) % _PACKET :]
        more_valid_address = more_valid.ctypes.data
        for k in range(_PACKET):
            more_ray[3 * _PACKET + k], more_ray[7 * _PACKET + k] = _ZERO, _MIDDLE
            more_lane[9 * _PACKET + k], more_lane[11 * _PACKET + k] = _OPAQUE_ONLY, np.int32(0)
            more_lane[10 * _PACKET + k] = np.int32(k)
        met = np.empty((_PACKET, 6), np.float32)
        steps = np.empty(_PACKET, np.int32)
        flow, taken = np.empty((_PACKET, 3), np.float32), np.empty((_PACKET, 3), np.float32)
        # How often each ray was mirrored, and what see-through surfaces that its first stretch met let through.
        mirrored, left = np.empty(_PACKET, np.int32), np.empty(_PACKET, np.float32)
        # The square of how wide the lobes are that it was mirrored in.
        lobes = np.empty(_PACKET, np.float32)
        # What all rays of a fragment count together.
        weights = np.empty(_PACKET, np.float32)
        veiled = veil_triangles.shape[0] > 0
        for k in range(_PACKET):
            ray[7 * _PACKET + k] = _MIDDLE
            lane[9 * _PACKET + k] = _EVERYTHING if veiled else _OPAQUE_ONLY
            lane[10 * _PACKET + k] = np.int32(k)
            lane[11 * _PACKET + k] = np.int32(0)
        for packet in range((total + _PACKET - 1) // _PACKET * turns):
            start, again = base + packet // turns * _PACKET, packet % turns
            lanes = min(_PACKET, base + total - start)
            alive = 0
            for k in range(_PACKET):
                valid[k] = np.int32(0)
                if k >= lanes:
                    continue
                f = start + k
                if known.shape[0] > 0 and known[f] != 0:
                    near[f], weights[k] = _ZERO, _ONE
                    continue
                if again == 0:
                    for c in range(first, rayed.shape[1]):
                        rayed[f, c] = _ZERO
                    near[f], weights[k] = _ZERO, _ZERO
                rough, metal = finishes[finish_of[triangle[f]], 3], finishes[finish_of[triangle[f]], 4]
                own_turns = turns if rough >= _ONE_WAY else 1
                glares = looks_at_lights and again >= _FAINT and saw_lights(rayed, f, behind)
                if metal < _HALF and own_turns > _FAINT and not glares:
                    own_turns = _FAINT
                if rough > _TOO_ROUGH or again >= own_turns:
                    continue
                spot = spots[f]
                nx, ny, nz, vx, vy, vz = spot[3], spot[4], spot[5], spot[9], spot[10], spot[11]
                place = _TURNS[(pixel[f] >> _SHIFT) & 3, pixel[f] & 3]
                # The places of a pixel take one step after the other of its stretch of the pattern.
                across, down = where[f, 0] - np.float32(int(where[f, 0])), where[f, 1] - np.float32(int(where[f, 1]))
                steps[k] = _ORDER[int(down * 8), int(across * 8)] if cells > _ONE else again
                u, v = pattern[place, steps[k], 0], pattern[place, steps[k], 1]
                if cells > _ONE:
                    # Pixels that are cut have enough of their own: shifted so that no pattern of 4 x 4 shows.
                    x, y = np.float32(int(where[f, 0])), np.float32(int(where[f, 1]))
                    u = pattern[0, steps[k], 0] + x * _SHIFT_U + y * _SHIFT_V
                    v = pattern[0, steps[k], 1] + x * _SHIFT_V - y * _SHIFT_U
                    u, v = min(u - math.floor(u), _BELOW_ONE), min(v - math.floor(v), _BELOW_ONE)
                    u, v = np.float32(u), np.float32(v)
                alpha = rough * rough
                lx, ly, lz = mirrored_by_facet(nx, ny, nz, vx, vy, vz, alpha, u, v)
                n_l, n_v = lx * nx + ly * ny + lz * nz, max(vx * nx + vy * ny + vz * nz, _GRAZING)
                if own_turns == 1 and n_l <= _GRAZING:
                    # The only one goes somewhere: across from there.
                    lx, ly, lz = mirrored_by_facet(nx, ny, nz, vx, vy, vz, alpha, u, v + _HALF)
                    n_l = lx * nx + ly * ny + lz * nz
                if lx * spot[6] + ly * spot[7] + lz * spot[8] <= _GRAZING or n_l <= _GRAZING:
                    continue
                # By how much of it is in the shadow of other facets (height-correlated Smith, as ``metal_rough.ggx_lobe``).
                seen_root, lit_root = shadowing(n_v, alpha * alpha), shadowing(n_l, alpha * alpha)
                weight = n_l * (n_v + seen_root) / (n_v * lit_root + n_l * seen_root)
                # And by how much facets mirror that are seen so (Schlick): of the half angle the cosine's square is half of one more.
                dressed = finish_of[triangle[f]]
                coloured = finishes[dressed, 0], finishes[dressed, 1], finishes[dressed, 2]
                straight = straight_reflectance(coloured, metal)
                rest = _ONE - math.sqrt(max(_ZERO, _HALF + _HALF * (lx * vx + ly * vy + lz * vz)))
                weight *= straight + (_ONE - straight) * (rest * rest) * (rest * rest) * rest
                weights[k] += weight
                valid[k] = np.int32(-1)
                alive += 1
                ray[k], ray[_PACKET + k], ray[2 * _PACKET + k] = spot[0], spot[1], spot[2]
                ray[4 * _PACKET + k], ray[5 * _PACKET + k], ray[6 * _PACKET + k] = lx, ly, lz
                flow[k, 0], flow[k, 1], flow[k, 2] = weight, weight, weight
                mirrored[k], left[k], lobes[k] = np.int32(0), weight, alpha * alpha
                if looks_at_lights:
                    note_lights(rayed, f, weight, _ZERO, ray, k, dressed, shining)
            for _ in range(bounces + _THROUGH if veiled else bounces):
                if alive == 0:
                    break
                for k in range(_PACKET):
                    ray[3 * _PACKET + k], ray[8 * _PACKET + k] = _ZERO, _FAR
                    lane[18 * _PACKET + k], lane[19 * _PACKET + k] = np.int32(-1), np.int32(-1)
                cast_packet(intersect, valid_address, scene, address)
                if flying.rows.shape[0] > 0:
                    meet_dots(flying, valid, ray, lanes, flow, taken, left, mirrored, rayed, near, start, first)
                for k in range(lanes):
                    if valid[k] == 0:
                        continue
                    if lane[18 * _PACKET + k] < 0:
                        valid[k] = np.int32(0)
                        alive -= 1
                        continue
                    geometry = lane[18 * _PACKET + k]
                    if geometry > 0:
                        # From here on by its number among all triangles.
                        lane[17 * _PACKET + k] = veil_triangles[veil_firsts[geometry] + lane[17 * _PACKET + k]]
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
                    far = ray[8 * _PACKET + k]
                    met[k, 0], met[k, 1] = ray[k] + far * lx, ray[_PACKET + k] + far * ly
                    met[k, 2] = ray[2 * _PACKET + k] + far * lz
                    met[k, 3], met[k, 4], met[k, 5] = nx * scale, ny * scale, nz * scale
                for number in range(count):
                    if lights[number, _SHADOWS] == _ZERO:
                        continue
                    cast = 0
                    for k in range(_PACKET):
                        more_valid[k] = np.int32(0)
                        seen[k, number] = _ONE
                        if k >= lanes or valid[k] == 0:
                            continue
                        t = np.uint64(lane[17 * _PACKET + k])
                        if touched[number, finish_of[t]] == 0:
                            continue
                        place = _TURNS[(pixel[start + k] >> _SHIFT) & 3, pixel[start + k] & 3]
                        a, b = pattern[place, steps[k], 2], pattern[place, steps[k], 3]
                        if veiled:
                            # See-through surfaces stop as many rays as they are opaque.
                            more_lane[9 * _PACKET + k] = _FIRST_BIT << np.int32((steps[k] * 5 + place * 7) % _VEIL_BITS)
                        if lights[number, 0] == _FLAT:
                            a, b = _TWO * a - _ONE, _TWO * b - _ONE
                        elif lights[number, 0] > _FLAT or lights[number, 16] > _ZERO:
                            wide = np.float32(math.sqrt(a))
                            a, b = wide * np.float32(math.cos(_TURN * b)), wide * np.float32(math.sin(_TURN * b))  # type: ignore[assignment]
                        else:
                            a, b = _ZERO, _ZERO  # type: ignore[assignment]
                        # The triangle's own normal, on the side that is seen.
                        gx, gy, gz = ray[12 * _PACKET + k], ray[13 * _PACKET + k], ray[14 * _PACKET + k]
                        scale = _ONE / math.sqrt(max(gx * gx + gy * gy + gz * gz, np.float32(1e-30)))
                        if gx * met[k, 3] + gy * met[k, 4] + gz * met[k, 5] < _ZERO:
                            scale = -scale
                        lift = _LIFT * max(ray[8 * _PACKET + k], _ONE)
                        gx, gy, gz = gx * scale, gy * scale, gz * scale
                        px, py, pz = met[k, 0] + gx * lift, met[k, 1] + gy * lift, met[k, 2] + gz * lift
                        lx, ly, lz, far = _light_point(lights[number], px, py, pz, a, b)
                        if (
                            lx * gx + ly * gy + lz * gz <= _GRAZING
                            or lx * met[k, 3] + ly * met[k, 4] + lz * met[k, 5] <= _ZERO
                        ):
                            continue
                        more_valid[k] = np.int32(-1)
                        cast += 1
                        more_ray[k], more_ray[_PACKET + k], more_ray[2 * _PACKET + k] = px, py, pz
                        more_ray[4 * _PACKET + k], more_ray[5 * _PACKET + k], more_ray[6 * _PACKET + k] = lx, ly, lz
                        more_ray[8 * _PACKET + k] = far * _SHORT
                    if cast == 0:
                        continue
                    cast_packet(occluded, more_valid_address, scene, more_address)
                    for k in range(lanes):
                        if more_valid[k] != 0 and more_ray[8 * _PACKET + k] < _ZERO:
                            seen[k, number] = _ZERO
                for k in range(lanes):
                    if valid[k] == 0:
                        continue
                    f = start + k
                    t = np.uint64(lane[17 * _PACKET + k])
                    far = ray[8 * _PACKET + k]
                    lx, ly, lz = ray[4 * _PACKET + k], ray[5 * _PACKET + k], ray[6 * _PACKET + k]
                    px, py, pz, nx, ny, nz = met[k, 0], met[k, 1], met[k, 2], met[k, 3], met[k, 4], met[k, 5]
                    finish = finish_of[t]
                    opacity = finishes[finish, _STOPS]
                    look = np.int32(touched.shape[1] + turn)
                    # How wide the light spreads that this one ray stands for: what the place covers of a pixel, bent by the
                    # mirror, and a part of the mirror's lobe, whose other parts its neighbours take.
                    spot = spots[f]
                    ex, ey, ez = spot[0] - eye[0], spot[1] - eye[1], spot[2] - eye[2]
                    away = _ONE if parallel else math.sqrt(ex * ex + ey * ey + ez * ez)
                    own = away * pixel_size / cells
                    first_rough = finishes[finish_of[triangle[f]], 3]
                    smooth = min(max((_SOFT - first_rough) / (_SOFT - _SHARP), _ZERO), _ONE)
                    part = _ONE + smooth * (_ONE / cells - _ONE)
                    wide = own + far * (_TWO * bends[triangle[f]] * own + part * _LOBE * first_rough * first_rough)
                    # What bends as far as that shows a highlight as much wider, instead of one that is hit or missed. It bends in one
                    # direction: at final several places in that are looked at, each a part of it.
                    turned = min(part * bends[t] * wide, _MOST_TURN)
                    across = _ZERO, _ZERO, _ZERO
                    if cells > _ONE and turned > _STRAIGHT:
                        across = _bend_direction(normals[t], (nx, ny, nz))
                    bends_so = across[0] != _ZERO or across[1] != _ZERO or across[2] != _ZERO
                    bent = _LEAN * turned * (_SHARE if bends_so else _ONE)
                    lean = math.sqrt(bent * bent + part * part * _WIDENS * _WIDENS * lobes[k])
                    textured = has_textures(finishes, finish)
                    if textured:
                        # What this ray stands for, and wider the farther it went.
                        footprint = wide if parallel else wide + far * pixel_size / cells
                        nx, ny, nz = apply_textures(
                            look,
                            finish,
                            t,
                            (px, py, pz),
                            (nx, ny, nz),
                            (-lx, -ly, -lz),
                            footprint,
                            span_about((nx, ny, nz), (-lx, -ly, -lz), footprint),
                            finishes,
                            textures,
                        )
                    if textured or lean > np.float32(0.01):
                        if not textured:
                            finishes[look] = finishes[finish]
                        alpha = finishes[look, 3] * finishes[look, 3]
                        finishes[look, 3] = math.sqrt(math.sqrt(min(_ONE, alpha * alpha + lean * lean)))
                        alpha = finishes[look, _COAT_ROUGHNESS] * finishes[look, _COAT_ROUGHNESS]
                        finishes[look, _COAT_ROUGHNESS] = math.sqrt(math.sqrt(min(_ONE, alpha * alpha + lean * lean)))
                        finish = look
                    point, normal, view = (px, py, pz), (nx, ny, nz), (-lx, -ly, -lz)
                    if bends_so:
                        red, green, blue = _light_across(
                            point, normal, view, across, turned, finish, finishes, shining, seen, k
                        )
                    else:
                        red, green, blue = _seen_light(point, normal, view, finish, finishes, shining, seen, k, _ONE, 0)
                    if mirrored[k] == 0:
                        rayed[f, first + 3] += left[k] * opacity
                        if looks_at_lights:
                            note_lights(rayed, f, left[k] * opacity, far, ray, k, finish_of[triangle[f]], shining)
                        near[f] = max(near[f], _ONE / max(far, np.float32(1e-6)))
                    else:
                        # What the surface before this one took from the environment here, this one hides.
                        red, green, blue = red - taken[k, 0], green - taken[k, 1], blue - taken[k, 2]
                    rayed[f, first] += flow[k, 0] * opacity * red
                    rayed[f, first + 1] += flow[k, 1] * opacity * green
                    rayed[f, first + 2] += flow[k, 2] * opacity * blue
                    if opacity < _ONE:
                        # Through it, and on.
                        rest = _ONE - opacity
                        for c in range(3):
                            flow[k, c] *= rest
                        if mirrored[k] == 0:
                            left[k] *= rest
                        if max(flow[k, 0], max(flow[k, 1], flow[k, 2])) < _NOTHING_LEFT:
                            valid[k] = np.int32(0)
                            alive -= 1
                            continue
                        past = max(_LIFT * far, _PAST * (abs(px) + abs(py) + abs(pz)))
                        ray[k], ray[_PACKET + k], ray[2 * _PACKET + k] = px + lx * past, py + ly * past, pz + lz * past
                        continue
                    mirrored[k] += np.int32(1)
                    rough = finishes[finish, 3]
                    lobes[k] = min(_ONE, lobes[k] + rough * rough * rough * rough)
                    if mirrored[k] == bounces or finishes[finish, 3] > _TOO_ROUGH:
                        valid[k] = np.int32(0)
                        alive -= 1
                        continue
                    taken[k, 0], taken[k, 1], taken[k, 2], share_r, share_g, share_b, _ = _mirror_light(
                        (nx, ny, nz), (-lx, -ly, -lz), finish, finishes, shining
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
            if again == turns - 1:
                # As shares of all that was looked at: what is met hides no more than there is.
                for k in range(lanes):
                    scale = _ONE / weights[k] if weights[k] > _ZERO else _ZERO
                    for c in range(first, rayed.shape[1]):
                        rayed[start + k, c] *= scale
                    if looks_at_lights and (known.shape[0] == 0 or known[start + k] == 0):
                        dressed = finish_of[triangle[start + k]]
                        trust_lights(rayed, start + k, spots[start + k], finishes[dressed, 3], shining)
