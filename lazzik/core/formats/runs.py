"""Runs of particles as files: a table of rows, arrays, a PLY file for each frame, or OpenUSD."""

from __future__ import annotations

import csv
import io
import zipfile
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path
from typing import IO, Any

import numpy as np

from lazzik.core.cache import Storage
from lazzik.core.errors import InvalidEdit
from lazzik.core.formats.carried import Emitted, emitted
from lazzik.core.formats.usd import write_particles
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.kept import KeptFrames
from lazzik.core.simulate.looks import looks_of

MOST_VALUES = 200_000_000
"""Numbers of a file of arrays, which is held whole."""


def write_table(rows: Iterable[Emitted], out: IO[str]) -> None:
    """frame, object, particle, x, y, z: a row for each particle of each frame, written as they come."""
    writer = csv.writer(out)
    writer.writerow(["frame", "object", "particle", "x", "y", "z"])
    for slug, _, frame, moment in rows:
        for particle, place in zip(moment.ids.tolist(), moment.places.tolist(), strict=True):
            writer.writerow([frame, slug, particle, *map(repr, place)])


def write_arrays(rows: Iterable[Emitted]) -> bytes:
    """A .npz file. Of each object: its frames, where those begin in the rows (`starts`, one more than frames), and of
    every row the particle's number, place and speed (metres, metres per second), age and life (seconds), size (metres).

    Raises
    ------
    InvalidEdit
        Where that would be more than can be held.
    """
    columns: dict[str, dict[str, list[Any]]] = {}
    count = 0
    for slug, run, frame, moment in rows:
        count += 11 * len(moment)
        if count > MOST_VALUES:
            raise InvalidEdit(
                f"By frame {frame} there are more numbers than a file of arrays may hold: choose fewer frames,"
                " or a table (.csv)", "frames",
            )  # fmt: skip
        mine = columns.setdefault(slug, {name: [] for name in ("frames", "starts", *ROWS)})
        mine["frames"].append(frame)
        mine["starts"].append(len(moment))
        sizes, _ = looks_of(run, moment)
        values = (moment.ids, moment.places, moment.speeds, moment.ages, moment.lives, sizes)
        for name, each in zip(ROWS, values, strict=True):
            mine[name].append(each if name == "particles" else each.astype(np.float32))
    out = io.BytesIO()
    arrays: dict[str, Any] = {}
    for slug, mine in columns.items():
        arrays[f"{slug}.frames"] = np.array(mine["frames"])
        arrays[f"{slug}.starts"] = np.concatenate([[0], np.cumsum(mine["starts"])])
        arrays |= {f"{slug}.{name}": np.concatenate(mine[name]) for name in ROWS}
    np.savez_compressed(out, **arrays)
    return out.getvalue()


ROWS = ("particles", "places", "speeds", "ages", "lives", "sizes")
"""What an array has of each particle."""


PLY = np.dtype(
    [(name, "<f4") for name in ("x", "y", "z", "vx", "vy", "vz", "size", "age")]
    + [(name, "u1") for name in ("red", "green", "blue", "alpha")]
    + [("id", "<i4")]
)
"""A particle in a PLY file: metres, metres per second, metres across, seconds; colour as screens code it."""

TYPES = {"f": "float", "u": "uchar", "i": "int"}


def ply_of(row: Emitted) -> bytes:
    """The particles of one frame as a PLY file (G. Turk, 'The PLY polygon file format', 1994), little-endian."""
    slug, run, frame, moment = row
    points = np.zeros(len(moment), dtype=PLY)
    for names, columns in (("xyz", moment.places), (("vx", "vy", "vz"), moment.speeds)):
        for name, column in zip(names, columns.T, strict=True):
            points[name] = column
    sizes, looks = looks_of(run, moment)
    points["size"], points["age"] = sizes, moment.ages
    colors = np.round(255 * looks).astype("u1")
    for name, column in zip(("red", "green", "blue", "alpha"), colors.T, strict=True):
        points[name] = column
    points["id"] = moment.ids
    lines = ["ply", "format binary_little_endian 1.0", f"comment {slug}, frame {frame}; metres, seconds, Y up",
             f"element vertex {len(points)}"]  # fmt: skip
    lines += [f"property {TYPES[PLY[name].kind]} {name}" for name in PLY.names or ()]
    return "\n".join([*lines, "end_header\n"]).encode("ascii") + points.tobytes()


def write_plys(rows: Iterable[Emitted], out: Path) -> None:
    """An archive with a PLY file for each frame of each object, 'snow/00012.ply', written as they come."""
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        for row in rows:
            archive.writestr(f"{row.slug}/{row.frame:05d}.ply", ply_of(row))


def _table(rows: Iterable[Emitted], scene: Scene, path: Path) -> None:
    with path.open("w", newline="") as out:
        write_table(rows, out)


def _arrays(rows: Iterable[Emitted], scene: Scene, path: Path) -> None:
    path.write_bytes(write_arrays(rows))


def _plys(rows: Iterable[Emitted], scene: Scene, path: Path) -> None:
    write_plys(rows, path)


BY_ENDING: dict[str, Callable[[Iterable[Emitted], Scene, Path], None]] = {
    ".csv": _table, ".npz": _arrays, ".zip": _plys,
}  # fmt: skip

USD = (".usdc", ".usda")

ENDINGS = (*BY_ENDING, *USD)
"""What the names of files end in that runs are written to."""


def write_run(
    scene: Scene, slugs: Sequence[str], first: int, last: int, path: Path, progress: Progress = UNHEARD,
    storage: Storage[KeptFrames] | None = None,
) -> None:  # fmt: skip
    """Work out particles, or read those that are kept, and write them in the format that a file's name ends
    in; nothing is there before all is.

    Raises
    ------
    InvalidEdit
        If the ending is none of ours.
    Stopped
        If `progress` does; the file is not there then.
    """
    if path.suffix not in ENDINGS:
        raise InvalidEdit(f"Particles are written as {', '.join(ENDINGS)}; '{path.name}' is none of these", "out")
    begun = path.with_name(f".{path.stem}.begun{path.suffix}")
    try:
        if path.suffix in USD:
            write_particles(scene, slugs, first, last, begun, progress)
        else:
            BY_ENDING[path.suffix](emitted(scene, slugs, first, last, progress, storage), scene, begun)
        begun.replace(path)
    finally:
        begun.unlink(missing_ok=True)
