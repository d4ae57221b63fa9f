"""Curves out of a scene, as tables; and a measured one read."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from lazzik.cli.common import Frames, SceneFile, fail, read_file, write_file
from lazzik.core.errors import InvalidEdit

AT_ONCE = 0.5
"""Seconds that a sample may be evaluated without the compiler, which takes more than that to load."""


def sample(
    scene: SceneFile,
    addresses: Annotated[list[str], typer.Argument(help="Addresses such as beacon/rotation.z", show_default=False)],
    frames: Frames = None,
    step: Annotated[float, typer.Option(help="Frames from one row to the next; may be a part of one.")] = 1.0,
    out: Annotated[Path | None, typer.Option("-o", "--out", help="File to write; without it, the terminal.")] = None,
) -> None:
    """Write channels as CSV: a column of frames and one for each address."""
    import numpy as np

    from lazzik.core.clock import Clock
    from lazzik.core.formats.csv_curves import write_csv
    from lazzik.core.kernels import interpret
    from lazzik.work.files import frames_of

    document = read_file(scene)
    first, last = frames_of(document, frames)
    if not 0.001 <= step <= 1e6:
        raise InvalidEdit(f"--step must lie between 0.001 and 1000000; {step:g} was given", "--step")
    rows = int((last - first) / step + 1e-9) + 1
    if rows > 2_000_000:
        raise InvalidEdit(f"That would be {rows:,} rows; choose fewer frames or a larger step", "--step")
    moments = [first + i * step for i in range(rows)]
    clock = Clock(document.fps, document.first, np.array(moments))
    interpret(AT_ONCE)
    text = write_csv(document, addresses, clock)
    if out is None:
        typer.echo(text, nl=False)
    else:
        write_file(out, text.encode())


def sample_air(
    scene: SceneFile,
    at: Annotated[list[str], typer.Option(help="A place, as x,y,z in metres; repeat for more.")],
    frames: Frames = None,
    out: Annotated[Path | None, typer.Option("-o", "--out", help="File to write; without it, the terminal.")] = None,
) -> None:
    """Write the air at places as CSV: a column of frames, and metres per second along x, y and z at each place."""
    from lazzik.core.formats.csv_curves import write_air
    from lazzik.work.files import frames_of

    document = read_file(scene)
    first, last = frames_of(document, frames)
    text = write_air(document, [_place(each) for each in at], first, last)
    if out is None:
        typer.echo(text, nl=False)
    else:
        write_file(out, text.encode())


def _place(text: str) -> tuple[float, float, float]:
    """A place as it is typed. Raises InvalidEdit."""
    try:
        x, y, z = (float(part) for part in text.split(","))
    except ValueError:
        x = y = z = float("nan")
    if not all(abs(value) <= 1e9 for value in (x, y, z)):
        raise InvalidEdit(f"--at takes a place as x,y,z in metres; '{text[:60]}' was given", "--at")
    return x, y, z


def read(
    curve: Annotated[Path, typer.Argument(help="A table (CSV) with a column 'frame'.", show_default=False)],
    column: Annotated[
        list[str] | None, typer.Option(help="A column, or several; without it, all are read together.")
    ] = None,
    fps: Annotated[float, typer.Option(help="Frames a second of the table.")] = 30.0,
    take: Annotated[str, typer.Option(help="measured, kind, calmer or stronger.")] = "measured",
    loop: Annotated[bool, typer.Option("--loop", help="Recipes go round in the length that repeats best.")] = False,
    out: Annotated[
        Path | None, typer.Option("-o", "--out", help="File for the recipes, as a shelf takes it in.")
    ] = None,
) -> None:
    """Read a measured curve: its trend, its moves and their ringing, its regular swings and what is left as noise;
    and keep the recipe. Swings that several columns share are one."""
    from lazzik.core.formats.csv_curves import read_csv
    from lazzik.core.reading.outcome import loop_line
    from lazzik.library import read_curves, read_recipe, read_report, save_shelf

    try:
        found = read_csv(curve.read_text("utf-8-sig"))
    except (OSError, UnicodeDecodeError) as error:
        fail(f"'{curve}' can't be read: {getattr(error, 'strerror', None) or 'it is no text in UTF-8'}.")
    for name in column or ():
        if name not in found:
            raise InvalidEdit(f"The table has no column '{name[:60]}'; it has {', '.join(found)[:200]}", "--column")
    readings, best = read_curves({name: found[name] for name in column or found}, fps=fps)
    for name, reading in readings.items():
        typer.echo("\n".join([f"{name}:", *(f"  {line}" for line in read_report(reading))]))
    typer.echo(loop_line(best, fps))
    if out is not None:
        length = best.frames if best is not None and loop else None
        items = [read_recipe(reading, name[:120], take=take, loop=length) for name, reading in readings.items()]
        save_shelf(items, out)
