"""Values that move, and sound."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from bench.timing import Figure, measure, single
from zeitbild.document.evaluate import evaluate, time_of
from zeitbild.document.reading import read_shot
from zeitbild.document.shot import Shot
from zeitbild.masters import frame_key
from zeitbild.resolve import resolve
from zeitbild.sound import RATE
from zeitbild.sound.mixing import heard
from zeitbild.sound.wav import WavWriter
from zeitbild.testing import NOWHERE

_FRAMES = 96


def _keys(first: Any, second: Any) -> dict[str, Any]:
    return {"keys": [{"frame": 1, "value": first}, {"frame": 50, "value": second}, {"frame": 100, "value": first}]}


def _moving(count: int) -> Shot:
    """So many elements with ten keyed values each."""
    moves = {
        **{name: _keys(10, 20) for name in ("width", "height", "depth", "placement.scale.0", "placement.scale.1")},
        **{name: _keys([0, 0, 0], [1, 2, 3]) for name in ("placement.position", "placement.rotation")},
        **{
            "surface.base_colour": _keys("#000000", "#ffffff"),
            "surface.roughness": _keys(0, 1),
            "opacity": _keys(0, 1),
        },
    }
    elements = [{"kind": "solid", "id": f"a{at}", "moves": moves} for at in range(count)]
    return read_shot({"version": 3, "elements": elements})


def time_desk() -> Iterator[Figure]:
    """Evaluating keys, what a changed key renders anew, and the waveform of a long sound."""
    shot = _moving(50)
    # Every call at another frame: what was found out before is kept.
    yield measure(
        "500 keyed values at a frame", lambda at: evaluate(shot, time_of(shot, at + 3)), times=_FRAMES, goal=2
    )
    before, after = (
        read_shot(
            {
                "version": 3,
                "elements": [
                    {
                        "kind": "solid",
                        "id": "a",
                        "moves": {
                            "width": {
                                "keys": [
                                    {"frame": at, "value": wide if at == 61 else 50} for at in (1, 41, 61, 81, 120)
                                ]
                            }
                        },
                    }
                ],
            }
        )
        for wide in (60, 61)
    )
    changed = sum(
        frame_key(resolve(before, at, NOWHERE), "final") != frame_key(resolve(after, at, NOWHERE), "final")
        for at in before.timing.frames
    )
    # From the key before it to the one after it.
    yield single("frames of 120 that a changed key renders anew", changed, "", 39)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "long.wav"
        writer = WavWriter(path, 16)
        noise = np.random.default_rng(1).uniform(-0.5, 0.5, (RATE, 2)).astype(np.float32)
        for _ in range(600):
            writer.add(noise)
        writer.close()
        started = time.perf_counter()
        heard(path, "ten minutes")
        yield single("waveform of ten minutes of sound", time.perf_counter() - started, "s", 1)
