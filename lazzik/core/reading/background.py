"""What is left of a curve when its swings are gone, as noise: whose period, octaves and roughness make it most likely.

Whittle's likelihood ('Estimation and information in stationary time series', 1953): with I the periodogram and s·S the
spectrum that a candidate has, S of variance 1 and s the variance that suits it best,

    −log L = Σ (log s·S_k + I_k / (s·S_k)),   s = mean of I_k / S_k

over all bins but those next to a swing. Candidates are a grid of periods, octaves and roughnesses, each over a floor of
white noise (of the measurement, of rounding). They are compared a second time over the bins that hold nearly all of
the variance, since beyond them the floor alone is seen; there the variance is that of the bins themselves.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from itertools import product

import numpy as np
from numpy.typing import NDArray

from lazzik.core.reading.spectrum import deviation, noise_spectrum, periodogram
from lazzik.core.reading.swings import Swing
from lazzik.core.types import Samples

KINDS = ((1, 0.5), *product((2, 3, 4), (0.3, 0.5, 0.7)))
"""(octaves, roughness) of candidates."""

USUAL, UNUSUAL = 0.5, 3.0
"""The roughness that layers begin with, and by how much another one has to be more likely (natural logarithm): without
it a period of twice as many rough octaves is often taken for one of fewer."""

FLOORS = (1e-7, 1e-6, 1e-5, 1e-4, 4e-4, 1.6e-3)
"""Variance of white noise beside the candidate's own."""

PERIODS = 56
FEWEST_CELLS, MOST_CELLS = 10.0, 160.0
"""Cells of the noise in the curve, between which its period is looked for."""

SLOWEST = 3
"""Bins from the lowest that are the trend's."""

ONE_BY_ONE, WIDER = 40, 0.05
"""Bins that are taken one by one, and the width of blocks beyond, as a part of their place."""

NEARLY_ALL = 0.995
LEAST_BINS = 40
AROUND = 2.0
"""Bins to either side of a swing that say nothing of the noise."""

NEIGHBOURS = 19
"""Bins of a running median."""


@dataclass(frozen=True, eq=False)
class Background:
    """The noise that is most likely, and its spectrum."""

    period: float
    """Seconds."""
    octaves: int
    roughness: float
    variance: float
    f: Samples
    """(bins,) Hz."""
    spectrum: Samples
    """(bins,) squares of the unit per hertz."""

    @property
    def amplitude(self) -> float:
        """The amplitude of the layer, in the curve's unit."""
        return float(np.sqrt(self.variance)) / deviation(self.octaves, self.roughness)

    def at(self, f: float) -> float:
        """Its spectrum at a frequency."""
        return float(np.interp(f, self.f, self.spectrum))


class Candidates:
    """The spectra that are compared, for curves of one length and rate. They are smooth, so bins are taken together in
    blocks that grow with the frequency."""

    def __init__(self, count: int, rate: float) -> None:
        self.rate, self.seconds = rate, count / rate
        self.f: Samples = np.asarray(np.fft.rfftfreq(count, 1.0 / rate), dtype=np.float64)
        self.block = _blocks(len(self.f))
        sizes = np.bincount(self.block)
        centres: Samples = np.asarray(np.bincount(self.block, self.f) / sizes, dtype=np.float64)
        shortest, longest = self.seconds / MOST_CELLS, self.seconds / FEWEST_CELLS
        periods = np.geomspace(max(shortest, 2.0 / rate), max(longest, 4.0 / rate), PERIODS)
        rows = [(float(period), *kind) for kind in KINDS for period in periods]
        plain = np.array([noise_spectrum(centres, *row, rate) for row in rows])
        plain /= (plain @ sizes)[:, None] * self.f[1]
        self.rows, self.centres, self.sizes = rows * len(FLOORS), centres, sizes
        self.spectra: NDArray[np.float64] = np.concatenate([plain + floor / (rate / 2.0) for floor in FLOORS])
        self.logs = np.log(self.spectra)
        self.unusual = np.array([UNUSUAL * (row[2] != USUAL) for row in self.rows])

    def most_likely(self, y: Samples, swings: Iterable[Swing]) -> Background:
        """Of a curve without its swings.

        Parameters
        ----------
        y : (n,) array
            In its unit.
        """
        _, power = periodogram(y - y.mean(), self.rate)
        counts = np.ones(len(self.f), dtype=bool)
        counts[:SLOWEST] = counts[-1] = False
        for swing in swings:
            counts[np.abs(self.f - swing.frequency) < AROUND / self.seconds] = False
        best = self._best(power, counts)
        share = np.cumsum(self.spectra[best] * self.sizes)
        last = min(int(np.searchsorted(share, NEARLY_ALL * share[-1])) + 1, len(share) - 1)
        top = max(int(np.searchsorted(self.block, last, side="right")), LEAST_BINS)
        counts[top:] = False
        best = self._best(power, counts)
        shape: Samples = np.interp(self.f, self.centres, self.spectra[best])
        variance = float(power[counts].sum() / shape[counts].sum())
        spectrum: Samples = shape * variance
        spectrum[top:] = np.maximum(spectrum[top:], running_median(power, NEIGHBOURS)[top:])
        return Background(*self.rows[best], variance, self.f, spectrum)

    def _best(self, power: Samples, counts: NDArray[np.bool_]) -> int:
        sizes = np.bincount(self.block[counts], minlength=len(self.centres)).astype(float)
        used = sizes > 0
        sizes = sizes[used]
        sums = np.bincount(self.block[counts], power[counts], minlength=len(self.centres))[used]
        variances = (1.0 / self.spectra[:, used]) @ sums / sizes.sum()
        fits = self.logs[:, used] @ sizes + sizes.sum() * np.log(np.maximum(variances, 1e-300))
        return int(np.argmin(fits + self.unusual))


def _blocks(bins: int) -> NDArray[np.intp]:
    """(bins,) the block of each bin: one by one at first, then as wide as a share of where they are."""
    edges = [float(k) for k in range(ONE_BY_ONE)]
    while edges[-1] < bins:
        edges.append(edges[-1] + max(1.0, edges[-1] * WIDER))
    starts = np.unique(np.array(edges, dtype=int))
    found: NDArray[np.intp] = np.searchsorted(starts, np.arange(bins), side="right") - 1
    return found


def running_median(power: Samples, bins: int) -> Samples:
    """The mean that a periodogram would have about each bin, by the median, which no swing moves.

    Parameters
    ----------
    power : (n,) array
        A periodogram, whose values spread as an exponential law does: its median is ln 2 of its mean.

    Returns
    -------
    (n,) array
        In the same unit.
    """
    from scipy.ndimage import median_filter

    middle: Samples = np.asarray(median_filter(power, size=bins, mode="nearest"), dtype=np.float64)
    return middle / float(np.log(2.0))
