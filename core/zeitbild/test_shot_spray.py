"""Sprays: flight against Newton's law integrated by an independent library, laws of chance against their distributions, dots against sums
of their formula, in and out of words by geometry."""

import math
import unittest
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy import integrate, stats
from scipy.spatial.transform import Rotation
from shapely import Point as Place
from shapely import Polygon, unary_union

from zeitbild.document.evaluate import time_of
from zeitbild.document.layers import Layer
from zeitbild.document.reading import parse_shot, write_shot
from zeitbild.document.shot import Camera, Motion, Raster, Shot, Timing
from zeitbild.elements._flight import alive, flown, speeds_of
from zeitbild.elements.group import Group
from zeitbild.elements.lettering import Lettering
from zeitbild.elements.penwork import Penwork
from zeitbild.elements.shape import Shape
from zeitbild.elements.solid import Solid
from zeitbild.elements.spray import Spray, build, copies
from zeitbild.errors import InputError
from zeitbild.kernels import set_threads
from zeitbild.keys import Key, Track
from zeitbild.proof.adding_up import rejoined
from zeitbild.render import QUALITIES, render
from zeitbild.render.light.dots import ball_phase
from zeitbild.render.passes import offered
from zeitbild.render.shade.shading import PARTS
from zeitbild.render.visible.dots import soft_along
from zeitbild.resolve import resolve
from zeitbild.resolve.hands import lie_on
from zeitbild.snapshot.dots import Dots
from zeitbild.testing import NOWHERE

_STRAIGHT = Camera(position=(0, 0, 1000), projection="orthographic", span=160)


def _shot(*elements: Any, **more: Any) -> Shot:
    fields: dict[str, Any] = {
        "raster": Raster(width=160, height=90),
        "camera": _STRAIGHT,
        "timing": Timing(rate="25", first=1, last=50, cycle=False),
        "elements": elements,
        **more,
    }
    return Shot(**fields)


def _dots(shot: Shot, frame: int = 1) -> Dots:
    # Only then is it asked for how they go.
    shot = shot.model_copy(update={"motion": shot.motion.model_copy(update={"angle": 180.0})})
    (dots,) = (body.dots for body in resolve(shot, frame, NOWHERE).bodies if body.dots is not None)
    return dots


def _spray(**more: Any) -> Spray:
    return Spray(**{"id": "spray", **more})


def _one(**more: Any) -> Spray:
    """A single dot that stands at the middle."""
    fields: dict[str, Any] = {
        **{
            "rate": 1,
            "begins": "at a frame",
            "first": -2000,
            "ends": True,
            "last": -1975,
            "life": 3000,
            "life_by": 0,
            "speed": 0,
        },
        **{
            "gravity": (0, 0, 0),
            "dot": 20,
            "dot_by": 0,
            "fade_in": 0,
            "fade_out": 0,
            "colour": "#ffffff",
            "colour_end": "#ffffff",
        },
        **more,
    }
    return _spray(**fields)


class Dotted(unittest.TestCase):
    def test_a_moving_dot_is_the_integral_of_its_profile(self) -> None:
        rng = np.random.default_rng(4)
        for _ in range(60):
            ax, ay, bx, by = rng.uniform(-6, 6, 4)
            r = rng.uniform(0.5, 6)

            def profile(t: float, ends: tuple[float, ...] = (ax, ay, bx, by), r: float = r) -> float:
                x, y = ends[0] + (ends[2] - ends[0]) * t, ends[1] + (ends[3] - ends[1]) * t
                return max(1 - (x * x + y * y) / (r * r), 0.0) ** 2

            grid = np.linspace(0, 1, 20_001)
            want = float(np.mean([profile(t) for t in grid]))
            self.assertAlmostEqual(soft_along(ax, ay, bx, by, r), want, 3)
        self.assertAlmostEqual(soft_along(0.0, 0.0, 0.0, 0.0, 2.0), 1.0)

    def _many(self, **more: Any) -> tuple[Shot, Dots]:
        fields: dict[str, Any] = {
            **{
                "rate": 300,
                "life": 2,
                "comes_from": "a rectangle",
                "extent": (120, 60, 50),
                "speed": 0,
                "gravity": (0, 0, 0),
            },
            **{"begins": "long before", "dot": 14, "thick": 0.6, **more},
        }
        shot = _shot(_spray(**fields))
        return shot, _dots(shot)

    def _by_formula(self, dots: Dots, plus: bool) -> NDArray[np.float64]:
        """Every dot at the middle of every pixel, from the nearest to the farthest."""
        y, x = np.mgrid[0:90, 0:160] + 0.5
        total, through = np.zeros((90, 160, 4)), np.ones((90, 160))
        for i in np.argsort(-dots.places[:, 2], kind="stable"):
            px, py, r = 80 + dots.places[i, 0], 45 - dots.places[i, 1], max(dots.radii[i], 1.5)
            gain = (dots.radii[i] / r) ** 2
            part = np.maximum(1 - ((x - px) ** 2 + (y - py) ** 2) / r**2, 0) ** 2 * dots.opacities[i] * gain
            total[..., :3] += (through * part)[..., None] * dots.colours[i]
            if not plus:
                total[..., 3] += through * part
                through *= 1 - part
        return total

    def test_many_dots_are_what_their_formula_adds_up_to(self) -> None:
        for adds, plus in (("covers", False), ("adds its light", True)):
            shot, dots = self._many(lies_over=adds)
            self.assertGreater(len(dots.radii), 300)
            found = render(resolve(shot, 1, NOWHERE), QUALITIES["check"]).beauty
            np.testing.assert_allclose(found, self._by_formula(dots, plus), atol=4e-3)
        self.assertEqual(float(found[..., 3].max()), 0)

    def test_small_dots_keep_their_light(self) -> None:
        for size in (0.2, 0.5, 1.0, 3.0):
            beauty = render(resolve(_shot(_one(dot=size)), 1, NOWHERE), QUALITIES["check"]).beauty
            # The integral of (1 - q)^2 over a disc is a third of its area; pixels see it at their middles.
            want = math.pi * (size / 2) ** 2 / 3
            self.assertAlmostEqual(float(beauty[..., 3].sum()) / want, 1, delta=0.04)

    def test_the_picture_is_the_same_on_one_thread_and_on_two(self) -> None:
        shot, _ = self._many(looks="streaks", speed=300)
        pictures = []
        try:
            for threads in (1, 2):
                set_threads(threads)
                pictures.append(render(resolve(shot, 9, NOWHERE), QUALITIES["check"]).beauty)
        finally:
            set_threads(2)
        np.testing.assert_array_equal(*pictures)

    def test_what_moves_is_blurred_as_far_as_it_goes(self) -> None:
        flies = {
            "speed": 250,
            "towards": (1, 0, 0),
            "spread": 0,
            "speed_by": 0,
            "first": -1,
            "last": 1,
            "rate": 12.5,
        }
        shot, frame = _shot(_one(**flies, dot=12)), 4
        moving = shot.model_copy(update={"motion": Motion(angle=360)})
        blurred = render(resolve(moving, frame, NOWHERE), QUALITIES["check"]).beauty
        self.assertAlmostEqual(250 / 25, float(_dots(shot, frame).ways[0, 0]), 6)
        # The mean of moments, each drawn at rest somewhere on the way of ten pixels.
        mean = np.zeros_like(blurred, np.float64)
        dots = _dots(shot, frame)
        moments = 64
        y, x = np.mgrid[0:90, 0:160] + 0.5
        for at in (np.arange(moments) + 0.5) / moments:
            px, py = 80 + dots.places[0, 0] + 10 * (at + moving.motion.phase / 360), 45 - dots.places[0, 1]
            part = np.maximum(1 - ((x - px) ** 2 + (y - py) ** 2) / 36, 0) ** 2
            mean += part[..., None] / moments
        np.testing.assert_allclose(blurred, mean, atol=3e-3)
        # With something else that moves the shutter is drawn in stretches: it comes to the same.
        turns = Track(keys=(Key(frame=1, value=0, way="straight"), Key(frame=50, value=3000)))
        wheel = Solid(
            id="wheel", width=10, height=10, depth=1, placement={"position": (-70, 38, 0)}, moves={"turn.start": turns}
        )
        both = render(
            resolve(_shot(_one(**flies, dot=12), wheel, motion=Motion(angle=360)), frame, NOWHERE), QUALITIES["check"]
        ).beauty
        np.testing.assert_allclose(both[20:], mean[20:], atol=8e-3)

    def test_dots_stand_before_and_behind_what_is_opaque(self) -> None:
        wall = Solid(
            id="wall",
            width=100,
            height=200,
            depth=1,
            placement={"position": (-50, 0, 0)},
            surface={"shading": "unlit", "base_colour": "#ff0000"},
        )
        for z, covered in ((30.0, True), (-30.0, False)):
            dot = _one(dot=40, placement={"position": (0, 0, z)}, thick=0.5)
            alone = render(resolve(_shot(dot), 1, NOWHERE), QUALITIES["check"]).beauty
            beauty = render(resolve(_shot(wall, dot), 1, NOWHERE), QUALITIES["check"]).beauty
            left, right = beauty[45, 62:80], beauty[45, 80:98]
            np.testing.assert_allclose(right, alone[45, 80:98], atol=2e-3)
            green = left[:, 1]
            np.testing.assert_allclose(green, alone[45, 62:80, 1] if covered else 0, atol=2e-3)
            np.testing.assert_allclose(left[:, 3], 1, atol=1e-3)

    def test_a_wall_edge_before_dots_is_as_sharp_as_alone(self) -> None:
        wall = Solid(
            id="wall",
            width=100,
            height=200,
            depth=1,
            placement={"position": (-50.37, 0, 40), "rotation": (0, 0, 9)},
            surface={"shading": "unlit", "base_colour": "#000000"},
        )
        fog = _one(dot=400, looks="discs", placement={"position": (0, 0, -400)})
        alone = render(resolve(_shot(wall), 1, NOWHERE), QUALITIES["final"]).beauty[..., 3]
        beauty = render(resolve(_shot(wall, fog), 1, NOWHERE), QUALITIES["final"]).beauty
        # An even white disc behind all of the picture.
        np.testing.assert_allclose(beauty[..., 0], 1 - alone, atol=6e-3)

    def test_see_through_things_lie_over_and_under_by_their_middles(self) -> None:
        blue_glass = {"shading": "unlit", "base_colour": "#0000ff", "opacity": 0.5}
        pane = Shape(id="pane", width=60, height=60, fill=blue_glass)
        for z, blue in ((40.0, 0.5), (-40.0, 0.0)):
            placed = pane.model_copy(
                update={"placement": pane.placement.model_copy(update={"position": (0.0, 0.0, z)})}
            )
            dot = _one(dot=400, colour="#ff0000", colour_end="#ff0000")
            middle = render(resolve(_shot(placed, dot), 1, NOWHERE), QUALITIES["check"]).beauty[45, 80]
            self.assertAlmostEqual(float(middle[2]), blue, delta=0.01)

    def test_light_adds_up_and_dots_have_their_name(self) -> None:
        shot = _shot(_one(thick=0.7), Lettering(id="word", word="o", size=60, placement={"position": (30, 0, 0)}))
        picture = render(resolve(shot, 1, NOWHERE), QUALITIES["check"], planes=True)
        assert picture.planes is not None and picture.identities is not None
        total = sum(picture.planes[..., one : one + 3] for one in PARTS)
        np.testing.assert_allclose(total, picture.beauty[..., :3], atol=1e-5)
        numbers = {one.id: at for at, one in enumerate(shot.elements)}
        self.assertEqual(int(picture.identities[45, 80, 0, 0, 0]), numbers["spray"])
        self.assertAlmostEqual(float(picture.identities[45, 80, 0, 0, 1]), float(picture.beauty[45, 80, 3]), 5)
        self.assertTrue(offered(shot.light_groups, shot.names))

    def test_a_faded_group_fades_its_dots(self) -> None:
        group = Group(id="all", opacity=0.25)
        inside = _one(inside="all")
        beauty = render(resolve(_shot(group, inside), 1, NOWHERE), QUALITIES["check"]).beauty
        whole = render(resolve(_shot(_one()), 1, NOWHERE), QUALITIES["check"]).beauty
        np.testing.assert_allclose(beauty, whole * 0.25, atol=1e-3)

    def test_layers_that_hold_each_other_out_rejoin(self) -> None:
        word = Lettering(id="word", word="Kap", size=60)
        fog = _spray(
            rate=400,
            life=2,
            comes_from="a rectangle",
            extent=(150, 60, 120),
            speed=0,
            gravity=(0, 0, 0),
            begins="long before",
            dot=25,
            thick=0.3,
        )
        layers = (
            Layer(name="word", members={"word": "shown", "spray": "hold-out"}),
            Layer(name="fog", members={"word": "hold-out", "spray": "shown"}),
        )
        shot = _shot(word, fog, layers=layers)
        whole = render(resolve(_shot(word, fog), 1, NOWHERE), QUALITIES["check"]).beauty
        parts = [render(resolve(shot, 1, NOWHERE, one.name), QUALITIES["check"]).beauty for one in layers]
        off = np.abs(parts[0] + parts[1] - whole) * 255
        self.assertLess(float(off.max()), 1.0)
        self.assertTrue(callable(rejoined))

    def test_lit_dots_are_small_balls(self) -> None:
        # Phase function of a Lambertian ball against its integral over the visible disc.
        rng = np.random.default_rng(1)
        points = rng.uniform(-1, 1, (200_000, 2))
        points = points[(points**2).sum(axis=1) < 1]
        normals = np.column_stack([points, np.sqrt(1 - (points**2).sum(axis=1))])
        for degrees in (0, 40, 90, 140):
            way = np.array([math.sin(math.radians(degrees)), 0, math.cos(math.radians(degrees))])
            want = float(np.maximum(normals @ way, 0).mean())
            self.assertAlmostEqual(float(ball_phase(np.array([way[2]]))[0]), want, 2)
        shot = _shot(_one(light="is lit", dot=60))
        red = float(render(resolve(shot, 1, NOWHERE), QUALITIES["check"]).beauty[45, 80, 0])
        self.assertGreater(red, 0.05)


class Laws(unittest.TestCase):
    def test_what_flies_obeys_newton_with_air_and_wind(self) -> None:
        for drag, wind in ((0.0, (0, 0, 0)), (1.7, (40, 0, -10)), (0.3, (0, 90, 0))):
            spray = _spray(gravity=(10, -220, 5), drag=drag, wind=wind)
            start = np.array([120.0, 60, -30])

            def law(_: float, state: NDArray[np.float64], drag: float = drag, wind: Any = wind) -> NDArray[np.float64]:
                return np.concatenate([state[3:], np.array([10, -220, 5]) + drag * (np.array(wind) - state[3:])])

            solved = integrate.solve_ivp(law, (0, 2.5), np.concatenate([np.zeros(3), start]), rtol=1e-10, atol=1e-10)
            found = flown(spray, start[None], np.array([2.5]))[0]
            np.testing.assert_allclose(found, solved.y[:3, -1], rtol=1e-7)

    def test_so_many_are_there_and_their_ages_are_even(self) -> None:
        shot = _shot(_spray(rate=4000, life=2, life_by=0, begins="long before"))
        there = alive(shot.elements[0], time_of(shot, 20))
        self.assertAlmostEqual(len(there.ages), 8000, delta=3)
        self.assertGreater(stats.kstest(there.ages / 2, "uniform").pvalue, 1e-3)
        varied = alive(_spray(rate=4000, life=2, life_by=0.5, begins="long before"), time_of(shot, 20))
        # Rate times mean life (Little 1961).
        self.assertAlmostEqual(len(varied.ages) / 8000, 1, delta=0.02)

    def test_ways_are_even_over_the_cone_and_speeds_over_their_span(self) -> None:
        numbers = np.arange(20_000)
        for degrees in (15, 90, 180):
            spray = _spray(spread=degrees, towards=(1, 2, -0.5), speed=100, speed_by=0.3)
            speeds = speeds_of(spray, numbers)
            sizes = np.linalg.norm(speeds, axis=1)
            self.assertGreater(stats.kstest(sizes, stats.uniform(70, 60).cdf).pvalue, 1e-3)
            axis = np.array([1, 2, -0.5]) / np.linalg.norm([1, 2, -0.5])
            along = speeds @ axis / sizes
            least = math.cos(math.radians(degrees))
            # Even over the cap: its height is even (Archimedes).
            self.assertGreater(stats.kstest(along, stats.uniform(least, 1 - least).cdf).pvalue, 1e-3)

    def test_places_are_even_over_what_they_come_from(self) -> None:
        common = {"rate": 3000, "life": 3, "speed": 0, "gravity": (0, 0, 0), "begins": "long before", "life_by": 0}
        ball = _dots(_shot(_spray(comes_from="a ball", extent=(80, 80, 80), **common))).places
        far = np.linalg.norm(ball, axis=1) / 40
        self.assertGreater(stats.kstest(far**3, "uniform").pvalue, 1e-3)
        disc = _dots(_shot(_spray(comes_from="a disc", extent=(80, 40, 0), **common))).places
        squares = (disc[:, 0] / 40) ** 2 + (disc[:, 1] / 20) ** 2
        self.assertGreater(stats.kstest(squares, "uniform").pvalue, 1e-3)
        line = _dots(_shot(_spray(comes_from="a line", extent=(80, 40, 0), **common))).places
        np.testing.assert_allclose(line[:, 0], 2 * line[:, 1], atol=1e-9)
        word = _spray(comes_from="a word", word="Ho", letters=60, **common)
        dots = _dots(_shot(word)).places
        area = build(word, NOWHERE).areas["a word"]
        letters = unary_union([Polygon(one) for one in area.triangles])
        self.assertTrue(all(letters.distance(Place(x, y)) < 1e-6 for x, y, _ in dots[:500]))
        # Each half of the ink has its share.
        low, high = letters.bounds[0], letters.bounds[2]
        half = letters.intersection(
            Polygon([(low, -99), ((low + high) / 2, -99), ((low + high) / 2, 99), (low, 99)])
        ).area
        self.assertAlmostEqual(float((dots[:, 0] < (low + high) / 2).mean()), half / letters.area, delta=0.02)

    def test_any_frame_is_the_same_alone_and_seeds_make_others(self) -> None:
        shot = _shot(_spray(turbulence=40, drag=0.4))
        in_order = [_dots(shot, frame).places for frame in range(1, 30)]
        np.testing.assert_array_equal(in_order[25], _dots(_shot(_spray(turbulence=40, drag=0.4)), 26).places)
        other = _dots(_shot(_spray(turbulence=40, drag=0.4, seed=2)), 26).places
        self.assertFalse(len(other) == len(in_order[25]) and np.allclose(other, in_order[25]))
        self.assertEqual(parse_shot(write_shot(shot)), shot)

    def test_one_and_the_same_thing_goes_on_from_frame_to_frame(self) -> None:
        shot = _shot(_spray(rate=50, life=2, life_by=0, turbulence=30, begins="long before"))
        for frame in (5, 6):
            one, other = _dots(shot, frame), _dots(shot, frame + 1)
            moved = one.places + one.ways
            nearest = np.linalg.norm(moved[:, None] - other.places[None], axis=2).min(axis=1)
            # All but those whose life ends meanwhile.
            self.assertGreaterEqual(int((nearest < 1e-6).sum()), len(moved) - 3)

    def test_a_cycle_closes(self) -> None:
        for life in (0.7, 3.5):
            spray = _spray(begins="in a cycle", rate=77, life=life, turbulence=20)
            shot = _shot(spray, timing=Timing(rate="25", first=3, last=52, cycle=True))
            one, other = _dots(shot, 3), _dots(shot, 53)
            np.testing.assert_allclose(one.places, other.places, atol=1e-9)
            np.testing.assert_allclose(one.opacities, other.opacities, atol=1e-9)
            self.assertGreater(float(np.abs(_dots(shot, 28).places.mean(axis=0) - one.places.mean(axis=0)).max()), 1e-6)

    def test_it_begins_and_ends_when_it_is_told_to(self) -> None:
        shot = _shot(_spray(begins="at a frame", first=10, ends=True, last=20, rate=500, life=0.4, life_by=0))
        self.assertEqual(len(_dots(shot, 9).radii), 0)
        self.assertGreater(len(_dots(shot, 11).radii), 5)
        self.assertGreater(len(_dots(shot, 20).radii), 100)
        self.assertEqual(len(_dots(shot, 31).radii), 0)

    def test_too_many_and_no_ink_are_said(self) -> None:
        with self.assertRaises(InputError) as caught:
            resolve(_shot(_spray(rate=1e6, life=10)), 1, NOWHERE)
        self.assertEqual(caught.exception.field, "elements.0.rate")
        with self.assertRaises(InputError) as caught:
            resolve(_shot(_spray(comes_from="a word", word="  ")), 1, NOWHERE)
        self.assertEqual(caught.exception.field, "elements.0.word")
        with self.assertRaises(InputError):
            resolve(_shot(_spray(looks="what stands in it", rate=5000), Solid(id="a", inside="spray")), 1, NOWHERE)


class Spinning(unittest.TestCase):
    def _turned(self, spray: Spray, frame: int) -> list[float]:
        """Degrees by which those that there are are turned, by their copies."""
        shot = _shot(spray)
        found = []
        for one in copies(spray, time_of(shot, frame), build(spray, NOWHERE)):
            linear = np.array(one.matrix).reshape(4, 4)[:3, :3]
            linear = linear / np.cbrt(np.linalg.det(linear))
            found.append(float(np.degrees(Rotation.from_matrix(linear).magnitude())) if one.there else math.nan)
        return found

    def test_it_spins_as_fast_as_it_says_however_long_each_lives(self) -> None:
        spray = _spray(looks="what stands in it", rate=20, life=4, life_by=0.8, spin=60, begins="long before")
        before, after = np.array(self._turned(spray, 40)), np.array(self._turned(spray, 41))
        both = ~np.isnan(before) & ~np.isnan(after)
        # Of a turn beyond half round the smaller way is told.
        moved = np.abs(after - before)[both & (before < 170) & (before > 10) & (after < 175) & (after > 5)]
        self.assertGreater(len(moved), 20)
        np.testing.assert_allclose(moved, 60 / 25, atol=1e-6)

    def test_what_gathers_spins_on_its_way_and_stands_upright_there(self) -> None:
        spray = _spray(
            does="gathers and scatters",
            looks="what stands in it",
            count=30,
            spin=90,
            gathers_at=1,
            gathered_in=24,
            scatters_at=60,
            scattered_in=24,
        )
        self.assertGreater(min(self._turned(spray, 12)[:5]), 1)
        np.testing.assert_allclose(self._turned(spray, 50), 0, atol=1e-4)
        self.assertGreater(np.nanmax(self._turned(spray, 75)), 10)


class Trails(unittest.TestCase):
    def test_what_came_out_stays_where_it_did(self) -> None:
        goes = Track(keys=(Key(frame=1, value=(0, 0, 0), way="straight"), Key(frame=51, value=(100, 0, 0))))
        common = {"rate": 200, "life": 1, "life_by": 0, "speed": 0, "gravity": (0, 0, 0), "begins": "long before"}
        spray = _spray(**common, moves={"placement.position": goes}, stays="stays behind")
        shot = _shot(spray)
        dots = _dots(shot, 41)
        assert dots.ages is not None
        # Two units a frame: as far behind as old.
        np.testing.assert_allclose(dots.places[:, 0], 80 - 2 * dots.ages, atol=1e-6)
        self.assertGreater(float(np.ptp(dots.places[:, 0])), 40)
        (body,) = resolve(shot, 41, NOWHERE).bodies
        self.assertEqual(body.matrix, tuple(float(one) for one in np.eye(4).reshape(-1)))
        along = _dots(_shot(spray.model_copy(update={"stays": "goes along"})), 41)
        self.assertLess(float(np.ptp(along.places[:, 0])), 1e-9)
        blurred = resolve(shot.model_copy(update={"motion": Motion(angle=180)}), 41, NOWHERE)
        self.assertTrue(np.isfinite(render(blurred, QUALITIES["check"]).beauty).all())

    def test_turned_and_sized_with_what_it_stands_in(self) -> None:
        group = Group(id="arm", placement={"rotation": (0, 0, 90), "scale": (2, 2, 2)})
        common = {
            "rate": 50,
            "life": 1,
            "speed": 0,
            "gravity": (0, 0, 0),
            "begins": "long before",
            "dot_by": 0,
            "dot": 6,
        }
        spray = _spray(**common, inside="arm", placement={"position": (10, 0, 0)}, stays="stays behind")
        dots = _dots(_shot(group, spray), 20)
        np.testing.assert_allclose(dots.places, np.tile([0, 20, 0], (len(dots.radii), 1)), atol=1e-9)
        np.testing.assert_allclose(dots.radii, 6, atol=1e-9)

    def test_sparks_of_a_pen_lie_along_what_it_wrote(self) -> None:
        pen = Penwork(id="ink", word="l", font="league-spartan", letters=60, frames=30, speed="even")
        spray = _spray(
            rate=300,
            life=3,
            speed=0,
            gravity=(0, 0, 0),
            inside="ink",
            stays="stays behind",
            begins="at a frame",
            first=1,
        )
        dots = _dots(_shot(pen, spray), 30)
        # The upright of an l: a line from above downwards.
        self.assertLess(float(np.ptp(dots.places[:, 0])), 4)
        self.assertGreater(float(np.ptp(dots.places[:, 1])), 20)


class Gathering(unittest.TestCase):
    def _spray(self, **more: Any) -> Spray:
        fields: dict[str, Any] = {
            **{
                "does": "gathers and scatters",
                "word": "Ho",
                "letters": 60,
                "count": 800,
                "comes_from": "a ball",
                "dot_by": 0,
            },
            **{
                "extent": (200, 120, 80),
                "gathers_at": 1,
                "gathered_in": 20,
                "scatters_at": 40,
                "scattered_in": 10,
                "dot": 2,
                **more,
            },
        }
        return _spray(**fields)

    def test_it_comes_together_to_the_word_stays_and_is_gone(self) -> None:
        spray = self._spray()
        shot = _shot(spray, timing=Timing(rate="25", last=80, cycle=False))
        area = build(spray, NOWHERE).areas["a word"]
        letters = unary_union([Polygon(one) for one in area.triangles])

        def outside(frame: int) -> float:
            places = _dots(shot, frame).places
            return float(np.mean([letters.distance(Place(x, y)) > 1e-3 for x, y, _ in places]))

        self.assertGreater(outside(1), 0.7)
        self.assertGreater(outside(10), outside(18))
        for frame in (21, 30, 40):
            self.assertEqual(outside(frame), 0, frame)
        self.assertGreater(outside(46), 0.3)
        self.assertEqual(float(_dots(shot, 51).opacities.max()), 0)
        self.assertGreater(float(_dots(shot, 45).opacities.max()), 0)

    def test_no_dot_jumps_on_its_way(self) -> None:
        shot = _shot(self._spray(turbulence=20), timing=Timing(rate="25", last=80, cycle=False))
        places = np.array([_dots(shot, frame).places for frame in range(1, 52)])
        steps = np.linalg.norm(np.diff(places, axis=0), axis=2)
        bends = np.linalg.norm(np.diff(places, n=2, axis=0), axis=2)
        self.assertLess(float(bends.max()), 0.8 * float(steps.max()) + 3)

    def test_a_drawing_gives_its_colours(self) -> None:
        spray = self._spray(into="a drawing", drawing="lighthouse", drawing_size=80, colours_are="those of the drawing")
        colours = _dots(_shot(spray), 30).colours
        self.assertGreater(len(np.unique(np.round(colours, 3), axis=0)), 4)


class Copied(unittest.TestCase):
    def test_what_stands_in_it_is_in_the_place_of_dots(self) -> None:
        common = {"rate": 20, "life": 1, "life_by": 0.2, "begins": "long before", "dot_by": 0}
        dots = _dots(_shot(_spray(**common)), 7)
        shot = _shot(
            _spray(**common, looks="what stands in it", spin=90),
            Solid(id="box", width=5, height=5, depth=5, inside="spray"),
        )
        bodies = resolve(shot, 7, NOWHERE).bodies
        self.assertEqual({len(resolve(shot, frame, NOWHERE).bodies) for frame in (1, 7, 30)}, {len(bodies)})
        matrices = np.array([body.matrix for body in bodies]).reshape(-1, 4, 4)
        sizes = np.cbrt(np.linalg.det(matrices[:, :3, :3]))
        there = matrices[sizes > 0.1][:, :3, 3]
        self.assertEqual(len(there), len(dots.radii))
        near = np.linalg.norm(there[:, None] - dots.places[None], axis=2).min(axis=1)
        self.assertLess(float(near.max()), 1e-9)
        linear = matrices[sizes > 0.1][:, :3, :3]
        np.testing.assert_allclose(
            linear @ linear.transpose(0, 2, 1), np.eye(3) * np.ones((len(there), 1, 1)), atol=1e-9
        )
        picture = render(resolve(shot, 7, NOWHERE), QUALITIES["check"])
        self.assertTrue(np.isfinite(picture.beauty).all())
        self.assertGreater(float(picture.beauty[..., 3].max()), 0.9)

    def test_what_stands_in_dots_that_are_none_is_not_there_and_can_be_taken_hold_of(self) -> None:
        shot = _shot(_spray(), Solid(id="box", inside="spray"))
        self.assertEqual([body.element for body in resolve(shot, 7, NOWHERE).bodies], ["spray"])
        self.assertIn("spray", {one.element for one in lie_on(shot, 7, NOWHERE)})
