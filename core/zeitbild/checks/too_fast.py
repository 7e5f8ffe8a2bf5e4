"""What goes by so fast, without blur, that the eye sees several of it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from zeitbild.checks._base import Check, Finding, SetView, checks
from zeitbild.document.evaluate import frames_of_keys, moves_at_all, turns_at_all
from zeitbild.geometry.transforms import put
from zeitbild.snapshot import Body, Snapshot

#: Share of the picture's width in a frame.
_FAST = 0.25
#: Frames that are looked at, beside those at keys.
_LOOKS = 48


def _ends(bodies: Sequence[Body]) -> NDArray[np.float64]:
    """Of each body its middle and the middles of the six sides of its box, where they are at a frame and at the next [n, 2, 7, 3]: what only
    turns moves by its ends."""
    found = np.empty((len(bodies), 2, 7, 3))
    for row, body in zip(found, bodies, strict=True):
        low, high = body.form.bounds
        points = np.tile((low + high) / 2, (7, 1))
        for axis in range(3):
            points[1 + axis, axis], points[4 + axis, axis] = low[axis], high[axis]
        for own, matrix in zip(row, (body.matrix, body.after), strict=True):
            own[:] = put(np.array(matrix).reshape(4, 4), points)
    return found


def _fastest(snapshot: Snapshot) -> tuple[float, str]:
    """Pixels that what moves farthest goes until the next frame, of which something is in the picture, and its element."""
    moving = [body for body in snapshot.bodies if body.after and not body.only_shadow]
    if not moving:
        return 0.0, ""
    camera = snapshot.camera
    found = camera.project(_ends(moving).reshape(-1, 3)).reshape(len(moving), 2, 7, 3)
    before = np.all(found[..., 2] > (-np.inf if camera.parallel else camera.near), axis=1)
    flat: NDArray[np.float64] = found[..., :2] / np.where(before[:, None], found[..., 2], 1)[..., None]
    inside = np.any(np.all((flat > 0) & (flat < np.array([snapshot.width, snapshot.height])), axis=3), axis=1)
    ways = np.where(before & inside, np.linalg.norm(flat[:, 1] - flat[:, 0], axis=2), 0).max(axis=1)
    at = int(ways.argmax())
    return float(ways[at]), moving[at].element


def _look(view: SetView) -> Iterator[Finding]:
    shot, timing = view.shot, view.shot.timing
    keyed = moves_at_all(shot)
    if shot.motion.angle > 0 or not (keyed or turns_at_all(shot)):
        return
    frames = timing.frames
    # Turns are even: a few frames tell as much as many.
    some = view.sampled_frames
    if keyed:
        near = {one for at in frames_of_keys(shot) for one in (at - 1, at) if one in frames}
        some = sorted(set(frames[:: max(1, len(frames) // _LOOKS)]) | set(sorted(near)[:_LOOKS]))
    fastest, where, name = 0.0, 0, ""
    for frame in some:
        if frame + timing.step > timing.last:
            continue
        way, element = _fastest(view.snapshot(frame))
        if way > fastest:
            fastest, where, name = way, frame, element
    if fastest > _FAST * shot.raster.width:
        called = next((one.name for one in shot.elements if one.id == name), name)
        yield Finding(
            "too-fast",
            "hint",
            f"{called} goes {fastest:.0f} pixels from frame {where} to the next, and nothing is blurred: it will strobe.",
            "motion.angle",
            "time",
            where,
            {"motion.angle": 180},
            "Open the shutter by 180°",
        )


checks.register(Check("too-fast", look_at_set=_look))
