"""Words that are see-through in part in whole pictures at final: their edges against sixteen times as many samples, each of which
sorts what it meets (``render.veils``, which a ray tracer in numpy confirms)."""

import unittest
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.colour import encode
from zeitbild.document.shot import Environment, Motion, Raster, Shot, Timing
from zeitbild.elements.lettering import Lettering
from zeitbild.elements.solid import Solid
from zeitbild.finishes import Finish
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import resolve
from zeitbild.testing import NOWHERE, small_shot
from zeitbild.values import Placement, Turn

_SIZE = (224, 126)
#: Frames that a turn takes, times in each of them at which the truth looks.
_FRAMES, _TIMES = 24, 32


def _word(name: str, face: float, bevel: float, side: float, **more: Any) -> Lettering:
    """An unlit word, so that nothing differs but what is seen of each surface."""

    def of(colour: str, opacity: float) -> Finish:
        return Finish(base_colour=colour, opacity=opacity, shading="unlit")

    return Lettering(
        id=name,
        word="ö&g",
        size=170,
        depth=50,
        face=of("#66bbff", face),
        bevel=of("#ffeecc", bevel),
        side=of("#aa3322", side),
        turn=Turn(turns=1),
        **more,
    )


_SETS = {
    "clear faces before a block": (
        _word("a", 0.3, 1, 1),
        Solid(id="b", placement=Placement(position=(0, -60, -120)), surface=Finish(shading="unlit")),
    ),
    "clear sides": (_word("a", 1, 1, 0.4),),
    "two words, one through the other": (
        _word("a", 0.3, 1, 0.5),
        _word("c", 1, 0.5, 1, placement=Placement(position=(20, 30, -40))),
    ),
}


def _shot(name: str, times: int, frames: int, angle: float = 0) -> Shot:
    width, height = _SIZE
    return small_shot(
        raster=Raster(width=width * times, height=height * times),
        timing=Timing(last=frames),
        elements=_SETS[name],
        environment=Environment(strength=0),
        motion=Motion(angle=angle),
        lights=(),
    )


def _smaller(picture: NDArray[np.float32], times: int) -> NDArray[np.float32]:
    width, height = _SIZE
    found: NDArray[np.float32] = picture.reshape(height, times, width, times, 4).mean(axis=(1, 3))
    return found


class SeeThroughWords(unittest.TestCase):
    def _compare(
        self, own: NDArray[np.float32], true: NDArray[np.float32], off: float, share: float, least: float
    ) -> None:
        """Alpha off by more than ``off`` in fewer pixels than a share of what is covered, and colour by more than 12 of 255 in fewer than
        another."""
        there = true[..., 3] > 0
        alpha = np.abs(own[..., 3] - true[..., 3])[there]
        self.assertLess(float((alpha > off).mean()), share)
        colour = np.abs(encode(np.clip(own, 0, 1)) - encode(np.clip(true, 0, 1)))[there].max(axis=-1) * 255
        self.assertLess(float((colour > 12).mean()), least)

    def test_edges_are_as_they_are(self) -> None:
        for name in _SETS:
            for frame in (2, 4, 9):
                with self.subTest(name, frame=frame):
                    own = render(resolve(_shot(name, 1, _FRAMES), frame, NOWHERE), QUALITIES["final"]).beauty
                    true = render(resolve(_shot(name, 4, _FRAMES), frame, NOWHERE), QUALITIES["check"]).beauty
                    self._compare(own, _smaller(true, 4), 0.035, 0.004, 0.02)

    def test_and_in_motion(self) -> None:
        for name in _SETS:
            with self.subTest(name):
                own = render(resolve(_shot(name, 1, _FRAMES, 180), 4, NOWHERE), QUALITIES["final"]).beauty
                slow = _shot(name, 2, _FRAMES * 2 * _TIMES)
                first = 3 * 2 * _TIMES + 1 - _TIMES // 2
                moments = [
                    render(resolve(slow, first + at, NOWHERE), QUALITIES["check"]).beauty for at in range(_TIMES)
                ]
                self._compare(own, _smaller(np.mean(moments, axis=0), 2), 0.05, 0.02, 0.06)


if __name__ == "__main__":
    unittest.main()
