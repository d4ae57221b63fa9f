"""The shelf of a data folder: listed, written to a file, taken in from one."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from lazzik.cli.common import DataFolder, fail, write_file

if TYPE_CHECKING:
    from lazzik.store.shelf_items import ShelfItems

shelf_app = typer.Typer(
    help="What all scenes of a data folder share: recipes, clips, poses, materials.", no_args_is_help=True
)


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
    write_file(out, shelf_text(items).encode())
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
        fail(f"'{file}' can't be read: {error.strerror}.")
    shelf = _shelf(data)
    before = len(shelf.items())
    shelf.keep_all(items)
    typer.echo(f"{len(shelf.items()) - before} of {len(items)} are new on the shelf.")
