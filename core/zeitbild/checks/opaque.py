"""A backdrop that makes every pixel opaque while a matte is asked for."""

from collections.abc import Iterator

from zeitbild.checks._base import Check, Finding, checks
from zeitbild.document.shot import Shot


def _look(shot: Shot) -> Iterator[Finding]:
    if shot.backdrop.kind != "clear" and any("matte" in layer.passes for layer in shot.layers):
        yield Finding(
            "opaque-matte",
            "warning",
            "The backdrop fills the picture, so the matte will be white all over.",
            "backdrop.kind",
            "split",
            None,
            {"backdrop.kind": "clear"},
            "Make the backdrop clear",
        )


checks.register(Check("opaque", _look))
