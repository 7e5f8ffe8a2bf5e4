"""Clear coat, tone bands and unlit surfaces in rendered pictures."""

import math
import unittest
from dataclasses import replace

import numpy as np

from zeitbild.render import QUALITIES, Picture, render
from zeitbild.render.shade.shading import AROUND, DIFFUSE, EMISSION, SPECULAR
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.finish_row import OWNER, finish_row
from zeitbild.snapshot.lights import LightSource
from zeitbild.snapshot.look import PixelLook
from zeitbild.testing import AMBIENT, EVEN, dressed, quad, snapshot, sphere

WHITE = (1.0, 1.0, 1.0)
RED, GREEN, BLUE = (0.8, 0.1, 0.1), (0.1, 0.7, 0.2), (0.1, 0.2, 0.9)
BANDS = ((0.0, RED), (0.3, GREEN), (0.8, BLUE))
FRONT = LightSource("sun", WHITE, direction=(0, 0, -1))


def _of(shot: Snapshot, **finish: object) -> Snapshot:
    elements = tuple(replace(one, finishes=(finish_row(**finish),)) for one in shot.bodies)  # type: ignore[arg-type]
    return replace(shot, bodies=elements)


def _middle(shot: Snapshot) -> np.ndarray:  # type: ignore[type-arg]
    picture = render(shot, QUALITIES["check"])
    return picture.beauty[picture.size[1] // 2, picture.size[0] // 2]


class Rows(unittest.TestCase):
    def test_plain_finishes_stay_short_and_others_fill_the_row(self) -> None:
        self.assertEqual(len(finish_row()), 8)
        self.assertEqual(len(finish_row(tones=BANDS)), OWNER)
        self.assertEqual(len(finish_row(unlit=True)), OWNER)
        # What mirrors nothing is as rough as can be, so that no mirror rays are cast for it.
        self.assertEqual(finish_row(roughness=0.1, metalness=1, tones=BANDS)[3:5], (1.0, 0.0))


class Unlit(unittest.TestCase):
    def test_light_does_not_change_it(self) -> None:
        for lights in ((), (FRONT, AMBIENT)):
            shot = _of(snapshot(quad(2), lights=lights, environment=EVEN), base=(0.2, 0.4, 0.6), unlit=True)
            np.testing.assert_allclose(_middle(shot), (0.2, 0.4, 0.6, 1), atol=1e-6)

    def test_its_light_is_emission(self) -> None:
        picture = render(_of(snapshot(quad(9)), base=RED, unlit=True), QUALITIES["rough"], planes=True)
        assert picture.planes is not None
        np.testing.assert_allclose(picture.planes[60, 60, EMISSION : EMISSION + 3], RED, atol=1e-6)
        np.testing.assert_allclose(picture.planes[60, 60, DIFFUSE : DIFFUSE + 3], 0, atol=1e-6)


class Tones(unittest.TestCase):
    def _ball(self, quality: str = "final", **finish: object) -> Picture:
        shot = _of(snapshot(sphere(2.0), lights=(FRONT,), eye=(0, 0, 60), angle=5), tones=BANDS, **finish)
        return render(shot, QUALITIES[quality])

    def test_in_a_mirror_only_the_lights_that_touch_it_choose_the_tone(self) -> None:
        # What a bent mirror widens is worked out in a row behind all finishes, whose number no light knows.
        strong = LightSource("sun", WHITE, direction=(0.6, 0.4, 0.7), touches=("0",))
        weak = LightSource("sun", (0.1, 0.1, 0.1), direction=(0.6, 0.4, 0.7))
        shot = snapshot(sphere(2.0), sphere(1.0), size=(32, 32), lights=(strong, weak), bounces=1)
        matrix = np.eye(4)
        matrix[:3, 3] = 1.8, 1.2, 2.2
        mirror, ball = shot.bodies
        chrome = replace(mirror, finishes=(finish_row(WHITE, 0.05, 1.0),))
        # Seen by rays alone, so that what shows of it is its image.
        toned = replace(
            ball, matrix=tuple(matrix.reshape(-1).tolist()), finishes=(finish_row(tones=BANDS),), role="unseen"
        )
        beauty = render(replace(shot, bodies=(chrome, toned)), QUALITIES["check"]).beauty
        red, green, blue = beauty[..., 0], beauty[..., 1], beauty[..., 2]
        self.assertGreater(int(((red > 0.2) & (green < 0.5 * red)).sum()), 5)
        self.assertEqual(int(((blue > 0.1) & (red < 0.5 * blue)).sum()), 0)

    def test_the_amount_of_light_chooses_the_tone(self) -> None:
        for strength, colour in ((0.1, RED), (0.5, GREEN), (1.2, BLUE)):
            light = LightSource("sun", (strength,) * 3, direction=(0, 0, -1))
            np.testing.assert_allclose(
                _middle(_of(snapshot(quad(2), lights=(light,)), tones=BANDS))[:3], colour, atol=1e-6
            )

    def test_ambient_light_counts_and_the_base_colour_does_not(self) -> None:
        ambient = LightSource("ambient", (0.4, 0.4, 0.4))
        shot = _of(snapshot(quad(2), lights=(ambient,)), base=(0.01, 0.01, 0.01), tones=BANDS)
        np.testing.assert_allclose(_middle(shot)[:3], GREEN, atol=1e-6)

    def test_borders_on_a_ball_are_where_the_cosine_says(self) -> None:
        # Lit from the eye, the amount is the cosine, so a band ends at the radius sin(acos(threshold)).
        picture = self._ball()
        row = picture.beauty[128, :, :3]
        scale = 2.0 * 256 / 2 / math.tan(math.radians(2.5)) / 60
        for threshold, inner, outer in ((0.8, BLUE, GREEN), (0.3, GREEN, RED)):
            border = 128 + scale * math.sin(math.acos(threshold))
            np.testing.assert_allclose(row[int(border) - 3], inner, atol=1e-3)
            np.testing.assert_allclose(row[int(border) + 3], outer, atol=1e-3)

    def test_hard_borders_are_a_pixel_wide_and_soft_ones_wider(self) -> None:
        def mixed(picture: Picture) -> int:
            row = picture.beauty[128, 40:216, :3]
            return sum(min(np.abs(pixel - tone).max() for tone in (RED, GREEN, BLUE)) > 1e-3 for pixel in row)

        hard, soft = mixed(self._ball()), mixed(self._ball(softness=0.2))
        self.assertLessEqual(hard, 8)
        self.assertGreater(soft, hard + 8)

    def test_a_sharp_shadow_is_the_tone_of_the_dark(self) -> None:
        light = LightSource("sun", WHITE, direction=(0, 0, -1), shadows=True)
        wall, square = quad(6, 0), quad(1, 3)
        shot = _of(snapshot(wall, square, lights=(light,), eye=(8, 0, 8), angle=60), tones=((0, RED), (0.5, BLUE)))
        colours = render(shot, QUALITIES["check"]).beauty
        solid = colours[colours[..., 3] == 1][:, :3]
        dark, bright = (np.abs(solid - tone).max(axis=1) < 1e-4 for tone in (RED, BLUE))
        self.assertGreater(dark.sum(), 100)
        self.assertGreater((dark | bright).mean(), 0.97)

    def test_mirrors_show_tones(self) -> None:
        mirror, banded = (1.0, 1.0, 1.0, 0.0, 1.0), finish_row(tones=((0, RED), (0.2, BLUE)))
        shot = snapshot(quad(4, 0), quad(1, 3), lights=(LightSource("sun", WHITE, direction=(0, 0, 1)),), eye=(5, 0, 8))
        shown = render(replace(dressed(shot, mirror, banded), bounces=1, camera_angle=70), QUALITIES["check"]).beauty
        # Lit from behind, the side that the wall mirrors is blue.
        self.assertGreater((np.abs(shown[..., :3] - BLUE).max(axis=2) < 0.02).sum(), 100)


class Coat(unittest.TestCase):
    def test_nothing_is_won_under_even_light(self) -> None:
        # White furnace: coated or not, a white matt surface under even light of 1 radiates 1 and never more.
        for coat in (0.0, 0.5, 1.0):
            shot = _of(snapshot(quad(9), environment=EVEN), coat=coat, coat_roughness=0.1)
            self.assertAlmostEqual(float(_middle(shot)[0]), 1, delta=0.012)

    def test_a_black_coated_surface_mirrors_four_percent(self) -> None:
        # glTF 2.0, extension KHR_materials_clearcoat: the coat's reflectance at normal incidence is 0.04.
        shot = snapshot(quad(9), environment=EVEN)
        bare = _middle(_of(shot, base=(0, 0, 0), roughness=1))[0]
        coated = _middle(_of(shot, base=(0, 0, 0), roughness=1, coat=1, coat_roughness=0.02))[0]
        self.assertAlmostEqual(float(coated), 0.04 + float(bare) * 0.96, delta=0.003)

    def test_its_highlight_is_sharp_over_a_rough_ground(self) -> None:
        shot = snapshot(sphere(2.0), lights=(LightSource("sun", WHITE, direction=(-0.5, -0.5, -0.707)),))
        plain, coated = (
            render(_of(shot, base=(0.1, 0.0, 0.0), roughness=0.8, coat=coat, coat_roughness=0.1), QUALITIES["final"])
            for coat in (0, 1)
        )
        self.assertGreater(coated.beauty[..., 1].max(), 5 * plain.beauty[..., 1].max())

    def test_parts_still_add_up(self) -> None:
        shot = _of(snapshot(sphere(2.0), lights=(FRONT, AMBIENT), environment=EVEN), base=RED, coat=1, emission=GREEN)
        picture = render(shot, QUALITIES["check"], planes=True)
        assert picture.planes is not None
        total = sum(picture.planes[..., first : first + 3] for first in (DIFFUSE, SPECULAR, AROUND, EMISSION))
        np.testing.assert_allclose(total, picture.beauty[..., :3], atol=1e-4)


class SeeThrough(unittest.TestCase):
    """Opacity against over of Porter and Duff 1984, Compositing Digital Images."""

    def _shot(self, *opacities: float, **more: object) -> Snapshot:
        # Squares one behind the other, the first nearest; red, green, blue.
        meshes = [quad(1.0, -2.0 * number) for number in range(len(opacities))]
        shot = snapshot(*meshes, size=(64, 64), **more)  # type: ignore[arg-type]
        elements = tuple(
            replace(one, finishes=(finish_row(colour, unlit=True, opacity=opacity),))
            for one, colour, opacity in zip(shot.bodies, ((1, 0, 0), (0, 1, 0), (0, 0, 1)), opacities, strict=False)
        )
        return replace(shot, bodies=elements)

    def test_alpha_alone_is_the_opacity(self) -> None:
        for opacity in (0.0, 0.25, 0.7, 1.0):
            beauty = render(self._shot(opacity), QUALITIES["final"]).beauty
            np.testing.assert_allclose(beauty[32, 32], (opacity, 0, 0, opacity), atol=1e-6)
            self.assertEqual(beauty[0, 0].max(), 0)

    def test_layers_lie_over_one_another_in_their_order_of_depth(self) -> None:
        beauty = render(self._shot(0.5, 0.4, 1.0), QUALITIES["check"]).beauty
        np.testing.assert_allclose(beauty[32, 32], (0.5, 0.5 * 0.4, 0.5 * 0.6, 1), atol=1e-6)
        # The same elements listed the other way round.
        shot = self._shot(0.5, 0.4, 1.0)
        turned = replace(shot, bodies=shot.bodies[::-1])
        np.testing.assert_allclose(render(turned, QUALITIES["check"]).beauty, beauty, atol=1e-6)

    def test_what_stands_before_hides_it(self) -> None:
        beauty = render(self._shot(1.0, 0.5), QUALITIES["check"]).beauty
        np.testing.assert_allclose(beauty[32, 32], (1, 0, 0, 1), atol=1e-6)

    def test_edges_are_as_fine_as_of_what_is_opaque(self) -> None:
        solid, half = (
            render(_of(snapshot(sphere(2.0)), opacity=opacity), QUALITIES["final"]).beauty[..., 3]
            for opacity in (1.0, 0.5)
        )
        # A ball: its far side is seen through the near one, in the same area.
        np.testing.assert_allclose(half, 0.75 * solid, atol=1e-4)

    def test_parts_add_up_and_identities_share_the_pixel(self) -> None:
        lit = _of(snapshot(quad(1.0, 0), quad(2.0, -2), lights=(FRONT, AMBIENT), environment=EVEN), base=GREEN)
        veil = replace(lit.bodies[0], finishes=(finish_row(RED, 0.3, 1.0, opacity=0.25),))
        picture = render(replace(lit, bodies=(veil, lit.bodies[1])), QUALITIES["check"], planes=True)
        assert picture.planes is not None and picture.identities is not None
        total = sum(picture.planes[..., first : first + 3] for first in (DIFFUSE, SPECULAR, AROUND, EMISSION))
        np.testing.assert_allclose(total, picture.beauty[..., :3], atol=1e-4)
        held = {int(number): float(cover) for number, cover in picture.identities[128, 128, 0]}
        self.assertAlmostEqual(held[0], 0.25, places=5)
        self.assertAlmostEqual(held[1], 0.75, places=5)

    def test_what_a_clear_body_mirrors_does_not_fade_but_a_metals_does(self) -> None:
        def middle(metal: float, opacity: float) -> np.ndarray:  # type: ignore[type-arg]
            shot = snapshot(quad(1.0), environment=EVEN, size=(64, 64))
            row = finish_row((0.0, 0.0, 0.0) if metal == 0 else (0.8, 0.8, 0.8), 0.1, metal, opacity=opacity)
            element = replace(shot.bodies[0], finishes=(row,))
            return render(replace(shot, bodies=(element,)), QUALITIES["check"]).beauty[32, 32]  # type: ignore[no-any-return]

        # A black dielectric mirrors four hundredths of an even white room (glTF 2.0, appendix B), whatever its opacity.
        for opacity in (0.0, 0.3, 1.0):
            light = middle(0, opacity)
            self.assertAlmostEqual(float(light[0]), 0.04, delta=0.002)
            self.assertAlmostEqual(float(light[3]), opacity, places=5)
        self.assertAlmostEqual(float(middle(1, 0.3)[0]), 0.3 * float(middle(1, 1.0)[0]), places=4)

    def test_matt_light_from_around_fades_with_the_body(self) -> None:
        shot = snapshot(quad(1.0), environment=EVEN, size=(64, 64))
        light = []
        for opacity in (1.0, 0.5):
            element = replace(shot.bodies[0], finishes=(finish_row((0.7, 0.7, 0.7), 1.0, opacity=opacity),))
            light.append(float(render(replace(shot, bodies=(element,)), QUALITIES["check"]).beauty[32, 32, 0]))
        mirrored = light[0] - 2 * (light[0] - light[1])
        # What is left at no opacity is the mirror's share alone.
        self.assertTrue(0 < mirrored < 0.05, (light, mirrored))

    def test_lights_touch_what_they_should_in_every_part(self) -> None:
        light = replace(FRONT, touches=("1",))
        shot = snapshot(quad(1.0, 0), quad(2.0, -2), lights=(light,), size=(64, 64))
        veil = replace(shot.bodies[0], finishes=(finish_row(opacity=0.5),))
        beauty = render(replace(shot, bodies=(veil, shot.bodies[1])), QUALITIES["check"]).beauty
        # The veil in front is dark and hides half of the lit wall.
        self.assertAlmostEqual(float(beauty[32, 32, 0] / beauty[32, 20, 0]), 0.5, delta=0.02)

    def test_in_the_pixel_look_it_belongs_or_does_not(self) -> None:
        for opacity, alpha in ((0.6, 1.0), (0.4, 0.0)):
            beauty = render(self._shot(opacity, pixels=PixelLook(2)), QUALITIES["check"]).beauty
            self.assertEqual(float(beauty[32, 32, 3]), alpha)
