"""The manifest of a hand-off and the short text for its receiver. The format: ``docs/formats/manifest.md``."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from zeitbild import __version__
from zeitbild.document.shot import Shot
from zeitbild.handoff.recipes import Recipe
from zeitbild.handoff.writing import FileRecord
from zeitbild.render.passes import passes
from zeitbild.render.picture import NO_DEPTH
from zeitbild.timing import write_frames

MANIFEST_VERSION = 1


def _pass_entry(
    name: str, recipe: Recipe, depth_range: tuple[float, float], shot: Shot, records: Sequence[FileRecord]
) -> dict[str, Any]:
    which = passes.get(name)
    form = recipe.format
    entry: dict[str, Any] = {"name": name, "what": which.title, "role": which.role, "bits": form.bits[which.role]}
    if which.role == "colour":
        entry |= {"alpha": form.alpha, "colour": form.colour}
        own = [record for record in records if record.pass_name == name]
        entry["highlights"] = shot.sampling.highlights if form.ends_at_white else "whole"
        entry["light_beyond_alpha"] = {
            "kept_by": shot.sampling.beyond_alpha if form.ends_at_white else "the file",
            "pixels": sum(record.beyond for record in own),
            "files": sum(record.beyond > 0 for record in own),
        }
        entry["beyond_white"] = {"pixels": sum(record.clipped for record in own)}
    elif which.role == "matte":
        entry |= {"colour": "coverage, not encoded"}
    else:
        whole = form.name != "exr"
        near, far = depth_range
        entry |= {"near": near, "far": far} if whole else {"nothing": NO_DEPTH}
        entry["colour"] = (
            "near is white, far and nothing are black, even steps of distance" if whole else "distance in units"
        )
    return entry


def build_manifest(
    shot: Shot,
    recipe: Recipe,
    version: int,
    records: Sequence[FileRecord],
    *,
    layers: Sequence[str],
    frames: Sequence[int],
    quality: str,
    depth_range: tuple[float, float],
    created: str,
) -> dict[str, Any]:
    """The manifest as plain values. ``created`` is an ISO 8601 time; records are in any order."""
    rate = shot.timing.fraction
    ordered = sorted(records, key=lambda record: (record.layer, record.pass_name, record.frame))
    used = sorted({record.pass_name for record in records}, key=lambda name: passes.get(name).order)
    return {
        "manifest": MANIFEST_VERSION,
        "made_with": f"Zeitbild {__version__}",
        "created": created,
        "project": shot.project,
        "shot": shot.shot,
        "title": shot.title,
        "version": version,
        "recipe": recipe.name,
        "raster": {"width": shot.raster.width, "height": shot.raster.height, "pixel_aspect": "1/1"},
        "rate": {"frames": rate.numerator, "seconds": rate.denominator},
        "frames": {
            "set": write_frames(list(frames)),
            "count": len(frames),
            "cycle": shot.timing.cycle,
            "each_lasts": "one frame",
        },
        "backdrop": shot.backdrop.kind,
        "quality": quality,
        "layers": list(layers),
        "passes": [_pass_entry(name, recipe, depth_range, shot, ordered) for name in used],
        "read_back": {
            "reader": "OpenImageIO",
            "files": len(ordered),
            "failed": 0,
            "largest_difference": max((record.worst for record in ordered), default=0.0),
            "unit": "code values" if recipe.format.name != "exr" else "absolute",
        },
        "files": [
            {
                "path": record.path,
                "layer": record.layer,
                "pass": record.pass_name,
                "frame": record.frame,
                "bytes": record.bytes,
                "sha256": record.sha256,
                "difference": record.worst,
                "beyond_alpha": record.beyond,
            }
            for record in ordered
        ],
    }


def receiver_text(manifest: dict[str, Any], note: str) -> str:
    """A short text for whoever receives the package."""
    rate, frames = manifest["rate"], manifest["frames"]
    spoken = f"{rate['frames']}/{rate['seconds']}" if rate["seconds"] != 1 else str(rate["frames"])
    lines = [
        f"{manifest['shot']} {manifest['title']}, version {manifest['version']}",
        "",
        f"Frames {frames['set']} ({frames['count']}), {spoken} frames a second, one image for each frame, in the order",
        "of their numbers."
        + (" The piece is a cycle: after the last frame comes the first." if frames["cycle"] else ""),
        f"{manifest['raster']['width']} x {manifest['raster']['height']} square pixels.",
        "",
        note,
    ]
    for entry in manifest["passes"]:
        beyond = entry.get("light_beyond_alpha", {})
        if beyond.get("pixels") and beyond["kept_by"] != "the file":
            lines.append(
                f"{entry['name']}: {beyond['pixels']} pixels in {beyond['files']} files gave more light than their alpha "
                + (
                    "holds; their alpha is raised to hold it."
                    if beyond["kept_by"] == "alpha raised"
                    else "holds; it is clipped there."
                )
            )
        if entry["role"] == "matte":
            lines.append(f"{entry['name']}: the alpha alone, as grey values that are not encoded.")
        if entry["role"] == "depth":
            reach = f" White is {entry['near']:.1f} units away, black {entry['far']:.1f}." if "near" in entry else ""
            lines.append(f"{entry['name']}: distance from the camera; data, not to be colour managed.{reach}")
    if manifest["backdrop"] == "clear":
        lines += ["", "Nothing is behind the element. Players that show black there are not wrong; they ignore alpha."]
    lines += [
        "",
        "Every file was read back from disk and compared with the rendered frame; manifest.json has the checksums.",
        "",
    ]
    return "\n".join(lines)
