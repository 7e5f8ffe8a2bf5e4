"""The clear coat on top of a metal-rough surface."""

from __future__ import annotations

import numpy as np

from zeitbild.kernels import kernel
from zeitbild.render.light.ggx import shadowing
from zeitbild.render.light.lighting import reach
from zeitbild.render.shade.metal_rough import (
    DIELECTRIC,
    LEAST_COSINE,
    MIN_ALPHA,
    energy,
    light_highlight,
    lobe_of,
    mirrored_around,
    table_entry,
)
from zeitbild.snapshot.finish_row import COAT, COAT_ROUGHNESS, OWNER

_ZERO, _ONE, _TWO = np.float32(0), np.float32(1), np.float32(2)
_MIN_ALPHA, _LEAST_COSINE = MIN_ALPHA, LEAST_COSINE
_COAT, _COAT_ROUGHNESS, _OWNER = COAT, COAT_ROUGHNESS, OWNER


@kernel
def coat_highlights(point, normal, view, bend, finish, finishes, shining, rayed, f, own):  # type: ignore[no-untyped-def]
    """Four numbers: highlights of a clear coat by all lights, or those of which own [L] (else of no length) is not 0, and the share of the
    light that it mirrors.

    glTF 2.0, extension KHR_materials_clearcoat: a dielectric lobe on top, weighted by the Fresnel term along the view. bend as b in
    ``metal_rough.highlight_lobe``, the rest as in ``metal_rough.direct_light``.
    """
    px, py, pz = point
    nx, ny, nz = normal
    vx, vy, vz = view
    lights, touched, table = shining.rows, shining.touched, shining.table
    owner = int(finishes[finish, _OWNER])
    coat, rough = finishes[finish, _COAT], finishes[finish, _COAT_ROUGHNESS]
    facing = nx * vx + ny * vy + nz * vz
    n_v = min(_ONE, max(facing, _LEAST_COSINE))
    square = max(rough * rough, _MIN_ALPHA) ** 2
    seen_root = shadowing(n_v, square)
    entry = table_entry(table, n_v, rough)
    scale, bias = entry[0], entry[1]
    lost, mirrored, _ = energy(scale, bias, _ONE)
    high_r = high_g = high_b = _ZERO
    for number in range(lights.shape[0]):
        if touched[number, owner] == 0 or (own.shape[0] > 0 and own[number] == 0):
            continue
        light = lights[number]
        _, arriving, lx, ly, lz, half2 = reach(light, px, py, pz, nx, ny, nz)
        towards = lx, ly, lz
        lobe, fifth = light_highlight(
            light,
            towards,
            arriving,
            half2,
            point,
            normal,
            view,
            bend,
            n_v,
            square,
            seen_root,
            rough,
            (scale, bias),
            DIELECTRIC,
            table,
        )
        lobe *= coat * (DIELECTRIC + (_ONE - DIELECTRIC) * fifth) * (_ONE + DIELECTRIC * lost)
        if rayed.shape[0] > 0:
            lobe *= rayed[f, number]
        high_r, high_g, high_b = high_r + lobe * light[7], high_g + lobe * light[8], high_b + lobe * light[9]
    return high_r, high_g, high_b, coat * mirrored


@kernel
def coat_light(point, normal, view, bend, finish, finishes, shining, rayed, f, openness):  # type: ignore[no-untyped-def]
    """Seven numbers: ``coat_highlights`` by all lights, what the coat mirrors of the surroundings, and the share it lets through."""
    nx, ny, nz = normal
    vx, vy, vz = view
    ambients = shining.ambients
    owner, rough = int(finishes[finish, _OWNER]), finishes[finish, _COAT_ROUGHNESS]
    high_r, high_g, high_b, share = coat_highlights(
        point, normal, view, bend, finish, finishes, shining, rayed, f, shining.touched.reshape(-1)[:0]
    )
    square = max(rough * rough, _MIN_ALPHA) ** 2
    n_v = min(_ONE, max(nx * vx + ny * vy + nz * vz, _LEAST_COSINE))
    lobe = lobe_of(table_entry(shining.table, n_v, rough), DIELECTRIC)
    seen_r, seen_g, seen_b = mirrored_around(shining.maps, normal, view, bend, square, lobe)
    weight = share * openness
    return (
        high_r,
        high_g,
        high_b,
        weight * (seen_r + ambients[owner, 0]),
        weight * (seen_g + ambients[owner, 1]),
        weight * (seen_b + ambients[owner, 2]),
        _ONE - share,
    )
