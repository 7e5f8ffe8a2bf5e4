"""A pool of processes that outlives the death of its children.

Any executor with the interface of ``concurrent.futures`` can stand in for the process pool: pass ``make_executor``.
"""

from __future__ import annotations

import multiprocessing
import os
import signal
import threading
import time
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import FIRST_COMPLETED, Executor, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass
from itertools import chain, islice
from multiprocessing.process import BaseProcess
from typing import Any, Generic, TypeVar

from zeitbild.errors import AwayError, FullError, GoneError, StoppedError, ZeitbildError

K = TypeVar("K")
R = TypeVar("R")

#: A task whose process died so often is given up: it is the likely cause.
MAX_DEATHS = 3


NO_MEMORY = "there was not enough memory for this frame; make the raster smaller"
#: Seconds that a process is given to finish what it does when the pool is closed; what it writes is whole or not there.
PATIENCE = 5.0


def _end_with(parent: BaseProcess) -> None:
    parent.join()
    os._exit(1)


def _settle() -> None:
    """What each process does first: one thread for kernels, a watch on its parent, and no ear for signals meant for that; what it has no use
    for goes back to the machine while it waits."""
    from zeitbild.kernels import set_threads
    from zeitbild.memory import give_back_when_idle

    parent = multiprocessing.parent_process()
    if parent is not None:
        threading.Thread(target=_end_with, args=(parent,), name="end with parent", daemon=True).start()
        signal.signal(signal.SIGINT, signal.SIG_IGN)
    set_threads(1)
    give_back_when_idle()


def _nothing() -> None:
    """Work that warms a process up: by being sent there, all of the farm is imported."""


def _with_threads(threads: int, function: Callable[..., R], arguments: tuple[Any, ...]) -> R:
    """A task that has more than one thread for its kernels."""
    from zeitbild.kernels import own_threads

    with own_threads(threads):
        return function(*arguments)


def process_executor(workers: int) -> Executor:
    """Processes started afresh (not forked: compiled kernels and their threads do not survive that)."""
    return ProcessPoolExecutor(workers, mp_context=multiprocessing.get_context("spawn"), initializer=_settle)


@dataclass(frozen=True, slots=True)
class Outcome(Generic[K, R]):
    """What became of one task: its result, or the reason why there is none; full if that is want of room on the disk, gone if a
    master is not there any more, stopped if nobody wanted it any more."""

    task: K
    result: R | None
    error: str | None
    full: bool = False
    gone: bool = False
    stopped: bool = False


class FramePool:
    """Runs one function over many tasks, a few at a time, and rebuilds its executor when a child is killed."""

    def __init__(self, workers: int, make_executor: Callable[[int], Executor] = process_executor) -> None:
        self.workers = max(1, workers)
        self._make = make_executor
        self._executor: Executor | None = None

    def __enter__(self) -> FramePool:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def _drop(self) -> None:
        executor, self._executor = self._executor, None
        if executor is not None:
            executor.shutdown(wait=False, cancel_futures=True)

    def warm(self) -> None:
        """Start the processes now, so that the first task need not wait for them."""
        for _ in range(self.workers):
            self._submit(_nothing, ())

    def close(self, patience: float = PATIENCE) -> None:
        """End the processes; what runs may take so many seconds to finish, then its process is killed."""
        if self._executor is None:
            return
        executor, self._executor = self._executor, None
        processes = list((getattr(executor, "_processes", None) or {}).values())
        executor.shutdown(wait=not processes, cancel_futures=True)
        until = time.monotonic() + patience
        for process in processes:
            process.join(max(0.0, until - time.monotonic()))
            if process.is_alive():
                process.kill()
        executor.shutdown(wait=True)

    def _capacity(self) -> int:
        """Tasks that can run at the same time: a cluster says it itself."""
        said = getattr(self._executor, "capacity", None)
        if said is not None:
            self.workers = said()
        return self.workers

    def _threads(self, tasks: int) -> int:
        """Threads that each of so many tasks has for its kernels: those of processes that would have nothing to do, too. What a cluster's
        workers have is theirs to say."""
        if not tasks:
            return 1
        if self._executor is None:
            self._executor = self._make(self.workers)
        if hasattr(self._executor, "capacity"):
            return 1
        return max(1, self.workers // tasks)

    def _submit(self, function: Callable[..., R], arguments: tuple[Any, ...]) -> Future[R]:
        if self._executor is None:
            self._executor = self._make(self.workers)
        try:
            return self._executor.submit(function, *arguments)
        except BrokenProcessPool:
            self._executor = self._make(self.workers)
            return self._executor.submit(function, *arguments)

    def run(
        self,
        function: Callable[..., R],
        tasks: Iterable[tuple[K, tuple[Any, ...]]],
        keep_going: Callable[[], bool] = lambda: True,
        on_start: Callable[[K], None] = lambda task: None,
        pulse: float = 1.0,
    ) -> Iterator[Outcome[K, R] | None]:
        """Call ``function`` with each task's arguments; yields outcomes as they come, and None about every ``pulse`` s.

        ``keep_going`` is asked before a task is handed out; when it says no, tasks under way are finished and the
        rest is left. Tasks whose process was killed are tried again, by themselves; up to ``MAX_DEATHS`` times it may die of one.
        Fewer tasks than processes have more threads each.
        """
        rest = iter(tasks)
        first = list(islice(rest, self.workers))
        threads = self._threads(len(first))
        coming = chain(first, rest)
        # Those that were under way when a process died: one at a time, so that it is known which of them it was.
        suspects: deque[tuple[K, tuple[Any, ...]]] = deque()
        under_way: dict[Future[R], tuple[tuple[K, tuple[Any, ...]], Executor, bool]] = {}
        deaths: dict[K, int] = {}
        while True:
            # One more than there are processes, so that none waits for the next task to be handed over.
            while len(under_way) <= (0 if suspects else self._capacity()) and keep_going():
                alone = bool(suspects)
                task = suspects.popleft() if alone else next(coming, None)
                if task is None:
                    break
                on_start(task[0])
                if threads > 1:
                    future = self._submit(_with_threads, (threads, function, task[1]))
                else:
                    future = self._submit(function, task[1])
                assert self._executor is not None
                under_way[future] = task, self._executor, alone
                if alone:
                    break
            if not under_way:
                return
            done, _ = wait(under_way, timeout=pulse, return_when=FIRST_COMPLETED)
            if not done:
                yield None
            for future in done:
                (key, arguments), executor, alone = under_way.pop(future)
                error = future.exception()
                if error is None:
                    yield Outcome(key, future.result(), None)
                elif isinstance(error, BrokenProcessPool):
                    if self._executor is executor:
                        self._executor = None
                    if alone:
                        deaths[key] = deaths.get(key, 0) + 1
                    if deaths.get(key, 0) < MAX_DEATHS:
                        suspects.append((key, arguments))
                    else:
                        yield Outcome(
                            key, None, f"its process was killed {MAX_DEATHS} times, perhaps for want of memory"
                        )
                elif isinstance(error, AwayError):
                    # The cluster went away: nobody's fault. Whoever asked tries again when it is back.
                    self._drop()
                    raise error
                elif isinstance(error, FullError):
                    yield Outcome(key, None, str(error), full=True)
                elif isinstance(error, ZeitbildError):
                    yield Outcome(
                        key,
                        None,
                        str(error),
                        gone=isinstance(error, GoneError),
                        stopped=isinstance(error, StoppedError),
                    )
                elif isinstance(error, MemoryError):
                    yield Outcome(key, None, NO_MEMORY)
                else:
                    yield Outcome(key, None, f"an unexpected error: {type(error).__name__}: {error}")
