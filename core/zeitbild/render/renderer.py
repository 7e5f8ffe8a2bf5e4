"""One frame: snapshot and quality in, picture out."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL
from zeitbild.render.camera import DepthScale
from zeitbild.render.picture import NO_DEPTH, Picture
from zeitbild.render.quality import Quality
from zeitbild.render.secondary import cast_rays
from zeitbild.render.shading import PLANES, shade
from zeitbild.render.stage import lighting_of, stage_of, viewpoint
from zeitbild.render.visibility import rasterise

if TYPE_CHECKING:
    from zeitbild.resolve.snapshot import Snapshot

#: Part of every frame key: raise it whenever the same snapshot would give other pixels.
RENDERER_VERSION = 5


def _lay_under(beauty: NDArray[np.float32], backdrop: tuple[float, float, float]) -> None:
    """Put an opaque colour (linear) under a premultiplied picture, in place: over of Porter and Duff 1984."""
    rest = 1 - beauty[..., 3:]
    beauty[..., :3] += rest * np.asarray(backdrop, dtype=np.float32)
    beauty[..., 3] = 1


def render(snapshot: Snapshot, quality: Quality, *, planes: bool = False) -> Picture:
    """Render a snapshot; with ``planes`` also what beauty is made of (``Picture.planes``).

    The same snapshot and quality give the same bytes, whatever the number of threads.
    """
    width, height = snapshot.width, snapshot.height
    if not snapshot.elements:
        beauty = np.zeros((height, width, 4), np.float32)
        depth = np.full((height, width), NO_DEPTH, np.float32)
        extra = np.zeros((height if planes else 0, width, PLANES), np.float32)
    else:
        beauty = np.empty((height, width, 4), np.float32)
        extra = np.empty((height if planes else 0, width, PLANES), np.float32)
        depth = _draw(snapshot, quality, beauty, extra)
    if snapshot.backdrop is not None:
        _lay_under(beauty, snapshot.backdrop)
    return Picture(beauty, depth, extra if planes else None)


def _draw(
    snapshot: Snapshot, quality: Quality, beauty: NDArray[np.float32], planes: NDArray[np.float32]
) -> NDArray[np.float32]:
    """Fill beauty, and planes if they have a height; gives depth."""
    height, width = beauty.shape[:2]
    camera = snapshot.camera
    stage = stage_of(snapshot)
    scene = stage.scene
    light = lighting_of(snapshot)
    distances = camera.distance(scene.vertices)
    scale = DepthScale.of(camera, distances)
    with PARALLEL:
        fragments, alpha, drawn = rasterise(
            camera.project(scene.vertices),
            scale.order(distances),
            scene.triangles,
            scene.cull,
            scene.patches,
            scene.facing,
            near=scale.near,
            least_w=scale.least_w,
            width=width,
            height=height,
            samples=quality.samples,
            edges_exactly=quality.edges_exactly,
        )
        depth = scale.depth(drawn, NO_DEPTH)
        rayed = cast_rays(snapshot, quality, stage, light, fragments, depth)
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
            stage.vertices,
            scene.normals,
            scene.finish_of,
            light.finishes,
            viewpoint(camera),
            light.rows,
            light.touched,
            light.ambients,
            light.maps,
            light.table,
            rayed,
            len(light.rows),
            snapshot.bounces > 0,
            alpha,
            beauty,
            planes,
        )
    return depth
