"""The one door to compiled code: every hot loop is declared here-wise, with its signature, cached on disk.

An explicit signature compiles at set-up (`lazzik prepare`) and is read from the disk cache ever after, so neither
start-up nor a request waits for a compiler. A kernel is read when it is first called: a program that evaluates nothing
does not even load the compiler, and one that evaluates little can do without it (`interpret`).
`NUMBA_DISABLE_JIT=1` runs the same functions as plain Python.
"""

from __future__ import annotations

import importlib
import sys
import time
from collections.abc import Callable
from functools import cached_property
from threading import RLock
from types import FunctionType
from typing import Any, TypeVar, cast

Function = TypeVar("Function", bound=Callable[..., Any])

_LOADING = RLock()


class Kernel:
    """A function that is compiled, or read from the disk cache, when it is first called."""

    def __init__(self, function: FunctionType, signatures: tuple[str, ...], free: set[str], inlined: bool) -> None:
        self.py_func = function
        self._signatures = signatures
        self._free = free
        self._inlined = inlined
        self._ready: Any = None
        self.__doc__ = function.__doc__
        self.__name__ = function.__name__

    def __call__(self, *arguments: Any) -> Any:
        return (self._ready or self._unread)(*arguments)

    def _unread(self, *arguments: Any) -> Any:
        """The call of a kernel that is not read yet: as plain Python while that is quicker."""
        small = _INTERPRETER.seconds > 0.0 and all(getattr(each, "size", 0) <= SMALL for each in arguments)
        return _INTERPRETER.run(self.plain, arguments) if small and self._exact else self.ready(*arguments)

    @cached_property
    def _exact(self) -> bool:
        """Whether the compiler may not do its sums otherwise than Python: both give the same bits."""
        return not self._free and all(kernel._exact for kernel in self.calls.values())

    @property
    def calls(self) -> dict[str, Kernel]:
        """The kernels that it calls."""
        globals_ = self.py_func.__globals__
        used = {name: globals_.get(name) for name in self.py_func.__code__.co_names}
        return {name: kernel for name, kernel in used.items() if isinstance(kernel, Kernel)}

    @cached_property
    def plain(self) -> FunctionType:
        """The function as it is written, calling others as they are written."""
        return self._calling({name: kernel.plain for name, kernel in self.calls.items()})

    def _calling(self, inner: dict[str, Any]) -> FunctionType:
        """The function with something in place of the kernels that it calls."""
        return _with_globals(self.py_func, self.py_func.__globals__ | inner) if inner else self.py_func

    @property
    def ready(self) -> Any:
        """The compiled function."""
        with _LOADING:
            if self._ready is None:
                numba = _compiler()
                # the compiler knows its own functions only, so those that this one calls stand in for their kernels
                function = self._calling({name: kernel.ready for name, kernel in self.calls.items()})
                compiled = numba.njit(
                    list(self._signatures), cache=True, nogil=True, error_model="numpy",
                    fastmath=self._free or False, forceinline=self._inlined,
                )  # fmt: skip
                made = compiled(function)
                self._ready = _quiet(function) if numba.config.DISABLE_JIT else made
            return self._ready

    @property
    def compiled_now(self) -> bool:
        """Whether this process had to compile it, because the disk cache did not hold it."""
        stats = getattr(self.ready, "stats", None)
        return stats is not None and bool(sum(stats.cache_misses.values()))


KERNELS: list[Kernel] = []

REGROUPED = {"reassoc", "contract", "nsz", "nnan"}
"""What a compiler may do to sums of finite numbers where nobody depends on their last bits."""

FUSED = {"contract"}
"""A product and a sum as one step of the processor, rounded once."""


def kernel(
    *signatures: str, regroup: bool = False, fuse: bool = False, inlined: bool = False
) -> Callable[[Function], Function]:
    """Compile a function for exactly these signatures.

    Division by zero gives inf or nan as in NumPy; the guard against it is the caller's. With `regroup` sums may be
    added in another order, several at a time: a search goes on from them faster, but a value that is shown must not
    come of them, for its last bits would be the processor's. With `fuse` products go into sums without being rounded
    between, in half the steps and a little closer: the same bits on one kind of processor. One that is `inlined` is
    written out wherever another calls it, however long it is: a loop around it can then be laid out several at a time.
    """
    free = REGROUPED if regroup else FUSED if fuse else set()

    def declare(function: Function) -> Function:
        made = Kernel(cast(FunctionType, function), signatures, free, inlined)
        KERNELS.append(made)
        return cast(Function, made)

    return declare


def rounded(fused: Function, name: str) -> Function:
    """The function of a kernel that fuses products with sums once more, with each step rounded: the same bits on every
    processor and as plain Python. It is kept on disk by its own `name`, that of the module's variable."""
    made = cast(Kernel, fused)
    function = _with_globals(made.py_func, made.py_func.__globals__)
    function.__name__ = function.__qualname__ = name
    return kernel(*made._signatures)(cast(Function, function))


SMALL = 4096
"""Numbers in an array, at most, for a call that may run as plain Python."""


class _Interpreter:
    """Runs kernels as the plain Python that they are written in, for so many seconds of the clock in all."""

    def __init__(self) -> None:
        self.seconds = 0.0

    def run(self, function: Callable[..., Any], arguments: tuple[Any, ...]) -> Any:
        """Call one that is not called by another."""
        begun = time.perf_counter()
        try:
            return _quiet(function)(*arguments)
        finally:
            self.seconds -= time.perf_counter() - begun


_INTERPRETER = _Interpreter()


def interpret(seconds: float) -> None:
    """Let small calls run as plain Python until they have taken so long, in a program of one thread.

    To load the compiler and read what it made takes a second; who asks for a number over some hundred frames is done
    before. Only kernels that give the same bits either way are run so.
    """
    _INTERPRETER.seconds = seconds


def _compiler() -> Any:
    """The compiler. It would look for SciPy's linear algebra, which takes longer to load than all else; no kernel calls
    it, so it is told that there is none."""
    import numba

    blas = "scipy.linalg.cython_blas"
    if blas not in sys.modules:
        sys.modules[blas] = None  # type: ignore[assignment]
        try:
            importlib.import_module("numba.np.arraymath")
        finally:
            del sys.modules[blas]
    return numba


def _quiet(function: Callable[..., Any]) -> Callable[..., Any]:
    """The function as plain Python, as quiet as its compiled form: hashes wrap around, and x / 0 is no error."""
    import numpy as np

    def quiet(*arguments: Any) -> Any:
        with np.errstate(all="ignore"):
            return function(*arguments)

    return quiet


def _with_globals(function: FunctionType, globals_: dict[str, Any]) -> FunctionType:
    copy = FunctionType(function.__code__, globals_, function.__name__, function.__defaults__, function.__closure__)
    copy.__qualname__, copy.__module__ = function.__qualname__, function.__module__
    copy.__doc__, copy.__kwdefaults__ = function.__doc__, function.__kwdefaults__
    return copy
