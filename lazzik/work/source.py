"""Where a worker finds the scene that it works on."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache, lru_cache
from pathlib import Path
from typing import TYPE_CHECKING

from lazzik.core.errors import InvalidDocument

if TYPE_CHECKING:
    from lazzik.core.scene.scene import Scene
    from lazzik.store.scenes import SceneStore


@dataclass(frozen=True)
class Source:
    """The folder of a database, the id of a scene in it, and a revision."""

    folder: Path
    scene: str
    revision: int

    def read(self) -> Scene:
        """The scene as it was then."""
        return store_in(self.folder).at(self.scene, self.revision)


@dataclass(frozen=True)
class StoredFile:
    """A scene in a file."""

    path: Path

    def read(self) -> Scene:
        """The scene. Raises InvalidDocument."""
        return _scene_of(self.content())

    def content(self) -> bytes:
        """The document. Raises InvalidDocument."""
        try:
            return self.path.read_bytes()
        except OSError as error:
            raise InvalidDocument(f"'{error.filename}' can't be read or written: {error.strerror}.") from None


@dataclass(frozen=True)
class SceneText:
    """A scene as its file has it, for whoever sees no file of ours."""

    content: bytes

    def read(self) -> Scene:
        """The scene. Raises InvalidDocument."""
        return _scene_of(self.content)


@dataclass(frozen=True)
class Draft(SceneText):
    """A state of a scene that nobody stored; with it the folder of the database and the id of that scene."""

    folder: Path
    scene: str


@lru_cache(maxsize=2)
def _scene_of(content: bytes) -> Scene:
    """The scene of a document; that of the last few is kept, since several blocks of work are of one scene."""
    from lazzik.core.scene.serialize import read_scene

    return read_scene(content)


Readable = Source | StoredFile | SceneText
"""Where a scene is."""


@dataclass(frozen=True)
class NamedSource:
    """A state of a scene as it is called where several are delivered."""

    source: Readable
    name: str
    note: str = ""
    made: str = ""


@cache
def store_in(folder: Path) -> SceneStore:
    """The scenes of a folder, as this worker knows them."""
    from lazzik.store.database import Database
    from lazzik.store.scenes import SceneStore

    return SceneStore(Database(folder))
