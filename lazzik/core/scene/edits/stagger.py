"""Spreading an offset over a choice, so that copies do not move in step."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from lazzik.core.document import Typed
from lazzik.core.errors import InvalidEdit
from lazzik.core.layers.octaves import lattice
from lazzik.core.scene.address import Address, Place, find, write
from lazzik.core.scene.edits.base import Edit
from lazzik.core.scene.rest_pose import rest_position
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Samples

By = Literal["order", "cycle", "step", "distance", "axis", "random"]


class Stagger(Edit):
    """Give one number of each chosen layer a value of its own.

    order     from `start` to `start + amount`, evenly, in the order of the choice
    cycle     evenly over a turn of `amount`, whose end is its beginning: the n-th of six stands n sixths on
    step      start, start + amount, start + 2·amount …
    distance  the same span by how far the object stands from `point` (metres) or from the object `origin`
    axis      the same span by where the object stands along `axis`
    random    anywhere in the span, by `seed`
    """

    do: Literal["stagger"] = "stagger"
    addresses: Annotated[tuple[str, ...], Field(min_length=1, max_length=10_000)]
    """The numbers: lamp-1/rotation.z#nod.shift, lamp-2/rotation.z#nod.shift …"""
    by: By = "order"
    start: Typed = 0.0
    amount: Typed = 1.0
    origin: str | None = None
    point: tuple[Typed, Typed, Typed] = (0.0, 0.0, 0.0)
    axis: Literal["x", "y", "z"] = "x"
    seed: Typed = 0.0

    def apply(self, scene: Scene) -> Scene:
        addresses = [Address.parse(text) for text in self.addresses]
        places = [find(scene, address) for address in addresses]
        if any(address.layer for address in addresses):
            raise InvalidEdit("A number is staggered, not a whole layer", self.addresses[0])
        values = self.start + self.amount * self._shares(scene, places)
        for address, place, value in zip(addresses, places, values, strict=True):
            quantity = place.quantity
            fitting = float(np.clip(round(value) if quantity.whole else round(value, 6), quantity.low, quantity.high))
            scene = write(scene, address, lambda channel, v=fitting: channel.replaced(value=v, keys=()))  # type: ignore[misc]
        return scene

    def describe(self, scene: Scene) -> str:
        last = Address.parse(self.addresses[0]).hops
        return f"stagger {last[-1].number if last else 'values'} over {len(self.addresses)}"

    def _shares(self, scene: Scene, places: list[Place]) -> Samples:
        """(members,) how much of `amount` each member gets."""
        count = np.arange(len(places), dtype=float)
        match self.by:
            case "step":
                return count
            case "order":
                return count / max(1, len(places) - 1)
            case "cycle":
                return count / len(places)
            case "random":
                seed = int(self.seed)
                return np.array([0.5 + 0.5 * lattice(k, seed, 0) for k in range(len(places))])
        spots = np.array([rest_position(scene, place.node) if place.node else np.zeros(3) for place in places])
        if self.by == "axis":
            return _spread(spots[:, "xyz".index(self.axis)])
        return _spread(np.linalg.norm(spots - self._from(scene), axis=1))

    def _from(self, scene: Scene) -> Samples:
        if self.origin is None:
            return np.array(self.point)
        return rest_position(scene, scene.node(self.origin))


def _spread(values: Samples) -> Samples:
    """0 for the least, 1 for the greatest; 0 for all if they are the same."""
    low, reach = values.min(), np.ptp(values)
    out: Samples = (values - low) / reach if reach > 1e-9 else np.zeros_like(values)
    return out
