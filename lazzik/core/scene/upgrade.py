"""Documents of earlier versions, brought up to the present one, a step a version, so that scenes look as they did.

1 → 2  Noise reaches its amplitude: what it gave as A·f(n), f its bias, gain and side, lay in a usual stretch between
       A·f(l) and A·f(h), l and h the mean lowest and highest of `layers/noise.py`. The amplitude becomes that reach,
       and an offset keeps its middle:

           A' = A·(f(h) − f(l))/(b − a),   offset = A·f(l) − A'·a,   [a, b] = [−1, 1], [0, 1] or [−1, 0] by side

       Bias and gain are taken over the stretch that is left: Schlick's are Möbius maps, and a part of one is another.
       Twist has an angle at either end of its span: held there, it was −θ at the start; held in the middle, half of it.
       A picture lies as it did, across the axis.

       Keys, layers, receipts, poses and uses of recipes that hold such an amplitude follow. Other kinds became more
       exact too, so receipts get room for what moved.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from pydantic import ConfigDict, TypeAdapter, ValidationError

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.scaling import scaled
from lazzik.core.layers import Number
from lazzik.core.layers.noise import CHARACTERS, REACH, SIDES, reach_of, shaped

Json = Any

MALFORMED = (ValidationError, ValueError, TypeError, KeyError, AttributeError)
"""What a step may stumble over in a document that is none."""

ENDS = {"both": (-1.0, 1.0), "above": (0.0, 1.0), "below": (-1.0, 0.0)}
ROOM_OF_NOISE, ROOM = 0.2, 0.01
"""Part of its span by which a curve with noise, and one without, may have moved from version 1 to 2."""

NUMBER: TypeAdapter[Any] = TypeAdapter(Number, config=ConfigDict(defer_build=True))


def upgraded(document: Json) -> Json:
    """The document, taken by all the steps from its version to the present one. It is changed in place."""
    for version, step in STEPS.items():
        if document["version"] == version:
            step(document)
            document["version"] = version + 1
    return document


def _noise_reaches(document: Json) -> None:
    factors: dict[str, float] = {}
    for part, address in _parts(document):
        for layer, place in _layers(part, address):
            if layer.get("kind") == "noise":
                factors[f"{place}.amplitude"] = _reaching(layer)
    uses = _of_uses(document, factors)
    for node in document.get("nodes", []):
        for deformer in node.get("deform", []):
            if deformer["kind"] == "twist":
                _both_ends(deformer)
    room = ROOM_OF_NOISE if factors else ROOM
    for receipt in document.get("receipts", []):
        for line in receipt["lines"]:
            line["room"] = room
            factor = (factors | uses).get(line["address"], 1.0)
            for name in ("baked", "former_keys"):
                former = _times({"keys": line.get(name, [])}, factor)
                line[name] = former.get("keys", []) if isinstance(former, dict) else []
            line["former_value"] *= factor
            line["worst"] *= abs(factor)
    for pose in document.get("poses", []):
        for held in pose["held"]:
            held["value"] *= (factors | uses).get(held["address"], 1.0)


def _reaching(layer: Json) -> float:
    """Give a noise layer of version 1 the amplitude that it reached; the factor by which that differs."""
    octaves, roughness = _base(layer.get("octaves", 1.0)), _base(layer.get("roughness", 0.5))
    bias, gain = _base(layer.get("bias", 0.5)), _base(layer.get("gain", 0.5))
    side = layer.get("side", "both")
    table = REACH[CHARACTERS.index(layer.get("character", "smooth"))]
    octaves, roughness = min(max(octaves, 1.0), 10.0), min(max(roughness, 0.0), 1.0)

    bias, gain = (min(max(value, 0.001), 0.999) for value in (bias, gain))
    first, last = (shaped(0.5 * (n + 1.0), bias, 0.5) for n in reach_of(table, octaves, roughness))
    lowest, highest = ((2.0 * v - 1.0, v, v - 1.0)[SIDES.index(side)] for v in (
        shaped(first, 0.5, gain), shaped(last, 0.5, gain)))  # fmt: skip
    low, high = ENDS[side]
    if bias != 0.5 and not isinstance(layer["bias"], dict):
        middle = sum(reach_of(table, octaves, roughness)) / 2
        layer["bias"] = _held((shaped(0.5 * (middle + 1.0), bias, 0.5) - first) / (last - first))
    if gain != 0.5 and not isinstance(layer["gain"], dict):
        start, quarter, end = (shaped(first + u * (last - first), 0.5, gain) for u in (0.0, 0.25, 1.0))
        layer["gain"] = _held(2.0 * (quarter - start) / (end - start))
    factor = (highest - lowest) / (high - low)
    was = layer.get("amplitude", 1.0)
    layer["amplitude"] = _times(was, factor)
    if abs(middle := lowest - factor * low) > 1e-9:
        layer["offset"] = _times(was, middle)
    return factor


def _held(share: float) -> float:
    """A bias or a gain within its limits."""
    return min(max(share, 0.001), 0.999)


def _both_ends(twist: Json) -> None:
    """Give a twist of version 1, held at a place of its span, its two angles."""
    held = twist.pop("held", "start")
    angle = twist.get("angle", 90.0)
    if held != "start":
        share = 0.5 if held == "middle" else 1.0
        twist["start_angle"] = _times(angle, -share)
        twist["angle"] = _times(angle, 0.5) if held == "middle" else 0.0
    twist.setdefault("angle", angle)


def _of_uses(document: Json, factors: dict[str, float]) -> dict[str, float]:
    """Change what uses of recipes have of their own in place of such an amplitude; factors by address."""
    exposed = {
        (recipe["id"], item["name"]): factors.get(f"recipes/{recipe['id']}#{item['target']}", 1.0)
        for recipe in document.get("recipes", [])
        for item in recipe.get("exposed", [])
    }
    found: dict[str, float] = {}
    for part, address in _parts(document):
        for layer, place in _layers(part, address):
            if layer.get("kind") != "recipe":
                continue
            for own in layer.get("overrides", []):
                factor = exposed.get((layer["recipe"], own["name"]), 1.0)
                own["value"] = _times(own["value"], factor)
                found[f"{place}.{own['name']}"] = factor
    return found


def _base(number: Json) -> float:
    """A number's constant, or the mean of its keys."""
    if not isinstance(number, dict):
        return float(number)
    values = [key["value"] for key in number.get("keys", [])] or [number.get("value", 0.0)]
    return float(sum(values) / len(values))


def _times(number: Json, factor: float) -> Json:
    """A number so many times as large. What lies in it has been brought up already."""
    if factor == 1.0:
        return number
    larger = scaled(NUMBER.validate_python(number), factor)
    return larger.model_dump(mode="json", exclude_defaults=True) if isinstance(larger, Channel) else larger


def _parts(document: Json) -> Iterator[tuple[Json, str]]:
    """All that holds numbers, with what addresses begin with there."""
    for node in document.get("nodes", []):
        yield node, f"{node['id']}/"
    for dial in document.get("dials", []):
        yield {"": dial.get("value")}, f"dials/{dial['id']}"
    for recipe in document.get("recipes", []):
        yield {"": recipe.get("stack")}, f"recipes/{recipe['id']}"
    for clip in document.get("clips", []):
        for track in clip.get("tracks", []):
            yield {"": track.get("motion")}, f"clips/{clip['id']}.{track['id']}"


def _layers(part: Json, address: str) -> Iterator[tuple[Json, str]]:
    """The layers of everything in a part, those of a layer's own numbers before it, each with its address."""
    for name, value in part.items():
        here = f"{address}{name}"
        if isinstance(value, dict):
            for layer in value.get("layers", []):
                place = f"{here}#{layer['id']}"
                numbers = layer | {own["name"]: own["value"] for own in layer.get("overrides", [])}
                yield from _layers(numbers, f"{place}.")
                yield layer, place
            yield from _layers({k: v for k, v in value.items() if k != "layers"}, f"{here}.")
        elif isinstance(value, list) and name != "layers":
            for item in value:
                if isinstance(item, dict) and "id" in item:
                    yield from _layers(item, f"{here}.{item['id']}.")


STEPS: dict[int, Callable[[Json], None]] = {1: _noise_reaches}
"""By the version that a step begins at."""
