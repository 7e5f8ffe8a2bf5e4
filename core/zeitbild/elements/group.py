"""Group: nothing itself, but what stands inside it is placed, turned and scaled with it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal

from zeitbild.elements.base import GROUP, ElementBase, ElementKind, Posed, kinds
from zeitbild.shipped import AssetSource
from zeitbild.timing import Time


class Group(ElementBase):
    """A place that others stand in."""

    kind: Literal["group"] = GROUP


def build(element: Group, assets: AssetSource) -> None:
    """Nothing."""


def pose(element: Group, time: Time, built: Any) -> Sequence[Posed]:
    """No body."""
    return ()


kinds.register(
    ElementKind(
        GROUP, "Group", Group, build, 9, pose=pose, note="a place that others move with", seen=False, holds=True
    )
)
