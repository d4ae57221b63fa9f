"""What jobs leave behind: nothing, however they end."""

from __future__ import annotations

import fcntl
import tempfile
import threading
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from typing import IO, Any

import pytest

from lazzik.core.progress import Progress
from lazzik.web.jobs.queue import KEPT, PREFIX, Job, Jobs, NoJob, Result, clear_dead


@pytest.fixture
def temporary(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))
    return tmp_path


@pytest.fixture
def jobs(temporary: Path) -> Iterator[Jobs]:
    made = Jobs()
    yield made
    made.close()


def waited(job: Job) -> str:
    """How it ended."""
    over = threading.Event()
    while not job.over:
        over.wait(0.01)
    return job.state


def test_folders_of_dead_servers_go_and_those_of_the_living_stay(temporary: Path) -> None:
    dead, living, others = (temporary / name for name in (f"{PREFIX}dead", f"{PREFIX}living", "something-else"))
    for folder in (dead, living, others):
        folder.mkdir()
        (folder / "alive").touch()
        (folder / "result").write_bytes(b"left over")
    with (living / "alive").open("a") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        clear_dead()
        assert (dead.exists(), living.exists(), others.exists()) == (False, True, True)
    clear_dead()
    assert not living.exists()


def test_a_folder_goes_with_its_jobs(temporary: Path) -> None:
    jobs = Jobs()
    job = jobs.start(Job("Made", "text/plain"), lambda _: Result(content=b"made"))
    assert waited(job) == "done"
    assert jobs.file(job).read_bytes() == b"made"
    jobs.close()
    assert list(temporary.iterdir()) == []


def test_the_oldest_that_are_over_are_forgotten_with_their_files(jobs: Jobs) -> None:
    made = [jobs.start(Job(str(n), "text/plain"), lambda _: Result(content=b"made")) for n in range(KEPT + 5)]
    for job in made:
        waited(job)
    jobs.add(Job("one more", "text/plain"))
    assert len(list(jobs.folder.iterdir())) == KEPT + 1  # and the file that tells that it lives


def test_many_threads_may_ask_at_once(jobs: Jobs) -> None:
    problems: list[BaseException] = []

    def busy() -> None:
        try:
            for n in range(50):
                job = jobs.start(Job(str(n), "text/plain"), lambda _: Result(content=b"made"))
                with suppress(NoJob):  # others may have made so many meanwhile that it is forgotten
                    jobs.find(job.id).update(said="x")
                jobs.stop(job)
                jobs.sweep()
        except BaseException as error:  # whatever it is, the test has to know
            problems.append(error)

    threads = [threading.Thread(target=busy) for _ in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert problems == []


def test_what_is_over_stays_as_it_ended(jobs: Jobs) -> None:
    def refuse(_: Progress) -> Result:
        raise OSError(28, "No space left on device")

    job = jobs.start(Job("Full", "text/plain"), refuse)
    assert waited(job) == "failed"
    assert "No space left" in job.said
    jobs.stop(job)
    job.update(state="running")
    assert job.state == "failed"


def test_a_server_that_starts_leaves_the_folder_of_one_that_starts_beside_it(
    temporary: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    lock = fcntl.flock

    def late(file: IO[Any], how: int) -> None:
        if how == fcntl.LOCK_EX:  # just before the folder is locked
            clear_dead()
        lock(file, how)

    monkeypatch.setattr(fcntl, "flock", late)
    jobs = Jobs()
    clear_dead()
    assert (jobs.folder / "alive").exists()
    jobs.close()
    assert not list(temporary.iterdir())
