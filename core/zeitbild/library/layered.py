"""Pictures that came together, as one drawing: each a part, folders hold parts. It is an SVG as any other, pictures written into it."""

from __future__ import annotations

import base64
import re
import zipfile
import zlib
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath
from xml.sax.saxutils import quoteattr

from zeitbild.errors import DrawingError, LimitError, PictureError
from zeitbild.geometry.drawing.document import MAX_DRAWING_BYTES
from zeitbild.geometry.drawing.inlaid import MAX_INLAYS
from zeitbild.isolation import apart
from zeitbild.sound.speech import MOUTHS
from zeitbild.stills import ending_of, read_data

#: Pictures that browsers show inside a drawing.
SUFFIXES = (".png", ".webp", ".jpg", ".jpeg")
_MIME = {".png": "image/png", ".webp": "image/webp", ".jpg": "image/jpeg"}
#: A folder named like that holds drawings that swap.
_SWAPS = re.compile(r"^(one of|swap)\b", re.IGNORECASE)
#: Folders in one another at most.
_DEEPEST = 12
#: Numbers before a name that only tell its place.
_PLACE = re.compile(r"^\d+[ _.\-]+(?=\S)")


@dataclass(slots=True)
class _Folder:
    """What stands in a folder, by name: folders, and files as the numbers of pictures."""

    inside: dict[str, _Folder | int] = field(default_factory=dict)


@apart(PictureError)
def _sizes(files: list[bytes], labels: list[str]) -> list[list[int]]:
    """Width and height of pictures, all of which were read."""
    shapes = [read_data(data, label).pixels.shape for data, label in zip(files, labels, strict=True)]
    return [[int(shape[1]), int(shape[0])] for shape in shapes]


def drawing_of(pictures: Sequence[tuple[str, bytes]], label: str) -> bytes:
    """An SVG of pictures (path and file of each): lowest first in the order of their names, numbers counted as numbers; folders are groups,
    and those of mouths, or called *one of …*, hold drawings of which one is seen. Pictures of one size lie as drawn; others have their
    middles in one place.

    DrawingError for what is no picture, LimitError for too many.
    """
    if not pictures:
        raise DrawingError(f"{label} has no pictures in it", "drawing")
    if len(pictures) > MAX_INLAYS:
        raise LimitError(f"{label} has {len(pictures)} pictures; a drawing has up to {MAX_INLAYS}", "drawing")
    root = _Folder()
    kinds = []
    for number, (path, data) in enumerate(pictures):
        kind = ending_of(data[:18])
        if kind not in _MIME:
            raise DrawingError(f"{path} is no PNG, WebP or JPEG, of which a drawing may be made", "drawing")
        kinds.append(kind)
        _put(root, PurePosixPath(path).parts, number, path)
    # The folder that all of it came in tells nothing.
    while len(root.inside) == 1 and isinstance(only := next(iter(root.inside.values())), _Folder):
        root = only
    try:
        sizes = _sizes([data for _, data in pictures], [PurePosixPath(path).name for path, _ in pictures])
    except PictureError as error:
        raise DrawingError(error.message, "drawing") from None
    width, height = max(one[0] for one in sizes), max(one[1] for one in sizes)
    head = f'width="{width}" height="{height}" viewBox="0 0 {width} {height}"'

    def drawn(name: str, inner: _Folder | int, hidden: str) -> list[str]:
        named = f"data-name={quoteattr(_title(name))}{hidden}"
        if isinstance(inner, _Folder):
            return [f"<g {named}>", *inside(name, inner), "</g>"]
        wide, high = sizes[inner]
        place = f'x="{(width - wide) / 2:g}" y="{(height - high) / 2:g}" width="{wide}" height="{high}"'
        data = base64.b64encode(pictures[inner][1]).decode()
        return [f'<image {named} {place} href="data:{_MIME[kinds[inner]]};base64,{data}"/>']

    def inside(name: str, folder: _Folder) -> list[str]:
        """All in a folder; of drawings that swap the first is seen."""
        members = sorted(folder.inside.items(), key=lambda one: _by_numbers(one[0]))
        others = ' style="display:none"' if _swap(name, folder) else ""
        return [line for at, one in enumerate(members) for line in drawn(*one, others if at else "")]

    return "\n".join([f'<svg xmlns="http://www.w3.org/2000/svg" {head}>', *inside("", root), "</svg>", ""]).encode()


def gathered(path: Path, label: str) -> bytes:
    """The drawing of all pictures in a ZIP, by their places in it. DrawingError for what is no ZIP or holds none, LimitError for too much."""
    pictures: list[tuple[str, bytes]] = []
    size = 0
    try:
        with zipfile.ZipFile(path) as packed:
            for entry in packed.infolist():
                own = PurePosixPath(entry.filename.replace("\\", "/"))
                # Programs leave notes of their own beside what they pack.
                if entry.is_dir() or own.name.startswith(".") or "__MACOSX" in own.parts:
                    continue
                if own.suffix.lower() not in SUFFIXES:
                    raise DrawingError(
                        f"{own.name[:80]} is no picture; a puppet is made of PNG, WebP or JPEG files, or is one SVG",
                        "drawing",
                    )
                size += entry.file_size
                if size > MAX_DRAWING_BYTES * 3 // 4 or len(pictures) > MAX_INLAYS:
                    raise LimitError(
                        f"{label} holds too much for one drawing: up to {MAX_INLAYS} pictures of {MAX_DRAWING_BYTES * 3 // 4_000_000} MB",
                        "drawing",
                    )
                pictures.append((str(own), packed.read(entry)))
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError, OSError) as error:
        raise DrawingError(f"{label} cannot be unpacked: {error}", "drawing") from None
    return drawing_of(pictures, label)


def _put(folder: _Folder, parts: Sequence[str], number: int, path: str) -> None:
    if len(parts) > _DEEPEST:
        raise LimitError(f"{path[:80]} lies more than {_DEEPEST} folders deep", "drawing")
    for part in parts[:-1]:
        inner = folder.inside.setdefault(part, _Folder())
        if not isinstance(inner, _Folder):
            raise DrawingError(f"{path[:80]}: {part[:40]} is a file and a folder", "drawing")
        folder = inner
    if parts[-1] in folder.inside:
        raise DrawingError(f"two of the pictures are called {path[:80]}; give each a name of its own", "drawing")
    folder.inside[parts[-1]] = number


def _by_numbers(name: str) -> list[tuple[int, int, str]]:
    """What puts names in order: 2 before 10."""
    return [(0, int(one), "") if one.isdecimal() else (1, 0, one.lower()) for one in re.split(r"(\d+)", name) if one]


def _title(name: str) -> str:
    """What a part is called: its file without ending, and without the number that tells its place."""
    stem = PurePosixPath(name).stem if PurePosixPath(name).suffix.lower() in SUFFIXES else name
    return _PLACE.sub("", stem).strip() or stem


def _swap(name: str, folder: _Folder) -> bool:
    """Whether drawings in a folder swap: it says so, or holds mouths."""
    mouths = {_title(one).lower() for one in folder.inside} & set(MOUTHS)
    return _SWAPS.match(_PLACE.sub("", name)) is not None or len(mouths) > 1
