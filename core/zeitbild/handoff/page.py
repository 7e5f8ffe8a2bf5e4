"""A page for the receiver: what it is, how it is read, and how it looks over three grounds. One file, nothing is loaded from elsewhere."""

from __future__ import annotations

import base64
from collections.abc import Callable, Sequence
from html import escape
from typing import Any

import cv2
import numpy as np

from zeitbild.document.layers import Layer
from zeitbild.document.shot import Shot
from zeitbild.handoff.note import Told, colour_note
from zeitbild.proof.display import Ground, View, encode_view, show
from zeitbild.render.picture import Picture

#: Width of a picture on the page at most.
_WIDE = 310
#: Layers that are shown at most.
_LAYERS = 6
_GROUNDS = (("checker", "over nothing"), ("black", "over black"), ("white", "over white"))
_STYLE = """
body { font: 16px/1.5 Georgia, serif; color: #22201c; background: #f7f4ec; margin: 2rem auto; max-width: 62rem; padding: 0 1rem }
h1 { font-size: 1.8rem; margin: 0 } h2 { font-size: 1.2rem; margin: 2rem 0 .4rem; border-top: 1px solid #cfc8b8; padding-top: .8rem }
figure { display: inline-block; margin: 0 1rem 1rem 0; vertical-align: top } figcaption { color: #635e53; font-size: .85rem }
img { display: block; max-width: 100%; border: 1px solid #cfc8b8 }
table { border-collapse: collapse } th, td { text-align: left; vertical-align: top; padding: .3rem 1rem .3rem 0; border-bottom: 1px solid #e2dccd }
code { font-family: ui-monospace, monospace; font-size: .9em } .soft { color: #635e53 }
"""


def _picture(picture: Picture, shot: Shot, ground: str) -> str:
    """A small picture over a ground, as the address of an image."""
    sampling = shot.sampling
    view = View(Ground(ground), highlights=sampling.highlights, beyond=sampling.beyond_alpha)  # type: ignore[arg-type]
    shown = show(picture.inside(), view)
    height, width = shown.shape[:2]
    if width > _WIDE:
        size = _WIDE, max(1, round(height * _WIDE / width))
        shown = np.asarray(cv2.resize(shown, size, interpolation=cv2.INTER_AREA), np.uint8)
    data = encode_view(np.ascontiguousarray(shown), "jpeg")
    return f"data:image/jpeg;base64,{base64.b64encode(data).decode()}"


def _rate(manifest: dict[str, Any]) -> str:
    rate = manifest["rate"]
    return str(rate["frames"]) if rate["seconds"] == 1 else f"{rate['frames']}/{rate['seconds']}"


def _numbers(manifest: dict[str, Any]) -> str:
    """Numbers of files that are not those of their frames."""
    numbers = manifest["frames"].get("numbers")
    return f", numbered {escape(numbers['set'])}" if numbers else ""


def _row(one: Told) -> str:
    manifest, recipe = one.manifest, one.order.recipe
    raster = manifest["raster"]
    files = manifest["files"]
    size = sum(file["bytes"] for file in files) / 1e6
    where = f"<code>{escape(one.ahead)}</code>" if one.ahead else "here"
    passes = ", ".join(escape(entry["code"]) for entry in manifest["passes"])
    return (
        f"<tr><td>{where}</td><td><b>{escape(recipe.title)}</b><br>{escape(recipe.note)} {escape(colour_note(one.order))}</td>"
        f"<td>{raster['width']} × {raster['height']}, {_rate(manifest)} frames a second{_numbers(manifest)}; {passes}; "
        f"{len(files)} file{'s' if len(files) != 1 else ''}, {size:.1f} MB</td></tr>"
    )


def receiver_page(
    shot: Shot,
    told: Sequence[Told],
    layers: Sequence[Layer],
    frames: Sequence[int],
    look: Callable[[str, int], Picture],
) -> str:
    """The page's text; ``look`` gives the picture of a frame of a layer."""
    first = told[0].manifest
    parts = [
        f"<!doctype html><html lang=en><meta charset=utf-8><title>{escape(shot.shot)} v{first['version']:03}</title>"
        f"<style>{_STYLE}</style>",
        f"<h1>{escape(first['shot'])} {escape(first['title'])}</h1>",
        f"<p class=soft>Version {first['version']}, frames {escape(first['frames']['set'])} ({first['frames']['count']})"
        + (", a cycle: after the last frame comes the first" if first["frames"]["cycle"] else "")
        + f". Made {escape(first['created'])}.</p>",
    ]
    for layer in list(layers)[:_LAYERS]:
        own = [frame for frame in frames if frame in layer.frames_of(tuple(frames))]
        if not own:
            continue
        frame = own[len(own) // 2]
        picture = look(layer.name, frame)
        parts.append(f"<h2>{escape(layer.title or layer.name)}, frame {frame}</h2>")
        if layer.note:
            parts.append(f"<p>{escape(layer.note)}</p>")
        # What is opaque looks alike over all of them.
        opaque = bool((picture.inside().beauty[..., 3] >= 1).all())
        for ground, words in _GROUNDS if not opaque else (("black", "nothing of it is clear"),):
            parts.append(
                f"<figure><img alt='{escape(layer.name, quote=True)} {words}' src='{_picture(picture, shot, ground)}'>"
                f"<figcaption>{words}</figcaption></figure>"
            )
    if len(layers) > _LAYERS:
        parts.append(f"<p class=soft>And {len(layers) - _LAYERS} more layers.</p>")
    parts.append("<h2>What is in it</h2><table><tr><th>Folder</th><th>Form</th><th>Holds</th></tr>")
    parts += [_row(one) for one in told]
    parts.append("</table>")
    sums = [line for one in told for line in one.manifest["adds_up"] if line["whole"]]
    rejoins = first["proofs"]["layers_rejoin"]
    if sums or rejoins:
        parts.append("<h2>What adds up</h2>")
        seen = dict.fromkeys(f"{line['layer']}: {line['whole']} = {' + '.join(line['parts'])}" for line in sums)
        parts += [f"<p>{escape(line)}</p>" for line in seen]
        for proof in rejoins:
            names = ", ".join(proof["layers"])
            off = proof["largest_difference"] * 255
            parts.append(
                f"<p>{escape(names)}, laid over one another, "
                + (
                    f"give the whole picture within {off:.2f} of 255.</p>"
                    if proof["holds"]
                    else f"are off by {off:.1f} of 255.</p>"
                )
            )
    parts.append(
        "<h2>How it was checked</h2><p>Every file was read back from disk by another reader and compared with what was rendered. "
        "<code>SHA256SUMS</code> lists the checksums of all files (<code>sha256sum -c SHA256SUMS</code>), "
        "<code>manifest.json</code> tells everything for machines, <code>timeline.otio</code> places the sequences in time.</p></html>"
    )
    return "\n".join(parts) + "\n"
