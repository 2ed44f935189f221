"""Measurements at work: what deliveries hold, counted frame by frame beside the runs."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager, suppress
from dataclasses import dataclass, field, replace
from enum import StrEnum
from typing import Any

from distributed import Client, Future, KilledWorker
from distributed.client import ClosedClientError
from sqlalchemy.orm import Session

from drawstring.core.io.facts import Window
from drawstring.core.passes import Pass
from drawstring.core.recipe import Recipe
from drawstring.core.recipe.counting import FACTS
from drawstring.core.recipe.homes import countings
from drawstring.runs.answers import NotThereYetError, outcome_of
from drawstring.runs.kept_planes import Keeps
from drawstring.runs.measuring import look_through
from drawstring.runs.planning import source_files
from drawstring.runs.readers import killer
from drawstring.runs.run_plan import SourceFile
from drawstring.store import deliveries, measuring, recipes
from drawstring.store.database import is_away
from drawstring.store.models import Measurement

log = logging.getLogger(__name__)

Work = Callable[[], AbstractContextManager[Session]]
"""Opens a unit of work."""


class Turn(StrEnum):
    """When a measurement's frames are handed out."""

    WAITED_FOR = "waited for"
    """Ahead of runs: a page can't go on without it."""
    FACTS = "facts"
    """Behind runs: what is counted of every delivery."""
    AFTER = "after"
    """Last of all: what else knots ask for."""


AGAIN_S = 2.0
"""How long a measurement that came to a stop rests before it is begun again."""


@dataclass
class _AtWork:
    """A measurement's frames in flight."""

    measurement_id: int
    kind: str
    turn: Turn
    passes: tuple[Pass, ...]
    window: Window
    todo: list[tuple[int, tuple[SourceFile, ...]]]
    recipe: Recipe
    scene_unit: str
    looked_at: frozenset[int]
    """The frames of which what takes longer is told, too."""
    shown: int | None
    """The frame that a bench opens with."""
    display: Window | None
    flying: dict[Future, tuple[int, tuple[SourceFile, ...]]] = field(default_factory=dict)
    counted: dict[int, Any] = field(default_factory=dict)
    faults: dict[int, str] = field(default_factory=dict)
    packed: dict[int, dict[int, tuple[str, ...]]] = field(default_factory=dict)
    told: int = 0


class Measurements:
    """What the engine has to count; like the engine, it keeps nothing that the ledger does not hold.

    Parameters
    ----------
    keeps : Keeps, optional
        Where small pictures of the frame that is looked at first are kept.
    """

    def __init__(self, keeps: Keeps | None = None) -> None:
        self._keeps = keeps
        self._at_work: dict[int, _AtWork] = {}
        self._rests_until: dict[int, float] = {}

    def __bool__(self) -> bool:
        return bool(self._at_work)

    def flying(self, turn: Turn | None = None) -> int:
        """Count the frames in flight, of one turn or of all."""
        return sum(len(one.flying) for one in self._at_work.values() if turn in (None, one.turn))

    def take_up(self, work: Work) -> None:
        """Begin what waits in the ledger, and let go of what is no longer asked."""
        with work() as session:
            waiting = [measurement.id for measurement in measuring.waiting(session)]
        for number in waiting:
            if number in self._at_work or self._rests_until.get(number, 0.0) > time.monotonic():
                continue
            with self._stopping(work, number):
                with work() as session:
                    measurement = session.get(Measurement, number)
                    if measurement is not None:
                        self._at_work[number] = _begin(session, measurement)
        for gone in [number for number in self._at_work if number not in waiting]:
            _cancel(self._at_work.pop(gone))

    @contextmanager
    def _stopping(self, work: Work, number: int) -> Iterator[None]:
        """Have what goes wrong with one measurement stop that one only.

        A database that is away passes, and is waited for by whoever called; a statement that it refuses
        would be refused for ever.
        """
        try:
            yield
        except Exception as error:
            if is_away(error):
                raise
            log.exception("Measurement %s came to a stop", number)
            if number in self._at_work:
                _cancel(self._at_work.pop(number))
            self._rests_until[number] = time.monotonic() + AGAIN_S
            words = f"It came to a stop: {type(error).__name__}: {str(error)[:300]}"
            with work() as session:
                measuring.came_to_a_stop(session, number, words)

    def hand_out(self, client: Client, turn: Turn, room: int, *, priority: int) -> int:
        """Hand out frames whose turn it is while there is room, ahead of or behind others; give how many."""
        before = room
        for one in self._at_work.values():
            while one.turn is turn and one.todo and room > 0:
                number, files = one.todo.pop(0)
                future = client.submit(
                    look_through, one.kind, number, files, one.passes, one.window, one.recipe,
                    one.scene_unit, number in one.looked_at, pure=False, priority=priority,
                    keeps=self._kept_for(one, number),
                )  # fmt: skip
                one.flying[future] = (number, files)
                room -= 1
        return before - room

    def _kept_for(self, one: _AtWork, number: int) -> Keeps | None:
        shown = self._keeps is not None and one.kind == FACTS and number == one.shown
        return replace(self._keeps, display=one.display) if shown and self._keeps else None

    def collect(self) -> None:
        """Take what workers have counted."""
        for one in self._at_work.values():
            for future in [future for future in one.flying if future.done()]:
                number = one.flying[future][0]
                if future.status in ("cancelled", "lost"):
                    one.todo.insert(0, one.flying.pop(future))
                    continue
                try:
                    counted, packed = _answer(future, number)
                except NotThereYetError:
                    continue
                one.flying.pop(future)
                if isinstance(counted, dict) and "what" in counted:
                    one.faults[number] = counted["what"]
                else:
                    one.counted[number] = counted
                    one.packed[number] = packed

    def write_down(self, work: Work) -> None:
        """Tell the ledger how far measurements are, and what came of those at their end."""
        for one in list(self._at_work.values()):
            done = len(one.counted) + len(one.faults)
            finished = not (one.todo or one.flying)
            if done > one.told or finished:
                with self._stopping(work, one.measurement_id):
                    _tell(work, one, finished=finished)
                    one.told = done
            if finished:
                self._at_work.pop(one.measurement_id, None)

    def forget(self) -> None:
        """Let go of everything; the ledger says what is to be done anew."""
        for one in self._at_work.values():
            _cancel(one)
        self._at_work.clear()


def _tell(work: Work, one: _AtWork, *, finished: bool) -> None:
    with work() as session:
        measurement = session.get(Measurement, one.measurement_id)
        if measurement is None:
            return
        measurement.done = len(one.counted) + len(one.faults)
        measurement.set_aside = {str(number): words for number, words in one.faults.items()}
        if finished:
            measuring.finish(measurement, one.counted, one.faults, one.packed)


def _begin(session: Session, measurement: Measurement) -> _AtWork:
    delivery, kind = measurement.delivery, measurement.kind
    passes = tuple(deliveries.passes_of(delivery))
    recipe = recipes.current(session, delivery.shot)
    wanted = countings(passes, recipe).get(kind)
    # A knot needs the files its channels lie in; facts are told of whatever a frame came with.
    needed = {ref.source for ref in wanted.inputs} if wanted is not None else set()
    usable = deliveries.usable_frames(session, delivery, needed)
    frames = [(number, source_files(files)) for number, files in usable.items()]
    frames = [(number, files) for number, files in frames if files]
    numbers = [number for number, _ in frames]
    middle = numbers[len(numbers) // 2] if numbers else None
    looked_at = frozenset(numbers[:1] + ([] if middle is None else [middle]) + numbers[-1:])
    if wanted is not None and wanted.is_sampled:
        frames = [(number, files) for number, files in frames if number in looked_at]
    measurement.state, measurement.total, measurement.done = "measuring", len(frames), 0
    if wanted is not None:
        # Whoever changes how it is read while this goes on asks for it anew.
        measurement.key, measurement.says, measurement.pass_name = wanted.key, wanted.says, wanted.pass_name
    is_waited_for = wanted is not None and wanted.is_waited_for
    return _AtWork(
        measurement.id,
        kind,
        Turn.FACTS if kind == FACTS else Turn.WAITED_FOR if is_waited_for else Turn.AFTER,
        passes,
        deliveries.window_of(delivery),
        frames,
        recipe,
        delivery.shot.show.scene_unit,
        looked_at,
        middle,
        deliveries.display_window(delivery),
    )


def _answer(future: Future, number: int) -> tuple[Any, dict[int, tuple[str, ...]]]:
    """Give what was counted, or words for why it was not; and digests of what is packed."""
    answer, error = outcome_of(future)
    if error is None:
        _, counted, packed = answer
        return counted, packed
    if isinstance(error, KilledWorker):
        return killer(str(number)).as_dict(), {}
    log.error("Measuring frame %s failed unexpectedly", number, exc_info=error)
    return {"what": f"Frame {number} could not be measured: {type(error).__name__}: {error}."}, {}


def _cancel(one: _AtWork) -> None:
    for future in one.flying:
        # Where the scheduler is gone, the tasks are gone with it.
        with suppress(OSError, RuntimeError, ClosedClientError):
            future.cancel()
