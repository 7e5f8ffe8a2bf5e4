"""Many fragments shaded at once: their numbers stand in rows, so that loops over them become vector instructions.

The loops that compute touch nothing but the rows, take no decision that leads elsewhere and call nothing; what has to be
fetched from other places for each fragment is fetched in loops of its own. Every lane is computed, also those of a batch
that is not full: what they hold is the past, and nobody reads it. Values are those of ``metal_rough``, bit for bit.

All kernels take rows [ROWS, BATCH] float32 and whole [WHOLE_ROWS, BATCH] int32, of which the first ``used`` lanes count and
which the caller makes (zeros, and -1) once for many batches; shining and rayed as ``metal_rough`` takes them.
Radiance is linear, lengths are the world's units.
"""

from __future__ import annotations

import math

import numpy as np

from zeitbild.kernels import inlined_kernel
from zeitbild.render.light.area_highlights import ORIGIN, disc_of
from zeitbild.render.light.environment import LEVEL_COUNT, level_place, side_of, start_of
from zeitbild.render.light.ggx import shadowing
from zeitbild.render.light.lighting import FLAT, has_borders, reach
from zeitbild.render.light.octahedral import corner_place, mixed_corners, unfold
from zeitbild.render.shade.metal_rough import (
    LEAST_COSINE,
    MIN_ALPHA,
    added_light,
    bent_area_highlight,
    bent_roughness,
    disc_counts,
    energy,
    highlight_lobe,
    lobe_of,
    looks_along,
    matt_fit,
    mirrored_around,
    mirrored_way,
    mixed_table,
    occluded_share,
    parts_of_bend,
    straight_reflectance,
    table_place,
    widened,
)
from zeitbild.render.shade.rayed import BEHIND_LIGHTS, IN_LOBES, share_in_lobe
from zeitbild.render.visible.surface import bend_at, place_at, seen_from, shares_at
from zeitbild.snapshot.finish_row import OWNER

#: Fragments of a batch.
BATCH = 64
#: Rows of single precision: point, unit normal, unit view; the finish's base colour, roughness and metalness.
POINT, NORMAL, VIEW, BASE, ROUGH, METAL = 0, 3, 6, 9, 12, 13
#: Radiance that is found: matt, highlights, from around.
MATT, HIGH, FROM_AROUND = 14, 17, 20
#: One light at a time: the share of it that is seen; diffuse and highlight amount, unit direction to it.
_SEEN, _DIFFUSE, _STRENGTH, _TO_LIGHT = 23, 24, 25, 26
#: Cosine of normal and view; squared roughness to the square; the view's root in ``shadowing``.
_COSINE, _SQUARE, _ROOT = 29, 30, 31
#: Of one light at a time, too: how wide it is (half2 of ``lighting.reach``), Schlick's fifth power, what arrives of it.
_WIDE, _FIFTH, _ARRIVING = 32, 33, 34
#: Share of the half sphere that is open; share of the mirror's light that stays; what is added to it.
OPENNESS, _KEPT, _ADDED = 35, 36, 37
#: Ambient light. How far between two levels a reflection lies.
_AMBIENT, _BLEND = 40, 43
#: Fractions of the look-ups: sharp, soft, diffuse, table (two each), then what was found there.
_SHARP_AT, _SOFT_AT, _EVEN_AT, _TABLE_AT = 44, 46, 48, 50
_SHARP, _SOFT, _EVEN, _TABLE = 52, 55, 58, 61
#: Shares of a triangle's corners.
_SHARES = 63
#: Of ``metal_rough.energy`` and ``matt_fit``: what many bounces add, a dielectric's mirrored share, the factor of matt light;
#: the fit's three coefficients and one over what goes in.
_LOST, _MIRRORED, _MATT_KEPT, _FIT = 66, 67, 68, 69
#: How far the normal turns within what is shaded (``metal_rough.highlight_lobe``).
BEND = 73
#: Of FROM_AROUND what is matt.
EVEN_AROUND = 76
#: How far what is mirrored leans to the normal, the roughness whose straight lobe is as wide, and how much longer it is (``metal_rough.lobe_of``).
_LEAN, _STRAIGHT, _SPREAD = 79, 80, 81
#: Of one light at a time: the share of it that the mirror's lobe sees.
_SEEN_IN_LOBE = 82
ROWS = 83
#: Rows of whole numbers: fragment; row of its finish; what the lane's rows of the finish stand for; side and start of the
#: sharp and the soft level's pictures; places of the look-ups; the finish's owner.
FRAGMENT, FINISH, _HELD, _SHARP_SIDE, _SHARP_START, _SOFT_SIDE, _SOFT_START = 0, 1, 2, 3, 4, 5, 6
_SHARP_PLACE, _SOFT_PLACE, _EVEN_PLACE, _TABLE_PLACE, _OWNED = 7, 8, 9, 10, 11
WHOLE_ROWS = 12

_ZERO, _ONE, _TWO = np.float32(0), np.float32(1), np.float32(2)
_BATCH, _OWNER, _LEAST_COSINE, _MIN_ALPHA = BATCH, OWNER, LEAST_COSINE, MIN_ALPHA
_POINT, _NORMAL, _VIEW, _BASE, _ROUGH, _METAL, _BEND = POINT, NORMAL, VIEW, BASE, ROUGH, METAL, BEND
_EVEN_AROUND = EVEN_AROUND
_MATT, _HIGH, _FROM_AROUND, _OPENNESS, _FRAGMENT, _FINISH = MATT, HIGH, FROM_AROUND, OPENNESS, FRAGMENT, FINISH
_LEVEL_COUNT, _FLAT = LEVEL_COUNT, np.float32(FLAT)
_BEHIND_LIGHTS, _IN_LOBES = BEHIND_LIGHTS, IN_LOBES
_LAST_LEVEL = np.float32(_LEVEL_COUNT - 1)


@inlined_kernel
def place(rows, whole, used, fragments, surfaces, eye, bends):  # type: ignore[no-untyped-def]
    """Rows POINT, NORMAL and VIEW of fragments without rays, and BEND if ``bends``; see ``surface.surface_at`` and ``stage.viewpoint``."""
    triangle, share, where, edges = fragments.triangle, fragments.share, fragments.where, fragments.edges
    places, normals = surfaces.places, surfaces.normals
    ex, ey, ez, standing = eye[0], eye[1], eye[2], eye[3]
    for i in range(used):
        f = whole[_FRAGMENT, i]
        rows[_SHARES, i], rows[_SHARES + 1, i], rows[_SHARES + 2, i] = shares_at(
            edges, np.uint64(triangle[f]), where[f, 0], where[f, 1]
        )
    for i in range(used):
        px, py, pz, nx, ny, nz = place_at(
            places,
            normals,
            np.uint64(triangle[whole[_FRAGMENT, i]]),
            rows[_SHARES, i],
            rows[_SHARES + 1, i],
            rows[_SHARES + 2, i],
        )
        rows[_POINT, i], rows[_POINT + 1, i], rows[_POINT + 2, i] = px, py, pz
        rows[_NORMAL, i], rows[_NORMAL + 1, i], rows[_NORMAL + 2, i] = nx, ny, nz
    for i in range(used if bends else 0):
        f = whole[_FRAGMENT, i]
        rows[_BEND, i], rows[_BEND + 1, i], rows[_BEND + 2, i] = bend_at(
            edges,
            normals,
            np.uint64(triangle[f]),
            where[f, 0],
            where[f, 1],
            rows[_SHARES, i],
            rows[_SHARES + 1, i],
            rows[_SHARES + 2, i],
            rows[_NORMAL, i],
            rows[_NORMAL + 1, i],
            rows[_NORMAL + 2, i],
            share[f],
        )
    for i in range(_BATCH):
        nx, ny, nz, vx, vy, vz = seen_from(
            rows[_POINT, i],
            rows[_POINT + 1, i],
            rows[_POINT + 2, i],
            rows[_NORMAL, i],
            rows[_NORMAL + 1, i],
            rows[_NORMAL + 2, i],
            ex,
            ey,
            ez,
            standing,
        )
        rows[_NORMAL, i], rows[_NORMAL + 1, i], rows[_NORMAL + 2, i] = nx, ny, nz
        rows[_VIEW, i], rows[_VIEW + 1, i], rows[_VIEW + 2, i] = vx, vy, vz


@inlined_kernel
def take_finishes(rows, whole, used, afresh, finishes, shining):  # type: ignore[no-untyped-def]
    """Rows of the finishes whose numbers stand in FINISH; afresh: also where a lane seems to hold them already."""
    ambients, table = shining.ambients, shining.table
    for i in range(used):
        finish = whole[_FINISH, i]
        if whole[_HELD, i] == finish and not afresh:
            continue
        whole[_HELD, i] = finish
        owner = int(finishes[finish, _OWNER])
        whole[_OWNED, i] = owner
        for k in range(3):
            rows[_BASE + k, i] = finishes[finish, k]
            rows[_AMBIENT + k, i] = ambients[owner, k]
        rough = finishes[finish, 3]
        rows[_ROUGH, i], rows[_METAL, i] = rough, finishes[finish, 4]
        rows[_FIT, i], rows[_FIT + 1, i], rows[_FIT + 2, i], rows[_FIT + 3, i] = matt_fit(table, rough)


@inlined_kernel
def take_spots(rows, whole, used, spots, lift_share, eye):  # type: ignore[no-untyped-def]
    """Rows POINT, NORMAL, VIEW and BEND of fragments that have rays, from where those start (``secondary.Rayed``)."""
    for i in range(used):
        spot = spots[whole[_FRAGMENT, i]]
        # Back from where rays start to the surface.
        lift = lift_share
        if eye[3] > _ZERO:
            dx, dy, dz = spot[0] - eye[0], spot[1] - eye[1], spot[2] - eye[2]
            lift *= math.sqrt(dx * dx + dy * dy + dz * dz)
        for k in range(3):
            rows[_POINT + k, i] = spot[k] - spot[6 + k] * lift
            rows[_NORMAL + k, i], rows[_VIEW + k, i] = spot[3 + k], spot[9 + k]
            rows[_BEND + k, i] = spot[12 + k]


@inlined_kernel
def prepare_light(rows, whole, used, table):  # type: ignore[no-untyped-def]
    """What ``light_directly`` and ``light_from_around`` want to know of how surfaces are seen; table as in ``lighting.Shining``."""
    for i in range(_BATCH):
        nx, ny, nz = rows[_NORMAL, i], rows[_NORMAL + 1, i], rows[_NORMAL + 2, i]
        vx, vy, vz = rows[_VIEW, i], rows[_VIEW + 1, i], rows[_VIEW + 2, i]
        facing = nx * vx + ny * vy + nz * vz
        n_v = min(_ONE, max(facing, _LEAST_COSINE))
        rows[_COSINE, i] = n_v
        alpha = max(rows[_ROUGH, i] * rows[_ROUGH, i], _MIN_ALPHA)
        square = alpha * alpha
        rows[_SQUARE, i] = square
        rows[_ROOT, i] = shadowing(n_v, square)
        entry, across, down = table_place(n_v, rows[_ROUGH, i])
        whole[_TABLE_PLACE, i], rows[_TABLE_AT, i], rows[_TABLE_AT + 1, i] = entry, across, down
    for i in range(used):
        entry = mixed_table(table, whole[_TABLE_PLACE, i], rows[_TABLE_AT, i], rows[_TABLE_AT + 1, i])
        rows[_TABLE, i], rows[_TABLE + 1, i] = entry[0], entry[1]
        base = rows[_BASE, i], rows[_BASE + 1, i], rows[_BASE + 2, i]
        rows[_LEAN, i], rows[_STRAIGHT, i], rows[_SPREAD, i] = lobe_of(
            entry, straight_reflectance(base, rows[_METAL, i])
        )
    for i in range(_BATCH):
        rows[_LOST, i], rows[_MIRRORED, i], rows[_MATT_KEPT, i] = energy(
            rows[_TABLE, i], rows[_TABLE + 1, i], rows[_FIT + 3, i]
        )


@inlined_kernel
def light_directly(rows, whole, used, shining, rayed, own):  # type: ignore[no-untyped-def]
    """Rows MATT and HIGH, by all lights, or those of which own [L] (else of no length) is not 0, after ``prepare_light``; see
    ``metal_rough.direct_light``."""
    lights, touched, table = shining.rows, shining.touched, shining.table
    for i in range(_BATCH):
        rows[_MATT, i] = rows[_MATT + 1, i] = rows[_MATT + 2, i] = _ZERO
        rows[_HIGH, i] = rows[_HIGH + 1, i] = rows[_HIGH + 2, i] = _ZERO
    in_lobe = lights.shape[0] + _BEHIND_LIGHTS
    for number in range(lights.shape[0]):
        light = lights[number]
        column = in_lobe
        if has_borders(light):
            in_lobe += _IN_LOBES
        if own.shape[0] > 0 and own[number] == 0:
            continue
        tells = has_borders(light) and column < rayed.shape[1] and rayed.shape[0] > 0
        lit = False
        for i in range(used):
            f = whole[_FRAGMENT, i]
            share = rayed[f, number] if rayed.shape[0] > 0 else _ONE
            mirrored = share_in_lobe(rayed, f, column, share) if tells else share
            there = touched[number, whole[_OWNED, i]] != 0
            rows[_SEEN, i], rows[_SEEN_IN_LOBE, i] = share if there else _ZERO, mirrored if there else _ZERO
            if there and max(share, mirrored) > _ZERO:
                lit = True
        if not lit:
            continue
        if light[0] == _ZERO and light[16] == _ZERO:
            # A sun without a size, by far the most frequent light.
            lx, ly, lz = -light[4], -light[5], -light[6]
            for i in range(_BATCH):
                cosine = rows[_NORMAL, i] * lx + rows[_NORMAL + 1, i] * ly + rows[_NORMAL + 2, i] * lz
                rows[_DIFFUSE, i], rows[_ARRIVING, i], rows[_WIDE, i] = max(_ZERO, cosine), _ONE, _ZERO
                rows[_TO_LIGHT, i], rows[_TO_LIGHT + 1, i], rows[_TO_LIGHT + 2, i] = lx, ly, lz
        else:
            for i in range(used):
                diffuse, arriving, lx, ly, lz, half2 = reach(
                    light,
                    rows[_POINT, i],
                    rows[_POINT + 1, i],
                    rows[_POINT + 2, i],
                    rows[_NORMAL, i],
                    rows[_NORMAL + 1, i],
                    rows[_NORMAL + 2, i],
                )
                rows[_DIFFUSE, i], rows[_ARRIVING, i], rows[_WIDE, i] = diffuse, arriving, half2
                rows[_TO_LIGHT, i], rows[_TO_LIGHT + 1, i], rows[_TO_LIGHT + 2, i] = lx, ly, lz
        if light[0] >= _FLAT:
            for i in range(used):
                # Of a light below the horizon, or in the shadow of everything, nothing.
                if rows[_DIFFUSE, i] * rows[_SEEN_IN_LOBE, i] <= _ZERO:
                    rows[_STRENGTH, i] = rows[_FIFTH, i] = _ZERO
                    continue
                base = rows[_BASE, i], rows[_BASE + 1, i], rows[_BASE + 2, i]
                rows[_STRENGTH, i], rows[_FIFTH, i] = bent_area_highlight(
                    light,
                    (rows[_POINT, i], rows[_POINT + 1, i], rows[_POINT + 2, i]),
                    (rows[_NORMAL, i], rows[_NORMAL + 1, i], rows[_NORMAL + 2, i]),
                    (rows[_VIEW, i], rows[_VIEW + 1, i], rows[_VIEW + 2, i]),
                    (rows[_BEND, i], rows[_BEND + 1, i], rows[_BEND + 2, i]),
                    rows[_SQUARE, i],
                    rows[_ROUGH, i],
                    (rows[_TABLE, i], rows[_TABLE + 1, i]),
                    straight_reflectance(base, rows[_METAL, i]),
                    table,
                )
        else:
            for i in range(_BATCH):
                lobe, fifth = highlight_lobe(
                    (rows[_NORMAL, i], rows[_NORMAL + 1, i], rows[_NORMAL + 2, i]),
                    (rows[_VIEW, i], rows[_VIEW + 1, i], rows[_VIEW + 2, i]),
                    (rows[_TO_LIGHT, i], rows[_TO_LIGHT + 1, i], rows[_TO_LIGHT + 2, i]),
                    rows[_COSINE, i],
                    widened(rows[_SQUARE, i], rows[_WIDE, i]),
                    rows[_ROOT, i],
                    (rows[_BEND, i], rows[_BEND + 1, i], rows[_BEND + 2, i]),
                )
                rows[_STRENGTH, i], rows[_FIFTH, i] = lobe * rows[_ARRIVING, i], fifth
        if light[0] < _FLAT and light[16] > _ZERO:
            for i in range(used):
                bx, by, bz = rows[_BEND, i], rows[_BEND + 1, i], rows[_BEND + 2, i]
                bent, half2 = bx * bx + by * by + bz * bz, rows[_WIDE, i]
                # In the shadow of everything, or all below the horizon: nothing.
                if rows[_DIFFUSE, i] * rows[_SEEN_IN_LOBE, i] > _ZERO and disc_counts(bent, rows[_SQUARE, i], half2):
                    base = rows[_BASE, i], rows[_BASE + 1, i], rows[_BASE + 2, i]
                    towards = rows[_TO_LIGHT, i], rows[_TO_LIGHT + 1, i], rows[_TO_LIGHT + 2, i]
                    rows[_STRENGTH, i], rows[_FIFTH, i] = bent_area_highlight(
                        disc_of(towards, rows[_ARRIVING, i], half2),
                        ORIGIN,
                        (rows[_NORMAL, i], rows[_NORMAL + 1, i], rows[_NORMAL + 2, i]),
                        (rows[_VIEW, i], rows[_VIEW + 1, i], rows[_VIEW + 2, i]),
                        (bx, by, bz),
                        rows[_SQUARE, i],
                        rows[_ROUGH, i],
                        (rows[_TABLE, i], rows[_TABLE + 1, i]),
                        straight_reflectance(base, rows[_METAL, i]),
                        table,
                    )
        colour = light[7], light[8], light[9]
        for i in range(_BATCH):
            matt_r, matt_g, matt_b, high_r, high_g, high_b = added_light(
                (rows[_NORMAL, i], rows[_NORMAL + 1, i], rows[_NORMAL + 2, i]),
                (rows[_TO_LIGHT, i], rows[_TO_LIGHT + 1, i], rows[_TO_LIGHT + 2, i]),
                rows[_DIFFUSE, i] * rows[_SEEN, i],
                rows[_STRENGTH, i] * rows[_SEEN_IN_LOBE, i],
                rows[_FIFTH, i],
                colour,
                (rows[_BASE, i], rows[_BASE + 1, i], rows[_BASE + 2, i]),
                rows[_METAL, i],
                rows[_LOST, i],
                rows[_MATT_KEPT, i],
                (rows[_FIT, i], rows[_FIT + 1, i], rows[_FIT + 2, i]),
            )
            rows[_MATT, i] += matt_r
            rows[_MATT + 1, i] += matt_g
            rows[_MATT + 2, i] += matt_b
            rows[_HIGH, i] += high_r
            rows[_HIGH + 1, i] += high_g
            rows[_HIGH + 2, i] += high_b


@inlined_kernel
def light_from_around(rows, whole, used, shining, rayed, bounced):  # type: ignore[no-untyped-def]
    """Rows FROM_AROUND and OPENNESS, after ``prepare_light``; see ``metal_rough.light_around``. bounced tells whether rayed holds what
    mirror rays met."""
    maps, count = shining.maps, shining.rows.shape[0]
    even_side, even_start = side_of(maps, _LEVEL_COUNT), start_of(maps, _LEVEL_COUNT)
    for i in range(used):
        bx, by, bz = rows[_BEND, i], rows[_BEND + 1, i], rows[_BEND + 2, i]
        bend = bx * bx + by * by + bz * bz
        wide = bent_roughness(rows[_STRAIGHT, i], bend, parts_of_bend(bend, rows[_SQUARE, i]))
        place = min(level_place(wide), _LAST_LEVEL)
        level = min(np.int32(place), np.int32(_LEVEL_COUNT - 2))
        rows[_BLEND, i] = place - np.float32(level)
        whole[_SHARP_SIDE, i], whole[_SHARP_START, i] = side_of(maps, level), start_of(maps, level)
        whole[_SOFT_SIDE, i], whole[_SOFT_START, i] = side_of(maps, level + 1), start_of(maps, level + 1)
    for i in range(_BATCH):
        nx, ny, nz = rows[_NORMAL, i], rows[_NORMAL + 1, i], rows[_NORMAL + 2, i]
        rx, ry, rz = mirrored_way(
            (nx, ny, nz), (rows[_VIEW, i], rows[_VIEW + 1, i], rows[_VIEW + 2, i]), rows[_LEAN, i]
        )
        u, v = unfold(rx, ry, rz)
        texel, across, down = corner_place(whole[_SHARP_SIDE, i], whole[_SHARP_START, i], u, v)
        whole[_SHARP_PLACE, i], rows[_SHARP_AT, i], rows[_SHARP_AT + 1, i] = texel, across, down
        texel, across, down = corner_place(whole[_SOFT_SIDE, i], whole[_SOFT_START, i], u, v)
        whole[_SOFT_PLACE, i], rows[_SOFT_AT, i], rows[_SOFT_AT + 1, i] = texel, across, down
        u, v = unfold(nx, ny, nz)
        texel, across, down = corner_place(even_side, even_start, u, v)
        whole[_EVEN_PLACE, i], rows[_EVEN_AT, i], rows[_EVEN_AT + 1, i] = texel, across, down
    for i in range(used):
        rows[_SHARP, i], rows[_SHARP + 1, i], rows[_SHARP + 2, i] = mixed_corners(
            maps, whole[_SHARP_PLACE, i], whole[_SHARP_SIDE, i], rows[_SHARP_AT, i], rows[_SHARP_AT + 1, i]
        )
        rows[_SOFT, i], rows[_SOFT + 1, i], rows[_SOFT + 2, i] = mixed_corners(
            maps, whole[_SOFT_PLACE, i], whole[_SOFT_SIDE, i], rows[_SOFT_AT, i], rows[_SOFT_AT + 1, i]
        )
    for i in range(used):
        bx, by, bz = rows[_BEND, i], rows[_BEND + 1, i], rows[_BEND + 2, i]
        bend = bx * bx + by * by + bz * bz
        if looks_along(bend, rows[_SQUARE, i], rows[_SPREAD, i]) == 1:
            continue
        rows[_SHARP, i], rows[_SHARP + 1, i], rows[_SHARP + 2, i] = mirrored_around(
            maps,
            (rows[_NORMAL, i], rows[_NORMAL + 1, i], rows[_NORMAL + 2, i]),
            (rows[_VIEW, i], rows[_VIEW + 1, i], rows[_VIEW + 2, i]),
            (bx, by, bz),
            rows[_SQUARE, i],
            (rows[_LEAN, i], rows[_STRAIGHT, i], rows[_SPREAD, i]),
        )
        rows[_BLEND, i] = _ZERO
    for i in range(used):
        if rows[_METAL, i] < _ONE:
            rows[_EVEN, i], rows[_EVEN + 1, i], rows[_EVEN + 2, i] = mixed_corners(
                maps, whole[_EVEN_PLACE, i], even_side, rows[_EVEN_AT, i], rows[_EVEN_AT + 1, i]
            )
    for i in range(_BATCH):
        rows[_OPENNESS, i] = rows[_KEPT, i] = _ONE
        rows[_ADDED, i] = rows[_ADDED + 1, i] = rows[_ADDED + 2, i] = _ZERO
    if rayed.shape[0] > 0:
        for i in range(used):
            found = rayed[whole[_FRAGMENT, i]]
            rows[_OPENNESS, i] = found[count]
            if bounced:
                rows[_ADDED, i], rows[_ADDED + 1, i], rows[_ADDED + 2, i] = (
                    found[count + 1],
                    found[count + 2],
                    found[count + 3],
                )
                rows[_KEPT, i] = _ONE - found[count + 4]
            elif found[count] < _ONE:
                rows[_KEPT, i] = occluded_share(rows[_COSINE, i], rows[_ROUGH, i], found[count])
    for i in range(_BATCH):
        rest = _ONE - rows[_METAL, i]
        scale, bias = rows[_TABLE, i], rows[_TABLE + 1, i]
        even = rest * (_ONE - rows[_MIRRORED, i]) * rows[_OPENNESS, i]
        for k in range(3):
            base, ambient = rows[_BASE + k, i], rows[_AMBIENT + k, i]
            sharp = rows[_SHARP + k, i]
            seen = sharp + (rows[_SOFT + k, i] - sharp) * rows[_BLEND, i] + ambient
            seen = seen * rows[_KEPT, i] + rows[_ADDED + k, i]
            share = rest * rows[_MIRRORED, i] + rows[_METAL, i] * (base * scale + bias) * (_ONE + base * rows[_LOST, i])
            matt = base * even * (rows[_EVEN + k, i] + ambient)
            rows[_EVEN_AROUND + k, i] = matt
            rows[_FROM_AROUND + k, i] = seen * share + matt
