"""See-through elements: laid over what is behind them, one after the other, from far to near.

Each is drawn together with everything that is opaque, which hides what of it stands behind; of itself its nearest
surface is seen. Over of Porter and Duff 1984, in premultiplied linear light.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from zeitbild.render.finish_row import opacity_of
from zeitbild.render.picture import Picture

if TYPE_CHECKING:
    from zeitbild.resolve.snapshot import Snapshot


def see_through_places(snapshot: Snapshot) -> tuple[int, ...]:
    """Places of the elements that have a finish of less than full opacity, far to near by their middles."""
    places = [
        place
        for place, element in enumerate(snapshot.elements)
        if any(opacity_of(finish) < 1 for finish in element.finishes)
    ]
    if not places:
        return ()
    camera = snapshot.camera
    middles = {}
    for place in places:
        matrix = np.array(snapshot.elements[place].matrix).reshape(4, 4)
        vertices = snapshot.built_meshes[place].vertices
        middle = (vertices.min(axis=0) + vertices.max(axis=0)) / 2 if len(vertices) else np.zeros(3)
        middles[place] = float(camera.distance((matrix[:3, :3] @ middle + matrix[:3, 3])[None])[0])
    return tuple(sorted(places, key=lambda place: (-middles[place], place)))


def lay_over(front: Picture, behind: Picture) -> None:
    """Put a picture over another in place, with all that beauty is made of."""
    rest = 1 - front.beauty[..., 3:]

    def over(upper: NDArray[np.float32], lower: NDArray[np.float32]) -> None:
        lower *= rest
        lower += upper

    over(front.beauty, behind.beauty)
    seen = front.beauty[..., 3] > 0
    behind.depth[seen] = np.minimum(behind.depth[seen], front.depth[seen])
    if front.planes is not None and behind.planes is not None:
        over(front.planes, behind.planes)
    for name, values in behind.groups.items():
        over(front.groups[name], values)
    if front.identities is not None and behind.identities is not None:
        _merge(front.identities, behind.identities, rest)


def _merge(front: NDArray[np.float32], behind: NDArray[np.float32], rest: NDArray[np.float32]) -> None:
    """Identities [H, W, 2, SLOTS, 2] of both, in place: those with the most coverage are kept."""
    slots = behind.shape[3]
    behind[..., 1] *= rest[..., None]
    both = np.concatenate([front, behind], axis=3)
    order = np.argsort(-both[..., 1], axis=3, kind="stable")[..., :slots]
    behind[:] = np.take_along_axis(both, order[..., None], axis=3)
    # Where nothing is covered there is no number.
    behind[..., 0][behind[..., 1] <= 0] = -1
