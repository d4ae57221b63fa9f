"""What the scripts are told of the air: whether there is any, and what of the chosen field can be dragged."""

from __future__ import annotations

from zlib import crc32

from typing_extensions import TypedDict

from lazzik.core.channel.airflow import AIR
from lazzik.core.channel.channel import base_value
from lazzik.core.scene.node import Node
from lazzik.core.scene.references import seen_by
from lazzik.core.scene.scene import Scene
from lazzik.web.air.view import blows, speed_of


class FieldFacts(TypedDict):
    """The chosen field."""

    node: str
    directed: bool
    """Whether it blows one way, so that its handle turns it too."""
    strongest: str
    """The number that the length of its handle sets."""
    speed: float
    """Metres per second."""
    radii: list[tuple[str, float]]
    """(number, metres) of the spheres about it that can be dragged."""
    turned: float
    """Degrees about its own y."""


class AirFacts(TypedDict):
    """The air."""

    key: str
    """Changes when the air does; '' where nothing moves it."""
    field: FieldFacts | None


def air_facts(scene: Scene, node: Node | None) -> AirFacts:
    """Of a scene, and of the chosen object if it moves the air."""
    return {"key": air_key(scene), "field": _field(node) if node is not None and node.field is not None else None}


def air_key(scene: Scene) -> str:
    """Changes whenever the air may be another."""
    if not blows(scene):
        return ""
    parts = repr([(scene.fps, scene.first, scene.last), *seen_by(scene, frozenset({AIR}))])
    return f"{crc32(parts.encode()):08x}"


def _field(node: Node) -> FieldFacts:
    field = node.field
    assert field is not None
    names = [
        *(["inner", "outer"] if field.reach == "within" else []),
        *(["radius"] if hasattr(field, "radius") else []),
    ]
    return {
        "node": node.id,
        "directed": field.kind == "wind",
        "strongest": type(field).strongest,
        "speed": speed_of(field),
        "radii": [(name, base_value(getattr(field, name))) for name in names],
        "turned": base_value(node.rotation.y),
    }
