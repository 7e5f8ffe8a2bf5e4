"""Passes: what of a picture becomes a file. One module a pass, found by scanning this package."""

from zeitbild.render.passes._base import Pass, Role, passes

__all__ = ["Pass", "Role", "passes"]
