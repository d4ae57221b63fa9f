"""What a format is: one file in this folder, that says of itself what it carries and what it leaves out, and writes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from types import MappingProxyType
from typing import Any, ClassVar, Literal

from lazzik.core.document import Frozen
from lazzik.core.evaluate.memo import Memo
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.scene import Scene

PieceName = Any
"""What tells pieces of a file apart: ids of objects, or what a kind says. It can be hashed, and sent."""

Made = Mapping[PieceName, Any]
"""What pieces of a file came to."""

NOTHING: Made = MappingProxyType({})


@dataclass(frozen=True)
class Written:
    """A file, and what there is to say of how it came out."""

    content: bytes
    summary: str = ""
    """In a sentence."""
    details: tuple[str, ...] = ()


@dataclass(frozen=True)
class NamedScene:
    """A state of a scene, as it is called where several are delivered together."""

    scene: Scene
    name: str
    note: str = ""
    made: str = ""
    """When, in words."""


class Format(Frozen):
    """A form in which a scene can be taken away. Its fields are the choices that a person has."""

    name: ClassVar[str]
    title: ClassVar[str]
    standard: ClassVar[str]
    ending: ClassVar[str]
    media: ClassVar[str]
    use: ClassVar[str]
    """What it is for, in a sentence."""
    carries: ClassVar[str]
    leaves: ClassVar[str]
    """What it leaves out."""
    several: ClassVar[bool] = False
    """Whether it takes several states of the scene at once."""

    def write(self, scene: Scene, progress: Progress = UNHEARD, memo: Memo | None = None) -> bytes:
        """The file's bytes. Raises Stopped."""
        return self.deliver(scene, progress, memo).content

    def deliver(
        self, scene: Scene, progress: Progress = UNHEARD, memo: Memo | None = None, made: Made = NOTHING
    ) -> Written:
        """The file and a report. A kind has this or `write`. What was made of pieces is not made again."""
        return Written(self.write(scene, progress, memo))

    def deliver_all(
        self, states: Sequence[NamedScene], progress: Progress, memo: Memo | None = None, made: Made = NOTHING
    ) -> Written:
        """Several states in one file; the first alone, unless the kind takes several."""
        return self.deliver(states[0].scene, progress, memo, made)

    def pieces(self, scene: Scene) -> list[PieceName]:
        """What of the file can be made by itself, whoever makes it: what takes longest first. Nothing, unless the kind
        says so."""
        return []

    def make(self, scene: Scene, pieces: Sequence[PieceName], progress: Progress, memo: Memo | None = None) -> Made:
        """What some of the pieces come to, for `deliver`. It is sent between processes. Raises Stopped."""
        return NOTHING

    @classmethod
    def choices(cls) -> dict[str, tuple[str, ...]]:
        """The fields that are a choice of words: field -> the words."""
        return {
            name: field.annotation.__args__  # type: ignore[union-attr]
            for name, field in cls.model_fields.items()
            if getattr(field.annotation, "__origin__", None) is Literal
        }


def moving_addresses(scene: Scene) -> list[str]:
    """Addresses of all objects' numbers that change over time."""
    return [f"{node.id}/{path}" for node in scene.nodes for path, _ in node.moving]
