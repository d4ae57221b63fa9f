"""What commands share that do much at once: `--jobs` processes here, or the workers of a `--cluster`."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from lazzik.core.errors import InvalidEdit, LazzikError
from lazzik.core.progress import Progress

if TYPE_CHECKING:
    from lazzik.work.crew import Crew

Jobs = Annotated[int, typer.Option(min=1, max=64, help="Processes that work at once: a scene each, or parts of one.")]
ClusterAt = Annotated[
    str,
    typer.Option(
        "--cluster",
        help="Workers of a Dask cluster instead, at an address such as tcp://10.0.0.7:8786.",
        metavar="ADDRESS",
    ),
]


class SomeFailed(LazzikError):
    """Some of many scenes could not be worked on; which ones, and why, has been said."""


@contextmanager
def crew_for(jobs: int, cluster: str) -> Iterator[Crew]:
    """Who does the work. Raises NoCluster."""
    with reached(cluster) as there:
        if there is not None:
            yield there
            return
        from lazzik.work.pool import Workers

        crew = Workers(most=jobs)
        try:
            yield crew
        finally:
            crew.close()


@contextmanager
def reached(cluster: str) -> Iterator[Crew | None]:
    """The workers of a cluster, None without an address. Raises NoCluster."""
    if not cluster:
        yield None
        return
    from lazzik.work.cluster import Cluster

    crew = Cluster(cluster)
    try:
        yield crew
    finally:
        crew.close()


@contextmanager
def watched(label: str) -> Iterator[Progress]:
    """A bar on standard error, and the progress that moves it."""
    with typer.progressbar(length=1000, label=label, file=sys.stderr) as bar:
        yield Progress(lambda share, _: bar.update(int(1000 * share) - bar.pos))


def pieces_named(scenes: Sequence[Path], out: Path) -> list[Path]:
    """A file for each of several scenes, its name in the place of {}. Raises InvalidEdit."""
    if "{}" not in out.name:
        raise InvalidEdit(f"Several scenes need {{}} in the name of what is written, as in '{{}}{out.suffix}'", "--out")
    names = [out.with_name(out.name.replace("{}", scene.stem)) for scene in scenes]
    if len(set(names)) < len(names):
        twice = next(name for name in names if names.count(name) > 1)
        raise InvalidEdit(f"Two scenes would be written to '{twice}': give them other names", "--out")
    return names


def do_all(
    crew: Crew, task: Callable[..., list[str]], scenes: Sequence[Path], names: Sequence[Path], *more: Any
) -> None:
    """Have a file made of each of several scenes, and say what became of each. Raises SomeFailed."""
    from lazzik.work.batch import Piece, all_done

    pieces = [Piece(scene, name) for scene, name in zip(scenes, names, strict=True)]
    with watched(f"{len(pieces)} scenes") as progress:
        outcomes = all_done(crew, task, pieces, *more, progress=progress)
    for outcome in outcomes:
        typer.echo(f"{outcome.piece.out}: {outcome.problem or '; '.join(outcome.lines[-1:]) or 'written'}")
    if len(crew.processors) > 1:
        typer.echo(f"They ran on several kinds of processors, and last bits may differ: {', '.join(crew.processors)}")
    if failed := sum(bool(outcome.problem) for outcome in outcomes):
        raise SomeFailed(f"{failed} of {len(outcomes)} scenes could not be written.")
