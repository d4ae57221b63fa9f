"""All kernels compiled ahead, on all processors, so that neither start-up nor a request waits for a compiler."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Iterable
from concurrent.futures import ProcessPoolExecutor
from itertools import groupby
from multiprocessing import get_context

import lazzik.core
from lazzik.core.kernels import KERNELS, Kernel
from lazzik.core.threads import cores


def every_kernel() -> list[Kernel]:
    """All kernels there are: those of every module of the core."""
    for module in pkgutil.walk_packages(lazzik.core.__path__, "lazzik.core."):
        importlib.import_module(module.name)
    return KERNELS


def compile_all(kernels: Iterable[Kernel]) -> int:
    """Have kernels on disk; how many were not there yet.

    What is called comes before what calls it, so that no two processes compile the same. Where one is missing most are,
    as a rule: only then it is worth to start others.
    """
    rows = sorted(kernels, key=_depth)
    first = next((place for place, kernel in enumerate(rows) if kernel.compiled_now), None)
    if first is None:
        return 0
    with ProcessPoolExecutor(cores(), get_context("spawn")) as pool:
        levels = groupby(rows[first + 1 :], key=_depth)
        return 1 + sum(sum(pool.map(_compiled, map(_name, level))) for _, level in levels)


def _depth(kernel: Kernel) -> int:
    """How far down it calls others."""
    return 1 + max(map(_depth, kernel.calls.values()), default=0)


def _name(kernel: Kernel) -> tuple[str, str]:
    return kernel.py_func.__module__, kernel.__name__


def _compiled(name: tuple[str, str]) -> bool:
    module, function = name
    kernel: Kernel = getattr(importlib.import_module(module), function)
    return kernel.compiled_now
