"""What rays found out: shadow, and how open each place is."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from zeitbild.render.passes._base import Pass, passes
from zeitbild.render.passes._planes import grey, planes_of, share_part
from zeitbild.render.picture import Picture
from zeitbild.render.shade.shading import LIT, OPENNESS


def _shadow(picture: Picture) -> NDArray[np.float32]:
    """Black with alpha [H, W, 4]: the share of each pixel in which lights are not seen."""
    alpha = np.clip(picture.beauty[..., 3] - planes_of(picture)[..., LIT], 0, 1)
    shadow = np.zeros_like(picture.beauty)
    shadow[..., 3] = alpha
    return shadow


passes.register(
    Pass(
        "shadow",
        "Shadow",
        "Black with alpha, to be laid over anything: the share of the lights that is not seen",
        "colour",
        "light",
        _shadow,
        shown=lambda picture: grey(planes_of(picture)[..., LIT]),
        order=40,
    )
)
passes.register(
    Pass(
        "occlusion",
        "Occlusion",
        "How open each place is, times its coverage: 1 in the open, 0 in the narrowest corner",
        "coverage",
        "light",
        share_part(OPENNESS),
        channels=("Y",),
        shown=lambda picture: grey(planes_of(picture)[..., OPENNESS]),
        order=41,
    )
)
