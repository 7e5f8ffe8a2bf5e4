"""Sequences and movies on cards: which picture is seen when, hard pixels, cards that face the camera; against known pixels and formulas."""

import io
import math
import zipfile
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from zeitbild.colour import decode
from zeitbild.document.camera import NamedCamera
from zeitbild.document.shot import Camera, Layer, Motion, Raster, Timing
from zeitbild.elements.card import Card
from zeitbild.elements.solid import Solid
from zeitbild.errors import InputError
from zeitbild.finishes import Finish
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import resolve
from zeitbild.test_shot_cutouts import SetOfCards
from zeitbild.values import Placement, Turn

#: Grey of each picture of a sequence.
_GREYS = (40, 90, 140, 190)


def _sequence(numbers: tuple[int, ...] = (1, 2, 3, 4), size: tuple[int, int] = (8, 8)) -> bytes:
    """Grey squares by number; the third is not there at all."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as packed:
        for number, grey in zip(numbers, _GREYS, strict=True):
            data = io.BytesIO()
            Image.new("RGBA", size, (grey, grey, grey, 0 if number == numbers[2] else 255)).save(data, "PNG")
            packed.writestr(f"sea.{number:04d}.png", data.getvalue())
    return out.getvalue()


class Footage(SetOfCards):
    def _middle(self, card: Card, frames: range, **more: Any) -> list[int | None]:
        """The grey that is seen in the middle at frames, none where nothing is."""
        shot = self.shot(card, side=32, timing=Timing(last=40, rate="25"), **more)
        found: list[int | None] = []
        for frame in frames:
            pixel = render(resolve(shot, frame, self.assets), QUALITIES["check"]).beauty[16, 16]
            levels = [abs(float(pixel[0]) - float(decode(np.array(grey / 255)))) for grey in _GREYS]
            found.append(_GREYS[int(np.argmin(levels))] if pixel[3] > 0.5 else None)
            self.assertLess(min(levels) if pixel[3] > 0.5 else 0.0, 1e-4)
        return found

    def test_which_picture_is_seen_when(self) -> None:
        a, b, _, d = _GREYS
        data = _sequence()
        for more, frames, wanted in (
            ({"start": 3}, range(1, 9), [a, a, a, b, None, d, d, d]),
            ({"start": 3, "before": "nothing", "after": "repeat"}, range(1, 9), [None, None, a, b, None, d, a, b]),
            ({"start": 3, "skip": 2}, range(1, 5), [a, a, b, None]),
            ({"rate": "another", "another_rate": 12.5}, range(1, 9), [a, a, b, b, None, None, d, d]),
            ({"after": "back and forth"}, range(4, 9), [d, None, b, a, b]),
        ):
            with self.subTest(more):
                card = self.card(data, **more)
                self.assertEqual(self._middle(card, frames), wanted)

    def test_gaps_hold_and_what_is_not_there_lets_through(self) -> None:
        data = _sequence((1, 2, 5, 6))
        self.assertEqual(self._middle(self.card(data), range(1, 7)), [40, 90, 90, 90, None, 190])

    def test_frames_have_keys_of_their_own_only_where_pictures_change(self) -> None:
        shot = self.shot(self.card(_sequence()), side=32, timing=Timing(last=9))
        seen = [resolve(shot, frame, self.assets) for frame in (1, 2, 5, 6)]
        self.assertNotEqual(seen[0].textures, seen[1].textures)
        self.assertEqual(seen[2], seen[3])

    def test_a_broken_picture_names_the_element_and_the_file(self) -> None:
        out = io.BytesIO()
        noise = np.random.default_rng(5).integers(0, 255, (64, 64, 3)).astype(np.uint8)
        with zipfile.ZipFile(out, "w") as packed:
            for number in range(1, 6):
                data = io.BytesIO()
                Image.fromarray(noise).save(data, "PNG")
                packed.writestr(f"sea.{number:04d}.png", data.getvalue()[: 4000 if number == 2 else None])
        shot = self.shot(self.card(out.getvalue()), side=32)
        self.seen(shot)
        with self.assertRaises(InputError) as caught:
            resolve(shot, 2, self.assets)
        self.assertTrue(caught.exception.field.startswith("elements.0"), caught.exception.field)
        self.assertIn("sea.0002.png", caught.exception.message)

    def test_hard_pixels_stay_whole(self) -> None:
        rng = np.random.default_rng(3)
        values = rng.integers(0, 2, (4, 4, 1)) * np.array([220, 220, 220])
        data = io.BytesIO()
        Image.fromarray(values.astype(np.uint8)).save(data, "PNG")
        picture = decode(values[..., 0] / 255)
        wanted = np.repeat(np.repeat(picture, 24, axis=0), 24, axis=1)

        def shown(**more: Any) -> NDArray[np.float64]:
            beauty = self.seen(self.shot(self.card(data.getvalue(), **more)), "check").beauty[16:112, 16:112]
            return np.abs(beauty[..., 0] - wanted)

        hard, smooth = shown(pixels="hard"), shown()
        # Of what is larger than a pixel only those at its borders are between two.
        self.assertLess(float((hard > 1e-3).mean()), 0.09)
        self.assertGreater(float((smooth > 1e-3).mean()), 0.5)
        # Edges of what is seen once do not take from the other side.
        self.assertLess(float(hard[:2].max()), 1e-3)

    def test_alpha_over_a_colour_is_taken_out(self) -> None:
        alpha = np.clip((np.arange(96) - 20) / 50, 0, 1)[None, :, None].repeat(96, axis=0)
        own, ground = np.array([200, 80, 40]) / 255, np.array([0, 176, 64]) / 255
        values = np.concatenate([own * alpha + ground * (1 - alpha), alpha], axis=2)
        data = io.BytesIO()
        Image.fromarray((values * 255).round().astype(np.uint8)).save(data, "PNG")
        for how in ({"alpha": "over a colour", "matte": "#00b040"}, {"alpha": "as it seems"}):
            beauty = self.seen(self.shot(self.card(data.getvalue(), **how)), "check").beauty[32:96, 32:96]
            share = (alpha * 255).round()[16:80, 16:80] / 255
            np.testing.assert_allclose(beauty[..., 3], share[..., 0], atol=4e-3)
            # Rounding to 8 bits, divided by little alpha.
            np.testing.assert_allclose(beauty[..., :3], share * decode(own), atol=8e-3)


class Beside(SetOfCards):
    def test_what_stands_still_is_as_sharp_when_something_else_goes_fast(self) -> None:
        # Fine stripes and dots, made smaller by 2.3 and seen at a slant: a frame with an open shutter shows them as a still does.
        y, x = np.mgrid[:300, :300]
        page = np.stack([(x // 3) % 2 * 200 + 30, (y // 5) % 2 * 180 + 40, (x * 7 + y * 3) // 11 % 2 * 255], axis=-1)
        data = io.BytesIO()
        Image.fromarray(page.astype(np.uint8)).save(data, "PNG")
        card = self.card(data.getvalue()).model_copy(
            update={"width": 130.0, "placement": Placement(position=(-20, 0, 0), rotation=(-35, 25, 0))}
        )
        bar = Solid(
            id="bar",
            shape="box",
            width=50,
            height=8,
            depth=8,
            surface=Finish(shading="unlit"),
            turn=Turn(axis="z", turns=1),
        ).model_copy(update={"placement": Placement(position=(38, 38, 80))})
        for quality in ("final", "check"):
            still = self.seen(self.shot(card, bar, timing=Timing(last=6)), quality).beauty.astype(np.float64)
            open_ = self.seen(self.shot(card, bar, timing=Timing(last=6), motion=Motion(angle=180)), quality).beauty
            # Left of the bar, inside the card.
            inside = np.zeros((128, 128), bool)
            inside[20:108, 8:60] = True
            inside &= (still[..., 3] > 0.999) & (open_[..., 3] > 0.999)
            self.assertGreater(int(inside.sum()), 1500)
            off = 255 * np.abs(
                still[inside][:, :3].clip(0, 1) ** (1 / 2.2) - open_[inside][:, :3].clip(0, 1) ** (1 / 2.2)
            )
            self.assertLess(float(off.max(axis=1).mean()), 2.0, quality)


class Facing(SetOfCards):
    def _area(self, card: Card, camera: Camera, **more: Any) -> float:
        shot = self.shot(card, side=128, camera=camera, raster=Raster(width=128, height=128), **more)
        return float(self.seen(shot).beauty[..., 3].sum())

    def _card(self, **more: Any) -> Card:
        return Card(id="card", width=40, shape="own height", height=40, **more)

    def test_it_is_a_square_from_anywhere(self) -> None:
        front = self._area(self._card(), Camera(position=(0, 0, 1000), projection="orthographic", span=128))
        self.assertAlmostEqual(front, 1600, delta=2)
        for at in ((700, 0, 700), (0, 900, 300), (-500, -800, -200), (0, 1000, 0)):
            camera = Camera(position=at, projection="orthographic", span=128)
            self.assertAlmostEqual(self._area(self._card(faces="the camera"), camera), 1600, delta=2)
        # About the upright alone it is foreshortened by how steeply it is seen.
        camera = Camera(position=(0, 800, 600), projection="orthographic", span=128)
        self.assertAlmostEqual(self._area(self._card(faces="the camera, upright"), camera), 1600 * 0.6, delta=2)

    def test_in_perspective_it_turns_to_where_the_camera_is(self) -> None:
        away = Placement(position=(300, 0, -500))
        camera = Camera(position=(0, 0, 1000), look_at=(300, 0, -500), angle=10)
        distance = math.dist((0, 0, 1000), (300, 0, -500))
        a_unit = 128 / (2 * distance * math.tan(math.radians(5)))
        seen = self._area(self._card(faces="the camera", placement=away), camera)
        self.assertAlmostEqual(seen, (40 * a_unit) ** 2, delta=0.02 * seen)

    def test_a_layer_has_it_face_its_own_camera(self) -> None:
        side = NamedCamera(name="side", camera=Camera(position=(1000, 0, 0), projection="orthographic", span=128))
        layer = Layer(name="all", passes=("beauty",), camera="side")
        shot = self.shot(self._card(faces="the camera"), cameras=(side,), layers=(layer,))
        beauty = render(resolve(shot, 1, self.assets, "all"), QUALITIES["final"]).beauty
        self.assertAlmostEqual(float(beauty[..., 3].sum()), 1600, delta=2)

    def test_one_sided_it_is_not_seen_from_behind(self) -> None:
        back = Camera(position=(0, 0, -1000), projection="orthographic", span=128)
        self.assertAlmostEqual(self._area(self._card(), back), 1600, delta=2)
        self.assertEqual(self._area(self._card(sides="front"), back), 0)
        front = Camera(position=(0, 0, 1000), projection="orthographic", span=128)
        self.assertAlmostEqual(self._area(self._card(sides="front"), front), 1600, delta=2)
