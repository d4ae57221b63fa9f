"""Scenes made into files: simulated, baked, delivered; many of them at once, or parts of one."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from lazzik.cli.common import MANY, WORK, Frames, ScenesFiles, read_file
from lazzik.cli.crews import ClusterAt, Jobs, crew_for, do_all, pieces_named, watched

if TYPE_CHECKING:
    from lazzik.work.crew import Crew
    from lazzik.work.source import Readable, StoredFile


def simulate_scene(
    scenes: ScenesFiles,
    out: Annotated[Path, typer.Option("-o", "--out", help=f"File to write: .csv, .npz, .usdc or .usda. {MANY}")],
    only: Annotated[
        list[str] | None, typer.Option(help="An emitter or a swarm; repeat for more. Without it, all.")
    ] = None,
    frames: Frames = None,
    jobs: Jobs = 1,
    cluster: ClusterAt = "",
) -> None:
    """Work out particles and write them: as a table (frame, object, particle, x, y, z), as arrays, or as points of
    OpenUSD. Of several scenes, what one refuses stops no other."""
    from lazzik.work.files import simulated
    from lazzik.work.source import StoredFile

    more = (tuple(only or ()), frames)
    if len(scenes) > 1 or cluster:
        _do_all(simulated, scenes, out, jobs, cluster, *more)
        return
    with watched("Simulating") as progress:
        simulated(StoredFile(scenes[0]), out, *more, progress)


def bake_scene(
    scenes: Annotated[
        list[str],
        typer.Argument(
            help="A scene as JSON, or several, then the addresses to bake; without any, all that move.",
            show_default=False,
            metavar="SCENE… [ADDRESS]…",
        ),
    ],
    out: Annotated[
        Path,
        typer.Option(
            "-o",
            "--out",
            help=f"OUT.json, OUT.glb, OUT.gltf, OUT.usdz, OUT.usdc, OUT.usda, OUT.svg or OUT.csv. {MANY}",
        ),
    ],
    only: Annotated[
        list[str] | None, typer.Option(help="An address to bake; repeat for more. Default: all that move.")
    ] = None,
    frames: Frames = None,
    every: Annotated[int | None, typer.Option(help="A key on every n-th frame; 1 is each.")] = None,
    tolerance: Annotated[float | None, typer.Option(help="Fitted, within this much in the channel's own unit.")] = None,
    quick: Annotated[
        bool, typer.Option("--quick", help="Fitted in a tenth of the time, with some 3 to 6 % more keys.")
    ] = False,
    jobs: Jobs = 1,
    cluster: ClusterAt = "",
) -> None:
    """Bake channels to keys and print the receipt. Without --every and --tolerance: fitted, by the usual tolerances. Of
    several scenes, what one refuses stops no other."""
    from lazzik.core.bake.baking import bake
    from lazzik.work.bakes import baked_by_all
    from lazzik.work.files import BakeAsked, baked, baked_to_file, writer_for
    from lazzik.work.source import StoredFile

    files = [Path(name) for name in scenes if name.endswith(".json")] or [Path(scenes[0])]
    addresses = [name for name in scenes if Path(name) not in files]
    writer_for(out)
    asked = BakeAsked((*(only or ()), *addresses), frames, every, tolerance, quick)
    if len(files) > 1:
        _do_all(baked, files, out, jobs, cluster, asked)
        return
    scene = read_file(files[0])
    plan, chosen = asked.plan(scene), asked.chosen(scene)
    if jobs > 1 or cluster:
        with crew_for(jobs, cluster) as crew, watched("Baking") as progress:
            placed = baked_by_all(crew, _seen_by(crew, StoredFile(files[0])), chosen, plan, progress)
    else:
        placed = bake(scene, chosen, plan, progress=WORK)
    typer.echo("\n".join(baked_to_file(scene, placed, out, WORK)))


def deliver(
    scenes: ScenesFiles,
    out: Annotated[
        Path, typer.Option("-o", "--out", help=f"What to write; its ending says the format. {MANY}")
    ],
    jobs: Jobs = 1,
    cluster: ClusterAt = "",
) -> None:  # fmt: skip
    """Write scenes in a format: glTF (.glb, .gltf), OpenUSD (.usdz, .usdc, .usda), curves (.csv, .curves.json),
    outlines (.svg), a page for review (.html) or the scene itself (.json). Of several, what one refuses stops no
    other."""
    from lazzik.core.formats.registry import format_for
    from lazzik.work.deliveries import made_by_all
    from lazzik.work.files import delivered
    from lazzik.work.source import StoredFile

    chosen = format_for(out.name)
    # what can't be parted goes to a cluster whole
    if len(scenes) > 1 or (cluster and not chosen.pieces(read_file(scenes[0]))):
        _do_all(delivered, scenes, out, jobs, cluster)
        return
    source, made = StoredFile(scenes[0]), None
    if jobs > 1 or cluster:
        with crew_for(jobs, cluster) as crew, watched("Delivering") as progress:
            made = made_by_all(crew, _seen_by(crew, source), chosen, progress)
    for line in delivered(source, out, WORK, made):
        typer.echo(line)


def _do_all(task: Callable[..., list[str]], scenes: list[Path], out: Path, jobs: int, cluster: str, *more: Any) -> None:
    """Have files made of scenes, so many at once."""
    names = pieces_named(scenes, out) if len(scenes) > 1 else [out]
    with crew_for(jobs, cluster) as crew:
        do_all(crew, task, scenes, names, *more)


def _seen_by(crew: Crew, source: StoredFile) -> Readable:
    """A scene in a file as a crew can read it."""
    from lazzik.work.source import SceneText

    return source if crew.near else SceneText(source.content())
