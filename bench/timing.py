"""Measuring: repeated, after a warm-up, with median and spread."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Figure:
    """A measured figure: name, median, smallest and largest, unit, and the goal if there is one."""

    name: str
    median: float
    low: float
    high: float
    unit: str
    goal: float | None = None
    at_least: bool = False

    @property
    def holds(self) -> bool | None:
        """Whether the goal is met; None without one."""
        if self.goal is None:
            return None
        return self.median >= self.goal if self.at_least else self.median <= self.goal


def pace() -> float:
    """Milliseconds of a plain loop just now, the best of three: what a figure of this hour can be compared by."""
    taken = []
    for _ in range(3):
        started = time.perf_counter()
        total = 0
        for number in range(1_000_000):
            total += number
        taken.append((time.perf_counter() - started) * 1000)
    return min(taken)


def measure(
    name: str, work: Callable[[int], object], *, times: int = 15, warm: int = 2, goal: float | None = None
) -> Figure:
    """Milliseconds of ``work(n)`` over ``times`` calls."""
    for number in range(warm):
        work(-1 - number)
    taken = []
    for number in range(times):
        started = time.perf_counter()
        work(number)
        taken.append((time.perf_counter() - started) * 1000)
    return Figure(name, statistics.median(taken), min(taken), max(taken), "ms", goal)


def single(name: str, value: float, unit: str, goal: float | None = None, *, at_least: bool = False) -> Figure:
    """A figure that was measured once."""
    return Figure(name, value, value, value, unit, goal, at_least)
