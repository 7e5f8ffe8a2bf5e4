"""Stretches of open shutter: spread of samples, pieces of the draw against what they must add up to, rays that move."""

import ctypes
import math
import unittest
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from zeitbild.kernels import PARALLEL
from zeitbild.render import QUALITIES, render
from zeitbild.render.moving.sweep_kernel import LANES, MOST_SLICES, sample_times
from zeitbild.render.moving.sweeping import PACES, Swept, _alike, draw, shifts_of, stretches_of, without_hidden
from zeitbild.render.stage import Stage, stage_of
from zeitbild.render.visible.areas import drop_hidden
from zeitbild.render.visible.visibility import Fragments
from zeitbild.render.world.ray_scene import _LIBRARY, BUFFER, FAR, ORG_X, PACKET, TIME, RayScene
from zeitbild.render.world.ways import stands, turned, ways_of
from zeitbild.snapshot import Snapshot
from zeitbild.testing import EVEN, going, quad, snapshot, sphere

Matrix = tuple[float, ...]
FINAL = QUALITIES["final"]


def _about_z(degrees: float, move: tuple[float, float, float] = (0, 0, 0), scale: float = 1) -> Matrix:
    turn = math.radians(degrees)
    matrix = np.eye(4)
    matrix[:2, :2] = scale * np.array([[math.cos(turn), -math.sin(turn)], [math.sin(turn), math.cos(turn)]])
    matrix[2, 2] = scale
    matrix[:3, 3] = move
    return tuple(float(value) for value in matrix.reshape(-1))


def _turning(degrees: float, **more: object) -> Snapshot:
    """A square that turns about the viewing axis while the shutter is open, before one that stands."""
    shot = snapshot(quad(1.0, 1.0), quad(2.0, -1.0), size=(128, 128), environment=EVEN, **more)  # type: ignore[arg-type]
    stations = tuple((_about_z(degrees * k / 16), _about_z(0)) for k in range(17))
    return replace(shot, stations=stations)


def _drawn(shot: Snapshot, samples: int = LANES) -> tuple[Swept, Stage, Snapshot, NDArray[np.float32]]:
    stretch = next(iter(stretches_of(shot, FINAL)))
    depth = np.empty((shot.height, shot.width), np.float32)
    with PARALLEL:
        return draw(stretch, stage_of(stretch), FINAL, samples, (0.0, 0.0), depth), stage_of(stretch), stretch, depth


def _entries(fragments: Fragments) -> NDArray[np.int64]:
    each = zip(fragments.firsts[:-1], fragments.counts, strict=True)
    return np.concatenate([np.arange(first, first + count) for first, count in each])


def _summed(fragments: Fragments, width: int, height: int) -> NDArray[np.float64]:
    """Shares [H, W] added up by pixel, in plain numpy."""
    total = np.zeros((height, width))
    columns = -(-width // 32)
    for tile, (first, count) in enumerate(zip(fragments.firsts[:-1], fragments.counts, strict=True)):
        own = slice(first, first + count)
        row, column = np.divmod(fragments.pixel[own], 32)
        np.add.at(total, (row + tile // columns * 32, column + tile % columns * 32), fragments.share[own])
    return total


class Samples(unittest.TestCase):
    def test_position_and_time_fill_every_strip_evenly(self) -> None:
        # Sobol's sequence: every interval of 1/n in one dimension holds one of n points; every elementary box of area 1/n of the
        # first two does too.
        for count in (16, 32, 64):
            points = sample_times(count)
            for axis in range(3):
                self.assertEqual(sorted((points[:, axis] * count).astype(int)), list(range(count)))
            bits = count.bit_length() - 1
            for across in range(bits + 1):
                cells = (points[:, 0] * 2**across).astype(int) * 2 ** (bits - across)
                cells += (points[:, 1] * 2 ** (bits - across)).astype(int)
                self.assertEqual(sorted(cells), list(range(count)))
            self.assertTrue((np.diff(points[:, 2]) > 0).all())

    def test_each_moment_gets_its_part_of_the_pixel(self) -> None:
        # Four samples of a moment never lie in one half of the pixel, neither across nor down.
        points = sample_times(LANES).reshape(16, 4, 3)
        for moment in points:
            for axis in range(2):
                self.assertGreater(float(np.ptp(moment[:, axis])), 0.25)

    def test_shifts_differ_and_stay_within_half_a_step(self) -> None:
        self.assertEqual(shifts_of(1), [(0.0, 0.0)])
        for count in (2, 5, 32):
            shifts = shifts_of(count)
            self.assertEqual(len(set(shifts)), count)
            self.assertLessEqual(max(max(abs(x), abs(y)) for x, y in shifts), 1 / 16)


class Stretches(unittest.TestCase):
    def test_turns_are_measured_whatever_the_scale(self) -> None:
        for degrees in (0.0, 0.5, 8, 90, 179):
            for scale in (0.01, 1, 300):
                self.assertAlmostEqual(
                    turned(_about_z(20, scale=scale), _about_z(20 + degrees, (5, 1, 2), scale)), degrees, 4
                )
        self.assertEqual(turned((0.0,) * 16, _about_z(3)), 0)

    def test_nothing_turns_further_than_it_may_and_stretches_meet(self) -> None:
        for degrees in (1, 30, 200):
            shot = _turning(degrees).built(FINAL)
            for name in ("check", "final"):
                found = list(stretches_of(shot, QUALITIES[name]))
                pace = PACES[name]
                self.assertLessEqual(len(found), pace.stretches)
                if len(found) < pace.stretches:
                    self.assertLessEqual(degrees / len(found), pace.degrees + 1e-9)
                for before, after in zip(found, found[1:], strict=False):
                    np.testing.assert_allclose(before.stations[-1], after.stations[0], atol=1e-9)
                self.assertEqual(found[0].stations[0], shot.stations[0])
                np.testing.assert_allclose(found[-1].stations[-1], shot.stations[-1], atol=1e-9)

    def test_what_lies_between_stations_lies_between_them(self) -> None:
        shot = _turning(16)
        half = shot.at_time(0.5 / 16)
        np.testing.assert_allclose(half[0], (np.array(shot.stations[0][0]) + shot.stations[1][0]) / 2, atol=1e-12)
        self.assertEqual(shot.at_time(-1), shot.stations[0])
        np.testing.assert_allclose(shot.at_time(2)[0], shot.stations[-1][0], atol=1e-12)

    def test_until_the_next_frame_things_go_on_as_before(self) -> None:
        shot = going(_turning(16), _about_z(40), _about_z(0))
        stretch = shot.in_stretch(((_about_z(6), _about_z(0)),) * 3)
        np.testing.assert_allclose(stretch.bodies[0].after, _about_z(46), atol=1e-9)
        np.testing.assert_allclose(stretch.bodies[1].after, _about_z(0), atol=1e-9)

    def test_ways_lead_from_the_middle_to_both_ends(self) -> None:
        stretch = next(iter(stretches_of(_turning(30).built(FINAL), FINAL)))
        scene = stage_of(stretch).scene
        found = ways_of(stretch, scene)
        np.testing.assert_array_equal(found.of, scene.finish_of)
        ways = found.moves.reshape(2, 2, 3, 4)
        points = np.random.default_rng(3).uniform(-1, 1, (9, 4))
        points[:, 3] = 1
        for end, station in ((0, 0), (1, -1)):
            middle = points @ np.array(stretch.bodies[0].matrix).reshape(4, 4).T
            there = points @ np.array(stretch.stations[station][0]).reshape(4, 4).T
            np.testing.assert_allclose(middle[:, :3] + middle @ ways[0, end].T, there[:, :3], atol=1e-5)
        self.assertEqual(np.abs(ways[1]).max(), 0)


class Drawing(unittest.TestCase):
    def test_shares_of_fragments_and_of_places_add_up_to_alpha(self) -> None:
        for shot in (_turning(30), _turning(30, camera_span=6.0)):
            swept, _, _, depth = _drawn(shot.built(FINAL))
            for fragments in (swept.fragments, swept.places):
                np.testing.assert_allclose(_summed(fragments, 128, 128), swept.alpha, atol=1e-6)
            self.assertTrue(((depth < 1e9) == (swept.alpha > 0)).all())

    def test_places_belong_to_fragments_of_their_pixel_and_add_up_to_them(self) -> None:
        swept, _, _, _ = _drawn(_turning(30).built(FINAL))
        places, fragments = swept.places, swept.fragments
        entries = _entries(places)
        np.testing.assert_array_equal(places.pixel[entries], fragments.pixel[swept.stood.parent[entries]])
        total = np.zeros(len(fragments.pixel))
        np.add.at(total, swept.stood.parent[entries], places.share[entries])
        own = _entries(fragments)
        np.testing.assert_allclose(total[own], fragments.share[own], atol=1e-6)

    def test_where_and_when_are_inside_triangles_and_the_stretch(self) -> None:
        swept, _, _, _ = _drawn(_turning(30).built(FINAL))
        entries = _entries(swept.places)
        second, third = swept.places.where[entries].T
        self.assertGreater(float(min(second.min(), third.min(), (1 - second - third).min())), -1e-4)
        begin, end = swept.stood.end_times[entries].T
        self.assertTrue(((begin <= swept.stood.time[entries]) & (swept.stood.time[entries] <= end)).all())
        self.assertTrue(((begin >= 0) & (end <= 1) & (end > begin)).all())

    def test_what_stands_is_shaded_once_and_what_turns_in_slices(self) -> None:
        swept, stage, stretch, _ = _drawn(_turning(30).built(FINAL))
        entries = _entries(swept.places)
        moving = stage.scene.finish_of[swept.places.triangle[entries]] == 0
        long = np.diff(swept.stood.end_times[entries], axis=1)[:, 0]
        slices = 8 / PACES["final"].slice
        self.assertLess(float(long[moving].max()), 2 / slices + 1 / len(stretch.stations[1::2]))
        self.assertGreater(float(np.median(long[~moving])), 0.9)
        self.assertLessEqual(slices, MOST_SLICES)

    def test_surfaces_of_one_key_lean_no_further_apart_than_a_cell_does(self) -> None:
        # A cell is widest where the map is stretched most, in the middle of a face of the octahedron: a side of s spans
        # sqrt(18) s there from corner to corner, seen from a third of the square root of three away.
        shot = snapshot(sphere(2.0, 48))
        scene = stage_of(shot).scene
        for lean in (4.0, 20.0):
            widest = 2 * math.atan(math.sqrt(18) / round(180 / lean))
            keys = _alike(scene, lean)
            worst = 1.0
            for key in np.unique(keys)[:200]:
                facing = scene.facing[keys == key]
                worst = min(worst, float((facing @ facing.T).min()))
            self.assertLess(math.acos(worst), widest + 1e-4)
            self.assertGreater(len(np.unique(keys)), 100 if lean < 10 else 20)

    def test_seen_edge_on_nothing_turns_infinite(self) -> None:
        # In a parallel view a square is a line at the middle of its turn: the picture stays finite at every quality.
        shot = snapshot(quad(1.5), size=(64, 64), camera_span=6.0, environment=EVEN)
        stations = []
        for k in range(17):
            turn = math.radians(80 + 20 * k / 16)
            matrix = np.eye(4)
            matrix[0, 0], matrix[0, 2], matrix[2, 0], matrix[2, 2] = (
                math.cos(turn),
                math.sin(turn),
                -math.sin(turn),
                math.cos(turn),
            )
            stations.append((tuple(float(value) for value in matrix.reshape(-1)),))
        element = replace(shot.bodies[0], matrix=stations[8][0], finishes=((0.8, 0.8, 0.8, 0.2, 1.0, 0.0, 0.0, 0.0),))
        for quality in QUALITIES.values():
            blurred = replace(shot, bodies=(element,), stations=tuple(stations))
            self.assertTrue(np.isfinite(render(blurred, quality).beauty).all(), quality.name)
            self.assertTrue(np.isfinite(render(replace(blurred, stations=()), quality).beauty).all(), quality.name)


class Hidden(unittest.TestCase):
    def test_what_is_not_to_be_seen_is_left_out_and_the_rest_stays_as_it_was(self) -> None:
        shot = _turning(30).built(FINAL)
        swept, stage, _, _ = _drawn(shot)
        before = [values[_entries(swept.places)].copy() for values in swept.stood[1:]]
        places, parents = swept.places, swept.stood.parent
        wanted = stage.scene.finish_of[places.triangle[_entries(places)]] == 1
        share = places.share[_entries(places)][wanted].copy()
        parent_pixel = swept.fragments.pixel[parents[_entries(places)]][wanted].copy()
        with PARALLEL:
            without_hidden(swept, stage.scene.finish_of, np.array([-1, 0.5], np.float32))
        entries = _entries(places)
        self.assertTrue((stage.scene.finish_of[places.triangle[entries]] == 1).all())
        np.testing.assert_array_equal(places.share[entries], share)
        np.testing.assert_array_equal(swept.fragments.pixel[parents[entries]], parent_pixel)
        for now, values in zip(swept.stood[1:], before, strict=True):
            np.testing.assert_array_equal(now[entries], values[wanted])

    def test_nothing_is_left_where_nothing_is_wanted(self) -> None:
        swept, stage, _, _ = _drawn(_turning(30).built(FINAL))
        moved = np.empty(len(swept.fragments.pixel), np.int32)
        with PARALLEL:
            none = np.full(2, -1, np.float32)
            drop_hidden(swept.fragments, stage.scene.finish_of, none, False, moved)
        self.assertEqual(int(swept.fragments.counts.sum()), 0)


class MovingRays(unittest.TestCase):
    def test_a_ray_meets_things_where_they_are_at_its_time(self) -> None:
        # A square that goes from x = 0 over 4 to 10; rays straight at each place, at each time.
        shot = snapshot(quad(0.5))
        vertices = stage_of(shot).scene.vertices
        steps = np.stack([vertices + (x, 0, 0) for x in (0.0, 4.0, 10.0)])
        scene = RayScene(steps, stage_of(shot).scene.triangles)
        cast = _LIBRARY.rtcOccluded16
        cast.restype, cast.argtypes = None, [ctypes.c_void_p] * 4
        words = np.zeros(BUFFER, np.float32)
        skip = ((64 - (words.ctypes.data & 63)) // 4) % PACKET
        rows = words[skip:]
        valid = np.full(2 * PACKET, -1, np.int32)
        valid = valid[((64 - (valid.ctypes.data & 63)) // 4) % PACKET :][:PACKET]
        times = np.repeat(np.linspace(0, 1, 8), 2).astype(np.float32)
        places = np.where(times < 0.5, 8 * times, 4 + 12 * (times - 0.5)) + np.tile([0.0, 0.8], 8)
        rows[ORG_X * PACKET : (ORG_X + 1) * PACKET] = places
        rows[2 * PACKET : 3 * PACKET], rows[6 * PACKET : 7 * PACKET] = 5, -1
        rows[TIME * PACKET : (TIME + 1) * PACKET], rows[FAR * PACKET : (FAR + 1) * PACKET] = times, 1e9
        rows[9 * PACKET : 10 * PACKET].view(np.int32)[:] = -1
        cast(valid.ctypes.data, scene.handle, rows.ctypes.data, None)
        met = rows[FAR * PACKET : (FAR + 1) * PACKET] < 0
        np.testing.assert_array_equal(met, np.tile([True, False], 8))

    def test_scenes_move_as_their_elements_do(self) -> None:
        stretch = next(iter(stretches_of(_turning(30).built(FINAL), FINAL)))
        scene = stage_of(stretch).scene
        middle = len(stretch.stations) // 2
        np.testing.assert_allclose(stands(stretch, middle), scene.vertices, atol=1e-9)
