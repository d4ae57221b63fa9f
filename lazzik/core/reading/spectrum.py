"""Spectra: of a curve, and of the noise that Lazzik makes.

Of a curve, the periodogram under a Hann window w (P. D. Welch, 'The use of fast Fourier transform for the estimation
of power spectra', 1967), one-sided, in squares of the unit per hertz:

    I(f) = 2·|Σ y_k w_k e^(−2πi f k / r)|² / (r·Σ w_k²),   r samples a second

Of one octave of the noise (`layers/noise.py`), Σ g_k φ(u − k) with φ(u) = 2u·(1 − F(|u|)) on [−1, 1] and gradients g
that vary by 1/3 (a sum of pulses at an even pace: Campbell's theorem), for cells of P seconds:

    S(f) = P·S₁(f P),   S₁(ν) = |Φ(ν)|²/3,   Φ(ν) = ∫ φ(u) sin 2πνu du

and of octaves the sum with cells P/2^j and weights (roughness^j / Σ roughness^j)². What lies beyond half the rate of
the samples is folded back.
"""

from __future__ import annotations

import math
from functools import cache

import numpy as np

from lazzik.core.hermite import fade
from lazzik.core.layers.noise import REACH, reach_of
from lazzik.core.types import Samples

HIGHEST = 8.0
"""Cycles a cell, beyond which the spectrum of an octave is counted as nothing."""

LIMITED = 0.975
"""Part of its deviation that the noise keeps when it is softly limited at its reach."""


def hann(count: int) -> Samples:
    """The Hann window.

    Returns
    -------
    (count,) array
        From above 0 to 1 and back.
    """
    window: Samples = np.hanning(count + 2)[1:-1]
    return window


def periodogram(y: Samples, rate: float, finer: int = 1) -> tuple[Samples, Samples]:
    """Frequencies and the periodogram there, `finer` times as close as the curve's own bins.

    Parameters
    ----------
    y : (n,) array
        Evenly spaced samples, `rate` a second.

    Returns
    -------
    (bins,) array, (bins,) array
        Hz, and squares of the unit per hertz.
    """
    window = hann(len(y))
    power = 2.0 * np.abs(np.fft.rfft(y * window, len(y) * finer)) ** 2 / (rate * np.sum(window**2))
    f: Samples = np.asarray(np.fft.rfftfreq(len(y) * finer, 1.0 / rate), dtype=np.float64)
    return f, np.asarray(power, dtype=np.float64)


@cache
def _octave() -> tuple[Samples, Samples]:
    """S₁ at cycles a cell up to HIGHEST."""
    u = np.linspace(-1.0, 1.0, 2049)
    f = np.abs(u)
    pulse = 2.0 * u * (1.0 - fade(f))
    nu = np.linspace(0.0, HIGHEST, 1601)
    sines = np.trapezoid(pulse * np.sin(2.0 * np.pi * nu[:, None] * u), u, axis=1)
    return nu, np.asarray(sines**2 / 3.0, dtype=np.float64)


def noise_spectrum(f: Samples, period: float, octaves: int, roughness: float, rate: float) -> Samples:
    """The one-sided spectrum of a weighted mean of octaves, sampled at a rate.

    Parameters
    ----------
    f : (bins,) array
        Hz, evenly spaced from 0.

    Returns
    -------
    (bins,) array
        Per hertz, of noise that is mapped to no reach.
    """
    nu, octave = _octave()
    total: Samples = np.zeros_like(f)
    weights = 0.0
    for j in range(octaves):
        weight, cell = roughness**j, period / 2**j
        for fold in (-1, 0, 1):
            total += weight**2 * cell * np.interp(np.abs(f + fold * rate) * cell, nu, octave, right=0.0)
        weights += weight
    return 2.0 * total / weights**2


@cache
def _spread(octaves: int, roughness: float) -> float:
    """The deviation of a weighted mean of octaves."""
    nu, octave = _octave()
    one = 2.0 * float(np.trapezoid(octave, nu))
    weights = [roughness**j for j in range(octaves)]
    return math.sqrt(one * sum(weight**2 for weight in weights)) / sum(weights)


def deviation(octaves: int, roughness: float) -> float:
    """The deviation of noise of amplitude 1, as the layer makes it."""
    low, high = reach_of(REACH[0], float(octaves), roughness)
    return LIMITED * _spread(octaves, roughness) * 2.0 / (high - low)
