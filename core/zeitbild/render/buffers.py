"""Arrays kept from one picture to the next: fresh memory costs as much as filling it.

Only for arrays that no caller gets to see. They belong to whoever holds ``kernels.PARALLEL``.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import DTypeLike, NDArray

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
