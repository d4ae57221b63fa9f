"""Bakes cut into blocks of channels over those who work: the same keys as of one piece, for each channel is alone."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from lazzik.core.errors import InvalidEdit
from lazzik.work.crew import Crew, in_blocks
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
    parts: list[PlaceBake] = in_blocks(crew, baked, source, addresses, plan, progress=progress)
    return parts[0].replaced(channels=tuple(channel for part in parts for channel in part.channels))
