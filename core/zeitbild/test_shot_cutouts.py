"""What is only partly there: cards cut out by their alpha, and ground that shows nothing but shadow, against pictures and formulas."""

import io
import math
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from zeitbild.assets import AssetFolder
from zeitbild.checks import SetView, find
from zeitbild.colour import decode, decode_hex
from zeitbild.document.evaluate import time_of
from zeitbild.document.shot import Camera, Environment, Layer, Motion, Raster, Rays, Shot, Timing
from zeitbild.elements.card import Card, build, pose
from zeitbild.elements.floor import Floor
from zeitbild.elements.solid import Solid
from zeitbild.errors import InputError
from zeitbild.finishes import Finish
from zeitbild.lights.sun import SunLight
from zeitbild.render import QUALITIES, render
from zeitbild.render.passes import pass_named
from zeitbild.resolve import depth_range, resolve
from zeitbild.resolve.framing import framed
from zeitbild.testing import small_shot
from zeitbild.values import Turn

_SIDE = 96


def _disc(colour: tuple[int, int, int] = (200, 80, 40), *, over_black: bool = False) -> bytes:
    """A disc with a soft edge and a hole, colours beside their alpha or over black; what is not there is black."""
    y, x = np.mgrid[:_SIDE, :_SIDE] + 0.5
    far = np.hypot(x - _SIDE / 2, y - _SIDE / 2)
    alpha = np.clip(36.5 - far, 0, 1) * np.clip(far - 9.5, 0, 1)
    values = np.zeros((_SIDE, _SIDE, 4))
    values[..., :3] = np.array(colour) * (alpha if over_black else alpha > 0)[..., None]
    values[..., 3] = alpha * 255
    data = io.BytesIO()
    Image.fromarray(values.round().astype(np.uint8)).save(data, "PNG")
    return data.getvalue()


def _alpha() -> NDArray[np.float64]:
    return np.asarray(Image.open(io.BytesIO(_disc())), np.float64)[..., 3] / 255


class SetOfCards(unittest.TestCase):
    """A set in which cards stand, seen straight."""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.assets = AssetFolder(Path(folder.name))

    def shot(self, *elements: Any, side: int = 128, lights: tuple[Any, ...] = (), **more: Any) -> Shot:
        """Seen straight, a unit a pixel."""
        fields: dict[str, Any] = {
            "raster": Raster(width=side, height=side),
            "camera": Camera(position=(0, 0, 1000), projection="orthographic", span=side),
            "environment": Environment(strength=0),
            "lights": lights,
            "rays": Rays(occlusion=False, bounces=0),
            "elements": elements,
            "layers": (Layer(name="all", passes=("beauty",)),),
            **more,
        }
        return small_shot(**fields)

    def seen(self, shot: Shot, quality: str = "final", planes: bool = False) -> Any:
        return render(resolve(shot, 1, self.assets), QUALITIES[quality], planes=planes)

    def card(self, data: bytes, **more: Any) -> Card:
        return Card(id="card", picture="asset:" + self.assets.add(data), width=_SIDE, **more)

    def mesh(self, card: Card) -> Any:
        (posed,) = pose(card, time_of(small_shot(), 1), build(card, self.assets))
        return posed.form


class Cards(SetOfCards):
    def test_pixel_by_pixel_it_is_the_picture(self) -> None:
        light = decode(np.array([200, 80, 40]) / 255)
        for quality in ("check", "final"):
            beauty = self.seen(self.shot(self.card(_disc())), quality).beauty[16:112, 16:112]
            np.testing.assert_allclose(beauty[..., 3], _alpha(), atol=2e-3)
            np.testing.assert_allclose(beauty[..., :3], _alpha()[..., None] * light, atol=2e-3)

    def test_how_it_answers_light_does_not_change_what_is_there(self) -> None:
        for shading in ("tone bands", "metal-rough"):
            card = self.card(_disc(), surface=Finish(shading=shading))
            beauty = self.seen(self.shot(card), "check").beauty[16:112, 16:112]
            np.testing.assert_allclose(beauty[..., 3], _alpha(), atol=2e-3)

    def test_edges_do_not_darken_however_large_or_small_it_is(self) -> None:
        light = decode(np.array([200, 80, 40]) / 255)
        for size in (40, 96, 400):
            card = self.card(_disc()).model_copy(update={"width": size})
            beauty = self.seen(self.shot(card), "check").beauty
            there = beauty[..., 3] > 0.02
            self.assertTrue(((beauty[..., 3] > 0.1) & (beauty[..., 3] < 0.9)).any())
            straight = beauty[there][:, :3] / beauty[there][:, 3:]
            np.testing.assert_allclose(straight, np.broadcast_to(light, straight.shape), atol=6e-3)

    def test_alpha_is_read_as_it_is_said(self) -> None:
        straight = self.seen(self.shot(self.card(_disc()))).beauty
        black = self.seen(self.shot(self.card(_disc(over_black=True), alpha="premultiplied"))).beauty
        # Over black a soft edge keeps few of its steps.
        np.testing.assert_allclose(black, straight, atol=0.05)
        whole = self.seen(self.shot(self.card(_disc(), alpha="ignored"))).beauty[16:112, 16:112]
        np.testing.assert_allclose(whole[..., 3], 1, atol=1e-6)
        np.testing.assert_allclose(whole[2, 2, :3], 0, atol=1e-6)

    def test_it_lies_over_what_is_behind_it_and_under_what_is_before_it(self) -> None:
        # Over of Porter and Duff 1984.
        wall = Solid(
            id="wall",
            shape="plane",
            width=300,
            height=300,
            placement={"position": (0, 0, -50)},
            surface=Finish(shading="unlit", base_colour="#3366cc"),
        )
        bar = Solid(
            id="bar",
            shape="plane",
            width=20,
            height=300,
            placement={"position": (0, 0, 50)},
            surface=Finish(shading="unlit", base_colour="#00ff00"),
        )
        beauty = self.seen(self.shot(self.card(_disc()), wall, bar)).beauty[16:112, 16:112]
        alpha, light = _alpha()[..., None], decode(np.array([200, 80, 40]) / 255)
        want = alpha * light + (1 - alpha) * np.array(decode_hex("#3366cc"))
        want[:, 38:58] = (0, 1, 0)
        np.testing.assert_allclose(beauty[..., :3], want, atol=3e-3)
        np.testing.assert_allclose(beauty[..., 3], 1, atol=1e-6)

    def test_before_an_edge_nothing_shows_through_that_is_not_there(self) -> None:
        # An edge behind the card that runs through the middle of pixels.
        half = Solid(
            id="half",
            shape="plane",
            width=100,
            height=300,
            placement={"position": (50.5, 0, -50)},
            surface=Finish(shading="unlit", base_colour="#ffffff"),
        )
        beauty = self.seen(self.shot(self.card(_disc((0, 0, 0))), half)).beauty[16:112, 16:112]
        alpha = _alpha()
        area = np.zeros((_SIDE, _SIDE))
        area[:, 49:], area[:, 48] = 1, 0.5
        np.testing.assert_allclose(beauty[..., 3], alpha + (1 - alpha) * area, atol=4e-3)
        np.testing.assert_allclose(beauty[..., 0], (1 - alpha) * area, atol=4e-3)

    def test_its_matte_is_its_alpha(self) -> None:
        shot = self.shot(self.card(_disc()))
        picture = self.seen(shot, planes=True)
        matte = pass_named("matte:card", (), shot.names).extract(picture)
        np.testing.assert_allclose(matte, picture.beauty[..., 3], atol=2e-3)

    def test_its_shadow_is_that_of_what_is_there(self) -> None:
        wall = Solid(
            id="wall",
            shape="plane",
            width=600,
            height=600,
            placement={"position": (0, 0, -100)},
            surface=Finish(base_colour="#ffffff", roughness=1),
        )
        # From the left: the shadow falls beside the card.
        sun = SunLight(name="Key", azimuth=-45, elevation=0, strength=1)
        lit = self.seen(self.shot(wall, self.card(_disc()), side=320, lights=(sun,))).beauty[..., 0]
        bright = float(lit[10, 10])
        own = _alpha().sum()
        shade = (1 - lit[:, 210:] / bright).sum()
        self.assertAlmostEqual(shade / own, 1, delta=0.03)

    def test_cells_without_anything_are_not_there_and_full_ones_are_opaque(self) -> None:
        mesh = self.mesh(self.card(_disc()))
        self.assertLess(len(mesh.triangles), 2 * 64 * 64 * 0.6)
        self.assertEqual(set(mesh.parts) & {0}, {0})
        opaque = io.BytesIO()
        Image.new("RGB", (32, 16), (9, 9, 9)).save(opaque, "PNG")
        mesh = self.mesh(self.card(opaque.getvalue()))
        self.assertEqual(len(mesh.triangles), 2)
        np.testing.assert_allclose(mesh.bounds[1], (48, 24, 0))

    def test_empty_and_missing_pictures(self) -> None:
        nothing = io.BytesIO()
        Image.new("RGBA", (8, 8), (0, 0, 0, 0)).save(nothing, "PNG")
        with self.assertRaisesRegex(InputError, "alpha is 0"):
            build(self.card(nothing.getvalue()), self.assets)
        with self.assertRaises(InputError) as caught:
            resolve(self.shot(Card(id="card", picture="asset:" + "0" * 64)), 1, self.assets)
        self.assertEqual(caught.exception.field, "elements.0.picture")
        self.assertEqual(len(self.mesh(Card(id="card")).triangles), 2)

    def test_a_turning_card_is_blurred_and_keeps_its_hole(self) -> None:
        card = self.card(_disc()).model_copy(update={"turn": Turn(axis="z", turns=1)})
        shot = self.shot(card, motion=Motion(angle=180), timing=Timing(last=6))
        beauty = self.seen(shot).beauty[16:112, 16:112]
        # A disc that turns about its middle looks as it does at rest.
        # Looked up at many places of a pixel, between those of the picture, its edge is softer by one.
        off = np.abs(beauty[..., 3] - _alpha())
        self.assertLess(float(off.mean()), 0.01)
        self.assertLess(float(off.max()), 0.25)
        self.assertLess(float(beauty[48, 48, 3]), 1e-3)


class ShadowOnly(SetOfCards):
    def _floor(self, *suns: SunLight, opacity: float = 1.0, quality: str = "final", **more: Any) -> Any:
        """A ball of 40 a hundred above the ground, seen from above."""
        ball = Solid(id="ball", shape="ball", width=80, height=80, depth=80)
        ground = Floor(
            id="ground",
            reach=2000,
            placement={"position": (0, -100, 0)},
            surface=Finish(shading="shadow only", opacity=opacity),
        )
        camera = Camera(position=(0, 1000, 0), look_at=(0, 0, 0), projection="orthographic", span=400)
        return self.seen(self.shot(ball, ground, side=400, lights=suns, camera=camera, **more), quality)

    def _shadow(self, azimuth: float, elevation: float) -> NDArray[np.float64]:
        """Pixels' distance from the edge of the ball's shadow on the ground, in shares of its radius, less than 0 inside."""
        # x to the right, z down the picture; light comes from (sin a cos e, sin e, cos a cos e).
        a, e = math.radians(azimuth), math.radians(elevation)
        x, z = np.meshgrid(np.arange(400) - 199.5, np.arange(400) - 199.5)
        reach = 100 / math.tan(e)
        x, z = x + math.sin(a) * reach, z + math.cos(a) * reach
        along, across = x * math.sin(a) + z * math.cos(a), x * math.cos(a) - z * math.sin(a)
        edge: NDArray[np.float64] = np.hypot(along * math.sin(e) / 40, across / 40) - 1
        return edge

    def test_under_a_sun_it_is_black_in_the_shadow_and_nowhere_else(self) -> None:
        for azimuth in (0.0, 60.0, -160.0):
            picture = self._floor(SunLight(name="Key", azimuth=azimuth, elevation=40))
            edge = self._shadow(azimuth, 40)
            y, x = np.mgrid[:400, :400] - 199.5
            beside = np.hypot(x, y) > 43
            alpha = picture.beauty[..., 3]
            np.testing.assert_allclose(alpha[beside & (edge < -0.06)], 1, atol=1e-3)
            np.testing.assert_allclose(alpha[beside & (edge > 0.06)], 0, atol=1e-3)
            self.assertLess(float(np.abs(picture.beauty[..., :3][beside]).max()), 1e-6)
            # Its area beside the ball, pixel edges and all.
            want = (beside & (edge < 0)).sum()
            self.assertAlmostEqual(float(alpha[beside].sum()) / want, 1, delta=0.01)

    def test_alpha_is_the_share_of_light_that_is_kept_from_it(self) -> None:
        strong, weak = (
            SunLight(name="a", azimuth=90, elevation=40, strength=3),
            SunLight(name="b", azimuth=-90, elevation=40),
        )
        beauty = self._floor(strong, weak).beauty
        first, second = self._shadow(90, 40), self._shadow(-90, 40)
        y, x = np.mgrid[:400, :400] - 199.5
        beside = np.hypot(x, y) > 43
        np.testing.assert_allclose(beauty[..., 3][beside & (first < -0.1) & (second > 0.1)], 0.75, atol=2e-3)
        np.testing.assert_allclose(beauty[..., 3][beside & (second < -0.1) & (first > 0.1)], 0.25, atol=2e-3)
        half = self._floor(strong, opacity=0.5).beauty
        np.testing.assert_allclose(half[..., 3][beside & (first < -0.1)], 0.5, atol=2e-3)

    def test_a_mirror_image_in_alpha_is_the_set_upside_down(self) -> None:
        glow = Finish(shading="unlit", base_colour="#e0a030")
        camera = Camera(position=(0, 500, 1000), look_at=(0, -100, 0), projection="orthographic", span=400)
        dark = {"lights": (), "environment": Environment(strength=0), "camera": camera, "rays": Rays(bounces=1)}

        def ball(y: float) -> Solid:
            return Solid(
                id="ball", shape="ball", width=80, height=80, depth=80, surface=glow, placement={"position": (0, y, 0)}
            )

        def ground(**more: Any) -> Floor:
            surface = Finish(shading="shadow only", roughness=0, **more)
            return Floor(id="ground", reach=5000, placement={"position": (0, -100, 0)}, surface=surface)

        upright = self.seen(self.shot(ball(0), side=200, **dark)).beauty
        image = self.seen(self.shot(ball(-200), side=200, **dark)).beauty
        beside = upright[..., 3] == 0
        self.assertGreater(float(image[beside][:, 3].sum()), 800)
        for strength, opacity in ((1.0, 1.0), (0.5, 1.0), (0.5, 0.4)):
            found = self.seen(self.shot(ball(0), ground(mirror=strength, opacity=opacity), side=200, **dark)).beauty
            off = np.abs(found - image * strength * opacity)[beside]
            self.assertLess(float(off.mean()) * 255, 0.25, (strength, opacity))
            self.assertLess(float(np.quantile(off, 0.99)), 0.02)
            # Colours are never more than their alpha holds.
            self.assertLessEqual(float((found[..., 0] - found[..., 3])[beside].max()), 1e-5)
            np.testing.assert_allclose(
                found[~beside & (upright[..., 3] == 1)], upright[upright[..., 3] == 1], atol=1e-5
            )
        without = self.seen(self.shot(ball(0), ground(), side=200, **dark)).beauty
        np.testing.assert_allclose(without, upright, atol=1e-6)
        # Over a shadow it is laid over that, and with the shutter open it stays.
        sun = SunLight(name="Key", azimuth=60, elevation=40)
        lit = {**dark, "lights": (sun,)}
        both = self.seen(self.shot(ball(0), ground(mirror=0.5), side=200, **lit)).beauty
        shadow = self.seen(self.shot(ball(0), ground(), side=200, **lit)).beauty
        wanted = image * 0.5 + shadow * (1 - 0.5 * image[..., 3:])
        self.assertLess(float(np.abs(both - wanted)[beside].mean()) * 255, 0.4)
        turning = ball(0).model_copy(update={"turn": Turn(turns=1)})
        blurred = self.seen(
            self.shot(turning, ground(mirror=0.5), side=200, **lit, motion=Motion(angle=180), timing=Timing(last=24))
        ).beauty
        self.assertLess(float(np.abs(blurred - both)[beside].mean()) * 255, 1.0)

    def test_it_throws_no_shadow_and_stands_in_no_mirror(self) -> None:
        sun = SunLight(name="Key", azimuth=60, elevation=40)
        under = Solid(
            id="under",
            shape="plane",
            width=390,
            height=390,
            placement={"position": (0, -200, 0), "rotation": (-90, 0, 0)},
            surface=Finish(base_colour="#ffffff", roughness=1),
        )
        camera = Camera(position=(0, 1000, 0), look_at=(0, 0, 0), projection="orthographic", span=400)
        ground = Floor(id="ground", reach=2000, placement={"position": (0, -100, 0)})
        with_it = self.seen(self.shot(under, ground, side=200, lights=(sun,), camera=camera), "check").beauty
        without = self.seen(self.shot(under, side=200, lights=(sun,), camera=camera), "check").beauty
        np.testing.assert_allclose(with_it, without, atol=1e-6)

    def test_layers_and_blur_know_it(self) -> None:
        sun = SunLight(name="Key", azimuth=60, elevation=40)
        still = self._floor(sun, quality="check").beauty
        ball = Solid(id="ball", shape="ball", width=80, height=80, depth=80, turn=Turn(turns=1))
        ground = Floor(id="ground", reach=2000, placement={"position": (0, -100, 0)})
        camera = Camera(position=(0, 1000, 0), look_at=(0, 0, 0), projection="orthographic", span=400)
        shot = self.shot(
            ball, ground, side=400, lights=(sun,), camera=camera, motion=Motion(angle=180), timing=Timing(last=24)
        )
        blurred = self.seen(shot, "check").beauty
        # A ball that turns throws the shadow of one that does not.
        self.assertLess(float(np.abs(blurred[..., 3] - still[..., 3]).mean()), 5e-3)
        layer = Layer(name="shadow", passes=("beauty",), members={"ball": "unseen"})
        alone = render(
            resolve(shot.model_copy(update={"layers": (layer,), "motion": Motion()}), 1, self.assets, "shadow"),
            QUALITIES["check"],
        ).beauty
        edge = self._shadow(60, 40)
        np.testing.assert_allclose(alone[..., 3][edge < -0.1], 1, atol=1e-3)
        np.testing.assert_allclose(alone[..., 3][edge > 0.1], 0, atol=1e-3)

    def test_ground_is_neither_framed_nor_cut_nor_far(self) -> None:
        ball = Solid(id="ball", shape="ball", width=80, height=80, depth=80)
        ground = Floor(id="ground", reach=5000, placement={"position": (0, -100, 0)})
        both, alone = self.shot(ball, ground), self.shot(ball)
        self.assertEqual(depth_range(both, self.assets), depth_range(alone, self.assets))
        self.assertEqual(framed(both, [1], self.assets), framed(alone, [1], self.assets))
        self.assertNotEqual(framed(both, [1], self.assets, ("ground",)), framed(alone, [1], self.assets))
        found = {one.code for one in find(both, SetView(both, self.assets, None))}
        self.assertNotIn("cut-by-edge", found)
