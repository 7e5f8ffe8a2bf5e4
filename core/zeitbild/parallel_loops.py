"""Parallel loops as kernels of their own, each of which takes a stretch of turns.

Numba looks through all of a parallel function, several times, for what else could be made parallel, and types it twice: of a kernel of three
hundred lines that is two thirds of the time that it takes to compile. What it looks through here is a loop that calls.
"""

from __future__ import annotations

import ast
import inspect
import textwrap
from collections import Counter
from collections.abc import Callable
from typing import Any

import numba
import numpy as np
from numba.core.compiler import Compiler

#: What hands out stretches knows these by names that no kernel has.
_FIRST, _END = "_first_turn", "_end_of_turns"
_KNOWN = {"_signed": np.int64, "_in_parallel": numba.prange}
#: Sixty stretches, if there are as many turns: numba hands each thread as many, as it does with turns. The number of a stretch is signed where it
#: stands, and unsigned in what numba makes of it.
_HANDED_OUT = """
_parts = min(_turns, 60)
for _part in _in_parallel(_parts):
    _of_stretch(_signed(_part) * _turns // _parts, (_signed(_part) + 1) * _turns // _parts)
"""
_seen: Counter[str] = Counter()


class Apart(Compiler):  # type: ignore[misc]
    """Compiles kernels that are told that their arrays lie apart: that what is written into one is not read from another. Numba tells
    that to the loops that it makes parallel."""

    def __init__(self, *args: Any) -> None:
        super().__init__(*args)
        self.state.flags.noalias = True


def loop_of_stretches(function: Any, compiled: Callable[[Any], Any]) -> Any:
    """A function that ends in a loop over ``prange``, as one that hands out stretches of its turns to what ``compiled`` makes of that loop and
    of what stands before it; any other as it is.

    ValueError if the loop changes what was there before it (but within arrays), or does not count from zero.
    """
    tree = ast.parse(textwrap.dedent(inspect.getsource(function)))
    ast.increment_lineno(tree, function.__code__.co_firstlineno - 1)
    whole = tree.body[0]
    assert isinstance(whole, ast.FunctionDef)
    loop = whole.body[-1]
    if not isinstance(loop, ast.For) or not isinstance(loop.iter, ast.Call) or not _is_prange(loop.iter):
        return function
    own = f"{function.__module__}.{function.__qualname__}"
    before = [one for one in whole.body[:-1] if not _is_text(one)]
    arguments = [one.arg for one in whole.args.args]
    changed = ({*arguments} | _set_by(before)) & _set_by(loop.body)
    if changed:
        raise ValueError(f"{own}: a parallel loop may not change {', '.join(sorted(changed))}")
    if len(loop.iter.args) != 1:
        raise ValueError(f"{own}: a parallel loop counts from zero")
    # Variants of one function, which differ by what they capture, have names of their own: kernels are kept by their names.
    _seen[own] += 1
    name = f"{function.__name__}_{_seen[own]}"
    of_stretch = ast.FunctionDef(
        name=f"{name}_stretch",
        args=_parameters(_FIRST, _END, *arguments),
        body=[*before, ast.For(loop.target, _called("range", _FIRST, _END), loop.body, [])],
        decorator_list=[],
    )
    handing = ast.parse(_HANDED_OUT.replace("_of_stretch", of_stretch.name)).body
    (call,) = (
        node
        for node in ast.walk(handing[-1])
        if isinstance(node, ast.Call) and ast.unparse(node.func) == of_stretch.name
    )
    call.args += [ast.Name(one, ast.Load()) for one in arguments]
    turns = ast.Assign([ast.Name("_turns", ast.Store())], loop.iter.args[0])
    around = ast.FunctionDef(
        name=name, args=_parameters(*arguments), body=[*before, turns, *handing], decorator_list=[]
    )
    function.__globals__.update(_KNOWN)
    function.__globals__[of_stretch.name] = compiled(_made(of_stretch, function))
    made = _made(around, function)
    made.__doc__ = function.__doc__
    return made


def _is_prange(call: ast.Call) -> bool:
    return ast.unparse(call.func).split(".")[-1] == "prange"


def _is_text(one: ast.stmt) -> bool:
    return isinstance(one, ast.Expr) and isinstance(one.value, ast.Constant)


def _parameters(*names: str) -> ast.arguments:
    return ast.arguments([], [ast.arg(name) for name in names], None, [], [], None, [])


def _called(name: str, *arguments: str) -> ast.Call:
    return ast.Call(ast.Name(name, ast.Load()), [ast.Name(one, ast.Load()) for one in arguments], [])


def _set_by(statements: list[ast.stmt]) -> set[str]:
    """Names that statements set."""
    nodes = (node for one in statements for node in ast.walk(one))
    return {node.id for node in nodes if isinstance(node, ast.Name) and isinstance(node.ctx, ast.Store)}


def _made(node: ast.FunctionDef, function: Any) -> Any:
    """A function of the same place in the sources, which captures what another one does."""
    captured = inspect.getclosurevars(function).nonlocals
    maker = ast.FunctionDef(
        name="_maker",
        args=_parameters(*captured),
        body=[node, ast.Return(ast.Name(node.name, ast.Load()))],
        decorator_list=[],
    )
    module = ast.Module([maker], [])
    for one in ast.walk(module):
        if "lineno" in one._attributes and not hasattr(one, "lineno"):
            one.lineno = one.end_lineno = function.__code__.co_firstlineno  # type: ignore[attr-defined]
            one.col_offset = one.end_col_offset = 0  # type: ignore[attr-defined]
    found: dict[str, Any] = {}
    exec(compile(module, function.__code__.co_filename, "exec"), function.__globals__, found)
    made = found["_maker"](**captured)
    made.__module__, made.__qualname__ = function.__module__, node.name
    return made
