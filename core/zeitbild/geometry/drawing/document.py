"""An SVG document from its bytes to its tree, before anything in it means something: unpacked, parsed, and no larger than it may be."""

from __future__ import annotations

import zlib
from collections.abc import Iterator
from typing import Any
from xml.etree.ElementTree import Element, TreeBuilder
from xml.parsers import expat

from zeitbild.errors import DrawingError, LimitError
from zeitbild.geometry.drawing.styles import local

_GZIP = b"\x1f\x8b"
#: Bytes of a document; pictures that lie inside are most of them.
MAX_DRAWING_BYTES = 48 * 1024 * 1024
#: Elements, those of every ``use`` counted again; and how deep they may stand in one another.
MAX_ELEMENTS, MAX_DEPTH = 50_000, 64


def parsed(data: bytes, label: str) -> Element:
    """The document's root. DrawingError for what is no SVG, and for what would fetch something or grow without end."""
    if data[:2] == _GZIP:
        data = _unpacked(data, label)
    builder, parser = TreeBuilder(), expat.ParserCreate(None, "}")
    # Names come as expat joins them: of the namespace, "}" and the name.
    parser.ordered_attributes, parser.buffer_text = False, True

    def full(name: str) -> str:
        return f"{{{name}" if "}" in name else name

    def entity(name: str, _parameter: int, value: str | None, _base: Any, system: str | None, *_: Any) -> None:
        if system is not None:
            raise DrawingError(
                f"{label} asks for {system[:60]!r} (entity {name[:30]}); nothing outside a file is read", "drawing"
            )
        if value is not None and ("&" in value or len(value) > 10_000):
            raise DrawingError(f"{label} has the entity {name[:30]!r}, which would grow when it is read", "drawing")

    parser.EntityDeclHandler = entity
    parser.StartElementHandler = lambda name, found: builder.start(
        full(name), {full(one): value for one, value in found.items()}
    )
    parser.EndElementHandler = lambda name: builder.end(full(name))
    parser.CharacterDataHandler = builder.data
    try:
        parser.Parse(data, True)
        root: Element = builder.close()
    except expat.ExpatError as error:
        raise DrawingError(
            f"{label} cannot be read as a drawing: line {error.lineno}, column {error.offset + 1}: "
            f"{expat.ErrorString(error.code)}",
            "drawing",
        ) from None
    if local(root.tag) != "svg":
        raise DrawingError(f"{label} is no SVG: it begins with <{str(root.tag).rpartition('}')[2][:30]}>", "drawing")
    return root


def _unpacked(data: bytes, label: str) -> bytes:
    """A compressed document (SVGZ). DrawingError for a broken one, LimitError for one that would become too large."""
    unpacking = zlib.decompressobj(wbits=zlib.MAX_WBITS | 16)
    try:
        found = unpacking.decompress(data, MAX_DRAWING_BYTES + 1)
    except zlib.error:
        raise DrawingError(f"{label} is compressed (SVGZ), and broken: it cannot be unpacked", "drawing") from None
    if len(found) > MAX_DRAWING_BYTES:
        raise LimitError(
            f"{label} is more than {MAX_DRAWING_BYTES // 1_000_000} MB once it is unpacked; that is what drawings go to",
            "drawing",
        )
    if not unpacking.eof:
        raise DrawingError(f"{label} is compressed (SVGZ), and its end is missing", "drawing")
    return found


def elements_of(root: Element) -> Iterator[Element]:
    """All elements, or LimitError for more than may be, before anything recursive looks at them."""
    level, count = [root], 0
    for _ in range(MAX_DEPTH + 1):
        count += len(level)
        if count > MAX_ELEMENTS:
            raise LimitError(f"the drawing has more than {MAX_ELEMENTS} elements", "drawing")
        yield from level
        level = [child for one in level for child in one]
        if not level:
            return
    raise LimitError(f"the drawing's elements stand in one another more than {MAX_DEPTH} deep", "drawing")
