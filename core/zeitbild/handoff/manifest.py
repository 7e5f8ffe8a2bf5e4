"""The manifest of a hand-off and the short text for its receiver. The format: ``docs/formats/manifest.md``."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from zeitbild import __version__
from zeitbild.colour.transfer import TRANSFERS
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


def _alpha_of(order: Order) -> str:
    """How colour relates to alpha in the files."""
    alpha = order.recipe.format.alpha
    if alpha == "hard" and order.conforming.ground is not None:
        return "none"
    return order.options.get("alpha", alpha)


def _colour_of(order: Order) -> str:
    """How light is encoded in the files."""
    name = order.options.get("transfer")
    return TRANSFERS[name].title if name else order.recipe.format.colour


def _options_of(order: Order) -> dict[str, str]:
    """What was chosen: all of the format's own options, and of the others those that change something."""
    own = {one.name for one in order.recipe.format.options}
    usual = {one.name: one.without for one in order.recipe.options}
    return {name: value for name, value in order.options.items() if value and (name in own or value != usual.get(name))}


def colour_note(order: Order) -> str:
    """What a receiver must know of colour and alpha."""
    alpha, form = _alpha_of(order), order.recipe.format
    colour = _colour_of(order)
    if not form.ends_at_white:
        return f"Colour is premultiplied (associated) and {colour}: import it as it is."
    encoded = f"It is encoded as {colour}" if colour.startswith(("Gamma", "Linear", "Rec")) else f"It is {_ENCODED}"
    if alpha == "none":
        ground = order.options.get("ground") or "what is behind it"
        return f"There is no alpha: what is clear lies over {ground}. {encoded}."
    if alpha == "hard":
        return f"A pixel is there or not, with its own colour. {encoded}."
    if alpha == "premultiplied":
        return (
            "Colour is premultiplied (associated) with alpha, after it was encoded: tell your program so, over black. "
            f"{encoded}, and black where alpha is zero."
        )
    under = "the colour of the nearest edge" if order.options.get("under") == "bled" else "black"
    return (
        "Colour is straight (unassociated): do not divide or multiply it by alpha on import. "
        f"{encoded}, and {under} where alpha is zero."
    )


#: How most files are encoded.
_ENCODED = "sRGB-encoded"


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
        entry |= {"alpha": _alpha_of(order), "colour": _colour_of(order)}
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
        if one.name == "beauty" and _alpha_of(order) != "none":
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
            "; straight colours are multiplied with alpha first" if _alpha_of(order) == "straight" else ""
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


def _frames_in(record: FileRecord) -> dict[str, Any]:
    if len(record.frames) == 1:
        return {"frame": record.frames[0]}
    return {"frames": write_frames(list(record.frames))}


def _spoken(entry: dict[str, Any]) -> list[str]:
    """What a receiver should know of a pass."""
    lines = []
    code = entry["code"]
    beyond = entry.get("light_beyond_alpha", {})
    if beyond.get("pixels") and beyond["kept_by"] != "the file":
        held = (
            "holds; their alpha is raised to hold it."
            if beyond["kept_by"] == "alpha raised"
            else "holds; it is clipped there."
        )
        lines.append(
            f"{code}: {beyond['pixels']} pixels in {beyond['files']} files gave more light than their alpha {held}"
        )
    if entry["name"] == "matte":
        lines.append(f"{code}: the alpha alone, as grey values that are not encoded.")
    elif entry["role"] == "coverage":
        lines.append(f"{code}: {_small(entry['what'])}, as grey values that are not encoded.")
    elif entry["role"] == "light":
        lines.append(f"{code}: {_small(entry['what'])}; its alpha is that of beauty.")
    elif entry["role"] == "colour" and entry["name"] != "beauty":
        lines.append(f"{code}: {_small(entry['what'])}.")
    elif entry["role"] == "depth":
        reach = f" White is {entry['near']:.1f} units away, black {entry['far']:.1f}." if "near" in entry else ""
        lines.append(f"{code}: distance from the camera; data, not to be colour managed.{reach}")
    elif entry["role"] == "data":
        lines.append(f"{code}: {_small(entry['what'])}; data, not to be colour managed.")
        for channel in entry["channels"]:
            if isinstance(channel, dict):
                lines.append(f"    {channel['name']}: black is {channel['low']:g}, full is {channel['high']:g}.")
    elif entry["role"] == "identity":
        lines.append(f"{code}: {_small(entry['what'])}; the header of each file names them.")
    return lines


def _small(text: str) -> str:
    return text[:1].lower() + text[1:]


def _around(overscan: int) -> list[str]:
    if not overscan:
        return []
    return [
        f"{overscan} more pixels were rendered around it on each side: they stand in the data window of each file, outside of its",
        "display window, and are there for moving, blurring or correcting the picture.",
    ]


def _heard(sound: dict[str, Any] | None) -> list[str]:
    if sound is None:
        return []
    return [
        "",
        f"Its sound is {sound['path']}: {sound['rate']} samples a second, {sound['bits']} bits, stereo. It begins with frame "
        f"{sound['begins_with_frame']}",
        f"and ends with the end of frame {sound['ends_with_frame']}, to the sample ({sound['samples']} samples).",
        *([f"{sound['beyond_full']} samples were louder than full and are cut off."] if sound["beyond_full"] else []),
    ]


def receiver_text(manifest: dict[str, Any], order: Order) -> str:
    """A short text for whoever receives the package."""
    rate, frames = manifest["rate"], manifest["frames"]
    spoken = f"{rate['frames']}/{rate['seconds']}" if rate["seconds"] != 1 else str(rate["frames"])
    lines = [
        f"{manifest['shot']} {manifest['title']}, version {manifest['version']}",
        "",
        f"Frames {frames['set']} ({frames['count']}), {spoken} frames a second, "
        + (
            "all of them in each file, in the order"
            if frames["in_a_file"] == "all"
            else "one image for each frame, in the order"
        ),
        "of their numbers."
        + (" The piece is a cycle: after the last frame comes the first." if frames["cycle"] else ""),
        *(
            [
                f"The piece itself is frames {frames['piece']}; what is before and after it are handles, to cut or fade in."
            ]
            if "piece" in frames
            else []
        ),
        f"{manifest['raster']['width']} x {manifest['raster']['height']} square pixels.",
        *_around(manifest["raster"].get("overscan", 0)),
        "",
        f"{order.recipe.note} {colour_note(order)}",
    ]
    if len(manifest["layers"]) > 1 or any(layer.get("note") for layer in manifest["layers"]):
        lines += ["", "Layers, from the bottom:"]
        for layer in manifest["layers"]:
            held = layer["members"].get("hold-out")
            lines.append(
                f"  {layer['name']}: {layer['title']}"
                + (f"; cut out by {', '.join(held)}" if held else "")
                + (f" (frames {layer['frames']})" if "frames" in layer else "")
            )
            lines += [f"    {line}" for line in layer.get("note", "").splitlines()]
    for proof in manifest["proofs"]["layers_rejoin"]:
        names = ", ".join(proof["layers"])
        if proof["holds"]:
            lines.append(
                f"Laid over one another ({names}; plus where one is cut out by the other, else over) they give the whole "
                f"picture; the largest difference is {proof['largest_difference'] * 255:.2f} of 255."
            )
        else:
            lines.append(
                f"Laid over one another ({names}) they do not give the picture of the whole set: frame {proof['frame']} is "
                f"off by {proof['largest_difference'] * 255:.1f} of 255 at {proof['x']}, {proof['y']}."
            )
    lines.append("")
    for entry in manifest["passes"]:
        lines += _spoken(entry)
    for one in manifest["adds_up"]:
        if one["whole"]:
            lines.append(f"{one['layer']}: {one['whole']} = {' + '.join(one['parts'])} ({one['how']}).")
    lines += _heard(manifest.get("sound"))
    if manifest["backdrop"] == "clear":
        lines += ["", "Nothing is behind the element. Players that show black there are not wrong; they ignore alpha."]
    lines += [
        "",
        "Every file was read back from disk and compared with the rendered frame; manifest.json has the checksums.",
        "",
    ]
    return "\n".join(lines)


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
