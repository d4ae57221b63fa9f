"""A copy of a scatter made real: an object of its own that stands and answers the air as the copy did.

It comes as a group that stands at the root and leans in the air, in it another one that is turned and sized as the copy
is, and in that the source with all below it.
"""

from __future__ import annotations

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.channel.scaling import scaled
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.copies import copies_of
from lazzik.core.evaluate.scope import Scope
from lazzik.core.layers.breeze import Breeze
from lazzik.core.scene.edits import Edit
from lazzik.core.scene.edits.objects import BringIn
from lazzik.core.scene.edits.scatters import TakeCopies, scatter_of
from lazzik.core.scene.node import Node, Position, Rotation, Scale
from lazzik.core.scene.rest_pose import matrix_of, triple
from lazzik.core.scene.scatter import Scatter
from lazzik.core.scene.scene import Scene
from lazzik.core.types import Samples


def made_real(scene: Scene, slug: str, copy: int, scope: Scope) -> list[Edit]:
    """The edits that make a copy an object of its own. Raises UnknownAddress, and InvalidEdit where there is no such
    copy."""
    node, scatter = scatter_of(scene, slug)
    copies = copies_of(scene, node, scope)
    places = np.flatnonzero(copies.ids == copy)
    if not len(places):
        raise InvalidEdit(f"{node.label} has no copy {copy}", slug)
    (k,) = places.tolist()
    source = scene.node(scatter.sources[int(copies.sources[k])])
    above = matrix_of(triple(node.position), triple(node.rotation), node.rotation.order, triple(node.scale))
    place = above[:3, :3] @ copies.places[k] + above[:3, 3]
    size = float(copies.sizes[k]) * float(np.cbrt(abs(np.linalg.det(above[:3, :3]))))
    from scipy.spatial.transform import Rotation as Turn

    turn = Turn.from_matrix(above[:3, :3] / np.linalg.norm(above[:3, :3], axis=0)) * Turn.from_quat(copies.turns[k])
    x, y, z = turn.as_euler("XYZ", degrees=True).tolist()
    root = Node(
        id=f"{source.id}-{copy}", label=f"{source.label} {copy}", position=_position(place),
        rotation=_leaning(scatter, float(copies.stiffness[k])),
    )  # fmt: skip
    stands = Node(
        id=f"{root.id}-stands", label="Stands", parent=root.id, rotation=Rotation(x=x, y=y, z=z),
        scale=Scale(x=size, y=size, z=size),
    )  # fmt: skip
    nodes = [root, stands]
    for inner in scene.within(source):
        own = f"{root.id}-{inner.id}"[:64].rstrip("-")
        if inner is source:
            nodes.append(inner.replaced(id=own, parent=stands.id, position=Position()))
        else:
            nodes.append(inner.replaced(id=own, parent=f"{root.id}-{inner.parent}"[:64].rstrip("-")))
    bring = BringIn(label=root.label, nodes=tuple(nodes), under=node.parent)
    return [bring, TakeCopies(node=slug, copies=(copy,))]


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
