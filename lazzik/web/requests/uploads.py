"""Files that come in, laid where a worker can read them."""

from __future__ import annotations

import secrets
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from fastapi import UploadFile

MOST = 2**20
"""Bytes copied at once."""


@contextmanager
def spooled(folder: Path, file: UploadFile) -> Iterator[Path]:
    """A file of its own in the folder, for as long as it is needed."""
    path = folder / f"upload-{secrets.token_hex(6)}"
    try:
        with path.open("wb") as out:
            shutil.copyfileobj(file.file, out, MOST)
        yield path
    finally:
        path.unlink(missing_ok=True)
