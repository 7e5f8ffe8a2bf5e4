"""A backdrop that makes every pixel opaque while a matte is asked for."""

from collections.abc import Iterator

from zeitbild.checks._base import Check, Finding, checks
from zeitbild.document.shot import Shot


def _look(shot: Shot) -> Iterator[Finding]:
    for number, layer in enumerate(shot.layers):
        if not layer.on or "matte" not in layer.passes or (layer.backdrop or shot.backdrop).kind == "clear":
            continue
        field = "backdrop.kind" if layer.backdrop is None else f"layers.{number}.backdrop.kind"
        yield Finding(
            "opaque-matte",
            "warning",
            "The backdrop fills the picture, so the matte will be white all over."
            if layer.backdrop is None
            else f"The backdrop of {layer.name} fills its picture, so its matte will be white all over.",
            field,
            "split",
            None,
            {field: "clear"},
            "Make the backdrop clear",
        )
        if layer.backdrop is None:
            return


checks.register(Check("opaque", _look))
