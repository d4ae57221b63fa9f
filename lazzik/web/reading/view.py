"""What was read from curves, as the page shows it: both curves, both spectra, shares of the variance, the recipe. All
of it is worked out in a worker."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from lazzik.core.clock import Clock
from lazzik.core.evaluate.evaluator import number_on
from lazzik.core.evaluate.scope import Scope
from lazzik.core.progress import Progress
from lazzik.core.reading.motion import Reading
from lazzik.core.reading.outcome import Take, loop_line, report
from lazzik.core.reading.repeats import Loop, best_loop
from lazzik.core.reading.spectrum import periodogram
from lazzik.core.reading.together import Readings
from lazzik.core.scene.shelf_file import shelf_text
from lazzik.core.scene.shelf_item import ShelfItem
from lazzik.core.types import Samples
from lazzik.library import read_recipe
from lazzik.web.ui.sparkline import line
from lazzik.work.source import Source
from lazzik.work.tasks import numbers_read, table_read

CURVE, SPECTRUM = (720.0, 130.0), (360.0, 130.0)
"""Width and height of the drawings."""

COLUMNS = 720
"""Columns of a curve's drawing, each from its lowest to its highest value."""

BINS = 150
"""Of a spectrum's drawing, as wide as one another on a logarithmic scale."""

DECADES = 6.0
"""Of power that a spectrum's drawing has, from the highest down."""

TICKS = (0.01, 0.03, 0.1, 0.3, 1.0, 3.0, 10.0, 30.0, 100.0)
"""Hz."""

PARTS = (("trend", "trend"), ("moves", "moves and ringing"), ("swings", "swings"), ("noise", "noise"))
"""What a curve is made of, and the words for it."""


@dataclass(frozen=True, kw_only=True)
class TakeOf:
    """Which take of a recipe is wanted."""

    take: Take = "measured"
    seed: int = 1
    around: bool = False
    """Whether it goes round in the length that repeats best."""


@dataclass(frozen=True, kw_only=True)
class CurveRead:
    """One curve and what was read from it."""

    name: str
    unit: str
    measured: str
    made: str
    """The recipe's own curve."""
    low: float
    high: float
    spectrum: str
    spectrum_made: str
    ticks: tuple[tuple[float, str], ...]
    """(place along the drawing, Hz)."""
    shares: tuple[tuple[str, str, float], ...]
    """(part, words, percent of the variance)."""
    lines: tuple[str, ...]
    remarks: tuple[str, ...]
    edit: dict[str, Any]
    """Brings the recipe into the scene, on the number that the page was opened for."""
    shelf: str
    """The recipe as a file that a shelf takes in."""


@dataclass(frozen=True, kw_only=True)
class ReadPage:
    """All curves that were read at once."""

    curves: tuple[CurveRead, ...]
    shared: str
    loop: str


def table_page(
    path: Path, columns: list[str] | None, rate: float, most: int, wanted: TakeOf, numbers: tuple[str, ...], unit: str,
    progress: Progress,
) -> tuple[ReadPage, tuple[str, ...]]:  # fmt: skip
    """A worker's task: what columns of a table are made of, the first `most` that move where none is asked for; and all
    columns that it has."""
    found, names = table_read(path, columns, rate, most, progress)
    return read_page(found, wanted, numbers, unit), names


def numbers_page(source: Source, numbers: tuple[str, ...], wanted: TakeOf, unit: str, progress: Progress) -> ReadPage:
    """A worker's task: what the motion of numbers of a scene is made of."""
    return read_page(numbers_read(source, list(numbers), progress), wanted, numbers, unit)


def read_page(found: Readings, wanted: TakeOf, numbers: tuple[str, ...], unit: str) -> ReadPage:
    """What was found, with the take that is wanted; a recipe is put on all of the numbers, or on the one that it was
    read from."""
    rate = next(iter(found.each.values())).rate
    loop = best_loop(found.each.values())
    curves = tuple(
        _curve(name, reading, wanted, loop, (name,) if name in numbers else numbers, unit)
        for name, reading in found.each.items()
    )
    shared = ", ".join(f"{frequency:.4g} Hz" for frequency in found.shared)
    return ReadPage(curves=curves, shared=shared, loop=loop_line(loop, rate))


def _curve(name: str, reading: Reading, wanted: TakeOf, loop: Loop | None, on: tuple[str, ...], unit: str) -> CurveRead:
    frames = loop.frames if loop is not None and wanted.around else None
    item = read_recipe(reading, name[:120], unit, take=wanted.take, seed=wanted.seed, loop=frames)
    made = _made(item, reading)
    low, high = float(min(reading.y.min(), made.min())), float(max(reading.y.max(), made.max()))
    powers = [_powers(curve, reading.rate) for curve in (reading.y, made)]
    top = max(float(power.max()) for power in powers)
    span = _span(reading)
    shares = reading.shares()
    return CurveRead(
        name=name, unit=unit, measured=line(_envelope(reading.y), *CURVE, low, high),
        made=line(_envelope(made), *CURVE, low, high), low=low, high=high,
        spectrum=_spectrum(powers[0], top), spectrum_made=_spectrum(powers[1], top), ticks=tuple(_ticks(span)),
        shares=tuple((part, words, 100.0 * shares[part]) for part, words in PARTS if shares[part] >= 0.005),
        lines=tuple(report(reading, unit)[: -len(reading.remarks) or None]), remarks=reading.remarks,
        edit={"do": "take-from-shelf", "item": item.model_dump(mode="json"), "on": list(on), "use": bool(on)},
        shelf=shelf_text([item]),
    )  # fmt: skip


def _made(item: ShelfItem, reading: Reading) -> Samples:
    """(n,) the recipe's own motion over the curve's length."""
    recipe = item.content.recipe(item.part)
    assert recipe is not None
    clock = Clock.over(reading.rate, 0, len(reading.y) - 1)
    return np.array(number_on(recipe.stack, clock, Scope()), dtype=np.float64)


def _envelope(y: Samples) -> Samples:
    """(points,) the lowest and highest value of each column, in turn; the curve itself where it has no more."""
    if len(y) <= 2 * COLUMNS:
        return y
    edges = np.linspace(0, len(y), COLUMNS + 1).astype(int)[:-1]
    both = np.stack((np.minimum.reduceat(y, edges), np.maximum.reduceat(y, edges)), axis=1)
    both[1::2] = both[1::2, ::-1]
    flat: Samples = both.ravel()
    return flat


def _span(reading: Reading) -> tuple[float, float]:
    """Hz, from one cycle in the curve to half its rate."""
    return 1.0 / reading.seconds, reading.rate / 2.0


def _powers(y: Samples, rate: float) -> Samples:
    """(BINS,) the highest power within each of the bins, on from the one before where one holds none."""
    f, power = periodogram(y - y.mean(), rate)
    edges = np.geomspace(rate / len(y), rate / 2.0, BINS + 1)
    place = np.digitize(f, edges) - 1
    high = np.full(BINS, np.nan)
    for k in np.unique(place[(place >= 0) & (place < BINS)]):
        high[k] = power[place == k].max()
    seen = np.flatnonzero(np.isfinite(high))
    filled: Samples = np.interp(np.arange(BINS), seen, high[seen])
    return filled


def _spectrum(power: Samples, top: float) -> str:
    floor = max(top, 1e-300) * 10.0**-DECADES
    low, high = np.log10(floor), np.log10(max(top, 1e-300))
    return line(np.log10(np.maximum(power, floor)), *SPECTRUM, float(low), float(high))


def _ticks(span: tuple[float, float]) -> Iterable[tuple[float, str]]:
    low, high = span
    for f in TICKS:
        if low * 1.05 < f < high / 1.05:
            yield SPECTRUM[0] * float(np.log(f / low) / np.log(high / low)), f"{f:g}"
