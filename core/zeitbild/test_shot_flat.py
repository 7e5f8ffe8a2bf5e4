"""Flat elements on the picture, soft shadows and fading ground, against areas, the normal distribution and the formula."""

import io
import math
import unittest
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from PIL import Image
from scipy.stats import norm
from shapely import affinity

from zeitbild.colour import decode_hex
from zeitbild.document.shot import Camera, Layer, Raster, Shot
from zeitbild.elements.card import Card
from zeitbild.elements.floor import Floor
from zeitbild.elements.group import Group
from zeitbild.elements.shape import Shape
from zeitbild.elements.solid import Solid
from zeitbild.elements.title import TitleElement
from zeitbild.finishes import Finish
from zeitbild.lights.sun import SunLight
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import depth_range, resolve
from zeitbild.resolve.hands import lie_on
from zeitbild.test_shot_cutouts import SetOfCards
from zeitbild.testing import NOWHERE

_WHITE = Finish(shading="unlit", base_colour="#ffffff")


def _bar(**more: Any) -> Shape:
    fields: dict[str, Any] = {"id": "bar", "width": 40, "height": 20, "fill": _WHITE, **more}
    return Shape(**fields)


class OnThePicture(SetOfCards):
    _CAMERAS = (
        Camera(position=(0, 0, 1000), projection="orthographic", span=300),
        Camera(position=(500, 200, 700), angle=35, roll=25),
        Camera(position=(0, 900, 1), angle=70),
    )

    def _alpha(self, shot: Shot) -> NDArray[np.float32]:
        alpha: NDArray[np.float32] = self.seen(shot).beauty[..., 3]
        return alpha

    def test_a_bar_covers_its_very_pixels_whatever_the_camera_does(self) -> None:
        wanted = np.zeros((96, 160))
        # 40 wide and 20 high about (10.5 to the right, 6 up) from the middle.
        wanted[48 - 6 - 10 : 48 - 6 + 10, 80 - 10 : 80 + 30] = 1
        wanted[32:52, 70] = wanted[32:52, 110] = 0.5
        for camera in self._CAMERAS:
            bar = _bar(lies="on the picture", placement={"position": (10.5, 6, 0)})
            shot = self.shot(bar, raster=Raster(width=160, height=96), camera=camera)
            np.testing.assert_allclose(self._alpha(shot), wanted, atol=1e-3)

    def test_it_is_before_everything_else_and_in_the_order_of_the_set(self) -> None:
        near = Solid(
            id="near",
            width=4000,
            height=4000,
            depth=10,
            placement={"position": (0, 0, 900)},
            surface=Finish(shading="unlit", base_colour="#ff0000"),
        )
        low, high = (
            _bar(lies="on the picture"),
            _bar(id="high", lies="on the picture", fill=Finish(shading="unlit", base_colour="#00ff00"), width=10),
        )
        beauty = self.seen(self.shot(low, near, high, camera=Camera(position=(0, 0, 1000), angle=40))).beauty
        np.testing.assert_allclose(beauty[64, 64], (0, 1, 0, 1), atol=1e-5)
        np.testing.assert_allclose(beauty[64, 50], (1, 1, 1, 1), atol=1e-5)
        np.testing.assert_allclose(beauty[20, 20], (1, 0, 0, 1), atol=1e-5)

    def test_groups_overscan_and_layers_with_cameras_of_their_own(self) -> None:
        bar = _bar(lies="on the picture", inside="g", placement={"position": (5, 0, 0)})
        group = Group(id="g", placement={"position": (0, 10, 0), "scale": (2, 2, 2)})
        shot = self.shot(bar, group, raster=Raster(width=128, height=128, overscan=8), camera=self._CAMERAS[1])
        picture = self.seen(shot)
        inside = picture.inside().beauty[..., 3]
        self.assertAlmostEqual(float(inside.sum()), 80 * 40, delta=1)
        rows, columns = np.nonzero(inside > 0.5)
        self.assertEqual((rows.min(), rows.max(), columns.min(), columns.max()), (34, 73, 34, 113))

    def test_cards_too_pixel_by_pixel(self) -> None:
        rng = np.random.default_rng(2)
        import io

        from PIL import Image

        values = rng.integers(0, 255, (48, 48, 3)).astype(np.uint8)
        out = io.BytesIO()
        Image.fromarray(values).save(out, "PNG")
        card = self.card(out.getvalue(), lies="on the picture").model_copy(update={"width": 48})
        beauty = self.seen(self.shot(card, camera=self._CAMERAS[1]), "check").beauty[40:88, 40:88, :3]
        from zeitbild.colour import decode

        # Noise, looked up in single precision: a fiftieth of a pixel off at most.
        off = np.abs(beauty - decode(values / 255))
        self.assertLess(float(off.mean()), 4e-3)
        self.assertLess(float(off.max()), 0.03)

    def test_hands_move_it_by_pixels_and_depth_is_that_of_the_set(self) -> None:
        ball = Solid(id="ball", shape="ball")
        bar = _bar(lies="on the picture", placement={"position": (10, 6, 0)})
        shot = self.shot(ball, bar, camera=self._CAMERAS[1])
        own = {one.element: one for one in lie_on(shot, 1, NOWHERE)}["bar"]
        np.testing.assert_allclose(own.pivot, (74, 58), atol=1e-6)
        np.testing.assert_allclose((own.across, own.down), ((1, 0, 0), (0, -1, 0)), atol=1e-9)
        self.assertEqual(depth_range(shot, NOWHERE), depth_range(self.shot(ball, camera=self._CAMERAS[1]), NOWHERE))


class SoftShadows(SetOfCards):
    def test_its_edge_is_that_of_a_blur(self) -> None:
        for blur in (4.0, 12.0):
            bar = _bar(width=60, height=60, shadow=0.8, shadow_blur=blur, shadow_right=30, shadow_down=0)
            alpha = self.seen(self.shot(bar)).beauty[..., 3]
            # Across the right edge of the shadow, at 30 + 30 from the middle; far from its corners.
            at = np.arange(128) + 0.5 - 64
            wanted = 0.8 * (norm.cdf((60 - at) / (blur / 2)))
            beyond = at > 31
            np.testing.assert_allclose(alpha[64, beyond], wanted[beyond], atol=0.012)
            self.assertAlmostEqual(float(alpha[64, 70]), 1, places=4)

    def test_it_lies_below_and_weighs_nothing_on_others(self) -> None:
        wall = _bar(
            id="wall",
            width=120,
            height=120,
            fill=Finish(base_colour="#ffffff", roughness=1),
            placement={"position": (0, 0, -40)},
        )
        bar = _bar(shadow=1, shadow_blur=4, shadow_right=0, shadow_down=30, shadow_colour="#0000ff")
        sun = SunLight(name="sun", azimuth=0, elevation=89)
        lit = self.seen(self.shot(wall, lights=(sun,))).beauty
        seen = self.seen(self.shot(wall, bar, lights=(sun,))).beauty
        np.testing.assert_allclose(seen[64 + 30, 64, :3], (0, 0, 1), atol=0.02)
        # It stops no light.
        np.testing.assert_allclose(seen[20, 20], lit[20, 20], atol=1e-5)

    def test_words_have_one_and_what_is_not_asked_for_is_not_there(self) -> None:
        plain = resolve(self.shot(TitleElement(id="t", word="Kap", size=40)), 1, NOWHERE)
        self.assertEqual((len(plain.bodies), plain.textures), (1, ()))
        soft = resolve(self.shot(TitleElement(id="t", word="Kap", size=40, shadow=0.5)), 1, NOWHERE)
        self.assertEqual([body.id for body in soft.bodies], ["t/shadow", "t"])
        # The letters themselves are as opaque as before.
        self.assertEqual(soft.bodies[1].finishes, plain.bodies[0].finishes)
        matte = (
            render(soft, QUALITIES["check"]).beauty[..., 3].sum()
            - render(plain, QUALITIES["check"]).beauty[..., 3].sum()
        )
        self.assertGreater(float(matte), 50)


class FadingGround(SetOfCards):
    def test_it_fades_towards_its_rim(self) -> None:
        floor = Floor(id="floor", reach=60, fades=0.5, surface=_WHITE)
        camera = Camera(position=(0, 1000, 0.001), projection="orthographic", span=128)
        alpha = self.seen(self.shot(floor, camera=camera)).beauty[..., 3]
        far = np.hypot(*(np.mgrid[:128, :128] + 0.5 - 64)) / 60
        rest = np.clip((1 - far) / 0.5, 0, 1)
        np.testing.assert_allclose(alpha, rest * rest * (3 - 2 * rest), atol=0.01)

    def test_its_own_picture_lies_as_it_does_without_fading(self) -> None:
        stored = io.BytesIO()
        Image.fromarray(np.uint8([[40, 220], [220, 40]])).save(stored, "PNG")
        picture = "asset:" + self.assets.add(stored.getvalue())
        worn = Finish(shading="unlit", base_colour="#ffffff", base_map=picture, map_by="all sides", map_width=40)
        camera = Camera(position=(0, 1000, 0.001), projection="orthographic", span=128)
        plain, fading = (
            self.seen(self.shot(Floor(id="floor", reach=60, fades=fades, surface=worn), camera=camera)).beauty
            for fades in (0.0, 0.3)
        )
        near = np.hypot(*(np.mgrid[:128, :128] + 0.5 - 64)) < 60 * 0.69
        self.assertGreater(float(np.ptp(plain[near, 0])), 0.2)
        np.testing.assert_allclose(fading[near], plain[near], atol=0.004)

    def test_it_mirrors_and_fades_its_mirror_image(self) -> None:
        from zeitbild.document.shot import Rays

        ball = Solid(
            id="ball",
            shape="ball",
            width=40,
            height=40,
            depth=40,
            placement={"position": (0, 30, 0)},
            surface=Finish(shading="unlit", base_colour="#ff0000"),
        )
        floor = Floor(
            id="floor", reach=300, fades=0.3, surface=Finish(base_colour="#000000", roughness=0, metalness=0, coat=1)
        )
        camera = Camera(position=(0, 60, 400), look_at=(0, 0, 0), angle=20)
        shot = self.shot(ball, floor, camera=camera, rays=Rays(occlusion=False, bounces=1), layers=(Layer(name="all"),))
        beauty = self.seen(shot).beauty
        # Where the mirrored ball is seen there is red in the ground, elsewhere none.
        self.assertGreater(float(beauty[80:, 50:78, 0].max()), 0.02)
        self.assertLess(float(beauty[100:, :20, 0].max()), 1e-4)
        self.assertEqual(Card(id="c").lies, "in the set")


def _half(name: str, colour: str, side: int, turned: float) -> Shape:
    """One of two shapes that share an edge through the middle of the picture."""
    along = math.radians(turned)
    return Shape(
        id=name,
        width=120,
        height=300,
        fill={"shading": "unlit", "base_colour": colour},
        placement={
            "position": (60 * side * math.cos(along), 60 * side * math.sin(along), 0.0),
            "rotation": (0, 0, turned),
        },
    )


def _halves(turned: float) -> Shot:
    return Shot(
        raster=Raster(width=160, height=90),
        camera=Camera(position=(0, 0, 1000), projection="orthographic", span=160),
        elements=(_half("a", "#ff0000", -1, turned), _half("b", "#0000ff", 1, turned)),
    )


class Shared(unittest.TestCase):
    def test_edges_in_common_are_as_exact_as_areas_of_polygons(self) -> None:
        for turned in (3.0, 17.3, 30.0, 71.0, -58.4):
            across, up = math.cos(math.radians(turned)), math.sin(math.radians(turned))
            corners = [(-up, across), (across - up, up + across), (across + up, up - across), (up, -across)]
            right = shapely.Polygon([(500 * x, 500 * y) for x, y in corners])
            boxes = shapely.box(*(one.ravel() for one in _pixels_of(60, 20, 40, 50)))
            true = shapely.area(shapely.intersection(boxes, right)).reshape(50, 40)
            beauty = render(resolve(_halves(turned), 1, NOWHERE), QUALITIES["final"]).beauty[20:70, 60:100]
            off = np.abs(beauty[..., 2] - true) * 255
            with self.subTest(turned=turned):
                self.assertLess(float(off[(true > 0) & (true < 1)].mean()), 0.02)
                self.assertLess(float(off.max()), 0.15)
                np.testing.assert_allclose(beauty[..., 3], 1, atol=1e-6)


class Crossing(unittest.TestCase):
    def test_two_that_reach_through_one_another_meet_where_they_do(self) -> None:
        for at in (0.3, 0.008, 0.992):
            flat = Shape(id="a", width=100, height=60, fill=Finish(shading="unlit", base_colour="#ff0000"))
            leans = Shape(
                id="b",
                width=100,
                height=60,
                fill=Finish(shading="unlit", base_colour="#0000ff"),
                placement={"position": (at, 0, 0), "rotation": (0, 20, 0)},
            )
            shot = Shot(
                raster=Raster(width=64, height=32),
                camera=Camera(position=(0, 0, 1000), projection="orthographic", span=64),
                elements=(flat, leans),
            )
            beauty = render(resolve(shot, 1, NOWHERE), QUALITIES["final"]).beauty
            with self.subTest(at=at):
                np.testing.assert_allclose(beauty[..., 3], 1, atol=1e-6)
                # What lies over the other by a hair meets it that much later.
                np.testing.assert_allclose(beauty[4:28, 32, 2], at, atol=0.02)
                np.testing.assert_allclose(beauty[4:28, :32, 2], 1, atol=1e-6)
                np.testing.assert_allclose(beauty[4:28, 33:, 0], 1, atol=1e-6)


class Many(unittest.TestCase):
    """Shapes that lie over one another, each in a colour of its own, against areas of polygons."""

    _WIDE, _HIGH = 120, 80

    def _off(self, figure: str, count: int, seed: int) -> NDArray[np.float64]:
        """How far linear light and alpha are off, of 255, in each pixel."""
        chance = np.random.default_rng(seed)
        shapes, above = [], shapely.Polygon()
        seen: list[tuple[Any, Any]] = []
        for number in range(count):
            width, height = float(chance.uniform(2, 70)), float(chance.uniform(1, 50))
            x, y = float(chance.uniform(-60, 60)), float(chance.uniform(-40, 40))
            turned, colour = float(chance.uniform(0, 180)), f"#{chance.integers(1 << 24):06x}"
            shapes.append(
                Shape(
                    id=f"s{number}",
                    figure=figure,
                    width=width,
                    height=height,
                    fill=Finish(shading="unlit", base_colour=colour),
                    placement={"position": (x, y, 0), "rotation": (0, 0, turned)},
                )
            )
            own = shapely.box(-0.5, -0.5, 0.5, 0.5)
            if figure == "ellipse":
                own = shapely.Point(0, 0).buffer(0.5, quad_segs=400)
            own = affinity.rotate(affinity.scale(own, width, height, origin=(0, 0)), turned, origin=(0, 0))
            seen.append((affinity.translate(own, x, y), decode_hex(colour)))
        shot = Shot(
            raster=Raster(width=self._WIDE, height=self._HIGH),
            camera=Camera(position=(0, 0, 1000), projection="orthographic", span=self._WIDE),
            elements=tuple(shapes),
        )
        down, across = np.mgrid[: self._HIGH, : self._WIDE].astype(np.float64)
        left, upper = across.ravel() - self._WIDE / 2, self._HIGH / 2 - down.ravel()
        pixels = shapely.box(left, upper - 1, left + 1, upper)
        true = np.zeros((self._HIGH * self._WIDE, 4))
        for own, linear in reversed(seen):
            area = shapely.area(shapely.intersection(pixels, own.difference(above)))
            true += area[:, None] * np.array([*linear, 1.0])
            above = above.union(own)
        beauty = render(resolve(shot, 1, NOWHERE), QUALITIES["final"]).beauty
        return np.asarray(np.abs(beauty - true.reshape(beauty.shape)).max(axis=-1) * 255)

    def test_rectangles_are_exact(self) -> None:
        for seed, count in enumerate((1, 2, 5, 12, 30, 60)):
            with self.subTest(count=count):
                self.assertLess(float(self._off("rectangle", count, seed).max()), 0.25)

    def test_ellipses_are_as_exact_as_their_outlines(self) -> None:
        for seed, count in enumerate((1, 2, 5, 12, 30)):
            with self.subTest(count=count):
                off = self._off("ellipse", count, seed)
                self.assertLess(float(off.mean()), 0.02)
                self.assertLess(float(off.max()), 1.3)


class ManySeeThrough(unittest.TestCase):
    """The same with some that are see-through, against 24 x 24 places a pixel (Porter and Duff 1984, over, at each)."""

    _WIDE, _HIGH, _PLACES = 120, 80, 24

    def _off(self, count: int, seed: int) -> NDArray[np.float64]:
        chance, places = np.random.default_rng(seed), self._PLACES
        down, across = (np.mgrid[: self._HIGH * places, : self._WIDE * places] + 0.5) / places
        across, up = across - self._WIDE / 2, self._HIGH / 2 - down
        light = np.zeros((*across.shape, 4))
        shapes = []
        for number in range(count):
            width, height = float(chance.uniform(2, 70)), float(chance.uniform(1, 50))
            x, y = float(chance.uniform(-60, 60)), float(chance.uniform(-40, 40))
            turned, opacity = float(chance.uniform(0, 180)), float(chance.choice([0.3, 0.6, 1.0]))
            colour = f"#{chance.integers(1 << 24):06x}"
            fill = Finish(shading="unlit", base_colour=colour, opacity=opacity)
            placement = {"position": (x, y, 0), "rotation": (0, 0, turned)}
            shapes.append(Shape(id=f"s{number}", width=width, height=height, fill=fill, placement=placement))
            cosine, sine = math.cos(math.radians(turned)), math.sin(math.radians(turned))
            own_x, own_y = (across - x) * cosine + (up - y) * sine, (up - y) * cosine - (across - x) * sine
            inside = (np.abs(own_x) < width / 2) & (np.abs(own_y) < height / 2)
            light[inside] = light[inside] * (1 - opacity) + np.array([*decode_hex(colour), 1]) * opacity
        true = light.reshape(self._HIGH, places, self._WIDE, places, 4).mean(axis=(1, 3))
        shot = Shot(
            raster=Raster(width=self._WIDE, height=self._HIGH),
            camera=Camera(position=(0, 0, 1000), projection="orthographic", span=self._WIDE),
            elements=tuple(shapes),
        )
        beauty = render(resolve(shot, 1, NOWHERE), QUALITIES["final"]).beauty
        self.assertLess(float(beauty[..., 3].max()), 1 + 1e-5)
        return np.asarray(np.abs(beauty - true).max(axis=-1) * 255)

    def test_edges_of_some_over_others(self) -> None:
        for seed, count in enumerate((2, 3, 5, 12, 2, 3, 5, 12)):
            with self.subTest(seed=seed, count=count):
                off = self._off(count, seed)
                # Where edges cross in a pixel; and many are told by 64 samples (``render.veils``).
                self.assertLess(float((off > 4).mean()), 2e-3)
                self.assertLess(float(off.max()), 16)
                self.assertLess(float(off.mean()), 0.15)


def _pixels_of(left: int, top: int, wide: int, high: int) -> tuple[NDArray[np.float64], ...]:
    """Left, lower, right and upper sides of pixels, in units of the set."""
    y, x = np.mgrid[top : top + high, left : left + wide].astype(np.float64)
    return x - 80, 44 - y, x - 79, 45 - y


class Diagonals(unittest.TestCase):
    def test_two_shapes_that_share_a_diagonal_leave_no_gap_and_half_of_each_pixel_to_each(self) -> None:
        # Through corners of pixels, along places that samples have in each of them.
        for turned in (45, -45, 135):
            shot = _halves(turned)
            for quality in QUALITIES.values():
                with self.subTest(turned=turned, quality=quality.name):
                    beauty = render(resolve(shot, 1, NOWHERE), quality).beauty[20:70, 60:100]
                    np.testing.assert_allclose(beauty[..., 3], 1, atol=1e-6)
                    mixed = beauty[(beauty[..., 0] > 0.01) & (beauty[..., 2] > 0.01)]
                    self.assertEqual(len(mixed), 40)
                    np.testing.assert_allclose(mixed[:, 0], 0.5, atol=1 / 255)
