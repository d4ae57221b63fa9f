"""Runs on disk: a folder for each, named by what it read, in it a file for each stretch of frames.

A file appears whole or not at all. One that is damaged is removed, and worked out anew. Beyond a limit the runs that
were used longest ago go.
"""

from __future__ import annotations

import os
import re
import shutil
from dataclasses import dataclass
from pathlib import Path
from tempfile import NamedTemporaryFile
from time import time

from lazzik.core.simulate.run import KeptFrames, packed, unpacked

LIMIT = 4 * 2**30
"""Bytes that runs may take unless it is said otherwise."""

NAMED = re.compile(r"^[0-9a-f]{64}$")


@dataclass(frozen=True)
class KeptRun:
    """A run that is there."""

    key: str
    bytes: int
    used: float
    """When, in seconds since the epoch."""


class Runs:
    """The runs of a data folder. Safe between processes: files are put in place whole."""

    def __init__(self, folder: Path, limit: int = LIMIT) -> None:
        self.folder = folder / "runs"
        self.limit = limit

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
        try:
            return unpacked(content)
        except ValueError:
            path.unlink(missing_ok=True)
            return None

    def put(self, key: str, place: int, stretch: KeptFrames) -> None:
        """Keep a stretch. Raises OSError if there is no room; nothing is half there then."""
        path = self._file(key, place)
        path.parent.mkdir(parents=True, exist_ok=True)
        with NamedTemporaryFile(dir=path.parent, suffix=".begun", delete=False) as file:
            begun = Path(file.name)
            try:
                file.write(packed(stretch))
                file.flush()
                os.fsync(file.fileno())
                begun.replace(path)
            except BaseException:
                begun.unlink(missing_ok=True)
                raise
        self.keep_within(spare=key)

    def rows(self) -> list[KeptRun]:
        """All of them, those used last first."""
        found = []
        for folder in self.folder.glob("*") if self.folder.is_dir() else ():
            if NAMED.match(folder.name):
                size = sum(path.stat().st_size for path in folder.glob("*") if path.exists())
                found.append(KeptRun(folder.name, size, folder.stat().st_mtime))
        return sorted(found, key=lambda run: -run.used)

    def remove(self, key: str) -> None:
        """Let a run go."""
        shutil.rmtree(self._of(key), ignore_errors=True)

    def keep_within(self, spare: str = "") -> None:
        """Let those go that were used longest ago, as long as there are too many bytes; and what was begun long ago and
        never ended."""
        rows = self.rows()
        too_many = sum(run.bytes for run in rows) - self.limit
        for run in reversed(rows):
            if too_many > 0 and run.key != spare:
                self.remove(run.key)
                too_many -= run.bytes
        for begun in self.folder.glob("*/*.begun"):
            if begun.exists() and begun.stat().st_mtime < time() - 3600:
                begun.unlink(missing_ok=True)

    def _of(self, key: str) -> Path:
        if not NAMED.match(key):
            raise ValueError("that is no name of a run")
        return self.folder / key

    def _file(self, key: str, place: int) -> Path:
        return self._of(key) / f"{place:06d}.npz"
