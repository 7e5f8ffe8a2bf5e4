"""Kernels on the way into files, beside the plain way to the same numbers: nearest colours, and luma from light."""

import unittest

import numpy as np
from scipy.ndimage import distance_transform_edt

from zeitbild.colour.stretches import find_stretches, room_for
from zeitbild.formats import Plane, _movies
from zeitbild.formats._coding import Coding
from zeitbild.formats._from_luma import Luma, planes_of
from zeitbild.formats._loss import loss
from zeitbild.formats._whole_numbers import bleed


class Bleeding(unittest.TestCase):
    """What is clear gets the colour of a pixel that is as near as scipy's exact distance transform says the nearest is."""

    def test_every_pixel(self) -> None:
        random = np.random.default_rng(3)
        sizes = ((1, 1), (1, 9), (9, 1), (7, 5), (33, 70), (64, 130), (50, 60))
        for (height, width), share in zip(sizes, (0.5, 0.2, 0.2, 0.3, 0.02, 0.001, 0.97), strict=True):
            for kind in (np.uint8, np.uint16):
                with self.subTest(size=(height, width), share=share, kind=kind.__name__):
                    before = random.integers(0, np.iinfo(kind).max, (height, width, 4)).astype(kind)
                    there = random.random((height, width)) < share
                    before[..., 3] = np.where(there, 200, 0)
                    after = before.copy()
                    bleed(after)
                    np.testing.assert_array_equal(after[..., 3], before[..., 3])
                    np.testing.assert_array_equal(after[there], before[there])
                    if not there.any():
                        np.testing.assert_array_equal(after, before)
                        continue
                    distance = distance_transform_edt(~there)
                    rows, columns = np.nonzero(there)
                    for row, column in zip(*np.nonzero(~there), strict=True):
                        away = np.hypot(rows - row, columns - column)
                        nearest = np.isclose(away, distance[row, column])
                        colours = before[rows[nearest], columns[nearest], :3]
                        self.assertTrue((colours == after[row, column, :3]).all(axis=1).any(), (row, column))


class Yuv(unittest.TestCase):
    """From light to luma at once, against the way over whole numbers of 16 bits."""

    def test_light_and_codes_give_the_same_frames(self) -> None:
        random = np.random.default_rng(5)
        for width, height in ((1, 1), (3, 5), (64, 33), (35, 2)):
            light = random.random((height, width, 4)).astype(np.float32)
            light[random.random((height, width)) < 0.3] = 0
            light[..., :3] *= light[..., 3:]
            for pixels in ("yuva444p10le", "yuv422p10le", "yuv420p"):
                for times in (False, True):
                    coding = Coding(premultiplied=times)
                    codes = _movies.frame_codes(Plane("colour", light), 16, coding, alpha=True)
                    own = planes_of(_movies.yuv_of(Plane("colour", light), pixels, coding))
                    other = planes_of(_movies.frame_of(codes, pixels))
                    for one, wanted in zip(own, other, strict=True):
                        self.assertLessEqual(int(np.abs(one.astype(int) - wanted).max()), 1, (pixels, width, height))

    def test_what_is_no_number_is_black(self) -> None:
        light = np.full((9, 70, 4), 0.25, np.float32)
        light[..., 3] = 0.5
        odd = light.copy()
        odd[3, 5], odd[4, 40, 0], odd[5, 60, 3], odd[6, 8] = np.nan, np.nan, np.nan, (-3, 0, 0, 0.5)
        plain, own = (planes_of(_movies.yuv_of(Plane("colour", one), "yuv444p", Coding())) for one in (light, odd))
        same = np.ones((9, 70), bool)
        same[[3, 4, 5, 6], [5, 40, 60, 8]] = False
        np.testing.assert_array_equal(plain[0][same], own[0][same])
        self.assertEqual((int(own[0][3, 5]), int(own[0][5, 60])), (16, 16))


class Losses(unittest.TestCase):
    """What was lost, against the same in numpy, place by place."""

    def test_mean_alpha_and_worst_place(self) -> None:
        random = np.random.default_rng(8)
        alpha = np.where(random.random((140, 51)) < 0.4, 0, random.random((140, 51))).astype(np.float32)
        light = np.concatenate([random.random((140, 51, 3)) * alpha[..., None], alpha[..., None]], axis=2)
        light = light.astype(np.float32)
        straight = light[..., :3] / np.maximum(alpha[..., None], 1e-9)
        encoded = np.where(straight <= 0.0031308, 12.92 * straight, 1.055 * straight ** (1 / 2.4) - 0.055)
        found = np.concatenate([encoded, alpha[..., None]], axis=2).astype(np.float32)
        found[10:15, 20:25, 0] = np.clip(found[10:15, 20:25, 0] + 0.3, 0, 1)
        found[30, 40, 3] = min(1.0, alpha[30, 40] + 0.25)
        off = found[..., :3] * found[..., 3:] - encoded * alpha[..., None]
        padded = np.pad(off, ((2, 2), (2, 2), (0, 0)), mode="symmetric")
        places = np.mean([padded[y : y + 140, x : x + 51] for y in range(5) for x in range(5)], axis=0)
        seen = (alpha > 0) | (found[..., 3] > 0.5 / 255)
        own = loss(found, Plane("colour", light), Coding(), (99.0, 999.0, 999.0))
        self.assertAlmostEqual(own.mean, np.abs(off).max(axis=2).sum() / seen.sum() * 255, delta=0.01)
        self.assertAlmostEqual(own.worst, np.abs(places).max() * 255, delta=0.05)
        self.assertAlmostEqual(own.alpha, abs(float(found[30, 40, 3]) - float(alpha[30, 40])) * 255, delta=1e-3)

    def test_planes_of_luma_lose_what_their_colours_do(self) -> None:
        random = np.random.default_rng(6)
        for height, width in ((1, 1), (1, 2), (3, 5), (47, 33), (130, 64), (97, 70)):
            light = np.repeat(random.random((height, -(-width // 7), 4)), 7, axis=1)[:, :width].astype(np.float32)
            light[..., :3] *= light[..., 3:]
            plane = Plane("colour", light)
            for pixels in ("yuva444p10le", "yuv422p10le", "yuv420p", "yuva420p"):
                for times in (False, True):
                    coding = Coding(premultiplied=times)
                    frame = Luma.of(_movies.yuv_of(plane, pixels, coding))
                    colours = frame.colours()
                    self.assertEqual(frame.shape, colours.shape)
                    own, other = (loss(found, plane, coding, (9.0, 9.0, 9.0)) for found in (frame, colours))
                    for name in ("mean", "worst", "alpha"):
                        self.assertAlmostEqual(getattr(own, name), getattr(other, name), delta=1e-3)
                    for top, left, rows, columns in ((0, 0, height, width), (height // 2, width // 3, 1, 1)):
                        part = frame.cut(top, left, rows, columns)
                        np.testing.assert_array_equal(part, colours[top : top + rows, left : left + columns])


class Stretches(unittest.TestCase):
    """What is not as its left neighbour lies in a stretch; every other pixel is as the last one before it that does."""

    def test_every_pixel(self) -> None:
        random = np.random.default_rng(4)
        for width in (1, 31, 32, 33, 64, 65, 300, 1921):
            for changes in (0, 1, 3, width):
                places = np.sort(random.integers(0, width, changes))
                row = random.random((changes + 1, 4)).astype(np.float32)[
                    np.searchsorted(places, np.arange(width), "right")
                ]
                row = np.ascontiguousarray(row)
                ends = np.empty((room_for(width), 2), np.uint64)
                count = find_stretches(row, ends)
                inside = np.zeros(width, bool)
                for first, end in ends[:count].astype(int):
                    self.assertFalse(inside[first:end].any())
                    inside[first:end] = True
                before = np.maximum.accumulate(np.where(inside, np.arange(width), 0))
                np.testing.assert_array_equal(row[before], row)
                # No more than the blocks in which something changes, and the first.
                self.assertLessEqual(inside.sum(), 32 * (changes + 1))
