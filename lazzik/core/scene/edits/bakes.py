"""Placing the outcome of a bake, and taking it back."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.keys import Key
from lazzik.core.document import Finite, Frozen, Slug
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.scene.address import Address, find, title, write
from lazzik.core.scene.edits.base import Edit, free_slug
from lazzik.core.scene.receipt import Method, Receipt, ReceiptLine
from lazzik.core.scene.scene import Scene


class BakedChannel(Frozen):
    """The keys that a bake found for one channel."""

    address: str
    keys: Annotated[tuple[Key, ...], Field(min_length=1)]
    worst: Finite
    between: Finite = 0.0
    """The largest error between the checked sub-frames, where the motion has more to it than they can tell."""


class PlaceBake(Edit):
    """Put baked keys into the bases, mute the layers they stand for, and leave a receipt."""

    do: Literal["place-bake"] = "place-bake"
    first: int
    last: int
    method: Method
    every: int | None = None
    extremes: bool = False
    steps: bool = True
    thorough: bool = False
    tolerances: dict[str, Finite] = {}
    channels: Annotated[tuple[BakedChannel, ...], Field(min_length=1)]

    def apply(self, scene: Scene) -> Scene:
        lines = []
        for baked in self.channels:
            address = Address.parse(baked.address)
            before = find(scene, address).channel
            lines.append(
                ReceiptLine(
                    address=baked.address,
                    keys=len(baked.keys),
                    baked=baked.keys,
                    worst=baked.worst,
                    between=baked.between,
                    former_value=before.value,
                    former_keys=before.keys,
                    former_before=before.before,
                    former_after=before.after,
                    switched_off=tuple(layer.id for layer in before.layers if not layer.muted),
                )
            )
            scene = write(scene, address, lambda channel, keys=baked.keys: _baked(channel, keys))  # type: ignore[misc]
        receipt = Receipt(
            id=free_slug(f"bake-{len(scene.receipts) + 1}", {r.id for r in scene.receipts}),
            first=self.first,
            last=self.last,
            method=self.method,
            every=self.every,
            extremes=self.extremes,
            steps=self.steps,
            thorough=self.thorough,
            tolerances=self.tolerances,
            lines=tuple(lines),
        )
        return scene.replaced(receipts=(*scene.receipts, receipt))

    def describe(self, scene: Scene) -> str:
        if len(self.channels) == 1:
            return f"bake {title(scene, Address.parse(self.channels[0].address))}"
        return f"bake {len(self.channels)} channels"


class BakedAgain(BakedChannel):
    """What comes of baking a channel again: the keys with what was edited by hand, and those of the bake alone."""

    baked: Annotated[tuple[Key, ...], Field(min_length=1)]


class BakeAgain(Edit):
    """Put the outcome of a second bake in the place of the first; the receipt goes on leading back to the source."""

    do: Literal["bake-again"] = "bake-again"
    receipt: Slug
    channels: Annotated[tuple[BakedAgain, ...], Field(min_length=1)]

    def apply(self, scene: Scene) -> Scene:
        receipt = _newest(scene, self.receipt)
        new = {channel.address: channel for channel in self.channels}
        strange = sorted(set(new) - {line.address for line in receipt.lines})
        if strange:
            raise InvalidEdit(f"{receipt.id} did not bake {', '.join(strange)}", receipt.id)
        lines = []
        for line in receipt.lines:
            outcome = new.get(line.address)
            if outcome is None:
                lines.append(line)
                continue
            off = line.switched_off

            def placed(channel: Channel, outcome: BakedAgain = outcome, off: tuple[str, ...] = off) -> Channel:
                layers = tuple(layer.replaced(muted=True) if layer.id in off else layer for layer in channel.layers)
                return channel.replaced(keys=outcome.keys, layers=layers)

            scene = write(scene, Address.parse(line.address), placed)
            lines.append(
                line.replaced(keys=len(outcome.keys), baked=outcome.baked, worst=outcome.worst, between=outcome.between)
            )
        again = receipt.replaced(lines=tuple(lines))
        return scene.replaced(receipts=tuple(again if r.id == receipt.id else r for r in scene.receipts))

    def describe(self, scene: Scene) -> str:
        return f"bake again: {self.receipt}"


class TakeBack(Edit):
    """Undo a bake at any later time: former bases back, its layers on again. Layers added since stay."""

    do: Literal["take-back"] = "take-back"
    receipt: Slug

    def apply(self, scene: Scene) -> Scene:
        receipt = _newest(scene, self.receipt)
        for line in receipt.lines:
            scene = write(scene, Address.parse(line.address), line.source)
        return scene.replaced(receipts=tuple(r for r in scene.receipts if r.id != self.receipt))

    def describe(self, scene: Scene) -> str:
        return f"take back {self.receipt}"


def _newest(scene: Scene, name: str) -> Receipt:
    """A receipt none of whose channels was baked by a later one."""
    place = next((i for i, r in enumerate(scene.receipts) if r.id == name), None)
    if place is None:
        raise UnknownAddress(f"There is no receipt '{name}' in this scene", name)
    receipt, later = scene.receipts[place], scene.receipts[place + 1 :]
    addresses = {line.address for line in receipt.lines}
    if any(line.address in addresses for newer in later for line in newer.lines):
        raise InvalidEdit("These channels were baked again since; take the newer bake back first", name)
    return receipt


def _baked(channel: Channel, keys: tuple[Key, ...]) -> Channel:
    layers = tuple(layer.replaced(muted=True) for layer in channel.layers)
    return channel.replaced(keys=keys, before="hold", after="hold", layers=layers)
