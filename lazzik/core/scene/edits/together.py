"""The same change made on several numbers at once: whatever an edit does to one of them, it does to all."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.scaling import moved_base, scaled_base
from lazzik.core.errors import InvalidEdit
from lazzik.core.layers import BY_KIND
from lazzik.core.scene.address import Address, exists, find, find_at, write
from lazzik.core.scene.edits.base import Edit
from lazzik.core.scene.edits.keys import PutKey, SetBeyond
from lazzik.core.scene.edits.layers import SEEDS, AddLayer, ChangeLayer, MoveLayer, RemoveLayer, SwapEnds, SwitchLayer
from lazzik.core.scene.edits.numbers import Nudge, SetNumber
from lazzik.core.scene.edits.recipes import FollowRecipe, UseRecipe
from lazzik.core.scene.edits.sheaves import gathered
from lazzik.core.scene.edits.stacks import PutLayers
from lazzik.core.scene.scene import Scene

OnNumbers = (
    SetNumber
    | PutKey
    | SetBeyond
    | Nudge
    | AddLayer
    | ChangeLayer
    | RemoveLayer
    | SwitchLayer
    | SwapEnds
    | MoveLayer
    | PutLayers
    | UseRecipe
    | FollowRecipe
)
"""The edits that can be made on many numbers as on one."""

Shared = Annotated[OnNumbers, Field(discriminator="do")]


class Together(Edit):
    """Edits of the first of some numbers, made on the others too.

    Layers that are put on several numbers so are one sheaf, each with a seed of its own. A member that has no such
    layer or number is passed over. How a number is set: `same` gives all the same value, `add` moves each by as much
    as the first moves, `times` by as many times.
    """

    do: Literal["together"] = "together"
    channels: Annotated[tuple[str, ...], Field(min_length=1, max_length=10_000)]
    edits: Annotated[tuple[Shared, ...], Field(min_length=1)]
    how: Literal["same", "add", "times"] = "same"

    def apply(self, scene: Scene) -> Scene:
        for edit in self.edits:
            before, scene = scene, self._on_all(scene, edit)
            if isinstance(edit, AddLayer | UseRecipe | PutLayers):
                scene = self._gathered(before, scene, edit)
        return scene

    def describe(self, scene: Scene) -> str:
        first = self.edits[0]
        kind = BY_KIND.get(first.kind) if isinstance(first, AddLayer) else None
        seeds = kind is not None and "seed" in kind.model_fields
        own = ", each with a seed of its own" if seeds else ""
        return f"{first.describe(scene)}, on {len(self.channels)} together{own}"

    def _on_all(self, scene: Scene, edit: Edit) -> Scene:
        first, *others = self.channels
        if edit.where.split("#", 1)[0] != first.split("#", 1)[0] or not edit.where.startswith(first):
            raise InvalidEdit(f"What is done together must begin on {first}", edit.where)
        rest = edit.where[len(first) :]
        before = scene
        seed = edit.own_seed if isinstance(edit, AddLayer) and edit.seed is None else None
        scene = (edit if seed is None else edit.model_copy(update={"seed": seed})).apply(scene)
        for count, other in enumerate(others, 1):
            there = other + rest
            if not exists(scene, there):
                continue
            if isinstance(edit, SetNumber) and self.how != "same":
                scene = self._moved(before, scene, edit, there)
            else:
                own = {} if seed is None else {"seed": (seed + count) % SEEDS}
                scene = edit.model_copy(update={"address": there} | own).apply(scene)
        return scene

    def _gathered(self, before: Scene, scene: Scene, edit: Edit) -> Scene:
        """The scene with the layers that just landed on several numbers in one sheaf, if they are in none."""
        rest = str(Address.parse(edit.where).channel)[len(self.channels[0]) :]
        landed: list[str] = []
        for there in dict.fromkeys(channel + rest for channel in self.channels):
            if exists(scene, there):
                had = {id(layer) for layer in find_at(before, there).channel.layers}
                now = find_at(scene, there).channel.layers
                landed += [f"{there}#{layer.id}" for layer in now if id(layer) not in had and layer.sheaf is None]
        return gathered(scene, landed) if len({text.rpartition("#")[0] for text in landed}) > 1 else scene

    def _moved(self, before: Scene, scene: Scene, edit: SetNumber, there: str) -> Scene:
        was = find_at(before, edit.address).channel.value
        if self.how == "times" and was == 0:
            raise InvalidEdit("A number that is 0 can't be changed by times; add to it instead", edit.address)

        def change(channel: Channel) -> Channel:
            if self.how == "times":
                return scaled_base(channel, edit.value / was)
            return moved_base(channel, edit.value - was)

        address = Address.parse(there)
        place = find(scene, address)
        becomes = change(place.channel).value
        if not place.channel.keys and (problem := place.quantity.checked(becomes)):
            raise InvalidEdit(f"{there} {problem}; it would become {becomes:g}", there)
        return write(scene, address, change)
