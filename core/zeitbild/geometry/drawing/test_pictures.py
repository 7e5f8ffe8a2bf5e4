"""Drawings: whole flat pictures against an independent rasteriser."""

import math
import re
import unittest
from xml.etree.ElementTree import Element

import numpy as np

from zeitbild.geometry.drawing.markers import corners
from zeitbild.geometry.drawing.painting import Drawing
from zeitbild.geometry.drawing.reading import read_drawing
from zeitbild.geometry.drawing.shades import Shade
from zeitbild.geometry.drawing.testing import document, drawing, painted, pixels, places_off
from zeitbild.isolation.marking import inside

_read = inside(read_drawing)

#: What a root element says, and what stands in it.
DOCUMENTS = {
    "evenodd": (
        'viewBox="0 0 100 100"',
        '<path fill-rule="evenodd" d="M50 5 L79 95 L3 39 H97 L21 95Z" fill="#a33"/><path d="M10 10 h20 v20 h-20z M15 15 v10 h10 v-10z" fill="#3a3"/>',
    ),
    "strokes": (
        'viewBox="0 0 200 100"',
        '<g fill="none" stroke="#224" stroke-width="8"><path d="M10 80 L30 20 L50 80" stroke-linejoin="miter"/><path d="M70 80 L75 20 L80 80" stroke-linejoin="miter" stroke-miterlimit="3"/><path d="M100 80 L120 20 L140 80" stroke-linejoin="round" stroke-linecap="round"/><path d="M150 80 C 150 0 190 0 190 80" stroke-linecap="square" stroke-dasharray="12 5 3" stroke-dashoffset="4"/></g>',
    ),
    "transforms": (
        'viewBox="0 0 100 100"',
        '<g transform="translate(50,50) rotate(30) skewX(20) scale(.8 1.2)"><rect x="-20" y="-20" width="40" height="40" rx="8" fill="#246" stroke="#fa0" stroke-width="6"/><g transform="matrix(.5 .2 -.1 .6 5 3)"><ellipse rx="20" ry="30" fill="#e55"/></g></g>',
    ),
    "use": (
        'viewBox="0 0 100 100"',
        '<defs><symbol id="s" viewBox="0 0 10 20" preserveAspectRatio="xMinYMax slice"><circle cx="5" cy="10" r="6"/></symbol><g id="gg"><rect width="10" height="10"/><circle cx="5" cy="5" r="3" fill="#fff"/></g></defs><use href="#s" x="10" y="10" width="30" height="30" fill="#c33"/><use xlink:href="#gg" x="60" y="20" fill="#36c"/><use xlink:href="#gg" transform="translate(60 60) scale(2)" fill="#3a6"/><svg x="10" y="60" width="30" height="30" viewBox="0 0 100 50"><rect width="100" height="100" fill="#555"/></svg>',
    ),
    "clip": (
        'viewBox="0 0 100 100"',
        '<clipPath id="a"><circle cx="40" cy="40" r="30"/><rect x="60" y="60" width="30" height="30"/></clipPath><clipPath id="b" clip-path="url(#a)"><rect width="100" height="50" transform="rotate(10)"/></clipPath><rect width="100" height="100" fill="#888" clip-path="url(#a)"/><g clip-path="url(#b)"><rect x="5" y="5" width="90" height="90" fill="#d40"/></g>',
    ),
    "css": (
        'viewBox="0 0 100 100"',
        '<style>/*x*/ rect{fill:#111} .k > rect{fill:rgb(200,20,20)} #q{fill:hsl(120,100%,25%)!important} @media print{rect{fill:blue}} .big{stroke:currentColor;stroke-width:3px}</style><rect width="30" height="30"/><g class="k"><rect x="35" width="30" height="30"/><rect id="q" x="70" width="30" height="30" style="fill:yellow"/></g><g color="#f0f"><rect class="big" x="10" y="50" width="30" height="30" style="fill:teal"/></g>',
    ),
    "opacity": (
        'viewBox="0 0 100 100"',
        '<rect x="5" y="5" width="60" height="60" fill="#f00"/><circle cx="60" cy="60" r="30" fill="#00f" opacity=".5"/><rect x="40" y="10" width="20" height="80" fill="rgba(0,255,0,.3)"/>',
    ),
    "arcs": (
        'viewBox="0 0 100 100"',
        '<path d="M10 50 A 20 30 25 1 0 60 50 a 5 5 0 0 1 20 0 A30 10 -40 0 1 10 50z" fill="#474"/><path d="M80 80a10 10 0 11-.01 0z" fill="#944"/>',
    ),
    "par": (
        'width="100" height="50" viewBox="10 10 50 80" preserveAspectRatio="xMaxYMid meet"',
        '<rect x="10" y="10" width="50" height="80" fill="#ddd"/><circle cx="35" cy="50" r="30" fill="#622"/>',
    ),
    "parnone": (
        'width="100" height="50" viewBox="10 10 50 80" preserveAspectRatio="none"',
        '<rect x="10" y="10" width="50" height="80" fill="#ddd"/><circle cx="35" cy="50" r="20" fill="#622" stroke="#000" stroke-width="4"/>',
    ),
    "units": (
        'width="200" height="100" viewBox="0 0 100 50"',
        '<rect x="10%" y="10%" width="30%" height="0.5in" fill="#286"/><circle cx="70" cy="25" r="10%" fill="#826"/><line x1="0" y1="45" x2="100" y2="45" stroke="#000" stroke-width="2pt"/>',
    ),
    "smooth": (
        'viewBox="0 0 100 100"',
        '<path d="M10 50 Q 25 10 40 50 T 70 50 t 20 0 L 90 90 S 50 60 10 90 Z" fill="#369"/><polyline points="10,10 20,5 30,10 40,5" fill="none" stroke="#000"/><polygon points="60,10 70,5 80,15" />',
    ),
    "order": (
        'viewBox="0 0 100 100"',
        '<circle cx="50" cy="50" r="30" fill="#fc0" stroke="#036" stroke-width="14" paint-order="stroke"/>',
    ),
    "compressed": (
        'viewBox="0 0 100 100"',
        '<path d="M10-5.5.5.5 20,30-10 40l.5.5zm5 5h50V80H20z" fill="#507"/>',
    ),
    "openfill": (
        'viewBox="0 0 100 100"',
        '<path d="M10 10 L90 20 L50 90" fill="#690" stroke="#000" stroke-width="5"/>',
    ),
    "switch": (
        'viewBox="0 0 100 100"',
        '<switch><g requiredExtensions="http://x"><rect width="50" height="50"/></g><rect x="50" width="50" height="50" fill="red"/></switch><g display="none"><rect y="60" width="30" height="30"/></g><g visibility="hidden"><rect y="60" width="30" height="30"/><rect visibility="visible" x="50" y="60" width="30" height="30"/></g>',
    ),
    "pattern": (
        'viewBox="0 0 200 100"',
        '<pattern id="p" width="12" height="12" patternUnits="userSpaceOnUse"><rect width="6" height="6" fill="#c33"/><circle cx="9" cy="9" r="4" fill="#36c"/></pattern><rect x="15" y="7" width="90" height="40" fill="url(#p)"/>',
    ),
    "boxed pattern": (
        'viewBox="0 0 200 100"',
        '<pattern id="p" width="10%" height=".25"><rect width="6" height="6" fill="#c33"/><circle cx="9" cy="9" r="4" fill="#36c"/></pattern><rect x="15" y="7" width="120" height="80" fill="url(#p)"/>',
    ),
    "pattern in its box": (
        'viewBox="0 0 200 100"',
        '<pattern id="p" width=".25" height=".5" patternContentUnits="objectBoundingBox"><rect width=".1" height=".3" fill="#c33"/><circle cx=".18" cy=".4" r=".06" fill="#36c"/></pattern><rect x="15" y="7" width="120" height="80" fill="url(#p)"/>',
    ),
    "pattern with a view": (
        'viewBox="0 0 200 100"',
        '<pattern id="p" x="4" y="2" width="30" height="20" viewBox="0 0 10 10" patternUnits="userSpaceOnUse"><circle cx="5" cy="5" r="6" fill="#2a6"/></pattern><rect x="15" y="7" width="170" height="80" fill="url(#p)"/>',
    ),
    "pattern that lets through": (
        'viewBox="0 0 200 100"',
        '<pattern id="p" width="12" height="12" patternUnits="userSpaceOnUse"><rect width="6" height="6" fill="#c33"/><circle cx="9" cy="9" r="4" fill="#36c"/></pattern><rect x="5" y="5" width="60" height="80" fill="#ff0"/><rect x="15" y="17" width="100" height="60" fill="url(#p)" fill-opacity=".5"/>',
    ),
    "pattern cut at its tiles": (
        'viewBox="0 0 200 100"',
        '<pattern id="p" width="20" height="20" patternUnits="userSpaceOnUse"><circle cx="10" cy="10" r="12" fill="#864"/></pattern><rect x="15" y="7" width="170" height="80" fill="url(#p)"/>',
    ),
    "pattern of another, stroked": (
        'viewBox="0 0 100 100"',
        '<pattern id="q" href="#p" x="3"/><pattern id="p" width="12" height="12" patternUnits="userSpaceOnUse"><rect width="6" height="6" fill="#c33"/><circle cx="9" cy="9" r="4" fill="#36c"/></pattern><path d="M10 90 L50 10 L90 90z" fill="url(#q)" stroke="url(#p)" stroke-width="9"/>',
    ),
    "clip in the box": (
        'viewBox="0 0 200 100"',
        '<clipPath id="c" clipPathUnits="objectBoundingBox"><circle cx=".5" cy=".5" r=".5"/></clipPath><rect x="15" y="7" width="120" height="80" fill="#369" clip-path="url(#c)"/><ellipse cx="170" cy="50" rx="20" ry="40" transform="rotate(10 170 50)" fill="#a40" clip-path="url(#c)"/>',
    ),
    "mask": (
        'viewBox="0 0 100 100"',
        '<mask id="m" maskUnits="userSpaceOnUse" x="0" y="0" width="100" height="100"><rect x="10" y="10" width="60" height="60" fill="#fff"/><circle cx="40" cy="40" r="15" fill="#000"/></mask><g mask="url(#m)"><rect width="50" height="100" fill="#c22"/><rect x="50" width="50" height="100" fill="#26c"/></g>',
    ),
    "mask by shares": (
        'viewBox="0 0 100 100"',
        '<mask id="m"><rect width="100" height="100" fill="#888"/><circle cx="40" cy="40" r="25" fill="#fff" fill-opacity=".7"/><path d="M0 60h100v9h-100z" fill="#f00"/></mask><rect width="100" height="50" fill="#2a6"/><g mask="url(#m)" opacity=".9"><rect x="20" y="20" width="70" height="70" fill="#c22"/><circle cx="50" cy="50" r="20" fill="#26c"/></g>',
    ),
    "mask by alpha": (
        'viewBox="0 0 100 100"',
        '<mask id="m" style="mask-type:alpha" maskUnits="userSpaceOnUse" x="5" y="15" width="70" height="80"><circle cx="50" cy="50" r="40" fill="#d9d9d9"/><rect width="30" height="100" fill="#000" opacity=".5"/></mask><rect x="5" y="5" width="90" height="90" fill="#639" stroke="#fa0" stroke-width="8" mask="url(#m)"/>',
    ),
    "mask in its box": (
        'viewBox="0 0 100 100"',
        '<mask id="m" maskContentUnits="objectBoundingBox" x=".1" y=".1" width=".6" height=".9"><circle cx=".5" cy=".5" r=".5" fill="#fff"/></mask><rect x="10" y="20" width="50" height="30" fill="#639" mask="url(#m)"/><g mask="url(#m)" transform="rotate(20 50 70)"><rect x="40" y="60" width="30" height="20" fill="#963"/><circle cx="75" cy="75" r="12" fill="#396"/></g>',
    ),
    "mask of a mask": (
        'viewBox="0 0 100 100"',
        '<mask id="n"><rect x="30" width="100" height="100" fill="#fff"/></mask><mask id="m" mask="url(#n)"><circle cx="40" cy="40" r="35" fill="#fff"/></mask><clipPath id="c"><rect y="20" width="100" height="40"/></clipPath><g mask="url(#m)" clip-path="url(#c)" transform="translate(5 5)"><rect width="100" height="100" fill="#345"/></g>',
    ),
    "mask with text and a use": (
        'viewBox="0 0 100 100"',
        '<defs><circle id="k" r="9"/></defs><mask id="m"><g fill="#fff"><use href="#k" x="20" y="20"/><use href="#k" x="70" y="70"/><path d="M10 90 L90 10" stroke="#fff" stroke-width="8"/></g></mask><rect width="100" height="100" fill="#345" mask="url(#m)"/>',
    ),
    "mask of nothing": (
        'viewBox="0 0 100 100"',
        '<mask id="m"/><rect width="100" height="100" fill="#345" mask="url(#m)"/><rect width="20" height="20" fill="#a00"/>',
    ),
    "clip of a group in its box": (
        'viewBox="0 0 200 100"',
        '<clipPath id="c" clipPathUnits="objectBoundingBox"><circle cx=".5" cy=".5" r=".5"/></clipPath><g clip-path="url(#c)" transform="rotate(7)"><g transform="translate(5 5)"><rect x="15" y="7" width="80" height="50" fill="#369" stroke="#000" stroke-width="9"/></g><circle cx="120" cy="60" r="20" fill="#a40"/></g>',
    ),
    "markers": (
        'viewBox="0 0 200 100"',
        '<marker id="a" viewBox="0 0 10 10" refX="5" refY="5" markerWidth="4" markerHeight="4" orient="auto-start-reverse"><path d="M0 0 L10 5 L0 10z" fill="#c22"/></marker><marker id="d" markerWidth="5" markerHeight="5" refX="2.5" refY="2.5"><circle cx="2.5" cy="2.5" r="2" fill="#26c"/></marker><polyline points="20,80 50,20 90,70 120,30" fill="none" stroke="#333" stroke-width="3" marker-start="url(#a)" marker-mid="url(#d)" marker-end="url(#a)"/><line x1="140" y1="20" x2="185" y2="60" stroke="#585" stroke-width="4" marker-end="url(#a)"/><path d="M140 90 h40" stroke="#000" style="marker:url(#d)"/>',
    ),
    "markers on curves": (
        'viewBox="0 0 200 100"',
        '<marker id="a" viewBox="-5 -5 10 10" markerUnits="userSpaceOnUse" markerWidth="14" markerHeight="14" orient="auto"><path d="M-4 -4 L4 0 L-4 4z" fill="#c22"/></marker><path d="M20 80 C20 20 60 20 60 60 S 90 90 100 40 Q 170 90 120 90 T 180 20" fill="none" stroke="#333" marker-start="url(#a)" marker-mid="url(#a)" marker-end="url(#a)"/>',
    ),
    "markers cut and turned": (
        'viewBox="0 0 200 100"',
        '<marker id="a" markerWidth="6" markerHeight="4" refX="3" refY="2" orient="30"><rect x="-5" y="-5" width="20" height="20" fill="#2a6"/></marker><marker id="b" overflow="visible" markerWidth="2" markerHeight="2" orient="auto"><rect x="-1" y="-1" width="4" height="2" fill="#a2c"/></marker><g transform="rotate(5) scale(1.5 1)" opacity=".8"><path d="M20 50 L60 20 M80 20 L 80 70 L110 50" fill="none" stroke="#333" stroke-width="5" marker-start="url(#b)" marker-mid="url(#a)" marker-end="url(#b)"/></g>',
    ),
    "about a point": (
        'viewBox="0 0 200 100"',
        '<rect x="20" y="20" width="30" height="20" fill="#369" transform="rotate(30)" style="transform-origin: 35px 30px"/><g transform="rotate(20) scale(.8)" style="transform-origin: center"><rect x="90" y="40" width="40" height="20" fill="#a40"/></g><rect x="150" y="60" width="30" height="20" fill="#2a6" transform="rotate(-20)" transform-origin="100% 50"/>',
    ),
    "zerodot": (
        'viewBox="0 0 100 100"',
        '<path d="M20 20 z" stroke="#900" stroke-width="20" stroke-linecap="square"/>',
    ),
}


class WholePictures(unittest.TestCase):
    """Regions are laid beside one another, painted again without any order by the rasteriser, and have to look the same."""

    def _compare(self, root: str, inner: str, most: float = 12.0, mean: float = 0.25) -> Drawing:
        text = document(root, inner)
        size = re.search(r'width="(\d+)" height="(\d+)"', root)
        box = [float(one) for one in re.search(r'viewBox="([^"]+)"', root)[1].split()]  # type: ignore[index]
        width, height = (float(size[1]), float(size[2])) if size else (box[2], box[3])
        found = Drawing(_read(text.encode(), "x.svg"), "x.svg")
        own = painted(found, f'viewBox="0 0 {width} {height}"')
        # At sixteen times the size, where the rasteriser's edges, which know nothing of one another, are thin.
        raster = round(width * 16), round(height * 16)
        rows, columns = raster[1] // 8, raster[0] // 8
        pair = [
            pixels(one, *raster)[: rows * 8, : columns * 8].reshape(rows, 8, columns, 8, 4).mean(axis=(1, 3))
            for one in (text, own)
        ]
        off = np.abs(pair[0] - pair[1])
        self.assertLess(float(off.max()), most)
        self.assertLess(float(off.mean()), mean)
        return found

    def test_documents_of_all_kinds(self) -> None:
        for name, (root, inner) in DOCUMENTS.items():
            with self.subTest(name):
                # The rasteriser rounds what stands under a mask to whole levels, and again under an opacity.
                self.assertEqual(self._compare(root, inner, mean=0.4 if "shares" in name else 0.25).notes, ())

    def test_what_lies_far_outside_costs_no_precision(self) -> None:
        inner = '<circle cx="0" cy="50" r="40" fill="#357"/><rect x="80" y="80" width="900000" height="900000" fill="#753"/>'
        found = self._compare('viewBox="0 0 100 100"', inner)
        np.testing.assert_allclose(found.bounds, [[0, -100], [100, -10]], atol=1e-3)

    def test_what_is_one_lets_something_through_as_one(self) -> None:
        ground = '<rect width="60" height="60" fill="#0a0"/>'
        for inner in (
            '<circle cx="50" cy="50" r="30" fill="#f00" stroke="#00f" stroke-width="14" opacity=".5"/>',
            ground
            + '<g opacity=".5"><rect x="20" y="20" width="50" height="50" fill="#f00"/><circle cx="60" cy="60" r="30" fill="#00f"/></g>',
            ground + '<g opacity=".8"><rect x="9" y="9" width="50" height="50"/>'
            '<g opacity=".4"><circle cx="50" cy="50" r="30" fill="#fff"/><circle cx="70" cy="50" r="20" fill="#f80" opacity=".5"/></g></g>',
        ):
            self._compare('viewBox="0 0 100 100"', inner)


class FadingMasks(unittest.TestCase):
    _GROUND = "<defs><linearGradient id='g'><stop offset='.1' stop-color='#fff'/><stop offset='.9' stop-color='#000'/></linearGradient></defs>"

    def test_one_colour_fades_as_its_mask_does(self) -> None:
        for mask in (
            '<mask id="m"><rect width="100" height="100" fill="url(#g)"/></mask>',
            '<mask id="m"><rect width="100" height="100" fill="url(#g)" opacity=".6"/></mask>',
            '<mask id="m" maskContentUnits="objectBoundingBox"><rect width="1" height="1" fill="url(#g)"/></mask>',
        ):
            found, off = places_off(
                f'{self._GROUND}{mask}<g mask="url(#m)"><rect width="90" height="40" fill="#c42"/>'
                '<circle cx="50" cy="70" r="25" fill="#24c" opacity=".8"/></g>'
            )
            self.assertLess(float(off.max()), 2.5)
            self.assertEqual(found.notes, ())


class Corners(unittest.TestCase):
    """SVG 2, section 13.7.4, by hand; the rasteriser turns markers of closed lines by one side alone, and has corners within arcs."""

    def _corners(self, name: str, **attributes: str) -> list[tuple[str, float, float, float]]:
        points = [float(one) for one in attributes.get("points", "").split()]
        found = corners(Element(name, attributes), name, points)
        return [
            (one.which[7:], *(round(part, 6) for part in one.place), round(math.degrees(one.turned), 3))
            for one in found
        ]

    def test_closed_lines_have_one_direction_where_they_close(self) -> None:
        self.assertEqual(
            self._corners("polygon", points="0 0 10 0 10 10"),
            # From 225 degrees and to 0: between them at -67.5.
            [("start", 0, 0, -67.5), ("mid", 10, 0, 45), ("mid", 10, 10, 157.5), ("end", 0, 0, -67.5)],
        )

    def test_an_arc_is_one_piece(self) -> None:
        self.assertEqual(
            self._corners("path", d="M0 0 A 10 10 0 0 1 20 0 L 20 10"),
            [("start", 0, 0, -90), ("mid", 20, 0, 90), ("end", 20, 10, 90)],
        )

    def test_ends_of_inner_lines_are_in_the_middle(self) -> None:
        self.assertEqual(
            self._corners("path", d="M0 0 h5 M 0 9 v5"),
            [("start", 0, 0, 0), ("mid", 5, 0, 0), ("mid", 0, 9, 90), ("end", 0, 14, 90)],
        )

    def test_what_stands_still_looks_to_where_it_goes(self) -> None:
        self.assertEqual(
            self._corners("path", d="M0 0 h0 C 0 0 0 0 0 8 h0"),
            [("start", 0, 0, 90), ("mid", 0, 0, 90), ("mid", 0, 8, 90), ("end", 0, 8, 90)],
        )
        self.assertEqual(self._corners("path", d="M3 4"), [("start", 3, 4, 0), ("end", 3, 4, 0)])
        # Back the same way: across.
        self.assertEqual(self._corners("polyline", points="0 0 9 0 0 0")[1], ("mid", 9, 0, 90))
        self.assertEqual(self._corners("path", d=""), [])

    def test_a_marker_takes_the_colours_of_its_line(self) -> None:
        found = drawing(
            '<marker id="a" markerUnits="userSpaceOnUse" markerWidth="9" markerHeight="9"><path d="M0 0h4v4z" fill="context-stroke"/></marker>'
            '<path d="M10 10 L 50 50" fill="none" stroke="#246810" marker-end="url(#a)"/>'
        )
        self.assertEqual(found.shades, (Shade("#246810"),))
