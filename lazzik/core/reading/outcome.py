"""What was read from a curve as a recipe and as a report."""

from __future__ import annotations

from typing import Literal

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Go, Key
from lazzik.core.channel.layer import Layer
from lazzik.core.fitting.fitting import fit
from lazzik.core.fitting.minimax import PER_FRAME
from lazzik.core.layers import Recipe
from lazzik.core.layers.noise import Noise
from lazzik.core.layers.settle import Settle
from lazzik.core.layers.wave import Wave
from lazzik.core.reading.motion import Reading
from lazzik.core.reading.repeats import Loop

TREND_WITHIN = 0.01
"""Part of a trend's span within which its keys keep it."""

MEETS = 0.005
"""Part of their size within which swings meet themselves."""

STRAY = 4.0
"""Deviations of what is left within which a trend is no motion of its own."""

Take = Literal["measured", "kind", "calmer", "stronger"]

TAKES: dict[Take, tuple[float, float]] = {
    "measured": (1.0, 1.0), "kind": (1.0, 1.0), "calmer": (0.6, 1.3), "stronger": (1.6, 0.85),
}  # fmt: skip
"""Times as far, and times as long a period."""


def recipe_of(
    reading: Reading, label: str, unit: str = "", take: Take = "measured", seed: int = 1, loop: int | None = None
) -> Recipe:
    """A recipe of what was found: as measured, with the phases of its swings, the trend and the moves; or the same kind
    again, calmer or stronger, with phases and a pattern of its own. With a loop in frames it goes round: its layers
    repeat, and a trend, which can't, is left out."""
    far, slow = TAKES[take]
    rng = np.random.default_rng(seed)
    layers: list[Layer] = []
    if (ringing := reading.moves.ringing) is not None:
        layers.append(
            Settle(kind="settle", id="ringing", label="Ringing", frequency=_short(ringing.frequency / slow),
                   damping=_short(ringing.damping), strength=_short(far * ringing.strength))
        )  # fmt: skip
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
    keys = keys_of(reading) if take == "measured" and loop is None else ()
    value = 0.0 if keys else float((reading.trend + reading.moves.levels(reading.t)).mean())
    reach = max([far * swing.amplitude for swing in reading.swings], default=0.0)
    reach = max(
        reach, far * reading.background.amplitude if reading.background else 0.0,
        0.5 * float(np.ptp(reading.trend + reading.moves.levels(reading.t))),
    )  # fmt: skip
    closed = tuple(layer if loop is None else layer.replaced(loop=float(loop)) for layer in layers)
    stack = Channel(value=_short(value), keys=keys, layers=closed)
    return Recipe(id="read", label=label, note="Read from a curve.", unit=unit, reach=_short(reach) or 1.0, stack=stack)


def keys_of(reading: Reading) -> tuple[Key, ...]:
    """The trend and the moves as few keys; none where nothing goes anywhere. A trend that goes no farther than what
    is left is no motion of its own beside moves: they begin and end at keys, and nothing is between."""
    if reading.moves.moves and float(np.ptp(reading.trend)) <= STRAY * float(np.std(reading.residual)):
        return _move_keys(reading)
    whole = reading.trend + reading.moves.levels(reading.t)
    span = float(np.ptp(whole))
    if span <= 1e-9 * max(1.0, float(np.abs(whole).max())):
        return ()
    frames = np.arange((len(reading.y) - 1) * PER_FRAME + 1) / PER_FRAME
    fine = np.interp(frames, np.arange(len(reading.y)), reading.trend) + reading.moves.levels(frames / reading.rate)
    return fit(np.ascontiguousarray(fine), 0.0, reading.rate, TREND_WITHIN * span)


def _move_keys(reading: Reading) -> tuple[Key, ...]:
    """Two keys a move, at the frames where it begins and ends."""
    level = float(reading.trend.mean())
    keys: list[Key] = []
    go: Go = "cubic" if reading.moves.eased else "linear"
    for move in reading.moves.moves:
        for at, value in ((move.start, level), (move.start + move.seconds, level + move.height)):
            frame = _short(at * reading.rate, 7)
            if not keys or frame > keys[-1].frame:
                keys.append(Key(frame=frame, value=_short(value, 7), slope_in=0.0, slope_out=0.0, go=go))
        level += move.height
    return tuple(keys)


def report(reading: Reading, unit: str = "") -> list[str]:
    """What was found, in lines."""
    shares = reading.shares()
    u = f" {unit}" if unit not in ("", "°") else unit
    lines = [f"{len(reading.y)} samples, {len(reading.y) / reading.rate:.4g} s at {reading.rate:g} a second"]
    lines.append(f"trend: {100 * shares['trend']:.0f} % of the variance, {len(keys_of(reading))} keys")
    if moves := reading.moves.moves:
        lines.append(f"moves: {len(moves)}, {100 * shares['moves']:.0f} % of the variance")
    if (ringing := reading.moves.ringing) is not None:
        lines.append(
            f"ringing after them: {ringing.frequency:.4g} Hz, damping {ringing.damping:.3g}, "
            f"strength {ringing.strength:.3g}"
        )
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


def loop_line(loop: Loop | None, rate: float) -> str:
    """The loop that is offered, in a sentence."""
    if loop is None:
        return "No length repeats better than another: there are no swings, or too few cycles of them."
    close = "they meet themselves" if loop.miss < MEETS else f"they miss themselves by {100 * loop.miss:.0f} %"
    return f"The swings repeat best after {loop.frames} frames ({loop.frames / rate:.4g} s): there {close}."


def _short(value: float, digits: int = 5) -> float:
    return float(f"{value:.{digits}g}")
