"""A delivery that is still coming: how much of what was asked is there, how fast it comes, what is left."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

STALLED_TIMES = 5.0
"""So many usual frame times without a new one, and it is said that nothing comes any more."""


@dataclass(frozen=True)
class Coming:
    """How far a render has come.

    Attributes
    ----------
    here, asked : int
        Frames.
    newest : int, optional
        The frame that was written last.
    frame_s : float, optional
        Usual time between two frames; None where fewer than two are there.
    left_s : float, optional
        Until all are there, at that rate; None where it can't be told.
    is_stalled : bool
        Whether frames are missing and none came for much longer than usual.
    """

    here: int
    asked: int
    newest: int | None
    frame_s: float | None
    left_s: float | None
    is_stalled: bool

    @property
    def is_whole(self) -> bool:
        """Whether all that was asked for is there."""
        return self.here >= self.asked


def coming_of(asked: Sequence[int], written: Mapping[int, float], now: float) -> Coming:
    """Tell how far a render has come.

    Parameters
    ----------
    asked : sequence of int
        Frames that were ordered.
    written : mapping of frame to seconds
        When each whole frame was last written to.
    now : float
        The same clock.

    Examples
    --------
    >>> coming_of(range(1, 11), {1: 100.0, 2: 160.0, 3: 220.0}, now=240.0)
    Coming(here=3, asked=10, newest=3, frame_s=60.0, left_s=400.0, is_stalled=False)
    """
    here = {number: at for number, at in written.items() if number in set(asked)}
    if not here:
        return Coming(0, len(asked), None, None, None, False)
    newest = max(here, key=lambda number: (here[number], number))
    since = now - here[newest]
    if len(here) < 2:
        return Coming(len(here), len(asked), newest, None, None, False)
    # The time all of them took, shared out: several machines write several frames in one frame's time.
    times = sorted(here.values())
    frame_s = (times[-1] - times[0]) / (len(times) - 1)
    left = len(asked) - len(here)
    is_stalled = left > 0 and since > max(STALLED_TIMES * frame_s, 10.0)
    left_s = None if is_stalled else max(0.0, left * frame_s - min(since, frame_s)) if left else 0.0
    return Coming(
        len(here),
        len(asked),
        newest,
        round(frame_s, 3),
        None if left_s is None else round(left_s, 3),
        is_stalled,
    )
