"""Rotations by three angles, and what lies between two of them on the shortest way."""

from __future__ import annotations

import math

Angles = tuple[float, float, float]
_Quaternion = tuple[float, float, float, float]


def _quaternion(angles: Angles) -> _Quaternion:
    """w, x, y, z of a rotation about x, then y, then z; degrees."""
    (cx, sx), (cy, sy), (cz, sz) = (
        (math.cos(math.radians(one) / 2), math.sin(math.radians(one) / 2)) for one in angles
    )
    return (
        cx * cy * cz + sx * sy * sz,
        sx * cy * cz - cx * sy * sz,
        cx * sy * cz + sx * cy * sz,
        cx * cy * sz - sx * sy * cz,
    )


def _angles(quaternion: _Quaternion) -> Angles:
    """Degrees about x, y and z of a unit quaternion; where y is a quarter turn z is 0."""
    w, x, y, z = quaternion
    sine = max(-1.0, min(1.0, 2 * (w * y - z * x)))
    if abs(sine) > 1 - 1e-12:
        return math.degrees(2 * math.atan2(x, w)), math.copysign(90.0, sine), 0.0
    return (
        math.degrees(math.atan2(2 * (w * x + y * z), 1 - 2 * (x * x + y * y))),
        math.degrees(math.asin(sine)),
        math.degrees(math.atan2(2 * (w * z + x * y), 1 - 2 * (y * y + z * z))),
    )


def between(start: Angles, end: Angles, share: float) -> Angles:
    """Angles at a share of the shortest way from one rotation to another, at even speed (spherical linear interpolation, Shoemake 1985);
    shares beyond 0..1 turn on about the same axis."""
    if share == 0:
        return start
    if share == 1:
        return end
    a, b = _quaternion(start), _quaternion(end)
    cosine = sum(one * other for one, other in zip(a, b, strict=True))
    if cosine < 0:
        b, cosine = (-b[0], -b[1], -b[2], -b[3]), -cosine
    angle = math.acos(min(cosine, 1.0))
    if angle < 1e-9:
        return start
    first, second = math.sin((1 - share) * angle), math.sin(share * angle)
    w, x, y, z = ((first * one + second * other) / math.sin(angle) for one, other in zip(a, b, strict=True))
    return _angles((w, x, y, z))
