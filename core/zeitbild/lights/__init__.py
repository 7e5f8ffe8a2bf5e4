"""Light kinds: parameters to light sources. One module a kind, found by scanning this package."""

from zeitbild.lights.base import LightBase, LightKind, kinds

__all__ = ["LightBase", "LightKind", "kinds"]
