"""Fonts: their names, and the outlines of a line of text, curves cut into short pieces.

TrueType and OpenType (ISO/IEC 14496-22), read by fontTools.
"""

from __future__ import annotations

import io
import struct
from importlib.resources import files
from typing import Any

import numpy as np
from fontTools.pens.basePen import BasePen
from fontTools.ttLib import TTFont, TTLibError

from lazzik.core.cache import BoundedCache
from lazzik.core.errors import InvalidAsset
from lazzik.core.geometry.assets import NO_ASSETS, AssetStore
from lazzik.core.geometry.bezier import flattened
from lazzik.core.geometry.font_names import SHIPPED
from lazzik.core.geometry.mesh import Mesh
from lazzik.core.geometry.outlines import Outline, solid, united

WRONG_WITH_FONTS = (
    TTLibError, struct.error, ValueError, LookupError, AttributeError, TypeError, AssertionError, OverflowError,
    RecursionError, MemoryError, EOFError,
)  # fmt: skip
"""What reading a damaged font may raise."""


_SET: BoundedCache[Mesh] = BoundedCache(64 * 2**20)
"""Lines of text that were set, by all that makes them what they are."""


def set_in_type(text: str, font: str, density: int, slices: int, assets: AssetStore = NO_ASSETS) -> Mesh:
    """A line of text, one em high and one deep, about its middle. Raises UnknownAsset, InvalidAsset."""
    key = (text, font, density, slices)
    mesh = _SET.get(key)
    if mesh is None:
        mesh = _solid(text, font_bytes(font, assets), density, slices)
        _SET.put(key, mesh, mesh.weight)
    return mesh


def _solid(text: str, content: bytes, density: int, slices: int) -> Mesh:
    outlines = united(_outlines(text, content, 1.0 / density), 1.0 / density)
    if not outlines:
        raise InvalidAsset(f"The font has no outlines for '{text[:20]}'")
    every = np.concatenate(outlines)
    middle = (every.min(axis=0) + every.max(axis=0)) / 2
    return solid([outline - middle for outline in outlines], 1.0 / density, slices)


def font_bytes(name: str, assets: AssetStore = NO_ASSETS) -> bytes:
    """A font that ships, or that of an asset. Raises UnknownAsset."""
    if name in SHIPPED:
        return files("lazzik.core.geometry").joinpath("fonts", f"{name}.ttf").read_bytes()
    return assets.content(name)


def check_font(content: bytes) -> str:
    """The family name of a font file. Raises InvalidAsset."""
    font = _opened(content)
    try:
        family = font["name"].getDebugName(1) if "name" in font else None
        glyphs = font.getGlyphSet()
        glyphs[font.getGlyphOrder()[0]].draw(_Flat(glyphs, 1.0, 0.0, 1e9))
    except WRONG_WITH_FONTS as error:
        raise InvalidAsset(f"The font is damaged ({error})") from None
    return family or "Unnamed font"


class _Flat(BasePen):  # type: ignore[misc]
    """Draws glyphs as polylines in ems."""

    def __init__(self, glyphs: Any, scale: float, left: float, spacing: float) -> None:
        super().__init__(glyphs)
        self.scale, self.left, self.spacing = scale, left, spacing
        self.outlines: list[list[tuple[float, float]]] = []

    def _at(self, point: tuple[float, float]) -> tuple[float, float]:
        return self.left + point[0] * self.scale, point[1] * self.scale

    def _moveTo(self, point: tuple[float, float]) -> None:
        self.outlines.append([self._at(point)])

    def _lineTo(self, point: tuple[float, float]) -> None:
        self._cut(point)

    def _curveToOne(self, one: tuple[float, float], two: tuple[float, float], end: tuple[float, float]) -> None:
        self._cut(one, two, end)

    def _qCurveToOne(self, one: tuple[float, float], end: tuple[float, float]) -> None:
        self._cut(one, end)

    def _cut(self, *controls: tuple[float, float]) -> None:
        """Go on along the curve with these control points after the last one, in pieces no longer than the spacing."""
        outline = self.outlines[-1]
        points = np.array([outline[-1], *(self._at(point) for point in controls)])
        pieces = max(1, int(np.ceil(float(np.linalg.norm(points[-1] - points[0])) / self.spacing)))
        outline += [tuple(point) for point in flattened(points, pieces)[1:]] + [tuple(points[-1])]

    def _closePath(self) -> None:
        first, last = self.outlines[-1][0], self.outlines[-1][-1]
        if np.hypot(first[0] - last[0], first[1] - last[1]) > 1e-6:
            self._lineTo(((first[0] - self.left) / self.scale, first[1] / self.scale))
        self.outlines[-1].pop()

    def _endPath(self) -> None:
        self.outlines.pop()


def _opened(content: bytes) -> TTFont:
    try:
        font = TTFont(io.BytesIO(content), lazy=True)
        if "cmap" not in font or not ({"glyf", "CFF ", "CFF2"} & set(font.keys())):
            raise InvalidAsset("This font holds no outlines that can be used")
        return font
    except WRONG_WITH_FONTS as error:
        raise InvalidAsset(f"This is no TrueType or OpenType font that can be read ({error})") from None


def _outlines(text: str, content: bytes, spacing: float) -> list[Outline]:
    """Closed outlines in ems, on one base line."""
    font = _opened(content)
    try:
        glyphs, names = font.getGlyphSet(), font.getBestCmap() or {}
        scale, left, found = 1.0 / font["head"].unitsPerEm, 0.0, []
        for letter in text:
            glyph = names.get(ord(letter), ".notdef")
            pen = _Flat(glyphs, scale, left, spacing)
            glyphs[glyph].draw(pen)
            found += [np.array(outline) for outline in pen.outlines if len(outline) > 2]
            left += glyphs[glyph].width * scale
    except WRONG_WITH_FONTS as error:
        raise InvalidAsset(f"The font can't be drawn from ({error})") from None
    return found
