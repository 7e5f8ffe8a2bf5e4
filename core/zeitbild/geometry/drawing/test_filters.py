"""Filters of drawings: steps by hand and by their published formulas, whole ones against an independent rasteriser."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import shapely

from zeitbild.errors import InputError
from zeitbild.geometry.drawing.filtering import filtered
from zeitbild.geometry.drawing.filters import filters_of, steps_below
from zeitbild.geometry.drawing.shades import Pictured
from zeitbild.geometry.drawing.testing import colours_at, document, drawing, places_off
from zeitbild.geometry.puppet.rig import rig_at

_ACROSS = np.eye(2)
_GROUND = '<rect width="100" height="100" fill="#dde"/>'
_STOPS = '<linearGradient id="g" x2="0" y2="1"><stop stop-color="#2060c0"/><stop offset="1" stop-color="#e0a020"/></linearGradient>'
_PLATE = '<rect x="25" y="20" width="40" height="36" rx="6" fill="url(#g)" filter="url(#f)"/>'
_ALPHA = (
    '<feColorMatrix in="SourceAlpha" type="matrix" values="0 0 0 0 0 0 0 0 0 0 0 0 0 0 0 0 0 0 127 0" result="hard"/>'
)


def _step(kind: str, **more: object) -> dict[str, object]:
    return {"kind": kind, "in": "", "in2": "", "result": "", "linear": False, **more}


def _source() -> np.ndarray:  # type: ignore[type-arg]
    """A square of one colour, half there, in the middle of 60 x 60 pixels."""
    found = np.zeros((60, 60, 4), np.float32)
    found[20:40, 20:40] = 0.4, 0.2, 0.1, 0.5
    return found


class Steps(unittest.TestCase):
    def test_a_blur_spreads_by_its_deviation_and_loses_nothing(self) -> None:
        point = np.zeros((121, 121, 4), np.float32)
        point[60, 60] = 1
        for deviation in (1.5, 6.0, 14.0):
            made = filtered(point, [_step("feGaussianBlur", blur=[deviation, deviation / 2])], _ACROSS, None)[..., 3]
            self.assertAlmostEqual(float(made.sum()), 1, delta=0.01)
            away = np.arange(121) - 60
            for axis, wanted in ((0, deviation), (1, deviation / 2)):
                spread = float(np.sqrt((made.sum(axis=axis) * away**2).sum()))
                # Far ones are blurred in fewer pixels, which have a width of their own.
                self.assertAlmostEqual(spread, wanted, delta=0.04 * wanted)

    def test_moving_flooding_and_composing(self) -> None:
        source = _source()
        moved = filtered(source, [_step("feOffset", by=[5.0, -3.0])], _ACROSS, None)
        np.testing.assert_allclose(moved[17:37, 25:45], source[20:40, 20:40], atol=1e-6)
        turned = filtered(source, [_step("feOffset", by=[5.0, 0.0])], np.array([[0.0, -1.0], [1.0, 0.0]]), None)
        np.testing.assert_allclose(turned[25:45, 20:40], source[20:40, 20:40], atol=1e-6)
        # Porter and Duff 1984, by hand: half of something over half of a flood of green.
        flood = _step("feFlood", flood=[0.0, 1.0, 0.0, 0.5])
        own, below = source[30, 30], np.array([0.0, 0.5, 0.0, 0.5])
        for operator, mine, other in (
            ("over", 1, 0.5),
            ("in", 0.5, 0),
            ("out", 0.5, 0),
            ("atop", 0.5, 0.5),
            ("xor", 0.5, 0.5),
        ):
            steps = [flood, _step("feComposite", **{"in": "SourceGraphic", "operator": operator, "k": [0] * 4})]
            made = filtered(source, steps, _ACROSS, None)
            np.testing.assert_allclose(made[30, 30], own * mine + below * other, atol=1e-6, err_msg=operator)
            outside = below if operator in ("over", "atop", "xor") else below * 0
            np.testing.assert_allclose(made[5, 5], outside, atol=1e-6, err_msg=operator)
        sums = _step("feComposite", **{"in": "SourceGraphic", "operator": "arithmetic", "k": [0, 0.5, 0.25, 0.1]})
        made = filtered(source, [flood, sums], _ACROSS, None)[30, 30]
        np.testing.assert_allclose(made, np.minimum(own * 0.5 + below * 0.25 + 0.1, 0.475), atol=1e-6)

    def test_colours(self) -> None:
        source = np.broadcast_to(np.array([0.8, 0.4, 0.2, 1.0], np.float32), (4, 4, 4)).copy()

        def of(**more: object) -> np.ndarray:  # type: ignore[type-arg]
            return filtered(source, [_step("feColorMatrix", **more)], _ACROSS, None)[0, 0]

        grey = 0.2126 * 0.8 + 0.7152 * 0.4 + 0.0722 * 0.2
        np.testing.assert_allclose(of(type="saturate", values=[0.0])[:3], [grey] * 3, atol=1e-3)
        np.testing.assert_allclose(of(type="hueRotate", values=[360.0]), source[0, 0], atol=1e-5)
        light = 0.2125 * 0.8 + 0.7154 * 0.4 + 0.0721 * 0.2
        np.testing.assert_allclose(of(type="luminanceToAlpha", values=[]), [0, 0, 0, light], atol=1e-5)
        functions = [
            {"kind": "table", "table": [0.0, 0.5, 0.6]},
            {"kind": "discrete", "table": [0.1, 0.9]},
            {"kind": "gamma", "amplitude": 2.0, "exponent": 2.0, "offset": 0.1},
            {"kind": "linear", "slope": 0.5, "intercept": 0.25},
        ]
        made = filtered(source, [_step("feComponentTransfer", functions=functions)], _ACROSS, None)[0, 0]
        np.testing.assert_allclose(made, np.array([0.56, 0.1, 0.18, 1.0]) * 0.75, atol=1e-5)

    def test_light_and_encoded_colours(self) -> None:
        """IEC 61966-2-1: black and white mixed to equal parts are 0.73536 of white as light, and 0.5 encoded."""
        source = np.zeros((200, 200, 4), np.float32)
        source[..., 3] = 1
        source[:, 100:, :3] = 1
        for linear, want in ((True, 0.73536), (False, 0.5)):
            made = filtered(source, [_step("feGaussianBlur", blur=[4.0, 0.0], linear=linear)], _ACROSS, None)
            self.assertAlmostEqual(float(made[100, 99:101, 0].mean()), want, delta=0.01)

    def test_growing_and_shrinking(self) -> None:
        for grows, wide in ((True, 26), (False, 14)):
            made = filtered(_source(), [_step("feMorphology", grows=grows, radius=[3.0, 0.0])], _ACROSS, None)
            self.assertEqual(int((made[30, :, 3] > 0.25).sum()), wide)
            self.assertEqual(int((made[:, 30, 3] > 0.25).sum()), 20)

    def test_what_stands_unchanged_on_its_shadow_stays_an_outline(self) -> None:
        shadow = _step("feDropShadow", blur=[1.0, 1.0], by=[2.0, 2.0], flood=[0, 0, 0, 1])
        blurred = _step("feGaussianBlur", blur=[1.0, 1.0], **{"in": "SourceAlpha"})
        merged = _step("feMerge", of=["", "SourceGraphic"])
        blended = _step("feBlend", mode="", **{"in": "SourceGraphic", "in2": "shadow"})
        for steps in ([shadow], [blurred, merged], [blurred, blended]):
            below = steps_below(steps)
            assert below is not None
            source = _source()
            source[..., :] = source / np.maximum(source[..., 3:], 1e-9)
            whole, part = (filtered(source, one, _ACROSS, None) for one in (steps, below))
            np.testing.assert_allclose(whole, source + part * (1 - source[..., 3:]), atol=1e-6)
        for steps in ([blurred], [blurred, _step("feBlend", mode="multiply", **{"in": "SourceGraphic"})], []):
            self.assertIsNone(steps_below(steps))


class Whole(unittest.TestCase):
    def test_as_an_independent_rasteriser_has_them(self) -> None:
        shadow = (
            '<feFlood flood-opacity="0" result="none"/>'
            + _ALPHA
            + '<feOffset dy="4"/><feGaussianBlur stdDeviation="2"/>'
            '<feComposite in2="hard" operator="out"/><feColorMatrix type="matrix" values="0 0 0 0 0 0 0 0 0 0 0 0 0 0 0 0 0 0 0.4 0"/>'
            '<feBlend mode="normal" in2="none" result="one"/><feBlend mode="normal" in="SourceGraphic" in2="one"/>'
        )
        within = (
            '<feFlood flood-opacity="0" result="none"/><feBlend mode="normal" in="SourceGraphic" in2="none" result="shape"/>'
            + _ALPHA
            + '<feOffset dy="4"/><feGaussianBlur stdDeviation="2"/><feComposite in2="hard" operator="arithmetic" k2="-1" k3="1"/>'
            '<feColorMatrix type="matrix" values="0 0 0 0 0 0 0 0 0 0 0 0 0 0 0 0 0 0 0.5 0"/><feBlend mode="normal" in2="shape"/>'
        )
        encoded = 'color-interpolation-filters="sRGB"'
        for name, said, steps, body in (
            ("blurred", "", '<feGaussianBlur stdDeviation="3"/>', _PLATE),
            ("blurred, encoded", encoded, '<feGaussianBlur stdDeviation="3"/>', _PLATE),
            (
                "a shadow",
                "",
                '<feDropShadow dx="4" dy="5" stdDeviation="2.5" flood-color="#024" flood-opacity=".7"/>',
                _PLATE,
            ),
            ("a shadow that is cut out", encoded, shadow, _PLATE),
            ("a shadow within", encoded, within, _PLATE),
            (
                "of light",
                "",
                '<feGaussianBlur stdDeviation="3" result="b"/><feMerge><feMergeNode in="b"/><feMergeNode in="SourceGraphic"/></feMerge>',
                '<g filter="url(#f)"><circle cx="40" cy="40" r="15" fill="#fd6"/><circle cx="60" cy="45" r="12" fill="#a30"/></g>',
            ),
            (
                "clipped, faded and masked when it is done",
                "",
                '<feGaussianBlur stdDeviation="2"/>',
                '<clipPath id="c"><rect x="20" y="15" width="30" height="50"/></clipPath><mask id="m"><rect y="25" width="100" height="99" fill="#fff"/></mask>'
                f'<g clip-path="url(#c)" opacity=".8"><g mask="url(#m)">{_PLATE}</g></g>',
            ),
            ("less of its colours", encoded, '<feColorMatrix type="saturate" values=".3"/>', _PLATE),
            (
                "moved, with its units",
                encoded,
                '<feOffset dx="5" dy="3"/>',
                f'<g transform="scale(1.2 .9)">{_PLATE}</g>',
            ),
        ):
            with self.subTest(name):
                found, off = places_off(f'{_STOPS}<filter id="f" {said}>{steps}</filter>{_GROUND}{body}', within=0.7)
                self.assertEqual(found.notes, ())
                self.assertLess(float(off.mean()), 0.8)
                # Along sharp edges of what is filtered, too.
                self.assertLess(float(np.quantile(off, 0.98)), 6.0)

    def test_functions_of_style_sheets(self) -> None:
        found, off = places_off(f'{_GROUND}<circle cx="50" cy="50" r="20" fill="#07c" style="filter: blur(3px)"/>')
        self.assertEqual(found.notes, ())
        self.assertLess(float(np.quantile(off, 0.99)), 3.0)
        one = drawing(
            f'{_GROUND}<circle cx="50" cy="50" r="20" fill="#07c" style="filter: drop-shadow(3px 4px 2px #0008)"/>'
        )
        two = drawing(
            '<filter id="f" color-interpolation-filters="sRGB" x="-1" y="-1" width="3" height="3"><feDropShadow dx="3" dy="4" stdDeviation="2" '
            f'flood-color="#000" flood-opacity=".5333"/></filter>{_GROUND}<circle cx="50" cy="50" r="20" fill="#07c" filter="url(#f)"/>'
        )
        points = np.random.default_rng(1).random((4, 500, 2)) * 100
        own, other = (colours_at(found, points)[0] for found in (one, two))
        self.assertLess(float(np.abs(own - other).mean()), 0.003)

    def test_what_casts_a_shadow_keeps_its_outline(self) -> None:
        found = drawing(
            '<filter id="f"><feDropShadow dx="3" dy="3" stdDeviation="1"/></filter><circle cx="50" cy="50" r="20" fill="#07c" filter="url(#f)"/>'
        )
        plain = next(
            region for region in found.regions(0.002) if region.shade.colour == "#0077cc" and not region.shade.mixed
        )
        (loop,) = plain.outline.loops()
        self.assertAlmostEqual(shapely.Polygon(loop * plain.outline.step).area, np.pi * 400, delta=0.5)

    def test_a_shadow_is_no_part_of_what_has_edges(self) -> None:
        shadow = '<filter id="f"><feDropShadow dx="3" dy="3" stdDeviation="2"/></filter>'
        circle = '<circle cx="50" cy="50" r="20" fill="#07c" filter="url(#f)"/>'
        (firm,) = drawing(shadow + circle).firm(0.002)
        self.assertEqual(firm.shade.colour, "#0077cc")
        # Of what is nothing else it is.
        blurred = '<filter id="f"><feGaussianBlur stdDeviation="2"/></filter>'
        self.assertEqual(len(drawing(blurred + circle).firm(0.002)), 1)

    def test_over_one_thing_it_leaves_no_edge(self) -> None:
        blur = '<filter id="f"><feGaussianBlur stdDeviation="2"/></filter>'
        circle = '<circle cx="50" cy="50" r="20" fill="#07c" filter="url(#f)"/>'
        (region,) = drawing(f"{blur}{_GROUND}{circle}").regions(0.002)
        self.assertEqual(len(region.outline.loops()), 1)
        # What cuts it off does.
        clip = '<clipPath id="c"><rect width="50" height="100"/></clipPath>'
        found = drawing(f'{blur}{clip}{_GROUND}<g clip-path="url(#c)">{circle}</g>')
        self.assertEqual(len(found.shades), 2)
        # And what shows something of what stands on it in its own group.
        shadow = '<filter id="f"><feDropShadow dx="3" dy="3" stdDeviation="2"/></filter>'
        found, off = places_off(f'{shadow}{_GROUND}<g opacity=".5">{circle}</g>')
        self.assertLess(float(np.quantile(off, 0.98)), 6.0)

    def test_parts_of_a_puppet_keep_theirs(self) -> None:
        text = (
            '<filter id="f"><feGaussianBlur stdDeviation="2"/></filter><g id="body"><rect width="60" height="60" fill="#c20"/></g>'
            '<g id="glow"><circle cx="60" cy="50" r="9" fill="#fd6"/><circle cx="60" cy="70" r="12" fill="#fd6" filter="url(#f)"/></g>'
        )
        whole = drawing(text)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "x.svg"
            path.write_text(document('viewBox="0 0 100 100"', text), encoding="utf-8")
            rig = rig_at(path, "x.svg")
        limb = next(one.drawing for one in rig.limbs if one.name == "glow")
        assert limb is not None
        for shade in limb.shades:
            if shade.mixed:
                # What fills it is known to the whole drawing, too.
                places = np.array([[[60.0, 70.0], [60.0, 82.0]]])
                np.testing.assert_allclose(
                    whole.painting(shade.mixed).at(places), limb.painting(shade.mixed).at(places), atol=1e-3
                )

    def test_what_is_not_read_is_told_and_nothing_is_endless(self) -> None:
        body = '<rect width="50" height="50" fill="#c20" filter="url(#f)"/>'
        blur = '<feGaussianBlur stdDeviation="{}"/>'
        for said, steps, told in (
            ("", "<feTurbulence/>", "feTurbulence"),
            ("", blur.format(1) * 40, "more than 32 steps"),
            ("", '<feComposite operator="nonsense"/>', "nonsense"),
            ("", '<feBlend mode="nonsense"/>', "nonsense"),
            ("", '<feColorMatrix type="nonsense"/>', "nonsense"),
            ("", '<feFlood in="FillPaint"/>', "FillPaint"),
        ):
            self.assertIn(told, " ".join(drawing(f'<filter id="f" {said}>{steps}</filter>{body}').notes), steps[:40])
        self.assertIn("not there", drawing('<rect width="9" height="9" filter="url(#gone)"/>').notes[0])
        self.assertIn("sepia", drawing('<rect width="9" height="9" style="filter: sepia(1)"/>').notes[0])
        everywhere = 'filterUnits="userSpaceOnUse" x="-1e8" y="-1e8" width="2e8" height="2e8"'
        for said, steps in (
            (everywhere, '<feFlood flood-color="red"/>'),
            (everywhere, blur.format(400)),
            ("", blur.format("nan") + '<feOffset dx="inf"/>'),
            ("", blur.format(-3)),
            ("", '<feMorphology operator="dilate" radius="5000"/>'),
        ):
            found = drawing(f'<filter id="f" {said}>{steps}</filter>{body}')
            for told in found.pictures.values():
                self.assertLess(found.levels(Pictured.of(told), 1, alpha=False)[0].size, 12_000_000)
        scaled = f'<g transform="scale(1e150)"><g transform="scale(1e150)">{body}</g></g><rect width="9" height="9"/>'
        self.assertEqual(len(drawing(f'<filter id="f">{blur.format(3)}</filter>{scaled}').shades), 1)
        # The more there is to do, the fewer pixels.
        hard = (
            blur.format(9) + '<feMorphology operator="dilate" radius="4"/><feColorMatrix type="hueRotate" values="20"/>'
        ) * 10
        for count, most in ((1, 1_500_000), (40, 80_000)):
            whole = "".join(
                f'<filter id="f{at}" x="-1" y="-1" width="3" height="3">{hard}</filter>' for at in range(count)
            )
            told = drawing(whole + body.replace("#f", "#f0")).plain["filters"] * count
            own = filters_of([(at, one) for at, (_, one) in enumerate(told)])
            self.assertLess(own[0].pixels, most)
        for steps in ("", blur.format(1e9), '<feMorphology operator="erode" radius="50"/>'):
            with self.assertRaises(InputError, msg=steps):
                drawing(f'<filter id="f">{steps}</filter>{body}')
