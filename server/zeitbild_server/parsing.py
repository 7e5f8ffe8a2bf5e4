"""Request bodies as JSON that every part of the application can hold."""

from __future__ import annotations

import json
import re
from typing import Any

from django.http import HttpRequest
from ninja.parser import Parser

#: Half of a pair of code units, written as an escape: a text with one alone can be kept nowhere.
_SURROGATE = re.compile(rb"\\u[dD][89a-fA-F]")


def _no_number(name: str) -> float:
    raise ValueError(f"{name} is no number that JSON knows")


def read_json(body: bytes) -> Any:
    """The value of a body; ValueError for what is no JSON, is nested too deeply, or holds half a character."""
    try:
        value = json.loads(body, parse_constant=_no_number)
    except RecursionError:
        raise ValueError("the body is nested too deeply") from None
    if _SURROGATE.search(body):
        try:
            json.dumps(value, ensure_ascii=False).encode()
        except UnicodeEncodeError:
            raise ValueError("a text holds half of a character (a lone surrogate)") from None
    return value


class StrictParser(Parser):
    """Ninja turns the ValueErrors into answers of 400."""

    def parse_body(self, request: HttpRequest) -> Any:
        """See ``read_json``."""
        return read_json(request.body)
