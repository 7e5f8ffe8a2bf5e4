"""Tone bands: two to five flat tones by the amount of matt light."""

from __future__ import annotations

import math

import numpy as np

from zeitbild.kernels import kernel
from zeitbild.render.light.lighting import reach
from zeitbild.render.visible.surface import surface_at
from zeitbild.snapshot.finish_row import COLOURS, OWNER, SOFTNESS, STARTS, TONES

_ZERO, _HALF, _ONE, _TWO = np.float32(0), np.float32(0.5), np.float32(1), np.float32(2)
_TONES, _SOFTNESS, _STARTS, _COLOURS, _OWNER = TONES, SOFTNESS, STARTS, COLOURS, OWNER
_surface_at = kernel(surface_at.py_func)


@kernel
def light_amount(point, normal, finish, finishes, shining, rayed, f, openness):  # type: ignore[no-untyped-def]
    """Three numbers: the amount of matt light where sharp shadows fall, where they do not, and the share that is lit.

    1 is a white sun of strength 1 that shines straight on. A pixel on the border of a sharp shadow has a share between 0
    and 1; elsewhere both amounts are the same.
    """
    px, py, pz = point
    nx, ny, nz = normal
    lights, touched, ambients = shining.rows, shining.touched, shining.ambients
    # What was made of a finish is lit as the one that it was made of.
    owner = int(finishes[finish, _OWNER])
    dark = bright = mean = (
        np.float32(0.2126) * ambients[owner, 0]
        + np.float32(0.7152) * ambients[owner, 1]
        + np.float32(0.0722) * ambients[owner, 2]
    ) * openness
    for number in range(lights.shape[0]):
        if touched[number, owner] == 0:
            continue
        light = lights[number]
        diffuse, _, _, _, _, _ = reach(light, px, py, pz, nx, ny, nz)
        amount = diffuse * (
            np.float32(0.2126) * light[7] + np.float32(0.7152) * light[8] + np.float32(0.0722) * light[9]
        )
        share = rayed[f, number] if rayed.shape[0] > 0 else _ONE
        mean += share * amount
        if light[16] == _ZERO and light[0] <= _ONE:
            dark += amount if share >= _ONE else _ZERO
            bright += amount if share > _ZERO else _ZERO
        else:
            dark, bright = dark + share * amount, bright + share * amount
    lit = (mean - dark) / (bright - dark) if bright > dark else _ONE
    return dark, bright, lit


@kernel
def tone_at(amount, width, finish, finishes):  # type: ignore[no-untyped-def]
    """Colour of tone bands at an amount of light; width is how far the amount goes across a pixel, which borders fill."""
    row = finishes[finish]
    wide = max(row[_SOFTNESS], width)
    red, green, blue = row[_COLOURS], row[_COLOURS + 1], row[_COLOURS + 2]
    for tone in range(1, int(row[_TONES])):
        above = amount - row[_STARTS + tone - 1]
        if wide > _ZERO:
            blend = min(_ONE, max(_ZERO, above / wide + _HALF))
        else:
            blend = _ONE if above >= _ZERO else _ZERO
        at = _COLOURS + 3 * tone
        red += (row[at] - red) * blend
        green += (row[at + 1] - green) * blend
        blue += (row[at + 2] - blue) * blend
    return red, green, blue


@kernel
def tones_across(edges, surfaces, t, middle, eye, finish, finishes, shining, rayed, f, openness, hard):  # type: ignore[no-untyped-def]
    """Colour of tone bands in a pixel about its middle (x, y); hard takes the tone of that alone. See ``shade``."""
    places, normals = surfaces.places, surfaces.normals
    x, y = middle
    px, py, pz, nx, ny, nz, _, _, _ = _surface_at(edges, places, normals, t, x, y, eye)
    dark, bright, lit = light_amount((px, py, pz), (nx, ny, nz), finish, finishes, shining, rayed, f, openness)
    if hard:
        return tone_at(bright if lit >= _HALF else dark, _ZERO, finish, finishes)
    square = _ZERO
    for axis in range(2):
        px, py, pz, nx, ny, nz, _, _, _ = _surface_at(
            edges,
            places,
            normals,
            t,
            x + np.float32(0.5 * (1 - axis)),
            y + np.float32(0.5 * axis),
            eye,
        )
        _, other, _ = light_amount((px, py, pz), (nx, ny, nz), finish, finishes, shining, rayed, f, openness)
        square += (_TWO * (other - bright)) * (_TWO * (other - bright))
    width = math.sqrt(square)
    red, green, blue = tone_at(bright, width, finish, finishes)
    if lit < _ONE:
        dark_r, dark_g, dark_b = tone_at(dark, width, finish, finishes)
        red, green, blue = (
            red * lit + dark_r * (_ONE - lit),
            green * lit + dark_g * (_ONE - lit),
            blue * lit + dark_b * (_ONE - lit),
        )
    return red, green, blue
