"""The command line: the same engine without a screen."""

from __future__ import annotations

import gc
import logging
import os
import socket
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, NoReturn

import typer

# Work is shared out by the program; linear algebra that starts threads of its own would only stand in their way. (Said
# before any of it is loaded; workers inherit it.)
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

from lazzik.core.errors import InvalidEdit, LazzikError
from lazzik.core.progress import Progress
from lazzik.crews import ClusterAt, Jobs, crew_for, do_all, pieces_named, reached, watched

if TYPE_CHECKING:
    from collections.abc import Callable

    from lazzik.core.scene.scene import Scene
    from lazzik.store.shelf_items import ShelfItems
    from lazzik.work.crew import Crew
    from lazzik.work.source import Readable, StoredFile

app = typer.Typer(help="Procedural motion in layers, baked to keys.", no_args_is_help=True, add_completion=False)

SceneFile = Annotated[Path, typer.Argument(help="A scene as JSON.", show_default=False)]
ScenesFiles = Annotated[list[Path], typer.Argument(help="A scene as JSON, or several.", show_default=False)]
MANY = "For several scenes with {} where the name of each goes: 'films/{}.glb'."
Frames = Annotated[str | None, typer.Option(help="First and last frame, as 0:250. Without it, the scene's range.")]


shelf_app = typer.Typer(
    help="What all scenes of a data folder share: recipes, clips, poses, materials.", no_args_is_help=True
)
app.add_typer(shelf_app, name="shelf")

DataFolder = Annotated[Path, typer.Option(help="Folder of the database; made if it is not there.")]

LOG = logging.getLogger("lazzik")

BACKLOG = 512
"""Connections that wait to be taken."""


AT_ONCE = 0.5
"""Seconds that a sample may be evaluated without the compiler, which takes more than that to load."""


class _Work(Progress):
    """Remembers what is being done, so that a failure can say where it was."""

    said = ""

    def __init__(self) -> None:
        super().__init__(self._remember)

    def _remember(self, _: float, said: str) -> None:
        self.said = said or self.said


WORK = _Work()


def main() -> None:
    """Run a command; what the person did wrong is one sentence on standard error and exit code 1."""
    logging.basicConfig(level=os.environ.get("LAZZIK_LOG", "warning").upper())
    try:
        app()
    except LazzikError as error:
        _fail(error.message)
    except Exception as error:
        at = f" at '{WORK.said}'" if WORK.said else ""
        LOG.debug("failed%s", at, exc_info=True)
        _fail(f"Something went wrong{at} that should not have: {type(error).__name__}. LAZZIK_LOG=debug tells where.")


@app.command()
def serve(
    data: Annotated[Path, typer.Option(help="Folder of the database; made if it is not there.")] = Path("data"),
    host: Annotated[str, typer.Option(help="Address to listen on; only this machine by default.")] = "127.0.0.1",
    port: Annotated[int, typer.Option(help="Port to listen on; 0 takes any that is free.")] = 8460,
    demo: Annotated[bool, typer.Option(help="Add the demo scene if there is no scene yet.")] = False,
    password: Annotated[
        str, typer.Option(envvar="LAZZIK_PASSWORD", help="Asked of everybody; needed if others can reach the server.")
    ] = "",
    cluster: ClusterAt = "",
) -> None:
    """Start the application."""
    gc.disable()  # what is made while the program is put together stays: nobody need look through it again and again
    import uvicorn

    from lazzik.store.database import claimed
    from lazzik.web.app import create_app
    from lazzik.web.login.door import SHORTEST, is_this_machine
    from lazzik.web.requests.protocol import TimedProtocol

    if not password and not is_this_machine(host):
        _fail(
            f"On {host} others can reach the server, and whoever reaches it can change everything: set a password with "
            "--password or LAZZIK_PASSWORD."
        )
    if password and len(password) < SHORTEST:
        _fail(f"The password needs at least {SHORTEST} characters.")
    with claimed(data), listening(host, port) as ours, reached(cluster) as crew:
        port = ours.getsockname()[1]
        application = create_app(data, host=host, with_demo=demo, crew=crew, password=password)
        gc.freeze()
        gc.enable()
        typer.echo(f"Lazzik is at http://{f'[{host}]' if ':' in host else host}:{port}/  (Ctrl+C stops it)")
        sys.stdout.flush()  # whoever started it may be reading
        # pages that listen to a job must not keep the server from stopping
        settings = uvicorn.Config(
            application, host=host, port=port, http=TimedProtocol, log_level="warning", timeout_graceful_shutdown=3
        )
        uvicorn.Server(settings).run(sockets=[ours])


def listening(host: str, port: int) -> socket.socket:
    """A socket at the address, held from now on.

    It names its protocol: only of one that does, asyncio sends small pieces at once. A head and a body are two, and the
    second would wait for the other side to acknowledge the first, which takes 40 ms.
    """
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    ours = socket.socket(family, socket.SOCK_STREAM, socket.IPPROTO_TCP)
    ours.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        ours.bind((host, port))
        ours.listen(BACKLOG)  # who asks from now on waits until the application is there
    except OSError:
        ours.close()
        _fail(f"{host}:{port} can't be listened on; perhaps Lazzik runs there already. Choose another with --port.")
    return ours


@app.command()
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

    document = _read(scene)
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
        _write(out, text.encode())


@app.command("air")
def sample_air(
    scene: SceneFile,
    at: Annotated[list[str], typer.Option(help="A place, as x,y,z in metres; repeat for more.")],
    frames: Frames = None,
    out: Annotated[Path | None, typer.Option("-o", "--out", help="File to write; without it, the terminal.")] = None,
) -> None:
    """Write the air at places as CSV: a column of frames, and metres per second along x, y and z at each place."""
    from lazzik.core.formats.csv_curves import write_air
    from lazzik.work.files import frames_of

    document = _read(scene)
    first, last = frames_of(document, frames)
    text = write_air(document, [_place(each) for each in at], first, last)
    if out is None:
        typer.echo(text, nl=False)
    else:
        _write(out, text.encode())


@app.command("simulate")
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


def _do_all(task: Callable[..., list[str]], scenes: list[Path], out: Path, jobs: int, cluster: str, *more: Any) -> None:
    """Have files made of scenes, so many at once."""
    names = pieces_named(scenes, out) if len(scenes) > 1 else [out]
    with crew_for(jobs, cluster) as crew:
        do_all(crew, task, scenes, names, *more)


def _place(text: str) -> tuple[float, float, float]:
    """A place as it is typed. Raises InvalidEdit."""
    try:
        x, y, z = (float(part) for part in text.split(","))
    except ValueError:
        x = y = z = float("nan")
    if not all(abs(value) <= 1e9 for value in (x, y, z)):
        raise InvalidEdit(f"--at takes a place as x,y,z in metres; '{text[:60]}' was given", "--at")
    return x, y, z


@app.command("bake")
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
    scene = _read(files[0])
    plan, chosen = asked.plan(scene), asked.chosen(scene)
    if jobs > 1 or cluster:
        with crew_for(jobs, cluster) as crew, watched("Baking") as progress:
            placed = baked_by_all(crew, _seen_by(crew, StoredFile(files[0])), chosen, plan, progress)
    else:
        placed = bake(scene, chosen, plan, progress=WORK)
    typer.echo("\n".join(baked_to_file(scene, placed, out, WORK)))


@app.command()
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
    if len(scenes) > 1 or (cluster and not chosen.pieces(_read(scenes[0]))):
        _do_all(delivered, scenes, out, jobs, cluster)
        return
    source, made = StoredFile(scenes[0]), None
    if jobs > 1 or cluster:
        with crew_for(jobs, cluster) as crew, watched("Delivering") as progress:
            made = made_by_all(crew, _seen_by(crew, source), chosen, progress)
    for line in delivered(source, out, WORK, made):
        typer.echo(line)


def _seen_by(crew: Crew, source: StoredFile) -> Readable:
    """A scene in a file as a crew can read it."""
    from lazzik.work.source import SceneText

    return source if crew.near else SceneText(source.content())


@app.command()
def compare(
    before: SceneFile,
    after: Annotated[Path, typer.Argument(help="Another one.", show_default=False)],
) -> None:
    """List what differs between two scenes: what it is, what it was and what it becomes. Exit code 0 if nothing does, 1
    if anything does, 2 if one of them can't be read."""
    from lazzik.core.compare.words import in_words
    from lazzik.core.scene.differences import differences

    try:
        one, other = _read(before, unread=2), _read(after, unread=2)
    except LazzikError as error:
        _fail(error.message, 2)
    rows = in_words(differences(one, other), one, other)
    for row in rows:
        typer.echo(f"{row.title}: {row.was} → {row.becomes}")
    if rows:
        raise SystemExit(1)


@app.command()
def schema() -> None:
    """Print the JSON schema of the scene document."""
    import json

    from lazzik.core.scene.scene import Scene

    typer.echo(json.dumps(Scene.model_json_schema(), indent=2))


@app.command()
def demo(write: Annotated[Path, typer.Option(help="File to write the demo scene to.")]) -> None:
    """Write the demo scene."""
    from lazzik.core.scene.serialize import scene_text
    from lazzik.demo.station import station

    _write(write, scene_text(station(), indent=1).encode())


@app.command()
def prepare(
    data: Annotated[
        Path | None, typer.Option(help="Folder of a database whose scenes are prepared too: their particles.")
    ] = None,
    demo: Annotated[bool, typer.Option(help="Add the demo scene if there is no scene yet.")] = False,
) -> None:
    """Compile what is compiled and keep it on disk, so that nothing waits for it later; in a data folder work out the
    particles of its scenes."""
    from lazzik.web.ui.templating import compile_templates
    from lazzik.work.kernels import compile_all, every_kernel

    kernels = every_kernel()
    typer.echo(f"{len(kernels)} kernels are ready, {compile_all(kernels)} of them compiled just now.")
    typer.echo(f"{compile_templates()} templates are ready.")
    if data is not None:
        _prepare_scenes(data, demo)


def _prepare_scenes(data: Path, demo: bool) -> None:
    from lazzik.core.progress import Progress
    from lazzik.demo.station import station
    from lazzik.store.database import Database, claimed
    from lazzik.store.scenes import SceneStore
    from lazzik.work.source import Source
    from lazzik.work.tasks import simulated

    with claimed(data):
        store = SceneStore(Database(data))
        if demo and not store.entries():
            store.create(station(), "demo scene")
        for entry in store.entries():
            scene = store.open(entry.id).scene
            for node in scene.nodes:
                if node.carried is not None and node.carried.locked is None:
                    made = simulated(Source(data, entry.id, entry.revision), node.id, Progress())
                    typer.echo(f"{entry.name}, {node.label}: {made} stretches of frames worked out.")
        store.close()


@app.command()
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
        _fail(f"'{curve}' can't be read: {getattr(error, 'strerror', None) or 'it is no text in UTF-8'}.")
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


def _shelf(data: Path) -> ShelfItems:
    from lazzik.demo.shelf_items import shipped
    from lazzik.store.database import Database
    from lazzik.store.shelf_items import ShelfItems

    return ShelfItems(Database(data), shipped)


@shelf_app.command("list")
def shelf_list(data: DataFolder = Path("data")) -> None:
    """List what is on the shelf: key, sort, name and tags."""
    items = _shelf(data).items()
    width = max((len(item.key) for item in items), default=0)
    for item in items:
        typer.echo(f"{item.key:<{width}}  {item.sort:<8}  {item.label}  {', '.join(item.tags)}".rstrip())


@shelf_app.command("export")
def shelf_export(
    out: Annotated[Path, typer.Argument(help="File to write.", show_default=False)],
    keys: Annotated[list[str] | None, typer.Argument(help="What of it; without any, all.", show_default=False)] = None,
    data: DataFolder = Path("data"),
) -> None:
    """Write the shelf, or some of it, to a file."""
    from lazzik.core.scene.shelf_file import shelf_text

    shelf = _shelf(data)
    items = [shelf.item(key) for key in keys] if keys else shelf.items()
    _write(out, shelf_text(items).encode())
    typer.echo(f"{len(items)} things in {out}")


@shelf_app.command("import")
def shelf_import(
    file: Annotated[Path, typer.Argument(help="A shelf that was exported.", show_default=False)],
    data: DataFolder = Path("data"),
) -> None:
    """Put what a file holds on the shelf: all or nothing."""
    from lazzik.core.scene.shelf_file import read_shelf

    try:
        items = read_shelf(file.read_bytes())
    except OSError as error:
        _fail(f"'{file}' can't be read: {error.strerror}.")
    shelf = _shelf(data)
    before = len(shelf.items())
    shelf.keep_all(items)
    typer.echo(f"{len(shelf.items()) - before} of {len(items)} are new on the shelf.")


def _read(path: Path, *, unread: int = 1) -> Scene:
    from lazzik.core.scene.serialize import read_scene

    try:
        return read_scene(path.read_bytes())
    except OSError as error:
        _fail(f"'{path}' can't be read: {error.strerror}.", unread)


def _write(path: Path, content: bytes) -> None:
    try:
        path.write_bytes(content)
    except OSError as error:
        _fail(f"'{path}' can't be written: {error.strerror}.")


def _fail(sentence: str, code: int = 1) -> NoReturn:
    typer.echo(sentence, err=True)
    raise SystemExit(code)
