"""`python -m tools.starts`: drawings of what a scene can begin with, still and moving, for the list of scenes."""

from __future__ import annotations

from pathlib import Path

from lazzik.core.formats.svg import AnimatedSvg
from lazzik.core.scene.scene import Scene
from lazzik.demo.starts import STARTS
from lazzik.demo.station import station

FOLDER = Path(__file__).parent.parent / "lazzik" / "web" / "scenes" / "static" / "starts"
SIZE = (150, 84)
EVERY = 5
"""Frames from one picture to the next."""


def main() -> None:
    """Draw them all."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    for name, content in drawings().items():
        (FOLDER / name).write_bytes(content)


def drawings() -> dict[str, bytes]:
    """The files, by name."""
    files = {"station.svg": _still(station())}
    for start in STARTS:
        scene = start.build(start.title)
        files[f"{start.key}.svg"] = _still(scene)
        if start.key != "empty":
            files[f"{start.key}-moves.svg"] = AnimatedSvg(width=SIZE[0], height=SIZE[1], every=EVERY, copies=0).write(
                scene
            )
    return files


def _still(scene: Scene) -> bytes:
    """The scene at a third of its range."""
    at = scene.first + (scene.last - scene.first) // 3
    return AnimatedSvg(width=SIZE[0], height=SIZE[1], every=1000, copies=0).write(scene.replaced(first=at, last=at + 1))


if __name__ == "__main__":
    main()
