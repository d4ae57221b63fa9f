"""Edits of the scene itself: its name, frame rate and range."""

from __future__ import annotations

from typing import Literal

from lazzik.core.document import Label, Typed
from lazzik.core.errors import InvalidEdit
from lazzik.core.scene.edits.base import Edit
from lazzik.core.scene.edits.stacks import refit
from lazzik.core.scene.scene import Scene


class ChangeScene(Edit):
    """Rename the scene, or give it another rate or range (keys and windows keep their frame numbers).

    Loops that follow the range become as long as the new one."""

    do: Literal["change-scene"] = "change-scene"
    name: Label | None = None
    fps: Typed | None = None
    first: Typed | None = None
    last: Typed | None = None

    def apply(self, scene: Scene) -> Scene:
        given = {name: getattr(self, name) for name in self.model_fields_set - {"do"}}
        changes = {name: value for name, value in given.items() if value is not None}
        for end in ("first", "last"):
            if end in changes:
                if changes[end] != round(changes[end]):
                    raise InvalidEdit(f"The range runs in whole frames; {changes[end]:g} was given", end)
                changes[end] = round(changes[end])
        return refit(scene.replaced(**changes))

    def describe(self, scene: Scene) -> str:
        return "change " + " and ".join(sorted(self.model_fields_set - {"do"}))
