"""Element kinds: parameters to geometry. One module a kind, found by scanning this package."""

from zeitbild.elements.base import ElementBase, ElementKind, kinds

__all__ = ["ElementBase", "ElementKind", "kinds"]
