"""Pictures inside drawings, in pictures: against an independent SVG rasteriser over two grounds; puppets made of folders of pictures."""

import base64
import io
import tempfile
import unittest
from collections.abc import Callable
from pathlib import Path

import numpy as np
import resvg_py
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from zeitbild.assets import AssetFolder
from zeitbild.colour import decode
from zeitbild.document.shot import Camera, Environment, Raster, Shot
from zeitbild.elements.emblem import Emblem
from zeitbild.elements.puppet import Limb, Puppet
from zeitbild.errors import InputError, LimitError
from zeitbild.finishes import Finish
from zeitbild.geometry.drawing.painting import drawing_at
from zeitbild.geometry.puppet.rig import rig_at
from zeitbild.library.layered import drawing_of
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import resolve
from zeitbild.testing import small_shot


def _png(size: tuple[int, int], *, draw: Callable[[ImageDraw.ImageDraw], None]) -> bytes:
    """A picture with soft edges, drawn four times as large."""
    large = Image.new("RGBA", (size[0] * 4, size[1] * 4), (0, 0, 0, 0))
    draw(ImageDraw.Draw(large))
    # What is not there has a colour of its own, which must show nowhere.
    pixels = np.asarray(large.resize(size, Image.Resampling.BOX)).copy()
    pixels[pixels[..., 3] == 0, :3] = (255, 0, 255)
    file = io.BytesIO()
    Image.fromarray(pixels).save(file, "PNG")
    return file.getvalue()


def _lamp(draw: ImageDraw.ImageDraw) -> None:
    draw.ellipse((80, 40, 1100, 700), fill=(200, 80, 30, 255))
    draw.rectangle((400, 200, 700, 500), fill=(30, 80, 200, 255))
    draw.ellipse((200, 300, 350, 450), fill=(0, 0, 0, 0))
    draw.line((0, 760, 1180, 700), fill=(20, 20, 20, 255), width=12)


def _address(data: bytes) -> str:
    return "data:image/png;base64," + base64.b64encode(data).decode()


def _svg(inner: str) -> str:
    return (
        '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 400 300">'
        f"{inner}</svg>"
    )


def _straight(*elements: object, size: tuple[int, int] = (440, 340)) -> Shot:
    """Seen straight, a unit a pixel."""
    return small_shot(
        raster=Raster(width=size[0], height=size[1]),
        camera=Camera(position=(0, 0, 1000), projection="orthographic", span=size[0]),
        environment=Environment(strength=0),
        lights=(),
        elements=elements,
    )


def _rastered(svg: str, ground: int) -> NDArray[np.float64]:
    """Linear colour [300, 400, 3] of a drawing over a grey, mixed as light is."""
    data = bytes(resvg_py.svg_to_bytes(svg_string=svg, width=1600, height=1200))
    found = np.asarray(Image.open(io.BytesIO(data)).convert("RGBA"), np.float64) / 255
    light = decode(found[..., :3]) * found[..., 3:] + decode(np.array(ground / 255)) * (1 - found[..., 3:])
    mean: NDArray[np.float64] = light.reshape(300, 4, 400, 4, 3).mean(axis=(1, 3))
    return mean


class Inlaid(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.assets = AssetFolder(Path(folder.name))

    def _seen(self, *elements: object, quality: str = "final") -> NDArray[np.float32]:
        return render(resolve(_straight(*elements), 1, self.assets), QUALITIES[quality]).beauty

    def test_it_is_what_an_independent_rasteriser_shows_over_dark_and_light(self) -> None:
        lamp = _address(_png((300, 200), draw=_lamp))
        for place in (
            'x="30" y="40" width="300" height="200"',
            'x="10" y="20" width="330" height="250" preserveAspectRatio="xMaxYMin slice" transform="rotate(8 200 150)"',
            'x="40" y="30" width="320" height="240" preserveAspectRatio="none" transform="skewX(-5)"',
            'x="60" y="80" transform="scale(.9)"',
        ):
            with self.subTest(place):
                # Something in every corner, so that the drawing is as large as its page.
                corners = '<rect width="4" height="4"/><rect x="396" y="296" width="4" height="4"/>'
                svg = _svg(f'{corners}<image {place} xlink:href="{lamp}"/>')
                emblem = Emblem(
                    id="art",
                    drawing="asset:" + self.assets.add(svg.encode()),
                    size=400,
                    depth=0,
                    surface=Finish(shading="unlit"),
                )
                own = self._seen(emblem)[20:320, 20:420]
                for ground in (0, 255):
                    over = own[..., :3] + (1 - own[..., 3:]) * decode(np.array(ground / 255)).astype(np.float32)
                    off = np.abs(over - _rastered(svg, ground)).max(axis=2)
                    # Between its pixels the rasteriser's edges are softer.
                    self.assertLess(float(off.mean()), 0.004, ground)
                    self.assertLess(float((off > 0.1).mean()), 0.01, ground)

    def test_pixel_on_pixel_it_is_its_file(self) -> None:
        data = _png((300, 200), draw=_lamp)
        corners = '<rect width="4" height="4"/><rect x="396" y="296" width="4" height="4"/>'
        svg = _svg(f'{corners}<image x="30" y="40" href="{_address(data)}"/>')
        art = Emblem(
            id="art",
            drawing="asset:" + self.assets.add(svg.encode()),
            size=400,
            depth=0,
            surface=Finish(shading="unlit"),
        )
        own = self._seen(art)[60:260, 50:350]
        file = np.asarray(Image.open(io.BytesIO(data)), np.float64) / 255
        want = np.concatenate([decode(file[..., :3]) * file[..., 3:], file[..., 3:]], axis=2)
        off = np.abs(own - want).max(axis=2)
        self.assertLess(float(off.mean()), 1e-3)
        self.assertLess(float((off > 0.02).mean()), 0.015)
        self.assertLess(float((off > 0.2).mean()), 1e-3)

    def test_over_other_paint_its_edge_shows_what_is_below(self) -> None:
        lamp = _address(_png((300, 200), draw=_lamp))
        svg = _svg(f'<rect width="400" height="300" fill="#2d7d46"/><image x="50" y="50" href="{lamp}"/>')
        drawing = "asset:" + self.assets.add(svg.encode())
        own = self._seen(Emblem(id="art", drawing=drawing, size=400, depth=0, surface=Finish(shading="unlit")))
        own = own[20:320, 20:420]
        self.assertLess(float(np.abs(own[..., 3] - 1).max()), 1e-4)
        off = np.abs(own[..., :3] - _rastered(svg, 0)).max(axis=2)
        self.assertLess(float(off.mean()), 0.004)
        self.assertLess(float((off > 0.15).mean()), 0.004)

    def test_raised_it_has_sides_and_its_picture_on_the_front(self) -> None:
        lamp = _address(_png((300, 200), draw=_lamp))
        drawing = "asset:" + self.assets.add(_svg(f'<image x="50" y="50" href="{lamp}"/>').encode())
        emblem = Emblem(id="art", drawing=drawing, size=300, depth=30, surface=Finish(shading="unlit"))
        own = self._seen(emblem, quality="check")
        self.assertGreater(float(own[170, 230, 2]), 0.4)
        self.assertGreater(float(own[170, 300, 0]), 0.4)

    def test_a_part_of_a_puppet_keeps_its_picture_when_it_turns_and_bends(self) -> None:
        def bar(draw: ImageDraw.ImageDraw) -> None:
            draw.rectangle((0, 0, 400, 160), fill=(255, 0, 0, 255))
            draw.rectangle((400, 0, 800, 160), fill=(0, 0, 255, 255))

        inner = (
            f'<g id="arm"><image x="100" y="100" href="{_address(_png((200, 40), draw=bar))}"/>'
            '<circle id="pivot" cx="110" cy="120" r="2"/><circle id="bend" cx="200" cy="120" r="2"/><circle id="tip" cx="295" cy="120" r="2"/></g>'
        )
        drawing = "asset:" + self.assets.add(_svg(inner).encode())
        for limb in (Limb(), Limb(turn=90), Limb(bend=90)):
            own = self._seen(Puppet(id="it", drawing=drawing, size=200, limbs={"arm": limb}), quality="check")
            red, blue = (float((own[..., channel] > 0.5).sum()) for channel in (0, 2))
            self.assertAlmostEqual(red, 4000, delta=150)
            self.assertAlmostEqual(blue, 4000, delta=900)
            self.assertLess(float(own[..., 1].max()), 0.01)

    def test_what_cannot_be_read_is_told_or_refused(self) -> None:
        box = '<rect width="9" height="9"/>'
        for address, told in (
            ("data:image/png;base64,!!!!", "damaged"),
            ("data:image/png;base64," + base64.b64encode(b"no picture at all, really").decode(), "no picture"),
            (_address(_png((40, 40), draw=_lamp))[:-60], "a picture inside the drawing is damaged"),
            (_address(_png((40, 40), draw=lambda draw: None)), "nothing is there"),
            ("lamp.png", "embed"),
            ("", "without a file"),
        ):
            path = self.assets.path(self.assets.add(_svg(f'{box}<image href="{address}"/>').encode()))
            self.assertIn(told, " ".join(drawing_at(path, "it").notes), address[:60])

    def test_one_picture_that_is_used_often_is_kept_once(self) -> None:
        lamp = _address(_png((300, 200), draw=_lamp))
        uses = "".join(f'<use href="#lamp" x="{at}"/>' for at in range(0, 120, 2))
        svg = _svg(f'<defs><image id="lamp" width="30" height="20" href="{lamp}"/></defs>{uses}')
        art = Emblem(id="art", drawing="asset:" + self.assets.add(svg.encode()), size=400, depth=0)
        drawing = drawing_at(self.assets.path(art.drawing[6:]), "it")
        self.assertEqual((len(drawing.inlays), len(drawing.plain["files"])), (60, 1))
        self.assertEqual(len(resolve(_straight(art), 1, self.assets).textures), 2)

    def test_bombs_are_refused(self) -> None:
        file = io.BytesIO()
        Image.new("L", (6000, 5600)).save(file, "PNG")
        path = self.assets.path(self.assets.add(_svg(f'<image href="{_address(file.getvalue())}"/>').encode()))
        with self.assertRaises(LimitError):
            drawing_at(path, "it")


class Layered(unittest.TestCase):
    """Folders of pictures become drawings."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.assets = AssetFolder(Path(folder.name))

    def _pictures(self) -> list[tuple[str, bytes]]:
        def at(left: int, top: int, right: int, bottom: int, colour: tuple[int, ...]) -> bytes:
            box = (left * 4, top * 4, right * 4 - 1, bottom * 4 - 1)
            return _png((200, 200), draw=lambda draw: draw.rectangle(box, fill=(*colour, 255)))

        return [
            ("bird/02 head/2_eye.png", at(110, 40, 120, 50, (0, 0, 0))),
            ("bird/02 head/1_skull.png", at(80, 20, 140, 80, (200, 200, 200))),
            ("bird/02 head/mouth/open.png", at(130, 60, 150, 75, (200, 0, 0))),
            ("bird/02 head/mouth/closed.png", at(130, 60, 150, 66, (100, 0, 0))),
            ("bird/10 wing.png", at(60, 90, 90, 150, (0, 0, 250))),
            ("bird/01 body.png", at(70, 70, 130, 180, (30, 30, 30))),
        ]

    def test_pictures_are_parts_in_the_order_of_their_names_and_folders_hold_them(self) -> None:
        path = self.assets.path(self.assets.add(drawing_of(self._pictures(), "bird")))
        rig = rig_at(path, "bird")
        names = [limb.name for limb in rig.limbs]
        self.assertEqual(names, ["body", "head", "skull", "eye", "mouth", "closed", "open", "wing"])
        of = {limb.name: limb for limb in rig.limbs}
        self.assertEqual(rig.limbs[of["eye"].parent].name, "head")
        # Mouths are drawings that swap: one is seen at first.
        self.assertEqual(of["mouth"].shows, 1)
        self.assertLess(of["body"].order, of["skull"].order)
        self.assertLess(of["open"].order, of["wing"].order)
        low, high = rig.bounds
        # Outlines lie a little beside what is there.
        np.testing.assert_allclose(high - low, (90, 160), atol=4)

    def test_it_is_seen_as_its_pictures_laid_over_one_another(self) -> None:
        drawing = "asset:" + self.assets.add(drawing_of(self._pictures(), "bird"))
        low, high = rig_at(self.assets.path(drawing[6:]), "bird").bounds
        puppet = Puppet(id="bird", drawing=drawing, size=float(max(high - low)), limbs={"mouth": Limb(shows=2)})
        own = render(resolve(_straight(puppet, size=(200, 200)), 1, self.assets), QUALITIES["final"]).beauty
        whole = Image.new("RGBA", (200, 200), (0, 0, 0, 0))
        for wanted in ("body", "skull", "eye", "open", "wing"):
            data = next(data for name, data in self._pictures() if wanted in name)
            whole = Image.alpha_composite(whole, Image.open(io.BytesIO(data)))
        want = np.asarray(whole, np.float64) / 255
        light = np.concatenate([decode(want[..., :3]) * want[..., 3:], want[..., 3:]], axis=2)
        # The middle of what is seen stands in the middle.
        off = np.min([np.abs(own - np.roll(light, x, axis=1)).max(axis=2).mean() for x in (-6, -5, -4)])
        self.assertLess(float(off), 0.01)

    def test_pictures_of_several_sizes_have_their_middles_in_one_place(self) -> None:
        small = _png((40, 20), draw=lambda draw: draw.rectangle((0, 0, 160, 80), fill=(9, 9, 9, 255)))
        large = _png((100, 100), draw=lambda draw: draw.rectangle((0, 0, 400, 400), fill=(99, 9, 9, 255)))
        path = self.assets.path(self.assets.add(drawing_of([("a.png", large), ("b.png", small)], "it")))
        limbs = {limb.name: limb for limb in rig_at(path, "it").limbs}
        np.testing.assert_allclose(limbs["b"].middle, limbs["a"].middle, atol=0.01)

    def test_what_makes_no_drawing_is_refused(self) -> None:
        good = self._pictures()[0][1]
        for pictures in (
            [("a.png", b"nothing")],
            [("x", good), ("x/a.png", good)],
            [("x/a.png", good), ("x/a.png", good)],
            [],
        ):
            with self.assertRaises(InputError):
                drawing_of(pictures, "it")
        with self.assertRaises(LimitError):
            drawing_of([(f"{at}.png", good) for at in range(400)], "it")


if __name__ == "__main__":
    unittest.main()
