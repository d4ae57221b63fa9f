"""The command line: the same engine without a screen."""

from __future__ import annotations

import logging
import os
from collections.abc import Callable

# Work is shared out by the program; linear algebra that starts threads of its own would only stand in their way. (Said
# before any of it is loaded; workers inherit it.)
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import typer

from lazzik.cli import curves, documents, files, serving, shelf
from lazzik.cli.common import WORK, fail
from lazzik.core.errors import LazzikError

LOG = logging.getLogger("lazzik")

COMMANDS: dict[str, Callable[..., None]] = {
    "serve": serving.serve,
    "sample": curves.sample,
    "air": curves.sample_air,
    "simulate": files.simulate_scene,
    "bake": files.bake_scene,
    "deliver": files.deliver,
    "compare": documents.compare,
    "schema": documents.schema,
    "demo": documents.demo,
    "prepare": serving.prepare,
    "read": curves.read,
}
"""By name, in the order in which help lists them."""

app = typer.Typer(help="Procedural motion in layers, baked to keys.", no_args_is_help=True, add_completion=False)
for name, command in COMMANDS.items():
    app.command(name)(command)
app.add_typer(shelf.shelf_app, name="shelf")


def main() -> None:
    """Run a command; what the person did wrong is one sentence on standard error and exit code 1."""
    logging.basicConfig(level=os.environ.get("LAZZIK_LOG", "warning").upper())
    try:
        app()
    except LazzikError as error:
        fail(error.message)
    except Exception as error:
        at = f" at '{WORK.said}'" if WORK.said else ""
        LOG.debug("failed%s", at, exc_info=True)
        fail(f"Something went wrong{at} that should not have: {type(error).__name__}. LAZZIK_LOG=debug tells where.")
