"""Many scenes at once: in their order, each whole or not at all; what one refuses or breaks stops no other."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from lazzik.core.errors import InvalidEdit
from lazzik.core.progress import Progress, Stopped
from lazzik.work.batch import Piece, all_done


def copied(scene: Path, out: Path, progress: Progress) -> list[str]:
    """A task: the text of a file in another one. What it says decides what happens."""
    text = scene.read_text()
    if text == "refuse":
        raise InvalidEdit("it is refused")
    if text == "end":
        os._exit(3)
    if text == "end once" and not out.with_suffix(".tried").exists():
        out.with_suffix(".tried").write_text("")
        os._exit(3)
    progress.report(1.0)
    out.write_text(text)
    return [f"{len(text)} letters"]


def pieces(folder: Path, *texts: str) -> list[Piece]:
    made = []
    for n, text in enumerate(texts):
        (folder / f"{n}.txt").write_text(text)
        made.append(Piece(folder / f"{n}.txt", folder / f"{n}.out"))
    return made


def test_what_one_refuses_or_breaks_stops_no_other_and_an_ended_process_is_tried_again(tmp_path: Path) -> None:
    told: list[float] = []
    every = pieces(tmp_path, "one", "refuse", "end once", "end", "five")
    outcomes = all_done(copied, every, 2, Progress(lambda share, _: told.append(share)))
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

    with pytest.raises(Stopped):
        all_done(copied, pieces(tmp_path, *["more"] * 6), 2, Progress(stop))
