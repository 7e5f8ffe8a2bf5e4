"""Documents that somebody made up to break things: they are refused with their field, or they render."""

import copy
import json
import unittest
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from zeitbild.document.reading import parse_shot, read_shot, write_shot
from zeitbild.errors import DocumentError, InputError
from zeitbild.masters import frame_key
from zeitbild.render import QUALITIES, render
from zeitbild.resolve import resolve
from zeitbild.testing import NOWHERE

DEMO = Path(__file__).parents[2] / "demo"
#: What fields are not made for.
ODD: tuple[Any, ...] = (
    None,
    True,
    "",
    " ",
    "x" * 5000,
    "../../etc/passwd",
    "\0",
    "'; drop table shots; --",
    "<script>alert(1)</script>",
    -1,
    0,
    1e308,
    -1e308,
    10**40,
    0.1 + 0.2,
    [],
    {},
    [[[]]],
    {"kind": "lettering"},
    ["a"] * 300,
)


def _paths(value: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """Every place of a raw document."""
    if path:
        yield path
    if isinstance(value, dict):
        for name, inner in value.items():
            yield from _paths(inner, (*path, name))
    elif isinstance(value, list):
        for number, inner in enumerate(value[:2]):
            yield from _paths(inner, (*path, number))


def _with(raw: Any, path: tuple[Any, ...], value: Any) -> Any:
    changed = copy.deepcopy(raw)
    at = changed
    for part in path[:-1]:
        at = at[part]
    at[path[-1]] = value
    return changed


class Fields(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.raw = json.loads((DEMO / "KM030.json").read_text(encoding="utf-8"))
        # One element is enough for every field to be there once.
        cls.raw["elements"] = cls.raw["elements"][:2]
        cls.raw["cameras"] = [{"name": "Side", "camera": copy.deepcopy(cls.raw["camera"])}]
        cls.raw["layers"][0]["camera"] = "Side"
        cls.raw["pixels"]["palette"] = ["#101010", "#f0f0f0"]

    def test_every_field_with_every_odd_value_is_refused_by_name_or_taken(self) -> None:
        random = np.random.default_rng(1)
        refused = taken = 0
        for path in _paths(self.raw):
            for number in random.permutation(len(ODD))[:7]:
                changed = _with(self.raw, path, ODD[int(number)])
                try:
                    shot = read_shot(changed)
                except DocumentError as error:
                    refused += 1
                    for problem in error.problems:
                        self.assertTrue(problem.message, (path, number))
                        self.assertLess(len(problem.message), 600, (path, number))
                    continue
                taken += 1
                # What is taken is written and read back as the same.
                self.assertEqual(parse_shot(write_shot(shot)), shot, (path, number))
        self.assertGreater(refused, 1000)
        self.assertGreater(taken, 20)

    def test_every_field_that_is_missing_has_a_default_or_is_asked_for(self) -> None:
        for path in _paths(self.raw):
            changed = copy.deepcopy(self.raw)
            at = changed
            for part in path[:-1]:
                at = at[part]
            del at[path[-1]]
            try:
                read_shot(changed)
            except DocumentError as error:
                self.assertTrue(all(problem.message for problem in error.problems), path)

    def test_fields_nobody_knows_are_refused_everywhere(self) -> None:
        for path in _paths(self.raw):
            at: Any = self.raw
            for part in path:
                at = at[part]
            if isinstance(at, dict):
                with self.assertRaises(DocumentError, msg=str(path)) as caught:
                    read_shot(_with(self.raw, (*path, "surprise"), 1))
                self.assertTrue(caught.exception.problems[0].field.endswith("surprise"), path)


class Extremes(unittest.TestCase):
    """Values at the ends of what is allowed: every one gives a picture without infinities, or says why not."""

    def _check(self, **changes: Any) -> None:
        raw = json.loads((DEMO / "KM020.json").read_text(encoding="utf-8"))
        raw["elements"] = raw["elements"][:3]
        for place, value in changes.items():
            raw = _with(raw, tuple(int(one) if one.isdigit() else one for one in place.split("__")), value)
        try:
            snapshot = resolve(read_shot(raw), 1, NOWHERE)
        except InputError as error:
            self.assertTrue(error.message)
            return
        picture = render(snapshot.at_size(48, 48), QUALITIES["rough"], planes=True)
        self.assertTrue(np.isfinite(picture.beauty).all(), changes)
        alpha = picture.beauty[..., 3]
        self.assertTrue((alpha >= 0).all() and (alpha <= 1 + 1e-6).all(), changes)
        self.assertEqual(len(frame_key(snapshot, "rough")), 64)

    def test_numbers_at_the_ends_of_their_ranges(self) -> None:
        for changes in (
            {"camera__angle": 1},
            {"camera__angle": 150},
            {"camera__roll": -180},
            {"camera__projection": "orthographic", "camera__span": 0.01},
            {"camera__projection": "orthographic", "camera__span": 1_000_000},
            {"camera__position": [1_000_000, 1_000_000, 1_000_000]},
            {"camera__position": [0, 1000, 0], "camera__look_at": [0, 0, 0]},
            {"camera__position": [0, -30, 1], "camera__look_at": [0, -30, 0]},
            {"elements__0__placement__scale": [0, 0, 0]},
            {"elements__0__placement__scale": [1, 0, 1]},
            {"elements__0__placement__scale": [-1, 1, 1]},
            {"elements__0__placement__scale": [1_000_000, 1, 1]},
            {"elements__0__placement__position": [1_000_000, 0, 0]},
            {"elements__0__width": 0.01, "elements__0__height": 100_000},
            {"elements__0__surface__opacity": 0},
            {"elements__0__surface__roughness": 0, "elements__0__surface__metalness": 1},
            {"elements__0__surface__emission": 100},
            {"finishes__0__values__coat": 1, "finishes__0__values__coat_roughness": 0},
            {"lights__0__strength": 100},
            {"lights__0__size": 0},
            {"environment__strength": 100},
            {"environment__source": "gradient", "environment__spread": 1},
            {"environment__source": "picture"},
            {"rays__occlusion_radius": 0.01},
            {"rays__occlusion_radius": 1_000_000},
            {"rays__bounces": 3, "rays__samples": "8"},
            {"sampling__filter": "Gaussian", "sampling__filter_width": 8},
            {"sampling__rough": "64"},
            {"motion__angle": 720, "elements__0__turn__turns": 1000},
            {"pixels__on": True, "pixels__enlarge": 64},
            {"pixels__on": True, "pixels__enlarge": 2, "pixels__palette": ["#000000"]},
            {"backdrop__kind": "surroundings"},
            {"elements": []},
            {"lights": []},
        ):
            self._check(**changes)

    def test_a_light_where_a_surface_is(self) -> None:
        for kind in ("point", "spot", "area"):
            light = {"kind": kind, "position": [0, -30, 0], "aims_at": [0, -30, 0]}
            if kind == "point":
                del light["aims_at"]
            self._check(lights=[light])

    def test_everything_at_once(self) -> None:
        self._check(
            motion__angle=180,
            elements__1__turn__turns=2,
            elements__0__surface__opacity=0.5,
            sampling__filter="Blackman-Harris",
            sampling__filter_width=3,
            rays__bounces=3,
            backdrop__kind="surroundings",
            environment__source="gradient",
        )
