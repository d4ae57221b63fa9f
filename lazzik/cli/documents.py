"""The scene document: two compared, its schema, the demo as one."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from lazzik.cli.common import SceneFile, fail, read_file, write_file
from lazzik.core.errors import LazzikError


def compare(
    before: SceneFile,
    after: Annotated[Path, typer.Argument(help="Another one.", show_default=False)],
) -> None:
    """List what differs between two scenes: what it is, what it was and what it becomes. Exit code 0 if nothing does, 1
    if anything does, 2 if one of them can't be read."""
    from lazzik.core.compare.words import in_words
    from lazzik.core.scene.differences import differences

    try:
        one, other = read_file(before, unread=2), read_file(after, unread=2)
    except LazzikError as error:
        fail(error.message, 2)
    rows = in_words(differences(one, other), one, other)
    for row in rows:
        typer.echo(f"{row.title}: {row.was} → {row.becomes}")
    if rows:
        raise SystemExit(1)


def schema() -> None:
    """Print the JSON schema of the scene document."""
    import json

    from lazzik.core.scene.scene import Scene

    typer.echo(json.dumps(Scene.model_json_schema(), indent=2))


def demo(write: Annotated[Path, typer.Option(help="File to write the demo scene to.")]) -> None:
    """Write the demo scene."""
    from lazzik.core.scene.serialize import scene_text
    from lazzik.demo.station import station

    write_file(write, scene_text(station(), indent=1).encode())
