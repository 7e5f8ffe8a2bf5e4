"""Jobs that a page waits for: begun by one request, looked for by more, given up when nobody looks any more.

No request is open for longer than ``settings.JOB_PATIENCE``: what takes a minute is not cut off by whatever stands between.
"""

from __future__ import annotations

import asyncio
import contextlib
import secrets
import threading
import time
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass, field
from typing import Any

from django.conf import settings

from shots.lanes import LONG, Task
from shots.schemas import JobOut
from zeitbild_server.errors import Overtaken

#: Seconds after which a job that nobody looked for is given up, and forgotten if it is done.
LOOKED_FOR = 15.0


@dataclass(eq=False, slots=True)
class Job(Task):
    """A task of one shot that outlives the request that began it."""

    shot: int = 0
    name: str = field(default_factory=lambda: secrets.token_urlsafe(12))
    looked: float = field(default_factory=time.monotonic)
    #: Requests that wait for it now.
    looking: int = 0

    def is_unwanted(self) -> bool:
        """Given up, or looked for too long ago."""
        return self.unwanted.is_set() or (not self.looking and time.monotonic() - self.looked > LOOKED_FOR)


_jobs: dict[tuple[int, str], Job] = {}
_changing = threading.Lock()


async def begin(shot: int, person: int, function: Callable[..., Any], *arguments: Any) -> Job:
    """Begin a job on the lane of what takes long; gives it when it is done, or after a while, from when on it has a name."""
    job = Job(person, lambda: function(*arguments), shot=shot)
    LONG.add(job)
    try:
        await _look(job)
    except asyncio.CancelledError:
        # Nobody knows its name.
        LONG.forget(job)
        raise
    if not job.done.done():
        with _changing:
            for other in list(_jobs.values()):
                if other.is_unwanted():
                    _forget(other)
                elif other.done.done():
                    other.call = _nothing
            _jobs[shot, job.name] = job
    return job


def answer(job: Job) -> tuple[int, Any]:
    """What a job gave, as a request answers it (what it raised is raised here), or where to look for it."""
    if job.done.cancelled():
        raise Overtaken
    return (200, job.done.result()) if job.done.done() else (202, JobOut(job=job.name, waits=not job.done.running()))


async def look(shot: int, name: str) -> Job | None:
    """A job of a shot when it is done, or after a while; None if there is none of that name any more."""
    with _changing:
        job = _jobs.get((shot, name))
    return None if job is None else await _look(job)


def give_up(shot: int, name: str) -> None:
    """Nobody wants to know any more."""
    with _changing:
        job = _jobs.get((shot, name))
        if job is not None:
            _forget(job)


def _forget(job: Job) -> None:
    _jobs.pop((job.shot, job.name), None)
    LONG.forget(job)


async def _look(job: Job) -> Job:
    job.looking += 1
    try:
        await _settled(job.done, settings.JOB_PATIENCE)
    finally:
        job.looking -= 1
        job.looked = time.monotonic()
    if job.done.done():
        # What it took, a whole document, is not kept with what it gave.
        job.call = _nothing
    return job


def _nothing() -> None:
    return None


async def _settled(future: Future[Any], seconds: float) -> None:
    """Wait until a future is done, at most so long; it is not touched if the waiting ends before."""
    loop, event = asyncio.get_running_loop(), asyncio.Event()

    def tell(_: Future[Any]) -> None:
        # Who waited may be gone, loop and all.
        with contextlib.suppress(RuntimeError):
            loop.call_soon_threadsafe(event.set)

    future.add_done_callback(tell)
    with contextlib.suppress(TimeoutError):
        async with asyncio.timeout(seconds):
            await event.wait()
