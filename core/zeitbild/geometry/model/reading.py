"""A model's file to parts and materials, read in a process of its own, by the reader of its kind."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from numpy.typing import NDArray

from zeitbild.errors import LimitError, ModelError
from zeitbild.geometry.model import bundle, gltf, gltf_file, obj, ply, stl
from zeitbild.geometry.model.plain import MAX_MODEL_BYTES, PlainModel
from zeitbild.isolation import Limits, apart
from zeitbild.pictures import levels_in, read_cutout

_LIMITS = Limits(seconds=60.0)
#: How each kind without clips is known by its content, and read.
_KINDS: tuple[tuple[Callable[[bytes], bool], Callable[[bytes, PlainModel], None]], ...] = (
    (ply.is_ply, ply.read),
    (stl.is_stl, stl.read),
    (obj.is_obj, obj.read),
)


def _opened(data: bytes, label: str) -> tuple[bytes, PlainModel]:
    """The model's own bytes, text without a mark of its order, and a model with the files that came with it."""
    if not bundle.is_bundle(data):
        return _unmarked(data), PlainModel(label)
    own, beside, others = bundle.opened(data, label)
    model = PlainModel(label, beside=beside)
    if others:
        model.note(f"other models in the same file: {others}")
    return _unmarked(own), model


def _unmarked(data: bytes) -> bytes:
    """Text that says how it is encoded (Unicode, 23.8) in UTF-8, and without saying so."""
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return data.decode("utf-16", "replace").encode()
    return data.removeprefix(b"\xef\xbb\xbf")


def _read(data: bytes, label: str) -> dict[str, Any]:
    if len(data) > MAX_MODEL_BYTES:
        raise LimitError(
            f"{label} is {len(data) / 1e6:.0f} MB; models go to {MAX_MODEL_BYTES // 1_000_000} MB", "model"
        )
    own, model = _opened(data, label)
    if gltf_file.is_gltf(own):
        gltf.read(own, model)
        return model.plain()
    for known, read in _KINDS:
        if known(own):
            read(own, model)
            return model.plain()
    raise ModelError(f"{label} is no model that is read: glTF (GLB), OBJ, STL and PLY are", "model")


@apart(ModelError, "model", _LIMITS)
def read_model(path: str, label: str) -> dict[str, Any]:
    """What a file holds, as ``plain.PlainModel.plain`` says. ModelError for what cannot be read, LimitError for what is too large."""
    return _read(Path(path).read_bytes(), label)


@apart(ModelError, "model", _LIMITS)
def read_model_data(data: bytes, label: str) -> dict[str, Any]:
    """The same for bytes."""
    return _read(data, label)


def holds_pictures(path: Path) -> bool:
    """Whether a file is of the kind of model that may have pictures inside, by how it begins."""
    with path.open("rb") as file:
        head = file.read(64)
    return head.startswith((b"glTF", b"PK")) or head.lstrip().startswith(b"{")


@apart(ModelError, "model", _LIMITS)
def picture_levels(path: str, label: str, number: int, plain: bool, largest: int, most: int) -> list[NDArray[Any]]:
    """A picture inside a model's file, as ``pictures.levels_of`` gives one, but that its alpha is ignored."""
    return levels_in(_picture(path, label, number), label, plain, largest, most, straight=True)


@apart(ModelError, "model", _LIMITS)
def picture_cut(path: str, label: str, number: int) -> list[NDArray[Any]]:
    """Premultiplied linear light [H, W, 3] and alpha [H, W] of such a picture."""
    light, alpha = read_cutout(_picture(path, label, number), label)
    return [light * alpha[..., None], alpha]


def _picture(path: str, label: str, number: int) -> bytes:
    own, model = _opened(Path(path).read_bytes(), label)
    return gltf.picture(own, model, number) if gltf_file.is_gltf(own) else obj.picture(own, model, number)
