"""The three quality levels and what each spends."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

QualityName = Literal["rough", "check", "final"]


@dataclass(frozen=True, slots=True)
class Quality:
    """Samples a pixel for visibility and coverage; one of ``sampling.SAMPLE_COUNTS``."""

    name: QualityName
    samples: int
    title: str


QUALITIES: dict[str, Quality] = {
    quality.name: quality
    for quality in (
        Quality("rough", 4, "Rough: 4 samples a pixel, for looking while working"),
        Quality("check", 16, "Check: 16 samples a pixel, for judging motion and light"),
        Quality("final", 64, "Final: 64 samples a pixel, for handing off"),
    )
}
