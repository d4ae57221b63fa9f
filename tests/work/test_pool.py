"""Worker processes: what they make comes back, and whatever happens to them is said and leaves nothing behind."""

from __future__ import annotations

import multiprocessing
import subprocess
import sys
from collections.abc import Iterator

import pytest

from lazzik.core.errors import InvalidEdit
from lazzik.core.progress import Progress, Stopped
from lazzik.work import pool as pools
from lazzik.work.crew import TooMuchMemory, WorkBroken
from lazzik.work.pool import Workers
from tests.work import chores


@pytest.fixture(scope="module")
def pool() -> Iterator[Workers]:
    made = Workers(most=2)
    yield made
    made.close()


def test_what_a_task_makes_comes_back_with_its_progress(pool: Workers) -> None:
    heard: list[tuple[float, str]] = []
    assert pool.run(chores.add, 2, 3, progress=Progress(lambda *news: heard.append(news))) == 5
    assert (0.5, "adding") in heard


def test_a_worker_stays_for_the_next_task(pool: Workers) -> None:
    assert len({pool.run(chores.who) for _ in range(6)}) <= 2


def test_a_refusal_comes_back_as_it_is(pool: Workers) -> None:
    with pytest.raises(InvalidEdit, match="No, thank you") as caught:
        pool.run(chores.refuse)
    assert caught.value.where == "door"


def test_a_mistake_says_where_it_was_and_the_log_has_the_rest(pool: Workers, caplog: pytest.LogCaptureFixture) -> None:
    with pytest.raises(WorkBroken, match="at 'motion of Mast'"):
        pool.run(chores.break_down)
    assert "no such luck" in caplog.text
    assert "Traceback" in caplog.text


def test_a_worker_that_dies_is_a_sentence_and_another_takes_its_place(pool: Workers) -> None:
    with pytest.raises(WorkBroken, match="ended suddenly"):
        pool.run(chores.die)
    assert pool.run(chores.add, 1, 1) == 2


def test_memory_is_limited_for_each_task(pool: Workers) -> None:
    with pytest.raises(TooMuchMemory, match="50 MB"):
        pool.run(chores.swell, memory=50 * 2**20)
    assert pool.run(chores.swell) == 400 * 2**20 // 8


def test_stop_is_heard_and_the_worker_stays(pool: Workers) -> None:
    told = []

    def enough(share: float, said: str) -> None:
        told.append(said)
        if len(told) > 2:
            raise Stopped

    before = {pool.run(chores.who) for _ in range(4)}
    with pytest.raises(Stopped):
        pool.run(chores.tick, progress=Progress(enough))
    assert told[-1] == "ticking"
    assert before & {pool.run(chores.who) for _ in range(4)}


def test_a_worker_that_does_not_hear_is_ended(pool: Workers, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(pools, "PATIENCE", 0.2)
    before = pool.run(chores.who)

    def enough(share: float, said: str) -> None:
        raise Stopped

    with pytest.raises(Stopped):
        pool.run(chores.sleep, progress=Progress(enough))
    with pytest.raises(WorkBroken, match=r"more than the 0\.3 s"):
        pool.run(chores.spin, seconds=0.3)
    with pytest.raises(WorkBroken, match=r"more than the 0\.1 s"):
        pool.run(chores.sleep, seconds=0.1)  # nothing comes of it, however long it waits
    assert before not in {pool.run(chores.who) for _ in range(4)}


def test_seconds_are_those_of_a_processor(pool: Workers) -> None:
    """A busy machine lets a worker wait: what it was given to do is no heavier for that."""
    assert pool.run(chores.nap, 1.5, seconds=1.0) == "awake"


def test_a_worker_ends_with_the_server_whatever_it_does() -> None:
    code = (
        "from lazzik.work.pool import Workers; from tests.work import chores; pool = Workers(most=1);"
        "print(pool.run(chores.add, 1, 1), flush=True); pool.run(chores.sleep)"
    )
    server = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE, text=True)
    assert server.stdout is not None
    assert server.stdout.readline() == "2\n"
    server.kill()
    server.communicate(timeout=300)  # its end of the pipe is the worker's too: it is closed once both are gone


def test_closing_ends_them_all() -> None:
    pool = Workers(most=2)
    pool.run(chores.add, 1, 2)
    pool.close()
    with pytest.raises(Stopped):
        pool.run(chores.add, 1, 2)
    ours = [child for child in multiprocessing.active_children() if child in {w.process for w in pool._all}]
    assert ours == []
