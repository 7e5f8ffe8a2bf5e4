"""How numba is set up for every compiled kernel.

* The cache lies in a folder named after all sources of the core: numba looks only at the file of the kernel itself
  and would keep stale machine code when a callee or a constant in another file changes.
* ``workqueue`` is the only threading layer that needs no library of the system. It must not be entered from two
  threads at once, so every parallel kernel runs under ``PARALLEL``.
* Loops of a known length over samples or lanes are to become vector instructions: LLVM would first write out those of
  up to a few dozen turns one by one, and then find no loop left.
* Memory that is freed is kept for the next picture (``memory``).
* No fast maths: results must be the same bytes everywhere, and NaN tests must hold.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

_CORE = Path(__file__).parent


def _sources_digest() -> str:
    digest = hashlib.sha256()
    for path in sorted(_CORE.rglob("*.py")):
        if path.name.startswith("test_"):
            continue
        digest.update(str(path.relative_to(_CORE)).encode() + b"\0" + path.read_bytes())
    return digest.hexdigest()[:16]


KERNELS_DIGEST = _sources_digest()
os.environ.setdefault("NUMBA_THREADING_LAYER", "workqueue")
if "NUMBA_CACHE_DIR" not in os.environ:
    os.environ["NUMBA_CACHE_DIR"] = str(_CORE.parent.parent / ".cache" / "numba" / KERNELS_DIGEST)

import llvmlite.binding
import numba

from zeitbild.memory import keep_what_is_freed
from zeitbild.parallel_loops import Apart, loop_of_stretches
from zeitbild.turns import Turns

# Whoever imported numba before this module made it read the environment as it was then.
numba.config.CACHE_DIR = os.environ["NUMBA_CACHE_DIR"]
numba.config.THREADING_LAYER = os.environ["NUMBA_THREADING_LAYER"]

keep_what_is_freed()
llvmlite.binding.set_option("zeitbild", "-unroll-full-max-count=8")

PARALLEL = Turns()
#: Nothing else is made parallel than what says so: looking for more takes longer than all the rest of compiling.
_ONLY_PRANGE = dict.fromkeys(
    ("comprehension", "reduction", "inplace_binop", "setitem", "numpy", "stencil", "fusion"), False
)


def kernel(function: Callable[..., Any]) -> Any:
    """Compile a serial kernel: cached, without the interpreter lock, numpy's division rules."""
    return numba.njit(cache=True, nogil=True, error_model="numpy")(function)


def inlined_kernel(function: Callable[..., Any]) -> Any:
    """Compile a kernel into its callers: for one with many array arguments, handing them over costs more than the work."""
    return numba.njit(cache=True, nogil=True, error_model="numpy", inline="always")(function)


def parallel_kernel(function: Callable[..., Any]) -> Any:
    """Compile a kernel that ends in a loop over ``prange``, which runs on several threads. Call it while holding ``PARALLEL``.

    The loop counts from zero and changes nothing that was there before it but within arrays; what it writes into one array it does not read
    from another, unless that was read before (``parallel_loops``, decision 086).
    """
    made = loop_of_stretches(function, numba.njit(cache=True, nogil=True, error_model="numpy", pipeline_class=Apart))
    return numba.njit(cache=True, nogil=True, parallel=dict(_ONLY_PRANGE), error_model="numpy")(made)


def set_threads(count: int) -> None:
    """Use so many threads in parallel kernels, at most what numba started with."""
    numba.set_num_threads(max(1, min(count, numba.config.NUMBA_NUM_THREADS)))


@contextlib.contextmanager
def own_threads(count: int) -> Iterator[None]:
    """So many threads for the parallel kernels that this thread calls meanwhile."""
    before = numba.get_num_threads()
    set_threads(count)
    try:
        yield
    finally:
        set_threads(before)
