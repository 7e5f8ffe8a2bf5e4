"""Threads that compute what people look at, shared fairly among them: no one's long picture keeps another's short one waiting.

Each lane takes from the person who was served longest ago, and from that person what was asked for last. What is short goes before
what is long even in its middle (``zeitbild.turns``); a request whose page has gone, or asked for something newer, is given up.
"""

from __future__ import annotations

import asyncio
import atexit
import itertools
import threading
import weakref
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass, field
from typing import Any, TypeVar

from zeitbild.turns import GivenUp, working
from zeitbild_server.errors import Overtaken

T = TypeVar("T")


@dataclass(eq=False, slots=True)
class Task:
    """Something to compute for a person."""

    person: int
    call: Callable[[], Any]
    #: Of what one person asks for in one line only the newest counts: what waited when it came is given up. No name: in no line.
    line: str = ""
    done: Future[Any] = field(default_factory=Future)
    unwanted: threading.Event = field(default_factory=threading.Event)

    def is_unwanted(self) -> bool:
        """Whether nobody waits for it any more."""
        return self.unwanted.is_set()

    def overtake(self) -> None:
        """Tell who waits that it is not begun any more."""
        if self.done.set_running_or_notify_cancel():
            self.done.set_exception(Overtaken())


class Lane:
    """Threads that take tasks in turns of persons; rank as in ``zeitbild.turns``."""

    #: Tasks of one person that wait at most; the oldest make room.
    MOST = 64

    def __init__(self, name: str, threads: int, rank: int) -> None:
        self._name, self._threads, self._rank = name, threads, rank
        self._changed = threading.Condition()
        self._waiting: dict[int, list[Task]] = {}
        self._served: dict[int, int] = {}
        self._count = itertools.count()
        self._serving: list[threading.Thread] = []
        self._ending = False
        _lanes.add(self)

    def add(self, task: Task) -> None:
        """Line a task up."""
        with self._changed:
            if not self._serving:
                for number in range(self._threads):
                    thread = threading.Thread(target=self._serve, name=f"{self._name} {number}", daemon=True)
                    self._serving.append(thread)
                    thread.start()
            own = self._waiting.setdefault(task.person, [])
            for older in [one for one in own if task.line and one.line == task.line]:
                own.remove(older)
                older.overtake()
            own.append(task)
            if len(own) > self.MOST:
                own.pop(0).overtake()
            self._changed.notify()

    def forget(self, task: Task) -> None:
        """Take a task out, or have it given up in the middle."""
        task.unwanted.set()
        with self._changed:
            own = self._waiting.get(task.person, [])
            if task in own:
                own.remove(task)
                if not own:
                    del self._waiting[task.person]
                task.done.cancel()

    def end(self, patience: float) -> None:
        """Take nothing more and give up what is under way; come back when it ended, or after so many seconds."""
        with self._changed:
            self._ending = True
            self._changed.notify_all()
        for thread in self._serving:
            thread.join(patience)

    def _next(self) -> Task | None:
        with self._changed:
            while not (self._waiting or self._ending):
                self._changed.wait()
            if self._ending:
                return None
            person = min(self._waiting, key=lambda one: self._served.get(one, -1))
            own = self._waiting[person]
            task = own.pop()
            if not own:
                del self._waiting[person]
            self._served[person] = next(self._count)
            if len(self._served) > 10_000:
                self._served.clear()
            return task

    def _serve(self) -> None:
        while (task := self._next()) is not None:
            if not task.done.set_running_or_notify_cancel():
                continue
            try:
                with working(self._rank, lambda own=task: self._ending or own.is_unwanted()):  # type: ignore[misc]
                    result = task.call()
            except GivenUp:
                task.done.set_exception(Overtaken())
            # Whatever it is, it is the answer to who asked; the lane goes on.
            except BaseException as error:
                task.done.set_exception(error)
            else:
                task.done.set_result(result)
            # What was computed is not kept here until the next task comes.
            del task


#: All that there are.
_lanes: weakref.WeakSet[Lane] = weakref.WeakSet()


def _end_all() -> None:
    """Kernels must not be under way when their code is taken from memory at the end of the process."""
    for lane in _lanes:
        lane.end(10)


# What is registered last is called first, so before everything that numba registered when it was loaded.
atexit.register(_end_all)

#: Rough pictures, pixels and other small things; and everything that may take long.
SHORT, LONG = Lane("short pictures", 1, 0), Lane("long pictures", 2, 1)


async def compute(lane: Lane, person: int, function: Callable[..., T], *arguments: Any, line: str = "") -> T:
    """Run a function on a lane without holding up the event loop; what it raises is raised here. Overtaken if it waited while something
    newer was asked for in the same line.

    If this is cancelled, as it is when the browser hangs up, the function is given up.
    """
    task = Task(person, lambda: function(*arguments), line)
    lane.add(task)
    try:
        result: T = await asyncio.wrap_future(task.done)
        return result
    except asyncio.CancelledError:
        lane.forget(task)
        raise
