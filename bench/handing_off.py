"""Hand-off: frames a second from masters to files that are read back, by form."""

from __future__ import annotations

import os
import resource
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from bench.timing import Figure, single
from zeitbild.assets import AssetFolder
from zeitbild.document.reading import parse_shot, write_shot
from zeitbild.farm import FramePool, make_frame, write_files, write_sequence
from zeitbild.farm.testing import make_cells
from zeitbild.handoff.package import pack
from zeitbild.handoff.recipes import recipes
from zeitbild.handoff.verification import verify
from zeitbild.timing import write_frames

ROOT = Path(__file__).parents[1]
#: Frames that are written; those of files that hold all of them have one core, and their codec's threads.
_FRAMES = 24
#: Runs with and without a hand-off that are timed, one after the other.
_TURNS = 2
#: Frames a second that are wished for at 1920x1080 on two cores, read-back included; of a GIF 700 pixels wide.
_GOALS = {
    "png8": 15,
    "png16": 6,
    "tiff16": 15,
    "tga": None,
    "exr": 10,
    "prores4444": 8,
    "h264": 20,
    "webm": 3,
    "gif": 10,
    "webp-moving": None,
    "sprites": None,
}
_OPTIONS = {"gif": (("width", "700"),), "sprites": (("width", "480"),)}


def _overlapped() -> float:
    """How much longer a final run of the demo's word takes if each frame is written as PNG, and read back, by who rendered it; in turns."""
    shot = parse_shot((ROOT / "demo" / "KM010.json").read_text(encoding="utf-8"))
    document, name = write_shot(shot), shot.layers[0].name
    frames = range(1, _FRAMES + 1)
    every = write_frames(frames)
    took: dict[bool, list[float]] = {False: [], True: []}
    with tempfile.TemporaryDirectory() as folder, FramePool(os.cpu_count() or 2) as pool:
        for turn in range(-1, _TURNS):
            for written in (False, True):
                own = Path(folder) / f"{turn} {written}"
                assets, masters = own / "assets", own / "masters"
                AssetFolder(assets)
                form = ("png8", (), (name,), ("beauty",), 1, assets, masters, own / "out")
                forms = (form,) if written else ()
                tasks = [
                    (frame, (document, frame, every, (name,), "final", True, forms, assets, masters))
                    for frame in (frames if turn >= 0 else frames[:2])
                ]
                started = time.perf_counter()
                done = [one for one in pool.run(make_frame, tasks) if one is not None]
                if turn >= 0:
                    took[written].append(time.perf_counter() - started)
                wrong = [one.error for one in done if one.result is None]
                if wrong:
                    raise RuntimeError(wrong[0])
    return min(took[True]) / min(took[False])


def handing_off() -> Iterator[Figure]:
    """A turning word of the demo at 1920x1080."""
    shot = parse_shot((ROOT / "demo" / "KM010.json").read_text(encoding="utf-8"))
    layers = tuple(layer.model_copy(update={"passes": ("beauty",)}) for layer in shot.layers)
    raster = shot.raster.model_copy(update={"width": 1920, "height": 1080})
    document = write_shot(shot.model_copy(update={"layers": layers, "raster": raster}))
    name = shot.layers[0].name
    frames = range(1, _FRAMES + 1)
    with tempfile.TemporaryDirectory() as folder, FramePool(os.cpu_count() or 2) as pool:
        assets, masters = Path(folder) / "assets", Path(folder) / "masters"
        AssetFolder(assets)
        asked = [(frame, (document, frame, (name,), "check", assets, masters)) for frame in frames]
        cells = {one.task: one.result for one in pool.run(make_cells, asked) if one is not None}
        records: list[Any] = []
        for recipe, goal in _GOALS.items():
            rest = (recipe, _OPTIONS.get(recipe, ()), (name,), ("beauty",), 1, assets, masters)
            moving = recipes.get(recipe).format.container
            for number, out in enumerate(("warm", recipe)):
                started = time.perf_counter()
                place = Path(folder) / "out" / out
                many = 2 if number == 0 else _FRAMES
                if moving:
                    own = tuple((frame, cells[frame]) for frame in list(frames)[:many])
                    records = write_sequence(document, own, *rest, place)  # type: ignore[arg-type]
                else:
                    every = write_frames(frames)
                    tasks = [
                        (frame, (document, frame, every, cells[frame], *rest, place)) for frame in list(frames)[:many]
                    ]
                    done = [one.result for one in pool.run(write_files, tasks) if one is not None]
                    records = [record for own in done for record in own or ()]
                taken = time.perf_counter() - started
            size = "700 wide" if recipe == "gif" else "480 wide" if recipe == "sprites" else "1920x1080"
            yield single(f"{recipe} written and read back, {size}", _FRAMES / taken, "frames/s", goal, at_least=True)
            if recipe == "exr":
                target = Path(folder) / "package.zip"
                pack(Path(folder) / "out" / recipe, target, {}, {one.path: one.sha256 for one in records})
                started = time.perf_counter()
                total = sum(one.bytes for one in verify(target))
                yield single(
                    "a package verified", total / 1e6 / (time.perf_counter() - started), "MB/s", 300, at_least=True
                )
    yield single("a run whose files are written meanwhile", _overlapped(), "of the run alone", 1.1)
    yield single("memory of writing movies", resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024, "MB", 700)
