"""The contract of a recipe."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from zeitbild.formats import Format, Option, Sharing, chosen, formats
from zeitbild.handoff.conforming import options_for
from zeitbild.registry import Registry

#: For whom: what receivers do with it, in the order in which they are offered.
RECEIVERS = {
    "compositing": "For compositing",
    "editing": "For editing",
    "web": "For the web",
    "games": "For games",
    "looking": "To look at",
}
Receiver = Literal["compositing", "editing", "web", "games", "looking"]
#: By what files can be made smaller.
Lessening = Literal["quality", "width", "rate"]


@dataclass(frozen=True, slots=True)
class Recipe:
    """A kind of delivery: files of one format, in which planes stand alone or share. ``note`` tells receivers how to read them; keeps
    and loses say in a line each what whoever delivers should know."""

    name: str
    title: str
    format_name: str
    note: str
    order: int = 0
    sharing: Sharing = "pass"
    receiver: Receiver = "compositing"
    keeps: str = ""
    loses: str = ""

    @property
    def format(self) -> Format:
        """The format that writes and checks its files."""
        return formats.get(self.format_name)

    @property
    def options(self) -> tuple[Option, ...]:
        """All that can be chosen of its files."""
        return (*self.format.options, *options_for(self.format))

    @property
    def smaller_by(self) -> list[Lessening]:
        """By what its files can be made smaller."""
        names = {one.name for one in self.options}
        quality: list[Lessening] = ["quality"] if any(one.smaller for one in self.options) else []
        return quality + [one for one in ("width", "rate") if one in names]

    def chosen(self, options: Mapping[str, str]) -> dict[str, str]:
        """The options with what was chosen; InputError at the one that cannot be."""
        return chosen(self.title, self.options, options)


recipes: Registry[Recipe] = Registry("recipe", "zeitbild.handoff.recipes")
