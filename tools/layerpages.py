"""`python -m tools.layerpages`: writes docs/layers.md, each kind with its strata where the demo scene uses it."""

from __future__ import annotations

from collections.abc import Iterator
from html import escape
from pathlib import Path

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.layer import Layer
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.strata import strata
from lazzik.core.layers import BY_KIND
from lazzik.core.scene.address import Address, title
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.visit import layered
from lazzik.core.types import Samples
from lazzik.demo.station import station
from lazzik.web.ui.sparkline import line

FOLDER = Path(__file__).parent.parent / "docs"
HUES = {"random": "#8F6108", "periodic": "#2A7A9B", "spring": "#5B7526", "path": "#B4633C", "logic": "#7B4F7F"}
INK, PAPER, RULE, FAINT = "#1F2B2E", "#F6F1E8", "#DCD2C2", "#59625F"
HEAD, WIDTH, RESULT, LANE, PAD = 150, 560, 84, 44, 6


def files() -> dict[str, str]:
    """Every file of the page: its name under docs, and its text."""
    scene = station()
    out = {"layers.md": "\n".join(_page(scene)) + "\n"}
    for name in BY_KIND:
        address, channel, layer = used(scene, name)
        out[f"layers/{name}.svg"] = picture(scene, address, channel, layer)
    return out


def used(scene: Scene, name: str) -> tuple[str, Channel, Layer]:
    """The first number of the scene, at any depth, with a layer of a kind on it."""
    ahead = list(layered(scene))
    while ahead:
        address, channel = ahead.pop(0)
        for layer in channel.layers:
            if layer.kind == name:
                return address, channel, layer
            for number, (value, _) in layer.numbers(scene).items():
                if isinstance(value, Channel) and value.layers:
                    ahead.append((f"{address}#{layer.id}.{number}", value))
    raise LookupError(f"the demo scene has no {name}")


def _page(scene: Scene) -> Iterator[str]:
    yield "# Layers, kind by kind"
    yield ""
    yield "Made by `python -m tools.layerpages` from the demo scene; a test keeps it so. In each picture the result"
    yield "is on top, then each layer's own contribution, the base lowest. The numbers: [reference](reference.md)."
    for name, kind in BY_KIND.items():
        address, _, layer = used(scene, name)
        yield ""
        yield f"## {kind.title}"
        yield ""
        yield kind.summary
        yield ""
        where = title(scene, Address.parse(address))
        yield f"![Strata of {where}, with the {kind.title} layer {layer.label}](layers/{name}.svg)"


def picture(scene: Scene, address: str, channel: Channel, chosen: Layer) -> str:
    """The strata of a number as an SVG, the lane of one layer tinted."""
    laid = strata(channel, scene.clock(), Scope(scene))
    lanes = [(lane.layer, lane.contribution) for lane in reversed(laid.lanes)]
    height = RESULT + LANE * (len(lanes) + 1) + 22
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {HEAD + WIDTH} {height}" font-family="sans-serif">',
        f'<rect width="{HEAD + WIDTH}" height="{height}" fill="{PAPER}"/>',
        f'<text x="8" y="15" font-size="12" fill="{FAINT}">{escape(title(scene, Address.parse(address)))}</text>',
    ]
    top = 22
    parts += _lane(top, RESULT, "Result", _span(laid.result), laid.result, INK, own=True)
    top += RESULT
    for layer, values in lanes:
        if layer is chosen:
            parts.append(
                f'<rect y="{top}" width="100%" height="{LANE}" fill="{HUES[layer.family]}" fill-opacity=".13"/>'
            )
        parts += _lane(top, LANE, layer.label, layer.title, values, HUES[layer.family])
        top += LANE
    parts += _lane(
        top, LANE, "Base", f"{len(channel.keys)} keys" if channel.keys else "constant", laid.base, INK, own=True
    )
    return "\n".join([*parts, "</svg>", ""])


def _lane(top: int, height: int, name: str, note: str, values: Samples, hue: str, *, own: bool = False) -> list[str]:
    reach = float(np.abs(values).max()) or 1.0
    low, high = (float(values.min()), float(values.max())) if own else (-reach, reach)
    shown = values[:: max(1, len(values) // 280)]
    return [
        f'<path d="M0 {top}H{HEAD + WIDTH}M{HEAD} {top}v{height}" stroke="{RULE}" fill="none"/>',
        f'<text x="8" y="{top + 18}" font-size="13" font-weight="600" fill="{INK}">{escape(name)}</text>',
        f'<text x="8" y="{top + 33}" font-size="11" fill="{FAINT}">{escape(note)}</text>',
        f'<g transform="translate({HEAD} {top + PAD})"><path d="{line(shown, WIDTH, height - 2 * PAD, low, high)}" '
        f'fill="none" stroke="{hue}" stroke-width="1.5"/></g>',
    ]


def _span(values: Samples) -> str:
    return f"{values.min():.3g} to {values.max():.3g}"


def main() -> None:
    """Write the page and its pictures."""
    (FOLDER / "layers").mkdir(exist_ok=True)
    for name, text in files().items():
        (FOLDER / name).write_text(text)


if __name__ == "__main__":
    main()
