"""Pictures against the truth: exact coverage of true shapes, and the oracle's samples, each shaded on its own."""

import math
import unittest
from dataclasses import replace
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.ndimage import binary_dilation, median_filter

from zeitbild.document.reading import read_shot
from zeitbild.document.shot import Shot
from zeitbild.fonts import SHIPPED
from zeitbild.geometry.font import open_face
from zeitbild.geometry.shaping import outlines, shape
from zeitbild.oracle import truth
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import resolve
from zeitbild.snapshot import Snapshot
from zeitbild.testing import NOWHERE


@njit(cache=True)
def _accumulate(points: Any, out: Any) -> None:
    """Signed area that each edge of a closed polygon leaves to its right, row by row (as font rasterisers count coverage)."""
    height, width = out.shape[0], out.shape[1] - 2
    for k in range(len(points)):
        x0, y0 = points[k]
        x1, y1 = points[(k + 1) % len(points)]
        if y0 == y1:
            continue
        sign = 1.0
        if y0 > y1:
            x0, y0, x1, y1, sign = x1, y1, x0, y0, -1.0
        slope = (x1 - x0) / (y1 - y0)
        for row in range(max(0, int(y0)), min(height, math.ceil(y1))):
            top, bottom = max(float(row), y0), min(row + 1.0, y1)
            a, b = x0 + (top - y0) * slope, x0 + (bottom - y0) * slope
            # In steps so short that each lies in one column.
            steps = int(abs(b - a)) * 64 + 64
            for step in range(steps):
                x = min(max(a + (b - a) * (step + 0.5) / steps, 0.0), width - 1e-9)
                part = sign * (bottom - top) / steps
                column = int(x)
                out[row, column] += part * (1 - (x - column))
                out[row, column + 1] += part * (x - column)


def coverage(rings: list[NDArray[np.float64]], width: int, height: int) -> NDArray[np.float64]:
    """Covered share [H, W] of pixels; rings that run the other way round are holes."""
    out = np.zeros((height, width + 2))
    for ring in rings:
        _accumulate(np.ascontiguousarray(ring), out)
    return np.abs(np.cumsum(out, axis=1)[:, :width])


def _flat(side: int, **element: Any) -> Snapshot:
    """An element seen straight on, a unit a pixel."""
    camera = {"position": [0, 0, 5000], "look_at": [0, 0, 0], "projection": "orthographic", "span": side}
    document = {
        "version": 2,
        "raster": {"width": side, "height": side},
        "camera": camera,
        "elements": [{"id": "a", **element}],
    }
    return resolve(read_shot(document), 1, NOWHERE)


class TrueShapes(unittest.TestCase):
    """Alpha at final against exact areas: mean below half a level of 255 at edges, no pixel off by 8."""

    def _compare(self, snapshot: Snapshot, true: NDArray[np.float64], what: str) -> None:
        alpha = render(snapshot, QUALITIES["final"]).beauty[..., 3]
        error = np.abs(alpha - true) * 255
        edge = (true > 1e-6) & (true < 1 - 1e-6)
        self.assertGreater(int(edge.sum()), 20, what)
        self.assertLess(error[edge].mean(), 0.5, what)
        self.assertLess(error.max(), 8, what)

    def test_balls_are_discs_and_ellipses(self) -> None:
        turn = np.linspace(0, 2 * math.pi, 40_001)[:-1]
        for across, up in ((5.3, 5.3), (60, 60), (150.5, 150.5), (150, 40.2)):
            snapshot = _flat(320, kind="solid", shape="ball", width=2 * across, height=2 * up, depth=2 * across)
            ring = np.column_stack([160 + across * np.cos(turn), 160 + up * np.sin(turn)])
            self._compare(snapshot, coverage([ring], 320, 320), f"{across} x {up}")

    def test_letters_are_their_curves(self) -> None:
        for key, word, size in (
            ("lato-black", "O", 60),
            ("lato-black", "S", 300),
            ("eb-garamond", "g", 250),
            ("league-spartan", "GO", 40),
        ):
            font = SHIPPED[key]
            face = open_face(font.path.read_bytes(), font.title)
            contours = outlines(shape(word, face), face, size, 1e-6)
            points = np.concatenate([contour.points for contour in contours])
            middle = (points.min(axis=0) + points.max(axis=0)) / 2
            rings = [
                np.column_stack([contour.points[:, 0] - middle[0] + 160, 160 - contour.points[:, 1] + middle[1]])
                for contour in contours
            ]
            snapshot = _flat(320, kind="lettering", word=word, font=key, size=size, depth=20)
            self._compare(snapshot, coverage(rings, 320, 320), f"{key} {word}")

    def test_edges_that_samples_miss_are_there(self) -> None:
        # A box whose edges stand a two-hundredth of a pixel beyond the borders of pixels.
        snapshot = _flat(64, kind="solid", shape="box", width=40.01, height=40.01, depth=10, rounding=0)
        alpha = render(snapshot, QUALITIES["final"]).beauty[..., 3]
        np.testing.assert_allclose(alpha[32, [11, 12, 51, 52]], [0.005, 1, 1, 0.005], atol=1e-4)
        narrower = _flat(64, kind="solid", shape="box", width=39.99, height=39.99, depth=10, rounding=0)
        alpha = render(narrower, QUALITIES["final"]).beauty[..., 3]
        np.testing.assert_allclose(alpha[32, [11, 12, 51, 52]], [0, 0.995, 0.995, 0], atol=1e-4)


def _seen(beauty: NDArray[Any]) -> NDArray[np.float64]:
    """As an eye compares them: over a dark grey, encoded with gamma 2.2 (near to sRGB), in levels of 255."""
    light = beauty[..., :3] + (1 - beauty[..., 3:]) * 0.09
    return np.asarray(255 * np.clip(light, 0, 1) ** (1 / 2.2), np.float64)


_GOLD = {"shading": "metal-rough", "base_colour": "#d9a94e", "roughness": 0.18, "metalness": 1.0}


def _word(**rays: Any) -> Snapshot:
    document = {
        "version": 2,
        "raster": {"width": 320, "height": 180},
        "camera": {"position": [140, 90, 1250], "look_at": [0, 0, 0], "angle": 38},
        "elements": [
            {
                "id": "a",
                "kind": "lettering",
                "word": "GO",
                "font": "league-spartan",
                "size": 330,
                "depth": 80,
                "bevel_width": 24,
                "bevel_steps": 12,
                "face": _GOLD,
                "bevel": _GOLD,
                "side": _GOLD,
                "placement": {"rotation": [0, -18, 0]},
            }
        ],
        "rays": rays,
    }
    return resolve(read_shot(document), 1, NOWHERE)


class AgainstTheOracle(unittest.TestCase):
    def test_highlights_are_calm_without_mirrors(self) -> None:
        snapshot = _word()
        snapshot = replace(snapshot, lights=tuple(replace(light, shadows=False) for light in snapshot.lights))
        true = truth(snapshot, samples=64)
        picture = render(snapshot, QUALITIES["final"])
        covered = true.beauty[..., 3] > 0.5
        off = np.abs(_seen(picture.beauty) - _seen(true.beauty)).max(axis=2)
        # In so small a picture a bevel is a few pixels wide, and every third pixel lies at an edge or in a highlight; one place for
        # each pixel without its bend is off by 3.3 in the mean and beyond 12 in 5 % of the pixels. The oracle's own noise is 0.3.
        self.assertLess(off[covered].mean(), 1.5)
        self.assertLess((off[covered] > 12).mean(), 0.008)
        self.assertLess((off[covered] > 40).mean(), 0.001)

    def test_mirrors_come_nearer_with_more_places(self) -> None:
        snapshot = _word(occlusion=0.6, occlusion_radius=120, bounces=1)
        true = truth(snapshot, samples=64)
        covered = true.beauty[..., 3] > 0.5
        means = []
        for error in (1e6, 24.0, 4.0):
            picture = render(replace(snapshot, error=error), QUALITIES["final"])
            means.append(np.abs(_seen(picture.beauty) - _seen(true.beauty)).max(axis=2)[covered].mean())
        self.assertLess(means[1], 0.8 * means[0])
        self.assertLess(means[2], means[1])

    def test_the_same_bytes_every_time(self) -> None:
        snapshot = _word(bounces=1)
        one, other = (render(snapshot, QUALITIES["final"]).beauty.copy() for _ in range(2))
        np.testing.assert_array_equal(one, other)


def _lettered(word: str, font: str, surface: dict[str, Any], **more: Any) -> Snapshot:
    """A word under a soft sun and a softbox, seen from the side."""
    parts = {part: {"shading": "metal-rough", **surface} for part in ("face", "bevel", "side")}
    element = {"id": "a", "kind": "lettering", "word": word, "font": font, "size": 330, "depth": 80, **parts, **more}
    document = {
        "version": 2,
        "raster": {"width": 240, "height": 136},
        "camera": {"position": [140, 90, 1250], "look_at": [0, 0, 0], "angle": 38},
        "lights": [
            {"kind": "sun", "strength": 1.3, "azimuth": 38, "elevation": 42, "size": 4},
            {"kind": "softbox", "name": "b", "strength": 2, "azimuth": -40, "elevation": 35, "width": 60, "height": 30},
            {"kind": "ambient", "strength": 0.1},
        ],
        "elements": [element | {"placement": {"rotation": [0, -18, 0]}}],
        "rays": {"occlusion": 0.6, "occlusion_radius": 120, "bounces": 1},
    }
    return resolve(read_shot(document), 1, NOWHERE)


class LooksOfOthers(unittest.TestCase):
    """Words, finishes and bevels that the demo does not have, in small pictures: of what is covered, how much is off by more than some levels."""

    def _beyond(self, snapshot: Snapshot, levels: float) -> float:
        true = truth(snapshot, samples=144)
        covered = true.beauty[..., 3] > 0
        off = np.abs(_seen(render(snapshot, QUALITIES["final"]).beauty) - _seen(true.beauty)).max(axis=2)
        return float((off[covered] > levels).mean())

    def test_borders_of_shadows_stay_where_they_are(self) -> None:
        snapshot = _lettered("A&", "eb-garamond", {"base_colour": "#f4f1e6", "roughness": 0.6}, bevel_width=12)
        self.assertLess(self._beyond(snapshot, 12), 0.02)
        red = _lettered("M8", "bebas-neue", {"base_colour": "#e02010", "roughness": 0.02}, bevel_width=20)
        self.assertLess(self._beyond(red, 24), 0.02)

    def test_narrow_bevels_of_chrome_are_no_ropes(self) -> None:
        # Each a pixel or two wide, and all that stands around the set in each of these.
        chrome = {"base_colour": "#e8e8ee", "roughness": 0.05, "metalness": 1.0}
        shown = {"font": "dancing-script", "surface": chrome, "bevel_width": 4, "bevel_profile": "round"}
        snapshot = replace(_lettered("Well", **shown), bounces=0)  # type: ignore[arg-type]
        self.assertLess(self._beyond(snapshot, 12), 0.012)
        self.assertLess(self._beyond(snapshot, 24), 0.003)

    def test_lights_in_mirrors_do_not_run_along_narrow_bevels(self) -> None:
        chrome = {"base_colour": "#e8e8ee", "roughness": 0.05, "metalness": 1.0}
        shown = {"font": "dancing-script", "surface": chrome, "bevel_width": 4, "bevel_profile": "round"}
        # 1.2 % while surroundings were blurred by 2.4 degrees, in the reference, too (decision 073).
        self.assertLess(self._beyond(_lettered("Well", **shown), 12), 0.015)  # type: ignore[arg-type]

    def test_rough_metal_has_no_grain(self) -> None:
        metal = {"base_colour": "#8a1f2d", "roughness": 0.3, "metalness": 1.0}
        snapshot = _lettered("Fjo", "lobster-two", metal, bevel_width=40, bevel_profile="round", bevel_steps=12)
        # Halves of the reference differ from one another by as much: 2.9 to 3.3 %.
        self.assertLess(self._beyond(snapshot, 12), 0.033)


class MirroredHighlights(unittest.TestCase):
    """A rough ball over a smooth metal floor: it mirrors the sun's highlight there, which one ray in a hundred hits."""

    def test_they_are_no_dots_and_as_bright_as_they_are(self) -> None:
        floor = {"kind": "floor", "id": "floor", "placement": {"position": [0, -120, 0]}}
        floor["surface"] = {"base_colour": "#888888", "roughness": 0.15, "metalness": 1}
        ball = {"kind": "solid", "id": "ball", "shape": "ball", "width": 200, "height": 200, "depth": 200}
        ball["surface"] = {"base_colour": "#e0e0e0", "roughness": 0.45}
        shot = read_shot(
            {
                **Shot().model_dump(mode="json"),
                "raster": {"width": 96, "height": 80},
                "camera": {"position": [0, 40, 500]},
                "elements": [ball, floor],
                "lights": [{"kind": "sun", "azimuth": 30, "elevation": 40, "size": 3}],
                "rays": {"bounces": 1, "occlusion": 0},
            }
        )
        snapshot = resolve(shot, 1, NOWHERE)
        found = render(snapshot, QUALITIES["final"]).beauty
        light = found[..., :3].max(axis=2)
        around = np.stack([np.roll(light, (y, x), (0, 1)) for y in (-1, 0, 1) for x in (-1, 0, 1)])
        inside = np.s_[15:65, 30:65]
        self.assertEqual(int((light - np.median(around, axis=0) > 24 / 255)[inside].sum()), 0)
        true = np.mean([truth(snapshot, samples=256).beauty for _ in range(2)], axis=0)
        blocks = [one[16:64, 32:64, :3].reshape(6, 8, 4, 8, 3).mean(axis=(1, 3)) for one in (found, true)]
        shown = [np.clip(one, 0, 1) ** (1 / 2.2) * 255 for one in blocks]
        self.assertLess(float(np.abs(shown[0] - shown[1]).mean()), 1.0)
        self.assertLess(abs(float(blocks[0].sum() / blocks[1].sum()) - 1), 0.01)

    def test_where_pixels_are_cut_either(self) -> None:
        # A steel word on rough ground, whose mirror image is cut by borders of shadows: 16 lone pixels, where each cell casts a ray of its own.
        steel = {"base_colour": "#c3c7cb", "roughness": 0.42, "metalness": 1}
        for shading, roughness in (("shadow only", 0.2), ("shadow only", 0.3), ("metal-rough", 0.2)):
            surface = {
                "shading": shading,
                "roughness": roughness,
                "mirror": 0.8,
                "metalness": 1,
                "base_colour": "#888888",
            }
            floor = {"kind": "floor", "id": "floor", "placement": {"position": [0, -70, 0]}, "surface": surface}
            word = {
                "kind": "lettering",
                "id": "word",
                "word": "Go",
                "face": steel,
                "bevel": steel,
                "side": steel,
                "size": 200,
            }
            more = {"raster": {"width": 480, "height": 270}, "elements": [word, floor], "rays": {"bounces": 1}}
            snapshot = resolve(read_shot({**Shot().model_dump(mode="json"), **more}), 1, None)
            words = resolve(read_shot({**Shot().model_dump(mode="json"), **more, "elements": [word]}), 1, None)
            mirrored, plain = (
                self._lone(render(replace(snapshot, bounces=bounces), QUALITIES["final"]).beauty) for bounces in (1, 0)
            )
            near = binary_dilation(render(words, QUALITIES["check"]).beauty[..., 3] > 0, iterations=3)
            # What has a border without mirrors has it with them.
            lone = (mirrored > 24) & ~near & ~binary_dilation(plain > 6)
            self.assertLess(int(lone.sum()), 8, surface)

    @staticmethod
    def _lone(beauty: NDArray[np.float32]) -> NDArray[np.float64]:
        """How far each pixel [H, W] is from the median of those around it, of 255."""
        shown = 255 * beauty.astype(np.float64).clip(0, 1) ** (1 / 2.2)
        apart: NDArray[np.float64] = np.abs(shown - median_filter(shown, (3, 3, 1))).max(axis=2)
        return apart
