"""Untrusted JSON to a shot document and back: versions, upgrades, messages for people."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from typing import Any

from pydantic import ValidationError

from zeitbild.document.members import Known
from zeitbild.document.shot import VERSION, Shot
from zeitbild.elements import kinds as element_kinds
from zeitbild.errors import DocumentError, Problem
from zeitbild.lights import kinds as light_kinds
from zeitbild.render.passes import offered
from zeitbild.values import WRITTEN

MAX_DOCUMENT_BYTES = 4 * 1024 * 1024
#: Characters of a problem's message at most.
_LONGEST = 500
#: Problems that are named at most.
_MOST_PROBLEMS = 100
#: Entries of a list, and values in all, that a document may have.
_LONGEST_LIST, _MOST_VALUES = 1000, 200_000


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


def _without_moments(raw: dict[str, Any]) -> dict[str, Any]:
    """Version 3: an open shutter has as many moments as what moves needs, and no longer says how many."""
    motion = raw.get("motion")
    if isinstance(motion, dict):
        raw = {**raw, "motion": {name: value for name, value in motion.items() if name != "moments"}}
    return {**raw, "version": 3}


#: Upgrades by the version they start from; each returns the raw document of the next version.
UPGRADES: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {1: _without_steps, 2: _without_moments}


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
    if kind in ("greater_than", "less_than"):
        bound = context.get("gt", context.get("lt"))
        return f"{shown} is out of range; it must be {'more' if 'gt' in context else 'less'} than {bound:g}"
    if kind == "string_too_short":
        least = context["min_length"]
        return "is empty; type something" if least == 1 else f"{shown} is too short: {least} characters at least"
    if kind == "string_too_long":
        return f"{shown} is too long: {context['max_length']} characters at most"
    if kind in ("too_short", "too_long"):
        bound = context.get("min_length", context.get("max_length"))
        return f"has {context['actual_length']} entries; {'at least' if kind == 'too_short' else 'at most'} {bound} are taken"
    if kind == "string_pattern_mismatch":
        made_of = WRITTEN.get(context["pattern"])
        if made_of is None:
            return f"{shown} is not what this can be"
        return f"is made of {made_of}" + (f"; {shown} is not" if given else "")
    if kind.startswith(("string_", "bool_", "list_", "tuple_", "dict_", "model_")):
        wanted = {"string": "a text", "bool": "true or false", "list": "a list", "tuple": "a list"}
        return f"{shown or 'what is given'} is not {wanted.get(kind.partition('_')[0], 'an object with fields')}"
    if kind.startswith(("float_", "int_")):
        return f"{shown} is not a {'whole ' if kind.startswith('int') else ''}number"
    text = str(error["msg"])
    return (text[0].lower() + text[1:]) + (f" (given: {shown})" if shown else "")


def _too_much(raw: Any, more: int = 0) -> Problem | None:
    """What makes a document with so many values more too long to be looked through, before anything looks through it."""
    left, waiting = _MOST_VALUES - more, [raw]
    while waiting:
        value = waiting.pop()
        if isinstance(value, dict):
            inner: Any = value.values()
        elif isinstance(value, list):
            inner = value
            if len(value) > _LONGEST_LIST:
                place = _place_of(value, raw)
                return Problem(
                    place, f"has {len(value):,} entries; no list of a document takes more than {_LONGEST_LIST:,}"
                )
        left -= len(inner)
        if left < 0:
            return Problem(_place_of(value, raw), f"the document holds more than {_MOST_VALUES:,} values")
        waiting += [one for one in inner if isinstance(one, dict | list)]
    return None


def _place_of(wanted: Any, raw: Any) -> str:
    """Where in a document a list or an object stands, by the names that lead there."""
    waiting = [("", raw)]
    while waiting:
        place, value = waiting.pop()
        if value is wanted:
            return place
        pairs = value.items() if isinstance(value, dict) else enumerate(value)
        waiting += [
            (f"{place}.{str(name)[:40]}".lstrip("."), one) for name, one in pairs if isinstance(one, dict | list)
        ]
    return ""


def _mistyped(raw: Any, read: Any) -> list[Problem]:
    """Where a value was taken for a number or a switch that was given as something else: true is no 1, "200" no 200.

    Every document is looked through in this way, also while somebody drags: what is wrong is put in words only if it is.
    """
    found: list[Problem] = []
    _find_mistyped(raw, read, (), found)
    return found


def _find_mistyped(raw: Any, read: Any, place: tuple[str | int, ...], found: list[Problem]) -> None:
    kind = type(raw)
    if kind is type(read) and kind is not dict and kind is not list:
        return
    if isinstance(raw, dict) and isinstance(read, dict):
        for name, value in raw.items():
            if name in read:
                _find_mistyped(value, read[name], (*place, name), found)
    elif isinstance(raw, list | tuple) and isinstance(read, list | tuple):
        for number, (one, other) in enumerate(zip(raw, read, strict=False)):
            _find_mistyped(one, other, (*place, number), found)
    elif isinstance(read, bool):
        if not isinstance(raw, bool):
            found.append(Problem(_named(place), f"{json.dumps(raw, default=str)[:60]} is neither true nor false"))
    elif isinstance(read, int | float) and (isinstance(raw, bool) or not isinstance(raw, int | float)):
        found.append(Problem(_named(place), f"{json.dumps(raw, default=str)[:60]} is not a number"))


def _named(place: tuple[str | int, ...]) -> str:
    return ".".join(map(str, place))


def _unknown_passes(shot: Shot) -> list[Problem]:
    known = [one.name for one in offered(shot.light_groups, shot.names)]
    return [
        Problem(
            f"layers.{number}.passes.{at}", f"there is no pass {name[:40]!r}; there are {', '.join(known)[:_LONGEST]}"
        )
        for number, layer in enumerate(shot.layers)
        for at, name in enumerate(layer.passes)
        if name not in known
    ]


def _is_kind(loc: Sequence[Any], at: int) -> bool:
    """Whether a part of a place names the kind of an element or a light, which stands behind its number."""
    return (
        at >= 2
        and isinstance(loc[at - 1], int)
        and loc[at - 2] in ("elements", "lights")
        and (loc[at] in element_kinds or loc[at] in light_kinds)
    )


def _inside(place: str, field: str) -> str:
    """Where a rule says something is wrong: it names the field within its part, or from the document on."""
    return field if field == place or field.startswith(f"{place}.") else f"{place}.{field}".strip(".")


def _problems(error: ValidationError) -> list[Problem]:
    found = []
    every = error.errors(include_url=False)
    for one in every[:_MOST_PROBLEMS]:
        # Pydantic names the chosen kind of a union in the path; people know the field only by its place.
        place = [str(part) for at, part in enumerate(one["loc"]) if not _is_kind(one["loc"], at)]
        if str(one["type"]).startswith("union_tag"):
            place.append("kind")
        message = _message(dict(one))
        # What was given may be as long as a book.
        message = message if len(message) <= _LONGEST else message[:_LONGEST] + "…"
        found.append(Problem(_inside(".".join(place), one.get("ctx", {}).get("field") or ""), message))
    if len(every) > _MOST_PROBLEMS:
        found.append(Problem("", f"and {len(every) - _MOST_PROBLEMS:,} more problems; mend these first"))
    return found


def read_shot(raw: Any) -> Shot:
    """Check a decoded JSON value; DocumentError names every place that is wrong. Older versions are upgraded."""
    if not isinstance(raw, dict):
        raise DocumentError([Problem("", "a shot document is a JSON object")])
    version = raw.get("version")
    while type(version) is int and version in UPGRADES:
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
    known = Known.of(raw)
    # What was read before was looked through then, but all together may be too much: it is counted if it could be.
    too_much = _too_much(known.raw, known.size) and _too_much(raw)
    if too_much is not None:
        raise DocumentError([too_much])
    try:
        shot = Shot.model_validate(known.raw)
    except ValidationError as error:
        raise DocumentError(_problems(error)) from None
    problems = (_mistyped(known.raw, known.dumped(shot)) + _unknown_passes(shot))[:_MOST_PROBLEMS]
    if problems:
        raise DocumentError(problems)
    known.keep(shot)
    return shot


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
