"""What mirror rays tell of lights that have a size: how much of a mirror's lobe each of them fills, and what of that is seen (``shade.rayed.IN_LOBES``)."""

from __future__ import annotations

import numpy as np

from zeitbild.kernels import kernel
from zeitbild.render.light.lighting import angle_filled, distance_to, has_borders
from zeitbild.render.shade.rayed import BEHIND_LIGHTS, IN_LOBES
from zeitbild.render.world.ray_scene import PACKET

_ZERO, _ONE = np.float32(0), np.float32(1)
_BEHIND_LIGHTS, _IN_LOBES, _PACKET = BEHIND_LIGHTS, IN_LOBES, PACKET
#: What lies at a light does not hide it.
_SHORT = np.float32(0.999)
#: Solid angle of a lobe over its roughness to the fourth; a light that fills less of it is small, and one over by how much more it no longer is.
_WHOLE_LOBE, _SMALL, _INTO_SMALL, _TINY = np.float32(7), np.float32(0.05), np.float32(1 / 0.2), np.float32(1e-12)


@kernel
def note_lights(rayed, f, weight, met, ray, k, finish, shining):  # type: ignore[no-untyped-def]
    """Note in rayed [fragments, C] what ray k of a packet, of fragment f and its finish, tells of the lights that it leads to: when it is cast (met is 0)
    each fills a weight more of the lobe, and all of that is seen; when it met something, so far off (met, units), that hides as much of what is
    behind it."""
    lights, touched = shining.rows, shining.touched
    column = lights.shape[0] + _BEHIND_LIGHTS
    for number in range(lights.shape[0]):
        light = lights[number]
        if not has_borders(light):
            continue
        if touched[number, finish] != 0:
            far = distance_to(
                light,
                ray[k],
                ray[_PACKET + k],
                ray[2 * _PACKET + k],
                ray[4 * _PACKET + k],
                ray[5 * _PACKET + k],
                ray[6 * _PACKET + k],
            )
            if far > _ZERO and met == _ZERO:
                rayed[f, column] += weight
                rayed[f, column + 1] += weight
            elif far > _ZERO and met < far * _SHORT:
                rayed[f, column + 1] -= weight
        column += _IN_LOBES


@kernel
def saw_lights(rayed, f, column):  # type: ignore[no-untyped-def]
    """Whether rays of fragment f led to a light so far, by rayed [fragments, C], in which such columns begin at ``column``."""
    for c in range(column, rayed.shape[1], _IN_LOBES):  # noqa: SIM110 (numba knows no generators)
        if rayed[f, c] > _ZERO:
            return True
    return False


@kernel
def trust_lights(rayed, f, spot, rough, shining):  # type: ignore[no-untyped-def]
    """Weaken in rayed [fragments, C] what the rays of fragment f, at a spot (``tracing.SPOT``) of that roughness, tell of lights that are small beside its
    lobe."""
    lights = shining.rows
    column = lights.shape[0] + _BEHIND_LIGHTS
    lobe = _WHOLE_LOBE * max(rough * rough * rough * rough, _TINY)
    for number in range(lights.shape[0]):
        if has_borders(lights[number]):
            filled = angle_filled(lights[number], spot[0], spot[1], spot[2]) / lobe
            trust = min(_ONE, max(_ZERO, (filled - _SMALL) * _INTO_SMALL))
            rayed[f, column] *= trust
            rayed[f, column + 1] *= trust
            column += _IN_LOBES
