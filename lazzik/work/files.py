"""From a scene to a file: delivered, baked or simulated, as the command line asks for it.

Each writes its file whole or not at all, and says in lines what is to be said of it.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from lazzik.core.errors import InvalidDocument, InvalidEdit
from lazzik.core.progress import Progress

if TYPE_CHECKING:
    from lazzik.core.bake.baking import BakePlan
    from lazzik.core.formats.base import Format, Made
    from lazzik.core.scene.edits.bakes import PlaceBake
    from lazzik.core.scene.scene import Scene
    from lazzik.work.source import Readable


@dataclass(frozen=True)
class BakeAsked:
    """A bake as it is asked for: without `every` and `tolerance` fitted, by the usual tolerances."""

    addresses: tuple[str, ...] = ()
    """Without any, all that move."""
    frames: str | None = None
    every: int | None = None
    tolerance: float | None = None
    quick: bool = False

    def __post_init__(self) -> None:
        if self.every is not None and self.tolerance is not None:
            raise InvalidEdit("Choose --every or --tolerance, not both", "--every")

    def plan(self, scene: Scene) -> BakePlan:
        """How a scene is baked. Raises InvalidEdit."""
        from lazzik.core.bake.baking import TOLERANCES, BakePlan

        first, last = frames_of(scene, self.frames)
        if self.every is not None:
            return BakePlan(first, last, "each" if self.every == 1 else "every", self.every)
        within = dict(TOLERANCES) if self.tolerance is None else dict.fromkeys(TOLERANCES, self.tolerance)
        return BakePlan(first, last, "fitted", tolerances=within, thorough=not self.quick)

    def chosen(self, scene: Scene) -> list[str]:
        """What of a scene is baked."""
        from lazzik.core.bake.baking import bakeable

        return list(self.addresses) or bakeable(scene)


def frames_of(scene: Scene, asked: str | None) -> tuple[int, int]:
    """First and last frame, as '0:250' says; the scene's range if nothing is said. Raises InvalidEdit."""
    if asked is None:
        return scene.first, scene.last
    first, colon, last = asked.partition(":")
    try:
        ends = int(first), int(last)
    except ValueError:
        ends = (0, -1)
    if not colon or ends[1] < ends[0]:
        raise InvalidEdit(f"--frames takes a first and a last frame, as 0:250; '{asked}' was given", "--frames")
    return ends


@contextmanager
def whole(out: Path) -> Iterator[Path]:
    """A path to write at; what is there at the end becomes the file, and of what fails nothing stays. Raises
    InvalidDocument where it can't be written."""
    part = out.with_name(f".part-{out.name}")
    try:
        yield part
        part.replace(out)
    except OSError as error:
        raise InvalidDocument(f"'{out}' can't be written: {error.strerror}.") from None
    finally:
        part.unlink(missing_ok=True)


def delivered(source: Readable, out: Path, progress: Progress, made: Made | None = None) -> list[str]:
    """A scene in the format that the file's ending names, of which pieces may be made already."""
    from lazzik.core.formats.registry import format_for

    written = format_for(out.name).deliver(source.read(), progress, made=made or {})
    with whole(out) as part:
        part.write_bytes(written.content)
    return [line for line in (*written.details, written.summary) if line]


def baked(source: Readable, out: Path, asked: BakeAsked, progress: Progress) -> list[str]:
    """A scene with layers turned into keys; the receipt, and what is to be said."""
    from lazzik.core.bake.baking import bake

    scene = source.read()
    placed = bake(scene, asked.chosen(scene), asked.plan(scene), progress=progress.part(0.0, 0.8))
    return baked_to_file(scene, placed, out, progress.part(0.8, 1.0))


def baked_to_file(scene: Scene, placed: PlaceBake, out: Path, progress: Progress) -> list[str]:
    """A scene with a bake in it: as the format that the file's ending names, or as a table of what was baked."""
    writer = writer_for(out)
    after = placed.apply(scene)
    with whole(out) as part:
        part.write_bytes(writer.write(after, progress) if writer else _table(after))
    return _receipt(after, placed)


def writer_for(out: Path) -> Format | None:
    """The format that a baked scene is written in; None for a table. Raises InvalidDocument for an ending that is
    none."""
    from lazzik.core.formats.registry import format_for

    return None if out.suffix == ".csv" else format_for(out.name)


def simulated(source: Readable, out: Path, only: tuple[str, ...], frames: str | None, progress: Progress) -> list[str]:
    """The particles of a scene: of some objects, or of all that have any."""
    from lazzik.core.formats.carried import particles_in
    from lazzik.core.formats.runs import write_run

    scene = source.read()
    first, last = frames_of(scene, frames)
    slugs = particles_in(scene, list(only))
    with whole(out) as part:
        write_run(scene, slugs, first, last, part, progress)
    return []


def _table(scene: Scene) -> bytes:
    from lazzik.core.clock import Clock
    from lazzik.core.formats.csv_curves import write_csv

    receipt = scene.receipts[-1]
    addresses = [line.address for line in receipt.lines]
    return write_csv(scene, addresses, Clock.over(scene.fps, scene.first, receipt.last, start=receipt.first)).encode()


def _receipt(scene: Scene, placed: PlaceBake) -> list[str]:
    from lazzik.core.scene.address import find_at

    rows = [f"frames {placed.first} to {placed.last}, {placed.method}" + (f" {placed.every}" if placed.every else "")]
    width = max(len(channel.address) for channel in placed.channels)
    for channel in placed.channels:
        unit = find_at(scene, channel.address).quantity.unit
        rows.append(
            f"{channel.address:<{width}}  {len(channel.keys):>5} keys  worst {channel.worst:.3g} {unit}".rstrip()
        )
    return [*rows, f"{sum(len(c.keys) for c in placed.channels)} keys on {len(placed.channels)} channels"]
