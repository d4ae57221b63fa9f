"""Work in threads: in order, the same bits as one after the other, errors raised, progress of all together."""

from __future__ import annotations

from threading import Barrier, get_ident

import pytest

import lazzik.core.threads as threads
from lazzik.core.channel.channel import Channel
from lazzik.core.deformers.bend import Bend
from lazzik.core.errors import InvalidEdit
from lazzik.core.formats.gltf import Gltf
from lazzik.core.geometry.primitives import Sheet
from lazzik.core.layers.noise import Noise
from lazzik.core.progress import Progress, Stopped
from lazzik.core.scene.node import Node
from lazzik.core.scene.scene import Scene
from lazzik.core.threads import alone, at_once


def test_what_is_made_comes_in_the_order_of_the_items(monkeypatch: pytest.MonkeyPatch) -> None:
    for count in (1, 4):
        monkeypatch.setattr(threads, "cores", lambda count=count: count)
        assert at_once(lambda n: n * n, list(range(20))) == [n * n for n in range(20)]
    assert at_once(lambda n: n, []) == []


def test_where_others_are_at_work_one_piece_follows_the_other_in_the_thread_that_asks(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(threads, "cores", lambda: 4)
    with alone():
        assert at_once(lambda _: get_ident(), range(6)) == [get_ident()] * 6


def test_the_thread_that_asks_works_beside_helpers_that_stay(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(threads, "cores", lambda: 2)
    together = Barrier(2, timeout=60)

    def meets(_: int) -> int:
        together.wait()  # passed by two at once alone
        return get_ident()

    first, second = set(at_once(meets, range(2))), set(at_once(meets, range(2)))
    assert get_ident() in first
    assert first == second
    assert len(first) == 2
    within = at_once(lambda n: at_once(lambda m: 10 * n + m, range(3)), range(3))
    assert within == [[10 * n + m for m in range(3)] for n in range(3)]


def test_an_error_of_a_piece_is_raised_and_the_rest_is_left(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(threads, "cores", lambda: 2)
    begun: list[int] = []

    def work(n: int) -> int:
        begun.append(n)
        if n == 0:
            raise InvalidEdit("the first one can't be done")
        return n

    with pytest.raises(InvalidEdit, match="the first one"):
        at_once(work, list(range(200)))
    assert begun.count(0) == 1
    assert at_once(lambda n: n, range(3)) == [0, 1, 2]  # helpers are at hand again


def test_pieces_at_once_tell_how_far_all_are_and_hear_of_a_stop() -> None:
    told: list[float] = []

    def hear(share: float, said: str) -> None:
        told.append(share)
        if said == "stop":
            raise Stopped

    first, second = Progress(hear).part(0.5, 1.0).shared(2)
    first.report(0.5)
    second.part(0.5, 1.0).report(1.0)
    first.report(1.0)
    assert told == pytest.approx([0.625, 0.875, 1.0])
    with pytest.raises(Stopped):
        second.report(0.1, "stop")


def test_a_file_is_the_same_on_one_core_and_on_two(monkeypatch: pytest.MonkeyPatch) -> None:
    gust = Channel(value=20.0, layers=(Noise(kind="noise", id="gust", label="gust", amplitude=30),))
    bend = Bend(kind="bend", id="bend", label="Bend", angle=gust, axis="y", start=-1, end=1)
    sheets = [Sheet(kind="sheet", standing=True, width=1, height=2, columns=6 + n, rows=4) for n in range(3)]
    nodes = [Node(id=f"flag-{n}", label=f"Flag {n}", shape=sheet, deform=(bend,)) for n, sheet in enumerate(sheets)]
    scene = Scene(name="Flags", last=40, nodes=tuple(nodes))
    files = []
    for count in (1, 2):
        monkeypatch.setattr(threads, "cores", lambda count=count: count)
        files.append(Gltf().write(scene))
    assert files[0] == files[1]
    assert files[0].count(b"targets") >= 1
