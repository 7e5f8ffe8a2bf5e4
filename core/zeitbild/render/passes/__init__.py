"""Passes: what of a picture can be looked at alone and becomes a file. One module for each kind, found by scanning this package."""

from zeitbild.render.passes._base import Bundle, Family, Pass, Role, families, offered, pass_named, passes

__all__ = ["Bundle", "Family", "Pass", "Role", "families", "offered", "pass_named", "passes"]
