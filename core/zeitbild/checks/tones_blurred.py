"""Tone bands in the shadow of a light so large that its soft border is cut into flecks of tones."""

from collections.abc import Iterator

from zeitbild.checks._base import Check, Finding, checks
from zeitbild.document.shot import Shot

#: Sizes up to here give a border that still reads as a line: degrees for a sun, a share of the reach for other lights.
_SUN, _SHARE = 3.0, 0.05


def _look(shot: Shot) -> Iterator[Finding]:
    shared = {finish.name: finish.values for finish in shot.finishes}
    banded = [
        element
        for element in shot.elements
        if element.delivered
        and any((shared[one.named] if one.named else one).shading == "tone bands" for one in element.finishes())
    ]
    if not banded:
        return
    for place, light in enumerate(shot.lights):
        touches = getattr(light, "touches", ())
        if not (light.on and light.strength > 0 and getattr(light, "shadows", False)):
            continue
        if touches and not any(element.id in touches for element in banded):
            continue
        most = _SUN if light.kind == "sun" else _SHARE * light.reach
        sizes = {name: getattr(light, name) for name in ("size", "radius", "width", "height") if hasattr(light, name)}
        if max(sizes.values(), default=0) <= most:
            continue
        small = round(most / 3, 3)
        yield Finding(
            "tones-blurred",
            "warning",
            f"{light.name} is so large that the shadows it throws on {banded[0].name} fade: tone bands break up there.",
            f"lights.{place}",
            "build",
            None,
            {f"lights.{place}.{name}": min(value, small) for name, value in sizes.items()},
            "Make the light small",
        )


checks.register(Check("tones_blurred", _look))
