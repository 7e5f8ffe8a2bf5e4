"""What new shots of a project start with."""

from __future__ import annotations

from typing import Any

from zeitbild.document.reading import read_shot
from zeitbild.document.shot import VERSION, Shot
from zeitbild.errors import DocumentError, Problem
from zeitbild.naming import NamingRule

_KEYS = ("raster", "timing", "naming")


def starting_shot(code: str, title: str, defaults: dict[str, Any], *, project_code: str) -> Shot:
    """A new shot document under a project's defaults; DocumentError names what is wrong."""
    unknown = set(defaults) - set(_KEYS)
    if unknown:
        raise DocumentError([Problem(name, "is not a default of a project") for name in sorted(unknown)])
    return read_shot({"version": VERSION, "project": project_code, "shot": code, "title": title, **defaults})


def check_defaults(code: str, title: str, defaults: dict[str, Any]) -> dict[str, Any]:
    """The defaults in full; DocumentError or NamingError if anything is wrong."""
    shot = starting_shot("SHOT", title, defaults, project_code=code)
    NamingRule.parse(shot.naming)
    return shot.model_dump(mode="json", include=set(_KEYS))
