"""A light that is kept to elements which are not there."""

from collections.abc import Iterator

from zeitbild.checks._base import Check, Finding, checks
from zeitbild.document.shot import Shot


def _look(shot: Shot) -> Iterator[Finding]:
    shown = {element.id for element in shot.elements if element.delivered}
    for place, light in enumerate(shot.lights):
        touches = set(getattr(light, "touches", ()))
        if light.on and touches and not touches & shown:
            yield Finding(
                "idle-light",
                "hint",
                f"{light.name} lights only elements that are not in the picture, so it does nothing.",
                f"lights.{place}.touches",
                "build",
                None,
                {f"lights.{place}.touches": []},
                "Light everything",
            )


checks.register(Check("idle-light", _look))
