"""Small rendered pictures of files that people brought: an element of the kind that shows such files, framed, alone."""

from __future__ import annotations

import io
from fractions import Fraction
from typing import Any

import numpy as np
from PIL import Image

from zeitbild.caching import SizedCache
from zeitbild.document.shot import Camera, Raster, Rays, Shot, Timing
from zeitbild.elements import ElementBase, kinds
from zeitbild.elements._flat import FlatElement
from zeitbild.elements.card import Card
from zeitbild.elements.title import TitleElement
from zeitbild.errors import InputError, SoundError
from zeitbild.finishes import Values
from zeitbild.footage.pictures import footage_at
from zeitbild.proof.display import Ground, View, encode_view, show
from zeitbild.proof.previews import little_set
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import resolve
from zeitbild.resolve.framing import framed
from zeitbild.shipped import AssetSource, file_of
from zeitbild.sound import Sounding
from zeitbild.sound.mixing import heard, waveform
from zeitbild.tones import SHIPPED as TONES

#: Pixels of a poster; twice what it is shown at.
SIZE = (288, 192)
#: Colours of a waveform: those of the sheet.
_INK, _PAPER = (39, 73, 90), (251, 250, 247)
_made = SizedCache[bytes](8 * 1024 * 1024, len)
#: Where the camera looks from at solid things, and at flat ones.
_ASIDE, _STRAIGHT = (420.0, 260.0, 900.0), (0.0, 0.0, 1000.0)


def _element(kind: str, key: str, assets: AssetSource) -> ElementBase:
    """An element that shows a file: one whose kind has a field for files of that kind."""
    if kind == "fonts":
        return TitleElement(id="it", word="Aa", font=key)
    if kind in ("footage", "pictures"):
        # Of what moves the middle picture; pictures of surfaces are looked at whole.
        count = footage_at(assets.path(key.removeprefix("asset:")), "the file").count if kind == "footage" else 1
        more: dict[str, Any] = {} if kind == "footage" else {"alpha": "ignored"}
        return Card(id="it", picture=key, skip=count // 2 + 1, **more)
    for one in kinds:
        for name, field in one.parameters.model_fields.items():
            extra = field.json_schema_extra
            if isinstance(extra, dict) and extra.get("x-widget") == "file" and extra.get("x-files") == kind:
                return one.parameters(id="it", **{name: key})
    raise InputError(f"nothing shows files of the kind {kind[:40]!r}")


def poster(kind: str, key: str, assets: AssetSource) -> bytes:
    """A PNG of SIZE of a file by what documents call it; InputError if it is not there or cannot be read."""

    if kind == "sounds":
        return _made.get((kind, key), lambda: _waveform(key, assets))
    return _made.get((kind, key), lambda: _of_elements((_element(kind, key, assets),), assets))


def _waveform(key: str, assets: AssetSource) -> bytes:
    """A PNG of SIZE of how loud a sound is, from left to right."""
    path, label = file_of(key, "file", TONES, assets, SoundError)
    known = heard(path, label)
    width, height = SIZE
    sounding = Sounding(path, label)
    ends = waveform(sounding, Fraction(0), Fraction(known.seconds / width).limit_denominator(10**6), width)
    rows = (np.arange(height)[:, None] + 0.5 - height / 2) / (height / 2 - 8)
    inked = (-rows >= ends[None, :, 0]) & (-rows <= ends[None, :, 1]) | (np.abs(rows) < 0.012)
    picture = np.where(inked[..., None], np.array(_INK, np.uint8), np.array(_PAPER, np.uint8)).astype(np.uint8)
    out = io.BytesIO()
    Image.fromarray(picture).save(out, "PNG")
    return out.getvalue()


def _of_elements(elements: tuple[ElementBase, ...], assets: AssetSource) -> bytes:
    """A PNG of elements alone, framed; of none that is seen an empty one."""
    flat = all(isinstance(one, FlatElement) for one in elements)
    shot = Shot(
        raster=Raster(width=SIZE[0], height=SIZE[1]),
        timing=Timing(last=1, cycle=False),
        camera=Camera(position=_STRAIGHT if flat else _ASIDE, angle=24),
        rays=Rays(bounces=0),
        elements=elements,
    )
    if any(one.shown and kinds.get(one.kind).seen for one in elements):
        shot = shot.model_copy(update={"camera": framed(shot, (1,), assets)})
    picture = render(resolve(shot, 1, assets), QUALITIES["check"])
    return encode_view(show(picture, View(Ground("checker"))), "png")


def _to_be_looked_at(element: ElementBase) -> ElementBase:
    """An element as it is, wherever it is shown; what stands in a group is hidden where it is hidden there."""
    # Neither at a frame at which it is not there yet.
    moves = {path: track for path, track in element.moves.items() if path not in ("opacity", "shown")}
    changes: dict[str, Any] = {"shown": element.shown or not element.inside, "reference": False, "moves": moves}
    if element.opacity == 0:
        changes["opacity"] = 1.0
    if isinstance(element, FlatElement):
        changes["lies"] = "in the set"
    return element.model_copy(update=changes)


def poster_of_kept(kind: str, kept: Shot, assets: AssetSource) -> bytes:
    """A PNG of what is kept (a shot in which it stands alone): a finish and lights on the little set of previews, an element framed, and
    what a camera sees of that set."""
    if kind == "element":
        return _of_elements(tuple(_to_be_looked_at(one) for one in kept.elements), assets)
    values = kept.finishes[0].values if kind == "finish" else Values(base_colour="#ded8cc", roughness=0.85)
    shot = little_set(values, values)
    if kind == "lights":
        shot = shot.model_copy(update={"lights": kept.lights})
    if kind == "camera":
        shot = shot.model_copy(update={"camera": kept.camera})
    picture = render(resolve(shot, 1, assets), QUALITIES["check"])
    return encode_view(show(picture, View(Ground("colour", "#3d4247"))), "png")
