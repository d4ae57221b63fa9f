"""Clips: a stretch of motion stored under a name, and the layer kind that plays a track of one.

With φ the frames of the clip gone by since `start` (φ = ∫ speed df, so a keyed speed never skips), L the clip's length
and s the seam:

    hold        y = c(min(φ, L))
    repeat      y = c(φ mod (L − s)), drawn from where the round before ended over the first s frames of each round
    alternate   the same forth and back, without a seam
    accumulate  y = c(φ mod L) + ⌊φ / L⌋ · (c(L) − c(0))

Before `start` the first value holds. All is times `size`. With a seam the round begins on
(1 − w)·c(L − s + v) + w·c(v), v the frames since it began and w the smoothstep of v/s: value and slope meet, whatever
the clip's ends are.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property, partial
from typing import Annotated, Any, ClassVar, Literal, Self

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, model_validator

from lazzik.core.channel.channel import Channel, Number
from lazzik.core.channel.combine import Combine
from lazzik.core.channel.inputs import Inputs, ManyInputs
from lazzik.core.channel.layer import Family, Landing, Layer
from lazzik.core.channel.phase import integrate
from lazzik.core.channel.scaling import scaled
from lazzik.core.document import Finite, Frozen, Label, Name, Option, Quantity, Wording
from lazzik.core.errors import UnknownAddress
from lazzik.core.hermite import smoothstep
from lazzik.core.types import SampleRows, Samples

MOST_TRACKS = 400

LONGEST = 20_000
"""Frames of one clip."""


class Track(Frozen):
    """One number of a clip: its motion from frame 0 to the clip's length."""

    id: Name
    label: Label
    unit: str = ""
    origin: Annotated[str, Field(max_length=2000)] = ""
    """The address that it was taken from."""
    motion: Channel


class Clip(Frozen):
    """A stored stretch of motion of some numbers."""

    id: Name
    label: Label
    length: Annotated[Finite, Field(ge=1, le=LONGEST)]
    """Frames."""
    tracks: Annotated[tuple[Track, ...], Field(min_length=1, max_length=MOST_TRACKS)]

    @model_validator(mode="after")
    def _told_apart(self) -> Self:
        ids = [track.id for track in self.tracks]
        if len(set(ids)) < len(ids):
            raise ValueError("two tracks of one clip share a name")
        return self

    def track(self, name: str) -> Track | None:
        """The track with this name."""
        return next((track for track in self.tracks if track.id == name), None)

    def with_motion(self, name: str, motion: Channel) -> Clip:
        """The clip with another motion on one of its tracks."""
        tracks = tuple(track.replaced(motion=motion) if track.id == name else track for track in self.tracks)
        return self.replaced(tracks=tracks)

    @cached_property
    def reaches(self) -> dict[str, float]:
        """A change that is well seen, by track: a share of what it spans."""
        spans = {track.id: [key.value for key in track.motion.keys] or [0.0] for track in self.tracks}
        return {name: float(f"{0.2 * (max(span) - min(span)):.2g}") or 1.0 for name, span in spans.items()}

    @cached_property
    def quantities(self) -> dict[str, Quantity]:
        """How each track is shown."""
        return {
            track.id: Quantity(track.unit, f"{track.label} in the clip {self.label}.", (-4 * far, 4 * far), far / 100)
            for track, far in zip(self.tracks, self.reaches.values(), strict=True)
        }

    @property
    def seam(self) -> float:
        """Frames over which a repeat is best drawn together: none where the ends of all tracks meet."""
        spans = [[key.value for key in track.motion.keys] for track in self.tracks if track.motion.keys]
        apart = any(abs(row[-1] - row[0]) > 0.02 * (max(row) - min(row)) for row in spans)
        return float(min(12, self.length // 4)) if apart else 0.0

    def address(self, track: Track) -> str:
        """The address of a track."""
        return f"clips/{self.id}.{track.id}"


class Play(Layer):
    """A stored stretch of motion."""

    family: ClassVar[Family] = "path"
    title: ClassVar[str] = "Clip"
    summary: ClassVar[str] = "Plays a stored stretch of motion: repeated, retimed, blended into another."
    idle_at: ClassVar[dict[str, float]] = {"size": 0.0}

    together: ClassVar[bool] = True

    kind: Literal["clip"]
    combine: Combine = "replace"
    source: Annotated[str, Wording("clip", "The track of a clip that is played.")] = ""
    start: Annotated[
        Number,
        Quantity("fr", "Frame on which the clip begins.", (0, 250), 1, moment=True, label="begins at", group="time"),
    ] = 0.0
    speed: Annotated[
        Number,
        Quantity(
            "×", "How fast it plays; keys bend it without a jump.", (0, 4), 0.01, low=-100, high=100, group="time"
        ),
    ] = 1.0
    size: Annotated[Number, Quantity("×", "How large its motion is.", (-2, 2), 0.01)] = 1.0
    seam: Annotated[
        Number,
        Quantity(
            "fr",
            "Frames over which a repeat is drawn out of the round before it.",
            (0, 60),
            1,
            low=0,
            group="time",
            only={"after": ("repeat",)},
        ),
    ] = 0.0
    after: Annotated[
        Literal["hold", "repeat", "alternate", "accumulate"],
        Option(
            "What follows when the clip is over: it stays, plays again, there and back, or goes on from where it is.",
            label="afterwards",
            group="time",
            words={"hold": "stays", "repeat": "again", "alternate": "there and back", "accumulate": "goes on"},
        ),
    ] = "repeat"

    def signal(self, inputs: Inputs) -> Samples:
        """(frames,) the clip. Raises UnknownAddress if there is none."""
        length = float(inputs.clip(self._chosen).length)

        def read(frames: NDArray[np.float64]) -> float | NDArray[np.float64]:
            return inputs.other(self.source, inputs.clock.at(frames))

        y = self._played(np.maximum(self._gone(inputs), 0.0), length, inputs.number("seam"), read)
        return np.asarray(inputs.number("size") * y)

    def signals(self, inputs: ManyInputs) -> SampleRows:
        """(layers, frames) the clip as each plays it."""
        length = float(inputs.clip(self._chosen).length)
        gone = (inputs.clock.frames - inputs.number("start")) * inputs.number("speed")
        read = partial(inputs.other, self.source)
        return inputs.number("size") * self._played(np.maximum(gone, 0.0), length, inputs.number("seam"), read)

    @property
    def _chosen(self) -> str:
        """The address of what it plays. Raises UnknownAddress if there is none."""
        if not self.source:
            raise UnknownAddress(f"'{self.label}' plays nothing yet: save a clip and choose one of its tracks")
        return self.source

    def _played(
        self,
        gone: NDArray[np.float64],
        length: float,
        seam: float | NDArray[np.float64],
        read: Callable[[NDArray[np.float64]], float | NDArray[np.float64]],
    ) -> NDArray[np.float64]:
        """The clip, and what follows it.

        Parameters
        ----------
        gone : array of any shape
            Frames since it began.
        length : frames of the clip.
        seam : float or array
            Frames.
        read : what the clip's number is at frames of its own.

        Returns
        -------
        array of the same shape
            In the clip's unit.
        """

        def clip(frames: NDArray[np.float64]) -> NDArray[np.float64]:
            played = read(frames)
            return np.full(frames.shape, played) if isinstance(played, float | int) else played

        y: NDArray[np.float64]
        match self.after:
            case "hold":
                y = clip(np.minimum(gone, length))
            case "alternate":
                y = clip(length - np.abs(np.mod(gone, 2 * length) - length))
            case "accumulate":
                rise = clip(np.array([0.0, length]))
                y = clip(np.mod(gone, length)) + np.floor(gone / length) * (rise[1] - rise[0])
            case _:
                seam = np.minimum(seam, length / 2)
                within = np.mod(gone, length - seam)
                y = clip(within)
                drawn = (gone >= length - seam) & (within < seam)
                if drawn.any():
                    w = smoothstep(np.where(drawn, within / np.maximum(seam, 1e-9), 1.0))
                    y = (1 - w) * clip(np.minimum(length - seam + within, length)) + w * y
        return y

    def _gone(self, inputs: Inputs) -> Samples:
        """(frames,) frames of the clip gone by since it began; negative before."""
        start, speed = np.asarray(inputs.number("start"), dtype=float), inputs.constant("speed")
        frames = inputs.clock.frames
        if speed is not None:
            return np.asarray((frames - start) * speed)
        begins = np.broadcast_to(start, frames.shape)
        clock = inputs.clock.at(np.concatenate((frames, begins)))
        places = clock.fps * integrate(inputs, ("speed",), lambda speed: speed, clock=clock).cycles
        return np.asarray(places[: len(frames)] - places[len(frames) :])

    @property
    def later(self) -> float | None:
        """The clip is retimed."""
        return None

    def scaled(self, factor: float) -> Self:
        """Its size is."""
        return self.replaced(size=scaled(self.size, factor))

    def references(self) -> frozenset[str]:
        """The track."""
        return frozenset({self.source} if self.source else ())

    @classmethod
    def suited(cls, landing: Landing) -> dict[str, Any]:
        """From the first frame on."""
        return {"start": float(landing.first)}
