"""Paint over paint that is more than one colour: against the published formulas, written out number by number, and an independent rasteriser."""

import base64
import io
import math
import unittest

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from zeitbild.errors import InputError
from zeitbild.geometry.drawing import mixing
from zeitbild.geometry.drawing.blending import BLENDS, over
from zeitbild.geometry.drawing.gradient import Gradient, Painting
from zeitbild.geometry.drawing.mixing import Mixture, Sources, painting_of
from zeitbild.geometry.drawing.shades import Pictured
from zeitbild.geometry.drawing.testing import drawing, places_off

_STOPS = (
    '<linearGradient id="gloss"><stop stop-color="#fff" stop-opacity=".9"/><stop offset="1" stop-color="#fff" stop-opacity="0"/></linearGradient>'
    '<linearGradient id="dusk" x2="0" y2="1"><stop stop-color="#2060c0"/><stop offset=".5" stop-color="#e0a020"/>'
    '<stop offset="1" stop-color="#801030"/></linearGradient>'
    '<radialGradient id="shade"><stop stop-color="#000" stop-opacity=".8"/><stop offset="1" stop-color="#000" stop-opacity="0"/></radialGradient>'
    '<linearGradient id="grey"><stop stop-color="#fff"/><stop offset="1" stop-color="#000"/></linearGradient>'
)
_GROUND = '<rect x="5" y="5" width="90" height="80" fill="url(#dusk)"/>'


def _address(pixels: NDArray[np.uint8]) -> str:
    file = io.BytesIO()
    Image.fromarray(pixels).save(file, "PNG")
    return "data:image/png;base64," + base64.b64encode(file.getvalue()).decode()


def _pictures() -> tuple[str, str]:
    """An opaque picture, and one that is soft all over."""
    y, x = np.mgrid[:96, :120]
    waves = 120 + 60 * np.sin(x / 9) * np.cos(y / 7)
    alpha = np.clip(255 - ((x - 60) ** 2 + (y - 48) ** 2) / 8, 0, 255)
    opaque = np.stack([x * 2, y * 2, waves], axis=-1).astype(np.uint8)
    return _address(opaque), _address(np.stack([0 * x + 255, 0 * x + 80, 20 + y, alpha], axis=-1).astype(np.uint8))


def _by_the_book(mode: str, below: list[float], own: list[float]) -> list[float]:
    """B(cb, cs) of W3C Compositing and Blending Level 1, sections 9.1 and 9.2, as it is written there."""

    def lum(c: list[float]) -> float:
        return 0.3 * c[0] + 0.59 * c[1] + 0.11 * c[2]

    def set_lum(c: list[float], light: float) -> list[float]:
        moved = [one + light - lum(c) for one in c]
        least, most = min(moved), max(moved)
        if least < 0:
            moved = [light + (one - light) * light / (light - least) for one in moved]
        if most > 1:
            moved = [light + (one - light) * (1 - light) / (most - light) for one in moved]
        return moved

    def set_sat(c: list[float], wanted: float) -> list[float]:
        least, most = min(c), max(c)
        return [(one - least) * wanted / (most - least) if most > least else 0.0 for one in c]

    def sat(c: list[float]) -> float:
        return max(c) - min(c)

    def one(b: float, s: float) -> float:
        if mode == "multiply":
            return b * s
        if mode == "screen":
            return 1 - (1 - b) * (1 - s)
        if mode == "darken":
            return min(b, s)
        if mode == "lighten":
            return max(b, s)
        if mode == "color-dodge":
            return 0.0 if b == 0 else 1.0 if s == 1 else min(1.0, b / (1 - s))
        if mode == "color-burn":
            return 1.0 if b == 1 else 0.0 if s == 0 else 1 - min(1.0, (1 - b) / s)
        if mode in ("hard-light", "overlay"):
            top, under = (s, b) if mode == "hard-light" else (b, s)
            return under * 2 * top if top <= 0.5 else 1 - (1 - under) * (1 - (2 * top - 1))
        if mode == "soft-light":
            root = ((16 * b - 12) * b + 4) * b if b <= 0.25 else math.sqrt(b)
            return b - (1 - 2 * s) * b * (1 - b) if s <= 0.5 else b + (2 * s - 1) * (root - b)
        return abs(b - s) if mode == "difference" else b + s - 2 * b * s

    if mode == "hue":
        return set_lum(set_sat(own, sat(below)), lum(below))
    if mode == "saturation":
        return set_lum(set_sat(below, sat(own)), lum(below))
    if mode == "color":
        return set_lum(own, lum(below))
    if mode == "luminosity":
        return set_lum(below, lum(own))
    return [one(b, s) for b, s in zip(below, own, strict=True)]


class Blending(unittest.TestCase):
    def test_modes_are_those_of_the_specification(self) -> None:
        random = np.random.default_rng(5)
        corners = np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)], np.float64)
        below = np.concatenate([random.random((200, 3)), np.repeat(corners, 8, axis=0), np.full((3, 3), 0.5)])
        own = np.concatenate(
            [random.random((200, 3)), np.tile(corners, (8, 1)), np.array([[0.5] * 3, [0] * 3, [1] * 3])]
        )
        for mode in BLENDS:
            want = [_by_the_book(mode, b, s) for b, s in zip(below.tolist(), own.tolist(), strict=True)]
            np.testing.assert_allclose(BLENDS[mode](below, own), want, atol=1e-12, err_msg=mode)

    def test_over(self) -> None:
        """Section 5.8 and 10, by hand: co = cs as + cb ab (1 - as), Cs = (1 - ab) Cs + ab B(Cb, Cs)."""
        own, below = np.array([0.2, 0.4, 0.6, 0.5]), np.array([0.9, 0.1, 0.3, 0.8])
        red = (0.2 * 0.5 + 0.9 * 0.8 * 0.5) / 0.9
        np.testing.assert_allclose(over(own, below)[[0, 3]], [red, 0.9])
        blended = 0.2 * 0.2 + 0.8 * (0.9 * 0.2)
        np.testing.assert_allclose(over(own, below, "multiply")[0], (blended * 0.5 + 0.9 * 0.8 * 0.5) / 0.9)
        nothing = np.array([0.3, 0.3, 0.3, 0.0])
        np.testing.assert_allclose(over(nothing, nothing), nothing)


class Mixed(unittest.TestCase):
    """Levels of 255: the rasteriser works in whole ones, more than once under masks."""

    def _compare(self, name: str, inner: str, most: float) -> None:
        with self.subTest(name):
            found, off = places_off(_STOPS + inner)
            self.assertEqual(found.notes, ())
            self.assertGreater(len(off), 20_000)
            self.assertLess(float(off.mean()), most / 3)
            self.assertLess(float(np.quantile(off, 0.998)), most)

    def test_colours_by_place_over_others(self) -> None:
        for name, inner in {
            "a gloss over a colour": '<circle cx="50" cy="45" r="35" fill="#c02030"/><ellipse cx="50" cy="30" rx="28" ry="18" fill="url(#gloss)"/>',
            "a gloss over a gradient": f'{_GROUND}<ellipse cx="50" cy="30" rx="28" ry="18" fill="url(#gloss)"/>',
            "a veil of one colour": f'{_GROUND}<circle cx="50" cy="40" r="25" fill="#10ff40" fill-opacity=".4"/>',
            "a gradient that lets as much through everywhere": f'<rect width="90" height="60" fill="#a40"/><g fill-opacity=".5">{_GROUND}</g>',
            "a shadow over several": f'{_GROUND}<rect x="45" y="5" width="30" height="70" fill="#ddd"/>'
            '<ellipse cx="50" cy="60" rx="40" ry="10" fill="url(#shade)"/>',
            "three over one another": '<rect x="5" y="5" width="60" height="50" fill="url(#gloss)"/><circle cx="60" cy="45" r="30" fill="url(#shade)"/>'
            '<rect x="30" y="20" width="60" height="50" fill="url(#gloss)" transform="rotate(40 60 45)"/>',
            "a group as one": f'{_GROUND}<g opacity=".6"><circle cx="40" cy="40" r="25" fill="url(#grey)"/><circle cx="65" cy="40" r="20" fill="#0c0"/></g>',
            "groups in one another": f'{_GROUND}<g opacity=".8"><circle cx="40" cy="40" r="25" fill="url(#gloss)"/><g opacity=".5">'
            '<circle cx="60" cy="50" r="25" fill="url(#grey)"/></g></g>',
        }.items():
            self._compare(name, inner, 2.5)

    def test_under_masks(self) -> None:
        opaque, soft = _pictures()
        for name, inner in {
            "a gradient under a gradient": f'<mask id="m"><rect width="100" height="100" fill="url(#grey)"/></mask><g mask="url(#m)">{_GROUND}</g>',
            "of a colour and a gradient": '<mask id="m"><rect width="100" height="100" fill="#fff"/><circle cx="50" cy="40" r="30" fill="url(#shade)"/></mask>'
            '<rect x="5" y="5" width="90" height="70" fill="#2080c0" mask="url(#m)"/>',
            "by alpha": f'<mask id="m" mask-type="alpha"><rect width="100" height="100" fill="url(#gloss)"/></mask><g mask="url(#m)">{_GROUND}</g>',
            "a picture": f'<mask id="m"><image x="10" y="10" width="80" height="64" href="{opaque}"/></mask><g mask="url(#m)">{_GROUND}</g>',
            "a soft picture by alpha": f'<mask id="m" mask-type="alpha"><image x="10" y="10" width="80" height="64" href="{soft}"/></mask>'
            f'<g mask="url(#m)">{_GROUND}</g>',
        }.items():
            self._compare(name, inner, 5.0)

    def test_blend_modes(self) -> None:
        for mode in BLENDS:
            # What the rasteriser does with colours that must be brought back into range is not what is published.
            own = "#997766" if mode in ("hue", "saturation", "color", "luminosity") else "#e62"
            self._compare(
                mode,
                f'<rect x="50" y="5" width="45" height="70" fill="#3a9"/><g style="mix-blend-mode:{mode}"><circle cx="55" cy="40" r="28" fill="{own}"/></g>'
                f'<rect x="5" y="50" width="90" height="30" fill="#a86" fill-opacity=".6" style="mix-blend-mode:{mode}"/>',
                2.5,
            )
        self._compare(
            "over a gradient",
            f'{_GROUND}<rect x="20" y="20" width="60" height="60" fill="url(#gloss)" style="mix-blend-mode:multiply"/>'
            '<circle cx="60" cy="60" r="20" fill="#cc4" style="mix-blend-mode:screen" opacity=".7"/>',
            2.5,
        )
        self._compare(
            "with its own group alone",
            '<rect x="5" y="5" width="90" height="70" fill="#e80"/><g style="isolation:isolate"><circle cx="40" cy="40" r="25" fill="#08c"/>'
            '<circle cx="60" cy="40" r="25" fill="#cc0" style="mix-blend-mode:multiply" opacity=".8"/></g>',
            2.5,
        )
        self.assertIn(
            "plus-lighter", drawing('<rect width="9" height="9" style="mix-blend-mode:plus-lighter"/>').notes[0]
        )


class Texts(unittest.TestCase):
    def test_what_was_mixed_is_known_by_its_text_alone(self) -> None:
        inner = f'{_STOPS}{_GROUND}<ellipse cx="50" cy="30" rx="28" ry="18" fill="url(#gloss)" opacity=".7"/>'
        one, other = drawing(inner), drawing(inner)
        shade = next(shade for shade in one.shades if shade.mixed)
        told = one.pictures[shade]
        for alpha in (False, True):
            for a, b in zip(
                one.levels(Pictured.of(told), 4, alpha=alpha),
                other.levels(Pictured.of(told), 4, alpha=alpha),
                strict=True,
            ):
                np.testing.assert_array_equal(a, b)

    def test_small_regions_have_small_pictures(self) -> None:
        many = "".join(
            f'<circle cx="{5 + 10 * (at % 10)}" cy="{5 + 10 * (at // 10)}" r="4" fill="url(#dusk)"/>'
            for at in range(60)
        )
        found = drawing(_STOPS + many)
        sizes = [found.levels(Pictured.of(found.pictures[shade]), 1, alpha=False)[0].size for shade in found.shades]
        self.assertEqual(len(sizes), 60)
        # Each as large as the whole would be sixty times a million pixels, of three numbers each.
        self.assertLess(sum(sizes), 3 * 2_000_000)

    def test_wrong_ones_are_refused(self) -> None:
        gradient = Gradient(False, (0, 0, 1, 0), np.eye(2, 3), np.zeros((1, 5)), "pad")

        def nothing(text: str) -> Painting:
            raise InputError(text)

        sources = Sources([gradient], [], 1.0, "it", nothing)
        good = mixing.laid_over(mixing.gradient_layer(0, 1, fades=True), mixing.plain_layer((1, 0, 0), 1))
        read = painting_of(good, sources)
        assert isinstance(read, Mixture)
        self.assertEqual(read.how, "o")
        for wrong in (
            "",
            "nonsense",
            good[:-1],
            good + "0",
            good.replace("g0", "g1"),
            good.replace("g0", "i0"),
            "(" + good,
            f"({good})00x0o{good}",
            good * 60,
            "(" * 400,
            "r0:0-0.ffff",
            "r0.ffff",
        ):
            with self.assertRaises(InputError, msg=wrong[:40]):
                painting_of(wrong, sources)
        found = drawing(_STOPS + _GROUND)
        for place in (
            "1,2,3",
            "0,0,0,0,9",
            "nan,0,1,1,9",
            "5,5,1,1,9",
            "x",
            "0,0,1,1",
            "0,0,1,1,0",
            "0,0,1,1,1e9",
            "0,0,1,1,nan",
        ):
            with self.assertRaises(InputError, msg=place):
                found.levels(Pictured.of(f"0@{place}"), 1, alpha=False)

    def test_too_many_are_mixed_by_their_middle_colours(self) -> None:
        many = "".join(
            f'<rect x="{at * 1.2:.1f}" y="{at / 2:.1f}" width="40" height="30" fill="url(#gloss)"/>' for at in range(40)
        )
        found = drawing(_STOPS + _GROUND + many)
        self.assertIn("middle colours", found.notes[0])
        self.assertEqual(sum(bool(shade.painting) for shade in found.shades), 160)

    def test_edges_of_many_pictures_are_there_or_not(self) -> None:
        _, soft = _pictures()
        inner = "".join(
            f'<image x="{at}" y="{(at * 7) % 50}" width="40" height="32" href="{soft}"/>' for at in range(40)
        )
        found = drawing(f"{_STOPS}{_GROUND}{inner}")
        self.assertIn("half there", found.notes[0])
        few = drawing(f'{_STOPS}{_GROUND}<image x="9" y="9" width="40" height="32" href="{soft}"/>')
        self.assertEqual(few.notes, ())
