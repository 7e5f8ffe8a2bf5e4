"""Which uploaded files a document may use."""

from __future__ import annotations

from typing import Any

from projects.models import Project
from zeitbild.errors import DocumentError, Problem

_PREFIX = "asset:"


def named_assets(document: Any) -> dict[str, str]:
    """SHA-256 of each uploaded font that a raw document names, by the field that names it."""
    elements = document.get("elements") if isinstance(document, dict) else None
    return {
        f"elements.{number}.font": str(element["font"]).removeprefix(_PREFIX)
        for number, element in enumerate(elements if isinstance(elements, list | tuple) else [])
        if isinstance(element, dict) and str(element.get("font", "")).startswith(_PREFIX)
    }


def check_assets(project: Project, document: Any) -> None:
    """Refuse a raw document that names an uploaded font of another project; DocumentError names the field.

    The content of fonts is shared by hash, so without this anyone who knows a hash could use another's font.
    """
    named = named_assets(document)
    if not named:
        return
    own = set(project.fonts.filter(sha256__in=named.values()).values_list("sha256", flat=True))
    problems = [
        Problem(field, "this font is not in the project; upload it here")
        for field, sha256 in named.items()
        if sha256 not in own
    ]
    if problems:
        raise DocumentError(problems)
