"""Bakes cut into blocks of channels over those who work: the same keys as of one piece, for each channel is alone."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from lazzik.core.errors import InvalidEdit
from lazzik.work.crew import Crew, blocks_of, in_parts
from lazzik.work.tasks import baked

if TYPE_CHECKING:
    from lazzik.core.bake.baking import BakePlan
    from lazzik.core.progress import Progress
    from lazzik.core.scene.edits.bakes import PlaceBake
    from lazzik.work.source import Readable


def baked_by_all(
    crew: Crew, source: Readable, addresses: Sequence[str], plan: BakePlan, progress: Progress
) -> PlaceBake:
    """The edit that bakes numbers. Raises UnknownAddress, InvalidEdit, Stopped and WorkBroken."""
    if not addresses:
        raise InvalidEdit("Nothing is chosen to bake: no channel has a layer that sounds", "channels")
    blocks = [addresses[block.start : block.stop] for block in blocks_of(len(addresses), crew.most)]
    parts: list[PlaceBake] = in_parts(crew, baked, source, blocks, plan, progress=progress)
    return parts[0].replaced(channels=tuple(channel for part in parts for channel in part.channels))
