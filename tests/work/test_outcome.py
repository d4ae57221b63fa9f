"""What became of a task is the same wherever it was done: its value, what it refuses, that it was stopped or broke."""

from __future__ import annotations

import pickle
from typing import Any

import pytest

from lazzik.core.errors import InvalidEdit
from lazzik.core.progress import Progress, Stopped
from lazzik.work.crew import WorkBroken
from lazzik.work.outcome import made_of, outcome_of


def _doubled(number: int, progress: Progress) -> int:
    progress.report(0.5, "doubling")
    return 2 * number


def _raises(error: BaseException, progress: Progress) -> None:
    progress.report(0.5, "opening the door")
    progress.report(0.6)
    raise error


def _sent(error: BaseException) -> Any:
    """What comes out at the other end."""
    return made_of(pickle.loads(pickle.dumps(outcome_of(_raises, (error,), Progress()))))


def test_a_value_comes_back_and_reports_are_passed_on() -> None:
    heard: list[tuple[float, str]] = []
    outcome = outcome_of(_doubled, (21,), Progress(lambda *report: heard.append(report)))
    assert made_of(outcome) == 42
    assert heard == [(0.5, "doubling")]


def test_what_is_refused_and_what_is_stopped_are_raised_as_they_are() -> None:
    with pytest.raises(InvalidEdit, match="No, thank you") as caught:
        _sent(InvalidEdit("No, thank you", "door"))
    assert caught.value.where == "door"
    with pytest.raises(Stopped):
        _sent(Stopped())


@pytest.mark.parametrize("error", [ValueError("a secret"), EOFError(), BrokenPipeError()])
def test_any_other_error_is_a_sentence_that_names_what_was_being_done(
    error: Exception, caplog: pytest.LogCaptureFixture
) -> None:
    with pytest.raises(WorkBroken) as caught:
        _sent(error)
    kind = type(error).__name__
    assert caught.value.message == f"Something went wrong at 'opening the door' that should not have: {kind}"
    assert "_raises" in caplog.text  # the log has the trace


def test_how_much_memory_there_is_knows_who_began_it() -> None:
    with pytest.raises(MemoryError):
        outcome_of(_raises, (MemoryError(),), Progress())
