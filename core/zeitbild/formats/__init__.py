"""File formats: one module a kind, found by scanning this package. Conversion of pixels happens only here."""

from zeitbild.formats._base import Format, Option, Options, Plane, ReadBack, Sharing, Writer, finish_names, formats

__all__ = ["Format", "Option", "Options", "Plane", "ReadBack", "Sharing", "Writer", "finish_names", "formats"]
