"""File formats: one module a kind, found by scanning this package. Conversion of pixels happens only here."""

from zeitbild.formats._base import Format, Plane, ReadBack, formats

__all__ = ["Format", "Plane", "ReadBack", "formats"]
