"""One frame: snapshot and quality in, picture out."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL
from zeitbild.render.camera import DepthScale
from zeitbild.render.picture import NO_DEPTH, Picture
from zeitbild.render.pixel_look import PixelLook, enlarge, finish_pixels, harden
from zeitbild.render.quality import Quality
from zeitbild.render.sampling import SAMPLE_COUNTS, sample_offsets
from zeitbild.render.secondary import cast_rays
from zeitbild.render.shading import PLANES, shade
from zeitbild.render.stage import lighting_of, stage_of, viewpoint
from zeitbild.render.visibility import rasterise

if TYPE_CHECKING:
    from zeitbild.resolve.snapshot import Snapshot

#: Part of every frame key: raise it whenever the same snapshot would give other pixels.
RENDERER_VERSION = 6


def _lay_under(beauty: NDArray[np.float32], backdrop: tuple[float, float, float]) -> None:
    """Put an opaque colour (linear) under a premultiplied picture, in place: over of Porter and Duff 1984."""
    rest = 1 - beauty[..., 3:]
    beauty[..., :3] += rest * np.asarray(backdrop, dtype=np.float32)
    beauty[..., 3] = 1


def render(snapshot: Snapshot, quality: Quality, *, planes: bool = False) -> Picture:
    """Render a snapshot; with ``planes`` also what beauty is made of (``Picture.planes``).

    The same snapshot and quality give the same bytes, whatever the number of threads.
    """
    if snapshot.pixels is not None:
        picture = _pixels(snapshot, snapshot.pixels, quality, planes)
    elif snapshot.moments:
        picture = _blurred(snapshot, quality, planes)
    else:
        picture = _still(snapshot, quality, snapshot.samples_at(quality), planes)
    if snapshot.pixels is None:
        filtered = snapshot.filter.apply
        parts = None if picture.planes is None else filtered(picture.planes)
        picture = Picture(filtered(picture.beauty), picture.depth, parts)
    if snapshot.backdrop is not None:
        _lay_under(picture.beauty, snapshot.backdrop)
    return picture


def _still(
    snapshot: Snapshot,
    quality: Quality,
    samples: int,
    planes: bool,
    *,
    shift: tuple[float, float] = (0.0, 0.0),
    hard: bool = False,
) -> Picture:
    """The set at one moment, nothing behind it; shift moves the samples, in pixels; hard gives pixels whole."""
    width, height = snapshot.width, snapshot.height
    extra = np.zeros if not snapshot.elements else np.empty
    beauty = extra((height, width, 4), np.float32)
    parts = extra((height if planes else 0, width, PLANES), np.float32)
    if snapshot.elements:
        depth = _draw(snapshot, quality, samples, shift, hard, beauty, parts)
    else:
        depth = np.full((height, width), NO_DEPTH, np.float32)
    return Picture(beauty, depth, parts if planes else None)


def _blurred(snapshot: Snapshot, quality: Quality, planes: bool) -> Picture:
    """The mean over the moments in which the shutter is open; depth is that of the nearest surface in any of them."""
    moments = snapshot.moments_at(quality)
    wanted = snapshot.samples_at(quality) / len(moments)
    samples = next((count for count in SAMPLE_COUNTS if count >= wanted), SAMPLE_COUNTS[-1])
    # Each moment has samples of its own places, so that edges that stand still are as fine as without blur.
    shifts = sample_offsets(len(moments)) - 0.5
    side = 1 / math.sqrt(samples)
    total: Picture | None = None
    for elements, (x, y) in zip(moments, shifts, strict=True):
        now = replace(snapshot, elements=elements, moments=())
        picture = _still(now, quality, samples, planes, shift=(x * side, y * side))
        if total is None:
            total = picture
            continue
        np.add(total.beauty, picture.beauty, out=total.beauty)
        np.minimum(total.depth, picture.depth, out=total.depth)
        if total.planes is not None and picture.planes is not None:
            np.add(total.planes, picture.planes, out=total.planes)
    assert total is not None
    for values in (total.beauty, total.planes):
        if values is not None:
            np.multiply(values, np.float32(1 / len(moments)), out=values)
    return total


def _pixels(snapshot: Snapshot, look: PixelLook, quality: Quality, planes: bool) -> Picture:
    """The small raster of the pixel look, enlarged. It looks the same at every quality but for its rays."""
    small = snapshot.at_raster(snapshot.width // look.enlarge, snapshot.height // look.enlarge)
    picture = _still(small, quality, 16, planes, hard=True)
    finish_pixels(look, picture.beauty, picture.depth)
    parts = None if picture.planes is None else enlarge(picture.planes, look.enlarge)
    return Picture(enlarge(picture.beauty, look.enlarge), enlarge(picture.depth, look.enlarge), parts)


def _draw(
    snapshot: Snapshot,
    quality: Quality,
    samples: int,
    shift: tuple[float, float],
    hard: bool,
    beauty: NDArray[np.float32],
    planes: NDArray[np.float32],
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
            camera.project(scene.vertices, shift),
            scale.order(distances),
            scene.triangles,
            scene.cull,
            scene.patches,
            scene.facing,
            near=scale.near,
            least_w=scale.least_w,
            width=width,
            height=height,
            samples=samples,
            edges_exactly=quality.edges_exactly and not hard and shift == (0.0, 0.0),
        )
        depth = scale.depth(drawn, NO_DEPTH)
        if hard:
            harden(fragments.order, fragments.pixel, fragments.counts, fragments.room, width, fragments.share, alpha)
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
            hard,
            alpha,
            beauty,
            planes,
        )
    return depth
