"""Draws where the time goes: flame pictures of an edit, of a drag and of a bake, for docs/speed.md.

A thread looks at the stack of the work a thousand times a second. Each row of a picture is a call within the one below
it, as wide as its share of the time; what takes less than a hundredth is left out.
"""

from __future__ import annotations

import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from html import escape
from pathlib import Path
from types import FrameType

from lazzik.core.bake.baking import BakePlan, bake, bakeable
from lazzik.core.evaluate.memo import Memo
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.edits.every import read_edits
from lazzik.core.scene.scene import Scene
from lazzik.demo.station import station
from lazzik.store.database import Database
from lazzik.store.scenes import SceneStore
from lazzik.web.edits.routes import Edits, previewed
from lazzik.web.stage.motion import motions_of
from lazzik.web.ui.encode import packed

OUT = Path(__file__).parent.parent / "docs" / "speed"
SECONDS = 4.0
WIDTH, ROW, LETTER = 1000, 18, 6.6
LEAST = 0.01
MAST = "beacon-mast/rotation.z"
INKS = {"lazzik": "#2f6b62", "sqlalchemy": "#c2452f", "numpy": "#e0b878", "scipy": "#e0b878", "pydantic": "#8a7fa8"}
OTHER = "#c9c0b0"


@dataclass
class Call:
    """A call and those within it, by how often they were seen."""

    seen: int = 0
    within: dict[str, Call] = field(default_factory=dict)


def main() -> None:
    """Draw all."""
    sys.setswitchinterval(1e-4)  # or else it would be looked mostly where the work lets others run by itself
    OUT.mkdir(exist_ok=True)
    scene = station()
    with tempfile.TemporaryDirectory() as folder:
        for name, act in (("edit", editing(scene, Path(folder))), ("drag", dragging(scene)), ("bake", baking(scene))):
            (OUT / f"{name}.svg").write_text(drawn(sampled(act)))


def editing(scene: Scene, folder: Path) -> Callable[[], object]:
    """One edit, from what was asked for to the commit."""
    store = SceneStore(Database(folder))
    store.snapshot_due = lambda *_: None  # those are written by a worker
    state = store.create(scene, "new")
    at = [0]

    def act() -> None:
        edits = read_edits([{"do": "set", "address": f"{MAST}#gust.amplitude", "value": float(at[0] % 9)}])
        at[0] = store.edit(state.id, at[0], edits).revision

    return act


def dragging(scene: Scene) -> Callable[[], object]:
    """What the server does for one move of a slider."""
    memo, at = Memo(), [0]
    dict(motions_of(scene, list(scene.nodes), scene.clock(), Scope(scene, memo)))

    def act() -> None:
        at[0] += 1
        edit = {"do": "set", "address": f"{MAST}#gust.amplitude", "value": at[0] / 7}
        body = Edits(revision=0, edits=[edit], at=MAST, frame=scene.first)
        packed(previewed(scene, body, memo))

    return act


def baking(scene: Scene) -> Callable[[], object]:
    """A quick fitted bake of all that moves."""
    return lambda: bake(scene, bakeable(scene), BakePlan(scene.first, scene.last), Memo())


def sampled(act: Callable[[], object]) -> Call:
    """The calls of an act that is done again and again."""
    act()
    stacks: Counter[tuple[str, ...]] = Counter()
    over = threading.Event()
    here = threading.get_ident()

    def look() -> None:
        while not over.wait(0.001):
            stacks[_stack(sys._current_frames().get(here))] += 1

    looking = threading.Thread(target=look)
    looking.start()
    until = time.monotonic() + SECONDS
    while time.monotonic() < until:
        act()
    over.set()
    looking.join()
    root = Call()
    for stack, seen in stacks.items():
        call = root
        call.seen += seen
        for name in stack:
            call = call.within.setdefault(name, Call())
            call.seen += seen
    return root


def _stack(frame: FrameType | None) -> tuple[str, ...]:
    """The calls from the act on, the outermost first."""
    names = []
    while frame is not None and frame.f_code.co_name != "sampled":
        module = frame.f_globals.get("__name__", "")
        names.append(f"{module}:{frame.f_code.co_qualname}")
        frame = frame.f_back
    return tuple(name for name in reversed(names) if not name.startswith(("__main__", "tools.")))


def drawn(root: Call) -> str:
    """The picture, as SVG."""
    boxes: list[str] = []
    deepest = _put(boxes, root, 0.0, 0, root.seen)
    height = (deepest + 1) * ROW
    body = "\n".join(boxes)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 {-height} {WIDTH} {height}" '
        f'font-family="monospace" font-size="11">\n{body}\n</svg>\n'
    )


def _put(boxes: list[str], call: Call, left: float, row: int, whole: int) -> int:
    """Put what is within a call above it; the highest row."""
    deepest = row
    for name, inner in sorted(call.within.items(), key=lambda item: -item[1].seen):
        share = inner.seen / whole
        if share < LEAST:
            continue
        width = share * WIDTH
        module, _, function = name.partition(":")
        short = f"{module.rsplit('.', 1)[-1]}.{function.replace('.<locals>', '')}"
        letters = int((width - 6) / LETTER)
        label = short if len(short) <= letters else function.rsplit(".", 1)[-1][:letters] if letters > 3 else ""
        ink = INKS.get(module.partition(".")[0], OTHER)
        text = "#fff" if ink in ("#2f6b62", "#c2452f") else "#222"
        top = -(row + 1) * ROW
        place = f'x="{left:.1f}" y="{top}" width="{max(width - 1, 0.5):.1f}" height="{ROW - 1}"'
        boxes.append(
            f'<g><title>{escape(name)} {share:.1%}</title><rect {place} rx="2" fill="{ink}"/>'
            f'<text x="{left + 3:.1f}" y="{top + 12}" fill="{text}">{escape(label)}</text></g>'
        )
        deepest = max(deepest, _put(boxes, inner, left, row + 1, whole))
        left += width
    return deepest


if __name__ == "__main__":
    main()
