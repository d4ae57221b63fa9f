"""A page for review: one HTML file that plays the scene in any browser, without a network.

In it are the scene as glTF, in one or several versions, three.js, and the scripts of `web/review`; all of it compressed
(gzip, RFC 1952) and written as text (base64). Versions share what is the same of them: their buffers are put together
from pieces, each of which is there once. A strict content policy (W3C Content Security Policy Level 3) lets run what is
in the page and nothing else, and ask for nothing.
"""

from __future__ import annotations

import gzip
import hashlib
import json
import struct
from base64 import b64encode
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime
from html import escape
from string import Template
from typing import Annotated, Any, ClassVar

from pydantic import Field

from lazzik.core.bake.real import MOST_REAL
from lazzik.core.channel.channel import base_value
from lazzik.core.document import Quantity
from lazzik.core.evaluate.memo import Memo
from lazzik.core.formats.base import NOTHING, Format, Made, NamedScene, Written
from lazzik.core.formats.gltf import Gltf
from lazzik.core.formats.gltf_compact import compacted
from lazzik.core.formats.scripts import WEB, joined
from lazzik.core.progress import UNHEARD, Progress
from lazzik.core.scene.scene import Scene

ENTRY = "review/static/review.js"

FONTS = (
    ("Instrument Sans", "400 700", "instrument-sans/instrument-sans-latin-wght-normal.woff2"),
    ("Spline Sans Mono", "300 700", "spline-sans-mono/spline-sans-mono-latin-wght-normal.woff2"),
)

FOUR = 4
"""Bytes: pieces of a buffer begin at multiples of so many (glTF 2.0, 3.6.2.4)."""


class ReviewPage(Format):
    """The scene for clients, to look at and to answer."""

    name: ClassVar[str] = "page"
    title: ClassVar[str] = "Page for review"
    standard: ClassVar[str] = "one HTML file"
    ending: ClassVar[str] = "html"
    several: ClassVar[bool] = True
    media: ClassVar[str] = "text/html"
    use: ClassVar[str] = (
        "For clients: opens in any browser without a network; to play, turn, slow down and write remarks at frames, "
        "which come back as a file and are opened as marks."
    )
    carries: ClassVar[str] = (
        "What glTF carries: objects, moving surfaces, cloth, colours, glow, lights, its camera; versions that are "
        "chosen share what is the same of them."
    )
    leaves: ClassVar[str] = (
        "Particles and swarms; copies beyond the number below stand as on the first frame. The page says what it lacks."
    )

    moving_copies: Annotated[
        int,
        Field(ge=0, le=MOST_REAL),
        Quantity(label="moving copies", help="So many copies of each scatter move; the others stand."),
    ] = 0

    def deliver(
        self, scene: Scene, progress: Progress = UNHEARD, memo: Memo | None = None, made: Made = NOTHING
    ) -> Written:
        """The page with this state alone."""
        return self.deliver_all([NamedScene(scene, scene.name)], progress, memo, made)

    def pieces(self, scene: Scene) -> list[str]:
        """Those of the glTF in it."""
        return self._gltf.pieces(scene)

    def make(self, scene: Scene, pieces: Sequence[str], progress: Progress, memo: Memo | None = None) -> Made:
        """What some of them come to."""
        return self._gltf.make(scene, pieces, progress, memo)

    @property
    def _gltf(self) -> Gltf:
        return Gltf(moving_copies=self.moving_copies)

    def deliver_all(
        self, states: Sequence[NamedScene], progress: Progress = UNHEARD, memo: Memo | None = None,
        made: Made = NOTHING,
    ) -> Written:  # fmt: skip
        """The page with several states, the first one open; what was made is of that one."""
        packs = _Packs()
        rows = []
        for place, state in enumerate(states):
            part = progress.part(place / len(states), (place + 1) / len(states))
            glb = self._gltf.deliver(state.scene, part, memo, NOTHING if place else made).content
            content, buffer = compacted(*_parts_of(glb))
            head, pieces = packs.put(content, buffer)
            scene = state.scene
            rows.append(
                {"name": state.name, "fps": scene.fps, "first": scene.first, "last": scene.last, "head": head,
                 "pieces": pieces, "left": self.left_out(scene)}
            )  # fmt: skip
        page = _page(states, rows, packs.texts)
        size = f"{len(page) / 2**20:.2f} MB"
        count = f", {len(states)} versions" if len(states) > 1 else ""
        lacks = dict.fromkeys(text for state in states for text in self.left_out(state.scene))
        return Written(page, f"One file of {size}{count}.", tuple(lacks))

    def left_out(self, scene: Scene) -> list[str]:
        """What of a scene is not in the page, in words."""
        left = []
        for node in scene.nodes:
            if not node.visible:
                continue
            if node.emitter is not None or node.swarm is not None:
                left.append(f"{node.label}: {'particles' if node.emitter else 'a swarm'}")
            elif node.scatter is not None and base_value(node.scatter.count) > self.moving_copies:
                count = int(base_value(node.scatter.count))
                left.append(f"{node.label}: {self.moving_copies} of {count:,} copies move, the others stand")
        return left


@dataclass
class _Packs:
    """Bytes by packs: one for what each version has that was not there before."""

    texts: list[str] = field(default_factory=list)
    known: dict[bytes, tuple[int, int]] = field(default_factory=dict)

    def put(self, content: dict[str, Any], buffer: bytes) -> tuple[int, list[tuple[int, int, int]]]:
        """Keep a file: the pack that has its text, and the pieces of its buffer as (pack, from, length)."""
        new = bytearray()
        pack = len(self.texts) + 1
        pieces: list[tuple[int, int, int]] = []
        at = 0
        for view in content.get("bufferViews", []):
            start, length = view.get("byteOffset", 0), view["byteLength"]
            piece = buffer[start : start + length]
            name = hashlib.sha256(piece).digest()
            if name not in self.known:
                self.known[name] = (pack, len(new))
                new += piece
            pieces.append((*self.known[name], length))
            view["byteOffset"] = at
            at += -(-length // FOUR) * FOUR
        if content.get("buffers"):
            content["buffers"] = [{"byteLength": at}]
        text = json.dumps(content, separators=(",", ":"), ensure_ascii=False).encode()
        self.texts += [_packed(text), _packed(bytes(new))]
        return pack - 1, pieces


BOOT = """
const packed = document.getElementById("pack-$script").textContent;
const bytes = Uint8Array.from(atob(packed), (letter) => letter.charCodeAt(0));
const stream = new Blob([bytes]).stream().pipeThrough(new DecompressionStream("gzip"));
new Response(stream).text().then((text) => (
  import(URL.createObjectURL(new Blob([text], { type: "text/javascript" })))
)).catch((error) => {
  document.getElementById("said").textContent = "This browser can't show the page: " + error.message;
});
"""
"""What begins the page: it unpacks the module and runs it."""


def _page(states: Sequence[NamedScene], rows: list[dict[str, Any]], packs: list[str]) -> bytes:
    texts = [*packs, _packed(joined([(WEB / ENTRY).resolve()]).encode())]
    boot = Template(BOOT).substitute(script=len(texts) - 1)
    style = _style()
    name = states[0].scene.name
    content = json.dumps({"scene": name, "versions": rows}, ensure_ascii=False).replace("<", "\\u003c")
    page = Template((WEB / "review/templates/page.html").read_text()).substitute(
        policy=_policy(boot, style), style=style, boot=boot, content=content, scene=escape(name),
        made=datetime.now(UTC).strftime("%-d %B %Y"), alone="" if len(states) > 1 else " hidden",
        buttons="".join(_buttons(states)),
        packs="\n".join(f'<script type="text/plain" id="pack-{k}">{text}</script>' for k, text in enumerate(texts)),
    )  # fmt: skip
    return page.encode()


def _buttons(states: Sequence[NamedScene]) -> Iterator[str]:
    for place, state in enumerate(states):
        note = f' title="{escape(state.note)}"' if state.note else ""
        made = f" <small>{escape(state.made)}</small>" if state.made else ""
        pressed = "true" if place == 0 else "false"
        yield (
            f'<button type="button" data-place="{place}" aria-pressed="{pressed}"{note}>{escape(state.name)}{made}'
            "</button>"
        )


def _policy(boot: str, style: str) -> str:
    """What the page may do: run its own script and the modules that it unpacks, draw its own pictures; ask nobody."""
    hashes = [b64encode(hashlib.sha256(text.encode()).digest()).decode() for text in (boot, style)]
    return (
        f"default-src 'none'; script-src 'sha256-{hashes[0]}' blob:; style-src 'sha256-{hashes[1]}'; "
        "img-src blob: data:; font-src data:; connect-src blob:; base-uri 'none'; form-action 'none'"
    )


def _style() -> str:
    tokens = (WEB / "static/css/tokens.css").read_text()
    day = tokens[tokens.index(":root") : tokens.index('[data-bs-theme="dark"]')]
    faces = "".join(
        f'@font-face{{font-family:"{family}";font-weight:{weights};'
        f"src:url(data:font/woff2;base64,{b64encode((WEB / 'static/vendor' / file).read_bytes()).decode()})}}\n"
        for family, weights, file in FONTS
    )
    return f"{faces}{day}{(WEB / 'review/static/review.css').read_text()}"


def _parts_of(glb: bytes) -> tuple[dict[str, Any], bytes]:
    """The JSON and the buffer of a .glb (glTF 2.0, section 4)."""
    length = struct.unpack_from("<I", glb, 12)[0]
    content: dict[str, Any] = json.loads(glb[20 : 20 + length])
    return content, glb[28 + length :]


def _packed(content: bytes) -> str:
    return b64encode(gzip.compress(content, 9, mtime=0)).decode()
