"""Values over the frames that come from elsewhere: a table, a flicker made from a seed, the level of a sound.

Each gives a value for every frame it speaks of; they become keys like any others and stay editable.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from drawstring.core.errors import SettingError
from drawstring.core.io.sound import Sound

MOST = 20_000
"""Frames of a table."""

Values = dict[int, tuple[float, ...]]
"""Frame number to one or several numbers."""


def read_table(text: str, where: str) -> Values:
    r"""Read a table of frame and value, a line each: pasted from a sheet, or a CSV file.

    Columns are parted by commas, semicolons, tabs or spaces; a first line that holds no numbers is a heading;
    empty lines and lines after # count for nothing.

    Raises
    ------
    SettingError
        A line can't be read, a frame has two values, or columns are missing; says which line.

    Examples
    --------
    >>> read_table("frame;value\n1001;0,5\n1002;1", "depth.focus.distance")
    {1001: (0.5,), 1002: (1.0,)}
    """
    values: Values = {}
    columns = 0
    for number, line in enumerate(text.splitlines(), 1):
        line = line.partition("#")[0].strip().lstrip("\ufeff")
        if not line:
            continue
        cells = _cells(line)
        if not values and not any(re.fullmatch(r"[-+]?[\d.,]+", cell) for cell in cells):
            continue  # a heading
        try:
            frame, *numbers = (float(cell) for cell in cells)
        except ValueError:
            raise _refused(
                where, f"Line {number}, “{line[:60]}”, holds something that is no number."
            ) from None
        if not numbers:
            raise _refused(where, f"Line {number}, “{line[:60]}”, has no value beside its frame.")
        if frame != int(frame) or not np.isfinite(numbers).all():
            raise _refused(
                where, f"Line {number}, “{line[:60]}”: a frame is a whole number, values are finite."
            )
        columns = columns or len(numbers)
        if len(numbers) != columns:
            raise _refused(where, f"Line {number} has {len(numbers)} values, the lines before it {columns}.")
        known = values.setdefault(int(frame), tuple(numbers))
        if known != tuple(numbers):
            raise _refused(where, f"Frame {int(frame)} has two values; the second is on line {number}.")
        if len(values) > MOST:
            raise _refused(where, f"The table has more than {MOST} frames.")
    if not values:
        raise _refused(where, "The table is empty.")
    return dict(sorted(values.items()))


def _cells(line: str) -> list[str]:
    for mark in (";", "\t"):
        if mark in line:
            # Half the world's sheets write a comma for the decimals then.
            return [cell.strip().strip('"').replace(",", ".") for cell in line.split(mark) if cell.strip()]
    parted = line.split(",") if "," in line else line.split()
    return [cell.strip().strip('"') for cell in parted if cell.strip()]


def table_text(values: Values) -> str:
    """Write values as a table that `read_table` reads."""
    return "\n".join(
        ",".join([str(frame), *(f"{v:.9g}" for v in several)]) for frame, several in values.items()
    )


@dataclass(frozen=True)
class Flicker:
    """How something flickers.

    Attributes
    ----------
    low, high : float
        Between which values.
    every : int
        Frames from one draw to the next; between them the value goes straight.
    seed : int
        The same seed gives the same flicker.
    """

    low: float
    high: float
    every: int = 1
    seed: int = 1


def flicker(how: Flicker, first: int, last: int) -> Values:
    """Make a flicker over frames: independent draws, evenly spread between low and high.

    A frame's draw follows from seed and frame number alone, so that a longer shot flickers alike.

    Raises
    ------
    SettingError
        There is no frame, or a step of less than one.
    """
    if last < first or how.every < 1:
        raise _refused("flicker", "A flicker needs frames, and a step of at least one.")
    begin = first - first % how.every
    numbers = range(begin, last + how.every, how.every)
    draws = {n: np.random.default_rng([how.seed & 0xFFFFFFFF, n & 0xFFFFFFFF]).random() for n in numbers}
    at = np.interp(range(first, last + 1), list(draws), list(draws.values()))
    return {first + i: (float(f"{how.low + (how.high - how.low) * v:.6g}"),) for i, v in enumerate(at)}


@dataclass(frozen=True)
class Following:
    """How a value follows a sound.

    Attributes
    ----------
    low, high : float
        The value in silence, and at the loudest.
    band : (float, float)
        Hz: only what sounds between them counts; 0 leaves an end open.
    threshold : float
        Share of the loudest below which it counts as silence.
    attack, release : float
        Seconds in which a jump up, and one down, has come to 63 %.
    begins : float
        Seconds of the sound at the first frame.
    """

    low: float = 0.0
    high: float = 1.0
    band: tuple[float, float] = (0.0, 0.0)
    threshold: float = 0.0
    attack: float = 0.0
    release: float = 0.0
    begins: float = 0.0


def levels(sound: Sound, how: Following, *, fps: float, count: int) -> NDArray[np.float64]:
    """Give a sound's level at each frame: RMS within the frame's time, by the loudest, 0 to 1.

    The band is cut out by a Butterworth filter of fourth order to each side (S. Butterworth, "On the theory
    of filter amplifiers", Experimental Wireless 7, 1930, pp. 536-541; as in SciPy). Attack and release are
    those of a one-pole peak follower: y += (x - y) (1 - exp(-1 / (fps t))), t being the one or the other.

    Parameters
    ----------
    sound : Sound
    how : Following
    fps : float
    count : int
        Frames.

    Returns
    -------
    (count,) float64
        0 where the sound is over, or has not begun.

    Raises
    ------
    SettingError
        The band lies outside what the sound's rate can hold.
    """
    samples = _banded(sound, how.band)
    edges = np.round((how.begins + np.arange(count + 1) / fps) * sound.rate).astype(np.int64)
    squares = np.concatenate([[0.0], np.cumsum(samples.astype(np.float64) ** 2)])
    inside = np.clip(edges, 0, len(samples))
    spans = np.maximum(np.diff(edges), 1)
    level = np.sqrt(np.maximum(np.diff(squares[inside]), 0) / spans)
    loudest = level.max(initial=0.0)
    if loudest <= 0:
        return np.zeros(count)
    level = level / loudest
    level = np.maximum(level - how.threshold, 0) / max(1 - how.threshold, 1e-9)
    follows = np.zeros(count)
    now = 0.0
    for i, wanted in enumerate(level):
        seconds = how.attack if wanted > now else how.release
        now += (wanted - now) * (1 - np.exp(-1 / (fps * seconds)) if seconds > 0 else 1.0)
        follows[i] = now
    return follows


def _banded(sound: Sound, band: tuple[float, float]) -> NDArray[np.floating]:
    from scipy.signal import butter, sosfilt

    low, high = band
    highest = sound.rate / 2
    if low < 0 or high < 0 or (high and low >= high) or low >= highest or high >= highest:
        raise _refused(
            "band", f"From {low:g} to {high:g} Hz is no band of a sound with {sound.rate} samples a second."
        )
    if not low and not high:
        return sound.samples
    kind, ends = (
        ("bandpass", [low, high]) if low and high else ("highpass", low) if low else ("lowpass", high)
    )
    return np.asarray(sosfilt(butter(4, ends, kind, fs=sound.rate, output="sos"), sound.samples))


def followed(level: NDArray[np.float64], how: Following, first: int) -> Values:
    """Give the values of levels, from a first frame on."""
    return {first + i: (float(f"{how.low + (how.high - how.low) * v:.6g}"),) for i, v in enumerate(level)}


def _refused(where: str, what: str) -> SettingError:
    return SettingError(
        what,
        where=where,
        why="Nothing was changed.",
        remedy="Give lines of frame and value, such as 1012, 0.5.",
    )
