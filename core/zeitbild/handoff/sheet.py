"""The exposure sheet as PDF: frames down the page, a column for each layer, for each value that moves, and for each sound, as on the desk."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from fpdf import FPDF

from zeitbild.colour.srgb import is_hex
from zeitbild.document.evaluate import moving_parts, name_of_part
from zeitbild.document.layers import Layer
from zeitbild.document.shot import Shot
from zeitbild.document.sounds import Sound
from zeitbild.fonts.pages import add_fonts, legible
from zeitbild.keys.measure import measure_of
from zeitbild.keys.track import Track
from zeitbild.timing.rate import nominal
from zeitbild.timing.timecode import frame_to_timecode

#: Frames on a page, and the most that are drawn.
_ROWS, _MOST = 48, 2400
#: Millimetres of A4: margins, rows, heads, and columns of frames, times, marks and values.
_LEFT, _TOP, _ROW, _HEAD = 12.0, 30.0, 5.0, 9.0
_FRAME, _TIME, _MARK, _VALUE = 13.0, 24.0, 18.0, 27.0
_WIDE = 186.0
_FONT = "eb-garamond"
_INK, _SOFT, _HAIR, _RULE, _NOW = (34, 32, 28), (99, 94, 83), (222, 216, 204), (150, 143, 128), (178, 48, 28)
#: A moment for the file, so that equal sheets are equal bytes.
_MADE = datetime(2000, 1, 1, tzinfo=UTC)


@dataclass(frozen=True, slots=True)
class _Column:
    """A column: two lines of its head, its width, and what draws a cell at (x, y) of a frame."""

    title: str
    below: str
    width: float
    draw: Callable[[FPDF, int, float, float], None]


def _written(value: Any) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, (int, float)):
        return f"{round(value, 2):g}"
    if isinstance(value, (list, tuple)):
        return " ".join(_written(part) for part in value)
    return str(value)


def _of_layer(layer: Layer, frames: Sequence[int]) -> _Column:
    own = set(layer.frames_of(tuple(frames)))

    def draw(pdf: FPDF, frame: int, x: float, y: float) -> None:
        if frame in own:
            pdf.set_fill_color(*_INK)
            pdf.circle(x + _MARK / 2, y + _ROW / 2, 0.9, style="F")
        else:
            pdf.set_draw_color(*_RULE)
            pdf.line(x + _MARK / 2 - 1, y + _ROW / 2, x + _MARK / 2 + 1, y + _ROW / 2)

    return _Column(layer.title or layer.name, layer.name, _MARK, draw)


def _of_track(thing: str, title: str, track: Track) -> _Column:
    keys = {key.frame: key for key in track.keys}
    at = sorted(keys)

    def draw(pdf: FPDF, frame: int, x: float, y: float) -> None:
        middle = x + 3
        pdf.set_draw_color(*_SOFT)
        key = keys.get(frame)
        if key is not None:
            pdf.circle(middle, y + _ROW / 2, 1.1, style="D")
            if isinstance(key.value, str) and is_hex(key.value):
                pdf.set_fill_color(*(int(key.value[part : part + 2], 16) for part in (1, 3, 5)))
                pdf.rect(x + 6, y + 1, 5, _ROW - 2, style="DF")
                return
            pdf.set_xy(x + 5, y)
            pdf.set_text_color(*_INK)
            pdf.cell(_VALUE - 5, _ROW, _cut(pdf, _written(key.value), _VALUE - 6))
            return
        if track.wave is not None or (at and at[0] < frame < at[-1]):
            before = max((one for one in at if one < frame), default=None)
            after = min((one for one in at if one > frame), default=None)
            holds = before is not None and after is not None and keys[before].value == keys[after].value
            if not holds or track.wave is not None:
                pdf.set_dash_pattern(dash=0.3, gap=0.8)
            pdf.line(middle, y, middle, y + _ROW)
            pdf.set_dash_pattern()

    return _Column(thing, title, _VALUE, draw)


def _of_sound(shot: Shot, sound: Sound, seconds: float) -> _Column:
    count = math.ceil(seconds * shot.timing.fraction)

    def draw(pdf: FPDF, frame: int, x: float, y: float) -> None:
        if not sound.begins <= frame < sound.begins + count:
            return
        pdf.set_fill_color(*_SOFT)
        pdf.rect(x + _MARK / 2 - 1.5, y, 3, _ROW, style="F")

    return _Column(sound.name, "sound", _MARK, draw)


def _cut(pdf: FPDF, text: str, room: float) -> str:
    """Text as far as there is room, in letters that there are."""
    text = legible(text, _FONT)
    if pdf.get_string_width(text) <= room:
        return text
    while text and pdf.get_string_width(f"{text}…") > room:
        text = text[:-1]
    return f"{text}…"


def _sets(columns: Sequence[_Column]) -> list[list[_Column]]:
    """Columns that stand beside one another on a page."""
    room = _WIDE - _FRAME - _TIME
    found: list[list[_Column]] = [[]]
    for column in columns:
        if found[-1] and sum(one.width for one in found[-1]) + column.width > room:
            found.append([])
        found[-1].append(column)
    return found


def exposure_sheet(
    shot: Shot, layers: Sequence[Layer], frames: Sequence[int], version: int, lengths: Mapping[str, float] | None = None
) -> bytes:
    """The PDF of a shot's frames; of very long ones the beginning, which is said. lengths are the seconds for which sounds are heard, by
    their identities; those without are not drawn."""
    columns = [
        _of_sound(shot, sound, (lengths or {})[sound.id]) for sound in shot.sounds if sound.id in (lengths or {})
    ]
    columns += [_of_layer(layer, frames) for layer in layers]
    for path, part in moving_parts(shot).items():
        for inner, track in part.moves.items():
            columns.append(_of_track(name_of_part(shot, path), measure_of(type(part), inner).title, track))
    pdf = FPDF(format="A4")
    pdf.set_creation_date(_MADE)
    pdf.set_auto_page_break(False)
    add_fonts(pdf, _FONT)
    pdf.set_title(f"{shot.shot} v{version:03}")
    shown = list(frames)[:_MOST]
    for begin in range(0, len(shown), _ROWS):
        for own in _sets(columns):
            _page(pdf, shot, version, own, shown[begin : begin + _ROWS])
    if len(shown) < len(frames):
        pdf.set_xy(_LEFT, 285)
        pdf.cell(_WIDE, 5, f"{len(frames) - len(shown)} more frames are not drawn.")
    return bytes(pdf.output())


def _page(pdf: FPDF, shot: Shot, version: int, columns: Sequence[_Column], frames: Sequence[int]) -> None:
    timing = shot.timing
    pdf.add_page()
    pdf.set_text_color(*_INK)
    pdf.set_font(_FONT, size=16)
    pdf.set_xy(_LEFT, 10)
    pdf.cell(_WIDE, 7, _cut(pdf, f"{shot.shot} {shot.title}, version {version}", _WIDE))
    pdf.set_font(_FONT, size=9)
    pdf.set_text_color(*_SOFT)
    pdf.set_xy(_LEFT, 17)
    cycle = ", a cycle" if timing.cycle else ""
    pdf.cell(
        _WIDE,
        4,
        f"Frames {frames[0]} to {frames[-1]} of {timing.first} to {timing.last}, {timing.rate} frames a second{cycle}",
    )
    x = _LEFT + _FRAME + _TIME
    for column in columns:
        pdf.set_text_color(*_INK)
        pdf.set_xy(x, _TOP - _HEAD)
        pdf.cell(column.width, 4, _cut(pdf, column.title, column.width - 1))
        pdf.set_text_color(*_SOFT)
        pdf.set_xy(x, _TOP - _HEAD + 4)
        pdf.cell(column.width, 4, _cut(pdf, column.below, column.width - 1))
        x += column.width
    wide = x - _LEFT
    second = nominal(timing.fraction)
    for row, frame in enumerate(frames):
        y = _TOP + row * _ROW
        pdf.set_draw_color(*(_RULE if (frame - timing.first) % second == 0 else _HAIR))
        pdf.line(_LEFT, y, _LEFT + wide, y)
        pdf.set_text_color(*(_NOW if frame in (timing.first, timing.last) else _INK if frame % 5 == 0 else _SOFT))
        pdf.set_xy(_LEFT, y)
        pdf.cell(_FRAME - 2, _ROW, str(frame), align="R")
        pdf.set_text_color(*_SOFT)
        pdf.set_xy(_LEFT + _FRAME, y)
        pdf.cell(_TIME, _ROW, frame_to_timecode(max(frame - timing.first, 0), timing.fraction))
        x = _LEFT + _FRAME + _TIME
        for column in columns:
            column.draw(pdf, frame, x, y)
            x += column.width
    bottom = _TOP + len(frames) * _ROW
    pdf.set_draw_color(*_HAIR)
    x = _LEFT + _FRAME + _TIME
    for column in columns:
        pdf.line(x, _TOP - _HEAD, x, bottom)
        x += column.width
    pdf.set_draw_color(*_INK)
    pdf.line(_LEFT, _TOP, _LEFT + wide, _TOP)
    pdf.line(_LEFT, bottom, _LEFT + wide, bottom)
