"""No picture depends on what working memory held before."""

import unittest
from dataclasses import fields
from typing import Any
from unittest import mock

import numpy as np

from zeitbild.document.reading import read_shot
from zeitbild.render import QUALITIES, Picture, render
from zeitbild.render.world import buffers
from zeitbild.resolve import resolve
from zeitbild.testing import NOWHERE, holding

_FLOOR = {"kind": "floor", "id": "floor", "surface": {"shading": "shadow only", "mirror": 0.6}}
_BALL = {"kind": "solid", "id": "ball", "shape": "ball"}
_WORD = {"kind": "lettering", "id": "word", "word": "Zb", "opacity": 0.5, "turn": {"turns": 1}}
_TITLE = {"kind": "title", "id": "title", "word": "Ä", "shadow_blur": 12, "opacity": 0.7}
_SPRAY = {"kind": "spray", "id": "spray", "rate": 40}


class Memory(unittest.TestCase):
    def _picture(self, document: dict[str, Any], quality: str, number: float, whole: int) -> Picture:
        buffers._kept.arrays.clear()
        buffers._lent.clear()
        shot = read_shot({"version": 3, "raster": {"width": 48, "height": 40}, **document})
        with mock.patch("numpy.empty", holding(number, whole)):
            return render(resolve(shot, 7, NOWHERE), QUALITIES[quality], planes=True)

    def test_pictures_are_the_same_whatever_memory_held(self) -> None:
        documents: dict[str, dict[str, Any]] = {
            # What mirrors the set keeps its share of that where no rays look for it.
            "shadow only, no mirrors": {"elements": [_FLOOR, _BALL], "rays": {"bounces": 0}},
            "shadow only, mirrors": {"elements": [_FLOOR, _BALL], "rays": {"bounces": 1}},
            "through one another": {"elements": [_WORD, {**_BALL, "surface": {"opacity": 0.3}}, _TITLE]},
            "blurred": {"elements": [_WORD, _BALL], "motion": {"angle": 180}},
            "dots": {"elements": [_SPRAY, _BALL], "lights": [{"kind": "sun", "name": "Sun"}]},
            "nothing": {"elements": []},
        }
        for name, document in documents.items():
            for quality in ("rough", "check", "final"):
                with self.subTest(name, quality=quality):
                    one = self._picture(document, quality, np.nan, 77)
                    other = self._picture(document, quality, 0.25, 1)
                    self.assertTrue(np.isfinite(one.beauty).all())
                    for field in fields(one):
                        mine, theirs = getattr(one, field.name), getattr(other, field.name)
                        if isinstance(mine, np.ndarray):
                            np.testing.assert_array_equal(mine, theirs, field.name)
                        elif isinstance(mine, dict):
                            for key, plane in mine.items():
                                np.testing.assert_array_equal(plane, theirs[key], f"{field.name} {key}")
