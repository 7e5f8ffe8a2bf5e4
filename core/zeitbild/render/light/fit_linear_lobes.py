"""Fits the linear lobes that are kept: ``python -m zeitbild.render.light.fit_linear_lobes`` makes them anew in four minutes.

Each is the image that is least off the real lobe, by the third power and over all directions, as seen from samples of both (cost after Heitz
and others 2016, from memory).
"""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize

from zeitbild.kernels import kernel
from zeitbild.render.light.environment import SHARPEST
from zeitbild.render.light.linear_lobes import KEPT, NUMBERS, SIDE, STRAIGHT

_LEAST_COSINE = 0.01
_SAMPLES, _FINELY = 32, 128


@kernel
def _lobe(x, y, z, vx, vz, alpha, straight):  # type: ignore[no-untyped-def]
    """(The lobe for light from a unit direction, times its cosine; its density if half vectors are picked by GGX's distribution)."""
    hx, hz = x + vx, z + vz
    length = math.sqrt(hx * hx + y * y + hz * hz)
    n_h, v_h = max(hz / length, 0.0), max((x * vx + z * vz + 1) / length, 1e-9)
    square = alpha * alpha
    facets = square / math.pi / (n_h * n_h * (square - 1) + 1) ** 2
    density = facets * n_h / (4 * v_h)
    if z <= 0:
        return 0.0, density
    roots = z * math.sqrt(vz * vz * (1 - square) + square) + vz * math.sqrt(z * z * (1 - square) + square)
    return facets * 0.5 / roots * z * (straight + (1 - straight) * (1 - v_h) ** 5), density


@kernel
def _off(wide, aside, skewed, ahead, up, vx, vz, alpha, straight, whole, squares, picked):  # type: ignore[no-untyped-def]
    """Third power of how far a linear lobe is off the real one, over all directions: from those of both (Veach's balance of samples)."""
    a, b, c, d, e = up * wide, up * skewed + ahead, aside, -ahead * wide, -ahead * skewed + up
    flat = a * e - b * d
    total = 0.0
    for k in range(squares.shape[0]):
        for own in range(2):
            x, y, z = picked[k, 0], picked[k, 1], picked[k, 2]
            if own == 0:
                height, turn = math.sqrt(squares[k, 0]), 2 * math.pi * squares[k, 1]
                far = math.sqrt(1 - height * height)
                x, y, z = (
                    a * far * math.cos(turn) + b * height,
                    c * far * math.sin(turn),
                    d * far * math.cos(turn) + e * height,
                )
                length = math.sqrt(x * x + y * y + z * z)
                x, y, z = x / length, y / length, z / length
            u, v, w = (e * x - b * z) / flat, y / c, (a * z - d * x) / flat
            length = math.sqrt(u * u + v * v + w * w)
            linear = max(w, 0.0) / math.pi / (abs(flat * c) * length**4)
            real, density = _lobe(x, y, z, vx, vz, alpha, straight)
            if linear + density > 0:
                total += abs(real / whole - linear) ** 3 / (linear + density)
    return total / squares.shape[0]


def _picked(side: int, alpha: float, view: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Places [n, 2] of the unit square and the directions [n, 3] of light that they pick by GGX's distribution."""
    steps = (np.arange(side) + 0.5) / side
    u, v = (one.ravel() for one in np.meshgrid(steps, steps, indexing="ij"))
    up = np.sqrt((1 - u) / (1 + (alpha**2 - 1) * u))
    far, turn = np.sqrt(1 - up * up), 2 * math.pi * v
    half = np.stack([far * np.cos(turn), far * np.sin(turn), up], axis=1)
    return np.stack([u, v], axis=1), 2 * (half @ view)[:, None] * half - view


def _fitted(cosine: float, alpha: float, straight: float, starts: list[list[float]]) -> tuple[list[float], list[float]]:
    """What is fitted (how wide along and aside, how skewed), from the best of some starts, and the five numbers of M."""
    vx, vz = -math.sqrt(1 - cosine * cosine), cosine
    squares, picked = _picked(_SAMPLES, alpha, np.array([vx, 0.0, vz]))
    _, finely = _picked(_FINELY, alpha, np.array([vx, 0.0, vz]))
    found = np.array([_lobe(*one, vx, vz, alpha, straight) for one in finely])
    weights = found[:, 0] / np.maximum(found[:, 1], 1e-30)
    whole = float(weights.mean())
    mean = (finely * weights[:, None]).sum(axis=0)
    angle = math.atan2(mean[0], mean[2]) if cosine < 0.999 else 0.0
    ahead, up = math.sin(angle), math.cos(angle)

    def off(values: NDArray[np.float64]) -> float:
        wide, aside = (max(one, 1e-5) for one in values[:2])
        return float(_off(wide, aside, values[2], ahead, up, vx, vz, alpha, straight, whole, squares, picked))

    best = None
    for start in starts:
        steps = np.diag([0.05 * start[0] + 1e-4, 0.05 * start[1] + 1e-4, 0.05 * max(alpha, 0.01)])
        simplex = np.array(start) + np.concatenate([np.zeros((1, 3)), steps])
        result = minimize(
            off,
            start,
            method="Nelder-Mead",
            options={"initial_simplex": simplex, "maxiter": 300, "xatol": 1e-5, "fatol": 1e-7},
        )
        if best is None or result.fun < best.fun:
            best = result
    assert best is not None
    wide, aside, skewed = (float(one) for one in best.x)
    return [wide, aside, skewed], [up * wide, up * skewed + ahead, aside, -ahead * wide, -ahead * skewed + up]


def fitted(column: int, straight: float) -> Iterator[list[float]]:
    """M for all rows, from straight ahead on, of one roughness; each fit starts where the one before ended."""
    alpha = max(column / (SIDE - 1), SHARPEST) ** 2
    before: list[float] | None = None
    for row in range(SIDE):
        starts = [[alpha, alpha, 0.0], *([before] if before else [])]
        before, found = _fitted(max(1 - (row / (SIDE - 1)) ** 2, _LEAST_COSINE), alpha, straight, starts)
        yield found


def _made() -> NDArray[np.float32]:
    table = np.empty((SIDE, SIDE, len(STRAIGHT), NUMBERS), np.float32)
    for column in range(SIDE):
        for number, straight in enumerate(STRAIGHT):
            table[:, column, number] = list(fitted(column, straight))
    return table


if __name__ == "__main__":
    np.save(KEPT, _made())
