"""Lazzik without a screen: open, change, evaluate, bake, bring in and write scenes from Python.

A scene is a value: every function returns a new one and leaves the one that it was given alone. Whatever is wrong is
raised as a LazzikError whose message is a sentence.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lazzik.core.bake.baking import TOLERANCES, BakePlan, bakeable
from lazzik.core.bake.baking import bake as plan_bake
from lazzik.core.clock import Clock
from lazzik.core.compare.taking import take_over as plan_taking
from lazzik.core.compare.words import Worded, in_words
from lazzik.core.errors import InvalidDocument, InvalidEdit
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.values import evaluate as evaluate_on
from lazzik.core.formats.importer import import_files as plan_import
from lazzik.core.formats.registry import format_for
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.reading.gaps import at_whole_frames
from lazzik.core.reading.motion import Reading, read_motion
from lazzik.core.reading.outcome import TAKES, recipe_of, report
from lazzik.core.reading.repeats import Loop, best_loop
from lazzik.core.reading.together import read_together
from lazzik.core.scene.differences import differences
from lazzik.core.scene.edits.base import applied, free_slug
from lazzik.core.scene.edits.every import read_edits
from lazzik.core.scene.edits.from_shelf import TakeFromShelf
from lazzik.core.scene.edits.shelf_content import content_of
from lazzik.core.scene.receipt import Receipt
from lazzik.core.scene.scene import MOST_FRAMES, Scene
from lazzik.core.scene.serialize import read_scene, scene_text
from lazzik.core.scene.shelf_file import read_shelf, shelf_text
from lazzik.core.scene.shelf_item import ShelfItem, Sort
from lazzik.core.types import Points, Samples

MOST_FPS = 1000.0
"""Frames a second of a curve that is read, and of a scene."""


def new_scene(name: str = "Untitled scene", *, fps: float = 30.0, first: int = 0, last: int = 250) -> Scene:
    """A scene with nothing in it. Raises InvalidEdit for a range or a rate that no scene may have."""
    return edit(Scene(name="New"), {"do": "change-scene", "name": name, "fps": fps, "first": first, "last": last})


def open_scene(path: str | Path) -> Scene:
    """The scene of a .json file. Raises InvalidDocument if it is none, or can't be read."""
    try:
        return read_scene(Path(path).read_bytes())
    except OSError as error:
        raise InvalidDocument(f"'{path}' can't be read: {error.strerror}.", str(path)) from None


def save_scene(scene: Scene, path: str | Path) -> None:
    """Write a scene to a .json file, with all that it needs."""
    _write(path, scene_text(scene, indent=1).encode())


def edit(scene: Scene, *edits: Mapping[str, Any]) -> Scene:
    """The scene after edits, in order; all or none. They are the edits that the studio makes: {"do": "set", …}.

    Raises InvalidEdit, UnknownAddress or BadNumber.
    """
    return applied(scene, read_edits([dict(each) for each in edits], scene))


def addresses(scene: Scene) -> list[str]:
    """Addresses of all numbers that layers move: those that can be baked."""
    return bakeable(scene)


def evaluate(scene: Scene, at: str | Iterable[str], frames: Iterable[float] | None = None) -> dict[str, Samples]:
    """The values of numbers, by address: at every whole frame of the range, or at any frames."""
    names = [at] if isinstance(at, str) else list(at)
    clock = scene.clock() if frames is None else Clock(scene.fps, scene.first, np.asarray(list(frames), dtype=float))
    return evaluate_on(scene, names, clock)


def air(scene: Scene, at: Iterable[Iterable[float]], frames: Iterable[float] | None = None) -> Samples:
    """How the air goes at places of the scene, in metres per second: at every whole frame of the range, or at any
    frames.

    Parameters
    ----------
    at : (x, y, z) of each place, in metres.

    Returns
    -------
    (frames, places, 3) array
        Metres per second along x, y and z.

    Raises
    ------
    InvalidEdit
        If a place is not three finite numbers.
    """
    places = np.array([list(place) for place in at], dtype=float)
    if places.ndim != 2 or places.shape[1] != 3 or not np.all(np.isfinite(places)):
        raise InvalidEdit("A place is three numbers, x, y and z in metres", "at")
    clock = scene.clock() if frames is None else Clock(scene.fps, scene.first, np.asarray(list(frames), dtype=float))
    from lazzik.core.evaluate.airflow import air as air_on

    return air_on(places[None], clock, Scope(scene))


def simulate(
    scene: Scene, only: Iterable[str] | None = None, frames: tuple[int, int] | None = None
) -> Iterator[tuple[str, int, NDArray[np.int64], Points]]:
    """Particles, frame by frame: of the emitters and swarms that are named or of all, over the range or from one frame
    to another. They are worked out as they are asked for.

    Yields
    ------
    str, int, (n,) array, (n, 3) array
        The object, the frame, the particles' numbers, and where they are in metres.

    Raises
    ------
    UnknownAddress, InvalidEdit
        If there is no such object, or it has no particles.
    """
    from lazzik.core.formats.carried import emitted, particles_in

    first, last = frames or (scene.first, scene.last)
    slugs = particles_in(scene, list(only or ()))
    for slug, _, frame, moment in emitted(scene, slugs, first, last):
        yield slug, frame, moment.ids, moment.places


def bake(
    scene: Scene,
    at: Iterable[str] | None = None,
    *,
    tolerance: float | Mapping[str, float] | None = None,
    every: int | None = None,
    frames: tuple[int, int] | None = None,
    extremes: bool = False,
    thorough: bool = False,
) -> tuple[Scene, Receipt]:
    """The scene with layers turned into keys, and the receipt: fitted within a tolerance (one for all, or by unit), or
    with `every` a key on every n-th frame. Without addresses, all that layers move. With `thorough` a fitted bake looks
    longer for keys that can be spared."""
    first, last = frames or (scene.first, scene.last)
    if isinstance(tolerance, Mapping):
        within = TOLERANCES | dict(tolerance)
    else:
        within = dict(TOLERANCES) if tolerance is None else dict.fromkeys(TOLERANCES, float(tolerance))
    way = "fitted" if every is None else "each" if every == 1 else "every"
    plan = BakePlan(first, last, way, every or 2, within, extremes, thorough=thorough)  # type: ignore[arg-type]
    baked = applied(scene, [plan_bake(scene, bakeable(scene) if at is None else list(at), plan)])
    return baked, baked.receipts[-1]


def compare(before: Scene, after: Scene) -> list[Worded]:
    """What differs between two scenes, in their order: each with `title`, `was` and `becomes` in words, and
    `difference`, whose `key` takes it over."""
    return in_words(differences(before, after), before, after)


def take_over(scene: Scene, other: Scene, keys: Iterable[str], *, whole: bool = False) -> Scene:
    """The scene with parts of another one, by the keys of differences or of what holds some ('nodes/lamp-3'), and what
    they can't be without; with `whole`, all that they read as it is there. Raises InvalidEdit."""
    return plan_taking(scene, other, list(keys), whole=whole).scene


def keep(scene: Scene, sort: Sort, part: str, label: str = "", *, tags: Iterable[str] = ()) -> ShelfItem:
    """A part of a scene as an item for the shelf, with all that it reads: a 'recipe', an 'object' (a recipe of
    objects), a 'clip', a 'pose' by its id, or the 'material' of an object. Raises UnknownAddress."""
    name = label or part
    return ShelfItem(
        key=free_slug(name, set()), sort=sort, label=name, tags=tuple(tags), part=part,
        content=content_of(scene, sort, part),
    )  # fmt: skip


def take(
    scene: Scene, item: ShelfItem, on: Iterable[str] = (), *, frame: float | None = None, use: bool = True
) -> Scene:
    """The scene with an item of the shelf in it, put to use on numbers or objects, or from a frame on; `use` says
    whether it is. Raises InvalidEdit, UnknownAddress."""
    return applied(scene, [TakeFromShelf(item=item, on=tuple(on), frame=frame, use=use)])


def read_curve(frames: Iterable[float], values: Iterable[float], *, fps: float = 30.0) -> Reading:
    """What a measured curve is made of: trend, regular swings, noise. Frames may be missing, which is told in
    `remarks`; values are taken at whole frames. Raises InvalidEdit."""
    return read_motion(at_whole_frames(list(frames), list(values)), _rate(fps))


def read_curves(
    curves: Mapping[str, tuple[Iterable[float], Iterable[float]]], *, fps: float = 30.0
) -> tuple[dict[str, Reading], Loop | None]:
    """What several curves are made of, (frames, values) of each by its name: swings that they share are one; and the
    length at which they repeat best. Raises InvalidEdit."""
    sampled = {name: at_whole_frames(list(frames), list(values)) for name, (frames, values) in curves.items()}
    found = read_together(sampled, _rate(fps))
    return found.each, best_loop(found.each.values())


def _rate(fps: float) -> float:
    if not 0 < fps <= MOST_FPS:
        raise InvalidEdit(f"A rate is above 0 and at most {MOST_FPS:g} a second", "fps")
    return fps


def read_report(reading: Reading) -> list[str]:
    """What was found in a curve, in lines."""
    return report(reading)


def read_recipe(
    reading: Reading, label: str, unit: str = "", *, take: str = "measured", seed: int = 1, loop: int | None = None
) -> ShelfItem:
    """What was found in a curve as a recipe for the shelf: as 'measured', the same 'kind' again, 'calmer', 'stronger';
    with a loop, going round in so many frames. Raises InvalidEdit."""
    if take not in TAKES:
        raise InvalidEdit(f"'{take[:40]}' is no take; there are {', '.join(TAKES)}", "take")
    recipe = recipe_of(reading, label, unit, take, seed, loop)
    last = max(1, round(len(reading.y) - 1))
    scene = Scene(name=label, fps=reading.rate, last=min(last, MOST_FRAMES), recipes=(recipe,))
    return keep(scene, "recipe", recipe.id, label, tags=["read"])


def open_shelf(path: str | Path) -> tuple[ShelfItem, ...]:
    """The items of a file that was exported from a shelf. Raises InvalidDocument if it is none, or can't be read."""
    try:
        return read_shelf(Path(path).read_bytes())
    except OSError as error:
        raise InvalidDocument(f"'{path}' can't be read: {error.strerror}.", str(path)) from None


def save_shelf(items: Iterable[ShelfItem], path: str | Path) -> None:
    """Write items to a file that any shelf takes in."""
    _write(path, shelf_text(items).encode())


def import_files(scene: Scene, *paths: str | Path, depth: float = 0.0) -> Scene:
    """The scene with the objects of a file in it: glTF (with the files that it names), OBJ, PLY, STL or SVG."""
    try:
        files = {Path(path).name: Path(path).read_bytes() for path in paths}
    except OSError as error:
        raise InvalidDocument(f"'{error.filename}' can't be read: {error.strerror}.", str(error.filename)) from None
    return applied(scene, [plan_import(scene, files, depth=depth).edit])


def deliver(scene: Scene, path: str | Path, progress: Progress = UNHEARD, **choices: Any) -> None:
    """Write a scene in the format that the file's ending asks for; `choices` are the format's own."""
    writer = format_for(Path(path).name)
    _write(path, writer.replaced(**choices).write(scene, progress))


def _write(path: str | Path, content: bytes) -> None:
    try:
        Path(path).write_bytes(content)
    except OSError as error:
        raise InvalidDocument(f"'{path}' can't be written: {error.strerror}.", str(path)) from None
