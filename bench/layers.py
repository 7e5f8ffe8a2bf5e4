"""Layers and passes: what parts cost beside beauty, layers beside the whole, masters on disk, see-through beside opaque."""

from __future__ import annotations

import statistics
import tempfile
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np

from bench.timing import Figure, single
from zeitbild.assets import AssetFolder
from zeitbild.document.reading import parse_shot
from zeitbild.masters import MasterStore, ends_of
from zeitbild.masters.bundles import BUNDLES
from zeitbild.paths import assets_folder
from zeitbild.render import QUALITIES, render, render_together
from zeitbild.resolve import resolve
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.finish_row import finish_row
from zeitbild.snapshot.lights import LightSource
from zeitbild.testing import quad, snapshot

ROOT = Path(__file__).parents[1]
_TURNS = 5


def _in_turns(*works: Callable[[], object]) -> list[float]:
    """Median seconds of each, measured one after the other so that the machine's mood is that of all."""
    for work in works:
        work()
    taken: list[list[float]] = [[] for _ in works]
    for _ in range(_TURNS):
        for own, work in zip(taken, works, strict=True):
            started = time.perf_counter()
            work()
            own.append(time.perf_counter() - started)
    return [statistics.median(own) for own in taken]


def passes() -> Iterator[Figure]:
    """The demo's word with its shadow, and the same with light groups."""
    shot = parse_shot((ROOT / "demo" / "KM010.json").read_text(encoding="utf-8"))
    whole = replace(resolve(shot, 10, AssetFolder(assets_folder())), occlusion=0.5)
    final = QUALITIES["final"]
    lights = tuple(replace(light, group=f"group {number}") for number, light in enumerate(whole.lights))
    four = tuple(replace(light, group=f"group {number % 4}") for number, light in enumerate((*lights, *lights)))
    grouped, one = replace(whole, lights=four, groups=()), tuple(replace(light, group="all") for light in four)
    beauty, every = _in_turns(
        lambda: render(whole, final), lambda: render(replace(whole, groups=("none",)), final, planes=True)
    )
    yield single("all passes of a layer to beauty, final with rays", every / beauty, "x", 1.35)
    together, apart = _in_turns(
        lambda: render(replace(grouped, lights=one), final, planes=True), lambda: render(grouped, final, planes=True)
    )
    yield single("four groups of lights to one", apart / together, "x", 1.1)
    picture = render(grouped, final, planes=True)
    with tempfile.TemporaryDirectory() as folder:
        store, ends = MasterStore(Path(folder)), ends_of(grouped, BUNDLES)
        key = "ab" * 32

        def write() -> None:
            store.forget(key)
            store.save(key, picture, ends)

        written, read = _in_turns(write, lambda: store.load(key))
        yield single("a master with all passes, 1280x720, written", written * 1000, "ms", 150)
        yield single("its beauty read", read * 1000, "ms", 25)
        yield single("a master with all passes, 1280x720", store.size(key, ends) / 1e6, "MB")


def layers() -> Iterator[Figure]:
    """Three layers that hold each other out, with beauty alone, and the whole."""
    shot = parse_shot((ROOT / "demo" / "KM040.json").read_text(encoding="utf-8"))
    assets, final = AssetFolder(assets_folder()), QUALITIES["final"]
    own = [resolve(shot, 10, assets, layer.name) for layer in shot.layers]
    alone, two, three = _in_turns(
        lambda: render(own[0], final),
        lambda: render_together(own[:2], final, [False] * 2),
        lambda: render_together(own, final, [False] * 3),
    )
    yield single("the second layer of a set to the first", two / alone - 1, "x", 0.9)
    yield single("the third", (three - two) / alone, "x", 0.9)


def _cards(count: int, cover: float, opacity: float) -> Snapshot:
    """Cards that cover a frame so many times, at places that are always the same."""
    random = np.random.default_rng(3)
    width = 2 * 10 * np.tan(np.radians(20))
    height = width * 720 / 1280
    half = float(np.sqrt(cover * width * height / count) / 2)
    light = LightSource("sun", (1.0, 1.0, 1.0), direction=(0.2, -0.3, -1))
    shot = snapshot(*(quad(half) for _ in range(count)), lights=(light,), size=(1280, 720))
    finish = finish_row((0.8, 0.6, 0.4), 0.6, 0.0, opacity=opacity)
    elements = []
    for one in shot.bodies:
        matrix = np.eye(4)
        matrix[:3, 3] = (
            random.uniform(-width / 2, width / 2),
            random.uniform(-height / 2, height / 2),
            random.uniform(-2, 2),
        )
        elements.append(replace(one, matrix=tuple(matrix.reshape(-1).tolist()), finishes=(finish,)))
    return replace(shot, bodies=tuple(elements))


def see_through() -> Iterator[Figure]:
    """Cards of one half opacity to the same cards opaque."""
    check = QUALITIES["check"]
    for count, cover, goal in ((5, 1.0, 2.0), (200, 3.0, 4.0)):
        opaque, clear = _cards(count, cover, 1.0), _cards(count, cover, 0.5)
        plain, veiled = _in_turns(
            lambda opaque=opaque: render(opaque, check),  # type: ignore[misc]
            lambda clear=clear: render(clear, check),  # type: ignore[misc]
        )
        yield single(f"{count} see-through cards to the same opaque, check", veiled / plain, "x", goal)
