"""Particles by themselves, as a card of the page of formats offers them: a PLY file for each frame, a table, or arrays.

Carried: of every particle at every frame its number, place, and in PLY and arrays its speed, age and size, in PLY its
colour. Left out: everything else of the scene.
"""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import ClassVar, Literal

from lazzik.core.evaluate.memo import Memo
from lazzik.core.formats.base import Format
from lazzik.core.formats.carried import particles_in
from lazzik.core.formats.runs import write_run
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.scene import Scene


class ParticleFiles(Format):
    """What emitters send out and what swarms are, without the rest of the scene."""

    name: ClassVar[str] = "particles"
    title: ClassVar[str] = "Particles"
    standard: ClassVar[str] = "PLY, CSV or NumPy"
    ending: ClassVar[str] = "particles.zip"
    media: ClassVar[str] = "application/octet-stream"
    use: ClassVar[str] = "For programs that render, mesh or measure clouds of points."
    carries: ClassVar[str] = (
        "Every particle of emitters and swarms at every frame: its number and place in the scene, metres. zip has a "
        "PLY file for each frame, with speed, size, age and colour; csv is a table of places; npz has arrays with "
        "speed, age, life and size."
    )
    leaves: ClassVar[str] = (
        "Everything else of the scene; how copies are turned and the shells of swarms, which OpenUSD carries."
    )

    form: Literal["particles.zip", "particles.csv", "particles.npz"] = "particles.zip"

    def write(self, scene: Scene, progress: Progress = UNHEARD, memo: Memo | None = None) -> bytes:
        """The bytes of the file. Raises InvalidEdit where nothing sends out particles, or they are too many."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / f"run.{self.form.rpartition('.')[2]}"
            storage = memo.runs if memo else None
            write_run(scene, particles_in(scene), scene.first, scene.last, path, progress, storage)
            return path.read_bytes()
