"""Pictures, visibility against ray casting, geometry."""

from __future__ import annotations

import math
import statistics
import time
from collections.abc import Iterator
from dataclasses import replace
from typing import Any
from unittest import mock

import numpy as np
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene
from numpy.typing import NDArray

from bench.bare_rays import cast_all
from bench.timing import Figure, measure, single
from shots.rendering import sketch
from zeitbild.assets import AssetFolder
from zeitbild.document.reading import read_shot, write_shot
from zeitbild.document.shot import Camera, Light, Motion, Rays, Shot, Timing
from zeitbild.elements.lettering import build
from zeitbild.elements.solid import Solid
from zeitbild.geometry.solids import ball
from zeitbild.kernels import PARALLEL, set_threads
from zeitbild.oracle import truth
from zeitbild.paths import assets_folder
from zeitbild.proof import View, encode_view, show
from zeitbild.render import QUALITIES, render
from zeitbild.render.light.lighting import ROW
from zeitbild.render.rays import secondary
from zeitbild.render.rays.patterns import ray_pattern
from zeitbild.render.rays.tracing import locate
from zeitbild.render.stage import stage_of
from zeitbild.render.visible.sampling import sample_offsets
from zeitbild.render.visible.visibility import rasterise
from zeitbild.render.world.ray_scene import INTERSECT16, OCCLUDED16
from zeitbild.render.world.scene import gather
from zeitbild.resolve import resolve
from zeitbild.snapshot import Snapshot
from zeitbild.values import Placement, Turn

_WORDS = ("Kap Morgen", "Leuchtturm", "Museum", "Ostwind", "Nebelhorn", "Seezeichen", "Lotsen", "Brandung")


def _edited(shot: Shot, number: int) -> dict[str, object]:
    raw = shot.model_dump(mode="json")
    raw["camera"]["position"][0] = 3.0 * number
    return raw


def _without_shadow(light: Light) -> Light:
    return light.model_copy(update={"shadows": False}) if hasattr(light, "shadows") else light


def pictures(shot: Shot) -> Iterator[Figure]:
    """What a person waits for while editing."""
    unshadowed = shot.model_copy(
        update={"lights": tuple(_without_shadow(light) for light in shot.lights), "rays": Rays()}
    )
    yield measure(
        "edit to picture, 640x360 rough, encoded, no rays",
        lambda n: sketch(_edited(unshadowed, n), 10, 640, 360, "rough", View(), "jpeg"),
        times=30,
        goal=30,
    )
    yield measure(
        "edit to picture, 640x360 rough, encoded",
        lambda n: sketch(_edited(shot, n), 10, 640, 360, "rough", View(), "jpeg"),
        times=30,
    )
    yield measure(
        "edit to picture, 1280x720 final, encoded PNG",
        lambda n: sketch(_edited(shot, n), 10, 1280, 720, "final", View(), "png"),
    )
    plain = without_rays(resolve(shot, 10, AssetFolder(assets_folder())))
    medians = {}
    goals: tuple[tuple[str, int | None], ...] = (("rough", None), ("check", 60), ("final", 150))
    for quality, goal in goals:
        figure = measure(
            f"1280x720 {quality}, no rays, two threads", lambda n, q=quality: render(plain, QUALITIES[q]), goal=goal
        )
        medians[quality] = figure.median
        yield figure
    small = plain.at_size(640, 360)
    yield measure(
        "640x360 rough, no rays, encoded",
        lambda n: encode_view(show(render(small, QUALITIES["rough"]), View()), "jpeg"),
        times=30,
        goal=20,
    )
    # In turns, since the machine's clock changes within seconds.
    # 64 samples at check differ from 16 in nothing else; final has exact edges besides.
    finer = replace(plain, samples=(4, 64, 64))
    ways = ((plain, "check"), (finer, "check"), (plain, "final"))
    taken = [
        [measure("", lambda n, s=one, q=name: render(s, QUALITIES[q]), times=3, warm=0).median for one, name in ways]
        for _ in range(15)
    ]
    for name, way, least in (("64 samples to 16 samples", 1, 1.4), ("final (exact edges) to check", 2, None)):
        ratios = sorted(row[way] / row[0] for row in taken)
        yield Figure(name, ratios[7], ratios[0], ratios[-1], "x", least)
    large = plain.at_size(3840, 2160)
    figure = measure(
        "3840x2160 final, no rays, two threads", lambda n: render(large, QUALITIES["final"]), times=5, warm=1
    )
    yield figure
    yield single("3840x2160 final to 1280x720 final", figure.median / medians["final"], "x", 10)


def without_rays(snapshot: Snapshot) -> Snapshot:
    """A snapshot in which nothing casts a shadow, occludes or is mirrored."""
    lights = tuple(replace(light, shadows=False) for light in snapshot.lights)
    return replace(snapshot, lights=lights, occlusion=0.0, bounces=0)


def rays(shot: Shot) -> Iterator[Figure]:
    """A final frame with shadows of three lights, occlusion and a mirror bounce against the bare library casting as many.

    Both in turns, on two threads. The library casts, for every fragment of the frame, 3 rays to the lights, 16 over the
    half sphere and 1 in the mirror direction; the renderer shares rays between neighbours and casts fewer.
    """
    snapshot = resolve(shot, 10, AssetFolder(assets_folder())).built(QUALITIES["final"])
    suns = [replace(light, shadows=True) for light in snapshot.lights if light.shape == "sun"]
    full = replace(
        snapshot,
        lights=(*suns, replace(suns[0], direction=(0.3, -0.8, -0.52))),
        occlusion=1.0,
        occlusion_radius=150.0,
        bounces=1,
    )
    render(full, QUALITIES["final"])
    origins, normals, views = spots_of(full)
    stage = stage_of(full)
    batches = [
        (np.broadcast_to(np.negative(light.direction), normals.shape), 1e30, OCCLUDED16) for light in full.lights
    ]
    hemisphere = ray_pattern(np.zeros((0, ROW), np.float32), 1)[0]
    across = np.cross(normals, normals[:, [1, 2, 0]] + np.float32(0.1))
    across /= np.linalg.norm(across, axis=1)[:, None]
    up = np.cross(normals, across)
    batches += [(a * across + b * up + c * normals, 150.0, OCCLUDED16) for a, b, c in hemisphere]
    mirrored = 2 * (normals * views).sum(axis=1)[:, None] * normals - views
    batches.append((mirrored, 1e30, INTERSECT16))
    prepared = [
        (np.ascontiguousarray(directions, np.float32), np.full(len(origins), far, np.float32), function)
        for directions, far, function in batches
    ]
    out = np.empty(len(origins), np.float32)

    def bare() -> None:
        with PARALLEL:
            for directions, fars, function in prepared:
                cast_all(origins, directions, fars, function, stage.rays.handle, out)

    bare()
    drawn, cast, ratios = [], [], []
    for _ in range(5):
        cast.append(measure("", lambda n: bare(), times=1, warm=0).median)
        drawn.append(measure("", lambda n: render(full, QUALITIES["final"]), times=2, warm=0).median)
        ratios.append(drawn[-1] / cast[-1])
    ratios.sort()
    yield single("1280x720 final, shadows, occlusion, one mirror", statistics.median(drawn), "ms")
    yield single("bare library, 20 rays a fragment", statistics.median(cast), "ms")
    yield single("its rays a second, both threads", 20 * len(origins) / statistics.median(cast) / 1000, "M/s")
    yield Figure("that frame to the bare library", ratios[2], ratios[0], ratios[-1], "x", 1.3)


def spots_of(snapshot: Snapshot) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32]]:
    """Lifted points, normals and views [n, 3] of a frame's fragments, n divisible by 16."""
    held: list[NDArray[np.float32]] = []

    def listen(*arguments: Any) -> None:
        locate(*arguments)
        (fragments, *_), spots = arguments, arguments[-3]
        counts, firsts = fragments.counts, fragments.firsts
        held.extend(spots[first : first + count].copy() for first, count in zip(firsts, counts, strict=False))

    with mock.patch.object(secondary, "locate", listen):
        # Of the first places alone, not of those that pixels are cut into.
        render(replace(snapshot, error=1e6), QUALITIES["final"])
    points = np.concatenate(held)
    points = points[: len(points) // 16 * 16]
    return tuple(np.ascontiguousarray(points[:, first : first + 3]) for first in (0, 3, 9))  # type: ignore[return-value]


def visibility(shot: Shot) -> Iterator[Figure]:
    """Rasterising against casting the same samples with Embree from Python, one thread each, taken in turns."""
    snapshot = resolve(shot, 10, AssetFolder(assets_folder())).built(QUALITIES["check"])
    camera, scene = snapshot.camera, gather(snapshot)
    corners = camera.project(scene.vertices)
    width, height, samples = snapshot.width, snapshot.height, 16
    offsets = sample_offsets(samples)
    x = (np.arange(width)[None, :, None] + offsets[None, None, :, 0]).repeat(height, axis=0).reshape(-1)
    y = (np.arange(height)[:, None, None] + offsets[None, None, :, 1]).repeat(width, axis=1).reshape(-1)
    right, up, forward = camera.axes
    directions = (
        forward + ((x - width / 2) / camera.focal)[:, None] * right - ((y - height / 2) / camera.focal)[:, None] * up
    ).astype(np.float32)
    origins = np.broadcast_to(camera.eye.astype(np.float32), directions.shape).copy()
    embree = EmbreeScene()
    mesh = TriangleMesh(embree, scene.vertices[scene.triangles].astype(np.float32))

    def draw() -> None:
        with PARALLEL:
            rasterise(
                corners,
                np.ones(len(corners)),
                scene.triangles,
                scene.cull,
                scene.patches,
                scene.facing,
                near=camera.near,
                least_w=camera.near,
                width=width,
                height=height,
                samples=samples,
            )

    # The machine's clock changes within seconds: each cast is compared with drawings just before and just after it.
    set_threads(1)
    drawn, cast, ratios = [measure("", lambda n: draw(), times=5).median], [], []
    for _ in range(5):
        cast.append(measure("", lambda n: embree.run(origins, directions), times=1, warm=0).median)
        drawn.append(measure("", lambda n: draw(), times=5, warm=0).median)
        ratios.append(2 * cast[-1] / (drawn[-2] + drawn[-1]))
    set_threads(64)
    del mesh
    yield single("visibility 1280x720x16 rasterised, one thread", statistics.median(drawn), "ms")
    yield single("the same samples cast with Embree from Python", statistics.median(cast), "ms")
    ratios.sort()
    yield Figure("visibility: times faster than Embree", ratios[2], ratios[0], ratios[-1], "x", 30, at_least=True)


def million(shot: Shot) -> Iterator[Figure]:
    """A set of a million triangles, from nothing and again, against the demo shot's seven thousand.

    Its balls cover as much of the picture as the demo's word does, so that the triangles make the difference.
    """
    assets = AssetFolder(assets_folder())
    light = without_rays(resolve(shot, 10, assets))
    covered = float(render(light, QUALITIES["check"]).beauty[..., 3].mean())
    wide = 2 * float(np.linalg.norm(shot.camera.position)) * math.tan(math.radians(shot.camera.angle) / 2)
    size = math.sqrt(covered * wide * wide * light.height / light.width / 16 * 4 / math.pi)
    balls = tuple(
        Solid(
            id=f"ball-{number}",
            shape="ball",
            width=size,
            height=size,
            depth=size,
            placement=Placement(position=(105.0 * (number % 4) - 158, 105.0 * (number // 4) - 158, 0)),
        )
        for number in range(16)
    )
    heavy = shot.model_copy(update={"elements": balls})
    started = time.perf_counter()
    snapshot = without_rays(resolve(heavy, 1, assets))
    # Finer than any picture of this size needs them: 64 steps to a quarter turn.
    fine = ball(size, size, size, 64)
    snapshot = replace(snapshot, bodies=tuple(replace(body, form=fine) for body in snapshot.bodies))
    render(snapshot, QUALITIES["check"])
    taken = time.perf_counter() - started
    yield single("triangles of the heavy set", sum(len(mesh.triangles) for mesh in snapshot.built_meshes) / 1e6, "M")
    yield single("its first picture, 1280x720 check", taken, "s", 3)
    ratios = []
    for _ in range(5):
        few = measure("", lambda n: render(light, QUALITIES["check"]), times=3, warm=1).median
        ratios.append(measure("", lambda n: render(snapshot, QUALITIES["check"]), times=3, warm=1).median / few)
    ratios.sort()
    yield Figure("its later pictures to those of 7,000 triangles", ratios[2], ratios[0], ratios[-1], "x", 4)


def against_oracle(shot: Shot) -> Iterator[Figure]:
    """How far final pictures are from every sample shaded on its own, so that speed is never bought with them."""
    assets = AssetFolder(assets_folder())
    small = resolve(shot, 10, assets).at_raster(480, 270)
    for name, snapshot in (
        ("no rays", without_rays(small)),
        ("its rays", small),
        ("one mirror", replace(small, bounces=1)),
    ):
        true = truth(snapshot, samples=36)
        found = render(snapshot, QUALITIES["final"])
        covered = true.beauty[..., 3] > 0.5
        over = [
            np.clip(one[..., :3] + (1 - one[..., 3:]) * 0.09, 0, 1) ** (1 / 2.2) * 255
            for one in (found.beauty, true.beauty)
        ]
        off = np.abs(over[0] - over[1]).max(axis=2)
        beyond = off > 24
        around = sum(np.roll(np.roll(beyond, x, 1), y, 0) for x in (-1, 0, 1) for y in (-1, 0, 1))
        yield single(
            f"oracle, {name}: mean difference", float(off[covered].mean()), "/255", 1.0 if "mirror" in name else 0.7
        )
        yield single(
            f"oracle, {name}: beyond 12", 100 * float((off[covered] > 12).mean()), "%", 0.5 if "mirror" in name else 0.1
        )
        yield single(f"oracle, {name}: lone pixels beyond 24", float((beyond & (around == 1)).sum()), "", 0)


def true_shape(shot: Shot) -> Iterator[Figure]:
    """Alpha of a ball in a parallel view against the disc that it is, from 4,096 places in each pixel."""
    round_ = Solid(id="ball", shape="ball", width=300, height=300, depth=300)
    camera = Camera(position=(0, 0, 900), projection="orthographic", span=640)
    ball_alone = shot.model_copy(update={"elements": (round_,), "camera": camera, "view": "Main"})
    found = render(resolve(ball_alone, 1, AssetFolder(assets_folder())), QUALITIES["final"]).beauty[..., 3]
    height, width = found.shape
    units = 640 / width
    place = (np.arange(64) + 0.5) / 64
    x = ((np.arange(width)[:, None] + place).reshape(-1) - width / 2) * units
    y = ((np.arange(height)[:, None] + place).reshape(-1) - height / 2) * units
    off = []
    for row in range(height):
        inside = x[None, :] ** 2 + y[row * 64 : row * 64 + 64, None] ** 2 < 150.0**2
        area = inside.reshape(64, width, 64).mean(axis=(0, 2))
        edge = (area > 0) & (area < 1)
        off.append(np.abs(found[row] - area)[edge] * 255)
    all_off = np.concatenate(off)
    yield single("alpha of a ball against its disc: mean", float(all_off.mean()), "/255", 0.5)
    yield single("alpha of a ball against its disc: worst", float(all_off.max()), "/255", 8)


def blur(shot: Shot) -> Iterator[Figure]:
    """A turn of thirty degrees a frame, the shutter open all the time, against 512 stills, and against one."""
    turning = [one.model_copy(update={"turn": Turn(turns=2)}) for one in shot.elements]
    timing = Timing(rate=shot.timing.rate, first=1, last=24)
    fast = shot.model_copy(
        update={"elements": tuple(turning), "timing": timing, "motion": Motion(angle=360, phase=-180)}
    )
    snapshot = resolve(fast, 3, AssetFolder(assets_folder()))
    for name, one in (("no rays", without_rays(snapshot)), ("its rays", snapshot)):
        still = replace(one, stations=())
        ratios = []
        for _ in range(3):
            once = measure("", lambda n, still=still: render(still, QUALITIES["final"]), times=2, warm=1).median
            ratios.append(
                measure("", lambda n, one=one: render(one, QUALITIES["final"]), times=1, warm=0).median / once
            )
        ratios.sort()
        yield Figure(f"blurred frame to a still one, {name}", ratios[1], ratios[0], ratios[-1], "x", 4)
    small = without_rays(snapshot).at_raster(320, 180)
    total = np.zeros((180, 320, 4))
    for number in range(512):
        matrices = small.at_time((number + 0.5) / 512)
        elements = tuple(replace(one, matrix=matrix) for one, matrix in zip(small.bodies, matrices, strict=True))
        total += render(replace(small, bodies=elements, stations=()), QUALITIES["final"]).beauty
    truth_ = total / 512
    found = render(small, QUALITIES["final"]).beauty
    seen = (truth_[..., 3] > 0) | (found[..., 3] > 0)
    off = np.abs(found - truth_)[seen] * 255
    yield single("blurred frame against 512 stills: alpha, mean", float(off[:, 3].mean()), "/255", 0.5)
    yield single("blurred frame against 512 stills: colour, mean", float(off[:, :3].mean()), "/255", 0.5)


def limits(shot: Shot) -> Iterator[Figure]:
    """What this machine can do at all."""
    source = np.ones(16 * 1024 * 1024, np.float32)
    target = np.empty_like(source)
    taken = measure("", lambda n: np.copyto(target, source), times=9).median
    yield single("memory copied, one thread", source.nbytes / taken / 1e6, "GB/s")


def geometry(shot: Shot) -> Iterator[Figure]:
    """A changed word, its font open already."""
    element = shot.elements[0]
    assets = AssetFolder(assets_folder())
    yield measure(
        "changed word to new geometry",
        lambda n: build(
            element.model_copy(update={"word": _WORDS[n % len(_WORDS)] + "\n" + _WORDS[(n + 3) % len(_WORDS)]}), assets
        ).at(0.1),
        goal=150,
    )


def document(shot: Shot) -> Iterator[Figure]:
    """Reading a document and resolving a frame."""
    raw = shot.model_dump(mode="json")
    yield measure("document read and resolved", lambda n: resolve(read_shot(raw), 10, AssetFolder(assets_folder())))
    yield measure("document written", lambda n: write_shot(shot))
