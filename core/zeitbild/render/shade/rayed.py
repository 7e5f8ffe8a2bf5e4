"""What rays found out about each fragment, rayed [fragments, C], by columns: the share of each light that is seen, and behind those of the lights what
stands here."""

from __future__ import annotations

import numpy as np

from zeitbild.kernels import inlined_kernel

#: Columns behind those of the lights: openness; mirrored red, green, blue; share of mirror rays that hit.
BEHIND_LIGHTS = 5
#: Behind these, if mirror rays were cast, so many for each light that ``lighting.has_borders``: the part of a mirror's lobe that the light fills, and
#: what of that is seen; both less the smaller the light is beside the lobe: what is seen of it as a whole says it better then.
IN_LOBES = 2
_ZERO, _ONE, _TWO, _THREE, _TINY = (np.float32(value) for value in (0, 1, 2, 3, 1e-12))
#: One over the part of a lobe from which on its rays tell all of what is seen, and over the share of that from which on it is taken as it is: one ray
#: in a hundred that passes what stands there would be a dot in a glare.
_INTO_TOLD, _INTO_SEEN = np.float32(1 / 0.03), np.float32(1 / 0.03)


@inlined_kernel
def share_in_lobe(rayed, f, column, share):  # type: ignore[no-untyped-def]
    """The share of a light that the mirror's lobe of fragment f sees, by the light's first column of ``IN_LOBES``; ``share`` is that of all of the
    light."""
    within = rayed[f, column]
    told = min(_ONE, within * _INTO_TOLD)
    told *= told * (_THREE - _TWO * told)
    seen = min(rayed[f, column + 1] / max(within, _TINY), _ONE)
    some = min(_ONE, max(_ZERO, seen * _INTO_SEEN))
    seen *= some * some * (_THREE - _TWO * some)
    return share + told * (seen - share)
