"""Shadows, occlusion and mirrors of a picture's fragments, in the order in which they are found."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL
from zeitbild.render.light.lighting import SHADOWS, with_borders
from zeitbild.render.rays.flying import flying
from zeitbild.render.rays.mirroring import mirror
from zeitbild.render.rays.patterns import mirror_places, mirror_turns, ray_pattern, veil_bits
from zeitbild.render.rays.sharing import Heaps, find_calm
from zeitbild.render.rays.smoothing import BORDER, NARROW, borrow, find_narrow, smooth, soften
from zeitbild.render.rays.tracing import SPOT, Looking, find_borders, gather_tally, locate, trace
from zeitbild.render.shade.rayed import BEHIND_LIGHTS, IN_LOBES
from zeitbild.render.stage import Lighting, Stage, viewpoint
from zeitbild.render.visible.finer import inherit
from zeitbild.render.visible.lists import Runs
from zeitbild.render.visible.visibility import Fragments
from zeitbild.render.world.buffers import kept
from zeitbild.render.world.ways import NO_WAYS, Ways
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.finish_row import SHADING, UNLIT
from zeitbild.snapshot.quality import Quality

#: Rays start so far off their surface, as a share of the distance to the camera.
_LIFT = 2e-4
#: Mirrors smoother than this (roughness) do not share their rays.
_SHARP = 0.12
#: So many times as many rays are cast for the borders of shadows at final, and so many at most for that. Where borders are wide fewer are enough:
#: neighbours tell the rest.
_FINELY, _MOST_RAYS, _WIDE_RAYS = 8, 64, 16
#: Two opposite neighbours count there as far as their mean is about as near as this, where borders are wide and where they are narrow.
_NEAR_SHARES = np.float32(0.1), np.float32(0.05)
#: How often, at most, borders are followed to where they end.
_ROUNDS = 8
#: What one see-through body stops of a pixel's rays differs from pixel to pixel by a ray, of two by two: pixels that differ by fewer share a
#: light without a size.
_ALIKE_RAYS = 2.4
_NOTHING_KNOWN = np.empty(0, np.uint8)


class Rayed(NamedTuple):
    """Where fragments stand and what their rays found out, as kernels take it; of no length if none were needed.

    spots [fragments, SPOT] and lift from ``tracing.locate``; values [fragments, L + BEHIND_LIGHTS], and behind these what mirror
    rays tell of lights (``shade.rayed.IN_LOBES``).
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
    ways: Ways = NO_WAYS,
    *,
    unlit_too: bool = True,
    runs: Runs | None = None,
) -> Rayed:
    """What rays found out about every fragment; nothing, if none of them takes light: with unlit_too only if nothing sends any.

    Columns: share of each light that is seen, openness, mirrored light (three), the share of mirror rays that met
    something, and what they tell of lights. ways as ``tracing.trace`` takes them; runs where several fragments of a pixel are seen one behind
    the other. Good until the next picture. Hold ``kernels.PARALLEL``.
    """
    rows = light.shining.rows
    count = len(rows)
    shadowed = rows[:, SHADOWS] > 0
    through_veils = any(0 < one < 1 for one in stage.stops)
    takes_light = unlit_too or bool((light.finishes[:, SHADING] != UNLIT).any())
    if not (takes_light and (shadowed.any() or snapshot.occlusion > 0 or snapshot.bounces)):
        return Rayed(np.empty((0, SPOT), np.float32), np.float32(0), np.empty((0, count + BEHIND_LIGHTS), np.float32))
    height, width = depth.shape
    scene, camera = stage.scene, snapshot.camera
    right, up, forward = camera.axes.astype(np.float32)
    eye, focal = viewpoint(camera), np.float32(camera.focal)
    looking = Looking(eye, forward, right / focal, -up / focal)
    spots, lift, main, tally = located(snapshot, stage, light, fragments, (height, width), "")
    if runs is None:
        runs = Runs(main, np.empty((0, width), np.int32), np.empty(0, np.float32))
    bordered = with_borders(rows)
    in_lobes = IN_LOBES * int(bordered.sum()) if snapshot.bounces else 0
    rayed = kept("rayed", (len(spots), count + BEHIND_LIGHTS + in_lobes), np.float32)
    around = _Around(spots, runs, depth, np.float32(1 / camera.focal), camera.parallel)
    # Borders of shadows have more rays of their own at final, and are shared by fewer pixels; in motion by moments.
    finely = quality.edges_exactly and not len(ways.of)
    wanted = np.empty((0, count + 1), np.uint8)
    if shadowed.any() or snapshot.occlusion > 0:
        each = snapshot.rays_at(quality) * (2 if through_veils else 1)
        wide = _WIDE_RAYS * (2 if through_veils else 1)
        wanted = _traced(
            snapshot, stage, light, fragments, around, looking, ways, tally, each=each, finely=finely, wide=wide
        )
    PARALLEL.by_parts(gather_tally, fragments, tally, count, np.float32(snapshot.occlusion), rayed)
    where = fragments, *around
    if shadowed.any():
        PARALLEL.by_parts(borrow, *where, rows, tally, rayed)
    if snapshot.bounces:
        # In motion moments bring rays of their own.
        turns = snapshot.rays_at(quality) * (1 if not quality.edges_exactly else 4 if finely else 2)
        _mirrored(snapshot, stage, light, fragments, spots, 1, mirror_turns(turns), rayed, quality.pictures_finely)
    else:
        rayed[:, count + 1 :] = 0
    shared = np.zeros(rayed.shape[1], bool)
    shared[:count] = bordered
    shared[count] = snapshot.occlusion > 0
    shared[count + 1 :] = snapshot.bounces > 0
    # Without see-through bodies a light without a size is seen or is not.
    veiled = shadowed & ~shared[:count] & through_veils
    soft = np.flatnonzero(shared[:count] | veiled) if finely and len(wanted) else np.empty(0, np.int64)
    veiled[soft] = False
    shared[soft] = False
    if not (shared.any() or veiled.any() or len(soft)):
        return Rayed(spots, lift, rayed)
    smoothed = kept("smoothed", rayed.shape, np.float32)
    PARALLEL.by_parts(
        smooth,
        fragments,
        scene.finish_of,
        light.finishes,
        spots,
        runs,
        depth,
        np.float32(1 / camera.focal),
        camera.parallel,
        np.flatnonzero(shared),
        np.flatnonzero(veiled),
        np.float32(_ALIKE_RAYS / (2 * snapshot.rays_at(quality))),
        count + 1,
        np.float32(_SHARP),
        quality.edges_exactly,
        rayed,
        smoothed,
    )
    if len(soft):
        PARALLEL.by_parts(soften, *where, soft, _NEAR_SHARES, wanted, rayed, smoothed)
    return Rayed(spots, lift, smoothed)


class _Around(NamedTuple):
    """What tells which fragments of neighbouring pixels are of one surface; see ``smoothing.smooth``."""

    spots: NDArray[np.float32]
    runs: Runs
    depth: NDArray[np.float32]
    pixel_angle: np.float32
    parallel: bool


class _Asked(NamedTuple):
    """Rays of one kind: lights [L] as ``lighting.Shining.rows``, how many a pixel, and how far those over the half sphere go (0: there are none)."""

    lights: NDArray[np.float32]
    rays: int
    reach: np.float32


def _traced(
    snapshot: Snapshot,
    stage: Stage,
    light: Lighting,
    fragments: Fragments,
    around: _Around,
    looking: Looking,
    ways: Ways,
    tally: NDArray[np.uint8],
    *,
    each: int,
    finely: bool,
    wide: int,
) -> NDArray[np.uint8]:
    """Cast ``each`` rays a pixel to lights and over the half sphere, more of them for borders of shadows if that is to be done finely (no more than
    ``wide`` where these are), counted in tally [fragments, L + 1, 2] (``tracing.trace``).

    Gives where borders are [fragments, L + 1] uint8 (``smoothing.BORDER`` and ``NARROW``), good until the next picture, or an array of no length:
    nobody looked. Hold ``kernels.PARALLEL``.
    """
    rows = light.shining.rows
    count = len(rows)
    radius = np.float32(snapshot.occlusion_radius if snapshot.occlusion > 0 else 0)
    asked = [_Asked(rows, each, radius)]
    if finely:
        no_shadows = rows.copy()
        no_shadows[:, SHADOWS] = 0
        many = max(each, min(_FINELY * each, _MOST_RAYS))
        asked = [_Asked(rows, many, np.float32(0)), _Asked(no_shadows, each, radius)]
    patterns = [ray_pattern(one.lights, one.rays) for one in asked]

    def cast(wanted: NDArray[np.uint8], number: int, first: int, last: int, reach: np.float32) -> None:
        one = asked[number]
        PARALLEL.by_parts(
            trace,
            fragments,
            stage.scene.finish_of,
            looking,
            one.lights,
            light.shining.touched,
            stage.rays.casting,
            around.spots,
            patterns[number],
            veil_bits(one.rays),
            (one.rays, first, last, finely),
            reach,
            wanted,
            ways,
            tally,
        )

    def cast_finely(wanted: NDArray[np.uint8]) -> None:
        """As many rays to lights as borders take, and which of these are narrow."""
        one = asked[0]
        if one.rays <= wide:
            cast(wanted, 0, 1, one.rays, one.reach)
            wanted *= BORDER | NARROW
            return
        cast(wanted, 0, 1, wide, one.reach)
        narrow = kept("narrow", wanted.shape, np.uint8)
        of_what = stage.scene.finish_of, light.finishes
        PARALLEL.by_parts(find_narrow, fragments, *of_what, *around, rows, tally, wanted, narrow)
        cast(narrow, 0, wide, one.rays, one.reach)
        wanted |= narrow

    everywhere = np.empty((0, count + 1), np.uint8)
    # One ray everywhere; the others only where a shadow has a border in the pixels around.
    for number, one in enumerate(asked):
        cast(everywhere, number, 0, 1, one.reach)
    if all(one.rays == 1 for one in asked):
        return everywhere
    wanted = kept("wanted", (len(around.spots), count + 1), np.uint8)
    PARALLEL.by_parts(find_borders, fragments, around.runs, tally, count, wanted)
    for number, one in enumerate(asked):
        if finely and number == 0:
            cast_finely(wanted)
        elif one.rays > 1:
            # Shadows need all their moments; of the half sphere neighbours and stretches have enough.
            cast(wanted, number, 1, one.rays, np.float32(0) if len(ways.of) else one.reach)
    # Of the ends of wide borders single rays tell little: they go on beside what was found to be neither lit nor in shadow; of lights with a
    # size till these end: what a hundredth of such a light that is mirrored gives may be plain to see.
    for turn in range(_ROUNDS if finely else 0):
        more = kept("wanted too", wanted.shape, np.uint8)
        PARALLEL.by_parts(find_borders, fragments, around.runs, tally, count, more)
        more &= ~wanted
        if turn > 0:
            more[:, :count] &= with_borders(rows)
        # The half sphere is wanted everywhere, and was looked at.
        if not more[:, :count].any():
            break
        cast_finely(more)
        wanted |= more
    return wanted


def cast_again(
    snapshot: Snapshot,
    stage: Stage,
    light: Lighting,
    fragments: Fragments,
    whole: Fragments,
    found: Rayed,
    sides: NDArray[np.uint8],
    heaps: Heaps,
) -> Rayed:
    """The same for places that pixels were cut into (``finer``; sides [H, W]), good until the next call.

    Shadows and occlusion are those found for the whole surfaces of their pixels, and so is what rough and flat ones mirror; else mirror rays are
    their own, shared by way of heaps.
    """
    count = len(light.shining.rows)
    if not len(found.values):
        return found
    spots, lift, _, _ = located(snapshot, stage, light, fragments, sides.shape, "again ")
    rayed = kept("again rayed", (len(fragments.pixel), found.values.shape[1]), np.float32)
    scene = stage.scene
    calm, known = kept("calm", (len(spots),), np.uint8), kept("known", (len(spots),), np.uint8)
    width = np.float32(1 / snapshot.camera.focal)
    find_calm(
        fragments,
        scene.finish_of,
        light.finishes,
        stage.bends,
        viewpoint(snapshot.camera),
        width,
        spots,
        np.float32(_SHARP),
        calm,
    )
    inherit(fragments, whole, scene.patches, scene.facing, found.values, count + 1, calm, rayed, known)
    if snapshot.bounces:
        near = _mirrored(snapshot, stage, light, fragments, spots, 4, mirror_places(), rayed, True, known)
        heaps.share(fragments, sides, scene.finish_of, light.finishes, spots, near, count + 1, rayed)
    else:
        rayed[:, count + 1 :] = 0
    return Rayed(spots, lift, rayed)


def located(
    snapshot: Snapshot, stage: Stage, light: Lighting, fragments: Fragments, size: tuple[int, int], name: str
) -> tuple[NDArray[np.float32], np.float32, NDArray[np.int32], NDArray[np.uint8]]:
    """Spots, lift, main and tally of ``tracing.locate``, in arrays that ``name`` tells apart."""
    camera = snapshot.camera
    # Orthographic: as a share of the picture's width.
    lift = np.float32(_LIFT * (size[1] / camera.focal if camera.parallel else 1))
    spots = kept(name + "spots", (len(fragments.pixel), SPOT), np.float32)
    main = kept(name + "main", size, np.int32)
    if len(fragments.order) < len(fragments.firsts) - 1:
        # Of tiles in which nothing is drawn nobody tells anything, but those beside them are asked.
        main.fill(-1)
    tally = kept(name + "tally", (len(fragments.pixel), len(light.shining.rows) + 1, 2), np.uint8)
    eye = viewpoint(camera)
    PARALLEL.by_parts(locate, fragments, stage.surfaces, stage.flats, eye, lift, spots, main, tally)
    return spots, lift, main, tally


def _mirrored(
    snapshot: Snapshot,
    stage: Stage,
    light: Lighting,
    fragments: Fragments,
    spots: NDArray[np.float32],
    cells: int,
    pattern: NDArray[np.float32],
    rayed: NDArray[np.float32],
    finely: bool,
    known: NDArray[np.uint8] = _NOTHING_KNOWN,
) -> NDArray[np.float32]:
    """What mirror rays of fragments meet, into the last columns of rayed; cells, pattern and known as in ``mirror``, pictures as
    ``Quality.pictures_finely`` says. Gives how near that is (see ``mirror``), good until the next call."""
    camera, dots = snapshot.camera, flying(snapshot)
    near = kept("near", (len(spots),), np.float32)
    PARALLEL.by_parts(
        mirror,
        fragments,
        stage.surfaces,
        light.with_room(len(fragments.order), always=True),
        light.shining,
        light.textures(stage, finely=finely),
        stage.rays.casting,
        dots.casting,
        stage.bends,
        viewpoint(camera),
        np.float32(1 / camera.focal),
        camera.parallel,
        np.float32(cells),
        spots,
        pattern,
        snapshot.bounces,
        known,
        rayed,
        near,
    )
    return near
