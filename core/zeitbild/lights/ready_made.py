"""Ready-made light sets: starting points that insert ordinary, editable lights. Their values are common practice."""

from __future__ import annotations

from dataclasses import dataclass

from zeitbild.lights.ambient import AmbientLight
from zeitbild.lights.base import LightBase
from zeitbild.lights.softbox import SoftboxLight
from zeitbild.lights.sun import SunLight


@dataclass(frozen=True, slots=True)
class LightSet:
    """A named set of lights; all are far away, so that they fit a set of any size."""

    name: str
    title: str
    note: str
    lights: tuple[LightBase, ...]


LIGHT_SETS = (
    LightSet(
        "two-sided",
        "Two-sided lettering light",
        "One from the upper right, a stronger one from the lower left, a little from everywhere.",
        (
            SunLight(name="Key", strength=1.3, azimuth=38, elevation=42, colour="#fff3df"),
            SunLight(name="Second", strength=1.5, azimuth=-48, elevation=-18, colour="#e2ecff", shadows=False),
            AmbientLight(),
        ),
    ),
    LightSet(
        "soft",
        "Soft icon light",
        "Wide boxes above and beside, and a sun so wide that its shadow fades.",
        (
            SunLight(name="Wide key", strength=1.1, azimuth=-30, elevation=52, size=24),
            SoftboxLight(name="Box above", strength=1.4, azimuth=20, elevation=62, width=90, height=50),
            SoftboxLight(name="Box beside", strength=0.9, azimuth=85, elevation=12, width=50, height=70),
            AmbientLight(strength=0.25),
        ),
    ),
    LightSet(
        "hard",
        "Single hard light",
        "One light without a size: sharp shadows, deep darks, clean borders for tone bands.",
        (
            SunLight(name="Hard key", strength=2.6, azimuth=-42, elevation=38),
            AmbientLight(strength=0.04),
        ),
    ),
    LightSet(
        "rim",
        "Rim light",
        "Two lights from behind that draw the outline, and a weak one from the front.",
        (
            SunLight(name="Rim left", strength=3.2, azimuth=-142, elevation=24, colour="#dfe9ff"),
            SunLight(name="Rim right", strength=2.6, azimuth=138, elevation=30, colour="#ffe9cf"),
            SunLight(name="Weak front", strength=0.35, azimuth=12, elevation=20, shadows=False),
            AmbientLight(strength=0.05),
        ),
    ),
)
