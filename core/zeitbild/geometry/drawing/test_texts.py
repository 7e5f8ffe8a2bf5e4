"""Text in drawings, against an independent rasteriser that is given the same fonts."""

import io
import math
import unittest

import numpy as np
import resvg_py
from fontTools.ttLib import TTFont
from numpy.typing import NDArray
from PIL import Image

from zeitbild.errors import LimitError
from zeitbild.fonts import SHIPPED
from zeitbild.geometry.drawing.painting import Drawing
from zeitbild.geometry.drawing.reading import read_drawing
from zeitbild.geometry.drawing.testing import document, painted
from zeitbild.isolation.marking import inside

_read = inside(read_drawing)
_ROOT = 'viewBox="0 0 200 100" width="200" height="100"'
_FONTS = [str(font.path) for font in SHIPPED.values()]

_TEXTS = {
    "plain": '<text x="10" y="50" font-family="Comfortaa" font-weight="bold" font-size="30" fill="#246">Kap Morgen</text>',
    "anchor": '<text x="100" y="40" text-anchor="middle" style="font:bold 24px Comfortaa">Seezeichen</text><text x="190" y="80" text-anchor="end" font-family="EB Garamond" font-size="20" fill="#a22">rechts <tspan fill="#22a" font-size="1.5em">groß</tspan> ja</text>',
    "lists": '<text x="10 40 70" y="30 40" dx="0 0 0 5" dy="0,0,0,8" font-family="League Spartan" font-weight="700" font-size="24">ABCDEF</text>',
    "space": '<text x="10" y="40" font-family="Lobster Two" font-weight="700" font-style="italic" font-size="24">  viel \n   Raum <tspan dx="10">  hier </tspan>  da</text><text x="10" y="80" xml:space="preserve" font-family="EB Garamond" font-size="20">a  b   c</text>',
    "spacing": '<text x="10" y="40" font-family="EB Garamond" letter-spacing="4" word-spacing="10" font-size="22">Tor am Meer</text>',
    "stroke": '<g transform="translate(100 50) rotate(-10)"><text text-anchor="middle" font-family="Bebas Neue" font-weight="bold" font-size="40" fill="#fc0" stroke="#036" stroke-width="2">LEUCHTE</text></g>',
    "arabic": '<text x="190" y="60" text-anchor="end" font-family="Amiri" font-weight="bold" font-size="30">منارة</text>',
    "both ways": '<text x="190" y="60" text-anchor="end" font-family="Amiri" font-weight="bold" font-size="24">Kap <tspan fill="#c00">منارة</tspan><tspan fill="#00c"> البحر</tspan> ab</text>',
    "from the right": '<text x="190" y="60" text-anchor="end" font-family="Amiri" font-weight="bold" font-size="30">من<tspan fill="#c00">ارة</tspan></text>',
    "clip": '<clipPath id="c"><text x="10" y="70" font-family="Roboto Slab" font-weight="bold" font-size="60">KAP</text></clipPath><g clip-path="url(#c)"><rect width="200" height="50" fill="#09c"/><rect y="50" width="200" height="50" fill="#036"/></g>',
    "tspans": '<text font-family="Comfortaa" font-weight="bold" font-size="18"><tspan x="10" y="30">Zeile eins</tspan><tspan x="10" dy="1.4em" fill="red">Zeile zwei</tspan><tspan x="10" dy="25">drei</tspan></text>',
    "joined": '<text x="10" y="60" font-family="Comfortaa" font-weight="bold" font-size="36" fill="#369">Verlauf</text>',
    "use": '<defs><text id="t" font-family="Comfortaa" font-weight="bold" font-size="20">Ruf</text></defs><use href="#t" x="10" y="30"/><use href="#t" x="60" y="60" fill="green"/>',
    "lines": '<g font-family="EB Garamond" font-size="22"><text x="5" y="30" dominant-baseline="middle">Hx</text><text x="35" y="30" dominant-baseline="central">Hx</text><text x="65" y="30" dominant-baseline="hanging">Hx</text><text x="95" y="30" dominant-baseline="mathematical">Hx</text><text x="125" y="30" style="dominant-baseline:text-before-edge">Hx</text><text x="155" y="30" dominant-baseline="text-after-edge">Hx</text></g><text x="5" y="90" font-family="Comfortaa" font-weight="bold" font-size="22" dominant-baseline="central">Kap <tspan fill="#a00">Morgen</tspan></text>',
    "raised": '<text x="5" y="50" font-family="Comfortaa" font-weight="bold" font-size="22">x<tspan baseline-shift="super" font-size="12">2</tspan> a<tspan baseline-shift="sub" font-size="12">0</tspan> h<tspan baseline-shift="6">6</tspan> k<tspan baseline-shift="-30%">7</tspan></text>',
    "moved": '<g font-family="EB Garamond" font-size="24"><text x="190" y="30" dx="-20" text-anchor="end">Kap</text><text x="90" y="60" dx="15" text-anchor="middle">Morgen</text></g>',
    "told how long": '<g font-family="EB Garamond" font-size="24"><text x="10" y="30" textLength="150">Kap Morgen</text><text x="10" y="60" textLength="90" lengthAdjust="spacingAndGlyphs">Kap Morgen</text><text x="110" y="90" textLength="80" lengthAdjust="spacing">Licht an</text></g>',
    "turned": '<text x="20 50 90" y="50" rotate="20 -30 45" font-family="Comfortaa" font-weight="bold" font-size="30">ABCDE</text>',
    "turned within": '<text x="20" y="50" rotate="15" font-family="EB Garamond" font-size="24">Kap <tspan rotate="-20 0" fill="#c00">Mor</tspan>gen</text>',
    "percent": '<text x="50%" y="50%" font-family="Comfortaa" font-weight="bold" font-size="20" text-anchor="middle">Mitte</text>',
}

#: The rasteriser finds lengths of curves only to about half a unit: letters along them are off by so much.
_ALONG = {
    "arc": '<path id="w" d="M20 80 A 80 60 0 0 1 180 80" fill="none"/><text font-family="Comfortaa" font-weight="bold" font-size="18" fill="#246"><textPath href="#w" startOffset="10">Leuchtturmmuseum</textPath></text>',
    "round": '<circle id="w" cx="100" cy="50" r="30"/><text font-family="Comfortaa" font-weight="bold" font-size="14"><textPath xlink:href="#w">Nord · Ost · Süd · West · und weiter</textPath></text>',
    "aside": '<path id="w" d="M10 60 L 90 20 L 190 70" transform="translate(0 10)"/><text dy="-4" font-family="Bebas Neue" font-weight="bold" font-size="20"><textPath href="#w" startOffset="5%">ECKEN UND <tspan dx="8" dy="6">KANTEN</tspan> hier</textPath></text>',
    "after a way": '<path id="w" d="M10 60 Q 50 10 100 60"/><text font-family="Comfortaa" font-weight="bold" font-size="16"><textPath href="#w">auf dem Weg</textPath><tspan x="110" y="90">daneben</tspan></text>',
}


def _drawing(inner: str) -> Drawing:
    return Drawing(_read(document(_ROOT, inner).encode(), "x.svg"), "x.svg")


def _pixels(text: str) -> NDArray[np.float64]:
    """Premultiplied picture [100, 200, 4] from 0 to 255, the mean of eight by eight pixels of the rasteriser."""
    data = bytes(
        resvg_py.svg_to_bytes(
            svg_string=text, width=1600, height=800, dpi=96, font_files=_FONTS, skip_system_fonts=True
        )
    )
    found = np.asarray(Image.open(io.BytesIO(data)).convert("RGBA"), np.float64)
    found[..., :3] *= found[..., 3:] / 255
    return found.reshape(100, 8, 200, 8, 4).mean(axis=(1, 3))


class Texts(unittest.TestCase):
    def test_letters_stand_where_an_independent_rasteriser_sets_them(self) -> None:
        for name, inner in _TEXTS.items():
            with self.subTest(name):
                drawing = _drawing(inner)
                self.assertEqual(drawing.notes, ())
                true = _pixels(document(_ROOT, inner))
                self.assertGreater(float(true[..., 3].mean()), 2)
                off = np.abs(true - _pixels(painted(drawing, _ROOT)))
                self.assertLess(float(off.max()), 12)
                self.assertLess(float(off.mean()), 0.2)

    def test_letters_along_a_way_stand_about_there(self) -> None:
        for name, inner in _ALONG.items():
            with self.subTest(name):
                drawing = _drawing(inner)
                self.assertEqual(drawing.notes, ())
                true, own = _pixels(document(_ROOT, inner)), _pixels(painted(drawing, _ROOT))
                # Half a unit beside, nearly all of it is where it was.
                self.assertLess(float(np.abs(true - own).mean()), 0.15 * float(true[..., 3].mean()) + 0.2)
                self.assertLess(abs(float(true[..., 3].mean() - own[..., 3].mean())), 0.1)

    def test_letters_on_a_circle(self) -> None:
        # By hand: the middle of each advance, as the font itself says, at its length over the radius.
        radius, size, words = 35.0, 16.0, "nonuonno"
        font = TTFont(SHIPPED["eb-garamond"].path)
        wide = [font["hmtx"][font.getBestCmap()[ord(one)]][0] * size / font["head"].unitsPerEm for one in words]
        style = f'font-family="EB Garamond" font-size="{size}"'
        letters, far = [], 12.0
        for one, across in zip(words, wide, strict=True):
            turn = math.degrees((far + across / 2) / radius)
            letters.append(
                f'<text transform="translate(100 50) rotate({turn}) translate({-across / 2} {-radius})" {style}>{one}</text>'
            )
            far += across
        # Half circles from the top, to the right.
        way = f'<defs><path id="w" d="M100 {50 - radius} A {radius} {radius} 0 0 1 100 {50 + radius}"/></defs>'
        inner = f'{way}<text {style}><textPath href="#w" startOffset="12">{words}</textPath></text>'
        off = np.abs(_pixels(document(_ROOT, "".join(letters))) - _pixels(painted(_drawing(inner), _ROOT)))
        self.assertLess(float(off.max()), 12)

    def test_the_middle_of_a_way(self) -> None:
        for spacing in (0, 3):
            inner = (
                '<path id="w" fill="none" d="M20 80 A 80 60 0 0 1 180 80"/><text font-family="EB Garamond" font-size="30" text-anchor="middle">'
                f'<textPath href="#w" startOffset="50%" letter-spacing="{spacing}">oxo</textPath></text>'
            )
            (low, high) = _drawing(inner).bounds
            # Half of the last space is beyond the last letter.
            self.assertAlmostEqual(float(low[0] + high[0]) / 2, 100 - spacing / 2, delta=0.2)

    def test_a_length_is_that_of_all_of_a_text(self) -> None:
        # SVG 2, section 11.5: of what stands within it, too, which the rasteriser leaves out.
        whole = '<text x="20" y="40" font-family="EB Garamond" font-size="24" textLength="{}"{}>{}</text>'
        for told, how in ((150, ""), (60, ' lengthAdjust="spacingAndGlyphs"')):
            bounds = [
                _drawing(whole.format(told, how, inner)).bounds
                for inner in ("Lichter", 'Lich<tspan fill="#a00">ter</tspan>')
            ]
            np.testing.assert_allclose(bounds[0], bounds[1], atol=0.02)
            self.assertAlmostEqual(float(np.ptp(bounds[0][:, 0])), told, delta=2.5)
            ends = _drawing(whole.format(told, f'{how} text-anchor="end" dx="160"', "Lichter")).bounds
            np.testing.assert_allclose(ends - bounds[0], [[160 - told, 0]] * 2, atol=0.02)

    def test_where_letters_are_spaced_there_are_no_ligatures(self) -> None:
        # CSS Text 3, section 8.2: f, i and its dot are three outlines, the ligature is one with what it joins.
        inner = '<text x="5" y="50" font-family="EB Garamond" font-size="40"{}>fi</text>'
        counts = []
        for spacing in ("", ' letter-spacing="8"'):
            (region,) = _drawing(inner.format(spacing)).regions(0.002)
            counts.append(len(region.outline.loops()))
        self.assertLess(counts[0], 3)
        self.assertEqual(counts[1], 3)

    def test_what_stands_for_what_is_told(self) -> None:
        for inner, told in (
            ("<text y='40'>Kap</text>", "names no font: it is set in Lato Black"),
            ("<text y='40' font-family='Nirgends, serif'>Kap</text>", "asks for Nirgends: it is set in EB Garamond"),
            ("<text y='40' font-family='Lato'>Kap</text>", "another weight or slant of Lato"),
            (
                "<text y='40' font-family='Comfortaa' font-weight='bold'>საქართველო</text>",
                "set in Noto Serif Georgian Bold",
            ),
            (
                "<text y='40' font-family='Amiri' font-weight='700'>漢</text>",
                "letters of the text “漢” that no font here has",
            ),
            ("<text y='40'><textPath href='#p'>Bogen</textPath></text>", "“Bogen”, whose path is not there"),
            ("<text y='40'><textPath path='M5 5z'>Bogen</textPath></text>", "“Bogen”, whose path is not there"),
            ("<text y='40' textLength='20'>a<tspan x='5'>b</tspan></text>", "textLength of a text"),
            ("<text y='40'>a<tspan textLength='20'>bc</tspan></text>", "textLength within a text"),
            ("<text y='40' dominant-baseline='anywhere'>a</text>", "dominant-baseline anywhere of a text"),
            ("<text y='40' writing-mode='vertical-rl'>a</text>", "writing-mode of a text"),
            ("<text y='40' font-family=\",'',\" x='1 5 9'>Kap</text>", "the text “Kap” names no font"),
            ("<tspan>a</tspan>", "a tspan outside of a text"),
        ):
            with self.subTest(told):
                notes = " | ".join(_drawing(inner + '<rect width="5" height="5"/>').notes)
                self.assertIn(told, notes)

    def test_what_is_not_there_is_not_set(self) -> None:
        for inner in (
            "<text/>",
            "<text>  \n </text>",
            "<text y='40' display='none'>a</text>",
            "<text y='40' visibility='hidden'>a</text>",
            "<text y='40'><tspan display='none'>a</tspan></text>",
            "<text y='40' font-size='0'>a</text>",
            "<text x='nan' y='inf' font-family='Amiri' font-weight='700'> </text>",
        ):
            with self.subTest(inner):
                drawing = _drawing(inner + '<rect width="5" height="5" fill="#123456"/>')
                self.assertEqual({shade.colour for shade in drawing.shades}, {"#123456"})

    def test_books_are_refused(self) -> None:
        with self.assertRaises(LimitError) as caught:
            _drawing(f"<text>{'Kap Morgen ' * 1000}</text>")
        self.assertIn("more than 5000 characters", caught.exception.message)
