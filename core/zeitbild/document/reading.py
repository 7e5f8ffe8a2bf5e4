"""Untrusted JSON to a shot document and back: versions, upgrades, messages for people."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

from pydantic import ValidationError

from zeitbild.document.shot import VERSION, Shot
from zeitbild.elements import kinds as element_kinds
from zeitbild.errors import DocumentError, Problem
from zeitbild.lights import kinds as light_kinds

MAX_DOCUMENT_BYTES = 4 * 1024 * 1024
#: Characters of a problem's message at most.
_LONGEST = 500



def _without_steps(raw: dict[str, Any]) -> dict[str, Any]:
    """Version 2: solid bodies are as fine as the picture needs them, and no longer say in how many steps they turn."""
    elements = raw.get("elements")
    if isinstance(elements, list):
        elements = [
            {name: value for name, value in one.items() if name != "steps"}
            if isinstance(one, dict) and one.get("kind") == "solid"
            else one
            for one in elements
        ]
        raw = {**raw, "elements": elements}
    return {**raw, "version": 2}


#: Upgrades by the version they start from; each returns the raw document of the next version.
UPGRADES: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {1: _without_steps}


def _message(error: dict[str, Any]) -> str:
    kind, context, given = error["type"], error.get("ctx", {}), error.get("input")
    shown = json.dumps(given, default=str)[:60] if not isinstance(given, dict | list) else ""
    if kind in ("greater_than_equal", "less_than_equal"):
        bound = context.get("ge", context.get("le"))
        return f"{shown} is out of range; it must be {'at least' if 'ge' in context else 'at most'} {bound:g}"
    if kind == "finite_number":
        return "must be a finite number"
    if kind == "union_tag_invalid":
        return f"{str(context.get('tag'))[:40]!r} is not one of {context.get('expected_tags')}"
    if kind == "union_tag_not_found":
        return "is missing"
    if kind == "missing":
        return "is missing"
    if kind == "extra_forbidden":
        return "is not a field of this document"
    if kind == "literal_error":
        return f"{shown} is not one of {context.get('expected')}"
    if kind == "wrong_at":
        return str(context["message"])
    if kind == "value_error":
        return str(context.get("error", error["msg"]))
    if kind.startswith(("float_", "int_")):
        return f"{shown} is not a {'whole ' if kind.startswith('int') else ''}number"
    text = str(error["msg"])
    return (text[0].lower() + text[1:]) + (f" (given: {shown})" if shown else "")


def _problems(error: ValidationError) -> list[Problem]:
    found = []
    for one in error.errors():
        # Pydantic names the chosen kind of a union in the path; people know the field only by its place.
        place = [str(part) for part in one["loc"] if part not in element_kinds and part not in light_kinds]
        if str(one["type"]).startswith("union_tag"):
            place.append("kind")
        message = _message(dict(one))
        # What was given may be as long as a book.
        message = message if len(message) <= _LONGEST else message[:_LONGEST] + "…"
        found.append(Problem(one.get("ctx", {}).get("field") or ".".join(place), message))
    return found


def read_shot(raw: Any) -> Shot:
    """Check a decoded JSON value; DocumentError names every place that is wrong. Older versions are upgraded."""
    if not isinstance(raw, dict):
        raise DocumentError([Problem("", "a shot document is a JSON object")])
    version = raw.get("version")
    while isinstance(version, int) and version in UPGRADES:
        raw = UPGRADES[version](raw)
        version = raw.get("version")
    if version != VERSION or isinstance(version, bool):
        raise DocumentError(
            [
                Problem(
                    "version",
                    f"this document says version {json.dumps(version, default=str)}; this Zeitbild reads up to {VERSION}",
                )
            ]
        )
    try:
        return Shot.model_validate(raw)
    except ValidationError as error:
        raise DocumentError(_problems(error)) from None


def parse_shot(text: str | bytes) -> Shot:
    """Check the text of a document file; DocumentError if it is too large, no JSON, or wrong."""
    if len(text) > MAX_DOCUMENT_BYTES:
        raise DocumentError([Problem("", f"the document is larger than {MAX_DOCUMENT_BYTES // 1_000_000} MB")])
    try:
        raw = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise DocumentError([Problem("", f"this is not JSON ({error})")]) from None
    return read_shot(raw)


def write_shot(shot: Shot) -> str:
    """The document as indented JSON, keys in their own order, ending in a newline."""
    return json.dumps(shot.model_dump(mode="json"), indent=2, ensure_ascii=False) + "\n"


def shot_schema() -> dict[str, Any]:
    """JSON schema (draft 2020-12) of the document."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **Shot.model_json_schema()}
