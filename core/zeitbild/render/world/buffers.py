"""Arrays kept from one picture to the next: fresh memory costs as much as filling it.

``kept`` is for arrays that no caller gets to see. Each thread has its own, since one that draws may give way to another in the
middle. ``lent`` is for those that callers get.
"""

from __future__ import annotations

import sys
import threading
from typing import Any

import numpy as np
from numpy.typing import DTypeLike, NDArray

from zeitbild.kernels import PARALLEL

#: Larger arrays are given back after use, so that one large picture does not weigh on a process for ever.
_LARGEST = 96 * 1024 * 1024


class _Kept(threading.local):
    def __init__(self) -> None:
        self.arrays: dict[str, NDArray[Any]] = {}


_kept = _Kept()


def kept(name: str, shape: tuple[int, ...], dtype: DTypeLike) -> NDArray[Any]:
    """An array of that shape with whatever it last held; the same name gets the same memory again."""
    found = _kept.arrays.get(name)
    if found is not None and found.shape == shape and found.dtype == dtype:
        return found
    made = np.empty(shape, dtype)
    _kept.arrays.pop(name, None)
    if made.nbytes <= _LARGEST:
        _kept.arrays[name] = made
    return made


_lent: dict[str, NDArray[Any]] = {}


def lent(name: str, shape: tuple[int, ...], dtype: DTypeLike) -> NDArray[Any]:
    """An array for a caller to keep, with whatever it holds: the one lent before under that name, once nobody has it."""
    with PARALLEL:
        found = _lent.get(name)
        # Three know it: the dictionary, the variable and the call that counts. A fourth would be somebody else.
        if found is not None and found.shape == shape and found.dtype == dtype and sys.getrefcount(found) == 3:
            return found
        made = np.empty(shape, dtype)
        _lent.pop(name, None)
        if made.nbytes <= _LARGEST:
            _lent[name] = made
        return made
