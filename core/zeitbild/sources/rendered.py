"""A layer that was rendered: its frames are masters."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from zeitbild.errors import GoneError, StorageError
from zeitbild.masters import MasterStore
from zeitbild.render.passes import Bundle
from zeitbild.render.picture import Picture

#: The masters of a frame: of each layer its key, and its bundles with the ends of their names.
Masters = tuple[tuple[str, str, tuple[tuple[Bundle, str], ...]], ...]


@dataclass(frozen=True, slots=True, eq=False)
class RenderedLayer:
    """Frames of one layer by their keys and bundles; see ``Source``. The picture that was asked for last is kept; without ``depth``
    pictures have none."""

    name: str
    store: MasterStore
    cells: Mapping[int, tuple[str, Mapping[Bundle, str]]]
    depth: bool
    _last: dict[int, Picture]

    @property
    def frames(self) -> tuple[int, ...]:
        """See ``Source.frames``."""
        return tuple(sorted(self.cells))

    def key(self, frame: int) -> str:
        """See ``Source.key``."""
        return self.cells[frame][0]

    def picture(self, frame: int) -> Picture:
        """See ``Source.picture``."""
        if frame in self._last:
            return self._last[frame]
        key, ends = self.cells[frame]
        self._last.clear()
        try:
            self._last[frame] = self.store.load(key, ends, depth=self.depth)
        except StorageError as error:
            # A damaged master does not come back by itself.
            self.store.forget(key)
            raise GoneError(f"the master of frame {frame} of {self.name} is gone or damaged") from error
        return self._last[frame]


def rendered_layers(
    store: MasterStore,
    frames: Sequence[tuple[int, Masters]],
    bundles: Collection[Bundle] | None = None,
    *,
    depth: bool = True,
) -> dict[str, RenderedLayer]:
    """The layers of which these are masters, by name. Only some bundles (None: all), and not even the depth that stands beside beauty,
    are read if no more is wanted."""
    cells: dict[str, dict[int, tuple[str, Mapping[Bundle, str]]]] = {}
    for frame, masters in frames:
        for layer, key, ends in masters:
            own = {bundle: end for bundle, end in ends if bundles is None or bundle == "beauty" or bundle in bundles}
            cells.setdefault(layer, {})[frame] = key, own
    return {layer: RenderedLayer(layer, store, own, depth, {}) for layer, own in cells.items()}
