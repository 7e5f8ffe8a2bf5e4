"""What goes by so fast, without blur, that the eye sees several of it."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from zeitbild.checks._base import Check, Finding, SetView, checks
from zeitbild.document.evaluate import frames_of_keys, moves_at_all

#: Share of the picture's width in a frame.
_FAST = 0.25
#: Frames that are looked at, beside those at keys.
_LOOKS = 48


def _look(view: SetView) -> Iterator[Finding]:
    shot, timing = view.shot, view.shot.timing
    if shot.motion.angle > 0 or not moves_at_all(shot):
        return
    frames = timing.frames
    keyed = {near for at in frames_of_keys(shot) for near in (at - 1, at) if near in frames}
    some = sorted(set(frames[:: max(1, len(frames) // _LOOKS)]) | set(sorted(keyed)[:_LOOKS]))
    fastest, where, name = 0.0, 0, ""
    for frame in some:
        if frame + timing.step > timing.last:
            continue
        snapshot = view.snapshot(frame)
        camera = snapshot.camera
        moving = [body for body in snapshot.bodies if body.after and not body.only_shadow]
        if not moving:
            continue
        ends = np.array([[body.matrix, body.after] for body in moving]).reshape(-1, 4, 4)[:, :3, 3]
        found = camera.project(ends).reshape(-1, 2, 3)
        before = np.all(found[..., 2] > (-np.inf if camera.parallel else camera.near), axis=1)
        flat: NDArray[np.float64] = found[..., :2] / np.where(before[:, None], found[..., 2], 1)[..., None]
        size = np.array([snapshot.width, snapshot.height])
        inside = np.any(np.all((flat > 0) & (flat < size), axis=2), axis=1)
        ways = np.where(before & inside, np.linalg.norm(flat[:, 1] - flat[:, 0], axis=1), 0)
        at = int(ways.argmax())
        if ways[at] > fastest:
            fastest, where, name = float(ways[at]), frame, moving[at].element
    if fastest > _FAST * shot.raster.width:
        element = next((one.name for one in shot.elements if one.id == name), name)
        yield Finding(
            "too-fast",
            "hint",
            f"{element} goes {fastest:.0f} pixels from frame {where} to the next, and nothing is blurred: it will strobe.",
            "motion.angle",
            "time",
            where,
            {"motion.angle": 180},
            "Open the shutter by 180°",
        )


checks.register(Check("too-fast", look_at_set=_look))
