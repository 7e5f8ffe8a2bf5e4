"""The mark of functions that run in a reading process."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any, TypeVar

import zeitbild.errors as errors
from zeitbild.errors import InputError, LimitError
from zeitbild.isolation.rooms import ROOMS, Busy, Died, Limits

R = TypeVar("R")
_ERRORS = {name: kind for name, kind in vars(errors).items() if isinstance(kind, type) and issubclass(kind, InputError)}
_here = {"inside": False}


def enter() -> None:
    """This is a reading process: what is marked runs here from now on."""
    _here["inside"] = True


def inside(function: Callable[..., R]) -> Callable[..., R]:
    """What a marked function does, without a process of its own; TypeError for one that is not marked."""
    own: Callable[..., R] | None = getattr(function, "inside", None)
    if own is None:
        raise TypeError(f"{function} is not marked as one that runs apart")
    return own


def apart(
    error: type[InputError], field: str = "", limits: Limits | None = None
) -> Callable[[Callable[..., R]], Callable[..., R]]:
    """Run a function of this module's kind in a reading process.

    Its second argument names what is read, for people. ``error`` (at ``field``) is raised for damaged bytes and for whatever
    ends the process; what the function itself raises arrives as it is (InputErrors only).
    """
    most = limits or Limits()

    def mark(function: Callable[..., R]) -> Callable[..., R]:
        name = f"{function.__module__}:{function.__name__}"

        @wraps(function)
        def run(*arguments: Any) -> R:
            if _here["inside"]:
                return function(*arguments)
            label = str(arguments[1])
            try:
                answer = ROOMS.call(name, arguments, most)
            except Died as died:
                raise error(f"{label} cannot be used: {died.reason}; it may be damaged", field) from None
            except Busy:
                raise LimitError(f"{label} has to wait: other files are being read; try again", field) from None
            if "damaged" in answer:
                raise error(f"{label} is damaged and cannot be read ({answer['damaged']})", field)
            if "error" in answer:
                raise _ERRORS.get(answer["error"], InputError)(str(answer["message"]), str(answer["field"]))
            result: R = answer["result"]
            return result

        run.inside = function  # type: ignore[attr-defined]
        return run

    return mark
