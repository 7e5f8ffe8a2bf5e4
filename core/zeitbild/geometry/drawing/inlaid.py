"""Pictures that lie inside a drawing (SVG 2, section 12.3), written into it: what of each is there becomes outlines that it fills."""

from __future__ import annotations

import base64
import binascii
import urllib.parse
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from fontTools.misc.transform import Identity, Transform
from numpy.typing import NDArray

from zeitbild.caching import SizedCache
from zeitbild.colour import decode, encode
from zeitbild.errors import LimitError, PictureError
from zeitbild.geometry.drawing.gradient import Painting
from zeitbild.geometry.drawing.placing import fit_box
from zeitbild.geometry.drawing.tracks import Track, polygon
from zeitbild.isolation import apart
from zeitbild.stills import read_data

Floats = NDArray[np.float64]

#: Pictures in a drawing, and pixels of all of them, at most.
MAX_INLAYS, MAX_INLAID = 160, 32 * 1024 * 1024
#: Numbers that textures give to the files of pictures in a drawing; those below are its gradients'.
INLAYS = 1000
#: Alpha that counts as nothing and as all.
_NOTHING, _ALL = 1 / 512, 1 - 1 / 512
#: Cells along the larger side in which is told what is there.
_CELLS = 640
#: How far (in cells) outlines may leave the edges of cells.
_LOOSE = 0.75
#: Pixels of the longer side of what is mixed with a picture, if that were as large as the drawing.
_FEWEST, _MOST = 256, 2048
#: Steps of a cell in which is told where half of it is there.
_FINER = 4
#: Alpha this far from nothing and all is soft; a picture is told whose softness is more than an edge.
_SOFT, _MUCH = 0.1, 0.2


@dataclass(frozen=True, slots=True, eq=False)
class Inlay:
    """A picture of a drawing.

    file is the number of its file among those of the drawing, and data what that holds; box are the columns and rows of it (left, top,
    right, bottom) in which anything is there; into [2, 3] leads from the drawing (y down) to shares of that box from its upper left; soft
    tells whether much of it is half there.
    """

    file: int
    data: bytes
    box: tuple[int, int, int, int]
    into: Floats
    soft: bool = False

    @classmethod
    def of(cls, plain: dict[str, Any], files: Sequence[bytes]) -> Inlay:
        """From what ``reading`` gives."""
        left, top, right, bottom = (int(one) for one in plain["box"])
        number = int(plain["file"])
        return cls(
            number,
            files[number],
            (left, top, right, bottom),
            np.asarray(plain["into"], np.float64).reshape(2, 3),
            bool(plain["soft"]),
        )

    def shares(self, points: Floats) -> NDArray[np.float32]:
        """Where points [..., 2] of the drawing, y up, lie on it: shares of its width and height from its upper left."""
        found = (points * (1.0, -1.0)) @ self.into[:, :2].T + self.into[:, 2]
        return found.astype(np.float32)

    def light(self, label: str) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """Premultiplied linear light [H, W, 3] and alpha [H, W] in its box."""
        pixels = pixels_in(self.data, list(self.box), label)
        steps = float(np.iinfo(pixels.dtype).max)
        alpha = np.asarray(pixels[..., 3], np.float32) / np.float32(steps)
        table = decode(np.arange(int(steps) + 1, dtype=np.float32) / np.float32(steps)).astype(np.float32)
        return np.ascontiguousarray(table[pixels[..., :3]] * alpha[..., None]), alpha


#: Those that were looked at last.
_halves = SizedCache[list[NDArray[np.float32]]](96 << 20, lambda levels: sum(one.nbytes for one in levels))


def _halves_of(inlay: Inlay, label: str) -> list[NDArray[np.float32]]:
    """Premultiplied encoded colours and alpha [H, W, 4] of a picture in its box, and halves of them."""

    def made() -> list[NDArray[np.float32]]:
        import cv2  # a quarter of a second at the start, which few drawings need

        pixels = pixels_in(inlay.data, list(inlay.box), label)
        whole = pixels.astype(np.float32) / np.float32(np.iinfo(pixels.dtype).max)
        whole[..., :3] *= whole[..., 3:]
        found = [whole]
        while min(found[-1].shape[:2]) > 1:
            high, wide = found[-1].shape[:2]
            half = cv2.resize(found[-1], (wide // 2, high // 2), interpolation=cv2.INTER_AREA)
            found.append(np.asarray(half, np.float32))
        return found

    return _halves.get((inlay.data, inlay.box), made)


@dataclass(frozen=True, slots=True, eq=False)
class InlaidPicture(Painting):
    """A picture of a drawing by place; where it ends what stands at its edge goes on."""

    inlay: Inlay
    label: str
    side: int

    @classmethod
    def of(cls, inlay: Inlay, extent: float, label: str) -> InlaidPicture:
        """In a drawing that is ``extent`` large: as fine as the picture is."""
        left, top, right, bottom = inlay.box
        lengths = np.hypot(inlay.into[:, 0], inlay.into[:, 1]) * (right - left, bottom - top)
        return cls(inlay, label, int(min(max(float(lengths.max()) * extent, _FEWEST), _MOST)))

    def at(self, points: Floats) -> Floats:
        """See ``Painting.at``."""
        import cv2  # a quarter of a second at the start, which few drawings need

        levels = _halves_of(self.inlay, self.label)
        shares = self.inlay.shares(points * (1.0, -1.0))
        # As fine as places lie beside one another.
        high, wide = levels[0].shape[:2]
        steps = [np.abs(np.diff(shares, axis=axis)).max(initial=0.0, axis=(0, 1)) * (wide, high) for axis in (0, 1)]
        apart = float(np.max(steps))
        level = levels[min(max(int(np.log2(max(apart, 1.0))), 0), len(levels) - 1)]
        places = shares * np.array([level.shape[1], level.shape[0]], np.float32) - np.float32(0.5)
        x, y = np.ascontiguousarray(places[..., 0]), np.ascontiguousarray(places[..., 1])
        found = np.asarray(cv2.remap(level, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE), np.float64)
        found[..., :3] /= np.maximum(found[..., 3:], 1e-6)
        return found


def _whole(data: bytes, label: str) -> NDArray[Any]:
    """The pixels of a picture file [H, W, 4], whole numbers, straight."""
    raw = read_data(data, label)
    if not raw.encoded:
        raise PictureError(f"{label} has light in it where a drawing has colours: PNG, JPEG, WebP and GIF are read")
    pixels = raw.pixels
    if pixels.shape[2] == 3:
        full = np.full((*pixels.shape[:2], 1), np.iinfo(pixels.dtype).max, pixels.dtype)
        pixels = np.concatenate([pixels, full], axis=2)
    return pixels


@apart(PictureError)
def pixels_in(data: bytes, box: list[int], label: str) -> NDArray[Any]:
    """The pixels [H, W, 4] of a picture file within a box (left, top, right, bottom)."""
    left, top, right, bottom = box
    return np.ascontiguousarray(_whole(data, label)[top:bottom, left:right])


@dataclass(slots=True, eq=False)
class _Known:
    """A picture file once it was looked at: its size, the box in which anything is there, outlines of what is there at all, at least by
    half and wholly (pixels of the whole), and its mean colour; of one that cannot be read why."""

    data: bytes
    size: tuple[int, int] = (0, 0)
    box: tuple[int, int, int, int] = (0, 0, 0, 0)
    outlines: tuple[list[Floats], ...] = ()
    colour: tuple[float, float, float] = (0.0, 0.0, 0.0)
    #: Whether much of it is half there.
    soft: bool = False
    wrong: str = ""
    #: Its number once it lies somewhere.
    file: int = -1


@dataclass(slots=True, eq=False)
class Inlays:
    """Reads the pictures of a drawing. ``note`` tells what is left out; placed are those that lie somewhere, as ``Inlay.of`` takes them, and
    files those that they are of, each once."""

    note: Callable[[str], None]
    placed: list[dict[str, Any]] = field(default_factory=list)
    files: list[bytes] = field(default_factory=list)
    #: Corners of those that lie somewhere, in the same order.
    frames: list[list[list[float]]] = field(default_factory=list)
    _known: dict[str, _Known] = field(default_factory=dict)
    _pixels: int = 0

    def _look(self, address: str) -> _Known:
        found = self._known.get(address)
        if found is None:
            found = self._known[address] = self._looked(address)
        return found

    def _looked(self, address: str) -> _Known:
        head, comma, body = address[5:].partition(",")
        try:
            if not comma:
                raise ValueError("it has no data")
            data = (
                base64.b64decode("".join(body.split()), validate=True)
                if head.rstrip().endswith(";base64")
                else urllib.parse.unquote_to_bytes(body)
            )
        except (ValueError, binascii.Error):
            return _Known(b"", wrong="a picture inside the drawing that is damaged")
        try:
            pixels = _whole(data, "a picture inside the drawing")
        except PictureError as error:
            return _Known(b"", wrong=error.message)
        self._pixels += pixels.shape[0] * pixels.shape[1]
        if self._pixels > MAX_INLAID:
            raise LimitError(
                f"the pictures of the drawing have more than {MAX_INLAID / 1e6:.0f} million pixels; make them smaller",
                "drawing",
            )
        alpha = pixels[..., 3].astype(np.float32) / np.float32(np.iinfo(pixels.dtype).max)
        there = alpha > _NOTHING
        if not there.any():
            return _Known(data, wrong="a picture inside the drawing of which nothing is there")
        rows, columns = np.flatnonzero(there.any(axis=1)), np.flatnonzero(there.any(axis=0))
        # A pixel more, to which what is there fades.
        top, bottom = max(int(rows[0]) - 1, 0), min(int(rows[-1]) + 2, alpha.shape[0])
        left, right = max(int(columns[0]) - 1, 0), min(int(columns[-1]) + 2, alpha.shape[1])
        soft = float(((alpha > _SOFT) & (alpha < 1 - _SOFT)).sum()) / float(there.sum())
        step = max(1, max(pixels.shape[:2]) // 256)
        few = pixels[::step, ::step].astype(np.float64) / np.iinfo(pixels.dtype).max
        weights = few[..., 3:]
        mean = encode((decode(few[..., :3]) * weights).sum(axis=(0, 1)) / max(float(weights.sum()), 1e-9))
        red, green, blue = (float(min(max(one, 0.0), 1.0)) for one in mean)
        size = pixels.shape[1], pixels.shape[0]
        return _Known(data, size, (left, top, right, bottom), _outlines(alpha), (red, green, blue), soft > _MUCH)

    def lay(
        self, address: str, place: Transform, box: tuple[float, float, float, float], ratio: str
    ) -> list[tuple[list[Track], dict[str, Any], Transform]]:
        """What a picture paints in a box (x, y, width, height; sizes that are no numbers are its own) in a place: outlines in pixels of the
        picture with their shade, and the transform that leads from those to the drawing. Nothing for what is left out, which is told."""
        if not address.lower().startswith("data:"):
            self.note(
                "a picture that lies outside the file: write it into the file (embed it)"
                if address
                else "a picture without a file"
            )
            return []
        known = self._look(address)
        if known.wrong:
            self.note(known.wrong)
            return []
        if len(self.placed) >= MAX_INLAYS:
            raise LimitError(f"the drawing has more than {MAX_INLAYS} pictures", "drawing")
        x, y, width, height = box
        wide, high = known.size
        if np.isnan(width):
            width = wide * height / high if not np.isnan(height) else float(wide)
        if np.isnan(height):
            height = high * width / wide
        if not (width > 0 and height > 0):
            return []
        whole = place.transform(Identity.translate(x, y)).transform(fit_box((0, 0, wide, high), ratio, width, height))
        left, top, right, bottom = known.box
        a, b, c, d, e, f = whole
        if abs(a * d - b * c) < 1e-18:
            return []
        a, b, c, d, e, f = whole.transform(Transform(right - left, 0, 0, bottom - top, left, top)).inverse()
        into = np.array([[a, c, e], [b, d, f]], np.float64)
        if known.file < 0:
            known.file = len(self.files)
            self.files.append(known.data)
        self.placed.append({"file": known.file, "box": list(known.box), "into": into, "soft": known.soft})
        corners = ((0, 0), (wide, 0), (wide, high), (0, high))
        self.frames.append([list(whole.transformPoint(one)) for one in corners])
        shade = {"colour": list(known.colour), "gradient": -1, "inlay": len(self.placed) - 1}
        outer, half, inner = known.outlines
        # Beside one another: each outline is within the one before.
        rings = ((outer + half, "weak"), (half + inner, "strong"), (inner, ""))
        return [(_tracks(ring), {**shade, "cut": cut}, whole) for ring, cut in rings if ring]


def _tracks(rings: list[Floats]) -> list[Track]:
    return [track for ring in rings for track in polygon(ring.reshape(-1).tolist(), True)]


def _outlines(alpha: NDArray[np.float32]) -> tuple[list[Floats], ...]:
    """Outlines (points [n, 2] in pixels) around all that is there at all, at least by half, and wholly; each the even-odd way."""
    height, width = alpha.shape
    step = max(1, -(-max(height, width) // _CELLS))
    rows, columns = -(-height // step), -(-width // step)
    # Where a picture ends it ends sharply: what stands at its edge goes on.
    whole = np.pad(alpha, ((0, rows * step - height), (0, columns * step - width)), mode="edge")
    cells = whole.reshape(rows, step, columns, step)
    some, half, all_of = (
        cells.max(axis=(1, 3)) > _NOTHING,
        _finer(cells.mean(axis=(1, 3))) >= 0.5,
        cells.min(axis=(1, 3)) >= _ALL,
    )
    limits = np.array([0.0, 0.0]), np.array([float(width), float(height)])
    # Outlines run through middles of cells: so many more or less that what they are simplified by stays within.
    halves = [ring / _FINER for ring in _rings(half, 0, _LOOSE)]
    found = (_rings(some, 2, _LOOSE), halves, _rings(all_of, -1, _LOOSE))
    return tuple([np.clip(ring * step, *limits) for ring in rings] for rings in found)


def _finer(cells: NDArray[np.float32]) -> NDArray[np.float32]:
    """What lies between the middles of cells [H, W], in so many steps each way."""
    import cv2  # a quarter of a second at the start, which few drawings need

    size = cells.shape[1] * _FINER, cells.shape[0] * _FINER
    return np.asarray(cv2.resize(cells, size, interpolation=cv2.INTER_LINEAR), np.float32)


def _rings(cells: NDArray[np.bool_], more_by: int, loose: float) -> list[Floats]:
    """Outlines of so many cells more than some [H, W] (or less), half a cell within their edges, ``loose`` cells off at most, in cells from
    the upper left; what reaches the edge of the whole ends there."""
    import cv2  # a quarter of a second at the start, which few drawings need

    margin = 4
    more = np.pad(cells, margin, mode="edge").astype(np.uint8)
    around = np.ones((2 * abs(more_by) + 1,) * 2, np.uint8)
    if more_by:
        more = (cv2.dilate if more_by > 0 else cv2.erode)(more, around, borderType=cv2.BORDER_REPLICATE)
    found, _ = cv2.findContours(more, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    rings = []
    for one in found:
        simple = cv2.approxPolyDP(one, loose, True).reshape(-1, 2).astype(np.float64)
        if len(simple) >= 3:
            rings.append(np.clip(simple + 0.5 - margin, 0, (cells.shape[1], cells.shape[0])))
    return rings
