"""The reading process: takes one call after the other from its input, within limits, and ends with its parent."""

from __future__ import annotations

import importlib
import os
import resource
import select
import sys
import threading
from collections.abc import Callable
from pathlib import Path
from typing import IO, Any

from zeitbild.errors import InputError
from zeitbild.isolation.marking import enter, inside
from zeitbild.isolation.messages import packed, unpacked
from zeitbild.isolation.rooms import NO_MEMORY


def limit(memory: int, file_size: int) -> None:
    """Bytes of memory and of a file that this process may have at most; no picture of it is left when it crashes."""
    for what, most in ((resource.RLIMIT_AS, memory), (resource.RLIMIT_FSIZE, file_size), (resource.RLIMIT_CORE, 0)):
        resource.setrlimit(what, (most, most))


def _limit_time(seconds: float) -> None:
    # The parent kills what takes too long by the clock; this is for when the parent is gone.
    used = resource.getrusage(resource.RUSAGE_SELF)
    most = int(used.ru_utime + used.ru_stime + seconds) + 2
    resource.setrlimit(resource.RLIMIT_CPU, (most, resource.getrlimit(resource.RLIMIT_CPU)[1]))


def _largest() -> int:
    """Bytes that this process had at most. What the system counts as used (``ru_maxrss``) begins with what the parent had when it started
    this one, which may be more than any reader takes."""
    try:
        for line in Path("/proc/self/status").read_text().splitlines():
            if line.startswith("VmHWM:"):
                return int(line.split()[1]) * 1024
    except (OSError, ValueError, IndexError):
        pass
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024


def _end_with_parent(line: int) -> None:
    watch = select.poll()
    watch.register(line, 0)
    watch.poll()
    os._exit(1)


def _called(call: dict[str, Any]) -> Callable[..., Any]:
    """The function that a call is for; its libraries are loaded then."""
    module, _, name = str(call["function"]).rpartition(":")
    if not module.startswith("zeitbild."):
        raise ValueError("only functions of Zeitbild are called here")
    return inside(getattr(importlib.import_module(module), name))


def _answer(function: Callable[..., Any], arguments: list[Any]) -> dict[str, Any]:
    """What to say to a call: its result, or the error that it raised."""
    try:
        return {"result": function(*arguments)}
    except InputError as error:
        return {"error": type(error).__name__, "message": error.message, "field": error.field}
    except MemoryError:
        return {"memory": True}
    # Libraries let whatever their parsers meet escape; all of it means that the bytes are damaged.
    except Exception as error:
        return {"damaged": type(error).__name__}


def _exactly(stream: IO[bytes], count: int) -> bytes:
    data = stream.read(count)
    if len(data) != count:
        os._exit(0)
    return data


def _say(answers: IO[bytes], what: dict[str, Any]) -> None:
    for part in packed(what):
        answers.write(part)
    answers.flush()


def main() -> None:
    """Answer until the parent is gone. What libraries print goes nowhere: the output is for answers."""
    calls, answers = os.fdopen(os.dup(0), "rb"), os.fdopen(os.dup(1), "wb")
    silence = os.open(os.devnull, os.O_RDWR)
    for standard in (0, 1, 2):
        os.dup2(silence, standard)
    limit(int(sys.argv[1]), int(sys.argv[2]))
    os.nice(5)
    threading.Thread(target=_end_with_parent, args=(calls.fileno(),), daemon=True).start()
    enter()
    while True:
        call = unpacked(lambda count: _exactly(calls, count))
        function = _called(call)
        _limit_time(call["seconds"])
        _say(answers, {"begun": True})
        answer = _answer(function, call["arguments"])
        answer["largest"] = _largest()
        _say(answers, answer)


if __name__ == "__main__":
    try:
        main()
    except MemoryError:
        os._exit(NO_MEMORY)
