"""Compiled code: ready before it is asked for, and the same as the plain Python it was made from."""

from __future__ import annotations

import os
import subprocess
import sys
import textwrap
from pathlib import Path

import numpy as np
import pytest

from lazzik.core.fitting.fitting import fit
from lazzik.core.kernels import KERNELS
from lazzik.core.layers.noise import REACH, shape_noise
from lazzik.core.layers.octaves import octave_noise
from lazzik.work.kernels import every_kernel

EVERYTHING = (
    "import lazzik.web.app, lazzik.work.tasks; from lazzik.work.kernels import every_kernel; every = every_kernel();"
    "print(len(every), [kernel.__name__ for kernel in every if kernel.compiled_now])"
)

SOME = """
from lazzik.core.deformers.solid import noise_at, solid_noise
from lazzik.core.hermite import fade_at
from lazzik.core.layers.octaves import lattice
from lazzik.work.kernels import compile_all

print(compile_all([solid_noise, noise_at, fade_at, lattice]))
"""


def test_nothing_compiles_at_start_up() -> None:
    """A first process may fill the cache, as set-up does; a second one finds every kernel there."""
    every_kernel()
    subprocess.run([sys.executable, "-m", "lazzik", "prepare"], check=True, capture_output=True)
    done = subprocess.run([sys.executable, "-c", EVERYTHING], capture_output=True, text=True, check=True)
    count, compiled = done.stdout.split(" ", 1)
    assert int(count) == len(KERNELS) > 10
    assert compiled.strip() == "[]"


def test_what_is_missing_is_compiled_by_several_processes_once_and_found_by_the_next(tmp_path: Path) -> None:
    """Those that call others come after them, whatever order they are named in."""
    script = tmp_path / "some.py"
    script.write_text(f"if __name__ == '__main__':{textwrap.indent(SOME, '    ')}")
    environment = os.environ | {"NUMBA_CACHE_DIR": str(tmp_path / "kept"), "PYTHONPATH": os.getcwd()}
    counts = [
        subprocess.run([sys.executable, script], capture_output=True, text=True, check=True, env=environment).stdout
        for _ in range(2)
    ]
    assert counts == ["4\n", "0\n"]


def test_kernels_have_fixed_signatures_so_that_no_request_compiles() -> None:
    every_kernel()
    for kernel in KERNELS:
        assert len(kernel.ready.signatures) == 1
        assert not kernel.ready._can_compile


@pytest.mark.parametrize(
    ("seconds", "count", "compiled"),
    [(0.0, 40, True), (60.0, 40, False), (1e-9, 40, False), (60.0, 5000, True)],
    ids=["not at all", "in time", "the call that uses it up", "not with large arrays"],
)
def test_small_calls_run_as_plain_python_while_they_may(seconds: float, count: int, compiled: bool) -> None:
    """In a process of its own, which loads the compiler only where it is needed."""
    script = f"""
import sys
import numpy as np
from lazzik.core.kernels import interpret
from lazzik.core.layers.octaves import octave_noise

interpret({seconds})
octaves, rows = np.array([[2.5], [0.6], [7.0]]), np.empty({count})
octave_noise(np.linspace(-3, 9, {count}), 12, 1, octaves, rows)
once = "numba" in sys.modules
octave_noise(np.linspace(-3, 9, {count}), 12, 1, octaves, rows)
print(once, "numba" in sys.modules)
"""
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    once, twice = done.stdout.split()
    assert once == str(compiled)
    assert twice == str(compiled or seconds < 1)


def test_what_the_compiler_may_sum_otherwise_never_runs_plain() -> None:
    every_kernel()
    free = [kernel for kernel in KERNELS if not kernel._exact]
    assert len(free) > 8
    for kernel in KERNELS:
        if kernel in free:
            assert kernel._free or any(inner in free for inner in kernel.calls.values())
        else:
            assert not kernel._free


@pytest.mark.parametrize("character", range(5))
def test_compiled_noise_is_the_plain_function(character: int) -> None:
    position = np.linspace(-3, 9, 40)
    octaves, shape = np.array([[2.5], [0.6], [7.0]]), np.array([[2.0], [0.1], [0.4], [0.7]])
    fast, slow = np.empty(40), np.empty(40)
    octave_noise(position, 12, character, octaves, fast)
    shape_noise(octaves, shape, REACH[character], 0, fast)
    with np.errstate(over="ignore"):
        octave_noise.py_func(position, 12, character, octaves, slow)  # type: ignore[attr-defined]
    shape_noise.py_func(octaves, shape, REACH[character], 0, slow)  # type: ignore[attr-defined]
    np.testing.assert_allclose(fast, slow, atol=1e-12)


def test_a_whole_fit_runs_without_the_compiler_too() -> None:
    """The same keys with the compiler switched off, in a process of its own."""
    y = np.sin(np.arange(81) / 9)
    script = (
        "import numpy as np; from lazzik.core.fitting.fitting import fit;"
        "print([(k.frame, round(k.value, 9)) for k in fit(np.sin(np.arange(81) / 9), 0, 30.0, 0.01)])"
    )
    done = subprocess.run(
        [sys.executable, "-c", script], capture_output=True, text=True, check=True,
        env={"NUMBA_DISABLE_JIT": "1", "PATH": "/usr/bin:/bin"},
    )  # fmt: skip
    assert done.stdout.strip() == str([(k.frame, round(k.value, 9)) for k in fit(y, 0, 30.0, 0.01)])
