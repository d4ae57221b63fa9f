"""Motion read: a slow trend as keys, regular swings as Waves, the rest as Noise, and how much each explains.

The trend is what a line and the slowest cosines explain (up to three in the curve's length). Swings are first those
that stand out of a running median; then the noise is fitted to what they leave (`background.py`), and each swing has to
stand out of that noise's own spectrum, while others are looked for, until nothing changes.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.errors import InvalidEdit
from lazzik.core.fitting.fitting import fit
from lazzik.core.fitting.minimax import PER_FRAME
from lazzik.core.layers import Recipe
from lazzik.core.layers.noise import Noise
from lazzik.core.layers.wave import Wave
from lazzik.core.reading.background import SLOWEST, Background, Candidates, running_median
from lazzik.core.reading.spectrum import periodogram
from lazzik.core.reading.swings import APART, Swing, course, fitted
from lazzik.core.types import Samples

FEWEST, MOST = 64, 60_000
"""Samples of a curve."""

FINER = 4
MOST_SWINGS = 6
ROUNDS = 12

FIRST_SIGHT = 10.0
"""Times the running median at which something is looked at as a swing."""

STANDS_OUT = 13.0
"""Times the noise's spectrum at which it is one: by chance one bin in some 400,000 goes so far."""

STAYS = 0.8
"""Part of that at which one that is known stays."""

SMALL = 0.33
"""Of the noise's amplitude: a smaller swing has to stand out by far."""

BY_FAR = 60.0

NEXT_TO_NOTHING = 1e-4
"""Part of a curve's variance below which no further swing is looked for at first sight."""

QUIET = 1e-6
"""Part of a curve's variance below which what is left is nothing."""

ROUNDING = 1e-12
"""Part of the largest value that is rounding."""

SETTLES = 4
"""Times that trend and swings are fitted in turn, until neither leans on the other."""

MOST_MISSING = 0.2
OUTLYING = 8.0
"""Deviations (by the median) from its neighbours at which a sample is an outlier."""

MOMENT = 0.1
"""Seconds in which a move is looked for."""

TOO_FAR = 6.0
"""Deviations of the noise's own going in such a moment."""

TREND_WITHIN = 0.01
"""Part of a trend's span within which its keys keep it."""

Take = Literal["measured", "kind", "calmer", "stronger"]

TAKES: dict[Take, tuple[float, float]] = {
    "measured": (1.0, 1.0), "kind": (1.0, 1.0), "calmer": (0.6, 1.3), "stronger": (1.6, 0.85),
}  # fmt: skip
"""Times as far, and times as long a period."""


@dataclass(frozen=True, eq=False)
class Reading:
    """What was found in a curve."""

    rate: float
    y: Samples
    """(n,) the curve, without gaps and outliers."""
    trend: Samples
    """(n,)"""
    swings: tuple[Swing, ...]
    background: Background | None
    """None where nothing is left."""
    remarks: tuple[str, ...]
    """What could not be told, in sentences."""

    @property
    def t(self) -> Samples:
        """Seconds since the first sample.

        Returns
        -------
        (n,) array
            Seconds.
        """
        return np.arange(len(self.y)) / self.rate

    @property
    def residual(self) -> Samples:
        """What neither trend nor swings explain.

        Returns
        -------
        (n,) array
            In the curve's unit.
        """
        left: Samples = self.y - self.trend - course(self.swings, self.t)
        return left

    def shares(self) -> dict[str, float]:
        """How much of the variance each part explains: trend, swings, noise."""
        whole = float(np.var(self.y)) or 1.0
        trend, swings = float(np.var(self.trend)) / whole, float(np.var(course(self.swings, self.t))) / whole
        noise = 0.0 if self.background is None else float(np.var(self.residual)) / whole
        return {"trend": trend, "swings": swings, "noise": noise}


def read_motion(samples: Samples, rate: float) -> Reading:
    """What a curve is made of.

    Parameters
    ----------
    samples : (n,) array
        Evenly spaced, `rate` a second; what is missing is not a number.

    Raises
    ------
    InvalidEdit
        Where there are too few samples, too many, or too many are missing.
    """
    y, remarks = _without_gaps(np.asarray(samples, dtype=float))
    t = np.arange(len(y)) / rate
    rounding = (ROUNDING * float(np.abs(y).max())) ** 2
    # swings that stand out by far would lean on the trend, and it on them: it is measured without them
    line = np.polyval(np.polyfit(t, y, 1), t)
    trend = _trend(y - course(_at_first_sight(y - line, t, rate), t))
    if float(np.var(y - _trend(y))) <= QUIET * float(np.var(y)) + rounding:
        return Reading(rate, y, _trend(y), (), None, (*remarks, "There is no motion beside the trend."))
    if _is_white(y - trend):
        spread = float(np.std(y - trend))
        remarks.append(f"It is as good as white, {spread:.3g} about its trend: there is no swing and no period in it.")
        return Reading(rate, y, trend, (), None, tuple(remarks))
    candidates = Candidates(len(y), rate)
    swings, background = _separated(y - trend, t, rate, candidates)
    for _ in range(SETTLES):
        trend = _trend(y - course(swings, t))
        swings = fitted(y - trend, t, [swing.frequency for swing in swings])
    left = y - trend
    rest = left - course(swings, t)
    if float(np.var(rest)) <= QUIET * float(np.var(left)) + rounding:
        return Reading(rate, y, trend, tuple(swings), None, tuple(remarks))
    if _is_white(rest):
        remarks.append("What is left beside the swings is as good as white: there is no period in it.")
    if background.period > 0.95 * candidates.seconds / 10.0:
        remarks.append("The noise is slower than this curve can tell: a longer one would say more.")
    if moves := _moves(rest, rate, background):
        remarks.append(
            f"At {', '.join(f'{place:g}' for place in moves[:4])}{' …' if len(moves) > 4 else ''} it moves as no noise "
            "does: read the stretches between by themselves."
        )
    return Reading(rate, y, trend, tuple(swings), background, tuple(remarks))


def recipe_of(reading: Reading, label: str, unit: str = "", take: Take = "measured", seed: int = 1) -> Recipe:
    """A recipe of what was found: as measured, with the phases of its swings and the trend; or the same kind again,
    calmer or stronger, with phases and a pattern of its own."""
    far, slow = TAKES[take]
    rng = np.random.default_rng(seed)
    layers: list[Wave | Noise] = []
    for k, swing in enumerate(reading.swings, 1):
        phase = swing.phase if take == "measured" else float(rng.random())
        layers.append(
            Wave(kind="wave", id=f"swing-{k}", label=f"Swing {k}", amplitude=_short(far * swing.amplitude),
                 period=_short(slow / swing.frequency, 7), phase=_short(phase))
        )  # fmt: skip
    if reading.background is not None:
        found = reading.background
        layers.append(
            Noise(kind="noise", id="rest", label="Rest", amplitude=_short(far * found.amplitude),
                  period=_short(slow * found.period), octaves=float(found.octaves), roughness=found.roughness,
                  seed=float(seed))
        )  # fmt: skip
    keys = trend_keys(reading) if take == "measured" else ()
    value = float(reading.trend.mean()) if not keys else 0.0
    reach = max([far * swing.amplitude for swing in reading.swings], default=0.0)
    reach = max(
        reach, far * reading.background.amplitude if reading.background else 0.0, 0.5 * float(np.ptp(reading.trend))
    )
    stack = Channel(value=_short(value), keys=keys, layers=tuple(layers))
    return Recipe(id="read", label=label, note="Read from a curve.", unit=unit, reach=_short(reach) or 1.0, stack=stack)


def trend_keys(reading: Reading) -> tuple[Key, ...]:
    """The trend as few keys; none where it stands still."""
    span = float(np.ptp(reading.trend))
    if span <= 1e-9 * max(1.0, float(np.abs(reading.trend).max())):
        return ()
    frames = np.arange((len(reading.y) - 1) * PER_FRAME + 1) / PER_FRAME
    fine = np.interp(frames, np.arange(len(reading.y)), reading.trend)
    return fit(np.ascontiguousarray(fine), 0.0, reading.rate, TREND_WITHIN * span)


def report(reading: Reading, unit: str = "") -> list[str]:
    """What was found, in lines."""
    shares = reading.shares()
    u = f" {unit}" if unit not in ("", "°") else unit
    lines = [f"{len(reading.y)} samples, {len(reading.y) / reading.rate:.4g} s at {reading.rate:g} a second"]
    lines.append(f"trend: {100 * shares['trend']:.0f} % of the variance, {len(trend_keys(reading))} keys")
    for k, swing in enumerate(reading.swings, 1):
        lines.append(
            f"swing {k}: {swing.frequency:.4g} Hz ({1 / swing.frequency:.4g} s), amplitude {swing.amplitude:.4g}{u}"
        )
    if reading.swings:
        lines.append(f"swings: {100 * shares['swings']:.0f} % of the variance")
    if (found := reading.background) is not None:
        octaves = "1 octave" if found.octaves == 1 else f"{found.octaves} octaves of roughness {found.roughness:g}"
        lines.append(
            f"noise: period {found.period:.3g} s, {octaves}, amplitude {found.amplitude:.4g}{u}, "
            f"{100 * shares['noise']:.0f} % of the variance"
        )
    return [*lines, *reading.remarks]


def _short(value: float, digits: int = 5) -> float:
    return float(f"{value:.{digits}g}")


def _without_gaps(samples: Samples) -> tuple[Samples, list[str]]:
    """The curve without gaps and outliers, and what was done."""
    if not FEWEST <= len(samples) <= MOST:
        raise InvalidEdit(f"A curve is read from {FEWEST} to {MOST:,} samples; this one has {len(samples):,}")
    there = np.isfinite(samples)
    if np.mean(~there) > MOST_MISSING:
        raise InvalidEdit(f"{100 * np.mean(~there):.0f} % of the samples are missing; {MOST_MISSING:.0%} may be")
    remarks = []
    places = np.arange(len(samples), dtype=float)
    y = np.interp(places, places[there], samples[there])
    if not there.all():
        remarks.append(f"{int((~there).sum())} missing samples were bridged; what was there can't be told.")
    from scipy.ndimage import median_filter

    away = np.abs(y - median_filter(y, size=5, mode="nearest"))
    usual = float(np.median(away)) or float(np.mean(away))
    steps = float(np.median(np.abs(np.diff(y))))
    out = (away > OUTLYING * max(usual, steps) * 1.4826) & (away > 0)
    if 0 < out.sum() <= 0.02 * len(y):
        y = np.interp(places, places[~out], y[~out])
        remarks.append(f"{int(out.sum())} outliers were left out.")
    return y, remarks


def _trend(y: Samples) -> Samples:
    """What a line and the slowest cosines explain; the mean alone, if they explain no more than noise would."""
    u = np.arange(len(y)) / max(len(y) - 1, 1)
    parts = np.stack([np.ones_like(u), u, *(np.cos(np.pi * k * u) for k in range(1, 2 * SLOWEST))], axis=1)
    found: Samples = parts @ np.linalg.lstsq(parts, y, rcond=None)[0]
    return found


def _separated(y: Samples, t: Samples, rate: float, candidates: Candidates) -> tuple[list[Swing], Background]:
    """The swings of a curve, and the noise that they stand out of."""
    swings = _at_first_sight(y, t, rate)
    for turn in range(ROUNDS):
        background = candidates.most_likely(y - course(swings, t), swings)
        out = [swing for swing in swings if not _is_significant(swing, background, candidates.seconds, STAYS)]
        if out:
            weakest = min(out, key=lambda swing: swing.power(candidates.seconds) / background.at(swing.frequency))
            swings = fitted(y, t, [swing.frequency for swing in swings if swing is not weakest])
            continue
        more = _highest(y - course(swings, t), rate, swings, background)
        if more is None or len(swings) >= MOST_SWINGS or turn > ROUNDS - 4:
            break
        longer = fitted(y, t, [*(swing.frequency for swing in swings), more])
        if not _is_significant(longer[-1], background, candidates.seconds, 1.0):
            break
        swings = longer
    return swings, background


def _is_significant(swing: Swing, background: Background, seconds: float, part: float) -> bool:
    """Whether a swing stands far enough out of the noise; `part` of what is asked of a new one, where it is known."""
    stands = swing.power(seconds) / background.at(swing.frequency)
    if swing.frequency * seconds < SLOWEST:  # what is so slow is the trend's
        return False
    return stands >= STANDS_OUT * part and (swing.amplitude >= SMALL * background.amplitude or stands >= BY_FAR)


def _at_first_sight(y: Samples, t: Samples, rate: float) -> list[Swing]:
    """Whatever stands out of a running median, the highest first."""
    swings: list[Swing] = []
    for _ in range(MOST_SWINGS):
        if float(np.var(y - course(swings, t))) <= NEXT_TO_NOTHING * float(np.var(y)):
            break
        f, power = periodogram(y - course(swings, t), rate, FINER)
        f_at = _peak(f, power / running_median(power, 4 * FINER * 4 + 1), FIRST_SIGHT, rate, len(y), swings)
        if f_at is None:
            break
        swings = fitted(y, t, [*(swing.frequency for swing in swings), f_at])
    return swings


def _highest(y: Samples, rate: float, swings: Sequence[Swing], background: Background) -> float | None:
    f, power = periodogram(y - y.mean(), rate, FINER)
    ratio = power / np.interp(f, background.f, background.spectrum)
    return _peak(f, ratio, STANDS_OUT, rate, len(y), swings)


def _peak(f: Samples, ratio: Samples, least: float, rate: float, count: int, swings: Sequence[Swing]) -> float | None:
    """The frequency at which a ratio is highest, away from known swings; None where it is not high enough."""
    bin_ = rate / count
    ratio = np.where((f < SLOWEST * bin_) | (f > rate / 2.0 - SLOWEST * bin_), 0.0, ratio)
    for swing in swings:
        ratio[np.abs(f - swing.frequency) < APART * bin_] = 0.0
    place = int(np.argmax(ratio))
    return float(f[place]) if ratio[place] >= least else None


def _moves(rest: Samples, rate: float, background: Background) -> list[int]:
    """Samples about which the curve goes farther in a moment than the noise would."""
    lag = max(1, round(min(MOMENT * rate, background.period * rate / 4.0)))
    f, spectrum = background.f, background.spectrum
    usual = np.sqrt(np.sum(2.0 * spectrum * (1.0 - np.cos(2.0 * np.pi * f * lag / rate))) * f[1])
    far = np.flatnonzero(np.abs(rest[lag:] - rest[:-lag]) > TOO_FAR * usual)
    starts = far[np.diff(far, prepend=-(10**9)) > 2 * lag]
    return [int(place) + lag // 2 for place in starts]


def _is_white(rest: Samples) -> bool:
    """Whether neighbours know nothing of each other."""
    centred = rest - rest.mean()
    return bool(abs(float(np.sum(centred[1:] * centred[:-1]) / np.sum(centred**2))) < 3.0 / np.sqrt(len(rest)))
