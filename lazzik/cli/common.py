"""What commands share: their usual arguments, files, and what is said where one fails."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, NoReturn

import typer

from lazzik.core.progress import Progress

if TYPE_CHECKING:
    from lazzik.core.scene.scene import Scene

SceneFile = Annotated[Path, typer.Argument(help="A scene as JSON.", show_default=False)]
ScenesFiles = Annotated[list[Path], typer.Argument(help="A scene as JSON, or several.", show_default=False)]
MANY = "For several scenes with {} where the name of each goes: 'films/{}.glb'."
Frames = Annotated[str | None, typer.Option(help="First and last frame, as 0:250. Without it, the scene's range.")]
DataFolder = Annotated[Path, typer.Option(help="Folder of the database; made if it is not there.")]


class _Work(Progress):
    """Remembers what is being done, so that a failure can say where it was."""

    said = ""

    def __init__(self) -> None:
        super().__init__(self._remember)

    def _remember(self, _: float, said: str) -> None:
        self.said = said or self.said


WORK = _Work()


def read_file(path: Path, *, unread: int = 1) -> Scene:
    """A scene in a file; `unread` is the exit code where it can't be read."""
    from lazzik.core.scene.serialize import read_scene

    try:
        return read_scene(path.read_bytes())
    except OSError as error:
        fail(f"'{path}' can't be read: {error.strerror}.", unread)


def write_file(path: Path, content: bytes) -> None:
    """Write a file, or end with a sentence."""
    try:
        path.write_bytes(content)
    except OSError as error:
        fail(f"'{path}' can't be written: {error.strerror}.")


def fail(sentence: str, code: int = 1) -> NoReturn:
    """End with a sentence on standard error."""
    typer.echo(sentence, err=True)
    raise SystemExit(code)
