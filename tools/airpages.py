"""`python -m tools.airpages`: writes docs/air.md, each kind of field with a picture of what each of its numbers does.

A row for a number, with little of it on the left and much on the right: the air seen from above at one moment, and its
speed at one place over time.
"""

from __future__ import annotations

from collections.abc import Iterator
from html import escape
from pathlib import Path
from typing import Any

import numpy as np

from lazzik.core.air import FIELD_KINDS, AirField
from lazzik.core.air.field import WITHIN
from lazzik.core.channel.layer import numbers_of
from lazzik.core.document import Quantity
from lazzik.core.evaluate.airflow import air
from lazzik.core.evaluate.scope import Scope
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Points, Samples
from lazzik.web.ui.sparkline import line

FOLDER = Path(__file__).parent.parent / "docs"
INK, PAPER, RULE, FAINT, HUE = "#1F2B2E", "#F6F1E8", "#DCD2C2", "#59625F", "#2A7A9B"
HEAD, MAP, CURVE, ROW, GAP = 150, 84, 150, 96, 10
ABOUT = 4.0
"""Metres to either side of the field that are seen from above."""
SEEDS = 9
"""Streaks along each side."""
RING = (2.4, 2.4)
"""Where the speed is told over time, x and z."""
SHARES, REACHES = (0.2, 0.75), (0.06, 0.3)
"""Of the useful range: what is called little and much of a number, and of one that says how far the field reaches."""
SHOWN_BY: dict[str, dict[str, Any]] = {"wind": {"gusts": 0.0, "swing": 0.0}, "eddies": {"carried": "own", "drift": 1.0}}
"""So that what another number does is seen: calm where it would cover that, drifting where it would stand still."""
FRAMES = 240
UPWARD = "lift"
"""The number of which upward speed is told, since it is not seen from above."""
HEIGHT = 0.3
SIDE = np.linspace(-ABOUT, ABOUT, SEEDS + 2)[1:-1]
SPOTS = np.stack(np.meshgrid(SIDE, [HEIGHT], SIDE, indexing="ij"), axis=-1).reshape(-1, 3)
"""(streaks, 3) metres: where they begin."""


def files() -> dict[str, str]:
    """Every file of the page: its name under docs, and its text."""
    out = {"air.md": "\n".join(_page()) + "\n"}
    for name, kind in FIELD_KINDS.items():
        out[f"air/{name}.svg"] = picture(kind)
    return out


def _page() -> Iterator[str]:
    yield "# The air, number by number"
    yield ""
    yield "Made by `python -m tools.airpages`; a test keeps it so. Each row shows little of a number on the left and"
    yield "much of it on the right: the air from above at one moment, where long is fast, and over eight seconds how"
    yield "much of it goes along x, to the right, at the ring (of *lift*, upward)."
    yield "How to work with it: [guide](guide.md#let-the-wind-blow). All numbers: [reference](reference.md)."
    for name, kind in FIELD_KINDS.items():
        yield ""
        yield f"## {kind.title}"
        yield ""
        yield kind.summary
        yield ""
        yield f"![What the numbers of {kind.title} do](air/{name}.svg)"


def picture(kind: type[AirField]) -> str:
    """What each number of a kind does, as an SVG."""
    rows = [*_numbers(kind)]
    width, height = HEAD + 2 * (MAP + CURVE + 3 * GAP), ROW * len(rows) + GAP
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width} {height}" font-family="sans-serif">',
        f'<rect width="{width}" height="{height}" fill="{PAPER}"/>',
    ]
    for place, (name, quantity) in enumerate(rows):
        parts += _row(kind, name, quantity, GAP + ROW * place)
    return "\n".join([*parts, "</svg>", ""])


def _numbers(kind: type[AirField]) -> Iterator[tuple[str, Quantity]]:
    for name, quantity in numbers_of(kind).items():
        if name != "seed":
            yield name, quantity


def _row(kind: type[AirField], name: str, quantity: Quantity, top: int) -> list[str]:
    low, high = quantity.useful
    values = [low + share * (high - low) for share in (REACHES if quantity.only == WITHIN else SHARES)]
    values = [float(round(value)) if quantity.whole else float(f"{value:.2g}") for value in values]
    flows = [_flow(kind, name, value, quantity) for value in values]
    swiftest = max(float(np.linalg.norm(velocity, axis=1).max()) for velocity, _ in flows)
    every = np.concatenate([along for _, along in flows])
    span = min(0.0, float(every.min())), max(0.1, float(every.max()))
    out = [f'<text x="8" y="{top + 22}" font-size="13" font-weight="600" fill="{INK}">'
           f"{escape(quantity.label or name.replace('_', ' '))}</text>"]  # fmt: skip
    for side, (value, (velocity, along)) in enumerate(zip(values, flows, strict=True)):
        left = HEAD + side * (MAP + CURVE + 3 * GAP)
        out += [f'<text x="8" y="{top + 42 + 16 * side}" font-size="11" fill="{FAINT}">'
                f"{('little', 'much')[side]}: {value:g} {quantity.unit}</text>",
                *_map(left, top, velocity / swiftest), *_curve(left + MAP + GAP, top, along, span)]  # fmt: skip
    return out


def _flow(kind: type[AirField], name: str, value: float, quantity: Quantity) -> tuple[Points, Samples]:
    """((places, 2), (frames,)) metres per second from above at one moment, and along x at the ring over time."""
    called = kind.model_fields["kind"].annotation.__args__[0]  # type: ignore[union-attr]
    calm = dict(SHOWN_BY.get(called, {}))
    choices = {key: allowed[0] for key, allowed in (quantity.only or {}).items()}
    for shown, by in (("gust_length", "gusts"), ("swing_period", "swing")):
        if name == shown:
            calm.pop(by)  # there is neither without the other
    field = kind.model_validate({"kind": called} | calm | choices | {name: value})
    scene = Scene(name="Air", fps=30, last=FRAMES, nodes=(Node(id="field", label="Field", field=field),))
    clock, scope = scene.clock(), Scope(scene)
    velocity = air(SPOTS[None], clock.at(np.array([60.0])), scope)[0][:, [0, 2]]
    there = air(np.array([[[RING[0], HEIGHT, RING[1]]]]), clock, scope)[:, 0]
    return velocity, np.round(there[:, 1 if name == UPWARD else 0], 6) + 0.0


def _map(left: int, top: int, velocity: Points) -> list[str]:
    """The fastest streak is as long as from one to the next."""
    scale = MAP / (2 * ABOUT)
    begins = np.array([left, top]) + MAP / 2 + scale * SPOTS[:, [0, 2]]
    ends = begins + velocity * MAP / SEEDS
    lines = "".join(f"M{a:.1f} {b:.1f}L{c:.1f} {d:.1f}" for (a, b), (c, d) in zip(begins, ends, strict=True))
    dots = "".join(f'<circle cx="{a:.1f}" cy="{b:.1f}" r=".7" fill="{HUE}"/>' for a, b in begins)
    x, y = (corner + MAP / 2 + scale * away for corner, away in zip((left, top), RING, strict=True))
    return [
        f'<rect x="{left}" y="{top}" width="{MAP}" height="{MAP}" fill="none" stroke="{RULE}"/>{dots}',
        f'<path d="{lines}" stroke="{HUE}" stroke-width="1.2" stroke-linecap="round" fill="none"/>',
        f'<circle cx="{x:.1f}" cy="{y:.1f}" r="3.5" stroke="{INK}" fill="none"/>',
    ]


def _curve(left: int, top: int, along: Samples, span: tuple[float, float]) -> list[str]:
    low, high = span
    zero = top + 14 + (MAP - 14) * high / (high - low)
    return [
        f'<path d="M{left} {zero:.1f}h{CURVE}" stroke="{RULE}"/>',
        f'<text x="{left}" y="{top + 10}" font-size="10" fill="{FAINT}">'
        f"{_told(along.min())} to {_told(along.max())} m/s</text>",
        f'<g transform="translate({left} {top + 14})"><path d="{line(along[::2], CURVE, MAP - 14, low, high)}"'
        f' fill="none" stroke="{INK}" stroke-width="1.4"/></g>',
    ]


def _told(speed: float) -> str:
    return f"{np.round(speed, 1) + 0.0:.1f}"


def main() -> None:
    """Write the page and its pictures."""
    (FOLDER / "air").mkdir(exist_ok=True)
    for name, text in files().items():
        (FOLDER / name).write_text(text)


if __name__ == "__main__":
    main()
