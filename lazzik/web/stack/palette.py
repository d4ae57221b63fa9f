"""The layer kinds to choose from, each with a small curve of what it does, drawn by evaluating it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np

from lazzik.core.air.wind import Wind
from lazzik.core.channel.channel import Channel, base_value
from lazzik.core.channel.keys import Key
from lazzik.core.channel.layer import Landing, Layer, numbers_of
from lazzik.core.channel.window import Window
from lazzik.core.clock import Clock
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.strata import strata
from lazzik.core.layers import BY_KIND, Clip
from lazzik.core.layers.clip import Track
from lazzik.core.scene.dial import Dial
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.web.ui.sparkline import line

SIZE = (86.0, 40.0)
SMALL = (44.0, 14.0)
"""Of a heading's drawing."""

BEATS = 4
"""How many beats of a layer its drawing shows."""

FPS, LAST = 25.0, 100

MOVE = (Key(frame=14, value=0.0, go="linear"), Key(frame=38, value=1.0, go="linear"))
"""What lies under the kinds that answer to it."""

READ = Dial(id="read", label="Read", value=Channel(keys=(*MOVE, Key(frame=70, value=0.2))))
"""What a kind that reads another number is shown reading, a little less of it and a little later."""


PLAYED = Clip(id="played", label="Played", length=28, tracks=(Track(id="move", label="Move", motion=Channel(
    keys=(Key(frame=0, value=0.0), Key(frame=10, value=1.0), Key(frame=28, value=0.0)))),))  # fmt: skip
"""What a kind that plays a clip is shown playing."""

BLOWN = Node(id="blown", label="Blown", field=Wind(kind="wind", speed=8.0, gusts=0.9, gust_length=3.0, seed=2.0))
"""What a kind that answers the air is shown standing in."""

SOURCES = {"address": f"dials/{READ.id}", "clip": PLAYED.address(PLAYED.tracks[0])}


@dataclass(frozen=True, kw_only=True)
class KindChoice:
    """A kind as it describes itself, and its picture: what lies under it, and what it makes of that."""

    kind: str
    title: str
    summary: str
    family: str
    under: str
    over: str


@cache
def palette() -> tuple[KindChoice, ...]:
    """All kinds that can be chosen by themselves, in the order of the registry."""
    return tuple(_choice(name, kind) for name, kind in BY_KIND.items() if kind.offered)


def _choice(name: str, kind: type[Layer]) -> KindChoice:
    reads = {text: SOURCES[w.what] for text, w in kind.wordings().items() if w.what in SOURCES}
    fields = {"kind": name, "id": "picture", "label": kind.title} | kind.suited(Landing("", 1.0, 0, LAST, FPS)) | reads
    if f"dials/{READ.id}" in reads.values():
        fields |= {"gain": 0.6, "delay": 0.5}
    layer = kind.model_validate(fields)
    clock = Clock.over(FPS, 0, LAST, per_frame=2)
    below = _below(kind)
    scope = Scope(Scene(name="Palette", dials=(READ,), clips=(PLAYED,), last=LAST, fps=FPS, nodes=(BLOWN,)))
    laid = strata(below.replaced(layers=(*below.layers, layer)), clock, scope)
    under = strata(READ.value if SOURCES["address"] in reads.values() else below, clock, scope).result
    low, high = float(min(laid.result.min(), under.min())), float(max(laid.result.max(), under.max()))
    return KindChoice(
        kind=name,
        title=kind.title,
        summary=kind.summary,
        family=kind.family,
        under=line(under, *SIZE, low, high) if np.ptp(under) else "",
        over=line(laid.result, *SIZE, low, high),
    )


def own_picture(layer: Layer, reach: float) -> str:
    """What a layer makes of its own numbers and choices, as SVG path data for a heading: a few of its beats, over what
    its kind answers to. '' for one that reads something elsewhere. `reach` is what is well seen where it lies."""
    if layer.wordings() or not layer.offered:
        return ""
    sized = layer if layer.combine == "multiply" else layer.scaled(1.0 / reach)
    still = {name: base_value(getattr(sized, name)) for name in numbers_of(type(layer)) if name not in layer.own_frames}
    plain = sized.replaced(
        **still | {"weight": 1.0}, window=Window(), muted=False, loop=None, fit=False,
        combine=type(layer).model_fields["combine"].default,
    )  # fmt: skip
    last = min(max(still["period"] * BEATS * FPS, LAST / 2), LAST * 4) if "period" in still else LAST
    below = _below(type(layer))
    laid = strata(
        below.replaced(layers=(*below.layers, plain)),
        Clock.over(FPS, 0, int(last), per_frame=2),
        Scope(Scene(name="Picture", last=int(last), fps=FPS, nodes=(BLOWN,))),
    )
    most = max(float(np.abs(laid.result).max()), 1e-9)
    return line(laid.result, *SMALL, -most, most)  # about its middle, so that a side is seen


def _below(kind: type[Layer]) -> Channel:
    """Nothing for kinds that move by themselves, a move for springs and repeats, a restless one for shapers."""
    if kind.family == "logic":
        restless = BY_KIND["noise"].model_validate(
            {
                "kind": "noise",
                "id": "below",
                "label": "Below",
                "amplitude": 1.0,
                "period": 0.6,
                "octaves": 2.0,
                "seed": 4.0,
            }
        )
        return Channel(layers=(restless,))
    return Channel(keys=MOVE) if _answers(kind) else Channel()


def _answers(kind: type[Layer]) -> bool:
    """Whether a kind reads what lies below: springs do, and whatever takes its place."""
    return kind.family == "spring" or kind.model_fields["combine"].default == "replace"
