"""A hand-off in one form or several: what stands beside their files, for the receiver, for machines and for checking."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from zeitbild import __version__
from zeitbild.document.layers import Layer
from zeitbild.document.shot import Shot
from zeitbild.handoff.manifest import MANIFEST_VERSION, Proofs, Written, build_manifest
from zeitbild.handoff.note import Told, receiver_text
from zeitbild.handoff.page import receiver_page
from zeitbild.handoff.play import play_page
from zeitbild.handoff.sheet import exposure_sheet
from zeitbild.handoff.sound import SoundRecord, sound_lengths, write_sound
from zeitbild.handoff.timeline import timeline_of
from zeitbild.handoff.writing import FileRecord, Order
from zeitbild.render.picture import Picture

#: Gives the picture of a frame of a layer.
Look = Callable[[str, int], Picture]


@dataclass(frozen=True, slots=True)
class Part:
    """One form: what was ordered, its folder in the package (empty: the top), and its files, by paths in that folder."""

    order: Order
    folder: str
    records: Sequence[FileRecord]


@dataclass(frozen=True, slots=True)
class Delivered:
    """What all forms have in common: layers, frames, quality, when it was made (ISO 8601), and what was proved."""

    layers: Sequence[Layer]
    frames: Sequence[int]
    quality: str
    created: str
    proofs: Proofs = field(default_factory=Proofs)


@dataclass(frozen=True, slots=True)
class Packed:
    """What goes into a package: bytes that stand beside the files, and the checksums of the files, both by path."""

    beside: dict[str, bytes] = field(default_factory=dict)
    files: dict[str, str] = field(default_factory=dict)


def _json(values: Mapping[str, Any]) -> bytes:
    return (json.dumps(values, indent=2, ensure_ascii=False) + "\n").encode()


def packed_forms(shot: Shot, parts: Sequence[Part], what: Delivered, folder: Path, look: Look) -> Packed:
    """Write the sound of each form below ``folder`` and tell what else goes into the package: a manifest and a note for each form, a page
    with pictures, the exposure sheet, and a timeline."""
    packed = Packed()
    told: list[Told] = []
    for part in parts:
        ahead = f"{part.folder}/" if part.folder else ""
        assets = part.order.assets
        sound: SoundRecord | None = None
        if assets is not None:
            sound = write_sound(shot, what.frames, part.order.version, folder / part.folder, assets)
        written = Written(part.records, what.layers, what.frames, what.quality, what.created, what.proofs, sound)
        manifest = build_manifest(shot, part.order, written)
        packed.beside[f"{ahead}manifest.json"] = _json(manifest)
        packed.beside[f"{ahead}README.txt"] = receiver_text(manifest, part.order).encode()
        packed.files.update({f"{ahead}{record.path}": record.sha256 for record in part.records})
        if sound is not None:
            packed.files[f"{ahead}{sound.path}"] = sound.sha256
        told.append(Told(part.order, ahead, manifest))
    if len(parts) > 1:
        packed.beside["manifest.json"] = _json(_of_all(shot, told, what))
        packed.beside["README.txt"] = _text_of_all(told).encode()
    packed.beside["README.html"] = receiver_page(shot, told, what.layers, what.frames, look).encode()
    play = play_page(shot, told)
    if play:
        packed.beside["play.html"] = play.encode()
    lengths = sound_lengths(shot, parts[0].order.assets)
    drawn = exposure_sheet(shot, what.layers, what.frames, parts[0].order.version, lengths)
    packed.beside["exposure-sheet.pdf"] = drawn
    packed.beside["timeline.otio"] = timeline_of(shot, told, what.frames).encode()
    return packed


def _of_all(shot: Shot, told: Sequence[Told], what: Delivered) -> dict[str, Any]:
    """The manifest of several forms: where each of them is."""
    return {
        "manifest": MANIFEST_VERSION,
        "made_with": f"Zeitbild {__version__}",
        "created": what.created,
        "project": shot.project,
        "shot": shot.shot,
        "title": shot.title,
        "version": told[0].order.version,
        "forms": [
            {
                "folder": one.ahead.rstrip("/"),
                "recipe": one.order.recipe.name,
                "title": one.order.recipe.title,
                "files": len(one.manifest["files"]),
                "bytes": sum(file["bytes"] for file in one.manifest["files"]),
            }
            for one in told
        ],
    }


def _text_of_all(told: Sequence[Told]) -> str:
    first = told[0].manifest
    lines = [f"{first['shot']} {first['title']}, version {first['version']}", "", "Each folder is whole by itself:", ""]
    lines += [f"  {one.ahead}  {one.order.recipe.title}" for one in told]
    lines += [
        "",
        "README.html shows what it is; SHA256SUMS lists the checksums (sha256sum -c SHA256SUMS).",
        "",
    ]
    return "\n".join(lines)
