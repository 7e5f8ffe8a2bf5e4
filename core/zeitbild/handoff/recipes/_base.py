"""The contract of a recipe."""

from __future__ import annotations

from dataclasses import dataclass

from zeitbild.formats import Format, Sharing, formats
from zeitbild.registry import Registry


@dataclass(frozen=True, slots=True)
class Recipe:
    """A kind of delivery: files of one format, in which planes stand alone or share. ``note`` tells receivers how to read them."""

    name: str
    title: str
    format_name: str
    note: str
    order: int = 0
    sharing: Sharing = "pass"

    @property
    def format(self) -> Format:
        """The format that writes and checks its files."""
        return formats.get(self.format_name)


recipes: Registry[Recipe] = Registry("recipe", "zeitbild.handoff.recipes")
