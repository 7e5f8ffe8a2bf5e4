"""Textures: where they lie, how coarse they get, and what they change."""

import math
import unittest
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zeitbild.geometry.solids import ball, column, rounded_box
from zeitbild.geometry.transforms import placement
from zeitbild.render import QUALITIES, render
from zeitbild.render.data_rows import NORMAL
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.finish_row import ALL_SIDES, ROUND_BALL, ROUND_COLUMN, UNWRAPPED, finish_row
from zeitbild.snapshot.lights import LightSource
from zeitbild.snapshot.texture import Texture
from zeitbild.testing import EVEN, IDENTITY, dressed, quad, snapshot

RED, GREEN, BLUE, WHITE = (1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0), (1.0, 1.0, 1.0)
FRONT = LightSource("sun", WHITE, direction=(0, 0, -1))


def _texture(rows: list[list[tuple[float, float, float]]], side: int = 8) -> Texture:
    """A picture of large squares, with its smaller versions."""
    level = np.array(rows, np.float32).repeat(side, axis=0).repeat(side, axis=1)
    levels = [level]
    while levels[-1].shape[0] > 1 and levels[-1].shape[1] > 1:
        last = levels[-1]
        levels.append((last[::2, ::2] + last[1::2, ::2] + last[::2, 1::2] + last[1::2, 1::2]) / 4)
    return Texture(f"{rows} {side}", False, tuple(np.ascontiguousarray(one) for one in levels))


#: Red above, left; green above, right; blue below, left; white below, right.
QUARTERS = _texture([[RED, GREEN], [BLUE, WHITE]])


def _wall(half: float = 1.0, matrix: Any = None, texture: Texture = QUARTERS, **finish: Any) -> Snapshot:
    row = finish_row(**{"unlit": True, "maps": (1, 0, 0, 0, 0), "map_width": 2.0, **finish})
    shot = snapshot(quad(half), size=(128, 128), camera_span=4.0, textures=(texture,))
    place = IDENTITY if matrix is None else tuple(float(value) for value in np.asarray(matrix).reshape(-1))
    return dressed(shot, row, matrix=place)


def _at(shot: Snapshot, *places: tuple[float, float]) -> list[tuple[float, ...]]:
    """Colours at places of the set, four units wide, rounded."""
    beauty = render(shot, QUALITIES["check"]).beauty
    found = [beauty[int(64 - y * 32), int(64 + x * 32), :3] for x, y in places]
    return [tuple(round(float(value), 2) for value in one) for one in found]


QUARTER_MIDDLES = ((-0.5, 0.5), (0.5, 0.5), (-0.5, -0.5), (0.5, -0.5))


class Places(unittest.TestCase):
    def test_it_lies_upright_on_the_front_about_the_middle(self) -> None:
        self.assertEqual(_at(_wall(), *QUARTER_MIDDLES), [RED, GREEN, BLUE, WHITE])

    def test_it_is_as_wide_as_it_says_and_repeats(self) -> None:
        shot = _wall(map_width=1.0)
        self.assertEqual(_at(shot, (-0.75, 0.75), (0.25, 0.75), (0.75, 0.75)), [WHITE, WHITE, BLUE])
        self.assertEqual(_at(shot, (-0.25, 0.25), (0.75, 0.25), (0.25, -0.25)), [RED, RED, WHITE])

    def test_it_turns_against_the_clock_and_goes_along_with_its_element(self) -> None:
        self.assertEqual(_at(_wall(map_turn=90.0), *QUARTER_MIDDLES), [GREEN, WHITE, RED, BLUE])
        turned = placement((0, 0, 0), (0, 0, 90), (1, 1, 1), "y", 0.0, (0, 0, 0))
        self.assertEqual(_at(_wall(matrix=turned), *QUARTER_MIDDLES), [GREEN, WHITE, RED, BLUE])
        larger = placement((0.25, 0, 0), (0, 0, 0), (1.5, 1.5, 1.5), "y", 0.0, (0, 0, 0))
        self.assertEqual(_at(_wall(matrix=larger), (-1.0, 1.0), (1.5, -1.0)), [RED, WHITE])

    def test_a_picture_keeps_its_shape(self) -> None:
        # Twice as wide as high: two widths of it fill a square's height four times.
        wide = _texture([[RED, GREEN]])
        self.assertEqual(_at(_wall(texture=wide), (-0.5, 0.9), (0.5, 0.1), (-0.5, -0.4)), [RED, GREEN, RED])

    def test_on_all_sides_it_is_upright_and_never_mirrored(self) -> None:
        box = rounded_box(2, 2, 2, 0, 2)
        row = finish_row(unlit=True, maps=(1, 0, 0, 0, 0), map_width=2.0, map_lies=ALL_SIDES)
        for eye in ((0, 0, 9), (0, 0, -9), (9, 0, 0), (-9, 0, 0)):
            shot = snapshot(box, size=(128, 128), camera_span=4.0, textures=(QUARTERS,), eye=eye)
            shot = dressed(shot, row)
            self.assertEqual(_at(shot, *QUARTER_MIDDLES), [RED, GREEN, BLUE, WHITE], eye)

    def test_far_away_it_is_its_mean(self) -> None:
        checks = _texture([[RED, GREEN] * 8, [GREEN, RED] * 8] * 8, side=4)
        beauty = render(_wall(texture=checks, map_width=0.02), QUALITIES["check"]).beauty
        np.testing.assert_allclose(beauty[64, 64, :3], (0.5, 0.5, 0), atol=0.02)
        inner = beauty[50:78, 50:78, :3]
        self.assertLess(float(np.ptp(inner, axis=(0, 1)).max()), 0.02)


class Values(unittest.TestCase):
    def test_base_colour_and_emission_are_multiplied(self) -> None:
        shot = _wall(base=(0.5, 0.5, 0.5))
        self.assertEqual(_at(shot, QUARTER_MIDDLES[0]), [(0.5, 0, 0)])
        shot = _wall(unlit=False, base=(0, 0, 0), emission=(0.25, 0.5, 1.0), maps=(0, 0, 0, 0, 1))
        self.assertEqual(_at(shot, *QUARTER_MIDDLES), [(0.25, 0, 0), (0, 0.5, 0), (0, 0, 1), (0.25, 0.5, 1)])

    def test_roughness_and_metalness_take_the_red_channel(self) -> None:
        # A mirror (red 0) sees the even surroundings whole; so does a matt white. A black metal mirrors nothing.
        grey = _texture([[(0, 0, 0), (1, 1, 1)]])
        shot = replace(
            _wall(texture=grey, unlit=False, base=(0.0, 0, 0), maps=(0, 0, 1, 0, 0), metalness=1.0), environment=EVEN
        )
        dielectric, metal = _at(shot, (-0.5, 0), (0.5, 0))
        self.assertAlmostEqual(dielectric[0], 0.04, delta=0.03)
        self.assertLess(metal[0], 0.02)
        light = LightSource("sun", WHITE, direction=(0, 0, -1))
        shot = _wall(texture=grey, unlit=False, maps=(0, 1, 0, 0, 0), roughness=0.6, metalness=1.0)
        smooth, rough = _at(replace(shot, lights=(light,)), (-0.5, 0), (0.5, 0))
        self.assertGreater(smooth[0], 10 * rough[0])

    def test_a_normal_picture_tilts_the_surface(self) -> None:
        for tilt, axis in (((0.3, 0.0), 0), ((0.0, 0.3), 1)):
            out = math.sqrt(1 - 0.09)
            flat = np.array([tilt[0], tilt[1], out]) / 2 + 0.5
            texture = _texture([[tuple(flat)]])
            shot = _wall(texture=texture, unlit=False, maps=(0, 0, 0, 1, 0))
            picture = render(replace(shot, lights=(FRONT,)), QUALITIES["check"], planes=True)
            assert picture.data is not None
            expected = np.array([0.0, 0, out])
            expected[axis] = 0.3
            np.testing.assert_allclose(picture.data[64, 64, NORMAL : NORMAL + 3], expected, atol=1e-3)

    def test_mirrors_show_textures(self) -> None:
        mirror, shown = (1.0, 1.0, 1.0, 0.0, 1.0), finish_row(unlit=True, maps=(1, 0, 0, 0, 0), map_width=2.0)
        shot = snapshot(quad(4, 0), quad(1, 3), eye=(5, 0, 8), angle=70, bounces=1, textures=(QUARTERS,))
        beauty = render(dressed(shot, mirror, shown), QUALITIES["check"]).beauty
        behind = beauty[:, :128, :3]
        for colour in (RED, GREEN, BLUE):
            self.assertGreater(int((np.abs(behind - colour).max(axis=2) < 0.05).sum()), 20, colour)

    def test_threads_and_repetition_change_nothing(self) -> None:
        shot = replace(_wall(unlit=False), lights=(FRONT,), environment=EVEN)
        one, other = (render(shot, QUALITIES["check"]).beauty.tobytes() for _ in range(2))
        self.assertEqual(one, other)


#: Eight columns and four rows, each of a grey of its own, as numbers.
_STEPS = [[((4 * column + row + 1) / 40,) * 3 for column in range(8)] for row in range(4)]


class RoundAbout(unittest.TestCase):
    """Longitude and latitude against their formulas, seen in parallel from the front."""

    def _seen(self, mesh: Any, lies: int, turn: float = 0.0, matrix: Any = None) -> Any:
        texture = _texture(_STEPS, 32)
        shot = snapshot(mesh, size=(200, 200), camera_span=4.0, textures=(texture,))
        row = finish_row(unlit=True, maps=(1, 0, 0, 0, 0), map_lies=lies, map_turn=turn)
        place = IDENTITY if matrix is None else tuple(float(value) for value in np.asarray(matrix).reshape(-1))
        beauty = render(dressed(shot, row, matrix=place), QUALITIES["check"]).beauty
        return lambda x, y: float(beauty[int(100 - y * 50), int(100 + x * 50), 0])

    def _grey(self, u: float, v: float) -> float:
        return (4 * int(u % 1 * 8) + int(v * 4) + 1) / 40

    def test_a_ball_by_longitude_and_latitude(self) -> None:
        for matrix in (None, placement((0, 0, 0), (0, 0, 0), (1.5, 0.5, 1))):
            wide, high = (1.0, 1.0) if matrix is None else (1.5, 0.5)
            seen = self._seen(ball(2, 2, 2, 48), ROUND_BALL, matrix=matrix)
            for longitude in (-60, -22, 22, 60):
                for latitude in (-30, -18, 18, 30):
                    a, b = math.radians(longitude), math.radians(latitude)
                    x, y = math.sin(a) * math.cos(b), math.sin(b)
                    want = self._grey(0.5 + longitude / 360, 0.5 - latitude / 180)
                    self.assertAlmostEqual(seen(x * wide, y * high), want, delta=2e-3)

    def test_a_column_by_its_height_turned_by_an_angle(self) -> None:
        seen = self._seen(column(2, 1, 3, 2, 0, 48, 4), ROUND_COLUMN, turn=90)
        for longitude in (-60, -22, 22, 60):
            for y in (-1.2, -0.4, 0.4, 1.2):
                want = self._grey(0.75 + longitude / 360, 0.5 - y / 3)
                self.assertAlmostEqual(seen(math.sin(math.radians(longitude)), y), want, delta=2e-3)


def _page(side: int = 256) -> NDArray[np.float32]:
    """Light [side, side, 3] of fine rings, lines and bars."""
    chance = np.random.default_rng(3)
    page = np.full((side, side, 3), 0.8, np.float32)
    y, x = np.mgrid[:side, :side]
    for _ in range(40):
        far = np.hypot(x - chance.uniform(0, side), y - chance.uniform(0, side)) - chance.uniform(3, 30)
        page[np.abs(far) < chance.uniform(0.5, 2)] = chance.uniform(0, 1, 3)
        slope = chance.uniform(-2, 2)
        page[np.abs(y - slope * x - chance.uniform(-side, side)) < 0.7 * math.hypot(1, slope)] = chance.uniform(0, 1, 3)
    page[(y % 14 < 6) & (x * 7 // 11 % 3 == 0) & (x > side // 2)] = 0.02
    return page


def _halved(page: NDArray[np.float32]) -> Texture:
    levels = [page]
    while levels[-1].shape[0] > 1:
        last = levels[-1]
        levels.append((last[::2, ::2] + last[1::2, ::2] + last[::2, 1::2] + last[1::2, 1::2]) / 4)
    return Texture(f"page {page.shape} {page.mean()}", False, tuple(np.ascontiguousarray(one) for one in levels))


class InAPixel(unittest.TestCase):
    """At final a pixel shows the mean of what lies in it: against rays through 144 places of each, which know nothing of halved sizes."""

    _WIDTH, _HEIGHT, _PLACES = 144, 96, 12

    def _truth(self, page: NDArray[np.float32], matrix: NDArray[np.float64], width: float, focal: float) -> Any:
        """Light and share [H, W, 4] of the square from -1 to 1 that stands so, with the page on it, seen from (0, 0, 10)."""
        found = np.zeros((self._HEIGHT, self._WIDTH, 4))
        back = np.linalg.inv(matrix)
        eye = (back @ np.array([0.0, 0, 10, 1]))[:3]
        side = len(page)
        for place in range(self._PLACES**2):
            beside, below = (np.array(divmod(place, self._PLACES)) + 0.5) / self._PLACES
            x, y = np.meshgrid(np.arange(self._WIDTH) + beside, np.arange(self._HEIGHT) + below)
            ways = np.stack([(x - self._WIDTH / 2) / focal, (self._HEIGHT / 2 - y) / focal, -np.ones_like(x)], axis=-1)
            ways = ways @ back[:3, :3].T
            far = -eye[2] / ways[..., 2]
            met = eye + far[..., None] * ways
            inside = (far > 0) & (np.abs(met[..., :2]) < 1).all(axis=-1)
            # Between four texels; the page goes on and on.
            u, v = (0.5 + met[..., 0] / width) * side - 0.5, (0.5 - met[..., 1] / width) * side - 0.5
            left, top = np.floor(u).astype(int), np.floor(v).astype(int)
            a, b = (u - left)[..., None], (v - top)[..., None]
            above = page[top % side, left % side] * (1 - a) + page[top % side, (left + 1) % side] * a
            under = page[(top + 1) % side, left % side] * (1 - a) + page[(top + 1) % side, (left + 1) % side] * a
            found[..., :3] += np.where(inside[..., None], above * (1 - b) + under * b, 0)
            found[..., 3] += inside
        return found / self._PLACES**2

    def test_whichever_way_it_lies(self) -> None:
        page = _page()
        texture = _halved(page)
        cases = (
            # Turned by, larger by, the picture's width.
            ((0, 0, 0), (3, 3, 3), 1),
            ((0, 0, 20), (1.5, 1.5, 1.5), 1),
            ((-60, 0, 0), (3, 3, 3), 1),
            ((-75, 0, 0), (4, 4, 4), 1),
            ((-85, 0, 0), (6, 6, 6), 1),
            ((20, 70, 45), (3, 3, 3), 1),
            ((-30, 30, 0), (4, 1, 1), 0.5),
            ((-70, 30, 20), (3, 3, 3), 4),
        )
        for turned, larger, width in cases:
            for unlit in (True, False):
                with self.subTest(turned=turned, larger=larger, width=width, unlit=unlit):
                    row = finish_row(unlit=unlit, maps=(1, 0, 0, 0, 0), map_width=float(width), roughness=1.0)
                    matrix = np.array(placement((0, 0, 0), turned, larger)).reshape(4, 4)
                    shot = snapshot(quad(1.0), size=(self._WIDTH, self._HEIGHT), textures=(texture,))
                    shot = dressed(shot, row, matrix=tuple(float(one) for one in matrix.reshape(-1)))
                    true = self._truth(page, matrix, width, shot.camera.focal)
                    if not unlit:
                        # Seen and lit from where light is even, matt things show their colour times a number.
                        shot = replace(shot, environment=EVEN)
                    beauty = render(shot, QUALITIES["final"]).beauty.astype(np.float64)
                    whole = true[..., 3] > 0.999
                    self.assertGreater(int(whole.sum()), 2000)
                    if not unlit:
                        beauty[..., :3] *= true[whole][:, :3].mean() / beauty[whole][:, :3].mean()
                    off = 255 * np.abs(beauty[..., :3].clip(0, 1) ** (1 / 2.2) - true[..., :3] ** (1 / 2.2)).max(
                        axis=-1
                    )
                    # 7 to 16, and 13 to 62 %, before decision 072.
                    self.assertLess(float(off[whole].mean()), 4)
                    self.assertLess(float((off[whole] > 12).mean()), 0.04)

    def test_what_is_as_large_as_pixels_stays_and_what_is_halved_is_the_mean(self) -> None:
        page = _page(128)
        texture = _halved(page)
        row = finish_row(unlit=True, maps=(1, 0, 0, 0, 0), map_width=2.0)
        for size in (128, 64, 32):
            shot = dressed(snapshot(quad(1.0), size=(size, size), camera_span=2.0, textures=(texture,)), row)
            beauty = render(shot, QUALITIES["final"]).beauty[..., :3]
            part = 128 // size
            wanted = page.reshape(size, part, size, part, 3).mean(axis=(1, 3))
            np.testing.assert_allclose(beauty[1:-1, 1:-1], wanted[1:-1, 1:-1], atol=2e-4)


class InMirrors(unittest.TestCase):
    def test_a_flat_mirror_shows_a_page_as_sharply_as_it_stands_behind(self) -> None:
        """Far from the mirror and near it: rays stand for all of their way from the eye."""
        texture = _halved(_page())
        row = finish_row(unlit=True, maps=(1, 0, 0, 0, 0), map_width=1.0)
        mirror = finish_row((1, 1, 1), roughness=0.0, metalness=1.0)
        behind = np.diag([1.0, 1, -1, 1])
        for away in (0.8, 2.0):
            with self.subTest(away):
                matrix = np.array(placement((0, 1.2, away), (-20, 15, 0), (0.8, 0.8, 0.8))).reshape(4, 4)

                def shot(*standing: NDArray[np.float64], mirrored: bool) -> Snapshot:
                    """The page where it stands, with the mirror in z = 0 if wanted."""
                    places = [tuple(float(one) for one in place.reshape(-1)) for place in standing]
                    meshes = [quad(1.0)] * len(places) + [quad(6)] * mirrored
                    whole = snapshot(*meshes, size=(200, 160), textures=(texture,), bounces=1, angle=30)
                    rows, places = [row] * len(places) + [mirror] * mirrored, [*places, *[IDENTITY] * mirrored]
                    bodies = zip(whole.bodies, rows, places, strict=True)
                    return replace(whole, bodies=tuple(replace(b, finishes=(r,), matrix=m) for b, r, m in bodies))

                found = render(shot(matrix, mirrored=True), QUALITIES["final"]).beauty.astype(np.float64)
                direct = render(shot(matrix, mirrored=False), QUALITIES["final"]).beauty
                wanted = render(shot(behind @ matrix, mirrored=False), QUALITIES["final"]).beauty.astype(np.float64)
                seen = (wanted[..., 3] > 0.999) & (direct[..., 3] == 0)
                self.assertGreater(int(seen.sum()), 100)
                scale = wanted[seen][:, :3].mean() / found[seen][:, :3].mean()
                self.assertAlmostEqual(scale, 1, delta=0.02)
                shown = [
                    255 * (light[seen][:, :3] * by).clip(0, 1) ** (1 / 2.2)
                    for light, by in ((found, scale), (wanted, 1))
                ]
                off = np.abs(shown[0] - shown[1]).max(axis=-1)
                self.assertLess(float(off.mean()), 4)
                self.assertLess(float((off > 12).mean()), 0.05)


class Together(unittest.TestCase):
    """Places of one flat triangle are looked up at once; asked for passes, each is looked up by itself."""

    def test_cards_however_they_stand_are_what_each_place_says(self) -> None:
        # Each place has a colour of its own, so that one that is looked up a little beside shows.
        chance = np.random.default_rng(5)
        levels = [chance.uniform(0, 1, (64, 96, 3)).astype(np.float32)]
        while min(levels[-1].shape[:2]) > 1:
            last = levels[-1][: levels[-1].shape[0] // 2 * 2, : levels[-1].shape[1] // 2 * 2]
            levels.append(np.ascontiguousarray(last.reshape(last.shape[0] // 2, 2, -1, 2, 3).mean(axis=(1, 3))))
        # Seen from the front a triangle's corners are the picture's: upper left, and so on.
        corners = np.array([[0, 1], [1, 1], [1, 0], [0, 0]], np.float32)
        mesh = replace(quad(1.0), unwrapped=corners[quad(1.0).triangles])
        for once in (True, False):
            for hard in (True, False):
                texture = Texture(f"noise {once} {hard}", False, tuple(levels), once, hard)
                row = finish_row((0.9, 0.8, 0.7), unlit=True, maps=(1, 0, 0, 0, 0), map_lies=UNWRAPPED)
                for turned in ((0, 0, 0), (0, 60, 0), (50, 20, 30), (0, 180, 0), (0, 88, 0)):
                    for span, size in ((0.0, 1.0), (3.0, 0.3), (0.0, 6.0)):
                        with self.subTest(once=once, hard=hard, turned=turned, span=span, size=size):
                            matrix = tuple(
                                float(one) for one in placement((0, 0, 0), turned, (size, size, size)).reshape(-1)
                            )
                            shot = snapshot(mesh, size=(97, 70), camera_span=span, textures=(texture,))
                            shot = dressed(shot, row, matrix=matrix)
                            for quality in ("rough", "check", "final"):
                                plain = render(shot, QUALITIES[quality])
                                each = render(shot, QUALITIES[quality], planes=True)
                                self.assertGreater(float(plain.beauty[..., 3].max()), 0.2)
                                np.testing.assert_allclose(plain.beauty, each.beauty, atol=2e-4)
