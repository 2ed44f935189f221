"""Values of a frame, described before anything is read: what each is made from, and how.

A value is first walked dry (`channels_of`: which channels have to be read), then worked out (`Work`). Both
follow the same links, so there is one list of inputs and it can't be wrong. Its digest names all that it
depends on: two values of one digest are the same thing and are computed once.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from functools import partial
from typing import Any

from drawstring.core.arrays import Stored
from drawstring.core.camera import Moment
from drawstring.core.io.facts import ChannelRef


@dataclass(frozen=True, eq=False)
class Value:
    """Something that can be worked out for a frame.

    Attributes
    ----------
    label : str
        What it is, for people.
    digest : str
        Of everything it depends on, but for the frame.
    given : tuple of Value
        What it is made from.
    make : callable of (moment, *given's results), or None
        None for a channel of a file.
    ref : ChannelRef or None
        The channel.
    lasts : bool
        Whether it is worth being kept for the next question about this frame.
    is_lazy : bool
        Whether `make` is given functions that work its inputs out, since it may not need all of them.
    """

    label: str
    digest: str
    given: tuple[Value, ...] = ()
    make: Callable[..., Any] | None = None
    ref: ChannelRef | None = None
    lasts: bool = False
    is_lazy: bool = False


def leaf(ref: ChannelRef) -> Value:
    """Describe a channel as it arrives."""
    return Value(ref.name, _digest("channel", (ref.source, ref.part, ref.name), ()), ref=ref)


def value(
    label: str,
    make: Callable[..., Any],
    *given: Value,
    of: object = None,
    lasts: bool = False,
    is_lazy: bool = False,
) -> Value:
    """Describe what is made from other values.

    Parameters
    ----------
    label : str
        Different for different computations.
    make : callable of (moment, *given's results)
    *given : Value
    of : object
        The settings it depends on: plain data, or models that write themselves as JSON.
    """
    return Value(label, _digest(label, of, given), given, make, None, lasts, is_lazy)


def channels_of(values: Iterable[Value]) -> list[ChannelRef]:
    """Give the channels that values are made from, each once."""
    refs: dict[ChannelRef, None] = {}
    seen: set[str] = set()

    def walk(one: Value) -> None:
        if one.digest in seen:
            return
        seen.add(one.digest)
        if one.ref is not None:
            refs[one.ref] = None
        for each in one.given:
            walk(each)

    for one in values:
        walk(one)
    return list(refs)


@dataclass(frozen=True)
class Work:
    """A frame being worked on.

    Attributes
    ----------
    planes : mapping of ChannelRef to (H, W)
        As they arrived: at least the `channels_of` what is asked for.
    at : Moment
    """

    planes: Mapping[ChannelRef, Stored]
    at: Moment

    def of(self, wanted: Value) -> Any:
        """Work a value out; what several are made from is computed once."""
        if wanted.ref is not None:
            return self.planes[wanted.ref]
        if wanted.digest in self.at.kept:
            return self.at.kept[wanted.digest]
        if wanted.digest in self.at.earlier:
            result = self.at.earlier[wanted.digest]
        elif wanted.lasts:
            # The scene's unit is no setting of the recipe, and lengths depend on it.
            key = wanted.digest, self.at.frame, self.at.scene_unit_m
            result = self.at.lastingly(key, lambda: self._made(wanted))
        else:
            result = self._made(wanted)
        self.at.kept[wanted.digest] = result
        return result

    def _made(self, wanted: Value) -> Any:
        assert wanted.make is not None
        if wanted.is_lazy:
            return wanted.make(self.at, *(partial(self.of, each) for each in wanted.given))
        return wanted.make(self.at, *(self.of(each) for each in wanted.given))


def _digest(label: str, of: object, given: tuple[Value, ...]) -> str:
    text = "\n".join([label, _plain(of), *(each.digest for each in given)])
    return hashlib.blake2b(text.encode(), digest_size=12).hexdigest()


def _plain(of: object) -> str:
    if hasattr(of, "model_dump_json"):
        return str(of.model_dump_json())
    if isinstance(of, tuple | list):
        return "(" + ",".join(_plain(each) for each in of) + ")"
    return repr(of)
