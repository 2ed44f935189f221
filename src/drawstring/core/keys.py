"""Values that change over the frames: keys, and what lies between them.

A track holds a value at some frames and says for each how it goes on from there: linear, held, or smooth.
Before the first key and after the last one the value stays. Values are one number or several (a colour, the
corners of a shape), all of one length. Which setting a track belongs to is not known here.

Source of the smooth course: F. N. Fritsch, J. Butland, "A method for constructing local monotone piecewise
cubic interpolants", SIAM Journal on Scientific and Statistical Computing 5(2), 1984, pp. 300-304 (as
implemented in SciPy): it passes through every key and never swings beyond two neighbours. At the first and
the last key the slope is 0, so between two keys alone it is 3 s^2 - 2 s^3.
"""

from __future__ import annotations

from bisect import bisect_right

from pydantic import BaseModel, ConfigDict, field_validator

from drawstring.core.choices import Choice
from drawstring.core.errors import SettingError


class Then(Choice):
    """How a value goes on from a key to the next one."""

    LINEAR = "linear"
    """In equal steps."""
    HOLD = "hold"
    """It stays until the next key."""
    SMOOTH = "smooth"
    """It sets off and arrives gently, and never swings beyond either key."""


class Key(BaseModel):
    """A value at a frame."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    frame: int
    value: tuple[float, ...]
    then: Then = Then.SMOOTH


class Track(BaseModel):
    """The keys of one value, by frame."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    keys: tuple[Key, ...]

    @field_validator("keys")
    @classmethod
    def _in_order(cls, keys: tuple[Key, ...]) -> tuple[Key, ...]:
        ordered = tuple(sorted(keys, key=lambda key: key.frame))
        if not ordered or len({key.frame for key in ordered}) != len(ordered):
            raise ValueError("a track has at least one key, and one at most to a frame")
        if len({len(key.value) for key in ordered}) != 1:
            raise ValueError("all keys of a track have equally many numbers")
        return ordered

    @property
    def frames(self) -> list[int]:
        """Where its keys are."""
        return [key.frame for key in self.keys]

    def at(self, frame: float) -> tuple[float, ...]:
        """Give the value at a frame, between frames too.

        Examples
        --------
        >>> keys = (Key(frame=10, value=(2.0,), then="linear"), Key(frame=20, value=(4.0,)))
        >>> Track(keys=keys).at(15), Track(keys=keys).at(99)
        ((3.0,), (4.0,))
        """
        keys = self.keys
        after = bisect_right(self.frames, frame)
        if after == 0:
            return keys[0].value
        here = keys[after - 1]
        if after == len(keys) or here.then is Then.HOLD or here.frame == frame:
            return here.value
        there = keys[after]
        if here.then is Then.LINEAR:
            share = (frame - here.frame) / (there.frame - here.frame)
            return tuple(a + (b - a) * share for a, b in zip(here.value, there.value, strict=True))
        return self._smooth(frame)

    def _smooth(self, frame: float) -> tuple[float, ...]:
        # Loaded by the first smooth key, not by every page.
        import numpy as np
        from scipy.interpolate import CubicHermiteSpline, PchipInterpolator

        frames, values = self.frames, [key.value for key in self.keys]
        # A step so small that one over it is no number any more has slope nothing, and needs no word.
        with np.errstate(over="ignore"):
            slopes = PchipInterpolator(frames, values, axis=0).derivative()(frames)
        # A pull begins and ends at rest; in between the slopes are those that never swing beyond a key.
        slopes[0] = slopes[-1] = 0
        return tuple(float(v) for v in CubicHermiteSpline(frames, values, slopes, axis=0)(frame))

    def with_key(self, frame: int, value: tuple[float, ...]) -> Track:
        """Make a track that has a value at a frame; how it goes on from there stays as it was.

        Raises
        ------
        SettingError
            The value has another number of corners than its neighbours.
        """
        if len(value) != len(self.keys[0].value):
            raise SettingError(
                f"{len(value) // 2} corners can't follow {len(self.keys[0].value) // 2}.",
                where=f"frame {frame}",
                why="Between two keys every corner goes to its own counterpart.",
                remedy="Draw the shape with as many corners, or delete the keys first.",
            )
        there = next((key for key in self.keys if key.frame == frame), None)
        before = [key for key in self.keys if key.frame < frame]
        then = there.then if there else before[-1].then if before else self.keys[0].then
        rest = [key for key in self.keys if key.frame != frame]
        return Track(keys=(*rest, Key(frame=frame, value=value, then=then)))

    def without(self, frame: int) -> Track | None:
        """Make a track without the key at a frame; None when it was the last one."""
        rest = tuple(key for key in self.keys if key.frame != frame)
        return Track(keys=rest) if rest else None

    def with_then(self, frame: int, then: Then) -> Track:
        """Make a track in which the value goes on in another way from a key."""
        return Track(
            keys=tuple(k.model_copy(update={"then": then}) if k.frame == frame else k for k in self.keys)
        )
