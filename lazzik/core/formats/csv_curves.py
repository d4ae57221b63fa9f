"""Curves as comma-separated values (RFC 4180): wide, a column for each address, or long, a row for each value; or the
copies of what is scattered, a row for each on each frame."""

from __future__ import annotations

import csv
import io
from typing import ClassVar, Literal

import numpy as np

from lazzik.core.clock import Clock
from lazzik.core.errors import InvalidDocument, InvalidEdit
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.values import evaluate
from lazzik.core.formats.base import Format, moving_addresses
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.address import find_at
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Samples

MOST_ROWS = 200_000
"""Rows of a table that is read."""

MOST_COPY_ROWS = 1_000_000
"""Rows of a table of copies: some 200 megabytes."""


class CsvCurves(Format):
    """Every number that moves, as a table."""

    name: ClassVar[str] = "csv"
    title: ClassVar[str] = "Curves"
    standard: ClassVar[str] = "CSV"
    ending: ClassVar[str] = "csv"
    media: ClassVar[str] = "text/csv; charset=utf-8"
    use: ClassVar[str] = "For spreadsheets, scripts and controllers."
    carries: ClassVar[str] = (
        "The result at every whole frame, at full precision: wide has a column for each number "
        "that moves, long a row for each of its values, with its unit; copies has a row for each copy of what is "
        "scattered, with its place, turn and size in the scene."
    )
    leaves: ClassVar[str] = (
        "Geometry, cloth with it; numbers that stand still; what lies between frames; particles and swarms, which "
        "have a card of their own."
    )

    layout: Literal["wide", "long", "copies"] = "wide"

    def write(self, scene: Scene, progress: Progress = UNHEARD, memo: Memo | None = None) -> bytes:
        """The table as UTF-8. Raises InvalidEdit where copies have too many rows."""
        if self.layout == "copies":
            return write_copies(scene, progress, memo).encode()
        layout = write_csv if self.layout == "wide" else write_long_csv
        return layout(scene, moving_addresses(scene), scene.clock(), memo).encode()


def write_csv(scene: Scene, addresses: list[str], clock: Clock, memo: Memo | None = None) -> str:
    """The text of the wide table. Values are written so that reading them gives the same float64 again."""
    columns = evaluate(scene, addresses, clock, memo)
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["frame", *addresses])
    for i, frame in enumerate(clock.frames):
        writer.writerow([f"{frame:.10g}", *(repr(float(columns[a][i])) for a in addresses)])
    return out.getvalue()


def write_long_csv(scene: Scene, addresses: list[str], clock: Clock, memo: Memo | None = None) -> str:
    """The text of the long table: address, unit, frame, value."""
    columns = evaluate(scene, addresses, clock, memo)
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["address", "unit", "frame", "value"])
    for address in addresses:
        unit = find_at(scene, address).quantity.unit
        for frame, value in zip(clock.frames, columns[address], strict=True):
            writer.writerow([address, unit, f"{frame:.10g}", repr(float(value))])
    return out.getvalue()


def write_copies(scene: Scene, progress: Progress = UNHEARD, memo: Memo | None = None) -> str:
    """The text of the table of copies: a row for each copy of each scatter on each frame; metres, x y z w, times.

    Raises
    ------
    InvalidEdit
        Where it would have more than `MOST_COPY_ROWS`.
    """
    # a table of curves, which is what is mostly asked for, needs none of these
    from lazzik.core.evaluate.airflow import world_of
    from lazzik.core.evaluate.copies import copies_of
    from lazzik.core.evaluate.riding import standing
    from lazzik.core.evaluate.variants import placed

    clock, scope = scene.clock(), Scope(scene, memo or Memo())
    scattered = [(node, copies_of(scene, node, scope)) for node in scene.nodes if node.scatter is not None]
    rows = sum(len(copies) for _, copies in scattered) * len(clock.frames)
    if rows > MOST_COPY_ROWS:
        raise InvalidEdit(
            f"A table of all copies would have {rows:,} rows; {MOST_COPY_ROWS:,} are the most: scatter fewer, or"
            " shorten the range.", "layout",
        )  # fmt: skip
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["scatter", "copy", "source", "frame", "x", "y", "z", "qx", "qy", "qz", "qw", "size"])
    for node, copies in progress.over(scattered, lambda pair: pair[0].label):
        assert node.scatter is not None
        above = world_of(scene, node, clock, scope)
        named = [node.scatter.sources[place] for place in copies.sources.tolist()]
        ids = copies.ids.tolist()
        for matrix, (frame, places, turns) in zip(above, standing(scene, node, copies, clock, scope), strict=True):
            places, turns, sizes = placed(places, turns, copies.sizes, matrix)
            values = np.concatenate([places, turns, sizes[:, None]], axis=1).tolist()
            for copy, source, row in zip(ids, named, values, strict=True):
                writer.writerow([node.id, copy, source, f"{frame:.10g}", *map(repr, row)])
    return out.getvalue()


def read_csv(text: str) -> dict[str, tuple[Samples, Samples]]:
    """Curves of a wide or a long table: name -> ((keys,) frames, (keys,) values), rising in time.

    Returns
    -------
    dict of ((keys,) array, (keys,) array)
        Frames, rising, and values as they are written.

    Raises
    ------
    InvalidDocument
        Saying what is wrong and in which row.
    """
    try:
        rows = list(csv.reader(io.StringIO(text), strict=True))
    except csv.Error as error:
        raise InvalidDocument(f"This is not a table that can be read: {error}.") from None
    rows = [row for row in rows if any(cell.strip() for cell in row)]
    if len(rows) < 2:
        raise InvalidDocument("The table has no rows of numbers under its headings.")
    if len(rows) > MOST_ROWS:
        raise InvalidDocument(f"The table has {len(rows):,} rows; {MOST_ROWS:,} are the most.")
    head = [cell.strip() for cell in rows[0]]
    if "frame" not in head:
        raise InvalidDocument("The table's first row must name its columns, one of them 'frame'.")
    if len(set(head)) < len(head):
        raise InvalidDocument("Two columns of the table have the same heading.")
    if {"address", "value"} <= set(head):
        return _long(head, rows[1:])
    frames = _column(rows, head.index("frame"), "frame")
    named = {name: _column(rows, place, name) for place, name in enumerate(head) if name and name != "frame"}
    if not named:
        raise InvalidDocument("The table has no column beside the frames.")
    return {name: _rising(frames, values, name) for name, values in named.items()}


def _long(head: list[str], rows: list[list[str]]) -> dict[str, tuple[Samples, Samples]]:
    places = [head.index(name) for name in ("address", "frame", "value")]
    found: dict[str, list[tuple[float, float]]] = {}
    for number, row in enumerate(rows, 2):
        if len(row) <= max(places):
            raise InvalidDocument(f"Row {number} of the table is too short.")
        address, frame, value = (row[place] for place in places)
        found.setdefault(address, []).append((_number(frame, number, "frame"), _number(value, number, "value")))
    return {name: _rising(np.array(p)[:, 0], np.array(p)[:, 1], name) for name, p in found.items()}


def _column(rows: list[list[str]], place: int, name: str) -> Samples:
    values = []
    for number, row in enumerate(rows[1:], 2):
        if len(row) <= place:
            raise InvalidDocument(f"Row {number} of the table has no value under '{name[:60]}'.")
        values.append(_number(row[place], number, name))
    return np.array(values)


def _number(text: str, row: int, name: str) -> float:
    try:
        value = float(text)
    except ValueError:
        value = np.nan
    if not abs(value) <= 1e9:
        raise InvalidDocument(f"'{text[:40]}' in row {row} under '{name[:60]}' is not a number that can be used.")
    return value


def _rising(frames: Samples, values: Samples, name: str) -> tuple[Samples, Samples]:
    order = np.argsort(frames, kind="stable")
    if len(frames) > 1 and np.min(np.diff(frames[order])) < 1e-6:
        raise InvalidDocument(f"Two rows under '{name[:60]}' have the same frame.")
    return frames[order], values[order]


def write_air(scene: Scene, places: list[tuple[float, float, float]], first: int, last: int) -> str:
    """The text of a table of the air: a row for each frame, three columns for each place, in metres per second."""
    from lazzik.core.evaluate.airflow import air  # as above

    clock = Clock.over(scene.fps, scene.first, last, start=first)
    blown = air(np.array(places)[None], clock, Scope(scene))
    out = io.StringIO()
    writer = csv.writer(out)
    named = [" ".join(f"{value:g}" for value in place) for place in places]
    writer.writerow(["frame", *(f"{axis} at {name}" for name in named for axis in "xyz")])
    for frame, row in zip(clock.frames, blown.reshape(len(clock.frames), -1).tolist(), strict=True):
        writer.writerow([f"{frame:.10g}", *(repr(value) for value in row)])
    return out.getvalue()
