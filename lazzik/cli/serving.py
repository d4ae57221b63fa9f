"""The server, and what it needs made ready."""

from __future__ import annotations

import gc
import socket
import sys
from pathlib import Path
from typing import Annotated

import typer

from lazzik.cli.common import fail
from lazzik.cli.crews import ClusterAt, reached

BACKLOG = 512
"""Connections that wait to be taken."""


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
        fail(
            f"On {host} others can reach the server, and whoever reaches it can change everything: set a password with "
            "--password or LAZZIK_PASSWORD."
        )
    if password and len(password) < SHORTEST:
        fail(f"The password needs at least {SHORTEST} characters.")
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
        fail(f"{host}:{port} can't be listened on; perhaps Lazzik runs there already. Choose another with --port.")
    return ours


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
