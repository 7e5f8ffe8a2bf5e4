"""Drawings: arcs against formulas, strokes against an independent geometry library, and documents that are broken or mean harm."""

import gzip
import math
import random
import unittest

import numpy as np
import shapely
from fontTools.misc.transform import Identity

from zeitbild.errors import DrawingError, InputError, LimitError
from zeitbild.geometry.drawing.painting import Drawing
from zeitbild.geometry.drawing.placing import origin_of, transform_of
from zeitbild.geometry.drawing.reading import read_drawing
from zeitbild.geometry.drawing.shades import Shade
from zeitbild.geometry.drawing.styles import colour_of, length
from zeitbild.geometry.drawing.testing import document, drawing, pixels
from zeitbild.geometry.drawing.tracks import Track, ellipse, path, polygon, rectangle
from zeitbild.isolation.marking import inside

_read = inside(read_drawing)


def area(contours: list[Track]) -> float:
    """Area of closed polylines of a drawing's tracks, by the trapezoid rule."""
    total = 0.0
    for track in contours:
        t = np.linspace(0, 1, 200)[:, None]
        points = np.concatenate(
            [
                (1 - t) ** 3 * a + 3 * (1 - t) ** 2 * t * b + 3 * (1 - t) * t**2 * c + t**3 * d
                for a, b, c, d in track.curves
            ]
        )
        x, y = points.T
        total += float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum() / 2)
    return total


class Regions(unittest.TestCase):
    def _areas(self, found: Drawing) -> dict[Shade, float]:
        areas = {}
        for region in found.regions(0.001):
            loops = [loop * region.outline.step for loop in region.outline.loops()]
            areas[region.shade] = sum(
                float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum() / 2) for x, y in (loop.T for loop in loops)
            )
        return areas

    def test_later_paint_hides_earlier(self) -> None:
        found = drawing('<rect width="50" height="50" fill="red"/><rect x="25" width="50" height="50" fill="blue"/>')
        areas = self._areas(found)
        self.assertAlmostEqual(areas[Shade("#ff0000")], 25 * 50, places=2)
        self.assertAlmostEqual(areas[Shade("#0000ff")], 50 * 50, places=2)

    def test_paint_that_lets_something_through_mixes_as_over_does(self) -> None:
        # Porter and Duff 1984, of encoded colours, as CSS Compositing 1 says (section 5.1).
        found = drawing(
            '<rect width="50" height="50" fill="#ff0000"/><rect x="25" width="50" height="50" fill="#0000ff" opacity=".25"/>'
        )
        areas = self._areas(found)
        self.assertAlmostEqual(areas[Shade("#bf0040")], 25 * 50, places=2)
        self.assertAlmostEqual(areas[Shade("#0000ff", 0.25)], 25 * 50, places=2)
        two = drawing(
            '<g fill="#000" fill-opacity=".5"><rect width="50" height="50"/><rect width="50" height="50"/></g>'
        )
        self.assertEqual(two.shades, (Shade("#000000", 0.75),))

    def test_one_colour_is_one_region_however_it_is_written(self) -> None:
        found = drawing(
            '<rect width="9" height="9" fill="red"/><rect x="20" width="9" height="9" fill="#f00"/>'
            '<rect x="40" width="9" height="9" fill="rgb(100%,0%,0%)"/><rect x="60" width="9" height="9" style="fill:hsl(0,100%,50%)"/>'
        )
        self.assertEqual(found.shades, (Shade("#ff0000"),))
        self.assertEqual(len(found.regions(0.01)[0].outline.loops()), 4)

    def test_hundreds_of_paths(self) -> None:
        inner = '<rect width="100" height="100"/>' + "".join(
            f'<circle cx="{x * 4 + 2}" cy="{y * 4 + 2}" r="1.5" fill="hsl({(x * 7 + y) % 12 * 30},80%,50%)"/>'
            for x in range(25)
            for y in range(20)
        )
        areas = self._areas(drawing(inner))
        self.assertEqual(len(areas), 13)
        self.assertAlmostEqual(sum(areas.values()), 10_000, places=1)
        self.assertAlmostEqual(areas[Shade("#000000")], 10_000 - 500 * math.pi * 2.25, delta=0.5)

    def test_normals_are_those_of_the_true_curve_on_both_sides_of_a_border(self) -> None:
        found = drawing('<rect width="100" height="100" fill="#fff"/><circle cx="50" cy="50" r="30" fill="#000"/>')
        for region in found.regions(0.01):
            outline = region.outline
            points = outline.points * outline.step + outline.origin - (50, -50)
            far = np.hypot(*points.T)
            ring = (far > 29) & (far < 31)
            out = 1 if region.shade.colour == "#000000" else -1
            true = out * points[ring] / far[ring][:, None]
            self.assertGreater(float((outline.normals[ring, 0] * true).sum(axis=1).min()), 1 - 1e-6)


class Tracks(unittest.TestCase):
    def test_arcs_lie_on_their_ellipse(self) -> None:
        # SVG 2, appendix B.2: centre, radii and angles of an arc given by its ends.
        tracks, whole = path("M60 40 A 40 20 30 1 1 20 30")
        self.assertTrue(whole)
        t = np.linspace(0, 1, 50)[:, None]
        points = np.concatenate(
            [
                (1 - t) ** 3 * a + 3 * (1 - t) ** 2 * t * b + 3 * (1 - t) * t**2 * c + t**3 * d
                for a, b, c, d in tracks[0].curves
            ]
        )
        turned = math.radians(30)
        x1, y1 = (60 - 20) / 2, (40 - 30) / 2
        x, y = math.cos(turned) * x1 + math.sin(turned) * y1, -math.sin(turned) * x1 + math.cos(turned) * y1
        root = math.sqrt((40**2 * 20**2 - 40**2 * y**2 - 20**2 * x**2) / (40**2 * y**2 + 20**2 * x**2))
        # Large and sweep are the same: the root is negative.
        cx, cy = -root * 40 * y / 20, root * 20 * x / 40
        middle = np.array(
            [math.cos(turned) * cx - math.sin(turned) * cy + 40, math.sin(turned) * cx + math.cos(turned) * cy + 35]
        )
        own = (points - middle) @ np.array(
            [[math.cos(turned), -math.sin(turned)], [math.sin(turned), math.cos(turned)]]
        )
        np.testing.assert_allclose((own[:, 0] / 40) ** 2 + (own[:, 1] / 20) ** 2, 1, atol=1e-6)
        np.testing.assert_array_equal(tracks[0].curves[-1, 3], [20, 30])

    def test_areas_of_the_basic_shapes(self) -> None:
        self.assertAlmostEqual(area(ellipse(5, 5, 30, 20)), math.pi * 600, delta=0.05)
        self.assertAlmostEqual(area(rectangle(1, 2, 30, 20)), 600, places=6)
        # Corners take away (4 - pi) rx ry.
        self.assertAlmostEqual(area(rectangle(1, 2, 30, 20, 6, 4)), 600 - (4 - math.pi) * 24, delta=0.01)
        self.assertAlmostEqual(area(rectangle(0, 0, 30, 20, 99, 99)), math.pi * 150, delta=0.02)
        for nothing in (ellipse(0, 0, -1, 5), rectangle(0, 0, 0, 5), polygon([1, 2, 3], True)):
            self.assertEqual(nothing, [])

    def test_strokes_cover_what_buffers_cover(self) -> None:
        line = [10.0, 10.0, 60.0, 12.0, 30.0, 50.0, 80.0, 70.0]
        points = np.array(line).reshape(-1, 2)
        for cap, join, caps, joins in (
            ("round", "round", "round", "round"),
            ("butt", "bevel", "flat", "bevel"),
            ("square", "miter", "square", "mitre"),
        ):
            shape = (
                f'<polyline points="{" ".join(map(str, line))}" fill="none" stroke="red" stroke-width="8" '
                f'stroke-linecap="{cap}" stroke-linejoin="{join}" stroke-miterlimit="20"/>'
            )
            found = drawing(shape).regions(0.001)[0].outline
            loops = [(loop * found.step + found.origin) * (1, -1) for loop in found.loops()]
            own = shapely.Polygon(loops[0], loops[1:])
            true = shapely.LineString(points).buffer(4, cap_style=caps, join_style=joins, mitre_limit=20, quad_segs=256)
            self.assertLess(shapely.symmetric_difference(own, true).area / true.area, 2e-4, (cap, join))

    def test_round_caps_and_strokes_are_round(self) -> None:
        for inner, radius in (
            ('<path d="M50 50 h0" stroke="#000" stroke-width="30" stroke-linecap="round"/>', 15),
            ('<circle cx="50" cy="50" r="30" fill="none" stroke="#000" stroke-width="10"/>', 35),
        ):
            outline = drawing(inner).regions(1e-4)[0].outline
            outer = max((loop * outline.step + outline.origin for loop in outline.loops()), key=len)
            np.testing.assert_allclose(np.hypot(*(outer - (50, -50)).T), radius, rtol=2e-5)

    def test_damaged_path_data_ends_where_it_is_damaged(self) -> None:
        tracks, whole = path("M0 0 L10 0 L10 10 Z M5 5 L 7 nonsense")
        self.assertFalse(whole)
        self.assertEqual(len(tracks[0].curves), 3)


class Values(unittest.TestCase):
    def test_lengths(self) -> None:
        # CSS Values and Units 4, section 6.2: 96 pixels an inch.
        for text, pixels_ in (
            ("1in", 96),
            ("2.54cm", 96),
            ("72pt", 96),
            ("6pc", 96),
            ("25.4mm", 96),
            ("50%", 40),
            ("2em", 20),
        ):
            self.assertAlmostEqual(length(text, 80, 10), pixels_, places=9)
        for none in ("", "abc", "1e999", "12parsec", "nan"):
            self.assertTrue(math.isnan(length(none, 80, 10)))

    def test_points_that_transforms_are_about(self) -> None:
        for text, point in (
            ("center", (100, 50)),
            ("left", (0, 50)),
            ("top", (100, 0)),
            ("bottom left", (0, 100)),
            ("50% 10px", (100, 10)),
            ("10px", (10, 50)),
            ("right top", (200, 0)),
            ("center 5px 3px", (100, 5)),
        ):
            self.assertEqual(origin_of(text, (200, 100)), point, text)
        box = '<rect x="10" y="20" width="30" height="10" style="transform-box:fill-box;transform-origin:center;transform:rotate(90deg)"/>'
        np.testing.assert_allclose(drawing(box).bounds, [[20, -40], [30, -10]], atol=1e-3)

    def test_transforms(self) -> None:
        self.assertEqual(transform_of("translate(3)"), Identity.translate(3, 0))
        turned = transform_of("rotate(90 10 10)")
        assert turned is not None
        np.testing.assert_allclose(turned.transformPoint((20, 10)), (10, 20), atol=1e-12)
        for same, other in (
            ("rotate(.25turn)", "rotate(90)"),
            ("rotate(100grad)", "rotate(90deg)"),
            ("rotate(1.5707963267948966rad)", "rotate(90)"),
            ("translateX(3pt) translateY(2px)", "translate(4 2)"),
            ("scaleX(2)scaleY(3)", "scale(2,3)"),
            ("skew(20deg)", "skewX(20)"),
        ):
            one, two = transform_of(same), transform_of(other)
            assert one is not None and two is not None
            np.testing.assert_allclose(one, two, atol=1e-12)
        for wrong in (
            "rotate(x)",
            "translate(5%)",
            "scaleX(1 2)",
            "spin(3)",
            "scale(1,2,3)",
            "matrix(1 2 3)",
            "translate(1e999)",
            "rotate(1",
        ):
            self.assertIsNone(transform_of(wrong), wrong)

    def test_colours(self) -> None:
        self.assertEqual(colour_of("#0f08", "black"), (0.0, 1.0, 0.0, 136 / 255))
        self.assertEqual(colour_of("currentColor", "rgb(255 0 0)"), (1, 0, 0, 1))
        self.assertIsNone(colour_of("none", "red"))


class LeftOut(unittest.TestCase):
    def test_what_cannot_become_an_outline_is_told(self) -> None:
        inner = (
            '<rect width="9" height="9"/><text>Kap Morgen</text><image href="http://example.org/x.png" width="3" height="3"/>'
            '<rect width="9" height="9" filter="url(#f)"/><g mask="url(#m)"/><blob/><rect width="3" height="3" fill="url(#p)"/>'
            '<pattern id="p" width="1" height="1"/><path d="M0 0 L 3 3 L 7"/><use href="#gone"/>'
            '<pattern id="t" width=".001" height=".001"><rect width="9" height="9"/></pattern><rect width="9" height="9" fill="url(#t)"/>'
            '<path d="M0 0 L 3 3" marker-end="url(#m)"/><clipPath id="c" clipPathUnits="objectBoundingBox"/><g clip-path="url(#c)"/>'
        )
        notes = " | ".join(drawing(inner).notes)
        for part in (
            "Kap Morgen",
            "picture",
            "filter",
            "mask",
            "<blob>",
            "more than 600 tiles",
            "a marker #m, which is not there",
            "has no area",
            "damaged",
            "#gone",
        ):
            self.assertIn(part, notes)


class Tiles(unittest.TestCase):
    def test_what_goes_on_from_tile_to_tile_is_one_outline_without_hairs(self) -> None:
        hatch = (
            '<pattern id="p" width="10" height="10" patternUnits="userSpaceOnUse" patternTransform="rotate({})"><rect width="5" height="10"/></pattern>'
            '<circle cx="50" cy="50" r="{}" fill="url(#p)"/>'
        )
        for turned in (0, 17, 45, 90):
            for radius in (31, 40, 43.3):
                (region,) = drawing(hatch.format(turned, radius)).regions(0.002)
                # So many stripes of a circle, each of them one piece without holes.
                loops = region.outline.loops()
                self.assertLessEqual(abs(len(loops) - 2 * radius / 10), 1, (turned, radius))
                whole = shapely.unary_union([shapely.Polygon(loop) for loop in loops])
                self.assertEqual(len(whole.geoms), len(loops))


class Measured(unittest.TestCase):
    def test_measuring_a_group_leaves_nothing_behind(self) -> None:
        gradients = "".join(
            f'<linearGradient id="g{at}"><stop stop-color="#f00"/><stop offset="1" stop-color="#00f"/></linearGradient>'
            for at in range(30)
        )
        shapes = "".join(f'<rect x="{at * 3}" width="3" height="9" fill="url(#g{at})"/>' for at in range(30))
        clip = '<clipPath id="c" clipPathUnits="objectBoundingBox"><rect width="1" height=".5"/></clipPath>'
        found = drawing(f'{gradients}{clip}<g clip-path="url(#c)">{shapes}</g>')
        self.assertEqual((found.notes, len(found.gradients)), ((), 30))
        np.testing.assert_allclose(found.bounds, [[0, -4.5], [90, 0]], atol=1e-3)

    def test_what_waits_to_be_shown_is_masked_too(self) -> None:
        plain = drawing(
            '<mask id="m"><rect width="5" height="9" fill="#fff"/></mask><rect width="2" height="2"/>'
            '<g id="hand" display="none" mask="url(#m)"><rect width="9" height="9" fill="#f00"/></g>'
        ).plain
        hidden = [{**one, "hidden": False} for one in plain["paints"] if one["hidden"]]
        np.testing.assert_allclose(Drawing({**plain, "paints": hidden}, "x").bounds, [[0, -9], [5, 0]], atol=1e-3)


class Named(unittest.TestCase):
    def test_what_has_a_name_in_a_pattern_is_no_part(self) -> None:
        inner = (
            '<pattern id="p" width=".5" height=".5"><rect id="tile" width="9" height="9"/></pattern>'
            '<rect id="wall" width="40" height="40" fill="url(#p)"/><text id="word" y="60">Kap</text>'
        )
        self.assertEqual([one["name"] for one in drawing(inner).plain["parts"]], ["wall", "word"])


class Gradients(unittest.TestCase):
    def test_what_is_not_said_is_taken_from_another_and_the_middle_is_the_mean(self) -> None:
        found = drawing(
            '<linearGradient id="a"><stop offset="0" stop-color="#000"/><stop offset="50%" stop-color="#f00"/></linearGradient>'
            '<linearGradient id="b" href="#a" x2="50%"/><rect width="20" height="10" fill="url(#b)"/>'
        )
        # Half of the way from black to red, half of it red: three quarters.
        self.assertEqual(found.shades, (Shade("#bf0000", 1.0, 0),))
        colours = found.gradients[0].at(np.array([[2.5, 0], [5, 3], [10, 9], [15, 0]]))
        np.testing.assert_allclose(colours[:, 0], [0.5, 1, 1, 1], atol=1e-9)

    def test_as_an_independent_rasteriser_paints_them(self) -> None:
        stops = '<stop offset="0" stop-color="#123"/><stop offset=".4" stop-color="#e84"/><stop offset="1" stop-color="#fff"/>'
        for name, gradient in {
            "linear": '<linearGradient id="g" x1="10%" y1="20%" x2="80%" y2="90%">{}</linearGradient>',
            "in user units, turned": '<linearGradient id="g" gradientUnits="userSpaceOnUse" x1="20" x2="60" gradientTransform="rotate(30)">{}</linearGradient>',
            "reflected": '<linearGradient id="g" x2="25%" spreadMethod="reflect">{}</linearGradient>',
            "repeated": '<radialGradient id="g" r="20%" spreadMethod="repeat">{}</radialGradient>',
            "radial with a focus": '<radialGradient id="g" cx="40%" cy="60%" r="55%" fx="25%" fy="50%">{}</radialGradient>',
        }.items():
            inner = (
                gradient.format(stops)
                + '<rect x="5" y="10" width="90" height="60" fill="url(#g)" transform="skewX(5)"/>'
            )
            found = drawing(inner)
            times = 4
            true = pixels(document('viewBox="0 0 100 100"', inner), 100 * times, 100 * times)
            y, x = np.mgrid[: 100 * times, : 100 * times]
            points = np.stack([x + 0.5, y + 0.5], axis=-1) / times
            own = found.gradients[0].at(points)[..., :3] * 255
            inside_ = true[..., 3] == 255
            off = np.abs(own - true[..., :3])[inside_]
            with self.subTest(name):
                self.assertLess(float(off.mean()), 1.0)
                # Where it repeats it jumps within a pixel.
                self.assertLess(float(np.quantile(off, 0.98)), 4.0)


class Hostile(unittest.TestCase):
    """All of these are read in a process of their own, as in use."""

    def _refused(self, data: bytes, *, kind: type[InputError] = DrawingError) -> str:
        with self.assertRaises(InputError) as caught:
            Drawing(read_drawing(data, "bad.svg"), "bad.svg")
        self.assertIsInstance(caught.exception, kind)
        self.assertIn(
            "bad.svg" if kind is DrawingError else "drawing", caught.exception.message + caught.exception.field
        )
        return caught.exception.message

    def test_truncated_anywhere(self) -> None:
        whole = document(
            'viewBox="0 0 99 99"',
            '<g fill="none" stroke="#224" stroke-width="8"><path d="M10 80 L30 20 L50 80"/><path d="M70 80 L75 20" stroke-dasharray="5 3"/></g>',
        ).encode()
        for part in range(10):
            self._refused(whole[: len(whole) * part // 10])

    def test_what_is_no_svg(self) -> None:
        for data in (b"", b"\x89PNG\r\n", b"\0" * 100, b"<html/>", b"{}", b"\x1f\x8bzzz", b"<svg/>"):
            self._refused(data)

    def test_compressed(self) -> None:
        plain = document('viewBox="0 0 9 9"', '<rect width="5" height="5" fill="#123456"/>').encode()
        packed = gzip.compress(plain)
        found = Drawing(_read(packed, "x.svgz"), "x.svgz")
        self.assertEqual(found.shades, (Shade("#123456", 1.0),))
        for at in (2, 9, 15, len(packed) // 2, len(packed) - 9):
            self._refused(packed[:at])
        self._refused(packed[:20] + b"\0\0\0" + packed[23:])
        # Sixty megabytes of spaces in sixty kilobytes.
        self.assertIn("once it is unpacked", self._refused(gzip.compress(plain + b" " * 60_000_000), kind=LimitError))

    def test_nothing_outside_the_file_is_read(self) -> None:
        system = b'<!DOCTYPE svg [<!ENTITY a SYSTEM "file:///etc/passwd">]>'
        self.assertIn("passwd", self._refused(system + document("", "<text>&a;</text>").encode()))
        bomb = b'<!DOCTYPE svg [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;">]>'
        self.assertIn("grow", self._refused(bomb + document("", "<text>&b;</text>").encode()))
        for address in ("http://example.org/a.svg#x", "../../secret.svg#y", "file:///etc/passwd"):
            self.assertIn(address[:20], self._refused(document("", f'<use href="{address}"/>').encode()))
        harmless = (
            b'<!DOCTYPE svg [<!ENTITY ns "http://example.org/ns">]>'
            + document('viewBox="0 0 9 9"', '<rect width="9" height="9"/>').encode()
        )
        Drawing(read_drawing(harmless, "x"), "x")

    def test_what_uses_itself(self) -> None:
        self.assertIn("itself", self._refused(document("", '<g id="a"><use href="#a"/></g>').encode()))
        two = '<g id="a"><use href="#b"/></g><g id="b"><use href="#a"/></g>'
        self.assertIn("itself", self._refused(document("", two).encode()))
        cuts = "".join(
            f'<clipPath id="c{n}"><rect width="9" height="9" clip-path="url(#c{n + 1})"/><rect width="9" height="9" clip-path="url(#c{n + 1})"/></clipPath>'
            for n in range(40)
        )
        cuts += '<clipPath id="c40"><rect width="9" height="9"/></clipPath><rect width="9" height="9" clip-path="url(#c0)"/>'
        self.assertIn("elements", self._refused(document("", cuts).encode(), kind=LimitError))
        clip = '<clipPath id="c" clip-path="url(#c)"><rect width="9" height="9"/></clipPath><rect clip-path="url(#c)" width="9" height="9"/>'
        self.assertIn("itself", self._refused(document("", clip).encode()))
        tiles = '<pattern id="p" width=".5" height=".5"><rect width="9" height="9" fill="url(#p)"/></pattern><rect width="9" height="9" fill="url(#p)"/>'
        self.assertIn("itself", self._refused(document("", tiles).encode()))
        grows = "".join(
            f'<pattern id="p{n}" width=".1" height=".1"><rect width="9" height="9" fill="url(#p{n + 1})"/></pattern>'
            for n in range(9)
        )
        grows += '<pattern id="p9" width=".1" height=".1"><rect width="9" height="9"/></pattern>'
        grows += '<rect width="9" height="9" fill="url(#p0)"/>'
        self.assertIn("tiles", self._refused(document("", grows).encode(), kind=LimitError))
        # One tile each, cut off at its box, in one another: trying each twice would be twice as long for each.
        inner = "".join(
            f'<pattern id="p{n}" width="1" height="1"><rect x="-1" width="12" height="12" fill="url(#p{n + 1})"/></pattern>'
            for n in range(40)
        )
        inner += '<pattern id="p40" width="1" height="1"><rect x="-1" width="12" height="12"/></pattern><rect width="9" height="9" fill="url(#p0)"/>'
        self.assertIn("tiles", self._refused(document("", inner).encode(), kind=LimitError))

    def test_markers_without_end_are_refused(self) -> None:
        own = '<marker id="a"><rect width="4" height="4"/></marker>'
        many = f'{own}<path d="M0 0{"h1v1" * 5000}" fill="none" marker-mid="url(#a)"/>'
        self.assertIn("3000 markers", self._refused(document("", many).encode(), kind=LimitError))
        chain = "".join(
            f'<marker id="a{n}"><path d="M0 0h9v9h9" marker-mid="url(#a{n + 1})" marker-end="url(#a{n + 1})"/></marker>'
            for n in range(30)
        )
        chain += '<path d="M0 0h99" marker-end="url(#a0)"/>'
        self.assertIn("3000 markers", self._refused(document("", chain).encode(), kind=LimitError))
        self.assertIn(
            "marks itself",
            self._refused(
                document(
                    "",
                    f'<marker id="a"><path d="M0 0h9" marker-end="url(#a)"/></marker>{own}<path d="M0 0h9" marker-end="url(#a)"/>',
                ).encode()
            ),
        )

    def test_masks_without_end_are_refused(self) -> None:
        doubled = "".join(
            f'<mask id="m{n}"><g mask="url(#m{n + 1})"><rect width="9" height="9"/></g><g mask="url(#m{n + 1})"><rect width="9" height="9"/></g></mask>'
            for n in range(30)
        )
        self.assertIn(
            "masks",
            self._refused(
                document("", f'{doubled}<rect width="5" height="5" mask="url(#m0)"/>').encode(), kind=LimitError
            ),
        )
        own = (
            '<mask id="m"><rect width="9" height="9" mask="url(#m)"/></mask><rect width="5" height="5" mask="url(#m)"/>'
        )
        self.assertIn("masks itself", self._refused(document("", own).encode()))

    def test_what_is_too_much(self) -> None:
        doubled = "".join(f'<g id="a{n}"><use href="#a{n + 1}"/><use href="#a{n + 1}"/></g>' for n in range(40))
        doubled += '<rect id="a40" width="9" height="9"/>'
        self.assertIn("elements", self._refused(document("", doubled).encode(), kind=LimitError))
        self._refused(document("", "<g>" * 5000 + "</g>" * 5000).encode(), kind=LimitError)
        dashes = '<path d="M0 0 H1e6" stroke="red" stroke-dasharray=".001"/>'
        self._refused(document('viewBox="0 0 9 9"', dashes).encode(), kind=LimitError)
        colours = "".join(
            f'<rect x="{n}" width="1" height="9" fill="rgb({n % 250},{n // 3},{n % 7})"/>' for n in range(600)
        )
        self.assertIn("600 colours", self._refused(document('viewBox="0 0 600 9"', colours).encode(), kind=LimitError))

    def test_what_would_take_for_ever_is_refused_at_once(self) -> None:
        spots = random.Random(2)
        circles = "".join(
            f'<circle cx="{spots.random() * 100}" cy="{spots.random() * 100}" r="{20 + spots.random() * 20}" fill="hsl({at % 360},70%,50%)"/>'
            for at in range(1500)
        )
        root = 'viewBox="0 0 100 100"'
        self.assertIn("over one another", self._refused(document(root, circles).encode(), kind=LimitError))
        scribble = " ".join(f"{spots.random() * 100},{spots.random() * 100}" for _ in range(3000))
        inner = f'<polygon points="{scribble}" fill-rule="evenodd"/>'
        self.assertIn("cross one another", self._refused(document(root, inner).encode(), kind=LimitError))
        clear = circles.replace("/>", ' opacity=".5"/>')
        self.assertIn("regions", self._refused(document(root, clear).encode(), kind=LimitError))

    def test_numbers_that_are_none(self) -> None:
        inner = (
            '<rect width="nan" height="9"/><circle r="-5"/><rect width="1e400" height="9"/><path d="M nan 0 L 9 9 Z"/>'
            '<path d="M0 0 L 1e308 1e308 L 1e308 0 Z"/><rect width="5" height="5" transform="scale(1e308) scale(1e308)"/>'
            '<circle cx="50" cy="50" r="10"/><polygon points="0,0 5,5"/><path d=""/><rect width="0" height="0"/>'
        )
        found = drawing(inner)
        self.assertEqual(found.shades, (Shade("#000000"),))

    def test_empty_drawings_say_so(self) -> None:
        for inner in (
            "",
            "<rect width='9' height='9' fill='none'/>",
            "<rect x='500' width='9' height='9'/>",
            "<text>x</text>",
        ):
            self.assertIn("nothing", self._refused(document('viewBox="0 0 100 100"', inner).encode()))
