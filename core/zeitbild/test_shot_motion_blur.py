"""Motion blur: what moves is smeared along its way, what stands is not, and both are the same every time."""

import unittest
from dataclasses import replace
from fractions import Fraction
from typing import Any

import numpy as np

from zeitbild.colour import encode
from zeitbild.document.reading import read_shot
from zeitbild.document.shot import Camera, Motion, Raster, Shot, Timing
from zeitbild.elements.lettering import Lettering
from zeitbild.elements.solid import Solid
from zeitbild.finishes import Finish
from zeitbild.lights.sun import SunLight
from zeitbild.masters import frame_key
from zeitbild.render import QUALITIES, Picture, render
from zeitbild.render.data_rows import MOTION
from zeitbild.render.moving.sweeping import stills_needed, stretches_of
from zeitbild.resolve import resolve
from zeitbild.testing import NOWHERE
from zeitbild.timing import phase_of
from zeitbild.values import Placement, Turn


def _shot(turns: float = 1, angle: float = 180, phase: float = -90, frames: int = 24) -> Shot:
    # A thin box far off its pivot, turning in the picture's plane.
    arm = Solid(
        id="arm",
        width=20,
        height=20,
        depth=20,
        rounding=0,
        turn=Turn(turns=turns, axis="z"),
        pivot_offset=(-100, 0, 0),
    )
    still = Solid(id="still", width=30, height=30, depth=30, rounding=0)
    return Shot(
        raster=Raster(width=256, height=256),
        timing=Timing(last=frames),
        camera=Camera(position=(0, 0, 1000), projection="orthographic", span=300),
        motion=Motion(angle=angle, phase=phase),
        elements=(arm, still),
    )


def _alpha(shot: Shot, frame: int = 1, quality: str = "final") -> np.ndarray:  # type: ignore[type-arg]
    return render(resolve(shot, frame, NOWHERE), QUALITIES[quality]).beauty[..., 3]


class Blur(unittest.TestCase):
    def test_frames_may_lie_between_frames(self) -> None:
        self.assertEqual(phase_of(Fraction(3, 2), 1, 24, True), Fraction(1, 48))
        self.assertEqual(phase_of(Fraction(1, 2), 1, 24, True), Fraction(47, 48))

    def test_a_closed_shutter_and_a_set_that_stands_cost_nothing(self) -> None:
        self.assertEqual(resolve(_shot(angle=0), 1, NOWHERE).stations, ())
        self.assertEqual(resolve(_shot(turns=0), 1, NOWHERE).stations, ())
        self.assertEqual(len(resolve(_shot(), 1, NOWHERE).stations), 9)

    def test_the_way_is_as_long_as_the_shutter_is_open(self) -> None:
        # 180 degrees of shutter are half a frame: 360 / 24 / 2 = 7.5 degrees of the circle of radius 100 units.
        for angle in (90.0, 180.0, 360.0):
            alpha = _alpha(_shot(angle=angle, phase=-angle / 2))
            y, x = np.mgrid[0:256, 0:256]
            units = 300 / 256
            away = np.hypot((x - 127.5) * units, (y - 127.5) * units)
            ring = (np.abs(away - 100) < 1.5) & (x > 128)
            touched = np.degrees(np.arctan2((127.5 - y)[ring & (alpha > 0.01)], (x - 127.5)[ring & (alpha > 0.01)]))
            # The arm itself is 20 units wide: 11.5 degrees at that radius.
            self.assertAlmostEqual(float(np.ptp(touched)), 11.5 + angle / 360 * 15, delta=1.4)

    def test_a_centred_shutter_is_even_about_the_frame(self) -> None:
        alpha = _alpha(_shot(phase=-90))
        half = alpha[:, 140:]
        np.testing.assert_allclose(half, half[::-1], atol=0.2)
        late = _alpha(_shot(phase=0))[:, 140:]
        rows = np.arange(256)
        self.assertLess(
            float((late.sum(axis=1) * rows).sum() / late.sum()), float((half.sum(axis=1) * rows).sum() / half.sum()) - 1
        )

    def test_light_and_coverage_are_kept(self) -> None:
        plain, blurred = _alpha(_shot(angle=0)), _alpha(_shot())
        self.assertAlmostEqual(float(blurred.sum() / plain.sum()), 1, delta=0.004)

    def test_a_clear_ring_that_turns_shows_itself_through_itself(self) -> None:
        ring = Solid(
            id="ring",
            shape="ring",
            width=200,
            height=200,
            depth=200,
            thickness=60,
            surface=Finish(shading="unlit", base_colour="#c04020", opacity=0.4),
            placement=Placement(rotation=(25, 0, 0)),
            turn=Turn(turns=1, axis="x"),
        )
        shot = _shot(angle=180).model_copy(update={"elements": (ring,)})
        blurred = render(resolve(shot, 1, NOWHERE), QUALITIES["final"]).beauty
        closed = shot.model_copy(update={"motion": Motion(angle=0)})
        # The shutter is open from a quarter of a frame before to a quarter after.
        moments = [Fraction(2 * k - 31, 128) + 1 for k in range(32)]
        stills = [render(resolve(closed, at, NOWHERE), QUALITIES["check"]).beauty for at in moments]
        truth = np.mean(stills, axis=0)
        # Four surfaces one behind the other are somewhere.
        self.assertGreater(float(truth[..., 3].max()), 0.84)
        off = np.abs(blurred - truth)[truth[..., 3] > 0]
        self.assertLess(float(off.mean()) * 255, 1.2)
        self.assertLess(float(np.quantile(off, 0.999)), 0.06)

    def test_edges_that_stand_still_stay_fine(self) -> None:
        plain, blurred = _alpha(_shot(angle=0)), _alpha(_shot())
        middle = np.s_[110:146, 110:146]
        self.assertLess(float(np.abs(plain[middle] - blurred[middle]).mean()), 0.5 / 255 * 4)

    def test_the_frame_after_a_cycle_equals_the_first(self) -> None:
        def held(frame: int) -> Picture:
            return render(resolve(_shot(), frame, NOWHERE).at_size(64, 64), QUALITIES["check"])

        first, again, other = held(1), held(25), held(2)
        self.assertEqual(first.beauty.tobytes(), again.beauty.tobytes())
        self.assertNotEqual(first.beauty.tobytes(), other.beauty.tobytes())
        self.assertEqual(
            frame_key(resolve(_shot(), 1, NOWHERE), "final"), frame_key(resolve(_shot(), 25, NOWHERE), "final")
        )
        self.assertNotEqual(
            frame_key(resolve(_shot(), 1, NOWHERE), "final"), frame_key(resolve(_shot(angle=90), 1, NOWHERE), "final")
        )

    def test_depth_reaches_as_far_as_alpha(self) -> None:
        picture = render(resolve(_shot(), 1, NOWHERE), QUALITIES["check"])
        self.assertFalse(((picture.beauty[..., 3] > 0) & (picture.depth > 1e9)).any())

    def test_motion_does_not_depend_on_when_the_shutter_opens(self) -> None:
        def motion(phase: float) -> np.ndarray:  # type: ignore[type-arg]
            picture = render(resolve(_shot(phase=phase, angle=20), 1, NOWHERE), QUALITIES["check"], planes=True)
            assert picture.data is not None
            alpha = picture.beauty[..., 3]
            solid = alpha > 0.99
            solid[:, :200] = False
            return np.linalg.norm(picture.data[solid][:, MOTION : MOTION + 2].mean(axis=0))  # type: ignore[no-any-return]

        # 15 degrees of the circle of 100 units, in pixels: twice the radius times the sine of half the angle.
        expected = 2 * 100 * np.sin(np.radians(7.5)) * 256 / 300
        for phase in (-180, -10, 0, 160):
            self.assertAlmostEqual(float(motion(phase)), expected, delta=0.05 * expected)


class AgainstManyMoments(unittest.TestCase):
    """The mean of stills at many moments, each drawn on its own with exact edges, is what an open shutter shows."""

    def _mean(self, shot: Shot, count: int, quality: str = "final") -> np.ndarray:  # type: ignore[type-arg]
        snapshot = resolve(shot, 1, NOWHERE)
        total = np.zeros((snapshot.height, snapshot.width, 4))
        for number in range(count):
            matrices = snapshot.at_time((number + 0.5) / count)
            bodies = tuple(replace(one, matrix=matrix) for one, matrix in zip(snapshot.bodies, matrices, strict=True))
            total += render(replace(snapshot, bodies=bodies, stations=()), QUALITIES[quality]).beauty
        return total / count  # type: ignore[no-any-return]

    def _gold(self, size: float, turns: float, start: float, width: int) -> Shot:
        """A golden letter under a soft sun, which turns."""
        gold = Finish(shading="metal-rough", base_colour="#e0b052", roughness=0.2, metalness=1.0)
        faces = {"face": gold, "bevel": gold, "side": gold}
        word = Lettering(
            id="word",
            word="M",
            font="eb-garamond",
            size=size,
            depth=size / 6,
            bevel_profile="round",
            bevel_width=size / 19,
            turn=Turn(turns=turns, start=start, axis="y"),
            **faces,  # type: ignore[arg-type]
        )
        return Shot(
            raster=Raster(width=width, height=120),
            timing=Timing(last=24, cycle=False),
            camera=Camera(position=(0, 0, 500)),
            motion=Motion(angle=180, phase=-90),
            elements=(word,),
            lights=(SunLight(azimuth=44, elevation=24, size=6, strength=1.4, colour="#ffe6c0"),),
        )

    def _off(self, shot: Shot, truth: np.ndarray) -> np.ndarray:  # type: ignore[type-arg]
        """How far pixels that are covered are from the truth as they are seen, in levels of 255."""
        found = render(resolve(shot, 1, NOWHERE), QUALITIES["final"]).beauty
        shown, wanted = (encode(np.clip(one[..., :3], 0, 1)) * 255 for one in (found, truth))
        return np.abs(shown - wanted).max(axis=2)[truth[..., 3] > 0.2]  # type: ignore[no-any-return]

    def test_a_turn_of_thirty_degrees_a_frame(self) -> None:
        shot = _shot(turns=2, angle=360, phase=-180)
        truth = self._mean(shot, 512)
        found = render(resolve(shot, 1, NOWHERE), QUALITIES["final"]).beauty
        covered = (truth[..., 3] > 0) | (found[..., 3] > 0)
        off = np.abs(found - truth)[covered] * 255
        self.assertLess(float(off[:, 3].mean()), 0.5)
        self.assertLess(float(off[:, :3].mean()), 0.5)
        # No comb: nowhere is a step of the shutter seen.
        self.assertLess(float(off[:, 3].max()), 8)

    def test_highlights_on_round_bevels_are_smooth(self) -> None:
        """On the way over a bevel normals turn as much as by the turn itself."""
        for start in (200.0, 60.0):
            shot = self._gold(420, 8, start, 200)
            off = self._off(shot, self._mean(shot, 64, "check"))
            with self.subTest(start=start):
                self.assertLess(float((off > 12).mean()), 0.012)
                self.assertLess(float(off.mean()), 1.85)

    def test_what_goes_five_pixels_is_as_fine_as_what_stands(self) -> None:
        shot = self._gold(170, 2, 70.0, 160)
        off = self._off(shot, self._mean(shot, 48))
        self.assertLess(float((off > 12).mean()), 0.03)
        self.assertLess(float(off.mean()), 2.5)

    def test_shadows_blur_as_what_throws_them(self) -> None:
        floor = Solid(id="floor", width=280, height=280, depth=4, rounding=0, placement=Placement(position=(0, 0, -60)))
        shot = _shot(turns=2, angle=360, phase=-180).model_copy(
            update={
                "elements": (*_shot(turns=2).elements, floor),
                "lights": (SunLight(azimuth=40, elevation=50, size=0),),
            }
        )
        truth = self._mean(shot, 256)
        snapshot = resolve(shot, 1, NOWHERE)
        found = render(snapshot, QUALITIES["final"]).beauty
        self.assertLess(float(np.abs(found - truth)[..., :3].mean() * 255), 0.8)
        lit = render(
            replace(snapshot, lights=tuple(replace(one, shadows=False) for one in snapshot.lights)), QUALITIES["final"]
        )
        shadow = (lit.beauty[..., 0] - truth[..., 0] > 0.02) & (truth[..., 3] > 0.99)
        self.assertGreater(int(shadow.sum()), 300)
        self.assertLess(float(np.abs(found - truth)[shadow][:, 0].mean() * 255), 4)

    def test_what_is_seen_through_blurs_too(self) -> None:
        shot = _shot(turns=2, angle=360, phase=-180)
        arm = shot.elements[0].model_copy(
            update={"surface": shot.elements[0].surface.model_copy(update={"opacity": 0.4})}
        )
        shot = shot.model_copy(update={"elements": (arm, shot.elements[1])})
        truth = self._mean(shot, 128)
        found = render(resolve(shot, 1, NOWHERE), QUALITIES["final"])
        self.assertLess(float(np.abs(found.beauty - truth)[..., 3].mean() * 255), 0.3)
        assert found.covered is not None
        self.assertTrue((found.covered >= found.beauty[..., 3] - 1e-5).all())

    def test_faster_things_get_more_moments(self) -> None:
        counts = []
        for turns in (0.2, 2, 8):
            snapshot = resolve(_shot(turns=turns, angle=360), 1, NOWHERE).built(QUALITIES["final"])
            stretches = list(stretches_of(snapshot, QUALITIES["final"]))
            moments = sum(len(one.stations) // 2 for one in stretches)
            counts.append(moments)
            # The arm's outer end is 110 units from its pivot, of 300 units in 256 pixels.
            way = 2 * np.pi * 110 * 256 / 300 * turns / 24
            self.assertLess(way / moments, 1.5)
        self.assertGreater(counts[2], max(counts[:2]))


class Slowly(unittest.TestCase):
    """What turns slowly, as lettering mostly does, against what lies within it in 16 x 16 places of each pixel at 64 times of the shutter."""

    def _off(self, turns: float, quality: str) -> tuple[float, float]:
        """Mean and largest error of alpha, in levels of 255, where it is neither 0 nor 1: of an upright disc that turns about its upright axis, and is
        an ellipse in each moment."""
        size = {"width": 180, "height": 180, "depth": 0.01}
        disc = Solid(id="disc", shape="ball", **size, turn=Turn(turns=turns, start=10, axis="y"))  # type: ignore[arg-type]
        shot = _shot().model_copy(update={"elements": (disc,), "raster": Raster(width=96, height=96)})
        found = _alpha(shot, 12, quality)
        places = ((np.arange(96 * 16) + 0.5) / 16 - 48) * 300 / 96
        seen = np.zeros((96, 96))
        for moment in (np.arange(64) + 0.5) / 64 - 0.5:
            # Half a frame, the twelfth of 24.
            turned = np.radians(10 + 360 * turns * (11 + moment * 0.5) / 24)
            inside = (places / np.cos(turned)) ** 2 + places[:, None] ** 2 < 90**2
            seen += inside.reshape(96, 16, 96, 16).mean(axis=(1, 3)) / 64
        off = np.abs(found - seen)[(seen > 0) & (seen < 1)] * 255
        return float(off.mean()), float(off.max())

    def test_edges_are_as_exact_as_those_of_stills(self) -> None:
        for turns in (0.05, 0.25, 0.9):
            with self.subTest(turns=turns):
                mean, worst = self._off(turns, "final")
                self.assertLess(mean, 1.0)
                self.assertLess(worst, 8)

    def test_that_is_no_more_than_three_stills(self) -> None:
        shot = resolve(_shot(turns=0.2), 12, NOWHERE).built(QUALITIES["final"])
        self.assertEqual(3, stills_needed(shot, QUALITIES["final"]))
        self.assertEqual(0, stills_needed(shot, QUALITIES["check"]))
        self.assertEqual(0, stills_needed(resolve(_shot(), 1, NOWHERE).built(QUALITIES["final"]), QUALITIES["final"]))

    def test_numbers_are_those_of_the_middle(self) -> None:
        """Positions and motion of a slow frame, and of what stands where its middle is."""
        shot = resolve(_shot(turns=0.2, phase=0), 12, NOWHERE)
        middle = replace(shot.stretch([0.5]), stations=())
        found, still = (render(one, QUALITIES["final"], planes=True) for one in (shot, middle))
        assert found.data is not None
        assert still.data is not None
        assert found.identities is not None
        assert still.identities is not None
        np.testing.assert_array_equal(found.data, still.data)
        np.testing.assert_array_equal(found.identities, still.identities)

    def test_a_camera_that_goes_is_as_a_set_that_goes_the_other_way(self) -> None:
        def keyed(start: float, by: float) -> dict[str, Any]:
            keys = [
                {"frame": 1, "value": start, "way": "straight"},
                {"frame": 25, "value": start + by, "way": "straight"},
            ]
            return {"keys": keys}

        shot = _shot(turns=0)
        for by in (12.0, 48.0):
            with self.subTest(by=by):
                seen, going = (shot.model_dump(mode="json") for _ in range(2))
                seen["camera"]["moves"] = {"position.0": keyed(0, by), "look_at.0": keyed(0, by)}
                for one in going["elements"]:
                    one["moves"] = {"placement.position.0": keyed(one["placement"]["position"][0], -by)}
                mine, other = (_alpha(read_shot(raw), 13) for raw in (seen, going))
                self.assertNotEqual(
                    0,
                    stills_needed(resolve(read_shot(seen), 13, NOWHERE).built(QUALITIES["final"]), QUALITIES["final"]),
                )
                self.assertGreater(int(((mine > 0) & (mine < 1)).sum()), 100)
                np.testing.assert_allclose(mine, other, atol=0.004)

    def test_frames_that_get_faster_do_not_jump(self) -> None:
        """Where stills end and stretches begin both are the same picture, but for the grain of the latter."""
        pictures = [_alpha(_shot(turns=turns), 2) for turns in (0.4, 0.42, 0.44, 0.46, 0.48, 0.5)]
        steps = [float(np.abs(one - other).mean()) * 255 for one, other in zip(pictures, pictures[1:], strict=False)]
        self.assertLess(max(steps), 2.5 * sorted(steps)[2])
