"""States of a scene by a word that addresses of pages carry, so that any two of them can be seen and compared.

now                    the scene at its head, or at the revision that `on` says
31                     the scene at a step of its history
v12                    a version
unbaked.bake-1         what is now without a bake: its layers on again, its keys gone
recipe.gust@a/b.c      what is now with a recipe of the scene in place of the stack on a number
shelf.gust-2@a/b.c     the same with a recipe of the shelf
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated

from fastapi import Depends, Query, Request

from lazzik.core.channel.channel import Channel
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.scene.address import Address, title, write
from lazzik.core.scene.edits.bakes import TakeBack
from lazzik.core.scene.edits.base import Edit, applied
from lazzik.core.scene.edits.from_shelf import TakeFromShelf
from lazzik.core.scene.edits.recipes import UseRecipe
from lazzik.core.scene.scene import Scene
from lazzik.store.scenes import SceneStore
from lazzik.store.shelf_items import ShelfItems, digest
from lazzik.store.versions import Versions
from lazzik.web.drafts import Drafts
from lazzik.web.requests.fields import AskedRevision

LONGEST = 2100

Word = Annotated[str, Query(max_length=LONGEST)]


@dataclass(frozen=True, kw_only=True)
class NamedState:
    """A state of a scene."""

    word: str
    name: str
    """What people call it."""
    scene: Scene
    revision: int | None
    """None for one that nobody stored."""
    on: int
    """The revision that was the head when it was asked for."""


class NamedStates:
    """Where states are found by their words."""

    def __init__(self, store: SceneStore, versions: Versions, shelf: ShelfItems, drafts: Drafts) -> None:
        self._store, self._versions, self._shelf, self._drafts = store, versions, shelf, drafts

    def find(self, scene_id: str, word: str, on: int | None = None) -> NamedState:
        """One of a scene. Raises NoScene, NoVersion, NotOnShelf; InvalidEdit for a word that means nothing."""
        head = self._store.head(scene_id) if on is None else on
        name, revision = self._stored(scene_id, word, head)
        if revision is not None:
            scene = self._store.at(scene_id, revision)
            return NamedState(word=word or "now", name=name, scene=scene, revision=revision, on=head)
        scene = self._store.at(scene_id, head)
        name, made_of, make = self._draft(scene, word)
        made = self._drafts.get((scene_id, head, made_of), make)
        return NamedState(word=word, name=name, scene=made, revision=None, on=head)

    def _stored(self, scene_id: str, word: str, head: int) -> tuple[str, int | None]:
        if word in ("", "now"):
            return "Now", head
        if word.isdecimal() and len(word) < 10:
            return ("The beginning" if int(word) == 0 else f"Step {int(word)}"), int(word)
        if word[:1] == "v" and word[1:].isdecimal() and len(word) < 11:
            version = self._versions.one(scene_id, int(word[1:]))
            return version.name, version.revision
        return "", None

    def _draft(self, scene: Scene, word: str) -> tuple[str, str, Callable[[], Scene]]:
        """What people call a state that nobody stored, what it is made of beside the scene, and how it is made."""
        kind, _, what = word.partition(".")
        if kind == "unbaked" and what:
            return "Before the bake", word, lambda: applied(scene, [TakeBack(receipt=what)])
        name, at, where = what.partition("@")
        if kind in ("recipe", "shelf") and at:
            place = Address.parse(where).channel
            label, made_of, put = self._recipe(scene, kind, name, place)

            def with_recipe() -> Scene:
                bare = write(scene, place, lambda channel: Channel(value=channel.value, keys=channel.keys))
                return applied(bare, [put])

            return f"{label} on {title(scene, place)}", f"{word} {made_of}", with_recipe
        raise InvalidEdit(
            f"'{word[:80]}' is no state of this scene: not now, a step, a version, a bake or a recipe", "of"
        )

    def _recipe(self, scene: Scene, kind: str, name: str, place: Address) -> tuple[str, str, Edit]:
        """What a recipe of the scene or of the shelf is called, what it is beside its name, and the edit that puts it
        on a number."""
        if kind == "shelf":
            item = self._shelf.item(name)
            if item.sort != "recipe":
                raise InvalidEdit(f"{item.label} on the shelf is no recipe of a number", "of")
            return item.label, digest(item), TakeFromShelf(item=item, on=(str(place),))
        recipe = scene.recipe(name)
        if recipe is None:
            raise UnknownAddress(f"There is no recipe '{name[:80]}' in this scene", name[:80])
        return recipe.label, "", UseRecipe(address=str(place), recipe=name)


async def _states(request: Request) -> NamedStates:
    app = request.app.state
    return NamedStates(app.store, app.versions, app.shelf, app.drafts)


StatesOf = Annotated[NamedStates, Depends(_states)]


def _seen(scene_id: str, states: StatesOf, of: Word = "", on: AskedRevision = None) -> NamedState:
    return states.find(scene_id, of, on)


def _beside(scene_id: str, states: StatesOf, beside: Word = "", on: AskedRevision = None) -> NamedState | None:
    return states.find(scene_id, beside, on) if beside else None


Seen = Annotated[NamedState, Depends(_seen)]
"""The state that is asked for: what is now, if nothing is said."""

Beside = Annotated[NamedState | None, Depends(_beside)]
"""The state beside which it is seen, in step with it."""
