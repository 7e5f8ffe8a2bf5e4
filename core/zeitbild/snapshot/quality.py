"""The three quality levels and what each spends."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

QualityName = Literal["rough", "check", "final"]


@dataclass(frozen=True, slots=True)
class Quality:
    """What a picture may cost.

    samples    a pixel, for visibility and coverage; one of ``sampling.SAMPLE_COUNTS``
    rays       a pixel, to each light where its shadow has a border, and over the half sphere for occlusion; neighbours
               share theirs, so that a surface gets sixteen times as many. A power of two.
    curve_error    pixels that a silhouette may be off its true curve; since polylines even out what they cut off, alpha
               is off by a quarter of that in the mean
    edges_exactly  alpha at edges from many more samples, right to less than half a step of 1/255 in the mean; of stretches of open shutter
               never
    dots_finely    small dots are looked at in several places of each pixel, in an open shutter, too
    pictures_finely    so are pictures on surfaces, so that a pixel shows the mean of what lies in it
    mirror_side    texels a side of what mirrors show of surroundings at most (``light/environment``)
    """

    name: QualityName
    samples: int
    rays: int
    edges_exactly: bool
    dots_finely: bool
    pictures_finely: bool
    mirror_side: int
    curve_error: float
    title: str


QUALITIES: dict[str, Quality] = {
    quality.name: quality
    for quality in (
        Quality("rough", 4, 1, False, False, False, 128, 0.2, "Rough: 4 samples a pixel, for looking while working"),
        Quality(
            "check", 16, 2, False, False, True, 512, 0.1, "Check: 16 samples a pixel, for judging motion and light"
        ),
        Quality("final", 64, 4, True, True, True, 1024, 0.01, "Final: 64 samples a pixel, for handing off"),
    )
}
