"""What surfaces reflect of even light, by how they are seen and how rough they are: the second factor of the split-sum approximation (Karis,
SIGGRAPH 2013 course on physically based shading), the same whatever stands around the set."""

from __future__ import annotations

import math
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import inlined_kernel, kernel
from zeitbild.render.light.environment import SHARPEST
from zeitbild.render.light.linear_lobes import linear_lobes
from zeitbild.render.visible.sampling import radical_inverse

#: Rows and columns of the table, and the numbers of an entry.
TABLE, ENTRY = 32, 8
#: Reflectance of dielectrics at normal incidence (glTF 2.0, appendix B.3.3).
DIELECTRIC = 0.04
#: Smallest cosine between normal and view that the model takes.
LEAST_COSINE = 1e-3
_SAMPLES = 1024
_ONE, _DIELECTRIC, _BEYOND_DIELECTRIC = np.float32(1), np.float32(DIELECTRIC), np.float32(1 / (1 - DIELECTRIC))
#: Where linear lobes (``linear_lobes``) begin in the row of all numbers: behind the table and the fits.
LINEAR = (ENTRY * TABLE + 4) * TABLE
#: Where the looks at a lobe that is longer than it is wide lie along it (deviations of its angles, to the normal positive), and how rough each
#: is: what all lobes' quarters come near to.
LOOKS = ((-1.2, 0.8), (-0.5, 0.85), (0.15, 0.95), (1.55, 1.4))
#: Such lobes are looked at several times from the first cosine of normal and view on, and wholly so from the second.
ASLANT, WHOLLY = 0.75, 0.6
#: Of the roughness as wide across as quarters of a lobe are: their tails overlap.
_QUARTER = 0.93


def _facings() -> NDArray[np.float64]:
    """Cosines of the table's rows."""
    return np.maximum(np.arange(TABLE) / (TABLE - 1), LEAST_COSINE)


@kernel
def _describe(weights, ways, angles, order, quarter, found):  # type: ignore[no-untyped-def]
    """The six numbers of ``_sum_lobes`` about a lobe of so many ways [m, 3] with weights [m] and angles [m], in the order of these."""
    total = 0.0
    for k in range(weights.shape[0]):
        total += weights[k]
    quarter[:] = 0.0
    sofar = middle = 0.0
    for turn in range(weights.shape[0]):
        k = order[turn]
        # Half of the lobe lies beyond the middle.
        if 2 * sofar < total:
            middle = angles[k]
        own = quarter[min(3, int(4 * (sofar + 0.5 * weights[k]) / total))]
        sofar += weights[k]
        own[0] += weights[k]
        for axis in range(3):
            own[1 + axis] += weights[k] * ways[k, axis]
    along = off = 0.0
    for k in range(weights.shape[0]):
        along += weights[k] * abs(angles[k] - middle)
        off += weights[k] * math.asin(min(1.0, ways[k, 2]))
    found[:] = 0.0
    for part in range(4):
        own = quarter[part]
        angle = math.atan2(own[1], own[2])
        found[0] += own[1] / total
        found[1] += own[2] / total
        found[2] += angle / 4
        found[3] += angle * angle / 4
        found[4] += own[3] / max(own[0], 1e-30) / 4
    found[3] = math.sqrt(max(0.0, found[3] - found[2] ** 2))
    found[5] = math.sqrt(max(0.0, 1 - (off / along) ** 2))


@kernel
def _sum_lobes(facings, alphas, samples, first_reflected, second_reflected, out, lobes):  # type: ignore[no-untyped-def]
    """By n.v (rows) and squared roughness (columns) out [n, n, 2]: scale and bias of the normal-incidence reflectance; and lobes [2, n, n, 6]
    that reflect so much straight ahead, the mean direction of each: how far along the surface, away from the view, and up from it;
    and of four parts of it, each as strong, from the farthest along to the one that leans back most: the mean and the deviation of
    their angles from the normal (radians), the mean of what they lie aside, and how much farther the lobe is spread along than aside.

    Integrals of the GGX reflection lobe with height-correlated Smith visibility and Schlick's Fresnel term (glTF 2.0, appendix B), over
    half vectors: samples [m, 3] are tangents of their angles, over alpha, cosines of their azimuths, and weights.
    """
    count = samples.shape[0]
    ways, weights = np.empty((count, 3)), np.empty((2, count))
    angles, quarter = np.empty(count), np.empty((4, 4))
    for row in range(facings.shape[0]):
        n_v = facings[row]
        aside = math.sqrt(1 - n_v * n_v)
        for column in range(alphas.shape[0]):
            square = alphas[column] ** 2
            seen_root = math.sqrt(n_v * n_v * (1 - square) + square)
            whole = bias = 0.0
            for k in range(count):
                slope = alphas[column] * samples[k, 0]
                n_h = 1 / math.sqrt(1 + slope * slope)
                across = slope * n_h * samples[k, 1]
                v_h = aside * across + n_v * n_h
                n_l = 2 * v_h * n_h - n_v
                weights[0, k] = weights[1, k] = 0.0
                angles[k], ways[k, 0], ways[k, 1], ways[k, 2] = 0.0, 0.0, 0.0, 0.0
                if v_h <= 0 or n_l <= 0:
                    continue
                root = math.sqrt(n_l * n_l * (1 - square) + square)
                weight = samples[k, 2] * 2 * n_l * v_h / (n_h * (n_l * seen_root + n_v * root))
                fifth = (1 - v_h) ** 5
                whole += weight
                bias += weight * fifth
                ways[k, 0], ways[k, 1] = aside - 2 * v_h * across, n_l
                ways[k, 2] = math.sqrt(max(0.0, 1 - ways[k, 0] ** 2 - n_l * n_l))
                angles[k] = math.atan2(ways[k, 0], n_l)
                weights[0, k] = weight * (first_reflected + (1 - first_reflected) * fifth)
                weights[1, k] = weight * (second_reflected + (1 - second_reflected) * fifth)
            out[row, column, 0], out[row, column, 1] = whole - bias, bias
            order = np.argsort(-angles)
            for lobe in range(2):
                _describe(weights[lobe], ways, angles, order, quarter, lobes[lobe, row, column])


def _straight_widths(roughs: NDArray[np.float64]) -> NDArray[np.float64]:
    """How far straight lobes of roughnesses [n] lie aside in the mean [n], as ``_sum_lobes`` has it of others."""
    angle = (np.arange(2000) + 0.5) / 2000 * math.pi / 2
    square = roughs[:, None] ** 4
    weight = np.cos(angle) / ((1 + np.cos(angle)) / 2 * (square - 1) + 1) ** 2 * np.sin(angle)
    # The mean of a cosine's size over a turn is two over pi.
    wide: NDArray[np.float64] = (weight * np.sin(angle)).sum(axis=1) / weight.sum(axis=1) * 2 / math.pi
    return wide


@lru_cache(maxsize=1)
def reflectance_table() -> NDArray[np.float32]:
    """By n.v (rows) and roughness (columns) [32, 32, 8], in one row: scale and bias of the normal-incidence reflectance; then, of a lobe that
    reflects all and of a dielectric's, three numbers each: how far what is mirrored of surroundings leans from the mirror direction (0) to
    the normal (1); the roughness whose straight lobe is as wide; and how much longer than wide it is, as the half tangent by which
    ``LOOKS`` lie apart. Then, for each roughness, what a dielectric mirrors as a polynomial [32, 4] (``metal_rough.matt_fit``); then
    ``linear_lobes``.

    Seen at a slant, a lobe points more towards the normal than the mirror direction does, and is narrower or wider than seen straight:
    surroundings are kept blurred by straight lobes (``environment``), of which that one is taken that has the same mean direction. The
    smaller the angle, the longer it is than wide (a street's lamps in wet asphalt): from ``ASLANT`` on it is looked at four times.
    """
    facings, roughs = _facings(), np.maximum(np.arange(TABLE) / (TABLE - 1), SHARPEST)
    # A Hammersley set, spaced so that tails get as many as the core.
    turned = (radical_inverse(2, _SAMPLES) + 0.5 / _SAMPLES) * (math.pi / 2)
    azimuth = math.pi * (np.arange(_SAMPLES) + 0.5) / _SAMPLES
    shares = np.sin(2 * turned) * (math.pi / 2 / _SAMPLES)
    table, lobes = np.empty((TABLE, TABLE, ENTRY)), np.empty((2, TABLE, TABLE, 6))
    samples = np.stack([np.tan(turned), np.cos(azimuth), shares], axis=1)
    _sum_lobes(facings, roughs**2, samples, 1.0, DIELECTRIC, table[..., :2], lobes)
    mirror = np.arccos(facings)[:, None]
    # Straight ahead there is no plane of view.
    aslant = np.clip((ASLANT - facings) / (ASLANT - WHOLLY), 0, 1)[:, None]
    for first, (along, up, middle, apart, aside, longer) in zip((2, 5), np.moveaxis(lobes, 3, 1), strict=True):
        mean = np.arctan2(along, up)
        mean += aslant * (middle - mean)
        lean = 1 - np.sin(mean) / np.maximum(np.sin(mirror - mean) + np.sin(mean), 1e-9)
        # Straight ahead it is nought by nought.
        lean[-1] = lean[-2]
        table[..., first] = np.clip(lean, -0.5, 1)
        # The wider a lobe, the shorter its mean direction: by the fourth power of roughness, where it is narrow.
        widths = np.maximum(1 - np.hypot(along, up), 0) ** 0.25
        whole = np.interp(widths, widths[-1, 1:], roughs[1:])
        quarters = _QUARTER * np.interp(aside, _straight_widths(roughs), roughs)
        table[..., first + 1] = whole + aslant * (quarters - whole)
        table[..., first + 2] = np.tan(aslant * longer * apart / 2)
    facing = facings
    powers = np.stack([np.ones(TABLE), (1 - facing) ** 2, (1 - facing) ** 5], axis=1)
    fits = np.empty((TABLE, 4))
    for column in range(TABLE):
        scale, bias = table[:, column, :2].T
        lost = 1 / (scale + bias) - 1
        mirrored = (DIELECTRIC * scale + bias) * (1 + DIELECTRIC * lost)
        # Weighed by the cosine, as light that arrives evenly is.
        root = np.sqrt(facing)[:, None]
        fits[column, :3] = np.linalg.lstsq(powers * root, mirrored * root[:, 0], rcond=None)[0]
        # The mean of (1 - cosine)^k so weighed is 2 / ((k + 1) (k + 2)).
        fits[column, 3] = 1 / (1 - fits[column, 0] - fits[column, 1] / 6 - fits[column, 2] / 21)
    result = np.concatenate([table.reshape(-1), fits.reshape(-1), linear_lobes().reshape(-1)]).astype(np.float32)
    result.flags.writeable = False
    return result


@inlined_kernel
def dielectric_share(scale, bias, straight):  # type: ignore[no-untyped-def]
    """How far the lobe of a surface that reflects so much straight ahead lies from a perfect mirror's (0) to a dielectric's (1): by how much of
    its light is due to Schlick's term. scale and bias as in ``reflectance_table``. Of mean directions that mix is exact."""
    return (_ONE - straight) * _BEYOND_DIELECTRIC * (_DIELECTRIC * scale + bias) / (straight * scale + bias)
