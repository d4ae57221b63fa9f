"""`python -m tools.noise_reach`: works out what noise reaches in a usual stretch, for layers/noise_reach.json.

For every character, octaves and roughness of the table: the mean, over many seeds, of the lowest and of the highest
value over CELLS cells (of white noise, which has none: over as many frames).
"""

from __future__ import annotations

import json
import math
from pathlib import Path

import numba
import numpy as np
from numpy.typing import NDArray

from lazzik.core.layers.noise import CHARACTERS
from lazzik.core.layers.octaves import lattice

CELLS = 16
PER_CELL = 8
"""Samples in a cell of the finest octave."""
OCTAVES = np.concatenate([np.arange(1, 3, 0.25), np.arange(3, 10.1, 0.5)])
ROUGHNESS = np.linspace(0.0, 1.0, 11)
TARGET = Path(__file__).parent.parent / "lazzik" / "core" / "layers" / "noise_reach.json"


@numba.njit
def octave(seed: int, j: int, cells: int, per_cell: int, held: bool, out: NDArray[np.float64]) -> None:
    """Fill `out` with one octave's smooth noise, or its held values."""
    place = 0
    for cell in range(cells):
        a, b = lattice(cell, seed, j), lattice(cell + 1, seed, j)
        for i in range(per_cell):
            f = i / per_cell
            fade = f * f * f * (f * (f * 6.0 - 15.0) + 10.0)
            n = a if held else 2.0 * ((1.0 - fade) * a * f + fade * b * (f - 1.0))
            out[place] = n
            place += 1


def extremes(character: str, whole: int, trials: int) -> NDArray[np.float64]:
    """(2, octaves that round up to `whole`, roughness) mean lowest and highest."""
    chosen = [o for o in OCTAVES if math.ceil(o) == whole]
    white, held = character == "white", character in ("steps", "white")
    finest = 1 if white else 2 ** (whole - 1)
    per_cell = 1 if held else PER_CELL
    samples = CELLS * finest * per_cell
    layers = np.empty((whole, samples))
    total = np.zeros((2, len(chosen), len(ROUGHNESS)))
    for seed in range(trials):
        for j in range(whole):
            frequency = 1 if white else 2**j
            octave(seed, j, CELLS * frequency, samples // (CELLS * frequency), held, layers[j])  # type: ignore[type-var, call-arg]
        folded = 2 * np.abs(layers) - 1
        rows = {"billow": folded, "ridged": -folded}.get(character, layers)
        for a, octaves in enumerate(chosen):
            for b, roughness in enumerate(ROUGHNESS):
                shares = roughness ** np.arange(whole) * np.minimum(1.0, octaves - np.arange(whole))
                sums = (shares / shares.sum()) @ rows
                total[:, a, b] += sums.min(), sums.max()
    return total / trials


def balanced(table: NDArray[np.float64]) -> NDArray[np.float64]:
    """The table with what is known of it: billow and ridged are one another upside down, the others their own."""
    over = table[:, ::-1].copy()
    over[[CHARACTERS.index("billow"), CHARACTERS.index("ridged")]] = over[
        [CHARACTERS.index("ridged"), CHARACTERS.index("billow")]
    ]
    return (table - over) / 2


def main() -> None:
    """Write the table."""
    table = []
    for character in CHARACTERS:
        parts = [extremes(character, whole, 6000 >> max(0, whole - 3)) for whole in range(1, 11)]
        table.append(np.concatenate(parts, axis=1))
        print(character, flush=True)
    TARGET.write_text(
        json.dumps(balanced(np.array(table)).round(4).tolist()).replace("]]], ", "]]],\n").replace("]], ", "]],\n")
        + "\n"
    )


if __name__ == "__main__":
    main()
