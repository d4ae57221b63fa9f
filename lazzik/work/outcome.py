"""What became of a task, as it goes from where it was done to whoever waits for it.

A tuple: ("done", value), ("stopped",), ("refused", LazzikError) or ("broken", kind of the error, what was being done,
trace).
"""

from __future__ import annotations

import logging
import traceback
from collections.abc import Callable
from typing import Any

from lazzik.core.errors import LazzikError
from lazzik.core.progress import Progress, Stopped
from lazzik.work.crew import WorkBroken

Outcome = tuple[Any, ...]

LOG = logging.getLogger("lazzik")


def outcome_of(task: Callable[..., Any], arguments: tuple[Any, ...], progress: Progress) -> Outcome:
    """Do a task. Only MemoryError is raised: whoever began it knows how much there is."""
    doing = ""

    def heard(share: float, said: str) -> None:
        nonlocal doing
        doing = said or doing
        progress.report(share, said)

    try:
        return ("done", task(*arguments, Progress(heard)))
    except Stopped:
        return ("stopped",)
    except LazzikError as error:
        return ("refused", error)
    except MemoryError:
        raise
    except Exception as error:  # whatever it is, whoever waits must hear of it
        return ("broken", type(error).__name__, doing, traceback.format_exc())


def made_of(outcome: Outcome) -> Any:
    """What a task made. Raises Stopped if it was stopped, what it refused, and WorkBroken if it failed otherwise."""
    match outcome:
        case ("done", value):
            return value
        case ("stopped",):
            raise Stopped
        case ("refused", error):
            raise error
        case (_, error, doing, trace):
            at = f" at '{doing}'" if doing else ""
            LOG.error("work failed%s\n%s", at, trace)
            raise WorkBroken(f"Something went wrong{at} that should not have: {error}")
    raise TypeError(f"{outcome!r} is no outcome")
