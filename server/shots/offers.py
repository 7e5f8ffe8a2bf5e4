"""What the core has to offer, for forms and lists: nothing of this is repeated in the front end."""

from __future__ import annotations

from functools import lru_cache
from typing import Any
from urllib.parse import quote

from zeitbild.document.reading import shot_schema
from zeitbild.document.shot import Backdrop, Camera, Environment, Shot
from zeitbild.document.sounds import Sound
from zeitbild.elements import kinds
from zeitbild.finishes import READY_MADE, NamedFinish
from zeitbild.fonts import SHIPPED
from zeitbild.formats import Option
from zeitbild.geometry.font import MAX_FONT_BYTES
from zeitbild.handoff.recipes import RECEIVERS, recipes
from zeitbild.keys import Moving
from zeitbild.keys.measure import fields_of, measure_of
from zeitbild.library import files
from zeitbild.lights import kinds as light_kinds
from zeitbild.lights.ready_made import LIGHT_SETS
from zeitbild.naming import FIELDS
from zeitbild.pictures import MAX_PICTURE_BYTES
from zeitbild.proof.looks import looks
from zeitbild.render.passes import passes
from zeitbild.render.renderer import RENDERER_VERSION
from zeitbild.snapshot.quality import QUALITIES
from zeitbild.surroundings import kinds as surroundings
from zeitbild.timing import RATES


def _option(one: Option) -> dict[str, Any]:
    """Something that can be chosen about files."""
    return {
        "name": one.name,
        "title": one.title,
        "kind": one.kind if not one.choices else "choice",
        "choices": [{"name": name, "title": title} for name, title in one.choices],
        "low": one.low,
        "high": one.high,
        "initial": one.without,
        "unit": one.unit,
        "note": one.note,
    }


def _preview(kind: str, name: str) -> str:
    """Address of a small picture; another renderer gives another picture, and another address."""
    return f"/api/previews?kind={kind}&name={quote(name)}&renderer={RENDERER_VERSION}"


def _movable(part: type[Moving]) -> list[dict[str, str]]:
    """Fields of a kind of part that can have keys: their paths below it, and what people call them."""
    return [{"name": path, "title": measure_of(part, path).title} for path in fields_of(part)]


@lru_cache(maxsize=1)
def offers() -> dict[str, Any]:
    """Schema and lists."""
    return {
        "schema": shot_schema(),
        # Bytes of a file, by where it is sent.
        "largest": {
            "fonts": MAX_FONT_BYTES,
            "pictures": MAX_PICTURE_BYTES,
            "skies": MAX_PICTURE_BYTES,
            **{kind.name: kind.most_bytes for kind in files},
        },
        "element_kinds": [
            {
                "name": kind.name,
                "title": kind.title,
                "note": kind.note,
                "seen": kind.seen,
                "holds": kind.holds,
                "default": kind.parameters(id="new").model_dump(mode="json"),
            }
            for kind in kinds
        ],
        # Fields that can have keys, by the part that they are of.
        "moves": {
            **{f"element:{kind.name}": _movable(kind.parameters) for kind in kinds},
            **{f"light:{kind.name}": _movable(kind.parameters) for kind in light_kinds},
            "camera": _movable(Camera),
            "environment": _movable(Environment),
            "backdrop": _movable(Backdrop),
            "finish": _movable(NamedFinish),
            "sound": _movable(Sound),
        },
        "light_kinds": [
            {
                "name": kind.name,
                "title": kind.title,
                "aimed": kind.aimed,
                "default": kind.parameters(name=kind.title).model_dump(mode="json"),
            }
            for kind in light_kinds
        ],
        "light_sets": [
            {
                "name": one.name,
                "title": one.title,
                "note": one.note,
                "lights": [light.model_dump(mode="json") for light in one.lights],
                "picture": _preview("lights", one.name),
            }
            for one in LIGHT_SETS
        ],
        "finishes": [
            {
                "name": one.name,
                "title": one.title,
                "note": one.note,
                "values": one.values.model_dump(mode="json"),
                "picture": _preview("finish", one.name),
            }
            for one in READY_MADE
        ],
        "surroundings": [
            {
                "name": one.name,
                "title": one.title,
                "note": one.note,
                "values": {
                    "source": one.name,
                    "strength": one.strength,
                    "sky": one.sky,
                    "floor": one.floor,
                    **({"horizon": one.horizon} if one.horizon else {}),
                },
                "picture": _preview("surroundings", one.name),
            }
            for one in surroundings
        ],
        "defaults": Shot().model_dump(mode="json"),
        "fonts": [{"key": font.key, "title": font.title, "character": font.character} for font in SHIPPED.values()],
        "library": {
            kind.name: {
                "title": kind.title,
                "suffixes": kind.suffixes,
                "gathers": kind.gathers,
                "together": kind.together,
                "shipped": [
                    {
                        "key": one.key,
                        "title": one.title,
                        "character": one.character,
                        "facts": kind.facts(one.path, one.title, one.key),
                    }
                    for one in kind.shipped
                ],
            }
            for kind in files
        },
        "passes": [
            {"name": one.name, "title": one.title, "note": one.note, "role": one.role, "sums": one.sums}
            for one in passes
        ],
        "looks": [{"name": one.name, "title": one.title, "note": one.note} for one in looks()],
        "receivers": [{"name": name, "title": title} for name, title in RECEIVERS.items()],
        "recipes": [
            {
                "name": one.name,
                "title": one.title,
                "note": one.note,
                "receiver": one.receiver,
                "keeps": one.keeps,
                "loses": one.loses,
                "hears": one.format.hears,
                "alpha": one.format.alpha,
                "sharing": one.sharing,
                "roles": sorted(one.format.bits),
                "whole_numbers": one.format.ends_at_white and not one.format.lossy,
                "options": [_option(option) for option in one.options],
                "smaller_by": one.smaller_by,
                "extension": one.format.extension,
            }
            for one in recipes
        ],
        "rates": [{"name": name, "value": float(rate)} for name, rate in RATES.items()],
        "qualities": [{"name": one.name, "title": one.title} for one in QUALITIES.values()],
        "naming_fields": [{"name": name, "title": title} for name, title in FIELDS.items()],
    }
