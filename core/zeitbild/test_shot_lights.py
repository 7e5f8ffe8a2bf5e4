"""Light kinds: what documents say, and what it comes down to."""

import math
import unittest
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError

from zeitbild.document.reading import read_shot
from zeitbild.document.shot import Shot
from zeitbild.errors import DocumentError
from zeitbild.lights import kinds
from zeitbild.lights.area import AreaLight
from zeitbild.lights.base import aim, sky_direction
from zeitbild.lights.ready_made import LIGHT_SETS
from zeitbild.lights.spot import SpotLight
from zeitbild.lights.sun import SunLight
from zeitbild.masters import frame_key
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import resolve
from zeitbild.snapshot.lights import LightSource, Softbox
from zeitbild.testing import NOWHERE, small_shot


class Kinds(unittest.TestCase):
    def test_every_kind_is_what_it_says_in_a_document_and_gives_a_source(self) -> None:
        for kind in kinds:
            light = kind.parameters(name=kind.title)
            raw = {**small_shot().model_dump(mode="json"), "lights": [light.model_dump(mode="json")]}
            self.assertEqual(read_shot(raw).lights[0].kind, kind.name)
            source = kind.source(light)
            self.assertIsInstance(source, LightSource | Softbox)
            self.assertTrue(kind.title and kind.parameters.__doc__)

    def test_aimed_kinds_have_what_a_drag_moves(self) -> None:
        for kind in kinds:
            fields = kind.parameters.model_fields
            self.assertEqual(kind.aimed == "sky", "azimuth" in fields, kind.name)
            self.assertEqual(kind.aimed == "point", "aims_at" in fields, kind.name)

    def test_what_is_wrong_is_named_at_its_field(self) -> None:
        def problems(**light: Any) -> list[tuple[str, str]]:
            with self.assertRaises(DocumentError) as caught:
                read_shot({**Shot().model_dump(mode="json"), "lights": [light]})
            return [(one.field, one.message) for one in caught.exception.problems]

        self.assertEqual(problems(kind="sun", strength=-1)[0][0], "lights.0.strength")
        self.assertIn("at least 0", problems(kind="sun", strength=-1)[0][1])
        self.assertIn("wider than the outer", problems(kind="spot", inner=60, outer=30)[0][1])
        self.assertEqual(problems(kind="area", shape="hexagon")[0][0], "lights.0.shape")
        self.assertEqual(problems(kind="torch")[0][0], "lights.0.kind")
        self.assertIn("finite", problems(kind="point", position=[0, float("nan"), 0])[0][1])

    def test_lights_never_change(self) -> None:
        with self.assertRaises(ValidationError):
            SunLight().strength = 3


class Sources(unittest.TestCase):
    def test_directions(self) -> None:
        np.testing.assert_allclose(sky_direction(90, 0), (1, 0, 0), atol=1e-12)
        np.testing.assert_allclose(sky_direction(0, 90), (0, 1, 0), atol=1e-12)
        np.testing.assert_allclose(aim((0, 3, 4), (0, 0, 0)), (0, -0.6, -0.8))
        self.assertEqual(aim((1, 1, 1), (1, 1, 1)), (0.0, -1.0, 0.0))

    def test_a_flat_light_stands_square_to_where_it_shines(self) -> None:
        for target in ((0, 0, 0), (300, 400, -600), (300, -50, 600)):
            source = kinds.get("area").source(AreaLight(width=200, height=80, aims_at=target))
            assert isinstance(source, LightSource)
            frame = np.array([source.across, source.up, source.direction])
            lengths = np.linalg.norm(frame, axis=1)
            np.testing.assert_allclose(lengths, (100, 40, 1))
            np.testing.assert_allclose((frame / lengths[:, None]) @ (frame / lengths[:, None]).T, np.eye(3), atol=1e-9)

    def test_cones_are_whole_angles(self) -> None:
        source = kinds.get("spot").source(SpotLight(inner=60, outer=90))
        assert isinstance(source, LightSource)
        np.testing.assert_allclose(source.cone, (math.cos(math.pi / 6), math.cos(math.pi / 4)))

    def test_colour_by_temperature_is_used_only_when_chosen(self) -> None:
        warm = {"temperature": 2900.0, "colour": "#00ff00"}
        by_colour, by_heat = (
            kinds.get("sun").source(SunLight(colour_by=how, **warm)) for how in ("colour", "temperature")
        )
        assert isinstance(by_colour, LightSource) and isinstance(by_heat, LightSource)
        self.assertEqual(by_colour.colour, (0.0, 1.0, 0.0))
        self.assertGreater(by_heat.colour[0], by_heat.colour[2])

    def test_touched_elements_are_found_by_identity_whatever_is_hidden(self) -> None:
        first, second = small_shot().elements[0], small_shot().elements[0].model_copy(update={"id": "word-2"})
        light = SunLight(touches=("word-2", "gone"))
        shot = small_shot(elements=(first, second), lights=(light,))
        self.assertEqual(resolve(shot, 1, NOWHERE).lights[0].touches, ("word-2",))
        hidden = small_shot(elements=(first.model_copy(update={"shown": False}), second), lights=(light,))
        self.assertEqual(resolve(hidden, 1, NOWHERE).lights[0].touches, ("word-2",))

    def test_softboxes_are_part_of_the_environment(self) -> None:
        snapshot = resolve(small_shot(lights=LIGHT_SETS[1].lights), 1, NOWHERE)
        self.assertEqual(len(snapshot.environment.softboxes), 2)
        self.assertEqual([light.shape for light in snapshot.lights], ["sun", "ambient"])


class Sets(unittest.TestCase):
    def test_every_set_is_a_shot_of_its_own(self) -> None:
        keys = set()
        for one in LIGHT_SETS:
            shot = small_shot(lights=one.lights)
            self.assertEqual(read_shot(shot.model_dump(mode="json")), shot)
            self.assertEqual(len({light.name for light in one.lights}), len(one.lights))
            keys.add(frame_key(resolve(shot, 1, NOWHERE), "final"))
        self.assertEqual(len(keys), len(LIGHT_SETS))


class SoftBorders(unittest.TestCase):
    """The shadow of a box's edge on a wall, under a sun of four degrees, from two to forty pixels wide: how much of the sun's disc is seen beside
    the edge, by the area of a segment of a circle."""

    def _border(self, front: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Light across the border, of 32 columns, and what it should be, from below to above; the edge is ``front`` units before the wall."""
        white = {"base_colour": "#ffffff", "roughness": 1.0}
        still = {"kind": "solid", "shape": "box", "rounding": 0, "surface": white}
        wall = {"id": "wall", "width": 900, "height": 900, "depth": 10, "placement": {"position": [0, 0, -5]}}
        place = {"position": [0, 0.3, 5 + (front - 5) / 2]}
        box = {"id": "box", "width": 700, "height": 200, "depth": front - 5, "placement": place}
        camera = {"position": [0, -150, 5000], "look_at": [0, -150, 0], "projection": "orthographic", "span": 400}
        document = {
            **Shot().model_dump(mode="json"),
            "raster": {"width": 400, "height": 400},
            "camera": camera,
            "elements": [still | wall, still | box],
            "lights": [{"kind": "sun", "azimuth": 0, "elevation": 45, "size": 4}],
            "environment": {"strength": 0},
            "rays": {"occlusion": 0, "bounces": 0},
        }
        found = render(resolve(read_shot(document), 1, NOWHERE), QUALITIES["final"]).beauty[:, 184:216, 1]
        heights = 50 - (np.arange(400) + 0.5)
        places = heights[:, None] + (np.arange(16) + 0.5) / 16 - 0.5
        # How far the edge stands above the sun's middle, in the sun's radii.
        above = np.arctan2(-99.7 - places, front) - math.radians(45)
        off = np.clip(above / math.radians(2), -1, 1)
        seen = ((off * np.sqrt(1 - off * off) + np.arcsin(off)) / math.pi + 0.5).mean(axis=1)
        below = heights < -105
        return found[below] / found[395].mean(), seen[below]

    def test_they_are_where_they_are_and_as_wide(self) -> None:
        for front in (12, 20, 40, 110):
            with self.subTest(front=front):
                found, true = self._border(front)
                off = found - true[:, None]
                # Half a pixel aside would be 0.5 (rays start a twelfth of a pixel off the wall); averaged over four pixels each way the root mean
                # square was 0.012 to 0.025.
                self.assertLess(abs(float(off.mean(axis=1).sum())), 0.25)
                self.assertLess(float(np.sqrt((off * off).mean())), 0.01)


class OnFloors(unittest.TestCase):
    """The shadow of a ball under a sun of no size, on a plate that is seen at a small angle: what is nearer to the line through the ball's middle
    than its radius lies in it, in 8 x 8 places of each pixel."""

    def _shares(
        self, quality: str, height: float, *more: dict[str, Any], bar: float = 0
    ) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """How much of its light each pixel of the plate has, and should have, seen from so high above it; a bar may be there, so thick, and more
        that throws no shadow where anything is seen."""
        matt = {"surface": {"base_colour": "#ffffff", "roughness": 1.0}, "kind": "solid"}
        plate = {"id": "plate", "shape": "box", "width": 6000, "height": 20, "depth": 6000, "rounding": 0}
        size = {"width": 120, "height": 120, "depth": 120}
        ball = {"id": "ball", "shape": "ball", "placement": {"position": [0, 160, 0]}} | size
        document = {
            **Shot().model_dump(mode="json"),
            "raster": {"width": 160, "height": 90},
            "camera": {"position": [0, height, 1000], "look_at": [0, 0, 0]},
            "elements": [matt | plate | {"placement": {"position": [0, -10, 0]}}, matt | ball, *more],
            "environment": {"strength": 0},
            "rays": {"occlusion": 0, "bounces": 0},
        }
        pictures = []
        for shadows in (True, False):
            document["lights"] = [{"kind": "sun", "azimuth": 40, "elevation": 50, "size": 0, "shadows": shadows}]
            snapshot = resolve(read_shot(document), 1, NOWHERE)
            pictures.append(render(snapshot, QUALITIES[quality]).beauty[..., 1].astype(np.float64))
        camera = snapshot.camera
        x, y = np.meshgrid(*((np.arange(8 * count) + 0.5) / 8 for count in (160, 90)))
        # Not all columns see the same rows: of what is thin and level they would see all or nothing.
        y = y + (np.arange(8 * 160) * 0.618034 % 1 - 0.5) / 8
        right, up, forward = camera.axes
        aside, above = (x - 80) / camera.focal, (45 - y) / camera.focal
        rays = forward + aside[..., None] * right + above[..., None] * up
        with np.errstate(divide="ignore"):
            far = -camera.eye[1] / rays[..., 1]
        places = camera.eye + far[..., None] * rays
        turn, rise = math.radians(40), math.radians(50)
        sun = np.array([math.sin(turn) * math.cos(rise), math.sin(rise), math.cos(turn) * math.cos(rise)])
        off = np.linalg.norm(np.cross(np.array([0, 160, 0]) - places, sun), axis=-1)
        # A bar from left to right before the ball: where its square of two axes is met on the way to the sun.
        half = np.array([300, bar / 2, bar / 2])
        ends = (np.array([[0, 60, 250]]) + np.array([[-1], [1]]) * half - places[..., None, :]) / sun
        meets = ends.min(axis=-2).max(axis=-1) < ends.max(axis=-2).min(axis=-1)
        dark = (off <= 60) | (meets & (bar > 0))
        lit = 1 - dark.reshape(90, 8, 160, 8).mean(axis=(1, 3))
        # Only pixels in which there is nothing but the plate.
        to_ball = np.linalg.norm(np.cross(np.array([0, 160, 0]) - camera.eye, rays), axis=-1) / np.linalg.norm(
            rays, axis=-1
        )
        before = (np.array([[0, 60, 250]]) + np.array([[-1], [1]]) * (half + 2) - camera.eye) / rays[..., None, :]
        hidden = (before.min(axis=-2).max(axis=-1) < before.max(axis=-2).min(axis=-1)) & (bar > 0)
        other = (to_ball < 61) | hidden | (far <= 0) | (np.abs(places[..., [0, 2]]).max(axis=-1) > 2900)
        own = ~other.reshape(90, 8, 160, 8).any(axis=(1, 3))
        return pictures[0][own] / pictures[1][own], lit[own]

    def test_nothing_but_the_shadow_is_dark(self) -> None:
        for quality, height in (("check", 300), ("check", 90), ("final", 300), ("final", 90), ("final", 25)):
            with self.subTest(quality=quality, height=height):
                found, true = self._shares(quality, height)
                self.assertGreater(int((true < 1).sum()), 25)
                off = np.abs(found - true)
                # Pixels beside the shadow were dark by 0.2 to 0.4, four of them in a row.
                beside = true == 1
                self.assertLess(float(off[beside].mean()), 0.001)
                self.assertLess(float(off.mean()), 0.02 if quality == "check" else 0.006)

    def test_a_clear_thing_somewhere_does_not_blur_them(self) -> None:
        clear = {"kind": "solid", "id": "clear", "surface": {"opacity": 0.5}, "placement": {"position": [900, 2500, 0]}}
        for height in (300, 90):
            with self.subTest(height=height):
                found, true = self._shares("final", height, clear)
                off = (found - true)[(true > 0) & (true < 1)]
                # Shares were those of sixteen pixels together: 0.1 to 0.13.
                self.assertLess(float(np.sqrt((off * off).mean())), 0.06)

    def test_one_that_is_thinner_than_a_pixel_is_there(self) -> None:
        matt = {"surface": {"base_colour": "#ffffff", "roughness": 1.0}, "kind": "solid", "shape": "box", "rounding": 0}
        for thick in (3.0, 8.0):
            bar = {"id": "bar", "width": 600, "height": thick, "depth": thick, "placement": {"position": [0, 60, 250]}}
            for height in (300, 90):
                with self.subTest(thick=thick, height=height):
                    found, true = self._shares("final", height, matt | bar, bar=thick)
                    alone = self._shares("final", height)[1]
                    of_bar = float((1 - true).sum() - (1 - alone).sum())
                    self.assertGreater(of_bar, 4)
                    self.assertAlmostEqual(float((1 - found).sum() - (1 - true).sum()), 0, delta=0.15 * of_bar)
                    self.assertLess(float(np.abs(found - true).mean()), 0.008)


class Hollows(unittest.TestCase):
    def test_what_is_finer_than_a_pixel_and_hollow_does_not_shadow_itself(self) -> None:
        # A pixel's rays to a light start all over it, on the plane of one facet, which runs into the next one where facets lean to one another:
        # 14 % of the light was missing in a hollow bevel half a pixel wide, 1 % in a flat one.
        matt = {"base_colour": "#e6b478", "roughness": 0.6}
        word = {"kind": "lettering", "id": "word", "word": "R&B", "font": "roboto-slab", "size": 115, "depth": 5}
        word |= {"bevel_width": 3, "face": matt, "bevel": matt, "side": matt, "placement": {"rotation": [27, 3, 0]}}
        more = {
            "camera": {"position": [0, 100, 1000], "look_at": [0, 0, 0]},
            "lights": [{"kind": "spot", "position": [76, 400, 300], "strength": 2}],
            "environment": {"strength": 0},
            "rays": {"bounces": 0, "occlusion": 0},
        }
        for profile, worst in (("hollow", 0.01), ("flat", 0.005), ("round", 0.005)):
            light = []
            for finer in (1, 8):
                raster = {"width": 112 * finer, "height": 64 * finer}
                elements = [{**word, "bevel_profile": profile}]
                shot = read_shot({**more, "version": 3, "raster": raster, "elements": elements})
                beauty = render(resolve(shot, 1, NOWHERE), QUALITIES["final"]).beauty
                light.append(float(beauty[..., :3].sum(dtype=np.float64)) / finer**2)
            self.assertAlmostEqual(light[0] / light[1], 1, delta=worst, msg=profile)


class Glints(unittest.TestCase):
    def test_what_one_pixels_rays_met_is_no_square(self) -> None:
        """A small lamp close to rough metal, which hardly any mirror ray meets: what one met was seen in all sixteen pixels around it."""
        metal = {"shading": "metal-rough", "base_colour": "#ffffff", "roughness": 0.3, "metalness": 1.0}
        shining = {"shading": "unlit", "emission": 100.0}
        wall = {
            "kind": "solid",
            "id": "wall",
            "width": 400,
            "height": 300,
            "depth": 10,
            "rounding": 0,
            "surface": metal,
        }
        lamp = {"kind": "solid", "id": "lamp", "shape": "ball", "width": 3, "height": 3, "depth": 3, "surface": shining}
        shot = read_shot(
            {
                **small_shot().model_dump(mode="json"),
                "raster": {"width": 120, "height": 90},
                "camera": {"position": [0, 0, 400]},
                "lights": [],
                "rays": {"occlusion": 0, "bounces": 1},
                "elements": [wall, {**lamp, "placement": {"position": [0, 0, 90]}}],
            }
        )
        radiance = render(resolve(shot, 1, NOWHERE), QUALITIES["check"]).beauty[..., :3].sum(axis=2)
        self.assertGreater(float(radiance[43:47, 58:62].max()), 50)
        radiance[43:47, 58:62] = 0
        self.assertLess(float(radiance.max()), 5)
