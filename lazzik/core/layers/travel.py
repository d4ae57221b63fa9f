"""Travel: an eased move without keys.

    y = from + (to − from) · ease(u),   u = (frame − start)/length

The easing families are the usual ones of the trade (R. Penner, 'Motion, tweening, and easing', 2002): powers, sine,
exponential, circle, back (overshoots by `amount`), elastic (rings; `amount` is how often it swings) and bounce (falls
and leaps; `amount` is how much of the height each leap keeps). `drawn` is a curve of one's own: the
number of that name, whose frames 0 to 100 are per cent of the length. `in` is the family's own curve, `out` its half
turn, `in-out` one after the other, each on half the way. After the end: hold, repeat, alternate (back again),
accumulate (goes on from where it ended). What goes below or above a limit can be cut off. Fitted, it sets out with the
scene's range and arrives with its end.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Annotated, Any, ClassVar, Literal, Self

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.channel import Channel, Number
from lazzik.core.channel.inputs import Inputs, ManyInputs
from lazzik.core.channel.layer import SHARE, Family, Landing, Layer, numbers_of
from lazzik.core.document import Option, Quantity
from lazzik.core.kernels import kernel
from lazzik.core.types import SampleRows, Samples

EASES = ("linear", "sine", "quad", "cubic", "quart", "quint", "expo", "circ", "back", "elastic", "bounce", "drawn")
WAYS = ("in", "out", "in-out")
WAY = ("begin", "finish", "start", "length", "amount")
"""The numbers that the kernel takes, in their order."""

AFTERS = ("hold", "repeat", "alternate", "accumulate")


class Travel(Layer):
    """Eased move."""

    family: ClassVar[Family] = "path"
    title: ClassVar[str] = "Travel"
    summary: ClassVar[str] = "From a value to a value with an easing: entrances, gates, steps that repeat or climb."
    own_frames: ClassVar[frozenset[str]] = frozenset({"drawn"})
    together: ClassVar[bool] = True
    ends: ClassVar[tuple[str, str] | None] = ("begin", "finish")

    kind: Literal["travel"]
    begin: Annotated[Number, Quantity("own", "The value it sets out from.", (-4, 4), 0.01, label="from value")] = 0.0
    finish: Annotated[Number, Quantity("own", "The value it arrives at.", (-4, 4), 0.01, label="to value")] = 1.0
    start: Annotated[
        Number, Quantity("fr", "Frame on which it sets out.", (0, 250), 1, moment=True, label="sets out", group="time")
    ] = 0.0
    length: Annotated[
        Number, Quantity("fr", "Frames that it takes.", (1, 250), 1, low=0.01, high=1e6, label="takes", group="time")
    ] = 30.0
    amount: Annotated[
        Number,
        Quantity(
            "",
            "Overshoot of back, swings of elastic, leap of bounce.",
            (0, 3),
            0.01,
            low=0,
            high=20,
            only={"ease": ("back", "elastic", "bounce")},
        ),
    ] = 1.0
    lowest: Annotated[
        Number,
        Quantity(
            "own", "Where `cut` cuts off below.", (-4, 4), 0.01, label="cut below", only={"cut": ("below", "both")}
        ),
    ] = -1.0
    highest: Annotated[
        Number,
        Quantity(
            "own", "Where `cut` cuts off above.", (-4, 4), 0.01, label="cut above", only={"cut": ("above", "both")}
        ),
    ] = 1.0
    drawn: Annotated[
        Number,
        Quantity(
            "",
            "Share of the way, drawn by hand: frames 0 to 100 are per cent of the length.",
            (0, 1),
            0.01,
            label="drawn way",
            only={"ease": ("drawn",)},
        ),
    ] = 0.0
    ease: Annotated[
        Literal[
            "linear", "sine", "quad", "cubic", "quart", "quint", "expo", "circ", "back", "elastic", "bounce", "drawn"
        ],
        Option("How the way is shared out over the time."),
    ] = "cubic"
    way: Annotated[
        Literal["in", "out", "in-out"],
        Option(
            "Which end of the way is eased.",
            label="eased",
            words={"in": "its start", "out": "its end", "in-out": "both ends"},
            only={"ease": ("sine", "quad", "cubic", "quart", "quint", "expo", "circ", "back", "elastic", "bounce")},
        ),
    ] = "in-out"
    after: Annotated[
        Literal["hold", "repeat", "alternate", "accumulate"],
        Option(
            "What follows when it has arrived: it stays, does it again, there and back, or goes on from where it is.",
            label="afterwards",
            group="time",
            words={"hold": "stays", "repeat": "again", "alternate": "there and back", "accumulate": "goes on"},
        ),
    ] = "hold"
    cut: Annotated[
        Literal["none", "below", "above", "both"],
        Option("Values beyond a limit are cut off.", label="cut off", rest="none"),
    ] = "none"

    def signal(self, inputs: Inputs) -> Samples:
        """(frames,) the value on its way."""
        frames, numbers = inputs.clock.frames, inputs.table(*WAY)
        if self.ease == "drawn":
            straight = np.concatenate([np.zeros_like(numbers[:1]), np.ones_like(numbers[:1]), numbers[2:]])
            gone = np.empty(len(frames))
            travel(frames, 0, 0, AFTERS.index(self.after), straight, gone)
            whole = np.floor(gone - 1e-9).clip(0) if self.after == "accumulate" else np.zeros_like(gone)
            share = whole + inputs.number("drawn", inputs.clock.at(100.0 * (gone - whole)))
            out = numbers[0] + (numbers[1] - numbers[0]) * share
        else:
            out = self._on_its_way(frames, numbers)
        return self._cut(out, inputs.number)

    def signals(self, inputs: ManyInputs) -> SampleRows:
        """(layers, frames) each value on its way."""
        frames = inputs.clock.frames
        return self._cut(np.stack([self._on_its_way(frames, row) for row in inputs.table(*WAY)]), inputs.number)

    def driven(self) -> bool:
        """By the drawn way too, but only where it goes along it."""
        if self.ease == "drawn":
            return True
        return any(isinstance(getattr(self, name), Channel) for name in numbers_of(type(self)) if name != "drawn")

    def _on_its_way(self, frames: Samples, numbers: Samples) -> Samples:
        """(frames,) the value. `numbers` (5, 1 or frames), as of `travel`."""
        out = np.empty(len(frames))
        travel(frames, EASES.index(self.ease), WAYS.index(self.way), AFTERS.index(self.after), numbers, out)
        return out

    def _cut(
        self, out: NDArray[np.float64], number: Callable[[str], float | NDArray[np.float64]]
    ) -> NDArray[np.float64]:
        """(…, frames) values, cut off where they are to be."""
        if self.cut in ("below", "both"):
            out = np.maximum(out, number("lowest"))
        if self.cut in ("above", "both"):
            out = np.minimum(out, number("highest"))
        return out

    @classmethod
    def fits(cls) -> bool:
        """It can set out and arrive with the scene's range."""
        return True

    def fitted(self, first: float, last: float) -> Self:
        """Over the whole range, if it follows that."""
        if not self.fit or (self.start, self.length) == (first, last - first):
            return self
        return self.replaced(start=float(first), length=float(last - first))

    def with_number(self, name: str, number: float | Channel) -> Self:
        """A beginning or a length of its own no longer follows the range."""
        changed = super().with_number(name, number)
        return changed.replaced(fit=False) if name in ("start", "length") and self.fit else changed

    def note(self, inputs: Inputs) -> str:
        """How fast a straight way is."""
        numbers = [inputs.constant(name) for name in ("begin", "finish", "length")]
        if self.ease != "linear" or None in numbers:
            return ""
        begin, finish, length = (float(number or 0.0) for number in numbers)
        return f"{(finish - begin) * inputs.clock.fps / length:.4g} own/s".replace("-", "−")

    def scaled(self, factor: float) -> Self:
        """Turned over, what is cut off below is cut off above."""
        if factor > 0:
            return super().scaled(factor)
        over = {"below": "above", "above": "below"}.get(self.cut, self.cut)
        turned = self.replaced(lowest=self.highest, highest=self.lowest, cut=over)
        return super(Travel, turned).scaled(factor)

    def factor_about(self, landing: Landing) -> dict[str, Any]:
        """From 1 to somewhat more."""
        return {"begin": 1.0, "finish": 1.0 + SHARE}

    @classmethod
    def suited(cls, landing: Landing) -> dict[str, Any]:
        """A well-seen move over the middle third of the range, and two keys to draw a curve from."""
        third = round(landing.frames / 3)
        start = float(landing.first + third)
        drawn = {"keys": [{"frame": 0.0, "value": 0.0}, {"frame": 100.0, "value": 1.0}]}
        move = {"finish": landing.reach, "start": start, "length": float(third), "highest": landing.reach}
        return move | {"drawn": drawn}


@kernel("float64(float64, float64)")
def bounce_out(u: float, amount: float) -> float:
    """A fall and three leaps, each keeping 1/4 · amount of the height of the one before, its length the square root."""
    keep = min(0.25 * amount, 0.95)
    shrink = math.sqrt(keep)
    # lengths of the fall's half and of the leaps, as parts of the whole
    half = 1.0 / (1.0 + 2.0 * shrink + 2.0 * shrink**2 + 2.0 * shrink**3)
    if u < half:
        return (u / half) * (u / half)
    start, length, height = half, 2.0 * half * shrink, keep
    for _ in range(3):
        if u <= start + length:
            v = 2.0 * (u - start) / length - 1.0
            return 1.0 - height * (1.0 - v * v)
        start, length, height = start + length, length * shrink, height * keep
    return 1.0


@kernel("float64(float64, int64, float64)")
def ease_in(u: float, family: int, amount: float) -> float:
    """A family's own curve; u in [0, 1], from 0 to 1."""
    if family == 0:
        return u
    if family == 1:
        return 1.0 - math.cos(0.5 * math.pi * u)
    if family <= 5:
        return math.pow(u, float(family))
    if family == 6:
        return 0.0 if u == 0.0 else math.pow(2.0, 10.0 * u - 10.0)
    if family == 7:
        return 1.0 - math.sqrt(max(0.0, 1.0 - u * u))
    if family == 8:
        s = 1.70158 * amount
        return u * u * ((s + 1.0) * u - s)
    if family == 9:
        if u == 0.0 or u == 1.0:
            return u
        swings = 10.0 / 3.0 * amount
        return -math.pow(2.0, 10.0 * u - 10.0) * math.sin(2.0 * math.pi * ((u - 1.0) * swings - 0.25))
    return 1.0 - bounce_out(1.0 - u, amount)


@kernel("float64(float64, int64, int64, float64)")
def eased(u: float, family: int, way: int, amount: float) -> float:
    """One of the families, in, out, or in and out; u in [0, 1]."""
    if way == 0:
        return ease_in(u, family, amount)
    if way == 1:
        return 1.0 - ease_in(1.0 - u, family, amount)
    if u < 0.5:
        return 0.5 * ease_in(2.0 * u, family, amount)
    return 1.0 - 0.5 * ease_in(2.0 - 2.0 * u, family, amount)


@kernel("void(float64[::1], int64, int64, int64, float64[:, ::1], float64[::1])")
def travel(frames: Samples, family: int, way: int, after: int, numbers: Samples, out: Samples) -> None:
    """Fill `out`. `numbers` (5, 1 or frames): begin, finish, start, length, amount.

    Parameters
    ----------
    frames : (frames,) array
        Where it is asked.
    numbers : (5, 1 or frames) array
        Begin and finish in the channel's unit, start and length in frames, amount.
    out : (frames,) array
        Filled, in the channel's unit.
    """
    driven = numbers.shape[1] > 1
    for i in range(frames.shape[0]):
        k = i if driven else 0
        u = (frames[i] - numbers[2, k]) / numbers[3, k]
        whole = 0.0
        if u <= 0.0:
            u = 0.0
        elif after == 0:
            u = min(u, 1.0)
        else:
            whole = math.floor(u + 1e-9)
            u = min(max(u - whole, 0.0), 1.0)
            if after == 2 and whole % 2.0 == 1.0:
                u = 1.0 - u
        share = eased(u, family, way, numbers[4, k])
        if after == 3:
            share += whole
        out[i] = numbers[0, k] + (numbers[1, k] - numbers[0, k]) * share
