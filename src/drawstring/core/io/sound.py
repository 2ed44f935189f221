"""Sound files read to plain samples: what a glow may follow."""

from __future__ import annotations

import os
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from typing import IO

import numpy as np
import xxhash
from numpy.typing import NDArray

from drawstring.core.errors import ConflictError, SourceError
from drawstring.core.io.writing import final_name

MOST_SECONDS = 3 * 3600
"""A longer sound is refused: the cut of a shot is seconds long."""

_CONTAINERS = ("wav", "flac", "ogg", "w64", "aiff")
"""Open or openly described containers; what else a library would read is not asked for."""


@dataclass(frozen=True)
class Sound:
    """A sound, mixed to one channel.

    Attributes
    ----------
    samples : (N,) float32
        -1 to 1.
    rate : int
        Samples a second.
    """

    samples: NDArray[np.float32]
    rate: int

    @property
    def seconds(self) -> float:
        """How long it is."""
        return len(self.samples) / self.rate


def read_sound(path: str, name: str = "") -> Sound:
    """Read a WAV or FLAC file, all channels mixed to one.

    Parameters
    ----------
    path : str
    name : str
        What people call the file, where it lies under another name.

    Raises
    ------
    SourceError
        It is no such sound, is damaged, or too long.
    """
    import av

    called = name or os.path.basename(path)
    pieces, rate = [], 0
    try:
        with av.open(path, mode="r") as container:
            kinds = set(container.format.name.split(","))
            if not kinds & set(_CONTAINERS) or not container.streams.audio:
                raise _refused(called, "It is no sound that can be followed.")
            stream = container.streams.audio[0]
            rate = int(stream.rate or 0)
            mixer = av.AudioResampler(format="fltp", layout=stream.layout.name, rate=rate)
            count = 0
            for frame in container.decode(stream):
                for piece in mixer.resample(frame):
                    pieces.append(piece.to_ndarray().mean(axis=0))
                    count += pieces[-1].size
                if count > MOST_SECONDS * max(rate, 1):
                    raise _refused(called, "It is longer than three hours.")
            pieces += [piece.to_ndarray().mean(axis=0) for piece in mixer.resample(None)]
    except SourceError:
        raise
    except Exception as error:
        raise _refused(called, f"It can't be read: {type(error).__name__}.") from error
    if not pieces or not rate:
        raise _refused(called, "It holds no sound.")
    samples = np.concatenate(pieces).astype(np.float32)
    return Sound(np.nan_to_num(samples, nan=0.0, posinf=1.0, neginf=-1.0), rate)


def _refused(called: str, what: str) -> SourceError:
    return SourceError(
        what,
        where=called,
        why="Values can't follow it.",
        remedy="Give a WAV or FLAC file of the cut's sound.",
    )


MOST_SOUND_MB = 2048


def sound_seconds(path: str, name: str = "") -> float:
    """Read a sound and give how long it is (see `read_sound`)."""
    return read_sound(path, name).seconds


def kept_sound(
    folder: str, name: str, stream: IO[bytes], check: Callable[[str, str], float] = sound_seconds
) -> str:
    """Keep a sound that was handed in, under its content's sum; give its path.

    Parameters
    ----------
    folder, name : str
    stream : binary file
    check : callable of (path, name)
        Refuses what is no sound; in a process of its own where the file is foreign.

    Raises
    ------
    SourceError
        It is no sound that can be read, or too large.
    OutputError
        It can't be written.
    """
    plain = os.path.basename(name.replace("\\", "/"))
    content = stream.read((MOST_SOUND_MB << 20) + 1)
    if len(content) > MOST_SOUND_MB << 20:
        raise _refused(plain, f"It is larger than {MOST_SOUND_MB} MB.")
    path = os.path.join(folder, xxhash.xxh3_128_hexdigest(content) + os.path.splitext(plain)[1].lower())
    if not os.path.exists(path):
        os.makedirs(folder, exist_ok=True)
        with suppress(ConflictError), final_name(path) as unfinished:
            with open(unfinished, "wb") as file:
                file.write(content)
            check(unfinished, plain)
    return path
