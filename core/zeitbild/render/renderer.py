"""One frame: snapshot and quality in, picture out."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL
from zeitbild.render.backdrop import behind
from zeitbild.render.buffers import kept, lent
from zeitbild.render.camera import DepthScale
from zeitbild.render.finer import bends_of, find_busy, fit_shares, note_done, tones_of
from zeitbild.render.finish_row import OPACITY, made_opaque, opacity_of
from zeitbild.render.identity import SLOTS, mark, moves_of, numbers_of, projection_of
from zeitbild.render.picture import NO_DEPTH, Picture
from zeitbild.render.pixel_filter import ONE_PIXEL
from zeitbild.render.pixel_look import PixelLook, enlarge, finish_pixels, harden
from zeitbild.render.quality import Quality
from zeitbild.render.secondary import Rayed, cast_again, cast_rays
from zeitbild.render.see_through import Areas, areas_of, drop_hidden, lay_over, see_through_places
from zeitbild.render.shading import (
    AROUND,
    BEHIND,
    CAMERA_NORMAL,
    DIFFUSE,
    EMISSION,
    LOOKS,
    MOTION,
    NORMAL,
    PLANES,
    SPECULAR,
    shade,
)
from zeitbild.render.stage import Lighting, Stage, lighting_of, stage_of, viewpoint
from zeitbild.render.sweep_kernel import LANES
from zeitbild.render.sweeping import draw, rayed_places, shifts_of, stands, stretches_of, ways_of, without_hidden
from zeitbild.render.tile_kernel import RASTERISERS_AGAIN
from zeitbild.render.visibility import Drawing, Fragments, rasterise

if TYPE_CHECKING:
    from zeitbild.resolve.snapshot import Snapshot

#: Part of every frame key: raise it whenever the same snapshot would give other pixels.
RENDERER_VERSION = 13


def _lay_under(beauty: NDArray[np.float32], backdrop: NDArray[np.float32]) -> None:
    """Put an opaque colour (linear, [3] or [H, W, 3]) under a premultiplied picture, in place.

    Over of Porter and Duff 1984.
    """
    beauty[..., :3] += (1 - beauty[..., 3:]) * backdrop
    beauty[..., 3] = 1


def render(snapshot: Snapshot, quality: Quality, *, planes: bool = False) -> Picture:
    """Render a snapshot; with ``planes`` also what beauty is made of (``Picture.planes``).

    The same snapshot and quality give the same bytes, whatever the number of threads.
    """
    if snapshot.pixels is None:
        # What moves while the shutter is open shows no fine edges.
        blurred = bool(snapshot.stations)
        snapshot = snapshot.built(
            replace(quality, curve_error=max(quality.curve_error, _BLURRED)) if blurred else quality
        )
    if snapshot.pixels is not None:
        picture = _pixels(snapshot, snapshot.pixels, quality, planes)
    elif snapshot.stations:
        picture = _blurred(snapshot, quality, planes)
    else:
        picture = _still(snapshot, quality, snapshot.samples_at(quality), planes)
    if snapshot.pixels is None and snapshot.filter != ONE_PIXEL:
        picture = picture.map(snapshot.filter.apply)
    backdrop = behind(snapshot)
    if backdrop is None:
        return picture
    if picture.planes is not None:
        picture.planes[..., BEHIND : BEHIND + 3] = (1 - picture.beauty[..., 3:]) * backdrop
    _lay_under(picture.beauty, backdrop)
    # Nothing is clear any more.
    return replace(picture, covered=None)


def _still(
    snapshot: Snapshot,
    quality: Quality,
    samples: int,
    planes: bool,
    *,
    shift: tuple[float, float] = (0.0, 0.0),
    hard: bool = False,
    numbers: list[tuple[int, int]] | None = None,
) -> Picture:
    """The set at one moment or in a stretch of open shutter (if it has stations), nothing behind it; shift moves a
    stretch's samples, in pixels; hard gives pixels whole.

    numbers are those of ``identity.numbers_of``, if elements were left out before.
    """
    if numbers is None:
        numbers = numbers_of(snapshot)
    starts = [0, *np.cumsum([len(element.finishes) for element in snapshot.elements])]
    veiled = see_through_places(snapshot)
    if not veiled:
        return _solid(snapshot, quality, samples, planes, shift, hard, numbers)[0]
    solid = tuple(place for place in range(len(snapshot.elements)) if place not in veiled)

    def part(*places: int, shown: int | None = None) -> tuple[Picture, Areas | None]:
        own = [one for place in places for one in numbers[starts[place] : starts[place + 1]]]
        number = None if shown is None else numbers[starts[shown]][0]
        return _solid(snapshot.only(places), quality, samples, planes, shift, hard, own, number)

    opaque, _ = part(*solid)
    area = opaque.beauty[..., 3].copy()
    picture = replace(opaque, covered=area.copy())
    for place in veiled:
        PARALLEL.breathe()
        front, areas = part(*solid, place, shown=place)
        assert areas is not None
        lay_over(front, picture, areas, area)
    return picture


def _solid(
    snapshot: Snapshot,
    quality: Quality,
    samples: int,
    planes: bool,
    shift: tuple[float, float],
    hard: bool,
    numbers: list[tuple[int, int]],
    shown: int | None = None,
) -> tuple[Picture, Areas | None]:
    """All elements as if nothing showed through them, or, of the element numbered ``shown``, what is seen of it, and where.

    numbers are those of element and finish of each finish (``identity.numbers_of``).
    """
    width, height = snapshot.width, snapshot.height
    groups = dict.fromkeys(light.group for light in snapshot.lights if light.shape != "ambient")
    if snapshot.elements:
        beauty, depth = lent("beauty", (height, width, 4), np.float32), lent("depth", (height, width), np.float32)
    else:
        beauty, depth = np.zeros((height, width, 4), np.float32), np.full((height, width), NO_DEPTH, np.float32)
    picture = Picture(
        beauty,
        depth,
        np.zeros((height, width, PLANES), np.float32) if planes else None,
        {name: np.zeros((height, width, 3), np.float32) for name in groups} if planes else {},
        np.full((height, width, 2, SLOTS, 2), (-1, 0), np.float32) if planes else None,
    )
    areas = _draw(snapshot, quality, samples, shift, hard, numbers, shown, picture) if snapshot.elements else None
    return picture, areas


def _blurred(snapshot: Snapshot, quality: Quality, planes: bool) -> Picture:
    """The mean over the time in which the shutter is open; depth is that of the nearest surface in any moment."""
    stretches = list(stretches_of(snapshot, quality))
    shifts = shifts_of(len(stretches))
    # What stands still has as many samples as in a still picture, and more.
    samples = LANES if len(stretches) < _MANY_STRETCHES else LANES // 2
    # Stretches share out rays as they do samples.
    each = replace(quality, rays=max(1, quality.rays // min(len(stretches), 2)), edges_exactly=False)
    total: Picture | None = None
    middle = None
    for number, (stretch, shift) in enumerate(zip(stretches, shifts, strict=True)):
        PARALLEL.breathe()
        picture = _still(stretch, each, samples, planes, shift=shift)
        if number == len(stretches) // 2:
            middle = picture.identities
        if total is None:
            total = picture
            continue
        np.add(total.beauty, picture.beauty, out=total.beauty)
        np.minimum(total.depth, picture.depth, out=total.depth)
        if total.planes is not None and picture.planes is not None:
            np.add(total.planes, picture.planes, out=total.planes)
        for name, values in total.groups.items():
            np.add(values, picture.groups[name], out=values)
        if total.covered is not None and picture.covered is not None:
            np.add(total.covered, picture.covered, out=total.covered)
    assert total is not None
    share = np.float32(1 / len(stretches))
    return replace(total.map(lambda values: np.multiply(values, share, out=values)), identities=middle)


def _pixels(snapshot: Snapshot, look: PixelLook, quality: Quality, planes: bool) -> Picture:
    """The small raster of the pixel look, enlarged. It looks the same at every quality but for its rays."""
    small = snapshot.at_raster(snapshot.width // look.enlarge, snapshot.height // look.enlarge).built(quality)
    kept, numbers = _belonging(small)
    picture = _still(kept, quality, 16, planes, hard=True, numbers=numbers)
    finish_pixels(look, picture.beauty, picture.depth)
    if picture.planes is not None:
        # What palette and outline change is light of its own: beauty stays the sum of its parts.
        parts = (DIFFUSE, SPECULAR, AROUND, EMISSION)
        lit = np.sum([picture.planes[..., first : first + 3] for first in parts], axis=0)
        picture.planes[..., EMISSION : EMISSION + 3] += picture.beauty[..., :3] - lit
        # Counted in the small raster's pixels so far.
        picture.planes[..., MOTION : MOTION + 2] *= look.enlarge
    large = picture.map(lambda values: enlarge(values, look.enlarge))
    identities = None if picture.identities is None else enlarge(picture.identities, look.enlarge)
    return replace(large, depth=enlarge(picture.depth, look.enlarge), identities=identities, covered=None)


def _belonging(snapshot: Snapshot) -> tuple[Snapshot, list[tuple[int, int]]]:
    """The snapshot without what is more see-through than not, and the rest opaque: a pixel belongs or does not.

    Also the numbers of what is left (``identity.numbers_of``).
    """

    def hides(place: int) -> bool:
        return any(opacity_of(finish) >= 0.5 for finish in snapshot.elements[place].finishes)

    places = tuple(place for place in range(len(snapshot.elements)) if hides(place))
    kept = snapshot.only(places)
    opaque = tuple(replace(one, finishes=tuple(made_opaque(row) for row in one.finishes)) for one in kept.elements)
    return replace(kept, elements=opaque), [one for one in numbers_of(snapshot) if one[0] in places]


def _draw(
    snapshot: Snapshot,
    quality: Quality,
    samples: int,
    shift: tuple[float, float],
    hard: bool,
    numbers: list[tuple[int, int]],
    shown: int | None,
    picture: Picture,
) -> Areas | None:
    """Fill every plane that a new picture has; see ``_solid``."""
    height, width = picture.depth.shape
    camera = snapshot.camera
    swept = len(snapshot.stations) > 0
    stage = stage_of(snapshot)
    if swept:
        ends = snapshot.stations[0], snapshot.stations[-1]
        stage = Stage(stage.scene, (), tuple(stands(snapshot, stage.scene, one) for one in ends))
    scene = stage.scene
    light = lighting_of(snapshot)
    numbered = np.array(numbers, np.int32).reshape(-1, 2)
    weights = np.empty(0, np.float32)
    if shown is not None:
        weights = np.where(numbered[:, 0] == shown, light.finishes[:, OPACITY], np.float32(-1)).astype(np.float32)
    areas = None
    with PARALLEL:
        drawing = stretch = None
        if swept:
            stretch = draw(snapshot, stage, quality, samples, shift, picture.depth)
            fragments, alpha = stretch.fragments, stretch.alpha
        else:
            corners = camera.project(scene.vertices)
            distances = camera.distance(scene.vertices) if camera.parallel else corners[:, 2]
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
                width=width,
                height=height,
                samples=samples,
                edges_exactly=quality.edges_exactly and not hard,
                depth=picture.depth,
            )
            if camera.parallel:
                picture.depth[:] = scale.depth(drawing.depth, NO_DEPTH)
        if hard:
            harden(fragments.order, fragments.pixel, fragments.counts, fragments.firsts, width, fragments.share, alpha)
        if shown is not None:
            seen = np.empty((height, width), np.float32)
            lists = fragments.order, fragments.pixel, fragments.triangle, fragments.counts, fragments.firsts
            areas_of(*lists, width, fragments.share, scene.finish_of, weights, seen)
            areas = Areas(seen, np.maximum(alpha - seen, 0))
            # Of what only hides nothing is lit.
            if stretch is not None:
                without_hidden(stretch, scene.finish_of, weights)
            else:
                moved = np.empty(len(fragments.pixel), np.int32)
                drop_hidden(*fragments.lists, np.empty((0, 2), np.float32), scene.finish_of, weights, moved)
        moves = ways_of(snapshot) if swept else None
        rayed = cast_rays(snapshot, quality, stage, light, fragments, picture.depth, moves)
        shaded = fragments
        if stretch is not None and moves is not None:
            shaded, rayed = stretch.places, rayed_places(snapshot, stage, light, stretch, rayed, moves)
        nowhere = np.empty((0, width), np.uint8)

        def lit_by(
            light: Lighting,
            beauty: NDArray[np.float32],
            planes: NDArray[np.float32],
            places: Fragments = shaded,
            found: Rayed = rayed,
            sides: NDArray[np.uint8] = nowhere,
            doubt: NDArray[np.float32] = np.empty((0, width), np.float32),
        ) -> None:
            PARALLEL.by_parts(
                shade,
                *places.lists,
                width,
                places.edges,
                stage.places,
                scene.normals,
                scene.finish_of,
                light.with_room(LOOKS),
                viewpoint(camera),
                light.rows,
                light.touched,
                light.ambients,
                light.maps,
                light.table,
                found.spots,
                found.lift,
                found.values,
                snapshot.bounces > 0,
                # Of a stretch no place beside a fragment is known that would tell how wide a tone's border is.
                hard or swept,
                weights,
                np.float32(1 / camera.focal),
                light.spaces,
                light.texels.values,
                light.texels.table,
                alpha,
                sides,
                doubt,
                beauty,
                planes,
            )

        no_planes = np.empty((0, width, PLANES), np.float32)
        lit_by(light, picture.beauty, no_planes)
        if drawing is not None and quality.edges_exactly and not hard and samples in RASTERISERS_AGAIN:
            _refine(snapshot, stage, light, drawing, fragments, rayed, alpha, picture.beauty, lit_by)
        if picture.planes is None:
            return areas
        # The groups share everything that was found out about the fragments: only shading is done again for each.
        scratch = np.empty_like(picture.beauty)
        for name, values in picture.groups.items():
            lit_by(light.of_group(snapshot.lights, name), scratch, picture.planes)
            values[:] = picture.planes[..., DIFFUSE : DIFFUSE + 3] + picture.planes[..., SPECULAR : SPECULAR + 3]
        lit_by(light, picture.beauty, picture.planes)
        mark(
            *fragments.lists,
            width,
            fragments.edges,
            stage.places,
            scene.normals,
            scene.finish_of,
            numbered,
            weights if shown is not None else np.ones(len(numbered), np.float32),
            moves_of(snapshot),
            projection_of(camera),
            viewpoint(camera),
            picture.identities,
            picture.planes,
        )
    # To the right, up and towards the camera.
    towards = camera.axes * np.array([[1.0], [1.0], [-1.0]])
    normals = picture.planes[..., NORMAL : NORMAL + 3]
    picture.planes[..., CAMERA_NORMAL : CAMERA_NORMAL + 3] = normals @ towards.T.astype(np.float32)
    return areas


#: Pixels that silhouettes may be off where everything is blurred.
_BLURRED = 0.2
#: So many stretches have samples enough with half of those that they can have.
_MANY_STRETCHES = 6
#: How often pixels are looked over and cut (``finer``) where mirrors show the set; and so much more may pixels differ before they
#: are cut where they do not.
_ROUNDS, _CALM = 2, 3


def _refine(
    snapshot: Snapshot,
    stage: Stage,
    light: Lighting,
    drawing: Drawing,
    fragments: Fragments,
    rayed: Rayed,
    alpha: NDArray[np.float32],
    beauty: NDArray[np.float32],
    lit_by: Callable[..., None],
) -> None:
    """Shade pixels that need it at more places, in place of beauty; see ``finer``."""
    height, width = alpha.shape
    # Of what is not mirrored from the set, highlights are integrals already, and one look is enough.
    limit = np.float32(snapshot.error / 255 * (1 if snapshot.bounces else _CALM))
    rounds = _ROUNDS if snapshot.bounces else 1
    tones = kept("tones", (height, width, 3), np.float32)
    done, sides = np.zeros((height, width), np.uint8), kept("sides", (height, width), np.uint8)
    bends, doubt = kept("bends", (height, width), np.float32), kept("doubt", (height, width), np.float32)
    no_planes = np.empty((0, width, PLANES), np.float32)
    # A mirror ray shows one thing of many that its place mirrors: so few would agree by chance.
    first_cells = np.uint8(4 if snapshot.bounces else 2)
    for number in range(rounds):
        tones_of(beauty, tones)
        bends_of(tones, bends)
        find_busy(bends, tones, alpha, drawing.marks, doubt, limit, number == 0, first_cells, done, sides)
        if not sides.any():
            continue
        places = drawing.again(sides)
        fit_shares(places.order, places.pixel, places.counts, places.firsts, width, alpha, places.share)
        found = cast_again(snapshot, stage, light, places, fragments, rayed, (height, width))
        lit_by(light, beauty, no_planes, places, found, sides, doubt)
        note_done(sides, done)
