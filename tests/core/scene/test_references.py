"""Who reads whom: rings of numbers are found, from the whole scene as from what changed."""

from __future__ import annotations

import numpy as np

from lazzik.core.channel.channel import Channel
from lazzik.core.layers.link import Link
from lazzik.core.scene.aim import Aim
from lazzik.core.scene.node import Node, Position, Rotation
from lazzik.core.scene.references import circle
from lazzik.core.scene.scene import Scene


def test_a_ring_is_found_from_what_changed_alone_as_from_the_whole_scene() -> None:
    """Random scenes of objects that hang, aim and link: whoever knows the scene before finds the same ring, or none."""
    rng = np.random.default_rng(11)
    scene = Scene(name="Rings", nodes=tuple(Node(id=f"n{k}", label=f"Node {k}") for k in range(8)))
    found = refused = 0
    for step in range(300):
        k, other = (int(n) for n in rng.integers(0, 8, 2))
        node = scene.nodes[k]
        match int(rng.integers(0, 5)):
            case 0:
                link = Link(kind="link", id="l", label="l", source=f"n{other}/rotation.z")
                node = node.replaced(rotation=Rotation(z=Channel(layers=(link,))))
            case 1:
                link = Link(kind="link", id="l", label="l", source=f"n{other}/position.x")
                node = node.replaced(position=Position(x=Channel(layers=(link,))))
            case 2:
                above = {row.id: row.parent for row in scene.nodes}
                way: str | None = f"n{other}"
                while way not in (None, node.id):
                    way = above[way]
                node = node.replaced(parent=None if way == node.id else f"n{other}")
            case 3:
                node = node.replaced(aim=Aim(target=f"n{other}") if other != k else None)
            case _:
                node = node.replaced(rotation=Rotation(), position=Position())
        after = scene.replaced(nodes=tuple(node if row.id == node.id else row for row in scene.nodes))
        whole = circle(after)
        assert circle(after, scene) == whole, step
        if whole is None:
            scene, found = after, found + 1
        else:
            refused += 1
    assert found > 20
    assert refused > 20
