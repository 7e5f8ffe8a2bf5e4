"""What changes while the shutter is open beside where bodies stand: from where they are seen, and how they are lit."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeitbild.snapshot.body import Matrix
from zeitbild.snapshot.camera import look_at
from zeitbild.snapshot.lights import LightSource
from zeitbild.snapshot.surroundings import EnvironmentLight

Triple = tuple[float, float, float]


@dataclass(frozen=True, slots=True)
class View:
    """A camera's numbers: position, what it looks at, horizontal angle and roll in degrees; span is the width of an orthographic picture in
    units, 0 in perspective."""

    position: Triple
    target: Triple
    angle: float
    roll: float = 0.0
    span: float = 0.0

    def towards(self, other: View, share: float) -> View:
        """The view at a share of the way to another."""

        def mix(a: float, b: float) -> float:
            return a + (b - a) * share

        position = tuple(mix(a, b) for a, b in zip(self.position, other.position, strict=True))
        target = tuple(mix(a, b) for a, b in zip(self.target, other.target, strict=True))
        numbers = (mix(self.angle, other.angle), mix(self.roll, other.roll), mix(self.span, other.span))
        return View(position, target, *numbers)  # type: ignore[arg-type]

    def seen_from(self, other: View, width: int, height: int) -> NDArray[np.float64] | None:
        """What puts things where this view sees them as another one sees them where they are [4, 4]; None if that is nothing.

        A picture taken by one camera of a set that was moved so is that of the other camera of the set as it stands.
        """
        if other == self:
            return None
        ways: list[NDArray[np.float64]] = []
        for one in (self, other):
            camera = look_at(one.position, one.target, one.angle, width, height, roll=one.roll, span=one.span)
            way = np.eye(4)
            # Longer lenses make things wider across, and leave them as far away.
            way[:3, :3] = camera.axes * np.array([camera.focal, camera.focal, 1.0])[:, None]
            way[:3, 3] = -way[:3, :3] @ camera.eye
            ways.append(way)
        return np.asarray(np.linalg.solve(ways[0], ways[1]), np.float64)


def placed_by(way: NDArray[np.float64] | None, matrix: Matrix) -> Matrix:
    """A placement with another one after it."""
    if way is None:
        return matrix
    return tuple(float(value) for value in (way @ np.array(matrix).reshape(4, 4)).reshape(-1))


#: What a body wears, in which fading groups, and what it wears without them.
Face = tuple[tuple[tuple[float, ...], ...], tuple[tuple[str, float], ...], tuple[tuple[float, ...], ...]]


def wearing(face: Face, kind: tuple[int, ...]) -> Face:
    """Of what a body wears some of its finishes."""
    finishes, fades, whole = face
    return tuple(finishes[at] for at in kind), fades, tuple(whole[at] for at in kind) if whole else ()


@dataclass(frozen=True, slots=True)
class Moment:
    """How the set is lit at a moment of the open shutter, and what its bodies wear."""

    lights: tuple[LightSource, ...]
    environment: EnvironmentLight
    faces: tuple[Face, ...]
