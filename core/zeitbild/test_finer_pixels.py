"""Looks at random against themselves in finer pixels: what a pixel shows at final is the mean of sixteen pixels of a picture four times as large.

That holds of everything a set can have, see-through or not, still or slowly turning, and finds what no single case was written for: light that depends
on how large pixels are. Things measured in pixels (what lies on the picture) and mirrors, whose rays are chance in both, are left out.
"""

import random
import unittest
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.document.reading import read_shot
from zeitbild.document.shot import Shot
from zeitbild.drawings import SHIPPED as DRAWINGS
from zeitbild.fonts import SHIPPED
from zeitbild.models import SHIPPED as MODELS
from zeitbild.plates import SHIPPED as PLATES
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import resolve
from zeitbild.testing import NOWHERE

#: How many looks, from which seed on; others can be tried by hand.
_FIRST, _COUNT, _OTHERS = 70, 16, 16
_FINER, _WIDTH, _HEIGHT = 4, 112, 64
_WORDS = ("Kai", "Ebbe 7", "Sturm", "R&B", "Fußweg")
_FONTS = sorted(name for name in SHIPPED if name not in ("amiri", "noto-serif-georgian"))
_SURROUNDINGS = ("window", "horizon", "dusk", "studio", "overcast", "gradient")
_FINISHES: tuple[dict[str, Any], ...] = (
    {"metalness": 1.0, "roughness": 0.35},
    {"metalness": 1.0, "roughness": 0.6},
    {"roughness": 0.3},
    {"roughness": 0.95},
    {"roughness": 0.6, "coat": 1.0, "coat_roughness": 0.1},
    {"shading": "unlit"},
)


class _Looks:
    """Sets from a seed as an animator might make them."""

    def __init__(self, seed: int) -> None:
        self._chance = random.Random(seed)

    def _finish(self) -> dict[str, Any]:
        colour = "".join(f"{self._chance.choice([20, 60, 120, 180, 230]):02x}" for _ in range(3))
        opacity = self._chance.choice([1, 1, 1, 0.5])
        return {"base_colour": f"#{colour}", "opacity": opacity, **self._chance.choice(_FINISHES)}

    def _element(self, number: int) -> dict[str, Any]:
        chance = self._chance
        kind = chance.choice(["lettering", "lettering", "solid", "title", "shape", "spray"])
        place = {"position": [chance.uniform(-far, far) for far in (110, 50, 90)]}
        place["rotation"] = [chance.uniform(-35, 35), chance.uniform(-50, 50), chance.choice([0, 15])]
        own: dict[str, Any] = {"kind": kind, "id": f"e{number}", "name": f"E{number}", "placement": place}
        if kind == "lettering":
            own |= {"word": chance.choice(_WORDS), "font": chance.choice(_FONTS), "size": chance.uniform(80, 160)}
            own |= {"depth": chance.choice([5, 40]), "bevel_width": chance.choice([0, 3])}
            own |= {part: self._finish() for part in ("face", "bevel", "side")}
        elif kind == "solid":
            shape = chance.choice(["box", "ball", "column", "ring", "plate"])
            own |= {"shape": shape, "width": chance.uniform(60, 200), "surface": self._finish()}
        elif kind == "title":
            own |= {"word": chance.choice(_WORDS), "font": chance.choice(_FONTS), "size": chance.uniform(60, 140)}
            own |= {"outline": chance.choice([0, 4]), "fill": self._finish()}
        elif kind == "shape":
            own |= {"figure": chance.choice(["rectangle", "ellipse", "star"]), "line": chance.choice([0, 6])}
            own |= {"fill": self._finish()}
        else:
            own |= {"rate": 40, "life": 2, "dot": chance.choice([4, 12, 30]), "colour": "#78c8fa"}
            own |= {"looks": chance.choice(["soft dots", "discs", "streaks"])}
        return own

    def _elements(self, number: int) -> list[dict[str, Any]]:
        return [self._element(number)]

    def _camera(self) -> dict[str, Any]:
        chance = self._chance
        return {"position": [chance.uniform(-150, 150), chance.uniform(0, 120), 1000], "look_at": [0, 0, 0]}

    def shot(self) -> Shot:
        """A few things, mostly over a floor, under a sun and perhaps a spot light; in half of them all that can turns slowly."""
        chance = self._chance
        elements = [one for number in range(chance.choice([2, 3])) for one in self._elements(number)]
        if chance.random() < 0.7:
            matt = {"base_colour": "#c8b478", "roughness": 0.9}
            surface = chance.choice([matt, {"shading": "shadow only"}])
            floor = {"kind": "floor", "id": "floor", "name": "Floor", "placement": {"position": [0, -120, 0]}}
            elements.append(floor | {"surface": surface})
        turns = chance.random() < 0.5
        for one in elements if turns else ():
            if one["kind"] not in ("floor", "spray") and "inside" not in one:
                one["turn"] = {"turns": chance.choice([0.3, 1])}
        sun = {"kind": "sun", "azimuth": chance.uniform(-70, 70), "elevation": chance.uniform(20, 60)}
        lights = [sun | {"size": chance.choice([0, 2, 10])}, {"kind": "ambient", "strength": 0.2}]
        if chance.random() < 0.4:
            lights.append({"kind": "spot", "position": [chance.uniform(-300, 300), 400, 300], "strength": 2})
        camera = self._camera()
        environment = {"source": chance.choice(_SURROUNDINGS), "strength": 0.5}
        return read_shot(
            {
                "version": 3,
                "raster": {"width": _WIDTH, "height": _HEIGHT},
                "timing": {"last": 96},
                "camera": camera,
                "elements": elements,
                "lights": lights,
                "environment": environment,
                "rays": {"bounces": 0, "occlusion": 0},
                "sampling": {"highlights": "clipped"},
                "motion": {"angle": 180 if turns else 0},
            }
        )


class _OtherLooks(_Looks):
    """The same of drawings, models, puppets, pens, copies, groups, pictures and all kinds of bevels, often orthographic."""

    def _solid(self, name: str, inside: str, size: float) -> dict[str, Any]:
        shape = self._chance.choice(["box", "ball", "column", "ring", "capsule"])
        own = {"kind": "solid", "id": name, "name": name.upper(), "inside": inside, "shape": shape}
        return own | {"width": size, "height": size, "depth": size / 2, "surface": self._finish()}

    def _elements(self, number: int) -> list[dict[str, Any]]:
        chance = self._chance
        kind = chance.choice(["emblem", "model", "puppet", "penwork", "repeat", "group", "card", "lettering"])
        name = f"e{number}"
        place = {"position": [chance.uniform(-far, far) for far in (110, 50, 90)]}
        place["rotation"] = [chance.uniform(-35, 35), chance.uniform(-50, 50), chance.choice([0, 15])]
        own: dict[str, Any] = {"kind": kind, "id": name, "name": name.upper(), "placement": place}
        size = chance.uniform(120, 260)
        if kind == "emblem":
            own |= {"drawing": chance.choice(sorted(DRAWINGS)), "size": size, "depth": chance.choice([0, 30])}
        elif kind == "model":
            own |= {"model": chance.choice(sorted(MODELS)), "size": size}
        elif kind == "puppet":
            own |= {"size": size, "opacity": chance.choice([1, 0.6])}
        elif kind == "penwork":
            own |= {"word": "Möwe", "letters": size / 2, "width": chance.choice([3, 8, 16]), "ink": self._finish()}
        elif kind == "card":
            own |= {"picture": chance.choice(sorted(PLATES)), "width": size}
        elif kind == "repeat":
            own |= {
                "stands": chance.choice(["in a row", "in a ring", "in a grid"]),
                "apart": [50, 45, 40],
                "radius": 110,
            }
            return [own, self._solid(f"i{number}", name, size / 5)]
        elif kind == "group":
            own |= {"opacity": chance.choice([1, 0.5])}
            return [own, self._solid(f"a{number}", name, size / 3), self._solid(f"b{number}", name, size / 2)]
        else:
            own |= {
                "word": "R&B",
                "font": chance.choice(_FONTS),
                "size": size / 2,
                "bevel_width": chance.choice([3, 12]),
            }
            own |= {"depth": 20, "bevel_profile": chance.choice(["flat", "round", "hollow"])}
            own |= {part: self._finish() for part in ("face", "bevel", "side")}
        return [own]

    def _camera(self) -> dict[str, Any]:
        flat = self._chance.random() < 0.5
        return super()._camera() | ({"projection": "orthographic", "span": 700} if flat else {})


def _shown(light: NDArray[np.float64], ground: float) -> NDArray[np.float64]:
    """Light [H, W, 4] over a grey, in levels of 255 of a screen."""
    over: NDArray[np.float64] = 255 * np.clip(light[..., :3] + (1 - light[..., 3:]) * ground, 0, 1) ** (1 / 2.2)
    return over


class FinerPixels(unittest.TestCase):
    def _off(self, shot: Shot) -> NDArray[np.float64]:
        """Levels of 255 that pixels in which there is something are off, over black or grey."""
        snapshot = resolve(shot, 20, NOWHERE)
        found = render(snapshot, QUALITIES["final"]).beauty.astype(np.float64)
        size = {"width": _WIDTH * _FINER, "height": _HEIGHT * _FINER}
        large = shot.model_copy(update={"raster": shot.raster.model_copy(update=size)})
        finer = render(resolve(large, 20, NOWHERE), QUALITIES["final"]).beauty.astype(np.float64)
        true = finer.reshape(_HEIGHT, _FINER, _WIDTH, _FINER, 4).mean(axis=(1, 3))
        off = np.max([np.abs(_shown(found, ground) - _shown(true, ground)).max(axis=-1) for ground in (0, 0.5)], axis=0)
        return off[(found[..., 3] > 0) | (true[..., 3] > 0)]

    def test_a_pixel_is_the_mean_of_what_is_in_it(self) -> None:
        shares, means = [], []
        for seed in range(_FIRST, _FIRST + _COUNT):
            with self.subTest(seed):
                off = self._off(_Looks(seed).shot())
                shares.append(float((off > 12).mean()) * 100)
                means.append(float(off.mean()))
                self.assertLess(shares[-1], 6)
        self._hold(shares, means)

    def test_whatever_else_stands_there(self) -> None:
        shares, means = [], []
        for seed in range(_OTHERS):
            with self.subTest(seed):
                off = self._off(_OtherLooks(seed).shot())
                shares.append(float((off > 12).mean()) * 100)
                means.append(float(off.mean()))
                self.assertLess(shares[-1], 6)
        self._hold(shares, means)

    def _hold(self, shares: list[float], means: list[float]) -> None:
        # 6.4 % and 2.8 before shadows on floors, thin shadows, small dots and slow blur were looked at (decision 071).
        self.assertLess(float(np.mean(shares)), 1)
        self.assertLess(float(np.mean(means)), 1.2)
