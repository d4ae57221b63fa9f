"""Edits of the scene itself: its name, frame rate and range."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from lazzik.core.document import Label, Typed
from lazzik.core.errors import InvalidEdit
from lazzik.core.scene.edits.base import Edit
from lazzik.core.scene.edits.stacks import refit
from lazzik.core.scene.retime import retimed
from lazzik.core.scene.scene import Scene


class ChangeScene(Edit):
    """Rename the scene, or give it another rate or range.

    With another rate keys and windows keep their frame numbers, or, with `keep` 'seconds', stay where they are in time.
    A length in seconds sets the last frame. Loops that follow the range become as long as the new one.
    """

    do: Literal["change-scene"] = "change-scene"
    name: Label | None = None
    fps: Typed | None = None
    first: Typed | None = None
    last: Typed | None = None
    seconds: Annotated[Typed, Field(gt=0)] | None = None
    keep: Literal["frames", "seconds"] = "frames"

    def apply(self, scene: Scene) -> Scene:
        if self.fps is not None and self.fps != scene.fps and self.keep == "seconds":
            scene.replaced(fps=self.fps)  # a rate that no scene can have is refused first
            scene = retimed(scene, self.fps)
        given = {name: getattr(self, name) for name in self.model_fields_set - {"do", "keep", "seconds"}}
        changes = {name: value for name, value in given.items() if value is not None}
        for end in ("first", "last"):
            if end in changes:
                if changes[end] != round(changes[end]):
                    raise InvalidEdit(f"The range runs in whole frames; {changes[end]:g} was given", end)
                changes[end] = round(changes[end])
        if self.seconds is not None:
            first, fps = changes.get("first", scene.first), changes.get("fps", scene.fps)
            changes["last"] = first + max(1, round(self.seconds * fps))
        return refit(scene.replaced(**changes))

    def describe(self, scene: Scene) -> str:
        return "change " + " and ".join(sorted(self.model_fields_set - {"do", "keep"}))
