"""From document to snapshot: shared finishes, cameras of layers, and surroundings from pictures."""

import io
import struct
import tempfile
import unittest
import zlib
from pathlib import Path
from typing import Any
from unittest import mock

import cv2
import numpy as np
import OpenEXR
from PIL import Image

from zeitbild.assets import AssetFolder
from zeitbild.colour import decode, decode_hex
from zeitbild.document.reading import parse_shot, read_shot
from zeitbild.document.shot import Backdrop, Camera, Environment, Layer, Motion, NamedCamera, Shot, Timing
from zeitbild.elements.lettering import Lettering
from zeitbild.elements.solid import Solid
from zeitbild.errors import InputError, LimitError, PictureError
from zeitbild.finishes import READY_MADE, Finish, NamedFinish, Values
from zeitbild.lights.sun import SunLight
from zeitbild.masters import frame_key
from zeitbild.pictures import check_all_round, measure_picture, read_picture
from zeitbild.render import QUALITIES, render
from zeitbild.render.light.environment import CONTENTS, SOFT_SIDE, environment_maps, radiance, starts_of
from zeitbild.render.shade.shading import BEHIND, PARTS
from zeitbild.resolve import depth_range, resolve
from zeitbild.snapshot.finish_row import COAT, MAPS, OWNER, SHADING, UNLIT
from zeitbild.snapshot.surroundings import SkyPicture
from zeitbild.testing import NOWHERE, small_shot


def _box(**finish: Any) -> Solid:
    return Solid(id="box", surface=Finish(**finish))


class Finishes(unittest.TestCase):
    def _row(self, shot: Shot) -> tuple[float, ...]:
        return resolve(shot, 1, NOWHERE).bodies[0].finishes[0]

    def test_a_shared_finish_stands_for_the_values_of_its_own(self) -> None:
        brass = NamedFinish(name="Brass", values=Values(base_colour="#d9a94e", roughness=0.2, metalness=1))
        shot = small_shot(elements=(_box(named="Brass", base_colour="#000000"),), finishes=(brass,))
        np.testing.assert_allclose(self._row(shot)[:5], (*decode_hex("#d9a94e"), 0.2, 1))

    def test_every_ready_made_finish_resolves(self) -> None:
        rows = {one.name: self._row(small_shot(elements=(_box(**one.values.model_dump()),))) for one in READY_MADE}
        self.assertEqual(len(set(rows.values())), len(READY_MADE))
        self.assertEqual(rows["paper"][SHADING], UNLIT)
        self.assertEqual(rows["lacquer"][COAT], 1)
        self.assertTrue(all(len(row) in (8, OWNER) for row in rows.values()))


class DemoShots(unittest.TestCase):
    def test_beauty_is_the_sum_of_its_parts_on_every_pixel(self) -> None:
        paths = sorted((Path(__file__).parents[2] / "demo").glob("KM*.json"))
        self.assertGreaterEqual(len(paths), 4)
        for path in paths:
            shot = parse_shot(path.read_text(encoding="utf-8"))
            size = (256, 256 * shot.raster.height // shot.raster.width)
            for blur in (0, 180):
                blurred = shot.model_copy(update={"motion": Motion(angle=blur)})
                picture = render(resolve(blurred, 7, NOWHERE).at_size(*size), QUALITIES["check"], planes=True)
                assert picture.planes is not None
                total = sum(picture.planes[..., first : first + 3] for first in PARTS)
                np.testing.assert_allclose(total, picture.beauty[..., :3], atol=1e-4, err_msg=path.name)
                self.assertGreater(float(picture.beauty[..., 3].max()), 0.99)


class Backdrops(unittest.TestCase):
    def test_parts_add_up_over_every_backdrop(self) -> None:
        for backdrop in (Backdrop(kind="colour", colour="#805020"), Backdrop(kind="surroundings"), Backdrop()):
            for blur in (0, 180):
                shot = small_shot(backdrop=backdrop, motion=Motion(angle=blur))
                picture = render(resolve(shot, 2, NOWHERE), QUALITIES["check"], planes=True)
                assert picture.planes is not None
                total = sum(picture.planes[..., first : first + 3] for first in PARTS)
                np.testing.assert_allclose(total, picture.beauty[..., :3], atol=1e-4)
                behind = picture.planes[..., BEHIND : BEHIND + 3]
                self.assertEqual(bool(behind.any()), backdrop.kind != "clear")


class Keys(unittest.TestCase):
    def test_what_changes_no_picture_is_not_in_the_key(self) -> None:
        # Where a turning element goes next, and what a group of lights is called.
        def key(shot: Shot) -> str:
            return frame_key(resolve(shot, 1, NOWHERE), "final")

        longer, named = small_shot(timing=Timing(last=12)), small_shot(lights=(SunLight(group="Warm"),))
        self.assertEqual(key(small_shot()), key(longer))
        self.assertNotEqual(
            resolve(small_shot(), 1, NOWHERE).bodies[0].after, resolve(longer, 1, NOWHERE).bodies[0].after
        )
        self.assertEqual(key(named), key(small_shot(lights=(SunLight(),))))


class Cameras(unittest.TestCase):
    SIDE = NamedCamera(name="Side", camera=Camera(position=(1000, 0, 0)))

    def test_a_layer_without_a_camera_sees_what_is_in_view(self) -> None:
        for view, x in (("Main", 0), ("Side", 1000)):
            shot = small_shot(cameras=(self.SIDE,), view=view)
            self.assertEqual(resolve(shot, 1, NOWHERE).camera_position[0], x)
            self.assertEqual(resolve(shot, 1, NOWHERE, "sign").camera_position[0], x)

    def test_a_layer_keeps_its_own_camera(self) -> None:
        layers = (Layer(name="front", camera="Main"), Layer(name="side", camera="Side"))
        shot = small_shot(cameras=(self.SIDE,), view="Side", layers=layers)
        self.assertEqual([resolve(shot, 1, NOWHERE, one.name).camera_position[0] for one in layers], [0, 1000])
        keys = {frame_key(resolve(shot, 1, NOWHERE, one.name), "rough") for one in layers}
        self.assertEqual(len(keys), 2)
        # One range of depths for all layers, so that the manifest's numbers hold for all files.
        near, far = depth_range(shot, NOWHERE)
        alone = depth_range(small_shot(), NOWHERE)
        self.assertTrue(near <= alone[0] and far >= alone[1])


def _file(pixels: np.ndarray, ending: str) -> bytes:  # type: ignore[type-arg]
    done, data = cv2.imencode(ending, np.ascontiguousarray(pixels[..., ::-1]))
    assert done
    return bytes(data.tobytes())


class Pictures(unittest.TestCase):
    def test_encoded_pictures_are_decoded_and_linear_ones_are_not(self) -> None:
        codes = np.zeros((4, 8, 3), np.uint8)
        codes[...] = (200, 100, 50)
        stored = io.BytesIO()
        Image.fromarray(codes).save(stored, "PNG")
        np.testing.assert_allclose(read_picture(stored.getvalue(), "a.png")[0, 0], decode(codes[0, 0] / 255), atol=1e-5)
        light = np.full((8, 16, 3), 3.5, np.float32)
        # Radiance HDR (Ward 1991, Real Pixels) keeps eight bits of each value.
        np.testing.assert_allclose(read_picture(_file(light, ".hdr"), "a.hdr"), 3.5, rtol=0.01)

    def test_grey_and_alpha_are_taken_as_colour_alone(self) -> None:
        for mode, colour in (("L", 128), ("LA", (128, 10)), ("RGBA", (128, 128, 128, 10))):
            stored = io.BytesIO()
            Image.new(mode, (4, 2), colour).save(stored, "PNG")  # type: ignore[arg-type]
            pixels = read_picture(stored.getvalue(), "a.png")
            self.assertEqual(pixels.shape, (2, 4, 3))
            self.assertAlmostEqual(float(pixels.max()), float(pixels.min()), places=6)

    def test_all_kinds_of_png_and_jpeg_are_read(self) -> None:
        kinds = {
            "1": 1,
            "L": 128,
            "LA": (128, 20),
            "P": 5,
            "RGB": (9, 8, 7),
            "RGBA": (9, 8, 7, 0),
            "I;16": 40000,
        }
        for mode, colour in kinds.items():
            stored = io.BytesIO()
            Image.new(mode, (6, 3), colour).save(stored, "PNG")  # type: ignore[arg-type]
            self.assertEqual(read_picture(stored.getvalue(), mode).shape, (3, 6, 3), mode)
        deep = io.BytesIO()
        Image.new("I;16", (2, 2), 32768).save(deep, "PNG")
        self.assertAlmostEqual(
            float(read_picture(deep.getvalue(), "deep", plain=True)[0, 0, 0]), 32768 / 65535, places=6
        )
        for mode in ("L", "RGB", "CMYK"):
            stored = io.BytesIO()
            Image.new(mode, (6, 4)).save(stored, "JPEG")
            self.assertEqual(read_picture(stored.getvalue(), mode).shape, (4, 6, 3), mode)

    def test_values_that_are_no_light_are_mended(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "odd.exr"
            pixels = np.array([[[np.nan, np.inf, -np.inf], [-3, 1e9, 0.5]]], np.float32)
            with OpenEXR.File({}, {"RGB": pixels}) as file:
                file.write(str(path))
            found = read_picture(path.read_bytes(), "odd.exr")
        np.testing.assert_array_equal(found, [[[0, 65504, 0], [0, 65504, 0.5]]])

    def test_cut_off_at_every_length_it_never_crashes(self) -> None:
        stored = io.BytesIO()
        noise = np.random.default_rng(5).integers(0, 255, (20, 40, 3), np.uint8)
        Image.fromarray(noise).save(stored, "PNG")
        whole = stored.getvalue()
        for data in (whole, _file(noise.astype(np.float32), ".hdr")):
            for length in range(0, len(data) - 1, max(1, len(data) // 40)):
                try:
                    pixels = read_picture(data[:length], "cut")
                except PictureError:
                    continue
                # Some readers fill what is missing; what they give is whole.
                self.assertEqual(pixels.shape, (20, 40, 3))

    def test_a_small_file_that_claims_to_be_huge_is_refused_before_it_is_read(self) -> None:
        head = struct.pack(">IIBBBBB", 60_000, 60_000, 8, 2, 0, 0, 0)
        chunk = struct.pack(">I", 13) + b"IHDR" + head + struct.pack(">I", zlib.crc32(b"IHDR" + head))
        empty = zlib.compress(b"")
        body = struct.pack(">I", len(empty)) + b"IDAT" + empty + struct.pack(">I", zlib.crc32(b"IDAT" + empty))
        with self.assertRaises(PictureError):
            read_picture(b"\x89PNG\r\n\x1a\n" + chunk + body, "bomb.png")

    def test_what_is_no_picture_says_so(self) -> None:
        whole = _file(np.random.default_rng(3).random((64, 128, 3)).astype(np.float32), ".hdr")
        for data in (b"", b"GIF89a", whole[:9], b"\x89PNG\r\n\x1a\n" + b"\0" * 40, b"\x76\x2f\x31\x01rest"):
            with self.assertRaises(PictureError) as caught:
                read_picture(data, "name.x")
            self.assertIn("name.x", str(caught.exception))

    def test_pictures_of_all_directions_are_twice_as_wide_as_high(self) -> None:
        with self.assertRaises(PictureError) as caught:
            check_all_round(
                *measure_picture(_file(np.ones((64, 64, 3), np.float32), ".hdr"), "square.hdr"), "square.hdr"
            )
        self.assertIn("twice as wide", str(caught.exception))


class Textures(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.assets = AssetFolder(Path(folder.name))
        stored = io.BytesIO()
        Image.new("RGB", (8, 4), (188, 188, 188)).save(stored, "PNG")
        self.named = "asset:" + self.assets.add(stored.getvalue())

    def test_a_file_is_read_once_for_each_meaning(self) -> None:
        finish = {"base_map": self.named, "emission_map": self.named, "normal_map": self.named}
        shot = small_shot(elements=(_box(**finish), Solid(id="two", surface=Finish(**finish))))
        snapshot = resolve(shot, 1, self.assets)
        self.assertEqual([one.plain for one in snapshot.textures], [False, True])
        for element in snapshot.bodies:
            self.assertEqual(element.finishes[0][MAPS : MAPS + 5], (1, 0, 0, 2, 1))
        # sRGB 188 is half of the light (IEC 61966-2-1); as a plain number it is 188 of 255.
        levels = [one.levels for one in snapshot.textures]
        self.assertAlmostEqual(float(levels[0][0].mean()), 0.5028, places=3)
        self.assertAlmostEqual(float(levels[1][0].mean()), 188 / 255, places=5)
        self.assertEqual([level.shape[:2] for level in levels[0]], [(4, 8), (2, 4), (1, 2), (1, 1)])

    def test_unlit_surfaces_take_colours_and_tone_bands_nothing(self) -> None:
        every = {f"{what}_map": self.named for what in ("base", "roughness", "metalness", "normal", "emission")}
        for shading, maps in (
            ("unlit", (1, 0, 0, 0, 1)),
            ("tone bands", (0, 0, 0, 0, 0)),
            ("metal-rough", (1, 2, 2, 2, 1)),
        ):
            row = resolve(small_shot(elements=(_box(shading=shading, **every),)), 1, self.assets).bodies[0].finishes[0]
            self.assertEqual(row[MAPS : MAPS + 5], maps)

    def test_textures_count_by_their_digest_and_place(self) -> None:
        keys = {
            frame_key(resolve(small_shot(elements=(_box(**more),)), 1, self.assets), "final")
            for more in ({}, {"base_map": self.named}, {"base_map": self.named, "map_width": 50.0})
        }
        self.assertEqual(len(keys), 3)

    def test_what_is_wrong_with_a_texture_stands_at_its_field(self) -> None:
        broken = "asset:" + self.assets.add(b"\x89PNG\r\n\x1a\n" + b"\0" * 100)
        own = small_shot(elements=(_box(), Solid(id="two", surface=Finish(normal_map=broken))))
        shared = small_shot(
            elements=(_box(named="Tiles"),),
            finishes=(
                NamedFinish(name="Plain"),
                NamedFinish(name="Tiles", values=Values(base_map="asset:" + "1" * 64)),
            ),
        )
        word = small_shot(elements=(Lettering(id="w", word="A", side=Finish(roughness_map=broken)),))
        for shot, field in (
            (own, "elements.1.surface.normal_map"),
            (shared, "finishes.1.values.base_map"),
            (word, "elements.0.side.roughness_map"),
        ):
            with self.assertRaises(InputError) as caught:
                resolve(shot, 1, self.assets)
            self.assertEqual(caught.exception.field, field)

    def test_more_pixels_than_a_worker_holds_are_refused(self) -> None:
        with mock.patch("zeitbild.resolve.surfaces.MAX_TEXELS", 40), self.assertRaises(LimitError) as caught:
            resolve(small_shot(elements=(_box(base_map=self.named, normal_map=self.named),)), 1, self.assets)
        self.assertEqual(caught.exception.field, "elements.0.surface.normal_map")

    def test_large_textures_are_made_smaller_and_odd_ones_read(self) -> None:
        for size, largest in (((5000, 10), (4, 2048)), ((1, 1), (1, 1)), ((3, 7), (7, 3))):
            stored = io.BytesIO()
            Image.new("RGB", size, (10, 20, 30)).save(stored, "PNG")
            named = "asset:" + self.assets.add(stored.getvalue())
            levels = resolve(small_shot(elements=(_box(base_map=named),)), 1, self.assets).textures[0].levels
            self.assertEqual(levels[0].shape[:2], largest)
            self.assertEqual(levels[-1].shape[:2], (1, 1))

    def test_a_missing_texture_is_named(self) -> None:
        with self.assertRaises(InputError) as caught:
            resolve(small_shot(elements=(_box(base_map="asset:" + "0" * 64),)), 1, self.assets)
        self.assertIn("upload it again", str(caught.exception))
        with self.assertRaises(InputError):
            _box_raw = {"id": "a", "kind": "solid", "surface": {"base_map": "/etc/passwd"}}
            read_shot({**Shot().model_dump(mode="json"), "elements": [_box_raw]})


class Surroundings(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = tempfile.TemporaryDirectory()
        self.addCleanup(self.folder.cleanup)
        self.assets = AssetFolder(Path(self.folder.name))

    def _resolved(self, pixels: np.ndarray, **more: Any):  # type: ignore[no-untyped-def, type-arg]
        digest = self.assets.add(_file(pixels.astype(np.float32), ".hdr"))
        around = Environment(source="picture", picture=f"asset:{digest}", strength=1, **more)
        return resolve(small_shot(environment=around, lights=()), 1, self.assets).environment

    def test_an_even_picture_is_an_even_environment(self) -> None:
        maps = environment_maps(self._resolved(np.full((32, 64, 3), 0.5)))
        np.testing.assert_allclose(maps[CONTENTS:], 0.5, rtol=0.01)

    def test_the_middle_is_in_front_up_is_up_and_rotation_turns_to_the_right(self) -> None:
        pixels = np.zeros((64, 128, 3))
        pixels[:8] = (0, 0, 1)
        pixels[28:36, 60:68] = (1, 0, 0)
        front, right, left, top = (np.array(one, float) for one in ((0, 0, 1), (1, 0, 0), (-1, 0, 0), (0, 1, 0)))
        light = self._resolved(pixels)
        self.assertGreater(radiance(light, front)[0], 0.9)
        self.assertGreater(radiance(light, top)[2], 0.9)
        self.assertEqual(radiance(light, right)[0], 0)
        turned = self._resolved(pixels, rotation=90)
        self.assertGreater(radiance(turned, right)[0], 0.9)
        # Seen from the set the picture runs on to the right, which is towards -x.
        pixels[28:36, 92:100] = (0, 1, 0)
        self.assertGreater(radiance(self._resolved(pixels), left)[1], 0.9)

    def test_diffuse_light_of_half_a_sky_by_the_cosine(self) -> None:
        # Irradiance under a bright upper half: all of it from above, half of it sideways, none from below.
        pixels = np.zeros((128, 256, 3))
        pixels[:64] = 1
        diffuse = environment_maps(self._resolved(pixels))[starts_of(SOFT_SIDE)[-1] :, 0].reshape(25, 25)
        self.assertAlmostEqual(float(diffuse[12, 12]), 1, delta=0.02)
        self.assertAlmostEqual(float(diffuse.min()), 0, delta=0.02)
        self.assertAlmostEqual(float(diffuse[1:-1, 1:-1].mean()), 0.5, delta=0.08)

    def test_a_small_sun_keeps_its_light(self) -> None:
        # One pixel of 1024 x 512 at 10,000; its irradiance is radiance x solid angle, whatever it is reduced to.
        pixels = np.zeros((512, 1024, 3))
        pixels[256, 512] = 10_000
        angle = (np.pi / 512) * (2 * np.pi / 1024)
        diffuse = environment_maps(self._resolved(pixels))[starts_of(SOFT_SIDE)[-1] :, 0]
        self.assertAlmostEqual(float(diffuse.max()), 10_000 * angle / np.pi, delta=0.1 * 10_000 * angle / np.pi)

    def test_as_a_backdrop_the_picture_is_where_the_camera_looks(self) -> None:
        # The camera looks along -z: behind the set is what the picture shows at its sides.
        pixels = np.zeros((128, 256, 3))
        pixels[:, :20] = (0, 1, 0)
        pixels[:, -20:] = (1, 0, 0)
        digest = self.assets.add(_file(pixels.astype(np.float32), ".hdr"))
        around = Environment(source="picture", picture=f"asset:{digest}", strength=1)
        shot = small_shot(environment=around, elements=(), backdrop=Backdrop(kind="surroundings"))
        beauty = render(resolve(shot, 1, self.assets), QUALITIES["rough"]).beauty
        self.assertEqual(float(beauty[..., 3].min()), 1)
        # In the middle the two ends of the picture meet; its right end stands to the left of its left end.
        np.testing.assert_allclose(beauty[27, 40, :3], (1, 0, 0), atol=0.02)
        np.testing.assert_allclose(beauty[27, 56, :3], (0, 1, 0), atol=0.02)
        clear = shot.model_copy(update={"backdrop": Backdrop()})
        self.assertEqual(float(render(resolve(clear, 1, self.assets), QUALITIES["rough"]).beauty.max()), 0)

    def test_generated_surroundings_as_a_backdrop(self) -> None:
        around = Environment(source="gradient", strength=1, sky="#0000ff", horizon="#00ff00", floor="#ff0000")
        shot = small_shot(environment=around, elements=(), backdrop=Backdrop(kind="surroundings"))
        snapshot = resolve(shot, 1, NOWHERE).at_size(320, 180)
        beauty = render(snapshot, QUALITIES["rough"]).beauty
        camera = snapshot.camera
        for x, y in ((160, 90), (40, 20), (300, 170)):
            way = (
                camera.axes[2]
                + (x + 0.5 - 160) / camera.focal * camera.axes[0]
                - (y + 0.5 - 90) / camera.focal * camera.axes[1]
            )
            expected = radiance(snapshot.environment, way / np.linalg.norm(way))
            np.testing.assert_allclose(beauty[y, x, :3], expected, atol=0.02)
        flat = shot.model_copy(update={"camera": Camera(projection="orthographic")})
        even = render(resolve(flat, 1, NOWHERE), QUALITIES["rough"]).beauty
        self.assertLess(float(np.ptp(even[..., 1])), 1e-5)

    def test_a_picture_that_is_missing_or_not_chosen(self) -> None:
        with self.assertRaises(InputError):
            resolve(small_shot(environment=Environment(source="picture", picture="asset:" + "0" * 64)), 1, self.assets)
        dark = resolve(small_shot(environment=Environment(source="picture")), 1, self.assets).environment
        self.assertEqual(float(environment_maps(dark)[CONTENTS:].max()), 0)
        with self.assertRaises(InputError):
            read_shot({**Shot().model_dump(mode="json"), "environment": {"picture": "../../etc/passwd"}})

    def test_pictures_count_by_their_digest(self) -> None:
        digest = self.assets.add(_file(np.ones((32, 64, 3), np.float32), ".hdr"))
        keys = {
            frame_key(resolve(small_shot(environment=Environment(**more)), 1, self.assets), "final")
            for more in (
                {},
                {"source": "gradient"},
                {"source": "picture", "picture": f"asset:{digest}"},
                {"source": "picture", "picture": f"asset:{digest}", "rotation": 10},
            )
        }
        self.assertEqual(len(keys), 4)
        same = np.zeros((2, 4, 3), np.float32)
        self.assertEqual(SkyPicture("a", (same,)), SkyPicture("a", (same + 1,)))

    def test_a_gradient_has_its_colours_where_it_says(self) -> None:
        around = Environment(
            source="gradient", strength=1, sky="#0000ff", horizon="#00ff00", floor="#ff0000", spread=30
        )
        light = resolve(small_shot(environment=around), 1, NOWHERE).environment
        np.testing.assert_allclose(radiance(light, np.array([0.0, 1, 0])), (0, 0, 1), atol=1e-6)
        np.testing.assert_allclose(radiance(light, np.array([0.0, 0, 1])), (0, 1, 0), atol=1e-6)
        np.testing.assert_allclose(radiance(light, np.array([0.0, -1, 0])), (1, 0, 0), atol=1e-6)
