"""The finished picture, and the share of each pixel that it covers."""

import numpy as np
from numpy.typing import NDArray

from zeitbild.render.passes._base import Pass, passes
from zeitbild.render.passes._planes import grey
from zeitbild.render.picture import NO_DEPTH, Picture


def _matte(picture: Picture) -> NDArray[np.float32]:
    return np.ascontiguousarray(picture.beauty[..., 3])


def _near_is_light(picture: Picture) -> NDArray[np.float32]:
    depth, solid = picture.depth, picture.depth < NO_DEPTH / 2
    if not solid.any():
        return grey(np.zeros_like(depth))
    low, high = depth[solid].min(), depth[solid].max()
    nearness = np.where(solid, 1 - 0.9 * (depth - low) / max(high - low, np.float32(1e-6)), 0)
    return grey(nearness.astype(np.float32))


passes.register(
    Pass("beauty", "Beauty", "The finished picture with its alpha", "colour", "beauty", lambda picture: picture.beauty)
)
passes.register(
    Pass(
        "matte",
        "Matte",
        "Coverage as grey: the alpha of beauty in a file of its own",
        "coverage",
        "beauty",
        _matte,
        channels=("Y",),
        shown=lambda picture: grey(_matte(picture)),
        order=10,
    )
)
passes.register(
    Pass(
        "depth",
        "Depth",
        "Distance of the nearest surface along the viewing axis; not smoothed at edges",
        "depth",
        "beauty",
        lambda picture: picture.depth,
        channels=("Z",),
        shown=_near_is_light,
        spread=lambda reach: (reach.depth,),
        order=60,
    )
)
