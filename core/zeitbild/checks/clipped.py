"""Light so strong that a large part of the picture is white and holds no shading."""

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from zeitbild.checks._base import Check, Finding, SetView, checks
from zeitbild.render import QUALITIES, render

#: Width of the small picture that is judged, and the share of the element that may be clipped in all channels.
_WIDTH, _SHARE = 160, 0.25


def _look(view: SetView) -> Iterator[Finding]:
    shot = view.shot
    snapshot = view.snapshot(shot.timing.first)
    if not snapshot.bodies:
        return
    height = max(9, round(_WIDTH * snapshot.height / snapshot.width))
    beauty = render(replace(snapshot, backdrop=None).at_size(_WIDTH, height), QUALITIES["rough"]).beauty
    solid = beauty[beauty[..., 3] > 0.99]
    if len(solid) < 30:
        return
    least = solid[:, :3].min(axis=1)
    share = float((least >= 1).mean())
    if share < _SHARE:
        return
    # So much weaker that no more than a tenth of that share stays white.
    factor = 1 / float(np.quantile(least, 1 - _SHARE / 10))
    mend = {
        f"lights.{place}.strength": round(light.strength * factor, 3)
        for place, light in enumerate(shot.lights)
        if light.on
    }
    yield Finding(
        "clipped",
        "warning",
        f"{share:.0%} of what is seen is burnt out to white at frame {shot.timing.first}: no shading is left there.",
        "lights",
        "build",
        shot.timing.first,
        {**mend, "environment.strength": round(shot.environment.strength * factor, 3)},
        "Weaken all light",
    )


checks.register(Check("clipped", look_at_set=_look))
