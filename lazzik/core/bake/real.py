"""Copies of a scatter made real: objects of their own that stand and answer the air as the copies did.

Each comes as a group that stands at the root and leans in the air, in it another one that is turned and sized as the
copy is, and in that the source with all below it. Where the copy played its source in another shift of time, what of
that moves reads the source's own numbers as much later or earlier, and its deformers come earlier; what aims goes on
aiming. On a surface that moves, keys carry it as the copy was carried, within KEPT_TO.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

import numpy as np

from lazzik.core.channel.channel import Channel, base_value
from lazzik.core.channel.scaling import moved_base, scaled
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.copies import Copies, copies_of
from lazzik.core.evaluate.riding import ridden, rides
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.variants import ahead, placed
from lazzik.core.fitting.fitting import fit
from lazzik.core.fitting.minimax import PER_FRAME
from lazzik.core.geometry.quaternions import product
from lazzik.core.layers.breeze import Breeze
from lazzik.core.layers.link import Link
from lazzik.core.scene.address import with_number
from lazzik.core.scene.edits.base import Edit, applied
from lazzik.core.scene.edits.objects import BringIn
from lazzik.core.scene.edits.scatters import TakeCopies, scatter_of
from lazzik.core.scene.node import Node, Position, Rotation, Scale
from lazzik.core.scene.rest_pose import matrix_of, triple
from lazzik.core.scene.scatter import Scatter
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Samples

MOST_REAL = 500
"""Copies that become objects in one step."""

MOST_CARRIED = 60
"""Of those that stand on a surface that moves: each gets keys."""

KEPT_TO = (0.001, 0.05)
"""Metres and degrees within which keys keep to the way of a copy."""


def made_real(scene: Scene, slug: str, wanted: Collection[int] | None, scope: Scope) -> list[Edit]:
    """The edits that make copies objects of their own: those that are named, or all that stand.

    Raises
    ------
    UnknownAddress
        If there is no such object.
    InvalidEdit
        If there is no such copy, if none stands, or if they are too many.
    """
    node, scatter = scatter_of(scene, slug)
    copies = copies_of(scene, node, scope)
    places = range(len(copies)) if wanted is None else [_place(node, copies, copy) for copy in wanted]
    if not places:
        raise InvalidEdit(f"{node.label} has no copies to make real", slug)
    if len(places) > MOST_REAL:
        raise InvalidEdit(
            f"{len(places):,} copies would become objects; {MOST_REAL} are the most in one step: scatter fewer, or make"
            " single ones real", slug,
        )  # fmt: skip
    carried = rides(scene, node)
    if carried and len(places) > MOST_CARRIED:
        raise InvalidEdit(
            f"{len(places):,} copies would become objects with keys, since what they stand on moves; {MOST_CARRIED} are"
            " the most in one step: make single ones real", slug,
        )  # fmt: skip
    keyed = _carried(scene, node, copies.only(np.array(places)), scope) if carried else [None] * len(places)
    seconds = [ahead(scatter, variant, scene.clock(), scope.at(slug)) for variant in range(scatter.variants)]
    groups = [
        _object(scene, node, copies, k, seconds[int(copies.variants[k])], way)
        for k, way in zip(places, keyed, strict=True)
    ]
    label = groups[0][0].label if len(groups) == 1 else f"{len(groups)} of {node.label}"
    bring = BringIn(label=label, nodes=tuple(node for group in groups for node in group), under=node.parent)
    return [bring, TakeCopies(node=slug, copies=tuple(copies.ids[k] for k in places))]


def with_objects(scene: Scene, most: int, scope: Scope) -> Scene:
    """The scene with the first copies of each scatter that is shown as objects of their own; it holds the others."""
    edits: list[Edit] = []
    for node in scene.nodes:
        if node.scatter is not None and node.visible and most:
            first = (
                copies_of(scene, node, scope).ids[: min(most, MOST_CARRIED if rides(scene, node) else most)].tolist()
            )
            edits += made_real(scene, node.id, first, scope) if first else []
    return applied(scene, edits) if edits else scene


def _place(node: Node, copies: Copies, copy: int) -> int:
    found: list[int] = np.flatnonzero(copies.ids == copy).tolist()
    if not found:
        raise InvalidEdit(f"{node.label} has no copy {copy}", node.id)
    return found[0]


@dataclass(frozen=True)
class _Way:
    """Keys that carry a copy as its surface does."""

    position: Position
    rotation: Rotation


def _carried(scene: Scene, node: Node, copies: Copies, scope: Scope) -> list[_Way | None]:
    """The ways of copies on a surface that moves, within KEPT_TO."""
    from scipy.spatial.transform import Rotation as Turn

    clock, above = scene.clock(PER_FRAME), _above(node)
    rows = [
        placed(places, product(tilts, copies.turns), copies.sizes, above)[:2]
        for places, tilts in ridden(scene, node, copies, clock, scope)
    ]
    places, turns = np.array([row[0] for row in rows]), np.array([row[1] for row in rows])
    ways: list[_Way | None] = []
    for k in range(len(copies)):
        angles = np.degrees(np.unwrap(Turn.from_quat(turns[:, k]).as_euler("XYZ", suppress_warnings=True), axis=0))
        moved = {
            axis: keyed(places[:, k, n], float(scene.first), scene.fps, KEPT_TO[0]) for n, axis in enumerate("xyz")
        }
        turned = {axis: keyed(angles[:, n], float(scene.first), scene.fps, KEPT_TO[1]) for n, axis in enumerate("xyz")}
        ways.append(_Way(Position(**moved), Rotation(**turned)))
    return ways


def keyed(samples: Samples, first: float, fps: float, tolerance: float) -> float | Channel:
    """A number with keys within a tolerance, or without where it stands still.

    Parameters
    ----------
    samples : (n,) array
        From a frame on, PER_FRAME to a frame, in any unit.
    """
    keys = fit(np.ascontiguousarray(samples), first, fps, tolerance)
    return round(float(samples[0]), 6) if len(keys) == 1 else Channel(value=float(samples[0]), keys=keys)


def _above(node: Node) -> Samples:
    """From a scatter's space to the one that it hangs in."""
    return matrix_of(triple(node.position), triple(node.rotation), node.rotation.order, triple(node.scale))


def _object(scene: Scene, node: Node, copies: Copies, k: int, seconds: float, way: _Way | None) -> list[Node]:
    """The k-th copy as objects: what leans, in it what is turned and sized, in that the source with all below it, so
    many seconds ahead of it."""
    from scipy.spatial.transform import Rotation as Turn

    scatter = node.scatter
    assert scatter is not None
    copy = int(copies.ids[k])
    source = scene.node(scatter.sources[int(copies.sources[k])])
    places, turns, sizes = placed(copies.places[[k]], copies.turns[[k]], copies.sizes[[k]], _above(node))
    x, y, z = Turn.from_quat(turns[0]).as_euler("XYZ", degrees=True, suppress_warnings=True).tolist()
    size = float(sizes[0])
    root = Node(
        id=f"{source.id}-{copy}", label=f"{source.label} {copy}",
        position=way.position if way else _position(places[0]),
        rotation=_leaning(scatter, float(copies.stiffness[k])),
    )  # fmt: skip
    stands = Node(
        id=f"{root.id}-stands", label="Stands", parent=root.id,
        rotation=way.rotation if way else Rotation(x=x, y=y, z=z),
        scale=Scale(x=size, y=size, z=size),
    )  # fmt: skip
    nodes = [root, stands]
    for inner in scene.within(source):
        own = f"{root.id}-{inner.id}"[:64].rstrip("-")
        new = _shifted(inner, seconds)
        if inner is source:
            nodes.append(new.replaced(id=own, parent=stands.id, position=Position(), visible=True))
        else:
            nodes.append(new.replaced(id=own, parent=f"{root.id}-{inner.parent}"[:64].rstrip("-")))
    return nodes


def _shifted(node: Node, seconds: float) -> Node:
    """An object whose numbers are those of this one so many seconds later."""
    shifted = node
    if seconds and node.deform:
        deform = tuple(item.replaced(shift=moved_base(item.shift, seconds)) for item in node.deform)
        shifted = shifted.replaced(deform=deform)
    for path, number in node.moving if seconds else ():
        if path.startswith("deform."):
            continue
        link = Link(kind="link", id="source", label="As its source", source=f"{node.id}/{path}", delay=-seconds)
        shifted = with_number(shifted, path.split("."), Channel(value=base_value(number), layers=(link,)))
    return shifted


def _position(place: Samples) -> Position:
    x, y, z = (round(float(value), 6) for value in place)
    return Position(x=x, y=y, z=z)


def _leaning(scatter: Scatter, stiffness: float) -> Rotation:
    """What answers the air as the copy did: about x and z of what the scatter hangs under."""
    if scatter.wind != "air":
        return Rotation()
    layers = {}
    for axis, what, sign in (("z", "x", -1.0), ("x", "z", 1.0)):
        layers[axis] = Breeze(
            kind="breeze", id="stands", label="In the wind", gain=scaled(scatter.gain, sign),
            frequency=scaled(scatter.frequency, stiffness), damping=scatter.damping, what=what, loop=scatter.loop,
            fit=scatter.fit,
        )  # fmt: skip
    return Rotation(x=Channel(layers=(layers["x"],)), z=Channel(layers=(layers["z"],)))
