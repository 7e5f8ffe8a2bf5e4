"""What is compiled beforehand: a kernel that is compiled while somebody waits keeps the server from answering."""

import ast
import json
import os
import subprocess
import sys
import unittest
from pathlib import Path

ROOT = Path(__file__).parent
_COMPILED = ("kernel", "inlined_kernel", "parallel_kernel")
#: Warms, and tells which of the kernels of its input were called with no types yet.
_PROGRAM = """
import importlib, json, sys
from zeitbild.warm import warm, warm_rest
warm()
warm_rest()
cold = [one for one in json.load(sys.stdin) if not getattr(importlib.import_module(one[0]), one[1]).signatures]
print("COLD " + json.dumps(cold))
"""
#: Tells which of the kernels of its input keep what is compiled elsewhere than in the folder of this version.
_PLACES = """
import importlib, json, os, sys
import zeitbild.warm
kept = os.environ["NUMBA_CACHE_DIR"]
paths = {f"{one[0]}.{one[1]}": getattr(importlib.import_module(one[0]), one[1])._cache.cache_path for one in json.load(sys.stdin)}
print("ELSEWHERE " + json.dumps([name for name, path in paths.items() if not path.startswith(kept)]))
"""


def _is_kernel(node: ast.AST) -> bool:
    return isinstance(node, ast.FunctionDef) and any(
        isinstance(one, ast.Name) and one.id in _COMPILED for one in node.decorator_list
    )


def called_from_python() -> set[tuple[str, str]]:
    """Module and name of each kernel that something calls that is none."""
    trees = {}
    for path in ROOT.rglob("*.py"):
        # What is fitted is fitted by hand, and kept.
        if not path.name.startswith(("test_", "oracle", "testing", "fit_")):
            inside = path.relative_to(ROOT.parent).with_suffix("").parts
            trees[".".join(inside)] = ast.parse(path.read_text(encoding="utf-8"))
    kernels = {(name, node.name) for name, tree in trees.items() for node in tree.body if _is_kernel(node)}  # type: ignore[attr-defined]
    found = set()
    for name, tree in trees.items():
        meant = {one: (name, one) for module, one in kernels if module == name}
        for node in ast.walk(tree):
            if isinstance(node, ast.ImportFrom) and node.module:
                meant |= {
                    one.asname or one.name: (node.module, one.name)
                    for one in node.names
                    if (node.module, one.name) in kernels
                }
        waiting: list[ast.AST] = [node for node in tree.body if not _is_kernel(node)]
        while waiting:
            node = waiting.pop()
            if isinstance(node, ast.Call):
                # Called, or handed to who calls it (``Turns.by_parts``).
                names = [one.id for one in (node.func, *node.args) if isinstance(one, ast.Name)]
                found |= {meant[one] for one in names if one in meant}
            waiting += ast.iter_child_nodes(node)
    return found


class Warm(unittest.TestCase):
    def _asked(self, program: str, mark: str, env: dict[str, str]) -> list[str]:
        wanted = sorted(called_from_python())
        self.assertGreater(len(wanted), 30)
        self.assertIn(("zeitbild.geometry.outline", "part"), wanted)
        done = subprocess.run(
            [sys.executable, "-c", program],
            input=json.dumps(wanted),
            capture_output=True,
            text=True,
            check=True,
            cwd=ROOT.parent,
            env=env,
        )
        (line,) = (one for one in done.stdout.splitlines() if one.startswith(mark))
        found: list[str] = json.loads(line.removeprefix(mark))
        return found

    def test_every_kernel_that_is_called_is_compiled_beforehand(self) -> None:
        self.assertEqual(self._asked(_PROGRAM, "COLD ", dict(os.environ)), [])

    def test_whoever_imports_first_what_is_compiled_is_kept_in_one_place(self) -> None:
        # Numba looks at its folder when it is imported, and some modules import it before they import ours.
        env = {name: value for name, value in os.environ.items() if name != "NUMBA_CACHE_DIR"}
        self.assertEqual(self._asked(_PLACES, "ELSEWHERE ", env), [])
