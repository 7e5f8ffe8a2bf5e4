"""Pictures, visibility against ray casting, geometry."""

from __future__ import annotations

import statistics
from collections.abc import Iterator

import numpy as np
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene

from bench.timing import Figure, measure, single
from shots.rendering import sketch
from zeitbild.assets import AssetFolder
from zeitbild.document.reading import read_shot, write_shot
from zeitbild.document.shot import Shot
from zeitbild.elements.lettering import build
from zeitbild.kernels import PARALLEL, set_threads
from zeitbild.paths import assets_folder
from zeitbild.proof import View
from zeitbild.render import QUALITIES, render
from zeitbild.render.sampling import sample_offsets
from zeitbild.render.scene import gather
from zeitbild.render.visibility import rasterise
from zeitbild.resolve import resolve

_WORDS = ("Kap Morgen", "Leuchtturm", "Museum", "Ostwind", "Nebelhorn", "Seezeichen", "Lotsen", "Brandung")


def _edited(shot: Shot, number: int) -> dict[str, object]:
    raw = shot.model_dump(mode="json")
    raw["camera"]["position"][0] = 3.0 * number
    return raw


def pictures(shot: Shot) -> Iterator[Figure]:
    """What a person waits for while editing."""
    yield measure(
        "edit to picture, 640x360 rough, encoded",
        lambda n: sketch(_edited(shot, n), 10, 640, 360, "rough", View(), "jpeg"),
        times=30,
        goal=30,
    )
    yield measure(
        "edit to picture, 1280x720 final, encoded PNG",
        lambda n: sketch(_edited(shot, n), 10, 1280, 720, "final", View(), "png"),
    )
    snapshot = resolve(shot, 10, AssetFolder(assets_folder()))
    for quality, goal in (("rough", None), ("check", None), ("final", 150)):
        yield measure(
            f"1280x720 {quality}, two threads", lambda n, q=quality: render(snapshot, QUALITIES[q]), goal=goal
        )
    large = snapshot.at_size(3840, 2160)
    yield measure("3840x2160 final, two threads", lambda n: render(large, QUALITIES["final"]), times=5, warm=1)


def visibility(shot: Shot) -> Iterator[Figure]:
    """Rasterising against casting the same samples with Embree from Python, one thread each, taken in turns."""
    snapshot = resolve(shot, 10, AssetFolder(assets_folder()))
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


def geometry(shot: Shot) -> Iterator[Figure]:
    """A changed word, its font open already."""
    element = shot.elements[0]
    assets = AssetFolder(assets_folder())
    yield measure(
        "changed word to new geometry",
        lambda n: build(
            element.model_copy(update={"word": _WORDS[n % len(_WORDS)] + "\n" + _WORDS[(n + 3) % len(_WORDS)]}), assets
        ),
        goal=150,
    )


def document(shot: Shot) -> Iterator[Figure]:
    """Reading a document and resolving a frame."""
    raw = shot.model_dump(mode="json")
    yield measure("document read and resolved", lambda n: resolve(read_shot(raw), 10, AssetFolder(assets_folder())))
    yield measure("document written", lambda n: write_shot(shot))
