"""How near and how far the set reaches from the camera, the same for every frame of a shot."""

from __future__ import annotations

import numpy as np

from zeitbild.document.shot import Shot
from zeitbild.elements.base import AssetSource
from zeitbild.resolve.resolving import resolve

#: Room kept at both ends, as a share of the extent, so that the nearest point is not quite white.
_MARGIN = 0.02


def depth_range(shot: Shot, assets: AssetSource) -> tuple[float, float]:
    """(near, far) along the viewing axes of all layers in units, from spheres about each pivot, which no turn can leave.

    (0, 1) for an empty set.
    """
    near, far = np.inf, -np.inf
    shown = [element for element in shot.elements if element.shown]
    for layer in shot.layers:
        snapshot = resolve(shot, shot.timing.first, assets, layer.name)
        camera = snapshot.camera
        for element, mesh in zip(shown, snapshot.meshes, strict=True):
            pivot = np.asarray(element.placement.position)
            offset = float(np.linalg.norm(element.pivot_offset))
            radius = (mesh.radius + offset) * max(abs(value) for value in element.placement.scale)
            along = float((pivot - camera.eye) @ camera.axes[2])
            near, far = min(near, along - radius), max(far, along + radius)
    if not np.isfinite(near):
        return 0.0, 1.0
    margin = _MARGIN * (far - near)
    return max(float(near - margin), 0.0), max(float(far + margin), 1e-6)
