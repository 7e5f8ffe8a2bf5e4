"""How far the set reaches, the same for every frame of a shot: what numbers of data passes are told between in whole numbers."""

from __future__ import annotations

import numpy as np

from zeitbild.document.evaluate import evaluate, frames_of_keys, moves_at_all, time_of
from zeitbild.document.shot import Shot
from zeitbild.elements import kinds
from zeitbild.resolve.resolving import resolve
from zeitbild.shipped import AssetSource
from zeitbild.snapshot.reach import Reach

#: Room kept at both ends, as a share of the extent, so that the nearest point is not quite white.
_MARGIN = 0.02
#: Frames of a shot in which values move that are looked at.
_LOOKS = 24


def reach_of(shot: Shot, assets: AssetSource) -> Reach:
    """Depth along the viewing axes of all layers that are on and positions, in units, from spheres about each pivot, which no turn
    can leave; motion of up to a picture's width.

    Depth (0, 1) for an empty set.
    """
    near, far, least = np.inf, -np.inf, 0.0
    low, high = np.full(3, np.inf), np.full(3, -np.inf)
    flat = {one.id for one in shot.elements if kinds.get(one.kind).faces(one).stands == "on the picture"}
    for frame, layer in [(frame, layer) for frame in _looked_at(shot) for layer in shot.layers_on]:
        snapshot = resolve(shot, frame, assets, layer.name)
        camera = snapshot.camera
        if camera.parallel:
            # Nothing is behind such a camera.
            least = -np.inf
        # What turns with a group turns about the pivot of the outermost.
        plain = evaluate(shot, time_of(shot, frame))
        outermost = {element.id: (element, *plain.groups_of(element))[-1] for element in plain.elements}
        pivots = {name: np.asarray(element.placement.position) for name, element in outermost.items()}
        for body in snapshot.bodies:
            if body.only_shadow or body.element in flat:
                # Ground reaches far beyond all that stands on it, and what lies on the picture stands nowhere.
                continue
            pivot, matrix = pivots[body.element], np.array(body.matrix).reshape(4, 4)
            off = float(np.linalg.norm(matrix[:3, 3] - pivot))
            radius = off + body.form.radius * float(np.linalg.norm(matrix[:3, :3], ord=2))
            along = float((pivot - camera.eye) @ camera.axes[2])
            near, far = min(near, along - radius), max(far, along + radius)
            low, high = np.minimum(low, pivot - radius), np.maximum(high, pivot + radius)
    if not np.isfinite(near):
        return Reach(motion=float(shot.raster.width))
    margin = _MARGIN * (far - near)
    return Reach(
        (max(float(near - margin), least), max(float(far + margin), 1e-6)),
        tuple((float(a), float(max(b, a + 1e-6))) for a, b in zip(low, high, strict=True)),
        float(shot.raster.width),
    )


def _looked_at(shot: Shot) -> list[int]:
    """Frames between which nothing that has keys goes much farther: all of a short shot, of a long one some, with all frames of keys."""
    frames = shot.timing.delivered
    if not moves_at_all(shot):
        return [shot.timing.first]
    some = set(frames[:: max(1, len(frames) // _LOOKS)]) | {frames[-1]}
    return sorted(some | {frame for frame in frames_of_keys(shot) if frame in frames})


def depth_range(shot: Shot, assets: AssetSource) -> tuple[float, float]:
    """(near, far) of ``reach_of``."""
    return reach_of(shot, assets).depth
