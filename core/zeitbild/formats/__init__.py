"""File formats: one module a kind, found by scanning this package. Conversion of pixels happens only here."""

from zeitbild.formats._base import (
    Format,
    Loss,
    Option,
    Options,
    Plane,
    ReadBack,
    Sharing,
    Writer,
    beside,
    chosen,
    finish_names,
    formats,
    while_packing,
)

__all__ = [
    "Format",
    "Loss",
    "Option",
    "Options",
    "Plane",
    "ReadBack",
    "Sharing",
    "Writer",
    "beside",
    "chosen",
    "finish_names",
    "formats",
    "while_packing",
]
