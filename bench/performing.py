"""What performs: puppets, sprays, voices and pens."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

import numpy as np

from bench.timing import Figure, measure
from zeitbild.document.shot import Camera, Raster, Shot, Timing
from zeitbild.elements import penwork
from zeitbild.elements.model import ModelElement, PlacedClip
from zeitbild.elements.puppet import Limb, Puppet
from zeitbild.elements.repeat import Repeat
from zeitbild.elements.solid import Solid
from zeitbild.elements.spray import Spray
from zeitbild.geometry.model.figure import skinned
from zeitbild.keys import Key, Track
from zeitbild.proof import View, encode_view, show
from zeitbild.render import QUALITIES, Picture, render
from zeitbild.resolve import resolve
from zeitbild.sound.speech import mouths
from zeitbild.testing import NOWHERE
from zeitbild.tones.voice import VOWELS, spoken, vowel


def _shot(*elements: Any, size: tuple[int, int] = (1280, 720), **more: Any) -> Shot:
    return Shot(
        raster=Raster(width=size[0], height=size[1]),
        timing=Timing(rate="24", last=240, cycle=False),
        camera=Camera(position=(0, 0, 1000), angle=40),
        elements=elements,
        **more,
    )


def _picture(shot: Shot, frame: int, quality: str) -> Picture:
    """As the editing view asks for one."""
    return render(resolve(shot, frame, NOWHERE, motion=False), QUALITIES[quality])


def _gathers(count: int, dot: float) -> Spray:
    return Spray(
        id="spray",
        does="gathers",
        word="Morgen",
        count=count,
        comes_from="a ball",
        extent=(900, 500, 500),
        dot=dot,
        gathered_in=40,
    )


def _skin() -> Callable[[int], None]:
    """20,000 points held by 40 joints, two of them each."""
    random = np.random.default_rng(1)
    points, normals = random.normal(size=(2, 20_000, 3))
    joints, shares = random.integers(0, 40, (20_000, 4)), np.tile([0.6, 0.4, 0.0, 0.0], (20_000, 1))
    matrices, placed, turned = random.normal(size=(40, 12)), np.empty((20_000, 3)), np.empty((20_000, 3))
    return lambda _: skinned(points, normals, joints, shares, matrices, placed, turned)


def _puffin(at: int) -> ModelElement:
    """A skinned figure whose wings beat, as it walks."""
    clips = (PlacedClip(clip="waddle"), PlacedClip(clip="flap", start=5, strength=0.5))
    return ModelElement(id=f"bird-{at}", model="puffin", clips=clips, placement={"position": (240 * at - 120, 0, 0)})


def performing() -> Iterator[Figure]:
    """Frames that have not been drawn before, one after the other."""
    turns = Track(keys=(Key(frame=1, value=-40, way="straight"), Key(frame=240, value=70)))
    moves = {f"limbs.{name}.turn": turns for name in ("wing", "head", "tail", "leg_near", "leg_far")} | {
        "limbs.wing.bend": turns
    }
    puppets = tuple(
        Puppet(
            id=f"bird-{at}",
            size=320,
            placement={"position": (240 * at - 120, 0, 0)},
            limbs={"wing": Limb(turn=10)},
            moves=moves,
        )
        for at in range(2)
    )
    shot = _shot(*puppets)
    yield measure("two puppets, 32 parts, 1280x720 check", lambda n: _picture(shot, n + 9, "check"), times=7, goal=20)
    many = _shot(_gathers(100_000, 4))
    yield measure("100,000 soft dots, 1280x720 check", lambda n: _picture(many, n + 9, "check"), times=7, goal=150)
    few = _shot(_gathers(10_000, 6), size=(640, 360))
    yield measure("10,000 soft dots, 640x360 rough", lambda n: _picture(few, n + 9, "rough"), times=7, goal=15)
    yield measure("20,000 points skinned by 40 joints", _skin(), times=7, goal=1)
    figures = _shot(*(_puffin(at) for at in range(2)), size=(640, 360))
    yield measure(
        "two figures of 20,400 triangles, 640x360 rough, encoded",
        lambda n: encode_view(show(_picture(figures, n + 9, "rough"), View()), "jpeg"),
        times=15,
        # 50 for 30,000 triangles.
        goal=68,
    )
    minute = np.tile(spoken([vowel(word) for word in VOWELS], 120), 34)[: 60 * 48_000]
    samples = np.repeat(minute.astype(np.float32)[:, None], 2, axis=1)
    yield measure("a minute of voice to mouths", lambda _: mouths(samples, 1440, 1 / 24), times=3, warm=1, goal=3000)

    def lines(number: int) -> None:
        penwork.forget_letters()
        penwork.found_strokes(penwork.Penwork(id="ink", word="Leuchtturm", letters=150 + number), NOWHERE)

    yield measure("centre lines of ten letters", lines, times=3, warm=1, goal=1500)
    pen = _shot(penwork.Penwork(id="ink", word="Leuchtturm"))
    yield measure("a word being written, 1280x720 check", lambda n: _picture(pen, 9 + 3 * n, "check"), times=7)
    grid = Repeat(id="many", stands="in a grid", columns=20, rows=15, apart=(50, 40, 0))
    boxes = _shot(grid, Solid(id="box", inside="many", width=30))
    yield measure("300 copies of a box, 1280x720 check", lambda _: _picture(boxes, 1, "check"), times=3, warm=1)
