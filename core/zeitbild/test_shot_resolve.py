"""From document to snapshot: what is left out, where things stand, and the range of depths."""

import unittest
from fractions import Fraction
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np

from zeitbild.assets import AssetFolder
from zeitbild.colour import decode_hex
from zeitbild.document.evaluate import evaluate, moving_parts, time_of
from zeitbild.document.shot import Shot, Timing
from zeitbild.elements.group import Group
from zeitbild.elements.lettering import Lettering
from zeitbild.elements.solid import Solid
from zeitbild.lights.ambient import AmbientLight
from zeitbild.lights.sun import SunLight
from zeitbild.masters import frame_key
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import depth_range, resolve
from zeitbild.resolve.geometry_cache import GeometryCache, geometry_key
from zeitbild.resolve.standing import element_matrix
from zeitbild.testing import small_shot
from zeitbild.values import Placement, Turn

NOWHERE = AssetFolder(Path("nowhere"))


def _word(**more: Any) -> Lettering:
    return Lettering(id="word-1", word="Zb", **more)


class Snapshots(unittest.TestCase):
    def test_hidden_elements_are_not_there(self) -> None:
        shot = small_shot(elements=(_word(), _word(shown=False).model_copy(update={"id": "word-2"})))
        snapshot = resolve(shot, 1, NOWHERE)
        self.assertEqual([body.id for body in snapshot.bodies], ["word-1"])

    def test_lights_that_are_off_are_not_there(self) -> None:
        lights = (SunLight(name="a"), SunLight(name="b", on=False), AmbientLight(strength=0.5), AmbientLight(on=False))
        snapshot = resolve(small_shot(lights=lights), 1, NOWHERE)
        self.assertEqual([light.shape for light in snapshot.lights], ["sun", "ambient"])
        self.assertEqual(snapshot.lights[1].colour, (0.5, 0.5, 0.5))

    def test_azimuth_and_elevation_point_where_they_say(self) -> None:
        for azimuth, elevation, direction in (
            (0, 0, (0, 0, 1)),
            (90, 0, (1, 0, 0)),
            (0, 90, (0, 1, 0)),
            (180, 0, (0, 0, -1)),
        ):
            sun = resolve(small_shot(lights=(SunLight(azimuth=azimuth, elevation=elevation),)), 1, NOWHERE).lights[0]
            np.testing.assert_allclose(np.negative(sun.direction), direction, atol=1e-12)

    def test_colours_are_linear_and_times_strength(self) -> None:
        sun = resolve(small_shot(lights=(SunLight(colour="#808080", strength=2),)), 1, NOWHERE).lights[0]
        np.testing.assert_allclose(sun.colour, [2 * 0.21586] * 3, atol=2e-5)  # IEC 61966-2-1: 128 is 0.21586

    def test_backdrop_is_nothing_or_a_colour(self) -> None:
        self.assertIsNone(resolve(small_shot(), 1, NOWHERE).backdrop)
        raw = {**small_shot().model_dump(), "backdrop": {"kind": "colour", "colour": "#336699"}}
        self.assertEqual(resolve(Shot.model_validate(raw), 1, NOWHERE).backdrop, decode_hex("#336699"))

    def test_many_elements_are_looked_through_once_and_not_once_for_each(self) -> None:
        def looks(count: int) -> int:
            group = Group(id="all", name="All")
            balls = (Solid(id=f"ball{at}", name="Ball", shape="ball", inside="all") for at in range(count))
            shot = small_shot(elements=(group, *balls))
            with mock.patch("zeitbild.document.evaluate.moving_parts", wraps=moving_parts) as asked:
                self.assertEqual(len(resolve(shot, 1, NOWHERE).bodies), count)
            return asked.call_count

        self.assertEqual(looks(40), looks(2))

    def test_another_size_keeps_the_view(self) -> None:
        snapshot = resolve(small_shot(), 2, NOWHERE)
        large, small = (
            render(snapshot.at_size(width, height), QUALITIES["final"]).beauty[..., 3].mean()
            for width, height in ((192, 108), (96, 54))
        )
        self.assertAlmostEqual(float(large), float(small), delta=0.01)


def _at(element: Lettering, phase: Fraction) -> np.ndarray:  # type: ignore[type-arg]
    """Where an element stands at a phase of a cycle of one frame."""
    shot = small_shot(elements=(element,), timing=Timing(first=1, last=1))
    return element_matrix(evaluate(shot, time_of(shot, 1 + phase)).elements[0])


class Turning(unittest.TestCase):
    def test_half_a_turn_at_half_the_range(self) -> None:
        matrix = _at(_word(turn=Turn(turns=1)), Fraction(1, 2))
        np.testing.assert_allclose(matrix[:3, :3], np.diag([-1, 1, -1]), atol=1e-12)

    def test_negative_turns_go_the_other_way(self) -> None:
        there, back = (_at(_word(turn=Turn(turns=turns)), Fraction(1, 8))[:3, :3] for turns in (1, -1))
        np.testing.assert_allclose(there, back.T, atol=1e-12)

    def test_a_pivot_off_the_ink_makes_it_swing(self) -> None:
        element = _word(pivot_offset=(50, 0, 0), turn=Turn(turns=1))
        centres = [_at(element, phase)[:3, 3] for phase in (Fraction(0), Fraction(1, 2))]
        np.testing.assert_allclose(centres, [(-50, 0, 0), (50, 0, 0)], atol=1e-9)


class Mirrored(unittest.TestCase):
    def test_a_mirrored_element_is_lit_and_seen_from_outside(self) -> None:
        plain = small_shot(elements=(_word(),), lights=(AmbientLight(strength=1),))
        flipped = small_shot(
            elements=(_word(placement=Placement(scale=(-1, 1, 1))),), lights=(AmbientLight(strength=1),)
        )
        first, second = (render(resolve(shot, 1, NOWHERE), QUALITIES["final"]).beauty for shot in (plain, flipped))
        # The samples of a net are not mirrored with the picture: one or two of 64 may fall otherwise at an edge.
        np.testing.assert_allclose(first[:, ::-1, 3], second[..., 3], atol=0.13)
        solid = (first[:, ::-1, 3] == 1) & (second[..., 3] == 1)
        self.assertLess(np.abs(first[:, ::-1] - second)[solid].mean(), 0.02)


class Depths(unittest.TestCase):
    def test_an_empty_set_has_a_plain_range(self) -> None:
        self.assertEqual(depth_range(small_shot(elements=()), NOWHERE), (0.0, 1.0))

    def test_nearer_and_farther_elements_widen_it(self) -> None:
        alone = depth_range(small_shot(), NOWHERE)
        far = _word(placement=Placement(position=(0, 0, -500))).model_copy(update={"id": "word-2"})
        both = depth_range(small_shot(elements=(_word(), far)), NOWHERE)
        self.assertGreater(both[1], alone[1] + 400)

    def test_it_is_the_same_for_all_frames_and_qualities(self) -> None:
        self.assertEqual(depth_range(small_shot(), NOWHERE), depth_range(small_shot(quality="rough"), NOWHERE))


class Geometry(unittest.TestCase):
    def test_moving_and_finishing_keep_the_mesh_and_shaping_does_not(self) -> None:
        key = geometry_key(_word())
        self.assertEqual(key, geometry_key(_word(placement=Placement(position=(1, 2, 3)), turn=Turn(turns=3))))
        for change in (
            {"word": "Zc"},
            {"depth": 61},
            {"bevel_profile": "flat"},
            {"font": "amiri"},
            {"letter_spacing": 0.1},
        ):
            self.assertNotEqual(key, geometry_key(_word().model_copy(update=change)))

    def test_meshes_are_built_once(self) -> None:
        cache = GeometryCache()
        words = _word(), _word(placement=Placement(position=(9, 9, 9)))
        built = [cache.built(geometry_key(word), word, NOWHERE) for word in words]
        self.assertIs(built[0], built[1])
        one, other = (cache.form("word", form) for form in built)
        self.assertIs(one.at(0.5), other.at(0.5))
        self.assertGreater(len(one.at(0.01).triangles), len(one.at(0.5).triangles))

    def test_fineness_follows_the_size_on_the_raster_in_steps_of_two(self) -> None:
        snapshot = resolve(small_shot(), 1, NOWHERE)
        sizes = [
            len(snapshot.at_raster(width, width * 9 // 16).built(QUALITIES["final"]).built_meshes[0].triangles)
            for width in (96, 100, 400, 1600)
        ]
        self.assertEqual(sizes[0], sizes[1])
        self.assertLess(sizes[1], sizes[2])
        self.assertLess(sizes[2], sizes[3])


class Keys(unittest.TestCase):
    def test_equal_frames_share_a_master_and_half_a_turn_does_not(self) -> None:
        still = small_shot(elements=(_word(),))
        keys = {frame_key(resolve(still, frame, NOWHERE), "final") for frame in still.timing.frames}
        self.assertEqual(len(keys), 1)
        turning = small_shot()
        keys = {frame_key(resolve(turning, frame, NOWHERE), "final") for frame in turning.timing.frames}
        self.assertEqual(len(keys), 6)
