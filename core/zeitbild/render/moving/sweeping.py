"""Motion blur: how many moments the fastest visible point needs, and what each stretch of the open shutter shows.

What moves slowly is at final the mean of a few stills, each with its exact edges and all the places it needs (``stills_needed``). Else
the shutter is open for one or more stretches. Within each every sample of a pixel has a moment of its own
(``sweep_kernel``), shadow rays have theirs (``rays``), and surfaces are lit as at the stretch's middle.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from zeitbild.geometry.transforms import put
from zeitbild.kernels import PARALLEL
from zeitbild.render.moving.sweep_kernel import (
    MOST_SLICES,
    Drawn,
    Middle,
    Sampling,
    Stood,
    Telling,
    find_runs,
    follow,
    sample_times,
    sweep,
    take_over,
)
from zeitbild.render.picture import NO_DEPTH
from zeitbild.render.rays.secondary import Rayed, located
from zeitbild.render.stage import Lighting, Stage, viewpoint
from zeitbild.render.visible.areas import drop_hidden
from zeitbild.render.visible.folds import count_folds
from zeitbild.render.visible.identity import projection_of
from zeitbild.render.visible.lists import Runs
from zeitbild.render.visible.sampling import sample_offsets
from zeitbild.render.visible.triangle_setup import STRETCHES, TILE, Bins, count_bins, fill_bins, set_up
from zeitbild.render.visible.visibility import Fragments, spread
from zeitbild.render.world.buffers import kept
from zeitbild.render.world.scene import Scene
from zeitbild.render.world.ways import Ways, bent, stands, turned
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.camera import DepthScale
from zeitbild.snapshot.quality import Quality


@dataclass(frozen=True, slots=True)
class Pace:
    """What a quality spends on motion.

    step is that from moment to moment in pixels; degrees what anything may turn in a stretch, and slice what it may turn while
    it is lit as at one time; lean the degrees that normals lean apart that are shaded as one; moments of a stretch at least (if they are not
    too many triangles) and at most, and stretches at most. shares: every surface of a pixel shares rays, not only its largest.
    """

    step: float
    degrees: float
    slice: float
    lean: float
    fewest: int
    moments: int
    stretches: int
    shares: bool


PACES: dict[str, Pace] = {
    "rough": Pace(6.0, 45.0, 15.0, 30.0, 4, 16, 1, False),
    "check": Pace(3.0, 15.0, 4.0, 12.0, 4, 32, 4, False),
    "final": Pace(1.4, 8.0, 1.5, 8.0, 8, 32, 32, True),
}
#: Stills of which a slow frame is the mean: odd numbers, so that one of them stands in the middle, where surfaces are told of as numbers. Pixels
#: that anything goes from one to the next, degrees that it turns, and pixels up to which the one in the middle is enough.
_STILLS, _STILL_STEP, _STILL_TURN, _STANDS = (3, 5), 1.0, 1.7, 0.25
#: Fragments and places of a tile that there is room for at first; most tiles are empty.
_ROOM = 16
#: Tiles that things go in a stretch, mostly.
_AWAY = 2
_rooms: dict[tuple[int, ...], NDArray[np.int64]] = {}
#: Drawings (by size, triangles and which of them are drawn) of which it is known how many they need.
_KNOWN = 64
#: Degrees that normals lean apart that share rays.
_RAYS_LEAN = 20.0
#: Stretches at least where light or finishes change, if a quality takes so many.
_LIT = 8
#: Points of an element whose ways are measured, and moments at which.
_POINTS, _LOOKS = 2000, 17
#: How many moments a stretch may have.
_MOMENTS = (4, 8, 16, 32)
#: Triangles of all moments of a stretch; about 130 bytes each.
_MOST_TRIANGLES = 2_500_000


def _fastest(snapshot: Snapshot) -> float:
    """Pixels that the fastest visible point goes while the shutter is open."""
    camera = snapshot.camera
    marks = sorted({round(k * (len(snapshot.stations) - 1) / (_LOOKS - 1)) for k in range(_LOOKS)})
    longest = 0.0
    for place, mesh in enumerate(snapshot.built_meshes):
        matrices = [np.array(snapshot.stations[mark][place]).reshape(4, 4) for mark in marks]
        bends = bool(snapshot.bodies[place].bends)
        if not len(mesh.vertices) or (not bends and all((one == matrices[0]).all() for one in matrices)):
            continue
        some = slice(None, None, max(1, len(mesh.vertices) // _POINTS))
        points = mesh.vertices[some]
        before = None
        way = np.zeros(len(points))
        for mark, matrix in zip(marks, matrices, strict=True):
            if bends:
                points = snapshot.bodies[place].points_at(mark / (len(snapshot.stations) - 1))[some]
            projected = camera.project(put(matrix, points))
            ahead = projected[:, 2] > camera.near
            flat = projected[:, :2] / np.where(ahead, projected[:, 2], 1)[:, None]
            inside = ahead & (flat > 0).all(axis=1) & (flat < (camera.width, camera.height)).all(axis=1)
            if before is not None:
                step = np.linalg.norm(flat - before[0], axis=1)
                way += np.where(inside | before[1], np.where(ahead, step, 0), 0)
            before = flat, inside
        longest = max(longest, float(way.max()))
    return longest


def _motion(snapshot: Snapshot) -> tuple[float, float]:
    """Pixels that the fastest visible point goes while the shutter is open, and degrees that anything turns or bends."""
    # Through a camera that moves, what stands still moves, too.
    looks = np.linspace(0, 1, len(snapshot.stations))
    stations = snapshot.as_seen([float(time) for time in looks]) if snapshot.views else snapshot.stations
    degrees = max(
        (
            sum(turned(a[place], b[place]) for a, b in zip(stations, stations[1:], strict=False)) + bent(body)
            for place, body in enumerate(snapshot.bodies)
        ),
        default=0.0,
    )
    return _fastest(replace(snapshot, stations=stations, views=())), degrees


def stills_needed(snapshot: Snapshot, quality: Quality) -> int:
    """Of how many stills a frame with an open shutter is to be the mean; 0 if too much moves for that, or a quality does without exact edges."""
    if not quality.edges_exactly or snapshot.moments:
        return 0
    fastest, degrees = _motion(snapshot)
    if fastest <= _STANDS and degrees <= _STILL_TURN:
        return 1
    needed = max(fastest / _STILL_STEP, degrees / _STILL_TURN)
    return next((count for count in _STILLS if needed <= count), 0)


def stills_of(snapshot: Snapshot, count: int) -> Iterator[Snapshot]:
    """The set as it stands in the middle of each of so many stretches of the open shutter."""
    for number in range(count):
        yield replace(snapshot.stretch([(number + more) / count for more in (0, 0.5, 1)]), stations=())


def stretches_of(snapshot: Snapshot, quality: Quality) -> Iterator[Snapshot]:
    """The set in each stretch of the open shutter: bodies as at its middle, stations at twice as many moments.

    Every second station is a moment; the others lie between. Until the next frame things go as far as before.
    """
    pace = PACES[quality.name]
    fastest, degrees = _motion(snapshot)
    steps = fastest / pace.step
    least = min(max(math.ceil(degrees / pace.degrees), _LIT if snapshot.moments else 1), pace.stretches)
    triangles = max(1, sum(len(mesh.triangles) for mesh in snapshot.built_meshes))
    possible = [one for one in _MOMENTS if one <= pace.moments and (one == 4 or one * triangles <= _MOST_TRIANGLES)]
    choices = [
        (max(least, min(math.ceil(steps / moments), pace.stretches)), moments)
        for moments in possible
        if moments >= min(pace.fewest, possible[-1])
    ]
    # A stretch costs about as much as thirty moments do.
    count, moments = min(choices, key=lambda one: one[0] * (30 + one[1]))
    for number in range(count):
        times = (number + np.arange(2 * moments + 1) / (2 * moments)) / count
        yield snapshot.stretch([float(time) for time in times])


def _shares_themselves(count: int) -> NDArray[np.float64]:
    """Edge functions [T, 9] of which the two picture coordinates are shares of a triangle's second and third corner."""
    return np.broadcast_to(np.array([-1.0, -1, 1, 1, 0, 0, 0, 1, 0]), (count, 9)).copy()


def _alike(scene: Scene, lean: float) -> NDArray[np.int64]:
    """The same number [T] for triangles of a patch that face alike, to about so many degrees: cells of an octahedral map."""
    x, y, z = scene.facing.T.astype(np.float64)
    scale = 1 / np.maximum(np.abs(x) + np.abs(y) + np.abs(z), 1e-9)
    x, y = x * scale, y * scale
    behind = z < 0
    u = np.where(behind, (1 - np.abs(y)) * np.where(x < 0, -1, 1), x)
    v = np.where(behind, (1 - np.abs(x)) * np.where(y < 0, -1, 1), y)
    cells = max(1, round(180 / lean))
    column, row = (np.minimum(((one + 1) / 2 * cells).astype(np.int64), cells - 1) for one in (u, v))
    alike: NDArray[np.int64] = (scene.patches.astype(np.int64) * cells + row) * cells + column
    return alike


@dataclass(frozen=True, slots=True, eq=False)
class Swept:
    """What a stretch shows: fragments, which take rays; the places they are shaded at, and how each stood; alpha [H, W]."""

    fragments: Fragments
    places: Fragments
    stood: Stood
    alpha: NDArray[np.float32]


def runs_of(swept: Swept, quality: Quality) -> Runs | None:
    """Where the surfaces of each pixel stand among the fragments of a stretch, so that each shares rays with what it continues in the next pixel;
    None if a quality does without."""
    if not PACES[quality.name].shares:
        return None
    first, many = (kept(f"swept {name}", swept.alpha.shape, np.int32) for name in ("first", "many"))
    if len(swept.fragments.order) < len(swept.fragments.firsts) - 1:
        # Of tiles in which nothing is drawn nobody tells anything, but those beside them are asked.
        first.fill(-1)
        many.fill(0)
    PARALLEL.by_parts(find_runs, swept.fragments, first, many)
    return Runs(first, many, np.empty(0, np.float32))


def rayed_places(snapshot: Snapshot, stage: Stage, light: Lighting, swept: Swept, found: Rayed, ways: Ways) -> Rayed:
    """What rays found out, for the places of a stretch; each stands where it was at its own time."""
    places = swept.places
    height, width = swept.alpha.shape
    spots, lift, _, _ = located(snapshot, stage, light, places, (height, width), "swept ")
    rayed = kept("swept rayed", (len(places.pixel) if len(found.values) else 0, found.values.shape[1]), np.float32)
    PARALLEL.by_parts(
        take_over,
        places,
        stage.surfaces,
        _middle(snapshot, stage),
        swept.stood,
        light.finishes,
        ways,
        viewpoint(snapshot.camera),
        spots,
        found.values,
        rayed,
    )
    return Rayed(spots, lift, rayed)


def without_hidden(
    swept: Swept, finish_of: NDArray[np.int32], weights: NDArray[np.float32], *, beside: bool = False
) -> None:
    """Leave out what is not to be seen (``areas.drop_hidden``), in place."""
    fragments, places = swept.fragments, swept.places
    moved, places_moved = (np.empty(len(one.pixel), np.int32) for one in (fragments, places))
    before = places.counts.copy()
    PARALLEL.by_parts(drop_hidden, fragments, finish_of, weights, beside, moved)
    PARALLEL.by_parts(drop_hidden, places, finish_of, weights, beside, places_moved)
    PARALLEL.by_parts(follow, places, before, places_moved, moved, swept.stood)


def _middle(snapshot: Snapshot, stage: Stage) -> Middle:
    """The picture at the middle of a stretch."""
    camera, scene = snapshot.camera, stage.scene
    a, b, c = np.moveaxis(camera.project(scene.vertices)[scene.triangles], 1, 0)
    rows = np.stack([np.cross(b, c), np.cross(c, a), np.cross(a, b)], axis=1)
    sizes = (a * rows[:, 0]).sum(axis=1)
    edges = (rows * np.where(sizes < 0, -1.0, 1.0)[:, None, None]).reshape(-1, 9)
    forward = projection_of(camera)[2].astype(np.float32)
    return Middle(edges, np.abs(sizes), forward)


def _moments_of(snapshot: Snapshot, scene: Scene, columns: int, tiles: int) -> tuple[Drawn, DepthScale]:
    """Every second station drawn on its own, and what depths go by: one for all moments, so that they compare. Hold ``kernels.PARALLEL``;
    good until the next call."""
    camera = snapshot.camera
    standing = [stands(snapshot, one) for one in range(1, len(snapshot.stations), 2)]
    moments, count = len(standing), len(scene.triangles)
    scaled = kept("swept scaled", (moments, count, 12), np.float64)
    boxes = kept("swept boxes", (moments, count, 4), np.int32)
    edges = kept("edges", (count, 9), np.float64)
    corners = kept("swept corners", (moments, len(scene.vertices), 3), np.float32)
    starts = np.zeros((moments, tiles + 1), np.int64)
    members: list[NDArray[np.int32]] = []
    distances = [camera.distance(vertices) for vertices in standing] if camera.parallel else []
    scale = DepthScale.of(camera, np.concatenate(distances) if distances else np.ones(1))
    every = np.arange(count, dtype=np.int32)
    for number, vertices in enumerate(standing):
        PARALLEL.breathe()
        projected = camera.project(vertices)
        corners[number] = projected
        order = scale.order(distances[number] if distances else projected[:, 2])
        width, height = camera.width, camera.height
        own_boxes = boxes[number]
        set_up(
            every,
            projected,
            order,
            scene.triangles,
            scene.cull,
            scale.least_w,
            width,
            height,
            edges,
            scaled[number],
            own_boxes,
        )
        bins = np.zeros((tiles, STRETCHES), np.int64)
        count_bins(every, own_boxes, columns, bins)
        ends = np.cumsum(bins).reshape(bins.shape)
        own = np.empty(int(ends[-1, -1]), np.int32)
        bins = ends - bins
        first = starts[number - 1, -1] if number else 0
        starts[number] = np.append(bins[:, 0], ends[-1, -1]) + first
        fill_bins(every, own_boxes, columns, bins, own)
        members.append(own)
    return Drawn(scaled, boxes, starts, np.concatenate(members), corners, scene.triangles), scale


def _slices_of(snapshot: Snapshot, pace: Pace, samples: int) -> tuple[int, NDArray[np.bool_]]:
    """Into how many slices of time a stretch is cut for shading (a power of two), and which finishes [F] move in it."""
    before, middle, after = (snapshot.stations[at] for at in (0, len(snapshot.stations) // 2, -1))
    placements, share = list(zip(before, middle, after, strict=True)), snapshot.part[1] - snapshot.part[0]
    degrees = max(
        turned(a, b) + turned(b, c) + share * bent(body)
        for (a, b, c), body in zip(placements, snapshot.bodies, strict=True)
    )
    slices = 1
    while slices < min(MOST_SLICES, samples) and degrees / slices > pace.slice:
        slices *= 2
    stirs = [a != b or b != c or bool(body.bends) for (a, b, c), body in zip(placements, snapshot.bodies, strict=True)]
    return slices, np.repeat(stirs, [len(body.finishes) for body in snapshot.bodies])


def draw(
    snapshot: Snapshot,
    stage: Stage,
    quality: Quality,
    samples: int,
    shift: tuple[float, float],
    depth: NDArray[np.float32],
    stacked: NDArray[np.uint8] | None = None,
    within: NDArray[np.bool_] | None = None,
) -> Swept:
    """Draw a stretch; depth [H, W] is written, and stacked [tiles], if they are given (``folds``). samples a pixel; shift moves them within
    it, in pixels. Nothing is drawn but within some tiles [tiles], if they are given.

    Hold ``kernels.PARALLEL``; good until the next call.
    """
    scene, pace = stage.scene, PACES[quality.name]
    height, width = depth.shape
    count = len(scene.triangles)
    columns, rows = -(-width // TILE), -(-height // TILE)
    tiles = columns * rows
    drawn, scale = _moments_of(snapshot, scene, columns, tiles)
    spots = sample_times(samples)
    across, down = ((spots[:, axis] + shift[axis]) % 1 for axis in range(2))
    varied = (spots[:, :2] + np.array(shift) * 8) % 1
    sampling = Sampling(
        across.astype(np.float32), down.astype(np.float32), np.minimum(varied, 1 - 2**-12).astype(np.float32)
    )
    alpha = kept("alpha", (height, width), np.float32)
    turns = spread(tiles)
    if within is not None:
        turns = turns[within[turns]]
        alpha.fill(0)
        depth.fill(NO_DEPTH)
    slices, of_finish = _slices_of(snapshot, pace, samples)
    telling = Telling(
        _alike(scene, max(_RAYS_LEAN, pace.lean)), _alike(scene, pace.lean), of_finish[scene.finish_of], slices
    )
    edges = _shares_themselves(count)
    own = np.empty(0, np.uint8) if stage.own is None else stage.own
    if stacked is not None:
        for scaled, boxes, starts in zip(drawn.scaled, drawn.boxes, drawn.starts, strict=True):
            count_folds(Bins(scaled, boxes, starts, drawn.members), own, depth.shape, turns, stacked)
    part = width, height, count, hash(stage.part_key)
    rooms = _rooms.pop(part, np.full((2, tiles), _ROOM, np.int64))
    while True:
        firsts, fine_firsts = (np.append(0, np.cumsum(one)) for one in rooms)
        total, fine_total = int(firsts[-1]), int(fine_firsts[-1])
        where = kept("swept fine where", (fine_total, 2), np.float32)
        fragments = Fragments(
            turns,
            kept("swept pixel", (total,), np.int32),
            kept("swept triangle", (total,), np.int32),
            kept("swept share", (total,), np.float32),
            kept("swept where", (total, 2), np.float32),
            np.zeros(tiles, np.int32),
            firsts,
            edges,
            kept("swept at", (total, 2), np.float32),
            width,
        )
        places = Fragments(
            turns,
            kept("swept fine pixel", (fine_total,), np.int32),
            kept("swept fine triangle", (fine_total,), np.int32),
            kept("swept fine share", (fine_total,), np.float32),
            where,
            np.zeros(tiles, np.int32),
            fine_firsts,
            edges,
            where,
            width,
        )
        stood = Stood(
            kept("swept parent", (fine_total,), np.int32),
            kept("swept time", (fine_total,), np.float32),
            kept("swept ends", (fine_total, 2), np.int32),
            kept("swept end times", (fine_total, 2), np.float32),
            kept("swept end shares", (fine_total, 2, 2), np.float32),
        )
        PARALLEL.by_parts(
            sweep,
            fragments,
            places,
            stood,
            drawn,
            sampling,
            telling,
            scale.near,
            alpha,
            depth,
            own,
            stage.passed,
        )
        found = np.stack([fragments.counts, places.counts])
        if (found <= rooms).all():
            break
        # Tiles differ much in how many they need; most of them need none.
        rooms = np.maximum(rooms, found + found // 16)
    # The next stretch will need about as many.
    while len(_rooms) > _KNOWN:
        del _rooms[next(iter(_rooms))]
    most = np.array([_around(one.reshape(rows, columns)).reshape(-1) for one in found])
    _rooms[part] = most + most // 4 + _ROOM
    if snapshot.camera.parallel:
        depth[:] = scale.depth(depth, NO_DEPTH)
    return Swept(fragments, places, stood, alpha)


def _around(counts: NDArray[np.int64]) -> NDArray[np.int64]:
    """The most of each tile [rows, columns] and those around it, to where things have gone in the next stretch."""
    for axis in range(2):
        wide = np.pad(counts, [(_AWAY, _AWAY) if one == axis else (0, 0) for one in range(2)])
        counts = sliding_window_view(wide, 2 * _AWAY + 1, axis=axis).max(axis=-1)
    return counts


def shifts_of(count: int) -> list[tuple[float, float]]:
    """Where samples are moved to in each of so many stretches, in pixels: what stands still gets finer with each."""
    if count == 1:
        return [(0.0, 0.0)]
    steps = (sample_offsets(1 << (count - 1).bit_length()) - 0.5) / 8
    return [(float(x), float(y)) for x, y in steps[:count]]
