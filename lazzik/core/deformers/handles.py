"""The handles of a deformer: its place, its span, its fade, and those of its mask."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace

from lazzik.core.channel.layer import numbers_of
from lazzik.core.deformers.base import Deformer
from lazzik.core.deformers.handle import Handle


def handles_of(deformer: Deformer, numbers: Mapping[str, float]) -> list[Handle]:
    """Span, fade, mask and place of a deformer with these numbers (paths within it)."""
    start, end = numbers["start"], numbers["end"]
    # in the order in which they are drawn: the place, the widest, lies below what is in the same spot
    found = []
    if deformer.placement.of is None:
        place = ("placement.x", "placement.y", "placement.z")
        found.append(Handle("place", "Place of the deformer", (0, 0, 0), place, within=True))
    limits = numbers_of(type(deformer))
    for name, label, at in (("start", "Start of the span", start), ("end", "End of the span", end)):
        if at != limits[name].open_at:  # an open end has no place
            found.append(Handle(name, label, (at, 0, 0), (name,)))
    if deformer.fade != "none":
        origin = {"end": end, "middle": 0.5 * (start + end)}.get(deformer.fade, start)
        sign = -1.0 if deformer.fade == "end" else 1.0
        u = origin + sign * numbers["fade_length"]
        found.append(Handle("fade", "Reach of the fade", (u, 0, 0), ("fade_length",), origin, sign, length=True))
    if deformer.mask is not None:
        own = {path.removeprefix("mask."): value for path, value in numbers.items() if path.startswith("mask.")}
        found += _of_mask(deformer.mask.handles(own))
    return found


def _of_mask(handles: Iterator[Handle]) -> Iterator[Handle]:
    for handle in handles:
        sets = tuple(f"mask.{name}" for name in handle.sets)
        yield replace(handle, name=f"mask-{handle.name}", sets=sets)
