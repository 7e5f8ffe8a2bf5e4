"""What stands in the set: drawings, models, flat art, many elements."""

from __future__ import annotations

import io
import random
import statistics
import tempfile
import time
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from bench.timing import Figure, single
from zeitbild.assets import AssetFolder
from zeitbild.document.shot import Camera, Environment, Raster, Rays, Shot
from zeitbild.elements.card import Card
from zeitbild.elements.emblem import Emblem
from zeitbild.elements.model import ModelElement
from zeitbild.elements.solid import Solid
from zeitbild.finishes import Finish
from zeitbild.library import files
from zeitbild.models.make import Writer
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import resolve

_HEAD = '<svg xmlns="http://www.w3.org/2000/svg" '
_TURNS = 5


def _drawing(paths: int) -> bytes:
    """A ground and so many curved paths in twelve colours; never the same twice."""
    columns = 25
    inner = "".join(
        f'<path d="M{x + 20} {y + 4} C {x + 36} {y + 4} {x + 36} {y + 36} {x + 20} {y + 30} S {x + 4} {y + 4} {x + 20} {y + 4}Z"'
        f' fill="hsl({at * 7 % 12 * 30},70%,50%)"/>'
        for at in range(paths)
        for x, y in [(at % columns * 40, at // columns * 40)]
    )
    return f'{_HEAD}viewBox="0 0 1000 800"><!--{random.random()}--><rect width="1000" height="800" fill="#eee"/>{inner}</svg>'.encode()


def _model(side: int) -> bytes:
    """A waved sheet of side x side points with a picture of 2048 pixels."""
    u, v = np.meshgrid(np.linspace(0, 1, side), np.linspace(0, 1, side))
    points = np.stack([u * 2 - 1, v * 2 - 1, 0.2 * np.sin(9 * u) * np.cos(7 * v)], -1).reshape(-1, 3).astype(np.float32)
    at = np.arange(side * side).reshape(side, side)
    a, b, c, d = (one.reshape(-1) for one in (at[:-1, :-1], at[:-1, 1:], at[1:, 1:], at[1:, :-1]))
    triangles = np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)]).astype(np.uint32)
    noise = np.random.default_rng(random.randrange(1 << 30)).random((2048, 2048, 3))
    data = io.BytesIO()
    Image.fromarray((noise * 255).astype(np.uint8)).save(data, "PNG", compress_level=1)
    writer = Writer()
    shares = np.stack([u, 1 - v], -1).reshape(-1, 2).astype(np.float32)
    primitive = {
        "attributes": {"POSITION": writer.accessor(points, "VEC3"), "TEXCOORD_0": writer.accessor(shares, "VEC2")},
        "indices": writer.accessor(triangles.reshape(-1), "SCALAR"),
        "material": 0,
    }
    writer.document |= {
        "images": [{"bufferView": writer.view(data.getvalue())}],
        "textures": [{"source": 0}],
        "materials": [{"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}],
        "meshes": [{"primitives": [primitive]}],
        "nodes": [{"mesh": 0}],
        "scenes": [{"nodes": [0]}],
    }
    return writer.glb()


def _pictures() -> Iterator[NDArray[np.uint8]]:
    """Pictures of 1920 x 1080; no two are alike."""
    y, x = np.mgrid[:1080, :1920]
    for number in range(12):
        yield np.stack([(x + 9 * number) % 256, (y + 3 * number) % 256, np.full_like(x, 4 * number)], 2).astype(
            np.uint8
        )


def _movie() -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.mp4"
        with av.open(str(path), "w") as out:
            stream = out.add_stream("libx264", rate=25, options={"crf": "20"})
            stream.width, stream.height, stream.pix_fmt = 1920, 1080, "yuv420p"
            for pixels in _pictures():
                out.mux(stream.encode(av.VideoFrame.from_ndarray(pixels, format="rgb24")))
            out.mux(stream.encode())
        return path.read_bytes()


def _sequence() -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as packed:
        for number, pixels in enumerate(_pictures()):
            data = io.BytesIO()
            Image.fromarray(pixels).save(data, "JPEG", quality=92)
            packed.writestr(f"a.{number:04d}.jpg", data.getvalue())
    return out.getvalue()


def _shot(*elements: Any, width: int = 1280, height: int = 720, **more: Any) -> Shot:
    return Shot(elements=elements, raster=Raster(width=width, height=height), **more)


def _median(work: Callable[[], object]) -> float:
    work()
    taken = []
    for _ in range(_TURNS):
        started = time.perf_counter()
        work()
        taken.append(time.perf_counter() - started)
    return statistics.median(taken)


def standing() -> Iterator[Figure]:
    """From a file to a solid or a picture, and pictures of what stands there."""
    with tempfile.TemporaryDirectory() as folder:
        assets = AssetFolder(Path(folder))
        check = QUALITIES["check"]
        # The reading process is there, as in a server that runs.
        first = Path(folder) / "first"
        first.write_bytes(_drawing(1))
        files.get("drawings").facts(first, "first", "")
        for bevel, what in ((0, "without a bevel"), (2, "with one")):

            def solid(bevel: float = bevel) -> None:
                key = "asset:" + assets.add(_drawing(500))
                resolve(_shot(Emblem(id="e", drawing=key, size=700, bevel_width=bevel)), 1, assets).built(check)

            yield single(f"SVG of 500 paths to a solid, {what}", _median(solid), "s", 1.5)

        def model() -> None:
            sha256 = assets.add(_model(224))
            files.get("models").facts(assets.path(sha256), "model", "")
            shot = _shot(ModelElement(id="m", model=f"asset:{sha256}"), width=640, height=360)
            render(resolve(shot, 1, assets), check)

        yield single("GLB of 100,000 triangles to a picture", _median(model), "s", 3)
        spots = random.Random(1)
        circles = "".join(
            f'<circle cx="{spots.random() * 1280}" cy="{spots.random() * 720}" r="{40 + spots.random() * 120}" fill="hsl({at * 12},60%,50%)"/>'
            for at in range(30)
        )
        key = "asset:" + assets.add(f'{_HEAD}viewBox="0 0 1280 720">{circles}</svg>'.encode())
        flat = Emblem(id="e", drawing=key, size=700, depth=0, surface=Finish(shading="unlit"))
        dark: dict[str, Any] = {
            "lights": (),
            "environment": Environment(strength=0),
            "rays": Rays(occlusion=0, bounces=0),
        }
        art = resolve(_shot(flat, **dark), 1, assets)
        yield single("30 flat paths, 1280x720 check", _median(lambda: render(art, check)) * 1000, "ms", 15)
        shapes = ("box", "ball", "column", "ring")
        solids = [
            Solid(
                id=f"s{at}",
                shape=shapes[at % 4],
                width=40,
                height=40,
                depth=40,
                placement={"position": (at % 20 * 45 - 430, at // 20 * 45 - 200, 0)},
            )
            for at in range(200)
        ]
        many = _shot(*solids, width=640, height=360)

        def looked_at() -> None:
            camera = Camera(position=(spots.random() * 10, 60, 900))
            render(resolve(many.model_copy(update={"camera": camera}), 1, assets), QUALITIES["rough"])

        yield single("200 elements, 640x360 rough, camera moving", _median(looked_at) * 1000, "ms", 60)
        for what, data in (("movie", _movie()), ("sequence", _sequence())):
            card = Card(id="c", picture="asset:" + assets.add(data), width=900)
            played = _shot(card, width=1920, height=1080)
            frames = iter(range(1, 1000))

            def scrubbed(played: Shot = played, frames: Iterator[int] = frames) -> None:
                render(resolve(played, next(frames), assets).at_size(640, 360), QUALITIES["rough"])

            yield single(
                f"a {what} of 1920x1080 on a card, walked through at 640x360 rough", _median(scrubbed) * 1000, "ms", 50
            )
