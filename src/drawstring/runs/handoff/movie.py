"""Movies to look at: WebM with VP9, which every browser plays, 4:2:0, tagged BT.709; Opus for sound."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from fractions import Fraction
from typing import TYPE_CHECKING, Any

import cv2
import numpy as np
from numpy.typing import NDArray

from drawstring.core.errors import OutputError, SourceError

if TYPE_CHECKING:
    import av  # of use for movies alone: its libraries take a fifth of a second to load

Picture8 = NDArray[np.uint8]
"""(H, W, 3) display levels, R G B."""

SOUND_RATE = 48000
_BT709 = 1
"""Its number among primaries and transfer curves (Rec. ITU-T H.273)."""


class Movie:
    """A movie that is being written, frame by frame.

    Attributes
    ----------
    rate : Fraction
        Frames a second.
    frames : int
        How many are in it.
    """

    def __init__(self, container: Any, size: tuple[int, int], rate: Fraction, *, has_sound: bool) -> None:
        from av.video.reformatter import ColorRange, Colorspace

        self._container = container
        self.rate, self.frames = rate, 0
        self._video = container.add_stream("libvpx-vp9", rate=rate)
        self._video.width, self._video.height = size
        self._video.pix_fmt = "yuv420p"
        context = self._video.codec_context
        context.color_range, context.colorspace = ColorRange.MPEG, Colorspace.ITU709
        context.color_primaries, context.color_trc = _BT709, _BT709
        self._video.options = {"crf": "24", "b": "0", "deadline": "good", "cpu-used": "5", "row-mt": "1"}
        self._sound = container.add_stream("libopus", rate=SOUND_RATE) if has_sound else None
        if self._sound is not None:
            self._sound.layout = "stereo"

    def add(self, seen: Picture8) -> None:
        """Add a frame of the movie's size."""
        self._mux(self._video, _in_bt709(seen))
        self.frames += 1

    def add_sound(self, path: str, name: str = "") -> float:
        """Lay a sound under all frames that are in it: cut off at their end, silent where it ends before.

        Returns
        -------
        float
            By how many seconds it is longer than the frames; below 0 where it is shorter.

        Raises
        ------
        SourceError
            It can't be read.
        """
        wanted = round(self.frames * SOUND_RATE / self.rate)
        heard = 0
        for piece in _resampled(path, name or os.path.basename(path)):
            kept = piece[:, : max(wanted - heard, 0)]
            if kept.shape[1]:
                self._add_samples(kept)
            heard += piece.shape[1]
        if heard < wanted:
            self._add_samples(np.zeros((2, wanted - heard), np.float32))
        return (heard - wanted) / SOUND_RATE

    def _add_samples(self, samples: NDArray[np.float32]) -> None:
        import av

        assert self._sound is not None
        # Opus takes pieces of its own length; the encoder's queue joins them.
        interleaved = np.ascontiguousarray(samples.T.reshape(1, -1), np.float32)
        frame = av.AudioFrame.from_ndarray(interleaved, format="flt", layout="stereo")
        frame.sample_rate = SOUND_RATE
        self._mux(self._sound, frame)

    def close(self) -> None:
        """Write what the encoders still hold."""
        for stream in (self._video, self._sound):
            if stream is not None:
                self._mux(stream, None)

    def _mux(self, stream: Any, frame: Any) -> None:
        for packet in stream.encode(frame):
            self._container.mux(packet)


@contextmanager
def movie(
    unfinished: str, size: tuple[int, int], rate: float, *, has_sound: bool = False, where: str = ""
) -> Iterator[Movie]:
    """Open a movie for writing; it is whole when the block ends.

    Parameters
    ----------
    unfinished : str
        The path to write.
    size : (width, height)
        Even numbers.
    rate : float
        Frames a second.
    has_sound : bool
    where : str
        What a refusal names.

    Raises
    ------
    OutputError
        It can't be written.
    """
    import av

    try:
        with av.open(unfinished, "w", format="webm") as container:
            film = Movie(container, size, Fraction(rate).limit_denominator(1001), has_sound=has_sound)
            yield film
            film.close()
    except (av.FFmpegError, OSError) as error:
        raise OutputError(
            f"The movie can't be written: {error}.", where=where or unfinished,
            why="There is none to look at.",
            remedy="Free some space, then ask for it again.",
        ) from error  # fmt: skip


def fitted(picture: Picture8, width: int, height: int) -> Picture8:
    """Fit a picture into a size with its aspect kept, on grey."""
    scale = min(width / picture.shape[1], height / picture.shape[0])
    wide, high = max(1, round(picture.shape[1] * scale)), max(1, round(picture.shape[0] * scale))
    small = cv2.resize(picture, (wide, high), interpolation=cv2.INTER_AREA)
    if (high, wide) == (height, width):
        return np.asarray(small, np.uint8)
    framed = np.full((height, width, 3), 32, np.uint8)
    top, left = (height - high) // 2, (width - wide) // 2
    framed[top : top + high, left : left + wide] = small
    return framed


def _resampled(path: str, name: str) -> Iterator[NDArray[np.float32]]:
    """Give a sound's samples in pieces: (2, N) float32 at the movie's rate."""
    import av

    try:
        with av.open(path, mode="r") as container:
            if not container.streams.audio:
                raise _no_sound(name, "it holds no sound")
            resampler = av.AudioResampler(format="fltp", layout="stereo", rate=SOUND_RATE)
            for frame in container.decode(container.streams.audio[0]):
                for piece in resampler.resample(frame):
                    yield np.asarray(piece.to_ndarray(), np.float32)
            for piece in resampler.resample(None):
                yield np.asarray(piece.to_ndarray(), np.float32)
    except (av.FFmpegError, ValueError) as error:
        raise _no_sound(name, str(error)) from error


def _no_sound(name: str, reason: str) -> SourceError:
    return SourceError(
        f"{name} can't be read as a sound: {reason}.", where=name, why="The movie would be without it.",
        remedy="Choose a WAV, FLAC or Ogg file.",
    )  # fmt: skip


def _in_bt709(seen: Picture8) -> av.VideoFrame:
    """Turn display levels into luma and chroma as Rec. ITU-R BT.709-6 weighs them, and say so."""
    import av
    from av.video.reformatter import ColorRange, Colorspace

    frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(seen), format="rgb24").reformat(
        format="yuv420p", dst_colorspace=Colorspace.ITU709, dst_color_range=ColorRange.MPEG
    )
    frame.colorspace, frame.color_range = Colorspace.ITU709, ColorRange.MPEG
    return frame
