"""Small drawings kept: while a hand changes light, colours or opacity nothing moves, and what each sample sees need not be found again.

A drawing is kept when it is asked for a second time, so that what moves costs no more than looking for it. So are pictures of what is
opaque, and of groups of which only a share is left: while that share changes, what it is a share of stays.
"""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable, Hashable
from dataclasses import dataclass, replace

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from zeitbild.render.picture import Picture
from zeitbild.render.visible.visibility import Fragments
from zeitbild.render.world.buffers import kept
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.camera import Camera

#: Pixels of the largest drawings kept, bytes that all of them may take, and how many are known to have been asked for once.
_LARGEST, _ROOM, _KNOWN = 640 * 400, 64 * 1024 * 1024, 64
#: Pictures that are known, kept or asked for once, and the triangles of the largest sets among them.
_PICTURES, _MOST_TRIANGLES = 6, 50_000


@dataclass(frozen=True, slots=True, eq=False)
class Seen:
    """What a drawing found: fragments with the areas [H, W] that they cover and their depth [H, W], and how many of its own surfaces lie
    one over the other in each tile [tiles] or None."""

    fragments: Fragments
    alpha: NDArray[np.float32]
    depth: NDArray[np.float32]
    stacked: NDArray[np.uint8] | None


@dataclass(frozen=True, slots=True, eq=False)
class _Packed:
    """A drawing without the room between its tiles and without triangles that nothing sees, of ``count`` triangles; it keeps the vertices
    that its key knows by their identity."""

    seen: Seen
    triangles: NDArray[np.int64]
    count: int
    vertices: NDArray[np.float64]

    @property
    def size(self) -> int:
        own, seen = self.seen.fragments, self.seen
        parts = own.pixel, own.triangle, own.share, own.where, own.counts, own.order, own.firsts, own.edges
        return sum(part.nbytes for part in (*parts, seen.alpha, seen.depth, self.triangles))


_packed: LRUCache[Hashable, _Packed] = LRUCache(_ROOM, lambda one: one.size)
_asked: LRUCache[Hashable, None] = LRUCache(_KNOWN)
_lock = threading.Lock()


class Entry:
    """A drawing of a still set among those that are kept: known by its vertices [V, 3], which never change and are told apart by their
    identity, the camera (whose raster it has), and whatever else tells it apart."""

    def __init__(self, vertices: NDArray[np.float64], camera: Camera, others: Hashable) -> None:
        self.vertices = vertices
        looks = camera.eye.tobytes(), camera.axes.tobytes(), camera.focal, camera.width, camera.height
        self.key = id(vertices), *looks, camera.near, camera.parallel, others

    def find(self) -> Seen | None:
        """The drawing, if it is kept, in arrays that may be written to until the next drawing."""
        with _lock:
            found = _packed.get(self.key)
        if found is None:
            return None
        own, seen = found.seen.fragments, found.seen
        edges = kept("edges", (found.count, own.edges.shape[1]), np.float64)
        edges[found.triangles] = own.edges
        # Kernels write to some of these.
        copies = {name: getattr(own, name).copy() for name in ("pixel", "triangle", "share", "where", "counts")}
        alpha = kept("alpha", seen.alpha.shape, np.float32)
        alpha[:] = seen.alpha
        fragments = own._replace(edges=edges, at=copies["where"], **copies)
        return replace(seen, fragments=fragments, alpha=alpha)

    def keep(self, seen: Seen) -> None:
        """Keep the drawing, if it was asked for before."""
        with _lock:
            again = self.key in _asked
            _asked[self.key] = None
        if not again:
            return
        own = seen.fragments
        firsts = np.concatenate([[0], np.cumsum(own.counts)]).astype(np.int64)
        places = np.arange(firsts[-1]) + np.repeat(own.firsts[:-1] - firsts[:-1], own.counts)
        triangle = own.triangle[places]
        seen_ones = np.zeros(len(own.edges), bool)
        seen_ones[triangle] = True
        numbers = np.flatnonzero(seen_ones)
        where = own.where[places]
        fragments = Fragments(
            own.order.copy(),
            own.pixel[places],
            triangle,
            own.share[places],
            where,
            own.counts.copy(),
            firsts,
            own.edges[numbers],
            where,
            own.width,
        )
        stacked = None if seen.stacked is None else seen.stacked.copy()
        packed = _Packed(
            Seen(fragments, seen.alpha.copy(), seen.depth.copy(), stacked), numbers, len(own.edges), self.vertices
        )
        with _lock:
            if packed.size <= _packed.maxsize:
                _packed[self.key] = packed


@dataclass(frozen=True, slots=True, eq=False)
class _Asked:
    """A picture that was asked for: the set and what else it was drawn by, the area [H, W] that hid some of it; and the picture itself, once
    it was asked for again."""

    snapshot: Snapshot
    others: object
    held: NDArray[np.float32]
    picture: Picture | None

    def equals(self, other: _Asked) -> bool:
        forms = zip(self.snapshot.bodies, other.snapshot.bodies, strict=False)
        return (
            self.snapshot == other.snapshot
            and self.others == other.others
            and all(one.form is its.form for one, its in forms)
            and np.array_equal(self.held, other.held)
        )


_pictures: deque[_Asked] = deque(maxlen=_PICTURES)


def picture_of(snapshot: Snapshot, others: object, held: NDArray[np.float32], draw: Callable[[], Picture]) -> Picture:
    """A picture that may be written to, drawn or as it was kept: that of a still set, told apart by the set itself, the area held [H, W] of
    what hides some of it, and whatever else it depends on. Large pictures, those with planes, of what moves, and of large sets are always drawn."""
    large = not is_small(snapshot.width, snapshot.height)
    if large or snapshot.stations or sum(len(mesh.triangles) for mesh in snapshot.built_meshes) > _MOST_TRIANGLES:
        return draw()
    asked = _Asked(snapshot, others, held, None)
    with _lock:
        found = next((one for one in _pictures if one.equals(asked)), None)
        if found is not None:
            # Those that were asked for last stay the longest.
            _pictures.remove(found)
            _pictures.append(found)
    if found is not None and found.picture is not None:
        return _copied(found.picture)
    picture = draw()
    if picture.planes is None:
        if found is not None:
            asked = replace(asked, picture=_copied(picture))
        asked = replace(asked, held=held.copy())
        with _lock:
            if found is not None and found in _pictures:
                _pictures.remove(found)
            _pictures.append(asked)
    return picture


def _copied(picture: Picture) -> Picture:
    return replace(picture.map(np.copy), depth=picture.depth.copy())


def is_small(width: int, height: int) -> bool:
    """Whether drawings of that size, in pixels, are kept."""
    return width * height <= _LARGEST


def size() -> int:
    """Bytes that all drawings kept take."""
    with _lock:
        return int(_packed.currsize)


def forget() -> None:
    """Give up all of them."""
    with _lock:
        _packed.clear()
        _asked.clear()
        _pictures.clear()
