"""Small tasks for workers."""

from __future__ import annotations

import os
import time

import numpy as np

from lazzik.core.errors import InvalidEdit
from lazzik.core.progress import Progress


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


def sleep(progress: Progress) -> None:
    time.sleep(600)
