"""Random documents for Hypothesis: layers with every setting, stacks on keyed bases, numbers driven by layers."""

from __future__ import annotations

from hypothesis import strategies as st

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.channel.window import Window
from lazzik.core.layers.noise import CHARACTERS, SIDES, Noise


def numbers(low: float, high: float) -> st.SearchStrategy[float]:
    """Plain numbers in a range."""
    return st.floats(low, high, allow_nan=False).map(lambda value: round(value, 4))


@st.composite
def windows(draw: st.DrawFn) -> Window:
    """Open, half open and closed windows with fades."""
    start = draw(st.none() | st.integers(-20, 80).map(float))
    end = draw(st.none() | st.integers(80, 140).map(float))
    return Window(start=start, end=end, fade_in=draw(numbers(0, 30)), fade_out=draw(numbers(0, 30)))


@st.composite
def keys(draw: st.DrawFn, most: int = 6) -> tuple[Key, ...]:
    """Keys of every sort in order."""
    frames = sorted(draw(st.sets(st.integers(-10, 130), max_size=most)))
    return tuple(
        Key(
            frame=float(frame),
            value=draw(numbers(-20, 20)),
            slope_in=draw(st.none() | numbers(-50, 50)),
            slope_out=draw(st.none() | numbers(-50, 50)),
            go=draw(st.sampled_from(["cubic", "linear", "step"])),
        )
        for frame in frames
    )


@st.composite  # type: ignore[arg-type]
def noises(draw: st.DrawFn, layer_id: str = "noise", *, nested: bool = False, **fixed: object) -> Noise:
    """Noise with any settings; `nested` lets its amplitude and period be keyed or driven."""
    amplitude: float | Channel = draw(numbers(0, 10))
    period: float | Channel = draw(numbers(0.05, 4))
    if nested:
        amplitude = draw(st.just(amplitude) | channels(most_layers=1))
        period = draw(st.just(period) | keys(4).map(lambda k: Channel(value=1.0, keys=k)))
    fields: dict[str, object] = {
        "amplitude": amplitude,
        "period": period,
        "octaves": draw(numbers(1, 6)),
        "roughness": draw(numbers(0, 1)),
        "seed": float(draw(st.integers(0, 10_000))),
        "shift": draw(numbers(-5, 5)),
        "bias": draw(numbers(0.05, 0.95)),
        "gain": draw(numbers(0.05, 0.95)),
        "character": draw(st.sampled_from(CHARACTERS)),
        "side": draw(st.sampled_from(SIDES)),
        "loop": draw(st.none() | st.integers(5, 200).map(float)),
        "weight": draw(numbers(-1, 2)),
        "combine": draw(st.sampled_from(["add", "subtract", "multiply", "replace"])),
        "window": draw(windows()),
    }
    return Noise(kind="noise", id=layer_id, label="Noise", **(fields | fixed))


@st.composite
def channels(draw: st.DrawFn, most_layers: int = 3, *, nested: bool = False) -> Channel:
    """A base with up to so many layers."""
    count = draw(st.integers(0, most_layers))
    layers = tuple(draw(noises(f"layer-{i}", nested=nested, muted=draw(st.booleans()))) for i in range(count))
    return Channel(value=draw(numbers(-20, 20)), keys=draw(keys()), layers=layers)
