"""The manifest of a form of a hand-off. The format: ``docs/formats/manifest.md``."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from zeitbild import __version__
from zeitbild.differences import Difference
from zeitbild.document.layers import Layer
from zeitbild.document.shot import Shot
from zeitbild.handoff.conforming import changes_made
from zeitbild.handoff.sound import SoundRecord
from zeitbild.handoff.writing import FileRecord, Order, PlaneRecord
from zeitbild.naming import code_of
from zeitbild.proof.adding_up import ALLOWED
from zeitbild.render.passes import Pass, pass_named
from zeitbild.render.picture import NO_DEPTH
from zeitbild.timing import write_frames

MANIFEST_VERSION = 2


@dataclass(frozen=True, slots=True)
class Proofs:
    """What was proved in the run, each with the frame where it was worst: by layer how far its passes of light are from beauty, and
    by the layers that belong together how far they are from the whole picture. frames counts those that were proved."""

    sums: dict[str, tuple[int, Difference]] = field(default_factory=dict)
    rejoins: dict[tuple[str, ...], tuple[int, Difference]] = field(default_factory=dict)
    frames: int = 0


@dataclass(frozen=True, slots=True)
class Written:
    """What a hand-off wrote: its files, the layers and passes in them, and the frames; when it was made (ISO 8601)."""

    records: Sequence[FileRecord]
    layers: Sequence[Layer]
    frames: Sequence[int]
    quality: str
    created: str
    proofs: Proofs = Proofs()
    sound: SoundRecord | None = None


def _numbers(one: Pass, order: Order) -> dict[str, Any]:
    """How numbers of depth and data stand in the files, and how to undo it."""
    form = order.recipe.format
    assert one.spread is not None
    whole = form.ends_at_white
    if one.role == "depth":
        ((near, far),) = one.spread(order.reach)
        if not whole:
            return {"nothing": NO_DEPTH, "colour": "distance in units"}
        return {
            "near": near,
            "far": far,
            "colour": "near is white, far and nothing are black, even steps of distance",
            "undo": "distance = far - share x (far - near), share = number / highest number",
        }
    if not whole:
        return {"channels": list(one.channels), "colour": "numbers as they are, 0 where nothing stands"}
    return {
        "channels": [
            {"name": name, "low": low, "high": high}
            for name, (low, high) in zip(one.channels, one.spread(order.reach), strict=True)
        ],
        "colour": "numbers, not colour: red, green and blue are the channels in their order; nothing is 0 in all",
        "undo": "value = low + share x (high - low), share = number / highest number",
    }


def _options_of(order: Order) -> dict[str, str]:
    """What was chosen: all of the format's own options, and of the others those that change something."""
    own = {one.name for one in order.recipe.format.options}
    usual = {one.name: one.without for one in order.recipe.options}
    return {name: value for name, value in order.options.items() if value and (name in own or value != usual.get(name))}


def _pass_entry(one: Pass, order: Order, shot: Shot, records: Sequence[FileRecord]) -> dict[str, Any]:
    form = order.recipe.format
    own = [(record, plane) for record in records for plane in record.planes if plane.pass_name == one.name]
    entry: dict[str, Any] = {
        "name": one.name,
        "code": code_of(shot, one.name),
        "title": one.title,
        "what": one.note,
        "role": one.role,
        "bits": max((plane.bits for _, plane in own), default=form.bits[one.role]),
    }
    if one.role in ("colour", "light"):
        entry |= {"alpha": order.alpha, "colour": order.colour}
        if form.lossy:
            entry["loss"] = {
                "unit": "levels of 255, colour as laid over black",
                "mean": max((plane.mean or 0.0 for _, plane in own), default=0.0),
                "worst": max((plane.worst for _, plane in own), default=0.0),
                "alpha": max((plane.alpha or 0.0 for _, plane in own), default=0.0),
            }
        if one.role == "light":
            entry["alpha_is"] = "that of beauty"
        rolled = shot.sampling.highlights if one.name == "beauty" else "clipped"
        entry["highlights"] = rolled if form.ends_at_white else "whole"
        if one.name == "beauty" and order.alpha != "none":
            entry["light_beyond_alpha"] = {
                "kept_by": shot.sampling.beyond_alpha if form.ends_at_white else "the file",
                "pixels": sum(plane.beyond for _, plane in own),
                "files": sum(plane.beyond > 0 for _, plane in own),
            }
        entry["beyond_white"] = {"pixels": sum(plane.clipped for _, plane in own)}
    elif one.role == "coverage":
        entry |= {"colour": "a share of the pixel, not encoded"}
    elif one.role == "identity":
        entry |= {
            "colour": "ranks of id and coverage in float channels; the header names the ids",
            "hash": "MurmurHash3_32",
            "conversion": "uint32_to_float32",
        }
    else:
        entry |= _numbers(one, order)
    return entry


def _sum_of(shot: Shot, layers: Sequence[Layer], order: Order) -> list[dict[str, Any]]:
    """What adds up in each layer, and how to add it."""
    found = []
    names = shot.light_groups, shot.names
    for layer in layers:
        passes = [pass_named(name, *names) for name in layer.passes]
        parts = [one for one in passes if one.sums]
        groups = [one for one in passes if one.bundle == "groups"]
        how = "linear light; alpha is that of beauty" + (
            "; straight colours are multiplied with alpha first" if order.alpha == "straight" else ""
        )
        every = {one.name for one in (pass_named(name, *names) for name in _SUM)}
        if parts:
            whole = {one.name for one in parts} >= every - ({"backdrop"} if _clear(shot, layer) else set())
            found.append(
                {
                    "layer": layer.name,
                    "whole": "beauty" if whole else "",
                    "parts": [code_of(shot, one.name) for one in parts],
                    "how": how,
                }
            )
        if len(groups) > 1 and len(groups) == len(shot.light_groups):
            found.append(
                {
                    "layer": layer.name,
                    "whole": "diffuse + specular",
                    "parts": [code_of(shot, one.name) for one in groups],
                    "how": f"{how}; tone bands are in no group",
                }
            )
    return found


#: Passes of light that add up to beauty.
_SUM = ("diffuse", "specular", "environment", "emission", "backdrop")


def _clear(shot: Shot, layer: Layer) -> bool:
    return (layer.backdrop or shot.backdrop).kind == "clear"


def _proof(frame: int, off: Difference) -> dict[str, Any]:
    return {"largest_difference": off.largest, "frame": frame, "x": off.x, "y": off.y}


def _layer_entry(shot: Shot, layer: Layer) -> dict[str, Any]:
    entry: dict[str, Any] = {
        "name": layer.name,
        "title": layer.title or layer.name,
        "camera": layer.camera or shot.view,
        "backdrop": (layer.backdrop or shot.backdrop).kind,
    }
    members: dict[str, list[str]] = {}
    for element in shot.elements:
        if element.delivered and (role := layer.membership(element.id)) != "absent":
            members.setdefault(role, []).append(element.name)
    entry["members"] = members
    if layer.frames.strip():
        entry["frames"] = layer.frames
    if layer.note:
        entry["note"] = layer.note
    return entry


def build_manifest(shot: Shot, order: Order, written: Written) -> dict[str, Any]:
    """The manifest as plain values; records are in any order."""
    conforming = order.conforming
    rate = conforming.rate or shot.timing.fraction
    wide, high = conforming.raster(shot.raster.width, shot.raster.height)
    conformed = changes_made(conforming, order.options)
    if conformed:
        conformed["from"] = {
            "width": shot.raster.width,
            "height": shot.raster.height,
            "rate": str(shot.timing.fraction),
        }
    form = order.recipe.format
    overscan = shot.raster.overscan if form.overscan and not shot.pixels.on else 0
    ordered = sorted(written.records, key=lambda record: record.path)
    planes: list[PlaneRecord] = [plane for record in ordered for plane in record.planes]
    names = dict.fromkeys(plane.pass_name for plane in planes)
    used = sorted((pass_named(name, shot.light_groups, shot.names) for name in names), key=lambda one: one.order)
    layers = [layer for layer in written.layers if layer.name in {plane.layer for plane in planes}]
    return {
        "manifest": MANIFEST_VERSION,
        "made_with": f"Zeitbild {__version__}",
        "created": written.created,
        "project": shot.project,
        "shot": shot.shot,
        "title": shot.title,
        "version": order.version,
        "recipe": order.recipe.name,
        "files_hold": {"pass": "one pass", "layer": "all passes of a layer", "frame": "everything of a frame"}[
            order.recipe.sharing
        ],
        "options": _options_of(order),
        "raster": {"width": wide, "height": high, "pixel_aspect": "1/1"} | ({"overscan": overscan} if overscan else {}),
        "rate": {"frames": rate.numerator, "seconds": rate.denominator},
        **({"conformed": conformed} if conformed else {}),
        "frames": {
            "set": write_frames(list(written.frames)),
            "count": len(written.frames),
            **_renumbered(shot, written.records),
            "cycle": shot.timing.cycle,
            "each_lasts": "one frame",
            "in_a_file": "all" if form.container else "one",
            **({"piece": f"{shot.timing.first}-{shot.timing.last}"} if shot.timing.handles else {}),
        },
        "backdrop": shot.backdrop.kind,
        "quality": written.quality,
        "layers": [_layer_entry(shot, layer) for layer in layers],
        "passes": [_pass_entry(one, order, shot, ordered) for one in used],
        "adds_up": _sum_of(shot, layers, order),
        "proofs": {
            "frames": written.proofs.frames,
            "passes_add_up": [
                {"layer": layer, **_proof(*found)} for layer, found in sorted(written.proofs.sums.items())
            ],
            "layers_rejoin": [
                {
                    "layers": list(group),
                    "order": "the first at the bottom; plus where a layer is held out, else over",
                    "holds": found[1].largest <= ALLOWED,
                    **_proof(*found),
                }
                for group, found in sorted(written.proofs.rejoins.items())
            ],
        },
        **({"sound": written.sound.entry()} if written.sound is not None else {}),
        "read_back": {
            "reader": form.reader,
            "files": len(ordered),
            "failed": 0,
            "largest_difference": max((plane.worst for plane in planes), default=0.0),
            "unit": form.unit,
        },
        "files": [
            {
                "path": record.path,
                "holds": [{"layer": plane.layer, "pass": plane.pass_name} for plane in record.planes],
                **_frames_in(record),
                "bytes": record.bytes,
                "sha256": record.sha256,
                "difference": record.worst,
                "beyond_alpha": sum(plane.beyond for plane in record.planes),
            }
            for record in ordered
        ],
    }


def _renumbered(shot: Shot, records: Sequence[FileRecord]) -> dict[str, Any]:
    """Numbers that files have, if they are others than those of the frames that they show."""
    shows = {record.number: record.frames[0] for record in records if record.number is not None}
    if not shows:
        return {}
    own = [number for number, frame in sorted(shows.items()) if shot.timing.first <= frame <= shot.timing.last]
    piece = {"piece": write_frames(own)} if shot.timing.handles and own else {}
    return {"numbers": {"set": write_frames(sorted(shows)), "count": len(shows), **piece}}


def _frames_in(record: FileRecord) -> dict[str, Any]:
    if record.number is not None:
        return {"frame": record.number, "shows": record.frames[0]}
    if len(record.frames) == 1:
        return {"frame": record.frames[0]}
    return {"frames": write_frames(list(record.frames))}


def proofs_of(
    sums: Sequence[tuple[str, int, Difference]], rejoins: Sequence[tuple[tuple[str, ...], int, Difference]]
) -> Proofs:
    """The worst of each, from what was found frame by frame."""
    worst_sums: dict[str, tuple[int, Difference]] = {}
    for layer, frame, off in sums:
        if layer not in worst_sums or off.largest > worst_sums[layer][1].largest:
            worst_sums[layer] = frame, off
    worst: dict[tuple[str, ...], tuple[int, Difference]] = {}
    for group, frame, off in rejoins:
        if group not in worst or off.largest > worst[group][1].largest:
            worst[group] = frame, off
    frames = {frame for _, frame, _ in sums} | {frame for _, frame, _ in rejoins}
    return Proofs(worst_sums, worst, len(frames))
