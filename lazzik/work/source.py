"""Where a worker finds the scene that it works on."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING

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
class NamedSource:
    """A state of a scene as it is called where several are delivered."""

    source: Source
    name: str
    note: str = ""
    made: str = ""


@cache
def store_in(folder: Path) -> SceneStore:
    """The scenes of a folder, as this worker knows them."""
    from lazzik.store.database import Database
    from lazzik.store.scenes import SceneStore

    return SceneStore(Database(folder))
