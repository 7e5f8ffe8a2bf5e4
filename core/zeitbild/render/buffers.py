"""Arrays kept from one picture to the next: fresh memory costs as much as filling it.

``kept`` is for arrays that no caller gets to see. They belong to whoever holds ``kernels.PARALLEL``. ``lent`` is for
those that callers get.
"""

from __future__ import annotations

import sys
from typing import Any

import numpy as np
from numpy.typing import DTypeLike, NDArray

from zeitbild.kernels import PARALLEL

#: Larger arrays are given back after use, so that one large picture does not weigh on a process for ever.
_LARGEST = 96 * 1024 * 1024
_kept: dict[str, NDArray[Any]] = {}


def kept(name: str, shape: tuple[int, ...], dtype: DTypeLike) -> NDArray[Any]:
    """An array of that shape with whatever it last held; the same name gets the same memory again."""
    found = _kept.get(name)
    if found is not None and found.shape == shape and found.dtype == dtype:
        return found
    made = np.empty(shape, dtype)
    _kept.pop(name, None)
    if made.nbytes <= _LARGEST:
        _kept[name] = made
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
