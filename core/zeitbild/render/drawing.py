"""One drawing of a set: what is seen and how it is lit, found out once for all outputs that want it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL
from zeitbild.render.data_rows import CAMERA_NORMAL, NORMAL
from zeitbild.render.moving.sweeping import draw, rayed_places, runs_of, without_hidden
from zeitbild.render.outputs import Output, View, empty_picture, groups_of
from zeitbild.render.picture import NO_DEPTH, Picture
from zeitbild.render.rays.secondary import Rayed, cast_again, cast_rays
from zeitbild.render.rays.sharing import Heaps
from zeitbild.render.shade.coverage import catch_shadows, cut_out
from zeitbild.render.shade.gloss import least_roughness
from zeitbild.render.shade.groups import shade_groups, take_light
from zeitbild.render.shade.shading import FACING, LOOKS, PLANES, shade
from zeitbild.render.stage import Stage, viewpoint
from zeitbild.render.view.pixel_look import harden
from zeitbild.render.visible.areas import Areas, Before, areas_of, depth_of_seen, drop_hidden, pixels_in
from zeitbild.render.visible.finer import bends_of, find_busy, fit_shares, note_done, tones_of
from zeitbild.render.visible.flat_edges import even_out, find_shared, tell_flat
from zeitbild.render.visible.folds import count_folds
from zeitbild.render.visible.identity import Told, mark
from zeitbild.render.visible.remembered import Entry, Seen, is_small
from zeitbild.render.visible.tile_kernel import RASTERISERS_AGAIN
from zeitbild.render.visible.visibility import Drawing, Fragments, rasterise
from zeitbild.render.world.buffers import kept
from zeitbild.render.world.ways import NO_WAYS
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.camera import DepthScale

#: Pixels of all groups of lights that are shaded at once: more would take room for long.
_MOST_IN_GROUPS = 6_000_000
#: Areas of a pixel below which there is nothing.
_LEAST = 1e-4
#: How often pixels are looked over and cut (``finer``) where mirrors show the set.
_ROUNDS = 2


def make_empty(picture: Picture) -> None:
    """A picture of nothing, in place."""
    make_dark(picture)
    picture.depth.fill(NO_DEPTH)
    for values in picture.groups.values():
        values.fill(0)


def make_dark(picture: Picture) -> None:
    """As if nothing gave light, in place."""
    for values in (picture.beauty, picture.planes, picture.data):
        if values is not None:
            values.fill(0)
    if picture.identities is not None:
        picture.identities[:] = (-1, 0)


def draw_outputs(
    view: View,
    stage: Stage,
    outputs: Sequence[Output],
    *,
    alone: bool = False,
    within: NDArray[np.bool_] | None = None,
    stacked: NDArray[np.uint8] | None = None,
    opaque: Sequence[tuple[NDArray[np.float32], bool]] = (),
) -> list[Areas | None]:
    """Draw a stage as if nothing showed through it, once for all outputs, and fill every plane that their pictures have; gives
    where what is shown is, of those in which something only hides.

    What is ``alone`` finds out nothing about what hides it; else every number is the one that it has in the whole picture, so
    that layers add up to it. Nothing is drawn but ``within`` some tiles [tiles], if they are given; what
    pictures hold elsewhere is not said. stacked [tiles] gets how many surfaces of the stage's own triangles lie one over the other
    (``folds``). opaque are finishes' weights by which light is told of what stands before what
    is alone, in pixels that both have a part in, and whether its parts are wanted, too.
    """
    snapshot, quality, samples, hard = view.snapshot, view.quality, view.samples, view.hard
    height, width = snapshot.height, snapshot.width
    swept = len(snapshot.stations) > 0
    scene, light = stage.scene, view.light
    depth = kept("whole depth", (height, width), np.float32)
    with PARALLEL:
        drawing = stretch = shared = None
        if swept:
            stretch = draw(snapshot, stage, quality, samples, view.shift, depth, stacked, within)
            fragments, alpha = stretch.fragments, stretch.alpha
        else:
            fragments, alpha, drawing = _drawn_still(view, stage, depth, within, stacked)
            if drawing is not None and quality.edges_exactly and not hard:
                shared = _shared_by_flat(view, stage, drawing, fragments)
                _even_out(stage, drawing, fragments, shared)
        for output in outputs if within is not None else ():
            # Where nothing is drawn nothing is looked at, but by who looks for pixels that need more places, and in data.
            if quality.edges_exactly or output.picture.planes is not None:
                make_dark(output.picture)
        nothing = np.empty((0, width), np.float32)
        # What of each pixel is covered by what is not there.
        fades = light.cuts or (light.catches and alone)
        gone = np.zeros((height, width), np.float32) if fades else nothing
        # What is lit is what covers.
        covering = fragments if stretch is None else stretch.places
        if light.cuts:
            cut_by_pictures(view, stage, covering, alpha, gone)
            if stretch is not None:
                cut_by_pictures(view, stage, fragments, nothing, nothing)
        if hard:
            harden(fragments, alpha)
        areas = [_areas_of(view, stage, output, covering, alpha, depth) for output in outputs]
        lit_ones = [output for output in outputs if output.lit]
        if not lit_ones:
            return [one and one.faded(gone) for one in areas]
        if alone:
            (output,) = lit_ones
            if stretch is not None:
                without_hidden(stretch, scene.finish_of, output.weights, beside=bool(opaque))
            else:
                moved = np.empty(len(fragments.pixel), np.int32)
                PARALLEL.by_parts(drop_hidden, fragments, scene.finish_of, output.weights, bool(opaque), moved)
        ways = stage.moves(snapshot) if swept else NO_WAYS
        wanted = any(output.picture.planes is not None for output in lit_ones)
        runs = None if stretch is None else runs_of(stretch, quality)
        rayed = plain = cast_rays(snapshot, quality, stage, light, fragments, depth, ways, unlit_too=wanted, runs=runs)
        shaded = fragments
        if light.catches and alone:
            # The places of a stretch, and those that pixels are cut into, take what rays found as it was.
            rayed = plain._replace(values=plain.values.copy())
            _catch(view, stage, fragments, rayed, alpha, gone, [one.seen for one in areas if one is not None])
        if stretch is not None:
            shaded, rayed = stretch.places, rayed_places(snapshot, stage, light, stretch, plain, ways)
            if light.catches and alone:
                _catch(view, stage, shaded, rayed, nothing, nothing, [])
        # Where more places are needed is decided by the whole picture, hold-outs and all.
        finer = drawing is not None and quality.edges_exactly and not hard and samples in RASTERISERS_AGAIN
        every = next((output for output in lit_ones if alone or not output.some), None)
        whole = np.empty((height, width, 4), np.float32) if finer and every is None else None

        def lit(*places: Any) -> None:
            """Beauty and all its parts, at places that pixels were cut into (``shade_outputs``), or everywhere."""
            at = places or (shaded, rayed)
            if whole is not None:
                own = Output(Picture(whole, depth), np.empty(0, np.float32), True)
                shade_outputs(view, stage, alpha, [own], *at, decides=own)
            shade_outputs(view, stage, alpha, lit_ones, *at, decides=every)

        if opaque and areas[0] is not None:
            stands = _standing_before(view, stage, alpha, opaque, lit_ones[0], areas[0], shaded, rayed)
            areas = [replace(areas[0], opaque=stands)]
        lit()
        if drawing is not None and finer:
            decides = whole if every is None else every.picture.beauty
            assert decides is not None
            # What is only partly there covers as much at more places as at one: by that it is laid over what is behind it.
            seen = next((one.seen for one in areas if one is not None), None) if fades and alone else None
            covered = (lit_ones[0].weights, seen) if seen is not None else (np.empty(0, np.float32), alpha)
            _refine(view, stage, drawing, fragments, plain, alpha, decides, lit, covered, shared)
        for output in lit_ones:
            tell_what_stands(view, stage, fragments, output)
    return [one and one.faded(gone) for one in areas]


def shade_outputs(
    view: View,
    stage: Stage,
    alpha: NDArray[np.float32],
    outputs: Sequence[Output],
    places: Fragments,
    found: Rayed,
    sides: NDArray[np.uint8] | None = None,
    doubt: NDArray[np.float32] | None = None,
    *,
    decides: Output | None = None,
) -> None:
    """Light of fragments and all its parts into the pictures of outputs; alpha [H, W], sides and doubt as ``shading.shade`` takes them: doubt
    is that of the output which ``decides``. Hold ``kernels.PARALLEL``."""
    snapshot = view.snapshot
    height, width = snapshot.height, snapshot.width
    nowhere = np.empty((0, width), np.uint8) if sides is None else sides
    no_doubt = np.empty((0, width) if doubt is None else doubt.shape, np.float32)

    def shaded(kernel: Callable[..., None], *more: Any) -> None:
        """Call a kernel with what is to be shaded."""
        light, texels = view.light.with_room(LOOKS), view.textures(stage)
        eye, pixel_size = viewpoint(snapshot.camera), np.float32(1 / snapshot.camera.focal)
        PARALLEL.by_parts(
            kernel, places, stage.surfaces, light, view.light.shining, texels, found, eye, pixel_size, *more
        )

    # Of a stretch no place beside a fragment is known that would tell how wide a tone's border is.
    hard = view.hard or len(snapshot.stations) > 0
    no_parts = np.empty((0, width, PLANES), np.float32)
    for output in outputs:
        picture, weights = output.picture, output.weights
        for names, members in _groups_at_a_time(snapshot) if picture.groups else ():
            light = kept("light of groups", (len(names), height, width, 3), np.float32)
            shaded(shade_groups, members, weights, nowhere, light)
            for name, own in zip(names, light, strict=True):
                take_light(own, nowhere, picture.groups[name])
        parts = no_parts if picture.planes is None else picture.planes
        own_doubt = doubt if output is decides and doubt is not None else no_doubt
        shaded(shade, snapshot.bounces > 0, hard, weights, alpha, nowhere, own_doubt, picture.beauty, parts)


def _standing_before(
    view: View,
    stage: Stage,
    alpha: NDArray[np.float32],
    opaque: Sequence[tuple[NDArray[np.float32], bool]],
    room: Output,
    areas: Areas,
    places: Fragments,
    found: Rayed,
) -> tuple[Before, ...]:
    """Light of what is opaque, by some finishes' weights and with its parts or without, where it stands before a surface in pixels that both
    have a part in. It is worked out in the room of an output, which holds no matter what after it."""
    within = pixels_in(areas.tiles_in(alpha.shape), alpha.shape)
    with np.errstate(invalid="ignore"):
        both = within & (areas.before > _LEAST) & (areas.seen > _LEAST)
    rows, columns = np.nonzero(both)
    if not len(rows):
        return ()
    told = []
    for weights, planes in opaque:
        picture = replace(room.picture, identities=None, data=None)
        if not planes:
            picture = replace(picture, planes=None, groups={})
        elif picture.planes is None:
            picture = empty_picture(view.snapshot, planes=True)
        shade_outputs(view, stage, alpha, [Output(picture, weights, True)], places, found)
        light = replace(picture, identities=None, data=None).taken(rows, columns)
        told.append(Before(rows * alpha.shape[1] + columns, light, areas.before[rows, columns]))
    return tuple(told)


def _groups_at_a_time(snapshot: Snapshot) -> Iterator[tuple[list[str], NDArray[np.uint8]]]:
    """Groups of lights that shine on surfaces, as many at a time as there is memory for, and which of the lights but the ambient ones is in
    each [G, L]."""
    direct = [light.group for light in snapshot.lights if light.shape != "ambient"]
    names = [name for name in groups_of(snapshot) if name in direct]
    most = max(1, _MOST_IN_GROUPS // (snapshot.width * snapshot.height))
    for first in range(0, len(names), most):
        some = names[first : first + most]
        yield some, np.array([[one == name for one in direct] for name in some], np.uint8)


def _drawn_still(
    view: View,
    stage: Stage,
    depth: NDArray[np.float32],
    within: NDArray[np.bool_] | None,
    stacked: NDArray[np.uint8] | None,
) -> tuple[Fragments, NDArray[np.float32], Drawing | None]:
    """What is seen of a stage in which nothing moves (see ``draw_outputs``): fragments, the area [H, W] that they cover, into depth [H, W] how
    far it is, and by what it is drawn again; None where it never is."""
    scene, camera, quality = stage.scene, view.snapshot.camera, view.quality
    exactly = quality.edges_exactly and not view.hard
    entry = None
    if not exactly and is_small(camera.width, camera.height):
        # A stage's parts share its vertices; whether folds are counted matters, too.
        tiles = None if within is None else within.tobytes()
        entry = Entry(scene.vertices, camera, (view.samples, stage.part_key, tiles, stacked is None))
        if (seen := entry.find()) is not None:
            depth[:] = seen.depth
            if stacked is not None and seen.stacked is not None:
                np.maximum(stacked, seen.stacked, out=stacked)
            return seen.fragments, seen.alpha, None
    corners, distances = view.corners()
    scale = DepthScale.of(camera, distances)
    fragments, alpha, drawing = rasterise(
        corners,
        scale.order(distances),
        scene.triangles,
        scene.cull,
        scene.patches,
        scene.facing,
        near=scale.near,
        least_w=scale.least_w,
        width=camera.width,
        height=camera.height,
        samples=view.samples,
        edges_exactly=exactly,
        depth=depth,
        within=within,
        drawn=stage.drawn,
        own=stage.own,
        passed=stage.passed,
    )
    if stacked is not None:
        count_folds(drawing.bins, drawing.own, depth.shape, fragments.order, stacked)
    if camera.parallel:
        depth[:] = scale.depth(drawing.depth, NO_DEPTH)
    if entry is not None:
        entry.keep(Seen(fragments, alpha, depth, stacked))
    return fragments, alpha, drawing


def _areas_of(
    view: View,
    stage: Stage,
    output: Output,
    fragments: Fragments,
    alpha: NDArray[np.float32],
    depth: NDArray[np.float32],
) -> Areas | None:
    """Where what an output shows is seen, and its depth; of one that is not lit also its alpha."""
    picture, scene, weights = output.picture, stage.scene, output.weights
    height, width = depth.shape
    if not output.some:
        picture.depth[:] = depth
        return None
    seen, before = np.empty((height, width), np.float32), np.empty((height, width), np.float32)
    cover = np.empty((0, width) if output.lit else (height, width), np.float32)
    if not output.lit:
        cover.fill(0)
    PARALLEL.by_parts(areas_of, fragments, scene.finish_of, weights, alpha, seen, before, cover)
    if not output.lit:
        picture.beauty[..., 3] = cover
        if not (weights >= 0).any():
            return Areas(seen, before, fragments.order)
    camera = view.snapshot.camera
    # In an orthographic picture something may lie behind the camera; the kernel has signs of its own.
    behind = max(0.0, 1.0 - float(depth.min())) if camera.parallel else 0.0
    picture.depth[:] = np.where(depth < NO_DEPTH, depth + np.float32(behind), depth) if behind else depth
    PARALLEL.by_parts(
        depth_of_seen,
        fragments,
        stage.surfaces,
        weights,
        viewpoint(camera),
        np.array([*camera.axes[2], behind - camera.axes[2] @ camera.eye]),
        np.float32(NO_DEPTH),
        picture.depth,
    )
    if behind:
        np.subtract(picture.depth, np.float32(behind), out=picture.depth, where=picture.depth < NO_DEPTH)
    return Areas(seen, before, fragments.order)


def tell_what_stands(view: View, stage: Stage, fragments: Fragments, output: Output) -> None:
    """What stands in each pixel of an output, and where it is, faces and moves to, if that is wanted."""
    picture, camera = output.picture, view.snapshot.camera
    if picture.data is None or picture.planes is None:
        return
    PARALLEL.by_parts(
        mark,
        fragments,
        stage.surfaces,
        Told.of(view.snapshot, view.numbers, stage.scene.triangles),
        output.weights if output.some else np.ones(len(view.numbers), np.float32),
        viewpoint(camera),
        picture.identities,
        picture.data,
    )
    # To the right, up and towards the camera.
    towards = camera.axes * np.array([[1.0], [1.0], [-1.0]])
    normals = picture.planes[..., FACING : FACING + 3]
    picture.data[..., NORMAL : NORMAL + 3] = normals
    picture.data[..., CAMERA_NORMAL : CAMERA_NORMAL + 3] = normals @ towards.T.astype(np.float32)


def cut_by_pictures(
    view: View, stage: Stage, places: Fragments, alpha: NDArray[np.float32], gone: NDArray[np.float32]
) -> None:
    """Leave of fragments what pictures say is there (``coverage.cut_out``), in place."""
    light, camera = view.light, view.snapshot.camera
    PARALLEL.by_parts(
        cut_out,
        places,
        stage.surfaces,
        light.finishes,
        view.textures(stage),
        viewpoint(camera),
        np.float32(1 / camera.focal),
        alpha,
        gone,
    )


def _catch(
    view: View,
    stage: Stage,
    places: Fragments,
    rayed: Rayed,
    alpha: NDArray[np.float32],
    gone: NDArray[np.float32],
    seen: Sequence[NDArray[np.float32]],
) -> None:
    """Leave of what is shadow only where light is kept from it (``coverage.catch_shadows``), in place."""
    light = view.light
    nothing = np.empty((0, view.snapshot.width), np.float32)
    PARALLEL.by_parts(
        catch_shadows,
        places,
        stage.surfaces,
        light.finishes,
        light.shining,
        viewpoint(view.snapshot.camera),
        rayed.values,
        alpha,
        seen[0] if seen else nothing,
        gone,
    )


def _shared_by_flat(view: View, stage: Stage, drawing: Drawing, places: Fragments) -> NDArray[np.uint8] | None:
    """Which pixels [H, W] several flat surfaces take, or may take, and nothing else (``flat_edges``); None where there is none."""
    flat = view.flat_triangles()
    if drawing.passed or not flat.any():
        return None
    seen, shared = np.full(drawing.alpha.shape, -1, np.int32), np.zeros(drawing.alpha.shape, np.uint8)
    PARALLEL.by_parts(tell_flat, places, stage.scene.patches, flat, seen)
    find_shared(seen, drawing.alpha, shared)
    return shared if shared.any() else None


def _even_out(
    stage: Stage, drawing: Drawing, places: Fragments, shared: NDArray[np.uint8] | None, *, again: bool = False
) -> None:
    """Give flat surfaces that share pixels what they have of them (``flat_edges``), in place; drawn again, pixels stay as full as they are."""
    if shared is not None:
        told = drawing.alpha, drawing.depth, drawing.marks
        told = (told[0][:0], told[1][:0], told[2][:0]) if again else told
        PARALLEL.by_parts(even_out, places, stage.scene.patches, shared, drawing.bins, *told)


def _refine(
    view: View,
    stage: Stage,
    drawing: Drawing,
    fragments: Fragments,
    rayed: Rayed,
    alpha: NDArray[np.float32],
    beauty: NDArray[np.float32],
    lit: Callable[..., None],
    covered: tuple[NDArray[np.float32], NDArray[np.float32]],
    shared: NDArray[np.uint8] | None,
) -> None:
    """Shade pixels that need it at more places, in place of beauty; see ``finer``. covered are weights and area of ``fit_shares``; shared as
    in ``_even_out``."""
    snapshot, light = view.snapshot, view.light
    height, width = alpha.shape
    nothing = np.empty((0, width), np.float32)
    limit = np.float32(snapshot.error / 255)
    mirrors = snapshot.bounces > 0
    rounds = _ROUNDS if mirrors else 1
    rough = kept("rough", (height, width), np.float32)
    PARALLEL.by_parts(least_roughness, fragments, stage.scene.finish_of, light.finishes, rough)
    tones = kept("tones", (height, width, 3), np.float32)
    done, sides = np.zeros((height, width), np.uint8), kept("sides", (height, width), np.uint8)
    bends, doubt = kept("bends", (height, width), np.float32), kept("doubt", (height, width), np.float32)
    heaps = Heaps(height, width)
    for number in range(rounds):
        tones_of(beauty, tones)
        bends_of(tones, bends)
        find_busy(bends, tones, alpha, drawing.marks, doubt, limit, number == 0, rough, mirrors, done, sides)
        if not sides.any():
            continue
        places = drawing.again(sides)
        _even_out(stage, drawing, places, shared, again=True)
        if light.cuts:
            cut_by_pictures(view, stage, places, nothing, nothing)
        weights, area = covered
        fit = places, stage.scene.finish_of, weights, area
        if not light.catches:
            fit_shares(*fit)
        found = cast_again(snapshot, stage, light, places, fragments, rayed, sides, heaps)
        if light.catches:
            _catch(view, stage, places, found, nothing, nothing, [])
            fit_shares(*fit)
        lit(places, found, sides, doubt)
        note_done(sides, done)
