"""Conforming: sizes, grounds and rates against areas worked out here and another library."""

import tempfile
import unittest
from fractions import Fraction
from pathlib import Path

import numpy as np
from PIL import Image

from zeitbild.colour.highlights import for_straight
from zeitbild.errors import InputError
from zeitbild.formats import Plane, formats
from zeitbild.formats._one import read_one, write_one
from zeitbild.handoff import recipes
from zeitbild.handoff.conforming import Conforming, resized
from zeitbild.render.picture import NO_DEPTH


def edge(width: int, height: int) -> np.ndarray:  # type: ignore[type-arg]
    """A slanted edge of a full colour before nothing, premultiplied."""
    y, x = np.mgrid[0:height, 0:width]
    alpha = np.clip(x - 0.3 * y - width / 3, 0, 1).astype(np.float32)
    return np.stack([alpha, 0.4 * alpha, 0 * alpha, alpha], axis=2)


class Sizes(unittest.TestCase):
    def test_a_whole_reduction_is_the_mean_of_areas(self) -> None:
        pixels = edge(120, 90)
        for factor in (2, 3, 5):
            wanted = pixels[: 90 // factor * factor, : 120 // factor * factor]
            wanted = wanted.reshape(90 // factor, factor, 120 // factor, factor, 4).mean(axis=(1, 3))
            found = resized(pixels, 120 // factor, 90 // factor, mixed=True)
            np.testing.assert_allclose(found, wanted, atol=1e-6)

    def test_any_reduction_is_what_another_library_makes(self) -> None:
        # Pillow's box filter weighs areas, too.
        pixels = edge(200, 120)
        found = resized(pixels, 77, 53, mixed=True)
        for k in range(4):
            other = Image.fromarray(pixels[..., k]).resize((77, 53), Image.Resampling.BOX)
            # Of edges that fall into the middle of a pixel one counts half and the other all of it.
            self.assertLess(np.abs(found[..., k] - np.asarray(other)).mean(), 2e-3)

    def test_no_size_makes_a_fringe(self) -> None:
        # Straight colour is the same wherever anything is seen: what is mixed is premultiplied.
        for size in ((60, 45), (77, 53), (240, 180), (311, 201)):
            found = resized(edge(120, 90), *size, mixed=True)
            seen = found[..., 3] > 1e-3
            straight = found[..., :3][seen] / found[..., 3:][seen]
            np.testing.assert_allclose(straight[:, 1] / straight[:, 0], 0.4, atol=1e-3)
            self.assertLessEqual(found[..., 3].max(), 1)
            self.assertGreaterEqual(found.min(), 0)

    def test_what_gets_larger_still_fits_into_files_of_straight_colour(self) -> None:
        # White, and colours as strong as can be, with hard and soft edges: a cubic swings past all of them.
        random = np.random.default_rng(4)
        for kind in ("hard", "soft", "noise"):
            alpha = random.random((40, 60, 1))
            if kind == "hard":
                alpha = np.round(alpha)
            elif kind == "soft":
                alpha = edge(60, 40)[..., 3:]
            colour = np.ones((40, 60, 3)) if kind != "noise" else np.round(random.random((40, 60, 3)))
            plane = Plane("colour", np.concatenate([colour * alpha, alpha], axis=2).astype(np.float32))
            for size in ((90, 60), (200, 40), (61, 133), (30, 90)):
                found = Conforming(*size, fit="stretch").apply(plane)
                self.assertLessEqual(float((found.pixels[..., :3] - found.pixels[..., 3:]).max()), 1e-6, (kind, size))
                for name in ("png8", "png16", "tga", "tiff16"):
                    form = formats.get(name)
                    with tempfile.TemporaryDirectory() as folder:
                        path = Path(folder) / f"one.{form.extension}"
                        write_one(form, path, [found])
                        (back,) = read_one(form, path, [found])
                    self.assertTrue(back.holds, (kind, size, name, back))

    def test_light_beyond_white_stays_what_it_is_near_it(self) -> None:
        pixels = np.zeros((20, 20, 4), np.float32)
        pixels[5:15, 5:15] = (6, 3, 1.5, 1)
        found = Conforming(50, 50).apply(Plane("colour", pixels)).pixels
        self.assertAlmostEqual(float(found[25, 25, 0]), 6, places=4)
        seen = found[..., 3] > 1e-4
        self.assertLessEqual(float((found[..., 0][seen] / found[..., 3][seen]).max()), 6.001)

    def test_a_ramp_of_light_stays_one(self) -> None:
        ramp = np.tile(np.linspace(0, 1, 64, dtype=np.float32), (8, 1))
        for width in (16, 32, 128):
            found = resized(ramp, width, 8, mixed=True)[0]
            middle = found[4:-4]
            np.testing.assert_allclose(np.diff(middle), 64 / 63 / width, rtol=0.02)

    def test_contain_cover_stretch_and_places(self) -> None:
        pixels = np.ones((90, 160, 4), np.float32)
        plane = Plane("colour", pixels)
        contained = Conforming(100, 100).apply(plane).pixels
        self.assertEqual(contained.shape, (100, 100, 4))
        rows = np.flatnonzero(contained[:, 50, 3] > 0.5)
        self.assertEqual((rows[0], rows[-1]), (22, 77))
        top = Conforming(100, 100, place="top").apply(plane).pixels
        self.assertEqual(np.flatnonzero(top[:, 50, 3] > 0.5)[0], 0)
        bottom = Conforming(100, 100, place="bottom").apply(plane).pixels
        self.assertEqual(np.flatnonzero(bottom[:, 50, 3] > 0.5)[-1], 99)
        for fit in ("cover", "stretch"):
            found = Conforming(100, 100, fit=fit).apply(plane).pixels  # type: ignore[arg-type]
            self.assertEqual(found.shape, (100, 100, 4))
            np.testing.assert_allclose(found, 1, atol=1e-6)
        halves = pixels.copy()
        halves[:, :80, 0] = 0
        left = Conforming(50, 90, fit="cover", place="left").apply(Plane("colour", halves)).pixels
        self.assertEqual(float(left[..., 0].max()), 0)
        self.assertEqual(Conforming(height=45).raster(160, 90), (80, 45))
        self.assertEqual(Conforming(width=40).raster(161, 90), (40, 22))

    def test_whole_squares_stay_what_they_are(self) -> None:
        random = np.random.default_rng(2)
        pixels = random.random((9, 16, 4)).astype(np.float32)
        found = Conforming(70, 40, hard=True).apply(Plane("colour", pixels)).pixels
        # Four times, in the middle of what is wanted.
        np.testing.assert_array_equal(found[2:38, 3:67], pixels.repeat(4, axis=0).repeat(4, axis=1))
        self.assertEqual(float(found[:2].max()), 0)

    def test_data_is_never_mixed(self) -> None:
        depth = np.where(np.arange(100)[None] < 50, 7.0, NO_DEPTH).astype(np.float32).repeat(20, axis=0)
        found = Conforming(33).apply(Plane("depth", depth)).pixels
        self.assertEqual(set(np.unique(found)), {np.float32(7), np.float32(NO_DEPTH)})
        there = np.ones((20, 100), bool)
        moved = Conforming(60, 60).apply(Plane("data", np.ones((20, 100, 3), np.float32), there=there))
        self.assertEqual(moved.pixels.shape, (60, 60, 3))
        assert moved.there is not None
        np.testing.assert_array_equal(moved.there, moved.pixels[..., 0] > 0)


class Grounds(unittest.TestCase):
    def test_laid_on_the_way_is_the_same_as_laid_afterwards(self) -> None:
        random = np.random.default_rng(12)
        light = (random.random((23, 41, 4)) * 1.5).astype(np.float32)
        light[random.random((23, 41)) < 0.3] = 0
        ground = (0.2, 0.5, 0.01)
        for highlights in ("clipped", "rolled off"):
            held = for_straight(light, None, highlights, "clipped")  # type: ignore[arg-type]
            at_once = for_straight(light, None, highlights, "clipped", ground)  # type: ignore[arg-type]
            wanted = Conforming(ground=ground).laid(Plane("colour", held.pixels)).pixels
            np.testing.assert_array_equal(at_once.pixels, wanted)
            self.assertEqual((at_once.beyond, at_once.clipped), (held.beyond, held.clipped))

    def test_light_is_laid_over_in_linear_light(self) -> None:
        # Half of white over black is half of the light: 188 of 255 in sRGB.
        pixels = np.full((2, 2, 4), 0.5, np.float32)
        found = Conforming(ground=(0.0, 0.0, 0.0)).laid(Plane("colour", pixels)).pixels
        np.testing.assert_allclose(found[0, 0], (0.5, 0.5, 0.5, 1))
        over = Conforming(ground=(1.0, 0.0, 0.0)).laid(Plane("colour", pixels)).pixels
        np.testing.assert_allclose(over[0, 0], (1, 0.5, 0.5, 1))
        # Parts are laid over black whatever the ground: they add up to what is laid over black.
        part = Conforming(ground=(1.0, 0.0, 0.0)).laid(Plane("light", pixels)).pixels
        np.testing.assert_allclose(part[0, 0], (0.5, 0.5, 0.5, 1))


class Rates(unittest.TestCase):
    def test_frames_are_dropped_or_repeated_and_each_is_the_one_seen_then(self) -> None:
        frames = list(range(1, 61))
        half = Conforming(rate=Fraction(15)).frames(frames, Fraction(30))
        self.assertEqual(half, frames[::2])
        twice = Conforming(rate=Fraction(60)).frames(frames, Fraction(30))
        self.assertEqual(twice, [frame for frame in frames for _ in range(2)])
        for rate, wanted in (
            (Fraction(24), Fraction(30)),
            (Fraction(24000, 1001), Fraction(30)),
            (Fraction(25), Fraction(24)),
        ):
            found = Conforming(rate=wanted).frames(frames, rate)
            self.assertLessEqual(abs(Fraction(len(found)) / wanted - Fraction(60) / rate), Fraction(1, 2) / wanted)
            for number, frame in enumerate(found):
                self.assertEqual(frame, frames[min(int(Fraction(number) / wanted * rate), 59)])

    def test_files_of_one_frame_are_numbered_one_by_one_from_the_first_frame(self) -> None:
        rate = Fraction(24)
        for frames in (list(range(1, 9)), [101, 103, 105, 107]):
            for same in (Conforming(), Conforming(rate=rate)):
                self.assertEqual(same.numbered(frames, rate), [(frame, frame) for frame in frames])
        half = Conforming(rate=Fraction(12)).numbered(list(range(1001, 1007)), rate)
        self.assertEqual(half, [(1001, 1001), (1002, 1003), (1003, 1005)])
        twice = Conforming(rate=Fraction(48)).numbered([7, 9], rate)
        self.assertEqual(twice, [(7, 7), (8, 7), (9, 9), (10, 9)])
        # Frames before zero, one frame that is dropped by nothing, and none.
        self.assertEqual(Conforming(rate=Fraction(12)).numbered([-2, -1, 0, 1], rate), [(-2, -2), (-1, 0)])
        self.assertEqual(Conforming(rate=Fraction(8)).numbered([5], rate), [(5, 5)])
        self.assertEqual(Conforming(rate=Fraction(8)).numbered([], rate), [])

    def test_stills_have_rates_and_prints_have_none(self) -> None:
        for recipe in recipes:
            names = {one.name for one in recipe.options}
            self.assertEqual("rate" in names, recipe.format.moves or not recipe.format.container, recipe.name)

    def test_what_a_form_cannot_hold_is_said_with_what_to_do(self) -> None:
        rate = Fraction(30)
        with self.assertRaisesRegex(
            InputError,
            "even widths and heights only, and this is 1279 x 719; give it the width 1278 and the height 718",
        ):
            Conforming().check(formats.get("h264"), 1279, 719, rate)
        with self.assertRaisesRegex(InputError, "at most 16383"):
            Conforming(16384).check(formats.get("webp"), 1280, 720, rate)
        with self.assertRaisesRegex(InputError, "whole squares only get larger"):
            Conforming(640, hard=True).check(formats.get("png8"), 1280, 720, rate)
        with self.assertRaisesRegex(InputError, "at most 50"):
            Conforming().check(formats.get("gif"), 1280, 720, Fraction(60))
        Conforming(rate=Fraction(30)).check(formats.get("gif"), 1280, 720, Fraction(60))

    def test_options_are_read_with_reasons(self) -> None:
        recipe = recipes.get("h264")
        for options, said in (
            ({"width": "many"}, "Width is a number"),
            ({"width": "0"}, "from 1 to 16384"),
            ({"ground": "teal"}, "not a colour"),
            ({"rate": "31"}, "there is"),
            ({"speed": "2"}, "no such option"),
        ):
            with self.assertRaisesRegex(InputError, said):
                recipe.chosen(options)
        self.assertEqual(recipe.chosen({"width": " 1080 "})["width"], "1080")
