"""Edits of marks: named frames of the ruler."""

from __future__ import annotations

from typing import Any, Literal

from lazzik.core.document import InFrames, Label, Slug
from lazzik.core.errors import InvalidEdit
from lazzik.core.scene.edits.base import Edit, free_label, free_slug
from lazzik.core.scene.mark import Mark, MarkColor, Remark
from lazzik.core.scene.scene import Scene


class AddMark(Edit):
    """Name a frame. A name that another mark has gets a number."""

    do: Literal["add-mark"] = "add-mark"
    frame: InFrames
    label: Label = "Mark"
    color: MarkColor = "brick"
    remark: Remark = ""

    def apply(self, scene: Scene) -> Scene:
        label = free_label(self.label, {mark.label for mark in scene.marks})
        slug = free_slug(label, {mark.id for mark in scene.marks})
        mark = Mark(id=slug, label=label, frame=_whole(self.frame), color=self.color, remark=self.remark)
        return scene.replaced(marks=(*scene.marks, mark))

    def describe(self, scene: Scene) -> str:
        return f"mark frame {self.frame:g}"


class ChangeMark(Edit):
    """Give a mark another frame, name, colour or remark. Only what is given changes."""

    do: Literal["change-mark"] = "change-mark"
    mark: Slug
    frame: InFrames | None = None
    label: Label | None = None
    color: MarkColor | None = None
    remark: Remark | None = None

    def apply(self, scene: Scene) -> Scene:
        mark = _mark(scene, self.mark)
        given = {name: getattr(self, name) for name in self.model_fields_set - {"do", "mark"}}
        changes: dict[str, Any] = {name: value for name, value in given.items() if value is not None}
        if self.label is not None:
            others = {other.label for other in scene.marks if other.id != mark.id}
            changes["label"] = free_label(self.label, others)
        if self.frame is not None:
            changes["frame"] = _whole(self.frame)
        new = mark.replaced(**changes)
        return scene.replaced(marks=tuple(new if other.id == mark.id else other for other in scene.marks))

    def describe(self, scene: Scene) -> str:
        label = _mark(scene, self.mark).label
        return f"move mark {label}" if self.model_fields_set == {"do", "mark", "frame"} else f"change mark {label}"


class RemoveMark(Edit):
    """Take a mark away."""

    do: Literal["remove-mark"] = "remove-mark"
    mark: Slug

    def apply(self, scene: Scene) -> Scene:
        gone = _mark(scene, self.mark)
        return scene.replaced(marks=tuple(mark for mark in scene.marks if mark.id != gone.id))

    def describe(self, scene: Scene) -> str:
        return f"remove mark {_mark(scene, self.mark).label}"


def _mark(scene: Scene, slug: str) -> Mark:
    mark = next((mark for mark in scene.marks if mark.id == slug), None)
    if mark is None:
        raise InvalidEdit(f"There is no mark '{slug}' in this scene", slug)
    return mark


def _whole(frame: float) -> int:
    """A mark stands on a whole frame. Raises InvalidEdit for one beyond any scene."""
    if abs(frame) > 1_000_000:
        raise InvalidEdit(f"No scene has a frame {frame:g}", "frame")
    return round(frame)
