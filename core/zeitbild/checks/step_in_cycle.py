"""A cycle whose length is no multiple of its step: the last kept frame does not stand one step before the first."""

from collections.abc import Iterator

from zeitbild.checks._base import Check, Finding, checks
from zeitbild.document.shot import Shot


def _look(shot: Shot) -> Iterator[Finding]:
    timing = shot.timing
    count = timing.last - timing.first + 1
    if timing.cycle and count % timing.step:
        last = timing.first + (count // timing.step + 1) * timing.step - 1
        yield Finding(
            "uneven-step",
            "warning",
            f"Every {timing.step}th frame of a cycle of {count} leaves a shorter step at the seam.",
            "timing.step",
            "time",
            timing.last,
            {"timing.last": last},
            f"End the range at frame {last}",
        )


checks.register(Check("step-in-cycle", _look))
