"""The one door to compiled code: every hot loop is declared here-wise, with its signature, cached on disk.

An explicit signature compiles at set-up (`lazzik prepare`) and is read from the disk cache ever after, so neither
start-up nor a request waits for a compiler. `NUMBA_DISABLE_JIT=1` runs the same functions as plain Python.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar, cast

import numba

Function = TypeVar("Function", bound=Callable[..., Any])

KERNELS: list[Any] = []


def kernel(*signatures: str) -> Callable[[Function], Function]:
    """Compile a function for exactly these signatures.

    Division by zero gives inf or nan as in NumPy; the guard against it is the caller's.
    """

    def declare(function: Function) -> Function:
        compiled = numba.njit(list(signatures), cache=True, nogil=True, error_model="numpy")(function)
        KERNELS.append(compiled)
        return cast(Function, compiled)

    return declare


def compiled_now() -> list[str]:
    """Names of the kernels that this process had to compile because the cache did not hold them."""
    return [k.py_func.__name__ for k in KERNELS if hasattr(k, "stats") and sum(k.stats.cache_misses.values())]
