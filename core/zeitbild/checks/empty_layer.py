"""A layer that is on and shows nothing: its files would be empty."""

from collections.abc import Iterator

from zeitbild.checks._base import Check, Finding, checks
from zeitbild.document.shot import Shot


def _look(shot: Shot) -> Iterator[Finding]:
    if not any(element.delivered for element in shot.elements):
        # That nothing is in the set at all is another finding.
        return
    for number, layer in enumerate(shot.layers):
        if layer.on and not any(
            element.delivered and layer.membership(element.id) == "shown" for element in shot.elements
        ):
            yield Finding(
                "empty-layer",
                "warning",
                f"{layer.name} shows no element; its files would be empty.",
                f"layers.{number}.members",
                "split",
                None,
                {f"layers.{number}.on": False} if len(shot.layers_on) > 1 else {},
                "Switch the layer off" if len(shot.layers_on) > 1 else "",
            )
        elif layer.on and not layer.frames_of(tuple(shot.timing.frames)):
            yield Finding(
                "layer-without-frames",
                "warning",
                f"None of the frames of {layer.name} is in the range; it would have no files.",
                f"layers.{number}.frames",
                "split",
                None,
                {f"layers.{number}.frames": ""},
                "Give it the whole range",
            )


checks.register(Check("empty-layer", _look))
