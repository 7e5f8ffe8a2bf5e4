"""How the elements of an SVG document are styled: presentation attributes, style sheets and inline styles, in the order of the cascade.

Selectors are matched by ``cssselect2``, declarations read by ``tinycss2``.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Iterator
from typing import Any
from xml.etree.ElementTree import Element

import cssselect2
import tinycss2
from tinycss2.color4 import Color, parse_color

#: What stands at the corners of a line.
MARKERS = ("marker-start", "marker-mid", "marker-end")
#: Properties that also stand as attributes, and those of them that are handed down.
_HANDED_DOWN = (
    *MARKERS,
    "fill",
    "fill-rule",
    "fill-opacity",
    "stroke",
    "stroke-width",
    "stroke-opacity",
    "stroke-linecap",
    "stroke-linejoin",
    "stroke-miterlimit",
    "stroke-dasharray",
    "stroke-dashoffset",
    "clip-rule",
    "color",
    "visibility",
    "paint-order",
    "font-family",
    "font-size",
    "font-weight",
    "font-style",
    "letter-spacing",
    "word-spacing",
    "text-anchor",
    "direction",
    "dominant-baseline",
    "writing-mode",
)
_OWN = (
    "opacity",
    "display",
    "clip-path",
    "mask",
    "mask-type",
    "filter",
    "transform",
    "transform-origin",
    "transform-box",
    "overflow",
    "stop-color",
    "stop-opacity",
    "vector-effect",
    "mix-blend-mode",
    "isolation",
    "baseline-shift",
)
_ATTRIBUTES = frozenset(_HANDED_DOWN + _OWN)
#: Less than this (of 1) is nothing.
CLEAR = 1 / 512
HREF = "{http://www.w3.org/1999/xlink}href"
#: Properties before anything is said (SVG 2, property index).
INITIAL = {
    "fill": "black",
    "fill-rule": "nonzero",
    "stroke": "none",
    "stroke-width": "1",
    "clip-rule": "nonzero",
    "color": "black",
    "font-size": "16",
}
#: Spaces of colours that are read; and what stands for a colour that is not.
_SPACES = ("srgb", "hsl", "hwb")
UNREAD = (0.0, 0.0, 0.0, 1.0)
#: Units of length in pixels (CSS Values and Units 4, section 6.2).
_PIXELS = {"": 1.0, "px": 1.0, "pt": 4 / 3, "pc": 16.0, "in": 96.0, "cm": 96 / 2.54, "mm": 9.6 / 2.54, "q": 2.4 / 2.54}
_LENGTH = re.compile(r"^\s*([-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)\s*([a-zA-Z%]*)\s*$")
_FONT = re.compile(r"^\s*((?:[a-z0-9-]+\s+)*?)([\d.]+(?:[a-z]+|%))\s*(?:/\s*\S+)?\s+(\S.*)$", re.DOTALL)
_URL = re.compile(r"""^\s*url\(\s*["']?([^"')]*)["']?\s*\)\s*(.*)$""", re.DOTALL)


def local(tag: Any) -> str:
    """The name of an element without its namespace; empty for what is no element (comments) and for foreign namespaces."""
    if not isinstance(tag, str):
        return ""
    space, _, name = tag.rpartition("}")
    return name if space in ("", "{http://www.w3.org/2000/svg") else ""


def length(text: str, whole: float, em: float, otherwise: float = math.nan) -> float:
    """A length in user units; whole is what per cents are of, em the size of the font. ``otherwise`` for what is none."""
    found = _LENGTH.match(text)
    if not found:
        return otherwise
    value, unit = float(found[1]), found[2].lower()
    if not math.isfinite(value):
        return otherwise
    if unit == "%":
        return value * whole / 100
    if unit in ("em", "rem"):
        return value * em
    if unit == "ex":
        return value * em / 2
    return value * _PIXELS[unit] if unit in _PIXELS else otherwise


def share(text: str) -> float:
    """A number or per cents as a share from 0 to 1; 1 for what is none."""
    value = length(text, 1.0, 1.0, 1.0)
    return min(max(value, 0.0), 1.0)


def numbers(text: str) -> list[float]:
    """All finite numbers of a list with commas or spaces, up to the first thing that is none."""
    found = []
    for word in text.replace(",", " ").split():
        try:
            value = float(word)
        except ValueError:
            break
        if not math.isfinite(value):
            break
        found.append(value)
    return found


def link(text: str) -> tuple[str, str] | None:
    """What ``url(...)`` names, and what is written after it; None for anything else."""
    found = _URL.match(text)
    return (found[1].strip(), found[2].strip()) if found else None


def colour_of(text: str, current: str) -> tuple[float, float, float, float] | None:
    """Red, green, blue and alpha (0 to 1) as CSS writes colours; None for none, ``UNREAD`` itself for what is no colour that is read.
    current is ``currentColor``."""
    named = text.strip().lower()
    if named == "currentcolor":
        named = current.strip().lower()
    if named in ("", "none", "transparent"):
        return None
    colour = parse_color(named)
    if not isinstance(colour, Color) or colour.space not in _SPACES:
        return UNREAD
    whole = (*colour.to("srgb").coordinates, colour.alpha)
    red, green, blue, alpha = (min(max(float(value or 0), 0.0), 1.0) for value in whole)
    return red, green, blue, alpha


def _declarations(text: Any) -> Iterator[tuple[str, str, bool]]:
    for one in tinycss2.parse_declaration_list(text, skip_comments=True, skip_whitespace=True):
        if one.type == "declaration":
            yield one.lower_name, tinycss2.serialize(one.value).strip(), bool(one.important)


def _font(text: str) -> dict[str, str]:
    """What ``font`` sets at once (CSS Fonts 4, section 2.7): the size stands before the families, weight and slant before it."""
    found = _FONT.match(text)
    if found is None:
        return {}
    before = found[1].split()
    weight = next((one for one in before if one.isdecimal() or one in ("bold", "bolder", "lighter")), "normal")
    style = next((one for one in before if one in ("italic", "oblique")), "normal")
    return {"font-weight": weight, "font-style": style, "font-size": found[2], "font-family": found[3].strip()}


class Styles:
    """The style sheets of a document, and with them the values of every element."""

    def __init__(self, root: Element) -> None:
        self._matcher = cssselect2.Matcher()
        self._wrapped = {
            id(one.etree_element): one
            for one in cssselect2.ElementWrapper.from_xml_root(root).iter_subtree()
            if isinstance(one.etree_element.tag, str)
        }
        #: Whether a sheet asks for another file.
        self.asks_outside = False
        for element in root.iter():
            if local(element.tag) == "style" and element.get("type", "text/css") in ("", "text/css"):
                self._add(tinycss2.parse_stylesheet("".join(element.itertext()), skip_comments=True))

    def _add(self, rules: Iterable[Any]) -> None:
        for rule in rules:
            if rule.type == "at-rule" and rule.lower_at_keyword == "media" and rule.content is not None:
                media = tinycss2.serialize(rule.prelude).strip().lower()
                if media in ("", "all", "screen"):
                    self._add(tinycss2.parse_rule_list(rule.content, skip_comments=True, skip_whitespace=True))
            elif rule.type == "at-rule" and rule.lower_at_keyword == "import":
                self.asks_outside = True
            elif rule.type == "qualified-rule":
                try:
                    selectors = cssselect2.compile_selector_list(rule.prelude)
                except cssselect2.SelectorError:
                    continue
                found = list(_declarations(rule.content))
                for selector in selectors:
                    if selector.pseudo_element is None:
                        self._matcher.add_selector(selector, found)

    def of(self, element: Element, handed: dict[str, str]) -> dict[str, str]:
        """The values of an element by their properties; ``handed`` are those of what it stands in."""
        values = {name: handed[name] for name in _HANDED_DOWN if name in handed}
        ranked: list[tuple[tuple[Any, ...], str, str]] = [
            ((0, 0, (), 0), name, value) for name, value in element.attrib.items() if name in _ATTRIBUTES
        ]
        wrapped = self._wrapped.get(id(element))
        if wrapped is not None:
            for specificity, order, _, declared in self._matcher.match(wrapped):
                for name, value, important in declared:
                    ranked.append(((1 if important else 0, 1, specificity, order), name, value))
        for name, value, important in _declarations(element.get("style", "")):
            ranked.append(((1 if important else 0, 2, (), 0), name, value))
        for _, name, value in sorted(ranked, key=lambda one: one[0]):
            if value == "inherit":
                value = handed.get(name, "")
            if name in _ATTRIBUTES and value:
                values[name] = value
            elif name == "marker" and value:
                values |= dict.fromkeys(MARKERS, value)
            elif name == "font":
                values |= _font(value)
        return values
