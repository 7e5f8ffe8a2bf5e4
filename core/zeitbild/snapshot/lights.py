"""What a light of any kind comes down to when the renderer uses it: plain numbers, linear light, world space."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

Triple = tuple[float, float, float]
Shape = Literal["sun", "sphere", "rectangle", "disc", "ambient"]


@dataclass(frozen=True, slots=True)
class Softbox:
    """A glowing rectangle at infinity, part of the environment.

    Direction by azimuth (from +z towards +x) and elevation, half sizes, all in degrees; ``colour`` linear, times
    strength; None takes the colour of the sky.
    """

    azimuth: float
    elevation: float
    half_width: float
    half_height: float
    strength: float
    colour: Triple | None = None


@dataclass(frozen=True, slots=True)
class LightSource:
    """A light as the renderer samples it.

    shape      what glows: a disc of the sky (sun), a ball, a flat rectangle or disc, or everything around (ambient)
    colour     linear, times strength: what a white matt surface that faces the light radiates ``reach`` units away
               (at any distance for sun and ambient)
    position   middle of the glowing shape; not used by sun and ambient
    direction  unit vector the light shines along
    across, up half extents of a flat shape as vectors; zero for others
    size       radius of the ball, or half the angle of the sun's disc in radians
    cone       cosines of the inner and outer half angle; (-1, -1) shines all round
    group      under which its light is also given alone; it changes no picture
    touches    ids of the bodies that it lights; None for all
    """

    shape: Shape
    colour: Triple
    position: Triple = (0.0, 0.0, 0.0)
    direction: Triple = (0.0, 0.0, -1.0)
    across: Triple = (0.0, 0.0, 0.0)
    up: Triple = (0.0, 0.0, 0.0)
    size: float = 0.0
    cone: tuple[float, float] = (-1.0, -1.0)
    reach: float = 1.0
    shadows: bool = False
    touches: tuple[str, ...] | None = None
    group: str = field(default="", compare=False)
