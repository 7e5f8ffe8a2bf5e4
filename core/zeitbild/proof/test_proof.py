"""What the eye is shown, and what the probe reads."""

import io
import unittest
from dataclasses import replace

import cv2
import numpy as np
from PIL import Image

from zeitbild.alpha import over_colour
from zeitbild.colour import decode_hex, encode
from zeitbild.colour.highlights import for_straight
from zeitbild.errors import InputError
from zeitbild.finishes import READY_MADE
from zeitbild.lights.ready_made import LIGHT_SETS
from zeitbild.proof import Ground, View, encode_view, probe, show
from zeitbild.proof.previews import SIZE, preview
from zeitbild.render import Picture
from zeitbild.render.picture import NO_DEPTH
from zeitbild.surroundings import kinds as surroundings


def _picture() -> Picture:
    random = np.random.default_rng(9)
    beauty = random.random((40, 64, 4)).astype(np.float32)
    beauty[..., :3] *= beauty[..., 3:]
    beauty[0] = 0
    depth = np.full((40, 64), 12.5, np.float32)
    depth[0] = NO_DEPTH
    return Picture(beauty, depth)


class Show(unittest.TestCase):
    def test_linear_blend_is_over_then_srgb(self) -> None:
        # Porter and Duff 1984; IEC 61966-2-1; written again in numpy.
        picture = _picture()
        for kind, colour in (("black", "#000000"), ("white", "#ffffff"), ("colour", "#3366cc")):
            shown = show(picture, View(Ground(kind, "#3366cc")))[..., ::-1]  # type: ignore[arg-type]
            expected = encode(np.clip(over_colour(picture.beauty, np.array(decode_hex(colour))), 0, 1)) * 255
            np.testing.assert_allclose(shown, expected, atol=0.55)

    def test_encoded_blend_is_what_an_imaging_library_does(self) -> None:
        # Pillow composites straight 8-bit values, as web browsers do.
        picture = _picture()
        shown = show(picture, View(Ground("white"), blend="encoded"))[..., ::-1]
        alpha = picture.beauty[..., 3:]
        straight = np.divide(
            picture.beauty[..., :3], alpha, out=np.zeros_like(picture.beauty[..., :3]), where=alpha > 0
        )
        codes = np.concatenate([encode(straight), alpha], axis=2) * 255 + 0.5
        front = Image.fromarray(codes.astype(np.uint8))
        white = Image.new("RGBA", front.size, (255, 255, 255, 255))
        theirs = np.asarray(Image.alpha_composite(white, front))[..., :3]
        # Both round colour, alpha and result.
        self.assertLessEqual(np.abs(shown.astype(int) - theirs.astype(int)).max(), 2)

    def test_checker_gradient_and_alpha(self) -> None:
        clear = Picture(np.zeros((64, 64, 4), np.float32), np.full((64, 64), NO_DEPTH, np.float32))
        checker = show(clear, View())
        self.assertNotEqual(checker[0, 0, 0], checker[0, 20, 0])
        self.assertEqual(checker[0, 0, 0], checker[20, 20, 0])
        gradient = show(clear, View(Ground("gradient", "#000000", "#ffffff")))
        self.assertEqual((gradient[0, 0, 0], gradient[-1, 0, 0]), (0, 255))
        alpha = show(_picture(), View(what="matte"))
        np.testing.assert_allclose(alpha[..., 1], _picture().beauty[..., 3] * 255, atol=0.501)

    def test_bad_ground_colours_are_refused(self) -> None:
        with self.assertRaises(InputError):
            show(_picture(), View(Ground("colour", "green")))

    def test_png_views_are_lossless(self) -> None:
        shown = show(_picture(), View())
        read = np.asarray(Image.open(io.BytesIO(encode_view(shown, "png"))))
        np.testing.assert_array_equal(read, shown[..., ::-1])


class AsInFiles(unittest.TestCase):
    """A clear body's highlight is shown as a PNG file has it, whatever is chosen; laid over black, both are the same codes."""

    def test_view_and_file_agree_over_black(self) -> None:
        beauty = np.zeros((4, 4, 4), np.float32)
        beauty[:] = (0.5, 0.4, 0.1, 0.08)
        beauty[2:] = (0.9, 0.3, 0.2, 1.0)
        covered = np.ones((4, 4), np.float32)
        picture = Picture(beauty, np.full((4, 4), 9, np.float32), covered=covered)
        for highlights in ("clipped", "rolled off"):
            for beyond in ("alpha raised", "clipped"):
                shown = show(picture, View(Ground("black"), highlights=highlights, beyond=beyond))  # type: ignore[arg-type]
                held = for_straight(beauty, covered, highlights, beyond).pixels  # type: ignore[arg-type]
                expected = encode(held[..., 2::-1].astype(np.float64)) * 255
                np.testing.assert_allclose(shown, expected, atol=0.6)
        kept = show(picture, View(Ground("black"), highlights="rolled off"))[0, 0]
        lost = show(picture, View(Ground("black"), highlights="rolled off", beyond="clipped"))[0, 0]
        self.assertGreater(int(kept[2]), int(lost[2]) + 60)


class Previews(unittest.TestCase):
    def test_every_ready_made_thing_has_a_picture_of_its_own(self) -> None:
        for kind, names in (
            ("finish", [one.name for one in READY_MADE]),
            ("lights", [one.name for one in LIGHT_SETS]),
            ("surroundings", [one.name for one in surroundings]),
        ):
            pictures = [preview(kind, name) for name in names]  # type: ignore[arg-type]
            self.assertEqual(len(set(pictures)), len(names))
            for data in pictures:
                pixels = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR)
                assert pixels is not None
                self.assertEqual(pixels.shape, (SIZE[1], SIZE[0], 3))
                self.assertGreater(float(pixels.std()), 10, (kind, names))

    def test_what_is_not_there_is_named(self) -> None:
        for kind, name in (("finish", "../brass"), ("moon", "brass"), ("lights", "")):
            with self.assertRaises(InputError):
                preview(kind, name)  # type: ignore[arg-type]


class ProbeOne(unittest.TestCase):
    def test_a_quarter_covered_pixel(self) -> None:
        picture = _picture()
        picture.beauty[5, 7] = (0.25, 0.125, 0.0, 0.25)
        read = probe(picture, 7, 5)
        self.assertEqual(read.straight, (1.0, 0.5, 0.0, 0.25))
        # IEC 61966-2-1: 0.5 is 0.73536 encoded.
        self.assertEqual(read.straight_8, (255, 188, 0, 64))
        self.assertEqual(read.premultiplied_8, (64, 47, 0, 64))
        self.assertEqual(read.depth, 12.5)

    def test_nothing_is_all_zero_and_has_no_depth(self) -> None:
        read = probe(_picture(), 3, 0)
        self.assertEqual((read.straight_8, read.premultiplied, read.depth), ((0, 0, 0, 0), (0, 0, 0, 0), None))

    def test_outside_is_refused(self) -> None:
        for x, y in ((-1, 0), (64, 0), (0, 40)):
            with self.assertRaises(InputError):
                probe(_picture(), x, y)

    def test_overscan_lies_around_the_raster(self) -> None:
        picture = replace(_picture(), margin=8)
        picture.beauty[1, 2] = (0.5, 0.5, 0.5, 1)
        self.assertEqual(probe(picture, -6, -7).straight, (0.5, 0.5, 0.5, 1.0))
        self.assertEqual((probe(picture, -6, -7).x, probe(picture, -6, -7).y), (-6, -7))
        for x, y in ((-9, 0), (56, 0), (0, 32)):
            with self.assertRaisesRegex(InputError, "raster of 48 × 24 and its overscan of 8"):
                probe(picture, x, y)
