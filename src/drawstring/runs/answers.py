"""What became of a frame that was handed out: its answer, or words for why there is none, and its steps."""

from __future__ import annotations

import logging
from typing import Any

from distributed import Future, KilledWorker

from drawstring.core.errors import DrawstringError
from drawstring.runs.readers import killer
from drawstring.runs.run_plan import FrameAnswer, FrameTask

log = logging.getLogger(__name__)

FETCH_S = 5.0
"""How long an answer that is said to be there may take to come."""


class NotThereYetError(Exception):
    """An answer that was there is not any more, and may come again: its worker died before it was fetched."""


def outcome_of(future: Future) -> tuple[Any, BaseException | None]:
    """Give a task's answer, or its error.

    Raises
    ------
    NotThereYetError
        It is being done again, for which no worker may be left: whoever looks after workers must not wait
        for it.
    """
    try:
        error = future.exception(timeout=FETCH_S)
        return (None, error) if error is not None else (future.result(timeout=FETCH_S), None)
    except TimeoutError as late:
        raise NotThereYetError from late
    except KilledWorker as killed:
        # A worker died with the answer before it was fetched, and so did those that did it again.
        return None, killed


def answer_of(future: Future, task: FrameTask) -> FrameAnswer | None:
    """Give what became of a frame; None when it was lost on the way and is to be done again.

    Raises
    ------
    NotThereYetError
        See `outcome_of`.
    """
    if future.status in ("cancelled", "lost"):
        return None
    answer, error = outcome_of(future)
    if isinstance(answer, FrameAnswer):
        return answer
    if isinstance(error, KilledWorker):
        return FrameAnswer(task.number, fault=killer(task.files[0].path).as_dict())
    log.error("Frame %s failed unexpectedly", task.number, exc_info=error)
    fault = DrawstringError(
        f"Frame {task.number} failed: {type(error).__name__}: {error}.",
        where=task.files[0].path if task.files else "",
        why="This is a mistake in the program; the frame is left out.",
        remedy="Go on with the run; if it fails again, send the engine's log.",
    )
    return FrameAnswer(task.number, fault=fault.as_dict())


def steps_of(answer: FrameAnswer, tries: int) -> list[dict[str, Any]]:
    """Give a try's steps with its head; of one whose worker died, what is known."""
    steps = list(answer.log)
    if answer.fault and not steps:
        steps = [{"at": answer.seconds, "says": answer.fault["what"]}]
    return [{"at": 0.0, "try": tries, "says": answer.worker or "a worker that died"}, *steps]
