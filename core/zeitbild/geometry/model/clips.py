"""Clips of glTF models at a time: samplers of appendix C (Khronos Group, glTF 2.0), applied to nodes and weights."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.geometry.model.gltf_file import File

Floats = NDArray[np.float64]
#: What a channel may move, and how many numbers that has (0: as many as there are targets).
PATHS = {"translation": 3, "rotation": 4, "scale": 3, "weights": 0}
_STEP, _CUBIC = "STEP", "CUBICSPLINE"
#: Rotations nearer than this (cosine of half the angle) are mixed straight.
_NEAR = 0.9995


@dataclass(frozen=True, slots=True, eq=False)
class Channel:
    """What moves one property of one node: times [n] rising, values [n, k] (three rows for each time where it is a cubic spline: incoming
    tangent, value, outgoing tangent), and how it goes from one to the next."""

    node: int
    path: str
    times: Floats
    values: Floats
    interpolation: str

    def at(self, seconds: float) -> Floats:
        """The value [k] at a time; before the first and after the last those hold."""
        cubic = self.interpolation == _CUBIC
        points = self.values[1::3] if cubic else self.values
        times = self.times
        if seconds <= times[0]:
            return self._whole(points[0])
        if seconds >= times[-1]:
            return self._whole(points[-1])
        k = int(np.searchsorted(times, seconds, "right")) - 1
        span = float(times[k + 1] - times[k])
        u = (seconds - float(times[k])) / span
        if self.interpolation == _STEP:
            return self._whole(points[k])
        if cubic:
            square, cube = u * u, u * u * u
            found = (
                (2 * cube - 3 * square + 1) * points[k]
                + span * (cube - 2 * square + u) * self.values[3 * k + 2]
                + (3 * square - 2 * cube) * points[k + 1]
                + span * (cube - square) * self.values[3 * k + 3]
            )
            return self._whole(found)
        if self.path == "rotation":
            return slerp(points[k], points[k + 1], u)
        straight: Floats = points[k] + (points[k + 1] - points[k]) * u
        return straight

    def _whole(self, value: Floats) -> Floats:
        """Rotations of length 1."""
        if self.path != "rotation":
            return value
        return value / max(float(np.linalg.norm(value)), 1e-30)


def slerp(a: Floats, b: Floats, u: float) -> Floats:
    """The rotation (quaternion [4]) at a share of the shorter way from one to another."""
    a, b = (one / max(float(np.linalg.norm(one)), 1e-30) for one in (a, b))
    cosine = float(a @ b)
    if cosine < 0:
        b, cosine = -b, -cosine
    if cosine > _NEAR:
        mixed = a + (b - a) * u
        return mixed / max(float(np.linalg.norm(mixed)), 1e-30)
    angle = math.acos(min(1.0, cosine))
    found: Floats = (math.sin((1 - u) * angle) * a + math.sin(u * angle) * b) / math.sin(angle)
    return found


@dataclass(frozen=True, slots=True, eq=False)
class Clip:
    """A clip by its name: its channels, and the seconds that it lasts."""

    name: str
    channels: tuple[Channel, ...]
    seconds: float


def clips_of(file: File) -> list[Clip]:
    """The clips of a file, names made different; ModelError for those that do not hold."""
    found: list[Clip] = []
    animations = file.document.get("animations", [])
    for number in range(len(animations) if isinstance(animations, list) else 0):
        own = file.get("animations", number)
        channels: list[Channel] = []
        listed, samplers = own.get("channels", []), own.get("samplers", [])
        for channel in listed if isinstance(listed, list) else []:
            made = _channel(file, channel, samplers if isinstance(samplers, list) else [], number)
            if made is not None:
                channels.append(made)
        name = str(own.get("name") or f"clip {number + 1}")[:80]
        while any(name == one.name for one in found):
            name = f"{name[:76]} {number + 1}"
        found.append(Clip(name, tuple(channels), max((float(one.times[-1]) for one in channels), default=0.0)))
    return found


def _channel(file: File, channel: Any, samplers: list[Any], number: int) -> Channel | None:
    damaged = file.model.damaged
    target = channel.get("target") if isinstance(channel, dict) else None
    if not isinstance(target, dict) or not isinstance(target.get("node"), int):
        return None
    path, at = str(target.get("path")), channel.get("sampler")
    if path not in PATHS:
        file.model.note("clips that move something else than nodes and weights")
        return None
    if not isinstance(at, int) or not 0 <= at < len(samplers) or not isinstance(samplers[at], dict):
        raise damaged(f"clip {number + 1} names a sampler that is not there")
    sampler = samplers[at]
    times = file.accessor(sampler.get("input")).astype(np.float64)[:, 0]
    values = file.accessor(sampler.get("output")).astype(np.float64)
    interpolation = str(sampler.get("interpolation", "LINEAR"))
    rows = len(times) * (3 if interpolation == _CUBIC else 1)
    if not len(times) or not np.isfinite(times).all() or (np.diff(times) <= 0).any() or not np.isfinite(values).all():
        raise damaged(f"clip {number + 1} has times that do not rise, or values that are no numbers")
    if path == "weights":
        if not rows or values.size % rows:
            raise damaged(f"clip {number + 1} has values that do not fit its times")
        values = values.reshape(rows, -1)
    elif values.shape != (rows, PATHS[path]):
        raise damaged(f"clip {number + 1} has values that do not fit its times")
    file.get("nodes", target["node"])
    return Channel(target["node"], path, times, values, interpolation)
