"""What the core has to offer, for forms and lists: nothing of this is repeated in the front end."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from zeitbild.document.reading import shot_schema
from zeitbild.document.shot import Shot
from zeitbild.elements import kinds
from zeitbild.finishes import READY_MADE
from zeitbild.fonts import SHIPPED
from zeitbild.handoff.recipes import recipes
from zeitbild.lights import kinds as light_kinds
from zeitbild.lights.ready_made import LIGHT_SETS
from zeitbild.naming import FIELDS
from zeitbild.proof.looks import LOOKS
from zeitbild.render.passes import passes
from zeitbild.render.quality import QUALITIES
from zeitbild.timing import RATES


@lru_cache(maxsize=1)
def offers() -> dict[str, Any]:
    """Schema and lists."""
    return {
        "schema": shot_schema(),
        "element_kinds": [
            {"name": kind.name, "title": kind.title, "default": kind.parameters(id="new").model_dump(mode="json")}
            for kind in kinds
        ],
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
            }
            for one in LIGHT_SETS
        ],
        "finishes": [
            {"name": one.name, "title": one.title, "note": one.note, "values": one.values.model_dump(mode="json")}
            for one in READY_MADE
        ],
        "defaults": Shot().model_dump(mode="json"),
        "fonts": [{"key": font.key, "title": font.title, "character": font.character} for font in SHIPPED.values()],
        "passes": [{"name": one.name, "title": one.title, "role": one.role} for one in passes],
        "looks": [{"name": one.name, "title": one.title, "note": one.note} for one in LOOKS],
        "recipes": [
            {
                "name": one.name,
                "title": one.title,
                "note": one.note,
                "alpha": one.format.alpha,
                "extension": one.format.extension,
            }
            for one in recipes
        ],
        "rates": [{"name": name, "value": float(rate)} for name, rate in RATES.items()],
        "qualities": [{"name": one.name, "title": one.title} for one in QUALITIES.values()],
        "naming_fields": [{"name": name, "title": title} for name, title in FIELDS.items()],
    }
