"""One contract for all registries."""

import unittest
from dataclasses import dataclass

from zeitbild.checks import checks
from zeitbild.elements import kinds
from zeitbild.errors import InputError
from zeitbild.formats import formats
from zeitbild.handoff import recipes
from zeitbild.registry import Registry
from zeitbild.render.passes import passes


@dataclass(frozen=True)
class _Kind:
    name: str


class Contract(unittest.TestCase):
    def test_all_kinds_are_found_under_their_names(self) -> None:
        for registry in (kinds, passes, formats, recipes, checks):
            names = [kind.name for kind in registry]  # type: ignore[attr-defined]
            self.assertTrue(names)
            self.assertEqual(len(names), len(set(names)))
            for name in names:
                self.assertEqual(registry.get(name).name, name)  # type: ignore[attr-defined]

    def test_recipes_name_known_formats_that_carry_every_role(self) -> None:
        for recipe in recipes:
            for one in passes:
                self.assertIn(one.role, recipe.format.bits)

    def test_unknown_names_list_the_known_ones(self) -> None:
        with self.assertRaisesRegex(InputError, "beauty, matte, depth"):
            passes.get("glow")

    def test_doubles_fail_at_import(self) -> None:
        registry: Registry[_Kind] = Registry("thing", "zeitbild.checks")
        registry.register(_Kind("a"))
        with self.assertRaises(ValueError):
            registry.register(_Kind("a"))
