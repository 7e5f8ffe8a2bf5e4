"""Compile every kernel into the cache by rendering and writing one small frame at each quality."""

from __future__ import annotations

import subprocess
import sys
import tempfile
from dataclasses import replace
from pathlib import Path

import numpy as np

from zeitbild.assets import AssetFolder
from zeitbild.document.shot import Motion, Shot, Timing
from zeitbild.document.values import Turn
from zeitbild.elements.lettering import Lettering
from zeitbild.elements.solid import Solid
from zeitbild.finishes import Finish
from zeitbild.formats import Plane, formats
from zeitbild.proof import View, encode_view, show
from zeitbild.render import QUALITIES, render
from zeitbild.render.passes import passes
from zeitbild.render.pixel_look import PixelLook
from zeitbild.resolve import Snapshot, resolve


def _snapshot() -> Snapshot:
    shot = Shot(elements=(Lettering(id="word-1", word="Ab"),))
    return resolve(shot, 1, AssetFolder(Path(tempfile.gettempdir()))).at_size(96, 54)


def _moving() -> Snapshot:
    """A turning word with an open shutter, and a clear body that stands before it."""
    word = Lettering(id="word-1", word="Ab", turn=Turn(turns=1))
    plate = Solid(id="plate", surface=Finish(opacity=0.5))
    shot = Shot(elements=(word, plate), timing=Timing(last=12), motion=Motion(angle=180))
    snapshot = resolve(shot, 1, AssetFolder(Path(tempfile.gettempdir()))).at_size(96, 54)
    return replace(snapshot, occlusion=0.5, bounces=1)


def warm() -> None:
    """Touch every kernel once with the types that real work uses."""
    snapshot = replace(_snapshot(), occlusion=0.5, bounces=1)
    for quality in QUALITIES.values():
        picture = render(snapshot, quality, planes=True)
    render(replace(snapshot, pixels=PixelLook(2)), QUALITIES["rough"])
    render(_moving(), QUALITIES["rough"])
    for blend in ("linear", "encoded"):
        encode_view(show(picture, View(blend=blend)), "jpeg")  # type: ignore[arg-type]
    for form in formats:
        for one in passes:
            form.encode(Plane(one.role, one.extract(picture), (0.0, 1.0)))


def compile_all() -> None:
    """Fill an empty cache in half the time: the kernels that draw tiles are compiled by a process of their own."""
    tiles = subprocess.Popen([sys.executable, "-m", "zeitbild.warm", "tiles"])
    render(replace(_snapshot(), occlusion=0.5, bounces=1), QUALITIES["rough"])
    if tiles.wait():
        raise SystemExit("the kernels that draw tiles could not be compiled")
    warm()


def compile_tiles() -> None:
    """Compile the kernels that draw tiles at the finer qualities."""
    from zeitbild.kernels import PARALLEL
    from zeitbild.render.stage import stage_of
    from zeitbild.render.visibility import rasterise

    snapshot = _snapshot()
    built = snapshot.built(QUALITIES["check"])
    scene, camera = stage_of(built).scene, snapshot.camera
    for name in ("check", "final"):
        with PARALLEL:
            rasterise(
                camera.project(scene.vertices),
                np.ones(len(scene.vertices)),
                scene.triangles,
                scene.cull,
                scene.patches,
                scene.facing,
                near=camera.near,
                least_w=camera.near,
                width=snapshot.width,
                height=snapshot.height,
                samples=QUALITIES[name].samples,
                edges_exactly=QUALITIES[name].edges_exactly,
            )


if __name__ == "__main__":
    compile_tiles() if sys.argv[1:] == ["tiles"] else compile_all()
