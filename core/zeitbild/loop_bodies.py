"""Bodies of parallel loops as kernels of their own.

Numba looks through all of a parallel function, several times, for what else could be made parallel, and compiles it twice: of a kernel of three
hundred lines that is two thirds of the time. What it looks through here is a loop that calls.
"""

from __future__ import annotations

import ast
import inspect
import textwrap
from collections import Counter
from collections.abc import Callable
from typing import Any

import numpy as np

#: Bodies of so many nodes are worth a kernel; smaller ones are faster where they stand.
_LARGE = 400
#: What numbers become signed by, in modules of kernels.
_SIGNED = "_signed_turn"
_seen: Counter[str] = Counter()


def body_and_loop(function: Any, compiled: Callable[[Any], Any]) -> Any:
    """A function that ends in a loop over ``prange`` with a large body, as a loop that calls what ``compiled`` makes of the body; any other
    as it is.

    Such a loop may not end early, nor change what was there before it, but within arrays.
    """
    tree = ast.parse(textwrap.dedent(inspect.getsource(function)))
    ast.increment_lineno(tree, function.__code__.co_firstlineno - 1)
    whole = tree.body[0]
    assert isinstance(whole, ast.FunctionDef)
    loop = whole.body[-1]
    if not isinstance(loop, ast.For) or "prange" not in ast.unparse(loop.iter) or len(list(ast.walk(loop))) < _LARGE:
        return function
    whole.decorator_list = []
    own = f"{function.__module__}.{function.__qualname__}"
    _seen[own] += 1
    # Variants of one function, which differ by what they capture, have names of their own: kernels are kept by their names.
    name = f"{function.__name__}_{_seen[own]}"
    before = [one for one in whole.body[:-1] if not _is_text(one)]
    known = {one.arg for one in whole.args.args} | _set_by(before)
    changed = known & _set_by(loop.body)
    if changed or not isinstance(loop.target, ast.Name):
        raise ValueError(f"{own}: a parallel loop may not change {', '.join(sorted(changed))}")
    body = ast.FunctionDef(
        name=f"{name}_body",
        args=ast.arguments([], [ast.arg(loop.target.id), *whole.args.args], None, [], [], None, []),
        body=[*before, *(_Ended().visit(one) for one in loop.body)],
        decorator_list=[],
    )
    # A loop's number is signed where it stands and unsigned in what numba makes of it: the body would be compiled for both.
    turn = ast.Call(ast.Name(_SIGNED, ast.Load()), [ast.Name(loop.target.id, ast.Load())], [])
    call = ast.Call(
        ast.Name(body.name, ast.Load()), [turn, *(ast.Name(one.arg, ast.Load()) for one in whole.args.args)], []
    )
    around = ast.FunctionDef(
        name=name,
        args=whole.args,
        body=[*before, ast.For(loop.target, loop.iter, [ast.Expr(call)], [])],
        decorator_list=[],
    )
    function.__globals__[_SIGNED] = np.int64
    function.__globals__[body.name] = compiled(_made(body, function))
    made = _made(around, function)
    made.__doc__ = function.__doc__
    return made


def _is_text(one: ast.stmt) -> bool:
    return isinstance(one, ast.Expr) and isinstance(one.value, ast.Constant)


def _set_by(statements: list[ast.stmt]) -> set[str]:
    """Names that statements set."""
    nodes = (node for one in statements for node in ast.walk(one))
    return {node.id for node in nodes if isinstance(node, ast.Name) and isinstance(node.ctx, ast.Store)}


class _Ended(ast.NodeTransformer):
    """What goes on with the next turn of a loop, in its body: it returns. Loops within have turns of their own."""

    def visit_Continue(self, node: ast.Continue) -> ast.Return:
        return ast.copy_location(ast.Return(None), node)

    def visit_For(self, node: ast.For) -> ast.For:
        return node

    def visit_While(self, node: ast.While) -> ast.While:
        return node


def _made(node: ast.FunctionDef, function: Any) -> Any:
    """A function of the same place in the sources, which captures what another one does."""
    captured = inspect.getclosurevars(function).nonlocals
    maker = ast.FunctionDef(
        name="_maker",
        args=ast.arguments([], [ast.arg(name) for name in captured], None, [], [], None, []),
        body=[node, ast.Return(ast.Name(node.name, ast.Load()))],
        decorator_list=[],
    )
    first = ast.Module([maker], [])
    for one in ast.walk(first):
        if "lineno" in one._attributes and not hasattr(one, "lineno"):
            one.lineno = one.end_lineno = function.__code__.co_firstlineno  # type: ignore[attr-defined]
            one.col_offset = one.end_col_offset = 0  # type: ignore[attr-defined]
    found: dict[str, Any] = {}
    exec(compile(first, function.__code__.co_filename, "exec"), function.__globals__, found)
    made = found["_maker"](**captured)
    made.__module__, made.__qualname__ = function.__module__, node.name
    return made
