"""Contact prints: all frames of a pass small beside one another, with their numbers, as one PNG or as a PDF of pages.

The PNG is read back with OpenImageIO; the PDF is written with fpdf2, and its pictures are read back with PDFium.
Both hold the prints without loss.
"""

from __future__ import annotations

import io
from abc import ABC, abstractmethod
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from fractions import Fraction
from pathlib import Path

import numpy as np
import pypdfium2 as pdfium  # type: ignore[import-untyped]
from fpdf import FPDF
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from zeitbild.errors import InputError, StorageError
from zeitbild.fonts import SHIPPED
from zeitbild.fonts.pages import add_fonts, legible
from zeitbild.formats._base import Format, Option, Options, Plane, ReadBack, Sharing, formats
from zeitbild.formats._coding import Coding
from zeitbild.formats._png import png_of
from zeitbild.formats._reader import read_raw
from zeitbild.formats._reading_back import compared
from zeitbild.formats._spill import Spill
from zeitbild.formats._whole_numbers import codes
from zeitbild.timing.timecode import frame_to_timecode

#: A side of a sheet at most.
_LARGEST = 16384
#: Pixels of a sheet: around it, between prints, of its title's line and of a number's; sizes of their letters.
_AROUND, _BETWEEN, _TITLE, _LINE = 24, 12, 40, 22
_LETTERS, _NUMBERS = 24, 14
_PAPER, _INK, _SOFT = 246, 34, 96
#: Of titles, and of numbers, whose figures are all as high.
_LETTER_FONT, _FIGURE_FONT = "eb-garamond", "lato-black"
#: Millimetres of a page of A4, lying: its size, margins, room between prints, and lines of text.
_PAGE, _MARGIN, _GAP, _HEAD, _TEXT = (297.0, 210.0), 12.0, 4.0, 12.0, 5.0
#: A moment for the file, so that equal sheets are equal bytes.
_MADE = datetime(2000, 1, 1, tzinfo=UTC)
_COLUMNS = Option(
    "columns",
    "In a row",
    low=0,
    high=100,
    initial="0",
    kind="number",
    note="0: as near a square as it goes; on a page four.",
)
_TIMES = Option("times", "Below each", (("frame", "Its frame"), ("both", "Its frame and time code")))


def _columns(options: Options, otherwise: int) -> int:
    return int(float(options.get("columns", "0"))) or otherwise


@dataclass(frozen=True, slots=True)
class _Told:
    """What is written on a sheet: whose prints they are, and what stands below each."""

    title: str
    below: tuple[str, ...]


class _Prints(ABC):
    """Prints are kept until all of them are known."""

    def __init__(self, path: Path, options: Options) -> None:
        self._path, self._options = path, options
        self.spill = Spill()
        self._frames: list[int] = []
        self._rate = Fraction(24)
        self._named = ""

    def add(self, planes: Sequence[Plane]) -> None:
        (plane,) = planes
        self._rate, self._named = (
            plane.rate or self._rate,
            " · ".join(part for part in (plane.layer, plane.name) if part),
        )
        self._frames.append(plane.frame)
        numbers = codes(plane, 8)
        self.spill.add(numbers if numbers.ndim == 2 else np.ascontiguousarray(numbers[..., :3]))

    def close(self) -> None:
        try:
            if self.spill.count:
                self._path.write_bytes(self._made(self.spill, self._told()))
        finally:
            self.spill.close()

    def _told(self) -> _Told:
        first, last = self._frames[0], self._frames[-1]
        reach = f"frame {first}" if first == last else f"frames {first} to {last}"
        rate = f"{float(self._rate):.5g} a second"
        below = [str(frame) for frame in self._frames]
        if self._options.get("times") == "both":
            start = min(self._frames)
            below = [
                f"{one}   {frame_to_timecode(frame - start, self._rate)}"
                for one, frame in zip(below, self._frames, strict=True)
            ]
        return _Told(" · ".join(part for part in (self._named, reach, rate) if part), tuple(below))

    @abstractmethod
    def _made(self, prints: Spill, told: _Told) -> bytes:
        """The bytes of the file."""


@dataclass(frozen=True, slots=True)
class _Grid:
    """Where prints lie on a sheet in pixels."""

    count: int
    width: int
    height: int
    columns: int

    @classmethod
    def of(cls, count: int, width: int, height: int, options: Options) -> _Grid:
        # As wide as high, or a little wider.
        square = max(1, round((count * (height + _LINE) / max(width, 1)) ** 0.5 * 1.15))
        return cls(count, width, height, min(count, _columns(options, square)))

    @property
    def size(self) -> tuple[int, int]:
        rows = -(-self.count // self.columns)
        wide = 2 * _AROUND + self.columns * (self.width + _BETWEEN) - _BETWEEN
        return wide, 2 * _AROUND + _TITLE + rows * (self.height + _LINE + _BETWEEN) - _BETWEEN

    def place(self, number: int) -> tuple[int, int]:
        row, column = divmod(number, self.columns)
        return _AROUND + column * (self.width + _BETWEEN), _AROUND + _TITLE + row * (self.height + _LINE + _BETWEEN)


class _OnePicture(_Prints):
    """All of them on one PNG."""

    def _made(self, prints: Spill, told: _Told) -> bytes:
        height, width = prints.shape[:2]
        grid = _Grid.of(prints.count, width, height, self._options)
        if max(grid.size) > _LARGEST:
            wide, high = grid.size
            raise InputError(
                f"{prints.count} prints of {width} x {height} make a sheet of {wide} x {high}; a side has up to {_LARGEST}: make the prints "
                "smaller, take fewer frames, or pages of a PDF",
                "options.width",
            )
        sheet = Image.new("RGB", grid.size, (_PAPER, _PAPER, _PAPER - 4))
        pen = ImageDraw.Draw(sheet)
        letters, numbers = (
            ImageFont.truetype(str(SHIPPED[font].path), size)
            for font, size in ((_LETTER_FONT, _LETTERS), (_FIGURE_FONT, _NUMBERS))
        )
        pen.text((_AROUND, _AROUND - 4), told.title, fill=(_INK, _INK, _INK - 4), font=letters)
        for number, below in enumerate(told.below):
            x, y = grid.place(number)
            pen.text((x + 1, y + height + 1), below, fill=(_SOFT, _SOFT, _SOFT), font=numbers)
        picture = np.array(sheet)
        for number, one in enumerate(prints):
            x, y = grid.place(number)
            picture[y : y + height, x : x + width] = one if one.ndim == 3 else one[..., None]
        return png_of(picture, srgb=True)


class _Pages(_Prints):
    """So many on a page."""

    def _made(self, prints: Spill, told: _Told) -> bytes:
        height, width = prints.shape[:2]
        columns = _columns(self._options, 4)
        room = _PAGE[0] - 2 * _MARGIN
        wide = (room - (columns - 1) * _GAP) / columns
        high = wide * height / width
        most = _PAGE[1] - 2 * _MARGIN - _HEAD - _TEXT
        if high > most:
            wide, high = wide * most / high, most
        rows = max(1, int((_PAGE[1] - 2 * _MARGIN - _HEAD + _GAP) / (high + _TEXT + _GAP)))
        pdf = FPDF(orientation="L", format="A4")
        pdf.set_creation_date(_MADE)
        pdf.set_auto_page_break(False)
        add_fonts(pdf, _LETTER_FONT, _FIGURE_FONT)
        pdf.c_margin = 0
        pdf.set_title(told.title)
        pages = -(-prints.count // (rows * columns))
        for number, one in enumerate(prints):
            page, at = divmod(number, rows * columns)
            if at == 0:
                self._begin(pdf, told.title, page + 1, pages)
            row, column = divmod(at, columns)
            x, y = _MARGIN + column * (wide + _GAP), _MARGIN + _HEAD + row * (high + _TEXT + _GAP)
            pdf.image(io.BytesIO(png_of(one, srgb=one.ndim == 3)), x=x, y=y, w=wide, h=high)
            pdf.set_font(_FIGURE_FONT, size=7)
            pdf.set_text_color(_SOFT)
            pdf.set_xy(x, y + high)
            pdf.cell(wide, _TEXT, told.below[number])
        return bytes(pdf.output())

    def _begin(self, pdf: FPDF, title: str, page: int, pages: int) -> None:
        pdf.add_page()
        pdf.set_text_color(_INK)
        pdf.set_font(_LETTER_FONT, size=13)
        pdf.set_xy(_MARGIN, _MARGIN - 2)
        pdf.cell(_PAGE[0] - 2 * _MARGIN, 7, legible(title, _LETTER_FONT))
        pdf.set_font(_LETTER_FONT, size=9)
        pdf.set_text_color(_SOFT)
        pdf.set_xy(_MARGIN, _MARGIN - 2)
        pdf.cell(_PAGE[0] - 2 * _MARGIN, 7, f"{page} of {pages}", align="R")


def _compared(found: NDArray[np.uint8], plane: Plane) -> ReadBack:
    """A print that was found [H, W, 3], beside what it should be."""
    return compared(found[..., :1] if plane.role == "coverage" else found, 8, plane, 8, Coding())


def _read_picture(
    path: Path, frames: Iterable[Sequence[Plane]], sharing: Sharing, options: Options
) -> Iterator[list[ReadBack]]:
    raw = read_raw(path)
    sheet = np.asarray(raw.pixels)[..., :3]
    planes = [plane for (plane,) in frames]
    height, width = planes[0].pixels.shape[:2]
    grid = _Grid.of(len(planes), width, height, options)
    if raw.bits != 8 or sheet.shape[1::-1] != grid.size:
        raise StorageError(f"{path.name} is no sheet of {len(planes)} prints of {width} x {height}")
    for number, plane in enumerate(planes):
        x, y = grid.place(number)
        yield [_compared(sheet[y : y + height, x : x + width], plane)]
    for number in range(len(planes), -(-len(planes) // grid.columns) * grid.columns):
        x, y = grid.place(number)
        if np.ptp(sheet[y : y + height, x : x + width], axis=(0, 1)).any():
            raise StorageError(f"{path.name} holds more prints than were written")


def _read_pages(
    path: Path, frames: Iterable[Sequence[Plane]], sharing: Sharing, options: Options
) -> Iterator[list[ReadBack]]:
    try:
        file = pdfium.PdfDocument(path)
    except (pdfium.PdfiumError, OSError) as error:
        raise StorageError(f"{path.name} cannot be read back: {error}") from error
    try:
        pictures = (
            np.asarray(one.get_bitmap(render=False).to_pil().convert("RGB"))
            for page in file
            for one in page.get_objects(filter=[pdfium.raw.FPDF_PAGEOBJ_IMAGE])
        )
        for (plane,) in frames:
            found = next(pictures, None)
            if found is None:
                raise StorageError(f"{path.name} holds fewer prints than were written")
            yield [_compared(found, plane)]
        if next(pictures, None) is not None:
            raise StorageError(f"{path.name} holds more prints than were written")
    except pdfium.PdfiumError as error:
        raise StorageError(f"{path.name} cannot be read back: {error}") from error
    finally:
        file.close()


for _name, _title, _extension, _open, _read, _order, _reader in (
    ("contact", "Contact prints, PNG", "png", _OnePicture, _read_picture, 90, "OpenImageIO"),
    ("contact-pdf", "Contact prints, PDF", "pdf", _Pages, _read_pages, 91, "PDFium"),
):
    formats.register(
        Format(
            _name,
            _title,
            _extension,
            "none",
            "sRGB (IEC 61966-2-1)",
            {"colour": 8, "light": 8, "coverage": 8},
            lambda path, sharing, options, _open=_open: _open(path, options),  # type: ignore[misc]
            _read,
            order=_order,
            container=True,
            prints=True,
            measure=None,
            reader=_reader,
            options=(_COLUMNS, _TIMES),
        )
    )
