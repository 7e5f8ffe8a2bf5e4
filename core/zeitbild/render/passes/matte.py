"""Matte: the alpha as grey, for receivers who want it in a file of its own."""

import numpy as np

from zeitbild.render.passes._base import Pass, passes

passes.register(
    Pass("matte", "Alpha as grey", "matte", lambda picture: np.ascontiguousarray(picture.beauty[..., 3]), order=1)
)
