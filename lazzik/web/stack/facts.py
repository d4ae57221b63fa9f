"""What the scripts are told of a number and its layers, to draw and drag them."""

from __future__ import annotations

from typing_extensions import TypedDict

from lazzik.core.channel.keys import Beyond, Go, Slope
from lazzik.core.channel.window import Window
from lazzik.core.scene.address import Address, find_at, title
from lazzik.core.scene.scene import Scene
from lazzik.web.stack.view import StrataView

MOST_DRAWN = 24
"""Numbers drawn together; more could not be told apart."""


class KeyFacts(TypedDict):
    """A key, its slopes also as they turn out."""

    frame: float
    value: float
    slope_in: Slope
    slope_out: Slope
    go: Go
    settled: tuple[float, float]
    """Slopes before and after it, in units per second."""


class TrackFacts(TypedDict):
    """The keys of a number."""

    channel: str
    title: str
    unit: str
    step: float
    keys: list[KeyFacts]
    before: Beyond
    after: Beyond


class WindowFacts(TypedDict):
    """When a layer acts; null is open."""

    start: float | None
    end: float | None
    fade_in: float
    fade_out: float


class LaneFacts(TypedDict):
    """A layer."""

    id: str
    address: str
    family: str
    window: WindowFacts
    sheaf: str
    """The sheaf that it is in, whose window that is; '' if it is in none."""
    chosen: bool
    feel: tuple[str, str] | None
    """Its numbers that say how fast and how far."""


class StackFacts(TypedDict):
    """The shown number and those chosen beside it; all empty where none is shown."""

    channel: str
    also: list[str]
    tracks: list[TrackFacts]
    unit: str
    step: float
    lanes: list[LaneFacts]


def window_facts(window: Window) -> WindowFacts:
    """Of a window."""
    return {"start": window.start, "end": window.end, "fade_in": window.fade_in, "fade_out": window.fade_out}


def stack_facts(view: StrataView | None, scene: Scene) -> StackFacts:
    """Of the strata that are open, if any are."""
    if view is None:
        return {"channel": "", "also": [], "tracks": [], "unit": "", "step": 1.0, "lanes": []}
    others = [address for _, address in view.also]
    return {
        "channel": view.address,
        "also": others,
        "tracks": [_track(scene, address) for address in (view.address, *others[:MOST_DRAWN])],
        "unit": view.unit,
        "step": view.quantity.step,
        "lanes": [
            {
                "id": lane.layer.id,
                "address": lane.address,
                "family": lane.layer.family,
                "window": window_facts(lane.counted.window),
                "sheaf": lane.sheaf.id if lane.sheaf else "",
                "chosen": lane.chosen,
                "feel": type(lane.layer).feel,
            }
            for lane in view.lanes
        ],
    }


def _track(scene: Scene, address: str) -> TrackFacts:
    place = find_at(scene, address)
    channel = place.channel
    keys: list[KeyFacts] = []
    if channel.keys:
        curve = channel.curve(scene.fps)
        for key, before, after in zip(channel.keys, curve.slopes_in, curve.slopes_out, strict=True):
            keys.append(
                {
                    "frame": key.frame,
                    "value": key.value,
                    "slope_in": key.slope_in,
                    "slope_out": key.slope_out,
                    "go": key.go,
                    "settled": (float(before), float(after)),
                }
            )
    return {
        "channel": address,
        "title": title(scene, Address.parse(address)),
        "unit": place.quantity.unit,
        "step": place.quantity.step,
        "keys": keys,
        "before": channel.before,
        "after": channel.after,
    }
