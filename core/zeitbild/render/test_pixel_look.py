"""Pixel look and pixel filter: hard pixels, palette, outline, whole enlargement; and weights of filters."""

import unittest
from dataclasses import replace

import numpy as np
from scipy import integrate

from zeitbild.render import QUALITIES, render
from zeitbild.render.data_rows import MOTION
from zeitbild.render.picture import NO_DEPTH
from zeitbild.render.view.pixel_look import nearest_of, palette_of
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.finish_row import finish_row, made_opaque, opacity_of
from zeitbild.snapshot.lights import LightSource
from zeitbild.snapshot.look import PixelLook
from zeitbild.snapshot.pixel_filter import PixelFilter
from zeitbild.snapshot.texture import Texture
from zeitbild.testing import AMBIENT, EVEN, dressed, going, quad, snapshot, sphere

FRONT = LightSource("sun", (1.0, 1.0, 1.0), direction=(-0.3, -0.3, -0.9))


def _ball(look: PixelLook | None = None, size: int = 128) -> Snapshot:
    return snapshot(sphere(2.0), size=(size, size), lights=(FRONT, AMBIENT), pixels=look or PixelLook(4))


class Look(unittest.TestCase):
    def test_every_pixel_belongs_or_does_not(self) -> None:
        beauty = render(_ball(), QUALITIES["final"]).beauty
        self.assertEqual(set(np.unique(beauty[..., 3])), {0.0, 1.0})
        self.assertEqual(beauty[beauty[..., 3] == 0].max(), 0)

    def test_pixels_are_squares_of_the_given_side(self) -> None:
        beauty = render(_ball(), QUALITIES["final"]).beauty
        small = beauty[::4, ::4]
        np.testing.assert_array_equal(beauty, small.repeat(4, axis=0).repeat(4, axis=1))
        self.assertGreater(len(np.unique(small[..., 0])), 20)

    def test_belonging_is_half_of_the_pixel(self) -> None:
        # A square whose right edge runs through pixel columns: it takes those it covers at least half.
        for edge, taken in ((0.45, 0), (0.55, 1)):
            half = 0.25 * (4 + edge)
            shot = snapshot(quad(half), size=(64, 64), camera_span=8.0, pixels=PixelLook(2))
            beauty = render(shot, QUALITIES["check"]).beauty[::2, ::2]
            self.assertEqual(beauty[16, :, 3].sum(), 8 + 2 * taken, edge)

    def test_all_qualities_have_the_same_shape(self) -> None:
        shapes = [render(_ball(), quality).beauty[..., 3].tobytes() for quality in QUALITIES.values()]
        self.assertEqual(len(set(shapes)), 1)

    def test_palette_colours_alone_are_used(self) -> None:
        palette = ((0.0, 0.0, 0.1), (0.4, 0.4, 0.35), (0.9, 0.85, 0.8))
        shot = replace(_ball(PixelLook(4, palette)), lights=(FRONT,))
        beauty = render(shot, QUALITIES["check"]).beauty
        used = {tuple(colour) for colour in beauty[beauty[..., 3] == 1][:, :3].tolist()}
        self.assertEqual(used, {tuple(float(np.float32(value)) for value in colour) for colour in palette})

    def test_nearest_is_by_look_not_by_light(self) -> None:
        # Half grey as people see it is 0.18 to 0.22 in linear light: nearer to white than to black by look.
        chosen = nearest_of(((0, 0, 0), (1, 1, 1)), np.array([[0.2, 0.2, 0.2], [0.05, 0.05, 0.05]], np.float32))
        np.testing.assert_array_equal(chosen, [[1, 1, 1], [0, 0, 0]])

    def test_a_palette_is_found_in_the_picture(self) -> None:
        beauty = np.zeros((8, 8, 4), np.float32)
        beauty[:4] = (1, 0, 0, 1)
        beauty[4:6] = (0, 0, 1, 1)
        self.assertEqual(palette_of(beauty, 8), ["#0000ff", "#ff0000"])
        self.assertLessEqual(len(palette_of(render(_ball(), QUALITIES["rough"]).beauty, 5)), 5)
        self.assertEqual(palette_of(np.zeros((4, 4, 4), np.float32), 8), [])

    def test_an_outline_goes_once_round(self) -> None:
        bare = render(_ball(), QUALITIES["check"])
        lined = render(_ball(PixelLook(4, outline=(0.1, 0.0, 0.2))), QUALITIES["check"])
        added = (lined.beauty[..., 3] > 0) & (bare.beauty[..., 3] == 0)
        np.testing.assert_allclose(lined.beauty[added][0], (0.1, 0.0, 0.2, 1), atol=1e-7)
        self.assertTrue((lined.depth[added] < NO_DEPTH).all())
        # One pixel (of four) wide: in the middle row one at each side.
        self.assertEqual(int(added[64].sum()), 2 * 4)

    def test_a_view_has_the_pixels_of_the_output(self) -> None:
        view = _ball(PixelLook(4), 128).at_size(70, 70)
        self.assertEqual((view.width, view.height), (64, 64))
        small = render(view, QUALITIES["check"]).beauty[::2, ::2]
        np.testing.assert_array_equal(small, render(_ball(), QUALITIES["check"]).beauty[::4, ::4])


class Small(unittest.TestCase):
    """What the pixel look must keep though it draws a small raster."""

    def test_textures_stay_on_see_through_surfaces_too(self) -> None:
        level = np.array([[[1, 0, 0], [0, 1, 0]]], np.float32).repeat(8, axis=0).repeat(8, axis=1)
        for opacity in (1.0, 0.7):
            row = finish_row(unlit=True, opacity=opacity, maps=(1, 0, 0, 0, 0), map_width=2.0)
            shot = snapshot(quad(1), size=(64, 64), camera_span=4.0, textures=(Texture("two", False, (level,)),))
            shot = replace(dressed(shot, row), pixels=PixelLook(2))
            beauty = render(shot, QUALITIES["check"]).beauty
            self.assertEqual(tuple(beauty[32, 24].tolist()), (1, 0, 0, 1))
            self.assertEqual(tuple(beauty[32, 40].tolist()), (0, 1, 0, 1))

    def test_motion_is_counted_in_the_pixels_of_the_files(self) -> None:
        after = np.eye(4)
        after[0, 3] = 1.0
        shot = snapshot(quad(1), size=(64, 64), camera_span=8.0)
        shot = going(shot, tuple(after.reshape(-1).tolist()))
        for by in (1, 2, 4):
            planes = render(replace(shot, pixels=PixelLook(by)), QUALITIES["check"], planes=True).data
            assert planes is not None
            np.testing.assert_allclose(planes[32, 32, MOTION : MOTION + 2], (8, 0), atol=1e-3)

    def test_numbers_are_those_of_the_whole_set(self) -> None:
        shot = snapshot(quad(2, -1), quad(1, 0), size=(64, 64), pixels=PixelLook(2))
        veil = replace(shot.bodies[0], finishes=(finish_row(opacity=0.1),))
        picture = render(replace(shot, bodies=(veil, shot.bodies[1])), QUALITIES["check"], planes=True)
        assert picture.identities is not None
        self.assertEqual(float(picture.identities[32, 32, 0, 0, 0]), 1)
        self.assertEqual(float(picture.identities[32, 32, 1, 0, 0]), 1)

    def test_a_finish_made_opaque_keeps_the_rest(self) -> None:
        row = finish_row((0.1, 0.2, 0.3), coat=0.5, opacity=0.7, maps=(1, 0, 2, 0, 0), map_width=50)
        opaque = made_opaque(row)
        self.assertEqual(opacity_of(opaque), 1)
        self.assertEqual([a for a, b in zip(row, opaque, strict=True) if a != b], [0.7, 0.7])
        self.assertEqual(made_opaque(finish_row()), finish_row())


class Filters(unittest.TestCase):
    def test_weights_are_the_integrals_over_pixels(self) -> None:
        # Harris 1978, table 1: the minimum four-term window; the others by their definition. Integrated by scipy.
        half = 1.7
        shapes = {
            "box": lambda x: 1.0,
            "triangle": lambda x: 1 - abs(x),
            "Gaussian": lambda x: np.exp(-0.5 * (3 * x) ** 2),
            "Blackman-Harris": lambda x: (
                0.35875
                + 0.48829 * np.cos(np.pi * x)
                + 0.14128 * np.cos(2 * np.pi * x)
                + 0.01168 * np.cos(3 * np.pi * x)
            ),
        }
        for name, shape in shapes.items():
            parts = [
                integrate.quad(lambda x, f=shape: f(x / half), max(k - 0.5, -half), min(k + 0.5, half))[0]
                for k in range(-2, 3)
            ]
            np.testing.assert_allclose(PixelFilter(name, 2 * half).weights, parts / np.sum(parts), atol=1e-4)

    def test_a_box_of_one_pixel_changes_nothing(self) -> None:
        values = np.random.default_rng(1).random((9, 7, 4)).astype(np.float32)
        self.assertIs(PixelFilter("box", 1).apply(values), values)

    def test_light_and_coverage_are_kept_and_spread_alike(self) -> None:
        shot = snapshot(sphere(1.0), environment=EVEN)
        plain = render(shot, QUALITIES["check"]).beauty
        wide = render(replace(shot, filter=PixelFilter("Gaussian", 4)), QUALITIES["check"]).beauty
        np.testing.assert_allclose(wide.sum(axis=(0, 1)), plain.sum(axis=(0, 1)), rtol=1e-5)
        self.assertGreater((wide[..., 3] > 0).sum(), (plain[..., 3] > 0).sum())
        # No fringe: at an edge of one colour the colour stays that of the surface.
        edge = (wide[..., 3] > 0.01) & (wide[..., 3] < 0.99)
        straight = wide[edge][:, 0] / wide[edge][:, 3]
        self.assertLess(float(np.ptp(straight)), 0.06)
