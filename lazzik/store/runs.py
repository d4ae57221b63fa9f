"""Runs on disk: a folder for each, named by what it read, in it a file for each stretch of frames.

A file appears whole or not at all. One that is damaged is removed, and worked out anew. Beyond a limit the runs that
were used longest ago go. What reads a stretch is imported where one is read: the list of scenes needs none.
"""

from __future__ import annotations

import json
import os
import re
import shutil
from dataclasses import dataclass
from pathlib import Path
from tempfile import NamedTemporaryFile
from time import time
from typing import TYPE_CHECKING

from lazzik.core.errors import UnknownAddress
from lazzik.store.database import NoRoom

if TYPE_CHECKING:
    from lazzik.core.simulate.kept import KeptFrames

LIMIT = 4 * 10**9
"""Bytes that runs may take unless it is said otherwise."""

NAMED = re.compile(r"^[0-9a-f]{64}$")


ABOUT, KEPT, SETTINGS = "about.json", "kept", "settings.json"
"""What a run is of, in its folder; there where it is kept from being removed; and what holds for all, beside them."""


@dataclass(frozen=True)
class KeptRun:
    """A run that is there."""

    key: str
    bytes: int
    used: float
    """When, in seconds since the epoch."""
    kept: bool
    """Whether it stays, whatever the limit."""
    scene: str
    """The id of the scene that it was made for; '' where that is not known."""
    label: str
    """What the object was called."""


class Runs:
    """The runs of a data folder. Safe between processes: files are put in place whole."""

    def __init__(self, folder: Path, limit: int | None = None) -> None:
        self.folder = folder / "runs"
        self._limit = limit

    @property
    def limit(self) -> int:
        """Bytes that runs may take."""
        if self._limit is not None:
            return self._limit
        try:
            return int(json.loads((self.folder / SETTINGS).read_text())["limit"])
        except (OSError, ValueError, KeyError, TypeError):
            return LIMIT

    def bound(self, limit: int) -> None:
        """Set the limit from now on, and let go what is beyond it."""
        self._write(self.folder / SETTINGS, json.dumps({"limit": limit}).encode())
        self.keep_within()

    def there(self, key: str) -> list[int]:
        """Which stretches of a run are there, ascending."""
        return sorted(int(path.stem) for path in self._of(key).glob("*.npz") if path.stem.isdecimal())

    def read(self, key: str, place: int) -> KeptFrames | None:
        """A stretch; None if it is not there, or was damaged and is gone now."""
        path = self._file(key, place)
        try:
            content = path.read_bytes()
            os.utime(path.parent)
        except OSError:
            return None
        from lazzik.core.simulate.kept import unpacked

        try:
            return unpacked(content)
        except ValueError:
            path.unlink(missing_ok=True)
            return None

    def course(self, key: str, place: int) -> tuple[list[int], list[float]] | None:
        """Of each frame of a stretch, how many live and at what pace; None if it is not there, or was damaged."""
        from lazzik.core.simulate.kept import course

        try:
            return course(self._file(key, place))
        except ValueError:
            return None

    def put(self, key: str, place: int, stretch: KeptFrames) -> None:
        """Keep a stretch. Raises NoRoom if there is none; nothing is half there then."""
        from lazzik.core.simulate.kept import packed

        self.put_packed(key, place, packed(stretch))

    def put_packed(self, key: str, place: int, content: bytes) -> None:
        """Keep a stretch that is bytes already. Raises NoRoom."""
        self._write(self._file(key, place), content)
        self.keep_within(spare=key)

    def tell(self, key: str, scene: str, label: str) -> None:
        """Say what a run is of. Raises NoRoom."""
        if not (self._of(key) / ABOUT).exists():
            self._write(self._of(key) / ABOUT, json.dumps({"scene": scene, "label": label}).encode())

    def keep(self, key: str, kept: bool) -> None:
        """Whether a run stays, whatever the limit. Raises UnknownAddress if it is not there."""
        if not self._of(key).is_dir():
            raise UnknownAddress("This run is not there any more", key)
        if kept:
            (self._of(key) / KEPT).touch()
        else:
            (self._of(key) / KEPT).unlink(missing_ok=True)

    def rows(self) -> list[KeptRun]:
        """All of them, those used last first."""
        folders = list(self.folder.glob("*")) if self.folder.is_dir() else []
        found = [row for folder in folders if NAMED.match(folder.name) and (row := _row(folder)) is not None]
        return sorted(found, key=lambda run: -run.used)

    def remove(self, key: str) -> None:
        """Let a run go."""
        shutil.rmtree(self._of(key), ignore_errors=True)

    def keep_within(self, spare: str = "") -> None:
        """Let those go that were used longest ago, as long as there are too many bytes; and what was begun long ago and
        never ended. What is kept stays."""
        rows = self.rows()
        too_many = sum(run.bytes for run in rows) - self.limit
        for run in reversed(rows):
            if too_many > 0 and run.key != spare and not run.kept:
                self.remove(run.key)
                too_many -= run.bytes
        for begun in self.folder.glob("*/*.begun"):
            if begun.exists() and begun.stat().st_mtime < time() - 3600:
                begun.unlink(missing_ok=True)

    def _write(self, path: Path, content: bytes) -> None:
        """Put a file in place whole. Raises NoRoom."""
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            with NamedTemporaryFile(dir=path.parent, suffix=".begun", delete=False) as file:
                begun = Path(file.name)
                try:
                    file.write(content)
                    file.flush()
                    os.fsync(file.fileno())
                    begun.replace(path)
                except BaseException:
                    begun.unlink(missing_ok=True)
                    raise
        except OSError as error:
            raise NoRoom(
                "There is no room left on the disk for more frames of the run, or they can't be written "
                f"({error.strerror}). What is there stays; make room, or remove other runs, and it goes on"
            ) from error

    def _of(self, key: str) -> Path:
        if not NAMED.match(key):
            raise ValueError("that is no name of a run")
        return self.folder / key

    def _file(self, key: str, place: int) -> Path:
        return self._of(key) / f"{place:06d}.npz"


def _row(folder: Path) -> KeptRun | None:
    """What there is to say of a run; None if it goes just now."""
    try:
        size = sum(path.stat().st_size for path in folder.glob("*"))
        used, kept = folder.stat().st_mtime, (folder / KEPT).exists()
    except OSError:
        return None
    try:
        told = json.loads((folder / ABOUT).read_text())
        scene, label = str(told["scene"]), str(told["label"])
    except (OSError, ValueError, KeyError, TypeError):
        scene, label = "", "A run"
    return KeptRun(folder.name, size, used, kept, scene, label)
