"""One contract for all registries."""

import ast
import importlib
import sys
import tempfile
import unittest
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from zeitbild.checks import checks
from zeitbild.elements import kinds
from zeitbild.elements import kinds as element_kinds
from zeitbild.errors import InputError
from zeitbild.formats import formats
from zeitbild.handoff import recipes
from zeitbild.lights import kinds as light_kinds
from zeitbild.registry import Registry
from zeitbild.render.passes import families, passes
from zeitbild.surroundings import kinds as surroundings


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

    def test_recipes_name_known_formats_that_carry_what_they_say(self) -> None:
        for recipe in recipes:
            for role in ("colour", "light", "coverage"):
                self.assertTrue(recipe.format.carries(role), (recipe.name, role))  # type: ignore[arg-type]
            self.assertTrue(recipe.note and recipe.keeps and recipe.loses, recipe.name)
            names = [one.name for one in recipe.options]
            self.assertEqual(len(names), len(set(names)), recipe.name)
            # What an option is without a choice is something that can be chosen.
            self.assertEqual(recipe.chosen({}), recipe.chosen(recipe.chosen({})))
        for one in passes:
            self.assertTrue(any(recipe.format.carries(one.role) for recipe in recipes), one.name)

    def test_kinds_do_not_know_each_other(self) -> None:
        # Whatever registers itself in a package imports no other that does: a kind is one module that can be taken away.
        for registry in (element_kinds, light_kinds, surroundings, passes, families, formats, recipes, checks):
            package = importlib.import_module(registry._package)  # type: ignore[attr-defined]
            (folder,) = package.__path__
            kinds = {
                path.stem for path in Path(folder).glob("*.py") if ".register(" in path.read_text(encoding="utf-8")
            }
            kinds = {name for name in kinds if not name.startswith("test_")}
            self.assertTrue(kinds, registry._package)
            for name in kinds:
                tree = ast.parse((Path(folder) / f"{name}.py").read_text(encoding="utf-8"))
                imported = {node.module for node in ast.walk(tree) if isinstance(node, ast.ImportFrom)}
                others = {f"{registry._package}.{other}" for other in kinds - {name}}
                self.assertEqual(imported & others, set(), name)

    def test_two_threads_that_ask_first_both_find_everything(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            package = Path(folder) / "slow_kinds"
            package.mkdir()
            (package / "__init__.py").write_text("")
            for number in range(4):
                (package / f"kind{number}.py").write_text(
                    "import time\ntime.sleep(0.05)\n"
                    f"from slow_kinds_registry import registry, Kind\nregistry.register(Kind('kind{number}'))\n"
                )
            (Path(folder) / "slow_kinds_registry.py").write_text(
                "from collections import namedtuple\nfrom zeitbild.registry import Registry\n"
                "Kind = namedtuple('Kind', 'name')\nregistry = Registry('kind', 'slow_kinds')\n"
            )
            sys.path.insert(0, folder)
            self.addCleanup(sys.path.remove, folder)
            registry = importlib.import_module("slow_kinds_registry").registry
            with ThreadPoolExecutor(4) as pool:
                found = list(pool.map(lambda _: [kind.name for kind in registry], range(4)))
        self.assertEqual(found, [[f"kind{number}" for number in range(4)]] * 4)

    def test_unknown_names_list_the_known_ones(self) -> None:
        with self.assertRaisesRegex(InputError, "beauty, matte, diffuse"):
            passes.get("glow")

    def test_doubles_fail_at_import(self) -> None:
        registry: Registry[_Kind] = Registry("thing", "zeitbild.checks")
        registry.register(_Kind("a"))
        with self.assertRaises(ValueError):
            registry.register(_Kind("a"))
