"""Ripple: rings run out from the origin, or straight waves along one axis; endless, or one pulse.

With r the distance from the axis (or along the side), λ the spacing, t seconds since `begin`, front q = speed·t:

    endless  d = H · e(r) · sin 2π(q − r)/λ    for r ≤ q, the front drawn in over one λ
    pulse    d = H · e(r) · exp(−((r − q)/width)²) · cos 2π(q − r)/λ

e(r) = exp(−r/far), or 1 where `far` is 0. It lives `life` frames and dies over `damping` frames after them; a life of 0
is endless. Inward, r counts from `rim` toward the middle, and rises within a part of λ of it. The speed is integrated.

Rings stay where they were born: where the source moves, with o(τ) its place in the object's space, the ring at p left
it at the time τ at which q(t) − q(τ) = |p − o(τ)|, and that takes the place of r. (Unique while the source is slower
than its rings.)
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from lazzik.core.channel.phase import integrate
from lazzik.core.clock import Clock
from lazzik.core.deformers.base import Deformer, Moments, Numbers, Tracks
from lazzik.core.deformers.extent import Extent
from lazzik.core.document import Option, Quantity
from lazzik.core.hermite import smoothstep
from lazzik.core.kernels import kernel
from lazzik.core.layers import Number  # with its layers resolved
from lazzik.core.types import Frames, Points, RowBlock, Samples, Shares

PER_FRAME = 4
"""Moments of a frame at which a moving source is looked up; straight between them."""

RIM = 0.25
"""Part of the spacing over which rings that run inward rise from their rim."""


class Ripple(Deformer):
    """Rings from a point."""

    title: ClassVar[str] = "Ripple"
    summary: ClassVar[str] = "Rings run out from a point or an object: pools, drums, a knock on a sheet."
    idle_at: ClassVar[dict[str, float]] = {"height": 0.0}
    pushes: ClassVar[bool] = True
    segments: ClassVar[float] = 8.0
    pointwise: ClassVar[bool] = False  # a ring is looked for beside that of the point before

    kind: Literal["ripple"]
    height: Annotated[Number, Quantity("own", "How high the rings are.", (0, 0.2), 0.001)] = 0.05
    spacing: Annotated[
        Number, Quantity("own", "Metres from ring to ring.", (0.02, 1), 0.01, low=1e-4, label="ring spacing")
    ] = 0.25
    speed: Annotated[Number, Quantity("own/s", "Metres a second that they run.", (0, 2), 0.01, low=0, group="time")] = (
        0.5
    )
    width: Annotated[
        Number,
        Quantity(
            "own", "How wide one pulse is.", (0.02, 1), 0.01, low=1e-4, label="pulse width", only={"form": ("pulse",)}
        ),
    ] = 0.25
    begin: Annotated[
        Number, Quantity("fr", "Frame on which it begins.", (0, 250), 1, moment=True, label="begins at", group="time")
    ] = 0.0
    life: Annotated[
        Number, Quantity("fr", "Frames that it lives; 0 is for ever.", (0, 250), 1, low=0, label="lasts", group="time")
    ] = 0.0
    damping: Annotated[
        Number,
        Quantity("fr", "Frames over which it dies after them.", (0, 120), 1, low=0, label="dies over", group="time"),
    ] = 30.0
    far: Annotated[
        Number,
        Quantity(
            "own",
            "Metres at which a third of the height is left; 0 does not fade.",
            (0, 2),
            0.01,
            low=0,
            label="dies out by",
            group="where",
        ),
    ] = 0.0
    rim: Annotated[
        Number,
        Quantity(
            "own",
            "Where rings that run inward set out.",
            (0, 1),
            0.01,
            low=0,
            label="sets out at",
            group="where",
            only={"runs": ("inward",)},
        ),
    ] = 0.5
    form: Annotated[
        Literal["endless", "pulse"],
        Option("Rings without end, or a single one.", label="rings", words={"pulse": "one pulse"}),
    ] = "endless"
    shape: Annotated[
        Literal["rings", "straight"],
        Option(
            "Rings about the middle, or straight waves to both sides of it.",
            label="outline",
            words={"straight": "straight waves"},
        ),
    ] = "rings"
    runs: Annotated[
        Literal["outward", "inward"], Option("Outward from the middle, or inward from a rim.", label="run")
    ] = "outward"
    toward: Annotated[
        Literal["axis", "side", "across", "normals"],
        Option(
            "Which way points are pushed: along the axis, across it one way or the other, or off the surface.",
            label="pushes",
            words={"side": "sideways", "axis": "lengthways", "normals": "outward"},
        ),
    ] = "axis"

    @property
    def moves_itself(self) -> bool:
        """Its waves run."""
        return self.speed != 0.0 and self.height != 0.0

    def plan(self, tracks: Tracks) -> dict[str, NDArray[np.float64]]:
        """How far the front has run since it began, ∫ speed dt from `begin`, if that is one frame. Where the source
        moves, also where it was and how far the front had run at the moments of its past (PER_FRAME a frame), from
        the scene's first frame or the frame on which it began."""
        clock = tracks.clock
        plan = {"front": self._run(tracks, clock), "frame": clock.frames}
        if self.runs == "inward":
            return plan
        begin = float(np.min(tracks.number("begin")))
        first, last = math.floor(min(begin, clock.frames.min())), math.ceil(clock.frames.max())
        past = clock.at(first + np.arange((last - first) * PER_FRAME + 1) / PER_FRAME)
        frames = tracks.frames(past)
        if len(frames) == 1 or not np.ptp(frames[:, 3], axis=0).any():
            return plan
        return plan | {"born": np.concatenate([self._run(tracks, past)[:, None], frames[:, 3]], 1)[None]}

    def _run(self, tracks: Tracks, clock: Clock) -> Samples:
        """(frames,) how far the front has run."""
        run = integrate(tracks, ("speed",), lambda speed: speed, clock=clock).cycles
        begin = np.atleast_1d(np.asarray(tracks.number("begin", clock), dtype=float))
        started = integrate(tracks, ("speed",), lambda speed: speed, clock=Clock(clock.fps, clock.first, begin)).cycles
        return np.asarray(run - started)

    def lifted(self, inside: RowBlock, numbers: Numbers, moments: Moments) -> Shares:
        """(moments, n) the height of the rings."""
        since = moments.of("frame") - numbers["begin"]
        left = (since - numbers["life"]) / np.where(numbers["damping"] > 0, numbers["damping"], 1e-9)
        dies = np.where((numbers["life"] > 0) & (since > numbers["life"]), smoothstep(left), 0.0)
        strength = np.where(since < 0, 0.0, numbers["height"] * (1.0 - dies))[:, None]
        r = np.hypot(inside[:, 1], inside[:, 2]) if self.shape == "rings" else np.abs(inside[:, 1])
        spacing = numbers["spacing"][:, None]
        if self.runs == "inward":
            r = numbers["rim"][:, None] - r
        behind = moments.of("front")[:, None] - r
        if "born" in moments.plan:
            born = np.ascontiguousarray(moments.plan["born"][0])
            rings_born(inside, moments.of("frames"), moments.of("front"), born, self.shape == "rings", behind, r)
        if self.form == "pulse":
            d = np.exp(-((behind / numbers["width"][:, None]) ** 2)) * np.cos(2 * np.pi * behind / spacing)
        else:
            d = np.sin(2 * np.pi * behind / spacing) * smoothstep(behind / spacing)
        d = d * smoothstep(r / RIM / spacing) if self.runs == "inward" else d
        far = numbers["far"][:, None]
        return np.asarray(
            strength * d * np.where(far > 0, np.exp(-np.maximum(r, 0.0) / np.where(far > 0, far, 1.0)), 1.0)
        )

    @property
    def varies(self) -> tuple[int, ...]:
        """Across its axis."""
        return (1,) if self.shape == "straight" else (1, 2)

    def way(self, inside: Points) -> Samples:
        """Away from the axis."""
        return inside[..., 1] if self.shape == "straight" else np.hypot(inside[..., 1], inside[..., 2])

    def detail(self, numbers: Mapping[str, float], length: float) -> float:
        """An eighth of each wave, or so."""
        return numbers["spacing"] / self.segments

    @classmethod
    def suited(cls, extent: Extent) -> dict[str, Any]:
        """Rings across its flattest side, its middle the source."""
        lengths = [high - low for low, high in zip(extent.low, extent.high, strict=True)]
        axis = "xyz"[int(np.argmin(lengths))]
        size = extent.size
        numbers = {"height": size / 25, "spacing": size / 6, "width": size / 6, "speed": size / 5, "rim": size / 2}
        low, high = extent.along(axis)  # type: ignore[arg-type]
        return {"axis": axis, "start": low - size, "end": high + size} | {
            k: float(f"{v:.3g}") for k, v in numbers.items()
        }


@kernel("boolean(float64, float64, float64, float64, float64)")
def had_left(v: float, w: float, place_v: float, place_w: float, since: float) -> bool:
    """Whether what is at a point now had left the source by a moment of the past: whether the front has run farther
    since than from where the source was to the point, both in metres across the axis, by its two ways."""
    dv, dw = v - place_v, w - place_w
    return bool(since > 0.0 and since * since > dv * dv + dw * dw)


@kernel(
    "void(float64[:, :, ::1], float64[:, :, ::1], float64[::1], float64[:, ::1], boolean, float64[:, ::1],"
    " float64[:, ::1])"
)
def rings_born(
    inside: RowBlock, frames: Frames, front: Samples, born: Samples, rings: bool, behind: Shares, r: Shares
) -> None:
    """Fill `behind` with how far the front had run when what is at a point now left the source, and `r` with how far
    it has come since, both (moments, n). front (moments,); born (past, 4): how far it had run, and the source's place.

    The moment is found by halving among those of the past, and between two of them, where both ways are straight, as
    the root of |d + u·d'|² = (c + u·c')².

    Parameters
    ----------
    inside : (moments, 3, n) array
        Metres, in the deformer's coordinates, by rows.
    frames : (moments or 1, 4, 3) array
        Those coordinates.
    front : (moments,) array
        Metres that the front has run.
    born : (past, 4) array
        How far it had run, and the source's place, metres.
    behind, r : (moments, n) arrays
        Filled, metres.
    """
    place_v, place_w = np.zeros(born.shape[0]), np.zeros(born.shape[0])
    for m in range(inside.shape[0]):
        frame = frames[m if frames.shape[0] > 1 else 0]
        count, known = born.shape[0], 0
        while count > 2 and born[count - 2, 0] >= front[m]:
            count -= 1
        for p in range(count):  # where the source was, in the coordinates of now
            place_v[p] = place_w[p] = 0.0
            for k in range(3):
                apart = born[p, 1 + k] - frame[3, k]
                place_v[p] += frame[1, k] * apart
                if rings:
                    place_w[p] += frame[2, k] * apart
        for i in range(inside.shape[2]):
            at_v, at_w = inside[m, 1, i], inside[m, 2, i]
            if not rings:
                at_w = 0.0
            # neighbours were reached at nearly the same time: from there outward, then halving
            width, low = 1, min(known, count - 2)
            while low > 0 and not had_left(at_v, at_w, place_v[low], place_w[low], front[m] - born[low, 0]):
                low = max(0, low - width)
                width *= 2
            high = min(low + 1, count - 1)
            while high < count - 1 and had_left(at_v, at_w, place_v[high], place_w[high], front[m] - born[high, 0]):
                low, high = high, min(count - 1, high + width)
                width *= 2
            while high - low > 1:
                middle = (low + high) // 2
                if had_left(at_v, at_w, place_v[middle], place_w[middle], front[m] - born[middle, 0]):
                    low = middle
                else:
                    high = middle
            known = low
            v, w = at_v - place_v[low], at_w - place_w[low]
            v2, w2 = at_v - place_v[high], at_w - place_w[high]
            dv, dw, c, dc = v2 - v, w2 - w, front[m] - born[low, 0], born[low, 0] - born[high, 0]
            square, half, rest = dv * dv + dw * dw - dc * dc, v * dv + w * dw - c * dc, v * v + w * w - c * c
            u = 0.0
            if rest < 0.0:  # it had left by then
                root = math.sqrt(max(0.0, half * half - square * rest))
                u = -rest / (half + root) if half + root > 0.0 else 1.0
            u = min(1.0, max(0.0, u))
            r[m, i] = math.hypot(v + u * dv, w + u * dw)
            behind[m, i] = front[m] - r[m, i]
