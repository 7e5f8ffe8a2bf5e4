"""What becomes of memory that is no longer used: kept for the next picture, and given back to the machine once nothing is to be done.

Pictures are large arrays, and the C library asks the machine for each of them anew, and gives it back when it is gone: every page of it is
cleared by the machine first, which is a tenth of a rough picture and a sixth of a file. (Measured on virtual machines; where the C library
is none that knows these settings nothing is lost but that time.)
"""

from __future__ import annotations

import contextlib
import ctypes
import threading
import time

# mallopt(3): memory that is free at the end of what a process has, blocks that the machine is asked for one by one, and heaps of threads.
_TRIM_THRESHOLD, _MMAP_MAX, _ARENA_MAX = -1, -4, -8
_LARGEST_INT = 2**31 - 1
#: Bytes that are free beyond what pictures of usual sizes need.
_MUCH = 1 << 30
#: Seconds between two looks, and of work in them below which a process counts as idle.
_LOOKS, _IDLE = 5.0, 0.5


def keep_what_is_freed() -> None:
    """From now on this process keeps memory that is freed; see ``give_back``."""
    with contextlib.suppress(OSError, AttributeError):
        set_to = ctypes.CDLL(None).mallopt
        # One heap for all threads: those of others are too small for a picture, and the machine would be asked again.
        for setting, value in ((_ARENA_MAX, 1), (_MMAP_MAX, 0), (_TRIM_THRESHOLD, _LARGEST_INT)):
            set_to(ctypes.c_int(setting), ctypes.c_int(value))


def give_back() -> None:
    """Give all that is free back to the machine."""
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).malloc_trim(ctypes.c_size_t(0))


class _Told(ctypes.Structure):
    """What mallinfo2(3) tells, in bytes: the one before the last is what is free."""

    _fields_ = [(name, ctypes.c_size_t) for name in ("arena", "a", "b", "c", "d", "e", "f", "used", "free", "end")]


def give_back_much() -> None:
    """The same if more is free than pictures of usual sizes need: what a large one took is not kept from others, nor in pieces that the next
    large one does not fit into."""
    with contextlib.suppress(OSError, AttributeError):
        tells = ctypes.CDLL(None).mallinfo2
        tells.restype = _Told
        if tells().free > _MUCH:
            give_back()


def give_back_when_idle() -> None:
    """For processes that outlive their work: from now on a thread of its own gives back what is free whenever nothing was done for some
    seconds."""
    threading.Thread(target=_watch, name="memory", daemon=True).start()


def _watch() -> None:
    before, kept = time.process_time(), True
    while True:
        time.sleep(_LOOKS)
        spent = time.process_time()
        idle, before = spent - before < _IDLE, spent
        if idle and kept:
            give_back()
        kept = not idle
