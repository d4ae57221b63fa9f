"""The long jobs of a server, done by whoever works for it.

Processes of this machine see the server's folder: they read scenes there and write to it. Workers elsewhere are sent
the scene as its file has it, and send back what they made, which is kept here; the bits are the same.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from lazzik.core.progress import Progress
from lazzik.work import tasks
from lazzik.work.bakes import baked_by_all
from lazzik.work.crew import Crew, tried
from lazzik.work.deliveries import made_by_all
from lazzik.work.source import Draft, NamedSource, Readable, SceneText, Source

if TYPE_CHECKING:
    from lazzik.core.bake.baking import BakePlan
    from lazzik.core.bake.rebake import Redone
    from lazzik.core.formats.base import Format
    from lazzik.core.scene.edits.bakes import PlaceBake
    from lazzik.core.scene.morph_targets import ShapeFrames, ShapeTargets
    from lazzik.store.scenes import SceneStore


class LongWork:
    """The jobs over a store's scenes. Each raises Stopped if `progress` does, what the work refuses, and WorkBroken if
    it fails otherwise."""

    def __init__(self, crew: Crew, store: SceneStore) -> None:
        self._crew, self._store = crew, store

    def bake(self, source: Source, addresses: Sequence[str], plan: BakePlan, progress: Progress) -> PlaceBake:
        """The edit that bakes numbers."""
        return baked_by_all(self._crew, self._reached(source), addresses, plan, progress)

    def bake_again(self, source: Source, receipt: str, progress: Progress) -> list[Redone]:
        """What a receipt's channels would become."""
        found: list[Redone] = tried(self._crew, tasks.baked_again, self._reached(source), receipt, progress=progress)
        return found

    def bake_shape(
        self, source: Source, node: str, first: int, last: int, tolerance: float | None, progress: Progress
    ) -> ShapeTargets | ShapeFrames:
        """An object's deformers over a range as targets within a tolerance, or without one as points per frame. What is
        heavy of it is stored."""
        asked = (self._reached(source), node, first, last, tolerance)
        made: ShapeTargets | ShapeFrames
        if self._crew.near:
            made = tried(self._crew, tasks.baked_shape, *asked, progress=progress)
            return made
        made, heavy = tried(self._crew, tasks.sent_shape, *asked, progress=progress)
        for content in heavy:
            self._store.put_asset(content)
        return made

    def deliver(
        self, source: Source, chosen: Format, path: Path, others: Sequence[NamedSource], progress: Progress
    ) -> tuple[str, tuple[str, ...]]:
        """Write a scene in a format to a file, or several states of it that are named; what there is to say of it, in
        short and line by line."""
        told: tuple[str, tuple[str, ...]]
        reached = self._reached(source)
        made = {} if others else made_by_all(self._crew, reached, chosen, progress.part(0.0, 0.6))
        last = progress.part(0.6, 1.0) if made else progress
        if self._crew.near:
            told = tried(self._crew, tasks.delivered, source, chosen, path, others, made, progress=last)
            return told
        named = [replace(other, source=self._reached(other.source)) for other in others]
        content, *told_of = tried(self._crew, tasks.sent_delivery, reached, chosen, named, made, progress=last)
        path.write_bytes(content)
        return told_of[0], told_of[1]

    def simulate(self, source: Source | Draft, node: str, progress: Progress) -> int:
        """Work out what is not there yet of the run that is seen over the scene's range, and keep it; how many
        stretches were."""
        if self._crew.near:
            made: int = tried(self._crew, tasks.simulated, source, node, progress=progress)
            return made
        from lazzik.store.runs import Runs

        runs = Runs(source.folder)
        key, label, stretches = tried(self._crew, tasks.sent_run, self._reached(source), node, progress=progress)
        runs.tell(key, source.scene, label)
        for place, content in stretches.items():
            runs.put_packed(key, place, content)
        return len(stretches)

    def _reached(self, source: Readable) -> Readable:
        """A scene as the crew can read it."""
        if self._crew.near or not isinstance(source, Source):
            return source
        from lazzik.core.scene.serialize import scene_text

        return SceneText(scene_text(self._store.at(source.scene, source.revision)).encode())
