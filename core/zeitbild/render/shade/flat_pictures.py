"""Pictures on flat things, looked up for many places of one triangle at once: that is what footage on a card is."""

from __future__ import annotations

import math

import numpy as np

from zeitbild.kernels import inlined_kernel
from zeitbild.render.shade import batch
from zeitbild.render.shade.texture_values import look_up, look_up_finely
from zeitbild.render.shade.texturing import LOW, cut_by, span_of
from zeitbild.render.visible.surface import TURNED_AWAY
from zeitbild.snapshot.finish_row import MAP_LIES, MAPS, UNWRAPPED

_ZERO, _ONE, _SMALLEST = np.float32(0), np.float32(1), np.float32(1e-30)
_BATCH, _FRAGMENT, _FINISH = batch.BATCH, batch.FRAGMENT, batch.FINISH
_MAPS, _MAP_LIES, _UNWRAPPED, _LOW, _TURNED_AWAY = MAPS, MAP_LIES, UNWRAPPED, LOW, TURNED_AWAY
#: Rows in which the place in the picture, what a pixel covers of it, how large that is in the world, the view and the value found there stand.
_U, _WIDE, _FOOTPRINT, _VIEW = batch.POINT, batch.NORMAL, batch.NORMAL + 1, batch.VIEW
COLOUR = batch.MATT
_COLOUR = COLOUR


@inlined_kernel
def look_up_together(rows, whole, used, fragments, surfaces, eye, pixel_size, finishes, textures):  # type: ignore[no-untyped-def]
    """Rows COLOUR: the base colour of fragments, times the picture that lies over it, as ``texturing.base_colour`` finds it for each. Tells
    whether it could: if all are of one flat triangle that lies in the picture as its mesh is unwrapped."""
    triangle, where, edges = fragments.triangle, fragments.where, fragments.edges
    places, normals = surfaces.places, surfaces.normals
    t, finish = np.uint64(triangle[whole[_FRAGMENT, 0]]), whole[_FINISH, 0]
    number = int(finishes[finish, _MAPS]) - 1
    if number < 0 or finishes[finish, _MAP_LIES] != _UNWRAPPED or textures.unwrapped.shape[0] == 0:
        return False
    for k in range(3):
        if normals[t, 0, k] != normals[t, 1, k] or normals[t, 0, k] != normals[t, 2, k]:
            return False
    nx, ny, nz = normals[t, 0, 0], normals[t, 0, 1], normals[t, 0, 2]
    square = nx * nx + ny * ny + nz * nz
    if square <= _SMALLEST:
        return False
    length = _ONE / np.float32(math.sqrt(square))
    nx, ny, nz = nx * length, ny * length, nz * length
    for i in range(used):
        f = whole[_FRAGMENT, i]
        if np.uint64(triangle[f]) != t:
            return False
        rows[_U, i], rows[_U + 1, i] = where[f, 0], where[f, 1]
    e0, e1, e2, e3, e4 = edges[t, 0], edges[t, 1], edges[t, 2], edges[t, 3], edges[t, 4]
    e5, e6, e7, e8 = edges[t, 5], edges[t, 6], edges[t, 7], edges[t, 8]
    outside = False
    for i in range(used):
        x, y = float(rows[_U, i]), float(rows[_U + 1, i])
        a, b, c = e0 * x + e1 * y + e2, e3 * x + e4 * y + e5, e6 * x + e7 * y + e8
        outside = outside or a < 0.0 or b < 0.0 or c < 0.0
    if outside:
        return False
    # From the world straight to shares of the picture.
    own, space = textures.unwrapped[t], textures.spaces[finish]
    u0 = own[0, 0] * space[0, 0] + own[0, 1] * space[1, 0] + own[0, 2] * space[2, 0]
    u1 = own[0, 0] * space[0, 1] + own[0, 1] * space[1, 1] + own[0, 2] * space[2, 1]
    u2 = own[0, 0] * space[0, 2] + own[0, 1] * space[1, 2] + own[0, 2] * space[2, 2]
    u3 = own[0, 0] * space[0, 3] + own[0, 1] * space[1, 3] + own[0, 2] * space[2, 3] + own[0, 3]
    v0 = own[1, 0] * space[0, 0] + own[1, 1] * space[1, 0] + own[1, 2] * space[2, 0]
    v1 = own[1, 0] * space[0, 1] + own[1, 1] * space[1, 1] + own[1, 2] * space[2, 1]
    v2 = own[1, 0] * space[0, 2] + own[1, 1] * space[1, 2] + own[1, 2] * space[2, 2]
    v3 = own[1, 0] * space[0, 3] + own[1, 1] * space[1, 3] + own[1, 2] * space[2, 3] + own[1, 3]
    wide_u = np.float32(math.sqrt(own[0, 0] * own[0, 0] + own[0, 1] * own[0, 1] + own[0, 2] * own[0, 2]))
    wide_v = np.float32(math.sqrt(own[1, 0] * own[1, 0] + own[1, 1] * own[1, 1] + own[1, 2] * own[1, 2]))
    px0, py0, pz0 = places[t, 0, 0], places[t, 0, 1], places[t, 0, 2]
    px1, py1, pz1 = places[t, 1, 0], places[t, 1, 1], places[t, 1, 2]
    px2, py2, pz2 = places[t, 2, 0], places[t, 2, 1], places[t, 2, 2]
    ex, ey, ez, standing = eye[0], eye[1], eye[2], eye[3]
    unit = space[0, 7]
    for i in range(_BATCH):
        x, y = float(rows[_U, i]), float(rows[_U + 1, i])
        a, b, c = e0 * x + e1 * y + e2, e3 * x + e4 * y + e5, e6 * x + e7 * y + e8
        total = 1.0 / max(a + b + c, 1e-300)
        wa, wb, wc = np.float32(a * total), np.float32(b * total), np.float32(c * total)
        px, py, pz = wa * px0 + wb * px1 + wc * px2, wa * py0 + wb * py1 + wc * py2, wa * pz0 + wb * pz1 + wc * pz2
        vx, vy, vz = ex - standing * px, ey - standing * py, ez - standing * pz
        far = np.float32(math.sqrt(max(vx * vx + vy * vy + vz * vz, _SMALLEST)))
        facing = (nx * vx + ny * vy + nz * vz) / far
        facing = -facing if facing < _TURNED_AWAY else facing
        rows[_U, i], rows[_U + 1, i] = u0 * px + u1 * py + u2 * pz + u3, v0 * px + v1 * py + v2 * pz + v3
        footprint = pixel_size * (far if standing > _ZERO else _ONE)
        rows[_WIDE, i], rows[_FOOTPRINT, i] = unit * footprint / max(_LOW, facing), footprint
        rows[_VIEW, i], rows[_VIEW + 1, i], rows[_VIEW + 2, i] = vx / far, vy / far, vz / far
    red, green, blue = finishes[finish, 0], finishes[finish, 1], finishes[finish, 2]
    if textures.finely:
        cut = cut_by(finish, finishes)
        for i in range(used):
            f = whole[_FRAGMENT, i]
            view = rows[_VIEW, i], rows[_VIEW + 1, i], rows[_VIEW + 2, i]
            ax, ay, az, bx, by, bz = span_of(
                edges,
                places,
                t,
                where[f, 0],
                where[f, 1],
                fragments.share[f],
                (nx, ny, nz),
                view,
                rows[_FOOTPRINT, i],
                textures.finely,
                textures.at_rest,
            )
            r, g, b = look_up_finely(
                textures.values,
                textures.table,
                number,
                cut,
                rows[_U, i],
                rows[_U + 1, i],
                u0 * ax + u1 * ay + u2 * az,
                v0 * ax + v1 * ay + v2 * az,
                u0 * bx + u1 * by + u2 * bz,
                v0 * bx + v1 * by + v2 * bz,
            )
            rows[_COLOUR, i], rows[_COLOUR + 1, i], rows[_COLOUR + 2, i] = red * r, green * g, blue * b
        return True
    for i in range(used):
        wide = rows[_WIDE, i]
        r, g, b = look_up(
            textures.values, textures.table, number, rows[_U, i], rows[_U + 1, i], wide * wide_u, wide * wide_v
        )
        rows[_COLOUR, i], rows[_COLOUR + 1, i], rows[_COLOUR + 2, i] = red * r, green * g, blue * b
    return True
