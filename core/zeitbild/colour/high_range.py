"""Pictures of a high range: how their numbers are light (Recommendation ITU-R BT.2100-2).

Light of 203 candela a square metre, which is how bright white paper is meant there (Report ITU-R BT.2408), is white here: 1.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from typing import Any

import numpy as np
from numpy.typing import NDArray

#: Candela a square metre: white (BT.2408, 2.1), the most that PQ tells, and of a display on which HLG is looked at (BT.2100-2, table 5).
_WHITE, _MOST, _DISPLAY = 203.0, 10_000.0, 1000.0
#: BT.2100-2, table 4.
_M1, _M2 = 2610 / 16384, 2523 / 4096 * 128
_C1, _C2, _C3 = 3424 / 4096, 2413 / 4096 * 32, 2392 / 4096 * 32
#: BT.2100-2, table 5; the exponent for a display of 1000 candela.
_A, _B, _C = 0.17883277, 0.28466892, 0.55991073
_SYSTEM_GAMMA = 1.2
#: Luminance of the primaries of BT.2020, in which HLG is.
_LUMINANCE = (0.2627, 0.6780, 0.0593)


class HighRange(ABC):
    """A high range: its ``title`` for people, and its light."""

    title: str

    @abstractmethod
    def values(self, encoded: NDArray[np.float64]) -> NDArray[np.float64]:
        """What encoded values (0 to 1) stand for, each by itself."""

    def light(self, numbers: NDArray[Any], into: NDArray[np.float64]) -> NDArray[np.float32]:
        """Light [H, W, 3] (1 white, not below 0) of whole numbers [H, W, 3]; into [3, 3] turns primaries into sRGB's."""
        top = np.iinfo(numbers.dtype).max
        table = self.values(np.arange(top + 1) / top).astype(np.float32)
        own = self.shown(table[numbers])
        return np.ascontiguousarray(np.maximum(own @ into.T.astype(np.float32), 0), np.float32)

    def shown(self, values: NDArray[np.float32]) -> NDArray[np.float32]:
        """Light that a display shows, of ``values``."""
        return values


class _Pq(HighRange):
    title = "a high range (PQ)"

    def values(self, encoded: NDArray[np.float64]) -> NDArray[np.float64]:
        power = encoded ** (1 / _M2)
        light: NDArray[np.float64] = (np.maximum(power - _C1, 0) / (_C2 - _C3 * power)) ** (1 / _M1)
        return light * (_MOST / _WHITE)


class _Hlg(HighRange):
    title = "a high range (HLG)"

    def values(self, encoded: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.where(encoded <= 0.5, encoded**2 / 3, (np.exp((encoded - _C) / _A) + _B) / 12)

    def shown(self, values: NDArray[np.float32]) -> NDArray[np.float32]:
        scene = np.maximum(values @ np.array(_LUMINANCE, np.float32), np.float32(1e-9))
        gain = scene ** np.float32(_SYSTEM_GAMMA - 1) * np.float32(_DISPLAY / _WHITE)
        return np.asarray(values * gain[..., None], np.float32)


HIGH_RANGES: dict[str, HighRange] = {"pq": _Pq(), "hlg": _Hlg()}
#: The same by their code points in ITU-T H.273, table 3.
HIGH_BY_CODE = {16: "pq", 18: "hlg"}
