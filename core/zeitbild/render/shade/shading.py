"""Fragments shaded into their pixels, each by its finish: metal-rough and coated, in tone bands, or unlit."""

from __future__ import annotations

import numba
import numpy as np

from zeitbild.kernels import inlined_kernel, parallel_kernel
from zeitbild.render.shade import batch
from zeitbild.render.shade.batch import (
    light_directly,
    light_from_around,
    place,
    prepare_light,
    take_finishes,
    take_spots,
)
from zeitbild.render.shade.coat import coat_light
from zeitbild.render.shade.flat_pictures import COLOUR, look_up_together
from zeitbild.render.shade.texturing import apply_textures, base_colour, footprint_at, span_of
from zeitbild.render.shade.tones import tones_across
from zeitbild.render.visible.triangle_setup import TILE
from zeitbild.snapshot.finish_row import COAT, MAPS, METAL_ROUGH, SHADING, SHADOW_ONLY, TONE_BANDS, UNLIT

_ZERO, _HALF, _ONE = np.float32(0), np.float32(0.5), np.float32(1)
_TILE = TILE
_SHIFT, _MASK = TILE.bit_length() - 1, TILE - 1
# Globals of this module, which kernels take as constants.
_SHADING, _COAT, _MAPS = SHADING, COAT, MAPS
_METAL_ROUGH, _TONE_BANDS, _UNLIT = np.float32(METAL_ROUGH), np.float32(TONE_BANDS), np.float32(UNLIT)
_SHADOW_ONLY = np.float32(SHADOW_ONLY)
_BATCH, _ROWS, _WHOLE_ROWS, _FRAGMENT, _FINISH = (
    batch.BATCH,
    batch.ROWS,
    batch.WHOLE_ROWS,
    batch.FRAGMENT,
    batch.FINISH,
)
_POINT, _NORMAL, _VIEW, _OPENNESS, _METAL = batch.POINT, batch.NORMAL, batch.VIEW, batch.OPENNESS, batch.METAL
_BEND, _EVEN_AROUND, _COLOUR = batch.BEND, batch.EVEN_AROUND, COLOUR
_MATT, _HIGH, _FROM_AROUND = batch.MATT, batch.HIGH, batch.FROM_AROUND

#: Parts that the tiles are worked on in; more than there will be threads, so that all are busy to the end.
_STRETCHES = STRETCHES = 32
#: Rows that finishes need behind them for what textures make of them.
LOOKS = _STRETCHES * batch.BATCH

#: Columns of the planes beside beauty, each weighted by coverage.
DIFFUSE, SPECULAR, AROUND, EMISSION, OPENNESS, LIT = 0, 3, 6, 9, 12, 13
#: What is seen of the backdrop (``renderer.render``).
BEHIND = 14
#: The unit normal, as textures bend it, of the place that gives most to a pixel, and what it gives; not weighted. Only
#: ``renderer`` takes them, for ``Picture.data``.
FACING, GIVEN = 17, 20
PLANES = 21
_FACING, _GIVEN = FACING, GIVEN
#: What beauty is the sum of.
PARTS = (DIFFUSE, SPECULAR, AROUND, EMISSION, BEHIND)


@inlined_kernel
def has_textures(finishes, finish):  # type: ignore[no-untyped-def]
    """Whether any texture lies on a finish."""
    return (
        finishes[finish, _MAPS]
        + finishes[finish, _MAPS + 1]
        + finishes[finish, _MAPS + 2]
        + finishes[finish, _MAPS + 3]
        + finishes[finish, _MAPS + 4]
        > _ZERO
    )


@inlined_kernel
def changes_surface(finishes, finish):  # type: ignore[no-untyped-def]
    """Whether any texture of a finish says more than its base colour."""
    return (
        finishes[finish, _MAPS + 1]
        + finishes[finish, _MAPS + 2]
        + finishes[finish, _MAPS + 3]
        + finishes[finish, _MAPS + 4]
        > _ZERO
    )


@inlined_kernel
def take_textures(rows, whole, used, looks, fragments, surfaces, finishes, textures, eye, pixel_size):  # type: ignore[no-untyped-def]
    """Bend normals and make finishes of their own, from row ``looks`` on, where textures lie on what is shaded. Tells whether any do."""
    textured = False
    for i in range(used):
        finish = whole[_FINISH, i]
        if not has_textures(finishes, finish):
            continue
        f = whole[_FRAGMENT, i]
        px, py, pz = rows[_POINT, i], rows[_POINT + 1, i], rows[_POINT + 2, i]
        normal = (rows[_NORMAL, i], rows[_NORMAL + 1, i], rows[_NORMAL + 2, i])
        view = (rows[_VIEW, i], rows[_VIEW + 1, i], rows[_VIEW + 2, i])
        t, where = np.uint64(fragments.triangle[f]), fragments.where
        footprint = footprint_at(px, py, pz, eye, pixel_size)
        span = span_of(
            fragments.edges,
            surfaces.places,
            t,
            where[f, 0],
            where[f, 1],
            fragments.share[f],
            normal,
            view,
            footprint,
            textures.finely,
            textures.at_rest,
        )
        rows[_NORMAL, i], rows[_NORMAL + 1, i], rows[_NORMAL + 2, i] = apply_textures(
            looks + i, finish, t, (px, py, pz), normal, view, footprint, span, finishes, textures
        )
        whole[_FINISH, i] = looks + i
        textured = True
    return textured


@parallel_kernel
def shade(  # type: ignore[no-untyped-def]
    fragments,
    surfaces,
    finishes,
    shining,
    textures,
    found,
    eye,
    pixel_size,
    bounced,
    hard,
    weights,
    alpha,
    sides,
    doubt,
    beauty,
    planes,
):
    """Shade every fragment into its pixel of beauty [H, W, 4]; every pixel is written, its last value is alpha [H, W],
    or, if there are weights [F] (else of no length), what fragments cover times the weight of their finish: its opacity,
    or less than 0 for what is not to be seen. What a clear surface mirrors does not fade with it, but for metals, whose
    colour is what they mirror.

    A tile owns its pixels, so the sum's order never depends on threads. The records are ``visibility.Fragments``,
    ``corners.Surfaces``, ``lighting.Shining``, ``texturing.Textures`` and ``secondary.Rayed``, which is of no length if nothing is in
    shadow; finishes has LOOKS rows more for what textures make of them. eye [4] from ``stage.viewpoint``; pixel_size is that of a
    pixel at distance 1, or anywhere in a parallel view. bounced tells if rays brought what mirrors show. hard: tones have no
    borders between pixels.
    planes [H, W, PLANES] or of no length: then only beauty is wanted. sides [H, W] as in ``finer``, or of no
    length: all pixels are drawn, else only those whose number is not 0, and doubt [H, W] gets what the places of one half of a pixel's
    cells, as the squares of a chessboard, give more than those of the other.
    """
    order, counts, firsts, width = fragments.order, fragments.counts, fragments.firsts, fragments.width
    pixel, triangle, share = fragments.pixel, fragments.triangle, fragments.share
    where, edges, finish_of = fragments.where, fragments.edges, surfaces.finish_of
    lights, touched = shining.rows, shining.touched
    spots, lift_share, rayed = found
    columns = (width + _TILE - 1) // _TILE
    # Batches are made room for once for a stretch of tiles.
    for stretch in numba.prange(_STRETCHES):
        rows, whole = np.zeros((_ROWS, _BATCH), np.float32), np.full((_WHOLE_ROWS, _BATCH), -1, np.int32)
        # Behind the finishes is room for what textures make of those of a batch.
        looks = touched.shape[1] + stretch * _BATCH
        every = np.empty(0, np.uint8)
        for turn in range(stretch * order.shape[0] // _STRETCHES, (stretch + 1) * order.shape[0] // _STRETCHES):
            tile = order[turn]
            top, left = (tile // columns) * _TILE, (tile % columns) * _TILE
            wide = min(_TILE, width - left)
            if sides.shape[0] > 0 and counts[tile] == 0:
                continue
            for row in range(top, min(top + _TILE, beauty.shape[0])):
                if sides.shape[0] > 0:
                    for column in range(left, left + wide):
                        if sides[row, column] > 0:
                            beauty[row, column, 0] = beauty[row, column, 1] = beauty[row, column, 2] = _ZERO
                            doubt[row, column] = _ZERO
                            if weights.shape[0] > 0:
                                beauty[row, column, 3] = _ZERO
                            if planes.shape[0] > 0:
                                planes[row, column] = _ZERO
                    continue
                line = beauty[row, left : left + wide].reshape(-1)
                if counts[tile] == 0:
                    # Most tiles: nothing stands there.
                    line[:] = _ZERO
                else:
                    for column in range(wide):
                        line[4 * column] = line[4 * column + 1] = line[4 * column + 2] = _ZERO
                        line[4 * column + 3] = alpha[row, left + column] if weights.shape[0] == 0 else _ZERO
                if planes.shape[0] > 0:
                    planes[row, left : left + wide] = _ZERO
            next_fragment, last = firsts[tile], firsts[tile] + counts[tile]
            even = planes.shape[0] == 0 and sides.shape[0] == 0
            asked = np.int32(-1)
            for f in range(next_fragment, last):
                finish = finish_of[np.uint64(triangle[f])]
                # Most fragments of a tile are of one finish.
                if finish == asked:
                    continue
                asked = finish
                even = even and finishes[finish, _SHADING] == _UNLIT and finishes[finish, _COAT] <= _ZERO
                even = even and not has_textures(finishes, finish)
                if not even:
                    break
            if even:
                # What is flat and of one colour takes nothing but that: nobody asks where it stands, or what lights it.
                asked = np.int32(-1)
                red = green = blue = weight = _ZERO
                for f in range(next_fragment, last):
                    finish = finish_of[np.uint64(triangle[f])]
                    if finish != asked:
                        asked = finish
                        red = finishes[finish, 5] + finishes[finish, 0]
                        green = finishes[finish, 6] + finishes[finish, 1]
                        blue = finishes[finish, 7] + finishes[finish, 2]
                        weight = weights[finish] if weights.shape[0] > 0 else _ONE
                    if weight < _ZERO:
                        continue
                    part = share[f] * weight
                    own = beauty[np.uint64(top + (pixel[f] >> _SHIFT)), np.uint64(left + (pixel[f] & _MASK))]
                    own[0] += part * red
                    own[1] += part * green
                    own[2] += part * blue
                    if weights.shape[0] > 0:
                        own[3] += part
                continue
            while next_fragment < last:
                used = 0
                while used < _BATCH and next_fragment < last:
                    f = next_fragment
                    next_fragment += 1
                    t = np.uint64(triangle[f])
                    if weights.shape[0] > 0:
                        part = share[f] * weights[finish_of[t]]
                        if part < _ZERO:
                            continue
                        beauty[top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK), 3] += part
                    whole[_FRAGMENT, used], whole[_FINISH, used] = f, finish_of[t]
                    used += 1
                if used == 0:
                    continue
                # On flat art pictures may lie, and nobody asks what lights it.
                plain = planes.shape[0] == 0 and sides.shape[0] == 0
                asked = np.int32(-1)
                for i in range(used):
                    finish = whole[_FINISH, i]
                    # Most places of a tile are of one finish.
                    if finish == asked:
                        continue
                    asked = finish
                    plain = plain and finishes[finish, _SHADING] == _UNLIT and finishes[finish, _COAT] <= _ZERO
                    plain = plain and not changes_surface(finishes, finish)
                if plain:
                    together = look_up_together(
                        rows, whole, used, fragments, surfaces, eye, pixel_size, finishes, textures
                    )
                    if not together:
                        place(rows, whole, used, fragments, surfaces, eye, False)
                    for i in range(used):
                        f, finish = whole[_FRAGMENT, i], whole[_FINISH, i]
                        part = share[f]
                        if weights.shape[0] > 0:
                            part *= weights[finish]
                        red, green, blue = finishes[finish, 0], finishes[finish, 1], finishes[finish, 2]
                        if together:
                            red, green, blue = rows[_COLOUR, i], rows[_COLOUR + 1, i], rows[_COLOUR + 2, i]
                        elif finishes[finish, _MAPS] > _ZERO:
                            px, py, pz = rows[_POINT, i], rows[_POINT + 1, i], rows[_POINT + 2, i]
                            normal = (rows[_NORMAL, i], rows[_NORMAL + 1, i], rows[_NORMAL + 2, i])
                            view = (rows[_VIEW, i], rows[_VIEW + 1, i], rows[_VIEW + 2, i])
                            t = np.uint64(triangle[f])
                            footprint = footprint_at(px, py, pz, eye, pixel_size)
                            span = span_of(
                                edges,
                                surfaces.places,
                                t,
                                where[f, 0],
                                where[f, 1],
                                share[f],
                                normal,
                                view,
                                footprint,
                                textures.finely,
                                textures.at_rest,
                            )
                            red, green, blue = base_colour(
                                finish, t, (px, py, pz), normal, view, footprint, span, finishes, textures
                            )
                        row, column = top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)
                        beauty[row, column, 0] += part * (finishes[finish, 5] + red)
                        beauty[row, column, 1] += part * (finishes[finish, 6] + green)
                        beauty[row, column, 2] += part * (finishes[finish, 7] + blue)
                    continue
                if spots.shape[0] > 0:
                    take_spots(rows, whole, used, spots, lift_share, eye)
                else:
                    place(rows, whole, used, fragments, surfaces, eye, True)
                # What takes no light is not lit; passes of light want to know all the same.
                takes_light = planes.shape[0] > 0
                for i in range(used):
                    takes_light = takes_light or finishes[whole[_FINISH, i], _SHADING] != _UNLIT
                textured = take_textures(
                    rows, whole, used, looks, fragments, surfaces, finishes, textures, eye, pixel_size
                )
                take_finishes(rows, whole, used, textured, finishes, shining)
                if takes_light:
                    prepare_light(rows, whole, used, shining.table)
                    light_directly(rows, whole, used, shining, rayed, every)
                    light_from_around(rows, whole, used, shining, rayed, bounced)
                for i in range(used):
                    f, finish = whole[_FRAGMENT, i], whole[_FINISH, i]
                    t = np.uint64(triangle[f])
                    part, gloss = share[f], share[f]
                    if weights.shape[0] > 0:
                        part *= weights[finish_of[t]]
                        gloss -= (gloss - part) * rows[_METAL, i]
                    openness = rows[_OPENNESS, i]
                    glow_r, glow_g, glow_b = finishes[finish, 5], finishes[finish, 6], finishes[finish, 7]
                    matt_r, matt_g, matt_b = rows[_MATT, i], rows[_MATT + 1, i], rows[_MATT + 2, i]
                    high_r, high_g, high_b = rows[_HIGH, i], rows[_HIGH + 1, i], rows[_HIGH + 2, i]
                    around_r, around_g, around_b = (
                        rows[_FROM_AROUND, i],
                        rows[_FROM_AROUND + 1, i],
                        rows[_FROM_AROUND + 2, i],
                    )
                    shading = finishes[finish, _SHADING]
                    if shading != _METAL_ROUGH:
                        high_r = high_g = high_b = around_r = around_g = around_b = _ZERO
                    if shading == _SHADOW_ONLY:
                        # What it mirrors fades with it (``coverage.catch_shadows``).
                        gloss = part
                        if bounced and rayed.shape[0] > 0 and finishes[finish, 4] > _ZERO:
                            first = lights.shape[0] + 1
                            around_r, around_g, around_b = rayed[f, first], rayed[f, first + 1], rayed[f, first + 2]
                    coat_r = coat_g = coat_b = mirror_r = mirror_g = mirror_b = _ZERO
                    through = _ONE
                    if finishes[finish, _COAT] > _ZERO:
                        coat_r, coat_g, coat_b, mirror_r, mirror_g, mirror_b, through = coat_light(
                            (rows[_POINT, i], rows[_POINT + 1, i], rows[_POINT + 2, i]),
                            (rows[_NORMAL, i], rows[_NORMAL + 1, i], rows[_NORMAL + 2, i]),
                            (rows[_VIEW, i], rows[_VIEW + 1, i], rows[_VIEW + 2, i]),
                            (rows[_BEND, i], rows[_BEND + 1, i], rows[_BEND + 2, i]),
                            finish,
                            finishes,
                            shining,
                            rayed,
                            f,
                            openness,
                        )
                        matt_r, matt_g, matt_b = matt_r * through, matt_g * through, matt_b * through
                        high_r, high_g, high_b = high_r * through, high_g * through, high_b * through
                        around_r, around_g, around_b = around_r * through, around_g * through, around_b * through
                        glow_r, glow_g, glow_b = glow_r * through, glow_g * through, glow_b * through
                    if shading == _TONE_BANDS:
                        matt_r, matt_g, matt_b = tones_across(
                            edges,
                            surfaces,
                            t,
                            (where[f, 0], where[f, 1]),
                            eye,
                            finish,
                            finishes,
                            shining,
                            rayed,
                            f,
                            openness,
                            hard,
                        )
                    elif shading == _UNLIT:
                        matt_r = matt_g = matt_b = _ZERO
                        glow_r += finishes[finish, 0]
                        glow_g += finishes[finish, 1]
                        glow_b += finishes[finish, 2]
                    row, column = top + (pixel[f] >> _SHIFT), left + (pixel[f] & _MASK)
                    # From here on times what is covered.
                    high_r, high_g, high_b = high_r * gloss, high_g * gloss, high_b * gloss
                    if weights.shape[0] > 0:
                        # What is matt of the light from around fades as all matt light does.
                        fades = (part - gloss) * through if shading == _METAL_ROUGH else _ZERO
                        around_r, around_g, around_b = (
                            around_r * gloss + rows[_EVEN_AROUND, i] * fades,
                            around_g * gloss + rows[_EVEN_AROUND + 1, i] * fades,
                            around_b * gloss + rows[_EVEN_AROUND + 2, i] * fades,
                        )
                    else:
                        around_r, around_g, around_b = around_r * gloss, around_g * gloss, around_b * gloss
                    if finishes[finish, _COAT] > _ZERO:
                        high_r += coat_r * share[f]
                        high_g += coat_g * share[f]
                        high_b += coat_b * share[f]
                        around_r += mirror_r * share[f]
                        around_g += mirror_g * share[f]
                        around_b += mirror_b * share[f]
                    beauty[row, column, 0] += part * (matt_r + glow_r) + high_r + around_r
                    beauty[row, column, 1] += part * (matt_g + glow_g) + high_g + around_g
                    beauty[row, column, 2] += part * (matt_b + glow_b) + high_b + around_b
                    if sides.shape[0] > 0:
                        light = (
                            part * (matt_r + glow_r + matt_g + glow_g) + high_r + around_r + high_g + around_g
                        ) * _HALF
                        cells = np.float32(sides[row, column])
                        x = int((where[f, 0] - np.float32(column)) * cells)
                        y = int((where[f, 1] - np.float32(row)) * cells)
                        doubt[row, column] += light if (x + y) & 1 == 0 else -light
                    if planes.shape[0] > 0:
                        lit = _ONE
                        if rayed.shape[0] > 0 and lights.shape[0] > 0:
                            lit = _ZERO
                            for number in range(lights.shape[0]):
                                lit += rayed[f, number] / np.float32(lights.shape[0])
                        own = planes[row, column]
                        own[0], own[1], own[2] = own[0] + part * matt_r, own[1] + part * matt_g, own[2] + part * matt_b
                        own[3], own[4], own[5] = own[3] + high_r, own[4] + high_g, own[5] + high_b
                        own[6], own[7], own[8] = own[6] + around_r, own[7] + around_g, own[8] + around_b
                        own[9], own[10], own[11] = (
                            own[9] + part * glow_r,
                            own[10] + part * glow_g,
                            own[11] + part * glow_b,
                        )
                        own[12] += part * openness
                        own[13] += part * lit
                        if part > own[_GIVEN]:
                            own[_GIVEN] = part
                            own[_FACING] = rows[_NORMAL, i]
                            own[_FACING + 1] = rows[_NORMAL + 1, i]
                            own[_FACING + 2] = rows[_NORMAL + 2, i]
