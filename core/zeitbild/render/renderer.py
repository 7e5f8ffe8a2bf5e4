"""One frame: snapshot and quality in, picture out."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL
from zeitbild.render.environment import environment_maps, reflectance_table
from zeitbild.render.picture import NO_DEPTH, Picture
from zeitbild.render.quality import Quality
from zeitbild.render.scene import gather
from zeitbild.render.shading import shade
from zeitbild.render.visibility import rasterise

if TYPE_CHECKING:
    from zeitbild.resolve.snapshot import Snapshot

#: Part of every frame key: raise it whenever the same snapshot would give other pixels.
RENDERER_VERSION = 2


def _lay_under(beauty: NDArray[np.float32], backdrop: tuple[float, float, float]) -> None:
    """Put an opaque colour (linear) under a premultiplied picture, in place: over of Porter and Duff 1984."""
    rest = 1 - beauty[..., 3:]
    beauty[..., :3] += rest * np.asarray(backdrop, dtype=np.float32)
    beauty[..., 3] = 1


def render(snapshot: Snapshot, quality: Quality) -> Picture:
    """Render a snapshot. The same snapshot and quality give the same bytes, whatever the number of threads."""
    width, height = snapshot.width, snapshot.height
    if not snapshot.elements:
        beauty = np.zeros((height, width, 4), np.float32)
        depth = np.full((height, width), NO_DEPTH, np.float32)
    else:
        beauty = np.empty((height, width, 4), np.float32)
        camera = snapshot.camera
        scene = gather(snapshot)
        corners = camera.project(scene.vertices)
        maps, table = environment_maps(snapshot.environment), reflectance_table()
        right, up, forward = camera.axes
        ray_0 = forward - right * (width / 2 / camera.focal) + up * (height / 2 / camera.focal)
        suns = np.array(snapshot.suns, dtype=np.float64).reshape(-1, 6)
        with PARALLEL:
            fragments, alpha, depth = rasterise(
                corners,
                scene.triangles,
                scene.cull,
                scene.patches,
                scene.facing,
                near=camera.near,
                width=width,
                height=height,
                samples=quality.samples,
            )
            shade(
                fragments.order,
                fragments.pixel,
                fragments.triangle,
                fragments.share,
                fragments.where,
                fragments.counts,
                fragments.room,
                width,
                fragments.edges,
                scene.triangles,
                scene.normals,
                scene.finish_of,
                scene.finishes,
                right / camera.focal,
                -up / camera.focal,
                ray_0,
                suns,
                np.array(snapshot.ambient),
                maps,
                table,
                alpha,
                beauty,
            )
    if snapshot.backdrop is not None:
        _lay_under(beauty, snapshot.backdrop)
    return Picture(beauty, depth)
