"""Small tasks for workers."""

from __future__ import annotations

import os
import time
from pathlib import Path

import numpy as np

from lazzik.core.errors import InvalidDocument, InvalidEdit
from lazzik.core.progress import Progress
from lazzik.work.batch import Piece
from lazzik.work.source import SceneText, StoredFile


def add(a: int, b: int, progress: Progress) -> int:
    progress.report(0.5, "adding")
    return a + b


def who(progress: Progress) -> int:
    progress.hear()
    return os.getpid()


def refuse(progress: Progress) -> None:
    raise InvalidEdit("No, thank you", "door")


def break_down(progress: Progress) -> None:
    progress.report(0.5, "motion of Mast")
    raise ValueError("no such luck")


def die(progress: Progress) -> None:
    os._exit(3)


def swell(progress: Progress) -> float:
    return float(np.ones(400 * 2**20 // 8).sum())


def tick(progress: Progress) -> None:
    while True:
        progress.report(0.25, "ticking")
        time.sleep(0.001)


def count(progress: Progress) -> None:
    for n in range(1, 6):
        time.sleep(0.31)  # each is told by itself
        progress.report(n / 10, str(n))


def sleep(progress: Progress) -> None:
    time.sleep(600)


def nap(seconds: float, progress: Progress) -> str:
    time.sleep(seconds)
    return "awake"


def spin(progress: Progress) -> None:
    while True:
        pass


def copied(source: StoredFile | SceneText, out: Path, folder: Path, progress: Progress) -> list[str]:
    """The text of a file in another one. What it says decides what happens."""
    if isinstance(source, SceneText):
        text = source.content.decode()
    elif source.path.exists():
        text = source.path.read_text()
    else:
        raise InvalidDocument("it can't be read")
    if text == "refuse":
        raise InvalidEdit("it is refused")
    if text == "tick":
        tick(progress)
    if text == "end":
        os._exit(3)
    if text == "end once" and not (folder / "tried").exists():
        (folder / "tried").write_text("")
        os._exit(3)
    progress.report(1.0)
    out.write_text(text)
    return [f"{len(text)} letters"]


def pieces(folder: Path, *texts: str) -> list[Piece]:
    """Files with these texts, and a name for what is made of each."""
    made = []
    for n, text in enumerate(texts):
        (folder / f"{n}.txt").write_text(text)
        made.append(Piece(folder / f"{n}.txt", folder / f"{n}.out"))
    return made
