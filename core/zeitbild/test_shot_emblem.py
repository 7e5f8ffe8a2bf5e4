"""Emblems in whole pictures: flat art against an independent SVG rasteriser, and colours as passes and mattes know them."""

import io
import tempfile
import unittest
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np
import resvg_py
from numpy.typing import DTypeLike, NDArray
from PIL import Image

from zeitbild.assets import AssetFolder
from zeitbild.colour import decode, decode_hex, encode
from zeitbild.document.reading import parse_shot, write_shot
from zeitbild.document.shot import Camera, Environment, Layer, Raster, Shot
from zeitbild.elements.emblem import Emblem, EmblemColour
from zeitbild.errors import InputError
from zeitbild.finishes import Finish, NamedFinish, Values
from zeitbild.fonts import SHIPPED as FONTS
from zeitbild.render import QUALITIES, render
from zeitbild.render.passes import pass_named
from zeitbild.render.rays import secondary
from zeitbild.render.world.buffers import kept
from zeitbild.resolve import resolve
from zeitbild.snapshot.finish_row import ALPHA_MAP
from zeitbild.testing import NOWHERE, small_shot

_ART = (
    '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 80"><rect width="100" height="80" fill="#0000ff"/>'
    '<circle cx="45" cy="38" r="30" fill="#ff0000"/><path d="M10 70 C 30 0 60 90 95 12 L 80 75 Z" fill="#00ff00"/>'
    '<g fill="none" stroke="#ff0000" stroke-width="1.3"><path d="M5 5 L95 31"/><circle cx="80" cy="60" r="11"/></g></svg>'
)


def _flat(drawing: str, width: int, height: int, size: float, **more: object) -> Shot:
    """Seen straight, a unit a pixel, unlit."""
    emblem = Emblem(id="art", drawing=drawing, size=size, depth=0, surface=Finish(shading="unlit"), **more)
    return small_shot(
        raster=Raster(width=width, height=height),
        camera=Camera(position=(0, 0, 1000), projection="orthographic", span=width),
        environment=Environment(strength=0),
        lights=(),
        elements=(emblem,),
        layers=(Layer(name="art", passes=("beauty",)),),
    )


def _coverage(width: int, height: int, times: int) -> NDArray[np.float64]:
    """Linear colour [H, W, 3] of the art: each of its colours is one channel, so that it is a share of area."""
    data = bytes(resvg_py.svg_to_bytes(svg_string=_ART, width=width * times, height=height * times))
    found = np.asarray(Image.open(io.BytesIO(data)).convert("RGBA"), np.float64)[..., :3] / 255
    mean: NDArray[np.float64] = found.reshape(height, times, width, times, 3).mean(axis=(1, 3))
    return mean


def _plate_with_shadow(fill: str, down: float, deviation: float) -> bytes:
    """A plate 60 wide and 30 high, and its soft shadow so far below."""
    return (
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 80"><filter id="f" x="-1" y="-1" width="3" height="3">'
        f'<feDropShadow dx="0" dy="{down}" stdDeviation="{deviation}"/></filter>'
        f'<rect x="20" y="15" width="60" height="30" fill="{fill}" filter="url(#f)"/></svg>'
    ).encode()


class FlatArt(unittest.TestCase):
    def _levels_off(self, art: str) -> NDArray[np.float64]:
        """How far (encoded, of 255) flat art of 100 x 80 that fills its page is off the independent rasteriser's, at check."""
        with tempfile.TemporaryDirectory() as folder:
            assets = AssetFolder(Path(folder))
            shot = _flat("asset:" + assets.add(art.encode()), 240, 200, 200)
            own = render(resolve(shot, 1, assets), QUALITIES["check"]).beauty[20:180, 20:220]
        self.assertLess(float(np.abs(own[..., 3] - 1).max()), 1e-5)
        data = bytes(resvg_py.svg_to_bytes(svg_string=art, width=800, height=640))
        true = decode(np.asarray(Image.open(io.BytesIO(data)).convert("RGB"), np.float64) / 255)
        want = true.reshape(160, 4, 200, 4, 3).mean(axis=(1, 3))
        return np.asarray(np.abs(encode(own[..., :3]) - encode(want)) * 255)

    def test_it_is_what_an_independent_rasteriser_shows(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            assets = AssetFolder(Path(folder))
            shot = _flat("asset:" + assets.add(_ART.encode()), 240, 200, 200)
            picture = render(resolve(shot, 1, assets), QUALITIES["final"])
        own = picture.beauty[20:180, 20:220]
        off = np.abs(own[..., :3] - _coverage(200, 160, 16)) * 255
        self.assertLess(float(off.mean()), 0.1)
        # The rasteriser's own edges, which know nothing of one another, are a sixteenth of a pixel thick here.
        self.assertLess(float(off.max()), 16)
        # No seam where two colours meet: everything inside is covered, and nothing outside.
        self.assertLess(float(np.abs(own[..., 3] - 1).max()), 1e-5)
        outside = picture.beauty.copy()
        outside[20:180, 20:220] = 0
        self.assertLess(float(np.abs(outside).max()), 1e-6)

    def test_colours_that_lie_edge_to_edge_have_no_seam_when_they_fade(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            assets = AssetFolder(Path(folder))
            name = "asset:" + assets.add(_ART.encode())
            shot = _flat(name, 240, 200, 200)
            faded = Finish(shading="unlit", opacity=0.5)
            shot = shot.model_copy(update={"elements": (shot.elements[0].model_copy(update={"surface": faded}),)})
            for quality in ("check", "final"):
                alpha = render(resolve(shot, 1, assets), QUALITIES[quality]).beauty[22:178, 22:218, 3]
                self.assertLess(float(np.abs(alpha - 0.5).max()), 1e-3, quality)

    def test_gradients_fade_out_where_nothing_is_below(self) -> None:
        art = (
            '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 80"><radialGradient id="r">'
            '<stop offset="0" stop-color="#ffee88"/><stop offset="1" stop-color="#ff8800" stop-opacity="0"/></radialGradient>'
            '<linearGradient id="l"><stop offset="0" stop-color="#2060c0"/><stop offset="1" stop-color="#2060c0" stop-opacity=".2"/></linearGradient>'
            '<circle cx="30" cy="40" r="28" fill="url(#r)"/><rect x="62" width="38" height="80" fill="url(#l)" opacity=".8"/></svg>'
        )
        data = bytes(resvg_py.svg_to_bytes(svg_string=art, width=800, height=640))
        drawn = np.asarray(Image.open(io.BytesIO(data)).convert("RGBA"), np.float64) / 255
        light = np.concatenate([decode(drawn[..., :3]) * drawn[..., 3:], drawn[..., 3:]], axis=2)
        want = light.reshape(160, 4, 200, 4, 4).mean(axis=(1, 3))
        with tempfile.TemporaryDirectory() as folder:
            assets = AssetFolder(Path(folder))
            name = "asset:" + assets.add(art.encode())
            for quality in ("check", "final"):
                picture = render(resolve(_flat(name, 240, 200, 200), 1, assets), QUALITIES[quality])
                # What is seen of the drawing: from 2 to 100 across.
                own = picture.beauty[20:180, 22:218]
                off = np.abs(own - want[:, 4:200])
                self.assertLess(float(off.mean()), 0.01, quality)
                self.assertLess(float((off.max(axis=2) > 0.05).mean()), 0.02, quality)

    def test_glosses_shadows_and_blended_paint_are_what_an_independent_rasteriser_shows(self) -> None:
        art = (
            '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 80"><linearGradient id="l" x2="0" y2="1"><stop offset="0" stop-color="#2060c0"/>'
            '<stop offset="1" stop-color="#e0a020"/></linearGradient><radialGradient id="r"><stop stop-color="#000" stop-opacity=".8"/>'
            '<stop offset="1" stop-color="#000" stop-opacity="0"/></radialGradient><rect width="100" height="80" fill="url(#l)"/>'
            '<ellipse cx="35" cy="45" rx="28" ry="20" fill="url(#r)"/><circle cx="65" cy="30" r="22" fill="#e62" style="mix-blend-mode:multiply"/>'
            '<rect x="20" y="8" width="60" height="22" fill="#fff" opacity=".4"/></svg>'
        )
        off = self._levels_off(art)
        self.assertLess(float(off.mean()), 0.5)
        self.assertLess(float(np.quantile(off, 0.98)), 2.0)

    def test_text_is_set_in_a_font_that_is_chosen_where_its_own_is_not_here(self) -> None:
        def art(family: str) -> bytes:
            return (
                '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 80"><linearGradient id="l"><stop stop-color="#f80"/>'
                '<stop offset="1" stop-color="#08f"/></linearGradient><rect width="100" height="80" fill="#222"/>'
                f'<text x="8" y="50" font-size="34" font-family="{family}" fill="url(#l)">Lamp</text></svg>'
            ).encode()

        pictures = []
        with tempfile.TemporaryDirectory() as folder:
            assets = AssetFolder(Path(folder))
            font = "asset:" + assets.add(FONTS["league-spartan"].path.read_bytes())
            for family, chosen in (
                ("League Spartan", ""),
                ("Kap Brand", font),
                ("Kap Brand", "league-spartan"),
                ("Kap Brand", ""),
            ):
                shot = _flat("asset:" + assets.add(art(family)), 240, 200, 200, text_font=chosen)
                pictures.append(render(resolve(shot, 1, assets), QUALITIES["check"]).beauty)
            for own in pictures[1:3]:
                np.testing.assert_array_equal(own, pictures[0])
            self.assertGreater(float(np.abs(pictures[3] - pictures[0]).max()), 0.1)
            with self.assertRaises(InputError) as caught:
                resolve(_flat("asset:" + assets.add(art("x")), 240, 200, 200, text_font="nowhere"), 1, assets)
            self.assertEqual(caught.exception.field.split(".")[-1], "text_font")

    def test_gradients_lie_where_they_lie_in_the_drawing(self) -> None:
        art = (
            '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 80"><radialGradient id="r" cx="30%" cy="40%" r="60%">'
            '<stop offset="0" stop-color="#fff"/><stop offset="1" stop-color="#204080"/></radialGradient>'
            '<linearGradient id="l" x2="0" y2="1"><stop offset="0" stop-color="#f80"/><stop offset="1" stop-color="#800"/></linearGradient>'
            '<rect width="100" height="80" fill="url(#r)"/><circle cx="70" cy="45" r="25" fill="url(#l)"/></svg>'
        )
        off = self._levels_off(art)
        # Its own steps of colour are one level; along the circle edges are sampled.
        self.assertLess(float(off.mean()), 1.0)
        self.assertLess(float(np.quantile(off, 0.99)), 5.0)


class Memory(unittest.TestCase):
    def test_neighbours_in_tiles_where_nothing_is_drawn_are_nothing(self) -> None:
        """Whatever a buffer held: so large a number led out of memory, and the process ended."""

        def full(name: str, shape: tuple[int, ...], dtype: DTypeLike) -> NDArray[Any]:
            found = kept(name, shape, dtype)
            if name.endswith("main"):
                found.fill(2**30)
            return found

        art = (
            b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 240 160"><rect x="20" y="30" width="200" height="90" fill="#fdf"/>'
            b'<rect x="10" y="20" width="220" height="30" fill="#08c" opacity=".5"/></svg>'
        )
        with tempfile.TemporaryDirectory() as folder:
            assets = AssetFolder(Path(folder))
            emblem = Emblem(id="art", drawing="asset:" + assets.add(art), size=300, depth=40)
            shot = Shot(raster=Raster(width=640, height=360), elements=(emblem,))
            for quality in ("check", "final"):
                want = render(resolve(shot, 1, assets), QUALITIES[quality]).beauty
                with mock.patch.object(secondary, "kept", full):
                    own = render(resolve(shot, 1, assets), QUALITIES[quality]).beauty
                np.testing.assert_array_equal(own, want)


class Finishes(unittest.TestCase):
    def test_a_shadow_stays_one_whatever_its_colour_becomes(self) -> None:
        art = _plate_with_shadow("#000", 12, 3)
        with tempfile.TemporaryDirectory() as folder:
            assets = AssetFolder(Path(folder))
            name = "asset:" + assets.add(art)
            red = EmblemColour(drawn="#000000", finish=Finish(base_colour="#ff0000", shading="unlit"))
            plain, own = (
                render(resolve(_flat(name, 240, 240, 200, colours=colours), 1, assets), QUALITIES["check"]).beauty
                for colours in ((), (red,))
            )
        np.testing.assert_allclose(own[..., 3], plain[..., 3], atol=1e-6)
        covered = plain[..., 3] > 0.999
        self.assertGreater(float(own[covered, 0].mean()), 0.9)
        # Below the plate, whose own edges are soft, too.
        below = int(np.flatnonzero(covered.any(axis=1)).max()) + 3
        soft = (plain[..., 3] > 0.05) & (np.arange(240) > below)[:, None]
        self.assertGreater(int(soft.sum()), 300)
        self.assertLess(float(own[soft, 0].max()), 0.01)

    def test_a_shadow_lies_flat_behind_what_is_raised(self) -> None:
        art = _plate_with_shadow("#a03020", 9, 2)
        with tempfile.TemporaryDirectory() as folder:
            assets = AssetFolder(Path(folder))
            emblem = Emblem(id="art", drawing="asset:" + assets.add(art), size=200, depth=30)
            (body,) = resolve(small_shot(elements=(emblem,)), 1, assets).bodies
            mesh = body.form.at(0.1)
        fading = np.array([len(row) > ALPHA_MAP and row[ALPHA_MAP] > 0 for row in body.finishes])[mesh.parts]
        self.assertTrue(fading.any() and not fading.all())
        shadow, plate = (mesh.vertices[np.unique(mesh.triangles[which]), 2] for which in (fading, ~fading))
        self.assertEqual(float(np.ptp(shadow)), 0)
        self.assertAlmostEqual(float(shadow[0]), float(plate.min()), places=6)
        self.assertAlmostEqual(float(np.ptp(plate)), 30, places=6)

    def test_each_colour_keeps_its_own_under_a_shared_finish(self) -> None:
        brass = NamedFinish(name="Brass", values=Values(base_colour="#000000", roughness=0.2, metalness=1))
        own = EmblemColour(drawn="#d9a441", finish=Finish(base_colour="#123456"))
        emblem = Emblem(id="logo", name="Logo", drawing="badge", surface=Finish(named="Brass"), colours=(own,))
        shot = small_shot(elements=(emblem,), finishes=(brass,))
        body = resolve(shot, 1, NOWHERE).bodies[0]
        np.testing.assert_allclose(body.finishes[0][:5], (*decode_hex("#2f4858"), 0.2, 1))
        np.testing.assert_allclose(body.finishes[1][:5], (*decode_hex("#123456"), 0.5, 0))
        self.assertEqual(shot.names[0][2][2], ("colour-d9a441", "Logo, colour #d9a441"))
        self.assertEqual(parse_shot(write_shot(shot)), shot)

    def test_a_matte_of_one_colour_is_that_colour_alone(self) -> None:
        own = EmblemColour(drawn="#d9a441", finish=Finish(shading="unlit", base_colour="#ffffff"))
        shot = small_shot(
            raster=Raster(width=160, height=160),
            camera=Camera(position=(0, 0, 1000), projection="orthographic", span=160),
            elements=(Emblem(id="logo", drawing="badge", size=150, depth=0, colours=(own,)),),
        )
        picture = render(resolve(shot, 1, NOWHERE), QUALITIES["final"], planes=True)
        mattes = {
            code: pass_named(f"matte:logo/{code}", (), shot.names).extract(picture)
            for code in ("surface", "colour-d9a441")
        }
        alpha = picture.beauty[..., 3]
        np.testing.assert_allclose(mattes["surface"] + mattes["colour-d9a441"], alpha, atol=1e-5)
        # A star of ten triangles in a drawing 94 wide.
        star = 10 * 0.5 * 30 * 13 * np.sin(np.pi / 5) * (150 / 94) ** 2
        self.assertAlmostEqual(float(mattes["colour-d9a441"].sum()) / star, 1, delta=0.002)

    def test_paint_that_lets_something_through_stays_so(self) -> None:
        art = _ART.replace('fill="#0000ff"', 'fill="#0000ff" opacity=".4"')
        with tempfile.TemporaryDirectory() as folder:
            assets = AssetFolder(Path(folder))
            shot = _flat("asset:" + assets.add(art.encode()), 240, 200, 200)
            picture = render(resolve(shot, 1, assets), QUALITIES["check"])
        np.testing.assert_allclose(picture.beauty[22, 24], (0, 0, 0.4, 0.4), atol=1e-3)
