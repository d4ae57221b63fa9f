"""Several curves read at once: one set of swings where they share them.

A swing that two curves or more have within a bin of each other is one: its frequency is their mean, weighted by how
well each knows it. By D. C. Rife and R. R. Boorstyn ('Single tone parameter estimation from discrete-time
observations', 1974) that variance goes as S/(A² T³), with S the noise's spectrum there. At a frequency that is known,
less has to stand out for a swing to be one: other curves have it too where it does.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from lazzik.core.errors import InvalidEdit
from lazzik.core.reading.motion import Reading, read_motion
from lazzik.core.reading.swings import Swing, course, fitted_at
from lazzik.core.types import Samples

NEAR = 1.0
"""Bins within which two swings are one."""

JOINS = 7.0
"""Times the noise's spectrum at which a curve has a swing that others have: by chance one in a thousand does."""

MOST_CURVES = 24


@dataclass(frozen=True, eq=False)
class Readings:
    """What was found in several curves."""

    each: dict[str, Reading]
    shared: tuple[float, ...]
    """Hz, of swings that several have, ascending."""


def read_together(curves: Mapping[str, Samples], rate: float) -> Readings:
    """What each of several curves is made of.

    Parameters
    ----------
    curves : mapping of str to (n,) array
        Of any lengths, evenly spaced, `rate` a second.

    Raises
    ------
    InvalidEdit
        Naming the curve, where one can't be read.
    """
    if not 0 < len(curves) <= MOST_CURVES:
        raise InvalidEdit(f"One to {MOST_CURVES} curves are read at once, not {len(curves)}")
    each: dict[str, Reading] = {}
    for name, samples in curves.items():
        try:
            each[name] = read_motion(samples, rate)
        except InvalidEdit as error:
            raise InvalidEdit(f"{name[:80]}: {error}") from None
    shared = _shared(each)
    return Readings({name: _sharing(reading, shared) for name, reading in each.items()}, shared)


def _shared(each: Mapping[str, Reading]) -> tuple[float, ...]:
    """Hz, of swings that two curves or more have."""
    found = sorted((swing.frequency, name) for name, reading in each.items() for swing in reading.swings)
    groups: list[list[tuple[float, str]]] = []
    for frequency, name in found:
        bin_ = 1.0 / each[name].seconds
        if groups and frequency - groups[-1][0][0] < NEAR * bin_ and all(name != other for _, other in groups[-1]):
            groups[-1].append((frequency, name))
        else:
            groups.append([(frequency, name)])
    means = []
    for group in (group for group in groups if len(group) > 1):
        weights = [_known(each[name], frequency) for frequency, name in group]
        means.append(float(np.average([frequency for frequency, _ in group], weights=weights)))
    return tuple(means)


def _known(reading: Reading, frequency: float) -> float:
    """How well a curve knows the frequency of a swing of its own: one over the variance, but for a factor."""
    amplitude = next(swing.amplitude for swing in reading.swings if swing.frequency == frequency)
    noise = reading.background.at(frequency) if reading.background else 0.0
    return amplitude**2 * reading.seconds**3 / max(noise, 1e-9 * amplitude**2)


def _sharing(reading: Reading, shared: tuple[float, ...]) -> Reading:
    """A reading with the frequencies that are shared in place of its own, and with swings that others have where they
    stand out in it."""
    bin_ = 1.0 / reading.seconds
    own = [swing.frequency for swing in reading.swings]
    kept = [f for f in own if all(abs(f - other) >= NEAR * bin_ for other in shared)]
    common = [f for f in shared if any(abs(f - other) < NEAR * bin_ for other in own)]
    y = reading.y - reading.trend - reading.moves.course(reading.t)
    if reading.background is not None:
        known = fitted_at(y, reading.t, [*kept, *common])
        for f in (f for f in shared if f not in common):
            *_, swing = fitted_at(y - course(known, reading.t), reading.t, [f])
            if swing.power(reading.seconds) >= JOINS * reading.background.at(f):
                common.append(f)
    swings = sorted(fitted_at(y, reading.t, [*kept, *common]), key=_reach, reverse=True)
    return replace(reading, swings=tuple(swings))


def _reach(swing: Swing) -> float:
    return swing.amplitude
