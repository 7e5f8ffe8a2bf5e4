"""Sets that nobody thought of: valid documents at random, from the schema. Pictures of them are sound, do not depend on what memory held,
and their layers rejoin."""

import random
import unittest
from typing import Any
from unittest import mock

import numpy as np

from zeitbild.document.reading import read_shot
from zeitbild.document.shot import Shot
from zeitbild.elements import kinds
from zeitbild.errors import InputError
from zeitbild.fonts import SHIPPED
from zeitbild.lights import kinds as light_kinds
from zeitbild.proof.adding_up import groups_of, rejoined
from zeitbild.render import QUALITIES, render, render_together
from zeitbild.render.visible import remembered
from zeitbild.render.world import buffers
from zeitbild.resolve import resolve, resolve_as, whole_of
from zeitbild.testing import NOWHERE, holding

#: How many sets are looked at, from which seed on.
_FIRST, _COUNT = 3000, 40
_KINDS = ("lettering", "solid", "title", "shape", "floor", "spray", "repeat", "penwork", "group")
_WORDS = ("Zb", "Kap", "Ä1", "&", "f", "8%", "O0", "—")
#: What is of no use here: files, and what needs another's name.
_LEFT_OUT = {
    "id",
    "name",
    "kind",
    "moves",
    "inside",
    "reference",
    "locked",
    "touches",
    "drawing",
    "model",
    "named",
    "line",
    "inner",
}


class _Sets:
    """Documents from a seed."""

    def __init__(self, seed: int) -> None:
        self._random = random.Random(seed)
        self._known: dict[str, Any] = {}

    def _value(self, schema: dict[str, Any], depth: int) -> Any:
        while "$ref" in schema:
            schema = {
                **self._known[schema["$ref"].rpartition("/")[2]],
                **{k: v for k, v in schema.items() if k != "$ref"},
            }
        if "enum" in schema:
            return self._random.choice(schema["enum"])
        if "anyOf" in schema:
            return self._value(self._random.choice(schema["anyOf"]), depth + 1)
        kind = schema.get("type")
        if kind == "boolean":
            return self._random.random() < 0.5
        if kind in ("number", "integer"):
            low, high = schema.get("minimum", -300), schema.get("maximum", 300)
            low, high = (max(low, -300), max(low, min(high, 300))) if low <= 300 else (low, low)
            value = self._random.choice([low, high, self._random.uniform(low, high), self._random.uniform(low, high)])
            return round(value) if kind == "integer" else round(value, 4)
        if kind == "string" and str(schema.get("default", "")).startswith("#"):
            return f"#{self._random.randrange(1 << 24):06x}"
        if kind == "array" and "prefixItems" in schema:
            return [self._value(one, depth + 1) for one in schema["prefixItems"]]
        if kind == "object" and "properties" in schema:
            some = (name for name in schema["properties"] if name not in _LEFT_OUT and self._random.random() < 0.3)
            return {name: self._value(schema["properties"][name], depth + 1) for name in some}
        return schema.get("default", [] if kind == "array" else {} if kind == "object" else "")

    def _part(self, model: Any) -> dict[str, Any]:
        schema = model.model_json_schema()
        self._known = schema.get("$defs", {})
        found: dict[str, Any] = self._value(schema, 0)
        return found

    def _element(self, number: int) -> dict[str, Any]:
        kind, chance = self._random.choice(_KINDS), self._random
        fields = kinds.get(kind).parameters.model_fields
        made = {**self._part(kinds.get(kind).parameters), "kind": kind, "id": f"e{number}", "name": f"E{number}"}
        place = [round(chance.uniform(-far, far), 1) for far in (130, 70, 200)]
        made["placement"] = {**(made.get("placement") or {}), "position": place}
        made |= {name: chance.choice(_WORDS) for name in ("word", "text") if name in fields}
        made |= {name: min(made[name], 10) for name in ("rate", "count", "columns", "rows", "ranks") if made.get(name)}
        if "font" in fields:
            made["font"] = chance.choice(sorted(SHIPPED))
        if chance.random() < 0.4:
            made["opacity"] = chance.choice([0.5, 0.999, round(chance.random(), 3)])
        if "turn" in made:
            made["turn"] = {"turns": chance.choice([1, 0.5, -2])}
        return made

    def shot(self) -> Shot:
        """One set in two layers that hold each other out; InputError where values cannot be together."""
        elements = [self._element(number) for number in range(self._random.randint(2, 4))]
        for number, one in enumerate(elements):
            if one["kind"] in ("repeat", "group"):
                for other in elements[number + 1 :]:
                    if other["kind"] not in ("repeat", "group", "floor") and self._random.random() < 0.6:
                        other.setdefault("inside", one["id"])
        lights = [
            {**self._part(kind.parameters), "kind": kind.name, "name": f"L{number}"}
            for number, kind in enumerate(self._random.choices(list(light_kinds), k=self._random.randint(0, 2)))
        ]
        names = [one["id"] for one in elements]
        cut = self._random.randint(1, len(names) - 1)
        layers = [
            {"name": "near", "members": {name: "shown" if name in names[:cut] else "hold-out" for name in names}},
            {"name": "far", "members": {name: "hold-out" if name in names[:cut] else "shown" for name in names}},
        ]
        width, height = self._random.choice([(96, 54), (33, 77), (16, 16), (64, 64)])
        # In some of them the shutter is open, and all that can turn turns.
        moves = self._random.random() < 0.2
        if moves:
            for one in elements:
                if "turn" in kinds.get(one["kind"]).parameters.model_fields:
                    one["turn"] = {"turns": 1}
        return read_shot(
            {
                "version": 3,
                "raster": {"width": width, "height": height},
                "elements": elements,
                "lights": lights,
                "layers": layers,
                "rays": {"bounces": self._random.randint(0, 1)},
                "motion": {"angle": 180 if moves else 0},
            }
        )


class RandomSets(unittest.TestCase):
    def test_pictures_are_sound_and_layers_rejoin(self) -> None:
        looked = joined = 0
        for seed in range(_FIRST, _FIRST + _COUNT):
            with self.subTest(seed):
                try:
                    shot = _Sets(seed).shot()
                    frame = 1 + seed % 24
                    whole = resolve(shot, frame, NOWHERE, "")
                    whole.built(QUALITIES["check"])
                except InputError:
                    # It says why it cannot be; what it says is looked at elsewhere.
                    continue
                looked += 1
                quality = QUALITIES[("rough", "check", "final")[seed % 3]]
                pictures = []
                for number, other in ((np.nan, 77), (0.25, 1)):
                    buffers._kept.arrays.clear()
                    buffers._lent.clear()
                    remembered.forget()
                    with mock.patch("numpy.empty", holding(number, other)):
                        pictures.append(render(whole, quality, planes=True).beauty)
                # By the third time small drawings are kept.
                pictures += [render(whole, quality, planes=True).beauty.copy() for _ in range(2)]
                for other_picture in pictures[1:]:
                    np.testing.assert_array_equal(pictures[0], other_picture)
                self.assertTrue(np.isfinite(pictures[0]).all())
                self.assertGreaterEqual(float(pictures[0].min()), -1e-5)
                self.assertLessEqual(float(pictures[0][..., 3].max()), 1 + 1e-4)
                layers = [resolve(shot, frame, NOWHERE, layer.name) for layer in shot.layers]
                own = render_together(layers, quality, [False] * len(layers))
                for group in groups_of(shot, list(shot.layers), frame):
                    together = rejoined(shot, group, [own[shot.layers.index(layer)] for layer in group])
                    alone = render(resolve_as(shot, frame, NOWHERE, whole_of(group)), quality).beauty
                    off = np.abs(np.clip(together, 0, 1) - np.clip(alone, 0, 1)).max()
                    joined += 1
                    # Within a step of 255 at every pixel.
                    self.assertLess(float(off) * 255, 1)
        self.assertGreater(min(looked, joined), _COUNT // 2)
