"""Bundles: planes of a picture that are rendered and kept together in one file, one part for each pass.

beauty    ``beauty`` half (premultiplied, linear, Rec. 709: OpenEXR technical introduction), ``depth`` float; ``covered`` half if
          something see-through stands there, ``held`` half if something is held out
light     diffuse, specular, environment, emission, backdrop: half; occlusion, lit: half
groups    a part for each group of lights: half
data      normals half, what counts units and pixels float
identity  of elements and of finishes a part for each rank that anything has: numbers half, coverage float; whose numbers they are
          stands in the header as JSON

The data window of a file is cut to what is there. What a bundle depends on besides its frame key is hashed into the end of its
name, so that it is rendered anew when that changes.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any, get_args

import numpy as np
from numpy.typing import NDArray

from zeitbild.differences import sum_difference
from zeitbild.exr_files import ExrPart
from zeitbild.halves import as_half, columns_of, widened
from zeitbild.render.data_rows import CAMERA_NORMAL, DATA, MOTION, NORMAL, POSITION, SHARE, TEXTURE
from zeitbild.render.passes import Bundle
from zeitbild.render.picture import NO_DEPTH, Picture
from zeitbild.render.shade.shading import AROUND, BEHIND, DIFFUSE, EMISSION, LIT, OPENNESS, PARTS, PLANES, SPECULAR
from zeitbild.render.visible.identity import SLOTS, ranks_of
from zeitbild.snapshot import Snapshot
from zeitbild.snapshot.names import Names

BUNDLES: tuple[Bundle, ...] = get_args(Bundle)

_NOTHING = np.float32(NO_DEPTH)
#: Rows and columns of a picture.
Window = tuple[slice, slice]
Columns = Sequence[tuple[Any, ...]]
#: Parts of planes and data: name, first column, channels, and whether a half float holds them well.
_LIGHT: Columns = (
    ("diffuse", DIFFUSE, "RGB", True),
    ("specular", SPECULAR, "RGB", True),
    ("environment", AROUND, "RGB", True),
    ("emission", EMISSION, "RGB", True),
    ("backdrop", BEHIND, "RGB", True),
    ("occlusion", OPENNESS, "Y", True),
    ("lit", LIT, "Y", True),
)
_DATA: Columns = (
    ("share", SHARE, "Y", True),
    ("normal", NORMAL, "XYZ", True),
    ("normal-camera", CAMERA_NORMAL, "XYZ", True),
    ("position", POSITION, "XYZ", False),
    ("motion", MOTION, "XY", False),
    ("texture", TEXTURE, "XYZ", False),
)


@dataclass(frozen=True, slots=True, eq=False)
class Read:
    """A part as it was read: pixels [h, w, C] of its data window (half floats, if all are), the names of their channels, the texts of its
    header, and the window in the whole picture of that size, which has a margin around the raster."""

    pixels: NDArray[np.float32] | NDArray[np.float16]
    names: tuple[str, ...]
    texts: Mapping[str, str]
    window: Window
    size: tuple[int, int]
    margin: int = 0

    def channels(self, names: Sequence[str]) -> NDArray[np.float32]:
        """Some channels [h, w, n] of the window in their order; KeyError if there is none of that name."""
        for name in names:
            if name not in self.names:
                raise KeyError(name)
        own: NDArray[np.float32] = widened(self.pixels) if self.pixels.dtype == np.float16 else self.pixels  # type: ignore[arg-type, assignment]
        places = [self.names.index(name) for name in names]
        return own if places == list(range(own.shape[2])) else own[..., places]

    def laid_out(self, names: str, nothing: float = 0.0) -> NDArray[np.float32]:
        """Channels by letters over the whole picture [H, W, C], float32; ``nothing`` outside of the window."""
        width, height = self.size
        if self.pixels.dtype == np.float16 and self.names == tuple(names) and nothing == 0:
            return widened(self.pixels, (height, width), (self.window[0].start, self.window[1].start))  # type: ignore[arg-type]
        inside = self.channels(names)
        if inside.shape[:2] == (height, width):
            return inside
        make = np.zeros if nothing == 0 else np.empty
        out: NDArray[np.float32] = make((height, width, len(names)), np.float32)
        if nothing != 0:
            out.fill(nothing)
        out[self.window] = inside
        return out

    def plane(self, nothing: float = 0.0) -> NDArray[np.float32]:
        """The only channel over the whole picture [H, W]."""
        (name,) = self.names
        return self.laid_out(name, nothing)[..., 0]


Parts = Mapping[str, Read]


#: What identities are of, in their order.
_KINDS = "elements", "finishes"


def _float(values: NDArray[np.float32]) -> NDArray[np.float32]:
    return np.ascontiguousarray(values, dtype=np.float32)


def window_of(picture: Picture) -> Window:
    """Rows and columns outside of which a picture holds nothing; one pixel if it is empty."""
    there = (picture.beauty[..., 3] > 0) | (picture.depth < NO_DEPTH)
    if picture.held is not None:
        there |= picture.held > 0
    if picture.covered is not None:
        there |= picture.covered > 0
    rows, columns = np.flatnonzero(there.any(axis=1)), np.flatnonzero(there.any(axis=0))
    if not len(rows):
        return slice(0, 1), slice(0, 1)
    return slice(int(rows[0]), int(rows[-1]) + 1), slice(int(columns[0]), int(columns[-1]) + 1)


def _columns(values: NDArray[np.float32], table: Columns, attributes: Mapping[str, Any]) -> list[ExrPart]:
    halves = [first + k for _, first, letters, half in table for k in range(len(letters)) if half]
    floats = [first + k for _, first, letters, half in table for k in range(len(letters)) if not half]
    found = columns_of(values, halves, floats)
    return [
        ExrPart(name, {one: found[first + k] for k, one in enumerate(letters)}, attributes)
        for name, first, letters, _ in table
    ]


def _beauty_parts(picture: Picture, window: Window) -> list[ExrPart]:
    beauty = picture.beauty[window]
    channels = {name: as_half(beauty[..., k], least_zero=True) for k, name in enumerate("RGBA")}
    parts = [ExrPart("beauty", channels), ExrPart("depth", {"Z": _float(picture.depth[window])})]
    for name, values in (("covered", picture.covered), ("held", picture.held)):
        if values is not None:
            parts.append(ExrPart(name, {"Y": as_half(np.clip(values[window], 0, 1))}))
    return parts


def _light_parts(picture: Picture, window: Window) -> list[ExrPart]:
    assert picture.planes is not None
    parts = _columns(picture.planes[window], _LIGHT, {})
    # Proved is what is kept: halves, not the floats that they were. Found out once, it is read again with the header alone.
    light = [
        [part.channels[one] for one in letters]
        for part, (_, first, letters, _) in zip(parts, _LIGHT, strict=True)
        if first in PARTS
    ]
    beauty = [as_half(picture.beauty[(*window, k)], least_zero=True) for k in range(3)]
    off = sum_difference(light, beauty, window).inside(picture.margin)
    sums = {"sums": json.dumps(asdict(off))}
    return [replace(part.trimmed(), attributes=sums) for part in parts]


def _group_parts(picture: Picture, window: Window) -> list[ExrPart]:
    # Names of groups are anybody's: they stand in the header, and parts are numbered.
    parts = []
    for number, (name, values) in enumerate(picture.groups.items()):
        found = columns_of(values[window], range(3))
        channels = {one: found[k] for k, one in enumerate("RGB")}
        parts.append(ExrPart(f"group {number}", channels, {"group": name}).trimmed())
    return parts or [ExrPart("none", {"Y": np.zeros((1, 1), np.float16)})]


def _data_parts(picture: Picture, window: Window) -> list[ExrPart]:
    assert picture.data is not None
    return [part.trimmed() for part in _columns(picture.data[window], _DATA, {})]


def _identity_parts(picture: Picture, window: Window) -> list[ExrPart]:
    assert picture.identities is not None
    held = picture.identities[window]
    names = {"names": json.dumps(picture.names)}
    # Most pixels hold one, few two, and hardly any more.
    most = np.maximum(ranks_of(held), 1)
    slots = [(kind, slot) for kind in range(2) for slot in range(most[kind])]
    numbers = [2 * (SLOTS * kind + slot) for kind, slot in slots]
    found = columns_of(held.reshape(*held.shape[:2], -1), numbers, [number + 1 for number in numbers])
    return [
        ExrPart(f"{_KINDS[kind]}{slot}", {"number": found[at], "cover": found[at + 1]}, names)
        for (kind, slot), at in zip(slots, numbers, strict=True)
    ]


def _stack(parts: Parts, table: Columns, columns: int) -> NDArray[np.float32]:
    first = parts[table[0][0]]
    width, height = first.size
    out = np.zeros((height, width, columns), np.float32)
    for name, column, letters, _ in table:
        out[(*parts[name].window, slice(column, column + len(letters)))] = parts[name].channels(letters)
    return out


def _read_beauty(parts: Parts) -> dict[str, Any]:
    beauty = parts["beauty"].laid_out("RGBA")
    # Where nobody asked for it, it takes no room.
    depth = parts["depth"].plane(NO_DEPTH) if "depth" in parts else np.broadcast_to(_NOTHING, beauty.shape[:2])
    found: dict[str, Any] = {"beauty": beauty, "depth": depth}
    return found | {name: parts[name].plane() for name in ("covered", "held") if name in parts}


def _read_light(parts: Parts) -> dict[str, Any]:
    return {"planes": _stack(parts, _LIGHT, PLANES)}


def _read_groups(parts: Parts) -> dict[str, Any]:
    return {"groups": {one.texts["group"]: one.laid_out("RGB") for one in parts.values() if "group" in one.texts}}


def _read_data(parts: Parts) -> dict[str, Any]:
    return {"data": _stack(parts, _DATA, DATA)}


def _names(raw: Any) -> Names:
    return tuple((str(one), str(name), tuple((str(a), str(b)) for a, b in parts)) for one, name, parts in raw)


def _read_identity(parts: Parts) -> dict[str, Any]:
    width, height = parts["elements0"].size
    held = np.full((height, width, 2, SLOTS, 2), (-1, 0), np.float32)
    for kind, name in enumerate(_KINDS):
        for slot in range(SLOTS):
            one = parts.get(f"{name}{slot}")
            if one is not None:
                held[(*one.window, kind, slot)] = one.channels(("number", "cover"))
    return {"identities": held, "names": _names(json.loads(parts["elements0"].texts["names"]))}


def _nothing(snapshot: Snapshot) -> Any:
    return None


def _motion(snapshot: Snapshot) -> Any:
    return [(body.after, body.then and body.then.shape) for body in snapshot.bodies]


@dataclass(frozen=True, slots=True)
class _Kept:
    """How a bundle is kept: its parts, what of a picture they are read as, and what it depends on besides the frame key."""

    parts: Callable[[Picture, Window], list[ExrPart]]
    read: Callable[[Parts], dict[str, Any]]
    depends: Callable[[Snapshot], Any] = _nothing


#: What takes longest to keep comes first: begun in this order, two at a time, nobody waits for it at the end.
KEPT: dict[Bundle, _Kept] = {
    "data": _Kept(_data_parts, _read_data, _motion),
    "light": _Kept(_light_parts, _read_light),
    "groups": _Kept(
        _group_parts, _read_groups, lambda snapshot: [snapshot.groups, [light.group for light in snapshot.lights]]
    ),
    "identity": _Kept(_identity_parts, _read_identity, lambda snapshot: snapshot.names),
    "beauty": _Kept(_beauty_parts, _read_beauty),
}


def file_end(bundle: Bundle, snapshot: Snapshot) -> str:
    """What the name of a bundle's file has behind the frame key: nothing for beauty, else its name and what it depends on."""
    if bundle == "beauty":
        return ""
    depends = json.dumps(KEPT[bundle].depends(snapshot), sort_keys=True)
    return f".{bundle}-{hashlib.sha256(depends.encode()).hexdigest()[:12]}"
