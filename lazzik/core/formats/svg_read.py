"""From an SVG drawing (W3C SVG 1.1) to objects: each filled shape a flat sheet or a solid of its own colour."""

from __future__ import annotations

import io
import math
from collections import Counter
from dataclasses import replace
from typing import Any

import numpy as np
import svgelements
from defusedxml import ElementTree
from defusedxml.common import DefusedXmlException
from numpy.typing import NDArray

from lazzik.core.errors import InvalidAsset
from lazzik.core.geometry.assets import AssetStore, pack_mesh
from lazzik.core.geometry.bezier import flattened
from lazzik.core.geometry.imported import MeshShape
from lazzik.core.geometry.mesh import Mesh
from lazzik.core.geometry.outlines import Outline, points_of, sheet, solid, united
from lazzik.core.scene.edits.base import free_slug
from lazzik.core.scene.node import Color, Look, Node, Position

LARGEST_FILE = 4 * 2**20
MOST_SHAPES = 500
MOST_ELEMENTS = 20_000
MOST_COMMANDS = 20_000
PIXELS = 100.0
"""Pixels of the drawing that make a metre."""

FINE = 120
"""Pieces that the drawing's longer side is cut into, for outlines and for points within them."""

MOST_PIECES = 4000
"""Points of one outline."""

MOST_POINTS = 60_000
"""Points of all outlines and of what lies within them: about two seconds of work."""

SLICES = 1


def read_svg(content: bytes, name: str, depth: float, assets: AssetStore) -> tuple[tuple[Node, ...], tuple[str, ...]]:
    """A group and the shapes in it, the drawing's middle at its origin; `depth` metres deep, or flat; and what is left
    out, in sentences. Their meshes are put with the assets.

    Raises InvalidAsset, saying what is wrong.
    """
    if len(content) > LARGEST_FILE:
        raise InvalidAsset(f"The drawing is larger than {LARGEST_FILE // 2**20} MB, the most that is taken")
    try:
        root = ElementTree.fromstring(content, forbid_dtd=False, forbid_entities=True, forbid_external=True)
    except DefusedXmlException:
        raise InvalidAsset(f"'{name[-60:]}' defines entities or refers to other files, which is not taken") from None
    except (ElementTree.ParseError, ValueError, LookupError) as error:
        raise InvalidAsset(f"'{name[-60:]}' is no XML that can be read: {str(error)[:80]}") from None
    if root.tag.rpartition("}")[2] != "svg":
        raise InvalidAsset(f"'{name[-60:]}' is no SVG drawing: it begins with '{str(root.tag)[-30:]}'")
    if sum(1 for _ in root.iter()) > MOST_ELEMENTS:
        raise InvalidAsset(f"The drawing has more than {MOST_ELEMENTS:,} parts")
    commands = sum(letter.isalpha() for item in root.iter() for letter in item.get("d", ""))
    if commands > MOST_COMMANDS:
        raise InvalidAsset(f"The drawing's outlines have {commands:,} pieces; {MOST_COMMANDS:,} are the most")
    if any(item.tag.rpartition("}")[2] == "use" for item in root.iter() if isinstance(item.tag, str)):
        raise InvalidAsset("The drawing uses parts of itself over again ('use'); let your drawing program expand them")
    shapes, skipped = _shapes(content, name)
    corners = np.concatenate([outline for _, outlines, _ in shapes for outline in outlines])
    low, high = corners.min(axis=0), corners.max(axis=0)
    middle, spacing = (low + high) / 2, float((high - low).max()) / FINE
    if not 0 < spacing < 1e5:
        raise InvalidAsset("The drawing has no extent, or one that can't be used")
    points = sum(points_of(outlines, spacing) for _, outlines, _ in shapes)
    if points > MOST_POINTS:
        raise InvalidAsset(
            f"The drawing would take about {points:,.0f} points; {MOST_POINTS:,} are the most. "
            "Bring in fewer or simpler shapes at once"
        )
    stem = name.rpartition("/")[2].rpartition(".")[0][:60] or "Drawing"
    taken = {free_slug(stem, set())}
    nodes = [Node(id=next(iter(taken)), label=stem)]
    for place, (label, outlines, color) in enumerate(shapes):
        mesh = _mesh([(outline - middle) * [1, -1] / PIXELS for outline in outlines], spacing / PIXELS, depth)
        if mesh is None:
            continue
        slug = free_slug(label, taken)
        taken.add(slug)
        look = Look(color=color)
        # what is drawn later lies a hair before what is drawn earlier
        front = Position(z=round(place * 0.001, 4))
        shape = MeshShape(kind="mesh", asset=assets.put(pack_mesh(mesh)))
        nodes.append(Node(id=slug, label=label[:120], parent=nodes[0].id, shape=shape, look=look, position=front))
    if len(nodes) == 1:
        raise InvalidAsset(f"'{name[-60:]}' has no filled shape")
    return tuple(nodes), _left_out(skipped)


def _left_out(skipped: Counter[str]) -> tuple[str, ...]:
    parts = [f"{count} {what}{'' if count == 1 else 's'}" for what, count in skipped.items()]
    return (f"Left out: {', '.join(parts)}.",) if parts else ()


def _shapes(content: bytes, name: str) -> tuple[list[tuple[str, list[Outline], Color]], Counter[str]]:
    """(label, outlines in pixels, colour) of each filled shape, in the order of drawing; and what is skipped."""
    skipped: Counter[str] = Counter()
    try:
        drawing = svgelements.SVG.parse(io.BytesIO(content), reify=True)
        found: list[tuple[str, list[Outline], Color]] = []
        for element in drawing.elements():
            if isinstance(element, svgelements.Text | svgelements.Image):
                skipped["text" if isinstance(element, svgelements.Text) else "picture"] += 1
            if not isinstance(element, svgelements.Shape):
                continue
            if len(found) >= MOST_SHAPES:
                skipped[f"shape beyond the {MOST_SHAPES} that are taken"] += 1
                continue
            fill = element.fill
            if fill is None or fill.value is None or (fill.alpha is not None and fill.alpha == 0):
                skipped["shape without a plain filling"] += 1
                continue
            outlines = _outlines(svgelements.Path(element))
            if outlines:
                label = str(element.values.get("id") or type(element).__name__)
                color = Color(r=fill.red / 255, g=fill.green / 255, b=fill.blue / 255)
                found.append((label, outlines, color))
    except InvalidAsset:
        raise
    except Exception as error:  # the library raises whatever its own parts raise
        raise InvalidAsset(f"'{name[-60:]}' can't be drawn: {str(error)[:80] or type(error).__name__}") from None
    if not found:
        raise InvalidAsset(f"'{name[-60:]}' has no filled shape")
    return found, skipped


def _outlines(path: Any) -> list[Outline]:
    """(n, 2) pixels of each part of a path, curves cut into pieces by the length of the polygon that holds them."""
    parts = [[_controls(curve) for segment in part for curve in _curves(segment)] for part in path.as_subpaths()]
    held = np.concatenate([np.zeros((0, 2)), *(controls for part in parts for controls in part)])
    if not len(held) or not np.all(np.abs(held) < 1e7):
        return []
    step = max(float(np.ptp(held, axis=0).max()), 1e-6) / FINE
    out = []
    for part in parts:
        pieces = [_pieces(controls, step) for controls in part]
        if sum(pieces) > MOST_PIECES:
            raise InvalidAsset("The drawing has an outline of too many pieces")
        points = [flattened(controls, count) for controls, count in zip(part, pieces, strict=True)]
        outline = np.concatenate([np.zeros((0, 2)), *points])
        outline = outline[np.linalg.norm(outline - np.roll(outline, 1, axis=0), axis=1) > 1e-6]
        if len(outline) > 2:
            out.append(outline)
    return out


def _curves(segment: Any) -> list[Any]:
    """What is drawn of a segment: itself, or the Bézier curves of an arc. (Letting the library replace the arcs of a
    whole path takes time that grows with the square of their number.)"""
    if isinstance(segment, svgelements.Move) or segment.start is None or segment.end is None:
        return []
    return list(segment.as_cubic_curves()) if isinstance(segment, svgelements.Arc) else [segment]


def _controls(segment: Any) -> NDArray[np.float64]:
    """(2 to 4, 2) the control points of a line or a Bézier curve."""
    names = ("start", "control", "control1", "control2", "end")
    points = [getattr(segment, name) for name in names if getattr(segment, name, None) is not None]
    return np.array([(point.x, point.y) for point in points], dtype=np.float64)


def _pieces(controls: NDArray[np.float64], step: float) -> int:
    if len(controls) == 2:
        return 1
    return min(256, max(4, math.ceil(float(np.linalg.norm(np.diff(controls, axis=0), axis=1).sum()) / step)))


def _mesh(outlines: list[Outline], spacing: float, depth: float) -> Mesh | None:
    size = max(float(np.ptp(np.concatenate(outlines), axis=0).max()), 1e-9)
    fine = max(spacing, size / FINE)
    filled = united(outlines, fine)
    if not filled:
        return None
    if not depth:
        return sheet(filled, fine)
    mesh = solid(filled, fine, SLICES)
    return replace(mesh, points=mesh.points * [1, 1, depth])
