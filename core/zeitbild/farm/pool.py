"""A pool of processes that outlives the death of its children.

Any executor with the interface of ``concurrent.futures`` can stand in for the process pool: pass ``make_executor``.
"""

from __future__ import annotations

import multiprocessing
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import FIRST_COMPLETED, Executor, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from zeitbild.errors import ZeitbildError

K = TypeVar("K")
R = TypeVar("R")

#: A task whose process died so often is given up: it is the likely cause.
MAX_DEATHS = 3


def _one_thread() -> None:
    from zeitbild.kernels import set_threads

    set_threads(1)


def process_executor(workers: int) -> Executor:
    """Processes started afresh (not forked: compiled kernels and their threads do not survive that)."""
    return ProcessPoolExecutor(workers, mp_context=multiprocessing.get_context("spawn"), initializer=_one_thread)


@dataclass(frozen=True, slots=True)
class Outcome(Generic[K, R]):
    """What became of one task: its result, or the reason why there is none."""

    task: K
    result: R | None
    error: str | None


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

    def close(self) -> None:
        """End the processes; a task that is running is let finish."""
        if self._executor is not None:
            self._executor.shutdown(wait=True, cancel_futures=True)
            self._executor = None

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
        rest is left. Tasks whose process was killed are tried again, up to ``MAX_DEATHS`` times.
        """
        waiting: deque[tuple[K, tuple[Any, ...]]] = deque(tasks)
        under_way: dict[Future[R], tuple[K, tuple[Any, ...]]] = {}
        deaths: dict[K, int] = {}
        while waiting or under_way:
            # One more than there are processes, so that none waits for the next task to be handed over.
            while waiting and len(under_way) <= self.workers and keep_going():
                key, arguments = waiting.popleft()
                on_start(key)
                under_way[self._submit(function, arguments)] = (key, arguments)
            if not under_way:
                return
            done, _ = wait(under_way, timeout=pulse, return_when=FIRST_COMPLETED)
            if not done:
                yield None
            for future in done:
                key, arguments = under_way.pop(future)
                error = future.exception()
                if error is None:
                    yield Outcome(key, future.result(), None)
                elif isinstance(error, BrokenProcessPool):
                    self._executor = None
                    deaths[key] = deaths.get(key, 0) + 1
                    if deaths[key] < MAX_DEATHS:
                        waiting.appendleft((key, arguments))
                    else:
                        yield Outcome(
                            key, None, f"its process was killed {MAX_DEATHS} times, perhaps for want of memory"
                        )
                elif isinstance(error, ZeitbildError):
                    yield Outcome(key, None, str(error))
                elif isinstance(error, MemoryError):
                    yield Outcome(key, None, "there was not enough memory for this frame; make the raster smaller")
                else:
                    yield Outcome(key, None, f"an unexpected error: {type(error).__name__}: {error}")
