"""The written files put together again: what downstream will do, done here first and compared.

The second reader's values are taken, not the computed ones: layers are laid on each other, a shadow is
multiplied into the ground, hashed names give their mattes back. What comes out is compared with what the
recipe itself makes; rounding to the stored types explains a little, anything more is a fault.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from drawstring.core.arrays import Picture, Stored, as_picture
from drawstring.core.chain import Work, channels_of
from drawstring.core.errors import OutputError
from drawstring.core.io.facts import ChannelRef
from drawstring.core.pack.form import LOSSY, AlphaKind, Reach
from drawstring.core.pack.layout import OutputChannel, compressions_of
from drawstring.core.pack.storing import Stowed
from drawstring.core.recipe.chains import Chains
from drawstring.core.recipe.spaces import is_converted
from drawstring.runs.homes import Rebuilding, Recomposed, Recomposition, Written, recompositions

_STEPS = 8 * 2.0**-11
"""Of the largest value: eight half-float roundings, which is more than any of the sums adds up."""

Back = Mapping[tuple[str, str, str], Stored]
"""Channels as they were read back, by the pass whose file it is, part and name."""


def recompose(
    stowed: Mapping[OutputChannel, Stowed], back: Back, work: Work, chains: Chains
) -> dict[str, dict[str, float]]:
    """Put a frame's written files together and compare.

    Parameters
    ----------
    stowed : mapping of OutputChannel to Stowed
        What was computed and written.
    back : mapping of (pass, part, channel) to (H, W)
        What was read back of `asked_back`'s channels, by `of_pass`, `part` and `name`.
    work : Work
        The frame as it was worked on.
    chains : Chains

    Returns
    -------
    dict
        `largest` and `mean` difference of whatever can be put together: "shadow", "stack", "mattes", and
        every result that follows from passes which go out as they came; empty where nothing can be.

    Raises
    ------
    OutputError
        It differs by more than the stored types explain.
    """
    channels = list(stowed)
    asked, taps = _asked(channels, chains), _taps(channels, chains)
    if not asked and not taps:
        return {}
    written = _reader(channels, back)
    frame = Rebuilding(written, stowed, work, chains)
    pairs = {one.name: one.make(frame) for one in asked}
    for name, inputs in taps.items():
        pairs[name] = Recomposed(*_tap(name, inputs, written, back, work, chains))
    is_exact = not any(one in LOSSY for one in compressions_of(channels, chains.recipe.pack).values())
    return {
        name: _compared(name, pair, is_exact=is_exact) | dict(pair.says)
        for name, pair in pairs.items()
        if pair.made is not None
    }


def asked_back(channels: Sequence[OutputChannel], chains: Chains) -> list[OutputChannel]:
    """Give the channels that have to be read back so that a frame can be put together again."""
    sources = {name for one in _asked(channels, chains) for name in one.sources}
    taps = _taps(channels, chains)
    inputs = {one for several in taps.values() for one in several.values()}
    return [one for one in channels if one.source in sources or one.source in taps or one in inputs]


def _taps(channels: Sequence[OutputChannel], chains: Chains) -> dict[str, dict[ChannelRef, OutputChannel]]:
    """Give the results that follow from passes which go out just as they came, and those passes' channels."""
    if not _can_be_put_together(chains):
        return {}
    passes = {one.name: one for one in chains.passes}
    untouched = {
        one.ref: one
        for one in channels
        if one.ref is not None
        and one.source in passes
        and one.stored == passes[one.source].pixel_types[one.component]
        and not is_converted(passes[one.source], chains.recipe)
    }
    covered = {name for one in _asked(channels, chains) for name in one.covers}
    taps = {}
    for name in dict.fromkeys(one.source for one in channels if one.ref is None and one.value is None):
        refs = [] if name in covered else channels_of([chains.own(name)])
        if refs and all(ref in untouched for ref in refs):
            taps[name] = {ref: untouched[ref] for ref in refs}
    return taps


def _tap(
    name: str,
    inputs: Mapping[ChannelRef, OutputChannel],
    written: Written,
    back: Back,
    work: Work,
    chains: Chains,
) -> tuple[Picture | None, Picture]:
    """Make a result anew from the written passes; what was written of it is held against that."""
    planes = {ref: back[one.of_pass, one.part, one.name] for ref, one in inputs.items()}
    fresh = replace(work.at, kept={}, lasting={})
    return written(name), as_picture(Work(planes, fresh).of(chains.own(name)))


def _can_be_put_together(chains: Chains) -> bool:
    """Whether what is written is what was laid: else downstream has to bring it there first."""
    pack = chains.recipe.pack
    if pack.alpha is AlphaKind.STRAIGHT or pack.reach is not Reach.ALL:
        return False
    # Two eyes in one picture are put together by whoever takes them apart; what was moved, after moving.
    return len(chains.own_chains()) == 1 and not chains.moves


def _asked(channels: Sequence[OutputChannel], chains: Chains) -> list[Recomposition]:
    """Give what knots can put together again."""
    return recompositions(channels, chains) if _can_be_put_together(chains) else []


def _reader(channels: Sequence[OutputChannel], back: Back) -> Written:
    """Give passes and results as they were read back."""

    def read(source: str) -> Picture | None:
        mine = sorted((one for one in channels if one.source == source), key=lambda one: one.component)
        if not mine or [one.component for one in mine] != list(range(len(mine))):
            return None
        planes = [back[one.of_pass, one.part, one.name] for one in mine]
        return np.stack([np.asarray(one, np.float32) for one in planes], axis=-1)

    return read


def _compared(name: str, pair: Recomposed, *, is_exact: bool) -> dict[str, float]:
    made, meant = pair.made, pair.meant
    assert made is not None
    if not meant.size:
        return {"largest": 0.0, "mean": 0.0}
    count = min(made.shape[2], meant.shape[2])
    with np.errstate(invalid="ignore"):
        apart = np.abs(made[..., :count].astype(np.float64) - meant[..., :count])
    finite = np.isfinite(apart)
    largest = float(apart[finite].max(initial=0.0))
    reach = float(np.abs(meant[np.isfinite(meant)]).max(initial=1.0))
    beyond = np.where(finite, apart, 0)
    if pair.bound is not None:
        beyond = np.where(apart > pair.bound[..., :count], beyond, 0)
        is_off = bool(beyond.any())
    else:
        is_off = largest > _STEPS * max(reach, 1.0)
    if is_exact and is_off:
        row, column, _ = np.unravel_index(int(np.argmax(beyond)), apart.shape)
        raise OutputError(
            f"The written files, put together, are {largest:.3g} off the {name} that the recipe makes.",
            where=f"pixel {column}, {row}", why="Downstream would assemble another picture.",
            remedy="The frame is tried again; if it fails again, send the engine's log.",
        )  # fmt: skip
    return {"largest": largest, "mean": float(apart[finite].mean()) if finite.any() else 0.0}
