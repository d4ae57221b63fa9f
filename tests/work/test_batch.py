"""Many scenes at once, and one in blocks: in their order, each whole or not at all; what one refuses or breaks stops no
other. By processes of this machine here, by a cluster in test_cluster.py."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from xml.etree import ElementTree

import pytest

from lazzik.core.bake.baking import BakePlan, bake, bakeable
from lazzik.core.channel.channel import Channel
from lazzik.core.errors import InvalidEdit, UnknownAddress
from lazzik.core.formats import svg
from lazzik.core.formats.registry import format_for
from lazzik.core.formats.svg import AnimatedSvg
from lazzik.core.geometry.primitives import Box
from lazzik.core.layers.follow import Follow
from lazzik.core.layers.noise import Noise
from lazzik.core.progress import UNHEARD, Progress, Stopped
from lazzik.core.scene.node import Node, Position
from lazzik.core.scene.scene import Scene
from lazzik.core.scene.serialize import scene_text
from lazzik.work.bakes import baked_by_all
from lazzik.work.batch import Piece, all_done
from lazzik.work.crew import LEAST, blocks_of, hands_of
from lazzik.work.deliveries import made_by_all
from lazzik.work.pool import Workers
from lazzik.work.source import SceneText, StoredFile
from tests.conftest import turned
from tests.work.chores import copied, pieces


@pytest.fixture(scope="module")
def crew() -> Iterator[Workers]:
    workers = Workers(most=2)
    yield workers
    workers.close()


def test_what_one_refuses_or_breaks_stops_no_other_and_an_ended_process_is_tried_again(
    tmp_path: Path, crew: Workers
) -> None:
    told: list[float] = []
    every = pieces(tmp_path, "one", "refuse", "end once", "end", "five")
    outcomes = all_done(crew, copied, every, tmp_path, progress=Progress(lambda share, _: told.append(share)))
    assert [outcome.piece for outcome in outcomes] == every
    assert [outcome.lines for outcome in outcomes] == [("3 letters",), (), ("8 letters",), (), ("4 letters",)]
    assert outcomes[1].problem == "it is refused"
    assert outcomes[3].problem
    assert [piece.out.exists() for piece in every] == [True, False, True, False, True]
    assert told
    assert told[-1] <= 1.0


def test_it_stops_when_nobody_waits_any_more(tmp_path: Path) -> None:
    def stop(_: float, __: str) -> None:
        raise Stopped

    workers = Workers(most=2)
    try:
        with pytest.raises(Stopped):
            all_done(workers, copied, pieces(tmp_path, *["more"] * 6), tmp_path, progress=Progress(stop))
    finally:
        workers.close()


@pytest.mark.parametrize(("count", "workers"), [(1, 2), (8, 2), (9, 2), (100, 2), (100, 64), (1000, 3)])
def test_blocks_hold_every_item_once(count: int, workers: int) -> None:
    blocks = blocks_of(count, workers)
    assert [place for block in blocks for place in block] == [*range(count)]
    assert all(len(block) >= LEAST for block in blocks[:-1])
    assert len(blocks) <= max(1, 4 * workers)


def test_a_bake_in_blocks_is_the_bake_of_one_piece(tmp_path: Path, crew: Workers, demo: Scene) -> None:
    file = tmp_path / "demo.json"
    file.write_text(scene_text(demo))
    plan = BakePlan(0, 40, thorough=True)
    whole = bake(demo, bakeable(demo), plan)
    assert len(whole.channels) > 2 * LEAST
    told: list[str] = []
    heard = Progress(lambda _, said: told.append(said))
    for source in (StoredFile(file), SceneText(file.read_bytes())):
        assert baked_by_all(crew, source, bakeable(demo), plan, heard) == whole
    assert any("/" in said for said in told)
    with pytest.raises(UnknownAddress):
        baked_by_all(crew, StoredFile(file), [*bakeable(demo), "nothing/rotation.z"], plan, UNHEARD)
    with pytest.raises(InvalidEdit):
        baked_by_all(crew, StoredFile(file), [], plan, UNHEARD)


@pytest.mark.parametrize("name", ["x.glb", "x.usda", "x.svg", "x.html"])
def test_a_delivery_in_pieces_is_the_delivery_of_one_piece(
    tmp_path: Path, crew: Workers, few: Scene, name: str
) -> None:
    (file := tmp_path / "few.json").write_text(scene_text(few))
    chosen = format_for(name)
    pieces = chosen.pieces(few)
    assert len(pieces) == len(set(pieces)) > 10
    told: list[str] = []
    made = made_by_all(crew, StoredFile(file), chosen, Progress(lambda _, said: told.append(said)))
    assert set(made) <= set(pieces)
    assert len(made) > 10
    assert len(told) > 6
    whole = chosen.deliver(few, UNHEARD)
    assert chosen.deliver(few, UNHEARD, made=made) == whole
    # what is given is what is taken: without some of it, the rest is made
    assert chosen.deliver(few, UNHEARD, made=dict([*made.items()][::2])) == whole


def test_the_pictures_of_one_object_are_drawn_by_several(
    tmp_path: Path, crew: Workers, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What has memory too: the cut goes through a spring that swings on."""
    sway = Noise(kind="noise", id="gust", label="Gust", amplitude=40.0)
    spring = Follow(kind="follow", id="spring", label="Spring", frequency=1.1, damping=0.2)
    swings = turned(Channel(layers=(sway, spring)), last=150)
    rod = Box(kind="box", width=0.2, height=2.0, depth=0.2)
    board = Node(id="board", label="Board", shape=rod, position=Position(x=2.0))
    scene = swings.replaced(nodes=(swings.nodes[0].replaced(shape=rod), board))
    chosen = AnimatedSvg(view="front", every=1)
    assert [piece.node for piece in chosen.pieces(scene)] == ["post"] * 5 + ["board"]
    (file := tmp_path / "scene.json").write_text(scene_text(scene))
    made = made_by_all(crew, StoredFile(file), chosen, UNHEARD)
    assert set(made) == set(chosen.pieces(scene))
    whole = chosen.write(scene)
    assert chosen.deliver(scene, made=made).content == whole
    post, still = ElementTree.fromstring(whole).iter("{http://www.w3.org/2000/svg}path")
    assert {post.get("id"), still.get("id")} == {"post", "board"}
    pictures = [animate.get("values", "").split(";") for animate in (*post, *still) if animate.tag.endswith("animate")]
    assert [len(values) for values in pictures] == [151]
    assert len(set(pictures[0])) > 140
    monkeypatch.setattr(svg, "IN_A_PIECE", 1000)
    assert len(chosen.pieces(scene)) == 2
    assert chosen.write(scene) == whole


def test_what_has_no_pieces_or_only_one_who_works_is_made_whole(tmp_path: Path, crew: Workers, demo: Scene) -> None:
    (file := tmp_path / "demo.json").write_text(scene_text(demo))
    for name in ("x.csv", "x.json"):
        assert made_by_all(crew, StoredFile(file), format_for(name), UNHEARD) == {}
    alone = Workers(most=1)
    try:
        assert made_by_all(alone, StoredFile(file), format_for("x.svg"), UNHEARD) == {}
    finally:
        alone.close()


@pytest.mark.parametrize(("count", "workers"), [(1, 2), (2, 2), (22, 2), (100, 2), (100, 64)])
def test_what_takes_longest_is_dealt_to_different_hands(count: int, workers: int) -> None:
    hands = hands_of(range(count), workers)
    assert sorted(item for hand in hands for item in hand) == [*range(count)]
    assert [hand[0] for hand in hands] == [*range(len(hands))]
    assert max(len(hand) for hand in hands) - min(len(hand) for hand in hands) <= 1


def test_a_scene_that_is_not_there_is_said(tmp_path: Path, crew: Workers) -> None:
    (outcome,) = all_done(crew, copied, [Piece(tmp_path / "none.json", tmp_path / "none.out")], tmp_path)
    assert "can't be read" in outcome.problem
