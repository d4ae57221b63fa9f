"""Particles made objects: where they were, as long as they lived, with keys that can be changed."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from lazzik.core.bake.flown import KEPT_TO, made_objects
from lazzik.core.channel.channel import Channel
from lazzik.core.errors import InvalidEdit
from lazzik.core.evaluate.scope import Scope
from lazzik.core.evaluate.transforms import transforms
from lazzik.core.scene.edits.base import applied
from lazzik.core.scene.scene import Scene
from lazzik.core.simulate.looks import sizes_of
from lazzik.core.simulate.particles import Particles
from lazzik.core.simulate.run import FolderStorage
from tests.conftest import edited

LEAF = ({"do": "add-object", "label": "Leaf", "shape": {"kind": "box", "width": 0.4, "height": 0.1, "depth": 0.2}},)


def windy(*more: dict[str, Any]) -> Scene:
    return edited(
        Scene(name="Leaves", fps=25, last=60),
        {"do": "add-object", "label": "Eddies", "field": {"kind": "eddies"}},
        {"do": "emit", "label": "Leaves", "position": [0, 2, 0]},
        *({"do": "set", "address": f"leaves/emitter.{name}", "value": value}
          for name, value in {"rate": 8, "life": 1.2, "spread": 60, "size": 0.3}.items()),
        *more,
    )  # fmt: skip


def baked(scene: Scene, folder: Path, most: int = 100) -> Scene:
    return applied(scene, made_objects(scene, "leaves", most, FolderStorage(folder)))


@pytest.mark.parametrize("copied", [False, True])
def test_objects_are_where_the_particles_were_from_birth_to_death(copied: bool, tmp_path: Path) -> None:
    copies = (*LEAF, {"do": "change-emitter", "node": "leaves", "copy_of": "leaf", "settings": {"turned": "spin"}})
    scene = windy(*(copies if copied else ()))
    after = baked(scene, tmp_path)
    assert not after.node("leaves").visible
    roots = [node for node in after.nodes if node.parent == "leaves-objects"]
    run, clock = Particles(scene, "leaves"), scene.clock()
    moments = [moment for moment, _ in run.frames(0, 60)]
    placed = {node.id: transforms(node, clock, Scope(after)) for node in roots}
    across = 0.4 if copied else 1.0
    for frame, moment in enumerate(moments):
        sizes = sizes_of(scene, "leaves", run.emitter, run.seed, moment)
        seen = [own for own in placed.values() if own.scale[min(frame, len(own.scale) - 1), 0] > 0]
        assert len(seen) == len(moment), frame
        for place, size in zip(moment.places, sizes, strict=True):
            near = min(seen, key=lambda own: float(np.linalg.norm(own.position[frame] - place)))
            np.testing.assert_allclose(near.position[frame], place, atol=KEPT_TO[0] + 1e-6)
            assert near.scale[frame, 0] == pytest.approx(size / across, rel=2 * KEPT_TO[2])
    if copied:
        leaves = [node for node in after.nodes if node.parent == roots[0].id]
        assert [leaf.shape for leaf in leaves] == [scene.node("leaf").shape]
    else:
        assert roots[0].shape is not None
    x = roots[3].position.x
    assert isinstance(x, Channel)
    assert 2 <= len(x.keys) < 31  # far fewer than a key a frame would be, over its life


def test_of_many_evenly_chosen_ones_are_made(tmp_path: Path) -> None:
    scene = windy()
    few = [node for node in baked(scene, tmp_path, most=5).nodes if node.parent == "leaves-objects"]
    assert len(few) == 5
    for most in (0, 10_000):
        with pytest.raises(InvalidEdit, match="From 1 to 300 particles"):
            baked(scene, tmp_path, most)
    late = edited(scene, {"do": "set", "address": "leaves/emitter.start", "value": 500})
    with pytest.raises(InvalidEdit, match="sends out no particles over the range"):
        baked(late, tmp_path)
    with pytest.raises(InvalidEdit, match="sends out nothing"):
        made_objects(scene, "eddies", 5, FolderStorage(tmp_path))


def test_names_that_are_as_long_as_may_be_stay_apart(tmp_path: Path) -> None:
    copies = (*LEAF, {"do": "change-emitter", "node": "leaves", "copy_of": "leaf"})
    scene = windy(*copies)
    long = "l" * 64
    nodes = tuple(node.replaced(id=long) if node.id == "leaves" else node for node in scene.nodes)
    named = scene.replaced(nodes=nodes)
    after = applied(named, made_objects(named, long, 5, FolderStorage(tmp_path)))
    [group] = [node for node in after.nodes if node.label.endswith("as objects")]
    roots = after.below[group.id]
    assert len(roots) == 5
    assert all(len(after.below[root.id]) == 1 for root in roots)
