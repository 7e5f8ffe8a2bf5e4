"""Shadows, occlusion and mirrors of a picture's fragments, in the order in which they are found."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from zeitbild.render.buffers import kept
from zeitbild.render.lighting import KIND, SHADOWS, SIZE
from zeitbild.render.mirroring import mirror
from zeitbild.render.patterns import mirror_pattern, ray_pattern
from zeitbild.render.quality import Quality
from zeitbild.render.rays import INTERSECT16, OCCLUDED16
from zeitbild.render.smoothing import smooth
from zeitbild.render.stage import Lighting, Stage, viewpoint
from zeitbild.render.tracing import BEHIND_LIGHTS, SPOT, find_borders, gather_tally, locate, trace
from zeitbild.render.visibility import Fragments

if TYPE_CHECKING:
    from zeitbild.resolve.snapshot import Snapshot


#: Rays start so far off their surface, as a share of the distance to the camera.
_LIFT = 2e-4


@dataclass(frozen=True, slots=True, eq=False)
class Rayed:
    """Where fragments stand and what their rays found out; of no length if none were needed.

    spots [fragments, SPOT] and lift from ``tracing.locate``; values [fragments, L + BEHIND_LIGHTS].
    """

    spots: NDArray[np.float32]
    lift: np.float32
    values: NDArray[np.float32]


def cast_rays(
    snapshot: Snapshot,
    quality: Quality,
    stage: Stage,
    light: Lighting,
    fragments: Fragments,
    depth: NDArray[np.float32],
) -> Rayed:
    """What rays found out about every fragment.

    Columns: share of each light that is seen, openness, mirrored light (three) and the share of mirror rays that met
    something. Good until the next picture. Hold ``kernels.PARALLEL``.
    """
    count = len(light.rows)
    shadowed = light.rows[:, SHADOWS] > 0
    if not (shadowed.any() or snapshot.occlusion > 0 or snapshot.bounces):
        return Rayed(np.empty((0, SPOT), np.float32), np.float32(0), np.empty((0, count + BEHIND_LIGHTS), np.float32))
    height, width = depth.shape
    scene, camera = stage.scene, snapshot.camera
    right, up, forward = camera.axes.astype(np.float32)
    eye, focal = viewpoint(camera), np.float32(camera.focal)
    # Orthographic: as a share of the picture's width.
    lift = np.float32(_LIFT * (width / camera.focal if camera.parallel else 1))
    order, pixel, triangle = fragments.order, fragments.pixel, fragments.triangle
    counts, room = fragments.counts, fragments.room
    spots = kept("spots", (len(pixel), SPOT), np.float32)
    main = kept("main", (height, width), np.int32)
    tally = kept("tally", (len(pixel), count + 1, 2), np.uint8)
    locate(
        *fragments.lists,
        width,
        fragments.edges,
        stage.places,
        scene.normals,
        stage.flats,
        eye,
        lift,
        spots,
        main,
        tally,
    )
    rayed = kept("rayed", (len(pixel), count + BEHIND_LIGHTS), np.float32)
    if shadowed.any() or snapshot.occlusion > 0:
        radius = np.float32(snapshot.occlusion_radius if snapshot.occlusion > 0 else 0)
        wanted = np.empty((0, count + 1), np.uint8)
        each = snapshot.rays_at(quality)
        pattern = ray_pattern(light.rows, each)
        # One ray everywhere; the others only where a shadow has a border in the pixels around.
        for first, last in ((0, 1), (1, each)):
            if first == last:
                continue
            if first:
                wanted = kept("wanted", (len(pixel), count + 1), np.uint8)
                find_borders(order, pixel, counts, room, width, main, tally, count, wanted)
            trace(
                order,
                pixel,
                triangle,
                counts,
                room,
                scene.finish_of,
                eye,
                forward,
                right / focal,
                -up / focal,
                light.rows,
                light.touched,
                spots,
                OCCLUDED16,
                stage.rays.handle,
                pattern,
                each,
                first,
                last,
                radius,
                wanted,
                tally,
            )
    gather_tally(order, counts, room, tally, count, np.float32(snapshot.occlusion), rayed)
    if snapshot.bounces:
        mirror(
            order,
            pixel,
            triangle,
            counts,
            room,
            scene.normals,
            scene.finish_of,
            light.with_room(len(order)),
            light.rows,
            light.touched,
            light.ambients,
            light.maps,
            light.table,
            light.spaces,
            light.texels.values,
            light.texels.table,
            np.float32(1 / camera.focal),
            camera.parallel,
            spots,
            INTERSECT16,
            stage.rays.handle,
            mirror_pattern(),
            snapshot.bounces,
            count + 1,
            rayed,
        )
    shared = np.zeros(rayed.shape[1], bool)
    shared[:count] = shadowed & ((light.rows[:, KIND] > 1) | (light.rows[:, SIZE] > 0))
    shared[count] = snapshot.occlusion > 0
    shared[count + 1 :] = snapshot.bounces > 0
    if not shared.any():
        return Rayed(spots, lift, rayed)
    smoothed = kept("smoothed", rayed.shape, np.float32)
    smooth(
        order,
        pixel,
        triangle,
        counts,
        room,
        width,
        spots,
        scene.finish_of,
        light.finishes,
        depth,
        np.float32(1 / camera.focal),
        camera.parallel,
        main,
        np.flatnonzero(shared),
        count + 1,
        rayed,
        smoothed,
    )
    return Rayed(spots, lift, smoothed)
