"""What is shadow only and is to show a mirror image, in a set whose mirrors show nothing of it."""

from collections.abc import Iterator

from zeitbild.checks._base import Check, Finding, checks
from zeitbild.document.shot import Shot


def _look(shot: Shot) -> Iterator[Finding]:
    if shot.rays.bounces:
        return
    shared = {one.name: one.values for one in shot.finishes}
    for number, element in enumerate(shot.elements):
        if not element.delivered:
            continue
        for surface in element.surfaces():
            values = shared.get(surface.finish.named, surface.finish)
            if values.shading == "shadow only" and values.mirror > 0:
                yield Finding(
                    "mirrors-nothing",
                    "hint",
                    f"{element.name} is to show a mirror image of the set, but mirrors show nothing of it.",
                    f"elements.{number}.{surface.path}.mirror",
                    "build",
                    None,
                    {"rays.bounces": 1},
                    "Let mirrors show the set",
                )


checks.register(Check("mirrors-nothing", _look))
